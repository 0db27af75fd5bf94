"""Watches a folder for files that arrive or change, and are complete: nobody has written to them for a while."""

import threading
import time
from collections.abc import Mapping
from contextlib import suppress
from fnmatch import fnmatch
from pathlib import Path
from typing import Any

from watchdog.events import FileSystemEvent, FileSystemEventHandler
from watchdog.observers import Observer

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.phrases import phrase
from northmoor.core.delivery.orders.triggers import FileArrives
from northmoor.core.delivery.service.occasion import Occasion
from northmoor.core.errors import ConnectionFault

_EVERY = 30.0
"""Seconds between looks where nothing is heard of the folder, as from some network drives."""
_SOON = 1.0


class FileWatch(FileSystemEventHandler):
    """Finds files that are new or different since the last look; the first look only notes what is there."""

    def __init__(self, root: Path, when: FileArrives) -> None:
        super().__init__()
        self._folder, self._when = (root / Path(when.folder).expanduser()).resolve(), when
        self._is_stirred = threading.Event()
        self._observer: Any = None
        self._is_unsettled = False

    @property
    def every_seconds(self) -> float:
        """Soon after the folder has changed."""
        return _SOON if self._is_stirred.is_set() or self._is_unsettled else min(_EVERY, 2.0)

    def on_any_event(self, event: FileSystemEvent) -> None:  # noqa: ARG002  # the library's
        """Something has happened in the folder."""
        self._is_stirred.set()

    def look(self, seen: Any, stop: CancelToken) -> tuple[Any, list[Occasion]]:  # noqa: ARG002
        """The files with their times and sizes, and those that ask for a run."""
        if not self._folder.is_dir():
            raise ConnectionFault(f"There is no folder {self._folder} to watch; make it, or mount what it is on.")
        self._listen()
        self._is_stirred.clear()
        now, unsettled = self._files(seen or {})
        self._is_unsettled = unsettled
        if seen is None:
            return now, []
        found = []
        for name, stamp in now.items():
            before = seen.get(name)
            kind = "arrives" if before is None else "changes"
            is_wanted = before != stamp and self._when.on in ("both", kind)
            if is_wanted:
                because = phrase(f"{name} arrived") if before is None else phrase(f"{name} changed")
                given = {"path": str(self._folder / name), "name": name}
                found.append(Occasion(f"{name} {stamp[0]} {stamp[1]}", given, because))
        return now, found

    def _files(self, seen: Mapping[str, list[int]]) -> tuple[dict[str, list[int]], bool]:
        """The files that are complete, by name; those that are not stay as they were seen; whether there are any."""
        found: dict[str, list[int]] = {}
        is_unsettled = False
        for path in sorted(self._folder.iterdir()):
            if path.name.startswith(".") or not fnmatch(path.name, self._when.pattern):
                continue
            with suppress(OSError):  # it has gone again
                stat = path.stat()
                stamp = [stat.st_mtime_ns, stat.st_size]
                if not path.is_file():
                    continue
                is_settled = time.time() - max(stat.st_mtime, stat.st_ctime) >= self._when.settled_seconds
                if is_settled or seen.get(path.name) == stamp:
                    found[path.name] = stamp
                else:
                    is_unsettled = True
                    if path.name in seen:
                        found[path.name] = seen[path.name]
        return found, is_unsettled

    def _listen(self) -> None:
        if self._observer is None:
            with suppress(OSError):  # no more watches: the folder is looked at all the same
                observer = Observer()
                observer.schedule(self, str(self._folder))
                observer.start()
                self._observer = observer

    def close(self) -> None:
        """Stop listening."""
        if self._observer is not None:
            self._observer.stop()
            self._observer = None
