"""PostgreSQL: rows as Arrow through ADBC, catalog and checks through psycopg.

Rows come from a cursor in the server, so that the first ones are there at once, memory stays flat, and values are
bound. The session is read-only at the server, and waits for locks a limited time.
"""

import os
import ssl
from collections.abc import Iterator, Mapping
from contextlib import closing, contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import adbc_driver_manager
import adbc_driver_postgresql.dbapi as adbc
import psycopg
import pyarrow as pa
import sqlalchemy as sa
from psycopg.conninfo import make_conninfo
from sqlalchemy.pool import NullPool

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.phrases import phrase
from northmoor.core.engine.arrow_types import arrow_type
from northmoor.core.errors import LESS_MEMORY, ConnectionFault, OutOfMemory, QueryError
from northmoor.core.expr.identifiers import table_name
from northmoor.core.expr.placeholders import DriverSql, Placeholder, for_driver
from northmoor.core.model.data.connections import PostgresqlConnection
from northmoor.core.model.kinds.value_kinds import KindName
from northmoor.core.model.kinds.value_types import MAX_PRECISION, ValueType
from northmoor.core.sources.drivers.catalog import Catalog, Routine, RoutineArgument
from northmoor.core.sources.drivers.credentials import Credential
from northmoor.core.sources.drivers.own_thread import OwnThreadDriver
from northmoor.core.sources.drivers.postgresql_rows import DECLARE, RowStream
from northmoor.core.sources.drivers.protocol import DriverHost, QueryRequest, ResultStream, enforce_limits
from northmoor.core.sources.drivers.reflection import reflected_tables
from northmoor.core.sources.drivers.server import WAIT, encryption_of, unreachable
from northmoor.core.values.parameter_values import Listed
from northmoor.core.values.scalars import Value

_ENCRYPTION = {"off": "disable", "if offered": "prefer", "required": "require", "verified": "verify-full"}
_BUNDLES = ("/etc/ssl/certs/ca-certificates.crt", "/etc/pki/tls/certs/ca-bundle.crt", "/etc/ssl/ca-bundle.pem")
"""Where Linux distributions keep the authorities that they trust."""
_OIDS: dict[KindName, tuple[int, int]] = {
    "boolean": (16, 1000),
    "integer": (20, 1016),
    "float": (701, 1022),
    "decimal": (1700, 1231),
    "timestamp": (1114, 1115),
    "date": (1082, 1182),
    "text": (25, 1009),
}
"""The server's numbers for a value's type and for a list of them."""
_SHORT_INTEGER = (23, 1007)
_NO_FUNCTION = "42883"
"""The state in which the server knows no function or operator for the types of what it is given."""
_ARROW: dict[KindName, pa.DataType] = {
    kind: arrow_type(ValueType(kind, MAX_PRECISION if kind == "decimal" else 0)) for kind in _OIDS
}
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
with arguments as (
  select p.oid, array_agg(coalesce(p.proargnames[a.place], '') order by a.place) as names,
    array_agg(format_type(a.type, null) order by a.place) as types
  from pg_proc p, unnest(coalesce(p.proallargtypes, p.proargtypes::oid[])) with ordinality as a(type, place)
  where coalesce(p.proargmodes[a.place], 'i') in ('i', 'b', 'v')
  group by p.oid
)
select n.nspname, p.proname, coalesce(a.names, '{}'), coalesce(a.types, '{}'), n.nspname = current_schema()
from pg_proc p join pg_namespace n on n.oid = p.pronamespace left join arguments a on a.oid = p.oid
where p.proretset and p.prokind = 'f' and n.nspname <> 'information_schema' and not starts_with(n.nspname, 'pg_')
order by 1, 2, 4
"""


class PostgresqlDriver:
    """Asks a database of a PostgreSQL server."""

    dialect = "postgres"

    def __init__(self, connection: PostgresqlConnection, credential: Credential) -> None:
        self._connection, self._credential = connection, credential

    @property
    def identity(self) -> str:
        """The user at the server."""
        return phrase(f"{self._connection.user} at {self._connection.host}, read-only")

    def data_time(self) -> datetime:
        """Now."""
        return datetime.now(UTC)

    def catalog(self, stop: CancelToken, counted: bool = True) -> Catalog:  # noqa: ARG002  # its counts cost nothing
        """Tables, views and set-returning functions; row counts are the server's estimates."""
        engine = sa.create_engine("postgresql+psycopg://", creator=self._open, poolclass=NullPool)
        try:
            with engine.connect() as connection, stop.on_cancel(_canceller(connection)):
                schemas = [name for (name,) in connection.exec_driver_sql(_SCHEMAS) if name]
                found = connection.exec_driver_sql(_ESTIMATES)
                estimates = {table_name(t, s if s != schemas[0] else ""): rows for s, t, rows in found}
                tables = reflected_tables(connection, schemas, lambda name: (estimates.get(name), True))
                routines = [
                    Routine(table_name(name, "" if here else schema), tuple(map(RoutineArgument, names, types)), False)
                    for schema, name, names, types, here in connection.exec_driver_sql(_ROUTINES)
                ]
        except sa.exc.SQLAlchemyError as error:
            stop.raise_if_cancelled()
            message = getattr(error, "orig", error)
            raise ConnectionFault(f"The tables of {self._connection.database} cannot be read ({message}).") from error
        return Catalog(tuple(tables), tuple(routines))

    def check(self, request: QueryRequest) -> None:
        """Let the server prepare the query; its position of a fault is that in the text as written."""
        text, order = _numbered(request)
        with self._open(request.zone) as connection, request.stop.on_cancel(connection.cancel_safe):
            result = _prepared(connection, request, text, order, _OIDS)
            if result.error_field(psycopg.pq.DiagnosticField.SQLSTATE) == _NO_FUNCTION.encode():
                short = _prepared(connection, request, text, order, {**_OIDS, "integer": _SHORT_INTEGER})
                result = short if short.status == psycopg.pq.ExecStatus.COMMAND_OK else result
            if result.status != psycopg.pq.ExecStatus.COMMAND_OK:
                request.stop.raise_if_cancelled()
                raise _refused(result, text)

    @contextmanager
    def open_stream(self, request: QueryRequest) -> Iterator[ResultStream]:
        """Run a query in a cursor at the server."""
        text, order = _numbered(request)
        try:
            connection = adbc.connect(self._address(request.zone))
        except adbc_driver_manager.Error as error:
            raise self._unreachable(str(error)) from error
        try:
            with (
                connection,
                connection.cursor() as clock,
                closing(_rows(connection, request, text, order)) as rows,
                request.stop.on_cancel(rows.cancel),
            ):
                names, kinds = tuple(c.name for c in rows.columns), tuple(c.kind for c in rows.columns)
                moment = _one(clock, "select transaction_timestamp()")
                batches = enforce_limits(rows.batches, names, request.stop)
                yield ResultStream(names, kinds, batches, moment, preview=rows.preview)
        except (adbc_driver_manager.Error, OSError) as error:  # a copy that breaks off is reported by Arrow
            request.stop.raise_if_cancelled()
            raise _fault(error, text) from error

    def _open(self, zone: ZoneInfo | None = None) -> psycopg.Connection[Any]:
        try:
            return psycopg.connect(self._address(zone or ZoneInfo("UTC")))
        except psycopg.Error as error:
            raise self._unreachable(str(error)) from error

    def _address(self, zone: ZoneInfo) -> str:
        server = self._connection
        encryption = encryption_of(server, self._credential)
        return make_conninfo(
            host=server.host,
            port=server.port,
            dbname=server.database,
            user=server.user,
            password=self._credential.password or "",
            sslmode=_ENCRYPTION[encryption],
            **({"sslrootcert": _root_certificates()} if encryption == "verified" else {}),
            connect_timeout=WAIT,
            keepalives_idle=30,
            application_name="Northmoor",
            options="-c default_transaction_read_only=on -c default_transaction_isolation=repeatable\\ read "
            f"-c lock_timeout={WAIT}s -c timezone={zone.key} -c cursor_tuple_fraction=1 -c client_encoding=utf8",
        )

    def _unreachable(self, message: str) -> ConnectionFault:
        words = message.lower()
        if any(text in words for text in ("certificate", "does not support ssl", "ssl error")):
            return unreachable(self._connection, "encryption", message)
        if "password authentication failed" in words or "no password supplied" in words:
            return unreachable(self._connection, "password", message)
        if 'database "' in words and "does not exist" in words:
            return unreachable(self._connection, "database", message)
        if 'role "' in words or "no pg_hba.conf entry" in words or "permission denied" in words:
            return unreachable(self._connection, "user", message)
        if "could not translate host name" in words or "failed to resolve host" in words:
            return unreachable(self._connection, "host", message)
        return unreachable(self._connection, "port", message)


def _root_certificates() -> str:
    """The file of the authorities that this system trusts; the driver's own idea of where it is may be another's."""
    known = (os.environ.get("SSL_CERT_FILE"), ssl.get_default_verify_paths().cafile, *_BUNDLES)
    return next((path for path in known if path and Path(path).is_file()), "system")


def open_driver(library: DriverHost, connection: PostgresqlConnection) -> OwnThreadDriver:
    """The driver of a connection of a library."""
    return OwnThreadDriver(PostgresqlDriver(connection, library.secrets.credential(connection)))


def _numbered(request: QueryRequest) -> tuple[DriverSql, list[str]]:
    """The text with ``$1``, ``$2`` … for its parameters, and their names by number."""
    order: list[str] = []

    def form(placeholder: Placeholder) -> str:
        if placeholder.name not in order:
            order.append(placeholder.name)
        number = f"${order.index(placeholder.name) + 1}"
        is_array = placeholder.is_argument or request.listed(placeholder) is None
        return number if is_array else f"select unnest({number})"

    return for_driver(request.query.sql, "postgres", form), order


def _prepared(
    connection: psycopg.Connection[Any],
    request: QueryRequest,
    text: DriverSql,
    order: list[str],
    types: Mapping[KindName, tuple[int, int]],
) -> psycopg.pq.abc.PGresult:
    oids = [types[request.kinds.get(name, "text")][isinstance(request.values[name], tuple)] for name in order]
    return connection.pgconn.prepare(b"", text.sql.encode(), oids)


def _rows(connection: Any, request: QueryRequest, text: DriverSql, order: list[str]) -> RowStream:
    """The rows with whole numbers bound as long ones; as short ones where the server has the function or operator only
    for these, as most of its own are."""
    try:
        return RowStream(connection, text.sql, _bound(request, order), request.stop)
    except adbc_driver_manager.Error as error:
        short = _bound(request, order, pa.int32()) if error.sqlstate == _NO_FUNCTION else None
        if short is None:
            raise
        connection.rollback()
        return RowStream(connection, text.sql, short, request.stop)


def _bound(request: QueryRequest, order: list[str], whole: pa.DataType | None = None) -> pa.RecordBatch | None:
    """The values; None where there are none, or where a whole number does not fit the type for them."""
    try:
        arrays = [_array(request.values[name], request.kinds.get(name, "text"), whole) for name in order]
    except (pa.ArrowInvalid, OverflowError):
        if whole is None:
            raise
        return None
    return pa.record_batch(arrays, names=order) if order else None


def _array(value: Value | Listed, kind: KindName, whole: pa.DataType | None) -> pa.Array:
    """A value as an array of one. Nulls and empty lists have a type too."""
    values = value if isinstance(value, tuple) else (value,)
    wanted = whole if whole is not None and kind == "integer" else _ARROW[kind]
    made = pa.array(values, None if kind == "decimal" and any(v is not None for v in values) else wanted)
    return pa.ListArray.from_arrays([0, len(made)], made) if isinstance(value, tuple) else made


def _one(cursor: Any, sql: str) -> Any:
    cursor.execute(sql)
    return cursor.fetch_arrow_table().column(0)[0].as_py().replace(microsecond=0)


def _canceller(connection: sa.Connection) -> Any:
    return connection.connection.driver_connection.cancel_safe  # type: ignore[union-attr]  # it is open


def _fault(error: adbc_driver_manager.Error | OSError, text: DriverSql) -> QueryError | ConnectionFault | OutOfMemory:
    if isinstance(error, OSError):
        message = _bare(str(error))
        return ConnectionFault(f"The server ended the connection ({message}). Nothing is lost; run the query again.")
    details = {key.decode() if isinstance(key, bytes) else key: value for key, value in error.details or ()}
    message = details.get("PG_DIAG_MESSAGE_PRIMARY", b"").decode() or _bare(str(error))
    state = error.sqlstate or ""
    if state.startswith(("57P", "08")) or ("connection" in message.lower() and not state):
        return ConnectionFault(f"The server ended the connection ({message}). Nothing is lost; run the query again.")
    if "out of memory for query result" in message:  # ours: a server says that otherwise
        return OutOfMemory(f"There is not enough memory for its rows; {LESS_MEMORY}.")
    if state == "55P03":
        return QueryError(f"Another session holds a lock on a table for over {WAIT} s. Run the query again later.")
    hint, position = details.get("PG_DIAG_MESSAGE_HINT", b""), details.get("PG_DIAG_STATEMENT_POSITION")
    return _refusal(message, hint.decode(), int(position) - len(DECLARE) if position else None, text)


def _refused(result: Any, text: DriverSql) -> QueryError:
    field = psycopg.pq.DiagnosticField
    message = (result.error_field(field.MESSAGE_PRIMARY) or b"").decode()
    hint = (result.error_field(field.MESSAGE_HINT) or b"").decode()
    position = result.error_field(field.STATEMENT_POSITION)
    return _refusal(message, hint, int(position) if position else None, text)


def _refusal(message: str, hint: str, position: int | None, text: DriverSql) -> QueryError:
    """The server's words, its hint, and where it means; positions count from 1."""
    offset = text.original(position - 1) if position is not None and position > 0 else None
    return QueryError(f"The server refuses it: {message.rstrip('.')}.{f' {hint}' if hint else ''}", position=offset)


def _bare(message: str) -> str:
    """The server's first line of a driver's message."""
    first = message.split("\n")[0]
    return first.rsplit("ERROR:", 1)[-1].rsplit("FATAL:", 1)[-1].strip().rstrip(".")
