"""Parameter values: typed from texts, defaults, and clear refusals."""

import re
from contextlib import nullcontext
from datetime import date, datetime
from decimal import Decimal
from zoneinfo import ZoneInfo

import duckdb
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from northmoor.core.engine.arrow_types import arrow_type
from northmoor.core.errors import ParameterError
from northmoor.core.expr.formats import FormatLocale
from northmoor.core.model.kinds.value_kinds import VALUE_KINDS, ValueKind
from northmoor.core.model.kinds.value_types import ValueType
from northmoor.core.model.parameters import Choice, Parameter
from northmoor.core.values.parameter_values import NumberRange, bound_names, read_value, value_label
from northmoor.core.values.relative_periods import Clock, Span
from northmoor.core.values.scalars import read_scalar
from tests.helpers import MOMENT, bind, report_of


def no_clock() -> Clock:
    raise AssertionError("the data time was asked for")


@pytest.mark.parametrize(
    ("kind", "text", "value"),
    [
        ("text", " as it is ", " as it is "),
        ("integer", " 12 ", 12),
        ("decimal", "12.50", Decimal("12.50")),
        ("float", "1.5", 1.5),
        ("date", "2024-02-29", date(2024, 2, 29)),
        ("timestamp", "2025-03-30T01:30", datetime(2025, 3, 30, 1, 30)),
        ("boolean", "Yes", True),
        ("boolean", "0", False),
    ],
)
def test_texts_become_values_of_the_kind(kind: str, text: str, value: object) -> None:
    read = read_value(Parameter(name="p", kind=kind), text, no_clock)
    assert read == value
    assert type(read) is type(value)


@pytest.mark.parametrize(
    ("kind", "text"),
    [
        ("integer", "1.5"), ("integer", "9" * 30), ("integer", "x"), ("decimal", "12,5"), ("decimal", "NaN"),
        ("float", "inf"), ("date", "2025-02-30"), ("date", "03/04/2025"), ("timestamp", "12 o'clock"),
        ("timestamp", "2025-01-01T00:00+02:00"), ("boolean", "perhaps"), ("text", "a\x00b"),
    ],
)  # fmt: skip
def test_other_texts_are_refused_with_an_example(kind: str, text: str) -> None:
    with pytest.raises(ParameterError, match=f"Parameter p: .* is no {kind}; write"):
        read_value(Parameter(name="p", kind=kind), text, no_clock)


def test_defaults_fill_in_and_given_values_win() -> None:
    report = report_of(parameters=[Parameter(name="year", kind="integer", default=2025), Parameter(name="port")])
    assert dict(bind(report, {"port": "SK"}).by_name) == {"year": 2025, "port": "SK"}
    assert bind(report, {"port": "SK", "year": "2024"}).by_name["year"] == 2024


def test_what_is_missing_unknown_or_not_in_the_list_is_reported() -> None:
    season = Parameter(name="season", choices=(Choice(value="s", label="Summer"), Choice(value="w", label="Winter")))
    report = report_of(parameters=[season])
    with pytest.raises(ParameterError, match="Parameter season: A value is missing"):
        bind(report, {})
    with pytest.raises(ParameterError, match="Did you mean season"):
        bind(report, {"seasn": "s"})
    with pytest.raises(ParameterError, match="Choose one of s, w"):
        bind(report, {"season": "x"})
    assert bind(report, {"season": "w"}).labels["season"] == "Winter"


def test_the_data_time_is_a_value_like_any_other() -> None:
    assert bind(report_of(), {"data_time": "2026-01-01T06:00"}).data_time == datetime(2026, 1, 1, 6)


def read(parameter: Parameter, raw: object) -> object:
    return read_value(parameter, raw, lambda: Clock(MOMENT, ZoneInfo("Europe/Dublin")))


def test_lists_hold_each_value_once_and_may_be_empty_when_nothing_is_required() -> None:
    ports = Parameter(name="ports", holds="list", required=False)
    assert read(ports, ["b", "a", "b"]) == ("b", "a")
    assert read(ports, "a, b") == ("a, b",)
    assert (read(ports, []), read(ports, ""), read(ports, None), read(ports, [""])) == ((), (), (), ("",))
    with pytest.raises(ParameterError, match="Parameter ports: Give at least one value"):
        read(ports.but(required=True), [])
    assert read(Parameter(name="n", kind="integer", holds="list"), ["3", 4]) == (3, 4)


def test_ranges_are_written_with_a_slash_or_in_words() -> None:
    when = Parameter(name="when", kind="date", holds="range")
    assert read(when, "2025-03-01/2025-03-31") == Span(datetime(2025, 3, 1), datetime(2025, 4, 1))
    assert read(when, "start of this month/today") == Span(datetime(2025, 12, 1), datetime(2026, 1, 1))
    assert read(when, ["2025-03-01", date(2025, 3, 1)]).days == (date(2025, 3, 1), date(2025, 3, 1))
    assert read(when.but(kind="timestamp"), "2025-03-01T06:00/now") == Span(datetime(2025, 3, 1, 6), MOMENT)
    for raw, message in (("2025-03-02/2025-03-01", "ends .* before it begins"), ("2025-03-01", "is no range; write its two"),
                      ("a while", "is no period"), ("2025-03-01/x/y", "is no range"), (5, "5 is no range")):  # fmt: skip
        with pytest.raises(ParameterError, match=f"Parameter when: .*{message}"):
            read(when, raw)


def test_ranges_of_numbers_are_written_by_their_ends() -> None:
    weight = Parameter(name="weight", kind="decimal", holds="range", minimum_value=0)
    assert read(weight, "0.5 / 12.25") == NumberRange(Decimal("0.5"), Decimal("12.25"))
    assert read(weight.but(kind="integer"), [3, "3"]) == NumberRange(3, 3)
    assert read(weight.but(required=False), "") is None
    held = NumberRange(Decimal("0.5"), Decimal("1250"))
    assert bound_names(weight, held) == {"weight_from": Decimal("0.5"), "weight_to": Decimal("1250")}
    assert value_label(weight, held, {}, FormatLocale("de_DE", "EUR", "UTC")) == "0,5 – 1.250"
    for raw, message in (("12/3", "ends .12.* before it begins|ends .3. before it begins"), ("12", "such as 10/20"),
                         ("/12", "needs both|is no decimal"), ("-1/2", "-1 is below the minimum, 0"),
                         ("this month", "such as 10/20"), ("a/b", "is no decimal")):  # fmt: skip
        with pytest.raises(ParameterError, match=f"Parameter weight: .*({message})"):
            read(weight, raw)


@pytest.mark.parametrize(
    ("limits", "raw", "message"),
    [
        ({"kind": "integer", "minimum_value": 1, "maximum_value": 50}, "51", "51 is above the maximum, 50"),
        ({"kind": "decimal", "minimum_value": "0.10"}, "0.09", "0.09 is below the minimum, 0.10"),
        ({"kind": "date", "maximum_value": "today"}, "2026-01-01", "2026-01-01 is above the maximum, 2025-12-31"),
        (
            {"kind": "date", "holds": "range", "minimum_value": "2024-01-01"},
            "last 9 years",
            "below the minimum, 2024-01-01",
        ),
        ({"kind": "integer", "holds": "list", "maximum_value": 3}, [1, 4, 2], "4 is above the maximum, 3"),
        (
            {"pattern": "W[0-9]{2}-[0-9]{5}", "hint": "Such as W25-00001."},
            "W25-1",
            "does not match .* Such as W25-00001",
        ),
        ({"pattern": "a|b"}, "ab", "does not match the pattern"),
        ({"pattern": "(a"}, "a", "is no regular expression"),
        ({"minimum_length": 2}, "a", "has a length of 1; the minimum is 2"),
        ({"maximum_length": 3}, "abcd", "has a length of 4; the maximum is 3"),
    ],
)
def test_what_is_outside_its_limits_is_reported(limits: dict, raw: object, message: str) -> None:
    with pytest.raises(ParameterError, match=f"Parameter p: .*{message}"):
        read(Parameter(name="p", **limits), raw)


def test_what_is_within_its_limits_is_taken() -> None:
    assert read(Parameter(name="p", pattern="W[0-9]+", maximum_length=9), "W25") == "W25"
    assert read(Parameter(name="p", kind="integer", minimum_value=1, maximum_value=3, required=False), None) is None


def test_no_pattern_can_hang() -> None:
    with pytest.raises(ParameterError, match="does not match"):
        read(Parameter(name="p", pattern="(a+)+$"), "a" * 50_000 + "b")


@given(st.lists(st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\0"))))
def test_a_list_keeps_every_text_as_it_is(texts: list[str]) -> None:
    assert read(Parameter(name="p", holds="list", required=False), texts) == tuple(dict.fromkeys(texts))


def test_labels_say_what_was_chosen() -> None:
    season = Parameter(
        name="season", holds="list", choices=(Choice(value="s", label="Summer"), Choice(value="w", label="Winter"))
    )
    many = Parameter(name="ids", kind="integer", holds="list")
    report = report_of(parameters=[season, many], locale="de_DE")
    found = bind(report, {"season": ["w", "s"], "ids": list(range(1000, 3000))})
    assert found.labels["season"] == "Winter, Summer"
    assert found.labels["ids"].startswith("1000, 1001, ")
    assert found.labels["ids"].endswith(" … (2000)")
    assert dict(found.by_name) | {"ids": ()} == {"season": ("w", "s"), "season_count": 2, "ids": (), "ids_count": 2000}


@pytest.mark.parametrize("kind", VALUE_KINDS, ids=lambda kind: kind.name)
def test_what_a_kind_offers_is_of_the_kind_and_is_held_by_the_engine_as_by_arrow(kind: ValueKind) -> None:
    texts = (kind.sample, kind.first_choice, *(() if kind.is_moment else (kind.default,)))
    values = [read_scalar(kind.name, text) for text in texts]
    held = pa.array(values, arrow_type(ValueType(kind.name, 38 if kind.name == "decimal" else 0, 10)))
    assert held.to_pylist() == values
    own = duckdb.sql(f"select cast(null as {kind.sql}) as value").to_arrow_table().schema.field("value").type
    assert own == held.type
    assert Parameter(name="p", kind=kind.name).controls == kind.controls
    assert Parameter(name="p", kind=kind.name, default=kind.default).default == kind.default


@pytest.mark.parametrize("kind", VALUE_KINDS, ids=lambda kind: kind.name)
def test_a_value_of_no_kind_is_answered_with_what_to_write(kind: ValueKind) -> None:
    with pytest.raises(ValueError, match=f"is no {kind.name}; write .*{re.escape(kind.example)}"):
        read_scalar(kind.name, ["neither", "nor"])


@pytest.mark.parametrize("kind", VALUE_KINDS, ids=lambda kind: kind.name)
def test_only_what_has_an_order_has_limits_and_ranges(kind: ValueKind) -> None:
    for fits, changes in (
        (kind.is_ordered, {"minimum_value": kind.sample}),
        (kind.is_ordered, {"holds": "range"}),
        (kind.name == "text", {"pattern": "x"}),
    ):
        with nullcontext() if fits else pytest.raises(ValidationError):
            Parameter(name="p", kind=kind.name, **changes)
