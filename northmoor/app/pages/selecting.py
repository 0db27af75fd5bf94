"""Which part of an edition a place on a page shows, and which places show a part."""

from northmoor.app.desk import Selection
from northmoor.core.layout.places import Spot
from northmoor.core.model.nesting import JOINT

LONGEST_ADDRESS = 200
_KINDS_DRAWN = ("rule", "shape", "barcode", "readout", "grid", "frame")
"""Blocks that are drawn as one thing."""


def selection_of(spot: Spot) -> Selection:
    """The part of the edition that a spot shows."""
    if spot.part == "grid-cell":
        return Selection("grid-cell", spot.block, number=spot.number)
    if spot.part == "item":
        return Selection(spot.row, spot.block)
    if spot.block in ("header", "footer"):
        return Selection(spot.row, spot.block, column=spot.column)
    if spot.row in ("text", "picture", "contents", *_KINDS_DRAWN):
        return Selection(spot.row, spot.block)
    if spot.part == "chart" and spot.under is not None:
        return Selection("chart", spot.block, spot.keys[1], spot.own_level, spot.under, spot.keys[2])
    if spot.part == "chart":
        return Selection(spot.row, spot.block, column=spot.column)
    if spot.part == "matrix" or spot.row in ("fault", "empty"):
        return Selection("matrix" if spot.part == "matrix" else "table", spot.block)
    if spot.part in ("measure", "level"):
        level, measure = (spot.column, None) if spot.part == "level" else (None, spot.column)
        return Selection(spot.part, spot.block, level=level, column=measure)
    if spot.column is None:
        return Selection("row", spot.block, spot.row, spot.own_level, None, spot.number)
    return Selection("cell", spot.block, spot.row, spot.own_level, spot.column, spot.number)


def selects(selection: Selection, spot: Spot) -> bool:
    """Whether a spot is an instance of what is selected."""
    if spot.part == "run":
        return False  # the text that it is a run of is lit up
    if selection.kind == "include":
        return spot.block.startswith(f"{selection.block}{JOINT}") and spot.column is None
    if selection.kind == "level" and spot.part != "level":
        return False
    if selection.kind in _KINDS_DRAWN:
        return spot.row == selection.kind and spot.block == selection.block
    if selection.kind in ("table", "matrix") or (selection.kind == "chart" and selection.row is None):
        return spot.block == selection.block and spot.column is None
    return selection_of(spot) == selection


def shortened(address: str) -> str:
    """An address as a tooltip shows it."""
    return address if len(address) <= LONGEST_ADDRESS else f"{address[:LONGEST_ADDRESS]}…"
