"""MariaDB and MySQL through PyMySQL: statements prepared at the server, rows streamed as text and typed by columns.

PyMySQL itself would paste quoted values into the SQL. Instead the statement is prepared as it is, and values reach
the server as variables written in digits only, so that none can ever be read as SQL.
"""

import re
import socket
import ssl
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any
from zoneinfo import ZoneInfo

import pyarrow as pa
import pymysql
from pymysql.constants import CLIENT, ER, FIELD_TYPE
from pymysql.converters import conversions
from pymysql.cursors import SSCursor

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.phrases import phrase
from northmoor.core.errors import ConnectionFault, QueryError
from northmoor.core.expr.identifiers import table_name
from northmoor.core.expr.placeholders import DriverSql, Placeholder, for_driver, named_position
from northmoor.core.model.data.connections import Encryption, MariadbConnection
from northmoor.core.model.kinds.value_types import ValueType
from northmoor.core.sources.drivers.catalog import (
    Catalog,
    CatalogColumn,
    CatalogTable,
    ForeignKey,
    Routine,
    RoutineArgument,
)
from northmoor.core.sources.drivers.credentials import Credential
from northmoor.core.sources.drivers.own_thread import OwnThreadDriver
from northmoor.core.sources.drivers.protocol import (
    FIRST_ROWS,
    DriverHost,
    QueryRequest,
    ResultStream,
    enforce_limits,
    next_batch_size,
    unique_column_names,
)
from northmoor.core.sources.drivers.server import WAIT, encryption_of, unreachable
from northmoor.core.values.scalars import Value

_INTEGERS = {FIELD_TYPE.TINY, FIELD_TYPE.SHORT, FIELD_TYPE.INT24, FIELD_TYPE.LONG, FIELD_TYPE.LONGLONG, FIELD_TYPE.YEAR}
_SIMPLE = {
    FIELD_TYPE.FLOAT: "float",
    FIELD_TYPE.DOUBLE: "float",
    FIELD_TYPE.DATE: "date",
    FIELD_TYPE.DATETIME: "timestamp",
    FIELD_TYPE.TIMESTAMP: "timestamp",
}
_AS_TEXT = {kind: convert for kind, convert in conversions.items() if not isinstance(kind, int)}
"""PyMySQL's ways to write values, without those to read them: whole columns are read at once, as text."""
_UNSIGNED = 32
_NEAR = re.compile(r"near '(.*?)' at line \d+$", re.DOTALL)
_MOST_VALUES = 65_535
_SET_AT_ONCE = 1_000
_ENDED = {2006, 2013, 1053, 1927, 4031}
"""The server went away, was shut down, or ended the session."""
_LOCKED = {ER.LOCK_WAIT_TIMEOUT, 1969}
_ZONE_UNKNOWN = 1298
_TABLES = """
select table_name, table_type, table_rows, table_comment from information_schema.tables
where table_schema = database()
order by table_type = 'VIEW', table_name
"""
_COLUMNS = """
select table_name, column_name, column_type, column_key = 'PRI', column_comment from information_schema.columns
where table_schema = database() order by table_name, ordinal_position
"""
_KEYS = """
select table_name, constraint_name, column_name, referenced_table_name, referenced_column_name
from information_schema.key_column_usage
where table_schema = database() and referenced_table_schema = database()
order by table_name, constraint_name, ordinal_position
"""
_ROUTINES = """
select r.routine_name, p.parameter_name, p.dtd_identifier
from information_schema.routines r
left join information_schema.parameters p
  on p.specific_schema = r.routine_schema and p.specific_name = r.specific_name and p.ordinal_position > 0
where r.routine_schema = database() and r.routine_type = 'PROCEDURE'
order by r.routine_name, p.ordinal_position
"""


class MariadbDriver:
    """Asks a database of a MariaDB or MySQL server."""

    dialect = "mysql"

    def __init__(self, connection: MariadbConnection, credential: Credential) -> None:
        self._connection, self._credential = connection, credential

    @property
    def identity(self) -> str:
        """The user at the server."""
        return phrase(f"{self._connection.user} at {self._connection.host}, read-only")

    def data_time(self) -> datetime:
        """Now."""
        return datetime.now(UTC)

    def catalog(self, stop: CancelToken, counted: bool = True) -> Catalog:  # noqa: ARG002  # its counts cost nothing
        """Tables, views and procedures, as far as the user may see them; row counts are the server's estimates."""
        connection = self._open()
        try:
            with stop.on_cancel(lambda: self._kill(connection)), connection.cursor() as cursor:
                columns = _grouped(cursor, _COLUMNS)
                keys = _foreign_keys(cursor)
                cursor.execute(_TABLES)
                tables = [
                    _table(name, columns.get(name, []), keys.get(name, ()), rows, kind == "VIEW", comment)
                    for name, kind, rows, comment in cursor.fetchall()
                ]
                routines = _grouped(cursor, _ROUTINES)
        except pymysql.Error as error:
            stop.raise_if_cancelled()
            message = error.args[-1]
            raise ConnectionFault(f"The tables of {self._connection.database} cannot be read ({message}).") from error
        finally:
            _end(connection)
        found = [
            Routine(table_name(name), tuple(RoutineArgument(own, kind) for own, kind in held if own), is_procedure=True)
            for name, held in routines.items()
        ]
        return Catalog(tuple(tables), tuple(found))

    def check(self, request: QueryRequest) -> None:
        """Let the server prepare the query."""
        text = _with_marks(request)
        connection = self._open()
        try:
            with request.stop.on_cancel(lambda: self._kill(connection)), connection.cursor() as cursor:
                _prepare(cursor, text)
        except pymysql.Error as error:
            request.stop.raise_if_cancelled()
            raise _fault(error, text) from error
        finally:
            _end(connection)

    @contextmanager
    def open_stream(self, request: QueryRequest) -> Iterator[ResultStream]:
        """Run a query or a procedure; of several results of a procedure, the first."""
        text = _with_marks(request)
        connection = self._open(conv=_AS_TEXT, cursorclass=SSCursor)
        cursor = connection.cursor()
        is_done = False
        try:
            with request.stop.on_cancel(lambda: self._kill(connection)):
                notes = _set_zone(connection, request.zone)
                cursor.execute("select utc_timestamp()")
                moment = datetime.fromisoformat(cursor.fetchall()[0][0]).replace(tzinfo=UTC)
                flat = _flat(request, text)
                _prepare(cursor, text)
                _execute(cursor, flat)
                fields = list(cursor._result.fields) if cursor.description else []
                if not fields:
                    raise QueryError("It returns no rows: a query must return a table.")
                names = unique_column_names([field.name for field in fields])
                in_utc = [bool(notes) and field.type_code == FIELD_TYPE.TIMESTAMP for field in fields]
                batches = enforce_limits(_batches(cursor, in_utc), names, request.stop)
                yield ResultStream(names, tuple(_kind(field) for field in fields), batches, moment, notes)
                is_done = True
        except pymysql.Error as error:
            request.stop.raise_if_cancelled()
            raise _fault(error, text) from error
        finally:
            if not is_done:
                self._kill(connection)
            _end(connection)  # what it has not been asked for is not waited for
            _leave(cursor)

    def _open(self, **more: Any) -> Any:
        server = self._connection
        encryption = encryption_of(server, self._credential)
        where = (
            {"unix_socket": server.host} if server.host.startswith("/") else {"host": server.host, "port": server.port}
        )
        try:
            connection: Any = _Connection(
                **where,
                must_encrypt=encryption in ("required", "verified"),
                read_timeout=WAIT,
                user=server.user,
                password=self._credential.password or "",
                database=server.database,
                charset="utf8mb4",
                connect_timeout=WAIT,
                ssl=_encryption(encryption),
                **more,
            )
            with connection.cursor() as cursor:
                cursor.execute("set session transaction read only")
                cursor.execute(f"set session lock_wait_timeout = {WAIT}, innodb_lock_wait_timeout = {WAIT}")
            connection.wait_for_answers()
        except (pymysql.Error, OSError) as error:
            raise self._unreachable(error) from error
        return connection

    def _kill(self, connection: Any) -> None:
        """Stop what a session runs, by way of another."""
        with suppress(pymysql.Error, ConnectionFault, MemoryError):  # it may have ended by itself
            other = self._open()
            with other.cursor() as cursor:
                cursor.execute(f"kill query {int(connection.thread_id())}")
            _end(other)
        connection.break_off()

    def _unreachable(self, error: Exception) -> ConnectionFault:
        code = error.args[0] if error.args else 0
        message = str(error.args[-1])
        if isinstance(error, ssl.SSLError) or "certificate" in message.lower() or message == _NO_ENCRYPTION:
            return unreachable(self._connection, "encryption", message)
        if code == ER.ACCESS_DENIED_ERROR:
            return unreachable(self._connection, "password", message)
        if code == ER.BAD_DB_ERROR:
            return unreachable(self._connection, "database", message)
        if code == ER.DBACCESS_DENIED_ERROR:
            return unreachable(self._connection, "user", message)
        if "Name or service not known" in message or "name resolution" in message or "getaddrinfo" in message:
            return unreachable(self._connection, "host", message)
        return unreachable(self._connection, "port", message)


def open_driver(library: DriverHost, connection: MariadbConnection) -> OwnThreadDriver:
    """The driver of a connection of a library."""
    return OwnThreadDriver(MariadbDriver(connection, library.secrets.credential(connection)))


def _grouped(cursor: Any, sql: str) -> dict[str, list[tuple[Any, ...]]]:
    """The rows of a statement by their first column."""
    cursor.execute(sql)
    found: dict[str, list[tuple[Any, ...]]] = {}
    for name, *rest in cursor.fetchall():
        found.setdefault(name, []).append(tuple(rest))
    return found


def _foreign_keys(cursor: Any) -> dict[str, tuple[ForeignKey, ...]]:
    found = {}
    for table, rows in _grouped(cursor, _KEYS).items():
        names = dict.fromkeys(row[0] for row in rows)
        whole = [[row for row in rows if row[0] == name] for name in names]
        found[table] = tuple(map(_foreign_key, whole))
    return found


def _foreign_key(rows: list[tuple[Any, ...]]) -> ForeignKey:
    return ForeignKey(tuple(row[1] for row in rows), table_name(rows[0][2]), tuple(row[3] for row in rows))


def _table(
    name: str,
    columns: list[tuple[Any, ...]],
    keys: tuple[ForeignKey, ...],
    rows: int | None,
    is_view: bool,
    comment: str,
) -> CatalogTable:
    target = {own: f"{key.table}.{to}" for key in keys for own, to in zip(key.columns, key.referred, strict=True)}
    made = tuple(CatalogColumn(column, kind, bool(key), target.get(column), own) for column, kind, key, own in columns)
    comment = "" if is_view else comment  # that of a view is VIEW
    return CatalogTable(table_name(name), made, None if is_view else rows, is_view, not is_view, keys, comment=comment)


def _fault(error: pymysql.Error, text: DriverSql) -> QueryError | ConnectionFault:
    code, message = (error.args[0], str(error.args[-1])) if error.args else (0, str(error))
    if code in _ENDED or not code:
        return ConnectionFault(f"The server ended the connection ({message}). Nothing is lost; run the query again.")
    if code in _LOCKED:
        return QueryError(f"Another session holds a lock on a table for over {WAIT} s. Run the query again later.")
    near = _NEAR.search(message)
    at = text.sql.find(near[1]) if near else -1
    position = text.original(at) if at >= 0 else named_position(message, text)
    return QueryError(f"The server refuses it: {message.rstrip('.')}.", position=position)


_NO_ENCRYPTION = "the server offers none"


class _Connection(pymysql.connections.Connection):
    """A connection that says nothing of the user to a server that offers no encryption, where there has to be one."""

    def __init__(self, must_encrypt: bool, **settings: Any) -> None:
        self._must_encrypt = must_encrypt
        super().__init__(**settings)

    def wait_for_answers(self) -> None:
        """Wait for answers as long as they take, once the server has answered at all."""
        self._read_timeout = None

    def break_off(self) -> None:
        """End whatever is waited for, from another thread."""
        with suppress(OSError, AttributeError):  # it has ended
            self._sock.shutdown(socket.SHUT_RDWR)  # type: ignore[attr-defined]  # its stubs leave it out

    def _request_authentication(self) -> None:
        if self._must_encrypt and not self.server_capabilities & CLIENT.SSL:  # type: ignore[attr-defined]
            raise pymysql.err.OperationalError(0, _NO_ENCRYPTION)
        super()._request_authentication()  # type: ignore[misc]  # its stubs leave out what is its own


def _encryption(encryption: Encryption) -> Any:
    if encryption == "off":
        return None
    if encryption == "verified":
        return ssl.create_default_context()
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)  # no certificate is looked at, so none is loaded
    context.check_hostname = False
    context.verify_mode = ssl.CERT_NONE
    return context


def _with_marks(request: QueryRequest) -> DriverSql:
    """The text with a mark for each value; a list has as many as it has values."""

    def form(placeholder: Placeholder) -> str:
        listed = request.listed(placeholder)
        if listed == ():
            return "select null from dual where false"
        return "?" if listed is None else ", ".join("?" * len(listed))

    return for_driver(request.query.sql, "mysql", form)


def _flat(request: QueryRequest, text: DriverSql) -> list[Value]:
    """The values in the order of the marks. Raises QueryError for more than the server takes."""
    flat: list[Value] = []
    for name in text.names:
        value = request.values[name]
        flat += value if isinstance(value, tuple) else [value]
    if len(flat) > _MOST_VALUES:
        raise QueryError(
            f"The server takes {_MOST_VALUES:,} values in a query, and here are {len(flat):,}; choose fewer."
        )
    return flat


def _prepare(cursor: Any, text: DriverSql) -> None:
    cursor.execute(f"set @northmoor_sql = {_text_in_digits(text.sql)}")
    cursor.execute("prepare northmoor from @northmoor_sql")


def _execute(cursor: Any, values: list[Value]) -> None:
    names = [f"@northmoor_{n}" for n in range(len(values))]
    for start in range(0, len(values), _SET_AT_ONCE):
        pairs = zip(names[start : start + _SET_AT_ONCE], values[start : start + _SET_AT_ONCE], strict=True)
        cursor.execute("set " + ", ".join(f"{name} = {_in_digits(value)}" for name, value in pairs))
    cursor.execute("execute northmoor" + (f" using {', '.join(names)}" if names else ""))


def _in_digits(value: Value) -> str:
    """A value as a literal without any quoted text of its own."""
    if value is None:
        return "null"
    if isinstance(value, bool):
        return str(int(value))
    if isinstance(value, int):
        return str(value)
    if isinstance(value, float):
        return f"{value!r}e0" if "e" not in repr(value) else repr(value)
    if isinstance(value, Decimal):
        return f"{value:f}"
    if isinstance(value, datetime):
        return f"timestamp'{value:%Y-%m-%d %H:%M:%S.%f}'"
    if isinstance(value, date):
        return f"date'{value:%Y-%m-%d}'"
    return _text_in_digits(value)


def _text_in_digits(text: str) -> str:
    return f"convert(x'{text.encode().hex()}' using utf8mb4)"


def _set_zone(connection: Any, zone: ZoneInfo) -> tuple[str, ...]:
    with connection.cursor() as cursor:
        try:
            cursor.execute(f"set session time_zone = {_text_in_digits(zone.key)}")
            return ()
        except pymysql.Error as error:
            if error.args[0] != _ZONE_UNKNOWN:
                raise
        cursor.execute("set session time_zone = '+00:00'")
    return (f"The server does not know the time zone {zone.key}; where its SQL compares moments, it does so in UTC.",)


def _batches(cursor: Any, in_utc: list[bool]) -> Iterator[list[pa.Array]]:
    size = FIRST_ROWS
    while rows := cursor.fetchmany(size):
        columns = zip(*rows, strict=True)
        batch = [_array(list(column), utc) for column, utc in zip(columns, in_utc, strict=True)]
        size = next_batch_size(batch)
        yield batch


def _array(values: list[Any], in_utc: bool) -> pa.Array:
    texts = pa.array([v.hex() if isinstance(v, bytes) else v for v in values], pa.string())
    return texts.cast(pa.timestamp("us")).cast(pa.timestamp("us", "UTC")) if in_utc else texts


def _kind(field: Any) -> ValueType:
    if field.type_code in (FIELD_TYPE.NEWDECIMAL, FIELD_TYPE.DECIMAL):
        signs = (field.scale > 0) + (not field.flags & _UNSIGNED)
        return ValueType("decimal", field.length - signs, field.scale)
    if field.type_code == FIELD_TYPE.LONGLONG and field.flags & _UNSIGNED:
        return ValueType("decimal", 20, 0)
    if field.type_code in _INTEGERS:
        return ValueType("integer")
    return ValueType(_SIMPLE.get(field.type_code, "text"))


def _leave(cursor: Any) -> None:
    """Pass over what is left of the results. A lost connection has none, and must not be read when it is freed."""
    with suppress(pymysql.Error, OSError, AttributeError):
        cursor.close()
    cursor.connection = None
    if cursor._result is not None:
        cursor._result.unbuffered_active = False


def _end(connection: Any) -> None:
    with suppress(pymysql.Error, OSError):
        connection.close()
