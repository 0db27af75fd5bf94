"""Signal logs in the Data workspace: declaring them, and adding and changing queries over them."""

import itertools
from collections.abc import Callable
from functools import partial
from typing import Protocol

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QDialog, QWidget

from northmoor.app.data.catalog_tree import CatalogPanel
from northmoor.app.data.query.query_actions import QueryActions
from northmoor.app.data.query.sql_editor import SqlEditor
from northmoor.app.data.signals.log_commands import LogCommand, log_commands
from northmoor.app.data.signals.log_dialog import LogDialog
from northmoor.app.data.signals.measurements_dialog import MeasurementsDialog
from northmoor.app.data.signals.signal_sentence import SignalSentence
from northmoor.app.data.signals.span_strip import SpanStrip
from northmoor.app.data.signals.spans_dialog import LogContext, SpansDialog
from northmoor.app.document_controller import DocumentController
from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr
from northmoor.app.worker import Worker
from northmoor.core.authoring.starters.signal_blocks import with_blocks_of
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import NorthmoorError
from northmoor.core.model import edits
from northmoor.core.model.data.connections import Connection
from northmoor.core.model.data.queries import Link, LinkedColumns, Query
from northmoor.core.model.data.signal_logs import SignalLog
from northmoor.core.model.data.signal_queries import MeasurementsQuery, SignalQuery, SpansQuery
from northmoor.core.model.report import Report
from northmoor.core.session import Session
from northmoor.core.sources.drivers.catalog import Catalog, CatalogTable
from northmoor.core.sources.fetch.log_survey import LogSource, LogSurvey, RowsAsLog, TableAsLog, survey_log
from northmoor.core.sources.fetch.plan import Step, log_sql, plan
from northmoor.core.sources.fetch.query_resolution import resolve
from northmoor.core.sources.fetch.signal_rows import CutPicture
from northmoor.core.sources.library import Library
from northmoor.core.sources.signals.results import column_settings

_PICTURED = "pictured_spans"


class SignalHost(Protocol):
    """What this needs of the workspace."""

    controller: DocumentController
    catalog_worker: Worker
    panel: CatalogPanel
    queries: QueryActions
    editor: SqlEditor

    @property
    def library(self) -> Library: ...
    def current(self) -> Query | None: ...
    def fetch(self, query: str, refresh: bool) -> None: ...
    def show_fault(self, error: NorthmoorError) -> None: ...
    def show_log_sql(self, sql: str) -> None: ...


class SignalController(QObject):
    """Shows the current query as a sentence over a signal log, with a picture of the cut where it is one for spans."""

    _answered = pyqtSignal(object)

    def __init__(self, data: SignalHost, parent: QObject) -> None:
        super().__init__(parent)
        self._data = data
        self.sentence, self.strip = SignalSentence(), SpanStrip()
        self._surveys: dict[tuple[str | None, SignalLog], LogSurvey] = {}
        self._numbers = itertools.count()
        self._asked: dict[int, tuple[CancelToken, Callable[[object], None]]] = {}
        self._sent: tuple[object, object, str, tuple[Step, ...]] = (None, None, "", ())
        """A query over a log, the log, the SQL that is sent, and the plan."""
        self._sent_by: Library | None = None
        """The library in which that is so."""
        self._pictured: object = None
        """What the picture that is shown follows from."""
        self._answered.connect(self._give_answer)
        self.sentence.edit_wanted.connect(lambda field: self.change(field))
        self.strip.object_chosen.connect(lambda name: self._picture_current(name))
        for widget in (self.sentence, self.strip):
            widget.hide()

    # asking on the side

    def _ask(self, task: Callable[[Session, CancelToken], object], done: Callable[[object], None]) -> None:
        number = next(self._numbers)
        send = self._answered.emit
        stop = self._data.catalog_worker.ask_session(self._data.library, task, lambda found: send((number, found)))
        self._asked[number] = (stop, done)

    def _give_answer(self, found: tuple[int, object]) -> None:
        """Give an answer to who asked, in the window's thread; to nobody who has gone meanwhile."""
        number, answer = found
        stop, done = self._asked.pop(number)
        if not stop.is_cancelled():
            done(answer)

    def _forget_asked(self, others: frozenset[int]) -> None:
        """Stop what was asked for a dialog that is closed, but not the others."""
        for number, (stop, _) in self._asked.items():
            if number not in others:
                stop.cancel()

    # showing

    def show_query(self, query: Query | None) -> bool:
        """Show a query over a signal log, and whether it is one."""
        is_one = query is not None and query.signals is not None
        is_cut = query is not None and isinstance(query.signals, SpansQuery)
        self.sentence.setVisible(is_one)
        self.strip.setVisible(is_cut)
        if query is None or query.signals is None:
            return False
        log = self._log_of(query)
        self.sentence.show_query(query.signals, log is not None and _has_objects(log))
        self._ask_sql(query, log)
        wanted = (query.name, query.signals, log, dict(self._data.controller.values))
        if is_cut and wanted != self._pictured:
            self._pictured = wanted
            self._picture_current("")
        return True

    def sql_of(self, query: Query) -> str:
        """The SQL that a query over a log sends, once that is known."""
        return self._sent[2] if self._sent[0] == query else ""

    def plan_of(self, query: Query) -> tuple[Step, ...] | str:
        """Where each of its steps runs, likewise."""
        return self._sent[3] if self._sent[0] == query else tr("It is being made.")

    def _ask_sql(self, query: Query, log: SignalLog | None) -> None:
        """Ask what a query sends: its connection has to be asked what its columns are."""
        report, library = self._data.controller.report, self._data.library
        assert report is not None
        if self._sent[:2] == (query, log) and self._sent_by is library:
            return

        def ask(_: Session, __: CancelToken) -> object:
            return log_sql(report, query.name, library), plan(report, query.name, library)

        def show(found: object) -> None:
            if isinstance(found, NorthmoorError):
                self._sent = (query, log, f"-- {core_text(found)}", ())
            elif isinstance(found, tuple):
                self._sent = (query, log, *found)
            self._sent_by = library
            if self._data.current() == query:
                self._data.show_log_sql(self._sent[2])

        self._ask(ask, show)

    def _log_of(self, query: Query) -> SignalLog | None:
        report = self._data.controller.report
        if report is None:
            return None
        try:
            place = resolve(report, query.name, self._data.library).log
        except NorthmoorError:
            return None
        return place.log if place is not None else None

    def _picture_current(self, name: str) -> None:
        query = self._data.current()
        if query is not None and isinstance(query.signals, SpansQuery):
            self._ask_picture(query, query.signals, self.strip, name)

    def _ask_picture(self, query: Query, signals: SpansQuery, strip: SpanStrip, name: str) -> None:
        """Give a strip the picture of a cut, later."""
        report, values = self._data.controller.report, self._data.controller.values
        assert report is not None
        aside = query.but(name=_PICTURED, signals=signals, detail_of=None, columns=(), use_sample=False)
        tried = report.but(queries=(*report.queries, aside))

        def ask(session: Session, stop: CancelToken) -> object:
            resolved = session.resolve_parameters(tried, values, stop, designing=True, forgiving=True)
            known = resolved.values_for(session.names_in(tried, _PICTURED))
            work = session.log_work(tried, _PICTURED, known, stop)
            return work.objects, work.picture(name if name in work.objects else work.objects[0] if work.objects else "")

        def show(found: object) -> None:
            if isinstance(found, NorthmoorError):
                strip.show_picture(found, report.zone)
            elif isinstance(found, tuple) and isinstance(found[1], CutPicture):
                strip.show_objects(found[0], found[1].object)
                strip.show_picture(found[1], report.zone)

        self._ask(ask, show)

    # logs

    def declare(self, connection: str, table: str) -> None:
        """Ask what a table's columns mean as a signal log, and keep it with the connection."""
        report = self._data.controller.report
        found = self._catalog(connection).table(table)
        if report is None or found is None:
            return
        known = self._data.library.connection(connection)
        source = TableAsLog(self._data.library, known, found, report.time_zone)
        dialog = LogDialog(source, self._data.catalog_worker, self._data.panel)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            log = dialog.log()
            self._keep(known, (*(each for each in known.logs if each.table != table), log))

    def declare_rows(self, query: Query, rows: Rows) -> None:
        """Ask what the columns of a query's rows mean as a signal log, and keep it with the query."""
        report = self._data.controller.report
        assert report is not None
        source = RowsAsLog(self._data.library, query, rows, report.time_zone)
        dialog = LogDialog(source, self._data.catalog_worker, self._data.panel)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            log = dialog.log().but(name=query.name, table=None)  # queries over it name the query
            self._data.controller.edit(
                tr("Use as a signal log"), lambda r, _: edits.change_query(r, query.name, log=log)
            )

    def entries_of_query(self, query: Query, rows: Rows | None) -> list[tuple[str, object]]:
        """What can be done with the rows of a query as a signal log, for its menu."""
        if query.signals is not None:
            return []
        text = tr("Change the signal log …") if query.log is not None else tr("Use its rows as a signal log …")
        return [("", None), (text, (lambda: self.declare_rows(query, rows)) if rows is not None else None)]

    def forget_log(self, connection: str, table: str) -> None:
        """Let a table be no signal log any more."""
        known = self._data.library.connection(connection)
        self._keep(known, tuple(log for log in known.logs if log.table != table))

    def _keep(self, connection: Connection, logs: tuple[SignalLog, ...]) -> None:
        try:
            self._data.library.add(connection.but(logs=logs), instead_of=connection.name)
        except NorthmoorError as error:
            self._data.show_fault(error)
            return
        self._data.controller.changed.emit()

    def _catalog(self, connection: str) -> Catalog:
        try:
            return self._data.library.catalog(connection, CancelToken(), counted=False)
        except NorthmoorError as error:
            self._data.show_fault(error)
            return Catalog()

    def log_of_table(self, connection: str, table: str) -> SignalLog | None:
        """The signal log that a table is declared as."""
        return next((log for log in self._data.library.connection(connection).logs if log.table == table), None)

    # queries

    def entries_of_table(self, connection: str, table: str) -> list[tuple[str, object]]:
        """What can be done with a table as a signal log, for its menu."""
        log = self.log_of_table(connection, table)
        if log is None:
            return [(tr("Use as a signal log …"), lambda: self.declare(connection, table))]
        return [
            (tr("Spans of it …"), lambda: self.add_spans(connection, log)),
            (tr("Measure its signals …"), lambda: self.add_measurements(connection, log)),
            (tr("Change the signal log …"), lambda: self.declare(connection, table)),
            (tr("Stop using it as a signal log"), lambda: self.forget_log(connection, table)),
        ]

    def entries_of_logs(self) -> list[tuple[str, object]]:
        """New queries over the library's signal logs, for a menu."""
        found = log_commands(self._data.library, self._data.controller.report)
        entries: list[tuple[str, object]] = [(f"{each.text} …", partial(self.begin, each)) for each in found]
        return [("", None), *entries] if entries else []

    def begin(self, command: LogCommand) -> None:
        """Ask for a new query over a log."""
        add = self.add_spans if command.makes_spans else self.add_measurements
        add(command.connection, command.log)

    def add_spans(self, connection: str | None, log: SignalLog) -> None:
        """Ask for spans of a log, and add the query for them."""
        query = Query(name=self._data.queries.free_name("spans"), connection=connection)
        self._ask_spans(query, log, None, "objects", lambda made: self._add(query, made, log))

    def add_measurements(self, connection: str | None, log: SignalLog) -> None:
        """Ask what is measured of a log, and add the query for it."""
        query = Query(name=self._data.queries.free_name("measured"), connection=connection)
        self._ask_measurements(query, log, None, "signals", lambda made, page: self._add(query, made, log, page))

    def _add(self, query: Query, made: SignalQuery, log: SignalLog, on_page: str = "") -> None:
        report = self._data.controller.report
        assert report is not None
        link = link_to_spans(report, made, log)
        added = query.but(signals=made, columns=column_settings(made, log), detail_of=link)
        self._data.queries.add(added)
        if on_page:
            label = tr("Place {name} on the page").format(name=query.name)
            self._data.controller.edit(label, lambda r, e: with_blocks_of(r, e, added, log, on_page == "trend"))

    def change(self, field: str) -> None:
        """Open the dialog of the current query at one of its fields."""
        query = self._data.current()
        log = self._log_of(query) if query is not None else None
        if query is None or query.signals is None or log is None:
            if query is not None:
                self._data.fetch(query.name, refresh=False)  # it says what is wrong
            return
        if isinstance(query.signals, SpansQuery):
            self._ask_spans(query, log, query.signals, field, lambda made: self._changed(query, made, log))
        else:
            self._ask_measurements(query, log, query.signals, field, lambda made, _: self._changed(query, made, log))

    def _changed(self, query: Query, made: SignalQuery, log: SignalLog) -> None:
        report = self._data.controller.report
        assert report is not None
        own = {column.name: column for column in query.columns}
        columns = tuple(own.get(column.name, column) for column in column_settings(made, log))
        changes = {"signals": made, "columns": columns, "detail_of": link_to_spans(report, made, log)}
        if self._data.controller.edit(
            tr("Change what is read of the log"), lambda r, _: edits.change_query(r, query.name, **changes)
        ):
            self._data.fetch(query.name, refresh=False)

    def _ask_spans(
        self, query: Query, log: SignalLog, given: SpansQuery | None, field: str, done: Callable[[SpansQuery], None]
    ) -> None:
        def picture(signals: SpansQuery, strip: SpanStrip) -> None:
            self._ask_picture(query, signals, strip, strip.objects.currentText())

        others = frozenset(self._asked)
        dialog = SpansDialog(given, self._around(query, log), picture, self._data.panel)
        _begin_with(dialog, field)
        accepted = dialog.exec() == QDialog.DialogCode.Accepted
        self._forget_asked(others)
        if accepted:
            done(dialog.query())

    def _ask_measurements(
        self, query: Query, log: SignalLog, given: MeasurementsQuery | None, field: str,
        done: Callable[[MeasurementsQuery, str], None],
    ) -> None:  # fmt: skip
        around, others = self._around(query, log), frozenset(self._asked)
        dialog = MeasurementsDialog(given, around, self._data.panel)
        if around.survey is None:
            self._ask_survey(query.connection, log, dialog.signals.show_survey)
        _begin_with(dialog, field)
        accepted = dialog.exec() == QDialog.DialogCode.Accepted
        self._forget_asked(others)
        if accepted:
            done(dialog.query(), dialog.on_page.currentData())

    def _around(self, query: Query, log: SignalLog) -> LogContext:
        report = self._data.controller.report
        assert report is not None
        spans = [q.name for q in report.queries if q.name != query.name and _gives_spans(q)]
        survey = self._surveys.get((query.connection, log))
        return LogContext(log, survey, report.value_names, tuple(spans))

    def _ask_survey(self, connection: str | None, log: SignalLog, show: Callable[[LogSurvey], None]) -> None:
        library, report, values = self._data.library, self._data.controller.report, self._data.controller.values
        assert report is not None

        def ask(session: Session, stop: CancelToken) -> object:
            if connection is not None:
                known = library.connection(connection)
                table = library.catalog(connection, stop, counted=False).table(log.table or "")
                source: LogSource = TableAsLog(library, known, table or CatalogTable("", (), None), report.time_zone)
            else:
                resolved = session.resolve_parameters(report, values, stop, designing=True, forgiving=True)
                rows = session.rows(report, log.name, resolved.values_for(session.names_in(report, log.name)), stop)
                source = RowsAsLog(library, report.query(log.name), rows, report.time_zone)
            return survey_log(source.reader(log, stop))

        def take(found: object) -> None:
            if isinstance(found, LogSurvey):
                self._surveys[connection, log] = found
                show(found)

        self._ask(ask, take)


def link_to_spans(report: Report, made: SignalQuery, log: SignalLog) -> Link | None:
    """What makes measurements details of the spans that bound them, so that blocks in a for-each over spans show
    their own."""
    if not isinstance(made, MeasurementsQuery) or made.spans is None:
        return None
    if not isinstance(report.query(made.spans).signals, SpansQuery):
        return None
    names = ["object", "ordinal"] if _has_objects(log) else ["ordinal"]
    return Link(query=made.spans, columns=tuple(LinkedColumns(own=name, other=name) for name in names))


def _gives_spans(query: Query) -> bool:
    """Whether a query's rows are spans, as far as is known without running it."""
    names = {column.name for column in query.columns}
    return isinstance(query.signals, SpansQuery) or (query.signals is None and {"start", "end"} <= names)


def _has_objects(log: SignalLog) -> bool:
    return log.object is not None or log.separator is not None


def _begin_with(dialog: QDialog, field: str) -> None:
    """Put the keyboard into the field that was asked for."""
    part = getattr(dialog, "still_open" if field == "open" else field, None)
    if isinstance(part, QWidget):
        part.setFocus()
