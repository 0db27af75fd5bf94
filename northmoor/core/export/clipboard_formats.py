"""What a block is on the clipboard, for programs of several kinds: HTML with looks, cells between tabs, a picture."""

import io

from northmoor.core.base.replace import replace
from northmoor.core.model.output_options import OutputOptions
from northmoor.core.output.content.chart_figures import chart_figures
from northmoor.core.output.content.nodes import ChartNode, TableNode, TextNode, leaves
from northmoor.core.output.content.table_grid import grid_rows
from northmoor.core.output.content.table_rows import TableContent, cell_text
from northmoor.core.output.html.writer import write_html
from northmoor.core.output.image.writer import output_files
from northmoor.core.output.output_document import OutputDocument

_MOST_PASTED = 100_000
"""Rows that a clipboard takes."""


def block_html(document: OutputDocument) -> str:
    """A block as HTML whose looks are in its elements, as letters and mails take it."""
    target = io.BytesIO()
    write_html(replace(document, options=OutputOptions(interactive=False)), target)
    return target.getvalue().decode()


def block_text(document: OutputDocument) -> str:
    """A block as lines of cells between tabs, as they are printed; empty for one that says nothing."""
    lines: list[str] = []
    for node in document.nodes():
        for leaf in leaves(node):
            if isinstance(leaf, TextNode):
                lines.append(leaf.text)
            elif isinstance(leaf, TableNode):
                lines += _table_lines(leaf)
            elif isinstance(leaf, ChartNode):
                figures = chart_figures(leaf.fragment.view)
                rows = [figures.titles, *figures.rows] if figures is not None else []
                lines += ["\t".join(map(_cell, row)) for row in rows]
    return "\n".join(lines)


def block_picture(document: OutputDocument) -> bytes:
    """The first page of a block as a PNG file. Raises OutputError for one that is not on the pages."""
    files = output_files(replace(document, suffix="png", options=OutputOptions()))
    target = io.BytesIO()
    for file in files[:1]:
        file.write(target)
    return target.getvalue()


def _table_lines(node: TableNode) -> list[str]:
    content = TableContent(node.layout)
    end = min(node.end, node.start + _MOST_PASTED)
    rows = [*content.head(), *content.rows(node.start, end)]
    lines = []
    for _, places in grid_rows(rows, content.columns):
        cells = [""] * content.columns
        for place in places:
            cells[place.column] = cell_text(place.cell) if place.cell is not None else ""
        lines.append("\t".join(map(_cell, cells)))
    return lines


def _cell(text: str) -> str:
    """A text as a cell between tabs; one with tabs or lines of its own is in quotes."""
    return '"' + text.replace('"', '""') + '"' if any(sign in text for sign in '\t\n"') else text
