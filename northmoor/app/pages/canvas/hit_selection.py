"""Which part of an edition a place on a page shows, and which places show a part."""

from html import escape

from northmoor.app.document_controller import Selection
from northmoor.app.language.translation import tr
from northmoor.core.layout.page.hit_testing import HitRegion
from northmoor.core.model.blocks.block_types import BLOCK_TYPES
from northmoor.core.model.blocks.tree import JOINT

LONGEST_ADDRESS = 200
_KINDS_DRAWN = tuple(kind.name for kind in BLOCK_TYPES if kind.is_drawn)
"""Blocks that are drawn as one thing."""


def selection_of(region: HitRegion) -> Selection:
    """The part of the edition that a spot shows."""
    if region.part == "grid-cell":
        return Selection("grid-cell", region.block, number=region.number)
    if region.part == "item":
        return Selection(region.row, region.block)
    if region.block in ("header", "footer"):
        return Selection(region.row, region.block, column=region.column)
    if region.row in ("text", "picture", "contents", *_KINDS_DRAWN):
        return Selection(region.row, region.block)
    if region.part == "chart" and region.under is not None:
        return Selection("chart", region.block, region.keys[1], region.own_level, region.under, region.keys[2])
    if region.part == "chart":
        return Selection(region.row, region.block, column=region.column)
    if region.part == "matrix" or region.row in ("fault", "empty"):
        return Selection("matrix" if region.part == "matrix" else "table", region.block)
    if region.part in ("measure", "level"):
        level, measure = (region.column, None) if region.part == "level" else (None, region.column)
        return Selection(region.part, region.block, level=level, column=measure)
    if region.column is None:
        return Selection("row", region.block, region.row, region.own_level, None, region.number)
    return Selection("cell", region.block, region.row, region.own_level, region.column, region.number)


def selects(selection: Selection, region: HitRegion) -> bool:
    """Whether a spot is an instance of what is selected."""
    if region.part == "run":
        return False  # the text that it is a run of is lit up
    if selection.kind == "include":
        return region.block.startswith(f"{selection.block}{JOINT}") and region.column is None
    if region.block != selection.block:
        return False
    if selection.kind == "level" and region.part != "level":
        return False
    if selection.kind in _KINDS_DRAWN:
        return region.row == selection.kind
    if selection.kind in ("table", "matrix") or (selection.kind == "chart" and selection.row is None):
        return region.column is None
    return selection_of(region) == selection


def link_hint(address: str) -> str:
    """What a tooltip says of a link."""
    shown = address if len(address) <= LONGEST_ADDRESS else f"{address[:LONGEST_ADDRESS]}…"
    return f"<p>{escape(shown)}</p><p>{tr('Ctrl and a click open it.')}</p>"
