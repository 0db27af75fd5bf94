"""A layout that sets widgets one after the other and breaks lines like words of a text."""

from PyQt6.QtCore import QPoint, QRect, QSize, Qt
from PyQt6.QtWidgets import QLayout, QLayoutItem, QWidget

GLUED = "glued"
"""The property of a widget that never begins a line, like a closing bracket."""


class FlowLayout(QLayout):
    """Widgets in lines, each on the middle of its line."""

    def __init__(self, parent: QWidget | None = None, gap: int = 5, leading: int = 6) -> None:
        super().__init__(parent)
        self._gap, self._leading = gap, leading
        self._items: list[QLayoutItem] = []
        self._is_placed = False
        self._sizes: list[QSize] | None = None
        self._heights: dict[int, int] = {}

    def addItem(self, item: QLayoutItem | None) -> None:
        """Qt's way to add an item."""
        if item is not None:
            self._items.append(item)
            self.invalidate()

    def count(self) -> int:
        """How many items there are."""
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        """The item at a place."""
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        """Take the item at a place out."""
        if not 0 <= index < len(self._items):
            return None
        self.invalidate()
        return self._items.pop(index)

    def expandingDirections(self) -> Qt.Orientation:
        """It takes no more room than its lines need."""
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        """Its height follows from its width."""
        return True

    def heightForWidth(self, width: int) -> int:
        """The height of its lines at a width. Qt asks for it dozens of times where a widget is added."""
        if width not in self._heights:
            self._heights[width] = self._arrange(QRect(0, 0, width, 0), place=False)
        return self._heights[width]

    def invalidate(self) -> None:
        """Measure again: an item has changed."""
        super().invalidate()
        self._is_placed = False
        self._sizes = None
        self._heights.clear()

    def setGeometry(self, rect: QRect) -> None:
        """Place the widgets, unless they are there already."""
        if rect == self.geometry() and self._is_placed:
            return
        super().setGeometry(rect)
        self._arrange(rect, place=True)
        self._is_placed = True

    def sizeHint(self) -> QSize:
        """Room for its widest item."""
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        """Room for its widest item."""
        size = QSize()
        for item in self._items:
            size = size.expandedTo(item.minimumSize())
        margins = self.contentsMargins()
        return size + QSize(margins.left() + margins.right(), margins.top() + margins.bottom())

    def _arrange(self, rect: QRect, place: bool) -> int:
        room = rect.marginsRemoved(self.contentsMargins())
        y = room.y()
        for line in self._lines(room.width()):
            height = max(size.height() for _, size in line)
            x = room.x()
            for item, size in line:
                if place:
                    item.setGeometry(QRect(QPoint(x, y + (height - size.height()) // 2), size))
                x += size.width() + self._gap
            y += height + self._leading
        return y - self._leading - rect.y() + self.contentsMargins().bottom()

    def _lines(self, width: int) -> list[list[tuple[QLayoutItem, QSize]]]:
        if self._sizes is None:
            self._sizes = [item.sizeHint() for item in self._items]
        lines: list[list[tuple[QLayoutItem, QSize]]] = [[]]
        used = 0
        for item, size in zip(self._items, self._sizes, strict=True):
            if lines[-1] and used + size.width() > width and not _is_glued(item):
                lines.append([])
                used = 0
            lines[-1].append((item, size))
            used += size.width() + self._gap
        return [line for line in lines if line]


def _is_glued(item: QLayoutItem) -> bool:
    widget = item.widget()
    return widget is not None and bool(widget.property(GLUED))
