"""Parts of Data on their own: rows, profiles, crossed totals, plans, and the connection dialog's kinds."""

from datetime import date, datetime
from decimal import Decimal
from pathlib import Path

import numpy as np
import pyarrow as pa
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLineEdit
from pytestqt.qtbot import QtBot

from northmoor.app.data.connection_dialog import ConnectionDialog
from northmoor.app.data.query.dialogs.detail_dialog import DetailDialog
from northmoor.app.data.query.plan_panel import PlanPanel
from northmoor.app.data.query.query_bar import COMBINED, QueryBar
from northmoor.app.data.query.sql_editor import SqlEditor
from northmoor.app.data.rows.check_totals_dialog import CrossTotalsModel
from northmoor.app.widgets.rows_model import RowsModel
from northmoor.app.worker import Worker
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.compute.explore.crosscheck import cross_totals
from northmoor.core.engine.rows import Rows
from northmoor.core.expr.formats import FormatLocale
from northmoor.core.model.data.connections import Connections, FilesConnection, PostgresqlConnection
from northmoor.core.model.data.queries import Link, Query
from northmoor.core.model.kinds.value_types import ValueType
from northmoor.core.sources.fetch.plan import HERE, Step
from northmoor.core.sources.library import Library

ROUTES = ["TQ-SK", "TQ-IL", None]


@pytest.fixture
def rows() -> Rows:
    """Three hundred rows of a text with blanks, an integer, a decimal and a day."""
    count = 300
    table = pa.table(
        {
            "route": pa.array([ROUTES[n % 3] for n in range(count)]),
            "number": pa.array(range(count)),
            "fare": pa.array([Decimal(n).scaleb(-2) for n in range(count)], pa.decimal128(18, 2)),
            "day": pa.array([date(2025, 1 + n % 12, 1) for n in range(count)]),
        }
    )
    types = (ValueType("text"), ValueType("integer"), ValueType("decimal", 18, 2), ValueType("date"))
    return Rows("fares", table, types, datetime(2026, 1, 1))


@pytest.fixture
def worker(qtbot: QtBot) -> Worker:
    """A worker that ends with the test."""
    made = Worker()
    yield made
    made.close()


def shown(model: RowsModel, row: int) -> list[str]:
    return [model.index(row, column).data() for column in range(model.columnCount())]


def test_cells_are_written_wherever_they_are_looked_at(qtbot: QtBot, rows: Rows) -> None:
    model = RowsModel(rows, FormatLocale())
    assert model.rowCount() == 300
    assert shown(model, 0) == ["TQ-SK", "0", "0.00", "1 Jan 2025"]
    assert shown(model, 299) == ["blank", "299", "2.99", "1 Dec 2025"]
    assert shown(model, 130) == ["TQ-IL", "130", "1.30", "1 Nov 2025"]
    model.apply_filter(np.array([299, 1, 130]))
    assert (model.rowCount(), model.number(0)) == (3, 299)
    assert [shown(model, row)[1] for row in range(3)] == ["299", "1", "130"]
    model.apply_filter(None)
    assert shown(model, 2)[0] == "blank"
    assert model.headerData(9, Qt.Orientation.Vertical) == "10"
    alignment = model.index(0, 2).data(Qt.ItemDataRole.TextAlignmentRole)
    assert alignment & Qt.AlignmentFlag.AlignRight


def test_crossed_totals_show_gaps_and_both_sides_totals(qtbot: QtBot, rows: Rows) -> None:
    model = CrossTotalsModel(cross_totals(rows, ["route"], ["day"], "sum", "fare", CancelToken()), FormatLocale())
    assert (model.rowCount(), model.columnCount()) == (4, 13)
    heads = [model.headerData(n, Qt.Orientation.Vertical) for n in range(4)]
    assert heads == ["TQ-IL", "TQ-SK", "blank", "All"]
    assert model.headerData(12, Qt.Orientation.Horizontal) == "All"
    assert model.index(3, 12).data() == "448.50"
    assert model.index(1, 1).data() == "–"
    assert not model.index(1, 1).data(Qt.ItemDataRole.BackgroundRole)
    assert model.index(3, 12).data(Qt.ItemDataRole.BackgroundRole)
    single = CrossTotalsModel(cross_totals(rows, [], [], "count", "route", CancelToken()), FormatLocale())
    assert (single.rowCount(), single.columnCount(), single.index(0, 0).data()) == (1, 1, "200")


def test_a_plan_names_every_step_and_who_runs_it(qtbot: QtBot) -> None:
    panel = PlanPanel()
    qtbot.addWidget(panel)
    steps = (
        Step("a", "tarrow (SQLite)", "It reads routes.", "select 1", "the file tarrow.sqlite"),
        Step("b", HERE, "The rows of a are combined.", "select 2", "nobody: it reads only rows already fetched"),
    )
    panel.show_plan(steps)
    assert "tarrow (SQLite): It reads routes." in panel.text()
    assert f"{HERE}: The rows of a are combined." in panel.text()
    assert "runs as: the file tarrow.sqlite" in panel.text()
    panel.show_plan("There is no connection of that name.")
    assert panel.text() == "There is no connection of that name."


@pytest.mark.parametrize(
    ("kind", "fields"),
    [
        ("sqlite", ["database", "encoding"]), ("duckdb", ["database"]),
        ("postgresql", ["host", "port", "database", "user", "encryption", "_password", "_keep", "_unencrypted"]),
        ("mariadb", ["host", "port", "database", "user", "encryption", "_password", "_keep", "_unencrypted"]),
        ("files", ["path", "encoding", "separator", "decimal_sign"]),
    ],
)  # fmt: skip
def test_each_kind_of_connection_asks_for_what_it_needs(
    qtbot: QtBot, worker: Worker, tmp_path: Path, kind: str, fields: list[str]
) -> None:
    dialog = ConnectionDialog(Library(tmp_path), worker, None)
    qtbot.addWidget(dialog)
    dialog.kind.setCurrentIndex(dialog.kind.findData(kind))
    assert list(dialog.fields) == fields
    dialog.accept()
    assert "is empty; fill it in" in dialog.message.text()
    assert not (tmp_path / "connections.json").exists()


def test_a_connection_is_changed_in_its_place_and_its_name_must_be_sound(
    qtbot: QtBot, worker: Worker, tmp_path: Path
) -> None:
    old = PostgresqlConnection(name="tarrow", host="h", port=5433, database="d", user="u", encryption="required")
    other = FilesConnection(name="office", path="data", encoding="windows-1252", decimal_sign=",")
    library = Library(tmp_path, Connections(connections=(old, other)))
    dialog = ConnectionDialog(library, worker, old)
    qtbot.addWidget(dialog)
    assert dialog.connection() == old
    for wrong in ("two words", "office", "ö"):
        dialog.name.setText(wrong)
        dialog.accept()
        assert "does not fit" in dialog.message.text() or "has a connection office already" in dialog.message.text()
    dialog.name.setText("tarrow_2")
    dialog.fields["host"].setText("elsewhere.example")
    dialog.accept()
    assert [c.name for c in library.connections.connections] == ["tarrow_2", "office"]
    assert library.connection("tarrow_2") == old.but(name="tarrow_2", host="elsewhere.example")
    second = ConnectionDialog(library, worker, other)
    qtbot.addWidget(second)
    assert second.connection() == other
    line = second.fields["path"].property("line")
    assert isinstance(line, QLineEdit)
    assert line.text() == "data"


def test_the_bar_names_connections_that_are_missing_and_combined_queries(qtbot: QtBot) -> None:
    bar = QueryBar()
    qtbot.addWidget(bar)
    bar.show_query(Query(name="fares", connection="gone"), ["tarrow"])
    assert bar.connection.currentText() == "gone (missing)"
    bar.show_query(Query(name="both"), ["tarrow"])
    assert bar.connection.currentText() == COMBINED
    bar.show_query(Query(name="s", shared="fares"), ["tarrow"])
    assert (bar.kind.text(), bar.connection.isVisibleTo(bar)) == ("shared as fares", False)
    bar.show_query(None, [])
    assert not bar.isEnabled()


def test_a_detail_needs_a_pair_of_columns(qtbot: QtBot) -> None:
    columns = {"lines": ["line_id", "waybill_id"], "waybills": ["waybill_id", "number"]}
    dialog = DetailDialog("lines", ["waybills"], columns.__getitem__, None)
    qtbot.addWidget(dialog)
    assert dialog.link() is None
    dialog.owner.setCurrentIndex(1)
    assert dialog.link() == Link.model_validate(
        {"query": "waybills", "columns": [{"own": "waybill_id", "other": "waybill_id"}]}
    )
    dialog.pairs[0][0].setCurrentIndex(0)
    dialog.accept()
    assert dialog.fault.text() == "Choose at least one pair of columns that must be equal."


def test_passwords_that_cannot_be_read_are_reported_in_the_dialog(
    qtbot: QtBot, worker: Worker, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("NORTHMOOR_PASSWORDS", "/nowhere.json")
    old = PostgresqlConnection(name="db", database="tarrow", user="reader")
    dialog = ConnectionDialog(Library(tmp_path), worker, old)
    qtbot.addWidget(dialog)
    dialog.test_button.click()
    assert "/nowhere.json that NORTHMOOR_PASSWORDS names cannot be read" in dialog.message.text()


def test_names_in_quotes_are_completed_by_their_letters(qtbot: QtBot) -> None:
    editor = SqlEditor()
    qtbot.addWidget(editor)
    with qtbot.waitSignal(editor._words.apiPreparationFinished):  # which a thread of its own makes
        editor.set_completions(['"Odd Name"', "oddly", 'archive."Port.log"'])
    editor.show()
    editor.activateWindow()
    editor.setFocus()
    qtbot.waitUntil(editor.hasFocus)
    for typed, wanted in (("Odd", '"Odd Name"'), (", arch", '"Odd Name", archive."Port.log"')):
        qtbot.keyClicks(editor, typed)
        qtbot.waitUntil(editor.isListActive, timeout=5_000)
        qtbot.keyClick(editor, Qt.Key.Key_Return)
        assert editor.text() == wanted
