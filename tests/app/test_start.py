"""Beginning without a report: what can be begun, the reports opened last, and files that are dropped on the window."""

from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QMessageBox
from pytestqt.qtbot import QtBot

from northmoor.app.data.connection_dialog import ConnectionDialog
from northmoor.app.start.start_page import CARDS
from northmoor.app.window import Window
from northmoor.core.model.page_templates import page_template
from northmoor.core.sources.library import Library
from northmoor.core.store.page_template_files import page_text
from northmoor.core.store.report_files import load_report
from tests.app.conftest import in_dialog, settle
from tests.helpers import lines_of
from tests.servers import PASSWORD, PrivatePostgresql

LINES = "route,vessel,pieces\nTQ-SK,Curlew,4\nTQ-IL,Dunlin,2\nTQ-SK,Dunlin,1\n"


@pytest.fixture
def empty(new_window: Callable[[], Window]) -> Window:
    return new_window()


def answer(monkeypatch: pytest.MonkeyPatch, **names: Path) -> None:
    """Answer the dialogs that ask for files."""
    for method, path in names.items():
        monkeypatch.setattr(QFileDialog, method, lambda *_, path=path: (str(path), ""))


def drop(window: Window, path: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    actions, button, keys = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    QApplication.sendEvent(window, QDragEnterEvent(QPoint(600, 400), actions, data, button, keys))
    QApplication.sendEvent(window, QDropEvent(QPointF(600, 400), actions, data, button, keys))


def test_a_dropped_csv_file_is_a_listing_two_actions_later(empty: Window, qtbot: QtBot, tmp_path: Path) -> None:
    (tmp_path / "freight").mkdir()
    (tmp_path / "freight" / "lines.csv").write_text(LINES)
    drop(empty, tmp_path / "freight" / "lines.csv")
    dialog = empty.beginning.dialog
    assert dialog is not None
    qtbot.waitUntil(lambda: dialog.begin.isEnabled(), timeout=10_000)
    assert dialog.source.currentText() == "lines · lines"
    qtbot.keyClick(dialog, Qt.Key.Key_Return)
    settle(empty, qtbot)
    assert [line.cells["route"] for line in lines_of(empty._rendered.document) if line.kind == "detail"] == [
        "TQ-SK", "TQ-IL", "TQ-SK",
    ]  # fmt: skip
    assert empty.controller.path == tmp_path / "freight" / "lines.moor"
    assert empty.start.isHidden()
    assert Library.around(empty.controller.path).connections.connections[0].name == "lines"


def test_what_cannot_be_read_is_reported_and_what_can_be_begun_stays(empty: Window, tmp_path: Path) -> None:
    (tmp_path / "odd.csv").write_bytes(b"\x00\x01\x02")
    (tmp_path / "odd.moor").write_text("{}")
    drop(empty, tmp_path / "odd.moor")
    assert "is not a report" in empty._notice.text()
    assert not empty.start.isHidden()
    drop(empty, tmp_path / "gone.csv")
    assert empty.beginning.dialog is None


def test_recent_reports_are_shown_with_their_first_pages(
    window: Window, new_window: Callable[[], Window], copy: Path, qtbot: QtBot
) -> None:
    qtbot.waitUntil(lambda: window.recent.picture(copy) is not None, timeout=5_000)
    other = new_window()
    assert [button.toolTip() for button in other.start.reports] == [str(copy.resolve())]
    assert other.start.reports[0].text().startswith("fares-by-route\nToday")
    window.files.elsewhere.hold(None)  # as the end of its process does
    other.start.reports[0].click()
    settle(other, qtbot)
    assert other.controller.path == copy.resolve()
    copy.unlink()
    assert new_window().start.reports == []


def test_pages_of_the_report_that_was_left_are_not_those_of_the_next(window: Window, copy: Path, qtbot: QtBot) -> None:
    settle(window, qtbot)
    rendered, page = window._rendered, window.pages.canvas._shown[0]
    other = copy.with_name("other.moor")
    other.write_bytes(copy.read_bytes())
    window.open(other)
    window.worker.rendered.emit(rendered)
    window.worker.page_shown.emit(page)
    assert (window.shown_document, window.recent.picture(other)) == (None, None)
    qtbot.waitUntil(lambda: window.recent.picture(other) is not None, timeout=20_000)
    settle(window, qtbot)


def test_a_report_begins_empty_or_as_a_copy(
    empty: Window, copy: Path, tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    answer(monkeypatch, getSaveFileName=tmp_path / "monthly figures")
    empty.start.cards["new_empty"].click()
    settle(empty, qtbot)
    assert empty.controller.path == tmp_path / "monthly figures.moor"
    assert empty.controller.report.title == "Monthly figures"
    answer(monkeypatch, getOpenFileName=copy, getSaveFileName=copy.with_name("mine.moor"))
    empty.actions_by_name["new_from_report"].trigger()
    settle(empty, qtbot)
    assert load_report(copy.with_name("mine.moor")) == load_report(copy)
    assert empty.controller.path == copy.with_name("mine.moor")


def test_an_empty_report_takes_a_page_that_the_library_keeps(
    empty: Window, copy: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    kept = page_template(load_report(copy), "full")
    (copy.parent.parent / "pages").mkdir()
    (copy.parent.parent / "pages" / "house.page.json").write_text(page_text(kept))
    answer(monkeypatch, getSaveFileName=copy.with_name("plain.moor"))
    offered: list[list[str]] = []

    def choose(_window: Window, _title: str, _label: str, names: list[str], *_: object) -> tuple[str, bool]:
        offered.append(names)
        return "house", True

    monkeypatch.setattr(QInputDialog, "getItem", choose)
    empty.start.cards["new_empty"].click()
    settle(empty, qtbot)
    assert offered == [["Empty page", "house"]]
    edition = empty.controller.edition
    assert (edition.header, edition.footer, edition.page) == (kept.header, kept.footer, kept.page)


@pytest.mark.xdist_group("servers")
def test_a_report_begins_on_a_server(
    empty: Window, tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, postgresql: PrivatePostgresql
) -> None:
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(tmp_path / "mine"))
    (tmp_path / "mine").mkdir()

    def act(dialog: ConnectionDialog) -> None:
        assert dialog.kind.currentData() == "postgresql"
        for name in ("host", "database", "user"):
            dialog.fields[name].setText(str(getattr(postgresql.connection, name)))
        dialog.fields["port"].setValue(postgresql.connection.port)
        dialog.password.setText(PASSWORD)
        dialog.accept()

    in_dialog(ConnectionDialog, act)
    empty.start.cards["connect"].click()
    dialog = empty.beginning.dialog
    assert dialog is not None
    dialog.source.setCurrentIndex(
        next(at for at in range(dialog.source.count()) if "vessels" in dialog.source.itemText(at))
    )
    qtbot.waitUntil(dialog.begin.isEnabled, timeout=20_000)
    dialog.begin.click()
    settle(empty, qtbot)
    assert len([line for line in lines_of(empty._rendered.document) if line.kind == "detail"]) == 5
    assert (tmp_path / "mine" / "connections.json").is_file()


@pytest.mark.slow
def test_the_demo_is_made_where_it_is_not_there_yet(
    empty: Window, tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(Path, "home", lambda: tmp_path)
    empty.start.cards["demo"].click()
    settle(empty, qtbot)
    assert empty.controller.path == tmp_path / "northmoor-demo" / "reports" / "fares-by-route.moor"
    assert {name for name, *_ in CARDS} <= set(empty.actions_by_name)
    assert empty.start.cards["open"].toolTip() == "A report that you have (Ctrl+O)"


def test_a_copy_is_saved_and_changes_are_reverted(
    window: Window, copy: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = window.controller.report
    window.pages.set_width("fares-table", "fares", 99_000)
    answer(monkeypatch, getSaveFileName=copy.with_name("aside"))
    window.actions_by_name["save_copy"].trigger()
    assert load_report(copy.with_name("aside.moor")) == window.controller.report
    assert not window.controller.is_saved
    window.actions_by_name["revert"].trigger()
    assert window.controller.report == before == load_report(copy)
    assert window.controller.is_saved
    window.controller.undo()
    assert window.controller.report == load_report(copy.with_name("aside.moor"))


def test_a_report_that_is_dropped_is_opened_and_asks_about_changes(
    window: Window, demo: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked: list[str] = []
    discard = QMessageBox.StandardButton.Discard
    monkeypatch.setattr(QMessageBox, "question", lambda *given: asked.append(given[1]) or discard)
    window.pages.set_width("fares-table", "fares", 99_000)
    drop(window, demo / "reports" / "punctuality.moor")
    settle(window, qtbot)
    assert asked == ["Save the changes?"]
    assert window.controller.report.title.startswith("Punctuality")
