"""The journey of a first day, in the real window, by mouse and by keyboard."""

from html import unescape
from pathlib import Path

import pikepdf
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QComboBox, QLineEdit, QMessageBox, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from northmoor.app.document_controller import WHOLE_PAGE, Selection
from northmoor.app.pages.editing.inline_editor import InlineEditor
from northmoor.app.widgets.widget_tools import image_of
from northmoor.app.window import Window
from northmoor.core.layout.page.hit_testing import HitRegion
from northmoor.core.model.edits import table_of
from northmoor.core.store.report_files import load_report
from tests.app.conftest import settle
from tests.helpers import lines_of

TABLE = "fares-table"


def point_on(window: Window, region: HitRegion, page: int = 0) -> QPoint:
    """The middle of a spot on screen."""
    canvas = window.pages.canvas
    rect, scale = canvas.page_rect(page), canvas.zoom * 96 / 72 / 1000
    return QPoint(
        round(rect.left() + (region.x + region.width / 2) * scale),
        round(rect.top() + (region.y + region.height / 2) * scale),
    )


def regions(window: Window, **wanted: str | None) -> list[HitRegion]:
    """The spots of the first page whose named parts are as wanted."""
    found = window.pages.canvas._shown[0].places.regions
    return [s for s in found if all(getattr(s, name) == value for name, value in wanted.items())]


def editor(window: Window, field: str) -> QWidget:
    """The inspector's editor of a property."""
    found = [w for w in window.pages.inspector.findChildren(QWidget) if w.property("field") == field]
    assert found, field
    return found[0]


def lines_in_place(window: Window) -> list[InlineEditor]:
    """The lines that are open over the pages."""
    return [line for line in window.pages.canvas.viewport().findChildren(InlineEditor) if line.isVisible()]


def type_into(line: QWidget, text: str, qtbot: QtBot) -> None:
    """Replace a line's text as a user does."""
    assert isinstance(line, QLineEdit)
    line.setFocus()
    line.selectAll()
    qtbot.keyClicks(line, text)
    qtbot.keyClick(line, Qt.Key.Key_Return)


def shown(window: Window, kind: str = "total") -> list[tuple]:
    """Keys and fares of the document's rows of a kind."""
    assert window._rendered is not None
    return [
        (line.keys, line.cells.get("fares")) for line in lines_of(window._rendered.document, TABLE) if line.kind == kind
    ]


def test_from_opening_to_a_delivered_pdf(window: Window, copy: Path, qtbot: QtBot, tmp_path: Path) -> None:
    canvas = window.pages.canvas
    assert canvas.page_count >= 3

    # change a parameter
    season = window.parameters.findChild(QComboBox, "parameter-season")
    season.setFocus()
    qtbot.keyClick(season, Qt.Key.Key_Down)
    season.activated.emit(season.currentIndex())
    settle(window, qtbot)
    assert season.currentText() == "All-year routes"
    assert not any("SH" in str(keys) for keys, _ in shown(window))

    # add a level with a total, around the level that is there
    window.controller.select(Selection("level", TABLE, level="route"))
    fields = window.pages.fields
    fields.setCurrentRow([fields.item(i).text() for i in range(fields.count())].index("Season"))
    fields.setFocus()
    qtbot.keyClick(fields, Qt.Key.Key_L)
    settle(window, qtbot)
    assert [level.name for level in table_of(window.controller.report, "full", TABLE).levels] == ["season", "route"]
    totals = dict(shown(window))
    assert totals[("all-year",)] == totals[()]

    # set a column's width and format: click a figure, type into the inspector
    (first, *_) = regions(window, row="detail", column="fares")
    qtbot.mouseClick(canvas.viewport(), Qt.MouseButton.LeftButton, pos=point_on(window, first))
    assert window.controller.selection == Selection("cell", TABLE, "detail", None, "fares")
    type_into(editor(window, "width"), "45mm", qtbot)
    type_into(editor(window, "format"), "¤#,##0", qtbot)
    settle(window, qtbot)
    column = table_of(window.controller.report, "full", TABLE).columns[3]
    assert (column.width, column.format) == (127_559, "¤#,##0")
    assert all(text.startswith("€") and "." not in text for _, text in shown(window, "detail"))

    # a page break between the groups of one level
    window.controller.select(Selection("level", TABLE, level="route"))
    choice = editor(window, "page_break")
    assert isinstance(choice, QComboBox)
    choice.activated.emit(choice.findData("between"))
    settle(window, qtbot)
    assert canvas.page_count == 7

    # undo everything, do it again
    steps = 0
    while window.controller.undo_label:
        window.actions_by_name["undo"].trigger()
        steps += 1
    assert steps == 4
    assert window.controller.report == load_report(copy)
    for _ in range(steps):
        window.actions_by_name["redo"].trigger()
    settle(window, qtbot)
    assert canvas.page_count == 7

    # save, and deliver what is seen
    window.actions_by_name["save"].trigger()
    assert window.controller.is_saved
    assert load_report(copy) == window.controller.report
    target = tmp_path / "fares.pdf"
    with qtbot.waitSignal(window.worker.delivered, timeout=20_000):
        window.delivery.deliver_to(target)
    assert target.read_bytes() == window._rendered.document.pdf()
    with pikepdf.open(target) as pdf:
        assert len(pdf.pages) == 7
        assert str(pdf.docinfo["/NorthmoorValues"]) == "ports=[TQ,IL,SK,MP,BN,OX]; season=all-year; year=2025"


def test_a_selected_cell_lights_up_all_its_instances(window: Window, qtbot: QtBot) -> None:
    from northmoor.app.pages.canvas.hit_selection import selects

    (first, *others) = regions(window, row="total", level="route", column="tickets")
    qtbot.mouseClick(window.pages.canvas.viewport(), Qt.MouseButton.LeftButton, pos=point_on(window, first))
    lit = [s for s in window.pages.canvas._shown[0].places.regions if selects(window.controller.selection, s)]
    assert lit == [first, *others]
    chosen = window.pages.contents.currentItem()
    assert chosen is not None
    assert chosen.text(0) == "Tickets"


def test_a_second_click_edits_the_cell(window: Window, qtbot: QtBot) -> None:
    (first, *_) = regions(window, row="head", column="fares")
    for _ in range(2):
        qtbot.mouseClick(window.pages.canvas.viewport(), Qt.MouseButton.LeftButton, pos=point_on(window, first))
    line = window.focusWidget()
    assert isinstance(line, InlineEditor)
    assert line.text() == "Fares, €"
    line.setText("Income, €")
    qtbot.keyClick(line, Qt.Key.Key_Return)
    assert table_of(window.controller.report, "full", TABLE).columns[3].title == "Income, €"
    settle(window, qtbot)


@pytest.mark.parametrize(
    ("wanted", "before", "typed"),
    [
        ({"row": "detail", "column": "tickets"}, "tickets", "tickets * 2"),
        ({"row": "total", "level": "route", "column": "fares"}, "sum(fares)", "avg(fares)"),
        ({"row": "heading", "column": "month"}, "{route_name}", "{route}"),
        ({"block": "scope"}, "{label(:season)}, {label(:year)}", "{label(:year)}"),
        ({"block": "header", "column": "0.end"}, "Tarrow Sound Ferries", "Tarrow"),
    ],
)
@pytest.mark.variants
def test_every_kind_of_cell_is_edited_where_it_is(
    window: Window, qtbot: QtBot, wanted: dict, before: str, typed: str
) -> None:
    (first, *_) = [s for s in regions(window, **wanted) if s.column or s.row == "text"]
    viewport = window.pages.canvas.viewport()
    for key, is_changed in ((Qt.Key.Key_Escape, False), (Qt.Key.Key_Return, True)):
        window.controller.select(WHOLE_PAGE)
        for _ in range(2):
            qtbot.mouseClick(viewport, Qt.MouseButton.LeftButton, pos=point_on(window, first))
        (line,) = lines_in_place(window)
        assert line.text() == before
        line.setText(typed)
        qtbot.keyClick(line, key)
        assert lines_in_place(window) == []
        assert bool(window.controller.undo_label) == is_changed
    settle(window, qtbot)
    assert window.findings.found == ()
    window.controller.select(WHOLE_PAGE)
    (first, *_) = [s for s in regions(window, **wanted) if s.column or s.row == "text"]
    for _ in range(2):
        qtbot.mouseClick(viewport, Qt.MouseButton.LeftButton, pos=point_on(window, first))
    (line,) = lines_in_place(window)
    assert line.text() == typed


def test_dragging_a_columns_edge_sets_its_width(window: Window, qtbot: QtBot) -> None:
    canvas = window.pages.canvas
    edge = next(e for e in canvas._shown[0].places.edges if e.column == "sailings")
    rect, scale = canvas.page_rect(0), canvas.zoom * 96 / 72 / 1000
    grip = QPoint(round(rect.left() + edge.x * scale), round(rect.top() + (edge.top + 20_000) * scale))
    qtbot.mousePress(canvas.viewport(), Qt.MouseButton.LeftButton, pos=grip)
    qtbot.mouseMove(canvas.viewport(), grip + QPoint(30, 0))
    assert canvas._active_drag is not None
    qtbot.mouseRelease(canvas.viewport(), Qt.MouseButton.LeftButton, pos=grip + QPoint(30, 0))
    width = table_of(window.controller.report, "full", TABLE).columns[1].width
    assert width is not None
    assert abs(width - edge.width - 30 / scale) < 2 / scale
    assert window.controller.undo_label == "Change the width"


def test_a_rail_selects_its_level(window: Window, qtbot: QtBot) -> None:
    from northmoor.app.pages.canvas.level_rails import rail_x

    canvas = window.pages.canvas
    bracket = canvas._shown[0].places.brackets[1]
    rect, scale = canvas.page_rect(0), canvas.zoom * 96 / 72 / 1000
    at = QPoint(rail_x(rect, 0, 1), round(rect.top() + (bracket.top + bracket.bottom) / 2 * scale))
    qtbot.mouseClick(canvas.viewport(), Qt.MouseButton.LeftButton, pos=at)
    assert window.controller.selection == Selection("level", TABLE, level="route")


@pytest.mark.parametrize("zoom", [None, 0.9, 1.1])
def test_a_page_is_drawn_dot_for_dot(window: Window, qtbot: QtBot, zoom: float | None) -> None:
    canvas = window.pages.canvas
    canvas.set_zoom(zoom)
    qtbot.waitUntil(lambda: canvas.is_idle)
    page, raster = canvas.page_rect(0), canvas._shown[0].raster
    seen = canvas.viewport().rect().intersected(page).adjusted(2, 2, -2, -2)
    drawn = canvas.viewport().grab(seen).toImage().convertToFormat(QImage.Format.Format_RGB16)
    made = image_of(raster).convertToFormat(QImage.Format.Format_RGB16).copy(seen.translated(-page.topLeft()))
    dots = [(x, y) for x in range(seen.width()) for y in range(0, seen.height(), 5)]
    others = sum(drawn.pixel(x, y) != made.pixel(x, y) for x, y in dots)
    assert others < len(dots) / 100  # marks of margins lie over it; a lost line would move half of the page


def test_pages_can_be_turned_and_zoomed_by_keys(window: Window, qtbot: QtBot) -> None:
    canvas = window.pages.canvas
    canvas.setFocus()
    for key, page in ((Qt.Key.Key_PageDown, 1), (Qt.Key.Key_End, canvas.page_count - 1), (Qt.Key.Key_Home, 0)):
        qtbot.keyClick(canvas, key)
        assert canvas.current_page == page
    before = canvas.zoom
    window.actions_by_name["zoom_in"].trigger()
    assert canvas.zoom > before
    assert not canvas.is_fitted
    window.actions_by_name["zoom_fit"].trigger()
    assert canvas.zoom == before
    settle(window, qtbot)


def test_typing_nonsense_is_reported_and_changes_nothing(window: Window, qtbot: QtBot) -> None:
    window.controller.select(Selection("cell", TABLE, "detail", None, "fares"))
    before = window.controller.report
    type_into(editor(window, "width"), "wide", qtbot)
    assert editor(window, "width").property("invalid") is True
    assert window.controller.report == before
    type_into(editor(window, "value"), "faress", qtbot)
    settle(window, qtbot)
    tip = unescape(window.findings.button.toolTip())
    assert "Did you mean fares?" in tip
    assert "?." not in tip
    assert window.findings.button.isVisible()
    assert {text for _, text in shown(window, "detail")} == {"⚠ error"}
    window.controller.undo()
    settle(window, qtbot)
    assert window.findings.button.text() == "Preflight: no problems"


@pytest.mark.slow
def test_every_button_of_the_inspector_can_be_undone(window: Window, qtbot: QtBot) -> None:
    for selection in (
        Selection("level", TABLE, level="route"),
        Selection("cell", TABLE, "total", "route", "fares"),
        Selection("cell", TABLE, "detail", None, "tickets"),
        Selection("row", TABLE, "total", None),
        Selection("text", "scope"),
        Selection("footer", "footer", column="0.end"),
    ):
        window.controller.select(selection)
        before = window.controller.report
        names = [b.text() for b in window.pages.inspector.findChildren(QPushButton)]
        assert names
        for name in names:
            window.controller.select(selection)
            button = next(b for b in window.pages.inspector.findChildren(QPushButton) if b.text() == name)
            changed = len(window.controller._steps)
            button.click()
            if window.controller.report != before:
                window.controller.undo()
            assert window.controller.report == before
            assert len(window.controller._steps) >= changed
    settle(window, qtbot)


def test_leaving_with_changes_asks_first(window: Window, copy: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    window.pages.set_width(TABLE, "fares", 99_000)
    assert window.windowTitle().endswith("• – Northmoor")
    answers = iter([QMessageBox.StandardButton.Cancel, QMessageBox.StandardButton.Save])
    monkeypatch.setattr(QMessageBox, "question", lambda *_: next(answers))
    assert not window.close()
    assert window.close()
    assert load_report(copy).editions[0].tables[0].columns[3].width == 99_000
