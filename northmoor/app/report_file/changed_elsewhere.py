"""A report that is changed elsewhere while it is open: nothing of anyone's is overwritten unasked."""

from pathlib import Path

from PyQt6.QtCore import QFileSystemWatcher, QObject, pyqtSignal
from PyQt6.QtWidgets import QMessageBox, QWidget

from northmoor.app.document_controller import DocumentController
from northmoor.app.language.translation import tr, tr_count
from northmoor.core.base.atomic_write import other_names
from northmoor.core.errors import NorthmoorError, ReportChangedElsewhere
from northmoor.core.model.merging import Conflict

_SHOWN = 5
"""Contradictions that are named one by one."""


class ChangedElsewhere(QObject):
    """Watches the open report's file, and asks what to do where both it and the report have changed."""

    message = pyqtSignal(str, str)

    def __init__(self, controller: DocumentController, parent: QWidget) -> None:
        super().__init__(parent)
        self._controller, self._window = controller, parent
        self._watcher = QFileSystemWatcher(self)
        self._watcher.directoryChanged.connect(lambda _: self.look())
        self._watcher.fileChanged.connect(lambda _: self.look())
        controller.opened.connect(self._watch)
        controller.saved_changed.connect(self._watch)

    def _watch(self) -> None:
        """Watch the file and its folder: a file that is replaced is another one."""
        path = self._controller.path
        wanted = {str(path), str(path.parent)} if path is not None else set()
        watched = {*self._watcher.files(), *self._watcher.directories()}
        if watched - wanted:
            self._watcher.removePaths(list(watched - wanted))
        for each in wanted - watched:
            self._watcher.addPath(each)

    def look(self) -> None:
        """See whether the file has changed: show it where nothing is unsaved, else say that it will be asked about."""
        controller = self._controller
        self._watch()
        if controller.report is None or not controller.is_changed_elsewhere:
            return
        if not controller.is_saved:
            self.message.emit(
                tr("The report was changed elsewhere too; saving asks whose changes are kept."), "warning"
            )
            return
        try:
            controller.take_theirs()
        except NorthmoorError:
            return  # it is being written, or is no report any more: saving says so
        self.message.emit(
            tr("The report was changed elsewhere and is shown as it is now; undo brings the old one back."), "warning"
        )

    def save(self, path: Path | None) -> str:
        """Save to the report's file or another, asking first where it would overwrite; the message about it, empty
        where it is not saved.

        Raises NorthmoorError.
        """
        target = path or self._controller.path
        others = other_names(target) if target is not None else 0
        try:
            self._controller.save(path)
        except ReportChangedElsewhere:
            if self._ask():
                self._controller.save(path)
        if not self._controller.is_saved or target is None:
            return ""
        saved = tr("Saved as {file}.").format(file=target.name)
        if not others:
            return saved
        return saved + tr_count(
            others,
            " Its other name keeps what was there before.",
            " Its {count} other names keep what was there before.",
        )

    def _ask(self) -> bool:
        """Ask whose changes are kept; whether the report is to be written then."""
        box = QMessageBox(self._window)
        box.setIcon(QMessageBox.Icon.Question)
        box.setWindowTitle(tr("Changed elsewhere"))
        box.setText(tr("Someone else has changed this report since you opened it. Which changes do you want to keep?"))
        box.setInformativeText(tr("Both: what each of you changed; where you changed the same thing, yours is kept."))
        both = box.addButton(tr("Both"), QMessageBox.ButtonRole.AcceptRole)
        mine = box.addButton(tr("Only mine"), QMessageBox.ButtonRole.DestructiveRole)
        theirs = box.addButton(tr("Only theirs"), QMessageBox.ButtonRole.DestructiveRole)
        box.addButton(QMessageBox.StandardButton.Cancel)
        box.setDefaultButton(both)
        box.exec()
        chosen = box.clickedButton()
        if chosen is both:
            self._tell(self._controller.take_both())
        elif chosen is mine:
            self._controller.keep_mine()
        elif chosen is theirs:
            self._controller.take_theirs()
        return chosen in (both, mine)

    def _tell(self, conflicts: tuple[Conflict, ...]) -> None:
        if conflicts:
            places = "\n".join(f"• {conflict.place}" for conflict in conflicts[:_SHOWN])
            more = tr("\n… and {count} more").format(count=len(conflicts) - _SHOWN) if len(conflicts) > _SHOWN else ""
            title, text = (
                tr("Changed by both"),
                tr("Here you both changed the same thing, and yours is kept:\n{places}{more}").format(
                    places=places, more=more
                ),
            )
            QMessageBox.information(self._window, title, text)
