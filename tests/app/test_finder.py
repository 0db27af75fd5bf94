"""Search everything: by any words, letters in order or a typed length, by keyboard alone."""

from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from northmoor.app.document_controller import Selection
from northmoor.app.search.matching import PaletteEntry, matching
from northmoor.app.window import Window
from northmoor.core.model.edits import table_of
from northmoor.core.model.lengths import parse_length
from tests.app.conftest import settle


def find(window: Window, words: str, qtbot: QtBot, downs: int = 0) -> list[str]:
    """Open the finder, type, and choose; the texts that were found, each with its kind."""
    window.actions_by_name["find"].trigger()
    finder = window._finder
    finder.line.setText(words)
    items = [finder.found.topLevelItem(n) for n in range(finder.found.topLevelItemCount())]
    texts = [" · ".join(filter(None, (item.text(0), item.text(1)))) for item in items if item is not None]
    for _ in range(downs):
        qtbot.keyClick(finder.line, Qt.Key.Key_Down)
    qtbot.keyClick(finder.line, Qt.Key.Key_Return)
    finder.reject()
    return texts


def test_parts_fields_and_commands_are_found(window: Window, qtbot: QtBot) -> None:
    assert find(window, "total route tickets", qtbot)[0].startswith(
        "Table · fares-table › Level 1 · route › Total › Tickets"
    )
    assert window.controller.selection == Selection("cell", "fares-table", "total", "route", "tickets")
    found = find(window, "season group", qtbot)
    assert found[0] == "Season · field: group by it"
    assert [lv.name for lv in table_of(window.controller.report, "full", "fares-table").levels] == ["route", "season"]
    settle(window, qtbot)
    assert find(window, "undo", qtbot)[0] == "Undo · Group by season · Edit"
    assert [lv.name for lv in table_of(window.controller.report, "full", "fares-table").levels] == ["route"]
    settle(window, qtbot)


def test_what_cannot_be_done_now_is_not_found(window: Window, qtbot: QtBot) -> None:
    assert not any(text.startswith("Redo") for text in find(window, "redo", qtbot))
    before = window.controller.report
    assert find(window, "no such thing anywhere", qtbot) == []
    assert window._finder._none.isVisibleTo(window._finder)
    assert window.controller.report is before


def test_a_setting_of_the_page_is_typed_or_found_wherever_one_is(window: Window, qtbot: QtBot) -> None:
    window.controller.select(Selection("text", "scope"))
    assert find(window, "landscape", qtbot)[0] == "Landscape · page"
    assert find(window, "margin 12,5 mm", qtbot)[0] == "Margins 12.5 mm · page"
    assert find(window, "left margin 1in", qtbot)[0] == "Left margin 1 in · page"
    assert window.controller.edition is not None
    page = window.controller.edition.page
    assert (page.orientation, page.margin_top, page.margin_left) == (
        "landscape",
        parse_length("12.5 mm"),
        parse_length("1 in"),
    )


def test_what_was_chosen_lately_comes_first(window: Window, qtbot: QtBot) -> None:
    find(window, "actual size", qtbot)
    find(window, "fit width", qtbot)
    assert find(window, "", qtbot)[:2] == ["Fit width · Page", "Actual size · Page"]


def test_another_report_of_the_library_is_opened(window: Window, qtbot: QtBot) -> None:
    assert window.controller.path is not None
    other = window.controller.path.with_name("other-fares.moor")
    other.write_bytes(window.controller.path.read_bytes())
    window.open(window.controller.path)
    qtbot.waitUntil(lambda: window.other_reports.paths == [other], timeout=20_000)
    assert find(window, "other-fares report", qtbot)[0] == "other-fares · report: reports"
    assert window.controller.path == other


def test_what_fits_best_comes_first() -> None:
    texts = ("Last page", "Page setup", "Paste", "Refresh data", "Convert to matrix")
    entries = [PaletteEntry(text, "x", "play", lambda: None) for text in texts]

    def found(words: str, *recent: str) -> list[str]:
        return [entry.text for entry in matching(entries, words, recent)]

    assert found("pa") == ["Page setup", "Paste", "Last page"]
    assert found("pa", "Paste") == ["Paste", "Page setup", "Last page"]
    assert found("page last") == ["Last page"]
    assert found("rfrsh") == ["Refresh data"]
    assert found("cnvrt mat") == ["Convert to matrix"]
    assert found("zzz") == []
