"""The rail of a level that was taken hold of, and goes to the place of another: its level moves outward or inward."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPoint
from PyQt6.QtGui import QColor, QPainter, QPen

from northmoor.app.pages.canvas.drag.protocol import SLACK, PageView
from northmoor.app.pages.canvas.level_rails import MOST_RAILS, STEP, rail_x
from northmoor.app.widgets.theme import RAILS, ink
from northmoor.core.layout.page.hit_testing import GroupBracket


class RailMoveDrag:
    """`done` gets the block, the level, and by how many levels it goes inward (outward where negative)."""

    def __init__(
        self, view: PageView, bracket: GroupBracket, page: int, start: QPoint, done: Callable[[str, str, int], None]
    ) -> None:
        self._view, self._bracket, self._page, self._start, self._done = view, bracket, page, start, done
        self._pointer, self._to = start, bracket.depth

    @property
    def _brackets(self) -> Sequence[GroupBracket]:
        """The brackets of the page, with those of other blocks: rails have their places among all of them."""
        places = self._view.places(self._page)
        return places.brackets if places is not None else ()

    @property
    def has_moved(self) -> bool:
        """Whether the level would be elsewhere."""
        return self._to != self._bracket.depth

    def move(self, point: QPoint, _freely: bool) -> None:
        """Follow the pointer to the nearest rail of the block."""
        self._pointer = point
        if not self.has_moved and abs(point.x() - self._start.x()) < SLACK:
            return
        page, brackets = self._view.page_rect(self._page), self._brackets
        depths = 1 + max((each.depth for each in brackets), default=0)
        own = sorted({each.depth for each in brackets if each.block == self._bracket.block})[:MOST_RAILS]
        self._to = min(own, key=lambda depth: abs(rail_x(page, depth, depths) - point.x()), default=self._bracket.depth)

    def draw(self, painter: QPainter) -> None:
        """Show the rail on its way, and light up the one whose place it takes."""
        page, scale, bracket = self._view.page_rect(self._page), self._view.scale(), self._bracket
        color = ink(RAILS[bracket.depth % len(RAILS)])
        top, bottom = (page.top() + round(at * scale) for at in (bracket.top, bracket.bottom))
        if self.has_moved:
            depths = 1 + max(each.depth for each in self._brackets)
            shade = QColor(color)
            shade.setAlpha(50)
            painter.fillRect(rail_x(page, self._to, depths) - STEP // 2, top, STEP, bottom - top, shade)
        painter.setPen(QPen(color, 3))
        painter.drawLine(self._pointer.x(), top, self._pointer.x(), bottom)

    def drop(self) -> None:
        """Tell where it was let go."""
        self._done(self._bracket.block, self._bracket.level, self._to - self._bracket.depth)
