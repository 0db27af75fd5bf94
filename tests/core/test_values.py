"""Parameter values: typed from texts, defaults, and clear refusals."""

from datetime import date, datetime
from decimal import Decimal

import pytest

from northmoor.core.errors import ParameterError
from northmoor.core.model.data import Choice, Parameter
from northmoor.core.sources.values import bind, read_value
from tests.helpers import report_of


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
    read = read_value(Parameter(name="p", kind=kind), text)
    assert read == value
    assert type(read) is type(value)


@pytest.mark.parametrize(
    ("kind", "text"),
    [
        ("integer", "1.5"), ("integer", "9" * 30), ("integer", ""), ("decimal", "12,5"), ("decimal", "NaN"),
        ("float", "inf"), ("date", "2025-02-30"), ("date", "03/04/2025"), ("timestamp", "noon"),
        ("timestamp", "2025-01-01T00:00+02:00"), ("boolean", "perhaps"), ("text", "a\x00b"),
    ],
)  # fmt: skip
def test_other_texts_are_refused_with_an_example(kind: str, text: str) -> None:
    with pytest.raises(ParameterError, match=f"Parameter p: .* is no {kind}; write"):
        read_value(Parameter(name="p", kind=kind), text)


def test_defaults_fill_in_and_given_values_win() -> None:
    report = report_of(parameters=[Parameter(name="year", kind="integer", default=2025), Parameter(name="port")])
    assert dict(bind(report, {"port": "SK"}).by_name) == {"year": 2025, "port": "SK"}
    assert bind(report, {"port": "SK", "year": "2024"}).by_name["year"] == 2024


def test_what_is_missing_unknown_or_not_in_the_list_is_told() -> None:
    season = Parameter(name="season", choices=(Choice(value="s", label="Summer"), Choice(value="w", label="Winter")))
    report = report_of(parameters=[season])
    with pytest.raises(ParameterError, match="Parameter season: A value is missing"):
        bind(report, {})
    with pytest.raises(ParameterError, match="Did you mean season"):
        bind(report, {"seasn": "s"})
    with pytest.raises(ParameterError, match="choose one of s, w"):
        bind(report, {"season": "x"})
    assert bind(report, {"season": "w"}).labels["season"] == "Winter"


def test_the_data_time_is_a_value_like_any_other() -> None:
    assert bind(report_of(), {"data_time": "2026-01-01T06:00"}).data_time == datetime(2026, 1, 1, 6)
