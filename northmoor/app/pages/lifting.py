"""Dragging blocks from one cell of a grid to another: what is lifted, and the cell that it would go to."""

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QPoint, QRect
from PyQt6.QtGui import QColor, QPainter, QPen

from northmoor.app.pages.dragging import spot_rect
from northmoor.app.theme import HEATHER
from northmoor.core.layout.places import Places, Spot
from northmoor.core.model.blocks import Block, GridBlock
from northmoor.core.model.nesting import walk


@dataclass(frozen=True)
class Lift:
    """A block that is dragged out of a cell, where the pointer began, the page it is over, and the cell there."""

    block: str
    start: QPoint
    page: int = 0
    over: Spot | None = None


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


def draw_lift(painter: QPainter, page: QRect, lift: Lift, scale: float) -> None:
    """Show the cell that what is dragged would go to."""
    if lift.over is not None:
        color = QColor(HEATHER)
        painter.setPen(QPen(color, 2))
        color.setAlpha(40)
        painter.setBrush(color)
        painter.drawRect(spot_rect(page, lift.over, scale))
