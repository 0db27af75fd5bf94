"""From series to rows of readings: as they were recorded, or the values at steps of time; with moving means."""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from northmoor.core.base.arrays import Bools, Floats, Ints
from northmoor.core.sources.signals.pieces import pieces_of
from northmoor.core.sources.signals.series import Numbers, Series
from northmoor.core.sources.signals.windows import Windows, step_times


class ReadingRows(Struct, frozen=True, eq=False):
    """Values of a series at times, each within the window at `window`; `is_held` marks one that was written before its
    window began."""

    window: Ints
    at: Ints
    values: Numbers
    is_valid: Bools
    is_held: Bools
    scale: int | None


def recorded(series: Series, windows: Windows) -> ReadingRows:
    """Each reading in the windows, first what held at a window's start; where a value becomes unknown before the next
    reading, a row without a value says so."""
    pieces = pieces_of(series, windows)
    keep = pieces.is_within | (pieces.until > pieces.since)
    window, since, until, index = (part[keep] for part in (pieces.window, pieces.since, pieces.until, pieces.index))
    valid, held = series.is_known[index], ~pieces.is_within[keep]
    values = series.values[index]
    if series.is_linear and held.any():
        values = np.where(held, pieces.ends[0][keep], series.doubles()[index])
    lapses = valid & (until < np.minimum(series.next_at[index], windows.end[window])) & (until > since)
    if lapses.any():
        at = np.concatenate([since, until[lapses]])
        order = np.lexsort((at, np.concatenate([window, window[lapses]])))
        window, at = np.concatenate([window, window[lapses]])[order], at[order]
        nothing = np.zeros(int(lapses.sum()), bool)
        values = np.concatenate([values, values[lapses]])[order]
        valid, held = np.concatenate([valid, nothing])[order], np.concatenate([held, nothing])[order]
    else:
        at = since
    return ReadingRows(window, at, values, valid, held, series.scale if values.dtype != np.float64 else None)


def at_steps(series: Series, windows: Windows, step: int) -> ReadingRows:
    """The value at each step of each window, along the line of linear signals."""
    at, window = step_times(windows, step)
    values, valid = values_at(series, at)
    return ReadingRows(window, at, values, valid, np.zeros(len(at), bool),
                       series.scale if values.dtype != np.float64 else None)  # fmt: skip


def at_shared_times(parts: Sequence[ReadingRows]) -> list[ReadingRows]:
    """The rows of several series at the times of any of them; without a value where a series has none at a time."""
    pairs = [np.column_stack([part.window, part.at]) for part in parts]
    if all(np.array_equal(pair, pairs[0]) for pair in pairs):
        return list(parts)
    shared, places = np.unique(np.concatenate(pairs), axis=0, return_inverse=True)
    ends = np.cumsum([len(pair) for pair in pairs])
    window, at = shared[:, 0], shared[:, 1]
    found = []
    for part, own in zip(parts, np.split(places.ravel(), ends[:-1]), strict=True):
        values, valid, held = np.zeros(len(at), part.values.dtype), np.zeros(len(at), bool), np.zeros(len(at), bool)
        values[own], valid[own], held[own] = part.values, part.is_valid, part.is_held
        found.append(ReadingRows(window, at, values, valid, held, part.scale))
    return found


def values_at(series: Series, at: Ints) -> tuple[Numbers, Bools]:
    """The values at some times, and whether they are known: a value is known until the moment it lapses."""
    if not len(series.at):
        return np.zeros(len(at)), np.zeros(len(at), bool)
    place = np.maximum(np.searchsorted(series.at, at, "right") - 1, 0)
    after = at - series.at[place]
    valid = (after >= 0) & series.is_known[place] & ((at < series.until[place]) | (after == 0))
    if not series.is_linear or len(series.at) < 2:
        return series.values[place], valid
    doubles = series.doubles()
    following = np.minimum(place + 1, len(series.at) - 1)
    span = np.maximum(series.at[following] - series.at[place], 1)
    goes_on = series.until[place] == series.at[following]
    return doubles[place] + np.where(goes_on, (doubles[following] - doubles[place]) * (after / span), 0.0), valid


def moving_mean(series: Series, at: Ints, window: int) -> tuple[Floats, Bools]:
    """The mean over the time before each of some times, so far back; of what is known of it."""
    if not len(series.at):
        return np.zeros(len(at)), np.zeros(len(at), bool)
    integral, known = _up_to(series, at)
    before, known_before = _up_to(series, at - window)
    time = known - known_before
    valid = time > 0
    return np.divide(integral - before, time, out=np.zeros(len(at)), where=valid), valid


def _up_to(series: Series, at: Ints) -> tuple[Floats, Ints]:
    """The integral of the values, and the known time, from the first reading to some times."""
    doubles, lasted = series.doubles(), series.until - series.at
    begin, rise = doubles, np.zeros(len(doubles))
    if series.is_linear:
        span = np.maximum(np.append(np.diff(series.at), 1), 1)
        goes_on = np.append(series.until[:-1] == series.at[1:], False)
        rise = np.where(goes_on, np.append(np.diff(doubles), 0.0) / span, 0.0)
    whole = (begin + rise * lasted / 2) * lasted
    summed = np.concatenate([[0.0], np.cumsum(whole)])
    known = np.concatenate([[0], np.cumsum(lasted)])
    place = np.searchsorted(series.at, at, "right")
    inside = np.maximum(place - 1, 0)
    part = np.where(place > 0, np.clip(at - series.at[inside], 0, lasted[inside]), 0)
    partial = (begin[inside] + rise[inside] * part / 2) * part
    return summed[inside] + np.where(place > 0, partial, 0.0), known[inside] + part
