"""Removing, cutting and duplicating act on the selected part, say so, and leave the block around it as it is."""

import pytest
from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from northmoor.app.document_controller import Selection
from northmoor.app.window import Window
from northmoor.core.model import edits
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.serialization import report_text
from tests.app.conftest import settle
from tests.app.test_blocks import do, names
from tests.app.test_inserting import insert_of_fields
from tests.app.test_journey import point_on, regions

LEFT = Qt.MouseButton.LeftButton
TABLE = "fares-table"


def table(window: Window) -> TableBlock:
    return edits.table_of(window.controller.report, "full", TABLE)


def columns(window: Window) -> list[str]:
    return [column.name for column in table(window).columns]


@pytest.mark.parametrize("row", ["head", "detail"])
@pytest.mark.variants
def test_a_clicked_title_or_cell_is_its_column(window: Window, qtbot: QtBot, row: str) -> None:
    before, had = columns(window), report_text(window.controller.report)
    region = next(iter(regions(window, row=row, column="tickets")))
    qtbot.mouseClick(window.pages.canvas.viewport(), LEFT, pos=point_on(window, region))
    do(window, "remove")
    assert columns(window) == [name for name in before if name != "tickets"]
    assert window._notice.toolTip() == "Removed the column “Tickets”; Ctrl+Z brings it back."
    assert window.controller.selection == Selection("cell", TABLE, row, None, "fares")
    do(window, "undo")
    window.controller.select(Selection("cell", TABLE, row, None, "tickets"))
    do(window, "duplicate")
    at = before.index("tickets")
    assert columns(window) == [*before[: at + 1], "tickets_2", *before[at + 1 :]]
    do(window, "undo", "cut", "paste")
    assert columns(window) == [*before[:at], "fares", "tickets"]
    settle(window, qtbot)
    do(window, "undo", "undo")
    assert report_text(window.controller.report) == had


def test_a_total_is_emptied_and_a_row_or_level_goes_alone(window: Window) -> None:
    blocks, had = names(window), report_text(window.controller.report)
    total = Selection("cell", TABLE, "total", "route", "fares")
    for selection, name in (
        (total, "the total “Fares, €”"),
        (Selection("row", TABLE, "total", "route"), "the total of route"),
        (Selection("level", TABLE, level="route"), "the level “route”"),
        (Selection("header", "header"), "the header"),
    ):
        window.controller.select(selection)
        do(window, "remove")
        assert window._notice.toolTip() == f"Removed {name}; Ctrl+Z brings it back."
        assert names(window) == blocks
        assert report_text(window.controller.report) != had
        do(window, "undo")
        assert report_text(window.controller.report) == had
    window.controller.select(total)
    do(window, "cut")
    assert "the total “Fares, €” cannot" in window._notice.toolTip()
    do(window, "duplicate")
    assert "the total “Fares, €” cannot be duplicated" in window._notice.toolTip()
    assert report_text(window.controller.report) == had
    window.controller.select(Selection("row", TABLE, "total", "route"))
    do(window, "duplicate")
    assert len(table(window).level("route").total) == 2
    do(window, "undo")


def test_a_block_goes_only_when_it_is_selected_itself(window: Window) -> None:
    blocks = names(window)
    window.controller.select(Selection("table", TABLE))
    do(window, "remove")
    assert names(window) == [name for name in blocks if name != TABLE]


def test_measures_of_a_matrix_and_series_of_a_chart_go_alone(window: Window, qtbot: QtBot) -> None:
    window.controller.select(Selection("table", TABLE))
    for kind in ("matrix", "chart"):
        insert_of_fields(window, qtbot, kind)
    blocks = {block.kind: block for block in window.controller.edition.blocks}
    for kind, part in (("matrix", "measure"), ("chart", "mark")):
        block = blocks[kind]
        window.controller.select(Selection(part, block.name, column=block.measures[0].name))
        do(window, "duplicate")
        made = edits.block_of(window.controller.report, "full", block.name)
        assert len(made.measures) == len(block.measures) + 1
        window.controller.select(Selection(part, block.name, column=made.measures[-1].name))
        do(window, "remove")
        assert edits.block_of(window.controller.report, "full", block.name) == block
    settle(window, qtbot)


def test_a_part_that_is_gone_takes_nothing_else_with_it(window: Window) -> None:
    window.controller.select(Selection("cell", TABLE, "detail", None, "tickets"))
    window.controller.edit("x", lambda r, e: edits.remove_column(r, e, TABLE, "tickets"))
    had = report_text(window.controller.report)
    for command in ("remove", "cut", "duplicate"):
        window.controller.select(Selection("cell", TABLE, "detail", None, "tickets"))
        do(window, command)
    assert report_text(window.controller.report) == had


def test_what_was_done_can_be_read_while_the_pages_are_made_again(window: Window, qtbot: QtBot) -> None:
    window.controller.select(Selection("cell", TABLE, "total", "route", "fares"))
    do(window, "remove")
    settle(window, qtbot)
    assert window._notice.text() == "Removed the total “Fares, €”; Ctrl+Z brings it back."
    window.tell("That is no length.", "fault")
    assert window._notice.text() == "That is no length."
