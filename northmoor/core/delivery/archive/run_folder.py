"""A run while it is made, and how it is put in its place: in one step, so that there is never half a run.

A run is made in a folder of its own beside the archive's, which its maker holds locked. So whoever looks can tell a run
that is being made from one whose maker was ended, at any moment and on any machine that shares the folder.
"""

import hashlib
import json
import os
import re
import shutil
from collections.abc import Iterator
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path
from secrets import token_hex
from typing import Any

from msgspec import Struct

from northmoor.core.base.atomic_write import cannot_write, write_atomically
from northmoor.core.base.file_lock import FileLock, is_locked
from northmoor.core.delivery.archive.run_record import RUN_FILE, RUN_VERSION, HandedOver, RunRecord
from northmoor.core.errors import NorthmoorError, OutputError
from northmoor.core.model.serialization import part_text
from northmoor.core.store.report_files import load_part

MAKING = ".making"
"""The folder of runs that are being made."""
FILES = "files"
"""The folder of a run's outputs."""
MAKING_FILE, PROGRESS_FILE, STOP_FILE = "making.json", "progress.json", "stop"
"""What says which run is being made, how far it is, and, if it is there, that it is to be stopped."""
_LOCK = "lock"
_HANDED = re.compile(r"handed-over-(\d+)\.json")
_MANY_FILES = 50
"""Files up to which each is written through by itself."""


def new_run_id(started: datetime) -> str:
    """A name for a run, in order of time."""
    return f"{started.astimezone(UTC):%Y%m%d-%H%M%S}-{token_hex(4)}"


class RunFolder:
    """The folder of a run that is being made, which is locked until it is closed."""

    def __init__(self, root: Path, run_id: str) -> None:
        """Make the folder, or take one whose maker was ended. Raises OutputError where that cannot be done."""
        self.path = root / MAKING / run_id
        try:
            (self.path / FILES).mkdir(parents=True, exist_ok=True)
            self._lock = FileLock(self.path / _LOCK)
        except BlockingIOError as error:
            raise OutputError(f"The run {run_id} is being made by another process; wait for it.") from error
        except OSError as error:
            raise OutputError(cannot_write(root, error)) from error

    @property
    def files(self) -> Path:
        """Where its outputs are."""
        return self.path / FILES

    def note(self, **entries: object) -> None:
        """Say what is being made, for whoever looks."""
        text = json.dumps(entries, ensure_ascii=False)
        write_atomically(self.path / MAKING_FILE, lambda part: part.write_text(text, encoding="utf-8"))

    def progress(self, text: str, done: int, of: int) -> None:
        """Say how far it is, for whoever looks; on a full disk nobody learns it, and what is made says why it fails."""
        part = self.path / ".progress.part"
        with suppress(OSError):
            part.write_text(json.dumps({"text": text, "done": done, "of": of}), encoding="utf-8")
            part.replace(self.path / PROGRESS_FILE)

    def finish(self, record: RunRecord, place: Path) -> None:
        """Put the run in its place, whole. Raises OutputError."""
        text = part_text(record, "northmoor_run", RUN_VERSION)
        try:
            (self.path / RUN_FILE).write_text(text, encoding="utf-8")
            for name in (MAKING_FILE, PROGRESS_FILE, STOP_FILE, _LOCK):
                (self.path / name).unlink(missing_ok=True)
            _written_through(self.path)
            place.parent.mkdir(parents=True, exist_ok=True)
            self.path.rename(place)
            _sync(place.parent)
        except OSError as error:
            raise OutputError(cannot_write(place.parent, error)) from error
        finally:
            self.close()

    def remove(self) -> None:
        """Remove it with all that is in it."""
        shutil.rmtree(self.path, ignore_errors=True)
        self.close()

    def close(self) -> None:
        """Let go of it."""
        self._lock.release()


class RunUnderWay(Struct, frozen=True):
    """A run that is being made, or whose maker was ended."""

    id: str
    report: str
    order: str
    because: str
    started: datetime
    is_held: bool
    text: str = ""
    done: int = 0
    of: int = 0


def runs_under_way(root: Path) -> list[RunUnderWay]:
    """The runs that are being made, as far as they say so."""
    found = []
    for path, is_held in making(root):
        with suppress(OSError, ValueError, KeyError, TypeError):
            about = json.loads((path / MAKING_FILE).read_text(encoding="utf-8"))
            progress: dict[str, Any] = {}
            with suppress(OSError, ValueError):
                progress = json.loads((path / PROGRESS_FILE).read_text(encoding="utf-8"))
            found.append(
                RunUnderWay(
                    path.name,
                    about["report"],
                    about["order"] or "",
                    about["because"],
                    datetime.fromisoformat(about["started"]),
                    is_held,
                    progress.get("text", ""),
                    progress.get("done", 0),
                    progress.get("of", 0),
                )
            )
    return found


def ask_to_stop(root: Path, run_id: str) -> bool:
    """Ask whoever makes a run to stop it; whether it is being made."""
    folder = root / MAKING / run_id
    if not folder.is_dir():
        return False
    (folder / STOP_FILE).touch()
    return True


def making(root: Path) -> Iterator[tuple[Path, bool]]:
    """The folders of runs that are being made, and whether the maker of each is still there."""
    folder = root / MAKING
    for path in sorted(folder.iterdir()) if folder.is_dir() else ():
        yield path, is_locked(path / _LOCK)


def read_run(folder: Path) -> RunRecord:
    """What is kept of a run. Raises ReportFileError."""
    return load_part(folder / RUN_FILE, RunRecord, "northmoor_run", RUN_VERSION, "a run")


def handed_over(folder: Path) -> list[HandedOver]:
    """Where a run went, in the order of time; what cannot be read is passed over."""
    found = []
    for path in sorted(folder.glob("handed-over-*.json")):
        with suppress(NorthmoorError):
            found.append(load_part(path, HandedOver, "northmoor_handed_over", 1, "a note of where a run went"))
    return sorted(found, key=lambda each: each.at)


def add_handed_over(folder: Path, handed: HandedOver) -> None:
    """Note where a run went, beside what is there. Raises ReportFileError."""
    taken = [int(match[1]) for path in folder.iterdir() if (match := _HANDED.fullmatch(path.name))]
    path = folder / f"handed-over-{max(taken, default=0) + 1:03}.json"
    text = part_text(handed, "northmoor_handed_over", 1)
    write_atomically(path, lambda part: part.write_text(text, encoding="utf-8"))


def digest(path: Path) -> str:
    """The SHA-256 of a file's bytes."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _written_through(folder: Path) -> None:
    """See that all of a folder is on the disk."""
    paths = [path for path in folder.rglob("*") if path.is_file()]
    if len(paths) > _MANY_FILES:
        os.sync()
        return
    for path in paths:
        _sync(path)
    for path in (folder / FILES, folder):
        _sync(path)


def _sync(path: Path) -> None:
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
