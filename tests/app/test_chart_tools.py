"""Charts in the real window: inserted, grouped and changed, a mark chosen and traced, its link followed, all undone."""

import shutil
from pathlib import Path

import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QComboBox
from pytestqt.qtbot import QtBot

from northmoor.app.document_controller import Selection
from northmoor.app.pages.part_menu.entries import PartCommand, commands_in
from northmoor.app.window import Window
from northmoor.core.base.replace import replace
from northmoor.core.layout.flow.fragments import ChartFragment
from northmoor.core.model.blocks.chart import Chart, ChartAxis
from northmoor.core.model.edits import ChartPlace
from northmoor.core.model.serialization import report_text
from tests.app.conftest import settle
from tests.app.test_inserting import insert_of_fields
from tests.app.test_journey import TABLE, editor, point_on, regions, type_into
from tests.app.test_table_tools import press
from tests.helpers import lines_of


@pytest.fixture
def board(window: Window, demo: Path, copy: Path, qtbot: QtBot) -> Window:
    """A window with the demo's charts open."""
    assert window.open(Path(shutil.copy(demo / "reports" / "punctuality.moor", copy.parent)))
    settle(window, qtbot)
    return window


def chart(window: Window, name: str) -> Chart:
    report, edition = window.controller.report, window.controller.edition
    assert report is not None
    assert edition is not None
    return ChartPlace(name).chart(report, edition.name)


def marks(window: Window, name: str) -> int:
    return len(regions(window, block=name, row="mark"))


def test_a_chart_is_inserted_and_grouped_by_fields(window: Window, qtbot: QtBot) -> None:
    before = report_text(window.controller.report)
    window.controller.select(Selection("table", TABLE))
    insert_of_fields(window, qtbot, "chart")
    assert window.controller.selection == Selection("chart", "chart")
    assert [m.value for m in chart(window, "chart").measures] == ["sum(sailings)"]
    press(window, "Categories by", "Season")
    press(window, "Series by", "Route")
    press(window, "Small multiples by", "Season")
    press(window, "Add a value", "Sum of Fares")
    settle(window, qtbot)
    assert [level.by for level in chart(window, "chart").levels] == ["season", "season", "route"]
    assert window._rendered is not None
    assert not [finding for finding in window.findings.found if finding.is_error]
    press(window, "Add a reference line")
    press(window, "Remove the reference line")
    window.controller.select(Selection("level", "chart", level="series"))
    press(window, "Remove the groups")
    window.controller.select(Selection("mark", "chart", column="fares"))
    press(window, "Remove")
    window.controller.select(Selection("chart", "chart"))
    press(window, "Remove the chart")
    while window.controller.undo_label:
        window.controller.undo()
    assert report_text(window.controller.report) == before


def test_a_mark_is_chosen_changed_and_traced(board: Window, qtbot: QtBot) -> None:
    window, canvas = board, board.pages.canvas
    mark = regions(window, block="routes", row="mark")[3]
    qtbot.mouseClick(canvas.viewport(), Qt.MouseButton.LeftButton, pos=point_on(window, mark))
    assert window.controller.selection == Selection("mark", "routes", column="on time")
    window.actions_by_name["trace"].trigger()
    qtbot.waitUntil(lambda: window.pages.trace.found is not None, timeout=10_000)
    found = window.pages.trace.found
    assert found is not None
    assert found.figures[0].agrees
    assert found.scope.startswith("route = ")
    window.actions_by_name["trace"].trigger()
    type_into(editor(window, "value"), "count(*)", qtbot)
    settle(window, qtbot)
    assert chart(window, "routes").measure("on time").value == "count(*)"
    assert marks(window, "routes") == 9


def test_nonsense_in_a_chart_is_reported_and_the_rest_is_drawn(board: Window, qtbot: QtBot) -> None:
    window = board
    window.controller.select(Selection("mark", "cancelled", column="delay"))
    type_into(editor(window, "value"), "avg(nothing)", qtbot)
    settle(window, qtbot)
    assert marks(window, "cancelled") == 12  # the columns; the line has no values
    assert window._rendered is not None
    regions(window)
    window.controller.select(Selection("level", "routes", level="category"))
    type_into(editor(window, "by"), "avg(delay)", qtbot)
    settle(window, qtbot)
    assert any("needs a scope in a row" in f.message for f in window.findings.found)
    assert marks(window, "routes") == 0
    assert marks(window, "course") == 60


@pytest.mark.parametrize("kind", ["bars", "lines", "areas", "points", "shares", "boxes", "waterfall", "heat"])
@pytest.mark.variants
def test_every_kind_is_chosen_in_the_inspector(board: Window, qtbot: QtBot, kind: str) -> None:
    window = board
    window.controller.select(Selection("chart", "routes"))
    press_kind(window, kind)
    settle(window, qtbot)
    assert chart(window, "routes").draw == kind
    if kind != "boxes":  # a box needs a value of a row, which is reported
        assert marks(window, "routes") == 9


def press_kind(window: Window, kind: str) -> None:
    choose(window, "draw", kind)


def choose(window: Window, field: str, value: str | None) -> None:
    """Choose in one of the inspector's lists."""
    box = editor(window, field)
    assert isinstance(box, QComboBox)
    at = box.findData(value)
    assert at >= 0
    box.setCurrentIndex(at)
    box.activated.emit(at)


def test_a_dropped_field_is_drawn_and_a_chart_has_no_widths_to_drag(board: Window, qtbot: QtBot) -> None:
    window, canvas = board, board.pages.canvas
    mark = regions(window, block="routes", row="mark")[0]
    field = QMimeData()
    field.setData("application/x-northmoor-field", b"delay")
    left = Qt.MouseButton.LeftButton
    at = QPointF(point_on(window, mark))
    canvas.dropEvent(QDropEvent(at, Qt.DropAction.CopyAction, field, left, Qt.KeyboardModifier.NoModifier))
    settle(window, qtbot)
    assert [m.name for m in chart(window, "routes").measures] == ["on time", "delay"]
    before = report_text(window.controller.report)
    canvas.width_dragged.emit("routes", "delay", 60_000)
    assert report_text(window.controller.report) == before


def test_a_chart_is_drawn_in_a_heading_and_changed_there(window: Window, qtbot: QtBot) -> None:
    before = report_text(window.controller.report)
    cell = Selection("cell", TABLE, "heading", "route", "month")
    window.controller.select(cell)
    press(window, "Draw a chart here")
    settle(window, qtbot)
    drawn = next(region for region in regions(window, block=TABLE, row="mark") if region.under == "month")
    qtbot.mouseClick(window.pages.canvas.viewport(), Qt.MouseButton.LeftButton, pos=point_on(window, drawn))
    chosen = replace(cell, kind="chart")
    assert window.controller.selection == chosen
    press(window, "Series by", "Season")
    window.controller.select(replace(cell, kind="groups", part="category"))
    type_into(editor(window, "by"), "month", qtbot)
    window.controller.select(replace(cell, kind="mark", part="sailings"))
    type_into(editor(window, "value"), "count(*)", qtbot)
    report = window.controller.report
    assert report is not None
    found = ChartPlace(TABLE, cell.place, "month").chart(report, window.controller.edition.name)
    assert [(level.name, level.by) for level in found.levels] == [("category", "month"), ("series", "season")]
    assert [measure.value for measure in found.measures] == ["count(*)"]
    assert any("Value · Sailings" in text for text, _ in window.pages.contents.parts())
    window.controller.select(chosen)
    press(window, "Remove the chart")
    settle(window, qtbot)
    assert not [region for region in regions(window, block=TABLE, row="mark") if region.under == "month"]
    while window.controller.undo_label:
        window.controller.undo()
    assert report_text(window.controller.report) == before


def test_a_chart_takes_the_groups_of_a_table_and_lets_them_go(window: Window, qtbot: QtBot) -> None:
    window.controller.select(Selection("text", "scope"))
    insert_of_fields(window, qtbot, "chart")
    choose(window, "groups_of", TABLE)
    window.controller.select(Selection("level", "chart", level="category"))
    choose(window, "level", "route")
    settle(window, qtbot)
    assert chart(window, "chart").level("category").level == "route"
    assert marks(window, "chart") > 0
    window.controller.select(Selection("chart", "chart"))
    choose(window, "groups_of", None)
    settle(window, qtbot)
    level = chart(window, "chart").level("category")
    assert (level.level, level.by) == (None, "route")
    assert marks(window, "chart") > 0


def test_the_figures_of_a_chart_are_a_table_below_it(board: Window, qtbot: QtBot) -> None:
    before = report_text(board.controller.report)
    board.controller.select(Selection("chart", "cancelled"))
    entries = dict(commands_in(board.pages.part_menu.entries()))
    entries["Table of its figures, below"].run()
    settle(board, qtbot)
    assert not [finding for finding in board.findings.found if finding.is_error]
    document = board._rendered.document
    view = next(part.view for page in range(len(document)) for part in document.composition.parts(page)
                if isinstance(part, ChartFragment) and part.name == "cancelled")  # fmt: skip
    printed = [line.cells for line in lines_of(document, "cancelled-figures") if line.kind == "detail"]
    assert len(printed) == view.data.sides.rows.size(view.data.depths.category) > 3
    board.controller.undo()
    settle(board, qtbot)
    assert report_text(board.controller.report) == before
    board.controller.select(Selection("text", "title"))
    assert board.controller.selection.kind == "text"
    entries = dict(commands_in(board.pages.part_menu.entries()))
    entries["Link to…"].run()
    assert board.focusWidget() is editor(board, "link")


def test_a_histogram_counts_the_number_that_a_chart_totalled(board: Window, qtbot: QtBot) -> None:
    board.controller.select(Selection("chart", "cancelled"))
    dict(commands_in(board.pages.part_menu.entries()))["Chart type › Histogram"].run()
    settle(board, qtbot)
    made = chart(board, "cancelled")
    assert (made.category.by, made.category.title) == ("delay", "Delay, min")
    assert [each.value for each in made.measures] == ["count(*)"]
    assert not [finding for finding in board.findings.found if finding.is_error]


def test_axes_are_changed_from_the_menu_of_a_chart(board: Window, qtbot: QtBot) -> None:
    board.controller.select(Selection("chart", "routes"))

    def choose(text: str) -> ChartAxis:
        dict(commands_in(board.pages.part_menu.entries()))[text].run()
        settle(board, qtbot)
        assert not [finding for finding in board.findings.found if finding.is_error]
        name = "across" if text.startswith("Category") else "first"
        return getattr(chart(board, "routes"), name)

    offered = [text for text, _ in commands_in(board.pages.part_menu.entries()) if " axis › " in text]
    assert not any(text.startswith("Second") for text in offered)
    assert choose("Value axis › From zero").minimum == "0"
    axis = choose("Value axis › Logarithmic")
    assert (axis.scale, axis.minimum) == ("log", None)
    axis = choose("Value axis › From zero")
    assert (axis.scale, axis.minimum, axis.grid) == ("linear", "0", True)
    assert not choose("Value axis › Grid lines").grid
    assert not choose("Category axis › Line and labels").shown


def test_a_chart_is_filtered_by_the_category_of_a_mark(board: Window, qtbot: QtBot) -> None:
    canvas, before = board.pages.canvas, report_text(board.controller.report)
    mark = regions(board, block="routes", row="mark")[3]
    qtbot.mouseClick(canvas.viewport(), Qt.MouseButton.LeftButton, pos=point_on(board, mark))

    def offered() -> dict[str, PartCommand]:
        return {text.removeprefix("Filter › "): command for text, command in commands_in(board.pages.part_menu.entries())
                if text.startswith("Filter › ")}  # fmt: skip

    dict(commands_in(board.pages.part_menu.entries()))["On the second axis"].run()
    settle(board, qtbot)
    assert chart(board, "routes").measures[0].axis == "second"
    board.controller.undo()
    settle(board, qtbot)
    (only,) = [text for text in offered() if text.startswith("Only ")]
    offered()[only].run()
    settle(board, qtbot)
    assert marks(board, "routes") == 1
    board.controller.undo()
    settle(board, qtbot)
    offered()[only.replace("Only", "All but")].run()
    settle(board, qtbot)
    assert marks(board, "routes") == 8
    offered()["Clear the filter"].run()
    assert report_text(board.controller.report) == before
    settle(board, qtbot)
    offered()["By a parameter with a list"].run()
    settle(board, qtbot)
    made = board.controller.report.parameters[-1]
    resolved = board.controller.resolved
    assert resolved is not None
    assert len(resolved.choices[made.name].entries) == 9
    assert marks(board, "routes") == 1  # the value that was pointed at is the one by default
    assert not [finding for finding in board.findings.found if finding.is_error]
