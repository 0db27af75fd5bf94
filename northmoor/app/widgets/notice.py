"""A line that says what was done or went wrong, as long as it takes to read it."""

from html import escape
from time import monotonic

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel

from northmoor.app.widgets.widget_tools import set_style_name

READING = 4.0
"""Seconds for which what was done, or has to be done first, is not replaced by news of progress."""


class Notice(QLabel):
    """Shows one message at a time."""

    def __init__(self) -> None:
        super().__init__()
        self._held_until = 0.0

    def tell(self, text: str, kind: str, room: int) -> None:
        """Say something within a width: kind is quiet (progress, or nothing), good, warning or fault."""
        now = monotonic()
        if kind == "quiet" and now < self._held_until:
            return
        self._held_until = now + READING if kind in ("good", "warning") else now
        set_style_name(self, kind)
        self.setText(self.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, room))
        self.setToolTip(escape(text))
