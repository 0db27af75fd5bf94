"""What is drawn over a page while something is dragged on it: a column's new width, or where a field would go."""

from PyQt6.QtCore import QPoint, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from northmoor.app.pages.dropping import DropTarget
from northmoor.app.theme import HEATHER, PAGE
from northmoor.core.layout.places import Edge, Spot
from northmoor.core.model.lengths import in_millimetres

LANE = 60
"""Room beside the page for the level rails, in pixels."""


def spot_rect(page: QRect, spot: Spot, scale: float) -> QRectF:
    """Where a spot of a page is on screen."""
    return QRectF(page.left() + spot.x * scale, page.top() + spot.y * scale, spot.width * scale, spot.height * scale)


def draw_width(painter: QPainter, page: QRect, edge: Edge, delta: int, scale: float) -> None:
    """Show how wide a column would become."""
    x = round(page.left() + (edge.x + delta) * scale)
    left = round(page.left() + (edge.x - edge.width) * scale)
    top = round(page.top() + edge.top * scale)
    painter.setPen(QPen(QColor(HEATHER), 2))
    painter.drawLine(x, top, x, round(page.top() + edge.bottom * scale))
    painter.drawLine(left, top - 8, x, top - 8)
    text = f"{in_millimetres(edge.width + delta, 1)} mm"
    width = painter.fontMetrics().horizontalAdvance(text) + 14
    label = QRect((left + x - width) // 2, top - 32, width, 20)
    painter.setBrush(QColor(HEATHER))
    painter.drawRoundedRect(label, 3, 3)
    painter.setPen(QColor(PAGE))
    painter.drawText(label, Qt.AlignmentFlag.AlignCenter, text)
    painter.setBrush(Qt.BrushStyle.NoBrush)


def draw_drop(painter: QPainter, page: QRect, target: DropTarget, scale: float) -> None:
    """Show where a dragged field would go."""
    top, bottom = page.top() + round(target.top * scale), page.top() + round(target.bottom * scale)
    color = QColor(HEATHER)
    if target.kind == "level":
        color.setAlpha(70)
        painter.fillRect(QRect(QPoint(page.left() - LANE + 12, top), QPoint(page.left() - 4, bottom)), color)
    elif target.spot is not None:
        color.setAlpha(70)
        painter.fillRect(spot_rect(page, target.spot, scale), color)
    else:
        painter.setPen(QPen(color, 3))
        x = page.left() + round(target.x * scale)
        painter.drawLine(x, top, x, bottom)
