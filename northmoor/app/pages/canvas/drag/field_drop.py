"""Where a dragged field would go: a gap between columns, the rail lane beside a table, or a total."""

from dataclasses import dataclass

from northmoor.core.layout.page.hit_testing import HitMap, HitRegion

MIME = "application/x-northmoor-field"


@dataclass(frozen=True)
class DropTarget:
    """What dropping would do: add a `column` or `level` before place `at` of a block, or a `measure` to a total's cell.

    `x`, `top` and `bottom` (millipoints on the page) are where to show it.
    """

    kind: str
    block: str
    at: int
    x: int
    top: int
    bottom: int
    region: HitRegion | None = None


def target_at(places: HitMap, x: int, y: int) -> DropTarget | None:
    """The target at a point of a page in millipoints; points left of the page's tables are in the rail lane."""
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
    return None
