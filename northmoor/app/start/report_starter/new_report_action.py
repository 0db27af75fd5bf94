"""Starting a report: the dialog that proposes pages, and the file that what was picked is saved in."""

from collections.abc import Callable
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import (
    QWidget,
)

from northmoor.app.document_controller import DocumentController
from northmoor.app.language.core_sentences import core_text
from northmoor.app.worker import Worker
from northmoor.core.errors import NorthmoorError
from northmoor.core.model.data.connections import ServerConnection
from northmoor.core.model.report import Report
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import save_report

if TYPE_CHECKING:
    from northmoor.app.data.connection_controller import ConnectionController
    from northmoor.app.start.report_starter.new_report_dialog import NewReportDialog


class NewReportAction(QObject):
    """Opens the dialog and saves what was picked; `wanted` tells of the new report's file."""

    message = pyqtSignal(str, str)
    wanted = pyqtSignal(object)

    def __init__(
        self,
        controller: DocumentController,
        worker: Worker,
        catalogs: Callable[[], "ConnectionController"],
        window: QWidget,
    ) -> None:
        super().__init__(window)
        self._controller, self._worker, self._catalogs_of, self._window = controller, worker, catalogs, window
        self.dialog: NewReportDialog | None = None

    @cached_property
    def _catalogs(self) -> "ConnectionController":
        """What the connections hold, asked for when a report is first begun."""
        catalogs = self._catalogs_of()
        catalogs.changed.connect(self._show_tables)
        return catalogs

    def ask(self) -> None:
        """Begin a report with the fields of a query or table."""
        if self._controller.report is None or self._controller.path is None:
            return
        from northmoor.app.start.report_starter.new_report_dialog import (
            NewReportDialog,  # dialogs are loaded on first use
        )

        self.dialog = NewReportDialog(
            self._controller.report,
            self._controller.requested_values,
            self._worker,
            Library.around(self._controller.path),
            self._window,
        )
        self.dialog.begun.connect(self._begin)
        self._show_tables()
        self.dialog.panel.connect_wanted.connect(self._catalogs.read)
        for connection in self.dialog.library.connections.connections:
            if isinstance(connection, ServerConnection) and connection.name not in self._catalogs.known:
                self.dialog.panel.add_server(connection.name)  # its password is asked for when its tables are wanted
            elif connection.name not in self._catalogs.known:
                self._catalogs.read(connection.name)
        self.dialog.open()

    def _show_tables(self) -> None:
        if self.dialog is not None:
            for connection, catalog in self._catalogs.known.items():
                self.dialog.add_tables(connection, [table for table in catalog.tables if table.fault is None])

    def _begin(self, report: Report, path: Path) -> None:
        try:
            save_report(report, path)
        except NorthmoorError as error:
            self.message.emit(core_text(error), "fault")
        else:
            self.wanted.emit(path)
