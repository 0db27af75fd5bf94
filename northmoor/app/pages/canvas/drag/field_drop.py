"""Where dragged fields would go: a gap between columns, the rail lane beside a table, a total, or below a block."""

from dataclasses import dataclass

from northmoor.core.layout.page.hit_testing import HitMap, HitRegion

MIME = "application/x-northmoor-field"
_IN_MARGINS = ("header", "footer")


@dataclass(frozen=True)
class DropTarget:
    """What dropping would do: add a `column` or `level` before place `at` of a block, or a `measure` to a total's cell;
    or begin a `block` below one, or where there is none yet, or in the `cell` with number `at` of a grid.

    `x`, `top` and `bottom` (millipoints on the page) are where to show it; a new block as a line as wide as `width`.
    """

    kind: str
    block: str
    at: int
    x: int
    top: int
    bottom: int
    region: HitRegion | None = None
    width: int = 0


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
    if not 0 <= x <= page[0]:
        return None
    spot = places.region_at(x, y)
    if spot is not None and spot.part == "grid-cell":
        return DropTarget("cell", spot.block, spot.number, spot.x, spot.y, spot.y + spot.height, spot)
    return _new_block(places, spot, y, page)


def _new_block(places: HitMap, spot: HitRegion | None, y: int, page: tuple[int, int]) -> DropTarget:
    """A new block below the one at a point, or else below the last one that begins above it."""
    own = [region for region in places.regions if region.row not in _IN_MARGINS]
    if not own:
        return DropTarget("block", "", 0, page[0] // 12, page[1] // 12, page[1] // 12, width=page[0] - page[0] // 6)
    above = max((r for r in own if r.y <= y), key=lambda r: r.y + r.height, default=min(own, key=lambda r: r.y))
    block = spot.block if spot in own else above.block
    parts = [region for region in own if region.block == block]
    left, right = min(r.x for r in parts), max(r.x + r.width for r in parts)
    bottom = max(r.y + r.height for r in parts)
    return DropTarget("block", block, 0, left, bottom, bottom, width=right - left)
