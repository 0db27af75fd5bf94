"""What layers draw as a picture of pixels, for formats that hold no drawings."""

import io

from northmoor.core.layout.graphics.display_list import Layer, Links, Page
from northmoor.core.output.output_document import Metadata
from northmoor.core.output.pdf.writer import write_pdf
from northmoor.core.output.raster import PdfPages

SCALE = 2
"""Pixels to a point."""


def layers_png(layers: tuple[Layer, ...], width: int, height: int) -> bytes:
    """A PNG file of what layers draw in a rectangle of a size in millipoints, from its own corner."""
    pdf, png = io.BytesIO(), io.BytesIO()
    shown = tuple(layer for layer in layers if not isinstance(layer, Links))
    write_pdf([Page(1, max(width, 1000), max(height, 1000), shown)], Metadata(""), pdf)
    PdfPages(pdf.getvalue()).picture(0, SCALE).save(png, "PNG", dpi=(72 * SCALE, 72 * SCALE))
    return png.getvalue()
