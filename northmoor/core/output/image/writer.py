"""Pages to pictures of pixels at any resolution, drawn by PDFium from the document's own PDF."""

import io
from functools import partial
from typing import Any, BinaryIO

from msgspec import Struct
from PIL import Image
from PIL.TiffImagePlugin import AppendingTiffWriter

from northmoor.core.errors import OutputError
from northmoor.core.model.output_options import OutputOptions
from northmoor.core.output.output_document import OutputDocument, OutputFile
from northmoor.core.output.pdf.writer import write_pdf
from northmoor.core.output.raster import PdfPages

_MODES = {"color": "RGB", "gray": "L", "black": "1"}
_MOST_PIXELS = 200_000_000
"""A page of more is a mistake: a square of them is 14,142 wide."""


def output_files(document: OutputDocument) -> list[OutputFile]:
    """A file for each page; one for all where the format holds many."""
    pdf = io.BytesIO()
    write_pdf(document.pages(), document.metadata, pdf)
    pictures = _Pictures(PdfPages(pdf.getvalue()), document)
    if document.suffix == "tiff":
        return [OutputFile(pictures.write_all)]
    return [OutputFile(partial(pictures.write, number)) for number in range(len(pictures.pages))]


class _Pictures(Struct, frozen=True):
    """The pages of a document as pictures, each made when it is written."""

    pages: PdfPages
    document: OutputDocument

    def write(self, number: int, target: BinaryIO) -> None:
        """Write one page."""
        self._picture(number).save(target, **_how(self.document.suffix, self.document.options))

    def write_all(self, target: BinaryIO) -> None:
        """Write all pages into one file."""
        with AppendingTiffWriter(target) as writer:
            for number in range(len(self.pages)):
                self.document.check_stop()
                self._picture(number).save(writer, **_how("tiff", self.document.options))
                writer.newFrame()

    def _picture(self, number: int) -> Image.Image:
        options = self.document.options
        width, height = self.pages.size(number)
        scale = options.resolution / 72
        if width * height * scale * scale > _MOST_PIXELS:
            raise OutputError(
                f"Page {number + 1} would have more than {_MOST_PIXELS // 1_000_000} million pixels at"
                f" {options.resolution} an inch; choose a lower resolution."
            )
        picture = self.pages.picture(number, scale)
        if options.colors == "black":  # without dithering: letters and bars stay sharp
            return picture.convert("L").point(lambda level: 255 * (level > 127)).convert("1", dither=Image.Dither.NONE)
        return picture.convert(_MODES[options.colors])


def _how(suffix: str, options: OutputOptions) -> dict[str, Any]:
    """The parameters of Pillow for a format."""
    dpi = (options.resolution, options.resolution)
    if suffix == "jpg":
        return {"format": "JPEG", "quality": options.quality, "subsampling": 0, "dpi": dpi}
    if suffix == "webp":
        return {"format": "WEBP", "quality": options.quality, "lossless": options.quality == 100, "method": 4}
    if suffix == "tiff":
        return {"format": "TIFF", "compression": "group4" if options.colors == "black" else "tiff_lzw", "dpi": dpi}
    return {"format": "PNG", "dpi": dpi}
