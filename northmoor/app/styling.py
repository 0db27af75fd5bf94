"""Looks in the window: copied from one part to others, and the dialog of styles."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QWidget

from northmoor.app.desk import Desk
from northmoor.app.pages.styles import StylesDialog
from northmoor.core.model.report import Report
from northmoor.core.model.styling import CopiedLook, copied_look, with_copied_look
from northmoor.core.model.tables import RowPlace


class Styling(QObject):
    """Copies the look of what is selected, gives it to what is selected then, and opens the styles."""

    told = pyqtSignal(str, str)

    def __init__(self, desk: Desk, window: QWidget) -> None:
        super().__init__(window)
        self._desk, self._window = desk, window
        self.copied: CopiedLook | None = None
        self.dialog: StylesDialog | None = None

    def copy(self) -> None:
        """Copy the look of the selected cell or row."""
        report, edition, chosen = self._desk.report, self._desk.edition, self._desk.selection
        if report is None or edition is None or chosen.kind not in ("cell", "row"):
            self.told.emit("Choose a cell or a row of a table first.", "warning")
            return
        try:
            self.copied = copied_look(report, edition.name, chosen.block, chosen.place, chosen.column)
        except (KeyError, StopIteration):
            self.told.emit("This row has no look of its own; choose one of its cells.", "warning")
        else:
            self.told.emit("The look is copied. Choose another cell and apply it (Ctrl+Alt+V).", "good")

    def paste(self) -> None:
        """Give the selected cell or row the copied look."""
        chosen, copied = self._desk.selection, self.copied
        if copied is None:
            self.told.emit("Copy the look of a cell first (Ctrl+Alt+C).", "warning")
        elif chosen.kind not in ("cell", "row") or chosen.place == RowPlace("head"):
            self.told.emit("Choose a cell or a row of a table to give the look to.", "warning")
        else:
            self._desk.edit("Apply a look", self._applied(copied))

    def _applied(self, copied: CopiedLook) -> Callable[[Report, str], Report]:
        chosen = self._desk.selection
        return lambda r, e: with_copied_look(r, e, chosen.block, chosen.place, chosen.column, copied)

    def open_styles(self) -> None:
        """Open the dialog of styles."""
        if self._desk.report is None:
            return
        if self.dialog is None:
            self.dialog = StylesDialog(self._desk, self._window)
        self.dialog.refresh()
        self.dialog.show()
        self.dialog.raise_()
