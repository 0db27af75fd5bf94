"""Two windows on one report: the second goes to the first, reads only, or takes a copy; none harms the other."""

import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QMessageBox
from pytestqt.qtbot import QtBot

from northmoor.app.report_file import recovery_prompt
from northmoor.app.report_file.report_lock import Holder, ReportLock, ask_to_come_forward
from northmoor.app.window import Window
from northmoor.core.base.atomic_write import write_atomically
from northmoor.core.store.recovery_copies import recovery_path
from northmoor.core.store.report_files import load_report
from tests.app.conftest import settle
from tests.app.test_changed_elsewhere import answering

HOLDING = """
import sys
from pathlib import Path
from northmoor.app.report_file.report_lock import ReportLock
lock = ReportLock()
print(lock.take(Path(sys.argv[1])) or "held", flush=True)
sys.stdin.readline()
"""


@pytest.fixture
def second(window: Window, new_window: Callable[[], Window], qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> Window:
    """Another window, while the first has unsaved changes and a recovery copy."""
    monkeypatch.setattr(recovery_prompt, "PAUSE", 0)
    window.files.recovery._timer.setInterval(0)
    window.pages.set_width("fares-table", "fares", 99_000)
    path = window.controller.path
    assert path is not None
    qtbot.waitUntil(recovery_path(path).is_file)
    return new_window()


def test_a_second_window_goes_to_the_first(window: Window, second: Window, copy: Path, qtbot: QtBot) -> None:
    window.showMinimized()
    with answering("Go there") as shown:
        assert not second.open(copy)
    assert shown == [f"{copy.name} is open in another window."]
    assert second.controller.report is None
    qtbot.waitUntil(lambda: not window.isMinimized(), timeout=5_000)
    assert recovery_path(copy).is_file()


def test_a_second_window_reads_only_and_follows_what_is_saved(
    window: Window, second: Window, copy: Path, qtbot: QtBot
) -> None:
    with answering("Read only"):
        assert second.open(copy)
    settle(second, qtbot)
    assert "(read only)" in second.windowTitle()
    assert not second.controller.edit("Mine", lambda r, _: r.but(title="Mine"))
    assert "can only be read" in second._notice.toolTip()
    assert not second.files.save()
    assert second.close()
    assert recovery_path(copy).is_file()  # the first one's
    with answering("Read only"):
        second.show()
        assert second.open(copy)
    window.controller.edit("Theirs", lambda r, _: r.but(title="Theirs"))
    assert window.files.save()
    qtbot.waitUntil(lambda: second.controller.report.title == "Theirs", timeout=5_000)


def test_a_second_window_takes_a_copy_and_both_are_saved(window: Window, second: Window, copy: Path) -> None:
    with answering("Open a copy"):
        assert second.open(copy)
    path = second.controller.path
    assert path == copy.with_name(f"{copy.stem}-copy.moor")
    second.controller.edit("Mine", lambda r, _: r.but(title="Mine"))
    assert second.files.save()
    assert window.files.save()
    assert (load_report(path).title, load_report(copy).title) == ("Mine", "Fares by route and month")
    assert not second.files.save_to(copy)
    assert "is open in another window" in second._notice.toolTip()
    assert second.controller.path == path


def test_what_stays_open_keeps_its_copy_where_no_other_report_is_opened(
    window: Window, second: Window, copy: Path, demo: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Its changes may be let go, but it is not left: the other one is open elsewhere, or cannot be read."""
    other = copy.with_name("other.moor")
    other.write_bytes((demo / "reports" / "cost-centres.moor").read_bytes())
    assert second.open(other)
    discard = QMessageBox.StandardButton.Discard
    monkeypatch.setattr(QMessageBox, "question", lambda *_: discard)
    with answering("Cancel"):
        assert not window.open(other)
    broken = copy.with_name("broken.moor")
    broken.write_text("{")
    assert not window.open(broken)
    assert window.controller.path == copy
    assert recovery_path(copy).is_file()
    assert second.close()
    assert window.open(other)
    assert not recovery_path(copy).exists()


def test_cancelling_leaves_both_as_they_are(window: Window, second: Window, copy: Path) -> None:
    with answering("Cancel"):
        assert not second.open(copy)
    assert second.controller.report is None
    assert recovery_path(copy).is_file()
    window.controller._saved_at = window.controller._at
    window.close()
    assert second.open(copy)  # it is free now


def test_a_lock_is_held_by_a_living_process_only_and_a_stranger_holds_none(tmp_path: Path) -> None:
    report = tmp_path / "x.moor"
    report.write_text("{}")
    environment = os.environ | {"PYTHONPATH": str(Path(__file__).parents[2])}
    pipes = {"stdin": subprocess.PIPE, "stdout": subprocess.PIPE, "text": True}
    lock = ReportLock()
    with subprocess.Popen([sys.executable, "-c", HOLDING, str(report)], env=environment, **pipes) as other:  # type: ignore[call-overload]
        assert other.stdout.readline() == "held\n"
        holder = lock.take(report)
        assert holder is not None
        assert (holder.process, holder.machine) == (other.pid, "")
        assert not ask_to_come_forward(holder, report)  # it has no window
        other.kill()
    assert lock.take(report) is None
    lock.release()
    assert str(Holder(1, "quayside")) == "on quayside"
    assert not (tmp_path / ".x.moor.lock").exists()


def test_what_can_only_be_read_is_reported_on_opening(
    window: Window, copy: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert window.close()
    may = os.access
    monkeypatch.setattr(os, "access", lambda path, mode: mode != os.W_OK and may(path, mode))  # root may write all
    window.show()
    assert window.open(copy)
    assert "can only be read" in window._notice.toolTip()
    assert "(read only)" in window.windowTitle()
    assert window.files.save_to(copy.with_name("mine.moor"))
    assert window.controller.edit("Mine", lambda r, _: r.but(title="Mine"))


def test_what_an_ended_program_left_unfinished_is_cleared(tmp_path: Path) -> None:
    old, new = tmp_path / ".x.moor.abc.part", tmp_path / ".x.moor.def.part"
    other = tmp_path / ".y.moor.abc.part"
    for part in (old, new, other):
        part.write_text("half")
    os.utime(old, (0, 0))
    write_atomically(tmp_path / "x.moor", lambda part: part.write_text("whole"))
    assert sorted(path.name for path in tmp_path.iterdir()) == [".x.moor.def.part", ".y.moor.abc.part", "x.moor"]
