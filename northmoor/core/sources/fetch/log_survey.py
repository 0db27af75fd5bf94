"""What a table would be as a signal log: which column is what, which signals it has, and what each of them is like."""

import re
from collections.abc import Callable, Mapping, Sequence
from datetime import datetime
from typing import Protocol

import numpy as np
import pyarrow as pa
from msgspec import Struct

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import QueryError
from northmoor.core.expr.identifiers import bare_or_quoted, sql_table
from northmoor.core.model.data.connections import KIND_OF_CONNECTION, Connection
from northmoor.core.model.data.queries import Query, QueryColumn
from northmoor.core.model.data.signal_logs import Signal, SignalLog, TimeForm
from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME
from northmoor.core.model.report import Edition, Report
from northmoor.core.sources.drivers.catalog import CatalogColumn, CatalogTable
from northmoor.core.sources.drivers.read_only import check_query
from northmoor.core.sources.fetch.log_reading import LogReader
from northmoor.core.sources.fetch.query_resolution import ENGINE_DIALECT, LogPlace, ResolvedQuery
from northmoor.core.sources.fetch.run_query import FetchRequest, fetch
from northmoor.core.sources.library import Library
from northmoor.core.sources.signals.series import Series, SeriesName, series_of
from northmoor.core.sources.signals.windows import wall_moment
from northmoor.core.sources.typing.inference import declared_kind
from northmoor.core.values.parameter_values import Values

_SAMPLE = 400
"""Rows that a proposal is made from."""
_LOOKED_AT = 60_000
"""About how many of the last readings tell what signals are like."""
_SPARKS = 80
_DAY = 86_400_000_000
_NAMES: Mapping[str, re.Pattern[str]] = {
    role: re.compile(pattern, re.IGNORECASE)
    for role, pattern in {
        "signal": r"tag|signal|point|channel|sensor|measure|variable|metric|name",
        "time": r"^at$|time|moment|stamp|date|when|^ts$",
        "value": r"val|num|read|text|txt|state",
        "object": r"object|vessel|ship|machine|unit|asset|plant|station|device|line",
        "quality": r"qual|status|flag|good",
        "order": r"^id$|seq|order|number|rowid",
    }.items()
}
_SEPARATORS = (".", "/", ":", "|")
_RATES = re.compile(r"flow|rate|power|per_?(hour|min|sec)|_lh$|kw$", re.IGNORECASE)
_LINES = re.compile(r"level|temp|pressure|tank|height|depth|weight|position", re.IGNORECASE)
_COUNTERS = re.compile(r"count|total|hours|odometer|meter|cycles", re.IGNORECASE)
_STATES = 6
"""More values than that are no states."""


# which column is what


def propose_log(table: CatalogTable, sample: pa.Table, dialect: str, zone: str) -> SignalLog | None:
    """What a table's columns would mean if it were a log, from their names, types and first values as texts; None
    where it can be none. `zone` is proposed for times that do not say theirs."""
    texts = {name: [v for v in sample[name].to_pylist() if v not in (None, "")] for name in sample.column_names}
    kinds = {column.name: _kind_of(column, texts.get(column.name, []), dialect) for column in table.columns}
    times = _ranked("time", [name for name in kinds if _time_form(kinds[name], texts[name]) is not None])
    if not times:
        return None
    time = times[0]
    form = _time_form(kinds[time], texts[time]) or "moment"
    others = [name for name in kinds if name != time]
    named = [n for n in others if kinds[n] == "text" and _repeats(texts[n])]
    signal = next(iter(_ranked("signal", named)), None)
    rest = [name for name in others if name != signal]
    role = {what: _of_role(what, rest, texts, kinds) for what in ("object", "quality", "order")}
    values = [name for name in rest if name not in role.values()]
    if signal is not None:
        values = [name for name in values if _NAMES["value"].search(name)] or values
    else:
        values = [name for name in values if kinds[name] in ("integer", "decimal", "float", "boolean")]
    if not values:
        return None
    separator = _separator(texts[signal]) if signal is not None and role["object"] is None else None
    return SignalLog(
        name=re.sub(r"\W+", "_", table.name).strip("_") or "log", table=table.name, time=time, time_form=form,
        time_zone=_zone(form, texts[time], kinds[time], zone), signal=signal, values=tuple(values), separator=separator,
        object=role["object"], order=role["order"], quality=role["quality"],
        good=tuple(_good(texts[role["quality"]])) if role["quality"] else (),
    )  # fmt: skip


def _kind_of(column: CatalogColumn, texts: Sequence[str], dialect: str) -> str:
    kind = declared_kind(column.type, dialect)
    if dialect == "sqlite" and kind in (None, "timestamp", "date") and texts:
        return "number" if all(_is_number(t) for t in texts) else "text"
    return kind or ("number" if texts and all(_is_number(t) for t in texts) else "text")


def _is_number(text: str) -> bool:
    return bool(re.fullmatch(r"-?\d+(\.\d+)?([eE][+-]?\d+)?", text))


def _time_form(kind: str, texts: Sequence[str]) -> TimeForm | None:
    if kind in ("timestamp", "date"):
        return "moment"
    if kind == "text":
        return next((form for form, pattern in _WRITTEN if texts and all(pattern.match(t) for t in texts)), None)
    if kind in ("integer", "number", "float", "decimal") and texts and all(_is_number(t) for t in texts):
        return next((form for form, low, high in _COUNTS if all(low < float(t) < high for t in texts)), None)
    return None


_WRITTEN: tuple[tuple[TimeForm, re.Pattern[str]], ...] = (
    ("text with T", re.compile(r"\d{4}-\d\d-\d\dT\d\d:\d\d")), ("text", re.compile(r"\d{4}-\d\d-\d\d \d\d:\d\d")),
)  # fmt: skip
_COUNTS: tuple[tuple[TimeForm, float, float], ...] = (
    ("seconds", 5e8, 5e9), ("milliseconds", 5e11, 5e12), ("microseconds", 5e14, 5e15),
)  # fmt: skip
"""Numbers that count from 1970 to years between 1985 and 2128."""


def _ranked(role: str, names: Sequence[str]) -> list[str]:
    return sorted(names, key=lambda name: not _NAMES[role].search(name))


def _repeats(texts: Sequence[str]) -> bool:
    return len(texts) > 1 and len(set(texts)) <= max(len(texts) // 2, 1)


def _of_role(
    role: str, names: Sequence[str], texts: Mapping[str, Sequence[str]], kinds: Mapping[str, str]
) -> str | None:
    fits = [name for name in names if _NAMES[role].search(name)]
    if role == "order":
        return next((n for n in fits if kinds[n] in ("integer", "number") and texts[n] == _ascending(texts[n])), None)
    return next((n for n in fits if kinds[n] == "text" and _repeats(texts[n]) and not _NAMES["value"].search(n)), None)


def _ascending(texts: Sequence[str]) -> list[str]:
    return sorted(set(texts), key=lambda text: float(text) if _is_number(text) else 0.0)


def _separator(names: Sequence[str]) -> str | None:
    """What is between object and signal, where several objects have signals of the same names."""
    for separator in _SEPARATORS:
        parts = [name.partition(separator) for name in set(names)]
        objects = {before for before, found, after in parts if found and after}
        signals = {after for _, found, after in parts if found}
        if all(found for _, found, _ in parts) and len(parts) > 1 and (
            len(objects) > 1 or len(signals) >= len(parts) > 2
        ) and len(objects) <= len(signals):  # fmt: skip
            return separator
    return None


def _zone(form: TimeForm, texts: Sequence[str], kind: str, zone: str) -> str | None:
    if form.startswith("text") or (form == "moment" and kind != "date"):
        offsets = [re.search(r"([zZ]|[+-]\d\d(:?\d\d)?)$", text[10:]) for text in texts]
        if texts and all(offsets):
            return "UTC" if form.startswith("text") and all(m and m[1] in "zZ" for m in offsets) else None
        return zone
    return None if form != "moment" else zone


def _good(texts: Sequence[str]) -> list[str]:
    """The most common quality counts as good."""
    return [max(sorted(set(texts)), key=list(texts).count)]


# what the signals are like


class SignalSummary(Struct, frozen=True):
    """What a log holds of a signal: how many readings of how many objects, from when to when, in wall time; a few of
    the last values, and the texts that are no numbers."""

    name: str
    readings: int
    objects: int
    first: datetime | None
    last: datetime | None
    numbers: tuple[float, ...]
    texts: tuple[str, ...]


class LogSurvey(Struct, frozen=True):
    """What was understood of a log."""

    log: SignalLog
    objects: tuple[str, ...]
    signals: tuple[SignalSummary, ...]

    @property
    def readings(self) -> int:
        """How many readings it has."""
        return sum(signal.readings for signal in self.signals)

    @property
    def first(self) -> datetime | None:
        """The time of its first reading."""
        return min((s.first for s in self.signals if s.first), default=None)

    @property
    def last(self) -> datetime | None:
        """The time of its last reading."""
        return max((s.last for s in self.signals if s.last), default=None)


class LogSource(Protocol):
    """Where a signal log is, or may be: a table of a connection, or the rows of a query."""

    @property
    def name(self) -> str:
        """What it is called."""

    @property
    def columns(self) -> tuple[str, ...]:
        """The names of its columns."""

    @property
    def given(self) -> SignalLog | None:
        """What is declared of it."""

    @property
    def taken(self) -> tuple[str, ...]:
        """Names that other logs of the same place have."""

    @property
    def zone(self) -> str:
        """The zone in which moments are shown, and which is proposed for times that do not say theirs."""

    def propose(self, stop: CancelToken) -> SignalLog | None:
        """What it would be, from its first rows. Raises QueryError, ConnectionFault or Cancelled."""

    def reader(self, log: SignalLog, stop: CancelToken) -> LogReader:
        """Reads it as a log says that need not be declared yet."""


class TableAsLog(Struct, frozen=True):
    """A table of a connection."""

    library: Library
    connection: Connection
    table: CatalogTable
    zone: str

    @property
    def name(self) -> str:
        """The table's name."""
        return self.table.name

    @property
    def columns(self) -> tuple[str, ...]:
        """The names of its columns."""
        return tuple(column.name for column in self.table.columns)

    @property
    def given(self) -> SignalLog | None:
        """The log that the connection declares of it."""
        return next((log for log in self.connection.logs if log.table == self.table.name), None)

    @property
    def taken(self) -> tuple[str, ...]:
        """The names of the connection's other logs."""
        return tuple(log.name for log in self.connection.logs if log.table != self.table.name)

    def propose(self, stop: CancelToken) -> SignalLog | None:
        """What it would be, from its first rows."""
        dialect = KIND_OF_CONNECTION[self.connection.kind].dialect
        kind = {"mysql": "char", "duckdb": "varchar"}.get(dialect, "text")
        names = [bare_or_quoted(column, dialect) for column in self.columns]
        listed = ", ".join(f"cast({name} as {kind}) as {name}" for name in names)
        sql = f"select {listed} from {sql_table(self.table.name, dialect)} limit {_SAMPLE}"
        columns = tuple(QueryColumn(name=column, type="text") for column in self.columns)
        query = Query(name="sample", connection=self.connection.name, sql=sql, columns=columns)
        resolved = ResolvedQuery(query, check_query(sql, dialect), ())
        sample = fetch(FetchRequest(_report("UTC"), resolved, Values(), self.library, {}, stop)).table
        return propose_log(self.table, sample, dialect, self.zone)

    def reader(self, log: SignalLog, stop: CancelToken) -> LogReader:
        """Reads the table as a log."""
        place = LogPlace(log, self.connection.name, self.table.name, KIND_OF_CONNECTION[self.connection.kind].dialect)
        return _reader(place, self.library, {}, self.zone, stop)


class RowsAsLog(Struct, frozen=True):
    """The rows of a query of a report."""

    library: Library
    query: Query
    rows: Rows
    zone: str
    taken: tuple[str, ...] = ()

    @property
    def name(self) -> str:
        """The query's name."""
        return self.query.name

    @property
    def columns(self) -> tuple[str, ...]:
        """The names of its columns."""
        return self.rows.names

    @property
    def given(self) -> SignalLog | None:
        """What the query says that its columns mean."""
        return self.query.log

    def propose(self, stop: CancelToken) -> SignalLog | None:  # noqa: ARG002  # its rows are there
        """What it would be, from its first rows."""
        first = self.rows.table.slice(0, _SAMPLE)
        sample = pa.table({name: first[name].cast(pa.string()) for name in first.column_names})
        kinds = [KIND_OF_NAME[kind.kind].sql for kind in self.rows.types]
        columns = tuple(CatalogColumn(name, kind) for name, kind in zip(self.rows.names, kinds, strict=True))
        return propose_log(CatalogTable(self.query.name, columns, None), sample, ENGINE_DIALECT, self.zone)

    def reader(self, log: SignalLog, stop: CancelToken) -> LogReader:
        """Reads the rows as a log."""
        place = LogPlace(log, None, self.query.name, ENGINE_DIALECT)
        return _reader(place, self.library, {self.query.name: self.rows}, self.zone, stop)


def _report(zone: str) -> Report:
    return Report(editions=(Edition(name="none"),), time_zone=zone)


def _reader(place: LogPlace, library: Library, rows: Mapping[str, Rows], zone: str, stop: CancelToken) -> LogReader:
    query = Query(name=place.log.name, connection=place.connection)
    resolved = ResolvedQuery(query, check_query("select 1", ENGINE_DIALECT), (), place)
    return LogReader(FetchRequest(_report(zone), resolved, Values(), library, rows, stop), place)


def survey_log(reader: LogReader) -> LogSurvey:
    """Which objects and signals a log has, and what each of them is like. Raises QueryError, ConnectionFault or
    Cancelled."""
    zone = reader.request.report.zone
    counted = reader.summaries()
    objects = tuple(sorted({name.object for name in counted if name.object}))
    if not counted:
        return LogSurvey(reader.log, objects, ())
    end = max(last for _, _, last in counted.values())
    begin = min(first for _, first, _ in counted.values())
    readings = sum(count for count, _, _ in counted.values())
    span = min(_DAY, int((end - begin) * _LOOKED_AT / max(readings, 1)) + 1)
    rows = reader.rows(list(counted), end - span, None)
    series = series_of(rows, reader.log, end + 1)
    found = []
    for signal in dict.fromkeys(name.signal for name in counted):
        own = {name: counted[name] for name in counted if name.signal == signal}
        first, last = min(f for _, f, _ in own.values()), max(e for _, _, e in own.values())
        busiest = max(own, key=lambda name: len(series[name].at))
        found.append(SignalSummary(
            signal, sum(count for count, _, _ in own.values()), len(own), wall_moment(first, zone),
            wall_moment(last, zone), _sparks(series[busiest]), _texts_of(rows.text, rows.series, rows.names, signal),
        ))  # fmt: skip
    return LogSurvey(reader.log, objects, tuple(found))


def _sparks(series: Series) -> tuple[float, ...]:
    """Some of the last values: least and greatest of each of a few stretches, in order."""
    values = series.doubles()[series.is_known] if series.texts is None else series.values[series.is_known]
    if len(values) <= 2 * _SPARKS:
        return tuple(values.astype(float).tolist())
    parts = np.array_split(values, _SPARKS)
    return tuple(float(v) for part in parts for v in (part.min(), part.max()))


def _texts_of(texts: pa.Array, series: np.ndarray, names: Sequence[SeriesName], signal: str) -> tuple[str, ...]:
    places = [place for place, name in enumerate(names) if name.signal == signal]
    own = texts.filter(pa.array(np.isin(series, places))).drop_null()
    return tuple(text for text in own.unique().to_pylist() if not _is_number(text))


def propose_signal(summary: SignalSummary) -> Signal:
    """What a signal would be, from its name and its last values."""
    name = summary.name
    if summary.texts:
        return Signal(name=name, nature="state", type="text")
    values = summary.numbers
    checks: tuple[tuple[str, Callable[[], bool]], ...] = (
        ("state", lambda: bool(values) and set(values) <= {0.0, 1.0}),
        ("rate", lambda: bool(_RATES.search(name))),
        ("linear", lambda: bool(_LINES.search(name))),
        ("counter", lambda: bool(_COUNTERS.search(name)) and list(values) == sorted(values)),
        ("state", lambda: bool(values) and len(set(values)) <= _STATES and all(v == int(v) for v in values)
         and len(values) > 4 * len(set(values))),
    )  # fmt: skip
    return Signal(name=name, nature=next((nature for nature, fits in checks if fits()), "held"))


def check_survey(survey: LogSurvey) -> None:
    """Raise QueryError for a log in which nothing was found."""
    if not survey.signals:
        raise QueryError(f"The table {survey.log.table} has no readings that were understood; check its columns.")
