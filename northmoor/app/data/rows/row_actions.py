"""What can be done with the rows that are shown: check their totals, export them, see what belongs to a record."""

from pathlib import Path
from typing import Any, Protocol

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog

from northmoor.app.data.rows.check_totals_dialog import CheckTotalsDialog
from northmoor.app.data.rows.rows_pane import RowsPane
from northmoor.app.document_controller import DocumentController
from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr
from northmoor.app.worker import Worker
from northmoor.core.authoring.queries.field_choices import shown_names
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import NorthmoorError
from northmoor.core.export.row_files import write_table
from northmoor.core.expr.formats import FormatLocale
from northmoor.core.model.data.queries import Query
from northmoor.core.model.kinds.output_formats import FORMAT_OF_SUFFIX
from northmoor.core.output.data.table_files import FORMATS
from northmoor.core.session import Session
from northmoor.core.sources.fetch.details import rows_of_record
from northmoor.core.sources.library import Library


class RowsHost(Protocol):
    """What these actions need of the workspace."""

    controller: DocumentController
    worker: Worker
    pane: RowsPane

    @property
    def library(self) -> Library: ...
    def current(self) -> Query | None: ...
    def format_locale(self) -> FormatLocale: ...
    def pick(self, name: str) -> None: ...
    def show_these(self, rows: Rows) -> None: ...
    def show_fault(self, error: NorthmoorError) -> None: ...


class RowActions(QObject):
    """Works on the rows in the pane; nothing of it changes the report."""

    written = pyqtSignal(object)
    details_found = pyqtSignal(object)

    def __init__(self, data: RowsHost) -> None:
        super().__init__()
        self._data = data
        self.totals: CheckTotalsDialog | None = None
        self.written.connect(self._show_written)
        self.details_found.connect(self._show_details)

    def show_details(self, query: Query, record: dict[str, Any]) -> None:
        """Show those rows of a detail query that belong to one record of the query that owns them."""
        controller, library, link = self._data.controller, self._data.library, query.detail_of
        report, values = controller.report, controller.values
        assert report is not None
        assert link is not None
        self._data.pick(query.name)

        def ask(session: Session, stop: CancelToken) -> object:
            resolved = session.resolve_parameters(report, values, stop, designing=True, forgiving=True)
            rows = session.rows(report, query.name, resolved.values_for(session.names_in(report, query.name)), stop)
            return replace(rows, table=rows_of_record(rows.table, record, link, stop))

        message = ", ".join(
            tr("{own} is {record}").format(own=pair.own, record=record[pair.other]) for pair in link.columns
        )
        self._data.worker.ask_session(library, ask, lambda found: self.details_found.emit((found, message)))

    def _show_details(self, answer: tuple[Rows | NorthmoorError, str]) -> None:
        found, message = answer
        if isinstance(found, NorthmoorError):
            self._data.show_fault(found)
            return
        self._data.show_these(found)
        self._data.pane.show_message(
            tr("Only rows in which {message}. Run the query to see all.").format(message=message), "quiet"
        )

    def check_totals(self) -> None:
        """Open the cross totals of the rows."""
        self.cross(None)

    def cross(self, column: str | None) -> None:
        """Open the cross totals of the rows; of a column, how many rows have its values and another column's."""
        pane, report = self._data.pane, self._data.controller.report
        if pane.rows is not None and report is not None:
            titles = shown_names(pane.rows, report)
            locale, worker = self._data.format_locale(), self._data.worker
            self.totals = CheckTotalsDialog(pane.rows, titles, locale, worker, pane, column)
            self.totals.open()

    def ask_export(self) -> None:
        """Ask for a file and write the rows into it."""
        rows = self._data.pane.rows
        if rows is None or self._data.controller.path is None:
            return
        proposed = str(self._data.controller.path.with_name(f"{rows.query}.csv"))
        filters = {f"{tr(FORMAT_OF_SUFFIX[suffix].label)} (*.{suffix})": suffix for suffix in FORMATS}
        name, kind = QFileDialog.getSaveFileName(self._data.pane, tr("Export the rows"), proposed, ";;".join(filters))
        if name:
            path = Path(name)
            self.export(path if path.suffix else path.with_suffix(f".{filters.get(kind, 'csv')}"))

    def export(self, path: Path) -> None:
        """Write the rows without the hidden columns."""
        rows, query = self._data.pane.rows, self._data.current()
        if rows is None:
            return
        hidden = (
            {c.name for c in query.columns if c.hidden} if query is not None and query.name == rows.query else set()
        )
        table = rows.table.drop_columns([n for n in rows.names if n in hidden]) if hidden else rows.table
        self._data.pane.show_message(tr("Writing {file} …").format(file=path.name), "quiet")
        self._data.worker.run_task(lambda _: write_table(table, path), self.written.emit)

    def _show_written(self, found: object) -> None:
        if isinstance(found, NorthmoorError):
            self._data.pane.show_message(core_text(found), "fault")
        else:
            self._data.pane.show_message(tr("Written: {found}.").format(found=found), "good")
