"""The inspector's hands: sections that close and stay closed, More, search, resets, steps, swatches and suggestions."""

from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QFont, QShortcut, QWheelEvent
from PyQt6.QtWidgets import QApplication, QComboBox, QLabel, QLineEdit, QToolButton, QWidget
from pytestqt.qtbot import QtBot

from northmoor.app.document_controller import WHOLE_PAGE, Selection
from northmoor.app.language.length_unit import shown_unit, use_unit
from northmoor.app.pages.inspector.form_body import SectionMemory
from northmoor.app.pages.inspector.form_rows import SectionHeader
from northmoor.app.widgets.color_editor import WHITE, ColorEditor, RecentColors, contrast_text
from northmoor.app.widgets.property_editors import property_text
from northmoor.app.widgets.value_editors import ChoiceEditor, LengthEditor
from northmoor.app.window import Window
from northmoor.core.layout.text.fonts import FAMILIES
from northmoor.core.model import edits
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.lengths import parse_length
from northmoor.core.model.styles import Style
from tests.app.test_journey import TABLE, editor

CELL = Selection("cell", TABLE, "detail", None, "fares")


def shown_fields(window: Window) -> set[str]:
    body = window.pages.inspector.widget()
    return {str(w.property("field")) for w in body.findChildren(QWidget) if w.property("field") and w.isVisibleTo(body)}


def header(window: Window, name: str) -> SectionHeader:
    return next(h for h in window.pages.inspector.findChildren(SectionHeader) if h.text() == name)


def cell_look(window: Window, name: str) -> object:
    column = next(c for c in edits.table_of(window.controller.report, "full", TABLE).columns if c.name == "fares")
    return getattr(column.look, name) if column.look is not None else None


def test_sections_stay_closed_and_rare_properties_shown_also_the_next_time(window: Window, qtbot: QtBot) -> None:
    window.controller.select(CELL)
    assert {"value", "bold"} <= shown_fields(window)
    assert not {"anchor", "rule_left"} & shown_fields(window)
    qtbot.mouseClick(header(window, "Overrides"), Qt.MouseButton.LeftButton)
    more = next(b for b in window.pages.inspector.findChildren(QToolButton) if b.text().startswith("More"))
    qtbot.mouseClick(more, Qt.MouseButton.LeftButton)
    window.controller.select(Selection("cell", TABLE, "detail", None, "sailings"))
    assert "bold" not in shown_fields(window)
    assert {"value", "anchor"} <= shown_fields(window)
    kept = SectionMemory(window._settings)
    assert (kept.closed, kept.full) == ({"Overrides"}, {"Content"})


def test_what_is_rare_is_shown_where_it_is_set(window: Window) -> None:
    window.controller.edit("Change", lambda r, e: edits.change_column(r, e, TABLE, "fares", when_zero="–"))
    window.controller.select(CELL)
    assert "when_zero" in shown_fields(window)
    assert "when_null" not in shown_fields(window)


def test_properties_are_searched_from_the_keyboard(window: Window, qtbot: QtBot) -> None:
    window.controller.select(CELL)
    slash = window.pages.findChild(QShortcut)
    assert slash.key().toString() == "/"
    slash.activated.emit()
    search = window.pages.inspector.search
    assert window.focusWidget() is search
    qtbot.keyClicks(search, "bord left")
    assert shown_fields(window) == {"rule_left"}  # rare, and its section would hide it
    qtbot.keyClick(search, Qt.Key.Key_Return)
    assert window.focusWidget().property("field") == "rule_left"
    search.setText("no such property")
    words = [w for w in window.pages.inspector.findChildren(QLabel) if w.text() == "No property has these words."]
    assert words[0].isVisibleTo(window)
    qtbot.keyClick(search, Qt.Key.Key_Escape)
    assert {"value", "bold"} <= shown_fields(window)


def test_an_override_says_what_it_overrides_and_is_reset(window: Window, qtbot: QtBot) -> None:
    window.controller.select(Selection("text", "title"))
    size = editor(window, "size")
    assert isinstance(size, LengthEditor)
    assert size.placeholderText() == "18 pt, from title"
    size.setText("20")
    size.finish()
    dot = next(b for b in window.pages.inspector.findChildren(QToolButton) if b.accessibleName() == "Reset Size")
    assert dot.isVisibleTo(window)
    assert dot.toolTip() == "Set here. Reset it to 18 pt, from title"
    assert edits.block_of(window.controller.report, "full", "title").look.size == 20_000
    dot.click()
    assert edits.block_of(window.controller.report, "full", "title").look is None
    assert not dot.isVisibleTo(window)


def test_a_length_is_stepped_by_keys_wheel_and_its_name_in_one_step_each(window: Window, qtbot: QtBot) -> None:
    window.controller.select(Selection("text", "scope"))
    length = editor(window, "space_after")
    assert isinstance(length, LengthEditor)
    begun = window.controller._at
    length.setFocus()
    qtbot.keyClick(length, Qt.Key.Key_Up)
    qtbot.keyClick(length, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    turn = QWheelEvent(
        QPointF(5, 5), QPointF(length.mapToGlobal(QPoint(5, 5))), QPoint(), QPoint(0, -120),
        Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(length, turn)
    qtbot.keyClick(length, Qt.Key.Key_Return)
    assert length.text() == "14.0 mm"
    assert edits.block_of(window.controller.report, "full", "scope").space_after == parse_length("14mm")
    label = next(w for w in window.pages.inspector.findChildren(QLabel) if w.buddy() is length)
    qtbot.mousePress(label, Qt.MouseButton.LeftButton, pos=QPoint(10, 5))
    for x in (20, 35, 30):
        qtbot.mouseMove(label, QPoint(x, 5))
    qtbot.mouseRelease(label, Qt.MouseButton.LeftButton, pos=QPoint(30, 5))
    assert edits.block_of(window.controller.report, "full", "scope").space_after == parse_length("18mm")
    assert window.controller._at == begun + 2


def test_a_colour_is_chosen_among_those_of_the_report(window: Window) -> None:
    window.controller.select(CELL)
    color = editor(window, "color")
    assert isinstance(color, ColorEditor)
    assert [w.accessibleName() for w in color.findChildren(QWidget) if w.accessibleName()] == [
        "Colour",
        "Choose: Colour",
    ]
    color.button.click()
    popup = color.popup
    assert popup is not None
    own = "#2F7F86"
    assert own in popup.swatches
    popup.swatches[own].click()
    assert cell_look(window, "color") == own
    assert contrast_text("#FFFFFF", WHITE) == "1.0 : 1 on white, too little for text"
    assert contrast_text("#000000", WHITE) == "21.0 : 1 on white, good for text"


def test_contrast_is_that_of_text_and_background_and_chosen_colours_come_again(window: Window) -> None:
    window.controller.select(CELL)
    fill = editor(window, "fill")
    fill._take("#2F7F86")
    color = editor(window, "color")
    color.button.click()
    assert color.popup.swatches["#FFFFFF"].toolTip() == "#FFFFFF · 4.6 : 1 with #2F7F86, good for text"
    assert color.popup.swatches["#000000"].toolTip() == "#000000 · 4.5 : 1 with #2F7F86, good for text"
    color.popup.close()
    color._take("#123456")
    color._take("3.5")  # which is refused
    again = editor(window, "fill")
    again.button.click()
    assert window.pages.inspector.recent_colors.colors == ["#123456", "#2F7F86"]
    assert "#123456" in again.popup.swatches
    assert RecentColors(window._settings).colors == ["#123456", "#2F7F86"]
    again.popup.close()


def test_locale_currency_and_zone_are_found_by_their_names(window: Window, qtbot: QtBot) -> None:
    window.controller.select(WHOLE_PAGE)
    for field, typed, value in (
        ("locale", "German (Switz", "de_CH"),
        ("currency", "Norwegian", "NOK"),
        ("time_zone", "reykj", "Atlantic/Reykjavik"),
    ):
        line = editor(window, field)
        assert isinstance(line, QLineEdit)
        line.clear()
        qtbot.keyClicks(line, typed)
        completer = line.completer()
        assert completer is not None
        assert completer.completionCount() >= 1
        line.setText(completer.pathFromIndex(completer.completionModel().index(0, 0)))
        line.editingFinished.emit()
        assert getattr(window.controller.report, field) == value


def test_every_drop_down_that_follows_a_style_says_so(window: Window) -> None:
    window.controller.select(Selection("text", "title"))
    font = editor(window, "font")
    assert isinstance(font, QComboBox)
    assert font.itemText(0) == "Plex Sans, from body"


def test_borders_are_clicked_in_a_picture_or_chosen_by_keys(window: Window, qtbot: QtBot) -> None:
    window.controller.select(CELL)
    borders = editor(window, "borders")
    cell = borders.cell
    qtbot.mouseClick(borders, Qt.MouseButton.LeftButton, pos=QPointF(cell.right(), cell.center().y()).toPoint())
    assert cell_look(window, "rule_right") == 500
    borders = editor(window, "borders")
    qtbot.keyClick(borders, Qt.Key.Key_Down)
    qtbot.keyClick(borders, Qt.Key.Key_Space)
    assert (cell_look(window, "rule_below"), cell_look(window, "rule_left")) == (500, None)
    qtbot.keyClick(editor(window, "borders"), Qt.Key.Key_Space)
    assert cell_look(window, "rule_below") == 0  # also where a style draws one
    assert "right" in editor(window, "borders").accessibleDescription()


def test_fonts_and_styles_are_shown_as_themselves(window: Window) -> None:
    window.controller.select(Selection("text", "title"))

    def listed(field: str) -> dict[str, QFont]:
        box = editor(window, field)
        assert isinstance(box, ChoiceEditor)
        box.showPopup()
        box.hidePopup()
        fonts = {box.itemData(at): box.itemData(at, Qt.ItemDataRole.FontRole) for at in range(box.count())}
        return {name: font for name, font in fonts.items() if font is not None}

    fonts = listed("font")
    assert {name: font.family() for name, font in fonts.items()}["Plex Serif"] == "IBM Plex Serif"
    assert len({font.family() for font in fonts.values()}) == len(FAMILIES)
    styles = listed("style")
    assert set(styles) == {style.name for style in window.controller.report.styles}  # type: ignore[union-attr]
    assert styles["title"].bold()
    assert styles["title"].pixelSize() > styles["running"].pixelSize()


def test_lengths_are_shown_in_the_unit_that_is_preferred_and_kept_exactly(qtbot: QtBot) -> None:
    committed: list[int | None] = []
    use_unit("in")
    try:
        line = LengthEditor(parse_length("20mm"), committed.append, optional=False, points=False)
        qtbot.addWidget(line)
        assert line.text() == "0.79 in"
        line.finish()
        line.setText("1.5")
        line.finish()
        line.step_by(1)
        line.finish()
        line.setText("25 mm")
        line.finish()
        assert committed == [parse_length(text) for text in ("1.5in", "1.55in", "25mm")]
        assert property_text(TextBlock, "space_after", parse_length("2in")) == "2.00 in"
        assert property_text(Style, "size", 9_000) == "9 pt"
    finally:
        use_unit("mm")
    assert shown_unit().stepped(parse_length("19.6mm")) == parse_length("20mm")
