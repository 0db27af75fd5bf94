"""What differs between two runs: the list of changes, and both pages side by side with what differs marked on them."""

from collections.abc import Iterable
from pathlib import Path
from typing import NamedTuple

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPixmap, QResizeEvent, QWheelEvent
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QSplitter,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.language.translation import tr, tr_count
from northmoor.app.widgets.headings import section
from northmoor.app.widgets.widget_tools import close_row, image_of
from northmoor.core.delivery.archive.compare_runs import RunComparison, TextBox, TextBoxes
from northmoor.core.delivery.archive.run_folder import FILES
from northmoor.core.output.raster import rasterise

_COLUMNS = (tr("Page"), tr("What"), tr("Where"), tr("Before"), tr("After"), tr("Difference"))
_SCALE = 1.2
_ROOM = 1_500
"""Millipoints around a text that is marked."""
_MARK = "#7B4B94"
"""Pages are white in every look."""
_CHOSEN, _OTHER = 110, 45
"""How much of the colour a mark has: that of the chosen change, and those of others on the page."""
_EDGE = 6
"""Pixels around a page."""
_MOST_ROWS = 5_000


class ChangeRow(NamedTuple):
    """A change as a row of the table, and where it is in both runs."""

    page: int
    what: str
    where: str
    before: str
    after: str
    difference: str
    boxes: tuple[TextBoxes, TextBoxes]


def change_rows(found: RunComparison) -> list[ChangeRow]:
    """The changes as rows of a table, in the order of the pages."""
    rows: list[ChangeRow] = []
    for what, changes in ((tr("figure"), found.figures), (tr("text"), found.texts)):
        for each in changes:
            where = " · ".join(part for part in (each.block, each.row, each.column) if part)
            by = "" if each.difference is None else f"{each.difference:+,f}"
            page, boxes = each.page_after or each.page_before, (each.boxes_before, each.boxes_after)
            rows.append(ChangeRow(page, what, where, each.before, each.after, by, boxes))
    for row in found.rows_gone:
        texts = " · ".join(row.texts)
        rows.append(ChangeRow(row.page, tr("row removed"), f"{row.block} · {row.row}", texts, "", "", (row.boxes, ())))
    for row in found.rows_come:
        texts = " · ".join(row.texts)
        rows.append(ChangeRow(row.page, tr("row added"), f"{row.block} · {row.row}", "", texts, "", ((), row.boxes)))
    return sorted(rows, key=lambda row: row.page)


class RunPage(QLabel):
    """A page of a run's PDF in the width that there is, with what differs on it marked; the wheel scrolls."""

    scrolled = pyqtSignal(int)

    def __init__(self, folder: Path, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.setMinimumSize(200, 240)
        pdf = next(iter(sorted((folder / FILES).glob("*.pdf"))), None)
        self._pdf = pdf.read_bytes() if pdf is not None else b""
        self._pixmap = QPixmap()
        self._top = 0
        self._chosen: TextBoxes = ()
        self.marked: list[TextBox] = []
        """What is marked on the page."""

    def show_page(self, page: int, chosen: TextBoxes, others: Iterable[TextBox]) -> None:
        """Show a page, from 1, with the marks that are on it."""
        try:
            raster = rasterise(self._pdf, page - 1, _SCALE)
        except Exception:  # noqa: BLE001  # PDFium's own errors: there is no such page, or no PDF
            self._pixmap, self.marked = QPixmap(), []
            self.setText(tr("There is no such page.") if self._pdf else tr("It has no PDF to show."))
            return
        self._pixmap = QPixmap.fromImage(image_of(raster))
        self._mark(page, chosen, others)
        self._chosen = chosen
        self._bring_into_view(chosen)
        self._fit()

    def _mark(self, page: int, chosen: TextBoxes, others: Iterable[TextBox]) -> None:
        self.marked = []
        painter = QPainter(self._pixmap)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        for strength, boxes in ((_OTHER, others), (_CHOSEN, chosen)):
            color = QColor(_MARK)
            color.setAlpha(strength)
            painter.setBrush(color)
            for box in boxes:
                if box.page == page:
                    self.marked.append(box)
                    room = QRectF(box.x, box.y, box.width, box.height).adjusted(-_ROOM, -_ROOM, _ROOM, _ROOM)
                    corner, size = room.topLeft() * _SCALE / 1000, room.size() * _SCALE / 1000
                    painter.drawRoundedRect(QRectF(corner, size), 2, 2)
        painter.end()

    def _fit(self) -> None:
        """Show as much of the page as there is room for, in the width that there is."""
        if self._pixmap.isNull():
            return
        width, height = self.width() - _EDGE, self.height() - _EDGE
        whole = self._pixmap.scaledToWidth(width, Qt.TransformationMode.SmoothTransformation)
        self._top = max(min(self._top, whole.height() - height), 0)
        self.setPixmap(whole.copy(0, self._top, width, min(height, whole.height())))

    def scroll_to(self, top: int) -> None:
        """Show the page from a pixel of it on, as far as there is more of it."""
        self._top = top
        self._fit()

    def _bring_into_view(self, chosen: TextBoxes) -> None:
        """Let what is chosen be in the middle."""
        if chosen and not self._pixmap.isNull():
            middle = (chosen[0].y + chosen[0].height // 2) * _SCALE / 1000 / self._pixmap.height()
            height = self._pixmap.height() * (self.width() - _EDGE) / self._pixmap.width()
            self._top = int(middle * height - (self.height() - _EDGE) / 2)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Scroll, the other page too."""
        if event is not None:
            self.scroll_to(self._top - event.angleDelta().y() // 2)
            self.scrolled.emit(self._top)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Fit the page again."""
        super().resizeEvent(event)
        self._bring_into_view(self._chosen)
        self._fit()


class CompareDialog(QDialog):
    """Two runs and what differs between them."""

    def __init__(
        self, found: RunComparison, before: tuple[str, Path], after: tuple[str, Path], parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Compare two runs"))
        self.resize(1080, 720)
        self.rows = change_rows(found)
        self.pages = (RunPage(before[1], tr("Page before")), RunPage(after[1], tr("Page after")))
        for one, other in (self.pages, self.pages[::-1]):
            one.scrolled.connect(other.scroll_to)
        self.table = self._table()
        self.summary = QLabel(_summary(found))
        self.summary.setWordWrap(True)
        sides = QHBoxLayout()
        for title, view in ((before[0], self.pages[0]), (after[0], self.pages[1])):
            column = QVBoxLayout()
            column.addWidget(section(title))
            column.addWidget(view, 1)
            sides.addLayout(column, 1)
        upper = QWidget()
        upper.setLayout(sides)
        split = QSplitter(Qt.Orientation.Vertical)
        split.addWidget(upper)
        split.addWidget(self.table)
        split.setSizes([470, 190])
        column = QVBoxLayout(self)
        column.addWidget(self.summary)
        column.addWidget(split, 1)
        column.addWidget(close_row(self))
        self.table.setFocus()  # Down and Up go through what differs
        self._show_row()

    def _table(self) -> QTableWidget:
        table = QTableWidget(min(len(self.rows), _MOST_ROWS), len(_COLUMNS))
        table.setHorizontalHeaderLabels(_COLUMNS)
        table.setAccessibleName(tr("What differs"))
        table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        for row, change in enumerate(self.rows[:_MOST_ROWS]):
            for column, text in enumerate(change[: len(_COLUMNS)]):
                item = QTableWidgetItem(str(text))
                if column in (0, 5):
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                table.setItem(row, column, item)
        header = table.horizontalHeader()
        assert header is not None
        for column in range(len(_COLUMNS)):
            wide = column in (2, 3, 4)
            header.setSectionResizeMode(
                column, QHeaderView.ResizeMode.Stretch if wide else QHeaderView.ResizeMode.ResizeToContents
            )
        down = table.verticalHeader()
        assert down is not None
        down.hide()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        table.selectRow(0)
        table.currentCellChanged.connect(lambda *_: self._show_row())
        return table

    def _show_row(self) -> None:
        """Show the pages of the chosen change, each where it is in its run."""
        number = self.table.currentRow()
        row = self.rows[number] if 0 <= number < len(self.rows) else self.rows[0] if self.rows else None
        for side, view in enumerate(self.pages):
            chosen = row.boxes[side] if row is not None else ()
            page = chosen[0].page if chosen else row.page if row is not None else 1
            others = (box for each in self.rows if each is not row for box in each.boxes[side])
            view.show_page(max(page, 1), chosen, others)


def _summary(found: RunComparison) -> str:
    if found.is_same:
        return tr("Nothing differs: figures, texts and pages are the same.")
    figures, texts, gone, new = map(len, (found.figures, found.texts, found.rows_gone, found.rows_come))
    parts = [
        *([tr_count(figures, "{count} figure changed", "{count} figures changed")] if figures else []),
        *([tr_count(texts, "{count} text changed", "{count} texts changed")] if texts else []),
        *([tr_count(gone, "{count} row removed", "{count} rows removed")] if gone else []),
        *([tr_count(new, "{count} row added", "{count} rows added")] if new else []),
    ]
    before, after = found.pages
    pages = (
        tr_count(after, "{count} page, as before", "{count} pages, as before")
        if before == after
        else tr("{before:,} pages before, {after:,} now").format(before=before, after=after)
    )
    return f"{', '.join(parts)}. {pages}." if parts else f"{pages}."
