"""A token by which long work is stopped."""

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from northmoor.core.errors import Cancelled


class CancelToken:
    """Set from any thread; work looks at it between steps and registers how to interrupt a running one."""

    def __init__(self) -> None:
        self._event = threading.Event()
        self._interrupts: list[_Interrupt] = []
        self._lock = threading.Lock()

    def cancel(self) -> None:
        """Ask the work to stop, interrupting the step that runs now; whoever asks is not kept waiting by that."""
        self._event.set()
        with self._lock:
            interrupts = list(self._interrupts)
        for interrupt in interrupts:
            threading.Thread(target=interrupt.run, daemon=True).start()

    def is_cancelled(self) -> bool:
        """Whether the work was asked to stop."""
        return self._event.is_set()

    def raise_if_cancelled(self) -> None:
        """Raise Cancelled if the work was asked to stop."""
        if self._event.is_set():
            raise Cancelled

    @contextmanager
    def on_cancel(self, call: Callable[[], object]) -> Iterator[None]:
        """While the block runs, `cancel` also makes a call (which must be safe from another thread); the block does not
        end while that is being made."""
        interrupt = _Interrupt(call)
        with self._lock:
            self._interrupts.append(interrupt)
        try:
            self.raise_if_cancelled()
            yield
        finally:
            with self._lock:
                self._interrupts.remove(interrupt)
            interrupt.end()


class _Interrupt:
    """A call that is made at most while the block that it interrupts runs."""

    def __init__(self, call: Callable[[], object]) -> None:
        self._call: Callable[[], object] | None = call
        self._lock = threading.Lock()

    def run(self) -> None:
        with self._lock:
            if self._call is not None:
                self._call()

    def end(self) -> None:
        with self._lock:
            self._call = None
