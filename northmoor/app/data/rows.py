"""A query's rows as a table: columns come straight from Arrow, cells are made only when they are looked at."""

from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PyQt6.QtGui import QColor

from northmoor.app.theme import STONE_TEXT
from northmoor.core.expr.formats import Customs, format_one
from northmoor.core.sources.fetch import Rows


class RowsModel(QAbstractTableModel):
    """The rows of a query for a table view, all of them as they came or those of a look."""

    def __init__(self, rows: Rows, customs: Customs) -> None:
        super().__init__()
        self.rows = rows
        self._customs = customs
        self._seen: Any = None

    def see(self, numbers: Any) -> None:
        """Show the rows of these numbers, in this order; None for all as they came."""
        self.beginResetModel()
        self._seen = numbers
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        """How many rows there are."""
        if parent is not None and parent.isValid():
            return 0
        return self.rows.table.num_rows if self._seen is None else len(self._seen)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        """How many columns there are."""
        return 0 if parent is not None and parent.isValid() else self.rows.table.num_columns

    def number(self, row: int) -> int:
        """The number of a shown row among all, from 0."""
        return row if self._seen is None else int(self._seen[row])

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """A cell's text, alignment or colour; blanks are shown as such."""
        kind = self.rows.types[index.column()]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignRight if kind.is_number else Qt.AlignmentFlag.AlignLeft
            return side | Qt.AlignmentFlag.AlignVCenter
        if role not in (
            Qt.ItemDataRole.DisplayRole,
            Qt.ItemDataRole.ForegroundRole,
            Qt.ItemDataRole.ToolTipRole,
        ):
            return None
        value = self.rows.table.column(index.column())[self.number(index.row())].as_py()
        if role == Qt.ItemDataRole.ForegroundRole:
            return QColor(STONE_TEXT) if value is None else None
        if value is None:
            return "blank"
        text = format_one(value, "0" if kind.kind == "integer" else None, self._customs)
        return text if role == Qt.ItemDataRole.DisplayRole or len(text) > 40 else None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Column names, and row numbers."""
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        return f"{section + 1:,}" if orientation == Qt.Orientation.Vertical else self.rows.names[section]
