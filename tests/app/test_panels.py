"""Contents, Fields and the inspector's editors, by mouse and keyboard."""

from functools import partial
from typing import Any

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QColorDialog,
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QSpinBox,
    QWidget,
)
from pytestqt.qtbot import QtBot

from northmoor.app.document_controller import Selection
from northmoor.app.language.translation import use_spelling
from northmoor.app.pages.part_menu.entries import commands_in
from northmoor.app.widgets.menus import plain_text
from northmoor.app.widgets.picture_choices import PictureEditor
from northmoor.app.widgets.property_editors import editor_for, property_label
from northmoor.app.window import Window
from northmoor.core.model.blocks.containers import FrameBlock
from northmoor.core.model.blocks.table import Cell, Column, Level
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.edits import change_query_column, table_of
from northmoor.core.model.pages import PageSetup
from northmoor.core.model.report import Report
from northmoor.core.model.styles import Style
from tests.app.conftest import settle
from tests.app.test_journey import TABLE, editor, type_into
from tests.helpers import lines_of


@pytest.fixture
def committed() -> list[Any]:
    return []


@pytest.mark.parametrize(
    ("field", "text", "value"),
    [("width", "45", 127_559), ("width", "2.5cm", 70_866), ("width", "1in", 72_000), ("width", "", None)],
)
def test_lengths_are_typed_in_any_unit(qtbot: QtBot, committed: list, field: str, text: str, value: int | None) -> None:
    line = editor_for(Column, field, 100_000, committed.append)
    qtbot.addWidget(line)
    assert isinstance(line, QLineEdit)
    assert line.text() == "35.3 mm"
    line.setText(text)
    line.editingFinished.emit()
    assert committed == [value]


@pytest.mark.parametrize(
    ("typed", "value"), [("12,5", 35_433), ("12.5 mm", 35_433), ("1,5cm", 42_520), ("1,5,2", None)]
)
def test_lengths_are_written_and_typed_as_the_language_does(
    qtbot: QtBot, committed: list, typed: str, value: int | None
) -> None:
    use_spelling("de")
    try:
        line = editor_for(Column, "width", 100_000, committed.append)
        qtbot.addWidget(line)
        assert isinstance(line, QLineEdit)
        assert line.text() == "35,3 mm"
        line.setText(typed)
        line.editingFinished.emit()
        assert committed == ([value] if value is not None else [])
        guides = editor_for(FrameBlock, "guides_across", (10_000, 20_000), committed.append)
        qtbot.addWidget(guides)
        assert guides.text() == "3.5 mm, 7.1 mm"  # type: ignore[attr-defined]
    finally:
        use_spelling("en")


def test_type_sizes_are_in_points(qtbot: QtBot, committed: list) -> None:
    line = editor_for(Style, "size", 9000, committed.append)
    qtbot.addWidget(line)
    assert line.text() == "9 pt"
    line.setText("10.5")
    line.editingFinished.emit()
    assert committed == [10_500]
    line.setText("huge")
    line.editingFinished.emit()
    assert committed == [10_500]
    assert line.property("invalid") is True


def test_choices_switches_and_numbers_commit_what_they_show(qtbot: QtBot, committed: list) -> None:
    made = {
        "page_break": editor_for(Level, "page_break", "none", committed.append),
        "keep_together": editor_for(Level, "keep_together", False, committed.append),
        "rows_after_heading": editor_for(Level, "rows_after_heading", 1, committed.append),
        "largest_gap": editor_for(Level, "largest_gap", 0.4, committed.append),
        "bold": editor_for(Style, "bold", None, committed.append),
        "orientation": editor_for(PageSetup, "orientation", "portrait", committed.append),
    }
    for widget in made.values():
        qtbot.addWidget(widget)
        assert widget.toolTip()
        assert widget.accessibleName()
    kinds = [type(w).__mro__ for name, w in made.items() if name != "bold"]
    assert [QComboBox in k or QCheckBox in k or QSpinBox in k for k in kinds] == [True] * 5
    made["page_break"].activated.emit(made["page_break"].findText("Between groups"))
    made["keep_together"].click()
    made["rows_after_heading"].setValue(3)
    made["rows_after_heading"].editingFinished.emit()
    assert made["largest_gap"].text() == "40 %"
    made["largest_gap"].setValue(25)
    made["largest_gap"].editingFinished.emit()
    made["bold"].buttons[False].click()
    made["orientation"].activated.emit(made["orientation"].findText("Landscape"))
    assert committed == ["between", True, 3, 0.25, False, "landscape"]
    assert made["rows_after_heading"].maximum() == 100


def test_looks_are_chosen_by_pictures_and_left_to_the_style_by_pressing_again(qtbot: QtBot, committed: list) -> None:
    align, bold = (editor_for(Style, name, None, committed.append) for name in ("align", "bold"))
    for made in (align, bold):
        assert isinstance(made, PictureEditor)
        qtbot.addWidget(made)
        assert not any(button.isChecked() for button in made.buttons.values())
    align.buttons["decimal"].click()
    align.buttons["end"].click()
    bold.buttons[True].click()
    bold.buttons[True].click()
    assert committed == ["decimal", "end", True, None]
    align.show_value("start")
    assert [value for value, button in align.buttons.items() if button.isChecked()] == ["start"]


def test_texts_of_several_lines_commit_on_enter_and_on_leaving(qtbot: QtBot, committed: list) -> None:
    text = editor_for(TextBlock, "text", "one", committed.append)
    other = QLineEdit()
    for widget in (text, other):
        qtbot.addWidget(widget)
        widget.show()
    assert isinstance(text, QPlainTextEdit)
    text.setFocus()
    text.selectAll()
    qtbot.keyClicks(text, "two")
    qtbot.keyClick(text, Qt.Key.Key_Return, Qt.KeyboardModifier.ShiftModifier)
    qtbot.keyClicks(text, "lines")
    assert committed == []
    qtbot.keyClick(text, Qt.Key.Key_Return)
    assert committed == ["two\nlines"]


def test_escape_takes_typing_back(qtbot: QtBot, committed: list) -> None:
    line = editor_for(Cell, "value", "sum(fares)", committed.append)
    qtbot.addWidget(line)
    qtbot.keyClicks(line, "nonsense")
    qtbot.keyClick(line, Qt.Key.Key_Escape)
    assert line.text() == "sum(fares)"
    line.editingFinished.emit()
    assert committed == []


def test_colours_are_typed_or_chosen(qtbot: QtBot, committed: list, monkeypatch: pytest.MonkeyPatch) -> None:
    from PyQt6.QtGui import QColor

    made = editor_for(Style, "fill", "#EEEEEE", committed.append)
    qtbot.addWidget(made)
    line = made.findChild(QLineEdit)
    line.setText("#ABCDEF")
    line.editingFinished.emit()
    monkeypatch.setattr(QColorDialog, "getColor", lambda *_: QColor("#123456"))
    made.button.click()
    made.popup._choose_any()
    line.setText("")
    line.editingFinished.emit()
    assert committed == ["#ABCDEF", "#123456", None]


def test_every_property_has_a_readers_name() -> None:
    for kind in (Level, Column, Cell, Style, PageSetup, TextBlock):
        for field in kind.model_fields:
            assert property_label(field)[0].isupper()
            assert "_" not in property_label(field)


def test_a_colour_that_is_none_is_refused_in_one_sentence(window: Window, qtbot: QtBot) -> None:
    window.controller.select(Selection("text", "title"))
    before = window.controller.report
    line = editor(window, "color").findChild(QLineEdit)
    line.setText("reddish")
    line.editingFinished.emit()
    assert window.controller.report is before
    assert "is no colour; write for example #7B4B94" in window._notice.toolTip()


def test_contents_follow_the_report_and_keep_what_is_folded(window: Window, qtbot: QtBot) -> None:
    contents = window.pages.contents
    names = [item.text(0) for item in contents._items()]
    assert names[:3] == ["Page", "Page header", "tarrow.png"]
    assert "Level 1 · route" in names
    total = names.index("Total")
    assert names[total + 1 : total + 5] == ["Route / month", "Sailings", "Tickets", "Fares, €"]
    level = next(item for item in contents._items() if item.text(0) == "Level 1 · route")
    level.setExpanded(False)
    window.pages.set_width(TABLE, "fares", 99_000)
    level = next(item for item in contents._items() if item.text(0) == "Level 1 · route")
    assert not level.isExpanded()
    window.pages.placing.add_levels(["season"])
    assert "Level 2 · season" in [item.text(0) for item in contents._items()]
    settle(window, qtbot)


def test_contents_can_be_walked_by_keys(window: Window, qtbot: QtBot) -> None:
    contents = window.pages.contents
    contents.setFocus()
    contents.setCurrentItem(contents.topLevelItem(0))
    qtbot.keyClick(contents, Qt.Key.Key_Down)
    assert window.controller.selection == Selection("header", "header")
    qtbot.keyClick(contents, Qt.Key.Key_Down)
    assert window.controller.selection == Selection("header", "header", column="0.start")
    assert editor(window, "height").text() == "9.2 mm"


def test_fields_show_readers_names_and_add_columns_by_enter(window: Window, qtbot: QtBot) -> None:
    fields = window.pages.fields
    assert [fields.item(i).text() for i in range(fields.count())] == [
        "Route",
        "Route name",
        "Season",
        "Month",
        "Sailings",
        "Tickets",
        "Fares",
    ]
    assert fields.item(6).toolTip() == "fares: Decimal number, totalled by sum"
    window.controller.select(Selection("cell", TABLE, "detail", None, "month"))
    fields.setCurrentRow(2)
    fields.setFocus()
    fields.itemActivated.emit(fields.currentItem())
    assert [c.name for c in table_of(window.controller.report, "full", TABLE).columns][:3] == [
        "month",
        "season",
        "sailings",
    ]
    settle(window, qtbot)


def _change_setting(report: Report, edition: str, column: str, **changes: Any) -> Report:
    return change_query_column(report, "fares", column, **changes)


def test_a_field_has_one_name_wherever_it_is_chosen(window: Window, qtbot: QtBot) -> None:
    """Its label; without one its own name in words. What is hidden is in no list."""
    for column, changes in (
        ("tickets", {"label": "Sold"}),
        ("route_name", {"label": None}),
        ("season", {"hidden": True}),
    ):
        edit = partial(_change_setting, column=column, **changes)
        assert window.controller.edit("", edit)
    settle(window, qtbot)
    names = ["Route", "Route name", "Month", "Sailings", "Sold", "Fares"]
    assert [shown for shown, _ in window.pages.fields.names()] == names

    def offered(*groups: str) -> list[list[str]]:
        texts = [text.split(" › ") for text, _ in commands_in(window.pages.part_menu.entries())]
        return [[text[1] for text in texts if text[0] == group and len(text) > 1] for group in groups]

    window.controller.select(Selection("table", TABLE))
    assert offered("Group by", "Add column") == [names, names]
    window.controller.select(Selection("cell", TABLE, "detail", column="fares"))
    assert offered("Insert column left") == [["Computed column…", *names]]
    window.controller.select(Selection("level", TABLE, level="route"))
    assert offered("Add group")[0][:6] == [f"{name}, around it" for name in names]
    (button,) = [each for each in window.pages.inspector.findChildren(QPushButton) if each.text().endswith("around it")]
    assert [plain_text(action) for action in button.menu().actions()] == names  # type: ignore[union-attr]
    window.pages.placing.add_columns(["tickets"])
    assert [each.title for each in table_of(window.controller.report, "full", TABLE).columns][-1] == "Sold"


def test_with_no_field_chosen_the_menu_says_so(window: Window) -> None:
    window.pages.fields.setCurrentItem(None)
    window.actions_by_name["add_level"].trigger()
    assert "Choose a field in Fields first" in window._notice.toolTip()


def test_what_was_selected_and_is_gone_is_reported(window: Window, qtbot: QtBot) -> None:
    window.controller.select(Selection("level", TABLE, level="season"))
    body = window.pages.inspector.widget()
    texts = [label.text() for label in body.findChildren(type(window._title))]
    assert any("no longer part of the edition" in text for text in texts)


def test_focus_stays_in_the_same_property_after_an_edit(window: Window, qtbot: QtBot) -> None:
    window.controller.select(Selection("cell", TABLE, "detail", None, "fares"))
    type_into(editor(window, "width"), "40mm", qtbot)
    focused = window.focusWidget()
    assert focused is not None
    assert focused.property("field") == "width"
    settle(window, qtbot)


def test_a_level_by_a_date_is_turned_into_periods_and_its_groups_are_chosen(window: Window, qtbot: QtBot) -> None:
    window.pages.placing.add_levels(["month"])
    settle(window, qtbot)
    window.controller.select(Selection("level", "fares-table", level="month"))

    box = editor(window, "period")
    box.setCurrentIndex(box.findData("quarter"))
    box.activated.emit(box.currentIndex())
    settle(window, qtbot)
    level = window.controller.edition.tables[0].levels[1]
    assert (level.by, level.heading[0].cells[0].text) == (
        "date_trunc('quarter', month)",
        "{date_trunc('quarter', month); QQQ y}",
    )
    for field, text in (("order_by", "sum(fares)"), ("first_groups", "1"), ("keep_groups", "count(*) = 3")):
        type_into(editor(window, field), text, qtbot)
        settle(window, qtbot)
    assert window.findings.found == ()
    headings = [
        ln.cells["month"]
        for ln in lines_of(window._rendered.document, "fares-table")
        if ln.kind == "heading" and ln.level == "month"
    ]
    assert set(headings) == {"Q1 2025", "Q3 2025"}  # the quarter with the least fares; summer routes have one whole
    window.controller.select(Selection("level", "fares-table", level="route"))
    assert not [
        w for w in window.pages.inspector.findChildren(QWidget) if w.property("field") == "period" and w.isVisible()
    ]


def test_rows_are_ordered_by_what_is_written(window: Window, qtbot: QtBot) -> None:
    window.controller.select(Selection("table", TABLE))
    assert editor(window, "order").text() == "month"
    type_into(editor(window, "order"), "fares desc, month", qtbot)
    settle(window, qtbot)
    lines = [ln for ln in lines_of(window._rendered.document, TABLE) if ln.kind == "detail"]
    first = [float(ln.cells["fares"].replace(",", "")) for ln in lines if ln.keys == lines[0].keys]
    assert first == sorted(first, reverse=True)
    before = window.controller.report
    type_into(editor(window, "order"), "fares +", qtbot)
    assert window.controller.report is before
    assert "cannot be understood" in window._notice.text()
