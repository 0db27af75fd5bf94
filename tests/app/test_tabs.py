"""Several reports in one window: each tab has its own report, history and pages."""

import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, QSettings, Qt
from PyQt6.QtWidgets import QFileDialog
from pytestqt.qtbot import QtBot

from northmoor.app.tabbed_window import TabbedWindow
from northmoor.app.window import Window
from tests.app.conftest import settle


@pytest.fixture
def tabbed(qtbot: QtBot, copy: Path, tmp_path: Path) -> Iterator[TabbedWindow]:
    """The window with the demo's report open."""
    made = TabbedWindow(QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat))
    made.resize(1280, 800)
    made.show()
    qtbot.waitExposed(made)
    made.activateWindow()
    qtbot.waitUntil(made.isActiveWindow)
    assert made.open(copy)
    settle(made.current, qtbot)
    yield made
    for window in made.windows:
        window.controller._saved_at = window.controller._at  # nothing is asked about when a test ends
    made.close()
    made.deleteLater()


@pytest.fixture
def other(demo: Path, copy: Path) -> Path:
    return Path(shutil.copy(demo / "reports" / "board-sheet.moor", copy.parent))


def retitle(window: Window, title: str) -> None:
    window.controller.edit("Change the title", lambda report, _: report.but(title=title))


def names(tabbed: TabbedWindow) -> list[str]:
    return [tabbed.tabs.tabText(at) for at in range(tabbed.tabs.count())]


def test_each_tab_has_its_own_report_and_history(
    tabbed: TabbedWindow, other: Path, copy: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    first = tabbed.current
    assert not tabbed.tabs.isVisible()  # one report needs no tab
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(other), ""))
    qtbot.keyClick(first, Qt.Key.Key_O, Qt.KeyboardModifier.ControlModifier)
    second = tabbed.current
    settle(second, qtbot)
    assert second is not first
    assert [window.controller.path for window in tabbed.windows] == [copy, other]
    retitle(second, "Board & all")
    assert names(tabbed)[1] == "Board && all •"
    assert first.controller.undo_label == ""
    qtbot.keyClick(second, Qt.Key.Key_Tab, Qt.KeyboardModifier.ControlModifier)
    assert tabbed.current is first
    qtbot.keyClick(first, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)  # goes to the tab that is seen
    assert second.controller.undo_label
    assert tabbed.open(other)  # what is open is shown
    assert tabbed.current is second
    qtbot.keyClick(second, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert not second.controller.undo_label
    tabbed.tabs.moveTab(1, 0)
    assert tabbed.windows == [second, first]
    assert tabbed.current is second


def test_tabs_are_closed_one_by_one_and_the_last_shows_the_beginning(
    tabbed: TabbedWindow, other: Path, qtbot: QtBot
) -> None:
    qtbot.keyClick(tabbed.current, Qt.Key.Key_T, Qt.KeyboardModifier.ControlModifier)
    assert names(tabbed)[1] == "New tab"
    tabbed.current.files.open_beside(other)
    assert len(tabbed.windows) == 2  # a tab without a report takes it
    settle(tabbed.current, qtbot)
    qtbot.keyClick(tabbed.current, Qt.Key.Key_W, Qt.KeyboardModifier.ControlModifier)
    assert len(tabbed.windows) == 1
    tabbed.add()
    middle = tabbed.tabs.tabRect(1).center()
    qtbot.mouseClick(tabbed.tabs, Qt.MouseButton.MiddleButton, pos=QPoint(middle.x(), middle.y()))
    assert len(tabbed.windows) == 1
    qtbot.keyClick(tabbed.current, Qt.Key.Key_W, Qt.KeyboardModifier.ControlModifier)
    assert tabbed.current.controller.report is None
    assert tabbed.current.start.isVisible()


def test_a_report_that_cannot_be_opened_leaves_no_tab(tabbed: TabbedWindow, copy: Path) -> None:
    broken = copy.with_name("broken.moor")
    broken.write_text("{")
    assert not tabbed.open(broken)
    assert len(tabbed.windows) == 1
    assert "broken.moor" in tabbed.current.last_message[0]
    assert tabbed.current.controller.path == copy


def test_closing_asks_for_each_changed_report_and_may_be_stopped(
    tabbed: TabbedWindow, other: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    retitle(tabbed.current, "Changed")
    tabbed.open(other)
    settle(tabbed.current, qtbot)
    asked: list[str] = []

    def stay(controller: object, *_: object) -> bool:
        asked.append(controller.report.title)  # type: ignore[attr-defined]
        return controller.is_saved  # type: ignore[attr-defined, no-any-return]

    monkeypatch.setattr("northmoor.app.report_file.file_actions.may_leave", stay)
    assert not tabbed.close()
    assert asked == ["Board sheet", "Changed"]
    assert tabbed.isVisible()
    assert [window.controller.report.title for window in tabbed.windows] == ["Changed"]  # type: ignore[union-attr]


def test_the_window_remembers_its_size(tabbed: TabbedWindow) -> None:
    tabbed.resize(1100, 700)
    settings = QSettings(tabbed._settings.fileName(), QSettings.Format.IniFormat)
    for window in tabbed.windows:
        window.controller._saved_at = window.controller._at
    tabbed.close()
    again = TabbedWindow(settings)
    assert (again.width(), again.height()) == (1100, 700)
    again.close()
    again.deleteLater()
