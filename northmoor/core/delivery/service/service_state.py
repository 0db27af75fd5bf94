"""What others see of a library's service: whether it lives, since when, what comes next and what is wrong."""

import fcntl
import json
import os
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Any

from northmoor.core.delivery.archive.archive import ARCHIVE_FOLDER
from northmoor.core.errors import OutputError

_LOCK, _STATE = "service.lock", "service.json"


@dataclass(frozen=True)
class ServiceState:
    """What is known of a service. `faults` says of orders what is wrong with them."""

    is_running: bool
    started: datetime | None = None
    pid: int = 0
    next_times: dict[str, datetime] = field(default_factory=dict)
    faults: dict[str, str] = field(default_factory=dict)
    note: str = ""


class ServiceLock:
    """Held by the one service of a library as long as it lives."""

    def __init__(self, root: Path) -> None:
        """Take it. Raises OutputError where another service has it."""
        folder = root / ARCHIVE_FOLDER
        try:
            folder.mkdir(parents=True, exist_ok=True)
            self._handle = os.open(folder / _LOCK, os.O_RDWR | os.O_CREAT, 0o644)
        except OSError as error:
            raise OutputError(f"The archive {folder} cannot be written: {error.strerror}.") from error
        try:
            fcntl.flock(self._handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            os.close(self._handle)
            raise OutputError("The library's service is running already; stop that one first.") from error

    def release(self) -> None:
        """Let go of it."""
        os.close(self._handle)


def write_state(root: Path, state: ServiceState) -> None:
    """Say how the service is."""
    entries: dict[str, Any] = {
        "northmoor_service": 1,
        "pid": state.pid,
        "started": state.started.isoformat() if state.started else None,
        "next": {name: moment.isoformat() for name, moment in state.next_times.items()},
        "faults": state.faults,
        "note": state.note,
    }
    path = root / ARCHIVE_FOLDER / _STATE
    part = path.with_name(f".{_STATE}.part")
    with suppress(OSError):  # a full disk: the window sees an older state, and the runs say what is wrong
        part.write_text(json.dumps(entries, ensure_ascii=False, indent=1) + "\n", encoding="utf-8")
        part.replace(path)


def read_state(root: Path) -> ServiceState:
    """How a library's service is."""
    folder = root / ARCHIVE_FOLDER
    if not _is_locked(folder / _LOCK):
        return ServiceState(is_running=False)
    try:
        found = json.loads((folder / _STATE).read_text(encoding="utf-8"))
        times = {name: datetime.fromisoformat(text) for name, text in found["next"].items()}
        return ServiceState(
            True, datetime.fromisoformat(found["started"]), found["pid"], times, found["faults"], found["note"]
        )
    except (OSError, ValueError, KeyError, TypeError):
        return ServiceState(is_running=True)


def _is_locked(path: Path) -> bool:
    try:
        handle = os.open(path, os.O_RDWR)
    except OSError:
        return False
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return True
    finally:
        os.close(handle)
    return False
