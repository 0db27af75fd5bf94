"""From spans and measured series to tables of rows, and what their columns are called and look like."""

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from decimal import Decimal
from zoneinfo import ZoneInfo

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from msgspec import Struct

from northmoor.core.base.arrays import Bools, Ints
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.model.data.queries import QueryColumn
from northmoor.core.model.data.signal_logs import Signal, SignalLog
from northmoor.core.model.data.signal_queries import MeasurementsQuery, SpansQuery, StatisticColumn
from northmoor.core.model.kinds.signal_statistics import StatisticResult
from northmoor.core.sources.signals.line_outline import Stretches, at_all_times, outlined
from northmoor.core.sources.signals.pieces import pieces_of
from northmoor.core.sources.signals.recorded import ReadingRows, at_shared_times, at_steps, moving_mean, recorded
from northmoor.core.sources.signals.series import MISSING, Numbers, Series, SeriesName
from northmoor.core.sources.signals.spans import Spans
from northmoor.core.sources.signals.statistics import WindowValues, statistic_of
from northmoor.core.sources.signals.windows import Windows, no_columns

_SECONDS = pa.decimal128(20, 6)
_MOMENT = "d MMM y, HH:mm"
_BEHIND = ("start", "end", "duration", "ordinal", "open", "cut")
"""Columns of windows that come after what is measured in them."""
_FORMATS: Mapping[StatisticResult, str] = {
    "duration": "duration",
    "share": "percent",
    "moment": _MOMENT,
    "count": "#,##0",
}


class MeasuredSignals(Struct, frozen=True, eq=False):
    """The series that are measured and, for each object, the windows over which they are."""

    query: MeasurementsQuery
    log: SignalLog
    objects: Sequence[str]
    series: Mapping[SeriesName, Series]
    windows: Mapping[str, Windows]
    zone: ZoneInfo
    stop: CancelToken
    stretches: Stretches | None = None
    """By what readings are outlined, where they are."""

    @property
    def has_objects(self) -> bool:
        """Whether the log tells objects apart."""
        return self.log.object is not None or self.log.separator is not None

    def each(self) -> Iterator[tuple[str, str, Series]]:
        """Object, signal and series, in the order of the rows. Raises Cancelled."""
        for name in self.objects:
            for signal in self.query.signals:
                self.stop.raise_if_cancelled()
                yield name, signal, self.series[SeriesName(name, signal)]


def column_name(signal: str) -> str:
    """The name of a signal's column where each has its own."""
    name = re.sub(r"\W+", "_", signal).strip("_") or "signal"
    return name if not name[0].isdigit() else f"s_{name}"


# spans


def spans_table(spans: Spans, has_objects: bool, zone: ZoneInfo) -> pa.Table:
    """The rows of a query for spans, ordered by object and start."""
    ordinal, counts = np.zeros(len(spans), np.int64), dict[str, int]()
    for place, name in enumerate(spans.object):
        counts[name] = ordinal[place] = counts.get(name, 0) + 1
    columns: dict[str, pa.Array] = {"object": pa.array(spans.object, pa.string())} if has_objects else {}
    columns |= {
        "id": pa.array(spans.id, pa.string()),
        "start": moments(spans.start, zone),
        "end": moments(spans.end, zone),
        "duration": seconds(spans.end - spans.start),
        "open": pa.array(spans.is_open),
        "ordinal": pa.array(ordinal),
        "cut": pa.array(spans.is_cut),
    }
    return pa.table(columns)


# measurements


def measured_table(measured: MeasuredSignals) -> pa.Table:
    """The rows of a query for measurements. Raises QueryError, or Cancelled."""
    if not measured.objects:
        return measured_table(_of_nothing(measured)).slice(0, 0)
    if measured.query.give == "statistics":
        return _statistics_wide(measured) if measured.query.wide else _statistics_long(measured)
    return _values_wide(measured) if measured.query.wide else _readings_long(measured)


def _of_nothing(measured: MeasuredSignals) -> MeasuredSignals:
    """One object without readings and windows, in place of none: it has the same columns."""
    none = np.zeros(0, np.int64)
    known = [measured.log.known(signal) for signal in measured.query.signals]
    series = {
        SeriesName(MISSING, s.name): Series(s, none, none, none.astype(bool), none, 0, () if s.type == "text" else None)
        for s in known
    }
    windows = {MISSING: Windows(none, none, no_columns(0))}
    return replace(measured, objects=(MISSING,), series=series, windows=windows)


def _statistics_long(measured: MeasuredSignals) -> pa.Table:
    query = measured.query
    found = [_statistics_of(query, series, measured.windows[name]) for name, _, series in measured.each()]
    texts = [series.texts for _, _, series in measured.each()]
    order = _interleaved(measured)
    columns = _window_columns(measured, order)
    columns |= _signal_columns([measured.log.known(signal) for _, signal, _ in measured.each()], order.part)
    for number, wanted in enumerate(query.statistics):
        column = _column([values[number] for values in found], wanted, texts, measured.zone)
        columns[wanted.name] = column.take(pa.array(order.place))
    return _in_reading_order(columns)


def _statistics_of(query: MeasurementsQuery, series: Series, windows: Windows) -> list[WindowValues]:
    """All statistics of a series over its windows."""
    pieces = pieces_of(series, windows)
    return [statistic_of(pieces, wanted) for wanted in query.statistics]


def _statistics_wide(measured: MeasuredSignals) -> pa.Table:
    columns = _window_columns(measured, _object_order(measured))
    query = measured.query
    for signal in query.signals:
        measured.stop.raise_if_cancelled()
        own = [(name, measured.series[SeriesName(name, signal)]) for name in measured.objects]
        found = [_statistics_of(query, series, measured.windows[name]) for name, series in own]
        texts = [series.texts for _, series in own]
        for number, wanted in enumerate(query.statistics):
            column = _column([values[number] for values in found], wanted, texts, measured.zone)
            columns[f"{column_name(signal)}_{wanted.name}"] = column
    return _in_reading_order(columns)


def _in_reading_order(columns: Mapping[str, pa.Array]) -> pa.Table:
    """What is measured first, after whose it is; then the time over which, and what else is known of that."""
    behind = [name for name in _BEHIND if name in columns]
    ahead = [name for name in ("object", "id") if name in columns]
    between = [name for name in columns if name not in (*ahead, *behind)]
    return pa.table({name: columns[name] for name in (*ahead, *between, *behind)})


def _readings_long(measured: MeasuredSignals) -> pa.Table:
    query = measured.query
    parts: list[ReadingRows] = []
    means: list[pa.Array] = []
    for name, _, series in measured.each():
        rows = _rows_of(measured, series, measured.windows[name])
        parts.append(rows)
        if query.moving is not None:
            means.append(_masked(*moving_mean(series, rows.at, query.moving)))
    owned = [one for _, _, one in measured.each()]
    order = _reading_order(measured, parts)
    counts = [len(part.at) for part in parts]
    part_of_row = np.repeat(np.arange(len(parts)), counts)[order]
    take = pa.array(order)
    owners = [name for name, _, _ in measured.each()]
    given = pa.concat_tables(
        [measured.windows[name].given.take(pa.array(part.window)) for name, part in zip(owners, parts, strict=True)]
        or [pa.table({"": pa.nulls(0)})]
    ).take(take)
    columns: dict[str, pa.Array] = {}
    if measured.has_objects:
        columns["object"] = pa.array(owners, pa.string()).take(pa.array(part_of_row))
    columns |= {name: given[name] for name in given.column_names if name}
    columns |= _signal_columns([measured.log.known(signal) for _, signal, _ in measured.each()], part_of_row)
    columns["time"] = moments(
        np.concatenate([part.at for part in parts] or [np.zeros(0, np.int64)])[order], measured.zone
    )
    numbers = [
        WindowValues(p.values, p.is_valid, p.scale) if s.texts is None else _none(p)
        for p, s in zip(parts, owned, strict=True)
    ]
    columns["value"] = _values(numbers).take(take)
    columns["text"] = pa.concat_arrays(
        [_texts(p.values, p.is_valid, s.texts) for p, s in zip(parts, owned, strict=True)]
    ).take(take)
    if query.step is None:
        columns["held"] = pa.array(np.concatenate([part.is_held for part in parts])[order])
    if means:
        columns["moving_mean"] = pa.concat_arrays(means).take(take)
    return pa.table(columns)


def _rows_of(measured: MeasuredSignals, series: Series, windows: Windows) -> ReadingRows:
    if measured.query.step is not None:
        return at_steps(series, windows, measured.query.step)
    rows = recorded(series, windows)
    stretches = measured.stretches if series.texts is None else None
    return outlined(rows, stretches) if stretches is not None else rows


def _none(rows: ReadingRows) -> WindowValues:
    return WindowValues(np.zeros(len(rows.at), np.int64), np.zeros(len(rows.at), bool), 0)


def _reading_order(measured: MeasuredSignals, parts: Sequence[ReadingRows]) -> Ints:
    """The order of rows by object, window and signal, as they come; they are in order of time."""
    signals = len(measured.query.signals)
    number = np.concatenate([np.full(len(part.at), n) for n, part in enumerate(parts)] or [np.zeros(0, np.int64)])
    window = np.concatenate([part.window for part in parts] or [np.zeros(0, np.int64)])
    return np.lexsort((number % signals, window, number // signals))


def _values_wide(measured: MeasuredSignals) -> pa.Table:
    query = measured.query
    columns: dict[str, pa.Array] = {}
    by_object = []
    for name in measured.objects:
        own = [measured.series[SeriesName(name, signal)] for signal in query.signals]
        parts = [_rows_of(measured, one, measured.windows[name]) for one in own]
        by_object.append(at_shared_times(parts) if measured.stretches is None else at_all_times(own, parts))
    rows = {signal: [parts[number] for parts in by_object] for number, signal in enumerate(query.signals)}
    first = rows[query.signals[0]]
    if measured.has_objects:
        counts = [len(part.at) for part in first]
        columns["object"] = pa.array(measured.objects, pa.string()).take(
            pa.array(np.repeat(np.arange(len(first)), counts))
        )
    given = pa.concat_tables(
        [measured.windows[n].given.take(pa.array(part.window)) for n, part in zip(measured.objects, first, strict=True)]
        or [pa.table({"": pa.nulls(0)})]
    )
    columns |= {name: given[name] for name in given.column_names if name}
    columns["time"] = moments(np.concatenate([part.at for part in first] or [np.zeros(0, np.int64)]), measured.zone)
    for signal, parts in rows.items():
        measured.stop.raise_if_cancelled()
        series = [measured.series[SeriesName(name, signal)] for name in measured.objects]
        name = column_name(signal)
        if measured.log.known(signal).type == "text":
            texts = [_texts(p.values, p.is_valid, s.texts) for p, s in zip(parts, series, strict=True)]
            columns[name] = pa.concat_arrays(texts or [pa.nulls(0, pa.string())])
        else:
            columns[name] = _values([WindowValues(p.values, p.is_valid, p.scale) for p in parts])
            if query.moving is not None:
                means = [_masked(*moving_mean(s, p.at, query.moving)) for p, s in zip(parts, series, strict=True)]
                columns[f"{name}_moving_mean"] = pa.concat_arrays(means or [pa.nulls(0, pa.float64())])
    return pa.table(columns)


# columns


class _RowOrder(Struct, frozen=True, eq=False):
    """Where the rows of a result are in what was found series by series: their place, the series, and the window's
    place among those of all objects."""

    place: Ints
    part: Ints
    window: Ints


def _interleaved(measured: MeasuredSignals) -> _RowOrder:
    """The order of rows by object, window and signal, of values that lie by object, signal and window."""
    signals = len(measured.query.signals)
    places, parts, windows = [], [], []
    offset = part = window = 0
    for name in measured.objects:
        count = len(measured.windows[name])
        grid = np.arange(signals * count).reshape(signals, count).T.ravel()
        places.append(offset + grid)
        parts.append(part + grid // max(count, 1))
        windows.append(window + grid % max(count, 1))
        offset, part, window = offset + signals * count, part + signals, window + count
    return _RowOrder(*(np.concatenate(each or [np.zeros(0, np.int64)]) for each in (places, parts, windows)))


def _object_order(measured: MeasuredSignals) -> _RowOrder:
    count = sum(len(measured.windows[name]) for name in measured.objects)
    return _RowOrder(np.arange(count), np.zeros(count, np.int64), np.arange(count))


def _window_columns(measured: MeasuredSignals, order: _RowOrder) -> dict[str, pa.Array]:
    columns: dict[str, pa.Array] = {}
    windows = [measured.windows[name] for name in measured.objects]
    counts = [len(each) for each in windows]
    take = pa.array(order.window)
    if measured.has_objects:
        owner = np.repeat(np.arange(len(counts)), counts)
        columns["object"] = pa.array(measured.objects, pa.string()).take(pa.array(owner)).take(take)
    if windows:
        given = pa.concat_tables([each.given for each in windows]).take(take)
        columns |= {name: given[name] for name in given.column_names if name}
    for name in ("start", "end"):
        found = [getattr(each, name) for each in windows]
        columns[name] = moments(np.concatenate(found or [np.zeros(0, np.int64)])[order.window], measured.zone)
    return columns


def _signal_columns(signals: Sequence[Signal], part: Ints) -> dict[str, pa.Array]:
    take = pa.array(part)
    return {
        "signal": pa.array([signal.name for signal in signals], pa.string()).take(take),
        "label": pa.array([signal.shown_name for signal in signals], pa.string()).take(take),
        "unit": pa.array([signal.unit for signal in signals], pa.string()).take(take),
    }


def _column(
    found: Sequence[WindowValues], wanted: StatisticColumn, texts: Sequence[tuple[str, ...] | None], zone: ZoneInfo
) -> pa.Array:
    """One statistic of several series, one after another, as a column of one type."""
    result = wanted.kind.result
    if result == "text":
        return pa.concat_arrays([_texts(v.values, v.is_valid, t) for v, t in zip(found, texts, strict=True)]
                                or [pa.nulls(0, pa.string())])  # fmt: skip
    if result in ("value", "number"):
        return _values(found)
    values = np.concatenate([each.values for each in found] or [np.zeros(0)])
    valid = np.concatenate([each.is_valid for each in found] or [np.zeros(0, bool)])
    if result == "moment":
        return _with_nulls(moments(values.astype(np.int64), zone), valid)
    if result == "duration":
        return _with_nulls(seconds(np.rint(values).astype(np.int64)), valid)
    return pa.array(values.astype(np.int64 if result == "count" else np.float64), mask=~valid)


def _values(found: Sequence[WindowValues]) -> pa.Array:
    """Values of one or several series: whole numbers or decimals where all are exact, doubles otherwise."""
    own = [each for each in found if each.is_valid.any()]
    if any(each.scale is None for each in own) or not own:
        return pa.concat_arrays(
            [_masked(_as_doubles(each), each.is_valid) for each in found] or [pa.nulls(0, pa.float64())]
        )
    scale = max(each.scale or 0 for each in own)
    return pa.concat_arrays([_exact(each, scale) for each in found])


def _as_doubles(values: WindowValues) -> Numbers:
    if values.values.dtype == object:
        return np.array([0.0 if value is None else float(value) for value in values.values.tolist()])
    doubles = values.values.astype(np.float64)
    return doubles / 10.0**values.scale if values.scale else doubles


def _exact(values: WindowValues, scale: int) -> pa.Array:
    kind = pa.decimal128(38, scale) if scale else pa.int64()
    if values.values.dtype == object:
        return pa.array(values.values.tolist(), pa.decimal128(38, scale))
    whole = np.where(values.is_valid, values.values, 0).astype(np.int64)
    if not scale:
        return pa.array(whole, kind, mask=~values.is_valid)
    decimals = pa.array(whole).cast(pa.decimal128(38, 0))
    own = pa.Array.from_buffers(pa.decimal128(38, values.scale or 0), len(whole), decimals.buffers())
    return _with_nulls(own.cast(kind), values.is_valid)


def _masked(values: Numbers, valid: Bools) -> pa.Array:
    return pa.array(values, pa.float64(), mask=~valid)


def _with_nulls(values: pa.Array, valid: Bools) -> pa.Array:
    return pc.if_else(pa.array(valid), values, pa.scalar(None, values.type))


def _texts(values: Ints, valid: Bools, texts: tuple[str, ...] | None) -> pa.Array:
    if texts is None:
        return pa.nulls(len(values), pa.string())
    codes = pa.array(np.where(valid, values, 0).astype(np.int64), mask=~valid)
    return pa.array(texts, pa.string()).take(codes)


def moments(instants: Ints, zone: ZoneInfo) -> pa.Array:
    """Microseconds since 1970 in UTC as wall time of a zone."""
    aware = pa.array(instants, pa.int64()).cast(pa.timestamp("us", "UTC"))
    return pc.local_timestamp(aware.cast(pa.timestamp("us", zone.key)))


def seconds(microseconds: Ints) -> pa.Array:
    """Microseconds as exact seconds."""
    whole = pa.array(microseconds, pa.int64()).cast(pa.decimal128(20, 0))
    return pa.Array.from_buffers(_SECONDS, len(microseconds), whole.buffers())


# what columns are called and look like


def column_settings(query: SpansQuery | MeasurementsQuery, log: SignalLog) -> tuple[QueryColumn, ...]:
    """Labels and formats for the columns of a query over a log."""
    if isinstance(query, SpansQuery):
        return (
            *_object_settings(log), _named("id", "Id"), _named("start", "Start", _MOMENT),
            _named("end", "End", _MOMENT), _named("duration", "Duration", "duration"),
            _named("open", "Still open"), _named("ordinal", "No.", "#,##0"),
            _named("cut", "Cut"),
        )  # fmt: skip
    settings = [*_object_settings(log), *(_OF_SPANS if query.spans is not None else ())]
    if query.give == "statistics":
        settings += [_named("start", "Start", _MOMENT), _named("end", "End", _MOMENT)]
        settings += _OF_SPANS_MORE if query.spans is not None else []
        settings += _wide_settings(query, log) if query.wide else [*_LONG, *map(_statistic_setting, query.statistics)]
        return tuple(settings)
    settings.append(_named("time", "Time", "d MMM y, HH:mm:ss"))
    if query.wide:
        for signal in map(log.known, query.signals):
            name, title = column_name(signal.name), _titled(signal)
            settings.append(_named(name, title))
            if query.moving is not None and signal.type == "number":
                settings.append(_named(f"{name}_moving_mean", f"{title}: moving mean"))
        return tuple(settings)
    settings += [*_LONG, _named("value", "Value"), _named("text", "Text")]
    settings += [_named("held", "Held from before")] if query.step is None else []
    return (*settings, *([_named("moving_mean", "Moving mean")] if query.moving is not None else []))


def _object_settings(log: SignalLog) -> list[QueryColumn]:
    return [_named("object", "Object")] if log.object is not None or log.separator is not None else []


def _named(name: str, label: str, pattern: str | None = None) -> QueryColumn:
    return QueryColumn(name=name, label=label, format=pattern)


_LONG = (QueryColumn(name="signal", label="Signal"), QueryColumn(name="label", label="Name"),
         QueryColumn(name="unit", label="Unit"))  # fmt: skip


_OF_SPANS = [_named("id", "Id"), _named("ordinal", "No.", "#,##0")]
_OF_SPANS_MORE = [_named("duration", "Duration", "duration"), _named("open", "Still open"), _named("cut", "Cut")]


def statistic_title(wanted: StatisticColumn) -> str:
    """What a statistic is called as a column's title."""
    given = (
        {"state": wanted.state, "limit": wanted.limit, "share": wanted.share}[wanted.kind.wants]
        if (wanted.kind.wants != "nothing")
        else None
    )
    if isinstance(given, Decimal) and wanted.kind.wants == "share":
        given = f"{(given * 100).normalize():f} %"
    return wanted.kind.label if given is None else f"{wanted.kind.label} {given}"


def _statistic_setting(wanted: StatisticColumn) -> QueryColumn:
    return _named(wanted.name, statistic_title(wanted), _FORMATS.get(wanted.kind.result))


def _titled(signal: Signal) -> str:
    return f"{signal.shown_name}, {signal.unit}" if signal.unit else signal.shown_name


def _wide_settings(query: MeasurementsQuery, log: SignalLog) -> list[QueryColumn]:
    title: Callable[[str, StatisticColumn], str] = lambda signal, wanted: (  # noqa: E731
        f"{_titled(log.known(signal))}: {statistic_title(wanted).lower()}"
    )
    return [
        _named(f"{column_name(signal)}_{wanted.name}", title(signal, wanted), _FORMATS.get(wanted.kind.result))
        for signal in query.signals
        for wanted in query.statistics
    ]
