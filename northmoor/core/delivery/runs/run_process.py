"""Runs in processes of their own: started, watched, stopped, and ended when they take too long."""

import json
import os
import subprocess
import sys
import threading
from collections.abc import Callable
from contextlib import suppress
from datetime import UTC, datetime

from msgspec import Struct

from northmoor.core.delivery.archive.archive import Archive
from northmoor.core.delivery.archive.run_folder import RunFolder
from northmoor.core.delivery.archive.run_record import RunRecord, RunState
from northmoor.core.delivery.runs.make_run import late_reason
from northmoor.core.delivery.runs.run_request import RunRequest
from northmoor.core.errors import NorthmoorError, OutputError

_PATIENCE = 10
"""Seconds that a run has to stop by itself."""


class RunProgress(Struct, frozen=True):
    """How far a run is: what is being done, and of how many records how many are done, if it is a bundle."""

    text: str
    done: int = 0
    of: int = 0


class RunProcess:
    """A process that makes a run; it begins at once."""

    def __init__(self, request: RunRequest) -> None:
        self.request = request
        environment = dict(os.environ) | {"PYTHONPATH": os.pathsep.join(filter(None, sys.path))}
        self._process = subprocess.Popen(
            [sys.executable, "-m", "northmoor.core.delivery.runs.run_child"],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, env=environment, text=True,
        )  # fmt: skip
        self._is_late = False
        self._send(request.model_dump_json())

    def _send(self, line: str) -> None:
        assert self._process.stdin is not None
        with suppress(OSError):  # it has ended, which is seen where its answers are read
            self._process.stdin.write(line + "\n")
            self._process.stdin.flush()

    def stop(self, line: str = "stop") -> None:
        """Ask it to stop, and end it if it does not."""
        self._send(line)
        timer = threading.Timer(_PATIENCE, self._process.kill)
        timer.daemon = True
        timer.start()

    def kill(self) -> None:
        """End it, whatever it does."""
        self._process.kill()

    def wait(self, report_progress: Callable[[RunProgress], None] = lambda _: None) -> str:
        """Wait until it has ended; the name of the run that it made.

        Raises OutputError where it made none: its archive cannot be written, or it was ended.
        """
        timer = threading.Timer(self.request.seconds, self._end_late)
        timer.daemon = True
        timer.start()
        found: dict[str, str] = {}
        try:
            assert self._process.stdout is not None
            for line in self._process.stdout:
                message = json.loads(line)
                if "progress" in message:
                    report_progress(RunProgress(message["progress"], message["done"], message["of"]))
                else:
                    found = message
        finally:
            timer.cancel()
            self._close()
        if "run" in found:
            return found["run"]
        raise OutputError(found.get("fault") or self._why())

    def _why(self) -> str:
        if self._is_late:
            return late_reason(self.request)
        return "Its process ended before it was done: it was ended from outside, or had no memory left."

    def _end_late(self) -> None:
        self._is_late = True
        self.stop("late")

    def _close(self) -> None:
        for pipe in (self._process.stdin, self._process.stdout):
            if pipe is not None:
                with suppress(OSError):
                    pipe.close()
        self._process.wait()


def keep_ended(archive: Archive, request: RunRequest, reason: str, state: RunState = "failed") -> RunRecord:
    """Note a run whose process ended before it could say anything. Raises OutputError."""
    folder = RunFolder(archive.root, request.run_id)
    for path in folder.files.iterdir():
        path.unlink()
    now = datetime.now(UTC)
    record = RunRecord(
        id=request.run_id, key=request.key, report=request.report, title=request.report, report_sha256="",
        asked_by=request.asked_by, order=request.order, because=request.because, started=now, ended=now,
        state=state, reason=reason,
    )  # fmt: skip
    archive.keep(folder, record)
    return record


def make_in_process(
    archive: Archive, request: RunRequest, report_progress: Callable[[RunProgress], None] = lambda _: None
) -> RunRecord:
    """Make a run in a process of its own; one that ended is noted as failed.

    Raises OutputError where the archive cannot be written.
    """
    process = RunProcess(request)
    try:
        run_id = process.wait(report_progress)
    except NorthmoorError as error:
        return keep_ended(archive, request, error.message)
    except BaseException:
        process.kill()
        raise
    return archive.record(archive.run(run_id))
