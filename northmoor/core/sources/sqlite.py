"""SQLite through SQLAlchemy: opened read-only, watched by an authorizer, stoppable at any moment.

Rows come through Python's own driver: of the drivers that bring Arrow directly, none can be stopped in a running
statement, and a query from a stranger may run forever.
"""

import sqlite3
import threading
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any
from urllib.parse import quote

import sqlalchemy as sa
from sqlalchemy.pool import NullPool

from northmoor.core.errors import ConnectionFault, Place, QueryError
from northmoor.core.sources.values import Value
from northmoor.core.stopping import Stop

CHUNK = 50_000
MOST_ROWS = 20_000_000
_LONGEST_VALUE = 100_000_000
_OPERATIONS_BETWEEN_LOOKS = 20_000
_READING = {sqlite3.SQLITE_SELECT, sqlite3.SQLITE_READ, sqlite3.SQLITE_FUNCTION, sqlite3.SQLITE_RECURSIVE}


@dataclass(frozen=True)
class CatalogColumn:
    """A column as the database declares it; `references` is ``table.column`` for a foreign key."""

    name: str
    type: str
    is_key: bool = False
    references: str | None = None


@dataclass(frozen=True)
class CatalogTable:
    """A table or view with its columns and number of rows (None for views, which would have to be run)."""

    name: str
    columns: tuple[CatalogColumn, ...]
    rows: int | None
    is_view: bool = False


def _open(database: Path) -> sqlite3.Connection:
    if not database.is_file():
        raise ConnectionFault(f"There is no file {database}; put it back or change the connection.")
    try:
        address = f"file:{quote(str(database))}?mode=ro"
        connection = sqlite3.connect(address, uri=True, check_same_thread=False, timeout=10)
        connection.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, _LONGEST_VALUE)
        connection.execute("pragma query_only = on")
        connection.execute("select count(*) from sqlite_master").fetchone()
    except sqlite3.Error as error:
        raise ConnectionFault(f"{database.name} cannot be opened as an SQLite database ({error}).") from error
    return connection


def _engine(database: Path) -> sa.Engine:
    return sa.create_engine("sqlite://", creator=lambda: _open(database), poolclass=NullPool)


_catalogs: dict[tuple[Path, int], tuple[CatalogTable, ...]] = {}
_catalogs_lock = threading.Lock()


def read_catalog(database: Path) -> tuple[CatalogTable, ...]:
    """The tables and views of a database. Raises ConnectionFault when it cannot be read."""
    if not database.is_file():
        raise ConnectionFault(f"There is no file {database}; put it back or change the connection.")
    key = (database, database.stat().st_mtime_ns)
    with _catalogs_lock:
        if key not in _catalogs:
            _catalogs.clear()
            _catalogs[key] = _read_catalog(database)
        return _catalogs[key]


def _read_catalog(database: Path) -> tuple[CatalogTable, ...]:
    try:
        with _engine(database).connect() as connection:
            inspector = sa.inspect(connection)
            tables = [_table(connection, inspector, name, False) for name in inspector.get_table_names()]
            views = [_table(connection, inspector, name, True) for name in inspector.get_view_names()]
    except sa.exc.SQLAlchemyError as error:
        raise ConnectionFault(f"The tables of {database.name} cannot be read ({_told(error)}).") from error
    return (*tables, *views)


def _table(connection: sa.Connection, inspector: sa.Inspector, name: str, is_view: bool) -> CatalogTable:
    keys = set() if is_view else set(inspector.get_pk_constraint(name)["constrained_columns"])
    references = (
        {}
        if is_view
        else {
            own: f"{key['referred_table']}.{other}"
            for key in inspector.get_foreign_keys(name)
            for own, other in zip(key["constrained_columns"], key["referred_columns"] or [""], strict=False)
        }
    )
    columns = tuple(
        CatalogColumn(c["name"], _declared(c["type"]), c["name"] in keys, references.get(c["name"]))
        for c in inspector.get_columns(name)
    )
    rows = None if is_view else connection.execute(sa.select(sa.func.count()).select_from(sa.table(name))).scalar()
    return CatalogTable(name, columns, rows, is_view)


def _declared(kind: Any) -> str:
    return "" if isinstance(kind, sa.types.NullType) else str(kind)


@dataclass(frozen=True)
class Cursor:
    """A running query: the names of its columns, and its rows column by column, a chunk at a time."""

    names: tuple[str, ...]
    chunks: Iterator[list[list[Any]]]


@contextmanager
def running(database: Path, sql: str, values: Mapping[str, Value], stop: Stop, place: Place) -> Iterator[Cursor]:
    """Run a checked query with its values bound.

    Raises QueryError in the database's words, ConnectionFault, or Stopped.
    """
    with _engine(database).connect() as connection:
        driver = connection.connection.driver_connection
        assert driver is not None
        driver.set_authorizer(lambda action, *_: sqlite3.SQLITE_OK if action in _READING else sqlite3.SQLITE_DENY)
        driver.set_progress_handler(lambda: int(stop.is_set()), _OPERATIONS_BETWEEN_LOOKS)
        try:
            cursor = driver.execute(sql, {name: stored(value) for name, value in values.items()})
            names = unique_column_names([entry[0] for entry in cursor.description or ()])
            yield Cursor(names, _chunks(cursor, len(names), stop, place))
        except (sqlite3.Error, OverflowError) as error:
            stop.check()
            raise QueryError(f"The database refuses it: {error}.", place) from error


def _chunks(cursor: sqlite3.Cursor, width: int, stop: Stop, place: Place) -> Iterator[list[list[Any]]]:
    count = 0
    while rows := cursor.fetchmany(CHUNK):
        stop.check()
        count += len(rows)
        if count > MOST_ROWS:
            raise QueryError(f"It returns more than {MOST_ROWS:,} rows; narrow it with a where clause.", place)
        yield [list(column) for column in zip(*rows, strict=True)]
    if count == 0:
        yield [[] for _ in range(width)]


def unique_column_names(names: list[str]) -> tuple[str, ...]:
    """The names with repeated ones (in any case) numbered: ``a, A`` becomes ``a, A_2``."""
    taken: set[str] = set()
    unique = []
    for name in names:
        candidate, count = name or "column", 2
        while candidate.lower() in taken:
            candidate, count = f"{name}_{count}", count + 1
        taken.add(candidate.lower())
        unique.append(candidate)
    return tuple(unique)


def stored(value: Value) -> Any:
    """A value as SQLite compares it: it has no decimals, dates or booleans of its own."""
    if isinstance(value, bool):
        return int(value)
    if isinstance(value, Decimal):
        return int(value) if value == value.to_integral_value() and abs(value) < 2**63 else float(value)
    if isinstance(value, datetime):
        return value.isoformat(" ")
    if isinstance(value, date):
        return value.isoformat()
    return value


def _told(error: sa.exc.SQLAlchemyError) -> str:
    return str(getattr(error, "orig", error))
