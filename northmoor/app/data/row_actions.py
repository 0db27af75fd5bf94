"""What can be done with the rows that are shown: check their totals, export them, see what belongs to a record."""

from dataclasses import replace
from pathlib import Path
from typing import Any, Protocol

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog

from northmoor.app.data.crosscheck import CrossCheck
from northmoor.app.data.rows_pane import RowsPane
from northmoor.app.desk import Desk
from northmoor.app.worker import Worker
from northmoor.core.deliver.tables import write_table
from northmoor.core.document import Session
from northmoor.core.errors import NorthmoorError
from northmoor.core.expr.formats import Customs
from northmoor.core.model.data import Query
from northmoor.core.sources.connections import Library
from northmoor.core.sources.details import details_of
from northmoor.core.sources.fetch import Rows
from northmoor.core.stopping import Stop


class Showing(Protocol):
    """What these actions need of the workspace."""

    desk: Desk
    worker: Worker
    pane: RowsPane

    @property
    def library(self) -> Library: ...
    def current(self) -> Query | None: ...
    def customs(self) -> Customs: ...
    def pick(self, name: str) -> None: ...
    def show_these(self, rows: Rows) -> None: ...
    def show_fault(self, error: NorthmoorError) -> None: ...


class RowActions(QObject):
    """Works on the rows in the pane; nothing of it changes the report."""

    written = pyqtSignal(object)
    details_found = pyqtSignal(object)

    def __init__(self, data: Showing) -> None:
        super().__init__()
        self._data = data
        self.totals: CrossCheck | None = None
        self.written.connect(self._show_written)
        self.details_found.connect(self._show_details)

    def show_details(self, query: Query, record: dict[str, Any]) -> None:
        """Show those rows of a detail query that belong to one record of the query that owns them."""
        desk, library, link = self._data.desk, self._data.library, query.detail_of
        report, values = desk.report, desk.values
        assert report is not None
        assert link is not None
        self._data.pick(query.name)

        def ask(session: Session, stop: Stop) -> object:
            settled = session.settle(report, values, stop, designing=True, forgiving=True)
            rows = session.rows(report, query.name, settled.for_names(session.names_in(report, query.name)), stop)
            return replace(rows, table=details_of(rows.table, record, link, stop))

        told = ", ".join(f"{pair.own} is {record[pair.other]}" for pair in link.columns)
        self._data.worker.ask_session(library, ask, lambda found: self.details_found.emit((found, told)))

    def _show_details(self, answer: tuple[Rows | NorthmoorError, str]) -> None:
        found, told = answer
        if isinstance(found, NorthmoorError):
            self._data.show_fault(found)
            return
        self._data.show_these(found)
        self._data.pane.tell(f"Only rows in which {told}. Run the query to see all.", "quiet")

    def check_totals(self) -> None:
        """Open the cross totals of the rows."""
        if self._data.pane.rows is not None:
            self.totals = CrossCheck(self._data.pane.rows, self._data.customs(), self._data.worker, self._data.pane)
            self.totals.open()

    def ask_export(self) -> None:
        """Ask for a file and write the rows into it."""
        rows = self._data.pane.rows
        if rows is None or self._data.desk.path is None:
            return
        proposed = str(self._data.desk.path.with_name(f"{rows.query}.csv"))
        name, _ = QFileDialog.getSaveFileName(
            self._data.pane, "Export the rows", proposed, "CSV (*.csv);;Parquet (*.parquet)"
        )
        if name:
            path = Path(name)
            self.export(path if path.suffix else path.with_suffix(".csv"))

    def export(self, path: Path) -> None:
        """Write the rows without the hidden columns."""
        rows, query = self._data.pane.rows, self._data.current()
        if rows is None:
            return
        hidden = (
            {c.name for c in query.columns if c.hidden} if query is not None and query.name == rows.query else set()
        )
        table = rows.table.drop_columns([n for n in rows.names if n in hidden]) if hidden else rows.table
        self._data.pane.tell(f"Writing {path.name} …", "quiet")
        self._data.worker.run_task(lambda _: write_table(table, path), self.written.emit)

    def _show_written(self, found: object) -> None:
        if isinstance(found, NorthmoorError):
            self._data.pane.tell(str(found), "fault")
        else:
            self._data.pane.tell(f"Written: {found}.", "good")
