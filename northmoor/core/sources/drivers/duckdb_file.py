"""DuckDB database files: opened read-only in an engine that reaches nothing else."""

import re
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import Any

import duckdb
import pyarrow as pa

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.engine.arrow_types import UNKNOWN_SCALE, type_of_arrow
from northmoor.core.engine.embedded import SETTINGS, engine_message, isolate, list_sql, sql_literal
from northmoor.core.errors import Cancelled, ConnectionFault, QueryError
from northmoor.core.expr.language import quoted
from northmoor.core.expr.placeholders import DriverSql, Placeholder, for_driver
from northmoor.core.model.connections import DuckdbConnection
from northmoor.core.model.kinds.value_types import MAX_PRECISION, ValueType
from northmoor.core.sources.drivers.catalog import Catalog, CatalogColumn, CatalogTable, ForeignKey, Routine
from northmoor.core.sources.drivers.protocol import (
    BATCH,
    DriverHost,
    QueryRequest,
    ResultStream,
    enforce_row_limit,
    modified_at,
    unique_column_names,
)

_LONG_NUMBER = ValueType("decimal", MAX_PRECISION, UNKNOWN_SCALE)
_WIDER_THAN_ARROW = ("UHUGEINT", "BIGNUM")
"""Types of whole numbers that the engine gives to Arrow wrongly; they come as text."""
_OWN_NAMES = ("memory", "temp", "system", "main")
"""Names that the engine's own databases and schema have."""
_TABLES = """
select table_name, estimated_size, false from duckdb_tables() where not internal and schema_name = 'main'
union all
select view_name, null, true from duckdb_views() where not internal and schema_name = 'main'
order by 3, 1
"""
_COLUMNS = """
select table_name, column_name, data_type from duckdb_columns()
where not internal and schema_name = 'main' order by table_name, column_index
"""
_KEYS = """
select table_name, constraint_type, constraint_column_names, referenced_table, referenced_column_names
from duckdb_constraints() where constraint_type in ('PRIMARY KEY', 'FOREIGN KEY')
"""
_MACROS = """
select function_name, parameters from duckdb_functions()
where function_type = 'table_macro' and not internal order by 1
"""
_LINE = re.compile(r"LINE (\d+): (.*)\n(\s*)\^")


class DuckdbDriver:
    """Asks a DuckDB database file."""

    dialect = "duckdb"

    def __init__(self, database: Path) -> None:
        self._database = database

    @property
    def identity(self) -> str:
        """The file; there are no users."""
        return f"the file {self._database.name}, read-only"

    def catalog(self, stop: CancelToken, counted: bool = True) -> Catalog:  # noqa: ARG002  # its counts cost nothing
        """Tables, views and table macros."""
        with self._open(stop) as connection:
            return read_catalog(connection)

    def data_time(self) -> datetime:
        """When the file was last written."""
        return modified_at(self._database)

    @contextmanager
    def open_stream(self, request: QueryRequest) -> Iterator[ResultStream]:
        """Run a query."""
        with self._open(request.stop, request.zone.key) as connection:
            yield stream_rows(connection, request, modified_at(self._database))

    def check(self, request: QueryRequest) -> None:
        """Let the engine bind the query."""
        with self._open(request.stop, request.zone.key) as connection:
            check_statement(connection, request)

    @contextmanager
    def _open(self, stop: CancelToken, zone: str = "UTC") -> Iterator[Any]:
        if not self._database.is_file():
            raise ConnectionFault(f"There is no file {self._database}; put it back or change the connection.")
        # an engine of its own: those that open one file share settings, and no second one could set its time zone
        with duckdb.connect(":memory:", config=SETTINGS) as connection, stop.on_cancel(connection.interrupt):
            name = quoted(self._database.stem if self._database.stem not in _OWN_NAMES else "file")
            try:
                connection.execute(f"attach {sql_literal(str(self._database))} as {name} (read_only)")
                connection.execute(f"use {name}")
            except duckdb.Error as error:
                stop.raise_if_cancelled()
                raise ConnectionFault(_cannot_open(self._database.name, error)) from error
            isolate(connection, zone=zone)
            yield connection


def open_driver(library: DriverHost, connection: DuckdbConnection) -> DuckdbDriver:
    """The driver of a connection of a library."""
    return DuckdbDriver(library.path(connection))


def _cannot_open(name: str, error: duckdb.Error) -> str:
    if "lock" in str(error).lower():
        return f"Another program has {name} open for writing; close it there, then try again."
    return f"{name} cannot be opened as a DuckDB database ({engine_message(error)})."


def read_catalog(connection: Any) -> Catalog:
    """What a DuckDB connection holds."""
    columns: dict[str, list[tuple[str, str]]] = {}
    for table, name, kind in connection.execute(_COLUMNS).fetchall():
        columns.setdefault(table, []).append((name, kind))
    primary: dict[str, list[str]] = {}
    foreign: dict[str, list[ForeignKey]] = {}
    for table, kind, own, other, referred in connection.execute(_KEYS).fetchall():
        if kind == "PRIMARY KEY":
            primary.setdefault(table, []).extend(own)
        else:
            foreign.setdefault(table, []).append(ForeignKey(tuple(own), other, tuple(referred)))
    tables = []
    for name, size, is_view in connection.execute(_TABLES).fetchall():
        keys = tuple(foreign.get(name, ()))
        target = {own: f"{k.table}.{to}" for k in keys for own, to in zip(k.columns, k.referred, strict=False)}
        made = tuple(CatalogColumn(c, t, c in primary.get(name, ()), target.get(c)) for c, t in columns.get(name, []))
        tables.append(CatalogTable(name, made, size, is_view, not is_view, keys))
    routines = [Routine(name, tuple(p or ()), False) for name, p in connection.execute(_MACROS).fetchall()]
    return Catalog(tuple(tables), tuple(routines))


def stream_rows(connection: Any, request: QueryRequest, moment: datetime) -> ResultStream:
    """A query's stream on an open DuckDB connection. Raises QueryError or Stopped."""
    text, bound = _bound(request)
    with faults(text, request.stop):
        found = connection.sql(text.sql, params=bound)
        names = unique_column_names(found.columns)
        wide = [str(kind) in _WIDER_THAN_ARROW for kind in found.types]
        if any(wide):
            found = found.project(
                ", ".join(f"cast(#{at} as varchar)" if w else f"#{at}" for at, w in enumerate(wide, 1))
            )
        reader = found.to_arrow_reader(BATCH)
    pairs = zip(wide, reader.schema, strict=True)
    kinds = tuple(_LONG_NUMBER if is_wide else type_of_arrow(field.type) for is_wide, field in pairs)
    return ResultStream(
        names, kinds, enforce_row_limit(_batches(reader, text, request.stop), len(names), request.stop), moment
    )


def _bound(request: QueryRequest) -> tuple[DriverSql, dict[str, Any]]:
    """The text with ``$name`` for its parameters, and their values."""

    def form(placeholder: Placeholder) -> str:
        listed = request.listed(placeholder)
        return list_sql(placeholder.name, request.kinds.get(placeholder.name, "text"), listed)

    text = for_driver(request.query.sql, "duckdb", form)
    values = {name: request.values[name] for name in text.names}
    return text, {n: list(v) if isinstance(v, tuple) else v for n, v in values.items() if v != ()}


def check_statement(connection: Any, request: QueryRequest) -> None:
    """Let DuckDB bind a query without running it. Raises QueryError."""
    text, bound = _bound(request)
    with faults(text, request.stop):
        connection.execute(f"explain {text.sql}", bound)


@contextmanager
def faults(text: DriverSql, stop: CancelToken) -> Iterator[None]:
    """Tell the engine's errors as a query's, with their position in the text as written."""
    try:
        yield
    except duckdb.InterruptException as error:
        raise Cancelled from error
    except duckdb.Error as error:
        stop.raise_if_cancelled()
        raise QueryError(
            f"The engine refuses it: {engine_message(error)}.", position=_position(str(error), text)
        ) from error


def _position(message: str, text: DriverSql) -> int | None:
    mark = _LINE.search(message)
    if mark is None:
        return None
    number, shown, pointer = int(mark[1]), mark[2], len(mark[3]) - len(f"LINE {mark[1]}: ")
    lines = text.sql.split("\n")
    start = sum(len(line) + 1 for line in lines[: number - 1])
    moved = max(lines[number - 1].find(shown.strip(".")[:20]), 0) if number <= len(lines) else 0
    return text.original(start + moved + max(pointer, 0))


def _batches(reader: Any, text: DriverSql, stop: CancelToken) -> Iterator[list[pa.Array]]:
    while True:
        with faults(text, stop):
            batch = next(reader, None)
        if batch is None:
            return
        yield list(batch.columns)
