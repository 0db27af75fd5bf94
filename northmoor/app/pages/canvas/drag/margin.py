"""Margins on the pages: their lines are shown while the page is chosen, and dragged.

Lengths are millipoints.
"""

from collections.abc import Callable
from typing import Literal

from msgspec import Struct
from PyQt6.QtCore import QLineF, QPoint, QPointF, QRect, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from northmoor.app.language.length_unit import shown_unit
from northmoor.app.language.translation import tr
from northmoor.app.pages.canvas.drag.frame_item import draw_label
from northmoor.app.pages.canvas.drag.protocol import SLACK, PageView
from northmoor.app.widgets.theme import GUIDE
from northmoor.core.model.pages import PageSetup

Side = Literal["top", "right", "bottom", "left"]
_SIDES: tuple[Side, ...] = ("top", "right", "bottom", "left")
_OPPOSITE: dict[Side, Side] = {"top": "bottom", "bottom": "top", "left": "right", "right": "left"}
_NEAR = 3
"""How near the pointer must be to a line to take hold of it, in pixels."""
_FAINT = 110
"""How opaque the lines are, of 255."""
_ROOM = 72_000
"""What margins leave of a page at least."""


class MarginLine(Struct, frozen=True):
    """A margin's line on a page."""

    setup: PageSetup
    page: int
    side: Side

    @property
    def is_level(self) -> bool:
        """Whether it goes across the page."""
        return self.side in ("top", "bottom")

    @property
    def margin(self) -> int:
        """How wide the margin is."""
        return margin_of(self.setup, self.side)


def margin_of(setup: PageSetup, side: Side) -> int:
    """How wide a margin is."""
    found: int = getattr(setup, f"margin_{side}")
    return found


def margin_at(setup: PageSetup, page: int, x: int, y: int, scale: float) -> MarginLine | None:
    """The line of a margin under a point of a page."""
    width, height = setup.paper
    away = {
        "top": y - setup.margin_top, "bottom": height - y - setup.margin_bottom,
        "left": x - setup.margin_left, "right": width - x - setup.margin_right,
    }  # fmt: skip
    near = [side for side in _SIDES if abs(away[side]) * scale <= _NEAR]
    return MarginLine(setup, page, near[0]) if near else None


def margin_hint(line: MarginLine) -> str:
    """What a press would do."""
    return tr("The {side} margin, {length}. Drag it; Alt leaves whole steps.").format(
        side=tr(line.side), length=shown_unit().text(line.margin)
    )


def draw_margins(painter: QPainter, page: QRect, setup: PageSetup, scale: float) -> None:
    """Show the margins of a page, faintly: what is printed begins just there."""
    faint = QColor(GUIDE)
    faint.setAlpha(_FAINT)
    painter.setPen(QPen(faint, 1, Qt.PenStyle.DotLine))
    for side in _SIDES:
        painter.drawLine(_line(page, side, margin_of(setup, side), scale))


def _line(page: QRect, side: Side, margin: int, scale: float) -> QLineF:
    away = margin * scale
    if side in ("top", "bottom"):
        y = page.top() + away if side == "top" else page.bottom() + 1 - away
        return QLineF(page.left(), y, page.right(), y)
    x = page.left() + away if side == "left" else page.right() + 1 - away
    return QLineF(x, page.top(), x, page.bottom())


class MarginDrag:
    """A margin's line that was taken hold of."""

    def __init__(self, view: PageView, line: MarginLine, start: QPoint, done: Callable[[str, int], None]) -> None:
        self._view, self._line, self._start, self._done = view, line, start, done
        self._now = line.margin

    @property
    def has_moved(self) -> bool:
        """Whether the margin would change."""
        return self._now != self._line.margin

    def move(self, point: QPoint, freely: bool) -> None:
        """Follow the pointer by whole steps of the unit, or freely; the page keeps room for something."""
        if not self.has_moved and (point - self._start).manhattanLength() < SLACK:
            return
        line, page = self._line, self._view.page_rect(self._line.page)
        away = {
            "top": point.y() - page.top(), "bottom": page.bottom() + 1 - point.y(),
            "left": point.x() - page.left(), "right": page.right() + 1 - point.x(),
        }[line.side]  # fmt: skip
        wanted = away / self._view.scale()
        margin = round(wanted) if freely else shown_unit().stepped(wanted)
        width, height = line.setup.paper
        most = (height if line.is_level else width) - margin_of(line.setup, _OPPOSITE[line.side]) - _ROOM
        self._now = max(min(margin, most), 0)

    def draw(self, painter: QPainter) -> None:
        """Show the margin as it would become, and how wide it is."""
        page, scale = self._view.page_rect(self._line.page), self._view.scale()
        painter.setPen(QPen(QColor(GUIDE), 2))
        line = _line(page, self._line.side, self._now, scale)
        painter.drawLine(line)
        begin = line.p1() + (QPointF(60, 0) if self._line.is_level else QPointF(0, 24))
        draw_label(painter, begin, shown_unit().text(self._now), GUIDE)

    def drop(self) -> None:
        """Tell how wide it became."""
        self._done(self._line.side, self._now)
