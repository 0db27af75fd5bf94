"""Readings thinned for lines: of each of many equal stretches of time the first, the last, the least and the greatest
reading, and the first of which nothing is known. A line through them looks like one through all, as long as a stretch
is narrower than a dot.

The method is that of M4 (Jugel et al., VLDB 2014).
"""

from collections.abc import Iterable, Sequence

import numpy as np
from msgspec import Struct

from northmoor.core.base.arrays import Bools, Floats, Ints
from northmoor.core.sources.signals.recorded import ReadingRows, values_at
from northmoor.core.sources.signals.series import Series
from northmoor.core.sources.signals.windows import Windows

_MOST_READINGS = 90_000
"""Readings of all series together, about as many as a chart draws marks."""
_EACH = 5
"""Readings that a stretch keeps at most."""
_MOST_STRETCHES = 4_000
"""More than a page is wide in dots of 600 to the inch."""


class Stretches(Struct, frozen=True):
    """Equal stretches of time: where the first begins and the last ends, in microseconds since 1970 in UTC, and how
    long each is."""

    start: int
    end: int
    width: int

    def numbers(self, at: Ints) -> Ints:
        """The number of the stretch that each time is in."""
        return (at - self.start) // self.width

    def cuts(self, parts: int) -> list[int]:
        """Times that cut the stretches into so many parts of about the same length."""
        return [self.start + (self.end - self.start) * place // parts for place in range(1, parts)]


def stretches_over(windows: Iterable[Windows], series: int) -> Stretches:
    """The stretches by which so many series over some windows are outlined."""
    parts = [part for part in windows if len(part)]
    start = min((int(part.start.min()) for part in parts), default=0)
    length = max((int((part.end - part.start).sum()) for part in parts), default=0)
    count = max(min(_MOST_STRETCHES, _MOST_READINGS // (_EACH * max(series, 1))), 1)
    end = max((int(part.end.max()) for part in parts), default=0)
    return Stretches(start, end, max(-(-length // count), 1))


def outlined(rows: ReadingRows, stretches: Stretches) -> ReadingRows:
    """The readings that the outline of a line keeps, in order."""
    if not len(rows.at):
        return rows
    stretch = stretches.numbers(rows.at)
    begins = np.append(True, (stretch[1:] != stretch[:-1]) | (rows.window[1:] != rows.window[:-1]))
    starts = np.flatnonzero(begins)
    kept = begins | np.append(begins[1:], True)
    for sign in (1, -1):
        kept[_first_least(sign * rows.values.astype(np.float64), rows.is_valid, starts)] = True
    kept[_first(~rows.is_valid, starts)] = True
    return ReadingRows(rows.window[kept], rows.at[kept], rows.values[kept], rows.is_valid[kept], rows.is_held[kept],
                       rows.scale)  # fmt: skip


def _first_least(values: Floats, is_valid: Bools, starts: Ints) -> Ints:
    """The place of the first least value of each run, of runs that have one."""
    known = np.where(is_valid, values, np.inf)
    least = np.repeat(np.minimum.reduceat(known, starts), np.diff(np.append(starts, len(values))))
    return _first(is_valid & (known == least), starts)


def _first(holds: Bools, starts: Ints) -> Ints:
    """The first place of each run at which something holds, of runs that have one."""
    hits = np.flatnonzero(holds)
    if not len(hits):
        return hits
    place = np.searchsorted(hits, starts)
    found = hits[np.minimum(place, len(hits) - 1)]
    ends = np.append(starts[1:], len(holds))
    is_own = (place < len(hits)) & (found >= starts) & (found < ends)
    picked: Ints = found[is_own]
    return picked


def at_all_times(series: Sequence[Series], outlines: Sequence[ReadingRows]) -> list[ReadingRows]:
    """The values of several series at the times of any of their outlines: what each was then, as it held or lay on its
    line, so that no line breaks where only another one has a reading; without one where it is not known."""
    shared = np.unique(np.concatenate([np.column_stack([part.window, part.at]) for part in outlines]), axis=0)
    window, at = shared[:, 0], shared[:, 1]
    found = []
    for one in series:
        values, valid = values_at(one, at)
        scale = one.scale if values.dtype != np.float64 else None
        found.append(ReadingRows(window, at, values, valid, np.zeros(len(at), bool), scale))
    return found
