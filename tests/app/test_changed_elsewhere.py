"""Two people on one report: saving overwrites nobody's work, and what was changed elsewhere is noticed."""

import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication, QMessageBox
from pytestqt.qtbot import QtBot

from northmoor.app.window import Window
from northmoor.core.model import edits
from northmoor.core.model.report import Report
from northmoor.core.store.report_files import load_report, save_report
from tests.app.test_blocks import do

TABLE = ("full", "fares-table")


def theirs(path: Path, change: Callable[[Report], Report]) -> None:
    """Someone else changes the file."""
    save_report(change(load_report(path)), path)


@contextmanager
def answering(text: str) -> Iterator[list[str]]:
    """Press a button of each box that is shown meanwhile, or its first; the texts that they show."""
    shown: list[str] = []

    def answer() -> None:
        box = QApplication.activeModalWidget()
        if isinstance(box, QMessageBox):
            shown.append(box.text())
            buttons = [button for button in box.buttons() if button.text().replace("&", "") == text]
            (buttons or box.buttons())[0].click()

    timer = QTimer(interval=20)
    timer.timeout.connect(answer)
    timer.start()
    yield shown
    timer.stop()


def test_a_change_elsewhere_is_shown_where_nothing_is_unsaved_and_can_be_undone(
    window: Window, copy: Path, qtbot: QtBot
) -> None:
    with qtbot.waitSignal(window.files.changes.message, timeout=5_000) as message:
        theirs(copy, lambda r: r.but(title="Theirs"))
    assert "undo brings the old one back" in message.args[0]
    assert window.controller.report.title == "Theirs"
    assert window.controller.is_saved
    theirs(copy, lambda r: r.but(title="Theirs again"))  # the file is another one now, and is still watched
    qtbot.waitUntil(lambda: window.controller.report.title == "Theirs again", timeout=5_000)
    do(window, "undo", "undo")
    assert window.controller.report.title == "Fares by route and month"


@pytest.mark.parametrize(
    ("answer", "title", "column"),
    [("Both", "Theirs", "Mine"), ("Only mine", "Fares by route and month", "Mine"), ("Only theirs", "Theirs", "Fares")],
)
def test_saving_asks_whose_changes_are_kept(
    window: Window, copy: Path, qtbot: QtBot, answer: str, title: str, column: str
) -> None:
    window.controller.edit("Mine", lambda r, _: edits.change_column(r, *TABLE, "fares", title="Mine"))
    before = edits.table_of(load_report(copy), *TABLE).columns
    theirs(copy, lambda r: r.but(title="Theirs"))
    qtbot.waitUntil(lambda: "saving asks" in window._notice.toolTip(), timeout=5_000)
    with answering(answer) as shown:
        window.files.save()
    assert "Someone else has changed" in shown[0]
    assert window.controller.is_saved
    kept = load_report(copy)
    assert kept == window.controller.report
    assert kept.title == title
    wanted = column if column == "Mine" else next(c.title for c in before if c.name == "fares")
    assert next(c.title for c in edits.table_of(kept, *TABLE).columns if c.name == "fares") == wanted
    do(window, *["undo"] * (answer != "Only mine"))
    assert edits.table_of(window.controller.report, *TABLE).columns != before  # mine is in the history


def test_what_both_changed_is_named_and_cancel_writes_nothing(window: Window, copy: Path) -> None:
    window.controller.edit("Mine", lambda r, _: r.but(title="Mine"))
    theirs(copy, lambda r: r.but(title="Theirs"))
    with answering("Cancel"):
        assert not window.files.save()
    assert not window.controller.is_saved
    assert load_report(copy).title == "Theirs"
    with answering("Both") as shown:
        assert window.files.save()
    assert "• title" in shown[1]
    assert load_report(copy).title == "Mine"


def test_a_report_of_two_names_is_saved_under_one_and_that_is_reported(window: Window, copy: Path) -> None:
    other = copy.with_name("other.moor")
    other.hardlink_to(copy)
    before = other.read_text()
    window.controller.edit("Change the title", lambda r, _: r.but(title="Another"))
    assert window.files.save()
    assert window._notice.toolTip() == f"Saved as {copy.name}. Its other name keeps what was there before."
    assert (other.read_text(), '"Another"' in copy.read_text()) == (before, True)


def test_a_file_that_is_gone_or_only_touched_is_saved_unasked(window: Window, copy: Path) -> None:
    os.utime(copy)
    window.controller.edit("Mine", lambda r, _: r.but(title="Mine"))
    assert window.files.save()
    copy.unlink()
    window.controller.edit("Mine", lambda r, _: r.but(title="Mine again"))
    assert window.files.save()
    assert load_report(copy).title == "Mine again"
