"""Dragging blocks from one cell of a grid to another: what is lifted, and the cell that it would go to."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPoint
from PyQt6.QtGui import QColor, QPainter, QPen

from northmoor.app.pages.dragging import spot_rect
from northmoor.app.pages.drags import SLACK, View
from northmoor.app.theme import HEATHER
from northmoor.core.layout.places import Places, Spot
from northmoor.core.model.block_edits import Target
from northmoor.core.model.blocks import Block, GridBlock
from northmoor.core.model.nesting import walk


def block_lifted(blocks: Sequence[Block], spot: Spot | None) -> str | None:
    """The block of a spot that stands in a cell of a grid."""
    if spot is None:
        return None
    grids = (block for block in walk(blocks) if isinstance(block, GridBlock))
    inside = {each.name for grid in grids for cell in grid.cells for each in cell.blocks}
    return spot.block if spot.block in inside else None


def cell_at(places: Places, x: int, y: int) -> Spot | None:
    """The innermost cell of a grid at a point."""
    found = [spot for spot in places.spots if spot.part == "grid-cell" and spot.holds(x, y)]
    return min(found, key=lambda spot: spot.width * spot.height, default=None)


class Lift:
    """A block that is dragged out of a cell of a grid."""

    def __init__(self, view: View, block: str, start: QPoint, done: Callable[[str, Target], None]) -> None:
        self._view, self._block, self._start, self._done = view, block, start, done
        self._page = 0
        self._over: Spot | None = None

    @property
    def has_moved(self) -> bool:
        """Whether it is over a cell."""
        return self._over is not None

    def move(self, point: QPoint, _freely: bool) -> None:
        """Follow the pointer over the cells of grids."""
        under = self._view.under(point)
        places = self._view.places(under[0]) if under is not None else None
        if (point - self._start).manhattanLength() < SLACK or under is None or places is None:
            return
        self._page, self._over = under[0], cell_at(places, *under[1:])

    def draw(self, painter: QPainter) -> None:
        """Show the cell that it would go to."""
        if self._over is not None:
            color = QColor(HEATHER)
            painter.setPen(QPen(color, 2))
            color.setAlpha(40)
            painter.setBrush(color)
            painter.drawRect(spot_rect(self._view.page_rect(self._page), self._over, self._view.scale()))

    def drop(self) -> None:
        """Tell the cell that it was let go over."""
        assert self._over is not None  # it has moved
        self._done(self._block, Target(self._over.block, cell=self._over.number))
