"""The road's second stage: a query and parameter values to rows, typed and named."""

import time
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path

import pyarrow as pa

from northmoor.core.errors import ConnectionFault, NorthmoorError, Place, QueryError, did_you_mean
from northmoor.core.model.data import Query, QueryColumn
from northmoor.core.model.report import Report
from northmoor.core.model.types import ValueType
from northmoor.core.sources.connections import Library
from northmoor.core.sources.guard import CheckedQuery, check_query
from northmoor.core.sources.inference import infer_types
from northmoor.core.sources.mending import UnfitValue, loose_array, mend, natural_type, together
from northmoor.core.sources.sqlite import Cursor, read_catalog, running
from northmoor.core.sources.values import Values
from northmoor.core.stopping import Stop

Progress = Callable[[str], None]
"""Called with a short text while long work goes on."""


@dataclass(frozen=True, eq=False)
class Rows:
    """A query's result.

    `table` has one Arrow column a result column, types as in `types`; `data_time` is the moment the data are as of, in
    wall time of the report's zone: for a database file, when it was last written.
    """

    query: str
    table: pa.Table
    types: tuple[ValueType, ...]
    data_time: datetime
    seconds: float = field(compare=False, default=0.0)

    @property
    def names(self) -> tuple[str, ...]:
        """Names of its columns."""
        return tuple(self.table.column_names)


def fetch(report: Report, query: Query, values: Values, library: Library, stop: Stop, tell: Progress) -> Rows:
    """Run a query of the report.

    Raises QueryError, RefusedQuery or ConnectionFault, each naming the query, or Stopped.
    """
    place = Place(query=query.name)
    began = time.perf_counter()
    try:
        checked = check_query(query.sql)
        _fill_placeholders(checked, values)
        database = library.database(library.connection(query.connection))
        bound = {name: values.by_name[name] for name in checked.parameters}
        inferred = infer_types(checked.tree, read_catalog(database))
        with running(database, query.sql, bound, stop, place) as cursor:
            columns = _read_all(cursor, query.name, stop, tell)
            table, types = _typed(columns, cursor.names, inferred, query, report)
        moment = datetime.fromtimestamp(_last_written(database), UTC).astimezone(report.zone)
    except ConnectionFault as error:
        raise ConnectionFault(error.message, Place(query=query.name, connection=query.connection)) from error
    except NorthmoorError as error:
        raise error.at(place) from None
    data_time = moment.replace(tzinfo=None, microsecond=0)
    return Rows(query.name, table, types, data_time, time.perf_counter() - began)


def _fill_placeholders(checked: CheckedQuery, values: Values) -> None:
    for name in sorted(checked.parameters):
        if name not in values.by_name:
            known = did_you_mean(name, values.by_name)
            raise QueryError(f"The SQL has :{name}, and the report has no such parameter. {known or 'Add it.'}")


def _last_written(database: Path) -> int:
    journal = database.with_name(f"{database.name}-wal")
    moments = [database.stat().st_mtime] + ([journal.stat().st_mtime] if journal.exists() else [])
    return int(max(moments))


def _read_all(cursor: Cursor, name: str, stop: Stop, tell: Progress) -> list[pa.Array]:
    chunks: list[list[pa.Array]] = [[] for _ in cursor.names]
    count = 0
    for chunk in cursor.chunks:
        for kept, column in zip(chunks, chunk, strict=True):
            kept.append(loose_array(column))
        count += len(chunk[0]) if chunk else 0
        tell(f"{name}: {count:,} rows")
        stop.check()
    return [together(kept) for kept in chunks]


def _typed(
    columns: list[pa.Array],
    names: tuple[str, ...],
    inferred: tuple[ValueType | None, ...],
    query: Query,
    report: Report,
) -> tuple[pa.Table, tuple[ValueType, ...]]:
    settings = {column.name: column for column in query.columns}
    for name in settings:
        if name not in names:
            raise QueryError(f"It returns no column {name!r}, for which it has settings. {did_you_mean(name, names)}")
    guesses = inferred if len(inferred) == len(names) else (None,) * len(names)
    arrays = [
        _typed_column(raw, name, guess, settings.get(name), report)
        for raw, name, guess in zip(columns, names, guesses, strict=True)
    ]
    return pa.table(arrays, names=list(names)), tuple(_type_of(array) for array in arrays)


def _typed_column(
    raw: pa.Array, name: str, guess: ValueType | None, setting: QueryColumn | None, report: Report
) -> pa.Array:
    if setting is not None and setting.type is not None:
        wanted = ValueType.parse(setting.type)
        try:
            return mend(raw, wanted, report.zone)
        except UnfitValue as fault:
            raise QueryError(
                f"Column {name} has a value that is no {wanted}: {str(fault.value)[:40]!r} in row {fault.row + 1}. "
                "Change the column's type, or mend the value in the SQL."
            ) from fault
    for kind in (guess, natural_type(raw)):
        if kind is not None:
            try:
                return mend(raw, kind, report.zone)
            except UnfitValue:
                continue  # what the table declares is not what it holds: the values decide
    return mend(raw, ValueType("text"), report.zone)


def _type_of(array: pa.Array) -> ValueType:
    kind = array.type
    if pa.types.is_decimal(kind):
        return ValueType("decimal", kind.precision, kind.scale)
    if pa.types.is_date(kind):
        return ValueType("date")
    if pa.types.is_timestamp(kind):
        return ValueType("timestamp")
    if pa.types.is_boolean(kind):
        return ValueType("boolean")
    if pa.types.is_integer(kind):
        return ValueType("integer")
    return ValueType("float" if pa.types.is_floating(kind) else "text")
