"""Check totals: a query's rows crossed by chosen columns, with totals on both sides, for comparing by eye."""

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtGui import QFont
from PyQt6.QtWidgets import QComboBox, QDialog, QGridLayout, QLabel, QTableView, QVBoxLayout, QWidget

from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr
from northmoor.app.widgets.theme import LIT, MIST, ink
from northmoor.app.widgets.widget_tools import close_row, set_style_name
from northmoor.app.worker import Worker
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.compute.explore.crosscheck import CrossTable, cross_totals
from northmoor.core.engine.rows import Rows
from northmoor.core.expr.formats import FormatLocale, format_one
from northmoor.core.model.kinds.aggregates import TOTALS

_NOTHING = "–"


class CrossTotalsModel(QAbstractTableModel):
    """Totals by row and column, the totals of all at the end of each."""

    def __init__(self, table: CrossTable, format_locale: FormatLocale) -> None:
        super().__init__()
        self.table = table
        self._customs = format_locale
        self._rows = (*table.rows, ()) if table.row_names else ((),)
        self._columns = (*table.columns, ()) if table.column_names else ((),)

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        """One for each row key, and one for all."""
        return 0 if parent is not None and parent.isValid() else len(self._rows)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        """One for each column key, and one for all."""
        return 0 if parent is not None and parent.isValid() else len(self._columns)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """A total; a dash where there are no rows."""
        row, column = self._rows[index.row()], self._columns[index.column()]
        if role == Qt.ItemDataRole.DisplayRole:
            value = self.table.cells.get((row, column))
            return _NOTHING if value is None else format_one(value, None, self._customs)
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.BackgroundRole and not (row and column):
            return ink(LIT if not row and not column else MIST)
        if role == Qt.ItemDataRole.FontRole and not (row and column):
            bold = QFont()
            bold.setWeight(QFont.Weight.DemiBold)
            return bold
        return None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """The keys' values; the last is all of them."""
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        key = (self._columns if orientation == Qt.Orientation.Horizontal else self._rows)[section]
        return " · ".join(self._text(value) for value in key) if key else tr("All")

    def _text(self, value: Any) -> str:
        return tr("blank") if value is None else format_one(value, "0" if type(value) is int else None, self._customs)


class CheckTotalsDialog(QDialog):
    """Lets columns be chosen for rows and columns, and a measure; the totals follow at once. With a column that is
    `crossed`, it begins with how many rows have each of its values and of another column's. `titles` are what readers
    see of the columns."""

    made = pyqtSignal(object)

    def __init__(
        self,
        rows: Rows,
        titles: Sequence[str],
        format_locale: FormatLocale,
        worker: Worker,
        parent: QWidget | None = None,
        crossed: str | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Check totals of {query}").format(query=rows.query))
        self.resize(860, 560)
        self._shown, self._customs, self._worker = rows, format_locale, worker
        self._titles = dict(zip(rows.names, titles, strict=True))
        texts = [n for n, kind in zip(rows.names, rows.types, strict=True) if not kind.is_number] or list(rows.names)
        days = [n for n, kind in zip(rows.names, rows.types, strict=True) if kind.kind == "date" and n != texts[0]]
        numbers = [n for n, kind in zip(rows.names, rows.types, strict=True) if kind.is_number]
        self.down = self._box(texts[0] if texts else "")
        self.deeper = self._box("")
        self.across = self._box(days[0] if days else "")
        self.measure = self._box(numbers[-1] if numbers else rows.names[0], needed=True)
        self.total = QComboBox()
        for key, text in TOTALS.items():
            self.total.addItem(tr(text), key)
        self.total.setCurrentIndex(self.total.findData("sum" if numbers else "count"))
        self.view = QTableView()
        self.view.setAccessibleName(tr("Totals"))
        self.view.verticalHeader().setDefaultSectionSize(25)
        self.view.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.view.horizontalHeader().setTextElideMode(Qt.TextElideMode.ElideRight)
        self.view.setWordWrap(False)
        self.message = QLabel()
        self.message.setObjectName("quiet")
        self.message.setWordWrap(True)
        layout = QVBoxLayout(self)
        layout.addLayout(self._choices())
        layout.addWidget(self.view, 1)
        layout.addWidget(self.message)
        layout.addWidget(close_row(self))
        if crossed is not None:
            self._begin_with(crossed, texts)
        for box in (self.down, self.deeper, self.across, self.total, self.measure):
            box.currentIndexChanged.connect(self._ask)
        self.made.connect(self._show)
        self._ask()

    def _choices(self) -> QGridLayout:
        """What is chosen, each under its name."""
        grid = QGridLayout()
        for at, (text, box) in enumerate(
            (
                (tr("Rows"), self.down),
                (tr("Rows in each of them"), self.deeper),
                (tr("Columns"), self.across),
                (tr("Total"), self.total),
                (tr("Field"), self.measure),
            )
        ):
            label = QLabel(text)
            label.setBuddy(box)
            box.setAccessibleName(text)
            grid.addWidget(label, 0, at)
            grid.addWidget(box, 1, at)
        grid.setColumnStretch(grid.columnCount(), 1)
        return grid

    def _box(self, chosen: str, needed: bool = False) -> QComboBox:
        box = QComboBox()
        if not needed:
            box.addItem(_NOTHING, "")
        for column, title in self._titles.items():
            box.addItem(title, column)
        box.setCurrentIndex(max(box.findData(chosen), 0))
        return box

    def _begin_with(self, crossed: str, texts: list[str]) -> None:
        """Count the rows of a column's values by those of another one; what is counted is without blanks where any
        column is."""
        table = self._shown.table
        whole = [name for name in self._shown.names if not table[name].null_count]
        others = [name for name in (*texts, *self._shown.names) if name != crossed]
        chosen = ((self.down, crossed), (self.across, others[0] if others else ""), (self.total, "count"),
                  (self.measure, (whole or [crossed])[0]))  # fmt: skip
        for box, data in chosen:
            box.setCurrentIndex(max(box.findData(data), 0))

    def _ask(self) -> None:
        downs = [b.currentData() for b in (self.down, self.deeper) if b.currentData()]
        acrosses = [n for n in (self.across.currentData(),) if n and n not in downs]
        total, measure, rows = self.total.currentData(), self.measure.currentData(), self._shown

        def make(stop: CancelToken) -> object:
            return cross_totals(rows, list(dict.fromkeys(downs)), acrosses, total, measure, stop)

        self._worker.run_task(make, self.made.emit)

    def _show(self, found: object) -> None:
        if isinstance(found, CrossTable):
            self.view.setModel(CrossTotalsModel(found, self._customs))
            self.view.resizeColumnsToContents()
            self._say(
                tr("Rows: {rows:,}, columns: {columns:,}. A dash means that there are no such rows.").format(
                    rows=len(found.rows), columns=len(found.columns)
                ),
                "quiet",
            )
        else:
            self._say(core_text(found), "fault")

    def _say(self, text: str, kind: str) -> None:
        set_style_name(self.message, kind)
        self.message.setText(text)
