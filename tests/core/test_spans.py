"""Spans: an id that stays set between voyages, conditions, interruptions, the ends of the period, spans still open."""

from collections.abc import Mapping, Sequence
from fractions import Fraction
from typing import Any

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import ExpressionError, QueryError
from northmoor.core.model.data.signal_logs import Signal, SignalLog
from northmoor.core.model.data.signal_queries import SpansQuery
from northmoor.core.sources.signals.conditions import hold, signals_in
from northmoor.core.sources.signals.series import LogRows, Series, SeriesName, series_of
from northmoor.core.sources.signals.spans import Spans, cut_spans, signals_of, within_period
from tests.signal_reference import Reading, SlowSeries, slow_runs

BOUND = 40
STOP = CancelToken()
IDS = st.lists(st.builds(Reading, st.integers(0, 30), st.sampled_from(["A", "B", "", None])), max_size=8)
STATES = st.lists(
    st.builds(Reading, st.integers(0, 36), st.sampled_from([Fraction(0), Fraction(1), None]),
              st.sampled_from([True, True, False])), max_size=10,
)  # fmt: skip


def series(name: str, readings: Sequence[Reading], hold_: int | None = None, nature: str = "held") -> Series:
    is_text = any(isinstance(r.value, str) for r in readings)
    log = SignalLog(name="log", time="at", signal="tag", values=("v",), unknown_after=hold_,
                    signals=(Signal(name=name, nature=nature, type="text" if is_text else "number"),))  # fmt: skip
    numbers = [None if is_text or r.value is None else int(r.value) for r in readings]
    texts = [r.value if is_text else None for r in readings]
    rows = LogRows([SeriesName("", name)], np.zeros(len(readings), np.int64),
                   np.array([r.at for r in readings], np.int64), pa.array(numbers, pa.int64()),
                   pa.array(texts, pa.string()), np.array([r.good for r in readings], bool))  # fmt: skip
    return series_of(rows, log, BOUND)[SeriesName("", name)]


def cut(query: SpansQuery, signals: Mapping[str, Series], ids: Any = None, values: Any = None) -> Spans:
    named = {SeriesName("", name): one for name, one in signals.items()}
    return cut_spans(query, ("",), named, values or {}, ids, BOUND, True, STOP)


def listed(spans: Spans) -> list[tuple[str | None, int, int]]:
    return list(zip(spans.id, spans.start.tolist(), spans.end.tolist(), strict=True))


@given(IDS, STATES, st.integers(0, 8), st.one_of(st.none(), st.integers(1, 9)))
def test_spans_by_id_while_a_condition_holds_are_those_of_the_plain_reference(
    ids: list[Reading], states: list[Reading], bridge: int, hold_: int | None
) -> None:
    query = SpansQuery(log="log", by="voyage", condition="underway = 1", bridge=bridge)
    found = cut(query, {"voyage": series("voyage", ids, hold_), "underway": series("underway", states, hold_)})
    voyage, underway = SlowSeries(ids, BOUND, hold_), SlowSeries(states, BOUND, hold_)

    def state(at: int) -> str | None:
        id_, on = voyage.reading_at(at), underway.reading_at(at)
        return id_.value or None if id_ is not None and on is not None and on.value == 1 else None

    wanted: list[tuple[str, int, int]] = []
    for name, start, end in slow_runs([state(at) for at in range(BOUND)]):
        if bridge and wanted and wanted[-1][0] == name and start - wanted[-1][2] <= bridge:
            wanted[-1] = (name, wanted[-1][1], end)
        else:
            wanted.append((name, start, end))
    assert listed(found) == wanted
    assert found.is_open.tolist() == [end == BOUND for _, _, end in wanted]


LEVELS = st.lists(
    st.builds(Reading, st.integers(0, 36), st.one_of(st.none(), st.integers(0, 8).map(Fraction)),
              st.sampled_from([True, True, True, False])), max_size=9,
)  # fmt: skip


@given(LEVELS, STATES, st.one_of(st.none(), st.integers(1, 9)))
def test_a_line_crosses_a_limit_between_readings(
    levels: list[Reading], states: list[Reading], hold_: int | None
) -> None:
    signals = {"level": series("level", levels, hold_, "linear"), "pump": series("pump", states, hold_)}
    level, pump = SlowSeries(levels, BOUND, hold_, True), SlowSeries(states, BOUND, hold_)

    def held(at: int, text: str) -> bool:
        known, on = level.moment(at), pump.reading_at(at)
        value, state = known.begin if known else None, on.value if on else None
        found: dict[str, bool] = {
            "level > 2.3": value is not None and value > Fraction(23, 10),
            "level between 1.9 and :high": value is not None and Fraction(19, 10) <= value <= Fraction(61, 10),
            "level - 2.7 > pump and pump is not null": None not in (value, state) and value - Fraction(27, 10) > state,
        }
        return found[text]

    for text in ("level > 2.3", "level between 1.9 and :high", "level - 2.7 > pump and pump is not null"):
        runs = slow_runs(["on" if held(at, text) else None for at in range(BOUND)])
        spans = listed(cut(SpansQuery(log="log", condition=text), signals, values={"high": 6.1}))
        assert spans == [(None, start, end) for _, start, end in runs], text


VOYAGES = {
    "voyage": series("voyage", [Reading(2, "A"), Reading(14, "B"), Reading(26, "C")]),
    "underway": series("underway", [Reading(0, Fraction(0)), Reading(5, Fraction(1)), Reading(9, Fraction(0)),
                                    Reading(10, Fraction(1)), Reading(12, Fraction(0)), Reading(17, Fraction(1)),
                                    Reading(22, Fraction(0)), Reading(30, Fraction(1))]),
}  # fmt: skip


def voyages(**changes: Any) -> SpansQuery:
    return SpansQuery(**{"log": "log", "by": "voyage", "condition": "underway = 1"} | changes)


def test_an_id_alone_counts_the_pause_and_a_condition_does_not() -> None:
    alone = voyages(condition=None)
    assert listed(cut(alone, VOYAGES)) == [("A", 2, 14), ("B", 14, 26), ("C", 26, BOUND)]
    assert listed(cut(voyages(), VOYAGES)) == [("A", 5, 9), ("A", 10, 12), ("B", 17, 22), ("C", 30, BOUND)]
    assert listed(cut(voyages(bridge=1), VOYAGES)) == [("A", 5, 12), ("B", 17, 22), ("C", 30, BOUND)]
    assert listed(cut(voyages(bridge=1), VOYAGES, frozenset("B"))) == [("B", 17, 22)]


def test_short_spans_are_dropped_but_not_one_that_goes_on() -> None:
    assert listed(cut(voyages(shortest=5), VOYAGES)) == [("B", 17, 22), ("C", 30, BOUND)]
    assert listed(cut(voyages(shortest=11), VOYAGES)) == [("C", 30, BOUND)]


def test_spans_go_from_one_condition_to_another() -> None:
    level = series("level", [Reading(at, Fraction(value)) for at, value in ((0, 1), (4, 6), (8, 3), (12, 0), (20, 7))])
    query = SpansQuery(log="log", begins="level > :high", ends="level < 1")
    found = cut(query, {"level": level}, values={"high": 5})
    assert listed(found) == [(None, 4, 12), (None, 20, BOUND)]


@pytest.mark.parametrize(
    ("crossing", "spans", "is_cut"),
    [
        ("whole", [("A", 5, 12), ("B", 17, 22)], [False, False]),
        ("cut", [("A", 8, 12), ("B", 17, 20)], [True, True]),
        ("left out", [], []),
    ],
)
def test_spans_that_cross_the_period_are_whole_cut_or_left_out(crossing: str, spans: Any, is_cut: list[bool]) -> None:
    found = within_period(cut(voyages(bridge=1), VOYAGES), crossing, 8, 20)
    assert (listed(found), found.is_cut.tolist()) == (spans, is_cut)


def test_a_span_that_only_touches_the_period_is_not_in_it() -> None:
    assert listed(within_period(cut(voyages(), VOYAGES), "whole", 12, 17)) == []


def test_signals_in_conditions_may_have_points_and_values_may_be_bound() -> None:
    assert signals_in('engine1.running = 1 and ("odd name" > :limit or speed is null)') == (
        "engine1.running", "odd name", "speed")  # fmt: skip
    assert signals_of(voyages(condition="speed > 3")) == ("voyage", "speed")
    columns = {"engine1.running": pa.array([1.0, None, 0.0]), "speed": pa.array([2.0, 5.0, 9.0])}
    found = hold(("engine1.running = 1", "speed > :limit"), columns, {"limit": 4}, STOP)
    assert [each.to_pylist() for each in found] == [[True, None, False], [False, True, True]]


@pytest.mark.parametrize(
    ("condition", "error", "message"),
    [
        ("max(speed) > 3", QueryError, "A condition is over the values at one time; remove MAX(speed)."),
        ("speed = 'fast'", QueryError, "The condition \"speed = 'fast'\" cannot be decided: "),
        ("speed >", ExpressionError, "The expression 'speed >' cannot be understood"),
        ("read_text('/etc/passwd') = ''", ExpressionError, "The function read_text() (character 1) cannot be used"),
    ],
)
def test_a_condition_that_cannot_be_decided_is_one_clear_sentence(condition: str, error: Any, message: str) -> None:
    with pytest.raises(error) as caught:
        hold((condition,), {"speed": pa.array([1.0])}, {}, STOP)
    assert message in caught.value.message


def test_spans_say_what_they_need() -> None:
    for given_, message in (
        ({}, "spans need an id"),
        ({"begins": "a = 1"}, "need both of them"),
        ({"begins": "a = 1", "ends": "a = 0", "condition": "b = 1"}, "remove one of these"),
        ({"condition": "a = 1", "ids": ("A",)}, "ids can be selected"),
    ):
        with pytest.raises(ValueError, match=message):
            SpansQuery(log="log", **given_)
