"""Dragging a field onto the pages: where it would go, and that it goes there."""

from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDragLeaveEvent, QDragMoveEvent, QDropEvent, QPixmap
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from northmoor.app.pages.canvas.drag.field_drop import MIME, target_at
from northmoor.app.start.file_drops import FileDrops
from northmoor.app.widgets.menus import plain_text
from northmoor.app.window import Window
from northmoor.core.model.blocks.chart import ChartBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.data.signal_queries import MeasurementsQuery
from northmoor.core.model.edits import Target, table_of
from tests.app.conftest import settle
from tests.app.mouse import DRAGGED, FileIcon, Mouse, mouse, pointer
from tests.app.test_journey import TABLE, point_on, regions

__all__ = ["mouse", "pointer"]  # fixtures


def drop(window: Window, names: str, at: QPoint) -> bool:
    """Drag fields over the canvas and drop them at a point; whether the point takes them."""
    canvas = window.pages.canvas
    fields = window.pages.fields
    items = [fields.item(n) for n in range(fields.count())]
    data = fields.mimeData([i for i in items if i.data(Qt.ItemDataRole.UserRole) in names.split()])
    action, left, none = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    canvas.dragEnterEvent(QDragEnterEvent(at, action, data, left, none))
    move = QDragMoveEvent(at, action, data, left, none)
    canvas.dragMoveEvent(move)
    canvas.grab()
    canvas.dropEvent(QDropEvent(QPointF(at), action, data, left, none))
    return move.isAccepted()


def choose(window: Window, text: str) -> None:
    """Choose what a block of the dropped fields is."""
    menu = window.pages.placing.menu
    assert menu is not None
    next(action for action in menu.actions() if plain_text(action) == text).trigger()
    menu.close()


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


def test_several_fields_dropped_between_columns_are_one_step(window: Window, qtbot: QtBot) -> None:
    (first, *_) = regions(window, row="detail", column="tickets")
    canvas = window.pages.canvas
    before = window.controller.report
    assert drop(
        window, "season route", point_on(window, first) - QPoint(round(first.width / 2 * canvas.scale()) - 3, 0)
    )
    names = [c.name for c in table_of(window.controller.report, "full", TABLE).columns]
    assert [n for n in names if n in ("season", "route")] == names[2:4]
    window.controller.undo()
    assert window.controller.report == before
    settle(window, qtbot)


def test_fields_dropped_on_a_text_begin_a_block_below_it(window: Window, qtbot: QtBot) -> None:
    (title, *_) = regions(window, row="text", block="title")
    assert drop(window, "season tickets", point_on(window, title) + QPoint(0, 3))
    choose(window, "New table…")
    popup = window.pages.placing.block_popup
    assert popup is not None
    qtbot.waitUntil(lambda: bool(popup.chosen), timeout=20_000)
    assert [each.field.name for each in popup.chosen] == ["season", "tickets"]
    assert popup.place.currentText() == "Where it was dropped"
    popup.accept()
    names = [block.name for block in window.controller.edition.blocks]
    assert names[names.index("title") + 1] == "table"
    settle(window, qtbot)
    places = window.pages.canvas._shown[0].places
    assert target_at(places, -1, 0, (100_000, 100_000)) is None  # beside the page
    above = target_at(places, 1, 1, (100_000, 100_000))
    assert above is not None
    assert above.place is not None
    assert above.place.target == Target("title", "before")  # above all, as over a header


def test_measured_signals_become_a_trend_or_their_statistics(
    new_window: Callable[[], Window], copy: Path, demo: Path, qtbot: QtBot
) -> None:
    voyage = copy.parent / "voyage-report.moor"
    voyage.write_bytes((demo / "reports" / "voyage-report.moor").read_bytes())
    window = new_window()
    assert window.open(voyage)
    settle(window, qtbot)
    query, before = window.pages.fields_query, window.controller.report
    query.setCurrentIndex(query.findData("course"))
    query.activated.emit(query.currentIndex())
    (title, *_) = regions(window, row="text", block="title")
    assert drop(window, "speed speed_order fuel_flow", point_on(window, title) + QPoint(0, 3))
    choose(window, "New trend")
    settle(window, qtbot)
    chart = window.controller.edition.blocks[1]
    assert isinstance(chart, ChartBlock)
    assert [(m.name, m.axis) for m in chart.measures] == [
        ("speed", "first"), ("speed_order", "first"), ("fuel_flow", "second")]  # fmt: skip
    query.setCurrentIndex(query.findData("course"))
    (title, *_) = regions(window, row="text", block="title")
    assert drop(window, "speed fuel_flow", point_on(window, title) + QPoint(0, 3))
    choose(window, "New table of statistics")
    settle(window, qtbot)
    table = window.controller.edition.blocks[1]
    assert isinstance(table, TableBlock)
    signals = window.controller.report.query(table.query).signals
    assert isinstance(signals, MeasurementsQuery)
    assert (signals.signals, signals.spans, signals.give) == (("speed", "fuel_flow"), "turn", "statistics")
    document = window.pages.document
    assert document is not None
    assert [f for f in document.findings if f.place.block in (chart.name, table.name)] == []
    assert document.rows[table.query].table.num_rows == 2
    for _ in range(2):
        window.controller.undo()
    assert window.controller.report == before


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


@DRAGGED
def test_a_picture_is_dropped_between_blocks(
    mouse: Mouse, tmp_path_factory: pytest.TempPathFactory, qtbot: QtBot
) -> None:
    window, file = mouse.window, tmp_path_factory.mktemp("elsewhere") / "seal.png"
    QPixmap(40, 30).save(str(file))
    icon = FileIcon(file, qtbot)
    below = mouse.spot("scope") + QPoint(0, 8)
    mouse.drag(icon, QPoint(50, 30), window.pages.canvas.viewport(), below)
    qtbot.waitUntil(lambda: window.controller.selection.kind == "picture", timeout=20_000)
    blocks = window.controller.edition.blocks
    assert [block.kind for block in blocks] == ["text", "text", "picture", "table"]
    assert blocks[2].file == "pictures/seal.png"
    assert (window.controller.library.root / "pictures" / "seal.png").is_file()


def test_what_a_dropped_file_would_do_is_shown(window: Window, copy: Path, tmp_path: Path) -> None:
    (tmp_path / "lines.csv").write_text("a\n1\n")
    action, left, none = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    (drops,) = window.findChildren(FileDrops)
    for path, said in ((tmp_path / "lines.csv", "New report from lines.csv"), (copy, f"Open {copy.name}")):
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path))])
        event = QDragEnterEvent(QPoint(600, 400), action, data, left, none)
        QApplication.sendEvent(window, event)
        assert event.isAccepted()
        assert (drops.sign.isVisible(), drops.sign.text()) == (True, said)
        QApplication.sendEvent(window, QDragLeaveEvent())
        assert not drops.sign.isVisible()
