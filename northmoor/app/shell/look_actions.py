"""Looks in the window: copied from one part to others, and the dialog of styles."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QWidget

from northmoor.app.document_controller import DocumentController
from northmoor.app.language.translation import tr
from northmoor.app.widgets.color_editor import RecentColors
from northmoor.core.model.blocks.table import RowPlace
from northmoor.core.model.edits import CopiedStyle, copied_style, with_copied_style
from northmoor.core.model.report import Report

if TYPE_CHECKING:
    from northmoor.app.pages.dialogs.styles_dialog import StylesDialog


class StyleActions(QObject):
    """Copies the look of what is selected, gives it to what is selected then, and opens the styles."""

    message = pyqtSignal(str, str)

    def __init__(self, controller: DocumentController, recent: RecentColors, window: QWidget) -> None:
        super().__init__(window)
        self._controller, self._recent, self._window = controller, recent, window
        self.copied: CopiedStyle | None = None
        self.dialog: StylesDialog | None = None

    def copy(self) -> None:
        """Copy the look of the selected cell or row."""
        report, edition, chosen = self._controller.report, self._controller.edition, self._controller.selection
        if report is None or edition is None or chosen.kind not in ("cell", "row"):
            self.message.emit(tr("Choose a cell or a row of a table first."), "warning")
            return
        try:
            self.copied = copied_style(report, edition.name, chosen.block, chosen.place, chosen.column)
        except (KeyError, StopIteration):
            self.message.emit(tr("This row has no formatting of its own; choose one of its cells."), "warning")
        else:
            self.message.emit(tr("The formatting is copied. Choose another cell and paste it (Ctrl+Alt+V)."), "good")

    def paste(self) -> None:
        """Give the selected cell or row the copied look."""
        chosen, copied = self._controller.selection, self.copied
        if copied is None:
            self.message.emit(tr("Copy the formatting of a cell first (Ctrl+Alt+C)."), "warning")
        elif chosen.kind not in ("cell", "row") or chosen.place == RowPlace("head"):
            self.message.emit(tr("Choose a cell or a row of a table to paste the formatting to."), "warning")
        else:
            self._controller.edit(tr("Paste formatting"), self._applied(copied))

    def _applied(self, copied: CopiedStyle) -> Callable[[Report, str], Report]:
        chosen = self._controller.selection
        return lambda r, e: with_copied_style(r, e, chosen.block, chosen.place, chosen.column, copied)

    def open_styles(self) -> None:
        """Open the dialog of styles."""
        if self._controller.report is None:
            return
        if self.dialog is None:
            from northmoor.app.pages.dialogs.styles_dialog import StylesDialog  # dialogs are loaded on first use

            self.dialog = StylesDialog(self._controller, self._recent, self._window)
        self.dialog.refresh()
        self.dialog.show()
        self.dialog.raise_()
