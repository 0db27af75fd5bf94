"""A driver whose server may not answer: it is asked in a thread of its own, which is left behind where it goes on for
long after work is stopped. A server's names, its first words and its answers are all waited for in C, where nothing but
the server ends the wait."""

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import datetime
from functools import partial
from queue import Empty, SimpleQueue
from threading import Thread
from typing import Any, TypeVar

import pyarrow as pa

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.errors import Cancelled
from northmoor.core.sources.drivers.catalog import Catalog
from northmoor.core.sources.drivers.protocol import Driver, QueryRequest, ResultStream

_GRACE = 1.0
"""Seconds in which what is stopped may end by itself, and leave the server in order."""
_LOOK_EVERY = 0.1
_T = TypeVar("_T")


class _OwnThread:
    """A thread that does one thing after another."""

    def __init__(self, stop: CancelToken) -> None:
        self._stop, self._is_left = stop, False
        self._tasks: SimpleQueue[Callable[[], Any] | None] = SimpleQueue()
        self._answers: SimpleQueue[tuple[Any, BaseException | None]] = SimpleQueue()
        Thread(target=self._work, daemon=True).start()

    def _work(self) -> None:
        while (task := self._tasks.get()) is not None:
            try:
                self._answers.put((task(), None))
            except BaseException as error:  # noqa: BLE001  # it is raised where the task was given
                self._answers.put((None, error))

    def call(self, task: Callable[[], _T]) -> _T:
        """What a task gives. Raises what it raises, and Cancelled where it goes on after work is stopped: then it, and
        all tasks given later, are done when the thread comes to them."""
        self._tasks.put(task)
        if self._is_left:
            raise Cancelled
        stopped: float | None = None
        while True:
            try:
                found, error = self._answers.get(timeout=_LOOK_EVERY)
            except Empty:
                if self._stop.is_cancelled():
                    stopped = time.monotonic() if stopped is None else stopped
                    self._is_left = time.monotonic() - stopped > _GRACE
                if self._is_left:
                    raise Cancelled from None
                continue
            if error is not None:
                raise error
            return found  # type: ignore[no-any-return]  # it is of the task given last

    def end(self) -> None:
        """Do nothing after what has been given."""
        self._tasks.put(None)


@contextmanager
def _own_thread(stop: CancelToken) -> Iterator[_OwnThread]:
    stop.raise_if_cancelled()
    thread = _OwnThread(stop)
    try:
        yield thread
    finally:
        thread.end()


class OwnThreadDriver:
    """Asks another driver in threads of their own."""

    def __init__(self, driver: Driver) -> None:
        self._driver = driver
        self.dialect = driver.dialect

    @property
    def identity(self) -> str:
        """As whom its queries run."""
        return self._driver.identity

    def data_time(self) -> datetime:
        """The moment its data are as of."""
        return self._driver.data_time()

    def catalog(self, stop: CancelToken, counted: bool = True) -> Catalog:
        """What it holds."""
        with _own_thread(stop) as thread:
            return thread.call(lambda: self._driver.catalog(stop, counted))

    def check(self, request: QueryRequest) -> None:
        """Ask whether it would run a query."""
        with _own_thread(request.stop) as thread:
            thread.call(lambda: self._driver.check(request))

    @contextmanager
    def open_stream(self, request: QueryRequest) -> Iterator[ResultStream]:
        """Run a query."""
        running = self._driver.open_stream(request)
        with _own_thread(request.stop) as thread:
            stream = thread.call(running.__enter__)
            try:
                yield replace(stream, batches=_batches(thread, stream.batches))
            except BaseException as error:
                thread.call(partial(running.__exit__, type(error), error, error.__traceback__))
                raise
            thread.call(partial(running.__exit__, None, None, None))


def _batches(thread: _OwnThread, batches: Iterator[list[pa.Array]]) -> Iterator[list[pa.Array]]:
    while (batch := thread.call(lambda: next(batches, None))) is not None:
        yield batch
