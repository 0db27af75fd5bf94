"""Dragging blocks from one cell of a grid to another: what is lifted, and the cell that it would go to."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPoint
from PyQt6.QtGui import QColor, QPainter, QPen

from northmoor.app.pages.canvas.drag.column_width import spot_rect
from northmoor.app.pages.canvas.drag.protocol import SLACK, PageView
from northmoor.app.widgets.theme import MARK
from northmoor.core.layout.page.hit_testing import HitMap, HitRegion
from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.containers import GridBlock
from northmoor.core.model.blocks.tree import walk
from northmoor.core.model.edits import Target


def grid_block_at(blocks: Sequence[Block], region: HitRegion | None) -> str | None:
    """The block of a spot that is in a cell of a grid."""
    if region is None:
        return None
    grids = (block for block in walk(blocks) if isinstance(block, GridBlock))
    inside = {each.name for grid in grids for cell in grid.cells for each in cell.blocks}
    return region.block if region.block in inside else None


def cell_at(places: HitMap, x: int, y: int) -> HitRegion | None:
    """The innermost cell of a grid at a point."""
    found = [region for region in places.regions if region.part == "grid-cell" and region.holds(x, y)]
    return min(found, key=lambda region: region.width * region.height, default=None)


class GridCellDrag:
    """A block that is dragged out of a cell of a grid."""

    def __init__(self, view: PageView, block: str, start: QPoint, done: Callable[[str, Target], None]) -> None:
        self._view, self._block, self._start, self._done = view, block, start, done
        self._page = 0
        self._over: HitRegion | None = None

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
            color = QColor(MARK)
            painter.setPen(QPen(color, 2))
            color.setAlpha(40)
            painter.setBrush(color)
            painter.drawRect(spot_rect(self._view.page_rect(self._page), self._over, self._view.scale()))

    def drop(self) -> None:
        """Tell the cell that it was let go over."""
        assert self._over is not None  # it has moved
        self._done(self._block, Target(self._over.block, cell=self._over.number))
