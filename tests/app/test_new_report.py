"""Starting a report in the real window: rows chosen, fields ticked, a live page picked, and the report goes on."""

import sqlite3
from contextlib import closing
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox
from pytestqt.qtbot import QtBot

from northmoor.app.start.report_starter.new_report_dialog import NewReportDialog
from northmoor.app.window import Window
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.model.blocks.containers import ForEachBlock
from northmoor.core.model.data.connections import SqliteConnection
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import load_report
from tests.app.conftest import settle


@pytest.fixture
def dialog(window: Window, qtbot: QtBot) -> NewReportDialog:
    window.actions_by_name["new"].trigger()
    found = window.starting.dialog
    assert found is not None
    qtbot.waitUntil(lambda: found.source.findText("tarrow · sailings") > 0, timeout=10_000)
    return found


def read(dialog: NewReportDialog, source: str, qtbot: QtBot) -> None:
    """Choose where rows come from, and wait for the fields."""
    at = dialog.source.findText(source)
    dialog.source.setCurrentIndex(at)
    dialog.source.activated.emit(at)
    qtbot.waitUntil(lambda: dialog.message.text().startswith("Select fields"), timeout=10_000)


def tick(dialog: NewReportDialog, *names: str) -> None:
    for name in names:
        items = map(dialog.fields.item, range(dialog.fields.count()))
        item = next(each for each in items if each is not None and each.data(Qt.ItemDataRole.UserRole) == name)
        is_ticked = item.checkState() == Qt.CheckState.Checked
        item.setCheckState(Qt.CheckState.Unchecked if is_ticked else Qt.CheckState.Checked)


def test_a_report_is_begun_from_a_table(window: Window, dialog: NewReportDialog, copy: Path, qtbot: QtBot) -> None:
    read(dialog, "tarrow · sailings", qtbot)
    tick(dialog, "status", "departs_at", "delay_minutes")
    qtbot.waitUntil(lambda: len(dialog.pages) == len(dialog.cards), timeout=20_000)
    dialog.cards["Page per record"].click()
    dialog.title.setText("Delays of sailings")
    assert dialog.path == copy.parent / "delays-of-sailings.moor"
    dialog.begin.click()
    settle(window, qtbot)
    assert window.controller.path == copy.parent / "delays-of-sailings.moor"
    report = load_report(window.controller.path)
    assert report.title == "Delays of sailings"
    (block,) = report.editions[0].blocks
    assert isinstance(block, ForEachBlock)
    document = Session(Library.around(window.controller.path)).render(report)
    assert document.row_count > 19_000  # all rows, not only those that it was proposed from
    assert not [finding for finding in document.findings if finding.is_error]


def test_pages_are_turned_where_all_rows_need_more_room_than_the_first(
    dialog: NewReportDialog, copy: Path, qtbot: QtBot
) -> None:
    names = "abcde"
    with closing(sqlite3.connect(copy.parent.parent / "wide.sqlite")) as made:
        made.execute(f"create table tonnage ({', '.join(f'{name} integer' for name in names)})")
        rows = ([1] * len(names) if row < 3_000 else [10**15 + row] * len(names) for row in range(3_100))
        made.executemany(f"insert into tonnage values ({', '.join('?' * len(names))})", rows)
        made.commit()
    dialog.library.add(SqliteConnection(name="wide", database="wide.sqlite"))
    dialog.add_tables("wide", dialog.library.catalog("wide", CancelToken()).tables)
    read(dialog, "wide · tonnage", qtbot)
    tick(dialog, *names)
    kind = next(iter(dialog.found))
    qtbot.waitUntil(lambda: dialog.found[kind].editions[0].page.orientation == "landscape", timeout=20_000)


def test_a_query_goes_on_with_its_parameters(window: Window, dialog: NewReportDialog, qtbot: QtBot) -> None:
    read(dialog, "Query · fares", qtbot)
    assert dialog.begin.isEnabled()  # with all fields, until some are ticked
    tick(dialog, "season")
    assert set(dialog.found) == {"Listing", "Chart"}
    tick(dialog, "route", "fares")
    tick(dialog, "season")  # no longer
    assert set(dialog.found) == set(dialog.cards)
    assert [each.field.name for each in dialog.chosen.shown] == ["route", "fares"]
    dialog.cards["Grouped"].click()
    before = {parameter.name for parameter in window.controller.report.parameters}  # type: ignore[union-attr]
    dialog.begin.click()
    settle(window, qtbot)
    assert window.controller.report is not None
    assert {parameter.name for parameter in window.controller.report.parameters} == before
    table = window.controller.edition.tables[0]  # type: ignore[union-attr]
    assert [level.by for level in table.levels] == ["route"]
    assert [column.name for column in table.columns] == ["fares"]


def test_what_cannot_be_read_is_reported(window: Window, dialog: NewReportDialog, qtbot: QtBot) -> None:
    report = window.controller.report
    assert report is not None
    broken = report.query("fares").but(sql="select gone from nowhere")
    dialog._open = report.but(queries=tuple(broken if q.name == "fares" else q for q in report.queries))
    at = dialog.source.findText("Query · fares")
    dialog.source.setCurrentIndex(at)
    dialog.source.activated.emit(at)
    qtbot.waitUntil(lambda: not dialog.message.text().startswith(("Reading", "Select fields")), timeout=10_000)
    assert "nowhere" in dialog.message.text()
    assert not dialog.begin.isEnabled()


def choose(combo: QComboBox, data: object) -> None:
    combo.setCurrentIndex(combo.findData(data))
    combo.activated.emit(combo.currentIndex())


def take_role(dialog: NewReportDialog, field: str, label: str) -> None:
    """Let a field be something else, as its list says it."""
    at = [each.field.name for each in dialog.chosen.shown].index(field)
    box = dialog.chosen.roles[at]
    box.setCurrentText(label)
    box.activated.emit(box.currentIndex())


def test_each_field_is_what_one_says_in_the_order_one_says(dialog: NewReportDialog, qtbot: QtBot) -> None:
    read(dialog, "tarrow · sailings", qtbot)
    tick(dialog, "status", "departs_at", "delay_minutes", "vessel_id")
    dialog.cards["Grouped"].click()
    take_role(dialog, "departs_at", "Group")
    take_role(dialog, "delay_minutes", "Average")
    dialog.chosen.setCurrentRow(1)
    qtbot.keyClick(dialog.chosen, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)  # months outside of statuses
    choose(dialog.look, "zebra")
    choose(dialog.paper, "A5")
    choose(dialog.orientation, "landscape")
    (edition,) = dialog.found["Grouped"].editions
    (table,) = edition.tables
    assert [level.by for level in table.levels] == ["date_trunc('month', departs_at)", "status"]
    assert [cell.value for cell in table.total[0].cells if cell.value] == ["avg(delay_minutes)"]
    assert table.head_style == "table-head"
    assert (edition.page.size, edition.page.orientation) == ("A5", "landscape")
    (matrix,) = dialog.found["Matrix"].editions[0].data_blocks  # what is changed in one layout stays out of the others
    assert [level.name for level in matrix.rows] == ["departs_at"]
    dialog.cards["Matrix"].click()
    take_role(dialog, "departs_at", "Not shown")
    take_role(dialog, "vessel_id", "Columns")
    (matrix,) = dialog.found["Matrix"].editions[0].data_blocks if "Matrix" in dialog.found else (None,)
    assert matrix is None  # nothing makes its rows
    take_role(dialog, "status", "Rows")
    (matrix,) = dialog.found["Matrix"].editions[0].data_blocks
    assert [[level.name for level in side] for side in (matrix.rows, matrix.columns)] == [["status"], ["vessel_id"]]
    qtbot.keyClick(dialog.chosen, Qt.Key.Key_Delete)
    assert len(dialog.chosen.shown) == 3


def test_joined_rows_that_are_filtered_agree_with_sql(
    window: Window, dialog: NewReportDialog, copy: Path, tarrow: sqlite3.Connection, qtbot: QtBot
) -> None:
    read(dialog, "tarrow · sailings", qtbot)
    offered = dialog.panel.joinable()
    assert [(each.table.name, each.is_lookup) for each in offered[:2]] == [("routes", True), ("vessels", True)]
    dialog.panel.join_table(offered[1])
    qtbot.waitUntil(lambda: dialog.message.text().startswith("Select fields"), timeout=10_000)
    tick(dialog, "name", "delay_minutes")
    choose(dialog.filter.column, "delay_minutes")
    choose(dialog.filter.operator, ">=")
    dialog.filter.value.setCurrentText("many")
    dialog.filter.value.lineEdit().editingFinished.emit()  # type: ignore[union-attr]
    assert "'many' is no integer" in dialog.message.text()
    assert not dialog.begin.isEnabled()  # other rows are not what is wanted
    dialog.filter.value.setCurrentText("30")
    dialog.filter.value.lineEdit().editingFinished.emit()  # type: ignore[union-attr]
    dialog.cards["Grouped"].click()
    dialog.begin.click()
    settle(window, qtbot)
    rows = window.shown_document.rows["sailings"].table  # type: ignore[union-attr]
    sql = "select name, delay_minutes from sailings join vessels using (vessel_id) where delay_minutes >= 30"
    assert sorted(zip(*(rows[name].to_pylist() for name in ("name", "delay_minutes")), strict=True)) == sorted(
        tarrow.execute(sql)
    )


def test_readers_may_choose_the_rows(window: Window, dialog: NewReportDialog, qtbot: QtBot) -> None:
    read(dialog, "tarrow · sailings", qtbot)
    tick(dialog, "status", "delay_minutes")
    choose(dialog.filter.column, "status")
    qtbot.waitUntil(lambda: dialog.filter.value.findText("cancelled") >= 0, timeout=10_000)
    dialog.filter.asked.setChecked(True)
    dialog.begin.click()
    settle(window, qtbot)
    report = window.controller.report
    assert report is not None
    assert [(each.label, each.choices_from.value) for each in report.parameters] == [("Status", "status")]  # type: ignore[union-attr]
    window.controller.set_values({report.parameters[0].name: "cancelled"})
    settle(window, qtbot)
    assert set(window.shown_document.rows["sailings"].table["status"].to_pylist()) == {"cancelled"}  # type: ignore[union-attr]


def test_a_server_is_asked_only_when_its_tables_are_wanted(dialog: NewReportDialog, qtbot: QtBot) -> None:
    asked: list[str] = []
    dialog.panel.connect_wanted.connect(asked.append)
    dialog.panel.add_server("port")
    assert asked == []
    at = dialog.source.findText("port · connect and read its tables…")
    dialog.source.setCurrentIndex(at)
    dialog.source.activated.emit(at)
    assert asked == ["port"]
    assert not dialog.begin.isEnabled()
    tables = dialog.library.catalog("tarrow", CancelToken()).tables
    dialog.add_tables("port", tables)
    assert dialog.source.findText("port · connect and read its tables…") == -1
    assert dialog.source.currentText() == f"port · {tables[0].name}"
