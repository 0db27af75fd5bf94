"""Signal logs in the real window: from an unknown log to one voyage's figures, by choosing; faults in a sentence."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication, QComboBox, QDialog, QMenu, QToolButton
from pytestqt.qtbot import QtBot

from northmoor.app.data.catalog_tree import Node
from northmoor.app.data.signals.log_dialog import LogDialog
from northmoor.app.data.signals.measurements_dialog import MeasurementsDialog
from northmoor.app.data.signals.spans_dialog import SpansDialog
from northmoor.app.data.workspace import DataWorkspace
from northmoor.app.window import Window
from northmoor.core.model.blocks.chart import ChartBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.data.queries import Query
from northmoor.core.model.data.signal_queries import MeasurementsQuery, SpansQuery
from northmoor.demo.data.telemetry import telemetry_log
from tests.app.conftest import settle

PATIENCE = 20_000


@pytest.fixture
def data(new_window: Callable[[], Window], copy: Path, qtbot: QtBot) -> DataWorkspace:
    """The Data workspace of a library that does not know yet that the telemetry is a log."""
    file = copy.parent.parent / "connections.json"
    known = json.loads(file.read_text())
    for connection in known["connections"]:
        connection.pop("logs", None)
    file.write_text(json.dumps(known))
    window = new_window()
    assert window.open(copy)
    settle(window, qtbot)
    window.show_workspace("data")
    found = window.data
    qtbot.waitUntil(lambda: "telemetry" in found.known_catalogs and found.pane.rows is not None, timeout=PATIENCE)
    return found


def in_dialog(kind: type[QDialog], fill: Callable[[Any], None], qtbot: QtBot, problems: list[Exception]) -> None:
    """When a dialog of a kind is open, fill it in; a failure closes it and is kept for the end."""

    def look() -> None:
        dialog = QApplication.activeModalWidget()
        if not isinstance(dialog, kind):
            QTimer.singleShot(20, look)
            return
        try:
            fill(dialog)
        except Exception as error:  # noqa: BLE001  # an open dialog would hang the test
            problems.append(error)
            dialog.reject()

    QTimer.singleShot(20, look)


def choose(data: DataWorkspace, text: str, open_menu: Callable[[], None]) -> None:
    """Choose an entry of a menu by its text."""

    def look() -> None:
        menu = QApplication.activePopupWidget()
        if not isinstance(menu, QMenu):
            QTimer.singleShot(20, look)
            return
        (action,) = [a for a in menu.actions() if a.text().replace("&", "") == text]
        menu.hide()
        QTimer.singleShot(0, action.trigger)

    QTimer.singleShot(20, look)
    open_menu()


def table_menu(data: DataWorkspace) -> Callable[[], None]:
    return lambda: data.catalogs.menu(Node("table", "telemetry", "log"), QPoint(100, 100))


def is_filled(data: DataWorkspace, count: int) -> Callable[[], bool]:
    return lambda: data.pane.rows is not None and data.pane.rows.is_whole and data.pane.rows.table.num_rows == count


@pytest.mark.slow
def test_from_an_unknown_log_to_the_figures_of_one_voyage(data: DataWorkspace, qtbot: QtBot) -> None:
    problems: list[Exception] = []

    def declare(dialog: LogDialog) -> None:
        qtbot.waitUntil(lambda: dialog.survey is not None and dialog.signals.rowCount() == 12, timeout=PATIENCE)
        assert "102,787 readings of 12 signals of Curlew, Dunlin" in dialog.understood.text()
        natures = {dialog.signals.item(row, 0).text(): dialog.signals.cellWidget(row, 3) for row in range(12)}
        assert isinstance(natures["fuel_flow"], QComboBox)
        assert (natures["fuel_flow"].currentText(), natures["fuel_level"].currentText()) == ("Rate, per hour", "Linear")
        dialog.signals.item([*natures].index("speed"), 2).setText("kn")
        dialog.accept()
        assert dialog.fault.text() == ""

    in_dialog(LogDialog, declare, qtbot, problems)
    choose(data, "Use as a signal log …", table_menu(data))
    qtbot.waitUntil(
        lambda: data.signals.log_of_table("telemetry", "log") is not None or bool(problems), timeout=PATIENCE
    )
    assert problems == []
    log = data.signals.log_of_table("telemetry", "log")
    assert log is not None
    assert (log.known("speed").unit, log.known("voyage_id").type, log.separator) == ("kn", "text", ".")
    kept = json.loads((data.library.root / "connections.json").read_text())["connections"]
    assert next(c for c in kept if c["name"] == "telemetry")["logs"][0]["name"] == "log"  # for all reports

    def spans(dialog: SpansDialog) -> None:
        assert dialog.query().by == "voyage_id"  # the only text is proposed as the id
        assert dialog.query().condition == "underway = 1"
        dialog.objects.line.setText("Curlew")
        dialog.period.put("2025-06-03", "2025-06-03")
        qtbot.waitUntil(lambda: "6 spans" in dialog.strip.note.text(), timeout=PATIENCE)
        dialog.accept()

    in_dialog(SpansDialog, spans, qtbot, problems)
    choose(data, "Spans of it …", table_menu(data))
    qtbot.waitUntil(lambda: is_filled(data, 6)() or bool(problems), timeout=PATIENCE)
    assert problems == []
    words = " ".join(data.signals.sentence.words)
    assert words == "Spans of Curlew by voyage_id while underway = 1 in 2025-06-03"
    qtbot.waitUntil(lambda: "entry.tag in (:signals)" in data.editor.text(), timeout=PATIENCE)
    assert data.editor.isReadOnly()
    assert data.sql_title.text() == "The log's query"

    def measure(dialog: MeasurementsDialog) -> None:
        assert dialog.over.currentText() == "each of spans"
        qtbot.waitUntil(lambda: dialog.signals.tree.topLevelItem(0).text(3) != "", timeout=PATIENCE)
        dialog.accept()
        assert dialog.fault.text() == "Tick the signals that are measured."
        for name in ("speed", "fuel_flow"):
            dialog.signals.tick(name)
        dialog.on_page.setCurrentIndex(dialog.on_page.findData("table"))
        dialog.accept()

    in_dialog(MeasurementsDialog, measure, qtbot, problems)
    choose(data, "Measure its signals …", table_menu(data))
    qtbot.waitUntil(lambda: is_filled(data, 12)() or bool(problems), timeout=PATIENCE)
    assert problems == []
    report = data.controller.report
    assert report is not None
    made = report.query("measured")
    assert isinstance(made.signals, MeasurementsQuery)
    assert made.signals.signals == ("speed", "fuel_flow")
    assert made.detail_of is not None
    assert made.detail_of.query == "spans"  # blocks in a for-each over the spans show their own
    assert next(c for c in made.columns if c.name == "mean").label == "Mean over time"
    table = data.controller.edition.blocks[-1]
    assert isinstance(table, TableBlock)
    assert [c.title for c in table.columns][:3] == ["Object", "Name", "Unit"]

    def trend(dialog: MeasurementsDialog) -> None:
        for name in ("speed", "fuel_flow", "heading"):
            dialog.signals.tick(name)
        dialog.on_page.setCurrentIndex(dialog.on_page.findData("trend"))
        assert dialog.give.currentData() == "outline"
        dialog.accept()

    in_dialog(MeasurementsDialog, trend, qtbot, problems)
    choose(data, "Measure its signals …", table_menu(data))
    qtbot.waitUntil(
        lambda: isinstance(data.controller.edition.blocks[-1], ChartBlock) or bool(problems), timeout=PATIENCE
    )
    assert problems == []
    chart = data.controller.edition.blocks[-1]
    axes = [(measure.title, measure.axis) for measure in chart.measures]
    assert axes == [("speed, kn", "first"), ("fuel_flow", "second"), ("heading", "second")]  # an axis for each unit
    settle(data.window(), qtbot)
    assert [f for f in data.window()._rendered.document.findings if f.place.block == chart.name] == []
    for _ in range(5):
        data.controller.undo()
    assert [q.name for q in data.controller.report.queries if q.signals is not None] == []


@pytest.fixture
def voyage(new_window: Callable[[], Window], copy: Path, demo: Path, qtbot: QtBot) -> Window:
    """The voyage report, its spans shown in Data."""
    target = copy.parent / "voyage-report.moor"
    target.write_bytes((demo / "reports" / "voyage-report.moor").read_bytes())
    window = new_window()
    assert window.open(target)
    settle(window, qtbot)
    window.show_workspace("data")
    window.data.pick("voyage")
    qtbot.waitUntil(is_filled(window.data, 1), timeout=PATIENCE)
    return window


def test_a_chip_opens_the_dialog_at_its_field_and_the_cut_is_pictured(voyage: Window, qtbot: QtBot) -> None:
    data, problems = voyage.data, []
    strip = data.signals.strip
    qtbot.waitUntil(lambda: "1 span from 15 Jun 2025" in strip.note.text(), timeout=PATIENCE)
    before = strip.drawing.grab().toImage()
    assert [strip.objects.itemText(at) for at in range(strip.objects.count())] == ["Curlew"]

    def change(dialog: SpansDialog) -> None:
        qtbot.waitUntil(dialog.condition.hasFocus)
        dialog.condition.setText("underway = 1 and")
        dialog.accept()
        assert "cannot be understood" in dialog.fault.text()
        dialog.condition.setText("doors = 0")
        qtbot.keyClick(dialog.condition, Qt.Key.Key_Return)

    in_dialog(SpansDialog, change, qtbot, problems)
    chips = [chip for chip in data.signals.sentence.findChildren(QToolButton) if chip.text() == "underway = 1"]
    chips[-1].click()
    assert problems == []
    qtbot.waitUntil(lambda: "while doors = 0" in " ".join(data.signals.sentence.words), timeout=PATIENCE)
    qtbot.waitUntil(lambda: not is_same(strip.drawing.grab().toImage(), before), timeout=PATIENCE)
    report = data.controller.report
    assert report is not None
    assert isinstance(report.query("voyage").signals, SpansQuery)
    assert report.query("voyage").signals.condition == "doors = 0"
    data.controller.undo()
    qtbot.waitUntil(lambda: "while underway = 1" in " ".join(data.signals.sentence.words), timeout=PATIENCE)


def is_same(one: QImage, other: QImage) -> bool:
    return one == other


def test_a_signal_that_is_not_there_is_named_and_the_query_can_be_changed(voyage: Window, qtbot: QtBot) -> None:
    data = voyage.data
    report = data.controller.report
    assert report is not None
    query = report.query("figures")
    assert isinstance(query.signals, MeasurementsQuery)
    wrong = query.but(signals=query.signals.but(signals=("sped",)))
    changed = tuple(wrong if q.name == "figures" else q for q in report.queries)
    assert data.controller.edit("Change", lambda r, _: r.but(queries=changed))
    data.pick("figures")
    qtbot.waitUntil(lambda: "has no signal sped. Did you mean speed?" in data.pane.message.text(), timeout=PATIENCE)
    assert "Measure sped" in " ".join(data.signals.sentence.words)


def test_the_menu_of_new_queries_offers_the_logs_of_the_library(voyage: Window) -> None:
    texts = [text for text, _ in voyage.data.entries_of_logs()]
    assert texts == ["", "Spans of the log log of telemetry …", "Measure signals of the log log of telemetry …"]
    assert voyage.data.signals.log_of_table("telemetry", "log") == telemetry_log()
    voyage.data.signals.forget_log("telemetry", "log")
    assert voyage.data.entries_of_logs() == []


def test_the_rows_of_a_query_become_a_log(data: DataWorkspace, qtbot: QtBot) -> None:
    problems: list[Exception] = []
    sql = (
        "select substr(tag, 8) as what, at, cast(value as real) as v from log "
        "where tag in ('Curlew.underway', 'Curlew.speed') and at < '2025-06-04'"
    )
    data.queries.add(Query(name="raw", connection="telemetry", sql=sql))
    qtbot.waitUntil(lambda: data.pane.rows is not None and data.pane.rows.query == "raw", timeout=PATIENCE)
    qtbot.waitUntil(lambda: data.entries_of_query(data.current())[1][1] is not None, timeout=PATIENCE)

    def declare(dialog: LogDialog) -> None:
        qtbot.waitUntil(lambda: dialog.signals.rowCount() == 2, timeout=PATIENCE)
        assert (dialog.signal.currentText(), dialog.time.currentText()) == ("what", "at")
        dialog.accept()

    in_dialog(LogDialog, declare, qtbot, problems)
    ((_, _), (text, run)) = data.entries_of_query(data.current())
    assert text == "Use its rows as a signal log …"
    run()
    assert problems == []
    log = data.current().log
    assert log is not None
    assert (log.name, log.table, [signal.name for signal in log.signals]) == ("raw", None, ["speed", "underway"])

    def spans(dialog: SpansDialog) -> None:
        assert dialog.query().condition == "underway = 1"
        qtbot.waitUntil(lambda: " spans from " in dialog.strip.note.text(), timeout=PATIENCE)
        pictured.append(int(dialog.strip.note.text().split()[0]))
        dialog.accept()

    pictured: list[int] = []
    in_dialog(SpansDialog, spans, qtbot, problems)
    (offer,) = [run for text, run in data.entries_of_logs() if text == "Spans of the rows of raw …"]
    offer()
    assert problems == []
    qtbot.waitUntil(is_filled(data, pictured[0]), timeout=PATIENCE)
    assert pictured[0] > 8
    assert data.editor.text() == "-- the rows of raw are read as they are"
