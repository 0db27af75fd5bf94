"""The road's second stage: a query and parameter values to rows, typed and named."""

import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import closing, contextmanager
from datetime import date, datetime
from typing import Protocol

import pyarrow as pa
from msgspec import Struct, field

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.engine.arrow_types import UNKNOWN_SCALE, arrow_type, concat_chunks, type_of_arrow, type_of_values
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import ConnectionFault, MissingParameter, NorthmoorError, Place, QueryError, did_you_mean
from northmoor.core.expr.placeholders import placeholders
from northmoor.core.model.data.queries import QueryColumn
from northmoor.core.model.kinds.value_kinds import KindName
from northmoor.core.model.kinds.value_types import MAX_PRECISION, ValueType
from northmoor.core.model.report import Report
from northmoor.core.sources.drivers.protocol import FIRST_ROWS, QueryRequest, ResultStream
from northmoor.core.sources.fetch.details import detail_rows
from northmoor.core.sources.fetch.query_resolution import ResolvedQuery
from northmoor.core.sources.fetch.snapshots import read_sample
from northmoor.core.sources.fetch.spooling import BatchSpool
from northmoor.core.sources.library import Library
from northmoor.core.sources.local.engine_queries import check_apart, running_query
from northmoor.core.sources.local.tasks import Named, Opening
from northmoor.core.sources.typing.coercion import CoercionError, coerce
from northmoor.core.sources.typing.decimals import fit_decimals
from northmoor.core.sources.typing.dialect_notes import dialect_notes
from northmoor.core.sources.typing.exact_decimals import exact_sql
from northmoor.core.sources.typing.inference import infer_types, placeholder_kinds
from northmoor.core.values.parameter_values import Listed, Values
from northmoor.core.values.scalars import Value

_WITH_ARRAYS = ("postgres", "duckdb")
"""Dialects whose functions take arrays."""
Progress = Callable[[str], None]
"""Called with a short text while long work goes on."""


ShowFirst = Callable[[Rows], None]
"""Called with the first rows of a query while the rest is still on the way."""


class FetchRequest(Struct, frozen=True):
    """A query of a report that is to be fetched: `needed` are the rows of the queries it needs."""

    report: Report
    resolved: ResolvedQuery
    values: Values
    library: Library
    sources: Mapping[str, Rows]
    stop: CancelToken
    report_progress: Progress = lambda _: None
    show_first: ShowFirst = lambda _: None
    parts: tuple[Mapping[str, Value], ...] = ()
    """Values that differ between parts of the query, which may run at once; only the engine here can."""


def fetch(request: FetchRequest) -> Rows:
    """Run a query of a report.

    Raises QueryError, RefusedQuery or ConnectionFault, each naming the query, or Stopped.
    """
    query = request.resolved.query
    began = time.perf_counter()
    try:
        _fill_placeholders(request)
        with _open_stream(request) as (stream, guesses):
            reader = _Reader(request, stream, guesses)

            def show(first: pa.Table) -> None:
                request.show_first(_rows(request, stream, first, began, is_whole=False))

            table = reader.read(show)
        pa.default_memory_pool().release_unused()  # what batches took before they were put together
        rows = _rows(request, stream, table, began)
        rows = replace(rows, notes=(*rows.notes, *dict.fromkeys(reader.notes), *_notes_of_dialect(request)))
        if query.detail_of is not None:
            owner = request.sources[query.detail_of.query]
            rows = replace(rows, table=detail_rows(rows.table, owner.table, query.detail_of, request.stop))
        return replace(rows, seconds=time.perf_counter() - began)
    except ConnectionFault as error:
        raise type(error)(error.message, Place(query=query.name, connection=query.connection)) from error
    except NorthmoorError as error:
        raise error.at(Place(query=query.name)) from None


def _notes_of_dialect(request: FetchRequest) -> tuple[str, ...]:
    query = request.resolved.query
    connection = query.connection
    if connection is None or query.use_sample:
        return ()
    return dialect_notes(
        request.resolved.checked, lambda: request.library.catalog(connection, request.stop, counted=False)
    )


def check(request: FetchRequest) -> None:
    """Ask where a query would run whether it would. Raises like `fetch`."""
    query = request.resolved.query
    _fill_placeholders(request)
    asked = _query_request(request)
    if query.connection is not None:
        request.library.driver(query.connection).check(asked)
    else:
        check_apart(_opening(request), asked)


def _query_request(request: FetchRequest) -> QueryRequest:
    checked = request.resolved.checked
    bound = {name: request.values.by_name[name] for name in checked.parameters}
    compared = _compared_kinds(request, bound)
    return QueryRequest(checked, bound, request.report.zone, request.stop, request.values.kinds, compared,
                        _exact_sql(request), request.parts)  # fmt: skip


def _exact_sql(request: FetchRequest) -> str:
    checked, connection = request.resolved.checked, request.resolved.query.connection
    if connection is None or checked.dialect != "sqlite":
        return ""
    return exact_sql(checked, lambda: request.library.catalog(connection, request.stop, counted=False))


def _compared_kinds(request: FetchRequest, bound: Mapping[str, Value | Listed]) -> tuple[KindName | None, ...]:
    """What days and moments that are bound are compared with, for a database that keeps them as texts."""
    checked, connection = request.resolved.checked, request.resolved.query.connection
    entries = [value if isinstance(value, tuple) else (value,) for value in bound.values()]
    has_moments = any(isinstance(entry, date) for listed in entries for entry in listed)
    if connection is None or checked.dialect != "sqlite" or not has_moments:
        return ()
    return placeholder_kinds(checked, request.library.catalog(connection, request.stop, counted=False))


def _opening(request: FetchRequest) -> Opening:
    """The rows of the queries that a combined one is over."""
    return Opening(tables=tuple(Named(name, request.sources[name].table) for name in request.resolved.sources))


def _fill_placeholders(request: FetchRequest) -> None:
    """See that each placeholder has a value that can be there."""
    checked, values = request.resolved.checked, request.values.by_name
    ranges = {p.name: p.names for p in request.report.parameters if p.holds == "range"}
    for found in placeholders(checked.sql, checked.dialect):
        name = found.name
        if name in ranges:
            raise QueryError(f":{name} is a range; write :{ranges[name][0]} and :{ranges[name][1]} for its two ends.")
        if name not in values:
            raise MissingParameter(name, values)
        takes_array = found.is_argument and checked.dialect in _WITH_ARRAYS
        if isinstance(values[name], tuple) and not found.is_listed and not takes_array:
            raise QueryError(f":{name} is a list; write in (:{name}), or :{name}_count for how many values it has.")


def _is_open(kind: ValueType | None) -> bool:
    """Whether only the values tell how a column is held: nothing is declared, or more digits than can be."""
    return kind is None or kind.scale == UNKNOWN_SCALE or kind.precision > MAX_PRECISION


Guesses = tuple[ValueType | None, ...]


@contextmanager
def _open_stream(request: FetchRequest) -> Iterator[tuple[ResultStream, Guesses]]:
    """The query's stream from where its rows are, and types guessed from what is declared about them."""
    query, checked, library, stop = request.resolved.query, request.resolved.checked, request.library, request.stop
    if query.use_sample and query.sample is not None:
        yield read_sample(library.resolve_path(query.sample), stop), ()
    elif query.connection is not None:
        with library.driver(query.connection).open_stream(_query_request(request)) as stream:
            set_types = {column.name for column in query.columns if column.type is not None}
            columns = zip(stream.names, stream.kinds, strict=True)
            is_open = any(_is_open(kind) for name, kind in columns if name not in set_types)
            yield (
                stream,
                infer_types(checked, library.catalog(query.connection, stop, counted=False)) if is_open else (),
            )
    else:
        moments = [request.sources[name].data_time for name in request.resolved.sources]
        moment = max(moments, default=datetime(1970, 1, 1)).replace(tzinfo=request.report.zone)
        with running_query(_opening(request), _query_request(request), moment) as stream:
            yield stream, ()


def _rows(request: FetchRequest, stream: ResultStream, table: pa.Table, began: float, is_whole: bool = True) -> Rows:
    query = request.resolved.query
    types = tuple(type_of_arrow(entry.type) or ValueType("text") for entry in table.schema)
    moment = stream.data_time.astimezone(request.report.zone).replace(tzinfo=None, microsecond=0)
    notes = _notes_of_missing([c.name for c in query.columns if c.name not in stream.names], stream.names)
    seconds = time.perf_counter() - began
    return Rows(query.name, table, types, moment, seconds, (*stream.notes, *stream.found, *notes), is_whole)


def _notes_of_missing(missing: Sequence[str], names: Sequence[str]) -> list[str]:
    """A note on columns that have settings and are missing; one for all those that no column resembles."""
    alike: dict[str, list[str]] = {}
    for name in missing:
        alike.setdefault(did_you_mean(name, names), []).append(repr(name))
    return [
        f"It returns no column {found[0]} any more, for which it has settings. {remedy}"
        if len(found) == 1
        else f"It returns no columns {', '.join(found)} any more, for which it has settings. {remedy}"
        for remedy, found in alike.items()
    ]


class _Collector(Protocol):
    def add(self, arrays: list[pa.Array]) -> None: ...
    def table(self) -> pa.Table: ...
    def close(self) -> None: ...


class _Reader(Struct):
    """Reads a stream to a table."""

    request: FetchRequest
    stream: ResultStream
    guesses: Guesses
    notes: list[str] = field(default_factory=list)

    def read(self, show: Callable[[pa.Table], None]) -> pa.Table:
        """All rows; `show` is called with those of the first batch while more may be on the way."""
        wanted = [self._wanted(column) for column in range(len(self.stream.names))]
        with closing(self._collector(wanted)) as collector:
            self._collect(wanted, collector, show)
            return collector.table()

    def _collect(self, wanted: list[ValueType | None], collector: _Collector, show: Callable[[pa.Table], None]) -> None:
        count = 0
        if self.stream.preview is not None:
            show(self._first(wanted, self.stream.preview))
        for number, batch in enumerate(self.stream.batches):
            arrays = self._arrays(wanted, batch, count)
            collector.add(arrays)
            if number == 0 and self.stream.preview is None and arrays and len(arrays[0]):
                show(self._first(wanted, batch))
            count += len(arrays[0]) if arrays else 0
            self.request.report_progress(f"{self.request.resolved.query.name}: {count:,} rows")
            self.request.stop.raise_if_cancelled()

    def _arrays(self, wanted: list[ValueType | None], batch: list[pa.Array], row: int) -> list[pa.Array]:
        pairs = zip(self.stream.names, batch, wanted, strict=True)
        return [raw if kind is None else self._coerced(name, raw, kind, row) for name, raw, kind in pairs]

    def _first(self, wanted: list[ValueType | None], batch: list[pa.Array]) -> pa.Table:
        """A table of the first rows alone."""
        collector = self._collector(wanted)
        collector.add([array[:FIRST_ROWS] for array in self._arrays(wanted, batch, 0)])
        return collector.table()

    def _setting(self, column: int) -> QueryColumn | None:
        name = self.stream.names[column]
        return next((c for c in self.request.resolved.query.columns if c.name == name), None)

    def _wanted(self, column: int) -> ValueType | None:
        """A column's type where it is certain, so that each batch can be made so at once."""
        setting, kind = self._setting(column), self.stream.kinds[column]
        if setting is not None and setting.type is not None:
            return ValueType.parse(setting.type)
        return None if _is_open(kind) else kind

    def _collector(self, wanted: list[ValueType | None]) -> _Collector:
        certain = [kind for kind in wanted if kind is not None]
        if len(certain) < len(wanted):
            return _DeferredColumns(self, wanted)
        pairs = zip(self.stream.names, certain, strict=True)
        return BatchSpool(pa.schema([pa.field(name, arrow_type(kind)) for name, kind in pairs]))

    def _coerced(self, name: str, raw: pa.Array, kind: ValueType, row: int) -> pa.Array:
        try:
            return coerce(raw, kind, self.request.report.zone)
        except CoercionError as fault:
            raise QueryError(
                f"Column {name} has a value that is no {kind}: {str(fault.value)[:40]!r} in row "
                f"{fault.row + row + 1:,}. "
                "Change the column's type, or correct the value in the SQL."
            ) from fault

    def decided(self, column: int, raw: pa.Array) -> pa.Array:
        """A column whose type only all its values can tell."""
        kind = self.stream.kinds[column]
        guess = self.guesses[column] if len(self.guesses) == len(self.stream.names) else None
        if kind is not None and guess is not None and guess.kind != kind.kind:
            guess = None
        unknown = replace(kind, scale=UNKNOWN_SCALE) if kind is not None and kind.kind == "decimal" else None
        for candidate in (guess, kind, unknown, type_of_values(raw)):
            if candidate is not None:
                try:
                    if candidate.scale == UNKNOWN_SCALE:
                        return self._fitted(column, raw)
                    precision = min(candidate.precision, MAX_PRECISION)
                    return coerce(raw, replace(candidate, precision=precision), self.request.report.zone)
                except CoercionError:
                    continue  # what the table declares is not what it holds: the values decide
        return coerce(raw, ValueType("text"), self.request.report.zone)

    def _fitted(self, column: int, raw: pa.Array) -> pa.Array:
        """Decimals of which no places are declared; what is lost of them is noted."""
        fitted = fit_decimals(raw)
        if fitted.note:
            self.notes.append(f"Column {self.stream.names[column]} {fitted.note}.")
        return fitted.values


class _DeferredColumns:
    """Collects batches some of whose columns wait for all their values."""

    def __init__(self, reader: _Reader, wanted: list[ValueType | None]) -> None:
        self._reader, self._wanted = reader, wanted
        self._chunks: list[list[pa.Array]] = [[] for _ in wanted]

    def add(self, arrays: list[pa.Array]) -> None:
        """Add a batch, one array a column."""
        for kept, array in zip(self._chunks, arrays, strict=True):
            kept.append(array)

    def table(self) -> pa.Table:
        """All rows, each column of one type."""
        columns = [concat_chunks(kept) for kept in self._chunks]
        made = [
            raw if kind is not None else self._reader.decided(at, raw)
            for at, (raw, kind) in enumerate(zip(columns, self._wanted, strict=True))
        ]
        return pa.table(made, names=list(self._reader.stream.names))

    def close(self) -> None:
        """Let go of the batches."""
        self._chunks = []
