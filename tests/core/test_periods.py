"""Relative periods and days: month ends, leap days, weeks of each country, and the nights the clocks change."""

from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.values.relative_periods import COMMON, COMMON_DAYS, COMMON_MOMENTS, Clock, Span, day, moment, period

DUBLIN = ZoneInfo("Europe/Dublin")
NOON = datetime(2025, 3, 31, 12, 0)


def clock(at: datetime, first_weekday: int = 0) -> Clock:
    return Clock(at, DUBLIN, first_weekday)


def days(words: str, at: datetime) -> tuple[str, str]:
    first, last = period(words, clock(at), whole_days=True).days
    return str(first), str(last)


@pytest.mark.parametrize(
    ("words", "first", "last"),
    [
        ("today", "2025-03-31", "2025-03-31"), ("Yesterday", "2025-03-30", "2025-03-30"),
        ("this week", "2025-03-31", "2025-04-06"), ("last full week", "2025-03-24", "2025-03-30"),
        ("this month", "2025-03-01", "2025-03-31"), ("last full month", "2025-02-01", "2025-02-28"),
        ("next full month", "2025-04-01", "2025-04-30"), ("month to date", "2025-03-01", "2025-03-31"),
        ("last 1 month", "2025-03-01", "2025-03-31"), ("last 7 days", "2025-03-25", "2025-03-31"),
        ("last full quarter", "2024-10-01", "2024-12-31"), ("this quarter", "2025-01-01", "2025-03-31"),
        ("year  to date", "2025-01-01", "2025-03-31"), ("last full year", "2024-01-01", "2024-12-31"),
        ("last 12 months", "2024-04-01", "2025-03-31"),
    ],
)  # fmt: skip
def test_periods_of_days_end_with_today_and_never_past_a_month(words: str, first: str, last: str) -> None:
    assert days(words, NOON) == (first, last)


def test_leap_days_are_days() -> None:
    assert days("last full month", datetime(2024, 3, 1, 0, 0)) == ("2024-02-01", "2024-02-29")
    assert days("last 12 months", datetime(2024, 2, 29, 9, 0)) == ("2023-03-01", "2024-02-29")
    assert days("last 1 year", datetime(2025, 2, 28, 9, 0)) == ("2024-03-01", "2025-02-28")
    assert period("last 1 year", clock(datetime(2024, 2, 29, 9, 0))).start == datetime(2023, 2, 28, 9, 0)
    assert period("last 1 month", clock(datetime(2025, 3, 31, 9, 0))).start == datetime(2025, 2, 28, 9, 0)


def test_a_week_begins_where_its_country_says() -> None:
    sunday = clock(datetime(2025, 3, 30, 9, 0), first_weekday=6)
    assert period("this week", sunday).days == (date(2025, 3, 30), date(2025, 4, 5))
    assert period("this week", clock(datetime(2025, 3, 30, 9, 0))).days == (date(2025, 3, 24), date(2025, 3, 30))


def test_hours_are_hours_of_real_time_when_the_clocks_go_forward() -> None:
    after = clock(datetime(2025, 3, 30, 2, 30))  # 01:00 became 02:00
    assert period("last hour", after) == Span(datetime(2025, 3, 30, 0, 30), datetime(2025, 3, 30, 2, 30))
    assert period("last 24 hours", after).start == datetime(2025, 3, 29, 1, 30)
    assert period("today", after) == Span(datetime(2025, 3, 30), datetime(2025, 3, 31))


def test_what_the_clocks_show_twice_is_taken_in_whole() -> None:
    first, second = (datetime(2025, 10, 26, 1, 30, fold=fold) for fold in (0, 1))  # 02:00 became 01:00
    assert period("last hour", clock(first)) == Span(datetime(2025, 10, 26, 0, 30), datetime(2025, 10, 26, 1, 30))
    assert period("last hour", clock(second)) == Span(datetime(2025, 10, 26, 1, 0), datetime(2025, 10, 26, 2, 0))
    assert period("last 24 hours", clock(second)).start == datetime(2025, 10, 25, 2, 30)


@given(st.datetimes(datetime(2024, 1, 1), datetime(2026, 1, 1)), st.integers(1, 50))
def test_no_wall_time_of_the_last_hours_is_missed(at: datetime, hours: int) -> None:
    at = at.replace(microsecond=0)
    span = period(f"last {hours} hours", clock(at))
    now = at.replace(tzinfo=DUBLIN).astimezone(ZoneInfo("UTC"))
    for minutes in range(1, hours * 60 + 1, 7):
        wall = (now - timedelta(minutes=minutes)).astimezone(DUBLIN).replace(tzinfo=None)
        assert span.start <= wall < span.end


@given(st.datetimes(datetime(1990, 1, 1), datetime(2090, 1, 1)), st.integers(0, 6))
def test_every_period_offered_can_be_read_and_holds_what_it_says(at: datetime, first_weekday: int) -> None:
    now = clock(at, first_weekday)
    for words in COMMON_MOMENTS:
        span = period(words, now)
        assert span.start <= span.end
        is_past = "full" in words or words == "yesterday"
        assert span.end <= at if is_past else span.start <= at <= span.end
    for words in COMMON:
        first, last = period(words, now, whole_days=True).days
        assert first <= last
        assert ("full" in words or words == "yesterday") == (last < at.date())
    for words in COMMON_DAYS:
        assert day(words, now) <= at.date() or words.startswith("end of this")
    for unit in ("week", "month", "quarter", "year"):
        before, this = period(f"last full {unit}", now), period(f"this {unit}", now)
        assert before.end == this.start


def test_single_days_and_moments_are_edges_of_periods() -> None:
    now = clock(NOON)
    assert day("end of last full month", now) == date(2025, 2, 28)
    assert day("tomorrow", now) == date(2025, 4, 1)
    assert moment("now", now) == NOON
    assert moment("start of today", now) == datetime(2025, 3, 31)
    assert moment("end of yesterday", now) == datetime(2025, 3, 31)


@pytest.mark.parametrize(
    ("words", "message"),
    [
        ("last month", "can mean two things; write last full month, or last 1 month up to now"),
        ("fortnight", "is no period; write for example this month"),
        ("last 9999 years", "lies outside the calendar"),
    ],
)
def test_other_words_are_refused(words: str, message: str) -> None:
    with pytest.raises(ValueError, match=message):
        period(words, clock(NOON))
    with pytest.raises(ValueError, match="is no day"):
        day("this month", clock(NOON))
    with pytest.raises(ValueError, match="is no moment"):
        moment("this month", clock(NOON))
