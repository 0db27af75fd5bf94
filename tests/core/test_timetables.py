"""Timetables: their next times against a plain reference that looks at every minute, and their words both ways."""

from datetime import UTC, date, datetime, timedelta
from functools import cache
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from northmoor.core.delivery.orders.timetable import Timetable, next_times
from northmoor.core.delivery.orders.timetable_words import EXAMPLES, read_timetable, timetable_words
from northmoor.core.errors import ParameterError
from tests.helpers import examples

ZONES = ("Europe/Dublin", "America/St_Johns", "Australia/Lord_Howe", "Asia/Kolkata", "UTC")
"""Changes by an hour and by half an hour, in both halves of the year, a zone off the hour, and one without changes."""
BEGIN, END = datetime(2024, 1, 1, tzinfo=UTC), datetime(2026, 1, 1, tzinfo=UTC)
EPOCH, MINUTE = datetime(1970, 1, 1), timedelta(minutes=1)

wall_times = st.builds(lambda hour, minute: f"{hour:02}:{minute:02}", st.integers(0, 23), st.integers(0, 59))
near_changes = st.sampled_from(
    ["00:00", "00:05", "01:00", "01:30", "01:45", "02:00", "02:15", "02:30", "03:00", "23:59"]
)
times = st.lists(wall_times | near_changes, min_size=1, max_size=3, unique=True).map(tuple)


@st.composite
def timetables(draw: st.DrawFn) -> Timetable:
    days = draw(
        st.sampled_from(
            ["every_day", "working_days", "weekdays", "days_of_month", "working_day_of_month", "weekday_of_month"]
        )
    )
    found: dict[str, object] = {"days": days, "time_zone": draw(st.sampled_from(ZONES))}
    weekdays = st.lists(st.integers(0, 6), min_size=1, max_size=3, unique=True).map(tuple)
    if days == "weekdays":
        found["weekdays"] = draw(weekdays)
    elif days == "days_of_month":
        any_day = st.integers(1, 31) | st.integers(-31, -1)
        found["days_of_month"] = draw(st.lists(any_day, min_size=1, max_size=3, unique=True).map(tuple))
    elif days == "weekday_of_month":
        found |= {"weekdays": (draw(st.integers(0, 6)),), "nth": draw(st.sampled_from([1, 2, 3, 4, 5, -1]))}
    elif days == "working_day_of_month":
        found["nth"] = draw(st.sampled_from([*range(1, 24), -1]))
    if draw(st.booleans()):
        found["months"] = draw(st.lists(st.integers(1, 12), min_size=1, max_size=3, unique=True).map(tuple))
    if draw(st.booleans()):
        found["holidays"] = tuple(
            draw(st.lists(st.dates(date(2024, 1, 1), date(2025, 12, 31)), max_size=2, unique=True))
        )
    if draw(st.booleans()):
        found["every_minutes"] = draw(st.sampled_from([1, 7, 15, 30, 45, 59, 60, 90, 120, 600]))
        found |= {"since": draw(wall_times | near_changes), "until": draw(wall_times | near_changes)}
    else:
        found["times"] = draw(times)
    return Timetable(**found)


@cache
def shown_minutes(zone: str) -> tuple[np.ndarray, np.ndarray]:
    """What the clocks of a zone show in each minute of two years, in minutes since 1970, and whether it is shown for the
    second time."""
    info, walls, folds = ZoneInfo(zone), [], []
    for number in range(int((END - BEGIN) / MINUTE)):
        local = (BEGIN + number * MINUTE).astimezone(info)
        walls.append(int((local.replace(tzinfo=None, fold=0) - EPOCH) / MINUTE))
        folds.append(local.fold)
    return np.array(walls), np.array(folds, bool)


def reference(table: Timetable) -> list[datetime]:
    """All times of two years: of each minute it is asked whether the clocks show what the timetable says."""
    walls, again = shown_minutes(table.time_zone)
    first = walls.min() // 1440 - 2
    days = [EPOCH.date() + timedelta(int(first) + n) for n in range(int(walls.max() // 1440 - first) + 3)]
    is_day = np.array([_is_day(table, day) for day in days])

    def due(minutes: np.ndarray) -> np.ndarray:
        day, now = minutes // 1440 - first, minutes % 1440
        if table.every_minutes is None:
            return is_day[day] & np.isin(now, [minute_of(text) for text in table.times])
        since, until = minute_of(table.since), minute_of(table.until)
        is_over_night = until < since
        is_begun = (now >= since) & ((now <= until) | is_over_night)
        today = is_begun & ((now - since) % table.every_minutes == 0) & is_day[day]
        is_left = is_over_night & (now <= until)
        return today | (is_left & ((now + 1440 - since) % table.every_minutes == 0) & is_day[day - 1])

    if table.every_minutes is not None:
        wanted = due(walls) & (~again | (table.every_minutes < 60))
    else:
        wanted = due(walls) & ~again
        for at in np.flatnonzero(np.diff(walls) > 1):  # what the clocks leave out is due when they have gone on
            wanted[at + 1] |= due(np.arange(walls[at] + 1, walls[at + 1])).any()
    return [BEGIN + int(at) * MINUTE for at in np.flatnonzero(wanted)]


def minute_of(text: str) -> int:
    return int(text[:2]) * 60 + int(text[3:])


def _is_day(table: Timetable, day: date) -> bool:
    if table.months and day.month not in table.months:
        return False
    tomorrow = day + timedelta(1)
    to_end = 1
    while (day + timedelta(to_end)).month == day.month:
        to_end += 1

    def works(each: date) -> bool:
        return each.weekday() < 5 and each not in table.holidays

    if table.days == "weekdays":
        return day.weekday() in table.weekdays
    if table.days == "working_days":
        return works(day)
    if table.days == "days_of_month":
        return day.day in table.days_of_month or -to_end in table.days_of_month
    if table.days == "weekday_of_month":
        same = [day.day - 7 * n for n in range(5) if day.day - 7 * n > 0]
        is_last = (day + timedelta(7)).month != day.month
        return day.weekday() == table.weekdays[0] and (is_last if table.nth == -1 else len(same) == table.nth)
    if table.days == "working_day_of_month":
        earlier = sum(works(day.replace(day=n)) for n in range(1, day.day))
        later = sum(works(tomorrow + timedelta(n)) for n in range(to_end - 1))
        return works(day) and (not later if table.nth == -1 else earlier + 1 == table.nth)
    return True


@pytest.mark.slow
@pytest.mark.parametrize("zone", ZONES)
@pytest.mark.parametrize(
    "words",
    [
        "every day at 01:30 and 02:15", "every 15 minutes from 00:30 to 03:30", "every 2 hours from 22:00 to 06:00 on Saturdays",
        "the last working day of the month at 18:00", "the 1st, 29th and last day of February and March at 00:00",
        "the fifth Sunday of the month at 02:30", "every minute from 01:00 to 03:00 on Sundays in March and October",
    ],
)  # fmt: skip
def test_times_are_those_that_the_clocks_show(zone: str, words: str) -> None:
    table = read_timetable(words, zone)
    expected = reference(table)
    found = next_times(table, BEGIN - MINUTE, len(expected) + 1)
    assert found[:-1] == expected
    assert found[-1] >= END


@pytest.mark.slow
@settings(max_examples=examples(40), deadline=None, derandomize=True)
@given(timetables())
def test_any_timetable_is_as_the_reference_says(table: Timetable) -> None:
    expected = reference(table)
    found = next_times(table, BEGIN - MINUTE, len(expected) + 1)
    assert found[: len(expected)] == expected
    assert all(moment >= END for moment in found[len(expected) :])


@given(timetables())
def test_words_are_read_back_as_they_were_meant(table: Timetable) -> None:
    words = timetable_words(table)
    again = read_timetable(words)
    assert timetable_words(again) == words
    assume(not (table.every_minutes is None and table.since != "00:00"))
    after = datetime(2025, 3, 1, tzinfo=UTC)
    assert next_times(again, after, 5) == next_times(table, after, 5)


@pytest.mark.parametrize("words", EXAMPLES)
def test_what_is_offered_can_be_chosen(words: str) -> None:
    table = read_timetable(words, "Europe/Dublin")
    assert timetable_words(table) == f"{words} in Europe/Dublin"
    assert len(next_times(table, BEGIN, 3)) == 3


@pytest.mark.parametrize(
    ("words", "why"),
    [
        ("Mondays", "no time of the day"), ("every day at 25:00", "'25:00' is no time"), ("Moondays at 6", "'Moondays' is no day"),
        ("the 40th of the month at 6", "days of the month are 1 to 31"), ("every day at 6 in Europe/Tarrow", "no time zone"),
        ("every 5000 minutes", "it must be at most 720"), ("", "no time of the day"), ("the odd day of May at 6", "'odd day'"),
        ("the first Monday of Maybe at 6", "'Maybe' is no month"), ("x" * 5_000, "no time of the day"),
    ],
)  # fmt: skip
def test_an_unknown_wording_is_answered_with_known_ones(words: str, why: str) -> None:
    with pytest.raises(ParameterError) as caught:
        read_timetable(words)
    assert why in caught.value.message
    assert "each working day at 06:00" in caught.value.message


def test_a_day_that_never_comes_is_due_never() -> None:
    assert next_times(read_timetable("the 31st of February at 06:00"), BEGIN) == []
    assert next_times(read_timetable("the 29th of February at 06:00"), datetime(2097, 1, 1, tzinfo=UTC))[0].year == 2104
