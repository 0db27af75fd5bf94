"""A token by which long work is stopped."""

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from northmoor.core.errors import Cancelled


class CancelToken:
    """Set from any thread; work looks at it between steps and registers how to interrupt a running one."""

    def __init__(self) -> None:
        self._event = threading.Event()
        self._interrupts: list[Callable[[], None]] = []
        self._lock = threading.Lock()

    def cancel(self) -> None:
        """Ask the work to stop, interrupting the step that runs now."""
        with self._lock:
            self._event.set()
            for interrupt in self._interrupts:
                interrupt()

    def is_cancelled(self) -> bool:
        """Whether the work was asked to stop."""
        return self._event.is_set()

    def raise_if_cancelled(self) -> None:
        """Raise `Stopped` if the work was asked to stop."""
        if self._event.is_set():
            raise Cancelled

    @contextmanager
    def on_cancel(self, interrupt: Callable[[], None]) -> Iterator[None]:
        """While the block runs, `set` also calls `interrupt` (which must be safe from another thread)."""
        with self._lock:
            self._interrupts.append(interrupt)
        try:
            self.raise_if_cancelled()
            yield
        finally:
            with self._lock:
                self._interrupts.remove(interrupt)
