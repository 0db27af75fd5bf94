"""Guides of frames on the pages: shown while a frame is chosen, dragged into it from its left edge or its top, along
it, and out of it again.

Lengths are millipoints on the page.
"""

from collections.abc import Callable, Iterator, Sequence

from msgspec import Struct
from PyQt6.QtCore import QPoint, QPointF, QRect, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from northmoor.app.language.length_unit import shown_unit
from northmoor.app.language.translation import tr
from northmoor.app.pages.canvas.drag.frame_item import ItemBox, box_of, draw_label, snap
from northmoor.app.pages.canvas.drag.protocol import SLACK, PageView
from northmoor.app.widgets.theme import GUIDE
from northmoor.core.base.replace import replace
from northmoor.core.layout.page.hit_testing import HitMap
from northmoor.core.model.blocks.containers import FrameBlock

_NEAR = 3
"""How near the pointer must be to a guide, or to a frame's edge, to take hold of one, in pixels."""
_CLOSEST = 6
"""How far apart points of a frame's grid must be to be shown, in pixels."""


class Guide(Struct, frozen=True):
    """A guide of a frame on a page: level or upright, its number in the frame (none for a new one), and how far from
    the frame's top or left edge it is; none where it would leave the frame."""

    frame: FrameBlock
    page: int
    ground: ItemBox
    is_level: bool
    number: int | None
    at: int | None

    @property
    def length(self) -> int:
        """How far the frame goes along the guides that cross it."""
        return self.ground.height if self.is_level else self.ground.width


def frame_boxes(places: HitMap, frame: str) -> Iterator[ItemBox]:
    """Where a frame is on a page; in a for-each, that may be several places."""
    return (box_of(s) for s in places.regions if s.row == "frame" and s.block == frame and s.part != "item")


def guide_at(places: HitMap, frames: Sequence[FrameBlock], page: int, x: int, y: int, scale: float) -> Guide | None:
    """The guide under a point; at a frame's left edge or its top, a new one."""
    near = round(_NEAR / scale)
    for frame in frames:
        for ground in frame_boxes(places, frame.name):
            across, down = x - ground.x, y - ground.y
            if not (-near <= across <= ground.width and -near <= down <= ground.height):
                continue
            for is_level, own, at in ((False, frame.guides_across, across), (True, frame.guides_down, down)):
                numbers = [number for number, guide in enumerate(own) if abs(guide - at) <= near]
                if numbers or abs(at) <= near:
                    number = numbers[0] if numbers else None
                    return Guide(frame, page, ground, is_level, number, own[number] if number is not None else None)
    return None


def pointer_over(is_level: bool) -> Qt.CursorShape:
    """The pointer over a line that can be dragged."""
    return Qt.CursorShape.SplitVCursor if is_level else Qt.CursorShape.SplitHCursor


def guide_hint(guide: Guide) -> str:
    """What a press would do."""
    if guide.number is None:
        return tr("Drag a guide into the frame.")
    return tr("A guide, {length} in. Drag it along, or out of the frame.").format(
        length=shown_unit().text(guide.at or 0)
    )


class GuideDrag:
    """A guide that was taken hold of."""

    def __init__(self, view: PageView, guide: Guide, start: QPoint, done: Callable[[Guide], None]) -> None:
        self._view, self._guide, self._start, self._done = view, guide, start, done
        self._now = guide

    @property
    def has_moved(self) -> bool:
        """Whether it would go anywhere else."""
        return self._now != self._guide

    def move(self, point: QPoint, freely: bool) -> None:
        """Follow the pointer; near the frame's grid, and edges and middles of what is in it, go there."""
        if not self.has_moved and (point - self._start).manhattanLength() < SLACK:
            return
        guide, scale, page = self._guide, self._view.scale(), self._view.page_rect(self._guide.page)
        if guide.is_level:
            place = round((point.y() - page.top()) / scale) - guide.ground.y
        else:
            place = round((point.x() - page.left()) / scale) - guide.ground.x
        if not freely:
            place += snap(place, self._lines(), guide.frame.step, scale)
        self._now = replace(guide, at=place if 0 < place < guide.length else None)

    def _lines(self) -> list[int]:
        """Where edges and middles are of what is in the frame, from its edge."""
        guide, places = self._guide, self._view.places(self._guide.page)
        regions = places.regions if places is not None else ()
        boxes = [box_of(s) for s in regions if s.part == "item" and s.under == guide.frame.name]
        if guide.is_level:
            return [at - guide.ground.y for box in boxes for at in (box.y, box.y + box.height // 2, box.bottom)]
        return [at - guide.ground.x for box in boxes for at in (box.x, box.x + box.width // 2, box.right)]

    def draw(self, painter: QPainter) -> None:
        """Show it where it would go, and how far from the frame's edge."""
        if self._now.at is None:
            return
        page, scale = self._view.page_rect(self._guide.page), self._view.scale()
        painter.setPen(QPen(QColor(GUIDE), 2))
        begin, end = _ends(self._now.ground, self._now.is_level, self._now.at, page, scale)
        painter.drawLine(begin, end)
        draw_label(painter, begin, shown_unit().text(self._now.at), GUIDE)

    def drop(self) -> None:
        """Tell where it was let go."""
        self._done(self._now)


def draw_guides(
    painter: QPainter, page: QRect, places: HitMap, frame: FrameBlock, scale: float, with_steps: bool
) -> None:
    """Show the guides of a frame, and its steps if wanted and the points are far enough apart."""
    for ground in frame_boxes(places, frame.name):
        if with_steps and frame.step * scale >= _CLOSEST:
            faint = QColor(GUIDE)
            faint.setAlpha(150)
            painter.setPen(QPen(faint, 1))
            for across in range(frame.step, ground.width, frame.step):
                for down in range(frame.step, ground.height, frame.step):
                    painter.drawPoint(_on_screen(ground.x + across, ground.y + down, page, scale))
        painter.setPen(QPen(QColor(GUIDE), 1, Qt.PenStyle.DashLine))
        for is_level, own in ((False, frame.guides_across), (True, frame.guides_down)):
            for at in own:
                painter.drawLine(*_ends(ground, is_level, at, page, scale))


def _ends(ground: ItemBox, is_level: bool, at: int, page: QRect, scale: float) -> tuple[QPointF, QPointF]:
    """The ends of a guide on screen."""
    if is_level:
        ends = ((ground.x, ground.y + at), (ground.right, ground.y + at))
    else:
        ends = ((ground.x + at, ground.y), (ground.x + at, ground.bottom))
    begin, end = (_on_screen(x, y, page, scale) for x, y in ends)
    return begin, end


def _on_screen(x: int, y: int, page: QRect, scale: float) -> QPointF:
    return QPointF(page.left() + x * scale, page.top() + y * scale)
