"""From series to spans: stretches of time in which an id stays the same, or a condition holds."""

from collections.abc import Mapping, Sequence
from itertools import pairwise
from typing import Any

import numpy as np
import pyarrow as pa
from msgspec import Struct

from northmoor.core.base.arrays import Bools, Ints
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.model.data.signal_queries import SpansQuery
from northmoor.core.sources.signals.conditions import hold, signals_in
from northmoor.core.sources.signals.crossings import states_at, with_crossings
from northmoor.core.sources.signals.series import Series, SeriesName


class Spans(Struct, frozen=True, eq=False):
    """Spans of one or several objects, by object and time; an id is None where there is none.

    `is_open` says that a span has not ended where knowledge ends, `is_cut` that the period cut it.
    """

    object: tuple[str, ...]
    id: tuple[str | None, ...]
    start: Ints
    end: Ints
    is_open: Bools
    is_cut: Bools

    def __len__(self) -> int:
        return len(self.start)

    def take(self, places: Ints) -> "Spans":
        """The spans at some places."""
        at = places.tolist()
        return Spans(
            tuple(self.object[n] for n in at), tuple(self.id[n] for n in at), self.start[places], self.end[places],
            self.is_open[places], self.is_cut[places],
        )  # fmt: skip


def signals_of(query: SpansQuery) -> tuple[str, ...]:
    """The signals that cut spans: the id's, and those of conditions. Raises ExpressionError."""
    named = [name for text in _conditions(query) for name in signals_in(text)]
    return tuple(dict.fromkeys([*([query.by] if query.by else []), *named]))


def _conditions(query: SpansQuery) -> list[str]:
    return [text for text in (query.condition, query.begins, query.ends) if text is not None]


def cut_spans(
    query: SpansQuery,
    objects: Sequence[str],
    series: Mapping[SeriesName, Series],
    values: Mapping[str, Any],
    ids: frozenset[str] | None,
    bound: int,
    is_known_end: bool,
    stop: CancelToken,
) -> Spans:
    """All spans of the objects in what is known of their signals, up to `bound`; `ids` are those wanted.

    A span that lasts until `bound` is open where that is the end of what is known. Raises like `hold`.
    """
    names = signals_of(query)
    owned = [{signal: series[SeriesName(name, signal)] for signal in names} for name in objects]
    changes = [_changes(list(own.values()), bound) for own in owned]
    changes = with_crossings(_conditions(query), owned, changes, values, stop)
    pairs = list(zip(objects, changes, strict=True))
    states = states_at(owned, changes, names)
    is_active = _active(query, states, values, stop)
    id_codes, id_texts = _id_codes(states[query.by], ids) if query.by else (None, ())
    found: list[Spans] = []
    offset = 0
    for name, at in pairs:
        own = slice(offset, offset + len(at))
        offset += len(at)
        active = is_active[own].copy()
        if query.begins is not None:
            active = _between(active)
        codes = np.zeros(len(at), np.int64) if id_codes is None else id_codes[own]
        found.append(_runs(name, at, (active == 1) & (codes >= 0), codes, id_texts, bound))
    return _as_wanted(query, _joined(found), bound, is_known_end)


def _changes(series: Sequence[Series], bound: int) -> Ints:
    """All times at which one of the signals changes, or becomes unknown."""
    times = [at for one in series for at in (one.at, one.until)]
    found = np.unique(np.concatenate(times)) if times else np.zeros(0, np.int64)
    return found[found < bound]


def _active(query: SpansQuery, states: Mapping[str, pa.Array], values: Mapping[str, Any], stop: CancelToken) -> Ints:
    """1 where a span lasts and 0 where none does; for spans between two conditions 1 where one may begin, 2 where it
    ends, and 0 where neither condition holds."""
    count = len(next(iter(states.values()))) if states else 0
    if query.begins is not None and query.ends is not None:
        begins, ends = (_true(found) for found in hold((query.begins, query.ends), states, values, stop))
        return np.where(ends, 2, np.where(begins, 1, 0))
    if query.condition is None:
        return np.ones(count, np.int64)
    return _true(hold((query.condition,), states, values, stop)[0]).astype(np.int64)


def _true(holds: pa.Array) -> Bools:
    found: Bools = holds.fill_null(False).to_numpy(zero_copy_only=False)
    return found


def _between(marks: Ints) -> Ints:
    """1 from a mark of 1 up to the next of 2."""
    set_at = np.where(marks > 0, np.arange(len(marks)), -1)
    last = np.maximum.accumulate(set_at) if len(marks) else set_at
    return np.where((last >= 0) & (marks[np.maximum(last, 0)] == 1), 1, 0)


def _id_codes(states: pa.Array, ids: frozenset[str] | None) -> tuple[Ints, tuple[str, ...]]:
    """The number of the id at each time, -1 where there is none or it is not wanted; and the ids."""
    texts = _as_texts(states)
    encoded = texts.dictionary_encode()
    known: tuple[str, ...] = tuple(encoded.dictionary.to_pylist())
    codes = encoded.indices.fill_null(-1).to_numpy(zero_copy_only=False).astype(np.int64)
    wanted = [bool(text.strip()) and (ids is None or text in ids) for text in known]
    keep = np.array([*wanted, False])
    return np.where(keep[codes], codes, -1), known


def _as_texts(states: pa.Array) -> pa.Array:
    """Ids as texts; whole numbers without a point."""
    if pa.types.is_string(states.type):
        return states
    return pa.array([None if v is None else (str(int(v)) if v == int(v) else repr(v)) for v in states.to_pylist()],
                    pa.string())  # fmt: skip


def _runs(name: str, at: Ints, active: Bools, codes: Ints, ids: tuple[str, ...], bound: int) -> Spans:
    """Runs of times at which a span of one id lasts."""
    ends_at = np.append(at[1:], bound)[: len(at)]
    begins = active.copy()
    begins[1:] &= ~(active[:-1] & (codes[1:] == codes[:-1]))
    last = active.copy()
    last[:-1] &= ~(active[1:] & (codes[1:] == codes[:-1]))
    places = np.flatnonzero(begins)
    end = ends_at[np.flatnonzero(last)]
    named = tuple(ids[code] for code in codes[places].tolist()) if ids else (None,) * len(places)
    return Spans((name,) * len(places), named, at[places], end, end >= bound, np.zeros(len(places), bool))


def _joined(found: Sequence[Spans]) -> Spans:
    empty = np.zeros(0, np.int64)
    parts = found or [Spans((), (), empty, empty, empty.astype(bool), empty.astype(bool))]
    return Spans(
        tuple(name for part in parts for name in part.object),
        tuple(each for part in parts for each in part.id),
        *(np.concatenate([getattr(part, field) for part in parts]) for field in ("start", "end", "is_open", "is_cut")),
    )


def _as_wanted(query: SpansQuery, spans: Spans, bound: int, is_known_end: bool) -> Spans:
    """The spans with short interruptions bridged, and without short ones."""
    spans = _bridged(spans, query.bridge)
    is_open = (spans.end >= bound) & is_known_end
    spans = replace(spans, is_open=is_open)
    lasting = (spans.end - spans.start >= query.shortest) | (spans.end >= bound)  # one that goes on may become longer
    return spans.take(np.flatnonzero(lasting))


def _bridged(spans: Spans, most: int) -> Spans:
    if not most or len(spans) < 2:
        return spans
    keys = list(zip(spans.object, spans.id, strict=True))
    same = np.array([key == before for before, key in pairwise(keys)])
    goes_on = np.append(False, same & (spans.start[1:] - spans.end[:-1] <= most))
    first = np.flatnonzero(~goes_on)
    last = np.append(first[1:], len(spans)) - 1
    return replace(spans.take(first), end=spans.end[last])


def within_period(spans: Spans, crossing: str, start: int, end: int) -> Spans:
    """The spans that reach into a period, those that cross its ends as wanted."""
    reaches = (spans.start < end) & (spans.end > start)
    crosses = (spans.start < start) | (spans.end > end)
    if crossing == "left out":
        return spans.take(np.flatnonzero(reaches & ~crosses))
    kept = np.flatnonzero(reaches)
    found, crossed = spans.take(kept), crosses[kept]
    if crossing == "cut":
        is_open = found.is_open & (found.end <= end)
        return replace(found, start=np.maximum(found.start, start), end=np.minimum(found.end, end), is_cut=crossed,
                       is_open=is_open)  # fmt: skip
    return found
