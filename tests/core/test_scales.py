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


def dates(ticks: tuple[float, ...]) -> list[str]:
    return [(EPOCH + timedelta(days=tick)).strftime("%Y-%m-%d") for tick in ticks]


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
    assert [decimals_of(ticks) for ticks in ((0, 50), (0, 2.5), (0.25, 0.5), (1e6, 2e6))] == [0, 1, 2, 0]


@given(st.floats(1e-6, 1e6), st.floats(1.1, 1e6))
def test_equal_ratios_are_equal_lengths_on_a_logarithmic_scale(low: float, ratio: float) -> None:
    scale = log_scale(low, low * ratio, LENGTH, 30_000)
    assert scale.low <= low * (1 + 1e-9)
    assert scale.high >= low * ratio * (1 - 1e-9)
    values = np.geomspace(scale.low, scale.high, 7)
    assert np.abs(np.diff(scale.place(values), 2)).max() <= 2
    assert all(any(np.isclose(t / 10.0 ** np.floor(np.log10(t) + 1e-9), f) for f in (1, 2, 5)) for t in scale.ticks)


def test_months_have_their_ticks_at_the_first_however_long_they_are() -> None:
    scale = time_scale(days(2025, 1, 1), days(2025, 12, 31), LENGTH, 20_000)
    assert dates(scale.ticks) == [f"2025-{month:02d}-01" for month in range(1, 13)]
    lengths = np.diff(scale.place(np.array(scale.ticks)))
    assert lengths[1] < lengths[0]  # February is shorter than January
    assert scale.unit == "month"


@pytest.mark.parametrize(
    ("begin", "end", "unit", "first"),
    [
        ((2025, 1, 15), (2025, 12, 1), "month", "2025-03-01"), ((1990, 6, 1), (2025, 1, 1), "year", "1995-01-01"),
        ((2025, 3, 4), (2025, 4, 20), "day", "2025-03-10"), ((2025, 3, 1, 6), (2025, 3, 1, 20), "hour", "2025-03-01"),
    ],
)  # fmt: skip
def test_steps_of_time_are_those_of_the_calendar(
    begin: tuple[int, ...], end: tuple[int, ...], unit: str, first: str
) -> None:
    scale = time_scale(days(*begin), days(*end), LENGTH, 45_000)
    assert scale.unit == unit
    assert dates(scale.ticks)[0] >= first
    assert 2 <= len(scale.ticks) <= 8


@given(st.floats(-20_000, 40_000), st.floats(1e-4, 40_000))
def test_moments_keep_their_order_and_ticks_lie_within(low: float, span: float) -> None:
    scale = time_scale(low, low + span, LENGTH, 50_000)
    assert all(low <= tick <= low + span for tick in scale.ticks)
    assert len(scale.ticks) <= LENGTH // 50_000 + 3
    assert (np.diff(scale.place(np.array([low, *scale.ticks, low + span]))) >= 0).all()
