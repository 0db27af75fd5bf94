"""Signals the slow and plain way: microsecond by microsecond, in fractions. What the product computes is compared to it."""

from collections.abc import Sequence
from fractions import Fraction
from itertools import groupby, pairwise

from msgspec import Struct


class Reading(Struct, frozen=True):
    """A reading of a log: its time in microseconds, its value (None for none), and whether it is good."""

    at: int
    value: Fraction | str | None
    good: bool = True

    @property
    def is_known(self) -> bool:
        return self.good and self.value is not None


class Moment(Struct, frozen=True):
    """What is known from a microsecond to the next: the value at its beginning and at its end."""

    begin: Fraction
    end: Fraction


class SlowSeries:
    """One signal, as its readings were written. Nothing is known from `bound` on."""

    def __init__(
        self, readings: Sequence[Reading], bound: int, hold: int | None = None, is_linear: bool = False
    ) -> None:
        self._last_written = {reading.at: reading for reading in readings}
        self._times = sorted(self._last_written)
        self._bound, self._hold, self._is_linear = bound, hold, is_linear

    def readings(self, start: int, end: int) -> list[Reading]:
        """The known readings within, one at a time."""
        return [self._last_written[at] for at in self._times if start <= at < end and self._last_written[at].is_known]

    def reading_at(self, at: int) -> Reading | None:
        """The reading whose value holds from a microsecond to the next, if it is known."""
        before = [time for time in self._times if time <= at]
        if not before or at >= self._bound:
            return None
        reading = self._last_written[before[-1]]
        held_too_long = self._hold is not None and at >= reading.at + self._hold
        return reading if reading.is_known and not held_too_long else None

    def moment(self, at: int) -> Moment | None:
        """What is known from a microsecond to the next."""
        before, after = [t for t in self._times if t <= at], [t for t in self._times if t > at]
        if not self._is_linear or not before or not after:
            reading = self.reading_at(at)
            return None if reading is None else Moment(reading.value, reading.value)
        one, other = self._last_written[before[-1]], self._last_written[after[0]]
        length = other.at - one.at
        if not one.is_known or not other.is_known or (self._hold is not None and length > self._hold):
            return None
        rise = (other.value - one.value) / length
        return Moment(one.value + rise * (at - one.at), one.value + rise * (at + 1 - one.at))

    def known(self, start: int, end: int) -> list[Moment]:
        """All that is known within."""
        return [moment for at in range(start, end) if (moment := self.moment(at)) is not None]

    def mean(self, start: int, end: int) -> Fraction | None:
        known = self.known(start, end)
        return sum((m.begin + m.end) / 2 for m in known) / len(known) if known else None

    def variance(self, start: int, end: int) -> Fraction | None:
        known, mean = self.known(start, end), self.mean(start, end)
        if mean is None:
            return None
        squares = [((m.begin - mean) ** 2 + (m.begin - mean) * (m.end - mean) + (m.end - mean) ** 2) / 3 for m in known]
        return sum(squares) / len(known)

    def time_above(self, limit: Fraction, start: int, end: int) -> Fraction:
        return sum((_share_above(moment, limit) for moment in self.known(start, end)), Fraction(0))

    def is_on(self, at: int) -> bool | None:
        """Whether it is on from a microsecond to the next; None where that is not known."""
        reading = self.reading_at(at)
        return None if reading is None else reading.value != 0

    def starts(self, start: int, end: int, wanted: bool = True) -> list[int]:
        """When it changed to on, of which it was known before that it was off (or the other way round)."""
        return [at for at in range(start, end) if self.is_on(at) is wanted and self.is_on(at - 1) is (not wanted)]

    def longest_on(self, start: int, end: int) -> int:
        runs = groupby(range(start, end), key=lambda at: self.is_on(at) is True)
        return max((len(list(run)) for is_on, run in runs if is_on), default=0)

    def grown(self, start: int, end: int) -> Fraction | None:
        """How far a counter grew, which begins again from zero where it is less than before."""
        held = self.reading_at(start)
        values = [held.value] if held is not None and held.at < start else []
        values += [reading.value for reading in self.readings(start, end)]
        if not values:
            return None
        pairs = pairwise(values)
        return sum((after - before if after >= before else after for before, after in pairs), Fraction(0))


def _share_above(moment: Moment, limit: Fraction) -> Fraction:
    low, high = sorted((moment.begin, moment.end))
    if low == high:
        return Fraction(low > limit)
    return min(max((high - limit) / (high - low), Fraction(0)), Fraction(1))


def slow_runs(states: Sequence[str | None]) -> list[tuple[str, int, int]]:
    """Runs of equal states, microsecond by microsecond, but for None: state, beginning, end."""
    found, at = [], 0
    for state, run in groupby(states):
        length = len(list(run))
        if state is not None:
            found.append((state, at, at + length))
        at += length
    return found
