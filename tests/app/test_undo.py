"""Every command that changes a report is undone to the same file, letter by letter, and done again to the same."""

import shutil
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QFileDialog, QInputDialog
from pytestqt.qtbot import QtBot

from northmoor.app.actions import NEEDING_REPORT
from northmoor.app.document_controller import WHOLE_PAGE, Selection
from northmoor.app.window import Window
from northmoor.core.model.serialization import report_text
from tests.app.conftest import settle
from tests.app.test_blocks import block, do, names
from tests.app.test_journey import editor, type_into
from tests.app.test_table_tools import press

ELSEWHERE = {
    "save", "save_as", "save_copy", "copy", "format", "add_query", "add_connection", "refresh", "parameters", "values", "hold",
    "value_sets", "replace", "editions", "keep_page", "apply_page", "add_table", "add_matrix", "add_chart", "close_report", "properties",
    "deliveries", "new_order",
}  # fmt: skip
"""Commands that change nothing by themselves, or by a dialog that has tests of its own."""
CHANGING = sorted(set(NEEDING_REPORT) - ELSEWHERE)


@pytest.mark.slow
@pytest.mark.parametrize(
    "chosen", [Selection("text", "scope"), Selection("table", "fares-table"), WHOLE_PAGE], ids=lambda s: s.kind
)
def test_every_command_is_undone_and_done_again(
    window: Window, qtbot: QtBot, copy: Path, monkeypatch: pytest.MonkeyPatch, chosen: Selection
) -> None:
    picture = str(copy.parent.parent / "pictures" / "tarrow.png")
    shared = Path(shutil.copy(copy, copy.parent / "shared.moor"))
    files = {"include": str(shared), "add_picture": picture}
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("shared", True))
    monkeypatch.setattr(window.worker, "render", lambda _: None)  # only the report's file matters here
    changed = set()
    for command in CHANGING:
        monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_, command=command: (files.get(command, ""), ""))
        window.controller.select(chosen)
        before, steps = report_text(window.controller.report), window.controller._at
        do(window, command)
        after = report_text(window.controller.report)
        if after == before:
            continue
        changed.add(command)
        assert window.controller._at == steps + 1, command  # one step each
        window.controller.undo()
        assert report_text(window.controller.report) == before, command
        window.controller.redo()
        assert report_text(window.controller.report) == after, command
        window.controller.undo()
    wanted = {"add_text", "add_picture", "add_frame", "add_grid", "add_contents", "include"}
    assert wanted <= changed
    if chosen is not WHOLE_PAGE:
        assert {"cut", "duplicate", "remove", "repeat", "share", "move_up"} - changed == set()


def test_pages_are_set_up_in_the_inspector(window: Window, qtbot: QtBot) -> None:
    before = report_text(window.controller.report)
    window.controller.select(WHOLE_PAGE)
    for field, value in (("columns", 2), ("rows", 3)):
        spin = editor(window, field)
        spin.setValue(value)  # type: ignore[attr-defined]  # it is a spin box
        spin.editingFinished.emit()  # type: ignore[attr-defined]
    type_into(editor(window, "column_gap"), "8", qtbot)
    settle(window, qtbot)
    assert window.controller.edition is not None
    page = window.controller.edition.page
    assert (page.columns, page.rows, page.column_gap) == (2, 3, 22_677)
    choose_size(window, "custom")
    type_into(editor(window, "width"), "150", qtbot)
    assert window.controller.edition.page.paper[0] == 425_197
    settle(window, qtbot)
    assert window.pages.canvas._stack.size(0).width() < window.pages.canvas._stack.size(0).height()
    type_into(editor(window, "margin_left"), "140", qtbot)
    assert "less than 1in" in window._notice.toolTip()  # refused, with the reason
    while window.controller.undo_label:
        window.controller.undo()
    assert report_text(window.controller.report) == before


def choose_size(window: Window, size: str) -> None:
    box = editor(window, "size")
    box.setCurrentIndex(box.findData(size))  # type: ignore[attr-defined]  # it is a drop-down
    box.activated.emit(box.currentIndex())  # type: ignore[attr-defined]


def test_a_watermark_is_added_written_and_taken_out(window: Window, qtbot: QtBot) -> None:
    before = report_text(window.controller.report)
    window.controller.select(WHOLE_PAGE)
    press(window, "Add a watermark")
    window.controller.select(Selection("watermark", "watermark"))
    type_into(editor(window, "visible"), "page_number() = 2", qtbot)
    settle(window, qtbot)
    composition = window.pages._rendered.document.composition  # type: ignore[union-attr]  # pages are shown
    assert composition.watermark.shown[:3] == (False, True, False)
    type_into(editor(window, "visible"), "nonsense(", qtbot)
    settle(window, qtbot)
    assert any("nonsense" in finding.message for finding in window.pages._rendered.document.findings)  # type: ignore[union-attr]
    press(window, "Remove")
    assert window.controller.edition is not None
    assert window.controller.edition.watermark is None
    while window.controller.undo_label:
        window.controller.undo()
    assert report_text(window.controller.report) == before


def test_turned_pages_are_shown_as_wide_as_they_are_and_reached(window: Window, qtbot: QtBot) -> None:
    window.controller.select(Selection("text", "scope"))
    do(window, "add_break")
    window.controller.select(Selection("break", names(window)[names(window).index("scope") + 1]))
    box = editor(window, "orientation")
    box.setCurrentIndex(box.findData("landscape"))  # type: ignore[attr-defined]  # it is a drop-down
    box.activated.emit(box.currentIndex())  # type: ignore[attr-defined]
    settle(window, qtbot)
    canvas = window.pages.canvas
    first, later = canvas._stack.size(0), canvas._stack.size(1)
    assert first.width() < first.height()
    assert later.width() > later.height()
    canvas.go_to(1)
    settle(window, qtbot)
    assert canvas.current_page == 1
    assert canvas.page_rect(1).top() <= canvas.viewport().height() // 2
    canvas.go_to(canvas.page_count - 1)
    assert canvas.current_page == canvas.page_count - 1


def test_a_contents_list_follows_what_is_made_a_heading(window: Window, qtbot: QtBot) -> None:
    window.controller.select(WHOLE_PAGE)
    do(window, "add_contents")
    made = window.controller.selection.block
    while names(window).index(made) > 0:
        before = names(window).index(made)
        do(window, "move_up")
        if names(window).index(made) == before:
            break
    settle(window, qtbot)

    def listed() -> list[str]:
        document = window.pages._rendered.document  # type: ignore[union-attr]  # pages are shown
        lines = [part.block for part in document.composition.placed.lines[0] if part.name == made]
        return ["".join(bit.text for bit in line.fragments) for text in lines for line in text.lines]  # type: ignore[union-attr]

    groups = listed()
    assert groups
    window.controller.select(Selection("text", "scope"))
    box = editor(window, "listed")
    box.setCurrentIndex(box.findData("contents"))  # type: ignore[attr-defined]  # it is a drop-down
    box.activated.emit(box.currentIndex())  # type: ignore[attr-defined]
    settle(window, qtbot)
    assert len(listed()) == len(groups) + 1
    assert block(window, "scope") is not None
