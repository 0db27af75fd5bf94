"""Asks before a query fetches very many rows: they are counted where they are, and fetched when that is wanted."""

from collections.abc import Callable, Mapping
from typing import Protocol

from msgspec import Struct
from PyQt6.QtCore import QObject, QTimer

from northmoor.app.data.query.sentence_controller import SentenceController
from northmoor.app.data.rows.rows_pane import RowsPane
from northmoor.app.document_controller import DocumentController
from northmoor.app.language.translation import number_text, size_text, tr
from northmoor.app.widgets.preferences import own_settings, read_preferences
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import NorthmoorError
from northmoor.core.model.data.queries import Query
from northmoor.core.sources.drivers.catalog import Catalog
from northmoor.core.sources.drivers.read_only import check_query
from northmoor.core.sources.fetch.fetch_size import FetchSize, counting_sql, fetched_at_most
from northmoor.core.sources.fetch.query_resolution import dialect_of, fill_shared
from northmoor.core.sources.library import Library

_LONGEST = 5_000  # milliseconds that counting may take


class FetchHost(Protocol):
    """What asking needs of the workspace."""

    controller: DocumentController
    pane: RowsPane
    sentences: SentenceController

    @property
    def library(self) -> Library: ...
    @property
    def known_catalogs(self) -> Mapping[str, Catalog]: ...
    def fetch(self, query: str, refresh: bool) -> None: ...
    def show_plan(self) -> None: ...


class _LargeQuery(Struct, frozen=True):
    """A query of large tables: where it runs, and what it fetches at most."""

    connection: str
    sql: str
    dialect: str
    most: FetchSize


class LargeFetch(QObject):
    """Holds back fetches of more rows than the preferences say, until somebody wants them."""

    def __init__(self, data: FetchHost, parent: QObject) -> None:
        super().__init__(parent)
        self._data = data
        self._wanted: set[object] = set()
        """Queries, as connection and SQL, whose rows are wanted however many they are."""
        self._held: object = None
        """The query whose fetch is held back, with the values that it was counted with."""
        self._show_answer: Callable[[], None] = lambda: None
        self._counting: CancelToken | None = None
        self._limit = 0
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_LONGEST)
        self._timer.timeout.connect(self._end_counting)
        self._then: Callable[[int | None], None] = lambda _: None

    def holds(self, query: Query) -> bool:
        """Whether a query's fetch is held back; where its tables have very many rows, its own are counted first."""
        found = self._large(query)
        if found is None:
            self._held = None
            return False
        held = (found, dict(self._data.controller.values))
        if self._held != held:
            self._held = held
            self._count(query, found)
        elif self._counting is None:
            self._show_answer()  # another message may have replaced it
        return True

    def _large(self, query: Query) -> _LargeQuery | None:
        """A query that may fetch too many rows; None for any other."""
        self._limit = read_preferences(own_settings()).ask_above
        if query.signals is not None or query.use_sample or not self._limit:
            return None
        try:
            filled = fill_shared(query, self._data.library)
            if filled.connection is None or (filled.connection, filled.sql) in self._wanted:
                return None
            checked = check_query(filled.sql, dialect_of(query, self._data.library))
        except NorthmoorError:
            return None  # the fetch itself reports what is wrong
        most = fetched_at_most(checked, self._data.known_catalogs.get(filled.connection, Catalog()))
        if most is None or most.rows <= self._limit:
            return None
        return _LargeQuery(filled.connection, filled.sql, checked.dialect, most)

    def _count(self, query: Query, large: _LargeQuery) -> None:
        self._end_counting()
        self._data.pane.show_message(tr("Counting its rows first …"), "quiet")
        self._data.pane.show_as_old()
        self._data.show_plan()
        held = self._held

        def then(count: int | None) -> None:
            if self._held == held:
                self._judge(query.name, large, count)

        self._then = then
        counted = counting_sql(large.sql, large.dialect)
        self._counting = self._data.sentences.ask_rows(counted, self._counted, large.connection)
        self._timer.start()

    def _counted(self, answer: object) -> None:
        self._timer.stop()
        self._counting = None
        self._then(answer.table.column(0)[0].as_py() if isinstance(answer, Rows) else None)

    def _end_counting(self) -> None:
        """Stop counting that takes too long, and go by the rows of the tables."""
        self._timer.stop()
        if self._counting is not None:
            self._counting.cancel()
            self._counting = None
            self._then(None)

    def _judge(self, query: str, large: _LargeQuery, count: int | None) -> None:
        def fetch() -> None:
            self._wanted.add((large.connection, large.sql))
            self._data.fetch(query, refresh=False)

        def ask() -> None:
            up_to = tr("It would fetch up to {rows} rows{size}.")
            text = up_to if count is None else tr("It would fetch {rows} rows{size}.")
            advice = tr(
                "Add a condition or totals, so that the database sends less; Preferences say when this is asked."
            )
            fetched = large.most if count is None else FetchSize(count, large.most.row_bytes)
            size = tr(", about {size}").format(size=size_text(fetched.bytes)) if fetched.bytes is not None else ""
            message = text.format(rows=number_text(fetched.rows), size=size)
            self._data.pane.show_message(f"{message} {advice}", "warning")
            self._data.pane.offer(tr("Fetch them all"), fetch)

        self._show_answer = ask
        if count is not None and count <= self._limit:
            fetch()
        else:
            ask()
