"""A series cut at windows: for each window the value that held at its start, and each reading within, with the time
that it counted."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from northmoor.core.base.arrays import Bools, Floats, Ints
from northmoor.core.sources.signals.series import Numbers, Series
from northmoor.core.sources.signals.windows import Windows


@dataclass(frozen=True, eq=False)
class Pieces:
    """Pieces of a series in order of window and time. Piece number n is of window `window[n]` and reading `index[n]`,
    and its value is known from `since[n]` until `until[n]`; `is_within` says whether the reading itself is within.

    `first[k]` and `last[k]` are the places in the series of the first reading within window k and of the one after the
    last.
    """

    series: Series
    windows: Windows
    window: Ints
    index: Ints
    since: Ints
    until: Ints
    is_within: Bools
    first: Ints
    last: Ints

    @cached_property
    def offsets(self) -> Ints:
        """Where each window's pieces begin, and the end of the last."""
        return np.searchsorted(self.window, np.arange(len(self.windows) + 1))

    @cached_property
    def lasted(self) -> Ints:
        """How long each was, in microseconds."""
        return self.until - self.since

    @cached_property
    def is_known(self) -> Bools:
        """Whether the value is known."""
        return self.series.is_known[self.index]

    @cached_property
    def values(self) -> Numbers:
        """The value of each piece's reading."""
        return self.series.values[self.index]

    @cached_property
    def ends(self) -> tuple[Floats, Floats]:
        """The values as doubles at the beginning and the end of each piece: the same, unless they are on a line."""
        series, doubles = self.series, self.series.doubles()
        begin = doubles[self.index]
        if not series.is_linear or len(series.at) < 2:
            return begin, begin
        following = np.minimum(self.index + 1, len(series.at) - 1)
        span = np.maximum(series.at[following] - series.at[self.index], 1)
        is_line = self.is_known & (series.until[self.index] == series.at[following])
        rise = np.where(is_line, doubles[following] - begin, 0.0)
        head, tail = (begin + rise * ((at - series.at[self.index]) / span) for at in (self.since, self.until))
        return head, np.where(is_line & (self.until == series.at[following]), doubles[following], tail)

    def sums(self, of: Numbers) -> Numbers:
        """The sum of something over each window's pieces; zero where it has none."""
        return sums_of(of, self.offsets)

    @cached_property
    def known_time(self) -> Ints:
        """How many microseconds of each window the value is known."""
        return self.sums(self.lasted)


def sums_of(of: Numbers, offsets: Ints) -> Numbers:
    """The sums of runs of an array; zero of empty ones. Each run is summed by itself, from its beginning on."""
    result = np.zeros(len(offsets) - 1, of.dtype)
    has_any = offsets[:-1] < offsets[1:]
    if has_any.any():
        result[has_any] = np.add.reduceat(of, offsets[:-1][has_any])
    return result


def pieces_of(series: Series, windows: Windows) -> Pieces:
    """The pieces of a series in each of some windows, which may overlap."""
    first = np.searchsorted(series.at, windows.start, "left")
    last = np.maximum(np.searchsorted(series.at, windows.end, "left"), first)
    held = np.zeros(len(windows), bool)
    has_before = first > 0
    held[has_before] = series.until[first[has_before] - 1] > windows.start[has_before]
    held &= windows.end > windows.start
    begin = first - held
    counts = last - begin
    window = np.repeat(np.arange(len(windows)), counts)
    index = np.repeat(begin, counts) + np.arange(len(window)) - np.repeat(np.cumsum(counts) - counts, counts)
    since = np.maximum(series.at[index], windows.start[window])
    until = np.maximum(np.minimum(series.until[index], windows.end[window]), since)
    return Pieces(series, windows, window, index, since, until, index >= first[window], first, last)
