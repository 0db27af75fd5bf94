"""What is drawn over a page while something is dragged on it: a column's new width, or where a field would go."""

from collections.abc import Callable

from PyQt6.QtCore import QPoint, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from northmoor.app.language.length_unit import shown_unit
from northmoor.app.pages.canvas.drag.block_place import draw_block_place
from northmoor.app.pages.canvas.drag.field_drop import DropTarget
from northmoor.app.pages.canvas.drag.protocol import SLACK, PageView
from northmoor.app.widgets.theme import MARK, PAGE
from northmoor.core.layout.page.hit_testing import ColumnEdge, HitRegion

_NARROWEST = 8_000
LANE = 60
"""Room beside the page for the level rails, in pixels."""


def spot_rect(page: QRect, region: HitRegion, scale: float) -> QRectF:
    """Where a spot of a page is on screen."""
    return QRectF(
        page.left() + region.x * scale, page.top() + region.y * scale, region.width * scale, region.height * scale
    )


class WidthDrag:
    """The right edge of a column that was taken hold of."""

    def __init__(
        self, view: PageView, edge: ColumnEdge, page: int, start: QPoint, done: Callable[[str, str, int], None]
    ) -> None:
        self._view, self._edge, self._page, self._start, self._done = view, edge, page, start, done
        self._delta = 0

    @property
    def has_moved(self) -> bool:
        """Whether the width would change."""
        return self._delta != 0

    def move(self, point: QPoint, _freely: bool) -> None:
        """Follow the pointer; a column stays wide enough to be seen."""
        way = point.x() - self._start.x()
        if self.has_moved or abs(way) >= SLACK:
            self._delta = max(round(way / self._view.scale()), _NARROWEST - self._edge.width)

    def draw(self, painter: QPainter) -> None:
        """Show how wide the column would become."""
        _draw_width(painter, self._view.page_rect(self._page), self._edge, self._delta, self._view.scale())

    def drop(self) -> None:
        """Tell how wide it became."""
        self._done(self._edge.block, self._edge.column, self._edge.width + self._delta)


def _draw_width(painter: QPainter, page: QRect, edge: ColumnEdge, delta: int, scale: float) -> None:
    x = round(page.left() + (edge.x + delta) * scale)
    left = round(page.left() + (edge.x - edge.width) * scale)
    top = round(page.top() + edge.top * scale)
    painter.setPen(QPen(QColor(MARK), 2))
    painter.drawLine(x, top, x, round(page.top() + edge.bottom * scale))
    painter.drawLine(left, top - 8, x, top - 8)
    text = shown_unit().text(edge.width + delta)
    width = painter.fontMetrics().horizontalAdvance(text) + 14
    label = QRect((left + x - width) // 2, top - 32, width, 20)
    painter.setBrush(QColor(MARK))
    painter.drawRoundedRect(label, 3, 3)
    painter.setPen(QColor(PAGE))
    painter.drawText(label, Qt.AlignmentFlag.AlignCenter, text)
    painter.setBrush(Qt.BrushStyle.NoBrush)


def draw_drop(painter: QPainter, page: QRect, target: DropTarget, scale: float) -> None:
    """Show where dragged fields would go."""
    top, bottom = page.top() + round(target.top * scale), page.top() + round(target.bottom * scale)
    color = QColor(MARK)
    if target.place is not None:
        draw_block_place(painter, page, target.place, scale)
    elif target.kind == "level":
        color.setAlpha(70)
        painter.fillRect(QRect(QPoint(page.left() - LANE + 12, top), QPoint(page.left() - 4, bottom)), color)
    elif target.region is not None:
        color.setAlpha(70)
        painter.fillRect(spot_rect(page, target.region, scale), color)
    else:
        painter.setPen(QPen(color, 3))
        x = page.left() + round(target.x * scale)
        painter.drawLine(x, top, x, bottom)
