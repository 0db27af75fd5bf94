"""A query's rows as a table: columns come straight from Arrow, cells are written in blocks where they are looked at."""

from collections import OrderedDict
from collections.abc import Sequence
from typing import Any

import pyarrow.compute as pc
from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt

from northmoor.app.language.translation import number_text, tr
from northmoor.app.widgets.theme import STONE_TEXT, ink
from northmoor.core.engine.rows import Rows
from northmoor.core.expr.formats import FormatLocale, format_values

_BLOCK = 64
"""Rows of a column that are written as text at once."""
_MOST_BLOCKS = 512


class RowsModel(QAbstractTableModel):
    """The rows of a query for a table view, all of them as they came or those of a look; `titles` are what readers
    see of its columns."""

    def __init__(self, rows: Rows, format_locale: FormatLocale, titles: Sequence[str] | None = None) -> None:
        super().__init__()
        self.rows = rows
        self.titles = rows.names if titles is None else titles
        self._customs = format_locale
        self._seen: Any = None
        self._blocks: OrderedDict[tuple[int, int], list[str | None]] = OrderedDict()

    def apply_filter(self, numbers: Any) -> None:
        """Show the rows of these numbers, in this order; None for all as they came."""
        self.beginResetModel()
        self._seen = numbers
        self._blocks.clear()
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
        text = self._text(index.row(), index.column())
        if role == Qt.ItemDataRole.ForegroundRole:
            return ink(STONE_TEXT) if text is None else None
        if text is None:
            return tr("blank")
        return text if role == Qt.ItemDataRole.DisplayRole or len(text) > 40 else None

    def _text(self, row: int, column: int) -> str | None:
        """A cell's text, None for a blank; the cells around it are written along with it."""
        key = (row // _BLOCK, column)
        if key not in self._blocks:
            self._blocks[key] = self._written(*key)
            if len(self._blocks) > _MOST_BLOCKS:
                self._blocks.popitem(last=False)
        return self._blocks[key][row % _BLOCK]

    def _written(self, block: int, column: int) -> list[str | None]:
        start = block * _BLOCK
        values = self.rows.table.column(column)
        part = values.slice(start, _BLOCK) if self._seen is None else values.take(self._seen[start : start + _BLOCK])
        pattern = "0" if self.rows.types[column].kind == "integer" else None
        texts = format_values(part.combine_chunks(), pattern, self._customs)
        written: list[str | None] = pc.if_else(pc.is_null(part), None, texts).to_pylist()
        return written

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Titles of columns, with their names in the tooltip, and row numbers."""
        if orientation == Qt.Orientation.Vertical:
            return number_text(section + 1) if role == Qt.ItemDataRole.DisplayRole else None
        if role == Qt.ItemDataRole.DisplayRole:
            return self.titles[section]
        return self.rows.names[section] if role == Qt.ItemDataRole.ToolTipRole else None
