"""PostgreSQL's rows as Arrow: the first ones at once, the rest as fast as the driver can.

A cursor in the server gives the first rows soon, keeps memory flat and takes bound values. Copying is faster, takes no
values, and gives its first batch late. So the first rows always come from a cursor; when they were there at once and
nothing is bound, the whole is then copied, in the same transaction and so from the same state of the data.
"""

import time
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import suppress
from itertools import chain
from typing import Any

import adbc_driver_manager
import pyarrow as pa
from msgspec import Struct

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.engine.arrow_types import UNKNOWN_SCALE
from northmoor.core.model.kinds.value_types import MAX_PRECISION, ValueType
from northmoor.core.sources.drivers.protocol import FIRST_ROWS, next_batch_size, unique_column_names

DECLARE = "declare rows no scroll cursor for "
"""What is before the query in what the server is sent."""
AT_ONCE = 0.3
"""Seconds within which the first rows must be there for a query to be run again as a copy."""
_LOOK_EVERY = 0.2
"""Seconds between looks whether a fetch was stopped."""
_NO_COPY = {"adbc.postgresql.use_copy": "false"}
_SIMPLE = {
    "int2": "integer", "int4": "integer", "int8": "integer", "oid": "integer", "float4": "float", "float8": "float",
    "bool": "boolean", "date": "date", "timestamp": "timestamp", "timestamptz": "timestamp",
}  # fmt: skip
_AS_NUMERIC = frozenset({"money"})
Batches = Iterator[list[pa.Array]]


class ResultColumn(Struct, frozen=True):
    """A result column: its name, its type where the server is sure, and the cast it needs to come exactly."""

    name: str
    kind: ValueType | None
    cast: str | None


class RowStream:
    """A query on an open connection: its columns, the first rows if all of them come again, and its batches."""

    def __init__(self, connection: Any, sql: str, bound: pa.RecordBatch | None, stop: CancelToken) -> None:
        self._connection, self._stop = connection, stop
        self._cursor = connection.cursor(adbc_stmt_kwargs=_NO_COPY)
        self._copy: Any = None
        self._ahead = ThreadPoolExecutor(1)
        self.preview: list[pa.Array] | None = None
        try:
            with stop.on_cancel(self.cancel):
                began = time.perf_counter()
                self.columns, whole = _declare(self._cursor, sql, bound)
                first = self._wait(self._ahead.submit(_fetch, self._cursor, FIRST_ROWS))
                at_once = time.perf_counter() - began < AT_ONCE
        except BaseException:
            self.close()
            raise
        if first is None or len(first) < FIRST_ROWS:
            self.batches: Batches = iter([] if first is None else [_plain(first)])
        elif bound is None and at_once:
            self.preview = _plain(first)
            self.batches = self._copied(whole)
        else:
            self._size = next_batch_size(first.columns)
            self.batches = chain([_plain(first)], self._each(self._fetch_next))

    def cancel(self) -> None:
        """Ask the server to stop what it does for this query; nothing when it does nothing."""
        for cursor in (self._cursor, self._copy):
            if cursor is not None:
                with suppress(adbc_driver_manager.Error):  # the statement has just ended
                    cursor.adbc_cancel()

    def close(self) -> None:
        """Stop and free everything. A batch that is on its way may be long in coming, so it is cancelled."""
        self.cancel()
        self._ahead.shutdown(wait=True)
        for cursor in (self._cursor, self._copy):
            if cursor is not None:
                cursor.close()

    def _copied(self, sql: str) -> Batches:
        self._cursor.execute("close rows")
        self._copy = self._connection.cursor()

        def begin() -> Any:
            self._copy.execute(sql)
            return self._copy.fetch_record_batch()

        reader = self._wait(self._ahead.submit(begin))
        yield from self._each(lambda: next(reader, None))

    def _fetch_next(self) -> pa.Table | None:
        found = _fetch(self._cursor, self._size)
        if found is not None:
            self._size = next_batch_size(found.columns)
        return found

    def _each(self, get: Callable[[], Any]) -> Batches:
        """Batches until there is none, the next one being fetched while one is worked on."""
        waiting = self._ahead.submit(get)
        while (found := self._wait(waiting)) is not None:
            waiting = self._ahead.submit(get)
            yield _plain(found)

    def _wait(self, waiting: "Future[Any]") -> Any:
        """What is on its way. A stop that came between two statements cancelled neither, so it is repeated."""
        while True:
            try:
                return waiting.result(_LOOK_EVERY)
            except TimeoutError:
                if self._stop.is_cancelled():
                    self.cancel()


def _declare(cursor: Any, sql: str, bound: pa.RecordBatch | None) -> tuple[list[ResultColumn], str]:
    """Open the cursor for a query, and the SQL it is open for.

    Columns of types that Arrow has no exact form for come as the server's text.
    """
    columns = _opened(cursor, sql, bound)
    if not any(column.cast for column in columns):
        return columns, sql
    cursor.execute("close rows")
    names = ", ".join(f"c{n}" for n in range(len(columns)))
    wanted = ", ".join(f"c{n}{column.cast or ''}" for n, column in enumerate(columns))
    whole = f"select {wanted} from ({sql}\n) as given ({names})"
    renamed = _opened(cursor, whole, bound)
    return [ResultColumn(old.name, new.kind, None) for old, new in zip(columns, renamed, strict=True)], whole


def _opened(cursor: Any, sql: str, bound: pa.RecordBatch | None) -> list[ResultColumn]:
    cursor.execute(DECLARE + sql, bound)
    cursor.execute("fetch 0 from rows")
    schema = cursor.fetch_arrow_table().schema
    names = unique_column_names(schema.names)
    return [_column(name, entry) for name, entry in zip(names, schema, strict=True)]


def _column(name: str, entry: pa.Field) -> ResultColumn:
    message = {key.decode(): value.decode() for key, value in (entry.metadata or {}).items()}
    kind = message.get("POSTGRESQL:type", "")
    if kind in _SIMPLE:
        return ResultColumn(name, ValueType(_SIMPLE[kind]), None)
    if kind == "numeric":
        return ResultColumn(name, _decimal(int(message.get("POSTGRESQL:typmod", "-1"))), None)
    if kind in _AS_NUMERIC:
        return ResultColumn(name, None, "::numeric")
    return ResultColumn(name, ValueType("text"), None if pa.types.is_string(entry.type) else "::text")


def _decimal(modifier: int) -> ValueType:
    """Digits and places of a numeric, which the server packs into one number behind a header of four."""
    digits, places = (modifier - 4) >> 16, (modifier - 4) & 0x7FF
    if modifier < 4 or places > min(digits, MAX_PRECISION):
        return ValueType("decimal", MAX_PRECISION, UNKNOWN_SCALE)
    return ValueType("decimal", digits, places)


def _fetch(cursor: Any, count: int) -> pa.Table | None:
    cursor.execute(f"fetch {count} from rows")
    table = cursor.fetch_arrow_table()
    return table if len(table) else None


def _plain(found: Any) -> list[pa.Array]:
    """The columns as arrays of plain types."""
    arrays = [c.combine_chunks() if isinstance(c, pa.ChunkedArray) else c for c in found.columns]
    return [array.storage if isinstance(array.type, pa.BaseExtensionType) else array for array in arrays]
