"""Dragging a field onto the pages: where it would go, and that it goes there."""

import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt
from PyQt6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent
from pytestqt.qtbot import QtBot

from northmoor.app.pages.canvas.drag.field_drop import MIME, target_at
from northmoor.app.window import Window
from northmoor.core.model.edits import table_of
from tests.app.conftest import settle
from tests.app.test_journey import TABLE, point_on, regions


def drop(window: Window, field: str, at: QPoint) -> bool:
    """Drag a field over the canvas and drop it at a point; whether the point takes it."""
    canvas = window.pages.canvas
    fields = window.pages.fields
    item = next(fields.item(i) for i in range(fields.count()) if fields.item(i).data(Qt.ItemDataRole.UserRole) == field)
    data = fields.mimeData([item])
    action, left, none = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    canvas.dragEnterEvent(QDragEnterEvent(at, action, data, left, none))
    move = QDragMoveEvent(at, action, data, left, none)
    canvas.dragMoveEvent(move)
    canvas.grab()
    canvas.dropEvent(QDropEvent(QPointF(at), action, data, left, none))
    return move.isAccepted()


def test_a_field_dropped_between_columns_becomes_a_column_there(window: Window, qtbot: QtBot) -> None:
    (first, *_) = regions(window, row="detail", column="tickets")
    canvas = window.pages.canvas
    left_edge = point_on(window, first) - QPoint(round(first.width / 2 * canvas.scale()) - 3, 0)
    assert drop(window, "season", left_edge)
    assert [c.name for c in table_of(window.controller.report, "full", TABLE).columns] == [
        "month",
        "sailings",
        "season",
        "tickets",
        "fares",
    ]
    settle(window, qtbot)
    assert regions(window, row="detail", column="season")


def test_a_field_dropped_on_the_rail_lane_becomes_a_level(window: Window, qtbot: QtBot) -> None:
    (first, *_) = regions(window, row="detail", column="tickets")
    beside = QPoint(window.pages.canvas.page_rect(0).left() - 20, point_on(window, first).y())
    assert drop(window, "season", beside)
    assert [lv.name for lv in table_of(window.controller.report, "full", TABLE).levels] == ["route", "season"]
    settle(window, qtbot)


@pytest.mark.parametrize(("field", "value"), [("fares", "sum(fares)"), ("season", "count(season)")])
def test_a_field_dropped_on_a_total_becomes_its_measure(window: Window, qtbot: QtBot, field: str, value: str) -> None:
    (first, *_) = regions(window, row="total", level="route", column="month")
    assert drop(window, field, point_on(window, first))
    cells = table_of(window.controller.report, "full", TABLE).levels[0].total[0].cells
    assert {c.column: (c.value, c.text) for c in cells}["month"] == (value, None)
    window.controller.undo()
    settle(window, qtbot)


def test_elsewhere_nothing_is_taken(window: Window) -> None:
    before = window.controller.report
    (title, *_) = regions(window, row="text", block="title")
    assert not drop(window, "season", point_on(window, title))
    assert window.controller.report is before
    assert target_at(window.pages.canvas._shown[0].places, 0, 0) is None


def test_only_fields_may_be_dropped(window: Window) -> None:
    data = QMimeData()
    data.setText("a file's name")
    event = QDragEnterEvent(
        QPoint(300, 300), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    )
    event.setAccepted(False)
    window.pages.canvas.dragEnterEvent(event)
    assert not event.isAccepted()
    assert not data.hasFormat(MIME)
