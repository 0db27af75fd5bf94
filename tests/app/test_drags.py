"""What is dragged over the pages with the pointer: it goes where it is let go, and nowhere when one thinks better."""

from collections.abc import Callable

import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, QRect, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from northmoor.app.document_controller import WHOLE_PAGE, Selection
from northmoor.app.pages.canvas.drag.column_move import ColumnMoveDrag
from northmoor.app.pages.canvas.drag.column_width import spot_rect
from northmoor.app.window import Window
from northmoor.core.layout.page.hit_testing import HitRegion
from northmoor.core.model.blocks.containers import FrameBlock
from northmoor.core.model.edits import put_block, table_of
from northmoor.core.model.edits.frame_edits import with_guide
from northmoor.core.model.lengths import parse_length
from northmoor.core.model.serialization import report_text
from tests.app.conftest import settle
from tests.app.test_blocks import do
from tests.app.test_frame_tools import frame, move, on_screen
from tests.app.test_journey import lines_in_place, point_on

Begin = Callable[[Window], QPoint]


def send(window: Window, kind: QEvent.Type, at: QPoint, button: Qt.MouseButton, held: Qt.MouseButton) -> None:
    viewport, keys = window.pages.canvas.viewport(), Qt.KeyboardModifier.NoModifier
    event = QMouseEvent(kind, QPointF(at), QPointF(viewport.mapToGlobal(at)), button, held, keys)
    QApplication.sendEvent(viewport, event)


def take(window: Window, at: QPoint, way: QPoint) -> None:
    """Press, and move without letting go."""
    left, none = Qt.MouseButton.LeftButton, Qt.MouseButton.NoButton
    send(window, QEvent.Type.MouseButtonPress, at, left, left)
    send(window, QEvent.Type.MouseMove, at + way, none, left)


def let_go(window: Window, at: QPoint) -> None:
    send(window, QEvent.Type.MouseButtonRelease, at, Qt.MouseButton.LeftButton, Qt.MouseButton.NoButton)


def ground(window: Window) -> QRect:
    """Where the frame is on screen."""
    canvas = window.pages.canvas
    (region,) = [s for s in canvas._shown[0].places.regions if s.row == "frame" and s.part != "item"]
    return spot_rect(canvas.page_rect(0), region, canvas.scale()).toRect()


@pytest.fixture
def framed(window: Window, qtbot: QtBot) -> Window:
    """A report with a frame that has an upright guide, chosen."""
    window.controller.select(Selection("text", "title"))
    do(window, "add_frame")
    settle(window, qtbot)
    made: FrameBlock = with_guide(frame(window), False, None, parse_length("60mm"))
    window.controller.edit("Add a guide", lambda report, edition: put_block(report, edition, made))
    window.controller.select(Selection("frame", "frame"))
    settle(window, qtbot)
    return window


def at_guide(window: Window) -> QPoint:
    box = ground(window)
    return QPoint(box.left() + round(frame(window).guides_across[0] * window.pages.canvas.scale()), box.bottom() - 8)


def at_column_edge(window: Window) -> QPoint:
    canvas = window.pages.canvas
    edge = canvas._shown[0].places.edges[0]
    page = canvas.page_rect(0)
    return QPoint(
        page.left() + round(edge.x * canvas.scale()), page.top() + round((edge.top + edge.bottom) / 2 * canvas.scale())
    )


def at_item(window: Window) -> QPoint:
    return on_screen(window, "frame-text").center()


def at_margin(window: Window) -> QPoint:
    """On the left margin's line, which is there while the page is chosen."""
    window.controller.select(WHOLE_PAGE)
    canvas, page = window.pages.canvas, window.pages.canvas.page_rect(0)
    return QPoint(page.left() + round(margin(window, "left") * canvas.scale()), page.top() + 40)


def margin(window: Window, side: str) -> int:
    edition = window.controller.edition
    assert edition is not None
    return int(getattr(edition.page, f"margin_{side}"))


@pytest.mark.parametrize("begin", [at_guide, at_item, at_column_edge, at_margin])
@pytest.mark.variants
def test_escape_leaves_what_was_taken_where_it_was(framed: Window, qtbot: QtBot, begin: Begin) -> None:
    before, at, way = report_text(framed.controller.report), begin(framed), QPoint(25, 0)
    take(framed, at, way)
    canvas = framed.pages.canvas
    assert canvas._active_drag is not None
    assert canvas._active_drag.has_moved
    canvas.grab()  # it is drawn on its way
    qtbot.keyClick(canvas, Qt.Key.Key_Escape)
    assert canvas._active_drag is None
    let_go(framed, at + way)
    assert report_text(framed.controller.report) == before


@pytest.mark.parametrize("begin", [at_guide, at_item, at_column_edge, at_margin])
@pytest.mark.variants
def test_a_press_that_hardly_moves_changes_nothing(framed: Window, begin: Begin) -> None:
    before, at = report_text(framed.controller.report), begin(framed)
    take(framed, at, QPoint(0, 0))
    let_go(framed, at)
    assert report_text(framed.controller.report) == before


def test_a_guide_is_drawn_to_the_frames_steps(framed: Window, qtbot: QtBot) -> None:
    step, scale = frame(framed).step, framed.pages.canvas.scale()
    way = QPoint(round(2 * step * scale) - 2, 0)
    begin = at_guide(framed)
    take(framed, begin, way)
    let_go(framed, begin + way)
    settle(framed, qtbot)
    (guide,) = frame(framed).guides_across
    assert guide % step == 0
    assert abs(guide - parse_length("60mm") - way.x() / scale) < 6 / scale + 1


def test_guides_are_taken_hold_of_only_where_their_frame_is_chosen(framed: Window) -> None:
    canvas, at = framed.pages.canvas, at_guide(framed)
    move(framed, at)
    assert canvas.viewport().cursor().shape() == Qt.CursorShape.SplitHCursor
    framed.controller.select(Selection("text", "frame-text"))  # something in it is enough
    move(framed, at)
    assert canvas.viewport().cursor().shape() == Qt.CursorShape.SplitHCursor
    framed.controller.select(Selection("text", "scope"))
    move(framed, at)
    assert canvas.viewport().cursor().shape() == Qt.CursorShape.ArrowCursor


def test_the_edges_of_a_frame_say_that_a_guide_comes_from_them(framed: Window) -> None:
    box, canvas = ground(framed), framed.pages.canvas
    for at, shape in (
        (QPoint(box.left(), box.bottom() - 20), Qt.CursorShape.SplitHCursor),
        (QPoint(box.right() - 20, box.top()), Qt.CursorShape.SplitVCursor),
    ):
        move(framed, at)
        assert canvas.viewport().cursor().shape() == shape
        assert canvas.viewport().toolTip() == "Drag a guide into the frame."


def test_guides_are_drawn_over_their_frame(framed: Window, qtbot: QtBot) -> None:
    canvas, at = framed.pages.canvas, at_guide(framed)

    def colors() -> set[str]:
        image = canvas.viewport().grab().toImage()
        return {image.pixelColor(at.x() + beside, at.y() - up).name() for beside in (-1, 0, 1) for up in range(12)}

    shown = colors()
    framed.controller.select(Selection("text", "scope"))
    settle(framed, qtbot)
    assert shown - colors()  # the dashes are gone


def test_a_column_becomes_as_wide_as_it_is_dragged(window: Window, qtbot: QtBot) -> None:
    canvas = window.pages.canvas
    edge, at = canvas._shown[0].places.edges[0], at_column_edge(window)
    take(window, at, QPoint(-40, 0))
    let_go(window, at + QPoint(-40, 0))
    settle(window, qtbot)
    regions: list[HitRegion] = [
        s for s in canvas._shown[0].places.regions if s.column == edge.column and s.row == "detail"
    ]
    assert abs(regions[0].width - edge.width + 40 / canvas.scale()) < 2 / canvas.scale()


def test_a_column_goes_where_its_title_is_dragged(window: Window, qtbot: QtBot) -> None:
    canvas = window.pages.canvas

    def names() -> list[str]:
        return [column.name for column in table_of(window.controller.report, "full", "fares-table").columns]

    def title(column: str) -> QPoint:
        found = canvas._shown[0].places.regions
        return point_on(window, next(s for s in found if (s.row, s.number, s.column) == ("head", 0, column)))

    start, before = title("fares"), title("sailings")
    way = QPoint(before.x() - 30, before.y()) - start
    take(window, start, way)
    assert isinstance(canvas._active_drag, ColumnMoveDrag)
    canvas.grab()
    let_go(window, start + way)
    settle(window, qtbot)
    assert names() == ["month", "fares", "sailings", "tickets"]
    qtbot.mouseClick(canvas.viewport(), Qt.MouseButton.LeftButton, pos=title("fares"))
    qtbot.mouseClick(canvas.viewport(), Qt.MouseButton.LeftButton, pos=title("fares"))
    assert lines_in_place(window)  # a title that is not dragged is edited by the second click


def test_margins_are_dragged_by_whole_millimetres_while_the_page_is_chosen(window: Window, qtbot: QtBot) -> None:
    canvas, at = window.pages.canvas, at_margin(window)
    move(window, at)
    assert canvas.viewport().cursor().shape() == Qt.CursorShape.SplitHCursor
    assert "left margin, 20.0 mm" in canvas.viewport().toolTip()
    way = QPoint(round(-parse_length("8mm") * canvas.scale()), 0)
    take(window, at, way)
    let_go(window, at + way)
    settle(window, qtbot)
    assert margin(window, "left") == parse_length("12mm")
    document = window.shown_document
    assert document is not None
    assert document.composition.frame.left == parse_length("12mm")
    take(window, at_margin(window), QPoint(2_000, 0))  # the page keeps room for something
    let_go(window, QPoint(2_000, 0))
    settle(window, qtbot)
    assert 0 < margin(window, "left") <= document.edition.page.paper[0] - margin(window, "right") - 72_000
    window.controller.undo()
    window.controller.undo()
    assert margin(window, "left") == parse_length("20mm")
    settle(window, qtbot)
    window.controller.select(Selection("text", "scope"))
    move(window, at)
    assert canvas.viewport().cursor().shape() == Qt.CursorShape.ArrowCursor


def test_a_rectangle_chooses_the_blocks_that_it_touches(window: Window, qtbot: QtBot) -> None:
    canvas = window.pages.canvas
    page, scale = canvas.page_rect(0), canvas.scale()
    spots = {s.block: s for s in canvas._shown[0].places.regions if s.block in ("title", "scope")}
    at = QPoint(page.left() + 6, page.top() + round(spots["title"].y * scale) + 2)
    way = QPoint(round(spots["title"].x * scale) + 20, round((spots["scope"].y - spots["title"].y) * scale) + 4)
    take(window, at, way)
    canvas.grab()  # it is drawn on its way
    let_go(window, at + way)
    assert [each.block for each in window.pages.contents.chosen()] == ["title", "scope"]
    steps = window.controller._at
    do(window, "remove")
    settle(window, qtbot)
    assert window.controller._at == steps + 1
    assert not {"title", "scope"} & {block.name for block in window.controller.edition.blocks}  # type: ignore[union-attr]
    window.controller.undo()
    settle(window, qtbot)
    take(window, at, QPoint(-4, 0))  # nothing is touched
    let_go(window, at + QPoint(-4, 0))
    assert window.controller.selection == WHOLE_PAGE
