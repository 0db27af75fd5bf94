"""The stretches of time over which signals are measured: the period, spans, steps in them, periods of the calendar."""

from collections.abc import Callable, Mapping, Sequence
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import pyarrow as pa
from msgspec import Struct

from northmoor.core.base.arrays import Ints
from northmoor.core.errors import QueryError
from northmoor.core.model.data.signal_queries import Calendar

MOST_WINDOWS = 1_000_000
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_MICROSECOND = timedelta(microseconds=1)


def instant(moment: datetime, zone: ZoneInfo, is_end: bool = False) -> int:
    """Microseconds since 1970 in UTC of a moment: wall time of the zone, unless it says its own. Of two that the clocks
    show the same, the earlier one, or the later as an end."""
    known = moment if moment.tzinfo is not None else moment.replace(tzinfo=zone, fold=int(is_end))
    return (known.astimezone(UTC) - _EPOCH) // _MICROSECOND


def wall_moment(instant_: int, zone: ZoneInfo) -> datetime:
    """Wall time in the zone of microseconds since 1970 in UTC."""
    return (_EPOCH + timedelta(microseconds=instant_)).astimezone(zone).replace(tzinfo=None)


class Windows(Struct, frozen=True, eq=False):
    """Stretches of time of one object, ascending by start: from `start` up to `end`.

    `given` are columns that come with each, such as the id of a span.
    """

    start: Ints
    end: Ints
    given: pa.Table

    def __len__(self) -> int:
        return len(self.start)

    def one(self, place: int) -> "Windows":
        """The window at a place alone."""
        return Windows(self.start[place : place + 1], self.end[place : place + 1], self.given.slice(place, 1))


def one_period(start: int, end: int) -> Windows:
    """The whole period as one window."""
    return Windows(np.array([start], np.int64), np.array([max(start, end)], np.int64), no_columns(1))


def no_columns(count: int) -> pa.Table:
    """A table without columns, and so many rows: those are in a column that no result has."""
    return pa.table({"": pa.nulls(count)})


def in_steps(windows: Windows, step: int) -> Windows:
    """Each window in steps of equal length from its start on; the last may be shorter."""
    counts = -(-(windows.end - windows.start) // step)
    return _parted(windows, counts, lambda place, number: windows.start[place] + number * step)


def step_times(windows: Windows, step: int) -> tuple[Ints, Ints]:
    """The times of the steps in each window, its end included where a step meets it; and the windows' places."""
    counts = (windows.end - windows.start) // step + 1
    _check_count(int(counts.sum()))
    places = np.repeat(np.arange(len(windows)), counts)
    numbers = np.arange(len(places)) - np.repeat(np.cumsum(counts) - counts, counts)
    return windows.start[places] + numbers * step, places


def in_calendar(windows: Windows, unit: Calendar, zone: ZoneInfo, first_weekday: int, shifts: Sequence[str]) -> Windows:
    """Each window in the periods of a calendar that it reaches into, cut at its ends."""
    edges = calendar_edges(windows, unit, zone, first_weekday, shifts)
    first = np.searchsorted(edges, windows.start, "right") - 1
    counts = np.searchsorted(edges, windows.end, "left") - first
    return _parted(
        windows, counts, lambda place, number: np.maximum(windows.start[place], edges[first[place] + number])
    )


def _parted(windows: Windows, counts: Ints, start: Callable[[Ints, Ints], Ints]) -> Windows:
    counts = np.maximum(counts, 1)
    _check_count(int(counts.sum()))
    places = np.repeat(np.arange(len(windows)), counts)
    numbers = np.arange(len(places)) - np.repeat(np.cumsum(counts) - counts, counts)
    starts = start(places, numbers)
    is_last = np.append(places[1:] != places[:-1], True)[: len(places)]
    ends = np.where(is_last, windows.end[places], np.append(starts[1:], 0)[: len(places)])
    return Windows(starts, ends, windows.given.take(pa.array(places)))


def _check_count(count: int) -> None:
    if count > MOST_WINDOWS:
        raise QueryError(f"It would have {count:,} steps, and {MOST_WINDOWS:,} is the most; make the steps longer.")


def calendar_edges(windows: Windows, unit: Calendar, zone: ZoneInfo, first_weekday: int, shifts: Sequence[str]) -> Ints:
    """The beginnings of all periods of a calendar from before the first window until after the last."""
    if not len(windows):
        return np.zeros(0, np.int64)
    first, last = int(windows.start.min()), int(windows.end.max())
    if unit == "hour":
        start = _hour(first, zone)
        _check_count((last - start) // 3_600_000_000)
        return np.arange(start, last + 3_600_000_000, 3_600_000_000, dtype=np.int64)
    if unit == "shift" and not shifts:
        raise QueryError("The log does not say when shifts begin; set it in the log's properties.")
    edges: list[int] = []
    day = wall_moment(first, zone).date() - timedelta(days=1)
    day = _PERIOD_STARTS[unit](day, first_weekday) if unit in _PERIOD_STARTS else day
    while not edges or edges[-1] <= last:
        for at in (time.fromisoformat(s) for s in (shifts if unit == "shift" else ("00:00",))):
            edges.append(instant(datetime.combine(day, at), zone))
        day = _next(day, unit)
        _check_count(len(edges))
    return np.array(edges, np.int64)


def _hour(at: int, zone: ZoneInfo) -> int:
    """The beginning of the hour of real time in which a moment is, as the zone's clocks show it."""
    wall = wall_moment(at, zone)
    return at - ((wall.minute * 60 + wall.second) * 1_000_000 + wall.microsecond)


def _week(day: date, first_weekday: int) -> date:
    return day - timedelta(days=(day.weekday() - first_weekday) % 7)


_PERIOD_STARTS: Mapping[str, Callable[[date, int], date]] = {
    "week": _week,
    "month": lambda day, _: day.replace(day=1),
    "quarter": lambda day, _: day.replace(month=(day.month - 1) // 3 * 3 + 1, day=1),
    "year": lambda day, _: day.replace(month=1, day=1),
}
_MONTHS = {"month": 1, "quarter": 3, "year": 12}


def _next(day: date, unit: Calendar) -> date:
    if unit in _MONTHS:
        months = day.year * 12 + day.month - 1 + _MONTHS[unit]
        return day.replace(year=months // 12, month=months % 12 + 1)
    return day + timedelta(days=7 if unit == "week" else 1)
