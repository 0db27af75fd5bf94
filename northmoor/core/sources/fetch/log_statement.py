"""The SQL that reads a signal log: the period, the last reading before it; where lines go on, the first one after."""

from collections.abc import Mapping, Sequence
from datetime import UTC, datetime, timedelta
from itertools import pairwise
from typing import Any
from zoneinfo import ZoneInfo

from msgspec import Struct

from northmoor.core.expr.identifiers import bare_or_quoted, sql_table
from northmoor.core.model.data.queries import QueryColumn
from northmoor.core.model.data.signal_logs import SignalLog
from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME, KindName
from northmoor.core.sources.signals.line_outline import Stretches
from northmoor.core.sources.signals.series import SeriesName

_TEXT_TYPE = {"sqlite": "text", "postgres": "text", "mysql": "char", "duckdb": "varchar"}
_SEEKING = ("sqlite", "postgres")
"""Dialects of databases that find the last reading of one signal by an index, but not of several at once."""
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_EARLIEST, _LATEST = -60_000_000_000_000_000, 250_000_000_000_000_000
"""Microseconds of the years 68 and 9892, for periods that are open."""
SIGNAL, OBJECT, TIME, NUMBER, TEXT, GOOD, WRITTEN = (
    "signal_name", "object_name", "read_at", "number_value", "text_value", "is_good", "written_as"
)  # fmt: skip
"""The columns that the statement gives; the last only where the log says in what order it was written."""
_COUNTED = {"seconds": 1_000_000, "milliseconds": 1000, "microseconds": 1}


class LogStatement(Struct, frozen=True):
    """SQL that reads a log, the values bound in it and their kinds, and the columns it gives."""

    sql: str
    values: Mapping[str, Any]
    kinds: Mapping[str, KindName]
    columns: tuple[QueryColumn, ...]
    parts: tuple[Mapping[str, Any], ...] = ()
    """Values that differ between parts of the work, which may run at once."""


class LogTable(Struct, frozen=True):
    """Where a log's rows are: the table (or query) in a dialect, the kinds of its columns, and the zone of times that
    do not say theirs."""

    log: SignalLog
    table: str
    dialect: str
    kinds: Mapping[str, KindName | None]
    zone: ZoneInfo
    times_know_zone: bool

    @property
    def text_type(self) -> str:
        """What texts are called in its dialect."""
        return _TEXT_TYPE[self.dialect]

    # expressions

    def name(self, column: str, of: str = "entry") -> str:
        """A column of the log as SQL writes it."""
        return f"{of}.{bare_or_quoted(column, self.dialect)}"

    def number(self, column: str) -> str | None:
        """The expression for numbers in a column of values; None where it can hold none."""
        at, kind = self.name(column), self.kinds.get(column)
        if self.dialect == "sqlite":
            return f"case when typeof({at}) in ('integer', 'real') then {at} end"
        if kind == "boolean":
            return f"case when {at} then 1 when not {at} then 0 end"
        return at if kind is not None and KIND_OF_NAME[kind].is_number else None

    def text(self, column: str) -> str | None:
        """The expression for texts in a column of values; None where it can hold none."""
        at = self.name(column)
        if self.dialect == "sqlite":
            return f"case when typeof({at}) = 'text' then {at} end"
        return None if self.number(column) is not None else f"cast({at} as {_TEXT_TYPE[self.dialect]})"

    def good(self) -> str:
        """The expression for whether a reading is good."""
        if self.log.quality is None:
            return "1"
        text = f"cast({self.name(self.log.quality)} as {_TEXT_TYPE[self.dialect]})"
        return f"case when {text} in (:good) then 1 else 0 end"

    @property
    def can_outline(self) -> bool:
        """Whether the database itself can choose the readings that an outline keeps: it knows the functions, values are
        numbers, and times are counted or moments of UTC."""
        is_counted = self.log.time_form in _COUNTED
        is_moment = self.log.time_form == "moment" and (self.times_know_zone or self.zone.key == "UTC")
        has_numbers = all(self.text(column) is None for column in self.log.values)
        return self.dialect == "duckdb" and has_numbers and (is_counted or is_moment)

    # times

    @property
    def margin(self) -> int:
        """How far bounds are widened, so that none is lost whose time is written otherwise than it compares."""
        if self.log.time_form == "moment" and self.times_know_zone:
            return 0
        if self.log.time_form in _COUNTED:
            return 1_000_000  # a bound within a second is not one that seconds can say
        local = self.log.time_form == "text" or self.log.time_form == "text with T"
        if local and self.log.time_zone is None and not self.times_know_zone:
            return 15 * 3_600_000_000  # texts with offsets compare by what clocks showed
        return 1_000_000 if self.zone.key == "UTC" else 3 * 3_600_000_000

    def bound(self, at: int) -> tuple[Any, KindName]:
        """A time in microseconds since 1970 as the log writes it, and its kind."""
        form = self.log.time_form
        if form in _COUNTED:
            return at // _COUNTED[form], "integer"
        zone = UTC if self.times_know_zone else self.zone
        wall = (_EPOCH + timedelta(microseconds=at)).astimezone(zone).replace(tzinfo=None)
        if form == "moment":
            return wall, "timestamp"
        return wall.strftime("%Y-%m-%dT%H:%M:%S" if form == "text with T" else "%Y-%m-%d %H:%M:%S"), "text"


def log_statement(
    table: LogTable, series: Sequence[SeriesName], since: int | None, until: int | None, lines: Sequence[SeriesName]
) -> LogStatement:
    """The statement for the readings of some series from a time up to another, with those that held before; of those
    whose values are on a line, with the first one after."""
    statement = _Statement(table, series)
    within = statement.blocks(series, _period(statement, since, until))
    before, after = _outside(statement, series, since, until, lines)
    return statement.of([*before, *within, *after])


def outline_statements(
    table: LogTable, series: Sequence[SeriesName], since: int | None, until: int | None, lines: Sequence[SeriesName],
    stretches: Stretches, parts: int,
) -> tuple[LogStatement, ...]:  # fmt: skip
    """The statement for those of these readings that an outline keeps, in so many parts of the period, and the one for
    those outside it, if there can be any. Where parts meet within a stretch, each keeps what it has of it."""
    within = _Statement(table, series)
    begin, end = _EARLIEST if since is None else since, _LATEST if until is None else until
    head = within.outlining(within.blocks(series, _period(within, begin, end)), stretches)
    inner = [table.bound(min(max(at, begin), end))[0] for at in stretches.cuts(parts)]
    edges = [within.values["since"], *inner, within.values["until"]]
    bounds = tuple({"since": first, "until": last} for first, last in pairwise(edges))
    outside = _Statement(table, series)
    _period(outside, since, until)
    before, after = _outside(outside, series, since, until, lines)
    thinned = within.of([within.outlined(series)], head, bounds)
    return (thinned, outside.of([*before, *after])) if before or after else (thinned,)


def _outside(
    statement: "_Statement", series: Sequence[SeriesName], since: int | None, until: int | None,
    lines: Sequence[SeriesName],
) -> tuple[list[str], list[str]]:  # fmt: skip
    """The select statements for what held before a period, and for where lines go on after it."""
    before = statement.nearest(series, "max", "<", "since") if since is not None else []
    return before, statement.nearest(lines, "min", ">=", "until") if until is not None and lines else []


_UNION = "\nunion all\n"
_OUTLINING = """\
with known as (
  select *, case when is_good = 1 and abs(cast(number_value as double)) <= 1e308 then number_value end as known_value
  from ({within}) as readings
), extremes as (
  select {keys}, floor(({microseconds} - :stretches_from) / cast(:stretch_width as double)) as stretch,
    [min(read_at), max(read_at), arg_min(read_at, known_value), arg_max(read_at, known_value),
      min(read_at) filter (where known_value is null)] as moments
  from known group by {keys}, stretch
), kept as (
  select distinct {keys}, unnest(moments) as read_at from extremes
)
"""
"""Doubles divide faster than integers, and as exactly below 2 ** 53 microseconds, which are 285 years."""
_OUTLINED = "select readings.* from ({all}) as readings semi join kept using ({keys}, read_at)"


def _period(statement: "_Statement", since: int | None, until: int | None) -> list[str]:
    time, margin = statement.table.name(statement.log.time), statement.table.margin
    found = []
    for name, at, operator, wider in (("since", since, ">=", -margin), ("until", until, "<", margin)):
        if at is not None:
            statement.bind(name, *statement.table.bound(at + wider))
            found.append(f"{time} {operator} :{name}")
    return found


class _Statement:
    """Blocks of a statement over one log, and what they bind."""

    def __init__(self, table: LogTable, series: Sequence[SeriesName]) -> None:
        self.table, self.log = table, table.log
        self.values: dict[str, Any] = {}
        self.kinds: dict[str, KindName] = {}
        self._source = sql_table(table.table, table.dialect)
        if self.log.quality is not None:
            self.bind("good", tuple(self.log.good), "text")
        if self.log.object is not None:
            self.bind("objects", tuple(dict.fromkeys(name.object for name in series)), "text")
        if not self.log.is_wide:
            self._signal_kind = "integer" if table.kinds.get(self.log.signal or "") == "integer" else "text"
            names = dict.fromkeys(self.signal_name(name) for name in series)
            self.bind("signals", tuple(self._key(name) for name in names), self._signal_kind)

    def _key(self, name: str) -> Any:
        """A signal's name as the column of signals holds it."""
        return int(name) if self._signal_kind == "integer" and name.lstrip("-").isdigit() else name

    def signal_name(self, name: SeriesName) -> str:
        """What a series is called in the log's column of signals."""
        return f"{name.object}{self.log.separator}{name.signal}" if self.log.separator else name.signal

    def of(self, blocks: Sequence[str], head: str = "", parts: tuple[Mapping[str, Any], ...] = ()) -> LogStatement:
        """The statement of all of some blocks."""
        return LogStatement(head + _UNION.join(blocks), self.values, self.kinds, self.columns(), parts)

    def bind(self, name: str, value: Any, kind: KindName) -> None:
        """Let a name represent a value."""
        self.values[name], self.kinds[name] = value, kind

    def columns(self) -> tuple[QueryColumn, ...]:
        """The columns that the statement gives."""
        kinds = {SIGNAL: "text", OBJECT: "text", TEXT: "text", GOOD: "integer"}
        if all(self.table.number(column) is None for column in self.log.values):
            kinds[NUMBER] = "float"
        if self.log.object is None:
            del kinds[OBJECT]
        listed = tuple(QueryColumn(name=name, type=kind) for name, kind in kinds.items())
        return (*listed, _time_column(TIME, self.log))

    def blocks(self, series: Sequence[SeriesName], conditions: Sequence[str]) -> list[str]:
        """The select statements for readings that fulfil some conditions."""
        if not self.log.is_wide:
            signal = self.table.name(self.log.signal or "")
            return [
                self._select(signal, self.log.values, [f"{signal} in (:signals)", *self._of_objects(), *conditions])
            ]
        return [
            self._select(
                self._place(signal),
                (signal,),
                [f"{self.table.name(signal)} is not null", *self._of_objects(), *conditions],
            )
            for signal in dict.fromkeys(name.signal for name in series)
        ]

    @property
    def _keys(self) -> str:
        """The columns that identify a series."""
        return f"{SIGNAL}, {OBJECT}" if self.log.object is not None else SIGNAL

    def outlined(self, series: Sequence[SeriesName]) -> str:
        """The select statement for the readings that an outline keeps; the engine seeks them faster without other
        conditions."""
        if self.log.is_wide:
            return _OUTLINED.format(all=_UNION.join(self.blocks(series, ())), keys=self._keys)
        return _OUTLINED.format(
            all=self._select(self.table.name(self.log.signal or ""), self.log.values, ()), keys=self._keys
        )

    def outlining(self, within: Sequence[str], stretches: Stretches) -> str:
        """The head of a statement that finds which readings an outline keeps."""
        self.bind("stretches_from", stretches.start, "integer")
        self.bind("stretch_width", stretches.width, "integer")
        counted = _COUNTED.get(self.log.time_form)
        microseconds = f"cast({TIME} * {counted} as bigint)" if counted is not None else f"epoch_us({TIME})"
        return _OUTLINING.format(within=_UNION.join(within), keys=self._keys, microseconds=microseconds)

    def _place(self, signal: str) -> str:
        """The number of a column among those of values, which is the signal's name in what a wide log gives."""
        return str(self.log.values.index(signal))

    def _of_objects(self) -> list[str]:
        return [f"{self._object()} in (:objects)"] if self.log.object is not None else []

    def _object(self, of: str = "entry") -> str:
        at = self.table.name(self.log.object or "", of)
        is_text = self.table.kinds.get(self.log.object or "") in ("text", None)
        return at if is_text else f"cast({at} as {_TEXT_TYPE[self.table.dialect]})"

    def _select(self, signal: str, values: Sequence[str], conditions: Sequence[str], join: str = "") -> str:
        numbers = [found for column in values if (found := self.table.number(column)) is not None]
        texts = [found for column in values if (found := self.table.text(column)) is not None]
        listed = {
            SIGNAL: signal,
            TIME: self.table.name(self.log.time),
            NUMBER: _coalesced(numbers),
            TEXT: _coalesced(texts),
            GOOD: self.table.good(),
        }
        if self.log.object is not None:
            listed[OBJECT] = self._object()
        if self.log.order is not None:
            listed[WRITTEN] = self.table.name(self.log.order)
        columns = ", ".join(f"{sql} as {name}" for name, sql in listed.items())
        wanted = f"\nwhere {' and '.join(conditions)}" if conditions else ""
        return f"select {columns}\nfrom {self._source} as entry{join}{wanted}"

    def nearest(self, series: Sequence[SeriesName], function: str, operator: str, name: str) -> list[str]:
        """The select statements for the last reading before a time, or the first one after, of each series."""
        time = bare_or_quoted(self.log.time, self.table.dialect)
        best, bound = f"{function}(other.{time}) as nearest", f"other.{time} {operator} :{name}"
        if self.log.is_wide:
            signals = dict.fromkeys(each.signal for each in series)
            return [self._joined(self._place(s), (s,), self._nearest_of_column(s, best, bound)) for s in signals]
        signal = self.table.name(self.log.signal or "")
        seeks = self.table.dialect in _SEEKING
        inner = self._sought(series, best, bound) if seeks else self._nearest_by_grouping(series, best, bound, name)
        return [self._joined(signal, self.log.values, inner, f"{signal} = found.wanted_signal")]

    def _joined(self, signal: str, values: Sequence[str], inner: str, *more: str) -> str:
        """The readings at the times that an inner query finds."""
        of_object = (f"{self._object()} = found.wanted_object",) if self.log.object is not None else ()
        on = " and ".join((*more, *of_object, f"{self.table.name(self.log.time)} = found.nearest"))
        has_value = [f"{self.table.name(values[0])} is not null"] if self.log.is_wide else []
        return self._select(signal, values, has_value, f"\njoin ({inner}) as found on {on}")

    def _nearest_by_grouping(self, series: Sequence[SeriesName], best: str, bound: str, name: str) -> str:
        """One look through the log for all series."""
        signal = self.table.name(self.log.signal or "", "other")
        self.bind(f"near_{name}", tuple(self._key(self.signal_name(each)) for each in series), self._signal_kind)
        return self._grouped([f"{signal} in (:near_{name})", bound], {"wanted_signal": signal}, best)

    def _nearest_of_column(self, signal: str, best: str, bound: str) -> str:
        """In a wide log each column has a last reading of its own."""
        return self._grouped([f"{self.table.name(signal, 'other')} is not null", bound], {}, best)

    def _grouped(self, conditions: Sequence[str], keys: Mapping[str, str], best: str) -> str:
        keys, conditions = dict(keys), list(conditions)
        if self.log.object is not None:
            keys["wanted_object"] = self._object("other")
            conditions.append(f"{keys['wanted_object']} in (:objects)")
        listed = ", ".join([*(f"{sql} as {name}" for name, sql in keys.items()), best])
        grouped = f" group by {', '.join(keys.values())}" if keys else ""
        return f"select {listed} from {self._source} as other where {' and '.join(conditions)}{grouped}"

    def _sought(self, series: Sequence[SeriesName], best: str, bound: str) -> str:
        """A look into the index for each series, once."""
        rows = []
        for signal_name, object_name in dict.fromkeys((self.signal_name(n), n.object) for n in series):
            place = len(self.values)
            self.bind(f"signal_{place}", self._key(signal_name), self._signal_kind)
            listed = [f":signal_{place} as wanted_signal"]
            if self.log.object is not None:
                self.bind(f"object_{place}", object_name, "text")
                listed.append(f":object_{place} as wanted_object")
            rows.append(f"select {', '.join(listed)}")
        inside = [f"{self.table.name(self.log.signal or '', 'other')} = wanted.wanted_signal", bound]
        if self.log.object is not None:
            inside.insert(1, f"{self._object('other')} = wanted.wanted_object")
        looked, _, as_nearest = best.partition(" as ")
        sought = f"(select {looked} from {self._source} as other where {' and '.join(inside)}) as {as_nearest}"
        wanted = f"select wanted.*, {sought} from ({' union all '.join(rows)}) as wanted"
        return f"with sought as materialized ({wanted}) select * from sought"


def _coalesced(expressions: Sequence[str]) -> str:
    if not expressions:
        return "null"
    return expressions[0] if len(expressions) == 1 else f"coalesce({', '.join(expressions)})"


def _time_column(name: str, log: SignalLog) -> QueryColumn:
    """A column of times, of the type in which they come."""
    kinds = {"moment": "timestamp", "text": "text", "text with T": "text", "seconds": "decimal(20, 6)"}
    return QueryColumn(name=name, type=kinds.get(log.time_form, "integer"))


def extent_statement(table: LogTable) -> LogStatement:
    """The statement for the times of a log's first and last reading."""
    time = table.name(table.log.time)
    sql = (
        f"select min({time}) as first_at, max({time}) as last_at from {sql_table(table.table, table.dialect)} as entry"
    )
    columns = (_time_column("first_at", table.log), _time_column("last_at", table.log))
    return LogStatement(sql, {}, {}, columns)


def summary_statement(table: LogTable) -> LogStatement:
    """The statement for how many readings each series has, and for the times of the first and the last."""
    log, source = table.log, sql_table(table.table, table.dialect)
    time = table.name(log.time)
    owner = f"cast({table.name(log.object)} as {table.text_type})" if log.object is not None else "''"

    def block(signal: str, keys: Sequence[str], condition: str = "") -> str:
        grouped = f" group by {', '.join(keys)}" if keys else ""
        return (
            f"select {signal} as {SIGNAL}, {owner} as {OBJECT}, count(*) as readings, min({time}) as first_at, "
            f"max({time}) as last_at from {source} as entry{condition}{grouped}"
        )

    own = [owner] if log.object is not None else []
    if log.is_wide:
        placed = [(str(place), f" where {table.name(name)} is not null") for place, name in enumerate(log.values)]
        blocks = [
            block(place, own, condition) + (" having count(*) > 0" if not own else "") for place, condition in placed
        ]
    else:
        signal = f"cast({table.name(log.signal or '')} as {table.text_type})"
        blocks = [block(signal, [signal, *own])]
    columns = (QueryColumn(name=SIGNAL, type="text"), QueryColumn(name=OBJECT, type="text"),
               _time_column("first_at", log), _time_column("last_at", log))  # fmt: skip
    return LogStatement("\nunion all\n".join(blocks), {}, {}, columns)
