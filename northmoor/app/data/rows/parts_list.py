"""What the rows of a column are made of, as bars: values, ranges or forms, each with its number of rows."""

from collections.abc import Sequence

from msgspec import Struct
from PyQt6.QtCore import QModelIndex, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QStyledItemDelegate, QStyleOptionViewItem

from northmoor.app.language.translation import number_text, tr, tr_count
from northmoor.app.widgets.theme import HEATHER, LIT, PEAT, STONE_TEXT, ink
from northmoor.app.widgets.widget_tools import plain_tip

_PART, _SHARE, _WORDS, _COUNT = (Qt.ItemDataRole.UserRole + n for n in range(4))
_LINE, _BAR = 26, 4


class ShownPart(Struct, frozen=True):
    """Some of the rows: what they are, in words, how many, and whether they can be kept alone; `tip` says more."""

    part: object
    words: str
    count: int
    tip: str = ""
    can_be_kept: bool = True


class PartsList(QListWidget):
    """A click, or Enter, chooses a part."""

    part_chosen = pyqtSignal(object)

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setItemDelegate(_Bars(self))
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.itemClicked.connect(self._choose)
        self.itemActivated.connect(self._choose)

    def show_parts(self, parts: Sequence[ShownPart]) -> None:
        """Show parts."""
        self.clear()
        most = max((each.count for each in parts), default=0) or 1
        for each in parts:
            count = tr_count(each.count, "{count} row", "{count} rows")
            item = QListWidgetItem(f"{each.words} · {count}")
            data = ((_PART, each.part), (_SHARE, each.count / most), (_WORDS, each.words), (_COUNT, each.count))
            for role, value in data:
                item.setData(role, value)
            keep = tr("{part}: click to keep only these") if each.can_be_kept else "{part}"
            item.setToolTip(plain_tip("\n".join(filter(None, (keep.format(part=item.text()), each.tip)))))
            if not each.can_be_kept:
                item.setFlags(Qt.ItemFlag.ItemIsEnabled)
            self.addItem(item)
        self.setFixedHeight(len(parts) * _LINE + 2 * self.frameWidth())

    def _choose(self, item: QListWidgetItem) -> None:
        if item.flags() & Qt.ItemFlag.ItemIsSelectable:
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
            painter.fillRect(option.rect, ink(LIT))
        count = number_text(index.data(_COUNT))
        width = painter.fontMetrics().horizontalAdvance(count)
        lines = room.adjusted(0, 0, 0, -_BAR)
        painter.setPen(ink(PEAT))
        shown = painter.fontMetrics().elidedText(
            index.data(_WORDS), Qt.TextElideMode.ElideRight, room.width() - width - 8
        )
        painter.drawText(lines, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, shown)
        painter.setPen(ink(STONE_TEXT))
        painter.drawText(lines, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, count)
        length = max(round(index.data(_SHARE) * room.width()), 1 if index.data(_COUNT) else 0)
        painter.fillRect(QRect(room.left(), room.bottom() - _BAR + 2, length, _BAR - 1), ink(HEATHER))
        painter.restore()
