"""Lines of a page that a press takes hold of: a column's edge, a guide of the chosen frame, a page's margin."""

from collections.abc import Callable
from functools import partial

from msgspec import Struct
from PyQt6.QtCore import QPoint, Qt

from northmoor.app.pages.canvas.drag.column_width import WidthDrag
from northmoor.app.pages.canvas.drag.guide import GuideDrag, guide_at, guide_hint, pointer_over
from northmoor.app.pages.canvas.drag.margin import MarginDrag, margin_at, margin_hint
from northmoor.app.pages.canvas.drag.protocol import Drag, PageView
from northmoor.core.model.blocks.containers import FrameBlock
from northmoor.core.model.pages import PageSetup

GRIP = 4
"""How near the pointer must be to a column's edge to take hold of it, in pixels."""


class LineHold(Struct, frozen=True):
    """A line that a press would take hold of, before anything is selected: the pointer over it, what it is, and what
    begins its drag."""

    pointer: Qt.CursorShape
    hint: str
    begin: Callable[[], Drag]


def line_hold_at(
    view: PageView, under: tuple[int, int, int], point: QPoint, frame: FrameBlock | None, setup: PageSetup | None,
    set_width: Callable[[str, str, int], None], drop_guide: Callable[[object], None],
    set_margin: Callable[[str, int], None],
) -> LineHold | None:  # fmt: skip
    """The line at a point of the view, and of the page `under` it; `frame` has the guides that are shown, `setup` the
    paper whose margins are. What is dragged goes to the functions."""
    places, scale = view.places(under[0]), view.scale()
    for edge in places.edges if places is not None else ():
        if abs(edge.x - under[1]) <= GRIP / scale and edge.top <= under[2] <= edge.bottom:
            drag: Callable[[], Drag] = partial(WidthDrag, view, edge, under[0], point, set_width)
            return LineHold(Qt.CursorShape.SplitHCursor, "", drag)
    guide = guide_at(places, [frame], *under, scale) if frame is not None and places is not None else None
    if guide is not None:
        drag = partial(GuideDrag, view, guide, point, drop_guide)
        return LineHold(pointer_over(guide.is_level), guide_hint(guide), drag)
    margin = margin_at(setup, *under, scale) if setup is not None else None
    if margin is None:
        return None
    drag = partial(MarginDrag, view, margin, point, set_margin)
    return LineHold(pointer_over(margin.is_level), margin_hint(margin), drag)
