"""Find anything: by any words, by keyboard alone."""

from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from northmoor.app.command_palette import PaletteEntry, matching
from northmoor.app.document_controller import Selection
from northmoor.app.window import Window
from northmoor.core.model.edits import table_of
from tests.app.conftest import settle


def find(window: Window, words: str, qtbot: QtBot, downs: int = 0) -> list[str]:
    """Open the finder, type, and choose; the texts that were found."""
    window.actions_by_name["find"].trigger()
    finder = window._finder
    finder.line.setText(words)
    texts = [finder.found.item(n).text() for n in range(finder.found.count())]
    for _ in range(downs):
        qtbot.keyClick(finder.line, Qt.Key.Key_Down)
    qtbot.keyClick(finder.line, Qt.Key.Key_Return)
    finder.reject()
    return texts


def test_parts_fields_and_commands_are_found(window: Window, qtbot: QtBot) -> None:
    assert find(window, "total route tickets", qtbot)[0].startswith(
        "Table · fares-table › Level 1 · route › Total › tickets"
    )
    assert window.controller.selection == Selection("cell", "fares-table", "total", "route", "tickets")
    assert len(find(window, "season field", qtbot, downs=1)) == 2
    assert [lv.name for lv in table_of(window.controller.report, "full", "fares-table").levels] == ["route", "season"]
    settle(window, qtbot)
    assert find(window, "undo", qtbot)[0].startswith("Undo · Group by season")
    assert [lv.name for lv in table_of(window.controller.report, "full", "fares-table").levels] == ["route"]
    settle(window, qtbot)


def test_what_cannot_be_done_now_is_not_found(window: Window, qtbot: QtBot) -> None:
    assert not any(text.startswith("Redo") for text in find(window, "redo", qtbot))
    before = window.controller.report
    assert find(window, "no such thing anywhere", qtbot) == []
    assert window._finder._none.isVisibleTo(window._finder)
    assert window.controller.report is before


def test_what_begins_with_the_word_comes_first() -> None:
    entries = [PaletteEntry(text, "x", "play", lambda: None) for text in ("Last page", "Page setup", "Paste")]
    assert [e.text for e in matching(entries, "pa")] == ["Page setup", "Paste", "Last page"]
    assert [e.text for e in matching(entries, "page last")] == ["Last page"]
