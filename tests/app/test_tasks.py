"""Tasks of a first day that change the whole report, with the actions that they take counted."""

import sqlite3
from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import QFileDialog, QToolButton
from pytestqt.qtbot import QtBot

from northmoor.app.delivery.deliver_dialog import DeliverDialog
from northmoor.app.document_controller import WHOLE_PAGE, Selection
from northmoor.app.pages.dialogs.styles_dialog import StylesDialog
from northmoor.app.widgets.picture_choices import PictureEditor
from northmoor.app.widgets.widget_tools import items_in_list
from northmoor.app.window import Window
from northmoor.core.model import edits
from northmoor.core.model.blocks.containers import ForEachBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.pages import PicturePiece, TextPiece
from northmoor.core.store.report_files import load_report
from tests.app.conftest import in_dialog, settle
from tests.app.test_at_hand import UserActions, entry
from tests.app.test_field_drops import drop
from tests.app.test_inserting import insert_of_fields
from tests.app.test_journey import TABLE, point_on, regions
from tests.helpers import lines_of


@pytest.fixture
def hands(window: Window, qtbot: QtBot) -> UserActions:
    return UserActions(window, qtbot)


def unknown_file(file: Path) -> None:
    """A database that nobody knows yet."""
    file.parent.mkdir()
    with sqlite3.connect(file) as connection:
        connection.execute("create table loads (quay text, vessel text, landed date, weight real)")
        rows = [("East", "Curlew", "2025-03-01", 1250.5), ("West", "Dunlin", "2025-03-02", 90.25)] * 12
        connection.executemany("insert into loads values (?, ?, ?, ?)", rows)


def test_an_unknown_sqlite_file_becomes_a_grouped_totalled_formatted_report(
    new_window: Callable[[], Window], tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = tmp_path / "freight" / "quay.db"
    unknown_file(file)
    window = new_window()
    hands = UserActions(window, qtbot)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(file), ""))
    hands.count += 2  # the card, and the file in the dialog
    window.start.wanted.emit("new_from_data")
    dialog = window.beginning.dialog
    assert dialog is not None
    qtbot.waitUntil(lambda: dialog.fields.count() == 4, timeout=20_000)
    for label in ("Quay", "Vessel", "Landed", "Weight"):
        hands.count += 1
        dialog.fields.findItems(label, Qt.MatchFlag.MatchExactly)[0].setCheckState(Qt.CheckState.Checked)
    hands.count += 3  # the title is clicked, typed and left
    dialog.title.setText("Landed freight")
    dialog.title.editingFinished.emit()
    qtbot.waitUntil(lambda: dialog.cards["Grouped"].isEnabled(), timeout=20_000)
    hands.count += 2
    dialog.cards["Grouped"].click()
    dialog.begin.click()
    settle(window, qtbot)
    table = next(block for block in window.controller.edition.data_blocks if isinstance(block, TableBlock))
    window.controller.select(Selection("cell", table.name, "detail", None, "weight"))
    hands.choose(hands.menu(table.name, row="detail", column="weight"), "Format", "2 decimals")
    hands.choose(hands.menu(table.name, row="detail", column="landed"), "Format", "Month and year")
    hands.count += 1
    window.actions_by_name["save"].trigger()
    assert hands.count <= 25
    assert window.controller.is_saved
    saved = load_report(window.controller.path)
    assert saved.title == "Landed freight"
    made = next(block for block in saved.editions[0].blocks if isinstance(block, TableBlock))
    assert [level.name for level in made.levels] == ["quay"]
    printed = [line for line in lines_of(window._rendered.document, table.name) if line.kind == "total"]
    assert [line.cells["weight"] for line in printed] == ["15,006.00", "1,083.00", "16,089.00"]
    assert {
        line.cells["landed"] for line in lines_of(window._rendered.document, table.name) if line.kind == "detail"
    } == {"Mar 2025"}


def test_a_field_is_dragged_beside_a_column(hands: UserActions, qtbot: QtBot) -> None:
    (first, *_) = regions(hands.window, row="detail", column="tickets")
    edge = point_on(hands.window, first) - QPoint(round(first.width / 2 * hands.window.pages.canvas.scale()) - 3, 0)
    hands.count += 1
    assert drop(hands.window, "season", edge)
    assert hands.count <= 1
    assert [column.name for column in hands.table.columns].index("season") == 2


def test_logo_and_title_in_the_header_and_page_numbers_in_the_footer(
    hands: UserActions, copy: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = hands.window
    window.controller.edit("Clear", lambda r, e: edits.change_edition(r, e, header=None, footer=None))
    picture = copy.parent.parent / "pictures" / "tarrow.png"
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(picture), ""))
    for name in ("header", "footer"):
        hands.count += 1  # a right click beside the blocks
        window.controller.select(WHOLE_PAGE)
        hands.choose(hands.opened(), f"Add a {name}")
    hands.count += 2  # a right click on the header, and the file in the dialog
    window.controller.select(Selection("header", "header"))
    hands.choose(hands.opened(), "Add", "Picture, right")
    assert hands.count <= 8
    edition = window.controller.edition
    assert edition.header.lines[0].start == TextPiece(text="{report_title()}")
    assert isinstance(edition.header.lines[0].end, PicturePiece)
    assert edition.footer.lines[0].end.text == "Page {page_number(); 0} of {page_count(); 0}"


def test_one_page_for_each_record_of_a_query(hands: UserActions) -> None:
    hands.count += 1
    hands.window.controller.select(Selection("table", TABLE))
    hands.choose(hands.opened(), "Repeat for each record")
    assert hands.count <= 4
    each = next(block for block in hands.window.controller.edition.blocks if isinstance(block, ForEachBlock))
    assert (each.page_break, [block.name for block in each.blocks]) == ("between", [TABLE])
    hands.window.controller.select(Selection("for-each", each.name))
    hands.choose(hands.opened(), "New page for each record")
    assert edits.block_of(hands.window.controller.report, "full", each.name).page_break == "none"


def test_a_contents_list_is_two_clicks_away(hands: UserActions) -> None:
    hands.window.controller.select(Selection("text", "title"))
    hands.count += 1
    insert = next(action.menu() for action in hands.window.menuBar().actions() if action.text() == "&Insert")
    hands.choose(insert, "Contents list")
    assert hands.count <= 2
    assert any(block.kind == "contents" for block in hands.window.controller.edition.blocks)


def test_a_style_used_everywhere_is_changed(hands: UserActions) -> None:
    window = hands.window
    hands.count += 3
    window.actions_by_name["styles"].trigger()
    (dialog,) = window.findChildren(StylesDialog)
    dialog.list.setCurrentItem(dialog.list.findItems("total", Qt.MatchFlag.MatchExactly)[0])
    italic = next(w for w in dialog.findChildren(PictureEditor) if w.property("field") == "italic")
    italic.buttons[True].click()
    assert hands.count <= 3
    assert next(style for style in window.controller.report.styles if style.name == "total").italic is True
    dialog.close()


def test_a_block_is_inserted_into_a_cell_from_its_menu(hands: UserActions, qtbot: QtBot) -> None:
    window = hands.window
    window.controller.select(WHOLE_PAGE)
    window.pages.blocks.insert("grid")
    window.controller.select(Selection("grid-cell", window.controller.selection.block, number=0))
    assert entry(hands.opened(), "Table").isEnabled()
    insert_of_fields(window, qtbot, "table")
    assert window.controller.selection.kind == "table"


BY_KEYBOARD = [
    # the task, its most actions, what is selected, what is typed into Ctrl+K, and the entry that this finds first
    (4, 3, ("detail", None, "sailings"), "total average levels", "Total › Average in all levels and at the end"),
    (5, 2, ("detail", None, "month"), "group by it", "Group by it"),
    (6, 3, ("total", "route", "fares"), "sort largest", "Sort › Each route by it, largest first"),
    (8, 2, ("total", "route", "fares"), "new page route", "New page for each route"),
    (10, 4, ("detail", None, "fares"), "format whole currency", "Format › Currency, whole"),
    (10, 4, ("detail", None, "fares"), "negative red", "Negative in red"),
    (11, 3, ("detail", None, "month"), "format month year", "Format › Month and year"),
    (13, 3, ("detail", None, "fares"), "share of all", "Compute beside it › Share, of all"),
    (14, 3, ("detail", None, "fares"), "running total route", "Compute beside it › Running total, within each route"),
    (19, 4, ("detail", None, "month"), "matrix across", "Matrix with it across"),
    (20, 4, ("detail", None, "fares"), "chart beside", "Chart of it, beside"),
    (22, 4, ("detail", None, "fares"), "landscape", "Landscape"),
    (22, 4, ("detail", None, "fares"), "margins 15 mm", "Margins 15 mm"),
    (24, 2, ("detail", None, "fares"), "contents list", "Contents list"),
]


def test_tasks_are_done_by_keyboard_alone(hands: UserActions, qtbot: QtBot) -> None:
    window = hands.window
    for task, most, (row, level, column), words, expected in BY_KEYBOARD:
        window.controller.select(Selection("cell", TABLE, row, level, column))
        settle(window, qtbot)
        before, hands.count = window.controller.report, 3  # Ctrl+K, the words, Enter
        window.show_finder()
        window._finder.line.setText(words)
        first = window._finder.found.topLevelItem(0)
        assert first is not None, words
        assert first.text(0).startswith(expected), (task, words, first.text(0))
        qtbot.keyClick(window._finder.line, Qt.Key.Key_Return)
        assert hands.count <= most + 2
        assert window.controller.report != before, words
        window.controller.undo()
        assert window.controller.report == before


def test_a_second_edition_has_two_blocks_fewer(hands: UserActions, qtbot: QtBot) -> None:
    window = hands.window
    before = [block.name for block in window.controller.edition.blocks]
    hands.count += 2  # the menu and its entry
    window.actions_by_name["duplicate_edition"].trigger()
    settle(window, qtbot)
    window.controller.select(Selection("text", "title"))
    hands.count += 1
    at = point_on(window, regions(window, block="scope")[0])
    viewport = window.pages.canvas.viewport()
    qtbot.mouseClick(viewport, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, at)
    hands.count += 2
    window.actions_by_name["remove"].trigger()
    assert hands.count <= 5
    report = window.controller.report
    assert [block.name for block in window.controller.edition.blocks] == [TABLE]
    assert [[block.name for block in edition.blocks] for edition in report.editions] == [before, [TABLE]]


def test_the_same_report_for_another_connection(hands: UserActions) -> None:
    window = hands.window
    window.show_query("fares")
    hands.count += 3  # Data, the drop-down, and the connection in it
    box = window.data.bar.connection
    window.data.bar.show_query(window.controller.report.query("fares"), ["tarrow", "tarrow-copy"])
    box.setCurrentIndex(box.findData("tarrow-copy"))
    box.activated.emit(box.currentIndex())
    assert hands.count <= 3
    assert window.controller.report.query("fares").connection == "tarrow-copy"
    window.controller.undo()


def test_pdf_and_spreadsheet_are_delivered_and_their_folder_opened(
    hands: UserActions, tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    opened: list[str] = []
    monkeypatch.setattr(QDesktopServices, "openUrl", lambda url: opened.append(url.toLocalFile()))
    window, left = hands.window, Qt.MouseButton.LeftButton

    def act(dialog: DeliverDialog) -> None:
        dialog.folder.setText(str(tmp_path))
        item = next(each for each in items_in_list(dialog.formats) if each.data(Qt.ItemDataRole.UserRole) == "xlsx")
        box = dialog.formats.visualItemRect(item)
        hands.count += 2
        at = QPoint(box.left() + 10, box.center().y())
        qtbot.mouseClick(dialog.formats.viewport(), left, pos=at)
        qtbot.mouseClick(dialog._deliver, left)

    in_dialog(DeliverDialog, act)
    hands.count += 1
    with qtbot.waitSignal(window.worker.delivered, timeout=20_000):
        qtbot.mouseClick(window._deliver, left)
    qtbot.waitUntil(window.delivered_file.isVisible, timeout=20_000)
    hands.count += 1
    qtbot.mouseClick(window.delivered_file.findChildren(QToolButton)[-1], left)
    assert hands.count <= 4
    assert {path.suffix for path in tmp_path.glob("fares-by-route.*")} == {".pdf", ".xlsx"}
    assert opened == [str(tmp_path)]


def test_a_query_column_is_renamed_in_all_its_places(hands: UserActions, qtbot: QtBot) -> None:
    window = hands.window
    window.show_query("fares")
    qtbot.waitUntil(lambda: window.data.pane.rows is not None and window.data.pane.rows.is_whole, timeout=20_000)
    hands.count += 3  # its head, the new name, Enter
    window.data.pane.header.sectionClicked.emit(5)
    name = window.data.columns.editors["name"]
    name.setText("passengers")
    name.editingFinished.emit()
    assert hands.count <= 3
    settle(window, qtbot)
    assert "as passengers" in window.controller.report.query("fares").sql
    assert not window.findings.found
