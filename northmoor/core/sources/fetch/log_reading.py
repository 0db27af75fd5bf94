"""From a signal log to its series: which objects it has, the statement run where the log is, its rows put in order."""

import os
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from northmoor.core.base.arrays import Ints
from northmoor.core.base.replace import replace
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import QueryError, did_you_mean
from northmoor.core.expr.identifiers import bare_or_quoted, name_parts, sql_table
from northmoor.core.model.data.queries import Query, QueryColumn
from northmoor.core.model.data.signal_logs import SignalLog
from northmoor.core.model.kinds.value_kinds import KindName
from northmoor.core.sources.drivers.read_only import check_query
from northmoor.core.sources.fetch.log_statement import (
    GOOD,
    NUMBER,
    OBJECT,
    SIGNAL,
    TEXT,
    TIME,
    WRITTEN,
    LogStatement,
    LogTable,
    extent_statement,
    log_statement,
    outline_statements,
    summary_statement,
)
from northmoor.core.sources.fetch.query_resolution import LogPlace, ResolvedQuery
from northmoor.core.sources.fetch.run_query import FetchRequest, fetch
from northmoor.core.sources.signals.clock_changes import after_turning_back
from northmoor.core.sources.signals.line_outline import Stretches
from northmoor.core.sources.signals.series import MISSING, LogNotes, LogRows, Series, SeriesName, series_of
from northmoor.core.sources.signals.windows import instant
from northmoor.core.sources.typing.inference import declared_kind
from northmoor.core.values.parameter_values import Values

_COUNTED = {"milliseconds": 1000, "microseconds": 1}
_TYPE_OF = {"duckdb": "typeof({})", "postgres": "cast(pg_typeof({}) as text)"}
"""What the type of a column is, where what is declared does not say whether its moments know their zone."""
_INDEXES = {
    "sqlite": "select sql as name from sqlite_master where type = 'index' and tbl_name = :table_name "
    "and :schema_name = :schema_name",
    "postgres": "select indexdef as name from pg_indexes where tablename = :table_name "
    "and (:schema_name = '' or schemaname = :schema_name)",
    "mysql": "select group_concat(column_name order by seq_in_index) as name from information_schema.statistics "
    "where table_schema = database() and table_name = :table_name and :schema_name = :schema_name group by index_name",
}
"""What the columns of a table's indexes are, as texts."""
_WALL = ("moment", "text", "text with T")
"""Forms of times that show what a clock did."""
_OFFSET = r"([zZ]|[+-][0-9]{2}(:?[0-9]{2})?)$"
_MOST_SERIES = 5_000
PARTS = min(os.cpu_count() or 1, 4)
"""Parts of a period whose outlines are found at once."""


@dataclass(frozen=True)
class LogReader:
    """Reads a log for a query."""

    request: FetchRequest
    place: LogPlace

    @property
    def log(self) -> SignalLog:
        """What the log's columns mean."""
        return self.place.log

    @property
    def has_objects(self) -> bool:
        """Whether the log tells objects apart."""
        return self.log.object is not None or self.log.separator is not None

    @cached_property
    def table(self) -> LogTable:
        """Where the rows are. Raises QueryError for columns that are not there."""
        kinds, known_types = self._columns()
        self._check_columns(kinds)
        zone = ZoneInfo(self.log.time_zone or ("UTC" if self.place.connection else self.request.report.time_zone))
        is_aware = self._times_know_zone(known_types.get(self.log.time, ""))
        return LogTable(self.log, self.place.table, self.place.dialect, kinds, zone, is_aware)

    def _columns(self) -> tuple[dict[str, KindName | None], dict[str, str]]:
        if self.place.connection is None:
            rows = self.request.sources[self.place.table]
            return {name: kind.kind for name, kind in zip(rows.names, rows.types, strict=True)}, {}
        catalog = self.request.library.catalog(self.place.connection, self.request.stop, counted=False)
        table = catalog.table(self.place.table)
        if table is None:
            hint = did_you_mean(self.place.table, [known.name for known in catalog.tables])
            raise QueryError(
                f"The log {self.log.name} is the table {self.place.table}, which is not there. {hint}".strip()
            )
        types = {column.name: column.type for column in table.columns}
        return {name: declared_kind(kind, self.place.dialect) for name, kind in types.items()}, types

    def _check_columns(self, known: Mapping[str, Any]) -> None:
        log = self.log
        named = [log.time, log.signal, log.object, log.quality, log.order, *log.values]
        missing = next((name for name in named if name is not None and name not in known), None)
        if missing is not None:
            hint = did_you_mean(missing, known)
            raise QueryError(f"The log {log.name} has no column {missing}. {hint}".strip())

    def _times_know_zone(self, declared: str) -> bool:
        """Whether the column of times is of a type that is a moment in any zone."""
        if self.log.time_form != "moment" or self.place.connection is None:
            return False
        asking = _TYPE_OF.get(self.place.dialect)
        if asking is None:
            return self.place.dialect == "mysql" and declared.lower().startswith("timestamp")
        catalog = self.request.library.catalog(self.place.connection, self.request.stop, counted=False)
        known, key = catalog.asked_types, (self.place.table, self.log.time)
        if key not in known:
            time, dialect = bare_or_quoted(self.log.time, self.place.dialect), self.place.dialect
            sql = f"select {asking.format(time)} as name from {sql_table(self.place.table, dialect)} limit 1"
            kinds = self._fetch(LogStatement(sql, {}, {}, (QueryColumn(name="name", type="text"),))).table["name"]
            if not len(kinds):
                return False
            known[key] = str(kinds[0].as_py())
        return "with time zone" in known[key].lower()

    # objects and signals

    def objects(self, wanted: tuple[str, ...] | None) -> tuple[str, ...]:
        """The objects that are wanted, in this order, or all of the log by name."""
        if not self.has_objects:
            return (MISSING,)
        if wanted is not None:
            return wanted
        if self.log.object is not None:
            return tuple(sorted(self._distinct(self.log.object)))
        separator = self.log.separator or "."
        names = [name.partition(separator) for name in self._distinct(self.log.signal or "")]
        return tuple(sorted({before for before, found, _ in names if found}))

    def signal_names(self) -> tuple[str, ...]:
        """All signals of the log, by name."""
        if self.log.is_wide:
            return self.log.values
        names = self._distinct(self.log.signal or "")
        if self.log.separator is not None:
            names = [name.partition(self.log.separator)[2] for name in names if self.log.separator in name]
        return tuple(sorted(set(names)))

    def _distinct(self, column: str) -> list[str]:
        table = self.table
        source, name = sql_table(table.table, table.dialect), bare_or_quoted(column, table.dialect)
        found = self._fetch(
            LogStatement(
                f"select distinct {name} as name from {source}", {}, {}, (QueryColumn(name="name", type="text"),)
            )
        )
        return [name for name in found.table["name"].to_pylist() if name]

    def summaries(self) -> dict[SeriesName, tuple[int, int, int]]:
        """Of each series how many readings it has, and the times of the first and the last, in microseconds since 1970
        in UTC."""
        statement = summary_statement(self.table)
        found = self._fetch(statement).table.combine_chunks()
        column = {name: found[name].to_pylist() for name in found.column_names[:3]}
        ends = [self._instants(found[name].combine_chunks()).tolist() for name in found.column_names[3:]]
        names = [self._series_name(o, s) for s, o in zip(column[SIGNAL], column[OBJECT], strict=True)]
        rows = zip(names, column["readings"], *ends, strict=True)
        return {name: (count, first, last) for name, count, first, last in rows if name is not None}

    def extent(self) -> tuple[int, int] | None:
        """The times of the log's first and last reading; None of an empty one."""
        found = self._fetch(extent_statement(self.table)).table.combine_chunks()
        ends = pa.concat_arrays([found[name].combine_chunks() for name in found.column_names])
        if ends.null_count:
            return None
        first, last = self._instants(ends).tolist()
        return first, last

    def can_outline(self, signals: Iterable[str], stretches: Stretches) -> bool:
        """Whether the database can choose what an outline keeps: no value may lapse between two of them."""
        holds = [self.log.holds_for(name) for name in signals]
        are_numbers = all(self.log.known(name).type == "number" for name in signals)
        return are_numbers and self.table.can_outline and all(h is None or h >= stretches.width for h in holds)

    def _series_name(self, object_: str | None, signal: str | None) -> SeriesName | None:
        if signal is None or object_ is None:
            return None
        if self.log.is_wide:
            return SeriesName(object_, self.log.values[int(signal)])
        if self.log.separator is None:
            return SeriesName(object_, signal)
        before, found, after = signal.partition(self.log.separator)
        return SeriesName(before, after) if found else None

    def lacks_index(self) -> bool:
        """Whether the database could seek readings by an index over signal and time, and has none."""
        asking = _INDEXES.get(self.place.dialect)
        if asking is None or self.log.is_wide or self.place.connection is None:
            return False
        *schema, table = name_parts(self.place.table)
        values = {"table_name": table, "schema_name": "".join(schema)}
        kinds: dict[str, KindName] = dict.fromkeys(values, "text")
        columns = (QueryColumn(name="name", type="text"),)
        found = self._fetch(LogStatement(asking, values, kinds, columns)).table["name"].to_pylist()
        wanted = [re.compile(rf"\b{re.escape(name)}\b") for name in (self.log.signal or "", self.log.time)]
        return not any(text is not None and all(name.search(text) for name in wanted) for text in found)

    def check_signals(self, series: Mapping[SeriesName, Series]) -> None:
        """Raise QueryError for a signal that the log does not have, where one has no readings here."""
        empty = {name.signal for name, one in series.items() if not len(one.at)}
        empty -= {name.signal for name, one in series.items() if len(one.at)}
        if not empty:
            return
        known = self.signal_names()
        for name in sorted(empty - set(known)) if known else ():  # an empty log may have it yet
            hint = did_you_mean(name, known)
            raise QueryError(f"The log {self.log.name} has no signal {name}. {hint}".strip())

    # readings

    def rows(
        self, names: Sequence[SeriesName], since: int | None, until: int | None, stretches: Stretches | None = None
    ) -> LogRows:
        """The rows of some series from a time up to another, with those that held before, and lines' next ones; with
        stretches, those that an outline keeps."""
        if len(names) > _MOST_SERIES:
            raise QueryError(f"It would read {len(names):,} signals, and {_MOST_SERIES:,} is the most; select objects.")
        if self.log.is_wide:
            for name in dict.fromkeys(name.signal for name in names):
                if name not in self.log.values:
                    hint = did_you_mean(name, self.log.values)
                    raise QueryError(f"The log {self.log.name} has no signal {name}. {hint}".strip())
        if not names:
            none = np.zeros(0, np.int64)
            return LogRows(names, none, none, pa.nulls(0), pa.nulls(0, pa.string()), none.astype(bool))
        found = [self._fetch(each).table for each in self.statements(names, since, until, stretches)]
        return self._in_order(pa.concat_tables(found), names)

    def statements(
        self, names: Sequence[SeriesName], since: int | None, until: int | None, stretches: Stretches | None = None
    ) -> tuple[LogStatement, ...]:
        """The SQL for that."""
        lines = [name for name in names if self.log.known(name.signal).kind.is_interpolated]
        if stretches is None:
            return (log_statement(self.table, names, since, until, lines),)
        return outline_statements(self.table, names, since, until, lines, stretches, PARTS)

    def _in_order(self, table: pa.Table, names: Sequence[SeriesName]) -> LogRows:
        table = table.combine_chunks()
        series = self._series_numbers(table, names)
        kept = series >= 0
        if not kept.all():
            table, series = table.filter(pa.array(kept)), series[kept]
        column = {name: table[name].combine_chunks() for name in table.column_names}
        order = None
        if WRITTEN in column:
            order = pc.rank(column[WRITTEN], tiebreaker="dense").to_numpy(zero_copy_only=False).astype(np.int64)
        good = column[GOOD].fill_null(0).to_numpy(zero_copy_only=False) == 1
        at = self._instants(column[TIME])
        if not self.table.times_know_zone and self.table.zone.key != "UTC" and self.log.time_form in _WALL:
            at = after_turning_back(at, self._instants(column[TIME], "latest"), series, order)
        return LogRows(names, series, at, column[NUMBER], column[TEXT], good, order)

    def _series_numbers(self, table: pa.Table, names: Sequence[SeriesName]) -> Ints:
        """The place of each row's series among the names; -1 for others."""
        log = self.log
        numbers = {name: place for place, name in enumerate(names)}
        signals = table[SIGNAL].combine_chunks().dictionary_encode()
        texts = [text or "" for text in signals.dictionary.to_pylist()]
        if log.is_wide:
            texts = [log.values[int(text)] for text in texts]
        objects = None
        if log.object is not None:
            objects = table[OBJECT].combine_chunks().dictionary_encode()
            owners = [text or "" for text in objects.dictionary.to_pylist()]
            grid = [[numbers.get(SeriesName(o, s), -1) for s in texts] for o in owners] or [[-1]]
            grid_places = np.array(grid, np.int64).reshape(len(owners) or 1, -1)
            return grid_places[_codes(objects), _codes(signals)] if len(table) else np.zeros(0, np.int64)
        split = [text.partition(log.separator) for text in texts] if log.separator else [("", "", t) for t in texts]
        found = np.array([numbers.get(SeriesName(o, s), -1) for o, _, s in split] or [-1], np.int64)
        return found[_codes(signals)]

    def _instants(self, times: pa.Array, of_two: str = "earliest") -> Ints:
        """Microseconds since 1970 in UTC; of two moments that the clock shows the same, the `of_two`. Raises QueryError
        for what is no time."""
        form = self.log.time_form
        if times.null_count:
            raise QueryError(f"The log {self.log.name} has readings without a time; leave them out in a query.")
        if form == "seconds":  # which may have up to six decimals
            return _microseconds(pa.Array.from_buffers(pa.decimal128(20, 0), len(times), times.buffers()))
        if form in _COUNTED:
            return _microseconds(times) * _COUNTED[form]
        if form == "moment":
            return self._from_wall(times, of_two) if not self.table.times_know_zone else _microseconds(times)
        encoded = times.dictionary_encode()
        return self._from_texts(encoded.dictionary, of_two)[_codes(encoded)]

    def _from_texts(self, texts: pa.Array, of_two: str) -> Ints:
        has_offset = pc.match_substring_regex(texts, _OFFSET).to_numpy(zero_copy_only=False)
        if len(texts) and not has_offset.all() and self.log.time_zone is None:
            example = texts[int(np.flatnonzero(~has_offset)[0])].as_py()
            raise QueryError(f"{self._zoneless()}: {example!r}. {_CHOOSE_ZONE}")
        found = np.zeros(len(texts), np.int64)
        for is_aware in (True, False):
            own = has_offset == is_aware
            if own.any():
                part = texts.filter(pa.array(own))
                at = self._cast(part, "UTC" if is_aware else None)
                found[own] = _microseconds(at) if is_aware else self._from_wall(at, of_two)
        return found

    def _cast(self, texts: pa.Array, zone: str | None) -> pa.Array:
        try:
            return texts.cast(pa.timestamp("us", zone))
        except pa.ArrowInvalid as error:
            for text in texts.to_pylist():
                try:
                    datetime.fromisoformat(text)
                except ValueError:
                    message = f"The log {self.log.name} has {text[:40]!r} where a time should be"
                    raise QueryError(f"{message}; leave such rows out in a query.") from error
            return pa.array([datetime.fromisoformat(text) for text in texts.to_pylist()], pa.timestamp("us", zone))

    def _from_wall(self, times: pa.Array, of_two: str) -> Ints:
        """Wall time of the log's zone as microseconds."""
        if self.log.time_zone is None and self.place.connection is not None and len(times):
            raise QueryError(f"{self._zoneless()}. {_CHOOSE_ZONE}")
        zone = self.table.zone.key
        return _microseconds(pc.assume_timezone(times.cast(pa.timestamp("us")), zone, ambiguous=of_two,
                                                nonexistent="earliest"))  # fmt: skip

    def _zoneless(self) -> str:
        return f"The times of the log {self.log.name} do not say their time zone"

    # asking

    def _fetch(self, statement: LogStatement) -> Rows:
        """The rows of a statement of ours, with moments in UTC."""
        request = self.request
        query = Query(name=request.resolved.query.name, connection=self.place.connection, sql=statement.sql,
                      columns=statement.columns)  # fmt: skip
        checked = check_query(statement.sql, self.place.dialect)
        sources = () if self.place.connection else (self.place.table,)
        report = request.report.model_copy(update={"time_zone": "UTC", "parameters": ()})
        values = Values(statement.values, {}, statement.kinds, request.values.data_time)
        return fetch(
            replace(
                request, report=report, resolved=ResolvedQuery(query, checked, sources), values=values,
                show_first=lambda _: None, parts=statement.parts,
            )
        )  # fmt: skip


_CHOOSE_ZONE = "Choose the time zone of its clock in the log's properties."


def _codes(encoded: pa.DictionaryArray) -> Ints:
    """The places of values in a dictionary; the last place for none."""
    places: Ints = encoded.indices.fill_null(-1).to_numpy(zero_copy_only=False).astype(np.int64)
    return places


def _microseconds(moments: pa.Array) -> Ints:
    counted: Ints = moments.cast(pa.int64()).to_numpy(zero_copy_only=False)
    return counted


def read_series(
    reader: LogReader, names: Sequence[SeriesName], since: int | None, until: int | None, horizon: int,
    notes: LogNotes, stretches: Stretches | None = None,
) -> tuple[Mapping[SeriesName, Series], int]:  # fmt: skip
    """The series of some names, and the end of what is known: `horizon`, or the last reading where that is later. With
    stretches, the database leaves out what an outline does not need, if it can."""
    if stretches is not None and reader.can_outline({name.signal for name in names}, stretches):
        own_notes = LogNotes()
        found = _series_of_rows(reader, reader.rows(names, since, until, stretches), until, horizon, own_notes)
        if not own_notes.duplicates:  # of several readings at one time the last counts: the least may be another one
            return found
    return _series_of_rows(reader, reader.rows(names, since, until), until, horizon, notes)


def _series_of_rows(
    reader: LogReader, rows: LogRows, until: int | None, horizon: int, notes: LogNotes
) -> tuple[Mapping[SeriesName, Series], int]:
    known_end = max(horizon, int(rows.at.max(initial=0)))
    bound = known_end if until is None else min(until, known_end)
    return series_of(rows, reader.log, bound, notes), known_end


def data_instant(reader: LogReader) -> int:
    """The moment that a log's data are as of, in microseconds since 1970 in UTC."""
    request = reader.request
    if request.values.data_time is not None:
        return instant(request.values.data_time, request.report.zone)
    if reader.place.connection is None:
        return instant(request.sources[reader.place.table].data_time, request.report.zone)
    return instant(request.library.driver(reader.place.connection).data_time(), request.report.zone)
