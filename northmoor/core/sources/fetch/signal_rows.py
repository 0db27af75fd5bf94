"""Queries over signal logs to their rows: only the period is read, and of each signal the last reading before it."""

import time
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from decimal import Decimal
from functools import cached_property
from zoneinfo import ZoneInfo

import numpy as np
import pyarrow as pa
from msgspec import Struct

from northmoor.core.base.arrays import Bools, Ints
from northmoor.core.engine.arrow_types import type_of_arrow
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import QueryError
from northmoor.core.expr.formats import FormatLocale, format_one
from northmoor.core.expr.named_patterns import duration
from northmoor.core.model.data.signal_queries import LogQuery, MeasurementsQuery, SpansQuery
from northmoor.core.model.kinds.value_types import ValueType
from northmoor.core.sources.fetch.log_reading import LogReader, data_instant, read_series
from northmoor.core.sources.fetch.query_resolution import LogPlace
from northmoor.core.sources.fetch.run_query import FetchRequest
from northmoor.core.sources.signals.bounds import Bounds
from northmoor.core.sources.signals.line_outline import Stretches, stretches_over
from northmoor.core.sources.signals.results import MeasuredSignals, measured_table, spans_table
from northmoor.core.sources.signals.series import LogNotes, Series, SeriesName
from northmoor.core.sources.signals.spans import Spans, cut_spans, signals_of, within_period
from northmoor.core.sources.signals.windows import Windows, in_calendar, in_steps, instant, one_period, wall_moment
from northmoor.core.values.relative_periods import Clock

_DAY = 86_400_000_000
_FIRST, _LAST = -62_000_000_000_000_000, 253_000_000_000_000_000
"""Microseconds of the years 5 to 9987: all that has room for a day more on either side."""
SLOW = 1.0
"""Seconds of reading from which on a missing index is noted."""
_MOST_PICTURED = 24
"""Spans in a picture: more could not be distinguished."""
_WIDENING = 4
"""By how much more is read each time a span turns out to reach further than what was read."""
_BRIEF = ("id", "ordinal")
"""Columns of spans that come with each reading in them; with statistics all do."""


def signal_rows(request: FetchRequest, place: LogPlace) -> Rows:
    """The rows of a query over a signal log. Raises QueryError, ExpressionError, ConnectionFault or Cancelled."""
    query = request.resolved.query.signals
    assert query is not None
    began = time.perf_counter()
    work = LogWork(request, LogReader(request, place), query)
    table = work.spans_table() if isinstance(query, SpansQuery) else measured_table(work.measured)
    types = tuple(type_of_arrow(entry.type) or ValueType("text") for entry in table.schema)
    moment = wall_moment(work.known_end, request.report.zone).replace(microsecond=0)
    return Rows(request.resolved.query.name, table, types, moment, time.perf_counter() - began, tuple(work.sentences()))


class CutPicture(Struct, frozen=True, eq=False):
    """A stretch of a log, in microseconds since 1970 in UTC: the spans of an object in it, and the signals that cut
    them."""

    object: str
    start: int
    end: int
    spans: Spans
    series: Mapping[str, Series]


@dataclass
class LogWork:
    """What a query over a log reads and computes, step by step."""

    request: FetchRequest
    reader: LogReader
    query: LogQuery
    notes: LogNotes = field(default_factory=LogNotes)
    more: list[str] = field(default_factory=list)

    @cached_property
    def data_time(self) -> int:
        """The moment that the log's data are as of."""
        return data_instant(self.reader)

    @cached_property
    def known_end(self) -> int:
        """The end of what is known: the data time, or the last reading where that is later."""
        return self.data_time

    @cached_property
    def bounds(self) -> Bounds:
        """The values that the query names."""
        zone = self.request.report.zone

        def clock() -> Clock:
            weekday = int(_first_weekday(self.request.report.locale))
            return Clock(wall_moment(self.data_time, zone), zone, weekday)

        return Bounds(self.reader.log, self.request.values.by_name, zone, clock)

    @cached_property
    def objects(self) -> tuple[str, ...]:
        """The objects that are selected."""
        return self.reader.objects(self.bounds.selected(self.query.objects))

    def _read(
        self, names: Sequence[SeriesName], since: int | None, until: int | None, notes: LogNotes,
        stretches: Stretches | None = None,
    ) -> Mapping[SeriesName, Series]:  # fmt: skip
        began = time.perf_counter()
        series, known = read_series(self.reader, names, since, until, self.data_time, notes, stretches)
        if since is not None and time.perf_counter() - began > SLOW and self.reader.lacks_index():
            log = self.reader.log
            advice = f"The table {log.table} has no index over {log.signal} and {log.time}; one would make this faster."
            self.more += [advice] if advice not in self.more else []
        self.known_end = max(self.known_end, known)
        return series

    def period(self) -> tuple[int | None, int | None]:
        """The ends of the period, as far as they are given. Raises QueryError for an empty one."""
        start, end = self.bounds.start(self.query), self.bounds.end(self.query)
        if start is not None and end is not None and end < start:
            zone = self.request.report.zone
            raise QueryError(f"The period ends {wall_moment(end, zone)}, before it begins {wall_moment(start, zone)}.")
        return start, end

    # spans

    def spans_table(self) -> pa.Table:
        """The rows of a query for spans."""
        return spans_table(self.spans(), self.reader.has_objects, self.request.report.zone)

    def spans(self) -> Spans:
        """The spans of the period, whole as far as the log goes."""
        query = self.query
        assert isinstance(query, SpansQuery)
        start, end = self.period()
        names = [SeriesName(name, signal) for name in self.objects for signal in signals_of(query)]
        margin = max((end or self.data_time) - start, _DAY, 2 * query.bridge) if start is not None else 0
        since, until = _widened(start, -margin), _widened(end, margin)
        while True:
            found, series = self._spans_between(query, names, since, until)
            wanted = within_period(found, "whole", _or(start, 0), _or(end, 2**62))
            reaches_back = since is not None and bool((wanted.start <= since).any())
            goes_on = until is not None and until < self.known_end and bool((wanted.end >= until).any())
            if not (reaches_back or goes_on) or query.crossing == "cut":
                break
            margin *= _WIDENING
            since = _widened(since, -margin) if reaches_back else since
            until = _widened(until, margin) if goes_on else until
        self.reader.check_signals(series)
        return self._kept(query, found, series, (start, end))

    def _spans_between(
        self, query: SpansQuery, names: Sequence[SeriesName], since: int | None, until: int | None
    ) -> tuple[Spans, Mapping[SeriesName, Series]]:
        notes = LogNotes()
        series = self._read(names, since, until, notes)
        self.notes = notes
        bound = self.known_end if until is None else min(until, self.known_end)
        ids = self.bounds.selected(query.ids)
        values, stop = self.request.values.by_name, self.request.stop
        wanted = frozenset(ids) if ids is not None else None
        is_end = bound >= self.known_end
        return cut_spans(query, self.objects, series, values, wanted, bound, is_end, stop), series

    def _kept(
        self,
        query: SpansQuery,
        found: Spans,
        series: Mapping[SeriesName, Series],
        period: tuple[int | None, int | None],
    ) -> Spans:
        """The spans that are wanted of a period; what is odd about them is noted."""
        start, end = period
        kept = within_period(found, query.crossing, _or(start, -(2**62)), _or(end, 2**62))
        crossing = within_period(found, "whole", _or(start, -(2**62)), _or(end, 2**62))
        crosses = int(((crossing.start < _or(start, -(2**62))) | (crossing.end > _or(end, 2**62))).sum())
        if crosses:
            self.more.append(
                {
                    "whole": f"Spans that cross the ends of the period are given whole: {crosses:,}.",
                    "cut": f"Spans that cross the ends of the period are cut there: {crosses:,}.",
                    "left out": f"Spans that cross the ends of the period are left out: {crosses:,}.",
                }[query.crossing]
            )
        still_open = int(kept.is_open.sum())
        if still_open and query.open == "left out":
            self.more.append(f"Spans that have not ended are left out: {still_open:,}.")
        elif still_open:
            until = format_one(wall_moment(self.known_end, self.request.report.zone), None, self._locale)
            self.more.append(
                f"Spans that have not ended are given up to {until}, the end of what is known: {still_open:,}."
            )
        if not len(crossing) and any(len(one.at) for one in series.values()):
            self.more.append(_nothing_found(query))
        if query.open == "left out":
            kept = kept.take(np.flatnonzero(~kept.is_open))
        return kept

    def picture(self, name: str) -> "CutPicture":
        """How one object's spans were cut: its spans, and what the signals were meanwhile."""
        query = self.query
        assert isinstance(query, SpansQuery)
        spans = self.spans()
        own = spans.take(np.array([place for place, owner in enumerate(spans.object) if owner == name], np.int64))
        own = own.take(np.arange(max(len(own) - _MOST_PICTURED, 0), len(own)))
        start, end = self.period()
        begin = int(own.start.min()) if len(own) else _or(start, self.known_end - _DAY)
        until = int(own.end.max()) if len(own) else _or(end, self.known_end)
        margin = max((until - begin) // 12, 60_000_000)
        names = [SeriesName(name, signal) for signal in signals_of(query)]
        series = self._read(names, _widened(begin, -margin), _widened(until, margin), LogNotes())
        return CutPicture(name, begin - margin, until + margin, own, {n.signal: series[n] for n in names})

    # measurements

    @cached_property
    def measured(self) -> MeasuredSignals:
        """The series that are measured, and the windows."""
        query = self.query
        assert isinstance(query, MeasurementsQuery)
        names = [SeriesName(name, signal) for name in self.objects for signal in query.signals]
        zone, stop = self.request.report.zone, self.request.stop
        stretches = None
        if query.spans is not None:
            windows = self._span_windows(query, query.spans)
            ends = [(int(w.start.min()), int(w.end.max())) for w in windows.values() if len(w)]
            start, end = min((s for s, _ in ends), default=0), max((e for _, e in ends), default=0)
            series = self._read(names, _widened(start, -(query.moving or 0)), _widened(end, 1), self.notes)
            self._note_outside(query.spans, windows, series)
            if query.give == "outline":
                stretches = stretches_over(windows.values(), len(names))
        else:
            start_, end_ = self.period()
            since, until = _widened(start_, -(query.moving or 0)), _widened(end_, 1)
            if query.give == "outline":
                stretches = self._stretches_of_period(start_, end_, len(names))
            series = self._read(names, since, until, self.notes, stretches if query.wants_kept_only else None)
            first = min((int(one.at[0]) for one in series.values() if len(one.at)), default=self.known_end)
            whole = one_period(_or(start_, first), _or(end_, self.known_end))
            windows = dict.fromkeys(self.objects, whole)
        self.reader.check_signals(series)
        parted = {name: self._parted(query, each) for name, each in windows.items()}
        measured = MeasuredSignals(query, self.reader.log, self.objects, series, parted, zone, stop, stretches)
        self._note_gaps(measured)
        return measured

    def _stretches_of_period(self, start: int | None, end: int | None, series: int) -> Stretches:
        """By what the readings of a period are outlined: as much of it as the log has."""
        extent = self.reader.extent()
        if extent is None:
            return stretches_over((), series)
        first, last = extent
        begin, until = max(_or(start, first), first), min(_or(end, last + 1), last + 1)
        return stretches_over([one_period(begin, until)], series)

    def _parted(self, query: MeasurementsQuery, windows: Windows) -> Windows:
        if query.calendar is not None:
            weekday = _first_weekday(self.request.report.locale)
            shifts = self.reader.log.shift_starts
            return in_calendar(windows, query.calendar, self.request.report.zone, weekday, shifts)
        if query.step is not None and query.give == "statistics":
            return in_steps(windows, query.step)
        return windows

    def _span_windows(self, query: MeasurementsQuery, spans: str) -> dict[str, Windows]:
        """The windows of each object from the rows of a query with columns start and end."""
        rows = self.request.sources[spans]
        missing = [name for name in ("start", "end") if name not in rows.names]
        if missing:
            message = f"The query {spans} has no column {missing[0]}; spans are rows with the columns start and end."
            raise QueryError(message)
        start, end, known = _instants(rows, self.request.report.zone)
        given = self._given(query, rows)
        owner = rows.table["object"].to_pylist() if "object" in rows.names and self.reader.has_objects else None
        windows = {}
        for name in self.objects:
            own = known if owner is None else known & np.array([each == name for each in owner], bool)
            places = np.flatnonzero(own)
            places = places[np.argsort(start[places], kind="stable")]
            taken = given.take(pa.array(places))
            windows[name] = Windows(start[places], end[places], taken)
        return windows

    def _given(self, query: MeasurementsQuery, rows: Rows) -> pa.Table:
        own = {"object", "start", "end", "signal", "label", "unit", "time", "value", "text", "held", "moving_mean"}
        own |= {statistic.name for statistic in query.statistics}
        names = [name for name in rows.names if name not in own]
        if query.give != "statistics":
            names = [name for name in names if name in _BRIEF]
        kept = rows.table.select(names)
        return kept.append_column("", pa.nulls(rows.table.num_rows)) if "" not in names else kept

    # notes

    @property
    def _locale(self) -> FormatLocale:
        report = self.request.report
        return FormatLocale(report.locale, report.currency, report.time_zone)

    def _note_outside(self, spans: str, windows: Mapping[str, Windows], series: Mapping[SeriesName, Series]) -> None:
        """Say how many spans lie wholly before or after what the log has: those of another log, whose clock differs."""
        read = [one.at for one in series.values() if len(one.at)]
        first, last = (
            (min(int(at.min()) for at in read), max(int(at.max()) for at in read)) if read else (2**62, -(2**62))
        )
        if not any(((own.end < first) | (own.start > last)).any() for own in windows.values()):
            return  # only then is the log looked through for its ends
        extent = self.reader.extent()
        if extent is None:
            return
        first, last = extent
        count = sum(int(((own.end < first) | (own.start > last)).sum()) for own in windows.values())
        if count:
            ends = [format_one(wall_moment(at, self.request.report.zone), None, self._locale) for at in extent]
            whole = sum(map(len, windows.values()))
            self.more.append(
                f"Spans of {spans} outside the log, which has readings from {ends[0]} to {ends[1]}: {count:,} of "
                f"{whole:,}. Are the clocks and zones of both the same?"
            )

    def _note_gaps(self, measured: MeasuredSignals) -> None:
        """Say where nothing is known because a value had held too long."""
        for signal in measured.query.signals:
            if measured.log.holds_for(signal) is None:
                continue
            count = time_ = 0
            for name in measured.objects:
                series, windows = measured.series[SeriesName(name, signal)], measured.windows[name]
                if not len(windows) or not len(series.at):
                    continue
                gap = np.minimum(series.next_at, windows.end.max()) - np.maximum(series.until, windows.start.min())
                gap = gap[series.is_known & (gap > 0)]
                count, time_ = count + len(gap), time_ + int(gap.sum())
            if count:
                lasted = duration(time_ // 1_000_000, 1, self._locale.locale)
                self.more.append(
                    f"{signal} is unknown for {lasted} h in gaps that are longer than a value holds: {count:,}."
                )

    def sentences(self) -> Iterator[str]:
        """What was noticed about the log and its rows, for Preflight."""
        for signal, count in self.notes.duplicates.items():
            yield f"Readings of {signal} at a time that has another: {count:,}. The last written counts."
        for signal, count in self.notes.unordered.items():
            yield f"Readings of {signal} that were written after a later one: {count:,}. They are put in order."
        for signal, count in self.notes.unreadable.items():
            such = repr(self.notes.example[signal][:40])
            yield (
                f"Texts where {signal} should be a number, such as {such}: {count:,}. Nothing is known there. If its "
                "values are texts, say so in the log's signals."
            )
        if self.known_end > self.data_time + 1_000_000:
            zone = self.request.report.zone
            last = format_one(wall_moment(self.known_end, zone), "d MMM y, HH:mm:ss", self._locale)
            moment = format_one(wall_moment(self.data_time, zone), "d MMM y, HH:mm:ss", self._locale)
            yield f"The log has readings up to {last}, later than its data time {moment}; are its clock and zone right?"
        yield from self.more


def _instants(rows: Rows, zone: ZoneInfo) -> tuple[Ints, Ints, Bools]:
    """The starts and ends of spans, and which rows have both; where clocks show a time twice, the one that fits the
    span's duration."""
    starts, ends = rows.table["start"].to_pylist(), rows.table["end"].to_pylist()
    lasts = rows.table["duration"].to_pylist() if "duration" in rows.names else [None] * len(starts)
    found = [_ends_of(*row, zone) for row in zip(starts, ends, lasts, strict=True)]
    known = np.array([pair is not None and pair[1] >= pair[0] for pair in found], bool)
    pairs = np.array([pair or (0, 0) for pair in found], np.int64).reshape(-1, 2)
    return pairs[:, 0], pairs[:, 1], known


def _ends_of(start: object, end: object, lasted: object, zone: ZoneInfo) -> tuple[int, int] | None:
    if not isinstance(start, datetime) or not isinstance(end, datetime):
        return None
    first, last = instant(start, zone), instant(end, zone)
    if isinstance(lasted, Decimal) and last - first != int(lasted * 1_000_000):
        later = instant(end, zone, is_end=True)
        if later - first == int(lasted * 1_000_000):
            return first, later
    return first, last


def _first_weekday(locale: str) -> int:
    from babel import Locale  # loaded on first use

    return int(Locale.parse(locale).first_week_day)


def _or(value: int | None, other: int) -> int:
    return other if value is None else value


def _widened(at: int | None, by: int) -> int | None:
    """A bound further out; none where that leaves the calendar."""
    moved = None if at is None else at + by
    return moved if moved is not None and _FIRST < moved < _LAST else None


def _nothing_found(query: SpansQuery) -> str:
    """Why there is no span, as far as the query tells."""
    if query.begins is not None:
        return f"No span was found: {query.begins} is never so in the period, or only while {query.ends}."
    ids = f" with an id in {query.by}" if query.by else ""
    if query.condition is None:
        return f"No span was found: there is no time{ids} in the period."
    return f"No span was found: there is no time{ids} in the period at which {query.condition}."
