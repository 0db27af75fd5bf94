"""Coercion: what any column of loose values becomes, and that nothing is changed on the way."""

from datetime import date, datetime, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.engine.arrow_types import UNKNOWN_SCALE, concat_chunks, type_of_values, untyped_array
from northmoor.core.model.kinds.value_types import ValueType
from northmoor.core.sources.typing.coercion import CoercionError, coerce

DUBLIN = ZoneInfo("Europe/Dublin")
LOOSE = (
    st.none()
    | st.integers(-(2**63), 2**63 - 1)
    | st.floats(allow_nan=False)
    | st.text(max_size=8)
    | st.binary(max_size=4)
)


def mended(values: list, kind: str) -> list:
    return coerce(concat_chunks([untyped_array(values)]), ValueType.parse(kind), DUBLIN).to_pylist()


@given(st.lists(LOOSE, max_size=30))
def test_any_values_can_be_held_and_read_as_text(values: list) -> None:
    raw = concat_chunks([untyped_array(values[:7]), untyped_array(values[7:])])
    assert len(raw) == len(values)
    texts = coerce(raw, ValueType("text"), DUBLIN).to_pylist()
    assert [t is None for t in texts] == [v is None for v in values]
    assert type_of_values(raw).kind in ("text", "integer", "float")


@given(st.lists(st.integers(-(10**15), 10**15) | st.none(), min_size=1, max_size=30))
def test_integers_stay_exact_as_integers_texts_and_decimals(values: list) -> None:
    texts = [None if v is None else str(v) for v in values]
    assert mended(values, "integer") == values
    assert mended(texts, "integer") == values
    assert mended(values, "decimal(18,2)") == [None if v is None else Decimal(v) for v in values]


@given(st.lists(st.decimals(-(10**10), 10**10, places=3), min_size=1, max_size=30), st.booleans())
def test_decimals_stay_exact_from_doubles_and_texts(values: list, as_text: bool) -> None:
    raw = [str(v) if as_text else float(v) for v in values]
    assert mended(raw, "decimal(15,3)") == values


@given(st.decimals(-(10**6), 10**6, places=5).filter(lambda v: v != round(v, 2)))
def test_a_decimal_that_would_be_rounded_is_unfit(value: Decimal) -> None:
    for raw in (str(value), float(value)):
        with pytest.raises(CoercionError):
            mended([raw], "decimal(12,2)")


@given(st.datetimes(datetime(1900, 1, 1), datetime(2100, 1, 1)))
def test_texts_without_an_offset_are_wall_time_as_written(moment: datetime) -> None:
    assert mended([moment.isoformat(" ")], "timestamp") == [moment]
    assert mended([moment.date().isoformat()], "date") == [moment.date()]


@given(st.integers(0, 4_000_000_000))
def test_unix_seconds_and_offsets_are_moved_to_the_reports_zone(seconds: int) -> None:
    wall = datetime.fromtimestamp(seconds, DUBLIN)
    assert mended([seconds], "timestamp") == [wall.replace(tzinfo=None)]
    assert mended([wall.isoformat()], "timestamp") == [wall.replace(tzinfo=None)]


@given(st.datetimes(datetime(1980, 1, 1), datetime(2080, 1, 1)))
def test_julian_days_are_exact_to_the_millisecond(moment: datetime) -> None:
    days = (moment - datetime(1970, 1, 1)) / timedelta(days=1) + 2_440_587.5
    (found,) = coerce(pa.array([days]), ValueType("timestamp"), ZoneInfo("UTC")).to_pylist()
    assert abs(found - moment) <= timedelta(milliseconds=1)


def test_hours_that_happen_twice_or_never_are_read_as_written() -> None:
    assert mended(["2025-10-26 01:30", "2025-03-30 01:30"], "timestamp") == [
        datetime(2025, 10, 26, 1, 30),
        datetime(2025, 3, 30, 1, 30),
    ]
    assert mended(["2025-03-30T00:59:59Z", "2025-03-30T01:00:00Z"], "timestamp") == [
        datetime(2025, 3, 30, 0, 59, 59),
        datetime(2025, 3, 30, 2, 0),
    ]


@pytest.mark.parametrize(
    ("kind", "values", "row"),
    [
        ("integer", [1, None, 1.5], 2),
        ("float", ["1.5", "x"], 1),
        ("date", ["2025-01-01", "2025-02-29"], 1),
        ("timestamp", ["2025-01-01 25:00"], 0),
        ("boolean", ["yes", "no", "perhaps"], 2),
        ("decimal(4,2)", [1, 100], 1),
        ("decimal(4,2)", [1.5, 1e300], 1),
    ],
)
def test_the_first_value_that_does_not_fit_is_reported_with_its_row(kind: str, values: list, row: int) -> None:
    with pytest.raises(CoercionError) as caught:
        mended(values, kind)
    assert caught.value.row == row


def test_empty_texts_and_nulls_are_blank_in_every_kind_but_text() -> None:
    for kind in ("integer", "float", "decimal(9,2)", "date", "timestamp", "boolean"):
        assert mended(["", None], kind) == [None, None]
        assert mended([None, None], kind) == [None, None]
    assert mended(["", None], "text") == ["", None]


def test_words_for_yes_and_no() -> None:
    assert mended(["1", "0", "true", "False", "t", "no", None], "boolean") == [
        True,
        False,
        True,
        False,
        True,
        False,
        None,
    ]
    assert mended([1, 0], "boolean") == [True, False]
    assert mended([date(2025, 1, 1).isoformat()], "date") == [date(2025, 1, 1)]


@pytest.mark.parametrize(
    ("raw", "kind", "wanted"),
    [
        (pa.array([Decimal("1.5"), None], pa.decimal128(5, 1)), "decimal(18,3)", [Decimal("1.500"), None]),
        (pa.array([Decimal("1.5")], pa.decimal128(5, 1)), "float", [1.5]),
        (pa.array([Decimal("1.5")], pa.decimal128(5, 1)), "text", ["1.5"]),
        (pa.array(["1.50", "-0.01"]), "decimal(18,2)", [Decimal("1.50"), Decimal("-0.01")]),
        (pa.array(["7", None]), "integer", [7, None]),
        (pa.array([7], pa.uint8()), "integer", [7]),
        (pa.array(["2.5e3"]), "float", [2500.0]),
        (pa.array([date(2025, 1, 2)]), "timestamp", [datetime(2025, 1, 2)]),
        (pa.array([date(2025, 1, 2)]), "text", ["2025-01-02"]),
        (pa.array([datetime(2025, 6, 30, 23, 30)], pa.timestamp("us", "UTC")), "timestamp", [datetime(2025, 7, 1, 0, 30)]),
        (pa.array([datetime(2025, 6, 30, 23, 30)], pa.timestamp("us", "UTC")), "date", [date(2025, 7, 1)]),
        (pa.array([datetime(2025, 6, 30, 23, 30)], pa.timestamp("ns")), "date", [date(2025, 6, 30)]),
        (pa.array(["2025-06-30 23:30:00"]), "timestamp", [datetime(2025, 6, 30, 23, 30)]),
        (pa.array(["2025-06-30T23:30:00Z"]), "timestamp", [datetime(2025, 7, 1, 0, 30)]),
        (pa.array([True, None]), "boolean", [True, None]),
        (pa.array(["t", "0", "1.0", "0.0"]), "boolean", [True, False, True, False]),
        (pa.array([2**53 + 1]), "float", [float(2**53)]),
        (pa.array([0.5, None], pa.float32()), "float", [0.5, None]),
        (pa.array([str(-(2**63)), f"{2**63 - 1}.0"]), "integer", [-(2**63), 2**63 - 1]),
        (pa.array(["1735700400"]), "timestamp", [datetime(2025, 1, 1, 3)]),
        (pa.array(["2460676.5"]), "timestamp", [datetime(2025, 1, 1)]),
        (pa.array([2460858.25]), "timestamp", [datetime(2025, 7, 1, 19)]),
        (pa.array([datetime(1, 1, 1), datetime(9999, 12, 31, 23, 59)]), "timestamp", [datetime(1, 1, 1), datetime(9999, 12, 31, 23, 59)]),
    ],
)  # fmt: skip
def test_typed_columns_of_servers_and_files_become_what_is_wanted(raw: pa.Array, kind: str, wanted: list) -> None:
    assert coerce(raw, ValueType.parse(kind), DUBLIN).to_pylist() == wanted


@pytest.mark.parametrize(
    ("raw", "kind", "row"),
    [
        (pa.array([Decimal("1.25"), Decimal("1.2"), Decimal("9.99")], pa.decimal128(5, 2)), "decimal(18,1)", 0),
        (pa.array(["1.2", "3", "4.55", "5"]), "decimal(18,1)", 2),
        (pa.array([1, 2, 2**63], pa.uint64()), "integer", 2),
        (pa.array([9_999, 10_000]), "decimal(6,2)", 1),
        (pa.array([1.0, -9_999.99, 10_000.0]), "decimal(6,2)", 2),
        (pa.array(["1.0", f"{-(2**63) - 1}.0"]), "integer", 1),
        (pa.array(["1.0", f"{2**63}.0"]), "integer", 1),
        (pa.array(["1", "x"]), "integer", 1),
        (pa.array([0, 400_000_000_000_000_000], pa.timestamp("us")), "timestamp", 1),
        (pa.array([0, 2**31 - 1], pa.date32()), "date", 1),
        (pa.array(["2025-02-30"]), "date", 0),
        (pa.array(["yes", "perhaps"]), "boolean", 1),
    ],
)  # fmt: skip
def test_the_first_value_that_does_not_fit_is_named(raw: pa.Array, kind: str, row: int) -> None:
    with pytest.raises(CoercionError) as caught:
        coerce(raw, ValueType.parse(kind), DUBLIN)
    assert caught.value.row == row


@given(st.lists(st.decimals(-(10**25), 10**25, places=6) | st.none(), min_size=1, max_size=30))
def test_decimals_without_declared_places_keep_every_digit(values: list) -> None:
    texts = pa.array([None if v is None else str(v) for v in values], pa.string())
    assert coerce(texts, ValueType("decimal", 38, UNKNOWN_SCALE), DUBLIN).to_pylist() == values
