"""Defining parameters in the window: from a typed value to lists that depend on one another, without starting over."""

from functools import partial
from pathlib import Path
from typing import Any

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QDialog, QLabel, QLineEdit, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from northmoor.app.parameters.choice_editors import FixedChoices, PickedColumn
from northmoor.app.parameters.dialog import ParametersDialog
from northmoor.app.window import Window
from northmoor.core.authoring.table_commands import filter_by_parameter
from northmoor.core.model import edits
from northmoor.core.model.data.queries import Query
from northmoor.core.model.parameters import AllChoices, Choice, ChoicesFrom, FromExpression, FromQuery, Parameter
from tests.app.conftest import settle
from tests.helpers import lines_of

PORTS = Query(name="ports", connection="tarrow", sql="select port_id, code, name from ports order by port_id")
SAILINGS = Query(
    name="sailings",
    connection="tarrow",
    sql="select sailing_id, route_id, departs_at from sailings where route_id = :route",
)


@pytest.fixture
def dialog(window: Window, qtbot: QtBot) -> ParametersDialog:
    """The dialog over the demo's report."""
    window.actions_by_name["parameters"].trigger()
    made = window.dialog
    assert made is not None
    qtbot.waitExposed(made)
    return made


def editor(dialog: ParametersDialog, field: str) -> Any:
    """The editor of a property."""
    (found,) = [w for w in dialog.panel.findChildren(QWidget) if w.property("field") == field]
    return found


def choose(dialog: ParametersDialog, field: str, text: str) -> None:
    """Choose an entry of a property's drop-down."""
    box = editor(dialog, field)
    assert isinstance(box, QComboBox)
    box.setCurrentIndex(box.findText(text, Qt.MatchFlag.MatchStartsWith))
    box.activated.emit(box.currentIndex())


def write(qtbot: QtBot, dialog: ParametersDialog, field: str, text: str) -> None:
    """Type into a property's line."""
    line = editor(dialog, field)
    line.setFocus()
    line.selectAll()
    qtbot.keyClicks(line, text)
    qtbot.keyClick(line, Qt.Key.Key_Return)


@pytest.mark.slow
def test_a_parameter_grows_from_a_typed_value_to_a_list_from_a_query(
    window: Window, dialog: ParametersDialog, qtbot: QtBot
) -> None:
    controller = window.controller
    controller.edit("Add", lambda r, _: edits.add_query(edits.add_query(r, PORTS), SAILINGS))
    controller.edit("Show", lambda r, e: edits.change_block(r, e, "title", text="{count(sailings.sailing_id)}"))
    dialog.buttons["add"].click()
    write(qtbot, dialog, "name", "route")
    choose(dialog, "kind", "Whole number")
    choose(dialog, "default_form", "A value")
    write(qtbot, dialog, "default", "2")
    settle(window, qtbot)
    assert controller.report.parameter("route") == Parameter(name="route", kind="integer", default=2, required=False)
    assert "route" in window.parameters.units

    choose(dialog, "list", "A fixed list")
    table = editor(dialog, "choices")
    assert isinstance(table, FixedChoices)
    table.table.item(0, 0).setText("2")
    editor(dialog, "choices").table.item(0, 1).setText("Inverlang")
    editor(dialog, "choices").add()
    assert controller.report.parameter("route").choices == (
        Choice(value=2, label="Inverlang"), Choice(value=3, label="Another choice"),
    )  # fmt: skip

    choose(dialog, "list", "From a query")
    picked = editor(dialog, "choices_from")
    assert isinstance(picked, PickedColumn)
    picked.query.setCurrentText("ports")
    picked.query.textActivated.emit("ports")
    editor(dialog, "choices_from").column.textActivated.emit("port_id")
    window.data.pick("ports")
    choose(dialog, "choices_label", "The values themselves")
    settle(window, qtbot)
    assert controller.report.parameter("route").choices_from == ChoicesFrom(query="ports", value="port_id")

    choose(dialog, "holds", "A list of values")
    choose(dialog, "default_form", "All of the list")
    settle(window, qtbot)
    assert controller.report.query("sailings").sql.endswith("where route_id in (:route)")
    assert controller.report.parameter("route").default == AllChoices()
    assert window.parameters.units["route"].control.button.text() == "All 7"
    assert window.findings.found == ()

    controller.set_value("route", (2, 3))
    write(qtbot, dialog, "name", "routes")
    settle(window, qtbot)
    assert controller.requested_values == {"routes": (2, 3)}
    assert controller.report.query("sailings").sql.endswith("where route_id in (:routes)")
    assert dialog.now.text().startswith("Now: 2, 3")
    while controller.undo_label:
        controller.undo()
    assert [p.name for p in controller.report.parameters] == ["year", "season", "ports"]
    settle(window, qtbot)


def test_a_computed_value_is_made_and_used(window: Window, dialog: ParametersDialog, qtbot: QtBot) -> None:
    dialog.buttons["compute"].click()
    write(qtbot, dialog, "name", "next_year")
    write(qtbot, dialog, "value", ":year + 1")
    settle(window, qtbot)
    assert dialog.now.text() == "Now: 2026"
    window.controller.edit("Show", lambda r, e: edits.change_block(r, e, "title", text="Before {:next_year; 0}"))
    settle(window, qtbot)
    assert window._rendered.document.values.by_name["next_year"] == 2026
    choose(dialog, "source", "A query of one row")
    qtbot.waitUntil(lambda: "is wanted; narrow it" in dialog.now.text())
    assert dialog.now.objectName() == "fault"
    choose(dialog, "source", "An expression")
    write(qtbot, dialog, "value", ":next_year")
    qtbot.waitUntil(lambda: "Circular reference: next_year → next_year" in dialog.now.text())
    dialog.buttons["remove"].click()
    window.controller.edit("Hide", lambda r, e: edits.change_block(r, e, "title", text="Fares"))
    settle(window, qtbot)
    assert window.controller.report.named_values == ()


def test_every_property_can_be_set_and_what_does_not_fit_is_refused(
    window: Window, dialog: ParametersDialog, qtbot: QtBot
) -> None:
    dialog.buttons["add"].click()
    for field, text in (
        ("label", "Note"),
        ("hint", "A word"),
        ("pattern", "[a-z]*"),
        ("minimum_length", "2"),
        ("maximum_length", "9"),
        ("sample", "abc"),
    ):
        write(qtbot, dialog, field, text)
    editor(dialog, "required").click()
    made = window.controller.report.parameter("parameter")
    assert made == Parameter(
        name="parameter",
        label="Note",
        hint="A word",
        pattern="[a-z]*",
        minimum_length=2,
        maximum_length=9,
        sample="abc",
    )
    settle(window, qtbot)
    choose(dialog, "kind", "Date")
    choose(dialog, "holds", "A range")
    choose(dialog, "default_form", "A value")
    write(qtbot, dialog, "minimum_value", "2024-01-01")
    made = window.controller.report.parameter("parameter")
    assert (made.kind, made.holds, made.default, made.pattern, made.sample) == (
        "date",
        "range",
        "this month",
        None,
        None,
    )
    settle(window, qtbot)
    assert dialog.now.text() == "Now: 1 Jan 2026 – 31 Jan 2026"
    write(qtbot, dialog, "name", "season")
    assert dialog.now.text().startswith("Two parameters are named 'season'")
    assert editor(dialog, "name").text() == "parameter"
    choose(dialog, "default_form", "An expression")
    assert window.controller.report.parameter("parameter").default == FromExpression(expression="1")
    choose(dialog, "default_form", "From a query")
    assert isinstance(window.controller.report.parameter("parameter").default, FromQuery)
    dialog.buttons["up"].click()
    assert [p.name for p in window.controller.report.parameters] == ["year", "season", "parameter", "ports"]
    dialog.buttons["down"].click()
    dialog.buttons["remove"].click()
    assert [p.name for p in window.controller.report.parameters] == ["year", "season", "ports"]
    settle(window, qtbot)


def test_preflight_offers_what_corrects_a_finding(window: Window, qtbot: QtBot) -> None:
    controller = window.controller
    controller.edit("Add", lambda r, _: edits.add_parameter(r, Parameter(name="route", holds="list", required=False)))
    controller.edit(
        "Add",
        lambda r, _: edits.add_query(r, SAILINGS.but(sql="select * from sailings where vessel_id in (:vessels)")),
    )
    settle(window, qtbot)
    assert window.findings.button.text() == "Preflight: 1 error, 1 warning"
    window.actions_by_name["preflight"].trigger()
    mend(window, "Add :vessels (integer list)")
    settle(window, qtbot)
    assert controller.report.parameter("vessels") == Parameter(
        name="vessels", kind="integer", holds="list", required=False
    )
    assert len(fares(window)) > 50
    mend(window, "Filter fares by route")
    settle(window, qtbot)
    assert "r.code in (:route)" in controller.report.query("fares").sql
    assert fares(window) == []  # the list is empty, and so are the pages
    controller.undo()
    settle(window, qtbot)
    mend(window, "Remove")
    settle(window, qtbot)
    assert [p.name for p in controller.report.parameters] == ["year", "season", "ports", "vessels"]


def fares(window: Window) -> list[str]:
    """The fares that the pages list."""
    lines = lines_of(window._rendered.document, "fares-table")
    return [line.cells.get("fares", "") for line in lines if line.kind == "detail"]


def remedies(window: Window) -> dict[str, QPushButton]:
    assert window.findings.panel is not None
    return {b.text(): b for b in window.findings.panel.findChildren(QPushButton) if b.isVisible()}


def mend(window: Window, text: str) -> None:
    """Click a remedy."""
    remedies(window)[text].click()


def test_a_superseded_query_is_cancelled(window: Window, qtbot: QtBot) -> None:
    endless = "with recursive n(i) as (select 1 union all select i + 1 from n where :year = 2025) "
    endless += "select 'TQ' as route, 'Quay' as route_name, '' as season, '2025-01-01' as month, 1 as sailings, 1 as tickets, count(*) as fares from n"
    window.controller.edit("Endless this year", lambda r, _: edits.change_query(r, "fares", sql=endless))
    qtbot.waitUntil(lambda: window._progress.isVisible(), timeout=5_000)
    window.controller.set_value("year", 2024)
    settle(window, qtbot)
    assert fares(window) == ["1.00"]


def test_dialogs_of_a_report_are_closed_with_it(window: Window, qtbot: QtBot) -> None:
    for name in ("parameters", "styles", "editions", "replace"):
        window.actions_by_name[name].trigger()
    dialogs = [dialog for dialog in window.findChildren(QDialog) if dialog.isVisible()]
    assert len(dialogs) == 4
    assert window.dialog is not None
    line = editor(window.dialog, "name")
    assert isinstance(line, QLineEdit)
    line.setFocus()
    line.setText("begun")  # and not yet entered
    window.files.close()
    assert window.controller.report is None
    assert not any(dialog.isVisible() for dialog in dialogs)


def test_a_report_without_parameters_offers_to_define_one(window: Window, copy: Path, qtbot: QtBot) -> None:
    for name in ("year", "season", "ports"):
        window.controller.edit("Out", lambda r, _, name=name: edits.remove_parameter(r, name))
    qtbot.waitUntil(lambda: window._rendered is not None and window._rendered.job is window._job, timeout=20_000)
    assert not window.parameters.hold.isVisible()
    window.parameters.define.click()
    assert window.dialog is not None
    assert any("Add the first one at the left" in label.text() for label in window.dialog.findChildren(QLabel))


def test_a_list_is_narrowed_by_another_parameter_in_four_actions(window: Window, qtbot: QtBot) -> None:
    for column, kind in (("sailings", "integer"), ("month", "text")):
        window.controller.edit(
            "Filter", partial(filter_by_parameter, block="fares-table", expression=column, kind=kind, value=None)
        )
    settle(window, qtbot)
    window.parameters.define.click()
    dialog = window.dialog
    assert dialog is not None
    dialog.pick("month")
    box = editor(dialog, "narrowed_by")
    assert isinstance(box, QComboBox)
    box.setCurrentIndex(box.findText("Sailings"))
    box.activated.emit(box.currentIndex())
    settle(window, qtbot)
    window.controller.set_value("sailings", 73)
    settle(window, qtbot)
    resolved = window.controller.resolved
    assert resolved is not None
    assert [entry.label for entry in resolved.choices["month"].entries] == ["1 Jan 2025"]
    assert not [each for each in dialog.panel.findChildren(QWidget) if each.property("field") == "narrowed_by"]
    dialog.close()
