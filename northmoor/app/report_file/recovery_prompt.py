"""Keeps a recovery copy of the open report while it has unsaved changes, and offers one that a crash left behind."""

from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QMessageBox, QWidget

from northmoor.app.document_controller import DocumentController
from northmoor.app.language.translation import tr
from northmoor.core.errors import ReportFileError
from northmoor.core.store.recovery_copies import drop_copy, found_copy, keep_copy

PAUSE = 1500
"""Milliseconds after a change before the copy is written, so that a run of changes is written once."""


class RecoveryPrompt:
    """Watches the desk."""

    def __init__(self, controller: DocumentController, parent: QWidget) -> None:
        self._controller, self._parent = controller, parent
        self._timer = QTimer(parent)
        self._timer.setSingleShot(True)
        self._timer.setInterval(PAUSE)
        self._timer.timeout.connect(self._keep)
        controller.saved_changed.connect(self._watch)

    def offer(self) -> None:
        """Offer the unsaved changes of an earlier session, if the report that was just opened has any."""
        controller = self._controller
        assert controller.path is not None
        assert controller.report is not None
        copy = found_copy(controller.path, controller.report)
        if copy is None:
            return
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self._parent,
            tr("Restore unsaved changes?"),
            tr(
                "{title} has changes from an earlier session that were not saved. Restore them? "
                "That can be undone; otherwise they are discarded."
            ).format(title=controller.report.title),
            buttons.Yes | buttons.No,
            buttons.Yes,
        )
        if answer == buttons.Yes:
            controller.edit(tr("Restore unsaved changes"), lambda *_: copy)
        else:
            drop_copy(controller.path)

    @property
    def own_path(self) -> Path | None:
        """The report whose copy is this window's; none where it only reads, since the copy is another window's then."""
        return None if self._controller.read_only else self._controller.path

    def discard_copy(self, left: Path | None = None) -> None:
        """The open report, or one that was open, is left on purpose: its changes are saved or not wanted."""
        self._timer.stop()
        if (path := left or self.own_path) is not None:
            drop_copy(path)

    def _watch(self) -> None:
        if self._controller.is_saved:
            self.discard_copy()
        else:
            self._timer.start()

    def _keep(self) -> None:
        controller = self._controller
        if controller.report is None or controller.path is None or controller.is_saved:
            return
        try:
            keep_copy(controller.report, controller.path)
        except ReportFileError as error:
            controller.refused.emit(tr("No recovery copy could be kept, so save often. ({error})").format(error=error))
