"""Frames in the real window: items dragged, drawn to lines, nudged, aligned, locked and grouped, and all of it undone."""

from PyQt6.QtCore import QEvent, QPoint, QPointF, QRect, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from northmoor.app.document_controller import Selection
from northmoor.app.pages.canvas.drag.column_width import spot_rect
from northmoor.app.window import Window
from northmoor.core.model.blocks.containers import FrameBlock
from northmoor.core.model.edits import block_of
from northmoor.core.model.lengths import parse_length
from northmoor.core.model.serialization import report_text
from tests.app.conftest import settle
from tests.app.test_blocks import do, undone
from tests.app.test_journey import editor, type_into

TENTH = parse_length("0.1mm")


def frame(window: Window) -> FrameBlock:
    assert window.controller.report is not None
    found: FrameBlock = block_of(window.controller.report, "full", "frame")
    return found


def on_screen(window: Window, block: str) -> QRect:
    """Where an item of the frame is on screen."""
    canvas = window.pages.canvas
    (region,) = [s for s in canvas._shown[0].places.regions if s.block == block and s.part == "item"]
    return spot_rect(canvas.page_rect(0), region, canvas.scale()).toRect()


def drag(
    window: Window, begin: QPoint, way: QPoint, keys: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier
) -> None:
    """Press, move in two steps, and let go."""
    viewport, left, none = window.pages.canvas.viewport(), Qt.MouseButton.LeftButton, Qt.MouseButton.NoButton
    steps = (
        (QEvent.Type.MouseButtonPress, begin, left, left), (QEvent.Type.MouseMove, begin + way / 2, none, left),
        (QEvent.Type.MouseMove, begin + way, none, left), (QEvent.Type.MouseButtonRelease, begin + way, left, none),
    )  # fmt: skip
    for kind, at, button, held in steps:
        QApplication.sendEvent(
            viewport, QMouseEvent(kind, QPointF(at), QPointF(viewport.mapToGlobal(at)), button, held, keys)
        )


def move(window: Window, at: QPoint) -> None:
    """Move the pointer without pressing anything."""
    viewport, none = window.pages.canvas.viewport(), Qt.MouseButton.NoButton
    held = Qt.KeyboardModifier.NoModifier
    event = QMouseEvent(QEvent.Type.MouseMove, QPointF(at), QPointF(viewport.mapToGlobal(at)), none, none, held)
    QApplication.sendEvent(viewport, event)


def test_items_are_dragged_drawn_to_lines_nudged_and_resized(window: Window, qtbot: QtBot) -> None:
    before = report_text(window.controller.report)
    window.controller.select(Selection("text", "title"))
    do(window, "add_frame", "add_readout")
    settle(window, qtbot)
    assert [item.blocks[0].name for item in frame(window).items] == ["frame-text", "readout"]
    canvas, scale = window.pages.canvas, window.pages.canvas.zoom * 96 / 72 / 1000
    start, first = frame(window).items[1], frame(window).items[0]
    own = on_screen(window, "readout")
    drag(window, own.center(), QPoint(round((first.x - start.x) / 1 * scale) + 2, 60))  # near the other's left edge
    settle(window, qtbot)
    assert frame(window).items[1].x == first.x  # it was drawn to it
    own, place = on_screen(window, "readout"), frame(window).items[1]
    drag(window, own.center(), QPoint(37, 0), Qt.KeyboardModifier.AltModifier)
    settle(window, qtbot)
    assert abs(frame(window).items[1].x - place.x - 37 / scale) <= 1 / scale  # Alt goes freely
    place = frame(window).items[1]
    canvas.setFocus()
    for key, keys in (
        (Qt.Key.Key_Right, Qt.KeyboardModifier.NoModifier),
        (Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier),
    ):
        qtbot.keyClick(canvas, key, keys)
    assert (frame(window).items[1].x, frame(window).items[1].y) == (place.x + TENTH, place.y - 10 * TENTH)
    settle(window, qtbot)
    own = on_screen(window, "readout")
    drag(window, QPoint(own.right(), own.center().y()), QPoint(-50, 0), Qt.KeyboardModifier.AltModifier)
    assert abs(frame(window).items[1].width - (150_000 - 50 / scale)) <= 2 / scale
    type_into(editor(window, "x"), "12.3", qtbot)
    assert frame(window).items[1].x == parse_length("12.3mm")
    assert undone(window, before)


def test_items_are_chosen_together_aligned_grouped_and_locked(window: Window, qtbot: QtBot) -> None:
    before = report_text(window.controller.report)
    window.controller.select(Selection("text", "title"))
    do(window, "add_frame", "add_text", "add_text")
    settle(window, qtbot)
    names = ("frame-text", "text", "text_2")
    viewport = window.pages.canvas.viewport()
    for name, keys in zip(names, ("", "shift", "shift"), strict=True):
        held = Qt.KeyboardModifier.ShiftModifier if keys else Qt.KeyboardModifier.NoModifier
        qtbot.mouseClick(viewport, Qt.MouseButton.LeftButton, held, on_screen(window, name).center())
    assert window.pages.blocks.names == list(names)
    do(window, "align_left")
    assert len({item.x for item in frame(window).items}) == 1
    do(window, "space_down", "group")
    ys = [item.y for item in frame(window).items]
    assert abs((ys[2] - ys[1]) - (ys[1] - ys[0])) <= 1
    settle(window, qtbot)
    window.controller.select(Selection("text", "text"))
    window.pages.canvas.setFocus()
    qtbot.keyClick(window.pages.canvas, Qt.Key.Key_Down)
    assert [item.y - y for item, y in zip(frame(window).items, ys, strict=True)] == [TENTH] * 3
    do(window, "ungroup")
    window.controller.select(Selection("text", "scope"))
    window.controller.select(Selection("text", "text"))
    do(window, "to_front")
    assert [item.blocks[0].name for item in frame(window).items] == ["frame-text", "text_2", "text"]
    do(window, "lock")
    settle(window, qtbot)
    place = frame(window).items[2]
    drag(window, on_screen(window, "text").center(), QPoint(40, 40))
    assert frame(window).items[2] == place
    do(window, "space_across")
    assert "three or more" in window._notice.toolTip()
    window.controller.select(Selection("text", "scope"))
    do(window, "align_top")
    assert "Select an item of a frame" in window._notice.toolTip()
    assert undone(window, before)


def test_a_second_click_edits_a_text_in_a_frame_and_a_drag_does_not(window: Window, qtbot: QtBot) -> None:
    window.controller.select(Selection("text", "title"))
    do(window, "add_frame")
    settle(window, qtbot)
    viewport = window.pages.canvas.viewport()
    at = on_screen(window, "frame-text").topLeft() + QPoint(6, 6)
    qtbot.mouseClick(viewport, Qt.MouseButton.LeftButton, pos=at)
    assert window.controller.selection == Selection("text", "frame-text")
    drag(window, at, QPoint(30, 0))
    assert window.pages._line is None
    settle(window, qtbot)
    at = on_screen(window, "frame-text").topLeft() + QPoint(6, 6)
    qtbot.mouseClick(viewport, Qt.MouseButton.LeftButton, pos=at)
    assert window.pages._line is not None


def test_a_block_is_dragged_from_one_cell_of_a_grid_to_another(window: Window, qtbot: QtBot) -> None:
    before = report_text(window.controller.report)
    window.controller.select(Selection("text", "title"))
    do(window, "add_grid")
    window.controller.select(Selection("grid-cell", "grid", number=0))
    do(window, "add_text")
    settle(window, qtbot)
    canvas = window.pages.canvas
    places = canvas._shown[0].places.regions
    text = spot_rect(canvas.page_rect(0), next(s for s in places if s.block == "text"), canvas.scale()).toRect()
    cell = next(s for s in places if s.part == "grid-cell" and s.number == 1)
    way = spot_rect(canvas.page_rect(0), cell, canvas.scale()).toRect().center() - text.center()
    drag(window, text.center(), way)
    assert window.controller.report is not None
    grid = block_of(window.controller.report, "full", "grid")
    assert [[block.name for block in own.blocks] for own in grid.cells] == [[], ["text"]]
    settle(window, qtbot)
    places = canvas._shown[0].places.regions
    empty = next(s for s in places if s.part == "grid-cell" and s.number == 0)
    qtbot.mouseClick(
        canvas.viewport(),
        Qt.MouseButton.LeftButton,
        pos=spot_rect(canvas.page_rect(0), empty, canvas.scale()).center().toPoint(),
    )
    assert window.controller.selection == Selection("grid-cell", "grid", number=0)
    assert undone(window, before)


def test_guides_are_dragged_into_a_frame_along_it_and_out(window: Window, qtbot: QtBot) -> None:
    before = report_text(window.controller.report)
    window.controller.select(Selection("text", "title"))
    do(window, "add_frame")
    settle(window, qtbot)
    window.controller.select(Selection("frame", "frame"))
    canvas, scale = window.pages.canvas, window.pages.canvas.scale()
    (ground,) = [s for s in canvas._shown[0].places.regions if s.row == "frame" and s.part != "item"]
    box = spot_rect(canvas.page_rect(0), ground, canvas.scale()).toRect()
    item = on_screen(window, "frame-text")
    drag(window, QPoint(box.left(), box.bottom() - 8), QPoint(item.right() - box.left() + 2, 0))
    settle(window, qtbot)
    (place,) = frame(window).items
    assert frame(window).guides_across == (place.x + place.width,)  # it was drawn to the text's edge
    freely = Qt.KeyboardModifier.AltModifier
    drag(window, QPoint(box.right() - 8, box.top()), QPoint(0, 31), freely)
    settle(window, qtbot)
    assert abs(frame(window).guides_down[0] - 31 / scale) <= 2 / scale
    at = QPoint(box.left() + round(frame(window).guides_across[0] * scale), box.bottom() - 8)
    move(window, at)
    assert canvas.viewport().cursor().shape() == Qt.CursorShape.SplitHCursor
    assert "Drag it along, or out of the frame." in canvas.viewport().toolTip()
    drag(window, at, QPoint(40, 0), freely)
    settle(window, qtbot)
    assert abs(frame(window).guides_across[0] - (place.x + place.width) - 40 / scale) <= 2 / scale
    drag(window, at + QPoint(40, 0), QPoint(box.right() - at.x(), 0))
    assert frame(window).guides_across == ()
    assert len(frame(window).guides_down) == 1
    assert undone(window, before)
