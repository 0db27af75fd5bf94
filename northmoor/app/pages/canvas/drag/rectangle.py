"""A rectangle that is drawn from a free place of a page: the blocks that it touches are chosen together."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from northmoor.app.pages.canvas.drag.protocol import SLACK, PageView
from northmoor.app.widgets.theme import MARK
from northmoor.core.layout.page.hit_testing import HitRegion

_FURNITURE = ("header", "footer")


class RectangleDrag:
    """The rectangle; `done` gets the names of the blocks, in the order in which they are on the page."""

    def __init__(self, view: PageView, page: int, start: QPoint, done: Callable[[Sequence[str]], object]) -> None:
        self._view, self._page, self._start, self._done = view, page, start, done
        self._end = start

    @property
    def has_moved(self) -> bool:
        """Whether there is a rectangle."""
        return (self._end - self._start).manhattanLength() >= SLACK

    @property
    def _box(self) -> QRect:
        """The rectangle on the screen."""
        return QRect(self._start, self._end).normalized()

    def move(self, point: QPoint, _freely: bool) -> None:
        """Follow the pointer."""
        self._end = point

    def draw(self, painter: QPainter) -> None:
        """Show the rectangle."""
        ground = QColor(MARK)
        ground.setAlpha(28)
        painter.fillRect(self._box, ground)
        painter.setPen(QPen(QColor(MARK), 1, Qt.PenStyle.DashLine))
        painter.drawRect(self._box)

    def drop(self) -> None:
        """Tell which blocks it touches."""
        places = self._view.places(self._page)
        regions = places.regions if places is not None else ()
        self._done(list(dict.fromkeys(each.block for each in regions if self._touches(each))))

    def _touches(self, region: HitRegion) -> bool:
        if region.block in _FURNITURE or region.part == "grid-cell":
            return False
        page, scale = self._view.page_rect(self._page), self._view.scale()
        x, y = page.left() + region.x * scale, page.top() + region.y * scale
        return self._box.intersects(
            QRect(round(x), round(y), round(region.width * scale), round(region.height * scale))
        )
