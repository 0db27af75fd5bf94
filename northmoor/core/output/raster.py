"""A PDF's pages to pixels, by PDFium: for PNG files and for the canvas."""

import io
import threading
from dataclasses import dataclass
from functools import partial
from typing import BinaryIO

import pypdfium2 as pdfium

from northmoor.core.output.paged_document import FileWriter, PagedDocument
from northmoor.core.output.pdf.writer import write_pdf

_LOCK = threading.Lock()  # PDFium is not made for several threads at once
DPI = 144


@dataclass(frozen=True)
class Raster:
    """Pixels of a page: blue, green, red and a filler byte for each, rows of `stride` bytes."""

    width: int
    height: int
    stride: int
    data: bytes


def rasterise(pdf: bytes, page: int, scale: float) -> Raster:
    """A page of a PDF, `scale` pixels to a point."""
    with _LOCK:
        document = pdfium.PdfDocument(pdf)
        try:
            bitmap = document[page].render(scale=scale, rev_byteorder=False, prefer_bgrx=True)
            return Raster(bitmap.width, bitmap.height, bitmap.stride, bytes(bitmap.buffer))
        finally:
            document.close()


def file_writers(document: PagedDocument) -> list[FileWriter]:
    """A file for each page."""
    pdf = io.BytesIO()
    write_pdf(document.pages(), document.metadata, pdf)
    return [partial(_write, png) for png in write_pngs(pdf.getvalue())]


def _write(content: bytes, target: BinaryIO) -> None:
    target.write(content)


def write_pngs(pdf: bytes) -> list[bytes]:
    """Each page of a PDF as a PNG file at 144 pixels an inch."""
    with _LOCK:
        document = pdfium.PdfDocument(pdf)
        try:
            pngs = []
            for page in document:
                target = io.BytesIO()
                page.render(scale=DPI / 72).to_pil().save(target, "PNG", dpi=(DPI, DPI))
                pngs.append(target.getvalue())
            return pngs
        finally:
            document.close()
