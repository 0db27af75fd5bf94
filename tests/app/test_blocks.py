"""Blocks in the real window: inserted, nested, copied within and between reports, moved and taken out, all undone."""

import json
import shutil
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QApplication, QComboBox, QFileDialog, QInputDialog, QMenu
from pytestqt.qtbot import QtBot

from northmoor.app.document_controller import Selection
from northmoor.app.pages.editing.rich_text_editor import RichTextEditor
from northmoor.app.pages.panels.outline_panel import OutlinePanel
from northmoor.app.widgets.menus import plain_text
from northmoor.app.window import Window
from northmoor.core.model.blocks.containers import ForEachBlock, GridBlock
from northmoor.core.model.blocks.picture import PictureBlock
from northmoor.core.model.blocks.text import TextBlock, TextRun
from northmoor.core.model.blocks.tree import walk
from northmoor.core.model.edits import change_block
from northmoor.core.model.serialization import report_text
from northmoor.core.model.styles import Style
from tests.app.conftest import settle
from tests.app.test_chart_tools import choose
from tests.app.test_journey import TABLE, editor, point_on, regions, type_into
from tests.app.test_table_tools import press


def do(window: Window, *commands: str) -> None:
    for command in commands:
        window.actions_by_name[command].trigger()


def names(window: Window) -> list[str]:
    assert window.controller.edition is not None
    return [block.name for block in walk(window.controller.edition.blocks)]


def block(window: Window, name: str) -> object:
    assert window.controller.edition is not None
    return next(each for each in walk(window.controller.edition.blocks) if each.name == name)


def mark(contents: OutlinePanel, *blocks: str) -> None:
    """Mark entries of blocks as with Ctrl held."""
    items = {item.data(0, Qt.ItemDataRole.UserRole): item for item in contents._items()}
    chosen = [item for selection, item in items.items() if selection.block in blocks and selection.kind == "text"]
    contents.clearSelection()
    contents.setCurrentItem(chosen[-1])
    for item in chosen:
        item.setSelected(True)


@pytest.fixture
def statement(window: Window, demo: Path, copy: Path, qtbot: QtBot) -> Window:
    """A window with the demo's freight statement open, for two shippers."""
    path = Path(shutil.copy(demo / "reports" / "freight-statement.moor", copy.parent))
    assert window.open(path, {"shippers": (221, 1)})
    settle(window, qtbot)
    return window


def undone(window: Window, before: str) -> bool:
    """Whether undoing all leads back to the same file, letter by letter."""
    while window.controller.undo_label:
        window.controller.undo()
    return report_text(window.controller.report) == before


def test_every_kind_is_inserted_changed_and_undone(window: Window, qtbot: QtBot) -> None:
    before = report_text(window.controller.report)
    window.controller.select(Selection("text", "scope"))
    do(window, "add_text", "add_rule", "add_space", "add_shape", "add_barcode", "add_readout")
    settle(window, qtbot)
    shown = {region.row for region in regions(window)}
    assert {"text", "rule", "shape", "barcode", "readout"} <= shown
    at = names(window).index("scope")
    assert names(window)[at + 1 : at + 7] == ["text", "rule", "spacer", "shape", "barcode", "readout"]
    window.controller.select(Selection("shape", "shape"))
    choose(window, "draw", "ellipse")
    type_into(editor(window, "height"), "12", qtbot)
    type_into(editor(window, "name"), "bubble", qtbot)
    assert window.controller.selection == Selection("shape", "bubble")
    settle(window, qtbot)
    (region,) = regions(window, block="bubble")
    assert region.height == round(12 * 72_000 / 25.4)
    qtbot.mouseClick(window.pages.canvas.viewport(), Qt.MouseButton.LeftButton, pos=point_on(window, region))
    assert window.controller.selection == Selection("shape", "bubble")
    pages = window.pages.canvas.page_count
    window.controller.select(Selection("text", "scope"))
    do(window, "add_break")
    settle(window, qtbot)
    assert window.pages.canvas.page_count == pages + 1
    assert undone(window, before)


def test_a_table_is_repeated_for_each_record(window: Window, qtbot: QtBot) -> None:
    before = report_text(window.controller.report)
    window.controller.select(Selection("table", TABLE))
    do(window, "repeat")
    around = next(b for b in walk(window.controller.edition.blocks) if isinstance(b, ForEachBlock))  # type: ignore[union-attr]
    assert [each.name for each in around.blocks] == [TABLE]
    window.controller.select(Selection("for-each", around.name))
    type_into(editor(window, "by"), "route", qtbot)
    do(window, "add_text")
    window.controller.select(Selection("text", "text"))
    settle(window, qtbot)
    assert window._rendered is not None
    assert window.pages.canvas.page_count >= 9
    window.controller.select(Selection("table", TABLE))
    totals = [s for s in regions(window, block=TABLE, row="total") if s.column is not None and s.of_record]
    assert totals
    qtbot.mouseClick(window.pages.canvas.viewport(), Qt.MouseButton.LeftButton, pos=point_on(window, totals[0]))
    assert window.controller.selection.place.level is None  # it is the table's own total
    assert undone(window, before)


def test_blocks_are_copied_moved_and_taken_out(window: Window, qtbot: QtBot) -> None:
    before = report_text(window.controller.report)
    contents = window.pages.contents
    mark(contents, "title", "scope")
    assert window.controller.selection == Selection("text", "scope")
    do(window, "copy")
    held = json.loads(QGuiApplication.clipboard().text())  # type: ignore[union-attr]
    assert [each["name"] for each in held["blocks"]] == ["title", "scope"]
    assert {"title", "body"} <= {style["name"] for style in held["styles"]}
    do(window, "paste")
    assert names(window)[:5] == ["title", "scope", "title_2", "scope_2", TABLE]
    assert window.controller.selection.block == "title_2"
    do(window, "duplicate")
    assert names(window)[2:4] == ["title_2", "title_3"]
    do(window, "move_up")
    assert names(window)[2:4] == ["title_3", "title_2"]
    do(window, "cut")
    assert "title_3" not in names(window)
    mark(contents, "title_2", "scope_2")
    do(window, "remove")
    assert names(window) == ["title", "scope", TABLE]
    QGuiApplication.clipboard().setText("no blocks")  # type: ignore[union-attr]
    do(window, "paste")
    assert "holds no blocks" in window._notice.toolTip()
    assert undone(window, before)


def test_blocks_are_carried_to_another_report_with_their_query(
    statement: Window, copy: Path, demo: Path, qtbot: QtBot
) -> None:
    window = statement
    window.controller.select(Selection("table", "taxes"))
    do(window, "copy")
    assert window.open(Path(shutil.copy(demo / "reports" / "fares-by-route.moor", copy.parent / "other.moor")))
    settle(window, qtbot)
    do(window, "paste")
    settle(window, qtbot)
    assert names(window)[-1] == "taxes"
    assert window.controller.report is not None
    assert "taxes" in {query.name for query in window.controller.report.queries}
    assert window._rendered is not None
    assert any(f.place.block == "taxes" or f.place.query == "taxes" for f in window.findings.found)


def test_grids_grow_and_hold_what_is_inserted(window: Window, qtbot: QtBot) -> None:
    before = report_text(window.controller.report)
    window.controller.select(Selection("text", "scope"))
    do(window, "add_grid")
    window.controller.select(Selection("grid-cell", "grid", number=1))
    do(window, "add_text")
    window.controller.select(Selection("grid-cell", "grid", number=0))
    press(window, "Add a row below")
    press(window, "Add a column before it")
    grid = block(window, "grid")
    assert isinstance(grid, GridBlock)
    assert len(grid.tracks) == 3
    assert {(cell.row, cell.column) for cell in grid.cells} == {(0, 1), (0, 2), (1, 1), (1, 2)}
    assert [each.name for cell in grid.cells for each in cell.blocks] == ["text"]
    settle(window, qtbot)
    (region,) = regions(window, block="text")
    assert region.x > 595_276 // 2
    press(window, "Remove its row")
    press(window, "Remove its column")
    assert undone(window, before)
    do(window, "add_text")  # the cell that is chosen is no longer there
    assert names(window)[-1] == "text"


def test_a_record_is_chosen_in_contents_and_its_figure_traced(statement: Window, qtbot: QtBot) -> None:
    window = statement
    entries = [text for text, _ in window.pages.contents.parts()]
    assert "For each · shipper › Grid · due › Row 1, column 1 › Key figure · amount" in entries
    window.controller.select(Selection("table", "taxes"))
    settle(window, qtbot)
    do(window, "trace")
    (amount,) = regions(window, block="amount")[:1]
    with qtbot.waitSignal(window.pages.trace.traced, timeout=10_000):
        window.pages._trace(0, amount)
    assert amount.printed == 0


def test_the_menu_of_a_block_opens_where_it_is_pointed_at(window: Window, qtbot: QtBot) -> None:
    region = regions(window, block="title")[0]
    window.pages.canvas.picked.emit(Selection("text", region.block))
    window.pages.canvas.menu_wanted.emit(QPoint(10, 10))
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    texts = [plain_text(action).split("\t")[0] for action in menu.actions() if action.text()]
    assert texts[0] == "Edit"
    assert texts[texts.index("Cut") :][:5] == ["Cut", "Copy", "Paste", "Duplicate", "Remove"]
    menu.close()


def test_keys_for_blocks_do_nothing_to_blocks_that_are_not_seen(window: Window, qtbot: QtBot) -> None:
    before = names(window)
    window.controller.select(Selection("text", "scope"))
    window.show_workspace("data")
    qtbot.keyClick(window, Qt.Key.Key_Delete)
    qtbot.keyClick(window, Qt.Key.Key_X, Qt.KeyboardModifier.ControlModifier)
    do(window, "remove", "cut")
    assert names(window) == before
    window.show_workspace("pages")
    line = editor(window, "name")
    line.setFocus()
    qtbot.keyClick(line, Qt.Key.Key_Delete)  # a line keeps its own keys
    assert names(window) == before
    do(window, "remove")
    assert "scope" not in names(window)


def test_a_header_is_added_and_is_on_later_pages(statement: Window, qtbot: QtBot) -> None:
    window = statement
    before = report_text(window.controller.report)
    window.controller.select(Selection("page"))
    press(window, "Add a header")
    settle(window, qtbot)
    assert [region.column for region in regions(window, block="header")] == ["0.start"]
    window.controller.select(Selection("header", "header"))
    press(window, "Add a line")
    window.controller.select(Selection("header", "header", column="1.start"))
    choose(window, "on", "later")
    settle(window, qtbot)
    assert [region.column for region in regions(window, block="header")] == ["0.start"]
    assert undone(window, before)


def test_runs_of_a_text_are_made_bold_linked_and_styled_in_the_inspector(
    window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = report_text(window.controller.report)
    window.controller.select(Selection("text", "scope"))
    do(window, "add_text")
    rich = window.pages.inspector.findChild(RichTextEditor)
    assert rich is not None
    rich.text.selectAll()
    qtbot.keyClicks(rich.text, "Paid in full")
    rich.choose(0, 4)
    qtbot.keyClick(rich.text, Qt.Key.Key_B, Qt.KeyboardModifier.ControlModifier)
    made = block(window, "text")
    assert isinstance(made, TextBlock)
    assert (made.text, made.runs[0].text, made.runs[0].look) == ("", "Paid", Style(bold=True))
    assert made.runs[1] == TextRun(text=" in full")
    rich = window.pages.inspector.findChild(RichTextEditor)
    rich.choose(5, 12)
    rich.styles.activated.emit(rich.styles.findData("heading"))
    rich = window.pages.inspector.findChild(RichTextEditor)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: (" https://tarrow.example ", True))
    rich.choose(8, 12)
    rich.buttons["link"].click()
    made = block(window, "text")
    assert isinstance(made, TextBlock)
    assert [(run.text, run.style, run.link) for run in made.runs] == [
        ("Paid", None, None), (" ", None, None), ("in ", "heading", None), ("full", "heading", "https://tarrow.example"),
    ]  # fmt: skip
    settle(window, qtbot)
    assert [region.link for region in regions(window) if region.block == "text" and region.link] == [
        "https://tarrow.example"
    ]
    choose(window, "marker", "bullet")
    assert undone(window, before)


def test_a_picture_is_inserted_and_copied_into_the_library(
    window: Window, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = report_text(window.controller.report)
    outside = tmp_path.parent / f"{tmp_path.name}-outside"
    outside.mkdir()
    drawing = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 20 10"><rect width="20" height="10"/></svg>'
    (outside / "box.svg").write_text(drawing)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(outside / "box.svg"), ""))
    window.controller.select(Selection("text", "title"))
    do(window, "add_picture")
    settle(window, qtbot)
    made = block(window, "picture")
    assert isinstance(made, PictureBlock)
    assert made.file == "pictures/box.svg"
    assert (tmp_path / made.file).read_text() == drawing
    assert [region.width // region.height for region in regions(window) if region.block == "picture"] == [2]
    type_into(editor(window, "width"), "20", qtbot)
    choose(window, "fit", "fill")
    type_into(editor(window, "link"), "https://tarrow.example", qtbot)
    settle(window, qtbot)
    assert [region.link for region in regions(window) if region.block == "picture"] == ["https://tarrow.example"]
    do(window, "add_picture")
    assert len(list((tmp_path / "pictures").glob("box*"))) == 1  # the same picture is not copied twice
    assert undone(window, before)


def test_which_rows_a_table_in_a_record_shows_is_chosen_and_taken_back(statement: Window, qtbot: QtBot) -> None:
    before = report_text(statement.controller.report)
    table = next(
        b for b in walk(statement.controller.edition.blocks) if b.kind == "table" and b.name in names(statement)
    )  # type: ignore[union-attr]
    statement.controller.select(Selection("table", table.name))

    def rows() -> int:
        settle(statement, qtbot)
        placed = statement.pages._rendered.document.composition.placed  # type: ignore[union-attr]  # pages are shown
        found = (run for run in placed.all_runs() if run.table.name == table.name)
        return sum(piece.end - piece.start for run in found for piece in run.fragments)

    own = rows()
    tie = editor(statement, "tie")
    assert isinstance(tie, QComboBox)
    assert tie.currentText().startswith("Of shipper, by")
    choose(statement, "tie", "all")
    assert rows() > own
    choose(statement, "tie", "columns")
    pairs = editor(statement, "of_record")
    type_into(pairs, "shipper_id", qtbot)
    assert rows() == own
    choose(statement, "tie", "link")
    assert rows() == own
    assert undone(statement, before)


def test_every_block_can_be_renamed_and_expressions_follow_a_for_each(statement: Window, qtbot: QtBot) -> None:
    before = report_text(statement.controller.report)
    each = next(b for b in walk(statement.controller.edition.blocks) if isinstance(b, ForEachBlock))  # type: ignore[union-attr]  # a report is open
    statement.controller.select(Selection("for-each", each.name))
    do(statement, "add_text")
    made = window_text = "{sum(lines.charge) over report; 0} {count(*) over " + each.name + "}"
    statement.controller.edit("x", lambda r, e: change_block(r, e, "text", text=made))
    statement.controller.select(Selection("for-each", each.name))
    type_into(editor(statement, "name"), "customer", qtbot)
    text = block(statement, "text")
    assert isinstance(text, TextBlock)
    assert text.text == window_text.replace(f"over {each.name}", "over customer")
    for kind in ("table", "chart", "matrix"):
        own = next((b for b in walk(statement.controller.edition.blocks) if b.kind == kind), None)  # type: ignore[union-attr]
        if own is not None:
            statement.controller.select(Selection(kind, own.name))
            type_into(editor(statement, "name"), f"renamed-{kind}", qtbot)
            assert statement.controller.selection == Selection(kind, f"renamed-{kind}")
            assert own.name not in names(statement)
    assert undone(statement, before)


def test_a_field_is_put_into_a_text_that_is_repeated(statement: Window, qtbot: QtBot) -> None:
    before = report_text(statement.controller.report)
    statement.controller.select(Selection("text", "to"))
    assert "Terms days" in [name for name, _ in statement.pages.fields.names()]
    own = block(statement, "to")
    assert isinstance(own, TextBlock)
    statement.pages.placing.add_columns(["terms_days"])
    changed = block(statement, "to")
    assert isinstance(changed, TextBlock)
    assert changed.text == own.text + "{terms_days}"
    assert undone(statement, before)
