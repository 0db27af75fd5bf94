"""Asks about unsaved changes before a report is left."""

from collections.abc import Callable

from PyQt6.QtWidgets import QMessageBox, QWidget

from northmoor.app.document_controller import DocumentController
from northmoor.app.language.translation import tr


def may_leave(controller: DocumentController, parent: QWidget, save: Callable[[], bool]) -> bool:
    """Whether the open report may be left: it is saved, or the user says so."""
    if controller.report is None or controller.is_saved:
        return True
    buttons = QMessageBox.StandardButton
    answer = QMessageBox.question(
        parent,
        tr("Save the changes?"),
        tr("{title} has changes that are not saved.").format(title=controller.report.title),
        buttons.Save | buttons.Discard | buttons.Cancel,
        buttons.Save,
    )
    return save() if answer == buttons.Save else answer == buttons.Discard
