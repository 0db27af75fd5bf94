"""Tasks of a first day by keyboard alone, each key, chord and typed word counted: two more than by mouse are allowed."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QDesktopServices, QGuiApplication
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialog, QFileDialog, QLineEdit, QMenu, QWidget
from pytestqt.qtbot import QtBot

from northmoor.app.delivery.deliver_dialog import DeliverDialog
from northmoor.app.document_controller import WHOLE_PAGE, Selection
from northmoor.app.window import Window
from northmoor.core.authoring.table_commands import filter_by_parameter
from northmoor.core.model import edits
from northmoor.core.model.blocks.containers import ForEachBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.pages import PicturePiece
from tests.app.conftest import settle
from tests.app.test_journey import TABLE
from tests.app.test_signals import in_dialog
from tests.app.test_start import LINES
from tests.app.test_tasks_by_mouse import unknown_file
from tests.app.test_voyage_by_hand import activate
from tests.helpers import lines_of

CTRL, ALT, SHIFT, NONE = (
    Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.NoModifier,
)  # fmt: skip

pytestmark = pytest.mark.slow
"""Those of the mouse are quick enough to be waited for."""


class Keyboard:
    """Presses keys wherever the keyboard is, and counts them."""

    def __init__(self, window: Window, qtbot: QtBot) -> None:
        self.window, self.qtbot, self.count = window, qtbot, 0
        self.activate()

    def activate(self) -> None:
        """Give the window the keyboard, as a window manager does."""
        self.window.activateWindow()
        self.qtbot.waitUntil(lambda: QApplication.activeWindow() is self.window, timeout=20_000)

    def select(self, *part: str | None) -> None:
        """Begin with a part that is selected."""
        self.window.controller.select(Selection(*part) if part else WHOLE_PAGE)
        settle(self.window, self.qtbot)
        self.window.pages.canvas.setFocus()
        self.count = 0

    def press(self, key: Qt.Key, modifier: Qt.KeyboardModifier = NONE) -> None:
        self.count += 1
        popup = QApplication.activePopupWidget()
        target = popup if isinstance(popup, QMenu) else QApplication.focusWidget()
        assert target is not None
        QTest.keyClick(target, key, modifier)

    def write(self, text: str) -> None:
        """Type a word over what is chosen where the keyboard is."""
        self.count += 1
        target = QApplication.focusWidget()
        assert target is not None
        QTest.keyClicks(target, text)

    def find(self, words: str, expected: str) -> None:
        """Ctrl+K, some words, and Enter on the first that is found."""
        self.press(Qt.Key.Key_K, CTRL)
        finder = self.window._finder
        assert finder is not None
        finder.line.setFocus()
        self.write(words)
        first = finder.found.topLevelItem(0)
        assert first is not None, words
        assert first.text(0).startswith(expected), (words, first.text(0))
        self.count += 1
        QTest.keyClick(finder.line, Qt.Key.Key_Return)
        if QApplication.activeModalWidget() is None:
            self.activate()


@pytest.fixture
def keys(window: Window, qtbot: QtBot) -> Keyboard:
    return Keyboard(window, qtbot)


def table(window: Window) -> TableBlock:
    assert window.controller.report is not None
    return edits.table_of(window.controller.report, "full", TABLE)


@pytest.fixture
def empty(new_window: Callable[[], Window], qtbot: QtBot) -> Keyboard:
    """The keyboard over a window without a report."""
    return Keyboard(new_window(), qtbot)


def test_1_from_an_unknown_sqlite_file_to_a_grouped_formatted_report(
    empty: Keyboard, tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    file, window = tmp_path / "freight" / "quay.db", empty.window
    unknown_file(file)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(file), ""))
    empty.press(Qt.Key.Key_N, CTRL)
    empty.count += 2  # its path, and Enter in the dialog
    dialog = window.beginning.dialog
    assert dialog is not None
    qtbot.waitUntil(lambda: dialog.fields.count() == 4, timeout=20_000)
    activate(dialog, qtbot)
    empty.press(Qt.Key.Key_F, ALT)
    empty.press(Qt.Key.Key_Tab)
    assert QApplication.focusWidget() is dialog.fields
    empty.press(Qt.Key.Key_A, CTRL)
    empty.press(Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: dialog.cards["Grouped"].isEnabled(), timeout=20_000)
    empty.press(Qt.Key.Key_Tab)
    empty.press(Qt.Key.Key_Right)
    assert dialog.cards["Grouped"].isChecked()
    empty.press(Qt.Key.Key_T, ALT)
    empty.write("Landed freight")
    empty.press(Qt.Key.Key_Return)
    settle(window, qtbot)
    empty.activate()
    window.pages.contents.setFocus()
    for column, words, expected in (("weight", "format 2 decimals", "Format › 2 decimals"),
                                    ("landed", "format month year", "Format › Month and year")):  # fmt: skip
        empty.find(f"table rows {column}", f"Table · table › Rows › {column.capitalize()}")
        empty.find(words, expected)
    empty.press(Qt.Key.Key_S, CTRL)
    assert empty.count <= 25 + 2
    table = next(block for block in window.controller.edition.data_blocks if isinstance(block, TableBlock))
    assert [level.name for level in table.levels] == ["quay"]
    assert window.controller.is_saved
    settle(window, qtbot)
    lines = lines_of(window._rendered.document, table.name)
    assert [line.cells["weight"] for line in lines if line.kind == "total"] == ["15,006.00", "1,083.00", "16,089.00"]
    assert {line.cells["landed"] for line in lines if line.kind == "detail"} == {"Mar 2025"}


def test_2_a_csv_file_becomes_a_listing(
    empty: Keyboard, tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = tmp_path / "freight" / "lines.csv"
    file.parent.mkdir()
    file.write_text(LINES)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(file), ""))
    empty.press(Qt.Key.Key_N, CTRL)
    empty.count += 2  # its path, and Enter in the dialog
    dialog = empty.window.beginning.dialog
    assert dialog is not None
    qtbot.waitUntil(dialog.begin.isEnabled, timeout=20_000)
    activate(dialog, qtbot)
    empty.press(Qt.Key.Key_Return)
    assert empty.count <= 3 + 2
    settle(empty.window, qtbot)
    assert len([line for line in lines_of(empty.window._rendered.document) if line.kind == "detail"]) == 3


def test_3_a_column_from_fields(keys: Keyboard) -> None:
    keys.select("cell", TABLE, "detail", None, "sailings")
    keys.find("season", "Season")
    assert keys.count <= 1 + 2
    names = [column.name for column in table(keys.window).columns]
    assert names.index("season") == names.index("sailings") + 1


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
    (20, 4, ("detail", None, "fares"), "chart beside", "Chart of it › Beside the table"),
    (22, 4, ("detail", None, "fares"), "landscape", "Landscape"),
    (22, 4, ("detail", None, "fares"), "margins 15 mm", "Margins 15 mm"),
    (24, 2, ("detail", None, "fares"), "contents list", "Contents list"),
]


def test_tasks_of_one_command(keys: Keyboard) -> None:
    window = keys.window
    for task, most, part, words, expected in BY_KEYBOARD:
        keys.select("cell", TABLE, *part)
        before = window.controller.report
        keys.find(words, expected)
        assert keys.count <= most + 2, task
        assert window.controller.report != before, words
        window.controller.undo()
        assert window.controller.report == before


def test_7_the_first_groups_and_9_breaks_of_groups(keys: Keyboard) -> None:
    keys.select("level", TABLE, None, "route")
    keys.find("first 10 others", "First groups › First 10, others in one row")
    assert keys.count <= 4 + 2
    level = table(keys.window).levels[0]
    assert (level.first_groups, level.others is not None) == (10, True)
    keys.select("level", TABLE, None, "route")
    keys.find("keep together", "Keep together")
    keys.find("repeat heading", "Repeat heading on each page")
    assert keys.count <= 4 + 2
    assert table(keys.window).levels[0] != level


def test_12_values_over_a_limit(keys: Keyboard, qtbot: QtBot) -> None:
    keys.select("cell", TABLE, "detail", None, "fares")

    def act(dialog: QDialog) -> None:
        activate(dialog, qtbot)
        value = dialog.focusWidget()
        assert isinstance(value, QLineEdit)
        value.selectAll()
        keys.write("20000")
        keys.press(Qt.Key.Key_Return)

    from northmoor.app.pages.part_menu.highlight_dialog import HighlightDialog

    problems: list[Exception] = []
    in_dialog(HighlightDialog, act, qtbot, problems)
    keys.find("highlight", "Highlight when…")
    qtbot.waitUntil(lambda: bool(table(keys.window).columns[3].rules), timeout=20_000)
    assert keys.count <= 4 + 2
    assert table(keys.window).columns[3].rules[0].when == "fares > 20000"


def test_15_the_difference_in_percent_and_16_a_computed_column(keys: Keyboard, qtbot: QtBot) -> None:
    keys.select("cell", TABLE, "detail", None, "fares")
    keys.find("difference percent route", "Compute beside it › Change from the one before, %, within each route")
    assert keys.count <= 4 + 2
    assert "fares_change" in [column.name for column in table(keys.window).columns]
    keys.select("cell", TABLE, "detail", None, "fares")
    keys.find("column right computed", "Insert column right › Computed column…")
    settle(keys.window, qtbot)
    line = keys.window.pages._line
    assert line is not None
    line.setFocus()
    line.selectAll()
    keys.write("fares / ti")
    keys.count += 1
    QTest.keyClick(QApplication.activePopupWidget(), Qt.Key.Key_Tab)
    keys.press(Qt.Key.Key_Return)
    assert keys.count <= 6 + 2
    assert any(column.value == "fares / tickets" for column in table(keys.window).columns)


def test_17_a_filter_as_a_parameter_with_a_list(keys: Keyboard) -> None:
    keys.select("cell", TABLE, "detail", None, "month")
    keys.find("filter parameter", "Filter › By a parameter with a list")
    assert keys.count <= 4 + 2
    assert "month" in {parameter.name for parameter in keys.window.controller.report.parameters}


def test_21_logo_and_title_in_the_header_and_page_numbers_in_the_footer(
    keys: Keyboard, copy: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = keys.window
    window.controller.edit("Clear", lambda r, e: edits.change_edition(r, e, header=None, footer=None))
    picture = copy.parent.parent / "pictures" / "tarrow.png"
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(picture), ""))
    keys.select()
    keys.find("add header", "Add a header")
    keys.find("add picture right", "Add › Picture, right")
    keys.count += 1  # the file in the dialog
    keys.find("add footer", "Add a footer")
    assert keys.count <= 8 + 2
    edition = window.controller.edition
    assert isinstance(edition.header.lines[0].end, PicturePiece)
    assert edition.footer.lines[0].end.text == "Page {page_number(); 0} of {page_count(); 0}"


def test_23_one_page_for_each_record(keys: Keyboard) -> None:
    keys.select("table", TABLE)
    keys.find("repeat each record", "Repeat for each record")
    assert keys.count <= 4 + 2
    each = next(block for block in keys.window.controller.edition.blocks if isinstance(block, ForEachBlock))
    assert each.page_break == "between"


def test_25_a_style_used_everywhere(keys: Keyboard) -> None:
    keys.select("cell", TABLE, "detail", None, "fares")
    keys.find("style total italic", "Style total: italic")
    assert keys.count <= 3 + 2
    assert next(style for style in keys.window.controller.report.styles if style.name == "total").italic is True


def test_26_the_rows_behind_a_figure_as_a_table_to_copy(keys: Keyboard, qtbot: QtBot) -> None:
    keys.select("cell", TABLE, "total", "route", "fares")
    QGuiApplication.clipboard().clear()
    keys.press(Qt.Key.Key_F8)
    trace = keys.window.pages.trace
    qtbot.waitUntil(lambda: trace.copy.isVisible(), timeout=20_000)
    keys.press(Qt.Key.Key_F6)  # from the pages to Trace below them
    keys.press(Qt.Key.Key_C, CTRL)
    assert keys.count <= 2 + 2
    copied = QGuiApplication.clipboard().text().splitlines()
    assert copied[0].split("\t")[-1] == "Fares"
    assert len(copied) == 1 + 12


def test_27_the_same_report_for_another_connection(two_connections: Window, qtbot: QtBot) -> None:
    keys = Keyboard(two_connections, qtbot)
    keys.select("table", TABLE)
    keys.find("connection fares copy", "Connection of fares: tarrow-copy")
    assert keys.count <= 3 + 2
    assert keys.window.controller.report.query("fares").connection == "tarrow-copy"


def test_28_a_column_of_a_query_is_renamed(keys: Keyboard, qtbot: QtBot) -> None:
    keys.select("table", TABLE)
    keys.find("rename column tickets", "Rename the column tickets of fares")
    qtbot.waitUntil(lambda: bool(keys.window.data.columns.editors), timeout=20_000)
    qtbot.waitUntil(lambda: keys.window.data.columns.editors["name"].hasFocus(), timeout=20_000)
    keys.write("passengers")
    keys.press(Qt.Key.Key_Return)
    assert keys.count <= 3 + 2
    qtbot.waitUntil(lambda: "as passengers" in keys.window.controller.report.query("fares").sql, timeout=20_000)


def test_29_an_edition_with_two_blocks_fewer(keys: Keyboard, qtbot: QtBot) -> None:
    keys.select("text", "title")
    keys.find("duplicate edition", "Duplicate edition")
    settle(keys.window, qtbot)
    keys.press(Qt.Key.Key_F6, SHIFT)  # to Contents, over Fields
    keys.press(Qt.Key.Key_F6, SHIFT)
    contents = keys.window.pages.contents
    assert QApplication.focusWidget() is contents
    keys.press(Qt.Key.Key_Down, SHIFT)
    keys.press(Qt.Key.Key_Delete)
    assert keys.count <= 5 + 2
    assert [block.name for block in keys.window.controller.edition.blocks] == [TABLE]


def test_18_a_list_that_depends_on_another_parameter(keys: Keyboard, qtbot: QtBot) -> None:
    window = keys.window
    for column, kind in (("sailings", "integer"), ("month", "text")):
        window.controller.edit(
            "Filter", partial(filter_by_parameter, block=TABLE, expression=column, kind=kind, value=None)
        )
    settle(window, qtbot)
    keys.select("table", TABLE)
    keys.find("narrow month sailings", "Narrow the list of month by sailings")
    assert keys.count <= 4 + 2
    sql = next(query for query in window.controller.report.queries if query.name == "month_list").sql
    assert "(:sailings is null or sailings = :sailings)" in sql
    settle(window, qtbot)
    keys.press(Qt.Key.Key_K, CTRL)
    for words in (
        "narrow month",
        "narrow sailings month",
        "narrow sailings season",
    ):  # by it already, in a circle, by rows
        window._finder.line.setText(words)
        found = window._finder.found
        texts = [item.text(0) for at in range(found.topLevelItemCount()) if (item := found.topLevelItem(at))]
        assert not any(text.startswith("Narrow") for text in texts), (words, texts)
    window._finder.close()


def test_30_delivered_as_pdf_and_spreadsheet_then_its_folder(
    keys: Keyboard, tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    opened: list[str] = []
    monkeypatch.setattr(QDesktopServices, "openUrl", lambda url: opened.append(url.toLocalFile()))
    keys.select("table", TABLE)

    def act(dialog: QDialog) -> None:
        assert isinstance(dialog, DeliverDialog)
        activate(dialog, qtbot)
        dialog.folder.setText(str(tmp_path))
        keys.press(Qt.Key.Key_Down)
        keys.press(Qt.Key.Key_Space)
        keys.press(Qt.Key.Key_Return)
        assert not dialog.isVisible(), dialog.note.text()

    problems: list[Exception] = []
    in_dialog(DeliverDialog, act, qtbot, problems)
    with qtbot.waitSignal(keys.window.worker.delivered, timeout=20_000, raising=False):
        keys.press(Qt.Key.Key_D, CTRL)
    assert problems == []
    keys.activate()
    qtbot.waitUntil(keys.window.delivered_file.isVisible, timeout=20_000)
    keys.press(Qt.Key.Key_S, CTRL | ALT)
    assert keys.count <= 4 + 2
    assert {path.suffix for path in tmp_path.glob("fares-by-route.*")} == {".pdf", ".xlsx"}
    assert opened == [str(tmp_path)]


def places(window: Window) -> list[QWidget]:
    """Where the keyboard is after each F6, until it is where it was at first."""
    found: list[QWidget] = []
    while True:
        window.actions_by_name["next_panel"].trigger()
        focus = QApplication.focusWidget()
        assert focus is not None
        if focus in found:
            return found
        found.append(focus)


def test_a_key_goes_from_panel_to_panel(keys: Keyboard, qtbot: QtBot) -> None:
    window = keys.window
    window.pages.canvas.setFocus()
    names = [place.accessibleName() for place in places(window)]
    assert {"Contents", "Pages", "Search properties"} <= set(names)
    window.show_workspace("data")
    qtbot.waitUntil(lambda: window.data.pane.rows is not None, timeout=20_000)
    assert len(places(window)) >= 4
    window.actions_by_name["previous_panel"].trigger()
    assert QApplication.focusWidget() is not None
