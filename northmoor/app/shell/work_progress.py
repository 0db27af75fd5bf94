"""The bar that shows that work goes on, and how long it still takes."""

from time import monotonic

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QProgressBar

from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.time_left import time_left_words
from northmoor.app.language.translation import tr
from northmoor.core.base.progress import CountedProgress

_SHOWN_AFTER = 300  # milliseconds of work


class WorkProgress(QProgressBar):
    """It is there from a moment after work has begun until it ends, and filled as far as that is counted."""

    def __init__(self) -> None:
        super().__init__()
        self.setTextVisible(False)
        self.setRange(0, 0)
        policy = self.sizePolicy()
        policy.setRetainSizeWhenHidden(True)
        self.setSizePolicy(policy)
        self.setVisible(False)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_SHOWN_AFTER)
        self._timer.timeout.connect(lambda: self.setVisible(True))
        self._began = 0.0
        self._of = 0

    def show_busy(self, is_busy: bool) -> None:
        """Note whether anything goes on."""
        if is_busy:
            self._timer.start()
            return
        self._timer.stop()
        self.setVisible(False)
        self._count(0, 0)

    def words_of(self, progress: str) -> str:
        """What to say of work that goes on: how far it is, how long it takes yet, and how to stop it."""
        parts = [core_text(progress)]
        if isinstance(progress, CountedProgress):
            self._count(progress.done, progress.of)
            left = time_left_words(monotonic() - self._began, progress.done, progress.of)
            parts += [left] if left else []
        else:
            self._count(0, 0)
        return " · ".join([*parts, tr("Esc stops it")])

    def _count(self, done: int, of: int) -> None:
        if of != self._of:
            self._began, self._of = monotonic(), of
        self.setRange(0, of)
        self.setValue(done)
