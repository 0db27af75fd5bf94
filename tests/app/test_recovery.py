"""After a crash: the unsaved changes are offered, can be undone, and go once they are saved or let go."""

from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QMessageBox
from pytestqt.qtbot import QtBot

from northmoor.app.report_file import recovery_prompt
from northmoor.app.window import Window
from northmoor.core.store.recovery_copies import found_copy, keep_copy, recovery_path
from northmoor.core.store.report_files import load_report
from tests.app.conftest import settle


@pytest.fixture
def crashed(window: Window, copy: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> Window:
    """A window with an unsaved change and its recovery copy, about to be lost."""
    monkeypatch.setattr(recovery_prompt, "PAUSE", 0)
    window.files.recovery._timer.setInterval(0)
    window.pages.set_width("fares-table", "fares", 99_000)
    qtbot.waitUntil(recovery_path(copy).is_file)
    settle(window, qtbot)
    window.files.elsewhere.hold(None)  # as the end of its process does
    return window


def answers(monkeypatch: pytest.MonkeyPatch, answer: QMessageBox.StandardButton) -> list[str]:
    """Answer every question; the questions that were asked."""
    asked: list[str] = []
    monkeypatch.setattr(QMessageBox, "question", lambda _parent, _title, text, *_: asked.append(text) or answer)
    return asked


def test_unsaved_changes_are_taken_up_and_can_be_undone(
    crashed: Window, copy: Path, new_window: Callable[[], Window], qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked = answers(monkeypatch, QMessageBox.StandardButton.Yes)
    after = new_window()
    after.open(copy)
    assert "were not saved" in asked[0]
    assert after.controller.report == crashed.controller.report
    assert not after.controller.is_saved
    settle(after, qtbot)
    after.controller.undo()
    assert after.controller.report == load_report(copy)
    after.controller.redo()
    after.files.save()
    assert not recovery_path(copy).exists()


def test_unsaved_changes_can_be_let_go(
    crashed: Window, copy: Path, new_window: Callable[[], Window], monkeypatch: pytest.MonkeyPatch
) -> None:
    asked = answers(monkeypatch, QMessageBox.StandardButton.No)
    after = new_window()
    after.open(copy)
    assert len(asked) == 1
    assert after.controller.report == load_report(copy)
    assert not recovery_path(copy).exists()


def test_leaving_on_purpose_leaves_nothing_behind(crashed: Window, copy: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    answers(monkeypatch, QMessageBox.StandardButton.Discard)
    assert crashed.close()
    assert not recovery_path(copy).exists()


def test_a_copy_that_says_nothing_new_or_cannot_be_read_is_not_offered(copy: Path) -> None:
    saved = load_report(copy)
    keep_copy(saved, copy)
    assert found_copy(copy, saved) is None
    recovery_path(copy).write_text("{")
    assert found_copy(copy, saved) is None
