"""Starting a report in the real window: rows chosen, fields ticked, a live page picked, and the report goes on."""

import sqlite3
from contextlib import closing
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from northmoor.app.start.new_report_dialog import NewReportDialog
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
    qtbot.waitUntil(lambda: dialog.message.text().startswith("Tick"), timeout=10_000)


def tick(dialog: NewReportDialog, *names: str) -> None:
    for name in names:
        items = map(dialog.fields.item, range(dialog.fields.count()))
        item = next(each for each in items if each is not None and each.data(Qt.ItemDataRole.UserRole) == name)
        is_ticked = item.checkState() == Qt.CheckState.Checked
        item.setCheckState(Qt.CheckState.Unchecked if is_ticked else Qt.CheckState.Checked)


def pages(dialog: NewReportDialog) -> set[str]:
    """The kinds of which a page is shown."""
    return {kind for kind, card in dialog.cards.items() if not card.icon().isNull()}


def test_a_report_is_begun_from_a_table(window: Window, dialog: NewReportDialog, copy: Path, qtbot: QtBot) -> None:
    read(dialog, "tarrow · sailings", qtbot)
    tick(dialog, "status", "departs_at", "delay_minutes")
    qtbot.waitUntil(lambda: len(pages(dialog)) == 4, timeout=20_000)
    dialog.cards["One page per record"].click()
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
    dialog._library.add(SqliteConnection(name="wide", database="wide.sqlite"))
    dialog.add_tables("wide", dialog._library.catalog("wide", CancelToken()).tables)
    read(dialog, "wide · tonnage", qtbot)
    tick(dialog, *names)
    kind = next(iter(dialog.found))
    qtbot.waitUntil(lambda: dialog.found[kind].editions[0].page.orientation == "landscape", timeout=20_000)


def test_a_query_goes_on_with_its_parameters(window: Window, dialog: NewReportDialog, qtbot: QtBot) -> None:
    read(dialog, "Query · fares", qtbot)
    assert dialog.begin.isEnabled()  # with all fields, until some are ticked
    tick(dialog, "season")
    assert set(dialog.found) == {"Listing"}
    tick(dialog, "route", "fares")
    tick(dialog, "season")  # no longer
    assert set(dialog.found) == {"Listing", "Grouped", "Matrix", "One page per record"}
    assert [dialog.fields.item(at).text() for at in range(2)] == ["1 · Route", "Route name"]  # type: ignore[union-attr]
    dialog.cards["Grouped"].click()
    before = {parameter.name for parameter in window.controller.report.parameters}  # type: ignore[union-attr]
    dialog.begin.click()
    settle(window, qtbot)
    assert window.controller.report is not None
    assert {parameter.name for parameter in window.controller.report.parameters} == before
    table = window.controller.edition.tables[0]  # type: ignore[union-attr]
    assert [level.by for level in table.levels] == ["route"]
    assert [column.name for column in table.columns] == ["fares"]


def test_what_cannot_be_read_is_told(window: Window, dialog: NewReportDialog, qtbot: QtBot) -> None:
    report = window.controller.report
    assert report is not None
    broken = report.query("fares").but(sql="select gone from nowhere")
    dialog._open = report.but(queries=tuple(broken if q.name == "fares" else q for q in report.queries))
    at = dialog.source.findText("Query · fares")
    dialog.source.setCurrentIndex(at)
    dialog.source.activated.emit(at)
    qtbot.waitUntil(lambda: not dialog.message.text().startswith(("Reading", "Tick")), timeout=10_000)
    assert "nowhere" in dialog.message.text()
    assert not dialog.begin.isEnabled()
