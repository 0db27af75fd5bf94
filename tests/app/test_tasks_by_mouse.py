"""The thirty tasks of a first day by mouse, each click, drag, key and typed word counted."""

import sqlite3
from collections.abc import Callable
from functools import partial
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QDesktopServices, QGuiApplication
from PyQt6.QtWidgets import QFileDialog, QToolButton
from pytestqt.qtbot import QtBot

from northmoor.app.delivery.deliver_dialog import DeliverDialog
from northmoor.app.pages.canvas.level_rails import rail_x
from northmoor.app.pages.dialogs.styles_dialog import StylesDialog
from northmoor.app.pages.part_menu.highlight_dialog import HighlightDialog
from northmoor.app.widgets.picture_choices import PictureEditor
from northmoor.app.widgets.widget_tools import items_in_list
from northmoor.app.window import Window
from northmoor.core.authoring.table_commands import filter_by_parameter
from northmoor.core.model import edits
from northmoor.core.model.blocks.chart import ChartBlock
from northmoor.core.model.blocks.containers import ForEachBlock, GridBlock
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.pages import PicturePiece, TextPiece
from northmoor.core.model.styles import Style
from northmoor.core.store.report_files import load_report
from tests.app.conftest import in_dialog, settle
from tests.app.mouse import DRAGGED, FileIcon, Mouse, mouse, mouse_of, pointer
from tests.app.test_journey import TABLE, lines_in_place
from tests.app.test_start import LINES
from tests.app.test_voyage_by_hand import activate
from tests.helpers import lines_of

__all__ = ["mouse", "mouse_of", "pointer"]  # fixtures

FARES = {"row": "detail", "column": "fares"}
MONTH = {"row": "detail", "column": "month"}
TOTAL = {"row": "total", "level": "route", "column": "fares"}


def unknown_file(file: Path) -> None:
    """A database that nobody knows yet."""
    file.parent.mkdir()
    with sqlite3.connect(file) as connection:
        connection.execute("create table loads (quay text, vessel text, landed date, weight real)")
        rows = [("East", "Curlew", "2025-03-01", 1250.5), ("West", "Dunlin", "2025-03-02", 90.25)] * 12
        connection.executemany("insert into loads values (?, ?, ?, ?)", rows)


def test_1_from_an_unknown_sqlite_file_to_a_grouped_totalled_formatted_report(
    new_window: Callable[[], Window], mouse_of: Callable[[Window], Mouse], tmp_path: Path, qtbot: QtBot,
    monkeypatch: pytest.MonkeyPatch,
) -> None:  # fmt: skip
    file = tmp_path / "freight" / "quay.db"
    unknown_file(file)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(file), ""))
    window = new_window()
    hand = mouse_of(window)
    hand.click(window.start.cards["new_from_data"])
    hand.count += 1  # the file in the dialog
    dialog = window.beginning.dialog
    assert dialog is not None
    qtbot.waitUntil(lambda: dialog.fields.count() == 4, timeout=20_000)
    for item in items_in_list(dialog.fields):
        hand.tick(dialog.fields, item)
    hand.click(dialog.title)
    dialog.title.selectAll()
    hand.write("Landed freight")
    hand.click(dialog.cards["Grouped"])
    hand.click(dialog.begin)
    settle(window, qtbot)
    table = next(block for block in window.controller.edition.data_blocks if isinstance(block, TableBlock))
    hand.menu("Format", "2 decimals", block=table.name, row="detail", column="weight")
    hand.menu("Format", "Month and year", block=table.name, row="detail", column="landed")
    hand.main_menu("File", "Save")
    assert hand.count <= 25
    assert window.controller.is_saved
    saved = load_report(window.controller.path)
    assert saved.title == "Landed freight"
    made = next(block for block in saved.editions[0].blocks if isinstance(block, TableBlock))
    assert [level.name for level in made.levels] == ["quay"]
    lines = lines_of(window._rendered.document, table.name)
    assert [line.cells["weight"] for line in lines if line.kind == "total"] == ["15,006.00", "1,083.00", "16,089.00"]
    assert {line.cells["landed"] for line in lines if line.kind == "detail"} == {"Mar 2025"}


@DRAGGED
def test_2_a_csv_file_dropped_on_the_window_is_a_listing(
    new_window: Callable[[], Window], mouse_of: Callable[[Window], Mouse], tmp_path: Path, qtbot: QtBot
) -> None:
    file = tmp_path / "freight" / "lines.csv"
    file.parent.mkdir()
    file.write_text(LINES)
    window = new_window()
    hand = mouse_of(window)
    other = FileIcon(file, qtbot)
    hand.drag(other, QPoint(50, 30), window, QPoint(600, 400))
    qtbot.waitUntil(lambda: window.beginning.dialog is not None, timeout=20_000)
    hand.click(window.beginning.dialog.begin)
    settle(window, qtbot)
    assert hand.count <= 3
    printed = [line.cells["route"] for line in lines_of(window._rendered.document) if line.kind == "detail"]
    assert printed == ["TQ-SK", "TQ-IL", "TQ-SK"]


@DRAGGED
def test_3_a_field_is_dragged_beside_a_column(mouse: Mouse, qtbot: QtBot) -> None:
    fields = mouse.window.pages.fields
    (item,) = fields.findItems("Season", Qt.MatchFlag.MatchExactly)
    beside = mouse.spot(row="detail", column="tickets") - QPoint(20, 0)
    start = fields.visualItemRect(item).center()
    mouse.drag(fields.viewport(), start, mouse.window.pages.canvas.viewport(), beside)
    qtbot.waitUntil(lambda: len(mouse.table.columns) == 5, timeout=20_000)
    assert mouse.count <= 1
    assert [column.name for column in mouse.table.columns].index("season") == 2


def test_4_a_column_is_totalled_in_all_levels_and_at_the_end(mouse: Mouse) -> None:
    mouse.menu("Total", "Average in all levels", row="detail", column="sailings")
    assert mouse.count <= 3
    assert mouse.printed("sailings", "total")[-1] == "100.170"


def test_5_grouping_by_a_column_is_outermost(mouse: Mouse) -> None:
    mouse.menu("Group by it", **MONTH)
    assert mouse.count <= 2
    assert [level.name for level in mouse.table.levels] == ["month", "route"]


def test_6_groups_are_ordered_by_their_total(mouse: Mouse) -> None:
    mouse.menu("Sort", "Each route by it, largest first", **TOTAL)
    assert mouse.count <= 3
    assert (mouse.table.levels[0].order_by, mouse.table.levels[0].order) == ("sum(fares)", "descending")
    assert mouse.printed("fares", "total")[0] == "918,199.90"


def test_7_the_first_groups_stay_and_the_others_are_one(mouse: Mouse) -> None:
    canvas = mouse.window.pages.canvas
    bracket, page = canvas._shown[0].places.brackets[0], canvas.page_rect(0)
    middle = page.top() + round((bracket.top + bracket.bottom) / 2 * canvas.scale())
    mouse.right_click(canvas.viewport(), QPoint(rail_x(page, 0, 1), middle))
    mouse.choose("First groups", "First 3, others in one row")
    assert mouse.count <= 4
    assert len(mouse.printed("fares", "total")) == 5  # three groups, the others, and all


def test_8_a_new_page_for_each_group(mouse: Mouse) -> None:
    mouse.menu("New page for each route", **TOTAL)
    assert mouse.count <= 2
    assert mouse.table.levels[0].page_break == "between"


def test_9_a_group_is_kept_together_and_its_heading_not_repeated(mouse: Mouse) -> None:
    mouse.menu("Keep together", **TOTAL)
    mouse.menu("Repeat heading on each page", **TOTAL)
    assert mouse.count <= 4
    assert (mouse.table.levels[0].keep_together, mouse.table.levels[0].repeat_heading) == (True, False)


def test_10_whole_euros_with_negative_ones_in_red(mouse: Mouse, qtbot: QtBot) -> None:
    mouse.select(**FARES)
    mouse.press(Qt.Key.Key_O, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    popup = mouse.window.pages.part_menu.format_popup
    assert popup is not None
    (item,) = popup.formats.findItems("Currency, whole", Qt.MatchFlag.MatchExactly)
    mouse.click(popup.formats.viewport(), popup.formats.visualItemRect(item).center())
    mouse.click(popup.negative)
    settle(mouse.window, qtbot)
    assert mouse.count <= 4
    assert (mouse.printed("fares")[0], mouse.printed("fares", "total")[-1]) == ("€6,108", "€3,855,709")
    assert [rule.when for rule in mouse.table.columns[3].rules] == ["fares < 0"]
    popup.close()


def test_11_a_date_as_month_and_year(mouse: Mouse) -> None:
    mouse.menu("Format", "Month and year", **MONTH)
    assert mouse.count <= 3
    assert mouse.printed("month")[0] == "Jan 2025"


def test_12_values_over_a_limit_are_highlighted(mouse: Mouse, qtbot: QtBot) -> None:
    def act(dialog: HighlightDialog) -> None:
        activate(dialog, qtbot)
        mouse.write("100000")
        mouse.press(Qt.Key.Key_Return)
        assert not dialog.isVisible()

    in_dialog(HighlightDialog, act)
    mouse.menu("Highlight when", **FARES)
    qtbot.waitUntil(lambda: bool(mouse.table.columns[3].rules), timeout=20_000)
    assert mouse.count <= 4
    (rule,) = mouse.table.columns[3].rules
    assert (rule.when, rule.look) == ("fares > 100000", Style(color="#B3402E"))


@pytest.mark.parametrize(
    ("most", "text", "column", "first"),
    [(3, "Share, of all", "fares_share", "0.2%"), (3, "Running total, of all", "fares_running", "6,107.80"),
     (4, "Change from the one before, %, within each route", "fares_change", "")],
)  # fmt: skip
def test_13_14_15_figures_are_computed_beside_a_column(
    mouse: Mouse, most: int, text: str, column: str, first: str
) -> None:
    mouse.menu("Compute beside it", text, **FARES)
    assert mouse.count <= most
    assert [each.name for each in mouse.table.columns][-2:] == ["fares", column]
    assert mouse.printed(column)[0] == first


def test_16_a_column_is_computed_from_two_others(mouse: Mouse, qtbot: QtBot) -> None:
    mouse.menu("Insert column right", "Computed column", **FARES)
    (line,) = lines_in_place(mouse.window)
    line.selectAll()
    mouse.write("fares / ti")
    assert line.completer_of_words.offered[0] == "tickets"
    mouse.press(Qt.Key.Key_Tab)
    mouse.press(Qt.Key.Key_Return)
    settle(mouse.window, qtbot)
    assert mouse.count <= 6
    assert mouse.printed("computed")[0] == "14.508"


def test_17_rows_are_filtered_by_a_parameter_with_a_list(mouse: Mouse, qtbot: QtBot) -> None:
    mouse.menu("Filter", "By a parameter with a list", **MONTH)
    assert mouse.count <= 4
    assert set(mouse.printed("month")) == {"January"}
    assert len(mouse.window.controller.resolved.choices["month"].entries) == 12
    mouse.window.controller.set_value("month", None)
    settle(mouse.window, qtbot)
    assert set(mouse.printed("month")) > {"January"}


def test_18_a_list_depends_on_another_parameter(mouse: Mouse, qtbot: QtBot) -> None:
    controller = mouse.window.controller
    for column, kind in (("sailings", "integer"), ("month", "text")):
        change = partial(filter_by_parameter, block=TABLE, expression=column, kind=kind, value=None)
        controller.edit("Filter", change)
    settle(mouse.window, qtbot)
    mouse.click(mouse.window.parameters.units["month"].name)
    mouse.choose("Narrow its list by", "Sailings")
    assert mouse.count <= 4
    controller.set_value("sailings", 73)
    settle(mouse.window, qtbot)
    assert [entry.label for entry in controller.resolved.choices["month"].entries] == ["1 Jan 2025"]


def test_19_a_table_becomes_a_matrix_with_months_across(mouse: Mouse) -> None:
    mouse.menu("Matrix with it across", **MONTH)
    assert mouse.count <= 4
    matrix = edits.matrix_of(mouse.window.controller.report, "full", TABLE)
    assert isinstance(matrix, MatrixBlock)
    assert [level.by for level in matrix.columns] == ["month"]
    assert (matrix.row_total, matrix.column_total) == ("after", "after")


def test_20_a_chart_of_the_groups_is_drawn_beside_them(mouse: Mouse) -> None:
    mouse.menu("Chart of it", "Beside the table", **FARES)
    assert mouse.count <= 4
    grid = next(block for block in mouse.window.controller.edition.blocks if isinstance(block, GridBlock))
    assert [type(cell.blocks[0]) for cell in grid.cells] == [TableBlock, ChartBlock]


def margin(hand: Mouse) -> QPoint:
    """A place of the first page that has no block."""
    return hand.window.pages.canvas.page_rect(0).topLeft() + QPoint(14, 200)


def test_21_logo_and_title_in_the_header_and_page_numbers_in_the_footer(
    mouse: Mouse, copy: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = mouse.window
    window.controller.edit("Clear", lambda r, e: edits.change_edition(r, e, header=None, footer=None))
    settle(window, qtbot)
    picture = copy.parent.parent / "pictures" / "tarrow.png"
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(picture), ""))
    canvas = window.pages.canvas.viewport()
    for name in ("footer", "header"):
        mouse.right_click(canvas, margin(mouse))
        mouse.choose(f"Add a {name}")
    mouse.right_click(canvas, mouse.spot("header"))
    mouse.choose("Add", "Picture, right")
    mouse.count += 1  # the file in the dialog
    assert mouse.count <= 8
    edition = window.controller.edition
    assert edition.header.lines[0].start == TextPiece(text="{report_title()}")
    assert isinstance(edition.header.lines[0].end, PicturePiece)
    assert edition.footer.lines[0].end.text == "Page {page_number(); 0} of {page_count(); 0}"


def test_22_paper_and_margins(mouse: Mouse) -> None:
    for text in ("Landscape", "Margins 15 mm"):
        mouse.right_click(mouse.window.pages.canvas.viewport(), margin(mouse))
        mouse.choose(text)
    assert mouse.count <= 4
    page = mouse.window.controller.edition.page
    assert (page.orientation, page.margin_left) == ("landscape", 42_520)


def test_23_one_page_for_each_record_of_a_query(mouse: Mouse) -> None:
    mouse.click_in_contents(TABLE)
    mouse.main_menu("Insert", "Repeat for each record")
    assert mouse.count <= 4
    each = next(block for block in mouse.window.controller.edition.blocks if isinstance(block, ForEachBlock))
    assert (each.page_break, [block.name for block in each.blocks]) == ("between", [TABLE])


def test_24_a_contents_list(mouse: Mouse) -> None:
    mouse.main_menu("Insert", "Contents list")
    assert mouse.count <= 2
    assert any(block.kind == "contents" for block in mouse.window.controller.edition.blocks)


def test_25_a_style_used_everywhere_is_changed(mouse: Mouse, qtbot: QtBot) -> None:
    window = mouse.window
    mouse.press(Qt.Key.Key_Y, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    (dialog,) = window.findChildren(StylesDialog)
    qtbot.waitExposed(dialog)
    (item,) = dialog.list.findItems("total", Qt.MatchFlag.MatchExactly)
    mouse.click(dialog.list.viewport(), dialog.list.visualItemRect(item).center())
    italic = next(w for w in dialog.findChildren(PictureEditor) if w.property("field") == "italic")
    mouse.click(italic.buttons[True])
    assert mouse.count <= 3
    assert next(style for style in window.controller.report.styles if style.name == "total").italic is True
    dialog.close()


def test_26_the_rows_behind_a_figure_are_a_table_to_copy(mouse: Mouse, qtbot: QtBot) -> None:
    mouse.select(**TOTAL)
    mouse.count = 0  # it begins at the figure
    QGuiApplication.clipboard().clear()
    mouse.press(Qt.Key.Key_F8)
    trace = mouse.window.pages.trace
    qtbot.waitUntil(trace.copy.isVisible, timeout=20_000)
    mouse.click(trace.copy)
    assert mouse.count <= 2
    copied = QGuiApplication.clipboard().text().splitlines()
    assert (copied[0].split("\t")[-1], len(copied)) == ("Fares", 1 + 12)


def test_27_the_same_report_for_another_connection(
    two_connections: Window, mouse_of: Callable[[Window], Mouse], qtbot: QtBot
) -> None:
    window = two_connections
    hand = mouse_of(window)
    hand.click(window._switch.buttons["data"])
    qtbot.waitUntil(window.data.bar.connection.isVisible, timeout=20_000)
    hand.choose_in(window.data.bar.connection, "tarrow-copy")
    assert hand.count <= 3
    assert window.controller.report.query("fares").connection == "tarrow-copy"


def test_28_a_query_column_is_renamed_in_all_its_places(mouse: Mouse, qtbot: QtBot) -> None:
    window = mouse.window
    window.show_query("fares")
    pane = window.data.pane
    qtbot.waitUntil(lambda: pane.rows is not None and pane.rows.is_whole, timeout=20_000)
    at = pane.rows.names.index("month")
    middle = mouse.steady(lambda: pane.header.sectionViewportPosition(at) + pane.header.sectionSize(at) // 2)
    mouse.double_click(pane.header.viewport(), QPoint(middle, 12))
    qtbot.waitUntil(lambda: "name" in window.data.columns.editors and window.data.columns.editors["name"].hasFocus())
    mouse.write("begun")
    mouse.press(Qt.Key.Key_Return)
    assert mouse.count <= 3
    settle(window, qtbot)
    assert "as begun" in window.controller.report.query("fares").sql
    assert not window.findings.found


def test_29_a_second_edition_has_two_blocks_fewer(mouse: Mouse, qtbot: QtBot) -> None:
    window = mouse.window
    before = [block.name for block in window.controller.edition.blocks]
    mouse.main_menu("Page", "Duplicate edition")
    settle(window, qtbot)
    mouse.select("title")
    mouse.click(window.pages.canvas.viewport(), mouse.spot("scope"), with_control=True)
    mouse.press(Qt.Key.Key_Delete)
    assert mouse.count <= 5
    editions = window.controller.report.editions
    assert [[block.name for block in edition.blocks] for edition in editions] == [before, [TABLE]]


def test_30_pdf_and_spreadsheet_are_delivered_and_their_folder_opened(
    mouse: Mouse, tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    opened: list[str] = []
    monkeypatch.setattr(QDesktopServices, "openUrl", lambda url: opened.append(url.toLocalFile()))
    window = mouse.window

    def act(dialog: DeliverDialog) -> None:
        dialog.folder.setText(str(tmp_path))
        item = next(each for each in items_in_list(dialog.formats) if each.data(Qt.ItemDataRole.UserRole) == "xlsx")
        mouse.tick(dialog.formats, item)
        mouse.click(dialog._deliver)

    in_dialog(DeliverDialog, act)
    with qtbot.waitSignal(window.worker.delivered, timeout=20_000):
        mouse.click(window._deliver)
    qtbot.waitUntil(window.delivered_file.isVisible, timeout=20_000)
    mouse.click(window.delivered_file.findChildren(QToolButton)[-1])
    assert mouse.count <= 4
    assert {path.suffix for path in tmp_path.glob("fares-by-route.*")} == {".pdf", ".xlsx"}
    assert opened == [str(tmp_path)]
