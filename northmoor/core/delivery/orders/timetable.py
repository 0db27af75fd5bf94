"""Timetables: on which days and at which times something is due, in a named time zone.

Times are wall times. One that the clocks leave out in spring is due when they have gone on; one that they show twice
in autumn is due the first time. What is due every so many minutes is due on the wall's grid, and, where that is finer
than an hour, in both of the hours that are shown twice.
"""

from calendar import monthrange
from collections.abc import Iterator
from datetime import UTC, date, datetime, time, timedelta
from typing import Annotated, Literal
from zoneinfo import ZoneInfo

from pydantic import AfterValidator, Field, model_validator

from northmoor.core.base.time_zones import known_time_zones
from northmoor.core.model.base import Part

_DAY = timedelta(days=1)
_MINUTE = timedelta(minutes=1)
_MOST_DAYS = 366 * 9
"""Days in which a day of the calendar must come: 29 February does within eight years and a leap year that is none."""
DayKind = Literal["every_day", "working_days", "weekdays", "days_of_month", "working_day_of_month", "weekday_of_month"]


def _check_zone(name: str) -> str:
    if name not in known_time_zones():
        raise ValueError(f"there is no time zone {name!r}; write for example Europe/Dublin")
    return name


WallTime = Annotated[str, Field(pattern=r"^([01][0-9]|2[0-3]):[0-5][0-9]$")]
Weekday = Annotated[int, Field(ge=0, le=6)]
"""A day of the week, 0 for Monday."""


class Timetable(Part):
    """When something is due."""

    kind: Literal["timetable"] = "timetable"
    days: DayKind = "every_day"
    """Which days: every day; working days (Monday to Friday, but for holidays); some days of the week; some days of
    the month; or the first, second … or last working day or weekday of the month."""
    weekdays: Annotated[tuple[Weekday, ...], Field(max_length=7)] = ()
    """The days of the week."""
    days_of_month: Annotated[tuple[int, ...], Field(max_length=31)] = ()
    """The days of the month from 1; -1 is the last."""
    nth: int = 1
    """Which of the month's working days or weekdays: 1 is the first, -1 the last."""
    months: Annotated[tuple[Annotated[int, Field(ge=1, le=12)], ...], Field(max_length=12)] = ()
    """The months; without any, all."""
    times: Annotated[tuple[WallTime, ...], Field(max_length=96)] = ("06:00",)
    """Times of the day, where it is not every so many minutes."""
    every_minutes: Annotated[int, Field(ge=1, le=720)] | None = None
    """Every so many minutes, in place of single times."""
    since: WallTime = "00:00"
    """When that begins."""
    until: WallTime = "23:59"
    """When that ends; a time before the beginning is on the next day."""
    time_zone: Annotated[str, AfterValidator(_check_zone)] = "UTC"
    """The zone of the times."""
    holidays: Annotated[tuple[date, ...], Field(max_length=1_000)] = ()
    """Days that are no working days."""

    @model_validator(mode="after")
    def _says_which_days(self) -> "Timetable":
        if self.days == "weekdays" and not self.weekdays:
            raise ValueError("say on which days of the week")
        if self.days == "days_of_month":
            if not self.days_of_month:
                raise ValueError("say on which days of the month")
            if any(day == 0 or not -31 <= day <= 31 for day in self.days_of_month):
                raise ValueError("days of the month are 1 to 31, or -1 for the last")
        if self.days == "weekday_of_month" and (len(self.weekdays) != 1 or self.nth not in (1, 2, 3, 4, 5, -1)):
            raise ValueError("say which weekday of the month: one day, the first to fifth or the last")
        if self.days == "working_day_of_month" and not (1 <= self.nth <= 23 or self.nth == -1):
            raise ValueError("say which working day of the month: the first to 23rd, or the last")
        if self.every_minutes is None and not self.times:
            raise ValueError("say at what times")
        return self

    @property
    def zone(self) -> ZoneInfo:
        """Its time zone."""
        return ZoneInfo(self.time_zone)


def is_due_on(table: Timetable, day: date) -> bool:
    """Whether a timetable is for a day."""
    if table.months and day.month not in table.months:
        return False
    if table.days == "every_day":
        return True
    if table.days == "weekdays":
        return day.weekday() in table.weekdays
    last = monthrange(day.year, day.month)[1]
    if table.days == "days_of_month":
        return day.day in table.days_of_month or day.day - last - 1 in table.days_of_month
    if table.days == "working_days":
        return _is_working(table, day)
    if table.days == "weekday_of_month":
        if day.weekday() != table.weekdays[0]:
            return False
        return day.day + 7 > last if table.nth == -1 else (day.day - 1) // 7 + 1 == table.nth
    return day == _nth_working_day(table, day.year, day.month)


def _is_working(table: Timetable, day: date) -> bool:
    return day.weekday() < 5 and day not in table.holidays


def _nth_working_day(table: Timetable, year: int, month: int) -> date | None:
    days = [date(year, month, day) for day in range(1, monthrange(year, month)[1] + 1)]
    working = [day for day in days if _is_working(table, day)]
    at = table.nth - 1 if table.nth > 0 else table.nth
    return working[at] if -len(working) <= at < len(working) else None


def next_times(table: Timetable, after: datetime, count: int = 1) -> list[datetime]:
    """The next times after a moment, in UTC; fewer where there are none within nine years."""
    found: list[datetime] = []
    for moment in times_after(table, after):
        found.append(moment)
        if len(found) == count:
            break
    return found


def times_after(table: Timetable, after: datetime) -> Iterator[datetime]:
    """All times after a moment, in UTC and in order; none where none comes within nine years."""
    zone = table.zone
    first = after.astimezone(zone).date() - 2 * _DAY  # a window may reach into the next day
    waiting: set[datetime] = set()
    for number in range(_MOST_DAYS):
        if first > date.max - (number + 3) * _DAY:
            return
        day = first + number * _DAY
        if is_due_on(table, day):
            waiting |= set(_times_of(table, day, zone))
        # what begins later than a day from here on is no earlier than the day after
        safe = datetime.combine(day + _DAY, time(), zone).astimezone(UTC)
        due = sorted(moment for moment in waiting if moment < safe)
        waiting -= set(due)
        yield from (moment for moment in due if moment > after)


def _times_of(table: Timetable, day: date, zone: ZoneInfo) -> Iterator[datetime]:
    if table.every_minutes is None:
        for text in table.times:
            yield _instant(datetime.combine(day, time.fromisoformat(text)), zone)
        return
    begin = datetime.combine(day, time.fromisoformat(table.since))
    end = datetime.combine(day, time.fromisoformat(table.until))
    end += _DAY if end < begin else timedelta()
    step = timedelta(minutes=table.every_minutes)
    wall = begin
    while wall <= end:
        for fold in (0, 1) if table.every_minutes < 60 else (0,):
            moment = wall.replace(tzinfo=zone, fold=fold).astimezone(UTC)
            if moment.astimezone(zone).replace(tzinfo=None) == wall:  # the clocks show it
                yield moment
        wall += step


def _instant(wall: datetime, zone: ZoneInfo) -> datetime:
    """When the clocks first show a wall time, or, where they leave it out, when they have gone on."""
    moment = wall.replace(tzinfo=zone).astimezone(UTC)
    if moment.astimezone(zone).replace(tzinfo=None) == wall:
        return moment
    low = moment - timedelta(hours=25)  # before the clocks go on
    high = moment + timedelta(hours=25)
    while high - low > _MINUTE:  # the first minute that is shown later than the wall time
        middle = low + (high - low) / 2
        middle = middle.replace(second=0, microsecond=0)
        if middle <= low:
            break
        if middle.astimezone(zone).replace(tzinfo=None) >= wall:
            high = middle
        else:
            low = middle
    return high
