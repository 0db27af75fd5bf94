"""Child processes that read strangers' files and run queries over them, started once and used again.

A child has limits of memory and time, none of this process's secrets, and is ended where work is stopped: no step of it
is waited for. What it says comes as JSON and Arrow's IPC format, never as objects that would be made by running code.
"""

import atexit
import json
import os
import pickle
import subprocess
import sys
import threading
from collections.abc import Generator, Iterator, Mapping
from contextlib import suppress
from typing import Any

from northmoor.core.base.apart.task import Result, Task
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import ConnectionFault, EngineRefusal, LayoutError, NorthmoorError, QueryError

SIZES = 16
"""Bytes before each answer: the lengths of its JSON and of its Arrow stream, eight each."""
_KEPT = 2
_LONGEST_HEADER = 64 * 1024 * 1024
_PASSED_ON = ("PATH", "HOME", "LANG", "LC_ALL", "TZ", "TMPDIR")
_OWN_ERRORS = {error.__name__: error for error in (QueryError, ConnectionFault, EngineRefusal, LayoutError)}


class ReaderProcess:
    """A child process, which loads some modules as soon as it has started."""

    def __init__(self, modules: tuple[str, ...] = ()) -> None:
        environment = {name: os.environ[name] for name in _PASSED_ON if name in os.environ}
        environment |= {"PYTHONPATH": os.pathsep.join(filter(None, sys.path)), "ARROW_DEFAULT_MEMORY_POOL": "system"}
        self._process = subprocess.Popen(
            [sys.executable, "-m", "northmoor.core.base.apart.child", *modules],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, env=environment,
        )  # fmt: skip

    @property
    def is_alive(self) -> bool:
        """Whether it can be asked."""
        return self._process.poll() is None

    def ask(self, task: Task, arguments: tuple[Any, ...]) -> Iterator[Result]:
        """Its answers to a task, one after another. Raises EOFError where it ends meanwhile, and what it raises."""
        assert self._process.stdin is not None
        try:
            pickle.dump((task.module, task.name, arguments), self._process.stdin, pickle.HIGHEST_PROTOCOL)
            self._process.stdin.flush()
        except OSError as error:
            raise EOFError from error
        while (answer := self._answer()) is not None:
            yield answer

    def _answer(self) -> Result | None:
        sizes = self._read(SIZES)
        header, arrow = int.from_bytes(sizes[:8], "big"), int.from_bytes(sizes[8:], "big")
        if header > _LONGEST_HEADER:
            raise EOFError
        found = json.loads(self._read(header))
        rows = self._read(arrow)
        if "done" in found:
            return None
        if "error" in found:
            raise _error_of(found)
        if not rows:
            return Result(found)
        import pyarrow as pa  # loaded where there are rows

        table = pa.ipc.open_stream(pa.py_buffer(rows)).read_all()
        table.validate()
        return Result(found, table)

    def _read(self, count: int) -> bytes:
        assert self._process.stdout is not None
        data = self._process.stdout.read(count) if count else b""
        if len(data) < count:
            raise EOFError
        return data

    def end(self) -> None:
        """End it, whatever it does."""
        self._process.kill()

    def close(self) -> None:
        """End it and free what it holds."""
        self.end()
        for pipe in (self._process.stdin, self._process.stdout):
            if pipe is not None:
                with suppress(OSError):  # what was to be written is of no use any more
                    pipe.close()
        self._process.wait()


def _error_of(found: Mapping[str, Any]) -> NorthmoorError:
    message = str(found.get("message", ""))
    kind = _OWN_ERRORS.get(str(found["error"]))
    return kind(message) if kind is not None else QueryError(f"It could not be read ({message}).")


class _Pool:
    """Children that are idle."""

    def __init__(self) -> None:
        self._idle: list[ReaderProcess] = []
        self._lock = threading.Lock()

    def take(self) -> ReaderProcess:
        """An idle child, or a new one."""
        with self._lock:
            while self._idle:
                child = self._idle.pop()
                if child.is_alive:
                    return child
                child.close()
        return ReaderProcess()

    def warm(self, modules: tuple[str, ...]) -> None:
        """See that a child is there or on its way; a new one loads some modules."""
        with self._lock:
            if not self._idle:
                self._idle.append(ReaderProcess(modules))

    def give_back(self, child: ReaderProcess) -> None:
        """Keep a child that has done what it was asked for."""
        with self._lock:
            if len(self._idle) < _KEPT:
                self._idle.append(child)
                return
        child.close()

    def close(self) -> None:
        """End all of them."""
        with self._lock:
            while self._idle:
                self._idle.pop().close()


_pool = _Pool()
atexit.register(_pool.close)


def warm_up(*modules: str) -> None:
    """Let a child start and load modules, which takes most of a second, while other work goes on."""
    _pool.warm(modules)


def ask_apart(
    task: Task, arguments: tuple[Any, ...], stop: CancelToken, what: str, seconds: float | None = None
) -> Generator[Result, None, None]:
    """What comes of a task that a child is given.

    Raises what the task raises, Cancelled at once when work is stopped, and QueryError, which names
    `what`, where the child ends by itself or takes longer than so many seconds.
    """
    stop.raise_if_cancelled()
    child, is_done = _pool.take(), False
    is_late = threading.Event()

    def end_late() -> None:
        is_late.set()
        child.end()

    timer = threading.Timer(seconds, end_late) if seconds is not None else None
    if timer is not None:
        timer.daemon = True
        timer.start()
    try:
        with stop.on_cancel(child.end):
            yield from child.ask(task, arguments)
            is_done = True
    except NorthmoorError:
        is_done = not stop.is_cancelled()
        raise
    except EOFError:
        stop.raise_if_cancelled()
        raise QueryError(_ended(what, seconds if is_late.is_set() else None)) from None
    finally:
        if timer is not None:
            timer.cancel()
        if is_done and not is_late.is_set():
            _pool.give_back(child)
        else:
            child.close()


def _ended(what: str, seconds: float | None) -> str:
    if seconds is not None:
        return f"{what} takes longer than {seconds:.0f} seconds to read, and was given up. Make it smaller, or part it."
    return f"{what} could not be read: its reader ran out of memory or ended. Save it again with less in it."
