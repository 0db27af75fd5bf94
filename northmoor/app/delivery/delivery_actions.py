"""Delivering, printing and copying what is on the pages."""

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QDialog, QWidget

from northmoor.app.document_controller import DocumentController
from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr
from northmoor.app.worker import Worker
from northmoor.core.document import Document
from northmoor.core.errors import NorthmoorError
from northmoor.core.model import edits
from northmoor.core.model.output_options import OutputOptions

if TYPE_CHECKING:
    from northmoor.app.delivery.deliver_dialog import DeliverDialog, Delivery


class Shows(Protocol):
    """Knows the document whose pages are shown."""

    @property
    def shown_document(self) -> Document | None:
        """The document, if there are pages."""


class DeliveryActions(QObject):
    """What can be done with the pages that are shown."""

    message = pyqtSignal(str, str)
    run_wanted = pyqtSignal(object, object)
    order_wanted = pyqtSignal(object)

    def __init__(self, controller: DocumentController, worker: Worker, shows: Shows, window: QWidget) -> None:
        super().__init__(window)
        self._controller, self._worker, self._shows, self._window = controller, worker, shows, window

    def ask(self, block: str | None = None) -> None:
        """Ask for formats and a place, and write the pages, or one block of them."""
        document = self._shows.shown_document
        if document is None or self._controller.path is None:
            return
        from northmoor.app.delivery.deliver_dialog import DeliverDialog  # dialogs are loaded on first use

        dialog = DeliverDialog(document, self._controller.path, block, self._window)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self._do(dialog, document)
            if dialog.keep.isChecked():
                self._keep(dialog.delivery.options)

    def _do(self, dialog: "DeliverDialog", document: Document) -> None:
        """Write the files, or have a run made and kept, or begin a standing order."""
        library, path, wanted = self._controller.library, self._controller.path, dialog.delivery
        if not (wanted.is_kept or dialog.is_order) or library is None or path is None:
            self.deliver(wanted)
            return
        if not self._controller.is_saved:
            self.message.emit(tr("Save the report first: the archive keeps what is in its file."), "warning")
            return
        from northmoor.app.delivery.delivery_requests import requested_order, requested_run

        report = path.resolve().relative_to(library.root.resolve()).as_posix()
        if dialog.is_order:
            self.order_wanted.emit(requested_order(dialog, document, report, self._controller.values))
        else:
            self.run_wanted.emit(requested_run(dialog, document, report), wanted.paths[0].parent)

    def _keep(self, options: OutputOptions) -> None:
        """Keep the choices of formats with the edition."""
        self._controller.edit(tr("Keep choices of formats"), partial(edits.change_edition, output=options))

    def ask_block(self) -> None:
        """Ask the same for the selected block."""
        name = self._controller.selection.block
        if name:
            self.ask(name)
        else:
            self.message.emit(tr("Choose a block on the page first."), "warning")

    def deliver(self, delivery: "Delivery") -> None:
        """Write files."""
        document = self._shows.shown_document
        if document is not None:
            self.message.emit(
                tr("Writing {file}").format(file=", ".join(path.name for path in delivery.paths)), "quiet"
            )
            self._worker.deliver(document, delivery.write)

    def deliver_to(self, path: Path) -> None:
        """Write the whole edition to one file."""
        from northmoor.app.delivery.deliver_dialog import Delivery

        document = self._shows.shown_document
        if document is not None:
            self.deliver(Delivery((path,), None, document.edition.output))

    def print(self) -> None:
        """Ask for a printer, and print the pages."""
        from northmoor.app.delivery.print_pages import ask_printer, print_pages

        document = self._shows.shown_document
        job = ask_printer(document, self._window) if document is not None else None
        if document is not None and job is not None:
            self._worker.deliver(document, partial(print_pages, job))

    def copy_block(self) -> None:
        """Copy what the selected block shows, for letters and spreadsheets."""
        from northmoor.app.delivery.clipboard_copy import mime_of

        document, name = self._shows.shown_document, self._controller.selection.block
        if document is None or not name:
            self.message.emit(tr("Choose a block on the page first."), "warning")
            return
        clipboard = QGuiApplication.clipboard()
        try:
            made = mime_of(document, name)
        except NorthmoorError as error:
            self.message.emit(core_text(error), "fault")
            return
        if clipboard is not None:
            clipboard.setMimeData(made)
            self.message.emit(tr("Copied {name} as it is printed").format(name=name), "good")
