"""Headings of sections, hairlines between them, and what an empty panel says: what belongs there and how to get it."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QAbstractItemView, QFrame, QLabel

from northmoor.app.widgets.theme import STONE_TEXT, ink


def section(text: str) -> QLabel:
    """A heading."""
    label = QLabel(text)
    label.setObjectName("section")
    label.setTextFormat(Qt.TextFormat.PlainText)
    return label


def line() -> QFrame:
    """A hairline between parts."""
    rule = QFrame()
    rule.setObjectName("hairline")
    rule.setFixedHeight(1)
    return rule


def draw_hint(view: QAbstractItemView, text: str) -> None:
    """Write a text into an item view's empty area, when the view has nothing to show; call it after painting."""
    model = view.model()
    if model is not None and model.rowCount() > 0:
        return
    viewport = view.viewport()
    painter = QPainter(viewport)
    painter.setPen(ink(STONE_TEXT))
    room = viewport.rect().adjusted(12, 10, -12, -8)
    painter.drawText(room, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap, text)
    painter.end()
