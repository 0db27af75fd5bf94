"""What others see of a library's service: whether it lives, since when, what comes next and what is wrong."""

import json
from contextlib import suppress
from datetime import datetime
from pathlib import Path
from typing import Any

from msgspec import Struct, field

from northmoor.core.base.atomic_write import cannot_write
from northmoor.core.base.file_lock import FileLock, is_locked
from northmoor.core.delivery.archive.archive import ARCHIVE_FOLDER
from northmoor.core.errors import OutputError

_LOCK, _STATE = "service.lock", "service.json"


class ServiceState(Struct, frozen=True):
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
            self._lock = FileLock(folder / _LOCK)
        except BlockingIOError as error:
            raise OutputError("The library's service is running already; stop that one first.") from error
        except OSError as error:
            raise OutputError(cannot_write(folder, error)) from error

    def release(self) -> None:
        """Let go of it."""
        self._lock.release()


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
    if not is_locked(folder / _LOCK):
        return ServiceState(is_running=False)
    try:
        found = json.loads((folder / _STATE).read_text(encoding="utf-8"))
        times = {name: datetime.fromisoformat(text) for name, text in found["next"].items()}
        return ServiceState(
            True, datetime.fromisoformat(found["started"]), found["pid"], times, found["faults"], found["note"]
        )
    except (OSError, ValueError, KeyError, TypeError):
        return ServiceState(is_running=True)
