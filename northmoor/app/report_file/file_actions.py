"""Opening and saving the report: what is asked, held and remembered on the way."""

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QSettings, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMenu, QWidget

from northmoor.app.document_controller import DocumentController
from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr
from northmoor.app.report_file.changed_elsewhere import ChangedElsewhere
from northmoor.app.report_file.leave_prompt import may_leave
from northmoor.app.report_file.open_elsewhere import OpenElsewhere
from northmoor.app.report_file.recovery_prompt import RecoveryPrompt
from northmoor.app.start.recent_reports import RecentReports
from northmoor.app.widgets.menus import give_letters
from northmoor.app.widgets.waiting import wait_for
from northmoor.core.errors import NorthmoorError
from northmoor.core.store.report_files import read_report_file, save_report


class FileActions(QObject):
    """Opens, saves and leaves reports."""

    message = pyqtSignal(str, str)

    def __init__(
        self, controller: DocumentController, settings: QSettings, recent: RecentReports, window: QWidget
    ) -> None:
        super().__init__(window)
        self._controller, self._settings, self._window = controller, settings, window
        self.recent = recent
        self.open_in_tab: Callable[[Path], bool] = self.open
        """Opens a report in a tab of its own, where there are tabs."""
        self.recovery = RecoveryPrompt(controller, window)
        self.elsewhere = OpenElsewhere(window)
        self.changes = ChangedElsewhere(controller, window)
        self.changes.message.connect(self.message)

    def open(self, path: Path, values: dict[str, Any] | None = None) -> bool:
        """Open a report, with values for its parameters; what is wrong with it is reported, and what was open stays."""
        if not may_leave(self._controller, self._window, self.save):
            return False
        try:
            wait_for(
                lambda _: path.exists(), self._window, tr("Looking for {file} …").format(file=path.name)
            )  # a folder may not answer
            way = self.elsewhere.way(path)
            if way is None:
                return False
            file = wait_for(
                lambda _: read_report_file(way.path),
                self._window,
                tr("Reading {file} …").format(file=way.path.name),
            )
            left = self.recovery.own_path
            self._controller.open(file, values, way.read_only)
            if left is not None:
                self.recovery.discard_copy(left)
        except NorthmoorError as error:
            self.elsewhere.hold(self._controller.path)
            self.message.emit(core_text(error), "fault")
            return False
        self._settings.setValue("last", str(way.path))
        self.recent.add(way.path)
        if way.read_only:
            self.message.emit(way.read_only, "warning")
        else:
            self.recovery.offer()
        return True

    def open_beside(self, path: Path) -> bool:
        """Open a report that was chosen: in a tab of its own where one is open already."""
        return (self.open if self._controller.report is None else self.open_in_tab)(path)

    def save(self) -> bool:
        """Save the report."""
        return self._controller.report is not None and self.save_to(None)

    def save_to(self, path: Path | None) -> bool:
        """Save the report to its file or another; whether that was done."""
        try:
            if path is not None:
                self.elsewhere.take_for_saving(path)
            if not (saved := self.changes.save(path)):
                return False
        except NorthmoorError as error:
            self.elsewhere.hold(None if self._controller.read_only else self._controller.path)
            self.message.emit(core_text(error), "fault")
            return False
        self.message.emit(saved, "good")
        return True

    def leave(self) -> bool:
        """Leave the report for good, asking about unsaved changes; whether that was allowed."""
        if not may_leave(self._controller, self._window, self.save):
            return False
        self.recovery.discard_copy()
        self.elsewhere.hold(None)
        return True

    def close(self) -> None:
        """Close the report, asking about unsaved changes."""
        if self._controller.report is not None and self.leave():
            self._controller.close()

    def ask_open(self) -> None:
        """Ask for a report and open it."""
        name, _ = QFileDialog.getOpenFileName(self._window, tr("Open a report"), self._folder(), tr("Reports (*.moor)"))
        if name:
            self.open_beside(Path(name))

    def fill_recent(self, menu: QMenu) -> None:
        """Fill a menu with the reports that were opened last."""
        menu.clear()
        for path in self.recent.paths:
            menu.addAction(f"{path.stem.replace('&', '&&')} · {path.parent}", partial(self.open_beside, path))
        if menu.isEmpty():
            nothing = menu.addAction(tr("No report was opened yet"))
            assert nothing is not None
            nothing.setEnabled(False)
        give_letters(menu)

    def ask_save_copy(self) -> None:
        """Ask for a name and write a copy there; the report goes on in its own file."""
        report, path = self._controller.report, self._controller.path
        if report is None or path is None:
            return
        shown = str(path.with_name(f"{path.stem}-copy{path.suffix}"))
        name, _ = QFileDialog.getSaveFileName(self._window, tr("Save a copy as"), shown, tr("Reports (*.moor)"))
        if not name:
            return
        target = Path(name) if Path(name).suffix else Path(name).with_suffix(".moor")
        try:
            save_report(report, target)
        except NorthmoorError as error:
            self.message.emit(core_text(error), "fault")
        else:
            self.message.emit(tr("A copy is saved as {file}.").format(file=target.name), "good")

    def revert(self) -> None:
        """Show the report as it was saved last; that can be undone."""
        try:
            if self._controller.report is not None and not self._controller.is_saved:
                self._controller.take_theirs()
        except NorthmoorError as error:
            self.message.emit(core_text(error), "fault")

    def ask_save_as(self) -> None:
        """Ask for a name and save under it."""
        if self._controller.report is None:
            return
        shown = str(self._controller.path)
        name, _ = QFileDialog.getSaveFileName(self._window, tr("Save the report as"), shown, tr("Reports (*.moor)"))
        if name:
            path = Path(name)
            self.save_to(path if path.suffix else path.with_suffix(".moor"))

    def _folder(self) -> str:
        last = self._controller.path or self._settings.value("last")
        return str(Path(str(last)).parent) if last else str(Path.home())
