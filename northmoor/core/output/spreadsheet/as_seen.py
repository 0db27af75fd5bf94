"""Sheets as the pages are: titles, texts, tables, charts and pictures one below the other, in reading order."""

import io
from typing import BinaryIO

import xlsxwriter
from xlsxwriter.worksheet import Worksheet

from northmoor.core.layout.flow.fragments import BodyBox
from northmoor.core.layout.geometry import Rect
from northmoor.core.layout.graphics.display_list import Layer
from northmoor.core.layout.inline.paragraph import Paragraph
from northmoor.core.output.content.chart_figures import chart_words
from northmoor.core.output.content.drawn_texts import drawn_lines, line_look
from northmoor.core.output.content.nodes import ChartNode, DrawnNode, Leaf, PageStart, TableNode, TextNode, leaves
from northmoor.core.output.content.table_rows import TableContent
from northmoor.core.output.layer_pictures import layers_png
from northmoor.core.output.output_document import OutputDocument
from northmoor.core.output.spreadsheet.cell_formats import CellFormats
from northmoor.core.output.spreadsheet.native_charts import ChartSheet
from northmoor.core.output.spreadsheet.sheet import Book, SheetCursor, pixels, write_text
from northmoor.core.output.spreadsheet.table_rows_sheet import TablePart, TableSheet, outermost_groups

_WRAPPED = 90
"""Texts that are longer than so many characters go on in further lines, over several columns."""
_COLUMNS = 8
_MOST_HELD = 50_000
"""Rows of queries up to which a workbook is held in memory."""


class SheetsAsSeen:
    """Writes a document's sheets."""

    def __init__(self, document: OutputDocument, book: Book) -> None:
        self._document, self._book = document, book
        self._formats: CellFormats = book.formats
        self._charts = ChartSheet(book)
        self._cursor: SheetCursor | None = None

    def write(self) -> None:
        """Write all sheets. Raises Cancelled."""
        for node in self._document.nodes():
            self._document.check_stop()
            if isinstance(node, PageStart):
                if self._document.options.sheet_for == "record":
                    self._finish()
                elif self._cursor is not None:
                    self._cursor.break_before()
            else:
                for leaf in leaves(node):
                    self._leaf(leaf)
        self._finish()

    def _leaf(self, node: Leaf) -> None:
        if isinstance(node, TextNode):
            self._text(node)
        elif isinstance(node, ChartNode):
            self._chart(node)
        elif isinstance(node, DrawnNode):
            self._drawn(node)
        else:
            self._table(node)

    def _table(self, node: TableNode) -> None:
        """Write a table, or each of its groups on a sheet of its own; what totals them all comes on one after them."""
        wanted, content = self._document.options.sheet_for, TableContent(node.layout)
        locale = self._document.composition.context.locale
        parts = list(outermost_groups(content, node, locale)) if wanted == "group" else []
        for part in parts or [TablePart(node.name, node.start, node.end)]:
            if parts or wanted == "block":
                self._finish()
            cursor = self._on(part.name)
            is_first_table = not cursor.widths
            begin = cursor.row
            TableSheet(content, part, self._document, cursor, self._formats).write()
            heads = len(content.head())
            if is_first_table and heads:
                cursor.sheet.freeze_panes(begin + heads, 0)
                cursor.sheet.repeat_rows(begin, begin + heads - 1)
            cursor.row += 1
        if parts:
            self._finish()

    def _on(self, name: str) -> SheetCursor:
        """The sheet that is being filled; a new one where there is none."""
        if self._cursor is None:
            title = self._document.metadata.title if self._document.options.sheet_for == "edition" else name

            def new() -> Worksheet:
                return self._book.sheet(title or name)

            self._cursor = SheetCursor(new(), new)
        return self._cursor

    def _finish(self) -> None:
        if self._cursor is not None:
            self._cursor.finish()
            self._cursor = None

    def _text(self, node: TextNode) -> None:
        text = node.text.strip()
        if not text:
            return
        cursor, block = self._on(text), node.fragment.block
        align = block.align if isinstance(block, Paragraph) else "start"
        is_long = len(text) > _WRAPPED or "\n" in text
        form = self._formats.of(block.look, align, wraps=is_long)
        row = cursor.next_row()
        lines = sum(len(line) // _WRAPPED + 1 for line in text.split("\n"))
        cursor.sheet.set_row(row, _height(lines, block.look.size))
        if is_long:
            cursor.sheet.merge_range(row, 0, row, _COLUMNS - 1, "", form)
        write_text(cursor.sheet, row, 0, text, form, node.fragment.link or None)

    def _chart(self, node: ChartNode) -> None:
        fragment = node.fragment
        cursor = self._on(node.fragment.name)
        row = cursor.room(fragment.height)
        chart = self._charts.chart(fragment.view)
        words = chart_words(fragment.view)
        if chart is not None:
            chart.set_size({"width": pixels(fragment.width), "height": pixels(fragment.height)})
            cursor.sheet.insert_chart(row, 0, chart, {"description": words})
            return
        layers = fragment.lay_out(BodyBox(-fragment.left, -fragment.y, 0, 0)).layers
        self._picture(cursor.sheet, row, layers, fragment.width, fragment.height, words)

    def _drawn(self, node: DrawnNode) -> None:
        fragment = node.fragment
        if node.role.kind == "decoration":
            return
        layers = fragment.draw(Rect(0, 0, fragment.width, fragment.height))
        texts = drawn_lines(layers)
        if fragment.kind == "readout" and texts:
            for item in texts:
                look = line_look(item)
                cursor = self._on(fragment.name)
                cursor.sheet.set_row(cursor.row, _height(1, look.size))
                write_text(cursor.sheet, cursor.next_row(), 0, item.text or "", self._formats.of(look, "start"))
            return
        if layers:
            cursor = self._on(fragment.name)
            row = cursor.room(fragment.height)
            self._picture(cursor.sheet, row, layers, fragment.width, fragment.height, fragment.words or "")

    def _picture(
        self, sheet: Worksheet, row: int, layers: tuple[Layer, ...], width: int, height: int, words: str
    ) -> None:
        """Put what layers draw on a sheet, as pixels."""
        png = io.BytesIO(layers_png(layers, width, height))
        options = {"image_data": png, "description": words or None, "decorative": not words, "object_position": 1}
        sheet.insert_image(row, 0, "picture.png", options)


def _height(lines: int, size: int) -> float:
    """The height in points of a row of so many lines."""
    return min(max(lines * size * 1.4 / 1000, 15), 409)


def new_book(target: BinaryIO, document: OutputDocument) -> Book:
    """A workbook; one of very many rows is written as it is made."""
    rows = sum(table.num_rows for table in document.rows.values())
    is_streamed = rows > _MOST_HELD
    workbook = xlsxwriter.Workbook(target, {"constant_memory": is_streamed, "strings_to_urls": False})
    return Book(workbook, document.composition.sections[0].page, CellFormats(workbook, is_streamed))
