"""Relative periods and days, such as ``last full quarter`` or ``start of this month``, resolved against a moment.

Moments are wall time of a zone. A period is half open, from its first moment up to the moment after its end. Days and
longer units are those of the calendar; hours are hours of real time, so that one across a change of the clocks has the
length it says. Wall time that the clocks show twice cannot be distinguished in the data, so a period that begins or
ends in it takes in both.
"""

import re
from calendar import monthrange
from collections.abc import Callable
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from msgspec import Struct

PERIOD_UNITS = ("hour", "day", "week", "month", "quarter", "year")
_UNITS = "|".join(PERIOD_UNITS)
_CALENDAR = re.compile(rf"(this|last full|next full) ({_UNITS})")
_TO_DATE = re.compile(rf"({_UNITS}) to date")
_TRAILING = re.compile(rf"last (\d{{1,4}}) ({_UNITS})s?|last hour")
_DAYS = {"today": 0, "yesterday": -1, "tomorrow": 1}
_EDGE = re.compile(r"(start|end) of (.+)")
_MONTHS = {"month": 1, "quarter": 3, "year": 12}

COMMON: tuple[str, ...] = (
    "today", "yesterday", "this week", "last full week", "last 7 days", "this month", "last full month",
    "month to date", "last 30 days", "this quarter", "last full quarter", "quarter to date", "this year",
    "last full year", "year to date", "last 12 months",
)  # fmt: skip
"""Periods worth offering for days."""
COMMON_MOMENTS: tuple[str, ...] = ("last hour", "last 24 hours", *COMMON)
"""Periods worth offering for moments."""
COMMON_DAYS: tuple[str, ...] = (
    "today", "yesterday", "start of this week", "start of this month", "end of last full month",
    "start of this quarter", "start of this year", "end of last full year",
)  # fmt: skip
"""Single days worth offering."""


class Clock(Struct, frozen=True):
    """The moment that periods are relative to: wall time of a zone (its fold tells which of two), and the day a week
    begins with, 0 for Monday."""

    moment: datetime
    zone: ZoneInfo
    first_weekday: int = 0


class Span(Struct, frozen=True):
    """A period from its first moment up to the moment after its end."""

    start: datetime
    end: datetime

    @property
    def days(self) -> tuple[date, date]:
        """Its first and its last day."""
        return self.start.date(), (self.end - timedelta(microseconds=1)).date()


def is_relative(words: str) -> bool:
    """Whether a text is meant as a relative period or day rather than as one written in digits."""
    return bool(re.match(r"\s*[a-z]", words, re.IGNORECASE))


def period(words: str, clock: Clock, whole_days: bool = False) -> Span:
    """The period of some words. With `whole_days`, what ends now ends with today.

    Raises ValueError with a sentence for other words, or for a period outside the calendar.
    """
    text = " ".join(words.lower().split())
    for grammar, read in _GRAMMAR:
        match = grammar.fullmatch(text)
        if match is not None:
            try:
                tomorrow = _moved(_start("day", clock), "day", 1)
                return read(match, clock, tomorrow if whole_days else clock.moment)
            except (OverflowError, ValueError) as error:
                raise ValueError(f"{words!r} lies outside the calendar.") from error
    unclear = re.fullmatch(r"last (day|week|month|quarter|year)", text)
    if unclear:
        unit = unclear[1]
        raise ValueError(f"{words!r} can mean two things; write last full {unit}, or last 1 {unit} up to now.")
    raise ValueError(f"{words!r} is no period; write for example this month, last full quarter or last 30 days.")


def day(words: str, clock: Clock) -> date:
    """The day of some words: today, or the start or end of a period. Raises ValueError with a sentence."""
    edge = _EDGE.fullmatch(" ".join(words.lower().split()))
    try:
        if edge is None:
            return _only_day(period(words, clock, whole_days=True))
        first, last = period(edge[2], clock, whole_days=True).days
    except ValueError as error:
        raise ValueError(
            f"{words!r} is no day; write for example today, start of this month or end of last full month."
        ) from error
    return first if edge[1] == "start" else last


def _only_day(span: Span) -> date:
    first, last = span.days
    if first != last:
        raise ValueError(first)
    return first


def moment(words: str, clock: Clock) -> datetime:
    """The moment of some words: now, or the start or end of a period. Raises ValueError with a sentence."""
    text = " ".join(words.lower().split())
    edge = _EDGE.fullmatch(text)
    try:
        if edge is not None:
            span = period(edge[2], clock)
            return span.start if edge[1] == "start" else span.end
        return clock.moment if text == "now" else period(text if text in _DAYS else "", clock).start
    except ValueError as error:
        raise ValueError(f"{words!r} is no moment; write for example now, or start of today.") from error


def _calendar(match: re.Match[str], clock: Clock, _: datetime) -> Span:
    which, unit = match[1], match[2]
    shift = {"this": 0, "last full": -1, "next full": 1}[which]
    if unit == "hour":
        return _hours(clock, clock.moment.replace(minute=0, second=0, microsecond=0), shift, shift + 1)
    start = _start(unit, clock)
    return Span(_moved(start, unit, shift), _moved(start, unit, shift + 1))


def _day_of(match: re.Match[str], clock: Clock, _: datetime) -> Span:
    start = _moved(_start("day", clock), "day", _DAYS[match[0]])
    return Span(start, _moved(start, "day", 1))


def _to_date(match: re.Match[str], clock: Clock, until: datetime) -> Span:
    if match[1] == "hour":
        whole = clock.moment.replace(minute=0, second=0, microsecond=0)
        return Span(whole, clock.moment)
    return Span(_start(match[1], clock), until)


def _trailing(match: re.Match[str], clock: Clock, until: datetime) -> Span:
    count, unit = int(match[1] or 1), match[2] or "hour"
    if unit == "hour":
        return _hours(clock, clock.moment, -count, 0)
    return Span(_moved(until, unit, -count), until)


_GRAMMAR: tuple[tuple[re.Pattern[str], Callable[[re.Match[str], Clock, datetime], Span]], ...] = (
    (re.compile("|".join(_DAYS)), _day_of),
    (_CALENDAR, _calendar),
    (_TO_DATE, _to_date),
    (_TRAILING, _trailing),
)


def _start(unit: str, clock: Clock) -> datetime:
    today = clock.moment.date()
    if unit == "week":
        today -= timedelta(days=(today.weekday() - clock.first_weekday) % 7)
    elif unit == "month":
        today = today.replace(day=1)
    elif unit == "quarter":
        today = today.replace(month=(today.month - 1) // 3 * 3 + 1, day=1)
    elif unit == "year":
        today = today.replace(month=1, day=1)
    return datetime.combine(today, time.min)


def _moved(start: datetime, unit: str, count: int) -> datetime:
    """A wall moment, some calendar units later; a day that its month does not have becomes the month's last one."""
    if unit in ("day", "week"):
        return start + timedelta(days=count * (7 if unit == "week" else 1))
    months = start.year * 12 + start.month - 1 + count * _MONTHS[unit]
    year, month = divmod(months, 12)
    return start.replace(year=year, month=month + 1, day=min(start.day, monthrange(year, month + 1)[1]))


def _hours(clock: Clock, origin: datetime, first: int, last: int) -> Span:
    """Hours of real time counted from an origin, as the wall times that they take in."""
    at = origin.replace(tzinfo=clock.zone).astimezone(UTC)
    begin, end = (at + timedelta(hours=n) for n in (first, last))
    return _on_the_wall(begin, end, clock.zone)


def _on_the_wall(begin: datetime, end: datetime, zone: ZoneInfo) -> Span:
    start, stop = (m.astimezone(zone) for m in (begin, end))
    before, after = start.utcoffset(), stop.utcoffset()
    first, last = start.replace(tzinfo=None, fold=0), stop.replace(tzinfo=None, fold=0)
    assert before is not None
    assert after is not None
    if after < before:  # the clocks went back in between, and show some wall time twice
        change = _change(begin, end, zone).replace(tzinfo=None)
        first, last = min(first, change + after), max(last, change + before)
    return Span(first, last)


def _change(begin: datetime, end: datetime, zone: ZoneInfo) -> datetime:
    """The moment between two at which the zone's offset changes, to the second (by halving)."""
    old = begin.astimezone(zone).utcoffset()
    while end - begin > timedelta(seconds=1):
        middle = begin + (end - begin) / 2
        begin, end = (middle, end) if middle.astimezone(zone).utcoffset() == old else (begin, middle)
    return end.replace(microsecond=0)
