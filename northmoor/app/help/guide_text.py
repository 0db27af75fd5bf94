"""A section of a guide, set to be read: room between its paragraphs, code on a ground of its own, tables with lines."""

from typing import cast

from PyQt6.QtGui import (
    QBrush,
    QTextBlock,
    QTextBlockFormat,
    QTextCursor,
    QTextFormat,
    QTextFrameFormat,
    QTextLength,
    QTextTable,
)
from PyQt6.QtWidgets import QTextBrowser

from northmoor.app.widgets.theme import HEATHER, LINE, LINEN, ink
from northmoor.app.widgets.widget_tools import on_another_look

_SHARE = cast("int", QTextBlockFormat.LineHeightTypes.ProportionalHeight.value)  # which the stubs have as a kind
_PIXELS = cast("int", QTextBlockFormat.LineHeightTypes.FixedHeight.value)
_BELOW = 9
"""Pixels below a paragraph, a list, code or a table."""


class GuideText(QTextBrowser):
    """Shows a text in Markdown, or in HTML where it begins with a tag. Links are never opened by itself."""

    def __init__(self) -> None:
        super().__init__()
        self.setOpenLinks(False)
        on_another_look(self, self._set_room)

    def show_text(self, text: str, about: str = "") -> None:
        """Show a text from its beginning; `about` is HTML in front of it."""
        if text.startswith("<"):
            self.setHtml(text)
        else:
            self.setMarkdown(text)
        self._set_room()
        if about:
            cursor = self.textCursor()
            cursor.movePosition(QTextCursor.MoveOperation.Start)
            cursor.insertHtml(f"{about}<br><br>")
        self.verticalScrollBar().setValue(0)

    def _set_room(self) -> None:
        document = self.document()
        assert document is not None
        document.setDocumentMargin(12)
        root = document.rootFrame()
        assert root is not None
        for frame in root.childFrames():
            if isinstance(frame, QTextTable):
                _set_table(frame)
        block = document.begin()
        while block.isValid():
            _set_block(block)
            block = block.next()


def _set_block(block: QTextBlock) -> None:
    cursor = QTextCursor(block)
    form = QTextBlockFormat()
    if cursor.currentTable() is None:
        below, above = _BELOW, 0
        lines = (112, _SHARE)
        if block.blockFormat().headingLevel():
            above = 14 if block.previous().isValid() else 0
        elif block.textList() is not None:
            below = 3 if block.next().textList() is block.textList() else _BELOW
        elif _is_code(block):
            form.setBackground(QBrush(ink(LINEN)))
            form.setLeftMargin(12)
            below, lines = 0 if _is_code(block.next()) else _BELOW, (100, _SHARE)
        elif not block.text():  # the toolkit puts one before and after each table
            below, lines = 0, (2, _PIXELS)
        form.setTopMargin(above)
        form.setBottomMargin(below)
        form.setLineHeight(*lines)
    cursor.mergeBlockFormat(form)
    pieces = block.begin()
    while not pieces.atEnd():
        piece = pieces.fragment()
        if piece.charFormat().isAnchor():
            cursor.setPosition(piece.position())
            cursor.setPosition(piece.position() + piece.length(), QTextCursor.MoveMode.KeepAnchor)
            colored = piece.charFormat()
            colored.setForeground(QBrush(ink(HEATHER)))
            cursor.setCharFormat(colored)
        pieces += 1


def _is_code(block: QTextBlock) -> bool:
    return block.isValid() and block.blockFormat().hasProperty(QTextFormat.Property.BlockCodeLanguage.value)


def _set_table(table: QTextTable) -> None:
    if table.rows() > 1 and not any(_cell_text(table, 0, column) for column in range(table.columns())):
        table.removeRows(0, 1)  # Markdown has no table without a head
    form = table.format()
    form.setCellPadding(5)
    form.setCellSpacing(0)
    form.setBorder(1)
    form.setBorderCollapse(True)
    form.setBorderStyle(QTextFrameFormat.BorderStyle.BorderStyle_Solid)
    form.setBorderBrush(QBrush(ink(LINE)))
    form.setBottomMargin(_BELOW)
    form.setWidth(QTextLength(QTextLength.Type.PercentageLength, 100))
    table.setFormat(form)


def _cell_text(table: QTextTable, row: int, column: int) -> str:
    cell = table.cellAt(row, column)
    cursor = cell.firstCursorPosition()
    cursor.setPosition(cell.lastCursorPosition().position(), QTextCursor.MoveMode.KeepAnchor)
    return cursor.selectedText()
