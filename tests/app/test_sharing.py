"""Editions, find and replace, kept pages and shared blocks in the real window; all of it is undone letter by letter."""

import shutil
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QCheckBox, QFileDialog, QInputDialog, QMessageBox, QToolButton
from pytestqt.qtbot import QtBot

from northmoor.app.delivery.deliver_dialog import DeliverDialog
from northmoor.app.document_controller import Selection
from northmoor.app.window import Window
from northmoor.core.model.kinds.output_formats import OUTPUT_FORMATS
from northmoor.core.model.serialization import report_text
from tests.app.conftest import settle
from tests.app.test_blocks import do, names, undone
from tests.app.test_journey import regions


def offered(window: Window) -> list[str]:
    """The editions that readers can choose in the bar."""
    QApplication.processEvents()  # as below
    return [b.text() for b in window._editions.findChildren(QToolButton) if not b.isHidden()]


def box(window: Window, text: str) -> QCheckBox:
    assert window.sharing.editions is not None
    QApplication.processEvents()  # what the layout holds is shown then
    dialog = window.sharing.editions
    return next(b for b in dialog.findChildren(QCheckBox) if b.text() == text and b.isVisibleTo(dialog))


@pytest.mark.slow
def test_editions_are_duplicated_named_hidden_and_given_formats(
    window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    report = window.controller.report
    assert report is not None
    before, count = report_text(report), len(report.editions)
    do(window, "editions")
    dialog = window.sharing.editions
    assert dialog is not None
    dialog.buttons["duplicate"].click()
    settle(window, qtbot)
    made = window.controller.edition
    assert made is not None
    assert made.name == f"{report.editions[0].name}_2"
    assert names(window) == [block.name for block in report.editions[0].blocks]
    dialog._rename("board-copy")
    dialog.buttons["down"].click()
    for known in OUTPUT_FORMATS[1:]:
        if known.suffix != "png":
            box(window, known.label).click()
    dialog._set_first(window.controller.edition, "png")
    assert window.controller.edition.formats == ("png", "pdf")
    settle(window, qtbot)
    asked = DeliverDialog(window.shown_document, window.controller.path, None, window)
    assert [asked.formats.item(row).text() for row in range(asked.formats.count())] == [
        "Pictures (PNG), one per page", "PDF",
    ]  # fmt: skip
    assert [path.name for path in asked.delivery.paths] == ["fares-by-route.png"]
    asked.close()
    box(window, "Hidden from readers").click()
    assert "board-copy" in offered(window)  # it is the one that is shown
    window.controller.show_edition(report.editions[0].name)
    settle(window, qtbot)
    assert "board-copy" not in offered(window)
    dialog.buttons["add"].click()
    dialog.buttons["remove"].click()
    assert window.controller.report is not None
    assert len(window.controller.report.editions) == count + 1
    assert undone(window, before)


def test_a_field_and_a_text_are_replaced_in_one_step(window: Window, qtbot: QtBot) -> None:
    before = report_text(window.controller.report)
    do(window, "replace")
    dialog = window.sharing.replace
    assert dialog is not None
    qtbot.keyClicks(dialog.wanted, "tickets")
    dialog.what.setCurrentIndex(dialog.what.findData("fares"))
    dialog.what.activated.emit(dialog.what.currentIndex())
    assert dialog.list.count() > 2
    dialog.by.setText("sailings")
    dialog.list.item(0).setCheckState(Qt.CheckState.Unchecked)
    total = dialog.list.count()
    assert dialog.found.text() == f"{total - 1} of {total} are replaced."
    dialog.run()
    assert dialog.list.count() == 1  # what was not ticked is still there
    window.controller.undo()
    assert report_text(window.controller.report) == before
    dialog.what.setCurrentIndex(0)
    dialog.wanted.setText("Fares by route")
    dialog.list.setCurrentRow(0)
    dialog.by.setText("Takings by route")
    dialog.run()
    assert window.controller.report is not None
    assert window.controller.report.title.startswith("Takings by route")
    assert dialog.found.text() == "It was not found in this report."
    assert undone(window, before)


def test_a_page_is_kept_and_applied_to_another_report(
    window: Window, qtbot: QtBot, copy: Path, demo: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    do(window, "apply_page")
    assert "has no page templates yet" in window._notice.toolTip()
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("house", True))
    monkeypatch.setattr(QInputDialog, "getItem", lambda *given, **__: (given[3][0], True))
    do(window, "keep_page")
    assert (copy.parent.parent / "pages" / "house.page.json").is_file()
    header = window.controller.edition.header  # type: ignore[union-attr]  # a report is open
    other = Path(shutil.copy(demo / "reports" / "cost-centres.moor", copy.parent))
    assert window.open(other)
    settle(window, qtbot)
    before = report_text(window.controller.report)
    do(window, "apply_page")
    assert window.controller.edition is not None
    assert window.controller.edition.header == header
    assert undone(window, before)


def test_what_a_colleague_has_kept_is_replaced_only_when_asked(
    window: Window, copy: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A page, and a block: kept under another name, then left alone, then replaced."""
    root, asked = copy.parent.parent, []
    theirs = {root / "pages" / "house.page.json": "theirs", root / "blocks" / "house.blocks.json": "theirs"}
    for path, text in theirs.items():
        path.parent.mkdir(exist_ok=True)
        path.write_text(text)

    def answer(box: QMessageBox) -> int:
        assert "changed on" in box.text()
        wanted = answers.pop(0)
        next(button for button in box.buttons() if button.text().replace("&", "") == wanted).click()
        asked.append(box.text())
        return 0

    monkeypatch.setattr(QMessageBox, "exec", answer)
    for command, path in zip(("keep_page", "share"), theirs, strict=True):
        window.controller.select(Selection("text", "scope"))
        typed = ["house", "harbour", "house", "house"]
        monkeypatch.setattr(QInputDialog, "getText", lambda *_, typed=typed, **__: (typed.pop(0), True))
        answers = ["Choose another name", "Cancel", "Replace it"]
        do(window, command)
        assert path.read_text() == "theirs"
        assert path.with_name(path.name.replace("house", "harbour")).is_file()
        if command == "share":
            window.controller.undo()
            window.controller.select(Selection("text", "scope"))
        do(window, command)
        assert path.read_text() == "theirs"
        do(window, command)
        assert path.read_text() != "theirs"
        assert (typed, answers) == ([], [])
    assert len(asked) == 6


def test_a_block_is_shared_changed_in_its_file_and_seen_changed(
    window: Window, qtbot: QtBot, copy: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = report_text(window.controller.report)
    window.controller.select(Selection("text", "scope"))
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("scope", True))
    do(window, "share")
    settle(window, qtbot)
    assert "scope-shared" in names(window)
    assert "scope" not in names(window)
    file = copy.parent.parent / "blocks" / "scope.blocks.json"
    file.write_text(file.read_text().replace('"text": "', '"text": "Shared: '))
    window.show_report()
    settle(window, qtbot)
    (region,) = [region for region in regions(window) if region.block == "scope-shared--scope"]
    window.pages._pick(Selection("text", region.block))
    assert window.controller.selection == Selection("include", "scope-shared")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(file), ""))
    do(window, "include")
    settle(window, qtbot)
    assert len([region for region in regions(window) if region.block.endswith("--scope")]) == 2
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: ("/etc/x.moor", ""))
    do(window, "include")
    assert "outside the library" in window._notice.toolTip()
    assert undone(window, before)
