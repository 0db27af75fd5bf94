"""Where what is dragged would go: a gap between columns, the rail lane beside a table, a total, or below a block."""

from collections.abc import Callable

from msgspec import Struct

from northmoor.app.pages.canvas.drag.block_place import BlockPlace, block_place_at
from northmoor.core.layout.geometry import Rect
from northmoor.core.layout.page.hit_testing import HitMap, HitRegion
from northmoor.core.model.edits import Target

MIME = "application/x-northmoor-field"
TargetFinder = Callable[[HitMap, int, int, tuple[int, int]], "DropTarget | None"]
"""Finds where what is dragged would go, of a point on a page of a size, in millipoints."""


class DropTarget(Struct, frozen=True):
    """What dropping would do: add a `column` or `level` before place `at` of a block, or a `measure` to a total's cell;
    or begin a `new` block at a `place`.

    `x`, `top` and `bottom` (millipoints on the page) are where to show it.
    """

    kind: str
    block: str
    at: int
    x: int
    top: int
    bottom: int
    region: HitRegion | None = None
    place: BlockPlace | None = None


def target_at(places: HitMap, x: int, y: int, page: tuple[int, int]) -> DropTarget | None:
    """The target at a point of a page in millipoints, of the page's width and height; points left of the page's tables
    are in the rail lane."""
    total = next((s for s in places.regions if s.row == "total" and s.column is not None and s.holds(x, y)), None)
    if total is not None:
        return DropTarget("measure", total.block, 0, total.x, total.y, total.y + total.height, total)
    chart = next((s for s in places.regions if s.row == "chart" and s.holds(x, y)), None)
    if chart is not None:
        return DropTarget("column", chart.block, 0, chart.x, chart.y, chart.y + chart.height)
    rows = [s for s in places.regions if s.column is None and s.row in ("head", "heading", "detail", "total")]
    for block in dict.fromkeys(s.block for s in rows):
        own = [s for s in rows if s.block == block]
        left, right = own[0].x, own[0].x + own[0].width
        top, bottom = min(s.y for s in own), max(s.y + s.height for s in own)
        if top <= y <= bottom and x < left:
            depth = len({b.level for b in places.brackets if b.block == block})
            return DropTarget("level", block, depth, left, top, bottom)
        if top <= y <= bottom and x <= right:
            gaps = [left, *(e.x for e in places.edges if e.block == block)]
            at = min(range(len(gaps)), key=lambda n: abs(gaps[n] - x))
            return DropTarget("column", block, at, gaps[at], top, bottom)
    return new_block_at(places, x, y, page)


def new_block_at(places: HitMap, x: int, y: int, page: tuple[int, int]) -> DropTarget | None:
    """Where a block that is dropped at a point of a page would begin; None beside the page."""
    if not 0 <= x <= page[0]:
        return None
    place = block_place_at(places, x, y)
    if place is None:  # there is no block yet
        place = BlockPlace(Target(), Rect(page[0] // 12, page[1] // 12, page[0] - page[0] // 6, 0))
    return DropTarget("new", place.target.block or "", 0, x, y, y, place=place)
