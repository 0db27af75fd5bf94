"""Popups beside what they are about, which stays in sight."""

from PyQt6.QtCore import QRect, Qt
from PyQt6.QtWidgets import QWidget

_GAP = 8


class BesidePopup(QWidget):
    """A popup. It closes by Esc or a click beside it."""

    def __init__(self, name: str, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("popup")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setAccessibleName(name)

    def open_beside(self, place: QRect, room: QWidget) -> None:
        """Open at the right or left of a place on the screen, within a window."""
        corner = room.mapToGlobal(room.rect().bottomRight())
        right, left = place.right() + _GAP, place.left() - _GAP - self.width()
        x = right if right + self.width() <= corner.x() or left < 0 else left
        x = max(min(x, corner.x() - self.width() - _GAP), 0)
        self.move(x, max(min(place.top(), corner.y() - self.height() - _GAP), 0))
        self.show()
