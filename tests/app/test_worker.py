"""The worker: a mistake of ours is reported and ends nothing; pages are made for the newest document only."""

import logging
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from northmoor.app import worker as worker_module
from northmoor.app.delivery.deliver_dialog import Delivery
from northmoor.app.report_file import file_actions
from northmoor.app.window import Window
from northmoor.app.worker import RenderJob, Worker
from northmoor.core.checks import preflight
from northmoor.core.document import Document
from northmoor.core.model.data.queries import Query
from northmoor.core.model.findings import Finding
from northmoor.core.model.output_options import OutputOptions
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import load_report
from tests.app.conftest import settle


def test_a_mistake_of_ours_is_reported_and_the_next_edit_works(
    window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    def broken(*_: object) -> None:
        raise ZeroDivisionError("oops")

    with monkeypatch.context() as spoilt, caplog.at_level(logging.CRITICAL):
        spoilt.setattr(worker_module, "preflight", broken)
        with qtbot.waitSignal(window.worker.failed, timeout=10_000) as failed:
            window.pages.set_width("fares-table", "fares", 99_000)
    assert "ZeroDivisionError" in failed.args[0]
    assert "save it" in failed.args[0]
    window.pages.set_width("fares-table", "fares", 98_000)
    settle(window, qtbot)


def test_the_page_that_is_looked_at_is_made_once_unasked(
    window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    """However late the window asks for its pages: before the page is begun, while it is made, or afterwards."""
    made: list[tuple[Document | None, int, float]] = []
    show_page, show_pages = window.worker._show_page, window.worker.show_pages

    def note(index: int, scale: float) -> None:
        made.append((window.worker._document, index, scale))
        show_page(index, scale)

    monkeypatch.setattr(window.worker, "_show_page", note)
    for number, wait in enumerate((0.0, 0.01, 0.2)):
        monkeypatch.setattr(
            window.worker, "show_pages", lambda wanted, wait=wait: (time.sleep(wait), show_pages(wanted))
        )
        window.pages.set_width("fares-table", "fares", 99_000 + number)
        settle(window, qtbot)
        assert any(document is window.shown_document and index == 0 for document, index, _ in made)
    assert len({(id(document), index, scale) for document, index, scale in made}) == len(made)


def test_checking_the_pages_is_stopped_and_they_stay(
    window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    before, began = window.findings.found, threading.Event()

    def endless(document: Document) -> Iterator[Finding]:
        began.set()
        while True:
            time.sleep(0.01)
            document.composition.context.stop.raise_if_cancelled()
        yield

    monkeypatch.setattr(preflight, "RULES", (endless,))
    window.pages.set_width("fares-table", "fares", 99_000)
    qtbot.waitUntil(began.is_set, timeout=10_000)
    with qtbot.waitSignal(window.worker.stopped, timeout=5_000):
        window.actions_by_name["stop"].trigger()
    assert window._notice.text().startswith("Stopped. These pages were not checked")
    assert (window._rendered.job, window.findings.found) == (window._job, before)
    qtbot.waitUntil(lambda: window.pages.canvas.is_idle, timeout=5_000)  # they can be drawn all the same


def test_reading_a_report_is_stopped_and_what_was_open_stays(
    window: Window, copy: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    ends = threading.Event()
    monkeypatch.setattr(file_actions, "read_report_file", lambda _: ends.wait(30))  # a file system that is gone

    def press_stop() -> None:
        dialog = QApplication.activeModalWidget()
        if dialog is None:
            QTimer.singleShot(50, press_stop)
        else:
            qtbot.keyClick(dialog, Qt.Key.Key_Escape)

    QTimer.singleShot(0, press_stop)
    assert not window.open(copy.with_name("punctuality.moor"))
    ends.set()
    assert window._notice.text() == "Stopped."
    assert window.controller.path == copy


def test_a_report_that_is_slow_to_read_is_opened_when_it_is_there(
    window: Window, copy: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    read, seen = file_actions.read_report_file, []
    monkeypatch.setattr(file_actions, "read_report_file", lambda path: time.sleep(1) or read(path))
    QTimer.singleShot(600, lambda: seen.append(QApplication.activeModalWidget()))
    assert window.open(copy)
    assert seen != [None]
    assert QApplication.activeModalWidget() is None


def test_only_the_newest_of_many_renderings_is_shown(copy: Path, qtbot: QtBot) -> None:
    made = Worker()
    rendered: list[object] = []
    made.rendered.connect(lambda result: rendered.append(result.job))
    report, library = load_report(copy), Library.around(copy)
    jobs = [RenderJob(report.but(title=f"Draft {n}"), {}, None, library) for n in range(12)]
    for job in jobs:
        made.render(job)
    qtbot.waitUntil(lambda: bool(rendered) and rendered[-1] is jobs[-1], timeout=20_000)
    assert len(rendered) < len(jobs)
    made.close()


def test_a_new_run_of_a_query_replaces_one_that_never_ends(copy: Path, qtbot: QtBot) -> None:
    made, library = Worker(), Library.around(copy)
    endless = "with recursive n(i) as (select 1 union all select i + 1 from n) select count(*) as n from n"
    queries = [
        Query(name="long", connection="tarrow", sql=endless),
        Query(name="short", connection="tarrow", sql="select 1 as one"),
    ]
    loaded, failed = load_report(copy), []
    report = loaded.but(queries=(*loaded.queries, *queries))
    made.rows_failed.connect(failed.append)
    made.fetch_rows(RenderJob(report, {}, None, library), "long")
    qtbot.waitUntil(lambda: made.is_busy)
    with qtbot.waitSignal(made.rows_fetched, timeout=5_000) as fetched:
        made.fetch_rows(RenderJob(report, {}, None, library), "short")
    assert (fetched.args[0].query, failed) == ("short", [])
    made.close()


def test_pages_are_drawn_in_the_order_they_are_wanted(copy: Path, qtbot: QtBot) -> None:
    made = Worker()
    with qtbot.waitSignal(made.rendered, timeout=20_000):
        made.render(RenderJob(load_report(copy), {}, None, Library.around(copy)))
    seen: list[int] = []
    made.page_shown.connect(lambda shown: seen.append(shown.index))
    made.show_pages([(2, 1.0), (0, 1.0), (1, 1.0)])
    qtbot.waitUntil(lambda: len(seen) == 3, timeout=10_000)
    assert seen == [2, 0, 1]
    made.show_pages([(99, 1.0), (1, 1.0)])  # a page that is no longer there is passed over
    qtbot.waitUntil(lambda: len(seen) == 4, timeout=10_000)
    made.close()


def test_pages_are_shown_after_an_export_was_stopped(demo: Path, qtbot: QtBot, tmp_path: Path) -> None:
    """A page with charts asks whether to stop while it is drawn: the export's stop is none of its own."""
    made, path = Worker(), demo / "reports" / "punctuality.moor"
    with qtbot.waitSignal(made.rendered, timeout=20_000) as rendered:
        made.render(RenderJob(load_report(path), {}, None, Library.around(path)))
    document = rendered.args[0].document
    made.progress.connect(
        lambda said: made.stop() if said.startswith("Page") else None, Qt.ConnectionType.DirectConnection
    )
    with qtbot.waitSignal(made.delivery_failed, timeout=20_000) as message:
        made.deliver(document, Delivery((tmp_path / "out.pdf",), None, OutputOptions()).write)
    assert message.args == ["Stopped. What was under way is not there."]
    assert not list(tmp_path.iterdir())
    with qtbot.waitSignal(made.page_shown, timeout=20_000) as shown:
        made.show_pages([(0, 1.0)])
    assert shown.args[0].document is document
    made.close()


def test_fetching_again_sees_what_has_changed(window: Window, copy: Path, qtbot: QtBot, tmp_path: Path) -> None:
    import shutil
    import sqlite3

    data = copy.parents[1] / "data"
    real = data.resolve()
    data.unlink()
    shutil.copytree(real, data)
    window.show_report(refresh=True)
    settle(window, qtbot)
    before = window._rendered.document.row_count
    connection = sqlite3.connect(data / "tarrow.sqlite")
    connection.execute("delete from bookings where sailing_id in (select sailing_id from sailings where route_id = 9)")
    connection.commit()
    connection.close()
    window.pages.set_width("fares-table", "fares", 97_000)
    settle(window, qtbot)
    assert window._rendered.document.row_count == before
    window.actions_by_name["refresh"].trigger()
    settle(window, qtbot)
    assert window._rendered.document.row_count == before - 5
