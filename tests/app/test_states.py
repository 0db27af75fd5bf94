"""Empty, broken and long-running: what the window says and that nothing is lost."""

from collections.abc import Callable
from html import unescape
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QAbstractButton,
    QComboBox,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QSpinBox,
    QWidget,
)
from pytestqt.qtbot import QtBot

from northmoor.app.document_controller import Selection
from northmoor.app.language.time_left import time_left_words
from northmoor.app.shell import work_progress
from northmoor.app.widgets.theme import COLORS, RAILS
from northmoor.app.window import Window
from northmoor.core.base.progress import CountedProgress
from northmoor.core.layout.chart.palette import contrast
from northmoor.core.model.parameters import Parameter
from northmoor.core.model.report import Edition
from northmoor.core.store.report_files import load_report, save_report
from tests.app.conftest import settle

ENDLESS = "with recursive n(i) as (select 1 union all select i + 1 from n) select count(*) as fares from n"


def test_with_no_report_the_window_says_what_can_be_begun(new_window: Callable[[], Window]) -> None:
    window = new_window()
    assert window.start.isVisible()
    assert not window._switch.buttons["data"].isEnabled()
    for name in ("save", "undo", "deliver", "refresh"):
        assert not window.actions_by_name[name].isEnabled()
        assert window.actions_by_name[name].toolTip().endswith("."), name  # it says why


def test_a_report_that_cannot_be_opened_is_reported_and_left_alone(window: Window, copy: Path) -> None:
    broken = copy.with_name("broken.moor")
    broken.write_text('{"northmoor_report": 7}')
    assert not window.open(broken)
    assert "newer Northmoor" in unescape(window._notice.toolTip())
    assert window.controller.path == copy
    assert broken.read_text() == '{"northmoor_report": 7}'


def test_a_missing_value_is_reported_and_can_be_given(window: Window, copy: Path, qtbot: QtBot) -> None:
    report = load_report(copy)
    port = {"name": "port", "label": "Port", "hint": "Port of departure"}
    fares = report.query("fares")
    used = fares.but(sql=fares.sql.replace("where", "where :port <> '' and", 1))
    queries = tuple(used if query.name == "fares" else query for query in report.queries)
    save_report(report.but(queries=queries, parameters=(*report.parameters, port)), copy)
    assert window.open(copy)
    qtbot.waitUntil(lambda: "Parameter port: A value is missing" in unescape(window._notice.toolTip()))
    line = window.parameters.findChild(QLineEdit, "parameter-port")
    assert line.placeholderText() == "needs a value"
    line.setFocus()
    qtbot.keyClicks(line, "SK")
    qtbot.keyClick(line, Qt.Key.Key_Return)
    settle(window, qtbot)


def test_a_value_that_is_none_is_marked_and_the_last_good_pages_stay(window: Window, copy: Path, qtbot: QtBot) -> None:
    report = load_report(copy)
    day = {"name": "day", "kind": "date", "default": "2025-01-01"}
    save_report(report.but(parameters=(*report.parameters, day)), copy)
    window.open(copy)
    settle(window, qtbot)
    pages = window.pages.canvas.page_count
    line = window.parameters.findChild(QLineEdit, "parameter-day")
    line.selectAll()
    qtbot.keyClicks(line, "soon")
    qtbot.keyClick(line, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: line.property("invalid") is True)
    note = window.parameters.units["day"].note
    assert note.isVisible()
    assert "'soon' is no day; write for example today" in note.toolTip()
    assert window.pages.canvas.page_count == pages
    line.selectAll()
    qtbot.keyClicks(line, "today")
    qtbot.keyClick(line, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: not note.isVisible() and line.property("invalid") is False)


def test_a_long_query_shows_progress_and_esc_stops_it(window: Window, qtbot: QtBot) -> None:
    window.show_workspace("data")
    window.data.editor.setText(ENDLESS)
    with qtbot.waitSignal(window.worker.busy_changed, timeout=5_000):
        window.data.run()
    qtbot.waitUntil(lambda: window._progress.isVisible(), timeout=5_000)
    with qtbot.waitSignal(window.worker.rows_failed, timeout=10_000):
        window.actions_by_name["stop"].trigger()
    qtbot.waitUntil(lambda: not window._progress.isVisible(), timeout=10_000)
    assert window.data.pane.message.text() == "Stopped. Run the query again to see its rows."
    window.controller.undo()
    settle(window, qtbot)


def test_a_newer_edit_overtakes_a_long_one(window: Window, qtbot: QtBot) -> None:
    from northmoor.core.model import edits

    window.controller.edit("Endless", lambda r, _: edits.change_query(r, "fares", sql=ENDLESS))
    qtbot.wait(200)
    window.controller.undo()
    settle(window, qtbot)
    assert window.pages.canvas.page_count >= 3


def test_data_reports_what_is_wrong_with_sql_and_keeps_the_report(window: Window, qtbot: QtBot) -> None:
    window.show_workspace("data")
    before = window.controller.report
    window.data.editor.setText("delete from bookings")
    window.data.run()
    assert "Only select statements are run" in window.data.pane.message.text()
    assert window.controller.report == before
    window.data.editor.setText("select nix from bookings")
    with qtbot.waitSignal(window.worker.rows_failed, timeout=20_000):
        window.data.run()
    assert "no such column: nix" in window.data.pane.message.text()
    settle(window, qtbot)
    window.controller.undo()
    assert window.data.editor.text() == before.queries[0].sql
    settle(window, qtbot)


def test_every_control_has_a_name_and_a_tooltip(window: Window, qtbot: QtBot) -> None:
    window.show_workspace("pages")
    for selection in (Selection("page"), Selection("level", "fares-table", level="route"), Selection("text", "title"),
                      Selection("cell", "fares-table", "total", "route", "fares"), Selection("table", "fares-table")):  # fmt: skip
        window.controller.select(selection)
        kinds = (QAbstractButton, QComboBox, QLineEdit, QPlainTextEdit, QSpinBox)
        nameless = [
            w for w in window.findChildren(QWidget) if isinstance(w, kinds) and w.isVisible() and not _is_named(w)
        ]
        assert [(type(w).__name__, w.objectName()) for w in nameless] == []


def _is_named(widget: QWidget) -> bool:
    inside = widget.parent()
    if isinstance(inside, QComboBox | QSpinBox) or (inside is not None and inside.property("field")):
        return True  # part of a control that has a name
    text = widget.text() if isinstance(widget, QAbstractButton) else ""
    return bool((widget.accessibleName() or text) and widget.toolTip())


@pytest.mark.parametrize("variant", COLORS)
def test_texts_borders_and_marks_have_enough_contrast(variant: str) -> None:
    colors = COLORS[variant]
    assert colors.keys() == COLORS["light"].keys()
    assert all(QColor(color).isValid() for color in colors.values())
    grounds = [colors[name] for name in ("mist", "linen", "paper")]
    for text in ("peat", "stone_text", "lichen_text", "gorse_text", "rowan"):
        assert min(contrast(colors[text], ground) for ground in grounds) >= 4.5, text
    assert contrast(colors["peat"], colors["desk"]) >= 4.5  # what an empty canvas says
    assert contrast(colors["peat"], colors["lit"]) >= 4.5
    for ground in ("heather", "deep_heather"):
        assert contrast(colors["paper"], colors[ground]) >= 4.5  # the primary button, and its focus ring
    for mark in ("edge", "heather"):
        assert min(contrast(colors[mark], ground) for ground in grounds) >= 3, mark
    assert all(contrast(colors[rail], colors["desk"]) >= 3 for rail in RAILS)


def test_empty_panels_say_what_belongs_there(new_window: Callable[[], Window], qtbot: QtBot) -> None:
    window = new_window()
    for view in (window.pages.contents, window.pages.fields):
        picture = view.viewport().grab().toImage()
        colors = {picture.pixelColor(x, y).name() for x in range(0, picture.width(), 2) for y in range(0, 60)}
        assert len(colors) > 4, view.accessibleName()
    assert not window._fetch.isEnabled()


def test_another_report_brings_its_own_parameters(window: Window, copy: Path, qtbot: QtBot) -> None:
    report = load_report(copy)
    other = copy.with_name("other.moor")
    save_report(
        report.but(parameters=(*report.parameters[1:], {**report.parameters[0].model_dump(), "default": 2024})), other
    )
    window.controller.set_value("year", 2025)
    assert window.open(other)
    settle(window, qtbot)
    boxes = [w for w in window.parameters.findChildren(QComboBox) if w.isVisible()]
    assert [box.currentText() for box in boxes if box.currentText()] == ["All routes", "2024"]
    values = window._rendered.document.values.by_name
    assert (values["season"], values["year"], values["ports_count"]) == ("all", 2024, 7)


def test_preflight_lists_what_was_found(window: Window, qtbot: QtBot) -> None:
    from northmoor.core.model import edits

    window.controller.edit("Break", lambda r, e: edits.change_column(r, e, "fares-table", "tickets", value="ticket"))
    settle(window, qtbot)
    assert window.findings.button.text() == "Preflight: 1 error"
    window.findings.button.click()
    texts = [label.text() for label in window.findings.panel.findChildren(QLabel)]
    assert any("Did you mean tickets?" in text for text in texts)
    (place,) = [b for b in window.findings.panel.findChildren(QPushButton) if "fares-table" in b.text()]
    place.click()
    assert window.controller.selection == Selection("table", "fares-table")
    window.controller.undo()
    settle(window, qtbot)
    qtbot.waitUntil(lambda: any("No findings" in b.text() for b in window.findings.panel.findChildren(QLabel)))
    window.findings.panel.close()


def test_a_report_that_cannot_be_shown_has_no_figures_of_the_one_before(
    window: Window, copy: Path, qtbot: QtBot
) -> None:
    assert "4 pages" in window._facts.text()
    asking = load_report(copy).but(
        parameters=(Parameter(name="who", kind="text"),), queries=(), editions=(Edition(name="main"),)
    )
    save_report(asking, copy.with_name("asking.moor"))
    assert window.open(copy.with_name("asking.moor"))
    assert "4 pages" not in window._facts.text()
    assert not window._place_label.text().endswith("of 4")
    broken = copy.with_name("broken.moor")
    broken.write_text("{")
    before = window._facts.text()
    assert not window.open(broken)
    assert window._facts.text() == before  # what is open stays


def test_work_that_is_counted_says_how_long_it_takes_yet(
    window: Window, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot
) -> None:
    qtbot.waitUntil(lambda: not window.worker.is_busy and not window.catalog_worker.is_busy, timeout=20_000)
    moments = iter([0.0, 0.0, 40.0, 40.0])
    monkeypatch.setattr(work_progress, "monotonic", lambda: next(moments))
    for done, words in (
        (0, "Page 1 of 400 · Esc stops it"),
        (100, "Page 101 of 400 · about 2 minutes left · Esc stops it"),
    ):
        window.worker.progress.emit(CountedProgress(f"Page {done + 1} of 400", done, 400))
        assert window.last_message == (words, "quiet")
    assert (window._progress.value(), window._progress.maximum()) == (100, 400)
    window._show_busy()
    assert window._progress.maximum() == 0


@pytest.mark.parametrize(
    ("seconds", "done", "words"),
    [(2.0, 1, ""), (10.0, 0, ""), (10.0, 90, ""), (10.0, 50, "about 10 s left"), (60.0, 40, "about 2 minutes left"),
     (60.0, 1, "about 2 hours left")],
)  # fmt: skip
def test_time_left_is_round_and_only_shown_when_it_is_known(seconds: float, done: int, words: str) -> None:
    assert time_left_words(seconds, done, 100) == words
