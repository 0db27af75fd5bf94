"""Several pages on a sheet: two or four side by side, or a booklet, whose sheets are folded in the middle.

Pages are placed by PDFium as they are, only smaller; what makes a PDF accessible is not kept: sheets are for printers.
"""

import ctypes
import io
from collections.abc import Callable
from typing import Literal

import pypdfium2 as pdfium
import pypdfium2.raw as raw

from northmoor.core.output.raster import PDFIUM_LOCK

SheetKind = Literal["one", "two", "four", "booklet"]
_ACROSS = {"two": (2, 1), "four": (2, 2), "booklet": (2, 1)}


def booklet_order(pages: int) -> list[int | None]:
    """The pages of a booklet in the order of its sheets' halves, back and front: None for an empty one. Folded in the
    middle, the sheets read from the first page to the last."""
    count = -(-pages // 4) * 4
    order: list[int] = []
    for sheet in range(count // 4):
        first, last = 2 * sheet, count - 1 - 2 * sheet
        order += [last, first, first + 1, last - 1]
    return [page if page < pages else None for page in order]


def only_pages(pdf: bytes, chosen: Callable[[int], list[int]]) -> bytes:
    """Some pages of a PDF, by their indices, which are chosen by how many there are."""
    with PDFIUM_LOCK:
        source, made = pdfium.PdfDocument(pdf), pdfium.PdfDocument.new()
        try:
            made.import_pages(source, chosen(len(source)))
            target = io.BytesIO()
            made.save(target)
            return target.getvalue()
        finally:
            made.close()
            source.close()


def imposed(pdf: bytes, kind: SheetKind) -> bytes:
    """The pages of a PDF on sheets as large as its first page, turned where two are side by side."""
    if kind == "one":
        return pdf
    with PDFIUM_LOCK:
        source = pdfium.PdfDocument(pdf)
        width, height = source[0].get_size()
        across, down = _ACROSS[kind]
        if across > down:
            width, height = max(width, height), min(width, height)
        ordered = _in_booklet_order(source) if kind == "booklet" else source
        made = raw.FPDF_ImportNPagesToOne(
            ordered, ctypes.c_float(width), ctypes.c_float(height), ctypes.c_size_t(across), ctypes.c_size_t(down)
        )
        sheets = pdfium.PdfDocument(made)
        target = io.BytesIO()
        sheets.save(target)
        sheets.close()
        if ordered is not source:
            ordered.close()
        source.close()
    return target.getvalue()


def _in_booklet_order(source: pdfium.PdfDocument) -> pdfium.PdfDocument:
    ordered = pdfium.PdfDocument.new()
    width, height = source[0].get_size()
    for place, page in enumerate(booklet_order(len(source))):
        if page is None:
            ordered.new_page(width, height)
        else:
            ordered.import_pages(source, [page], place)
    return ordered
