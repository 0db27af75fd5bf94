"""Scales: round ticks, calendar steps, and places that keep the order of values."""

from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from northmoor.core.layout.chart.scales import decimals_of, log_scale, number_scale, time_scale

EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
LENGTH = 300_000


def days(*moment: int) -> float:
    return (datetime(*moment, tzinfo=UTC) - EPOCH) / timedelta(days=1)  # type: ignore[misc,arg-type]  # the date's parts


def moment(text: str) -> float:
    return days(*datetime.fromisoformat(text).timetuple()[:6])


def dates(ticks: tuple[float, ...]) -> list[str]:
    return [(EPOCH + timedelta(days=tick)).strftime("%Y-%m-%d") for tick in ticks]


@given(st.integers(-1_000_000, 1_000_000), st.integers(0, 1_000_000), st.integers(2, 12))
def test_ticks_of_whole_numbers_are_whole(low: int, span: int, most: int) -> None:
    scale = number_scale(low, low + span, LENGTH, LENGTH // most, is_whole=True)
    assert all(tick == round(tick) for tick in scale.ticks)
    assert scale.low <= low < low + span <= scale.high or span == 0
    assert len(scale.ticks) >= 2


def test_a_state_that_is_on_or_off_has_a_tick_for_each() -> None:
    assert number_scale(0, 1, LENGTH, 26_000, is_whole=True).ticks == (0, 1)
    assert number_scale(0, 1, LENGTH, 26_000).ticks == (0, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 1)


@given(st.floats(-1e9, 1e9), st.floats(1e-3, 1e9), st.integers(2, 12))
def test_ticks_of_numbers_are_round_and_hold_all_values(low: float, span: float, most: int) -> None:
    assume(span > abs(low) * 1e-5)
    scale = number_scale(low, low + span, LENGTH, LENGTH // most)
    assert scale.low <= low + span * 1e-9
    assert scale.high >= low + span * (1 - 1e-9)
    steps = np.diff(scale.ticks)
    assert 1 <= len(steps) <= most + 2
    step = float(steps[0])
    assert np.allclose(steps, step, rtol=1e-6)
    mantissa = step / 10.0 ** np.floor(np.log10(step) + 1e-9)
    assert min(abs(mantissa - wanted) for wanted in (1, 2, 2.5, 5)) < 1e-3
    places = scale.place(np.array(scale.ticks))
    assert (np.diff(places) > 0).all()
    assert (places[0], places[-1]) == (0, LENGTH)


@pytest.mark.parametrize(
    ("low", "high", "ticks"),
    [
        (0, 97, (0, 20, 40, 60, 80, 100)),
        (-3, 4, (-4, -2, 0, 2, 4)),
        (0.11, 0.48, (0.1, 0.2, 0.3, 0.4, 0.5)),
        (7, 7, (6, 6.5, 7, 7.5, 8)),
    ],
)
def test_known_ranges_have_the_ticks_one_expects(low: float, high: float, ticks: tuple[float, ...]) -> None:
    found = number_scale(low, high, LENGTH, LENGTH // 5)
    assert found.ticks == pytest.approx(ticks)


def test_ends_that_are_fixed_stay_and_have_no_ticks_beyond() -> None:
    scale = number_scale(3, 97, LENGTH, 40_000, (True, True))
    assert (scale.low, scale.high) == (3, 97)
    assert scale.ticks == (20, 40, 60, 80)
    assert number_scale(0, 8, 20_000, 26_000, (False, True)).ticks == (0, 5)  # little room, yet one can tell how much


def test_decimals_are_as_many_as_tell_ticks_apart() -> None:
    assert [decimals_of(ticks) for ticks in ((0, 50), (0, 2.5), (0.25, 0.5), (1e6, 2e6), (1e-10, 2e-10))] == [
        0,
        1,
        2,
        0,
        10,
    ]


@given(st.floats(1e-6, 1e6), st.floats(1.1, 1e6))
def test_equal_ratios_are_equal_lengths_on_a_logarithmic_scale(low: float, ratio: float) -> None:
    scale = log_scale(low, low * ratio, LENGTH, 30_000)
    assert scale.low <= low * (1 + 1e-9)
    assert scale.high >= low * ratio * (1 - 1e-9)
    values = np.geomspace(scale.low, scale.high, 7)
    assert np.abs(np.diff(scale.place(values), 2)).max() <= 2
    assert all(any(np.isclose(t / 10.0 ** np.floor(np.log10(t) + 1e-9), f) for f in (1, 2, 5)) for t in scale.ticks)


@pytest.mark.parametrize(
    ("low", "high", "fewest", "ticks"),
    [
        (3, 40, 10_000, (1, 2, 5, 10, 20, 50, 100)), (1, 1, 10_000, (1, 2, 5, 10)),
        (1, 10_000, 25_000, (1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10_000)),
        (1, 10_000, 26_000, (1, 10, 100, 1000, 10_000)), (1, 10_000, 75_000, (1, 100, 10_000)),
        (1, 10_000, 10**9, (1,)), (1, 10, 0, (1, 2, 5, 10)),
    ],
)  # fmt: skip
def test_ticks_of_logarithmic_scales_are_powers_of_ten_and_between_where_there_is_room(
    low: float, high: float, fewest: int, ticks: tuple[float, ...]
) -> None:
    scale = log_scale(low, high, LENGTH, fewest)
    assert scale.ticks == pytest.approx(ticks)
    assert scale.is_log
    fixed = log_scale(3, 40, LENGTH, 10_000, (True, True))
    assert (fixed.low, fixed.high, fixed.ticks) == (3, 40, (5, 10, 20))


def test_one_value_is_where_a_column_of_it_is_and_without_a_place_at_the_beginning() -> None:
    for scale in (number_scale(2, 31, LENGTH, 30_000), log_scale(2, 31, LENGTH, 30_000, (True, True))):
        values = [-1.0, 0.5, 2.0, 7.0, 31.0, 4000.0]
        found = scale.place(np.array(values))
        assert [scale.at(each) for each in values[2:]] == list(found[2:])
        assert [scale.at(each) for each in (-1.0, 0.0, float("nan"), -1e9)] == [0, 0, 0, 0]
        assert [scale.holds(each) for each in (scale.low, 7, scale.high, 4000, -1)] == [True, True, True, False, False]


def test_a_single_moment_has_half_a_day_around_it() -> None:
    scale = time_scale(days(2025, 3, 1, 12), days(2025, 3, 1, 12), LENGTH, 30_000)
    assert (scale.low, scale.high) == (days(2025, 3, 1), days(2025, 3, 2))
    assert (time_scale(0, 1, LENGTH, 0).unit, len(time_scale(0, 1, LENGTH, 0).ticks)) == ("second", 400)


def test_months_have_their_ticks_at_the_first_however_long_they_are() -> None:
    scale = time_scale(days(2025, 1, 1), days(2025, 12, 31), LENGTH, 20_000)
    assert dates(scale.ticks) == [f"2025-{month:02d}-01" for month in range(1, 13)]
    lengths = np.diff(scale.place(np.array(scale.ticks)))
    assert lengths[1] < lengths[0]  # February is shorter than January
    assert scale.unit == "month"


@pytest.mark.parametrize(
    ("begin", "end", "first", "second", "last"),
    [
        ("2025-03-01T06:00:01", "2025-03-01T06:00:05", "2025-03-01T06:00:01", "2025-03-01T06:00:02", "2025-03-01T06:00:05"),
        ("2025-03-01T06:00:01", "2025-03-01T06:00:21", "2025-03-01T06:00:05", "2025-03-01T06:00:10", "2025-03-01T06:00:20"),
        ("2025-03-01T06:00:01", "2025-03-01T06:01:10", "2025-03-01T06:00:15", "2025-03-01T06:00:30", "2025-03-01T06:01:00"),
        ("2025-03-01T06:00:01", "2025-03-01T06:02:20", "2025-03-01T06:00:30", "2025-03-01T06:01:00", "2025-03-01T06:02:00"),
        ("2025-03-01T06:00:30", "2025-03-01T06:05:20", "2025-03-01T06:01", "2025-03-01T06:02", "2025-03-01T06:05"),
        ("2025-03-01T06:01", "2025-03-01T06:23", "2025-03-01T06:05", "2025-03-01T06:10", "2025-03-01T06:20"),
        ("2025-03-01T06:01", "2025-03-01T06:48", "2025-03-01T06:10", "2025-03-01T06:20", "2025-03-01T06:40"),
        ("2025-03-01T06:01", "2025-03-01T07:10", "2025-03-01T06:15", "2025-03-01T06:30", "2025-03-01T07:00"),
        ("2025-03-01T06:01", "2025-03-01T08:20", "2025-03-01T06:30", "2025-03-01T07:00", "2025-03-01T08:00"),
        ("2025-03-01T06:30", "2025-03-01T11:10", "2025-03-01T07:00", "2025-03-01T08:00", "2025-03-01T11:00"),
        ("2025-03-01T07:00", "2025-03-01T16:30", "2025-03-01T08:00", "2025-03-01T10:00", "2025-03-01T16:00"),
        ("2025-03-01T07:00", "2025-03-01T21:30", "2025-03-01T09:00", "2025-03-01T12:00", "2025-03-01T21:00"),
        ("2025-03-01T07:00", "2025-03-02T12:30", "2025-03-01T12:00", "2025-03-01T18:00", "2025-03-02T12:00"),
        ("2025-03-01T07:00", "2025-03-03T12:30", "2025-03-01T12:00", "2025-03-02T00:00", "2025-03-03T12:00"),
        ("2025-03-29T07:00", "2025-04-02T12:00", "2025-03-30T00:00", "2025-03-31T00:00", "2025-04-02T00:00"),
        ("2025-03-26T00:00", "2025-04-04T12:00", "2025-03-27T00:00", "2025-03-29T00:00", "2025-04-03T00:00"),
        ("2025-03-06T00:00", "2025-04-07T12:00", "2025-03-10T00:00", "2025-03-17T00:00", "2025-04-07T00:00"),
        ("2025-03-06T00:00", "2025-05-07T12:00", "2025-03-17T00:00", "2025-03-31T00:00", "2025-04-28T00:00"),
        ("2025-03-06T00:00", "2025-07-07T12:00", "2025-04-01T00:00", "2025-05-01T00:00", "2025-07-01T00:00"),
        ("2024-12-06T00:00", "2025-09-07T12:00", "2025-01-01T00:00", "2025-03-01T00:00", "2025-09-01T00:00"),
        ("2024-12-06T00:00", "2026-02-07T12:00", "2025-01-01T00:00", "2025-04-01T00:00", "2026-01-01T00:00"),
        ("2024-12-06T00:00", "2027-02-07T12:00", "2025-01-01T00:00", "2025-07-01T00:00", "2027-01-01T00:00"),
    ],
)  # fmt: skip
def test_steps_of_time_are_those_of_the_calendar(begin: str, end: str, first: str, second: str, last: str) -> None:
    low, high = (moment(each) for each in (begin, end))
    scale = time_scale(low, high, 100_000, 20_000)  # room for five steps
    assert [scale.ticks[at] for at in (0, 1, -1)] == pytest.approx([moment(each) for each in (first, second, last)])


@pytest.mark.parametrize("step", [1, 2, 5, 10, 20, 50, 100, 200, 500, 1000])
def test_years_are_stepped_roundly(step: int) -> None:
    scale = time_scale(days(step + 2000, 2, 1), days(step * 5 + 2000, 12, 1), 100_000, 20_000)
    found = [int(date[:4]) for date in dates(scale.ticks)]
    assert found == [year for year in range(step + 2001, step * 5 + 2001) if year % step == 0]
    assert scale.unit == "year"


@given(st.floats(-20_000, 40_000), st.floats(1e-4, 40_000))
def test_moments_keep_their_order_and_ticks_lie_within(low: float, span: float) -> None:
    scale = time_scale(low, low + span, LENGTH, 50_000)
    assert all(low <= tick <= low + span for tick in scale.ticks)
    assert len(scale.ticks) <= LENGTH // 50_000 + 3
    assert (np.diff(scale.place(np.array([low, *scale.ticks, low + span]))) >= 0).all()
