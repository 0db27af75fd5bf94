"""Matrices in the real window: parts chosen on the pages and changed, sides swapped, columns folded, tables turned."""

import shutil
from pathlib import Path

import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt
from PyQt6.QtGui import QDropEvent
from pytestqt.qtbot import QtBot

from northmoor.app.document_controller import Selection
from northmoor.app.pages.part_menu.entries import commands_in
from northmoor.app.pages.part_menu.highlight_dialog import HighlightDialog
from northmoor.app.window import Window
from northmoor.core.layout.graphics.display_list import items
from northmoor.core.model import edits
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.serialization import report_text
from tests.app.conftest import in_dialog, settle
from tests.app.test_inserting import insert_of_fields
from tests.app.test_journey import TABLE, editor, point_on, regions, type_into
from tests.app.test_table_tools import press
from tests.helpers import dumped, lines_of

MATRIX = "fares-matrix"


@pytest.fixture
def crossed(window: Window, demo: Path, copy: Path, qtbot: QtBot) -> Window:
    """A window with the demo's matrix open."""
    assert window.open(Path(shutil.copy(demo / "reports" / "route-month-matrix.moor", copy.parent)))
    settle(window, qtbot)
    return window


def matrix(window: Window) -> MatrixBlock:
    report, edition = window.controller.report, window.controller.edition
    assert report is not None
    assert edition is not None
    return edits.matrix_of(report, edition.name, MATRIX)


def heads(window: Window) -> int:
    """How many columns of figures the matrix has on the first page."""
    return len({s.under for s in regions(window, block=MATRIX, part="measure", row="detail")})


def test_cells_of_a_measure_are_highlighted(crossed: Window, qtbot: QtBot) -> None:
    crossed.controller.select(Selection("measure", MATRIX, column="fares"))
    command = next(each for _, each in commands_in(crossed.pages.part_menu.entries()) if "Highlight" in each.text)
    in_dialog(HighlightDialog, lambda dialog: (dialog.value.setText("20000"), dialog.accept()))
    command.run()
    settle(crossed, qtbot)
    measure = matrix(crossed).measure("fares")
    assert [rule.when for rule in measure.rules] == [f"{measure.value} > 20000"]
    document = crossed.shown_document
    assert document is not None
    looks = {
        (float(item["text"].replace(",", "")) > 20_000, item["color"].upper() == "#B3402E")
        for item in dumped(document)["pages"][0]["items"]
        if item["kind"] == "text" and item["origin"]["row"] == "detail" and item["origin"]["column"] == "fares"
        if item["text"] != "–"
    }
    assert looks == {(True, True), (False, False)}


def test_parts_are_chosen_on_the_page_and_changed(crossed: Window, qtbot: QtBot) -> None:
    window, canvas = crossed, crossed.pages.canvas
    before = report_text(window.controller.report)
    cell = regions(window, block=MATRIX, part="measure", row="detail")[5]
    qtbot.mouseClick(canvas.viewport(), Qt.MouseButton.LeftButton, pos=point_on(window, cell))
    assert window.controller.selection == Selection("measure", MATRIX, column="fares")
    type_into(editor(window, "value"), "sum(passengers)", qtbot)
    settle(window, qtbot)
    press(window, "Sort rows by it")
    settle(window, qtbot)
    names = [line.cells["route"] for line in lines_of(window._rendered.document, MATRIX) if line.kind == "detail"]  # type: ignore[union-attr]
    assert names[0] == "Tarrow Quay – Skarholm"
    head = regions(window, block=MATRIX, part="level", row="head", column="quarter")[0]
    qtbot.mouseClick(canvas.viewport(), Qt.MouseButton.LeftButton, pos=point_on(window, head))
    assert window.controller.selection == Selection("level", MATRIX, level="quarter")
    press(window, "Move to the rows")
    settle(window, qtbot)
    assert [level.name for level in matrix(window).rows] == ["route", "quarter"]
    window.controller.select(Selection("matrix", MATRIX))
    press(window, "Swap rows and columns")
    press(window, "Add a level of rows", "Season")
    press(window, "Add a value", "Sum of Passengers")
    settle(window, qtbot)
    assert [level.name for level in matrix(window).rows] == ["month", "season"]
    assert [measure.value for measure in matrix(window).measures] == ["sum(passengers)", "sum(passengers)"]
    edge = next(e for e in canvas._shown[0].places.edges if e.block == MATRIX and e.column == "passengers")
    canvas.width_dragged.emit(edge.block, edge.column, 60_000)
    assert matrix(window).measure("passengers").width == 60_000
    while window.controller.undo_label:
        window.controller.undo()
    assert report_text(window.controller.report) == before


def test_a_measure_shows_another_total_from_its_menu(crossed: Window, qtbot: QtBot) -> None:
    crossed.controller.select(Selection("measure", MATRIX, column="fares"))
    for text in ("Sort › Rows by it, largest first", "Show › Maximum"):
        dict(commands_in(crossed.pages.part_menu.entries()))[text].run()
        settle(crossed, qtbot)
    changed = matrix(crossed)
    assert changed.measure("fares").value == "max(fares)"
    assert (changed.rows[-1].order, changed.rows[-1].order_by) == ("descending", "max(fares)")
    shown = [
        command.is_on for text, command in commands_in(crossed.pages.part_menu.entries()) if text == "Show › Maximum"
    ]
    assert shown == [True]


def test_a_matrix_is_inserted_from_the_menu(window: Window, qtbot: QtBot) -> None:
    window.controller.select(Selection("table", TABLE))
    insert_of_fields(window, qtbot, "matrix")
    assert window.controller.selection == Selection("matrix", "matrix")
    assert window._rendered is not None
    assert not [finding for finding in window.findings.found if finding.is_error]
    last = window._rendered.document.page(len(window._rendered.document) - 1)
    assert any(item.origin.block == "matrix" for item in items(last))
    window.controller.undo()
    assert window.controller.edition is not None
    assert len(window.controller.edition.data_blocks) == 1


def test_columns_and_rows_are_folded(crossed: Window, qtbot: QtBot) -> None:
    window = crossed
    assert heads(window) == 12 + 4 + 1
    window.controller.select(Selection("level", MATRIX, level="quarter"))
    window.actions_by_name["fold"].trigger()
    settle(window, qtbot)
    assert heads(window) == 4 + 1
    window.actions_by_name["open_all"].trigger()
    settle(window, qtbot)
    assert heads(window) == 17
    second = [s for s in regions(window, block=MATRIX, part="level", column="quarter", row="head") if s.keys][1]
    for shown in (17 - 3, 17):  # its three months are folded into their quarter, and opened again
        qtbot.mouseDClick(window.pages.canvas.viewport(), Qt.MouseButton.LeftButton, pos=point_on(window, second))
        settle(window, qtbot)
        assert heads(window) == shown
        second = [s for s in regions(window, block=MATRIX, part="level", column="quarter", row="head") if s.keys][1]
    window.controller.edit("Turn", lambda r, e: edits.turn_matrix_level(r, e, MATRIX, "quarter"))
    window.controller.edit("Move", lambda r, e: edits.move_matrix_level(r, e, MATRIX, "quarter", -1))
    window.controller.select(Selection("level", MATRIX, level="quarter"))
    window.actions_by_name["fold"].trigger()
    settle(window, qtbot)
    rows = {s.printed for s in regions(window, block=MATRIX, part="measure") if s.row != "head"}
    assert len(rows) == 4 + 1  # the quarters, though the level has no subtotals, and the total


def test_a_field_is_dropped_and_a_table_is_turned_and_back(window: Window, qtbot: QtBot) -> None:
    window.controller.select(Selection("table", TABLE))
    press(window, "Convert to matrix")
    settle(window, qtbot)
    edition = window.controller.edition
    assert edition is not None
    (turned,) = (b for b in edition.blocks if isinstance(b, MatrixBlock))
    assert [m.value for m in turned.measures] == ["sum(sailings)", "sum(tickets)", "sum(fares)"]
    canvas = window.pages.canvas
    cell = regions(window, block=TABLE, part="measure", row="detail")[0]
    field = QMimeData()
    field.setData("application/x-northmoor-field", b"month")
    at = QPointF(point_on(window, cell))
    left = Qt.MouseButton.LeftButton
    canvas.dropEvent(QDropEvent(at, Qt.DropAction.CopyAction, field, left, Qt.KeyboardModifier.NoModifier))
    settle(window, qtbot)
    (changed,) = (b for b in window.controller.edition.blocks if isinstance(b, MatrixBlock))  # type: ignore[union-attr]
    assert [m.name for m in changed.measures][-1] == "month"
    window.controller.undo()
    window.controller.select(Selection("matrix", TABLE))
    press(window, "Convert to table")
    settle(window, qtbot)
    assert window._rendered is not None
    assert not [f for f in window.findings.found if f.is_error]
