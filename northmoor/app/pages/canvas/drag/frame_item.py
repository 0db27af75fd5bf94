"""Dragging what is in frames: what is taken hold of, where it goes, and what it is drawn to on the way.

Lengths are millipoints on the page; the canvas turns them into pixels.
"""

from collections.abc import Callable, Iterable, Iterator, Sequence

from msgspec import Struct
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from northmoor.app.language.length_unit import shown_unit
from northmoor.app.pages.canvas.drag.protocol import SLACK, PageView
from northmoor.app.widgets.theme import GUIDE, MARK, PAGE
from northmoor.core.base.replace import replace
from northmoor.core.layout.page.hit_testing import HitMap, HitRegion
from northmoor.core.model.blocks.containers import FrameBlock
from northmoor.core.model.edits.frame_edits import with_group_members

_EDGE = 5
"""How near the pointer must be to an item's edge to take hold of it, in pixels."""
_PULL = 6
"""How near an item must come to a line to be drawn to it, in pixels."""
_LEAST = 3_000
ARROWS = {
    Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1),
}  # fmt: skip
POINTERS = {
    "": Qt.CursorShape.SizeAllCursor, "r": Qt.CursorShape.SizeHorCursor, "b": Qt.CursorShape.SizeVerCursor,
    "rb": Qt.CursorShape.SizeFDiagCursor,
}  # fmt: skip
"""The pointer over an item of a frame, by the edges that a press would hold."""


class ItemBox(Struct, frozen=True):
    """A rectangle on the page."""

    x: int
    y: int
    width: int
    height: int

    def moved(self, across: int, down: int) -> "ItemBox":
        """The same elsewhere."""
        return ItemBox(self.x + across, self.y + down, self.width, self.height)

    @property
    def right(self) -> int:
        """Its right edge."""
        return self.x + self.width

    @property
    def bottom(self) -> int:
        """Its lower edge."""
        return self.y + self.height


class FrameItemGrip(Struct, frozen=True):
    """An item that was taken hold of: its frame and number, the page, where it and the frame lie, the other items, and
    which of its edges are held (r and b; none for all of it)."""

    frame: FrameBlock
    number: int
    page: int
    box: ItemBox
    ground: ItemBox
    others: tuple[ItemBox, ...]
    edges: str
    box_now: ItemBox
    lines: tuple[tuple[str, int], ...] = ()
    """The lines that it is drawn to: x or y, and where."""


def grip_at(
    places: HitMap, frames: Sequence[FrameBlock], page: int, x: int, y: int, scale: float
) -> FrameItemGrip | None:
    """What a press at a point takes hold of: the item in front. Locked items are not."""
    near = round(_EDGE / scale)
    for region in reversed(places.regions):
        frame = next((each for each in frames if region.part == "item" and each.name == region.under), None)
        if frame is None or region.number >= len(frame.items) or frame.items[region.number].locked:
            continue
        own = box_of(region)
        wide = ItemBox(own.x, own.y, own.width + near, own.height + near)
        if not (wide.x <= x < wide.right and wide.y <= y < wide.bottom):
            continue
        ground = _frame_box(places, frame.name, own)
        moving = with_group_members(frame, [region.number])
        others = tuple(
            box_of(each)
            for each in places.regions
            if each.part == "item"
            and each.under == frame.name
            and each.number not in moving
            and _frame_box(places, frame.name, box_of(each)) == ground
        )
        edges = "r" * (abs(x - own.right) <= near) + "b" * (abs(y - own.bottom) <= near)
        return FrameItemGrip(frame, region.number, page, own, ground, others, edges, own)
    return None


def extents_of(places: Iterable[HitMap], frame: str) -> dict[int, tuple[int, int]]:
    """Width and height of a frame's items, by their numbers, where they first are."""
    found: dict[int, tuple[int, int]] = {}
    for each in places:
        for region in each.regions:
            if region.part == "item" and region.under == frame:
                found.setdefault(region.number, (region.width, region.height))
    return found


def box_of(region: HitRegion) -> ItemBox:
    """Where a spot is."""
    return ItemBox(region.x, region.y, region.width, region.height)


def _frame_box(places: HitMap, frame: str, item: ItemBox) -> ItemBox:
    """The frame that an item is in; the same frame may be on a page several times."""
    grounds = [
        box_of(region)
        for region in places.regions
        if region.row == "frame" and region.block == frame and region.part != "item"
    ]
    holding = [g for g in grounds if g.x <= item.x <= g.right and g.y <= item.y <= g.bottom]
    return (holding or grounds or [item])[0]


def snapped_position(grip: FrameItemGrip, across: int, down: int, scale: float, freely: bool) -> FrameItemGrip:
    """What is held, after the pointer went so far; drawn to lines nearby unless it goes freely."""
    start = grip.box
    if grip.edges:
        width = start.width + (across if "r" in grip.edges else 0)
        height = start.height + (down if "b" in grip.edges else 0)
        box = ItemBox(start.x, start.y, max(width, _LEAST), max(height, _LEAST))
        at_x, at_y = ("right",) * ("r" in grip.edges), ("bottom",) * ("b" in grip.edges)
    else:
        box = start.moved(max(across, grip.ground.x - start.x), max(down, grip.ground.y - start.y))
        at_x, at_y = ("x", "middle", "right"), ("y", "middle", "bottom")
    if freely:
        return replace(grip, box_now=box, lines=())
    pull = round(_PULL / scale)
    shift_x, line_x = _nearest_line(
        [_across(box, at) for at in at_x], _snap_lines(grip, False), grip.frame.step, grip.ground.x, pull
    )
    shift_y, line_y = _nearest_line(
        [_down(box, at) for at in at_y], _snap_lines(grip, True), grip.frame.step, grip.ground.y, pull
    )
    if grip.edges:
        box = ItemBox(box.x, box.y, max(box.width + shift_x, _LEAST), max(box.height + shift_y, _LEAST))
    else:
        box = box.moved(shift_x, shift_y)
    lines = [("x", line_x)] * (line_x is not None) + [("y", line_y)] * (line_y is not None)
    return replace(grip, box_now=box, lines=tuple((axis, at) for axis, at in lines if at is not None))


def _across(box: ItemBox, at: str) -> int:
    return {"x": box.x, "middle": box.x + box.width // 2, "right": box.right}[at]


def _down(box: ItemBox, at: str) -> int:
    return {"y": box.y, "middle": box.y + box.height // 2, "bottom": box.bottom}[at]


def _snap_lines(grip: FrameItemGrip, down: bool) -> list[int]:
    """Where edges and middles of the frame and of other items are, and the guides."""
    place = _down if down else _across
    names = ("y", "middle", "bottom") if down else ("x", "middle", "right")
    guides = grip.frame.guides_down if down else grip.frame.guides_across
    begin = grip.ground.y if down else grip.ground.x
    return [place(box, name) for box in (grip.ground, *grip.others) for name in names] + [begin + at for at in guides]


def _nearest_line(places: list[int], lines: list[int], step: int, begin: int, pull: int) -> tuple[int, int | None]:
    """How far to go so that one of some places comes onto a line nearby, and which; edges before the frame's grid."""
    best = min(((line - at, line) for at in places for line in lines), key=lambda each: abs(each[0]), default=None)
    if best is not None and abs(best[0]) <= pull:
        return best
    if step and places:
        first = places[0]
        nearest = begin + round((first - begin) / step) * step
        if abs(nearest - first) <= pull:
            return nearest - first, None
    return 0, None


def snap(place: int, lines: list[int], step: int, scale: float) -> int:
    """How far to go from a place to a line nearby, or to one of so many steps."""
    return _nearest_line([place], lines, step, 0, round(_PULL / scale))[0]


class ItemDrag:
    """An item of a frame that was taken hold of."""

    def __init__(
        self, view: PageView, grip: FrameItemGrip, start: QPoint, done: Callable[[FrameItemGrip], None]
    ) -> None:
        self._view, self._grip, self._start, self._done = view, grip, start, done

    @property
    def has_moved(self) -> bool:
        """Whether it would go anywhere else."""
        return self._grip.box_now != self._grip.box

    def move(self, point: QPoint, freely: bool) -> None:
        """Follow the pointer; near a line, go there."""
        way, scale = point - self._start, self._view.scale()
        if self.has_moved or way.manhattanLength() >= SLACK:
            self._grip = snapped_position(self._grip, round(way.x() / scale), round(way.y() / scale), scale, freely)

    def draw(self, painter: QPainter) -> None:
        """Show where it would go."""
        if self.has_moved:
            page = self._view.page_rect(self._grip.page)
            draw_grip(painter, self._grip, page.left(), page.top(), self._view.scale())

    def drop(self) -> None:
        """Tell where it was let go."""
        self._done(self._grip)


def draw_grip(painter: QPainter, grip: FrameItemGrip, left: float, top: float, scale: float) -> None:
    """Draw where what is held would go: its outline, the lines it is drawn to, and how far it is from what is next to
    it."""

    def on_screen(box: ItemBox) -> QRectF:
        return QRectF(left + box.x * scale, top + box.y * scale, box.width * scale, box.height * scale)

    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(GUIDE), 1, Qt.PenStyle.DashLine))
    ground = on_screen(grip.ground)
    for axis, at in grip.lines:
        if axis == "x":
            painter.drawLine(QPointF(left + at * scale, ground.top()), QPointF(left + at * scale, ground.bottom()))
        else:
            painter.drawLine(QPointF(ground.left(), top + at * scale), QPointF(ground.right(), top + at * scale))
    painter.setPen(QPen(QColor(MARK), 2))
    own = on_screen(grip.box_now)
    painter.drawRect(own)
    unit = shown_unit()
    for first, second in _gaps(grip):
        begin = QPointF(left + first[0] * scale, top + first[1] * scale)
        end = QPointF(left + second[0] * scale, top + second[1] * scale)
        painter.setPen(QPen(QColor(GUIDE), 1))
        painter.drawLine(begin, end)
        length = abs(second[0] - first[0]) + abs(second[1] - first[1])
        draw_label(painter, (begin + end) / 2, unit.number(length), GUIDE)
    now = grip.box_now
    place = f"{unit.number(now.x - grip.ground.x)}, {unit.text(now.y - grip.ground.y)}"
    label = f"{unit.number(now.width)} × {unit.text(now.height)}" if grip.edges else place
    draw_label(painter, QPointF(own.center().x(), own.bottom() + 14), label, MARK)


def _gaps(grip: FrameItemGrip) -> Iterator[tuple[tuple[int, int], tuple[int, int]]]:
    """Lines from an item to what is next to it at the left and above: another item, or the frame's edge."""
    now, ground = grip.box_now, grip.ground
    beside = [box.right for box in grip.others if box.right <= now.x and box.y < now.bottom and now.y < box.bottom]
    above = [box.bottom for box in grip.others if box.bottom <= now.y and box.x < now.right and now.x < box.right]
    x, y = max([ground.x, *beside]), max([ground.y, *above])
    middle_x, middle_y = now.x + now.width // 2, now.y + now.height // 2
    if now.x > x:
        yield (x, middle_y), (now.x, middle_y)
    if now.y > y:
        yield (middle_x, y), (middle_x, now.y)


def draw_label(painter: QPainter, middle: QPointF, text: str, color: str) -> None:
    """Write a short text on a ground of a colour."""
    width = painter.fontMetrics().horizontalAdvance(text) + 10
    box = QRectF(middle.x() - width / 2, middle.y() - 9, width, 18)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(color))
    painter.drawRoundedRect(box, 3, 3)
    painter.setPen(QColor(PAGE))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
    painter.setBrush(Qt.BrushStyle.NoBrush)
