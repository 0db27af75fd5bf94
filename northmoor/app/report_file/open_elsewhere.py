"""A report that another window has open: it is gone to, read only, or copied; two windows never change one file."""

import os
from pathlib import Path

from msgspec import Struct
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QMessageBox, QWidget

from northmoor.app.language.translation import tr
from northmoor.app.report_file.report_lock import ForwardRequests, Holder, ReportLock, ask_to_come_forward
from northmoor.core.base.atomic_write import write_atomically
from northmoor.core.errors import ReportFileError
from northmoor.core.store.report_files import report_bytes


class OpeningWay(Struct, frozen=True):
    """What is opened, and why it cannot be changed, if so."""

    path: Path
    read_only: str = ""


class OpenElsewhere:
    """Sees to it that a window has a report to itself."""

    def __init__(self, window: QWidget) -> None:
        self._window, self._lock = window, ReportLock()
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        if application.findChild(ForwardRequests) is None:
            ForwardRequests(_come_forward, application)

    def way(self, path: Path) -> OpeningWay | None:
        """How a report is opened: by itself, or as the user says where it is open elsewhere; None for not at all.

        Raises NorthmoorError.
        """
        if not path.exists():
            return OpeningWay(path)  # opening says what is wrong
        holder = self._lock.take(path)
        if holder is not None:
            return self._ask(path, holder)
        folder, is_kept = path.resolve().parent, os.access(path, os.W_OK)
        if is_kept and os.access(folder, os.W_OK):
            return OpeningWay(path)
        what = tr("The folder") if is_kept else path.name
        return OpeningWay(
            path, tr("{what} can only be read. Save the report as another file to change it.").format(what=what)
        )

    def hold(self, path: Path | None) -> None:
        """Hold a report again after all, or none."""
        if path is None or self._lock.take(path) is not None:
            self._lock.release()

    def take_for_saving(self, path: Path) -> None:
        """Hold a report's file before another is saved in its place. Raises ReportFileError where a window has it."""
        holder = self._lock.take(path)
        if holder is not None:
            raise ReportFileError(
                tr("{file} is open {holder}; save under another name, or close it there.").format(
                    file=path.name, holder=holder
                )
            )

    def _ask(self, path: Path, holder: Holder) -> OpeningWay | None:
        box = QMessageBox(self._window)
        box.setIcon(QMessageBox.Icon.Question)
        box.setWindowTitle(tr("Open elsewhere"))
        box.setText(tr("{file} is open {holder}.").format(file=path.name, holder=holder))
        box.setInformativeText(tr("Only one window changes a report at a time."))
        there = None if holder.machine else box.addButton(tr("Go there"), QMessageBox.ButtonRole.AcceptRole)
        reading = box.addButton(tr("Read only"), QMessageBox.ButtonRole.ActionRole)
        copying = box.addButton(tr("Open a copy"), QMessageBox.ButtonRole.ActionRole)
        box.addButton(QMessageBox.StandardButton.Cancel)
        box.setDefaultButton(there or reading)
        box.exec()
        chosen = box.clickedButton()
        if chosen is copying:
            return OpeningWay(self._copied(path))
        if chosen is reading:
            self._lock.release()
            return OpeningWay(
                path,
                tr("{file} is open {holder}, and can only be read here.").format(file=path.name, holder=holder),
            )
        if there is not None and chosen is there and not ask_to_come_forward(holder, path):
            raise ReportFileError(
                tr("The window that has {file} open does not answer; look for it, or read only.").format(file=path.name)
            )
        return None

    def _copied(self, path: Path) -> Path:
        """A copy of a report beside it, held."""
        data = report_bytes(path)
        names = (f"{path.stem}-copy{'' if n == 1 else f'-{n}'}{path.suffix}" for n in range(1, 10_000))
        copy = next(own for name in names if not (own := path.with_name(name)).exists())
        write_atomically(copy, lambda part: part.write_bytes(data))
        self.take_for_saving(copy)
        return copy


def _come_forward(path: Path) -> None:
    """Show the window that has a report open."""
    for window in QApplication.topLevelWidgets():
        controller = getattr(window, "controller", None)
        own = getattr(controller, "path", None)
        if own is not None and own.resolve() == path:
            window.setWindowState(window.windowState() & ~Qt.WindowState.WindowMinimized)
            window.show()
            window.raise_()
            window.activateWindow()
