"""Pages to SVG files, one a page."""

from functools import partial
from typing import BinaryIO

from northmoor.core.layout.graphics.display_list import Page
from northmoor.core.output.output_document import OutputDocument, OutputFile
from northmoor.core.output.svg.drawing import SvgDrawing, as_xml, svg_document
from northmoor.core.output.svg.web_fonts import font_faces


def output_files(document: OutputDocument) -> list[OutputFile]:
    """A file for each page."""
    return [OutputFile(partial(_write, page, document)) for page in document.pages()]


def page_svg(page: Page, title: str, as_outlines: bool = False) -> str:
    """A page as an SVG by itself: white paper with what is on it, and the fonts that its texts need."""
    drawing = SvgDrawing(as_outlines)
    inner = f'<rect width="100%" height="100%" fill="#FFFFFF"/>{drawing.elements(page.layers)}'
    titled = f"<title>{as_xml(title)}</title>" if title else ""
    return svg_document(titled + inner, page.width, page.height, font_faces(drawing.used))


def _write(page: Page, document: OutputDocument, target: BinaryIO) -> None:
    drawn = page_svg(page, document.metadata.title, document.options.glyphs == "outlines")
    target.write(b'<?xml version="1.0" encoding="UTF-8"?>\n' + drawn.encode())
