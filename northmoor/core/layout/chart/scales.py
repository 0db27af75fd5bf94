"""Scales: from values to lengths along an axis, and the round values at which an axis has its ticks.

Steps of numbers are 1, 2, 2.5 or 5 times a power of ten; those of time are calendar steps, so that a tick is at the
first of a month, however long months are.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import cached_property

import numpy as np

from northmoor.core.base.arrays import Floats, Ints

_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_MOST_TICKS = 400


@dataclass(frozen=True, eq=False)
class AxisScale:
    """Values from `low` to `high` on a length in millipoints; where it is logarithmic, both are above zero."""

    low: float
    high: float
    length: int
    is_log: bool = False
    ticks: tuple[float, ...] = ()
    unit: str = ""
    """What a step of time is: year, month, day, hour, minute or second; empty for numbers."""

    def place(self, values: Floats) -> Ints:
        """How far along values are; those beyond the ends are at the ends."""
        with np.errstate(divide="ignore", invalid="ignore"):
            if self.is_log:
                shares = np.log(values / self.low) / math.log(self.high / self.low)
            else:
                shares = (values - self.low) / (self.high - self.low)
        clipped = np.fmin(np.fmax(shares, 0.0), 1.0)  # unlike minimum and maximum, these pass over nan
        found: Ints = np.rint(clipped * self.length).astype(np.int64)
        return found

    @cached_property
    def tick_places(self) -> Ints:
        """How far along each tick is."""
        return self.place(np.array(self.ticks))

    def at(self, value: float) -> int:
        """How far along one value is."""
        if math.isnan(value) or (self.is_log and value <= 0):
            return 0
        share = (value - self.low) / (self.high - self.low)
        if self.is_log:
            share = math.log(value / self.low) / math.log(self.high / self.low)
        return round(min(max(share, 0.0), 1.0) * self.length)

    def holds(self, value: float) -> bool:
        """Whether a value lies on it."""
        return self.low <= value <= self.high


def number_scale(
    low: float, high: float, length: int, fewest: int, fixed: tuple[bool, bool] = (False, False), is_whole: bool = False
) -> AxisScale:
    """A scale of numbers with round ticks at least `fewest` millipoints apart, but two even where there is less room;
    ends that are not fixed become round. Of whole numbers, such as counts and states, all ticks are whole.

    A range of nothing is widened, so that it can be drawn.
    """
    if not high > low:
        spread = abs(low) * 0.1 or 1.0
        low, high = (low if fixed[0] else low - spread), (max(high, low) + spread)
    step = round_step(high - low, max(length // max(fewest, 1), 2), is_whole)
    first, last = math.floor(low / step + 1e-9), math.ceil(high / step - 1e-9)
    begin, end = low if fixed[0] else first * step, high if fixed[1] else last * step
    ticks = (_rounded(number * step, step) for number in range(first, last + 1))
    slack = step * 1e-6
    return AxisScale(begin, end, length, ticks=tuple(t for t in ticks if begin - slack <= t <= end + slack))


def round_step(span: float, most: int, is_whole: bool = False) -> float:
    """The least round step, or the least whole one, of which at most so many go into a span."""
    power = 10.0 ** math.floor(math.log10(span / most))
    power = max(power, 1.0) if is_whole else power
    steps = (factor * power for factor in (1, 2, 2.5, 5, 10, 20))
    return next(
        step for step in steps if span / step <= most * (1 + 1e-9) and (not is_whole or step == math.floor(step))
    )


def _rounded(value: float, step: float) -> float:
    """A multiple of a step without the dust of floating point."""
    return round(value, max(0, 2 - math.floor(math.log10(step)))) + 0.0


def decimals_of(ticks: tuple[float, ...]) -> int:
    """How many decimal places tell ticks apart."""
    for places in range(13):
        if all(abs(round(tick, places) - tick) <= 1e-9 * max(abs(tick), 1e-300) for tick in ticks):
            return places
    return 12


def log_scale(
    low: float, high: float, length: int, fewest: int, fixed: tuple[bool, bool] = (False, False)
) -> AxisScale:
    """A logarithmic scale with ticks at powers of ten, or where there are few, at 2 and 5 times those as well."""
    begin = low if fixed[0] else 10.0 ** math.floor(math.log10(low) + 1e-9)
    end = high if fixed[1] else 10.0 ** math.ceil(math.log10(high) - 1e-9)
    if not end > begin:
        end = begin * 10
    first, last = math.floor(math.log10(begin)), math.ceil(math.log10(end))
    room = max(length // max(fewest, 1), 1)
    factors = (1, 2, 5) if (last - first) * 3 <= room else (1,)
    every = math.ceil((last - first + 1) / room) if factors == (1,) else 1
    ticks = (factor * 10.0**power for power in range(first, last + 1, every) for factor in factors)
    inside = tuple(t for t in ticks if begin * (1 - 1e-9) <= t <= end * (1 + 1e-9))
    return AxisScale(begin, end, length, True, inside)


_STEPS: tuple[tuple[str, int, float], ...] = (
    *(("second", count, count / 86_400) for count in (1, 5, 15, 30)),
    *(("minute", count, count / 1440) for count in (1, 5, 10, 15, 30)),
    *(("hour", count, count / 24) for count in (1, 2, 3, 6, 12)),
    *(("day", count, float(count)) for count in (1, 2)),
    ("week", 1, 7.0), ("week", 2, 14.0),
    *(("month", count, count * 30.44) for count in (1, 2, 3, 6)),
    *(("year", count, count * 365.25) for count in (1, 2, 5, 10, 20, 50, 100, 200, 500, 1000)),
)  # fmt: skip
"""Steps of time and about how many days each is long."""


def time_scale(low: float, high: float, length: int, fewest: int) -> AxisScale:
    """A scale of days since 1970 with ticks at calendar steps."""
    if not high > low:
        low, high = low - 0.5, high + 0.5
    room = max(length // max(fewest, 1), 1)
    unit, count, _ = next((step for step in _STEPS if (high - low) / step[2] <= room), _STEPS[-1])
    found: list[float] = []
    moment = _floor(_EPOCH + timedelta(days=low), unit, count)
    following = _NEXT[unit]
    while (days := (moment - _EPOCH) / timedelta(days=1)) <= high and len(found) < _MOST_TICKS:
        if days >= low:
            found.append(days)
        try:
            moment = following(moment, count)
        except (OverflowError, ValueError):
            break  # past the last year there is
    return AxisScale(low, high, length, ticks=tuple(found), unit="day" if unit == "week" else unit)


def _floor(moment: datetime, unit: str, count: int) -> datetime:
    """The last step at or before a moment."""
    day = moment.replace(hour=0, minute=0, second=0, microsecond=0)
    if unit == "year":
        return day.replace(year=max(moment.year // count * count, 1), month=1, day=1)
    if unit == "month":
        return day.replace(month=(moment.month - 1) // count * count + 1, day=1)
    if unit == "week":
        return day - timedelta(days=day.weekday())
    if unit == "day":
        return day - timedelta(days=(day.day - 1) % count)
    seconds = {"hour": 3600, "minute": 60, "second": 1}[unit] * count
    return day + timedelta(seconds=(moment - day).total_seconds() // seconds * seconds)


def _add_months(moment: datetime, months: int) -> datetime:
    number = moment.year * 12 + moment.month - 1 + months
    return moment.replace(year=number // 12, month=number % 12 + 1)


def _next_day(moment: datetime, count: int) -> datetime:
    """Every so many days from the first of each month, which is always one."""
    following = moment + timedelta(days=count)
    return following if following.month == moment.month else following.replace(day=1)


_NEXT: dict[str, Callable[[datetime, int], datetime]] = {
    "second": lambda moment, count: moment + timedelta(seconds=count),
    "minute": lambda moment, count: moment + timedelta(minutes=count),
    "hour": lambda moment, count: moment + timedelta(hours=count),
    "day": _next_day,
    "week": lambda moment, count: moment + timedelta(weeks=count),
    "month": _add_months,
    "year": lambda moment, count: _add_months(moment, count * 12),
}
