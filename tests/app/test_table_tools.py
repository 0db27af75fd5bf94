"""What is done to tables in the real window: figures traced, groups folded, styles and looks, rows and levels added."""

import shutil
from pathlib import Path

import pikepdf
import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QLineEdit, QMessageBox, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from northmoor.app.document_controller import Selection
from northmoor.app.pages.canvas.level_rails import rail_x
from northmoor.app.pages.editing.expression_checker import ExpressionChecker
from northmoor.app.widgets.menus import plain_text
from northmoor.app.window import Window
from northmoor.core.layout.page.hit_testing import GroupBracket
from northmoor.core.model import edits
from northmoor.core.model.blocks.table import RowPlace, TableBlock
from tests.app.conftest import settle
from tests.app.test_journey import TABLE, editor, point_on, regions, type_into
from tests.helpers import lines_of


def table(window: Window) -> TableBlock:
    report = window.controller.report
    assert report is not None
    return edits.table_of(report, "full", TABLE)


def shown_kinds(window: Window) -> set[str]:
    assert window._rendered is not None
    return {line.kind for line in lines_of(window._rendered.document, TABLE)}


def brackets(window: Window) -> list[GroupBracket]:
    return list(window.pages.canvas._shown[0].places.brackets)


def on_rail(window: Window, bracket: GroupBracket, above: int = 0) -> QPoint:
    canvas = window.pages.canvas
    page = canvas.page_rect(0)
    y = page.top() + bracket.top * canvas.zoom * 96 / 72 / 1000
    return QPoint(rail_x(page, bracket.depth, 1), round(y) + (-12 if above else 12))


def press(window: Window, text: str, choice: str | None = None) -> None:
    """Press a button of the inspector, or choose from the menu it opens."""
    (button,) = [b for b in window.pages.inspector.findChildren(QPushButton) if b.text() == text]
    if choice is None:
        button.click()
        return
    menu = button.menu()
    assert menu is not None
    next(action for action in menu.actions() if plain_text(action) == choice).trigger()


def test_a_clicked_figure_is_traced_to_its_rows(window: Window, qtbot: QtBot) -> None:
    window.actions_by_name["trace"].trigger()
    panel = window.pages.trace
    assert panel.isVisible()
    (region, *_) = regions(window, row="total", level="route", column="fares")
    qtbot.mouseClick(window.pages.canvas.viewport(), Qt.MouseButton.LeftButton, pos=point_on(window, region))
    qtbot.waitUntil(lambda: panel.found is not None, timeout=10_000)
    assert panel.found is not None
    assert panel.found.shown == "179,774.40"
    assert panel.found.scope == "route = IL-SK"
    assert [f.agrees for f in panel.found.figures] == [True]
    model = panel.rows.model()
    assert model is not None
    assert model.rowCount() == 12
    heads = [model.headerData(at, Qt.Orientation.Horizontal) for at in range(model.columnCount())]
    assert heads == [shown for shown, _ in window.pages.fields.names()]
    head = regions(window, row="head", column="fares")[0]
    qtbot.mouseClick(window.pages.canvas.viewport(), Qt.MouseButton.LeftButton, pos=point_on(window, head))
    qtbot.waitUntil(lambda: panel.found is None, timeout=10_000)
    window.actions_by_name["trace"].trigger()
    assert not panel.isVisible()


def test_groups_fold_on_the_rail_and_are_delivered_open(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    view = window.pages.canvas.viewport()
    qtbot.mouseDClick(view, Qt.MouseButton.LeftButton, pos=on_rail(window, brackets(window)[0]))
    settle(window, qtbot)
    assert [b.is_folded for b in brackets(window)][:2] == [True, False]
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=on_rail(window, brackets(window)[0], above=1))
    settle(window, qtbot)
    assert "detail" not in shown_kinds(window)
    assert len(window._rendered.document) == 1  # type: ignore[union-attr]  # it is shown
    with qtbot.waitSignal(window.worker.delivered, timeout=20_000):
        window.delivery.deliver_to(tmp_path / "open.pdf")
    with pikepdf.open(tmp_path / "open.pdf") as pdf:
        assert len(pdf.pages) == 4
    assert "folded in the window is open in it" in window._notice.toolTip()
    window.actions_by_name["open_all"].trigger()
    settle(window, qtbot)
    assert "detail" in shown_kinds(window)
    window.actions_by_name["fold"].trigger()
    settle(window, qtbot)
    assert "detail" not in shown_kinds(window)
    assert window.controller.is_saved  # folding is no edit


def test_rows_of_pages_and_further_rows_are_added_and_taken_out(window: Window, qtbot: QtBot) -> None:
    window.controller.select(Selection("table", TABLE))
    press(window, "Add a row", "Page total")
    settle(window, qtbot)
    window.controller.select(Selection("table", TABLE))
    press(window, "Add a row", "Brought forward")
    settle(window, qtbot)
    assert "carry" in shown_kinds(window)
    names = [text for text, _ in window.pages.contents.parts()]
    assert f"Table · {TABLE} › Page total › Fares, €" in names
    window.controller.select(Selection("level", TABLE, level="route"))
    press(window, "Add another total row")
    window.controller.select(Selection("cell", TABLE, "total", "route", "fares", 1))
    line = editor(window, "value")
    assert isinstance(line, QLineEdit)
    type_into(line, "avg(fares)", qtbot)
    settle(window, qtbot)
    assert table(window).row_at(RowPlace("total", "route", 1)).cells[-1].value == "avg(fares)"
    window.controller.select(Selection("row", TABLE, "page_total"))
    press(window, "Remove the row")
    assert table(window).page_total is None
    for _ in range(5):
        window.controller.undo()
    assert window.controller.is_saved


def test_styles_are_changed_in_one_place_and_looks_copied(window: Window, qtbot: QtBot) -> None:
    window.actions_by_name["styles"].trigger()
    dialog = window.styling.dialog
    assert dialog is not None
    (total,) = dialog.list.findItems("total", Qt.MatchFlag.MatchExactly)
    dialog.list.setCurrentItem(total)
    (color,) = [w for w in dialog.findChildren(QWidget) if w.property("field") == "color"]
    line = color.focusProxy()
    assert isinstance(line, QLineEdit)
    type_into(line, "#B3402E", qtbot)
    report = window.controller.report
    assert report is not None
    assert next(s for s in report.styles if s.name == "total").color == "#B3402E"
    dialog.add.click()
    dialog.remove.click()
    dialog.close()
    window.controller.select(Selection("cell", TABLE, "detail", None, "fares"))
    press(window, "Add a condition")
    rule = editor(window, "rule 0")
    assert isinstance(rule, QLineEdit)
    (checker,) = rule.findChildren(ExpressionChecker)
    rule.setText("fares")
    plain = rule.grab().toImage()
    checker.check()
    assert rule.grab().toImage() != plain  # it is underlined
    assert checker.fault is not None
    assert checker.fault.message == "It is a number, where a condition is needed; write a comparison."
    type_into(rule, "fares > 20000", qtbot)
    window.actions_by_name["copy_look"].trigger()
    window.controller.select(Selection("cell", TABLE, "detail", None, "tickets"))
    window.actions_by_name["paste_look"].trigger()
    settle(window, qtbot)
    assert table(window).columns[2].rules == table(window).columns[3].rules != ()
    window.controller.select(Selection("table", TABLE))
    press(window, "Table style", "Every second row shaded")
    settle(window, qtbot)
    assert table(window).head_style == "table-head"
    assert window._rendered is not None
    assert window.findings.found == ()


def test_a_level_is_added_around_and_ranges_are_chosen(window: Window, qtbot: QtBot) -> None:
    window.controller.select(Selection("level", TABLE, level="route"))
    press(window, "Add a level around it", "Season")
    settle(window, qtbot)
    assert [level.name for level in table(window).levels] == ["season", "route"]
    window.controller.select(Selection("level", TABLE, level="route"))
    press(window, "Add a level inside it", "Tickets")
    settle(window, qtbot)
    window.controller.select(Selection("level", TABLE, level="tickets"))
    type_into(editor(window, "range"), "500", qtbot)
    settle(window, qtbot)
    level = table(window).level("tickets")
    assert level.by == "floor(tickets / 500) * 500"
    assert level.heading[0].cells[0].text == "{floor(tickets / 500) * 500}"
    type_into(editor(window, "range"), "many", qtbot)
    assert table(window).level("tickets") == level  # refused, and reported
    assert "no width of a range" in window._notice.text()


def test_levels_are_dragged_into_another_order(window: Window, qtbot: QtBot) -> None:
    window.controller.select(Selection("level", TABLE, level="route"))
    press(window, "Add a level around it", "Season")
    settle(window, qtbot)
    contents = window.pages.contents
    inner, outer = (next(i for i in contents._levels(TABLE) if name in i.text(0)) for name in ("route", "season"))
    contents.setCurrentItem(inner)
    place = QPointF(contents.visualItemRect(outer).center())
    contents.dropEvent(
        QDropEvent(
            place, Qt.DropAction.MoveAction, QMimeData(), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        )
    )
    settle(window, qtbot)
    assert [level.name for level in table(window).levels] == ["route", "season"]
    assert len(contents._levels(TABLE)) == 2
    window.controller.undo()
    assert [level.name for level in table(window).levels] == ["season", "route"]


def test_links_are_followed_to_places_and_reports_and_back(
    window: Window, copy: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    other = copy.parent / "other.moor"
    shutil.copy(copy, other)
    controller, canvas = window.controller, window.pages.canvas
    first = next(s for s in regions(window, row="heading", level="route") if s.column is not None)

    def linked(address: str) -> None:
        controller.edit(
            "Link",
            lambda r, e: edits.change_cell(r, e, TABLE, RowPlace("heading", "route"), first.column, link=address),
        )
        settle(window, qtbot)
        (region, *_) = regions(window, row="heading", level="route", column=first.column)
        qtbot.mouseMove(canvas.viewport(), point_on(window, region))
        qtbot.mouseClick(
            canvas.viewport(), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, point_on(window, region)
        )

    back = window.actions_by_name["back"]
    assert not back.isEnabled()
    total = controller.edition.tables[0].total[0].cells[0].column
    controller.edit("Anchor", lambda r, e: edits.change_cell(r, e, TABLE, RowPlace("total"), total, anchor="last"))
    linked("#last")
    assert canvas.current_page == canvas.page_count - 1
    back.trigger()
    assert (canvas.current_page, back.isEnabled()) == (0, False)

    linked("gone.moor")
    assert "gone.moor" in window._notice.text()
    monkeypatch.setattr(QMessageBox, "question", lambda *_: QMessageBox.StandardButton.Save)
    linked("other.moor?year=2024&season=summer")
    assert (controller.path, controller.values) == (other, {"year": "2024", "season": "summer"})
    settle(window, qtbot)
    assert controller.resolved is not None
    assert controller.resolved.values.by_name["year"] == 2024
    back.trigger()
    settle(window, qtbot)
    assert (controller.path, controller.values, back.isEnabled()) == (copy, {}, False)
