"""What can be done to a part is offered at the part: the menus of parts, and what they do."""

from pathlib import Path

import pyarrow as pa
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QContextMenuEvent
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QLabel, QMenu
from pytestqt.qtbot import QtBot

from northmoor.app.document_controller import WHOLE_PAGE, Selection
from northmoor.app.pages.part_menu.entries import commands_in
from northmoor.app.pages.part_menu.highlight_dialog import HighlightDialog
from northmoor.app.widgets.menus import plain_text
from northmoor.app.widgets.word_completer import WordCompleter
from northmoor.app.window import Window
from northmoor.core.checks.trace.pointed import PointedValue
from northmoor.core.model import edits
from northmoor.core.model.styles import Style
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from tests.app.conftest import in_dialog, settle
from tests.app.mouse import FaresTable, entry
from tests.app.test_inserting import insert_of_fields
from tests.app.test_journey import TABLE, editor, lines_in_place, point_on, regions
from tests.helpers import dumped, lines_of


class UserActions(FaresTable):
    """Acts on a window as a user does."""

    def __init__(self, window: Window, qtbot: QtBot) -> None:
        super().__init__(window)
        self._qtbot = qtbot

    def menu(self, block: str = TABLE, **spot: str | None) -> QMenu:
        """Right-click a spot of the first page; its menu."""
        canvas = self.window.pages.canvas
        at = point_on(self.window, regions(self.window, block=block, **spot)[0])
        event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, canvas.viewport().mapToGlobal(at))
        canvas.contextMenuEvent(event)
        menu = QApplication.activePopupWidget()
        assert isinstance(menu, QMenu)
        return menu

    def click(self, **spot: str | None) -> None:
        """Click a spot of the first page."""
        at = point_on(self.window, regions(self.window, block=TABLE, **spot)[0])
        self._qtbot.mouseClick(self.window.pages.canvas.viewport(), Qt.MouseButton.LeftButton, pos=at)
        settle(self.window, self._qtbot)

    def opened(self) -> QMenu:
        """The menu of what is selected."""
        self.window.pages.part_menu.open(self.window.mapToGlobal(QPoint(400, 300)))
        menu = QApplication.activePopupWidget()
        assert isinstance(menu, QMenu)
        return menu

    def choose(self, menu: QMenu, *texts: str) -> None:
        """Choose an entry, through the menus above it."""
        for text in texts:
            action = entry(menu, text)
            below = action.menu()
            if below is None:
                menu.close()
                action.trigger()
            else:
                menu = below
        settle(self.window, self._qtbot)

    def key(self, widget: object, key: Qt.Key, *modifiers: Qt.KeyboardModifier) -> None:
        held = Qt.KeyboardModifier.NoModifier
        for modifier in modifiers:
            held |= modifier
        self._qtbot.keyClick(widget, key, held)


@pytest.fixture
def hands(window: Window, qtbot: QtBot) -> UserActions:
    window.pages.set_width(TABLE, "fares", 90_000)
    settle(window, qtbot)
    return UserActions(window, qtbot)


FARES = {"row": "detail", "column": "fares"}
MONTH = {"row": "detail", "column": "month"}


def test_a_heading_goes_beside_its_rows(hands: UserActions) -> None:
    hands.choose(hands.menu(row="heading", level="route", column="month"), "Heading beside its rows")
    assert (hands.table.columns[0].name, hands.table.levels[0].heading) == ("route", ())
    assert hands.window.controller.selection == Selection("level", TABLE, level="route")
    assert [text for text in hands.printed("route", "detail") if text][:2] == ["IL-SK", "MP-BN"]
    hands.choose(hands.opened(), "First groups", "First 3")
    hands.choose(hands.opened(), "Heading beside its rows")
    assert hands.table.columns[0].name == "month"
    assert set(hands.printed("month", "heading")) == {"IL-SK", "MP-BN", "OX-SH"}


def test_totals_are_highlighted_by_their_own_value(hands: UserActions, qtbot: QtBot) -> None:
    in_dialog(HighlightDialog, lambda dialog: (dialog.value.setText("150000"), dialog.accept()))
    hands.choose(hands.menu(row="total", level="route", column="fares"), "Highlight when")
    (rule,) = next(cell for cell in hands.table.levels[0].total[0].cells if cell.column == "fares").rules
    assert (rule.when, rule.look) == ("sum(fares) > 150000", Style(color="#B3402E"))
    settle(hands.window, qtbot)
    document = hands.window.shown_document
    assert document is not None
    totals = [
        (item["text"], item["color"].upper())
        for item in dumped(document)["pages"][0]["items"]
        if item["kind"] == "text" and (item["origin"]["row"], item["origin"]["column"]) == ("total", "fares")
    ]
    assert totals[:2] == [("179,774.40", "#B3402E"), ("81,705.00", "#1F1B16")]


def test_a_missing_value_and_a_text_are_highlighted_by(hands: UserActions, monkeypatch: pytest.MonkeyPatch) -> None:
    shown: list[str] = []
    monkeypatch.setattr(HighlightDialog, "exec", lambda dialog: shown.append(dialog.value.text()) or 1)
    menu = hands.window.pages.part_menu
    for pointed in (None, PointedValue(None, pa.nulls(1)), PointedValue("it's", pa.array(["it's"]))):
        monkeypatch.setattr(menu, "_pointed", lambda _, pointed=pointed: pointed)
        hands.window.controller.select(Selection("cell", TABLE, "detail", None, "month"))
        menu.ask_highlight()
    assert shown == ["", "", "it's"]
    assert hands.table.columns[0].rules[-1].when == "month > 'it''s'"


def test_an_expression_is_completed_with_what_there_is(window: Window, qtbot: QtBot) -> None:
    window.controller.select(Selection("cell", TABLE, "detail", None, "fares"))
    qtbot.keyClick(window.pages.canvas, Qt.Key.Key_Return)  # as the menu says
    (line,) = lines_in_place(window)

    def offered(text: str) -> list[str]:
        line.clear()
        qtbot.keyClicks(line, text)
        return line.completer_of_words.offered

    assert offered("sum(fares) ov") == ["over route", "over report"]
    assert offered(":se") == [":season"]
    assert offered("nu")[0] == "nullif(a, b)"
    assert offered("qzx") == offered("12") == []
    assert "round(x, 2)" in offered("decimals")  # found by what it does
    offered("roun")
    popup = QApplication.activePopupWidget()
    qtbot.keyClick(popup, Qt.Key.Key_Down)
    qtbot.keyClick(popup, Qt.Key.Key_Return)
    assert (line.text(), line.selectedText()) == ("round(x, 2)", "x")
    line.finish(False)
    window.controller.select(Selection("cell", TABLE, "head", None, "fares"))
    window.pages.edit_in_place()
    (line,) = lines_in_place(window)
    assert offered("sum") == []  # a template: only what is in braces
    assert offered("Fares {su")[0] == "sum(x)"
    line.finish(False)
    assert not editor(window, "title").findChildren(WordCompleter)
    window.controller.select(Selection("level", TABLE, level="route"))
    assert editor(window, "order_by").findChildren(WordCompleter)


def test_a_column_is_a_small_trend_in_the_headings_of_its_groups(hands: UserActions) -> None:
    before = hands.window.controller.report
    hands.choose(hands.menu(**FARES), "Sparkline in headings")
    cells = hands.table.levels[-1].heading[0].cells
    assert [(cell.column, cell.span) for cell in cells] == [("month", 3), ("fares", 1)]
    document = hands.window._rendered.document
    drawn = [item for item in dumped(document)["pages"][0]["items"] if item["kind"] == "path"]
    assert [len(item["points"]) for item in drawn] == [
        12,
        12,
        5,
    ]  # the months of each route on the page, one of them in summer
    assert not hands.window.findings.found
    hands.choose(hands.menu(**FARES), "Sparkline in headings")
    assert [cell.column for cell in hands.table.levels[-1].heading[0].cells] == ["month"]
    hands.window.controller.undo()
    hands.window.controller.undo()
    assert hands.window.controller.report == before


def test_a_header_that_was_undone_has_no_menu_of_its_own(hands: UserActions, qtbot: QtBot) -> None:
    controller = hands.window.controller
    controller.edit("no header", lambda r, e: edits.change_edition(r, e, header=None))
    controller.select(WHOLE_PAGE)
    hands.choose(hands.opened(), "Add a header")
    assert controller.selection.kind == "header"
    controller.undo()
    settle(hands.window, qtbot)
    assert "Shown on" not in [plain_text(action) for action in hands.opened().actions()]
    controller.select(Selection("header", "header", column="0.start"))
    assert "Shown on" not in [plain_text(action) for action in hands.opened().actions()]


def test_a_header_is_on_the_first_page_alone(hands: UserActions) -> None:
    hands.window.controller.select(Selection("header", "header", column="0.end"))
    hands.choose(hands.opened(), "Shown on", "The first page")
    assert hands.window.controller.edition.header.lines[0].on == "first"
    pages = dumped(hands.window._rendered.document)["pages"]
    texts = [[item["text"] for item in page["items"] if item["kind"] == "text"] for page in pages]
    assert ["Tarrow Sound Ferries" in page for page in texts] == [True, *[False] * (len(pages) - 1)]


REPORTS = {
    "fares-matrix": "route-month-matrix.moor", "cancelled-matrix": "route-month-matrix.moor",
    "course": "punctuality.moor", "cancelled": "punctuality.moor",
}  # fmt: skip
KINDS = {
    "matrix": Selection("matrix", "fares-matrix"),
    "measure": Selection("measure", "fares-matrix", column="fares"),
    "row level": Selection("level", "fares-matrix", level="route"),
    "column level": Selection("level", "fares-matrix", level="month"),
    "chart": Selection("chart", "course"),
    "mark": Selection("mark", "cancelled", column="cancelled"),
    "table": Selection("table", TABLE),
    "row": Selection("row", TABLE, "total", "route"),
    "title": Selection("cell", TABLE, "head", None, "fares"),
    "cell of days": Selection("cell", TABLE, "detail", None, "month"),
    "total of days": Selection("cell", TABLE, "total", "route", "month"),
    "share": Selection("measure", "cancelled-matrix", column="cancelled"),
    "heading": Selection("cell", TABLE, "heading", "route", "month"),
    "level": Selection("level", TABLE, level="route"),
    "text": Selection("text", "title"),
    "page": WHOLE_PAGE,
    "header": Selection("header", "header", column="0.start"),
    "footer": Selection("footer", "footer"),
}


MANY = ("group › day", "group › passengers", "group › fares")
"""Commands that make so many groups that drawing them takes minutes."""


def faults_of(session: Session, window: Window) -> list[str]:
    """What cannot be computed in the report as it is now, but for what has too many groups to be drawn."""
    document = session.render(window.controller.report, window.controller.values)
    faulty = [each for each in document.findings if each.rule.startswith("faulty") or each.rule == "undecided"]
    return [each.message for each in faulty if not each.message.startswith("It would have")]


@pytest.mark.slow
@pytest.mark.parametrize("kind", KINDS)
def test_whatever_is_offered_for_a_part_can_be_done_and_undone(
    window: Window, demo: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, kind: str
) -> None:
    """Every command of every menu makes another report without a fault, in steps that are undone, or says why not."""
    monkeypatch.setattr(HighlightDialog, "exec", lambda _: 0)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: ("", ""))
    for asking in ("getText", "getItem"):
        monkeypatch.setattr(QInputDialog, asking, lambda *_, **__: ("", False))
    report = next((name for begins, name in REPORTS.items() if KINDS[kind].block.startswith(begins)), None)
    if report is not None:
        assert window.open(demo / "reports" / report)
        settle(window, qtbot)
    monkeypatch.setattr(window.worker, "render", lambda _: None)  # only the report itself matters here
    refusals: list[str] = []
    window.controller.refused.connect(refusals.append)
    before = window.controller.report
    session = Session(Library.around(window.controller.path))
    window.controller.select(KINDS[kind])
    names = [text for text, _ in commands_in(window.pages.part_menu.entries())]
    assert len(names) > 3
    for name in names:
        if name.startswith(("Cut", "Copy", "Paste")):
            continue
        window.controller.select(KINDS[kind])
        command = dict(commands_in(window.pages.part_menu.entries()))[name]
        command.run()
        for line in lines_in_place(window):
            line.finish(False)
        while QApplication.activePopupWidget() is not None:
            QApplication.activePopupWidget().close()
        assert name.endswith(MANY) or not faults_of(session, window), name
        while window.controller.undo_label:
            window.controller.undo()
        assert window.controller.report == before, name
    assert set(refusals) <= {"It is the last one; remove the whole block instead."}


def test_the_menu_of_what_is_selected_is_in_the_menu_bar_and_found_by_its_words(window: Window, qtbot: QtBot) -> None:
    window.controller.select(Selection("cell", TABLE, "detail", None, "fares"))
    settle(window, qtbot)
    window.show_finder()
    window._finder.line.setText("running total route")
    assert (
        window._finder.found.topLevelItem(0).text(0).startswith("Compute beside it › Running total, within each route")
    )
    window._finder.reject()
    bar = window.menuBar()
    menu = next(action.menu() for action in bar.actions() if action.text() == "&Selection")
    menu.aboutToShow.emit()
    assert entry(menu, "Format").menu() is not None
    entry(menu, "Negative in red").trigger()
    assert window.controller.undo_label == "Negative in red"


def test_a_handle_beside_the_selected_cell_opens_its_menu(window: Window, qtbot: QtBot) -> None:
    canvas = window.pages.canvas
    spot = regions(window, block=TABLE, row="detail", column="fares")[2]
    qtbot.mouseClick(canvas.viewport(), Qt.MouseButton.LeftButton, pos=point_on(window, spot))
    qtbot.waitUntil(canvas._handle.isVisible)
    assert abs(canvas._handle.geometry().center().y() - point_on(window, spot).y()) <= 2
    canvas._handle.click()
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    assert plain_text(entry(menu, "Edit")) == "Edit\tEnter"
    menu.close()


@pytest.mark.parametrize(
    ("report", "block", "row", "columns"),
    [
        ("selected-waybills", "waybill-lines", "detail", ("goods", "shipped_on", "pieces", "charge")),
        ("cost-centres", "centres", "heading", ("entries", "y2024", "y2025", "share")),
    ],
)
def test_the_handle_covers_nothing_that_is_printed(
    window: Window, demo: Path, qtbot: QtBot, report: str, block: str, row: str, columns: tuple[str, ...]
) -> None:
    assert window.open(demo / "reports" / f"{report}.moor")
    settle(window, qtbot)
    canvas = window.pages.canvas
    for column in columns:
        spot = regions(window, block=block, row=row, column=column)[0 if row == "heading" else 3]
        qtbot.mouseClick(canvas.viewport(), Qt.MouseButton.LeftButton, pos=point_on(window, spot))
        settle(window, qtbot)
        canvas.grab()
        page = canvas.page_rect(0)
        picture = canvas._pixmaps[0].toImage()
        under = picture.copy(canvas._handle.geometry().adjusted(1, 1, -1, -1).translated(-page.topLeft()))
        colors = {under.pixel(x, y) for x in range(under.width()) for y in range(under.height())}
        assert len(colors) == 1, column


def test_texts_are_formatted_by_samples(window: Window, demo: Path, qtbot: QtBot) -> None:
    assert window.open(demo / "reports" / "selected-waybills.moor")
    settle(window, qtbot)
    spot = regions(window, block="waybill-lines", row="detail", column="goods")[0]
    qtbot.mouseClick(window.pages.canvas.viewport(), Qt.MouseButton.LeftButton, pos=point_on(window, spot))
    window.actions_by_name["format"].trigger()
    popup = window.pages.part_menu.format_popup
    assert popup is not None
    (row,) = popup.formats.findItems("Capitals", Qt.MatchFlag.MatchExactly)
    texts = [popup.formats.item(row.row(), column).text() for column in (1, 2, 3)]
    assert texts == ["BUILDING STONE", "FEED", "BUILDING STONE"]
    assert not popup.zero.isVisible()
    popup.formats.itemClicked.emit(row)
    settle(window, qtbot)
    lines = lines_of(window._rendered.document, "waybill-lines")
    assert {line.cells["goods"] for line in lines if line.kind == "detail"} > {"BUILDING STONE", "FEED"}
    popup.close()


def test_several_columns_are_changed_in_one_step(hands: UserActions, qtbot: QtBot) -> None:
    window = hands.window
    canvas, begun = window.pages.canvas, window.controller._at
    hands.click(row="detail", column="sailings")
    at = point_on(window, regions(window, block=TABLE, row="detail", column="fares")[0])
    qtbot.mouseClick(canvas.viewport(), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, at)
    chosen = window.pages.contents.chosen()
    assert [each.column for each in chosen] == ["sailings", "tickets", "fares"]
    assert {each.column for each in (canvas._selection, *canvas._also)} == {"sailings", "tickets", "fares"}
    hands.choose(hands.menu(row="detail", column="fares"), "Align", "Centre")
    assert [column.look.align for column in hands.table.columns[1:]] == ["center"] * 3
    assert window.controller._at == begun + 1
    before = [regions(window, block=TABLE, row="detail", column=each.column)[0].width for each in chosen]
    hands.choose(hands.menu(row="detail", column="fares"), "Same width")
    assert [column.width for column in hands.table.columns[1:]] == [sum(before) // 3] * 3
    window.controller.undo()
    hands.click(row="detail", column="tickets")
    assert [each.column for each in window.pages.contents.chosen()] == ["tickets"]
    assert canvas._also == []
    qtbot.mouseClick(canvas.viewport(), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, at)
    texts = [text for text, _ in commands_in(window.pages.part_menu.entries())]
    assert not any(text.startswith(("Edit", "Highlight when")) for text in texts)  # they are of one part
    hands.choose(hands.opened(), "Column", "Hide column")
    assert [column.visible for column in hands.table.columns[1:]] == [None, "false", "false"]
    for _ in range(2):
        window.controller.undo()
    assert all(column.look is None or column.look.align != "center" for column in hands.table.columns)


def test_several_columns_are_removed_and_the_table_stays(hands: UserActions, qtbot: QtBot) -> None:
    window = hands.window
    names = [column.name for column in hands.table.columns]
    hands.click(row="detail", column="sailings")
    at = point_on(window, regions(window, block=TABLE, row="detail", column="fares")[0])
    qtbot.mouseClick(window.pages.canvas.viewport(), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, at)
    window.actions_by_name["remove"].trigger()
    settle(window, qtbot)
    assert [column.name for column in hands.table.columns] == [n for n in names if n not in ("sailings", "fares")]
    window.controller.undo()
    assert [column.name for column in hands.table.columns] == names


def test_a_fault_is_marked_while_it_is_typed_and_corrected(hands: UserActions, qtbot: QtBot) -> None:
    window = hands.window
    hands.click(**FARES)
    hands.window.pages.edit_in_place()
    line = window.pages._line
    assert line is not None
    line.clear()
    qtbot.keyClicks(line, "faress * 2")
    qtbot.waitUntil(lambda: line.checker.fault is not None, timeout=5_000)
    words = [label.text() for label in window.findChildren(QLabel, "fault") if label.isVisible()]
    assert words == ["There is no field faress. Did you mean fares?"]
    qtbot.keyClick(line, Qt.Key.Key_Return, Qt.KeyboardModifier.AltModifier)
    assert line.text() == "fares * 2"
    assert not [label for label in window.findChildren(QLabel, "fault") if label.isVisible()]
    qtbot.keyClick(line, Qt.Key.Key_Return)
    settle(window, qtbot)
    assert hands.table.columns[-1].value == "fares * 2"


def test_a_long_text_is_edited_below_its_cell(hands: UserActions) -> None:
    canvas = hands.window.pages.canvas
    hands.window.controller.edit(
        "Change",
        lambda r, e: edits.change_column(r, e, TABLE, "fares", value="fares * (1 + 0.19) - coalesce(fares, 0) * 0.5"),
    )
    hands.click(**FARES)
    cell = canvas._pointed_rect()
    hands.window.pages.edit_in_place()
    line = hands.window.pages._line
    assert line is not None
    assert line.width() > cell.width()
    assert line.geometry().top() > cell.bottom()  # its neighbours stay in sight


def test_values_of_columns_are_copied_for_a_spreadsheet(hands: UserActions, qtbot: QtBot) -> None:
    window = hands.window
    hands.click(row="detail", column="tickets")
    at = point_on(window, regions(window, block=TABLE, row="detail", column="fares")[0])
    qtbot.mouseClick(window.pages.canvas.viewport(), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, at)
    hands.choose(hands.opened(), "Copy values")
    lines = QApplication.clipboard().text().splitlines()
    assert lines[0].split("\t") == ["Tickets", "Fares, €"]
    rendered = window._rendered
    assert rendered is not None
    printed = [line.cells for line in lines_of(rendered.document, TABLE) if line.kind == "detail"]
    copied = [[f"{float(cell):,.2f}" for cell in line.split("\t")] for line in lines[1:]]
    assert copied == [[f"{float(c['tickets'].replace(',', '')):,.2f}", c["fares"]] for c in printed]
    assert "Copied 94 rows of 2 columns." in window._notice.toolTip()


def test_a_block_is_inserted_into_a_cell_from_its_menu(hands: UserActions, qtbot: QtBot) -> None:
    window = hands.window
    window.controller.select(WHOLE_PAGE)
    window.pages.blocks.insert("grid")
    window.controller.select(Selection("grid-cell", window.controller.selection.block, number=0))
    assert entry(hands.opened(), "Table").isEnabled()
    insert_of_fields(window, qtbot, "table")
    assert window.controller.selection.kind == "table"


def test_totals_are_offered_that_the_values_have(hands: UserActions) -> None:
    totals = [
        plain_text(action) for action in entry(hands.menu(row="detail", column="month"), "Total").menu().actions()
    ]
    assert totals[:4] == [
        f"{each} in all levels and at the end" for each in ("Count", "Minimum", "Maximum", "Count distinct")
    ]
    hands.choose(hands.menu(row="detail", column="month"), "Total", "For each route: count")
    printed = next(row for place, row in hands.table.rows() if place.row == "total" and place.level == "route")
    assert next(cell.value for cell in printed.cells if cell.column == "month") == "count(month)"


def test_a_text_shows_totals_of_a_query_and_what_was_chosen(hands: UserActions, qtbot: QtBot) -> None:
    hands.window.controller.select(Selection("text", "scope"))
    hands.choose(hands.opened(), "Insert field", "Sum of Tickets")
    hands.choose(hands.opened(), "Insert parameter", "Ports")
    assert edits.block_of(hands.window.controller.report, hands.window.controller.edition.name, "scope").text.endswith(
        "{label(:year)} {sum(fares.tickets)} {label(:ports)}"
    )
    settle(hands.window, qtbot)
    rows = hands.window._rendered.document.rows["fares"].table
    printed = [
        item["text"] for item in dumped(hands.window._rendered.document)["pages"][0]["items"] if item["kind"] == "text"
    ]
    assert any(f"{sum(rows['tickets'].to_pylist()):,} Tarrow Quay" in text for text in printed)
    inserted = next(action.menu() for action in hands.opened().actions() if plain_text(action) == "Insert")
    reasons = {action.toolTip() for action in inserted.actions() if not action.isEnabled()}
    assert reasons == {"Pages are numbered in a header or footer."}
