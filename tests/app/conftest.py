"""A real window on a copy of the demo library, with settings of its own."""

import json
import os
import shutil
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from typing import Any, TypeVar

import pytest
from PyQt6.QtCore import QSettings, QTimer
from PyQt6.QtWidgets import QApplication, QDialog
from pytestqt.qtbot import QtBot

from northmoor.app.widgets.theme import apply_theme
from northmoor.app.window import Window
from northmoor.core import session
from northmoor.core.engine.rows import Rows
from northmoor.core.model.data.connections import SqliteConnection
from northmoor.core.sources.fetch.run_query import FetchRequest


@pytest.fixture(scope="session")
def qapp_cls() -> type[QApplication]:
    """The application, as the product makes it."""
    os.environ.setdefault("QT_QPA_PLATFORM", "xcb")
    return QApplication


@pytest.fixture(scope="session", autouse=True)
def theme(qapp: QApplication) -> None:
    """The look of all windows; putting it on again would draw every widget that is left once more."""
    apply_theme(qapp)


@pytest.fixture(scope="session", autouse=True)
def demo_rows() -> Iterator[None]:
    """Rows of the demo's database are fetched once for all windows, which open copies of its reports."""
    kept: dict[Any, Rows] = {}
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(session, "query_rows", partial(_fetched_once, kept, session.query_rows))
        yield


def _fetched_once(kept: dict[Any, Rows], fetch: Callable[[FetchRequest], Rows], request: FetchRequest) -> Rows:
    query, values = request.resolved.query, request.values.by_name
    connection = request.library.connection(query.connection) if query.connection and not query.use_sample else None
    if not isinstance(connection, SqliteConnection) or query.detail_of is not None:
        return fetch(request)
    path = request.library.path(connection)  # the database itself, which all copies have a link to
    if path.name != "tarrow.sqlite" or not path.exists():
        return fetch(request)
    used = {name: values.get(name) for name in request.resolved.checked.parameters}
    key = (path, path.stat().st_mtime_ns, query, request.report.time_zone, repr(used))
    if key not in kept:
        kept[key] = fetch(request)
    return kept[key]


@pytest.fixture
def copy(demo: Path, tmp_path: Path) -> Path:
    """The path of a report in a library that the test may change; the database is shared."""
    (tmp_path / "data").symlink_to(demo / "data")
    shutil.copytree(demo / "pictures", tmp_path / "pictures")
    (tmp_path / "reports").mkdir()
    shutil.copy(demo / "connections.json", tmp_path)
    return Path(shutil.copy(demo / "reports" / "fares-by-route.moor", tmp_path / "reports"))


@pytest.fixture
def new_window(qtbot: QtBot, tmp_path: Path) -> Iterator[Callable[[], Window]]:
    """Makes windows that share one settings file."""
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


@pytest.fixture
def two_connections(new_window: Callable[[], Window], copy: Path, qtbot: QtBot) -> Window:
    """A window like that, whose library has another connection with the same tables."""
    file = copy.parent.parent / "connections.json"
    known = json.loads(file.read_text())
    own = next(each for each in known["connections"] if each["name"] == "tarrow")
    known["connections"].append(own | {"name": "tarrow-copy"})
    file.write_text(json.dumps(known))
    made = new_window()
    assert made.open(copy)
    settle(made, qtbot)
    return made


def settle(window: Window, qtbot: QtBot) -> None:
    """Wait until the pages in view are those of the report and values as they are now."""
    qtbot.waitUntil(lambda: window.is_up_to_date, timeout=20_000)


D = TypeVar("D", bound=QDialog)


def in_dialog(kind: type[D], act: Callable[[D], object]) -> None:
    """Do something in the dialog of a kind that opens next; it is closed then, unless that was done."""

    def run() -> None:
        opened = QApplication.activeModalWidget()
        if not isinstance(opened, kind):
            QTimer.singleShot(20, run)
            return
        try:
            act(opened)
        finally:
            if opened.isVisible():
                opened.reject()

    QTimer.singleShot(0, run)
