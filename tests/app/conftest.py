"""A real window on a copy of the demo library, with settings of its own."""

import os
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from northmoor.app.widgets.theme import apply_theme
from northmoor.app.window import Window


@pytest.fixture(scope="session")
def qapp_cls() -> type[QApplication]:
    """The application, as the product makes it."""
    os.environ.setdefault("QT_QPA_PLATFORM", "xcb")
    return QApplication


@pytest.fixture
def copy(demo: Path, tmp_path: Path) -> Path:
    """The path of a report in a library that the test may change; the database is shared."""
    (tmp_path / "data").symlink_to(demo / "data")
    shutil.copytree(demo / "pictures", tmp_path / "pictures")
    (tmp_path / "reports").mkdir()
    shutil.copy(demo / "connections.json", tmp_path)
    return Path(shutil.copy(demo / "reports" / "fares-by-route.moor", tmp_path / "reports"))


@pytest.fixture
def new_window(qapp: QApplication, qtbot: QtBot, tmp_path: Path) -> Iterator[Callable[[], Window]]:
    """Makes windows that share one settings file."""
    apply_theme(qapp)
    windows: list[Window] = []

    def make() -> Window:
        window = Window(QSettings(str(tmp_path / "settings.ini"), QSettings.Format.IniFormat))
        windows.append(window)
        window.resize(1280, 800)
        window.show()
        qtbot.waitExposed(window)
        return window

    yield make
    for window in windows:
        window.worker.close()
        window.catalog_worker.close()
        window.controller._saved_at = window.controller._at  # nothing is asked about when a test ends
        window.close()
        window.deleteLater()


@pytest.fixture
def window(new_window: Callable[[], Window], copy: Path, qtbot: QtBot) -> Window:
    """A window with the demo's report open and its pages shown."""
    made = new_window()
    assert made.open(copy)
    settle(made, qtbot)
    return made


def settle(window: Window, qtbot: QtBot) -> None:
    """Wait until the pages in view are those of the report and values as they are now."""
    qtbot.waitUntil(lambda: window.is_up_to_date, timeout=20_000)
