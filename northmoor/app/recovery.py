"""Keeps a recovery copy of the open report while it has unsaved changes, and offers one that a crash left behind."""

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QMessageBox, QWidget

from northmoor.app.desk import Desk
from northmoor.core.errors import ReportFileError
from northmoor.core.model.recovery import drop_copy, found_copy, keep_copy

PAUSE = 1500
"""Milliseconds after a change before the copy is written, so that a run of changes is written once."""


class Recovery:
    """Watches the desk."""

    def __init__(self, desk: Desk, parent: QWidget) -> None:
        self._desk, self._parent = desk, parent
        self._timer = QTimer(parent)
        self._timer.setSingleShot(True)
        self._timer.setInterval(PAUSE)
        self._timer.timeout.connect(self._keep)
        desk.saved_changed.connect(self._watch)

    def offer(self) -> None:
        """Offer the unsaved changes of an earlier session, if the report that was just opened has any."""
        desk = self._desk
        assert desk.path is not None
        assert desk.report is not None
        copy = found_copy(desk.path, desk.report)
        if copy is None:
            return
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self._parent,
            "Take up the unsaved changes?",
            f"{desk.report.title} has changes from an earlier session that were not saved. "
            "Take them up? They can be undone; otherwise they are let go.",
            buttons.Yes | buttons.No,
            buttons.Yes,
        )
        if answer == buttons.Yes:
            desk.edit("Take up unsaved changes", lambda *_: copy)
        else:
            drop_copy(desk.path)

    def let_go(self) -> None:
        """The report is left on purpose: its changes are saved or not wanted."""
        self._timer.stop()
        if self._desk.path is not None:
            drop_copy(self._desk.path)

    def _watch(self) -> None:
        if self._desk.is_saved:
            self.let_go()
        else:
            self._timer.start()

    def _keep(self) -> None:
        desk = self._desk
        if desk.report is None or desk.path is None or desk.is_saved:
            return
        try:
            keep_copy(desk.report, desk.path)
        except ReportFileError as error:
            desk.refused.emit(f"No recovery copy could be kept, so save often. ({error})")
