"""Statistics of signals against a slow and plain reference: uneven readings, gaps, bad ones, lines, counters."""

import math
from datetime import datetime
from decimal import Decimal
from fractions import Fraction
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.model.data.signal_logs import Signal, SignalLog
from northmoor.core.model.data.signal_queries import MeasurementsQuery, StatisticColumn
from northmoor.core.model.kinds.signal_statistics import SIGNAL_STATISTICS
from northmoor.core.sources.signals.pieces import pieces_of
from northmoor.core.sources.signals.recorded import at_steps, moving_mean, recorded, values_at
from northmoor.core.sources.signals.results import MeasuredSignals, column_settings, measured_table
from northmoor.core.sources.signals.series import LogNotes, LogRows, Series, SeriesName, series_of
from northmoor.core.sources.signals.statistics import statistic_of
from northmoor.core.sources.signals.windows import Windows, in_calendar, in_steps, instant, no_columns, one_period
from tests.signal_reference import Reading, SlowSeries

END = 40
NAME = SeriesName("", "s")
READINGS = st.lists(
    st.builds(
        Reading,
        st.integers(-8, END + 4),
        st.one_of(st.none(), st.integers(0, 30).map(lambda tenths: Fraction(tenths, 10))),
        st.sampled_from([True, True, True, False]),
    ),
    max_size=14,
)
"""Readings in the order of writing: out of order, several at one time, without a value, of bad quality."""
HOLDS = st.one_of(st.none(), st.integers(1, 12))
WINDOWS = st.lists(st.tuples(st.integers(-4, END), st.integers(1, 20)), min_size=1, max_size=5)


def series(readings: list[Reading], hold: int | None = None, is_exact: bool = True, **signal: Any) -> Series:
    tenths = [None if r.value is None else Decimal(int(r.value * 10)) / 10 for r in readings]
    numbers = pa.array(tenths, pa.decimal128(20, 1))
    log = SignalLog(name="log", time="at", signal="tag", values=("v",), unknown_after=hold,
                    signals=(Signal(name="s", **signal),))  # fmt: skip
    rows = LogRows(
        [NAME], np.zeros(len(readings), np.int64), np.array([r.at for r in readings], np.int64),
        numbers if is_exact else numbers.cast(pa.float64()), pa.nulls(len(readings), pa.string()),
        np.array([r.good for r in readings], bool),
    )  # fmt: skip
    return series_of(rows, log, END + 10)[NAME]


def windows(ends: list[tuple[int, int]]) -> Windows:
    ordered = sorted(ends)
    starts = np.array([start for start, _ in ordered], np.int64)
    return Windows(starts, starts + np.array([length for _, length in ordered]), no_columns(len(ordered)))


def figures(one: Series, over: Windows, statistic: str, **given_: Any) -> list[Any]:
    found = statistic_of(pieces_of(one, over), StatisticColumn(statistic=statistic, **given_))
    scale = found.scale or 0
    values = [v if isinstance(v, Decimal) or v is None else Decimal(v).scaleb(-scale) if scale else v
              for v in found.values.tolist()]  # fmt: skip
    return [value if valid else None for value, valid in zip(values, found.is_valid.tolist(), strict=True)]


def ends(over: Windows) -> list[tuple[int, int]]:
    return list(zip(over.start.tolist(), over.end.tolist(), strict=True))


def close(found: Any, wanted: Fraction | None) -> bool:
    if found is None or wanted is None:
        return found is wanted
    return math.isclose(float(found), float(wanted), rel_tol=1e-9, abs_tol=1e-9)


def seven_places(value: Fraction | None) -> Decimal | None:
    if value is None:
        return None
    exact = round(value * 10**7)  # half to even, as a fraction is rounded
    return Decimal(exact).scaleb(-7)


@given(READINGS, HOLDS, WINDOWS)
def test_means_and_extremes_of_held_values_are_exact(readings: list[Reading], hold: int | None, given_: Any) -> None:
    one, slow, over = series(readings, hold), SlowSeries(readings, END + 10, hold), windows(given_)
    assert figures(one, over, "mean") == [seven_places(slow.mean(*w)) for w in ends(over)]
    for statistic, best in (("min", min), ("max", max)):
        known = [[m.begin for m in slow.known(*w)] for w in ends(over)]
        assert figures(one, over, statistic) == [best(map(float_text, k)) if k else None for k in known]
        at = figures(one, over, f"{statistic}_at")
        assert at == [first_with(slow, w, best(k)) if k else None for w, k in zip(ends(over), known, strict=True)]
    found = figures(one, over, "deviation")
    wanted = [slow.variance(*w) for w in ends(over)]
    assert all(close(f if f is None else f**2, w) for f, w in zip(found, wanted, strict=True))


def float_text(value: Fraction) -> Decimal:
    return Decimal(int(value * 10)).scaleb(-1)


def first_with(slow: SlowSeries, window: tuple[int, int], value: Fraction) -> int:
    return next(at for at in range(*window) if (m := slow.moment(at)) is not None and m.begin == value)


@given(READINGS, HOLDS, WINDOWS)
def test_known_time_and_readings_are_counted(readings: list[Reading], hold: int | None, given_: Any) -> None:
    one, slow, over = series(readings, hold), SlowSeries(readings, END + 10, hold), windows(given_)
    assert figures(one, over, "known") == [len(slow.known(*w)) / (w[1] - w[0]) for w in ends(over)]
    assert figures(one, over, "readings") == [len(slow.readings(*w)) for w in ends(over)]
    means = [[r.value for r in slow.readings(*w)] for w in ends(over)]
    assert figures(one, over, "reading_mean") == [seven_places(sum(m) / len(m)) if m else None for m in means]


@given(READINGS, HOLDS, WINDOWS)
def test_times_on_and_off_count_only_what_is_known(readings: list[Reading], hold: int | None, given_: Any) -> None:
    one, slow, over = series(readings, hold, nature="state"), SlowSeries(readings, END + 10, hold), windows(given_)
    for window, *found in zip(
        ends(over), *(figures(one, over, name) for name in ("time_on", "time_off", "times_on", "times_off",
                                                            "longest_on", "between_starts")), strict=True
    ):  # fmt: skip
        states = [slow.is_on(at) for at in range(*window)]
        starts, stops = slow.starts(*window), slow.starts(*window, wanted=False)
        if states.count(None) == len(states):
            assert found[:2] == [None, None]
            continue
        assert found[:4] == [states.count(True), states.count(False), len(starts), len(stops)]
        assert found[4] == slow.longest_on(*window)
        assert found[5] == ((starts[-1] - starts[0]) / (len(starts) - 1) if len(starts) > 1 else None)


@given(READINGS, HOLDS, WINDOWS, st.integers(0, 30))
def test_time_beyond_a_limit_is_that_of_the_values(
    readings: list[Reading], hold: int | None, given_: Any, tenths: int
) -> None:
    limit = Fraction(tenths, 10)
    over = windows(given_)
    for is_linear in (False, True):
        nature = "linear" if is_linear else "held"
        one = series(readings, hold, nature=nature)
        slow = SlowSeries(readings, END + 10, hold, is_linear)
        above = figures(one, over, "time_above", limit=Decimal(tenths) / 10)
        for window, found in zip(ends(over), above, strict=True):
            wanted = slow.time_above(limit, *window) if slow.known(*window) else None
            assert close(found, wanted)


@given(READINGS, HOLDS, WINDOWS)
def test_lines_are_integrated_as_lines(readings: list[Reading], hold: int | None, given_: Any) -> None:
    one = series(readings, hold, nature="linear")
    slow, over = SlowSeries(readings, END + 10, hold, is_linear=True), windows(given_)
    checks = zip(ends(over), *(figures(one, over, n) for n in ("mean", "min", "max", "first", "last", "deviation")),
                 strict=True)  # fmt: skip
    for window, mean, least, most, first, last, deviation in checks:
        known = slow.known(*window)
        assert close(mean, slow.mean(*window))
        if known:
            assert close(least, min(min(m.begin, m.end) for m in known))
            assert close(most, max(max(m.begin, m.end) for m in known))
            assert close(first, known[0].begin)
            assert close(last, known[-1].end)
            assert close(deviation**2, slow.variance(*window))


@given(READINGS, HOLDS, WINDOWS, st.integers(1, 20))
def test_a_percentile_is_not_exceeded_for_its_share(
    readings: list[Reading], hold: int | None, given_: Any, twentieths: int
) -> None:
    over, share = windows(given_), Fraction(twentieths, 20)
    for nature in ("held", "linear"):
        one, slow = series(readings, hold, nature=nature), SlowSeries(readings, END + 10, hold, nature == "linear")
        found = figures(one, over, "percentile", share=Decimal(twentieths) / 20)
        for window, value in zip(ends(over), found, strict=True):
            known = len(slow.known(*window))
            assert (value is None) == (known == 0)
            if value is not None:
                above = slow.time_above(Fraction(value) + Fraction(1, 10**6), *window)
                at_least = known - slow.time_above(Fraction(value) - Fraction(1, 10**6), *window)
                assert known - above >= share * known - Fraction(1, 10**4)
                assert at_least <= share * known + Fraction(1, 10**4)


@given(READINGS, WINDOWS)
def test_totals_of_rates_and_changes_of_counters_are_exact(readings: list[Reading], given_: Any) -> None:
    over, slow = windows(given_), SlowSeries(readings, END + 10)
    rate = series(readings, nature="rate", per="second")
    totals = [slow.mean(*w) for w in ends(over)]
    wanted = [None if m is None else seven_places(m * len(slow.known(*w)) / 10**6)
              for m, w in zip(totals, ends(over), strict=True)]  # fmt: skip
    assert figures(rate, over, "total") == wanted
    counter = figures(series(readings, nature="counter"), over, "change")
    assert counter == [None if (g := slow.grown(*w)) is None else float_text(g) for w in ends(over)]


@given(READINGS, HOLDS, st.integers(1, 15))
def test_moving_means_look_back_so_far(readings: list[Reading], hold: int | None, back: int) -> None:
    at = np.arange(0, END, 3)
    for nature in ("held", "linear"):
        one, slow = series(readings, hold, nature=nature), SlowSeries(readings, END + 10, hold, nature == "linear")
        values, valid = moving_mean(one, at, back)
        for time, value, is_valid in zip(at.tolist(), values.tolist(), valid.tolist(), strict=True):
            assert close(value if is_valid else None, slow.mean(time - back, time))


@given(READINGS, HOLDS)
def test_recorded_rows_say_where_a_value_lapses(readings: list[Reading], hold: int | None) -> None:
    one, slow = series(readings, hold), SlowSeries(readings, END + 10, hold)
    rows = recorded(one, one_period(0, END))
    assert rows.at.tolist() == sorted(rows.at.tolist())
    for at, value, valid in zip(rows.at.tolist(), rows.values.tolist(), rows.is_valid.tolist(), strict=True):
        known = slow.moment(at)
        assert (known.begin if known else None) == (Fraction(value, 10) if valid else None)
    values, valid = values_at(one, np.arange(END))
    moments = [slow.moment(at) for at in range(END)]
    assert [v / 10 if ok else None for v, ok in zip(values.tolist(), valid.tolist(), strict=True)] == [
        float(m.begin) if m else None for m in moments
    ]
    steps = at_steps(one, one_period(0, END), 7)
    assert steps.at.tolist() == [0, 7, 14, 21, 28, 35]


@given(st.permutations([Reading(at, Fraction(at * 7 % 13, 10)) for at in range(0, END, 2)]))
def test_the_order_of_writing_changes_no_figure(readings: list[Reading]) -> None:
    ordered = sorted(readings, key=lambda reading: reading.at)
    over = windows([(0, 11), (3, 30)])
    for is_exact in (True, False):
        for statistic in ("mean", "deviation", "min_at", "reading_mean"):
            one, other = (figures(series(r, is_exact=is_exact), over, statistic) for r in (readings, ordered))
            assert one == other


def test_of_readings_at_one_time_the_last_written_counts_and_is_counted() -> None:
    notes = LogNotes()
    log = SignalLog(name="log", time="at", signal="tag", values=("v",))
    rows = LogRows([NAME], np.zeros(4, np.int64), np.array([5, 5, 3, 5]), pa.array([1, 2, 7, 4]),
                   pa.array([None, None, None, None], pa.string()), np.ones(4, bool))  # fmt: skip
    one = series_of(rows, log, 9, notes)[NAME]
    assert (one.at.tolist(), one.values.tolist(), one.until.tolist()) == ([3, 5], [7, 4], [5, 9])
    assert (notes.duplicates, notes.unordered) == ({"s": 2}, {"s": 1})
    by_order = LogRows(rows.names, rows.series, rows.at, rows.number, rows.text, rows.good, np.array([4, 3, 2, 1]))
    assert series_of(by_order, log, 9)[NAME].values.tolist() == [7, 1]


def test_numbers_in_texts_are_read_and_other_texts_are_counted() -> None:
    notes = LogNotes()
    log = SignalLog(name="log", time="at", signal="tag", values=("v",))
    rows = LogRows([NAME], np.zeros(3, np.int64), np.array([1, 2, 3]), pa.array([None, 2.5, None]),
                   pa.array(["1.5", None, "off"]), np.ones(3, bool))  # fmt: skip
    one = series_of(rows, log, 9, notes)[NAME]
    assert (one.values.tolist()[:2], one.is_known.tolist()) == ([1.5, 2.5], [True, True, False])
    assert (notes.unreadable, notes.example) == ({"s": 1}, {"s": "off"})


def test_large_exact_readings_add_up_without_overflow() -> None:
    value = Fraction(90_071_992_547_409)
    year = 366 * 86_400_000_000
    one = series([Reading(0, value)])
    over = Windows(np.array([0]), np.array([year]), no_columns(1))
    whole = Series(one.signal, one.at, one.values, one.is_known, np.array([year]), one.scale)
    assert figures(whole, over, "mean") == [Decimal(90_071_992_547_409)]


def test_calendar_periods_follow_the_clocks_of_the_zone() -> None:
    zone = ZoneInfo("Europe/Dublin")
    start, end = (instant(day, zone) for day in (datetime(2025, 10, 25), datetime(2025, 10, 28)))
    days = in_calendar(one_period(start, end), "day", zone, 0, ())
    assert [round((e - s) / 3_600_000_000) for s, e in ends(days)] == [24, 25, 24]  # the clocks went back on the 26th
    hours = in_calendar(one_period(start, end), "hour", zone, 0, ())
    assert len(hours) == 73
    shifts = in_calendar(one_period(start + 3_600_000_000, end), "shift", zone, 0, ("06:00", "18:00"))
    assert [round((e - s) / 3_600_000_000) for s, e in ends(shifts)] == [5, 12, 13, 12, 12, 12, 6]
    steps = in_steps(one_period(0, 10), 4)
    assert ends(steps) == [(0, 4), (4, 8), (8, 10)]


@pytest.mark.parametrize("wide", [False, True])
def test_every_statistic_is_a_column_with_a_label(wide: bool) -> None:
    needs = {"limit": {"limit": 1}, "share": {"share": "0.5"}, "state": {}, "nothing": {}}
    wanted = tuple(StatisticColumn(statistic=kind.name, **needs[kind.wants]) for kind in SIGNAL_STATISTICS)
    log = SignalLog(name="log", time="at", signal="tag", values=("v",))
    query = MeasurementsQuery(log="log", signals=("s", "t"), statistics=wanted, wide=wide)
    one = series([Reading(0, Fraction(1)), Reading(4, Fraction(0))])
    found = {NAME: one, SeriesName("", "t"): one}
    table = measured_table(
        MeasuredSignals(query, log, [""], found, {"": in_steps(one_period(0, 12), 6)}, ZoneInfo("UTC"), CancelToken())
    )
    assert table.num_rows == (2 if wide else 4)
    assert {c.name for c in column_settings(query, log)} == set(table.column_names)
    assert all(c.label for c in column_settings(query, log))
