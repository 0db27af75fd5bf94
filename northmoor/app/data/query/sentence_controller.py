"""Keeps a query's sentence and its SQL the same: each follows the other, and a step changes only its own piece."""

import itertools
from collections.abc import Callable, Mapping
from functools import partial
from typing import Protocol

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from northmoor.app.data.query.sentence_context import SentenceContext
from northmoor.app.data.query.sentence_view import SentenceView
from northmoor.app.data.query.sql_editor import SqlEditor
from northmoor.app.document_controller import DocumentController
from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr
from northmoor.app.worker import Worker
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import NorthmoorError, QueryError, RefusedQuery
from northmoor.core.expr.identifiers import bare_or_quoted, sql_table
from northmoor.core.model import edits
from northmoor.core.model.data.queries import Query
from northmoor.core.model.parameters import Parameter
from northmoor.core.session import Session
from northmoor.core.sources.builder.edits import computed_item
from northmoor.core.sources.builder.pivoting import read_pivots
from northmoor.core.sources.builder.select_model import SelectModel
from northmoor.core.sources.builder.select_parser import parse_select
from northmoor.core.sources.builder.select_writer import rewrite_select
from northmoor.core.sources.builder.source_text import keyword_of
from northmoor.core.sources.drivers.catalog import Catalog, CatalogColumn, CatalogTable
from northmoor.core.sources.fetch.query_resolution import dialect_of, fill_shared
from northmoor.core.sources.library import Library

_SETTLE = 350  # milliseconds without typing before the sentence follows the SQL
_ASIDE = "asked_aside"
_OF_LIBRARY = tr("This is a query of the library; make it this report's own first (⋯ beside its name).")
_NO_SENTENCE = tr("This SQL has more in it than the sentence can show. It runs as written at the right.")


class SentenceHost(Protocol):
    """What the sentence needs of the workspace."""

    controller: DocumentController
    catalog_worker: Worker
    sentence: SentenceView
    editor: SqlEditor

    @property
    def library(self) -> Library: ...
    @property
    def known_catalogs(self) -> Mapping[str, Catalog]: ...
    def current(self) -> Query | None: ...
    def column_names(self, query: str) -> list[str]: ...
    def run(self, label: str) -> None: ...
    def run_quietly(self) -> None: ...
    def show_fault(self, error: NorthmoorError) -> None: ...


class SentenceController(QObject):
    """Shows the current query's SQL as a sentence, and writes the sentence's steps into the SQL."""

    settled = pyqtSignal()
    """The SQL, or what it can refer to, is another one."""
    _answered = pyqtSignal(object)

    def __init__(self, data: SentenceHost, parent: QObject) -> None:
        super().__init__(parent)
        self._data = data
        self._numbers = itertools.count()
        self._asked: dict[int, tuple[CancelToken, Callable[[object], None]]] = {}
        """What is asked on the side, by number: what stops it, and who waits for the answer."""
        self._answered.connect(self._give_answer)
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.setInterval(_SETTLE)
        self._settle.timeout.connect(self.show_sentence)
        data.sentence.changed.connect(self._take_step)
        data.sentence.sql_wanted.connect(data.editor.setFocus)
        data.sentence.rewrite_wanted.connect(self._write)
        data.editor.textChanged.connect(self._typed)

    def around(self, query: Query) -> SentenceContext:
        """What a query's sentence can refer to; a combined one refers to the other queries."""
        report = self._data.controller.report
        assert report is not None
        parameters = report.value_names
        try:
            dialect = dialect_of(query, self._data.library)
            connection = fill_shared(query, self._data.library).connection
        except NorthmoorError:
            return SentenceContext(parameters=parameters)
        keyword = keyword_of(self._data.editor.text())
        if connection is not None:
            known = self._data.known_catalogs.get(connection, Catalog())
            return SentenceContext(known, dialect, parameters, self._ask_rows, keyword)
        others = [q for q in report.queries if q.name != query.name]
        tables = [CatalogTable(q.name, self._columns_of(q.name), None) for q in others]
        return SentenceContext(Catalog(tuple(tables)), dialect, parameters, self._ask_rows, keyword)

    def _columns_of(self, query: str) -> tuple[CatalogColumn, ...]:
        return tuple(CatalogColumn(name, "") for name in self._data.column_names(query))

    def _ask_rows(self, sql: str, done: Callable[[object], None]) -> CancelToken:
        """Ask the rows of an SQL text on what the current query runs on."""
        query = self._data.current()
        assert query is not None
        return self.ask_rows(sql, done, fill_shared(query, self._data.library).connection)

    def ask_rows(self, sql: str, done: Callable[[object], None], connection: str | None) -> CancelToken:
        """Ask the rows of an SQL text on a connection, or on the other queries; nothing of it stays in the report."""
        report, values = self._data.controller.report, self._data.controller.values
        assert report is not None
        aside = Query(name=_ASIDE, connection=connection, sql=sql)
        tried = report.but(queries=(*report.queries, aside))

        def ask(session: Session, stop: CancelToken) -> object:
            resolved = session.resolve_parameters(tried, values, stop, designing=True, forgiving=True)
            return session.rows(tried, _ASIDE, resolved.values_for(session.names_in(tried, _ASIDE)), stop)

        number = next(self._numbers)
        send = self._answered.emit
        asked = self._data.catalog_worker.ask_session(self._data.library, ask, lambda found: send((number, found)))
        self._asked[number] = (asked, done)
        return asked

    def _give_answer(self, found: tuple[int, object]) -> None:
        """Give an answer to who asked, in the window's thread; to nobody who has stopped the asking."""
        number, answer = found
        stop, done = self._asked.pop(number)
        if not stop.is_cancelled():
            done(answer)

    def show_sentence(self) -> None:
        """Show the SQL in the editor as a sentence, and offer its names while one types."""
        query = self._data.current()
        if query is None:
            return
        self._settle.stop()
        around, sql, sentence = self.around(query), self._data.editor.text(), self._data.sentence
        words = list(around.parameters)
        for table in around.catalog.tables:
            columns = (bare_or_quoted(column.name, around.dialect) for column in table.columns)
            words += [sql_table(table.name, around.dialect), *columns]
        self._data.editor.set_completions(words)
        try:
            found = parse_select(sql, around.dialect) if sql.strip() else None
        except RefusedQuery as error:
            sentence.show_message(core_text(error.message))
        else:
            if not sql.strip():
                sentence.show_beginning(around)
            elif found is None:
                sentence.show_message(_NO_SENTENCE)
            elif (found, found.places, around) != (sentence.sentence, sentence.places, sentence.around):
                sentence.show_sentence(found, around)
        self.settled.emit()

    def _typed(self) -> None:
        self._data.editor.mark_fault(None)
        self._settle.start()

    def _take_step(self, label: str, changed: SelectModel, parameter: Parameter | None) -> None:
        if self._settle.isActive() and self._data.sentence.sentence is not None:
            self.show_sentence()
            self._data.show_fault(QueryError(tr("The SQL has changed since; check the sentence and try again.")))
            return
        if parameter is not None:
            self._add_parameter(label, changed, parameter)
        else:
            self._write(label, lambda sql, dialect: rewrite_select(sql, changed, dialect))

    def _add_parameter(self, label: str, changed: SelectModel, parameter: Parameter) -> None:
        """Change the SQL by a step that needs a parameter, which the report gets in the same step."""
        query = self._data.current()
        if query is None:
            return
        try:
            if query.shared is not None:
                raise QueryError(_OF_LIBRARY)
            sql = rewrite_select(self._data.editor.text(), changed, self.around(query).dialect)
        except NorthmoorError as error:
            self._data.show_fault(error)
            return
        if self._data.controller.edit(
            label, lambda r, _: edits.change_query(edits.add_parameter(r, parameter), query.name, sql=sql)
        ):
            self._data.run_quietly()

    def apply(self, label: str, change: Callable[[SelectModel, str], SelectModel]) -> None:
        """Change the current query's sentence, given with its dialect, by a step, and run it."""

        def write(sql: str, dialect: str) -> str:
            sentence = parse_select(sql, dialect)
            if sentence is None:
                raise QueryError(_NO_SENTENCE)
            return rewrite_select(sql, change(sentence, dialect), dialect)

        self._write(label, write)

    def computing_of(self, column: str) -> Callable[[], None] | None:
        """What asks how a column of the result is computed; None for one that is a table's."""
        view = self._data.sentence
        at = computed_item(view.sentence, column) if view.sentence is not None else None
        if at is None or view.sentence is None:
            return None
        pivots = enumerate(read_pivots(view.sentence, view.around.dialect))
        of_pivot = next((number for number, each in pivots if each.first <= at < each.end), None)
        return partial(view.steps.edit_computed, at) if of_pivot is None else partial(view.steps.edit_pivot, of_pivot)

    def _write(self, label: str, change: Callable[[str, str], str]) -> None:
        """Change the SQL by a step, and run it; everything that the step does not concern stays."""
        query = self._data.current()
        if query is None:
            return
        try:
            sql = change(self._data.editor.text(), self.around(query).dialect)
        except NorthmoorError as error:
            self._data.show_fault(error)
            return
        self._data.editor.setText(sql)
        self.show_sentence()
        self._data.run(label)
