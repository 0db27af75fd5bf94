"""What an empty panel says: what belongs there and how to get it."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QAbstractItemView

from northmoor.app.widgets.theme import STONE_TEXT


def draw_hint(view: QAbstractItemView, text: str) -> None:
    """Write a text into an item view's empty area, when the view has nothing to show; call it after painting."""
    model = view.model()
    if model is not None and model.rowCount() > 0:
        return
    viewport = view.viewport()
    painter = QPainter(viewport)
    painter.setPen(QColor(STONE_TEXT))
    room = viewport.rect().adjusted(12, 10, -12, -8)
    painter.drawText(room, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap, text)
    painter.end()
