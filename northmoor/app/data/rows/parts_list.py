"""What the rows of a column are made of, as bars: values or ranges, each with its number of rows."""

from collections.abc import Callable, Sequence
from typing import Any

from PyQt6.QtCore import QModelIndex, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QStyledItemDelegate, QStyleOptionViewItem

from northmoor.app.language.translation import number_text, tr, tr_count
from northmoor.app.widgets.theme import HEATHER, LIT, PEAT, STONE_TEXT
from northmoor.app.widgets.widget_tools import plain_tip
from northmoor.core.compute.explore.profile import ProfilePart

_PART, _SHARE, _WORDS, _COUNT = (Qt.ItemDataRole.UserRole + n for n in range(4))
_LINE, _BAR = 26, 4


class PartsList(QListWidget):
    """A click, or Enter, chooses a part."""

    part_chosen = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("What is in the column"))
        self.setItemDelegate(_Bars(self))
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.itemClicked.connect(self._choose)
        self.itemActivated.connect(self._choose)

    def show_parts(self, parts: Sequence[ProfilePart], words: Callable[[Any], str]) -> None:
        """Show parts, values written by `words`."""
        self.clear()
        most = max((part.count for part in parts), default=0) or 1
        for part in parts:
            text = words(part.low)
            if part.is_range:
                text = tr("{low} to below {high}").format(low=text, high=words(part.high))
            count = tr_count(part.count, "{count} row", "{count} rows")
            item = QListWidgetItem(f"{text} · {count}")
            for role, value in ((_PART, part), (_SHARE, part.count / most), (_WORDS, text), (_COUNT, part.count)):
                item.setData(role, value)
            item.setToolTip(plain_tip(tr("{part}: click to keep only these").format(part=item.text())))
            self.addItem(item)
        self.setFixedHeight(len(parts) * _LINE + 2 * self.frameWidth())

    def _choose(self, item: QListWidgetItem) -> None:
        self.part_chosen.emit(item.data(_PART))


class _Bars(QStyledItemDelegate):
    """Draws a part: its words, its number of rows, and a bar as long as its share of the largest."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(super().sizeHint(option, index).width(), _LINE)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        if painter is None:
            return
        painter.save()
        room = option.rect.adjusted(6, 2, -6, -2)
        if option.state & (option.state.State_MouseOver | option.state.State_HasFocus):
            painter.fillRect(option.rect, QColor(LIT))
        count = number_text(index.data(_COUNT))
        width = painter.fontMetrics().horizontalAdvance(count)
        lines = room.adjusted(0, 0, 0, -_BAR)
        painter.setPen(QColor(PEAT))
        shown = painter.fontMetrics().elidedText(
            index.data(_WORDS), Qt.TextElideMode.ElideRight, room.width() - width - 8
        )
        painter.drawText(lines, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, shown)
        painter.setPen(QColor(STONE_TEXT))
        painter.drawText(lines, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, count)
        length = max(round(index.data(_SHARE) * room.width()), 1 if index.data(_COUNT) else 0)
        painter.fillRect(QRect(room.left(), room.bottom() - _BAR + 2, length, _BAR - 1), QColor(HEATHER))
        painter.restore()
