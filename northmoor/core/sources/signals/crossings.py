"""The values of signals at times, and the times between readings at which a condition may change: where the sides of a
comparison meet, of which one changes evenly."""

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import pyarrow as pa

from northmoor.core.base.arrays import Floats, Ints
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.sources.signals.conditions import comparisons_of, differences
from northmoor.core.sources.signals.recorded import values_at
from northmoor.core.sources.signals.series import Series


def states_at(owned: Sequence[Mapping[str, Series]], at: Sequence[Ints], names: Sequence[str]) -> dict[str, pa.Array]:
    """The values of each signal at the times of each object, one object after another."""
    return {
        name: pa.concat_arrays([_known_at(own[name], times) for own, times in zip(owned, at, strict=True)])
        if owned
        else pa.nulls(0)
        for name in names
    }


def _known_at(series: Series, at: Ints) -> pa.Array:
    """The values at some times, along lines where they change evenly; null where nothing is known."""
    if not len(series.at):
        return pa.nulls(len(at), pa.string() if series.signal.type == "text" else pa.float64())
    place = np.searchsorted(series.at, at, "right") - 1
    known = (place >= 0) & series.is_known[place] & (series.until[place] > at)
    if series.texts is not None:
        codes = pa.array(np.where(known, series.values[place], 0), mask=~known)
        return pa.array(series.texts, pa.string()).take(codes)
    values = values_at(series, at)[0] if series.is_linear else series.doubles()[place]
    return pa.array(values, pa.float64(), mask=~known)


def with_crossings(
    conditions: Sequence[str], owned: Sequence[Mapping[str, Series]], at: Sequence[Ints], values: Mapping[str, Any],
    stop: CancelToken,
) -> list[Ints]:  # fmt: skip
    """The times of each object with those at which the sides of a comparison meet between them. Raises like `hold`."""
    lines = {name for own in owned for name, one in own.items() if one.is_linear and len(one.at)}
    comparisons = [each for text in conditions for each in comparisons_of(text, lines)]
    names = list(owned[0]) if owned else []
    if not comparisons or not lines:
        return list(at)
    begin, end = [times[:-1] for times in at], [times[1:] for times in at]
    before = states_at(owned, begin, names)
    after = {name: _before(owned, begin, end, name) if name in lines else before[name] for name in names}
    pairs = zip(
        differences(comparisons, before, values, stop), differences(comparisons, after, values, stop), strict=True
    )
    starts, ends = np.concatenate(begin), np.concatenate(end)
    owner = np.repeat(np.arange(len(at)), [len(times) for times in begin])
    found = [_met(one, other, starts, ends) for one, other in pairs]
    places, times = (np.concatenate([each[part] for each in found]) for part in (0, 1))
    return [np.unique(np.concatenate([own, times[owner[places] == number]])) for number, own in enumerate(at)]


def _before(owned: Sequence[Mapping[str, Series]], begin: Sequence[Ints], end: Sequence[Ints], name: str) -> pa.Array:
    """What a signal comes to at the end of each stretch in which it is known from its beginning."""
    parts = []
    for own, since, until in zip(owned, begin, end, strict=True):
        known = _known_at(own[name], since).is_valid().to_numpy(zero_copy_only=False)
        values = values_at(own[name], until)[0].astype(np.float64) if len(own[name].at) else np.zeros(len(until))
        parts.append(pa.array(values, pa.float64(), mask=~known))
    return pa.concat_arrays(parts)


def _met(begins: Floats, ends: Floats, starts: Ints, until: Ints) -> tuple[Ints, Ints]:
    """In which stretches a difference passes zero, and the microseconds around that; or right after it was zero."""
    with np.errstate(invalid="ignore"):
        passes = np.flatnonzero(begins * ends < 0)
        leaves = np.flatnonzero((begins == 0) & (ends != 0) & ~np.isnan(ends))
    share = begins[passes] / (begins[passes] - ends[passes])
    met = starts[passes] + np.floor(share * (until[passes] - starts[passes])).astype(np.int64)
    places = np.concatenate([passes, passes, passes, leaves])
    times = np.concatenate([met, met + 1, met + 2, starts[leaves] + 1])
    inside = (times > starts[places]) & (times < until[places])
    return places[inside], times[inside]
