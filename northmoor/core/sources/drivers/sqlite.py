"""SQLite through the standard library's driver: opened read-only, watched by an authorizer, stoppable at any moment.

Of the drivers that bring Arrow directly, none can be stopped in a running statement, and a query from a stranger may
run forever.
"""

import json
import re
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from datetime import date, datetime, time
from decimal import Decimal
from functools import partial
from pathlib import Path
from typing import Any
from urllib.parse import quote

import pyarrow as pa

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.gc_pause import gc_paused
from northmoor.core.base.phrases import phrase
from northmoor.core.engine.arrow_types import untyped_array
from northmoor.core.errors import ConnectionFault, QueryError
from northmoor.core.expr.identifiers import quoted
from northmoor.core.expr.placeholders import DriverSql, Placeholder, for_driver, named_position
from northmoor.core.model.data.connections import SqliteConnection
from northmoor.core.model.kinds.value_kinds import KindName
from northmoor.core.sources.drivers.catalog import Catalog, CatalogColumn, CatalogTable, ForeignKey
from northmoor.core.sources.drivers.protocol import (
    FIRST_ROWS,
    DriverHost,
    QueryRequest,
    ResultStream,
    enforce_limits,
    modified_at,
    next_batch_size,
    unique_column_names,
)
from northmoor.core.sources.drivers.server import WAIT
from northmoor.core.values.parameter_values import Listed
from northmoor.core.values.scalars import Value

_LONGEST_VALUE = 100_000_000
_OPERATIONS_BETWEEN_LOOKS = 20_000
_ERRORS = (sqlite3.Error, UnicodeDecodeError)
"""What SQLite raises: its words of a damaged file may hold names that are no text."""
_ROWS_TOGETHER = 4_000
"""Rows made columns of at a time: few enough for their values to stay in the processor's cache until they are."""
_COMMA = re.compile(r",\s*")
_READING = {sqlite3.SQLITE_SELECT, sqlite3.SQLITE_READ, sqlite3.SQLITE_FUNCTION, sqlite3.SQLITE_RECURSIVE}
_LIKELY = "windows-1252"
"""What texts are most likely in that are not in UTF-8."""


class SqliteDriver:
    """Asks an SQLite database file."""

    dialect = "sqlite"

    def __init__(self, database: Path, encoding: str = "utf-8") -> None:
        self._database, self._encoding = database, encoding

    @property
    def identity(self) -> str:
        """The file; there are no users."""
        return phrase(f"the file {self._database.name}, read-only")

    def catalog(self, stop: CancelToken, counted: bool = True) -> Catalog:
        """Tables and views; if counted, with exact numbers of rows."""
        try:
            with closing(self._open()) as connection:
                _watch(connection, stop)
                return Catalog(tuple(_tables(connection, counted)))
        except _ERRORS as error:
            stop.raise_if_cancelled()
            raise ConnectionFault(f"The tables of {self._database.name} cannot be read ({_message(error)}).") from error

    @contextmanager
    def open_stream(self, request: QueryRequest) -> Iterator[ResultStream]:
        """Run a query; types are the reader's matter, since SQLite keeps none."""
        with self._cursor("", request) as (cursor, again):
            names = unique_column_names([entry[0] for entry in cursor.description or ()])
            found: list[str] = []
            batches = enforce_limits(_batches(cursor, again, found), names, request.stop)
            yield ResultStream(names, (None,) * len(names), batches, self.data_time(), found=found)

    def check(self, request: QueryRequest) -> None:
        """Let SQLite compile the query."""
        with self._cursor("explain ", request, watched=False):
            pass

    @contextmanager
    def _cursor(
        self, before: str, request: QueryRequest, watched: bool = True
    ) -> Iterator[tuple[sqlite3.Cursor, Callable[[], sqlite3.Cursor]]]:
        """A running statement, and what runs it again over the same state of the database."""
        text, values = _bound(request)
        with closing(self._open()) as driver:
            _watch(driver, request.stop)
            if "json_each" in text.sql:  # what makes lists is set up before anything but reading is refused
                driver.execute("select 1 from json_each('[]')")
            driver.execute("begin")  # what is run again reads the same
            if watched:
                driver.set_authorizer(
                    lambda action, *_: sqlite3.SQLITE_OK if action in _READING else sqlite3.SQLITE_DENY
                )
            try:
                yield driver.execute(before + text.sql, values), lambda: driver.execute(before + text.sql, values)
            except (*_ERRORS, OverflowError) as error:
                request.stop.raise_if_cancelled()
                message = self._busy(error) or f"The database refuses it: {_message(error)}."
                at = named_position(str(error), for_driver(request.query.sql, "sqlite", lambda found: f":{found.name}"))
                raise QueryError(message, position=at) from error

    def _open(self) -> sqlite3.Connection:
        if not self._database.is_file():
            raise ConnectionFault(f"There is no file {self._database}; put it back or change the connection.")
        try:
            address = f"file:{quote(str(self._database))}?mode=ro"
            connection = sqlite3.connect(address, uri=True, check_same_thread=False, timeout=WAIT)
            if self._encoding.lower() not in ("utf-8", "utf8"):
                connection.text_factory = partial(_decoded, encoding=self._encoding)
            connection.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, _LONGEST_VALUE)
            connection.execute("pragma query_only = on")
            connection.execute("select count(*) from sqlite_master").fetchone()
        except _ERRORS as error:
            message = f"{self._database.name} cannot be opened as an SQLite database ({_message(error)})."
            raise ConnectionFault(self._busy(error) or message) from error
        return connection

    def _busy(self, error: Exception) -> str:
        """What to say when another program keeps the database locked; empty for any other error."""
        if "locked" not in str(error):
            return ""
        return f"Another program has been writing to {self._database.name} for over {WAIT} s; run it again later."

    def data_time(self) -> datetime:
        """When the file was last written."""
        journal = self._database.with_name(f"{self._database.name}-wal")
        return modified_at(self._database, *([journal] if journal.exists() else []))


def open_driver(library: DriverHost, connection: SqliteConnection) -> SqliteDriver:
    """The driver of a connection of a library."""
    return SqliteDriver(library.path(connection), connection.encoding)


def _watch(connection: sqlite3.Connection, stop: CancelToken) -> None:
    """Let a statement end soon after it is cancelled."""
    connection.set_progress_handler(lambda: int(stop.is_cancelled()), _OPERATIONS_BETWEEN_LOOKS)


def _tables(connection: sqlite3.Connection, counted: bool) -> Iterator[CatalogTable]:
    """Tables, then views, by name."""
    listed = connection.execute(
        "select name, type from sqlite_master where type in ('table', 'view') and name not like 'sqlite~_%' escape '~' "
        "order by type, name"
    )
    for name, kind in listed.fetchall():
        links = tuple(_foreign_keys(connection, name))
        columns = tuple(_columns(connection, name, links))
        is_counted = counted and kind == "table"
        count = connection.execute(f"select count(*) from {quoted(name)}").fetchone()[0] if is_counted else None
        yield CatalogTable(name, columns, count, kind == "view", keys=links)


def _columns(connection: sqlite3.Connection, table: str, links: tuple[ForeignKey, ...]) -> Iterator[CatalogColumn]:
    """The columns as they are declared, generated ones among them; not the hidden ones of virtual tables."""
    for _, name, declared, _, _, key, hidden in connection.execute(f"pragma table_xinfo({quoted(table)})"):
        link = next((link for link in links if name in link.columns), None)
        target = (
            f"{link.table}.{link.referred[link.columns.index(name)]}" if link is not None and link.referred else None
        )
        if hidden != 1:
            yield CatalogColumn(name, _COMMA.sub(", ", declared.upper()), key > 0, target)


def _foreign_keys(connection: sqlite3.Connection, table: str) -> Iterator[ForeignKey]:
    """The foreign keys; one that names no columns refers to the other table's primary key."""
    found: dict[int, list[tuple[str, str, str | None]]] = {}
    for number, _, other, own, referred, *_ in connection.execute(f"pragma foreign_key_list({quoted(table)})"):
        found.setdefault(number, []).append((other, own, referred))
    for number in sorted(found):
        pairs = found[number]
        others = tuple(referred for _, _, referred in pairs if referred is not None)
        yield ForeignKey(
            tuple(own for _, own, _ in pairs), pairs[0][0], others or _primary_key(connection, pairs[0][0])
        )


def _primary_key(connection: sqlite3.Connection, table: str) -> tuple[str, ...]:
    keyed = [(row[5], row[1]) for row in connection.execute(f"pragma table_info({quoted(table)})") if row[5]]
    return tuple(name for _, name in sorted(keyed))


def _batches(cursor: sqlite3.Cursor, again: Callable[[], sqlite3.Cursor], found: list[str]) -> Iterator[list[pa.Array]]:
    """The rows in batches; from a text that is not UTF-8 on, such texts in another encoding, which `found` tells."""
    size, count = FIRST_ROWS, 0
    while True:
        try:
            batch = _batch(cursor, size)
        except sqlite3.OperationalError as error:
            if "Could not decode" not in str(error) or found:
                raise
            cursor = _decoding(cursor, again, count, found)
            continue
        if not batch:
            return
        yield batch
        count += len(batch[0])
        size = min(next_batch_size(batch), _ROWS_TOGETHER)


def _decoding(
    cursor: sqlite3.Cursor, again: Callable[[], sqlite3.Cursor], count: int, found: list[str]
) -> sqlite3.Cursor:
    """The statement run again and past the rows that have been read, with texts in the encoding that is likely."""
    strange: list[bytes] = []

    def decoded(data: bytes) -> str:
        try:
            return data.decode()
        except UnicodeDecodeError:
            strange.append(data)
            return _decoded(data, _LIKELY)

    cursor.connection.text_factory = decoded
    row = next(number for number, _ in enumerate(again(), 1) if strange)
    found.append(
        f"Row {row:,} has a text that is not in UTF-8; such texts are read as {_LIKELY}. "
        "Set the encoding of its connection if they look wrong."
    )
    rest = again()
    for _ in range(count):
        rest.fetchone()
    return rest


def _message(error: Exception) -> str:
    """SQLite's message."""
    return "a name in it is no text in UTF-8" if isinstance(error, UnicodeDecodeError) else str(error)


def _decoded(data: bytes, encoding: str) -> str:
    """A text in an encoding; what it cannot be in that is marked. Raises sqlite3.OperationalError for no encoding."""
    try:
        return data.decode(encoding, "replace")
    except LookupError as error:
        message = f"there is no character encoding {encoding}; set for example utf-8 or windows-1252"
        raise sqlite3.OperationalError(message) from error


def _batch(cursor: sqlite3.Cursor, size: int) -> list[pa.Array]:
    """The columns of the next rows; none when there are no more."""
    with gc_paused():
        rows = cursor.fetchmany(size)
        return [untyped_array(column) for column in zip(*rows, strict=True)]


def _bound(request: QueryRequest) -> tuple[DriverSql, dict[str, Any]]:
    """The text and its values as SQLite wants them.

    A list is bound as one value of JSON: SQLite has none of its own. It compares days and moments as texts, so that one
    is bound in the form of the column that it is compared with, as other databases do.
    """
    values: dict[str, Any] = {}
    kinds = iter(request.compared)

    def form(placeholder: Placeholder) -> str:
        value, kind = request.values[placeholder.name], next(kinds, None)
        kind = kind if kind in ("date", "timestamp") else None
        name = f"{placeholder.name}_as_{kind}" if kind is not None else placeholder.name
        while name in request.values and name != placeholder.name:
            name += "_"
        values[name] = stored(value, kind)
        return f"select value from json_each(:{name})" if request.listed(placeholder) is not None else f":{name}"

    return for_driver(request.exact_sql or request.query.sql, "sqlite", form), values


def stored(value: Value | Listed, kind: KindName | None = None) -> Any:
    """A value as SQLite compares it: it has no decimals, dates, booleans or lists of its own.

    A midnight compared with days is a day, and a day compared with moments is a midnight.
    """
    if isinstance(value, datetime) and kind == "date" and value.time() == time():
        value = value.date()
    if isinstance(value, date) and not isinstance(value, datetime) and kind == "timestamp":
        value = datetime.combine(value, time())
    if isinstance(value, tuple):
        return json.dumps([stored(entry, kind) for entry in value], ensure_ascii=False)
    if isinstance(value, bool):
        return int(value)
    if isinstance(value, Decimal):
        return int(value) if value == value.to_integral_value() and abs(value) < 2**63 else float(value)
    if isinstance(value, datetime):
        return value.isoformat(" ")
    if isinstance(value, date):
        return value.isoformat()
    return value
