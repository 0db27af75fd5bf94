"""Level rails: the brackets beside the page that show how far each group reaches, one hue a level."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtGui import QColor, QFont, QPainter, QPen

from northmoor.app.document_controller import Selection
from northmoor.app.widgets.theme import LINEN, RAILS, ink
from northmoor.core.layout.page.hit_testing import GroupBracket

STEP = 14
"""Distance between rails, in pixels."""
ARM = 5
MOST_RAILS = 4
"""Rails that have room beside the page; deeper levels share the last."""


def rail_x(page: QRect, depth: int, depths: int) -> int:
    """Where a level's rail is: outermost at the left."""
    shown = min(depths, MOST_RAILS)
    return page.left() - 10 - STEP * (shown - 1 - min(depth, MOST_RAILS - 1))


def draw_rails(
    painter: QPainter, page: QRect, brackets: Sequence[GroupBracket], scale: float, selection: Selection
) -> None:
    """Draw the brackets of a page. Open ends have no arm: the group goes on."""
    depths = 1 + max((b.depth for b in brackets), default=-1)
    heads: dict[int, int] = {}
    for bracket in brackets:
        x = rail_x(page, bracket.depth, depths)
        top = page.top() + round(bracket.top * scale) + 2
        bottom = page.top() + round(bracket.bottom * scale) - 2
        chosen = selection.kind == "level" and (selection.block, selection.level) == (
            bracket.block,
            bracket.level,
        )
        color = ink(RAILS[bracket.depth % len(RAILS)])
        painter.setPen(QPen(color, 3 if chosen else 1.5))
        painter.drawLine(x, top, x, bottom)
        if bracket.is_folded:
            _draw_folded(painter, x, top, color)
        if bracket.begins:
            painter.drawLine(x, top, x + ARM, top)
        if bracket.ends:
            painter.drawLine(x, bottom, x + ARM, bottom)
        heads[bracket.depth] = min(heads.get(bracket.depth, top), top)
    top = min(heads.values(), default=0) - 20
    for depth in heads:
        _draw_head(painter, rail_x(page, depth, depths), top, depth)


def _draw_folded(painter: QPainter, x: int, top: int, color: QColor) -> None:
    """A filled square with a plus: there is more in this group."""
    box = QRect(x - 5, top + 1, 11, 11)
    painter.fillRect(box, color)
    painter.setPen(QPen(ink(LINEN), 1.5))
    middle = box.center()
    painter.drawLine(middle.x() - 3, middle.y(), middle.x() + 3, middle.y())
    painter.drawLine(middle.x(), middle.y() - 3, middle.x(), middle.y() + 3)
    painter.setPen(QPen(color, 1.5))


def _draw_head(painter: QPainter, x: int, top: int, depth: int) -> None:
    """The level's number in a small tab."""
    painter.save()
    font = QFont(painter.font())
    font.setPixelSize(9)
    font.setBold(True)
    painter.setFont(font)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ink(RAILS[depth % len(RAILS)]))
    tab = QRect(x - 6, top, 12, 13)
    painter.drawRoundedRect(tab, 2, 2)
    painter.setPen(ink(LINEN))
    painter.drawText(tab, Qt.AlignmentFlag.AlignCenter, str(depth + 1))
    painter.restore()


def rail_at(point: QPoint, page: QRect, brackets: Sequence[GroupBracket], scale: float) -> GroupBracket | None:
    """The bracket under a point."""
    depths = 1 + max((b.depth for b in brackets), default=-1)
    for bracket in brackets:
        x = rail_x(page, bracket.depth, depths)
        top, bottom = page.top() + bracket.top * scale, page.top() + bracket.bottom * scale
        if abs(point.x() - x) <= STEP // 2 and top <= point.y() <= bottom:
            return bracket
    return None


RailFinder = Callable[[QPoint, QRect, Sequence[GroupBracket], float], GroupBracket | None]


def rail_head_at(point: QPoint, page: QRect, brackets: Sequence[GroupBracket], scale: float) -> GroupBracket | None:
    """A bracket of the level whose head is under a point."""
    depths = 1 + max((b.depth for b in brackets), default=-1)
    top = page.top() + round(min((b.top for b in brackets), default=0) * scale) + 2 - 20
    for bracket in brackets:
        x = rail_x(page, bracket.depth, depths)
        if abs(point.x() - x) <= STEP // 2 and top <= point.y() <= top + 13:
            return bracket
    return None
