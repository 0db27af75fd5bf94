"""Waiting for work that an action cannot do without, such as reading a file, with a dialog that stops it."""

import threading
from collections.abc import Callable
from typing import Generic, TypeVar

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QProgressDialog, QWidget

from northmoor.app.language.translation import tr
from northmoor.app.widgets.widget_tools import hide_and_delete
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import Cancelled

T = TypeVar("T")
_UNSEEN = 0.25
"""Seconds that work may take before a dialog is shown."""
_LOOK = 20
"""Milliseconds between looks at whether it is done."""


def wait_for(work: Callable[[CancelToken], T], parent: QWidget, text: str) -> T:
    """What some work returns. Nothing else can be done meanwhile but to stop it, which leaves it where it is.

    Raises what the work raises, and Cancelled.
    """
    running = _Running(work)
    running.thread.join(_UNSEEN)
    if running.thread.is_alive():
        _show_until_done(running.thread, parent, text)
    if running.thread.is_alive():
        running.stop.cancel()
        raise Cancelled
    return running.result()


class _Running(Generic[T]):
    """Work in a thread of its own, which ends with the program."""

    def __init__(self, work: Callable[[CancelToken], T]) -> None:
        self.stop = CancelToken()
        self._work = work
        self._error: Exception | None = None
        self._made: list[T] = []
        self.thread = threading.Thread(target=self._run, daemon=True)
        self.thread.start()

    def _run(self) -> None:
        try:
            self._made.append(self._work(self.stop))
        except Exception as error:  # noqa: BLE001  # it is raised where it is waited for
            self._error = error

    def result(self) -> T:
        if self._error is not None:
            raise self._error
        return self._made[0]


def _show_until_done(thread: threading.Thread, parent: QWidget, text: str) -> None:
    dialog = QProgressDialog(text, tr("Stop"), 0, 0, parent)
    dialog.setWindowTitle("Northmoor")
    dialog.setWindowModality(Qt.WindowModality.WindowModal)
    timer = QTimer()
    timer.timeout.connect(lambda: None if thread.is_alive() else dialog.done(0))
    timer.start(_LOOK)
    dialog.exec()
    timer.stop()
    hide_and_delete(dialog)
