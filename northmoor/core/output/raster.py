"""A PDF's pages to pixels, by PDFium: for pictures and for the canvas."""

import threading

import pypdfium2 as pdfium
from msgspec import Struct
from PIL import Image

PDFIUM_LOCK = threading.Lock()  # PDFium is not made for several threads at once


class Raster(Struct, frozen=True):
    """Pixels of a page: blue, green, red and a filler byte for each, rows of `stride` bytes."""

    width: int
    height: int
    stride: int
    data: bytes


def rasterise(pdf: bytes, page: int, scale: float) -> Raster:
    """A page of a PDF, `scale` pixels to a point."""
    with PDFIUM_LOCK:
        document = pdfium.PdfDocument(pdf)
        try:
            bitmap = document[page].render(scale=scale, rev_byteorder=False, prefer_bgrx=True)
            return Raster(bitmap.width, bitmap.height, bitmap.stride, bytes(bitmap.buffer))
        finally:
            document.close()


class PdfPages:
    """The pages of a PDF as pictures."""

    def __init__(self, pdf: bytes) -> None:
        with PDFIUM_LOCK:
            self._document = pdfium.PdfDocument(pdf)
            self._sizes = [(page.get_width(), page.get_height()) for page in self._document]

    def __len__(self) -> int:
        return len(self._sizes)

    def size(self, page: int) -> tuple[float, float]:
        """The width and height of a page in points."""
        return self._sizes[page]

    def picture(self, page: int, scale: float) -> Image.Image:
        """A page, `scale` pixels to a point."""
        with PDFIUM_LOCK:
            made: Image.Image = self._document[page].render(scale=scale).to_pil()
            return made.copy()
