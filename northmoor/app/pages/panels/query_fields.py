"""The fields of the report's queries, read beside the window: also of queries that nothing on the pages shows."""

from collections.abc import Mapping
from typing import Any

from msgspec import Struct, field
from PyQt6.QtCore import QObject, pyqtSignal

from northmoor.app.document_controller import DocumentController
from northmoor.app.worker import Worker
from northmoor.core.authoring.starters.new_report import fields_of, keys_read
from northmoor.core.authoring.starters.starter_layouts import Field
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.model.data.queries import Query
from northmoor.core.model.kinds.value_types import ValueType
from northmoor.core.model.report import Report
from northmoor.core.session import Session


class QueryFields(Struct, frozen=True):
    """A query's fields with the types of their values; `fault` says why there are none."""

    fields: tuple[Field, ...] = ()
    types: Mapping[str, ValueType] = field(default_factory=dict)
    fault: str = ""


def read_query_fields(
    session: Session, report: Report, query: Query, values: Mapping[str, Any], stop: CancelToken
) -> QueryFields:
    """The fields of a query, as its rows and the tables that it reads show them. Raises as `Session.rows`."""
    resolved = session.resolve_parameters(report, values, stop, designing=True, forgiving=True)
    rows = session.rows(report, query.name, resolved.complete_values(), stop)
    fields = fields_of(rows, query, keys_read(report, query, session.library, stop))
    return QueryFields(fields, dict(zip(rows.names, rows.types, strict=True)))


class FieldReader(QObject):
    """Reads the fields of queries once each, and tells when those of one are there."""

    read = pyqtSignal(str)
    _answered = pyqtSignal(object)

    def __init__(self, controller: DocumentController, worker: Worker, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._controller, self._worker = controller, worker
        self._known: dict[str, tuple[Query, QueryFields | None]] = {}
        self._answered.connect(self._take)
        self._reading: CancelToken | None = None
        controller.opened.connect(self._known.clear)
        for signal in (controller.changed, controller.values_changed):
            signal.connect(self.stop)  # pages come first

    def stop(self) -> None:
        """Read no more; what is not read yet is asked for again when it is needed."""
        if self._reading is not None:
            self._reading.cancel()
        self._reading = None
        self._known = {name: known for name, known in self._known.items() if known[1] is not None}

    def fields(self, name: str, is_read: bool = True) -> QueryFields | None:
        """The fields of a query of the report; None while they are not known. Their reading begins now, if wanted."""
        report, library = self._controller.report, self._controller.library
        assert report is not None
        query = report.query(name)
        known = self._known.get(name)
        if known is not None and known[0] == query:
            return known[1]
        if not is_read:
            return None
        self._known[name] = (query, None)
        values = self._controller.values
        if library is not None:
            self._reading = self._worker.ask_session(
                library,
                lambda session, stop: (query, read_query_fields(session, report, query, values, stop)),
                lambda found: self._answered.emit(found if isinstance(found, tuple) else (query, found)),
            )
        return None

    def _take(self, found: tuple[Query, object]) -> None:
        query, fields = found
        if self._known.get(query.name) != (query, None):
            return  # it was changed or stopped meanwhile
        if not isinstance(fields, QueryFields):
            fields = QueryFields(fault=str(getattr(fields, "message", fields)))
        self._known[query.name] = (query, fields)
        self.read.emit(query.name)
