"""A block that was taken hold of, and goes between others, beside one, or into a cell of a grid."""

from collections.abc import Callable, Collection, Sequence

from PyQt6.QtCore import QPoint
from PyQt6.QtGui import QPainter

from northmoor.app.pages.canvas.drag.block_place import BlockPlace, block_place_at, draw_block_place
from northmoor.app.pages.canvas.drag.protocol import SLACK, PageView
from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.containers import GridBlock
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.blocks.tree import items_of, walk
from northmoor.core.model.edits import Target


class BlockMoveDrag:
    """`moved` are the block and those in it; `done` gets the block and where it goes."""

    def __init__(
        self,
        view: PageView,
        block: str,
        moved: Collection[str],
        start: QPoint,
        done: Callable[[str, Target], None],
    ) -> None:
        self._view, self._block, self._moved, self._start, self._done = view, block, moved, start, done
        self._page = 0
        self._place: BlockPlace | None = None

    @property
    def has_moved(self) -> bool:
        """Whether it would go anywhere else."""
        return self._place is not None

    def move(self, point: QPoint, _freely: bool) -> None:
        """Follow the pointer to the nearest place."""
        under = self._view.under(point)
        places = self._view.places(under[0]) if under is not None else None
        if not self.has_moved and (point - self._start).manhattanLength() < SLACK:
            return
        self._place = None
        if under is not None and places is not None:
            self._page, self._place = under[0], block_place_at(places, *under[1:], self._moved)

    def draw(self, painter: QPainter) -> None:
        """Show where it would go."""
        if self._place is not None:
            draw_block_place(painter, self._view.page_rect(self._page), self._place, self._view.scale())

    def drop(self) -> None:
        """Tell where it was let go."""
        assert self._place is not None  # it has moved
        self._done(self._block, self._place.target)


def lifted(
    view: PageView,
    blocks: Sequence[Block],
    name: str,
    start: QPoint,
    done: Callable[[str, Target], None],
    by_handle: bool = False,
) -> BlockMoveDrag | None:
    """What begins when a block of an edition is taken hold of. Items of frames move within them. Outside of grids a
    table or matrix moves by its handle alone: its cells are what a press is for."""
    block = next((each for each in walk(blocks) if each.name == name), None)
    has_cells = isinstance(block, TableBlock | MatrixBlock)
    if block is None or items_of(blocks, [name]) is not None:
        return None
    if has_cells and not by_handle and not _is_in_grid(blocks, name):
        return None
    return BlockMoveDrag(view, name, [each.name for each in walk((block,))], start, done)


def _is_in_grid(blocks: Sequence[Block], name: str) -> bool:
    grids = (block for block in walk(blocks) if isinstance(block, GridBlock))
    return any(each.name == name for grid in grids for cell in grid.cells for each in cell.blocks)
