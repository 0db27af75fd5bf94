"""The Data workspace in the real window: connections, sentences, SQL, rows, columns, by mouse and keyboard."""

import socket
import sqlite3
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pyarrow.parquet as pq
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import (
    QApplication,
    QComboBox,
    QFileDialog,
    QLineEdit,
    QMenu,
    QMessageBox,
    QPushButton,
    QToolButton,
)
from pytestqt.qtbot import QtBot

from northmoor.app.data.connection_controller import ConnectionController
from northmoor.app.data.connection_dialog import ConnectionDialog
from northmoor.app.data.query import large_fetch
from northmoor.app.data.query.dialogs.compute_dialog import ComputeDialog
from northmoor.app.data.query.dialogs.condition_dialog import ConditionDialog
from northmoor.app.data.query.dialogs.detail_dialog import DetailDialog
from northmoor.app.data.query.dialogs.join_dialog import JoinDialog
from northmoor.app.data.query.dialogs.pivot_dialogs import PivotDialog
from northmoor.app.data.query.dialogs.relations_dialog import RelationsDialog
from northmoor.app.data.query.dialogs.sentence_dialogs import ColumnsDialog, FirstOfEachDialog, SortingDialog
from northmoor.app.data.query.dialogs.table_picker import TableDialog, TablePicker
from northmoor.app.data.query.dialogs.translate_dialog import TranslateDialog
from northmoor.app.data.query.sentence_context import SentenceContext
from northmoor.app.data.rows.parts_list import PartsList
from northmoor.app.data.workspace import DataWorkspace
from northmoor.app.widgets.menus import plain_text
from northmoor.app.widgets.preferences import Preferences
from northmoor.app.widgets.widget_tools import items_in_list
from northmoor.app.widgets.word_completer import WordCompleter
from northmoor.app.window import Window
from northmoor.core.errors import WrongPassword
from northmoor.core.model.data.connections import FilesConnection, PostgresqlConnection
from northmoor.core.model.data.queries import Query
from northmoor.core.sources.drivers.catalog import Catalog, CatalogColumn, CatalogTable, Routine, RoutineArgument
from northmoor.core.sources.library import Library
from tests.app.conftest import in_dialog, settle
from tests.servers import PASSWORD, PrivatePostgresql


@pytest.fixture
def data(window: Window, qtbot: QtBot) -> DataWorkspace:
    """The Data workspace with the query's rows shown."""
    window.show_workspace("data")
    rows_shown(window, qtbot, 94)
    return window.data


def rows_shown(window: Window, qtbot: QtBot, count: int) -> None:
    """Wait until so many rows are shown, whole."""
    pane = window.data.pane
    qtbot.waitUntil(
        lambda: (
            pane.rows is not None
            and pane.rows.is_whole
            and len(pane.rows.table) == count
            and f"{count:,} row" in pane.facts.text()
        ),
        timeout=20_000,
    )


def chips(data: DataWorkspace) -> list[str]:
    """The texts of the sentence's chips."""
    return [chip.text() for chip in data.sentence.findChildren(QToolButton) if chip.isVisibleTo(data.sentence)]


def click_chip(data: DataWorkspace, qtbot: QtBot, text: str) -> None:
    def found_chips() -> list[QToolButton]:
        shown = data.sentence.findChildren(QToolButton)
        return [c for c in shown if c.isVisibleTo(data.sentence) and text in c.text()]

    qtbot.waitUntil(lambda: bool(found_chips()), timeout=5_000)
    found = found_chips()
    qtbot.mouseClick(found[0], Qt.MouseButton.LeftButton)


def choose(qtbot: QtBot, text: str) -> None:
    """Choose an entry of the menu that has just opened."""
    qtbot.waitUntil(lambda: isinstance(QApplication.activePopupWidget(), QMenu), timeout=5_000)
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    actions: list[QAction] = [a for a in menu.actions() if text in plain_text(a)]
    assert actions, [plain_text(a) for a in menu.actions()]
    menu.close()
    actions[0].trigger()


def add_query(window: Window, **parts: Any) -> None:
    window.data.queries.add(Query(**parts))


def test_tables_can_be_browsed_searched_and_looked_into(window: Window, data: DataWorkspace, qtbot: QtBot) -> None:
    tree = data.panel.tree
    qtbot.waitUntil(lambda: tree.topLevelItem(0).childCount() >= 8)
    top = tree.topLevelItem(0)
    assert top.child(0).text(0) == "bookings"
    assert top.child(0).text(1) == "257,079"
    data.panel.search.setText("price")
    visible = [top.child(i).text(0) for i in range(top.childCount()) if not top.child(i).isHidden()]
    assert visible == ["bookings", "fares", "paid_bookings"]
    tree.setCurrentItem(top.child(0))
    tree.setFocus()
    before = window.controller.report
    qtbot.keyClick(tree, Qt.Key.Key_Space)
    rows_shown(window, qtbot, 200)
    assert data.pane.title.text() == "First rows"
    assert window.controller.report is before


@pytest.mark.parametrize(("width", "words"), [(1024, ""), (1280, "Check totals")])
def test_there_is_room_to_search_rows_also_in_a_small_window(
    window: Window, data: DataWorkspace, qtbot: QtBot, width: int, words: str
) -> None:
    window.resize(width, 700)
    qtbot.waitUntil(lambda: window.width() == width and data.pane.totals.text() == words)
    assert data.pane.filter.width() >= 110
    assert data.pane.totals.accessibleName() == "Check totals"


def test_rows_come_with_profiles_and_can_be_sorted_and_narrowed(
    window: Window, data: DataWorkspace, qtbot: QtBot
) -> None:
    model = data.pane.model
    assert model.index(0, 6).data() == "6,107.80"
    assert model.headerData(6, Qt.Orientation.Horizontal) == "fares"
    qtbot.waitUntil(lambda: len(data.pane.header.profiles) == 7)
    assert data.pane.header.message(0) == "route: text\n9 distinct values\n0 blank\nfrom IL-SK to TQ-SK"
    for _ in range(3):
        data.pane.header.sectionClicked.emit(6)
    qtbot.waitUntil(lambda: model.index(0, 6).data() == "143,545.60" or model.number(0) != 0)
    values = [float(model.index(row, 6).data().replace(",", "")) for row in range(94)]
    assert values == sorted(values, reverse=True)
    qtbot.keyClicks(data.pane.filter, "sule")
    qtbot.waitUntil(lambda: model.rowCount() == 10)
    assert data.pane.title.text() == "Rows · 10 seen"
    assert data.columns.editors["label"].text() == "Fares"


def test_columns_are_named_typed_totalled_and_hidden_as_undoable_steps(
    window: Window, data: DataWorkspace, qtbot: QtBot
) -> None:
    data.pane.header.sectionClicked.emit(5)
    label = data.columns.editors["label"]
    assert isinstance(label, QLineEdit)
    label.setText("Tickets sold")
    label.editingFinished.emit()
    assert window.controller.report.query("fares").columns[5].label == "Tickets sold"
    data.columns.editors["hidden"].click()
    assert window.controller.report.query("fares").columns[5].hidden
    kind = data.columns.editors["type"]
    kind.setText("decimal(9,1)")
    kind.editingFinished.emit()
    qtbot.waitUntil(
        lambda: data.pane.model is not None and str(data.pane.rows.types[5]) == "decimal(9,1)", timeout=10_000
    )
    data.columns.editors["type"].setText("pounds")
    data.columns.editors["type"].editingFinished.emit()
    assert window.controller.report.query("fares").columns[5].type == "decimal(9,1)"
    for _ in range(3):
        window.controller.undo()
    assert window.controller.report.query("fares").columns[5].label == "Tickets"
    settle(window, qtbot)


def test_a_column_is_renamed_in_one_step_with_all_its_uses(window: Window, data: DataWorkspace, qtbot: QtBot) -> None:
    before = window.controller.report
    data.pane.header.sectionClicked.emit(5)
    name = data.columns.editors["name"]
    name.setText("passengers")
    name.editingFinished.emit()
    report = window.controller.report
    assert "sum(b.quantity) as passengers," in report.query("fares").sql
    assert "sum(b.quantity) as passengers," in data.editor.text()
    assert "tickets" not in report.editions[0].model_dump_json(include={"blocks"}).replace(
        '"name":"tickets"', ""
    ).replace('"column":"tickets"', "")
    qtbot.waitUntil(lambda: data.pane.rows is not None and data.pane.rows.names[5] == "passengers", timeout=10_000)
    qtbot.waitUntil(lambda: data.columns.editors["name"].text() == "passengers")  # the first rows come before the rest
    data.columns.editors["name"].setText("fares")  # there is one already
    data.columns.editors["name"].editingFinished.emit()
    assert window.controller.report == report
    assert data.columns.editors["name"].text() == "passengers"
    data.columns.editors["name"].setText("begun")
    data.run()  # rows that arrive leave what is being typed
    qtbot.waitUntil(lambda: not data.worker.is_busy and data.pane.rows.is_whole, timeout=10_000)
    assert data.columns.editors["name"].text() == "begun"
    window.controller.undo()
    assert window.controller.report == before
    settle(window, qtbot)


def test_tables_are_found_by_what_their_owner_wrote_about_them(qtbot: QtBot) -> None:
    fee = CatalogColumn("fee", "DECIMAL(9, 2)", comment="Dues of the <b>harbour")
    tables = (CatalogTable("ports", (fee,), 7), CatalogTable("visits", (fee,), 90, comment="Ships at quays"))
    picker = TablePicker(SentenceContext(Catalog(tables)), ())
    qtbot.addWidget(picker)
    picker.search.setText("quays")
    assert picker.current().name == "visits"
    assert picker.note.text() == "visits: 1 column. Ships at quays"
    assert picker.rows.horizontalHeaderItem(0).toolTip() == "<p>Dues of the &lt;b&gt;harbour</p>"


def test_a_sentence_is_built_by_choosing_and_is_sql_at_every_step(
    window: Window, data: DataWorkspace, qtbot: QtBot, tarrow: sqlite3.Connection
) -> None:
    add_query(window, name="late", connection="tarrow")
    qtbot.waitUntil(lambda: chips(data) == ["a table …"])

    def take(dialog: TableDialog) -> None:
        dialog.picker.search.setText("sailings")
        dialog.accept()

    in_dialog(TableDialog, take)
    click_chip(data, qtbot, "a table")
    rows_shown(window, qtbot, 19_380)

    def join(dialog: JoinDialog) -> None:
        dialog.picker.search.setText("routes")
        qtbot.waitUntil(lambda: "find a match" in dialog.match.text(), timeout=10_000)
        assert dialog.match.text() == "19,380 rows so far: 19,380 find a match. 19,380 rows."
        dialog.accept()

    in_dialog(JoinDialog, join)
    click_chip(data, qtbot, "step")
    choose(qtbot, "join another table")
    assert "join routes on sailings.route_id = routes.route_id" in data.editor.text()

    def condition(dialog: ConditionDialog) -> None:
        dialog.left.setCurrentText("sailings.delay_minutes")
        dialog.operator.setCurrentIndex(dialog.operator.findData(">"))
        dialog.first.value.setCurrentText("30")
        dialog.accept()

    in_dialog(ConditionDialog, condition)
    click_chip(data, qtbot, "step")
    choose(qtbot, "where")
    qtbot.waitUntil(lambda: "delay_minutes is above 30" in chips(data))

    def totals(dialog: ColumnsDialog) -> None:
        for row in range(dialog.table.rowCount()):
            item, box = dialog.table.item(row, 0), dialog.table.cellWidget(row, 2)
            wanted = {"routes.code": "", "sailings.delay_minutes": "max", "sailings.sailing_id": "count"}
            item.setCheckState(Qt.CheckState.Checked if item.text() in wanted else Qt.CheckState.Unchecked)
            box.setCurrentIndex(box.findData(wanted.get(item.text(), "")))
            if item.text() == "routes.code":
                dialog.table.item(row, 1).setText("route")
        dialog.accept()

    in_dialog(ColumnsDialog, totals)
    click_chip(data, qtbot, "columns")

    def newest_first(dialog: SortingDialog) -> None:
        dialog.choice.setCurrentText("route")
        dialog._add()
        dialog._turn()
        dialog.accept()

    qtbot.waitUntil(lambda: any("max(" in text or "sailing_id" in text for text in chips(data)))
    in_dialog(SortingDialog, newest_first)
    click_chip(data, qtbot, "step")
    choose(qtbot, "sorted by")
    wanted = tarrow.execute(
        "select r.code, s.delay_minutes, s.sailing_id from sailings s join routes r using (route_id) where delay_minutes > 30"
    ).fetchall()
    by_route = {
        code: (max(d for c, d, _ in wanted if c == code), sum(c == code for c, _, _ in wanted)) for code, _, _ in wanted
    }
    rows_shown(window, qtbot, len(by_route))
    found = data.pane.rows.table.to_pylist()
    assert [row["route"] for row in found] == sorted(by_route, reverse=True)
    totals_by_name = ("max(sailings.delay_minutes)", "count(sailings.sailing_id)")
    assert {row["route"]: tuple(row[name] for name in totals_by_name) for row in found} == by_route
    names = [step.label for step in window.controller._steps]
    assert names[-4:] == ["Join routes", "Add a condition", "Choose columns", "Change the order"]
    settle(window, qtbot)


def test_sentence_and_sql_follow_each_other(window: Window, data: DataWorkspace, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: "status is paid" in chips(data))  # chips are shown with the next event
    sql = data.editor.text()
    data.editor.setText(sql.replace("b.status = 'paid'", "b.status in ('paid', 'refunded')"))
    qtbot.waitUntil(lambda: "status is one of paid, refunded" in chips(data), timeout=3_000)
    data.run()
    assert "in ('paid', 'refunded')" in window.controller.report.query("fares").sql
    click_chip(data, qtbot, "status is one of")
    choose(qtbot, "Remove")
    assert "b.status" not in data.editor.text()
    data.editor.setText("(select code from routes) union (select code from ports)")
    qtbot.waitUntil(lambda: chips(data) == [], timeout=3_000)
    rows = "select route_id from routes where"
    data.editor.setText(f"{rows} season = 'summer' and minutes > 60")
    qtbot.waitUntil(lambda: "season is summer" in chips(data), timeout=3_000)
    click_chip(data, qtbot, "and")
    assert data.editor.text().split("where ")[1].split() == ["season", "=", "'summer'", "or", "minutes", ">", "60"]
    window.controller.undo()
    settle(window, qtbot)


def test_a_password_is_asked_for_where_a_query_uses_the_connection_or_somebody_wants_it(
    window: Window, data: DataWorkspace, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked: list[str | None] = []
    read = Library.catalog

    def locked(self: Library, name: str, *more: Any, **others: Any) -> Any:
        if name == "harbour":
            raise WrongPassword("The server wants a password; give it.")
        return read(self, name, *more, **others)

    monkeypatch.setattr(Library, "catalog", locked)
    monkeypatch.setattr(ConnectionController, "ask", lambda _, name: asked.append(name))
    data.library.add(PostgresqlConnection(name="harbour", database="harbour", user="quay"))

    def read_all(begin: Callable[[], None]) -> None:
        is_it = {"check_params_cb": lambda found: found[0] == "harbour"}
        with qtbot.waitSignal(data.catalogs.catalog_read, timeout=10_000, **is_it):
            begin()
        qtbot.wait(20)  # it is asked for when what is going on is done

    read_all(data.catalogs.forget)
    assert asked == []
    read_all(lambda: data.catalogs.read("harbour", refresh=True))
    assert asked == ["harbour"]
    data.queries.add(Query(name="quays", connection="harbour", sql="select * from quays"))
    asked.clear()
    read_all(data.catalogs.forget)
    assert asked == ["harbour"]


def test_faults_are_underlined_while_sql_is_written_and_corrected_by_key_and_by_mouse(
    window: Window, data: DataWorkspace, qtbot: QtBot
) -> None:
    line, editor, steps = data.sql.faults, data.editor, window.controller.undo_label
    editor.setText("select code, minuts\nfrom routes where seson = :longest")
    qtbot.waitUntil(lambda: len(line.faults) == 3, timeout=5_000)
    assert line.text.text().endswith("routes has no column minuts. Did you mean minutes? 2 more are underlined.")
    assert line.correct.text() == "Write minutes"
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)
    editor.setFocus()
    qtbot.keyClick(editor, Qt.Key.Key_Return, Qt.KeyboardModifier.AltModifier)
    assert editor.text() == "select code, minutes\nfrom routes where seson = :longest"
    assert "Line 2</a>: routes has no column seson." in line.text.text()
    qtbot.mouseClick(line.correct, Qt.MouseButton.LeftButton)
    assert line.correct.text() == "Add :longest"
    assert window.controller.undo_label == steps  # nothing was run yet
    qtbot.mouseClick(line.correct, Qt.MouseButton.LeftButton)
    assert window.controller.report.parameters[-1].name == "longest"
    qtbot.waitUntil(lambda: not line.isVisible(), timeout=5_000)
    editor.setText("select code form routes")
    qtbot.waitUntil(lambda: line.correct.text() == "Write from", timeout=5_000)
    line.text.linkActivated.emit("#")
    assert editor.getCursorPosition() == (0, 12)
    editor.setText("select code name, count(*) from routes where season = 'summer\norder by 2")
    for wanted in ("Write 'summer'", "Write 'summer' group by code"):
        qtbot.waitUntil(lambda wanted=wanted: line.correct.text() == wanted, timeout=5_000)
        editor.setFocus()
        qtbot.keyClick(editor, Qt.Key.Key_Return, Qt.KeyboardModifier.AltModifier)


def test_sql_is_checked_without_running_and_a_missing_parameter_is_offered(
    window: Window, data: DataWorkspace, qtbot: QtBot
) -> None:
    data.editor.setText("select code, minutes from routes where minutes > :longest")
    with qtbot.waitSignal(data.checked, timeout=10_000):
        data.check_sql()
    assert "The SQL has :longest" in data.pane.message.text()
    assert data.pane.remedy.text() == "Add :longest"
    qtbot.mouseClick(data.pane.remedy, Qt.MouseButton.LeftButton)
    added = window.controller.report.parameters[-1]
    assert (added.name, added.kind, added.default) == ("longest", "integer", 0)
    rows_shown(window, qtbot, 9)
    data.editor.setText("select nix from routes")
    with qtbot.waitSignal(data.checked, timeout=10_000):
        data.check_sql()
    assert "no such column: nix" in data.pane.message.text()
    data.editor.setText("select code from routes")
    with qtbot.waitSignal(data.checked, timeout=10_000):
        data.check_sql()
    assert data.pane.message.text() == "tarrow would run it. Nothing was run."
    for _ in range(2):
        window.controller.undo()
    settle(window, qtbot)


def test_new_and_missing_columns_are_reported_and_settings_stay(
    window: Window, data: DataWorkspace, qtbot: QtBot
) -> None:
    settings = window.controller.report.query("fares").columns
    data.editor.setText("select code as route, season, minutes from routes")
    data.run()
    rows_shown(window, qtbot, 9)
    message = data.pane.message.text()
    assert "New: minutes." in message
    assert "Gone: route_name, month, sailings, tickets, fares." in message
    assert window.controller.report.query("fares").columns == settings
    window.controller.undo()
    settle(window, qtbot)


def test_queries_are_combined_linked_renamed_and_removed(window: Window, data: DataWorkspace, qtbot: QtBot) -> None:
    add_query(window, name="routes", connection="tarrow", sql="select code, season from routes where season = 'summer'")
    data.run()
    rows_shown(window, qtbot, 2)
    add_query(
        window,
        name="both",
        sql="select f.route, sum(f.fares) as fares from fares f join routes r on r.code = f.route group by f.route",
    )
    data.run()
    rows_shown(window, qtbot, 2)
    assert "The rows of fares, routes are combined." in data.plan.text()
    data.pick("fares")
    rows_shown(window, qtbot, 94)

    def link(dialog: DetailDialog) -> None:
        dialog.owner.setCurrentIndex(dialog.owner.findData("routes"))
        own, other = dialog.pairs[0]
        own.setCurrentIndex(own.findData("route"))
        other.setCurrentIndex(other.findData("code"))
        dialog.accept()

    in_dialog(DetailDialog, link)
    data.queries.ask_detail(window.controller.report.query("fares"))
    rows_shown(window, qtbot, 10)
    data.pick("routes")
    rows_shown(window, qtbot, 2)
    data.pane.record_menu_wanted.emit(0, 0, QPoint(400, 400))
    choose(qtbot, "Only what belongs to it in fares")
    rows_shown(window, qtbot, 5)
    assert "Only rows in which route is" in data.pane.message.text()
    data.queries.rename("routes", "summer_routes")
    assert window.controller.report.query("fares").detail_of.query == "summer_routes"
    data.queries.remove("summer_routes")
    assert [q.name for q in window.controller.report.queries] == [
        "fares",
        "years",
        "port_choices",
        "summer_routes",
        "both",
    ]
    assert "which is not defined" in window._notice.toolTip() or "not defined" in window._notice.text()
    settle(window, qtbot)


def test_a_query_is_shared_and_changing_it_names_its_reports(
    window: Window, data: DataWorkspace, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    data.queries.share(window.controller.report.query("fares"), "fares-shared")
    window.files.save()
    query = window.controller.report.query("fares")
    assert (query.shared, query.sql, query.connection) == ("fares-shared", "", None)
    qtbot.waitUntil(lambda: "status is paid" in chips(data))  # chips are shown with the next event
    settle(window, qtbot)
    said: list[str] = []

    def answer(box: QMessageBox) -> int:
        said.append(box.text())
        next(b for b in box.buttons() if "all" in b.text()).click()
        return 0

    monkeypatch.setattr(QMessageBox, "exec", answer)
    data.editor.setText(data.editor.text().replace("'paid'", "'refunded'"))
    data.run()
    assert "fares-by-route.moor" in said[0]
    library = Library.around(window.controller.path)
    assert "'refunded'" in library.shared_query("fares-shared").sql
    assert data.queries.make_own(window.controller.report.query("fares"))
    assert "'refunded'" in window.controller.report.query("fares").sql
    settle(window, qtbot)


@pytest.mark.parametrize(("answer", "kept"), [("Use the other version", "'theirs'"), ("Change for all", "'mine'")])
@pytest.mark.variants
def test_a_shared_query_that_someone_else_changed_is_not_replaced_unasked(
    window: Window, data: DataWorkspace, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, answer: str, kept: str
) -> None:
    data.queries.share(window.controller.report.query("fares"), "fares-shared")
    qtbot.waitUntil(lambda: "status is paid" in chips(data))
    settle(window, qtbot)
    library = Library.around(window.controller.path)
    shared = library.shared_query("fares-shared")
    data.editor.setText(data.editor.text().replace("'paid'", "'mine'"))
    library.save_shared_query("fares-shared", shared.but(sql=shared.sql.replace("'paid'", "'theirs'")))
    said: list[str] = []

    def press(box: QMessageBox) -> int:
        said.append(box.text())
        next(b for b in box.buttons() if b.text() == answer).click()
        return 0

    monkeypatch.setattr(QMessageBox, "exec", press)
    data.run()
    assert "Someone else has changed it" in said[0]
    assert kept in library.shared_query("fares-shared").sql
    assert kept in data.editor.text()
    settle(window, qtbot)


def test_saved_rows_are_used_when_the_connection_is_gone(window: Window, data: DataWorkspace, qtbot: QtBot) -> None:
    data.queries.save_rows(window.controller.report.query("fares"))
    stored = window.controller.report.query("fares").sample
    assert stored == "reports/fares-by-route.rows/fares.parquet"
    data.queries.use_saved(window.controller.report.query("fares"), True)
    rows_shown(window, qtbot, 94)
    assert "saved rows" in data.pane.message.text()
    settle(window, qtbot)
    assert any("saved rows" in str(finding) for finding in window.findings.found)


def test_totals_are_checked_and_rows_exported(
    window: Window,
    data: DataWorkspace,
    qtbot: QtBot,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    tarrow: sqlite3.Connection,
) -> None:
    qtbot.mouseClick(data.pane.totals, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: data.actions_of_rows.totals.view.model() is not None, timeout=5_000)
    table = data.actions_of_rows.totals.view.model().table
    cents = tarrow.execute(
        "select sum(quantity * cast(round(unit_price * 100) as integer)) from bookings join sailings using (sailing_id) where bookings.status = 'paid' and departs_at >= '2025-01-01'"
    ).fetchone()[0]
    assert int(table.cells[(), ()] * 100) == cents
    assert (len(table.rows), len(table.columns)) == (9, 12)
    data.actions_of_rows.totals.total.setCurrentIndex(data.actions_of_rows.totals.total.findData("count"))
    qtbot.waitUntil(lambda: data.actions_of_rows.totals.view.model().table.cells[(), ()] == 94, timeout=5_000)
    assert data.actions_of_rows.totals.measure.currentText() == "Fares"
    data.actions_of_rows.totals.close()
    target = tmp_path / "out.parquet"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(target), ""))
    data.actions_of_rows.ask_export()
    qtbot.waitUntil(lambda: "Written" in data.pane.message.text(), timeout=5_000)
    assert pq.read_table(target).num_rows == 94


def test_a_connection_is_tested_added_changed_and_removed(
    window: Window, data: DataWorkspace, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = tmp_path / "exports"
    folder.mkdir()
    (folder / "targets.csv").write_text("route,revenue\nTQ-SK,10.50\n")
    dialog = ConnectionDialog(window.controller.library, window.worker, None, window)
    qtbot.addWidget(dialog)
    dialog.kind.setCurrentIndex(dialog.kind.findData("files"))
    dialog.test()
    assert "File or folder is empty" in dialog.message.text()
    line = dialog.fields["path"].property("line")
    line.setText(str(tmp_path / "nowhere"))
    with qtbot.waitSignal(dialog.tested, timeout=5_000):
        dialog.test()
    assert "There is no file or folder" in dialog.message.text()
    line.setText(str(folder))
    with qtbot.waitSignal(dialog.tested, timeout=5_000):
        dialog.test()
    assert "Connected. 1 table" in dialog.message.text()
    dialog.accept()
    added = window.controller.library.connection("exports")
    assert isinstance(added, FilesConnection)
    assert added.path == "exports"
    data.catalogs.read()
    tree = data.panel.tree
    qtbot.waitUntil(
        lambda: (
            tree.topLevelItemCount() >= 2
            and any(
                tree.topLevelItem(i).child(0) and tree.topLevelItem(i).child(0).text(0) == "targets"
                for i in range(tree.topLevelItemCount())
            )
        ),
        timeout=5_000,
    )
    data.catalogs.query_from_table("exports", "targets")
    data.run()
    rows_shown(window, qtbot, 1)
    assert "on files of exports" in data.plan.text()
    monkeypatch.setattr(QMessageBox, "question", lambda *_: QMessageBox.StandardButton.Yes)
    data.catalogs.remove("exports")
    assert [c.name for c in Library.around(window.controller.path).connections.connections if c.name == "exports"] == []
    assert window.controller.report.query("targets").sql.startswith("select targets.route")
    settle(window, qtbot)


def test_esc_ends_waiting_for_a_server_that_does_not_answer(window: Window, data: DataWorkspace, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: {"office", "telemetry"} <= set(data.known_catalogs), timeout=20_000)
    with socket.create_server(("127.0.0.1", 0)) as silent:
        where = {"host": "127.0.0.1", "port": silent.getsockname()[1]}
        assert window.controller.library is not None
        window.controller.library.add(PostgresqlConnection(name="silent", database="tarrow", user="reader", **where))
        data.catalogs.read("silent")
        qtbot.waitUntil(lambda: window.actions_by_name["stop"].isEnabled(), timeout=5_000)
        with qtbot.waitSignal(data.catalogs.catalog_read, timeout=6_000) as read:
            window.actions_by_name["stop"].trigger()
    name, found = read.args[0]
    assert (name, str(found)) == ("silent", "Stopped.")
    qtbot.waitUntil(lambda: not window.actions_by_name["stop"].isEnabled(), timeout=5_000)


@pytest.mark.xdist_group("servers")
def test_a_server_is_connected_and_a_query_moves_to_it_without_losing_its_sql(
    window: Window, data: DataWorkspace, qtbot: QtBot, postgresql: PrivatePostgresql
) -> None:
    asked = postgresql.connection
    dialog = ConnectionDialog(window.controller.library, window.worker, None, window)
    qtbot.addWidget(dialog)
    dialog.kind.setCurrentIndex(dialog.kind.findData("postgresql"))
    dialog.name.setText("tarrow_pg")
    for name in ("host", "database", "user"):
        dialog.fields[name].setText(str(getattr(asked, name)))
    dialog.fields["port"].setValue(asked.port)
    dialog.password.setText("wrong")
    with qtbot.waitSignal(dialog.tested, timeout=15_000):
        dialog.test()
    assert "does not accept the password of reader" in dialog.message.text()
    dialog.password.setText(PASSWORD)
    with qtbot.waitSignal(dialog.tested, timeout=15_000):
        dialog.test()
    assert "Connected." in dialog.message.text()
    dialog.accept()
    assert PASSWORD not in (window.controller.library.root / "connections.json").read_text()
    add_query(
        window,
        name="fleet",
        connection="tarrow",
        sql="select name, ifnull(built, 0) as built from vessels where built > 2000",
    )
    data.run()
    rows_shown(window, qtbot, 4)

    def move(dialog: TranslateDialog) -> None:
        assert "COALESCE(built, 0) AS built" in dialog.sql()
        assert "SQLite computes decimals with doubles" in dialog.notes.text()
        dialog.compare.click()
        qtbot.waitUntil(lambda: "rows" in dialog.outcome.text(), timeout=15_000)
        assert dialog.outcome.text() == "4 and 4 rows; all that were compared are the same."
        dialog.accept()

    in_dialog(TranslateDialog, move)
    data.queries.change_connection("tarrow_pg")
    rows_shown(window, qtbot, 4)
    assert window.controller.report.query("fleet").connection == "tarrow_pg"
    assert "tarrow_pg (PostgreSQL)" in data.plan.text()
    assert "runs as: reader at localhost, read-only" in data.plan.text()
    data.catalogs.read()
    qtbot.waitUntil(lambda: "tarrow_pg" in data.catalogs.known, timeout=10_000)
    data.catalogs.query_from_routine("tarrow_pg", "season_totals(wanted text)")
    assert data.editor.text() == "select * from season_totals(:wanted)"
    settle(window, qtbot)


def test_every_control_of_data_has_a_name_and_a_tooltip(window: Window, data: DataWorkspace, qtbot: QtBot) -> None:
    data.pane.header.sectionClicked.emit(0)
    kinds = (QToolButton, QComboBox, QLineEdit)
    nameless = [
        (type(w).__name__, w.objectName())
        for kind in kinds
        for w in data.findChildren(kind)
        if w.isVisible() and not (w.toolTip() and (w.accessibleName() or getattr(w, "text", lambda: "")()))
        and not isinstance(w.parent(), QComboBox) and w.objectName() != "qt_spinbox_lineedit"
    ]  # fmt: skip
    assert nameless == []


def test_rows_follow_undo_and_parameter_values(window: Window, data: DataWorkspace, qtbot: QtBot) -> None:
    data.editor.setText("select code from routes where season = :season")
    data.run()
    rows_shown(window, qtbot, 0)
    assert "No row fits the parameter values" in data.pane.message.text()
    window.controller.set_value("season", "summer")
    rows_shown(window, qtbot, 2)
    window.controller.undo()
    rows_shown(window, qtbot, 10)
    window.controller.redo()
    rows_shown(window, qtbot, 2)
    window.controller.undo()
    settle(window, qtbot)


def test_typing_completes_tables_columns_and_parameters(window: Window, data: DataWorkspace, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: "tarrow" in data.catalogs.known)
    qtbot.wait(200)
    for typed, completed in (("bookin", "booking_id"), ("delay_m", "delay_minutes"), (":sea", ":season")):
        data.editor.setText("select ")
        data.editor.setCursorPosition(0, 7)
        data.editor.setFocus()
        qtbot.keyClicks(data.editor, typed)
        qtbot.waitUntil(data.editor.isListActive, timeout=3_000)
        qtbot.keyClick(data.editor, Qt.Key.Key_Tab)
        assert data.editor.text() == f"select {completed}"


def test_a_query_is_found_by_its_name(window: Window, data: DataWorkspace, qtbot: QtBot) -> None:
    add_query(window, name="fleet", connection="tarrow", sql="select name from vessels")
    window.show_workspace("pages")
    window.show_finder()
    qtbot.keyClicks(window._finder.line, "fares query")
    qtbot.keyClick(window._finder.line, Qt.Key.Key_Return)
    assert window.data.isVisible()
    rows_shown(window, qtbot, 94)
    assert data.query_name == "fares"
    settle(window, qtbot)


def test_columns_and_values_are_filtered_where_they_are(window: Window, data: DataWorkspace, qtbot: QtBot) -> None:
    before = window.controller.report
    rows = data.pane.rows
    season = rows.names.index("season")
    data.pane.column_menu_wanted.emit(season, QPoint(10, 10))
    choose(qtbot, "Let the reader choose a value")
    report = window.controller.report
    assert report.parameters[-1].model_dump(include={"name", "kind", "required", "choices_from"}) == {
        "name": "season_2", "kind": "text", "required": False,
        "choices_from": {"query": "season_2_list", "value": "season", "label": None},
    }  # fmt: skip
    assert "(:season_2 is null or r.season = :season_2)" in report.query("fares").sql
    assert report.query("season_2_list").sql.startswith("select distinct r.season as season\nfrom bookings b")
    rows_shown(window, qtbot, 94)
    window.controller.undo()
    assert window.controller.report == before
    settle(window, qtbot)
    data.pane.record_menu_wanted.emit(0, season, QPoint(10, 10))
    choose(qtbot, "All but all-year")
    assert "and r.season <> 'all-year'" in " ".join(window.controller.report.query("fares").sql.split())
    qtbot.waitUntil(
        lambda: data.pane.rows is not None and set(data.pane.rows.table.column("season").to_pylist()) == {"summer"},
        timeout=10_000,
    )
    qtbot.waitUntil(lambda: len(data.pane.header.profiles) == len(rows.names), timeout=10_000)
    data.pane.column_menu_wanted.emit(rows.names.index("route"), QPoint(10, 10))
    qtbot.waitUntil(lambda: isinstance(QApplication.activePopupWidget(), QMenu))
    offered = [plain_text(action) for action in QApplication.activePopupWidget().actions()]
    counts = Counter(data.pane.rows.table.column("route").to_pylist())
    assert [text for text in offered if "·" in text] == [f"Only {r}   ·   {n:,}" for r, n in counts.most_common()]
    QApplication.activePopupWidget().close()
    fares = rows.names.index("fares")
    data.pane.record_menu_wanted.emit(0, fares, QPoint(10, 10))
    choose(qtbot, "Only")
    assert "having round(sum(b.quantity * b.unit_price), 2) =" in window.controller.report.query("fares").sql
    qtbot.waitUntil(lambda: data.pane.rows is not None and data.pane.rows.table.num_rows == 1, timeout=10_000)
    data.pane.column_menu_wanted.emit(fares, QPoint(10, 10))
    choose(qtbot, "Let the reader choose a value")
    assert "fares is a total; filter it by a condition on totals." in data.pane.message.text()
    for _ in range(2):
        window.controller.undo()
    assert window.controller.report == before
    settle(window, qtbot)


def test_a_bar_of_what_is_in_a_column_keeps_only_its_rows(
    window: Window, data: DataWorkspace, qtbot: QtBot, tarrow: sqlite3.Connection
) -> None:
    add_query(window, name="weights", connection="tarrow", sql="select line_id, goods, weight_kg from waybill_lines")
    rows_shown(window, qtbot, 23_907)
    qtbot.waitUntil(lambda: len(data.pane.header.profiles) == 3, timeout=10_000)
    data.pane._click(2)
    parts = data.columns.parts
    assert parts.item(1).text() == "500 to below 1,000 · 4,464 rows"
    qtbot.mouseClick(parts.viewport(), Qt.MouseButton.LeftButton, pos=parts.visualItemRect(parts.item(1)).center())
    wanted = tarrow.execute("select count(*) from waybill_lines where weight_kg >= 500 and weight_kg < 1000")
    rows_shown(window, qtbot, wanted.fetchone()[0])
    data.pane._click(1)
    qtbot.waitUntil(lambda: parts.count() == 8, timeout=10_000)
    parts.setCurrentRow(0)
    chosen, _, _ = parts.item(0).text().partition(" · ")
    parts.setFocus()
    qtbot.keyClick(parts, Qt.Key.Key_Return)
    assert data.editor.text().rstrip().endswith(f"weight_kg >= 500 and weight_kg < 1000 and goods = '{chosen}'")
    qtbot.waitUntil(lambda: set(data.pane.rows.table["goods"].to_pylist()) == {chosen}, timeout=10_000)
    settle(window, qtbot)


def test_what_is_unusual_in_a_column_is_kept_by_a_click(
    window: Window, data: DataWorkspace, qtbot: QtBot, tarrow: sqlite3.Connection
) -> None:
    sql = (
        "select s.delay_minutes, case s.sailing_id when 7 then 'tq 7' else 'TQ-' || s.sailing_id end as code "
        "from sailings s"
    )
    add_query(window, name="delays", connection="tarrow", sql=sql)
    rows_shown(window, qtbot, 19_380)
    qtbot.waitUntil(lambda: len(data.pane.header.profiles) == 2, timeout=10_000)

    def keep(column: int, parts: PartsList, at: int) -> None:
        data.pane._click(column)
        qtbot.waitUntil(lambda: parts.count() > 0, timeout=10_000)
        item = parts.item(at % parts.count())
        qtbot.mouseClick(parts.viewport(), Qt.MouseButton.LeftButton, pos=parts.visualItemRect(item).center())

    forms = data.columns.forms
    keep(1, forms, 0)  # of the commonest form there are too many to name
    assert forms.item(0).text().startswith("AA-99999 as in TQ-1")
    assert [forms.item(n).text() for n in range(forms.count())][-1] == "a… 9 as in tq 7 · 1 row"
    assert data.editor.text() == sql
    keep(0, data.columns.far, 0)
    wanted = tarrow.execute("select count(*) from sailings where delay_minutes >= 18").fetchone()[0]
    assert data.columns.far.item(0).text() == f"18 and above · {wanted} rows"
    rows_shown(window, qtbot, wanted)
    window.controller.undo()
    rows_shown(window, qtbot, 19_380)
    qtbot.waitUntil(lambda: len(data.pane.header.profiles) == 2, timeout=10_000)
    keep(1, forms, -1)
    rows_shown(window, qtbot, 1)
    settle(window, qtbot)


def test_a_column_is_crossed_with_another_from_its_head(
    window: Window, data: DataWorkspace, qtbot: QtBot, tarrow: sqlite3.Connection
) -> None:
    data.editor.setText("select delay_minutes, status, vessel_id, season from sailings join routes using (route_id)")
    data.run()
    rows_shown(window, qtbot, 19_380)
    data.pane.column_menu_wanted.emit(3, QPoint(10, 10))
    choose(qtbot, "Cross it with another column")
    dialog = data.actions_of_rows.totals
    chosen = [box.currentData() for box in (dialog.down, dialog.across, dialog.total, dialog.measure)]
    assert chosen == ["season", "status", "count", "status"]
    qtbot.waitUntil(lambda: dialog.view.model() is not None, timeout=5_000)
    wanted = tarrow.execute("select season, status, count(*) from sailings join routes using (route_id) group by 1, 2")
    cells = dialog.view.model().table.cells
    assert {(season, status): n for season, status, n in wanted} == {
        (down[0], across[0]): n for (down, across), n in cells.items() if down and across and n is not None
    }
    dialog.close()


def test_columns_are_as_wide_as_what_they_show_now_or_as_somebody_wants(
    window: Window, data: DataWorkspace, qtbot: QtBot
) -> None:
    view = data.pane.view

    def widths(text: str) -> list[int]:
        data.editor.setText(f"select '{text}' as note, code from routes")
        data.run()
        qtbot.waitUntil(
            lambda: data.pane.rows is not None and data.pane.rows.table[0][0].as_py() == text, timeout=10_000
        )
        return [view.columnWidth(at) for at in (0, 1)]

    few, wide = widths("few"), widths("as wide as so many letters")
    assert (few[0] < wide[0], few[1]) == (True, wide[1])
    view.setColumnWidth(1, 222)
    assert widths("few") == [few[0], 222]
    settle(window, qtbot)


def test_sql_is_formatted_and_earlier_runs_are_gone_back_to(window: Window, data: DataWorkspace, qtbot: QtBot) -> None:
    first = data.editor.text()
    data.editor.setText("select code,name from routes -- all of them\n where minutes>0 and season<>'x'")
    data.run()
    rows_shown(window, qtbot, 9)
    data.sql.menu()
    choose(qtbot, "Format the SQL")
    assert data.editor.text() == (
        "select code,\n  name\nfrom routes -- all of them\nwhere minutes>0\n  and season<>'x'\n"
    )
    rows_shown(window, qtbot, 9)
    qtbot.waitUntil(lambda: len(data.sql.runs) == 3)
    assert [run.rows for run in data.sql.runs] == [9, 9, 94]
    data.sql.menu()
    choose(qtbot, "94 rows")
    assert data.editor.text() == first
    rows_shown(window, qtbot, 94)
    settle(window, qtbot)


def test_a_fault_is_marked_in_the_sentence_too(window: Window, data: DataWorkspace, qtbot: QtBot) -> None:
    data.editor.setText("select code from routes where nope = 1 and minutes > 30")
    data.run()
    qtbot.waitUntil(lambda: "no such column" in data.pane.message.text(), timeout=10_000)
    marked = [chip.text() for chip in data.sentence.findChildren(QToolButton) if chip.property("invalid")]
    assert marked == ["nope is 1"]
    window.controller.undo()
    settle(window, qtbot)


def test_how_a_column_is_computed_is_read_back_and_changed(window: Window, data: DataWorkspace, qtbot: QtBot) -> None:
    hand_written = (
        "SELECT s.delay_minutes,\n  CASE WHEN s.delay_minutes>15 THEN 'late' END"
        ' AS "my class" -- mine\nFROM sailings s\n'
    )
    data.editor.setText(hand_written)
    data.run()
    rows_shown(window, qtbot, 19_380)

    def change(act: Callable[[ComputeDialog], object]) -> None:
        in_dialog(ComputeDialog, act)
        data.pane.column_menu_wanted.emit(1, QPoint(10, 10))
        choose(qtbot, "Change how my class is computed")

    def look(dialog: ComputeDialog) -> None:
        assert dialog.kind.currentText().startswith("A value for each case")
        assert [dialog.cases.item(0, n).text() for n in (0, 1)] == ["s.delay_minutes>15", "'late'"]
        assert dialog.name.text() == "my class"
        dialog.accept()

    change(look)
    assert data.editor.text() == hand_written
    change(lambda dialog: (dialog.otherwise.setText("'in time'"), dialog.accept()))
    written = data.editor.text()
    assert "CASE WHEN s.delay_minutes>15 THEN 'late' ELSE 'in time' END AS \"my class\" -- mine" in written
    qtbot.waitUntil(lambda: "in time" in data.pane.rows.table.column("my class").to_pylist(), timeout=10_000)

    def edit(dialog: ColumnsDialog) -> None:
        in_dialog(ComputeDialog, lambda asked: (asked.name.setText("lateness"), asked.accept()))
        dialog.table.setCurrentCell(1, 0)
        next(b for b in dialog.findChildren(QPushButton) if b.text() == "Edit…").click()
        dialog.accept()

    in_dialog(ColumnsDialog, edit)
    click_chip(data, qtbot, "column")
    assert written.replace('AS "my class"', "AS lateness") == data.editor.text()


def test_columns_are_computed_and_the_first_of_each_taken_by_choosing(
    window: Window, data: DataWorkspace, qtbot: QtBot, tarrow: sqlite3.Connection
) -> None:
    data.editor.setText(
        "select r.season, r.code, s.delay_minutes -- in minutes\nfrom sailings s\njoin routes r using (route_id)\n"
    )
    data.run()
    rows_shown(window, qtbot, 19_380)

    def bins(dialog: ComputeDialog) -> None:
        dialog.kind.setCurrentIndex(2)
        dialog.binned.setCurrentText("s.delay_minutes")
        dialog.width_of_bins.setText("15")
        dialog.name.setText("delay class")
        qtbot.waitUntil(lambda: bool(dialog.values.text()), timeout=10_000)
        dialog.accept()

    in_dialog(ComputeDialog, bins)
    click_chip(data, qtbot, "step")
    choose(qtbot, "compute a column")
    assert '* 15 as "delay class"' in data.editor.text()
    rows_shown(window, qtbot, 19_380)
    assert list(data.pane.rows.names) == ["season", "code", "delay_minutes", "delay class"]

    def largest(dialog: FirstOfEachDialog) -> None:
        dialog.within.setCurrentText("r.code")
        dialog.order.setCurrentText("s.delay_minutes")
        dialog.count.setCurrentText("2")
        dialog.accept()

    in_dialog(FirstOfEachDialog, largest)
    click_chip(data, qtbot, "step")
    choose(qtbot, "the first rows of each")
    assert "-- in minutes" in data.editor.text()
    rows_shown(window, qtbot, 18)
    wanted = {
        code: [d for (d,) in tarrow.execute(
            "select delay_minutes from sailings join routes using (route_id) where code = ? order by 1 desc limit 2", (code,)
        )]
        for (code,) in tarrow.execute("select code from routes")
    }  # fmt: skip
    found: dict[str, list[int]] = {}
    for row in data.pane.rows.table.to_pylist():
        found.setdefault(row["code"], []).append(row["delay_minutes"])
    assert {code: sorted(delays, reverse=True) for code, delays in found.items()} == wanted
    assert chips(data)[0] == "numbered"
    written = data.editor.text()

    def again(change: Callable[[FirstOfEachDialog], object]) -> None:
        in_dialog(FirstOfEachDialog, lambda dialog: (change(dialog), dialog.accept()))
        click_chip(data, qtbot, "the first 2 of each code by delay_minutes ↓")
        choose(qtbot, "Change")

    again(lambda _: None)
    assert data.editor.text() == written
    again(lambda dialog: (dialog.within.setCurrentText("r.season"), dialog.direction.setCurrentIndex(1)))
    assert data.editor.text() == written.replace(
        "partition by r.code order by s.delay_minutes desc", "partition by r.season order by s.delay_minutes"
    )
    rows_shown(window, qtbot, 2 * len(set(tarrow.execute("select season from routes"))))
    for _ in range(3):
        window.controller.undo()
    settle(window, qtbot)


def test_rows_of_a_run_before_are_greyed_and_called_old(window: Window, data: DataWorkspace, qtbot: QtBot) -> None:
    data.editor.setText("select nope from routes")
    data.run()
    qtbot.waitUntil(lambda: data.pane.facts.text() == "rows of the run before", timeout=10_000)
    assert data.pane.view.property("old")
    window.controller.undo()
    rows_shown(window, qtbot, 94)
    assert not data.pane.view.property("old")


def test_columns_for_values_are_read_back_and_changed(window: Window, data: DataWorkspace, qtbot: QtBot) -> None:
    hand_written = (
        "SELECT route_id, count(*) AS n, -- by state\n  SUM(CASE WHEN status='cancelled' THEN 1 END) AS off,\n"
        "  sum(case when status = 'lost' then 1 end) as lost\nFROM sailings\nGROUP BY route_id\n"
    )
    data.editor.setText(hand_written)
    data.run()
    qtbot.waitUntil(lambda: data.pane.rows is not None and "off" in data.pane.rows.names, timeout=10_000)

    def states(dialog: PivotDialog) -> dict[str, bool]:
        qtbot.waitUntil(lambda: dialog.values.count() > 2, timeout=10_000)
        items = items_in_list(dialog.values)
        return {item.text().split("   ")[0]: item.checkState() == Qt.CheckState.Checked for item in items}

    def look(dialog: PivotDialog) -> None:
        assert states(dialog) == {"cancelled": True, "lost": True, "sailed": False}
        assert (dialog.across.currentText(), dialog.value.currentText()) == ("status", "1")
        for column in ("route_id", "status"):  # away and back: the values are those of the column that is chosen
            dialog.across.setCurrentText(column)
            dialog.across.activated.emit(0)
            qtbot.waitUntil(lambda: dialog.message.text().startswith("Tick"), timeout=10_000)
        assert states(dialog) == {"cancelled": True, "lost": True, "sailed": False}
        dialog.accept()

    in_dialog(PivotDialog, look)
    click_chip(data, qtbot, "sum of 1 by status")
    assert data.editor.text() == hand_written

    def change(dialog: PivotDialog) -> None:
        assert states(dialog)["lost"]
        items_in_list(dialog.values)[1].setCheckState(Qt.CheckState.Unchecked)
        items_in_list(dialog.values)[2].setCheckState(Qt.CheckState.Checked)
        dialog.accept()

    in_dialog(PivotDialog, change)
    data.pane.column_menu_wanted.emit(2, QPoint(10, 10))
    choose(qtbot, "Change how off is computed")
    lost = "sum(case when status = 'lost' then 1 end) as lost"
    assert data.editor.text() == hand_written.replace(lost, "sum(CASE WHEN status = 'sailed' THEN 1 END) as sailed")
    qtbot.waitUntil(lambda: "sailed" in data.pane.rows.names, timeout=10_000)


def test_an_expression_in_a_query_is_computed_as_on_the_page(
    window: Window, data: DataWorkspace, qtbot: QtBot, tarrow: sqlite3.Connection
) -> None:
    data.editor.setText("select s.sailing_id, s.delay_minutes from sailings s order by s.sailing_id\n")
    data.run()
    rows_shown(window, qtbot, 19_380)

    def hours(dialog: ComputeDialog) -> None:
        completer = dialog.expression.findChild(WordCompleter)
        dialog.expression.setFocus()
        qtbot.keyClicks(dialog.expression, "dela")
        assert completer.offered == ["s.delay_minutes"]
        qtbot.keyClick(completer._completer.popup(), Qt.Key.Key_Tab)
        qtbot.keyClicks(dialog.expression, " + rou")
        assert completer.offered == ["s.route_id", "round(x, 2)"]
        qtbot.keyClick(completer._completer.popup(), Qt.Key.Key_Down)
        qtbot.keyClick(completer._completer.popup(), Qt.Key.Key_Down)
        qtbot.keyClick(completer._completer.popup(), Qt.Key.Key_Return)
        assert dialog.expression.toPlainText() == "s.delay_minutes + round(x, 2)"
        assert dialog.expression.textCursor().selectedText() == "x"
        qtbot.keyClicks(dialog.expression, "lo")
        assert completer.offered == []  # SQLite has no lower() as on the page
        dialog.expression.setPlainText("lower(s.status)")
        qtbot.waitUntil(lambda: "SQLite has no counterpart of lower()" in dialog.fault.text(), timeout=10_000)
        dialog.expression.setPlainText("s.delay_minutes / 60")
        dialog.name.setText("hours")
        qtbot.waitUntil(lambda: bool(dialog.values.text()), timeout=10_000)
        assert dialog.fault.text() == ""
        dialog.accept()

    in_dialog(ComputeDialog, hours)
    click_chip(data, qtbot, "step")
    choose(qtbot, "compute a column")
    assert "cast(s.delay_minutes as real) / 60 as hours" in data.editor.text()
    rows_shown(window, qtbot, 19_380)
    wanted = tarrow.execute("select delay_minutes / 60.0 from sailings order by sailing_id")
    assert data.pane.rows.table["hours"].to_pylist() == [hours for (hours,) in wanted]


def test_a_condition_is_a_period_in_words_that_the_reader_can_change(
    window: Window, data: DataWorkspace, qtbot: QtBot
) -> None:
    data.editor.setText("select sailing_id, departs_at from sailings\n")
    data.run()
    rows_shown(window, qtbot, 19_380)

    def fill(dialog: ConditionDialog) -> None:
        dialog.left.setCurrentText("departs_at")
        dialog.operator.setCurrentIndex(dialog.operator.findData("period"))
        dialog.period.setCurrentText("last month")
        dialog.accept()
        assert "can mean two things; write last full month" in dialog.fault.text()
        dialog.period.setCurrentText("last full month")
        dialog.accept()

    in_dialog(ConditionDialog, fill)
    click_chip(data, qtbot, "step")
    choose(qtbot, "where")
    assert "where departs_at >= :departs_at_from and departs_at < :departs_at_to" in data.editor.text()
    assert window.controller.report.parameter("departs_at").default == "last full month"
    qtbot.waitUntil(lambda: 0 < data.pane.rows.table.num_rows < 19_380, timeout=10_000)
    window.controller.undo()
    assert all(parameter.name != "departs_at" for parameter in window.controller.report.parameters)
    assert ":departs_at" not in data.editor.text()


def test_a_routine_gives_a_query_and_its_parameters_in_one_step(window: Window, data: DataWorkspace) -> None:
    routine = Routine("totals", (RoutineArgument("port", "integer"), RoutineArgument("untyped")), is_procedure=False)
    data.catalogs.known["tarrow"] = Catalog(routines=(routine,))
    data.catalogs.query_from_routine("tarrow", "totals(port integer, untyped)")
    report = window.controller.report
    assert report.query("totals").sql == "select * from totals(:port, :untyped)"
    assert report.parameter("port").kind == "integer"
    window.controller.undo()
    assert all(each.name != "port" for each in window.controller.report.parameters)
    assert all(each.name != "totals" for each in window.controller.report.queries)


def test_very_many_rows_are_fetched_only_when_that_is_wanted(
    window: Window, data: DataWorkspace, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(large_fetch, "read_preferences", lambda _: Preferences(ask_above=10_000))
    data.editor.setText("select sailing_id, delay_minutes from sailings")
    data.run()
    asked = "It would fetch 19,380 rows, about 310.1 kB. Add a condition or totals"
    qtbot.waitUntil(lambda: data.pane.message.text().startswith(asked), timeout=10_000)
    assert data.pane.rows is None or (data.pane.rows.table.num_rows != 19_380 and data.pane.are_old)
    assert "would fetch: 19,380 rows at most, about 310.1 kB" in data.plan.text()
    data.editor.setText("select sailing_id from sailings where delay_minutes > 30")  # few: counted, and fetched at once
    data.run()
    qtbot.waitUntil(lambda: data.pane.rows is not None and data.pane.rows.names == ("sailing_id",), timeout=10_000)
    data.editor.setText("select sailing_id, delay_minutes from sailings")
    data.run()
    qtbot.waitUntil(lambda: data.pane.remedy.isVisible(), timeout=10_000)
    data.pane.show_message("something else", "quiet")
    data.run()  # asked again, though nothing has changed
    assert data.pane.message.text().startswith(asked)
    qtbot.mouseClick(data.pane.remedy, Qt.MouseButton.LeftButton)
    rows_shown(window, qtbot, 19_380)
    assert "Reads sailings, and sends the rows. The largest table, sailings, has 19,380 rows." in data.plan.text()
    assert "fetched: 19,380 rows, " in data.plan.text()
    assert "would fetch" not in data.plan.text()
    data.run()  # wanted once, not asked again
    assert not data.pane.message.text()


def test_a_table_is_joined_from_the_map_of_relations(window: Window, data: DataWorkspace, qtbot: QtBot) -> None:
    data.editor.setText("select sailing_id from sailings\n")
    data.run()
    rows_shown(window, qtbot, 19_380)
    shown: list[str] = []

    def walk(dialog: RelationsDialog) -> None:
        assert not dialog.take.isEnabled()  # it is taken already
        box = next(box for relation, box in dialog.map.boxes if relation.table == "routes")
        qtbot.mouseClick(box, Qt.MouseButton.LeftButton)
        assert dialog.take.text() == "Join routes …"
        assert any(relation.table == "sailings" for relation, _ in dialog.map.boxes)
        in_dialog(JoinDialog, join)
        dialog.accept()

    def join(dialog: JoinDialog) -> None:
        shown.append(dialog.picker.current().name)
        dialog.accept()

    in_dialog(RelationsDialog, walk)
    click_chip(data, qtbot, "sailings")
    choose(qtbot, "Its relations")
    assert shown == ["routes"]
    assert "join routes on sailings.route_id = routes.route_id" in data.editor.text()
