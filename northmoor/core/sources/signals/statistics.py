"""Statistics of a series over windows: a function for each statistic, from pieces to one result a window.

Means are weighted by time: a value counts as long as it held, or along the line to the next. What is exact (decimals,
whole numbers) is added up as whole numbers, so that no order of adding changes the result.
"""

from collections.abc import Callable, Mapping
from decimal import ROUND_HALF_EVEN, Context, Decimal

import numpy as np
from msgspec import Struct

from northmoor.core.base.arrays import Bools, Floats, Ints
from northmoor.core.errors import QueryError
from northmoor.core.model.data.signal_logs import MICROSECONDS_PER
from northmoor.core.model.data.signal_queries import StatisticColumn
from northmoor.core.sources.signals.pieces import Pieces, sums_of
from northmoor.core.sources.signals.series import Numbers

QUOTIENT_PLACES = 6
"""More places than the readings have, of means and totals of exact readings."""
_EXACT = Context(prec=60, rounding=ROUND_HALF_EVEN)
_ROOM = 2**62


class WindowValues(Struct, frozen=True, eq=False):
    """One value for each window, and whether there is one. `scale` is that of whole numbers which count parts of ten;
    Decimals come as an array of objects."""

    values: Numbers
    is_valid: Bools
    scale: int | None = None


def statistic_of(pieces: Pieces, wanted: StatisticColumn) -> WindowValues:
    """A statistic of a series over each window. Raises QueryError where its kind of signal has none such."""
    is_text, result = pieces.series.texts is not None, wanted.kind.result
    if is_text and (result in ("value", "number") or wanted.kind.wants == "limit"):
        return _nothing(pieces)
    if result == "text" and not is_text:
        return _nothing(pieces)
    if result == "moment" and is_text:
        return _nothing(pieces)
    return _FUNCTIONS[wanted.statistic](pieces, wanted)


def _nothing(pieces: Pieces) -> WindowValues:
    return WindowValues(np.zeros(len(pieces.windows)), np.zeros(len(pieces.windows), bool))


def _at_ends(pieces: Pieces, is_last: bool) -> WindowValues:
    """The value of the first or the last known piece, at its beginning or its end."""
    known = np.flatnonzero(pieces.is_known)
    offsets = np.searchsorted(pieces.window[known], np.arange(len(pieces.windows) + 1))
    has_any = offsets[:-1] < offsets[1:]
    places = known[np.where(has_any, offsets[1:] - 1 if is_last else offsets[:-1], 0)] if len(known) else known
    if not len(known):
        return _nothing(pieces)
    if pieces.series.is_linear:
        return WindowValues(pieces.ends[is_last][places], has_any)
    return WindowValues(pieces.values[places], has_any, pieces.series.scale)


def _extreme(pieces: Pieces, is_max: bool) -> tuple[WindowValues, Ints]:
    """The least or greatest value, and the time of the first piece that has it."""
    known = np.flatnonzero(pieces.is_known)
    offsets = np.searchsorted(pieces.window[known], np.arange(len(pieces.windows) + 1))
    has_any, found = offsets[:-1] < offsets[1:], np.zeros(len(pieces.windows), np.int64)
    if not len(known):
        return _nothing(pieces), found
    starts, best = offsets[:-1][has_any], (np.maximum if is_max else np.minimum)
    if pieces.series.is_linear:
        head, tail = pieces.ends[0][known], pieces.ends[1][known]
        values, since = best(head, tail), np.where(best(head, tail) == head, pieces.since[known], pieces.until[known])
    else:
        values, since = pieces.values[known], pieces.since[known]
    extremes = best.reduceat(values, starts)
    counts = np.diff(offsets)[has_any]
    is_it = values == np.repeat(extremes, counts)
    hits = np.flatnonzero(is_it)
    first = hits[np.searchsorted(hits, starts)]
    result = np.zeros(len(pieces.windows), values.dtype)
    result[has_any], found[has_any] = extremes, since[first]
    return WindowValues(result, has_any, None if pieces.series.is_linear else pieces.series.scale), found


def _extreme_at(pieces: Pieces, is_max: bool) -> WindowValues:
    found, at = _extreme(pieces, is_max)
    return WindowValues(at, found.is_valid)


def _integral(pieces: Pieces) -> Numbers:
    """Value times microseconds, summed over each window; exact for whole numbers, as objects where they are large."""
    if pieces.series.scale is None or pieces.series.is_linear:
        head, tail = pieces.ends
        return pieces.sums((head + tail) / 2 * pieces.lasted)
    values = np.where(pieces.is_known, pieces.values, 0)
    longest = int((pieces.windows.end - pieces.windows.start).max(initial=0))
    if int(np.abs(values).max(initial=0)) * max(longest, 1) < _ROOM:
        return pieces.sums(values * pieces.lasted)
    return pieces.sums(values.astype(object) * pieces.lasted.astype(object))


def _quotients(pieces: Pieces, sums: Numbers, divisors: Numbers, is_valid: Bools) -> WindowValues:
    """Sums over divisors: decimals with more places where they are exact, doubles otherwise."""
    scale = pieces.series.scale
    if scale is None or pieces.series.is_linear:
        return WindowValues(np.divide(sums, divisors, out=np.zeros(len(sums)), where=is_valid), is_valid)
    digits = Decimal(1).scaleb(-(scale + QUOTIENT_PLACES))
    pairs = zip(sums.tolist(), np.broadcast_to(divisors, len(sums)).tolist(), is_valid.tolist(), strict=True)
    made = [
        _EXACT.divide(Decimal(s), Decimal(d)).scaleb(-scale, _EXACT).quantize(digits, context=_EXACT) if valid else None
        for s, d, valid in pairs
    ]
    return WindowValues(np.array(made, object), is_valid, scale + QUOTIENT_PLACES)


def _mean(pieces: Pieces, _: StatisticColumn) -> WindowValues:
    return _quotients(pieces, _integral(pieces), pieces.known_time, pieces.known_time > 0)


def _reading_mean(pieces: Pieces, _: StatisticColumn) -> WindowValues:
    counted = pieces.is_within & pieces.is_known
    counts = pieces.sums(counted.astype(np.int64))
    if pieces.series.scale is None:
        sums = pieces.sums(np.where(counted, pieces.series.doubles()[pieces.index], 0.0))
    else:
        sums = pieces.sums(np.where(counted, pieces.values, 0).astype(object)) if len(counted) else counts
    if pieces.series.is_linear and pieces.series.scale is not None:
        sums = pieces.sums(np.where(counted, pieces.series.doubles()[pieces.index], 0.0))
    return _quotients(pieces, sums, counts, counts > 0)


def _deviation(pieces: Pieces, _: StatisticColumn) -> WindowValues:
    time, is_valid = pieces.known_time, pieces.known_time > 0
    head, tail = pieces.ends
    safe = np.maximum(time, 1)
    mean = pieces.sums((head + tail) / 2 * pieces.lasted) / safe
    a, b = head - mean[pieces.window], tail - mean[pieces.window]
    variance = pieces.sums((a * a + a * b + b * b) / 3 * pieces.lasted) / safe
    return WindowValues(np.sqrt(np.maximum(variance, 0.0)), is_valid)


def _total(pieces: Pieces, _: StatisticColumn) -> WindowValues:
    if not pieces.series.signal.kind.is_summed:
        return _nothing(pieces)
    per = MICROSECONDS_PER[pieces.series.signal.per]
    return _quotients(pieces, _integral(pieces), np.full(len(pieces.windows), per), pieces.known_time > 0)


def _change(pieces: Pieces, _: StatisticColumn) -> WindowValues:
    if not pieces.series.signal.kind.restarts:
        first, last = _at_ends(pieces, False), _at_ends(pieces, True)
        return WindowValues(last.values - first.values, first.is_valid & last.is_valid, first.scale)
    known = np.flatnonzero(pieces.is_known)
    values, windows = pieces.values[known], pieces.window[known]
    grown = np.diff(values, prepend=values[:1])
    grown = np.where(grown < 0, values, grown)  # it began again from zero
    grown[np.append(True, windows[1:] != windows[:-1])[: len(grown)]] = 0
    offsets = np.searchsorted(windows, np.arange(len(pieces.windows) + 1))
    return WindowValues(sums_of(grown, offsets), offsets[:-1] < offsets[1:], pieces.series.scale)


def _readings(pieces: Pieces, _: StatisticColumn) -> WindowValues:
    counted = pieces.sums((pieces.is_within & pieces.is_known).astype(np.int64))
    return WindowValues(counted, np.ones(len(counted), bool))


def _known(pieces: Pieces, _: StatisticColumn) -> WindowValues:
    length = pieces.windows.end - pieces.windows.start
    return WindowValues(pieces.known_time / np.maximum(length, 1), length > 0)


def is_on(pieces: Pieces, wanted: StatisticColumn) -> Bools:
    """Of each reading of the series, whether it is on, or in the state."""
    series = pieces.series
    state = wanted.state if wanted.state is not None else series.signal.on
    if series.texts is not None:
        listed = [text for text in series.texts if text == state] if state is not None else series.texts
        numbers = [number for number, text in enumerate(series.texts) if text in listed and text.strip()]
        found: Bools = np.isin(series.values, numbers) & series.is_known
        return found
    if state is None:
        on: Bools = (series.values != 0) & series.is_known
        return on
    try:
        wanted_number = float(state)
    except ValueError as error:
        message = f"The state {state!r} of the signal {series.signal.name} is no number, and its values are numbers."
        raise QueryError(f"{message} Choose a number, or say that its values are texts.") from error
    equal: Bools = (series.doubles() == wanted_number) & series.is_known
    return equal


def _crossings(pieces: Pieces, holds: Bools) -> Ints:
    """The places of readings with which something begins to hold, of which it was known before that it did not."""
    follows = pieces.series.is_contiguous()
    begins = follows & holds
    begins[1:] &= ~holds[:-1]
    return np.flatnonzero(begins)


def _count_within(pieces: Pieces, times: Ints) -> Ints:
    return np.searchsorted(times, pieces.windows.end, "left") - np.searchsorted(times, pieces.windows.start, "left")


def _changes_to(pieces: Pieces, holds: Bools) -> WindowValues:
    counts = _count_within(pieces, pieces.series.at[_crossings(pieces, holds)])
    has_any = np.diff(pieces.offsets) > 0
    return WindowValues(np.maximum(counts, 0), has_any)


def _times_on(pieces: Pieces, wanted: StatisticColumn) -> WindowValues:
    return _changes_to(pieces, is_on(pieces, wanted))


def _times_off(pieces: Pieces, wanted: StatisticColumn) -> WindowValues:
    return _changes_to(pieces, pieces.series.is_known & ~is_on(pieces, wanted))


def _time_while(pieces: Pieces, holds: Bools) -> WindowValues:
    return WindowValues(pieces.sums(np.where(holds, pieces.lasted, 0)), pieces.known_time > 0)


def _time_on(pieces: Pieces, wanted: StatisticColumn) -> WindowValues:
    return _time_while(pieces, is_on(pieces, wanted)[pieces.index])


def _time_off(pieces: Pieces, wanted: StatisticColumn) -> WindowValues:
    return _time_while(pieces, ~is_on(pieces, wanted)[pieces.index] & pieces.is_known)


def _share_on(pieces: Pieces, wanted: StatisticColumn) -> WindowValues:
    time = _time_on(pieces, wanted)
    return WindowValues(time.values / np.maximum(pieces.known_time, 1), time.is_valid)


def _longest_on(pieces: Pieces, wanted: StatisticColumn) -> WindowValues:
    on = is_on(pieces, wanted)
    goes_on = pieces.series.is_contiguous() & on
    goes_on[1:] &= on[:-1]
    run = np.cumsum(on & ~goes_on)[pieces.index]
    kept = np.flatnonzero(on[pieces.index])
    result = np.zeros(len(pieces.windows), np.int64)
    if len(kept):
        window, run = pieces.window[kept], run[kept]
        begins = np.flatnonzero(np.append(True, (window[1:] != window[:-1]) | (run[1:] != run[:-1])))
        np.maximum.at(result, window[begins], np.add.reduceat(pieces.lasted[kept], begins))
    return WindowValues(result, pieces.known_time > 0)


def _between_starts(pieces: Pieces, wanted: StatisticColumn) -> WindowValues:
    times = pieces.series.at[_crossings(pieces, is_on(pieces, wanted))]
    first = np.searchsorted(times, pieces.windows.start, "left")
    counts = _count_within(pieces, times)
    is_valid = counts > 1
    result = np.zeros(len(counts))
    begun, ended = times[first[is_valid]], times[(first + counts - 1)[is_valid]]
    result[is_valid] = (ended - begun) / (counts[is_valid] - 1)
    return WindowValues(result, is_valid)


def _beyond(pieces: Pieces, wanted: StatisticColumn, sign: int) -> WindowValues:
    """How long a value is above a limit, or below (sign -1); on a line, for the part of it that is."""
    limit = sign * float(wanted.limit or 0)
    head, tail = (sign * end for end in pieces.ends)
    high, low = np.maximum(head, tail), np.minimum(head, tail)
    share = np.where(high > low, (high - np.maximum(limit, low)) / np.where(high > low, high - low, 1.0), head > limit)
    time = np.where(high > limit, np.clip(share, 0.0, 1.0) * pieces.lasted, 0.0)
    return WindowValues(pieces.sums(np.where(pieces.is_known, time, 0.0)), pieces.known_time > 0)


def _times_beyond(pieces: Pieces, wanted: StatisticColumn, sign: int) -> WindowValues:
    series, limit = pieces.series, sign * float(wanted.limit or 0)
    values = sign * series.doubles()
    crossed = _crossings(pieces, (values > limit) & series.is_known)
    times: Floats = series.at[crossed].astype(np.float64)
    if series.is_linear and len(crossed):
        before, after = values[crossed - 1], values[crossed]
        length = (series.at[crossed] - series.at[crossed - 1]).astype(np.float64)
        times = series.at[crossed - 1] + (limit - before) / (after - before) * length
    return WindowValues(_count_within(pieces, np.sort(times)), np.diff(pieces.offsets) > 0)


def _percentile(pieces: Pieces, wanted: StatisticColumn) -> WindowValues:
    share, is_valid = float(wanted.share or 0), pieces.known_time > 0
    head, tail = pieces.ends
    result = np.zeros(len(pieces.windows))
    for window in np.flatnonzero(is_valid):
        own = slice(pieces.offsets[window], pieces.offsets[window + 1])
        result[window] = _value_not_exceeded(head[own], tail[own], pieces.lasted[own], share)
    return WindowValues(result, is_valid)


def _value_not_exceeded(head: Floats, tail: Floats, lasted: Ints, share: float) -> float:
    """The least value that is not exceeded for a share of the time: the inverse of the distribution of values, in which
    a held value is a step and a line is a slope."""
    low, high = np.minimum(head, tail), np.maximum(head, tail)
    points = np.unique(np.concatenate([low[lasted > 0], high[lasted > 0]]))
    wanted = share * float(lasted.sum())
    flat = low == high
    steps = np.bincount(np.searchsorted(points, low[flat & (lasted > 0)]), lasted[flat & (lasted > 0)], len(points))
    slopes = np.zeros(len(points) + 1)
    rising = ~flat & (lasted > 0)
    density = lasted[rising] / (high[rising] - low[rising])
    np.add.at(slopes, np.searchsorted(points, low[rising]), density)
    np.add.at(slopes, np.searchsorted(points, high[rising]), -density)
    between = np.cumsum(slopes)[: len(points) - 1] * np.diff(points)
    at_point = np.cumsum(steps) + np.concatenate([[0.0], np.cumsum(between)])
    place = int(np.searchsorted(at_point, wanted * (1 - 1e-12), "left"))
    place = min(place, len(points) - 1)
    reached_before = at_point[place] - steps[place]
    if place == 0 or wanted >= reached_before or between[place - 1] <= 0:
        return float(points[place])
    rest = (reached_before - wanted) / between[place - 1]
    return float(points[place] - rest * (points[place] - points[place - 1]))


_FUNCTIONS: Mapping[str, Callable[[Pieces, StatisticColumn], WindowValues]] = {
    "first": lambda pieces, _: _at_ends(pieces, False),
    "last": lambda pieces, _: _at_ends(pieces, True),
    "first_text": lambda pieces, _: _at_ends(pieces, False),
    "last_text": lambda pieces, _: _at_ends(pieces, True),
    "min": lambda pieces, _: _extreme(pieces, False)[0],
    "min_at": lambda pieces, _: _extreme_at(pieces, False),
    "max": lambda pieces, _: _extreme(pieces, True)[0],
    "max_at": lambda pieces, _: _extreme_at(pieces, True),
    "mean": _mean,
    "reading_mean": _reading_mean,
    "deviation": _deviation,
    "total": _total,
    "change": _change,
    "readings": _readings,
    "known": _known,
    "times_on": _times_on,
    "times_off": _times_off,
    "time_on": _time_on,
    "time_off": _time_off,
    "share_on": _share_on,
    "longest_on": _longest_on,
    "between_starts": _between_starts,
    "time_above": lambda pieces, wanted: _beyond(pieces, wanted, 1),
    "times_above": lambda pieces, wanted: _times_beyond(pieces, wanted, 1),
    "time_below": lambda pieces, wanted: _beyond(pieces, wanted, -1),
    "times_below": lambda pieces, wanted: _times_beyond(pieces, wanted, -1),
    "percentile": _percentile,
}
