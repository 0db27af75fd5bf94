"""Where a block that is let go over a page would go: a line between blocks, or a cell of a grid."""

from collections.abc import Collection

from msgspec import Struct
from PyQt6.QtCore import QPointF, QRect, QRectF
from PyQt6.QtGui import QColor, QPainter, QPen

from northmoor.app.widgets.theme import MARK
from northmoor.core.layout.geometry import Rect
from northmoor.core.layout.page.hit_testing import HitMap, HitRegion
from northmoor.core.model.blocks.tree import JOINT
from northmoor.core.model.edits import Target

_IN_MARGINS = ("header", "footer")
_SIDE = 8
"""A block goes beside another one where it is let go over the last eighth of that one's width."""


class BlockPlace(Struct, frozen=True):
    """A place in the edition, and the area that shows it on the page, in millipoints: that of a cell, or a line, which
    has no height above and below a block and no width beside it."""

    target: Target
    area: Rect


def block_place_at(places: HitMap, x: int, y: int, moved: Collection[str] = ()) -> BlockPlace | None:
    """The place at a point of a page, before or after one of its blocks; None where there are none but those that are
    moved."""
    cell = _cell_at(places, x, y)
    own = [region for region in places.regions if region.row not in _IN_MARGINS and region.part != "run"]
    owners = _owners(own)
    areas = _areas(own, owners, moved)
    found = {name: area for name, area in areas.items() if _holds(area, x, y)}
    if cell is not None and not any(_is_in(area, _area(cell)) for area in found.values()):
        return BlockPlace(Target(cell.block, cell=cell.number), _area(cell)) if cell.block not in moved else None
    if found:
        name = min(found, key=lambda each: found[each].width * found[each].height)
        return _around(name, areas[name], x, y)
    if not areas:
        return None
    above = [name for name, area in areas.items() if area.y + area.height <= y]
    if not above:
        first = min(areas, key=lambda each: areas[each].y)
        return BlockPlace(Target(first, "before"), _line(areas[first], areas[first].y))
    last = max(above, key=lambda each: areas[each].y + areas[each].height)
    return BlockPlace(Target(last), _line(areas[last], areas[last].y + areas[last].height))


def draw_block_place(painter: QPainter, page: QRect, place: BlockPlace, scale: float) -> None:
    """Show where a block would go."""
    area, color = place.area, QColor(MARK)
    left, top = page.left() + area.x * scale, page.top() + area.y * scale
    if area.width and area.height:
        painter.setPen(QPen(color, 2))
        color.setAlpha(50)
        painter.fillRect(QRectF(left, top, area.width * scale, area.height * scale), color)
        painter.drawRect(QRectF(left, top, area.width * scale, area.height * scale))
        return
    painter.setPen(QPen(color, 3))
    painter.drawLine(QPointF(left, top), QPointF(left + area.width * scale, top + area.height * scale))


def _cell_at(places: HitMap, x: int, y: int) -> HitRegion | None:
    """The innermost cell of a grid at a point."""
    found = [region for region in places.regions if region.part == "grid-cell" and region.holds(x, y)]
    return min(found, key=lambda region: region.width * region.height, default=None)


def _owners(regions: Collection[HitRegion]) -> dict[str, str]:
    """What is in a frame is placed with its frame."""
    return {region.block: region.under for region in regions if region.part == "item" and region.under is not None}


def _areas(regions: Collection[HitRegion], owners: dict[str, str], moved: Collection[str]) -> dict[str, Rect]:
    """How far each block reaches on the page; what is included as a whole."""
    found: dict[str, Rect] = {}
    for region in regions:
        if region.part == "grid-cell":
            continue  # grids are where their cells' blocks are
        name = owners.get(region.block, region.block).partition(JOINT)[0]
        if name not in moved and region.block not in moved:
            found[name] = _together(found[name], _area(region)) if name in found else _area(region)
    return found


def _around(name: str, area: Rect, x: int, y: int) -> BlockPlace:
    if x > area.x + area.width - area.width // _SIDE:
        return BlockPlace(Target(name, "beside"), Rect(area.x + area.width, area.y, 0, area.height))
    if y < area.y + area.height // 2:
        return BlockPlace(Target(name, "before"), _line(area, area.y))
    return BlockPlace(Target(name), _line(area, area.y + area.height))


def _line(area: Rect, y: int) -> Rect:
    return Rect(area.x, y, area.width, 0)


def _area(region: HitRegion) -> Rect:
    return Rect(region.x, region.y, region.width, region.height)


def _together(one: Rect, other: Rect) -> Rect:
    left, top = min(one.x, other.x), min(one.y, other.y)
    right, bottom = (max(a + b, c + d) for a, b, c, d in (
        (one.x, one.width, other.x, other.width), (one.y, one.height, other.y, other.height)))  # fmt: skip
    return Rect(left, top, right - left, bottom - top)


def _holds(area: Rect, x: int, y: int) -> bool:
    return area.x <= x < area.x + area.width and area.y <= y < area.y + area.height


def _is_in(area: Rect, outer: Rect) -> bool:
    return area.y >= outer.y and area.y + area.height <= outer.y + outer.height and area.x >= outer.x
