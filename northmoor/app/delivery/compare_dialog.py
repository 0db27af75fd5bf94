"""What differs between two runs: the list of changes, and both pages side by side with what changed marked by page."""

from pathlib import Path

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QPixmap, QResizeEvent
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
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
from northmoor.app.widgets.widget_tools import image_of
from northmoor.core.delivery.archive.compare_runs import RunComparison
from northmoor.core.delivery.archive.run_folder import FILES
from northmoor.core.output.raster import rasterise

_COLUMNS = (tr("Page"), tr("What"), tr("Where"), tr("Before"), tr("After"), tr("Difference"))
_SCALE = 1.2
_MOST_ROWS = 5_000
ChangeRow = tuple[int, str, str, str, str, str]


def change_rows(found: RunComparison) -> list[ChangeRow]:
    """The changes as rows of a table, in the order of the pages."""
    rows: list[ChangeRow] = []
    for what, changes in (("figure", found.figures), ("text", found.texts)):
        for each in changes:
            where = " · ".join(part for part in (each.block, each.row, each.column) if part)
            by = "" if each.difference is None else f"{each.difference:+,f}"
            rows.append((each.page_after or each.page_before, what, where, each.before, each.after, by))
    rows += [
        (row.page, tr("row removed"), f"{row.block} · {row.row}", " · ".join(row.texts), "", "")
        for row in found.rows_gone
    ]
    rows += [
        (row.page, tr("row added"), f"{row.block} · {row.row}", "", " · ".join(row.texts), "")
        for row in found.rows_come
    ]
    return sorted(rows, key=lambda row: row[0])


class RunPage(QLabel):
    """A page of a run's PDF, as large as there is room."""

    def __init__(self, folder: Path, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.setMinimumSize(200, 240)
        pdf = next(iter(sorted((folder / FILES).glob("*.pdf"))), None)
        self._pdf = pdf.read_bytes() if pdf is not None else b""
        self._pixmap = QPixmap()

    def show_page(self, page: int) -> None:
        """Show a page, from 1."""
        try:
            raster = rasterise(self._pdf, page - 1, _SCALE)
        except Exception:  # noqa: BLE001  # PDFium's own errors: there is no such page, or no PDF
            self._pixmap = QPixmap()
            self.setText(tr("There is no such page.") if self._pdf else tr("It has no PDF to show."))
            return
        self._pixmap = QPixmap.fromImage(image_of(raster))
        self._fit()

    def _fit(self) -> None:
        if not self._pixmap.isNull():
            size = self.size() - QSize(6, 6)
            self.setPixmap(
                self._pixmap.scaled(
                    size, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
                )
            )

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Fit the page again."""
        super().resizeEvent(event)
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
        close = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        close.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.addWidget(self.summary)
        column.addWidget(split, 1)
        column.addWidget(close)
        self._show_row()

    def _table(self) -> QTableWidget:
        table = QTableWidget(min(len(self.rows), _MOST_ROWS), len(_COLUMNS))
        table.setHorizontalHeaderLabels(_COLUMNS)
        table.setAccessibleName(tr("What differs"))
        table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        for row, texts in enumerate(self.rows[:_MOST_ROWS]):
            for column, text in enumerate(texts):
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
        row = self.table.currentRow()
        page = self.rows[row][0] if 0 <= row < len(self.rows) else self.rows[0][0] if self.rows else 1
        for view in self.pages:
            view.show_page(max(page, 1))


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
