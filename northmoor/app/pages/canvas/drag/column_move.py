"""A column that was taken hold of at its title, and goes between two others."""

from collections.abc import Callable

from PyQt6.QtCore import QPoint, QRectF
from PyQt6.QtGui import QColor, QPainter, QPen

from northmoor.app.pages.canvas.drag.column_width import spot_rect
from northmoor.app.pages.canvas.drag.protocol import SLACK, PageView
from northmoor.app.widgets.theme import MARK
from northmoor.core.layout.page.hit_testing import ColumnEdge, HitRegion


def is_title(region: HitRegion | None) -> bool:
    """Whether a spot is the title of a table's column."""
    if region is None or region.column is None or region.part != "cell":
        return False
    return (region.row, region.number) == ("head", 0)


class ColumnMoveDrag:
    """`done` gets the block, the column, and the name of the one that it goes before; empty where it goes last."""

    def __init__(
        self, view: PageView, title: HitRegion, page: int, start: QPoint, done: Callable[[str, str, str], None]
    ) -> None:
        self._view, self._title, self._page, self._start, self._done = view, title, page, start, done
        self._pointer = start
        self._gap: int | None = None

    @property
    def _edges(self) -> list[ColumnEdge]:
        """The right edges of the table's columns, from the left."""
        places = self._view.places(self._page)
        found = [edge for edge in places.edges if edge.block == self._title.block] if places is not None else []
        at_title = [edge for edge in found if edge.top <= self._title.y < edge.bottom]
        return sorted(at_title, key=lambda edge: edge.x)

    @property
    def has_moved(self) -> bool:
        """Whether the column would be elsewhere."""
        return self._gap is not None

    def move(self, point: QPoint, _freely: bool) -> None:
        """Follow the pointer to the nearest gap between columns."""
        self._pointer = point
        edges = self._edges
        if not edges or (self._gap is None and abs(point.x() - self._start.x()) < SLACK):
            return
        page = self._view.page_rect(self._page)
        x = (point.x() - page.left()) / self._view.scale()
        gaps = [edges[0].x - edges[0].width, *(edge.x for edge in edges)]
        nearest = min(range(len(gaps)), key=lambda at: abs(gaps[at] - x))
        own = next((at for at, edge in enumerate(edges) if edge.column == self._title.column), None)
        self._gap = None if own is None or nearest in (own, own + 1) else nearest

    def draw(self, painter: QPainter) -> None:
        """Show the column that goes, and the gap that it would go into."""
        page, scale, edges = self._view.page_rect(self._page), self._view.scale(), self._edges
        shade = QColor(MARK)
        shade.setAlpha(60)
        moved = spot_rect(page, self._title, scale)
        painter.fillRect(QRectF(moved).translated(self._pointer.x() - self._start.x(), 0), shade)
        if self._gap is None or not edges:
            return
        gaps = [edges[0].x - edges[0].width, *(edge.x for edge in edges)]
        x = page.left() + round(gaps[self._gap] * scale)
        top, bottom = (page.top() + round(at * scale) for at in (edges[0].top, edges[0].bottom))
        painter.setPen(QPen(QColor(MARK), 3))
        painter.drawLine(x, top, x, bottom)

    def drop(self) -> None:
        """Tell where it was let go."""
        edges = self._edges
        if self._gap is not None and self._title.column is not None and edges:
            before = edges[self._gap].column if self._gap < len(edges) else ""
            self._done(self._title.block, self._title.column, before)
