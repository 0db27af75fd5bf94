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

    def addItem(self, item: QLayoutItem | None) -> None:
        """Qt's way to add an item."""
        if item is not None:
            self._items.append(item)

    def count(self) -> int:
        """How many items there are."""
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        """The item at a place."""
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        """Take the item at a place out."""
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        """It takes no more room than its lines need."""
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        """Its height follows from its width."""
        return True

    def heightForWidth(self, width: int) -> int:
        """The height of its lines at a width."""
        return self._arrange(QRect(0, 0, width, 0), place=False)

    def setGeometry(self, rect: QRect) -> None:
        """Place the widgets."""
        super().setGeometry(rect)
        self._arrange(rect, place=True)

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
            height = max(item.sizeHint().height() for item in line)
            x = room.x()
            for item in line:
                size = item.sizeHint()
                if place:
                    item.setGeometry(QRect(QPoint(x, y + (height - size.height()) // 2), size))
                x += size.width() + self._gap
            y += height + self._leading
        return y - self._leading - rect.y() + self.contentsMargins().bottom()

    def _lines(self, width: int) -> list[list[QLayoutItem]]:
        lines: list[list[QLayoutItem]] = [[]]
        used = 0
        for item in self._items:
            wanted = item.sizeHint().width()
            widget = item.widget()
            is_glued = widget is not None and bool(widget.property(GLUED))
            if lines[-1] and used + wanted > width and not is_glued:
                lines.append([])
                used = 0
            lines[-1].append(item)
            used += wanted + self._gap
        return [line for line in lines if line]
