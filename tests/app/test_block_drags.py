"""Dragging blocks and rails over the pages: where each would go, that it goes there, and that Esc leaves all as it was."""

import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from northmoor.app.document_controller import Selection
from northmoor.app.pages.canvas.level_rails import rail_x
from northmoor.app.window import Window
from northmoor.core.model.blocks.containers import GridBlock
from northmoor.core.model.edits import block_of, table_of
from northmoor.core.model.serialization import report_text
from tests.app.conftest import settle
from tests.app.test_blocks import do
from tests.app.test_frame_tools import drag
from tests.app.test_journey import TABLE, point_on, regions

LEFT, NO_BUTTON, NO_KEY = Qt.MouseButton.LeftButton, Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier


def names(window: Window) -> list[str]:
    edition = window.controller.edition
    assert edition is not None
    return [block.name for block in edition.blocks]


def place(window: Window, block: str, along: float, down: float) -> QPoint:
    """A point of a block's extent on screen, by shares of its width and height."""
    canvas, own = window.pages.canvas, [r for r in regions(window, block=block) if r.part != "run"]
    left, top = min(r.x for r in own), min(r.y for r in own)
    right, bottom = max(r.x + r.width for r in own), max(r.y + r.height for r in own)
    page, scale = canvas.page_rect(0), canvas.scale()
    x, y = left + (right - left) * along, top + (bottom - top) * down
    return QPoint(page.left() + round(x * scale), page.top() + round(y * scale))


@pytest.fixture
def three(window: Window, qtbot: QtBot) -> Window:
    """The report with a text below its title."""
    window.controller.select(Selection("text", "title"))
    do(window, "add_text")
    settle(window, qtbot)
    assert names(window)[:2] == ["title", "text"]
    return window


def test_a_text_is_dragged_between_blocks_and_beside_one(three: Window, qtbot: QtBot) -> None:
    before = report_text(three.controller.report)
    start = place(three, "text", 0.2, 0.5)
    drag(three, start, place(three, "title", 0.2, 0.2) - start)
    assert names(three)[:2] == ["text", "title"]
    settle(three, qtbot)
    start = place(three, "text", 0.2, 0.5)
    drag(three, start, place(three, "title", 0.2, 0.9) - start)
    assert report_text(three.controller.report) == before
    settle(three, qtbot)
    start = place(three, "text", 0.2, 0.5)
    drag(three, start, place(three, "title", 0.97, 0.5) - start)
    grid = block_of(three.controller.report, "full", names(three)[0])
    assert isinstance(grid, GridBlock)
    assert [[each.name for each in cell.blocks] for cell in grid.cells] == [["title"], ["text"]]
    settle(three, qtbot)
    three.controller.undo()
    three.controller.undo()
    three.controller.undo()
    assert report_text(three.controller.report) == before
    settle(three, qtbot)


def test_esc_lets_a_dragged_block_go_back(three: Window, qtbot: QtBot) -> None:
    before, viewport = report_text(three.controller.report), three.pages.canvas.viewport()
    start, end = place(three, "text", 0.2, 0.5), place(three, "title", 0.2, 0.2)
    for kind, at, button in ((QEvent.Type.MouseButtonPress, start, LEFT), (QEvent.Type.MouseMove, end, NO_BUTTON)):
        QApplication.sendEvent(viewport, QMouseEvent(kind, QPointF(at), QPointF(at), button, LEFT, NO_KEY))
    line = viewport.grab()  # with the line that shows where it would go
    QTest.keyClick(three.pages.canvas, Qt.Key.Key_Escape)
    assert viewport.grab().toImage() != line.toImage()
    QTest.mouseRelease(viewport, LEFT, NO_KEY, end)
    assert report_text(three.controller.report) == before


def test_a_table_is_dragged_by_the_handle_of_what_is_selected_in_it(three: Window, qtbot: QtBot) -> None:
    (first, *_) = regions(three, block=TABLE, row="head", column="month")
    canvas, end = three.pages.canvas, place(three, "title", 0.2, 0.2)
    qtbot.mouseClick(canvas.viewport(), LEFT, pos=point_on(three, first))
    canvas.viewport().grab()
    handle = canvas._handle
    assert handle.isVisible()
    at = handle.rect().center()
    QTest.mousePress(handle, LEFT, NO_KEY, at)
    for point in (canvas.viewport().rect().center(), end):
        on_handle = QPointF(handle.mapFromParent(point))
        QApplication.sendEvent(
            handle, QMouseEvent(QEvent.Type.MouseMove, on_handle, on_handle, NO_BUTTON, LEFT, NO_KEY)
        )
    QTest.mouseRelease(handle, LEFT, NO_KEY, handle.mapFromParent(end))
    assert names(three)[:2] == [TABLE, "title"]
    assert QApplication.activePopupWidget() is None
    settle(three, qtbot)
    QTest.mouseClick(canvas._handle, LEFT)
    menu = QApplication.activePopupWidget()
    assert menu is not None  # a click still opens the menu
    menu.close()


def rails(window: Window, block: str) -> list[int]:
    """Where a block's rails are on screen, outermost first."""
    canvas = window.pages.canvas
    brackets = canvas._shown[0].places.brackets
    depths = 1 + max(each.depth for each in brackets)
    own = sorted({each.depth for each in brackets if each.block == block})
    return [rail_x(canvas.page_rect(0), depth, depths) for depth in own]


def test_a_rail_is_dragged_to_the_place_of_another(window: Window, qtbot: QtBot) -> None:
    window.pages.placing.add_levels(["season"])
    settle(window, qtbot)
    before = report_text(window.controller.report)
    levels = [each.name for each in table_of(window.controller.report, "full", TABLE).levels]
    assert len(levels) == 2
    outer, inner = rails(window, TABLE)
    y = point_on(window, regions(window, row="detail", column="tickets")[0]).y()
    drag(window, QPoint(outer, y), QPoint(3, 0))  # not far enough
    assert report_text(window.controller.report) == before
    drag(window, QPoint(outer, y), QPoint(inner - outer, 0))
    assert [each.name for each in table_of(window.controller.report, "full", TABLE).levels] == levels[::-1]
    settle(window, qtbot)
    window.controller.undo()
    assert report_text(window.controller.report) == before
    settle(window, qtbot)
