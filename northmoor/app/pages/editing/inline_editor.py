"""Editing a definition where it is: a line over the cell on the page, holding its expression or template."""

from collections.abc import Callable

from msgspec import Struct
from PyQt6.QtCore import QRect, Qt
from PyQt6.QtGui import QFocusEvent, QKeyEvent
from PyQt6.QtWidgets import QLineEdit, QWidget

from northmoor.app.document_controller import Selection
from northmoor.app.language.translation import tr
from northmoor.app.pages.editing.expression_checker import ExpressionChecker
from northmoor.app.pages.editing.expression_context import Enlarge, ExpressionUse
from northmoor.app.widgets.widget_tools import hide_and_delete
from northmoor.app.widgets.word_completer import WordCompleter
from northmoor.core.authoring.completions import Completion
from northmoor.core.authoring.expression_check import KnownNames
from northmoor.core.model import edits
from northmoor.core.model.blocks.table import Cell, Column, RowPlace
from northmoor.core.model.pages import TextPiece
from northmoor.core.model.report import Report

NARROWEST = 220


class Definition(Struct, frozen=True):
    """What a part says: the text, the edit that changes it, and whether the text is a template, not an expression."""

    text: str
    change: Callable[[str], Callable[[Report, str], Report]]
    is_template: bool = True


def definition_of(report: Report, edition: str, selection: Selection) -> Definition | None:
    """What the selected part says, or None where it says nothing that fits a line."""
    try:
        found = _definition(report, edition, selection)
    except (KeyError, StopIteration):
        return None
    return None if found is None or "\n" in found.text else found


def _definition(report: Report, edition: str, selection: Selection) -> Definition | None:
    block, place, column = selection.block, selection.place, selection.column or ""
    if selection.kind == "text":
        own = edits.block_of(report, edition, block)
        if own.is_rich:
            return None
        text = own.text
        return Definition(text, lambda new: lambda r, e: edits.change_block(r, e, block, text=new))
    if selection.kind in ("header", "footer") and column:
        return _piece(report, edition, selection.kind, column)
    if selection.kind != "cell":
        return None
    table = edits.table_of(report, edition, block)
    own = next(c for c in table.columns if c.name == column)
    if place == RowPlace("head"):
        return Definition(own.title, lambda new: lambda r, e: edits.change_column(r, e, block, column, title=new))
    if place == RowPlace("detail"):
        field, text = _content_text(own)
        change = lambda new: lambda r, e: edits.change_column(r, e, block, column, **{field: new})  # noqa: E731
        return Definition(text, change, field == "text")
    cell = next((c for c in table.row_at(place).cells if c.column == column), Cell(column=column))
    field, text = _content_text(cell)
    return Definition(
        text,
        lambda new: lambda r, e: edits.change_cell(r, e, block, place, column, **{field: new or None}),
        field == "text",
    )


def _content_text(content: Cell | Column) -> tuple[str, str]:
    return ("text", content.text) if content.text is not None else ("value", content.value or "")


def _piece(report: Report, edition: str, running: str, column: str) -> Definition | None:
    piece = getattr(report.edition(edition), running).piece_at(column)
    if not isinstance(piece, TextPiece):
        return None
    return Definition(
        piece.text,
        lambda new: lambda r, e: edits.change_piece(r, e, running, column, piece.but(text=new)),
    )


_ROOM, _HEIGHT, _GAP = 28, 28, 8


class InlineEditor(QLineEdit):
    """The line. Enter, or leaving it, commits; Esc leaves everything as it was; F2 goes on in a larger editor."""

    def __init__(
        self,
        over: QWidget,
        place: QRect,
        definition: Definition,
        commit: Callable[[str], object],
        completions: Callable[[], list[Completion]],
        names: Callable[[], KnownNames],
        enlarge: Enlarge,
    ) -> None:
        super().__init__(definition.text, over)
        self._before, self._commit, self._enlarge = definition.text, commit, enlarge
        self._is_template = definition.is_template
        self.completer_of_words = WordCompleter(self, completions, definition.is_template)
        self.checker = ExpressionChecker(self, names, definition.is_template)
        self._is_done = False
        self.setObjectName("expression")
        self.setAccessibleName(tr("Definition"))
        self.setToolTip(tr("Enter changes it, Esc leaves it as it was, F2 opens a larger editor"))
        self.setGeometry(self._place(place, over))
        self.textChanged.connect(lambda _: self.setGeometry(self._place(place, over)))
        self.selectAll()
        self.show()
        self.setFocus()

    def _place(self, cell: QRect, over: QWidget) -> QRect:
        """On the cell, where the text has room in it; else below it, so that its neighbours stay in sight."""
        needed = self.fontMetrics().horizontalAdvance(self.text()) + _ROOM
        if needed <= cell.width():
            return QRect(cell.left(), cell.center().y() - _HEIGHT // 2, cell.width(), _HEIGHT)
        width = min(max(needed, NARROWEST), over.width() - 2 * _GAP)
        left = max(min(cell.left(), over.width() - width - _GAP), 0)
        top = cell.bottom() + 2 if cell.bottom() + 2 + _HEIGHT <= over.height() else cell.top() - _HEIGHT - 2
        return QRect(left, top, width, _HEIGHT)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter commits, Esc does not."""
        assert event is not None
        if event.key() == Qt.Key.Key_Escape:
            self.finish(False)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.finish(True)
        elif event.key() == Qt.Key.Key_F2:
            text = self.text()
            self.finish(False)
            use: ExpressionUse = "template" if self._is_template else "value"
            self._enlarge(text, use, lambda new: new != self._before and self._commit(new))
        else:
            super().keyPressEvent(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        """Leaving it commits."""
        super().focusOutEvent(event)
        if event is not None and event.reason() != Qt.FocusReason.PopupFocusReason:
            self.finish(True)

    def finish(self, keep: bool) -> None:
        """Close the line, and make the change if it is to be kept."""
        if self._is_done:
            return
        self._is_done = True
        text, over = self.text(), self.parentWidget()
        hide_and_delete(self)
        if over is not None and over.parentWidget() is not None:
            over.parentWidget().setFocus()
        if keep and text != self._before:
            self._commit(text)
