"""DuckDB database files: opened read-only, in a process of their own that reaches nothing else."""

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import Any

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.phrases import phrase
from northmoor.core.errors import ConnectionFault
from northmoor.core.model.data.connections import DuckdbConnection
from northmoor.core.sources.drivers.catalog import (
    Catalog,
    CatalogColumn,
    CatalogTable,
    ForeignKey,
    Routine,
    RoutineArgument,
)
from northmoor.core.sources.drivers.protocol import DriverHost, QueryRequest, ResultStream, modified_at
from northmoor.core.sources.local.engine_queries import check_apart, rows_apart, running_query
from northmoor.core.sources.local.reader_start import start_reader
from northmoor.core.sources.local.tasks import Opening

_TABLES = """
select table_name, estimated_size, false, comment from duckdb_tables() where not internal and schema_name = 'main'
union all
select view_name, null, true, comment from duckdb_views() where not internal and schema_name = 'main'
order by 3, 1
"""
_COLUMNS = """
select table_name, column_name, data_type, comment from duckdb_columns()
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


class DuckdbDriver:
    """Asks a DuckDB database file."""

    dialect = "duckdb"

    def __init__(self, database: Path) -> None:
        self._database = database

    @property
    def identity(self) -> str:
        """The file; there are no users."""
        return phrase(f"the file {self._database.name}, read-only")

    def catalog(self, stop: CancelToken, counted: bool = True) -> Catalog:  # noqa: ARG002  # its counts cost nothing
        """Tables, views and table macros."""
        return _catalog(*rows_apart(self._opening(), (_COLUMNS, _KEYS, _TABLES, _MACROS), stop))

    def data_time(self) -> datetime:
        """When the file was last written."""
        return modified_at(self._database)

    @contextmanager
    def open_stream(self, request: QueryRequest) -> Iterator[ResultStream]:
        """Run a query."""
        with running_query(self._opening(), request, modified_at(self._database)) as stream:
            yield stream

    def check(self, request: QueryRequest) -> None:
        """Let the engine bind the query."""
        check_apart(self._opening(), request)

    def _opening(self) -> Opening:
        if not self._database.is_file():
            raise ConnectionFault(f"There is no file {self._database}; put it back or change the connection.")
        return Opening(self._database)


def open_driver(library: DriverHost, connection: DuckdbConnection) -> DuckdbDriver:
    """The driver of a connection of a library."""
    start_reader()
    return DuckdbDriver(library.path(connection))


Found = Sequence[Sequence[Any]]


def _catalog(held: Found, constraints: Found, found: Found, macros: Found) -> Catalog:
    """What a database holds, from its columns, keys, tables and macros."""
    columns: dict[str, list[tuple[str, str, str]]] = {}
    for table, name, kind, comment in held:
        columns.setdefault(table, []).append((name, kind, comment or ""))
    primary: dict[str, list[str]] = {}
    foreign: dict[str, list[ForeignKey]] = {}
    for table, kind, own, other, referred in constraints:
        if kind == "PRIMARY KEY":
            primary.setdefault(table, []).extend(own)
        else:
            foreign.setdefault(table, []).append(ForeignKey(tuple(own), other, tuple(referred)))
    tables = []
    for name, size, is_view, comment in found:
        keys = tuple(foreign.get(name, ()))
        target = {own: f"{k.table}.{to}" for k in keys for own, to in zip(k.columns, k.referred, strict=False)}
        own = columns.get(name, [])
        made = tuple(CatalogColumn(c, kind, c in primary.get(name, ()), target.get(c), about) for c, kind, about in own)
        tables.append(CatalogTable(name, made, size, is_view, not is_view, keys, comment=comment or ""))
    routines = [Routine(name, tuple(map(RoutineArgument, p or ())), is_procedure=False) for name, p in macros]
    return Catalog(tuple(tables), tuple(routines))
