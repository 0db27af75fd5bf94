"""The larger editor of an expression: from a cell or the inspector, with what can be written and its value there."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QTextCursor
from pytestqt.qtbot import QtBot

from northmoor.app.document_controller import Selection
from northmoor.app.pages.editing.expression_dialog import ExpressionDialog
from northmoor.app.window import Window
from northmoor.core.model import edits
from tests.app.conftest import settle
from tests.app.test_at_hand import FARES, UserActions
from tests.app.test_journey import TABLE, editor


@pytest.fixture
def dialog(window: Window, qtbot: QtBot) -> ExpressionDialog:
    """The editor of the fares of a month, opened from the line over its cell."""
    UserActions(window, qtbot).click(**FARES)
    window.pages.edit_in_place()
    assert window.pages._line is not None
    qtbot.keyClick(window.pages._line, Qt.Key.Key_F2)
    found = window.pages.expression_dialog
    assert found is not None
    return found


def write(dialog: ExpressionDialog, text: str, qtbot: QtBot) -> None:
    dialog.editor.selectAll()
    dialog.editor.setFocus()
    qtbot.keyClicks(dialog.editor, text)


def value_of(window: Window, column: str) -> str | None:
    report, edition = window.controller.report, window.controller.edition
    table = edits.table_of(report, edition.name, TABLE)  # type: ignore[arg-type,union-attr]
    return next(each.value for each in table.columns if each.name == column)


def test_its_value_in_the_cell_follows_what_is_typed(window: Window, dialog: ExpressionDialog, qtbot: QtBot) -> None:
    assert dialog.text == "fares"
    qtbot.waitUntil(lambda: dialog.value.text() == "Here: 6,107.80   (decimal number)", timeout=10_000)
    write(dialog, "fares * 2", qtbot)
    qtbot.waitUntil(lambda: dialog.value.text().startswith("Here: 12,215.60"), timeout=10_000)
    write(dialog, "fares || route > 3 + month", qtbot)
    qtbot.waitUntil(lambda: "cannot be compared" in dialog.message.text(), timeout=10_000)
    assert not dialog.value.isVisible()
    assert value_of(window, "fares") == "fares"  # nothing is changed before it is accepted
    write(dialog, "max(fares", qtbot)
    qtbot.waitUntil(lambda: dialog.correct.isVisible(), timeout=10_000)
    qtbot.mouseClick(dialog.correct, Qt.MouseButton.LeftButton)
    assert dialog.text == "max(fares)"
    write(dialog, "fares", qtbot)
    qtbot.keyClick(dialog.editor, Qt.Key.Key_Return)
    qtbot.keyClicks(dialog.editor, "* 2")
    qtbot.keyClick(dialog.editor, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    settle(window, qtbot)
    assert value_of(window, "fares") == "fares * 2"
    window.controller.undo()
    assert value_of(window, "fares") == "fares"


def test_what_can_be_written_is_listed_found_and_put_in(dialog: ExpressionDialog, qtbot: QtBot) -> None:
    write(dialog, "round(tic", qtbot)
    listed = ["tickets"]  # the list follows the word
    qtbot.waitUntil(lambda: [item.text(0) for item in dialog._items()] == listed, timeout=20_000)
    assert "421" in dialog._items()[0].text(1)  # with a value
    qtbot.keyClick(dialog.editor, Qt.Key.Key_Tab)
    assert dialog.text == "round(tickets"
    qtbot.keyClicks(dialog.editor, " / ")
    qtbot.keyClicks(dialog.search, "nullif")
    qtbot.keyClick(dialog.search, Qt.Key.Key_Down)
    assert dialog.help.text().startswith("nullif(a, b)")
    qtbot.keyClick(dialog.offered, Qt.Key.Key_Return)
    assert dialog.text == "round(tickets / nullif(a, b)"
    assert dialog.editor.textCursor().selectedText() == "a"  # the first thing that it takes is typed next


def test_a_word_that_nothing_begins_with_empties_no_list(dialog: ExpressionDialog, qtbot: QtBot) -> None:
    known = [item.text(0) for item in dialog._items()]
    write(dialog, "fares / tickts", qtbot)
    assert [item.text(0) for item in dialog._items()] == known
    qtbot.keyClick(dialog.editor, Qt.Key.Key_Tab)
    assert dialog.text == "fares / tickts"


def test_a_text_has_its_fields_in_braces(window: Window, qtbot: QtBot) -> None:
    window.pages.enlarge("Sailings: ", "template", lambda _: None)
    dialog = window.pages.expression_dialog
    assert dialog is not None
    dialog.editor.moveCursor(QTextCursor.MoveOperation.End)
    dialog.insert(next(item for item in dialog._items() if item.text(0) == ":year"))
    assert dialog.text == "Sailings: {:year}"
    dialog.reject()


def enlarged(window: Window, field: str, qtbot: QtBot) -> ExpressionDialog:
    """The editor that F2 opens in a line of the inspector."""
    window.controller.select(Selection("cell", TABLE, "detail", None, "tickets"))
    line = editor(window, field)
    line.setFocus()
    qtbot.keyClick(line, Qt.Key.Key_F2)
    assert window.pages.expression_dialog is not None
    return window.pages.expression_dialog


def test_a_condition_has_to_say_yes_or_no_in_it_too(window: Window, qtbot: QtBot) -> None:
    dialog = enlarged(window, "visible", qtbot)
    write(dialog, "tickets + 1", qtbot)
    qtbot.waitUntil(lambda: "where a condition is needed" in dialog.message.text(), timeout=10_000)
    write(dialog, "tickets > 1", qtbot)
    qtbot.waitUntil(lambda: dialog.message.text() == "", timeout=10_000)
    dialog.reject()


def test_a_line_of_the_inspector_goes_on_in_it(window: Window, qtbot: QtBot) -> None:
    dialog = enlarged(window, "value", qtbot)
    write(dialog, "tickets + 1", qtbot)
    dialog.accept()
    settle(window, qtbot)
    assert value_of(window, "tickets") == "tickets + 1"
