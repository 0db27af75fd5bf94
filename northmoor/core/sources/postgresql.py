"""PostgreSQL: rows as Arrow through ADBC, catalog and checks through psycopg.

Rows come from a cursor in the server, so that the first ones are there at once, memory stays flat, and values are
bound. The session is read-only at the server, and waits for locks a limited time.
"""

from collections.abc import Iterator, Mapping
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from itertools import chain, repeat
from typing import Any
from zoneinfo import ZoneInfo

import adbc_driver_manager
import adbc_driver_postgresql.dbapi as adbc
import psycopg
import pyarrow as pa
import sqlalchemy as sa
from psycopg.conninfo import make_conninfo
from sqlalchemy.pool import NullPool

from northmoor.core.errors import ConnectionFault, QueryError
from northmoor.core.model.connections import PostgresqlConnection
from northmoor.core.model.types import MAX_PRECISION, ValueType
from northmoor.core.sources.catalog import Catalog, Routine, reflected_tables
from northmoor.core.sources.driver import BATCH, FIRST_ROWS, Asked, Stream, limited, unique_column_names
from northmoor.core.sources.inference import UNKNOWN_SCALE
from northmoor.core.sources.placeholders import Written, written
from northmoor.core.sources.server import WAIT, unreachable
from northmoor.core.sources.values import Value
from northmoor.core.stopping import Stop

_ENCRYPTION = {"off": "disable", "if offered": "prefer", "required": "require", "verified": "verify-full"}
_SIMPLE = {
    "int2": "integer", "int4": "integer", "int8": "integer", "oid": "integer", "float4": "float", "float8": "float",
    "bool": "boolean", "date": "date", "timestamp": "timestamp", "timestamptz": "timestamp",
}  # fmt: skip
_LOOK_EVERY = 0.2
"""Seconds between looks whether a fetch was stopped."""
_NO_COPY = {"adbc.postgresql.use_copy": "false"}
_AS_NUMERIC = frozenset({"money"})
_OIDS = {bool: 16, int: 20, float: 701, Decimal: 1700, datetime: 1114, date: 1082, str: 25}
_ESTIMATES = """
select n.nspname, c.relname, greatest(c.reltuples, 0)::bigint
from pg_class c join pg_namespace n on n.oid = c.relnamespace
where c.relkind in ('r', 'p', 'f') and c.reltuples >= 0
"""
_SCHEMAS = """
select current_schema() union all
select nspname from pg_namespace
where nspname <> 'information_schema' and not starts_with(nspname, 'pg_') and nspname <> current_schema()
  and has_schema_privilege(nspname, 'usage')
"""
_ROUTINES = """
select n.nspname, p.proname, coalesce(p.proargnames, '{}'), p.pronargs, n.nspname = current_schema()
from pg_proc p join pg_namespace n on n.oid = p.pronamespace
where p.proretset and p.prokind = 'f' and n.nspname <> 'information_schema' and not starts_with(n.nspname, 'pg_')
order by 1, 2
"""


class PostgresqlDriver:
    """Asks a database of a PostgreSQL server."""

    dialect = "postgres"

    def __init__(self, connection: PostgresqlConnection, password: str | None) -> None:
        self._connection, self._password = connection, password

    @property
    def identity(self) -> str:
        """The user at the server."""
        return f"{self._connection.user} at {self._connection.host}, read-only"

    def catalog(self, stop: Stop) -> Catalog:
        """Tables, views and set-returning functions; row counts are the server's estimates."""
        engine = sa.create_engine("postgresql+psycopg://", creator=self._open, poolclass=NullPool)
        try:
            with engine.connect() as connection, stop.interrupting(_canceller(connection)):
                schemas = [name for (name,) in connection.exec_driver_sql(_SCHEMAS) if name]
                found = connection.exec_driver_sql(_ESTIMATES)
                estimates = {f"{s}.{t}" if s != schemas[0] else t: rows for s, t, rows in found}
                tables = reflected_tables(connection, schemas, lambda name: (estimates.get(name), True))
                routines = [
                    Routine(name if here else f"{schema}.{name}", tuple(arguments[:count]), is_procedure=False)
                    for schema, name, arguments, count, here in connection.exec_driver_sql(_ROUTINES)
                ]
        except sa.exc.SQLAlchemyError as error:
            stop.check()
            told = getattr(error, "orig", error)
            raise ConnectionFault(f"The tables of {self._connection.database} cannot be read ({told}).") from error
        return Catalog(tuple(tables), tuple(routines))

    def check(self, asked: Asked) -> None:
        """Let the server prepare the query; its position of a fault is that in the text as written."""
        text, order = _numbered(asked.query.sql)
        with self._open(asked.zone) as connection, asked.stop.interrupting(connection.cancel_safe):
            oids = [_OIDS.get(type(asked.values[name]), 0) for name in order]
            result = connection.pgconn.prepare(b"", text.sql.encode(), oids)
            if result.status != psycopg.pq.ExecStatus.COMMAND_OK:
                asked.stop.check()
                raise _refused(result, text)

    @contextmanager
    def running(self, asked: Asked) -> Iterator[Stream]:
        """Run a query in a cursor at the server."""
        text, order = _numbered(asked.query.sql)
        try:
            connection = adbc.connect(self._address(asked.zone))
        except adbc_driver_manager.Error as error:
            raise self._unreachable(str(error)) from error
        try:
            with (
                connection,
                connection.cursor(adbc_stmt_kwargs=_NO_COPY) as cursor,
                asked.stop.interrupting(lambda: _cancel(cursor)),
            ):
                moment = _one(cursor, "select transaction_timestamp()")
                columns = _declare(cursor, text.sql, _bound(asked.values, order))
                batches = limited(_batches(cursor, asked.stop), len(columns), asked.stop)
                kinds = tuple(column.kind for column in columns)
                yield Stream(tuple(column.name for column in columns), kinds, batches, moment)
        except adbc_driver_manager.Error as error:
            asked.stop.check()
            raise _fault(error) from error

    def _open(self, zone: ZoneInfo | None = None) -> psycopg.Connection[Any]:
        try:
            return psycopg.connect(self._address(zone or ZoneInfo("UTC")))
        except psycopg.Error as error:
            raise self._unreachable(str(error)) from error

    def _address(self, zone: ZoneInfo) -> str:
        server = self._connection
        return make_conninfo(
            host=server.host,
            port=server.port,
            dbname=server.database,
            user=server.user,
            password=self._password or "",
            sslmode=_ENCRYPTION[server.encryption],
            connect_timeout=WAIT,
            keepalives_idle=30,
            application_name="Northmoor",
            options=f"-c default_transaction_read_only=on -c lock_timeout={WAIT}s -c timezone={zone.key} "
            "-c cursor_tuple_fraction=1 -c client_encoding=utf8",
        )

    def _unreachable(self, told: str) -> ConnectionFault:
        words = told.lower()
        if "password authentication failed" in words or "no password supplied" in words:
            return unreachable(self._connection, "password", told)
        if 'database "' in words and "does not exist" in words:
            return unreachable(self._connection, "database", told)
        if 'role "' in words or "no pg_hba.conf entry" in words or "permission denied" in words:
            return unreachable(self._connection, "user", told)
        if "could not translate host name" in words or "failed to resolve host" in words:
            return unreachable(self._connection, "host", told)
        return unreachable(self._connection, "port", told)


@dataclass(frozen=True)
class _Column:
    name: str
    kind: ValueType | None
    cast: str | None


def _numbered(sql: str) -> tuple[Written, list[str]]:
    """The text with ``$1``, ``$2`` … for its parameters, and their names by number."""
    order: list[str] = []

    def form(name: str) -> str:
        if name not in order:
            order.append(name)
        return f"${order.index(name) + 1}"

    return written(sql, "postgres", form), order


def _bound(values: Mapping[str, Value], order: list[str]) -> pa.RecordBatch | None:
    arrays = [pa.array([values[name]], None if values[name] is not None else pa.string()) for name in order]
    return pa.record_batch(arrays, names=order) if order else None


def _declare(cursor: Any, sql: str, bound: pa.RecordBatch | None) -> list[_Column]:
    """Open the cursor for a query. Columns of types that Arrow has no exact form for come as the server's text."""
    columns = _opened(cursor, sql, bound)
    if any(column.cast for column in columns):
        cursor.execute("close rows")
        names = ", ".join(f"c{n}" for n in range(len(columns)))
        wanted = ", ".join(f"c{n}{column.cast or ''}" for n, column in enumerate(columns))
        renamed = _opened(cursor, f"select {wanted} from ({sql}\n) as given ({names})", bound)
        columns = [_Column(old.name, new.kind, None) for old, new in zip(columns, renamed, strict=True)]
    return columns


def _opened(cursor: Any, sql: str, bound: pa.RecordBatch | None) -> list[_Column]:
    cursor.execute(f"declare rows no scroll cursor for {sql}", bound)
    cursor.execute("fetch 0 from rows")
    schema = cursor.fetch_arrow_table().schema
    names = unique_column_names(schema.names)
    return [_column(name, entry) for name, entry in zip(names, schema, strict=True)]


def _column(name: str, entry: pa.Field) -> _Column:
    told = {key.decode(): value.decode() for key, value in (entry.metadata or {}).items()}
    kind = told.get("POSTGRESQL:type", "")
    if kind in _SIMPLE:
        return _Column(name, ValueType(_SIMPLE[kind]), None)  # type: ignore[arg-type]  # the table holds kinds
    if kind == "numeric":
        return _Column(name, _decimal(int(told.get("POSTGRESQL:typmod", "-1"))), None)
    if kind in _AS_NUMERIC:
        return _Column(name, None, "::numeric")
    return _Column(name, ValueType("text"), None if pa.types.is_string(entry.type) else "::text")


def _decimal(modifier: int) -> ValueType:
    """Digits and places of a numeric, which the server packs into one number behind a header of four."""
    digits, places = (modifier - 4) >> 16, (modifier - 4) & 0x7FF
    if modifier < 4 or digits > MAX_PRECISION or places > digits:
        return ValueType("decimal", MAX_PRECISION, UNKNOWN_SCALE)
    return ValueType("decimal", digits, places)


def _batches(cursor: Any, stop: Stop) -> Iterator[list[pa.Array]]:
    """Batches, the next one being fetched while one is worked on."""
    sizes = chain([FIRST_ROWS], repeat(BATCH))
    with ThreadPoolExecutor(1) as ahead:
        waiting = ahead.submit(_fetch, cursor, next(sizes))
        try:
            while (table := _awaited(waiting, cursor, stop)).num_rows:
                waiting = ahead.submit(_fetch, cursor, next(sizes))
                yield [_plain(column.combine_chunks()) for column in table.columns]
        finally:
            if not waiting.done():
                _cancel(cursor)


def _awaited(waiting: "Future[pa.Table]", cursor: Any, stop: Stop) -> pa.Table:
    """The batch that is on its way. A stop that came between two statements cancelled neither, so it is repeated."""
    while True:
        try:
            return waiting.result(_LOOK_EVERY)
        except TimeoutError:
            if stop.is_set():
                _cancel(cursor)


def _fetch(cursor: Any, count: int) -> pa.Table:
    cursor.execute(f"fetch {count} from rows")
    return cursor.fetch_arrow_table()


def _plain(array: Any) -> pa.Array:
    return array.storage if isinstance(array.type, pa.BaseExtensionType) else array


def _one(cursor: Any, sql: str) -> Any:
    cursor.execute(sql)
    return cursor.fetch_arrow_table().column(0)[0].as_py().replace(microsecond=0)


def _cancel(cursor: Any) -> None:
    with suppress(adbc_driver_manager.Error):  # there is nothing to cancel when the statement has just ended
        cursor.adbc_cancel()


def _canceller(connection: sa.Connection) -> Any:
    return connection.connection.driver_connection.cancel_safe  # type: ignore[union-attr]  # it is open


def _fault(error: adbc_driver_manager.Error) -> QueryError | ConnectionFault:
    details = {key.decode() if isinstance(key, bytes) else key: value for key, value in error.details or ()}
    told = details.get("PG_DIAG_MESSAGE_PRIMARY", b"").decode() or _bare(str(error))
    state = error.sqlstate or ""
    if state.startswith(("57P", "08")) or ("connection" in told.lower() and not state):
        return ConnectionFault(f"The server ended the connection ({told}). Nothing is lost; run the query again.")
    if state == "55P03":
        return QueryError(f"Another session holds a lock on a table for over {WAIT} s. Run the query again later.")
    return QueryError(f"The server refuses it: {told.rstrip('.')}.")


def _refused(result: Any, text: Written) -> QueryError:
    field = psycopg.pq.DiagnosticField
    told = (result.error_field(field.MESSAGE_PRIMARY) or b"").decode()
    hint = (result.error_field(field.MESSAGE_HINT) or b"").decode()
    position = result.error_field(field.STATEMENT_POSITION)
    offset = text.original(int(position) - 1) if position else None
    return QueryError(f"The server refuses it: {told.rstrip('.')}.{f' {hint}' if hint else ''}", position=offset)


def _bare(told: str) -> str:
    """The server's first line of a driver's message."""
    first = told.split("\n")[0]
    return first.rsplit("ERROR:", 1)[-1].rsplit("FATAL:", 1)[-1].strip().rstrip(".")
