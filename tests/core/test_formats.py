"""CLDR formats: the fast way gives what Babel gives."""

import re
from datetime import date, datetime, time
from decimal import Decimal

import duckdb
import numpy as np
import pyarrow as pa
import pytest
from babel.dates import format_date, format_datetime
from babel.numbers import parse_pattern
from hypothesis import assume, example, given, settings
from hypothesis import strategies as st

from northmoor.core.errors import ExpressionError
from northmoor.core.expr.formats import FormatLocale, even_pattern, format_one, format_values
from northmoor.core.expr.lazy_texts import lazy_texts
from northmoor.core.layout.text.shaping import Shaper
from tests.helpers import examples

LOCALES = st.sampled_from(["en_IE", "de_DE", "fr_FR", "pl_PL", "sv_SE", "en_IN", "de_CH", "fi_FI"])
NUMBER_PATTERNS = st.sampled_from(
    [
        "#,##0",
        "#,##0.00",
        "0",
        "0.0##",
        "¤#,##0.00",
        "#,##0.00 ¤;(#,##0.00 ¤)",
        "#,##0 %",
        "000",
        "0.00E0",
        "#,##,##0.0",
        "+#,##0;-#,##0",
    ]
)
MOMENT_PATTERNS = st.sampled_from(
    [
        "d MMM y",
        "EEEE, d. MMMM yyyy",
        "yyyy-MM-dd",
        "LLLL",
        "QQQ y",
        "'Week' w",
        "d.M.yy HH:mm:ss",
        "h:mm a",
        "HH'h'mm",
        "MMMMM EEEEE",
        "H.mm B",
    ]
)


@pytest.mark.parametrize(
    ("pattern", "locale", "text", "written"),
    [("upper", "en_IE", "Quay o'Neill", "QUAY O'NEILL"), ("upper", "tr_TR", "istanbul", "İSTANBUL"),
     ("lower", "tr_TR", "QUAYI", "quayı"), ("words", "en_IE", "OLD o'neill-QUAY", "Old O'neill-Quay"),
     ("sentence", "en_IE", "old QUAY", "Old QUAY"), ("groups:2 4", "en_IE", "DE125 00105", "DE 1250 0105"),
     ("first:8", "en_IE", "Tarrow Quay", "Tarrow Q…"), ("first:7", "en_IE", "Tarrow Quay", "Tarrow…"),
     ("first:11", "en_IE", "Tarrow Quay", "Tarrow Quay"), ("last:4", "en_IE", "123456", "••3456"),
     ("last:4", "en_IE", "56", "56"), ("#,##0", "en_IE", "of numbers", "of numbers")],
)  # fmt: skip
def test_texts_are_written_by_patterns_of_their_own(pattern: str, locale: str, text: str, written: str) -> None:
    found = format_values(pa.array([text, None, text]), pattern, FormatLocale(locale))
    assert [each.replace("\u00a0", " ") for each in found.to_pylist()] == [written, "", written]


@given(st.text(max_size=40), st.lists(st.integers(1, 99), min_size=1, max_size=10))
def test_groups_lose_no_character(text: str, counts: list[int]) -> None:
    written = format_one(text, f"groups:{' '.join(map(str, counts))}", FormatLocale())
    assert written.replace("\u00a0", "") == "".join(text.split())


@given(st.decimals(-(10**15), 10**15, places=4) | st.integers(-(10**12), 10**12), NUMBER_PATTERNS, LOCALES)
@example(Decimal("0.0001"), "0.00E0", "sv_SE")  # whose exponent has the locale's minus sign
@example(Decimal("0.0051"), "¤#,##0.00", "de_CH")  # whose sign of the euro is of letters
def test_numbers_as_babel_writes_them(value: Decimal | int, pattern: str, locale: str) -> None:
    ours = format_one(value, pattern, FormatLocale(locale, "EUR")).replace("−", "-")
    theirs = by_babel(value, pattern, locale).replace("−", "-")
    assume("E" not in pattern or not re.match("-?10[.,]", theirs))  # Babel rounds up to ten, and writes that
    if ours != theirs:  # only the sign of what rounds to zero is left out
        assert not any(c in "123456789" for c in theirs)
        assert ours == by_babel(0, pattern, locale)


def by_babel(value: Decimal | int, pattern: str, locale: str) -> str:
    """What Babel writes, with the space between a currency of letters and digits that CLDR wants and Babel leaves out."""
    text = parse_pattern(pattern).apply(value, locale, currency="EUR", currency_digits=False)
    return re.sub(r"(?<=EUR)(?=\d)|(?<=\d)(?=EUR)", "\u00a0", text)


def test_the_minus_sign_is_the_locales() -> None:
    assert format_one(-1, "0", FormatLocale("sv_SE")) == "−1"
    assert format_one(-1, "0.0E0", FormatLocale("sv_SE")) == "−1,0×10^0"
    assert format_one(-1, "0", FormatLocale("en_IE")) == "-1"


@given(st.floats(-1e9, 1e9, allow_nan=False).map(lambda v: round(v, 6)), LOCALES)
def test_floats_are_written_by_their_shortest_decimal(value: float, locale: str) -> None:
    assert format_one(value, "#,##0.00", FormatLocale(locale)) == format_one(
        Decimal(repr(value)), "#,##0.00", FormatLocale(locale)
    )


@given(st.datetimes(datetime(1970, 1, 1), datetime(2100, 1, 1)), MOMENT_PATTERNS, LOCALES)
def test_moments_as_babel_writes_them(value: datetime, pattern: str, locale: str) -> None:
    value = value.replace(microsecond=0)
    assert format_one(value, pattern, FormatLocale(locale)) == format_datetime(value, pattern, locale=locale)


@given(st.dates(date(1900, 1, 1)), st.sampled_from(["d MMM y", "EEE d", "yyyy-MM-dd", "qqqq"]), LOCALES)
def test_dates_as_babel_writes_them(value: date, pattern: str, locale: str) -> None:
    assert format_one(value, pattern, FormatLocale(locale)) == format_date(value, pattern, locale=locale)


def test_half_goes_to_even_and_zero_has_no_sign() -> None:
    format_locale = FormatLocale()
    assert [format_one(Decimal(v), "0.0", format_locale) for v in ("0.25", "0.35", "-0.04", "-0.06")] == [
        "0.2",
        "0.4",
        "0.0",
        "-0.1",
    ]


def test_all_digits_of_large_decimals_are_kept() -> None:
    value = Decimal("123456789012345678901234567890.12")
    assert format_one(value, "#,##0.00", FormatLocale()) == "123,456,789,012,345,678,901,234,567,890.12"


def test_defaults_suit_the_type() -> None:
    format_locale = FormatLocale()
    values = [1234567, Decimal("1234.5"), 0.125, date(2025, 9, 3), datetime(2025, 9, 3, 6, 5), True, None, "a"]
    assert [format_one(v, None, format_locale) for v in values] == [
        "1,234,567", "1,234.5", "0.125", "3 Sept 2025", "3 Sept 2025 06:05", "yes", "", "a",
    ]  # fmt: skip


def test_a_column_is_written_in_its_order_with_blanks() -> None:
    values = pa.chunked_array([pa.array([3, None]), pa.array([1, 3])])
    assert format_values(values, "0.0", FormatLocale("de_DE")).to_pylist() == ["3,0", "", "1,0", "3,0"]


def test_the_reports_currency_does_not_depend_on_the_machine() -> None:
    assert format_one(Decimal("1.5"), "¤#,##0.00", FormatLocale("en_IE", "EUR")) == "€1.50"
    assert format_one(Decimal("1.5"), "#,##0.00 ¤", FormatLocale("de_DE", "NOK")) == "1,50 NOK"


def test_zone_names_come_from_the_reports_zone() -> None:
    assert format_one(datetime(2025, 7, 1, 12), "HH:mm zzz", FormatLocale(time_zone="Europe/Paris")).startswith(
        "12:00 "
    )


@pytest.mark.parametrize(("value", "pattern"), [(1, "yyyy"), (Decimal(1), "abc"), (date(2025, 1, 1), "HH:mm")])
def test_a_pattern_that_does_not_fit_is_reported(value: object, pattern: str) -> None:
    with pytest.raises(ExpressionError):
        format_one(value, pattern, FormatLocale())


@pytest.mark.parametrize(
    ("name", "value", "text"),
    [
        ("thousands:#,##0.0", 12_345, "12.3"), ("millions:#,##0.00", Decimal("-1234567.89"), "-1.23"),
        ("thousands:#,##0", -499, "0"), ("thousands: #", 2_000, " 2"),
        ("compact", 12_423, "12.4K"), ("compact", Decimal("-1240000"), "-1.2M"), ("compact-long", 5_100, "5.1 thousand"),
        ("accounting", Decimal("-12.5"), "(€12.50)"), ("accounting", 3, "€3.00"), ("percent", 0.125, "12%"),
        ("currency", Decimal("1204.5"), "€1,204.50"), ("duration", 3909, "1:05:09"), ("duration-minutes", 1590, "26:30"),
        ("duration-hours", -1.5, "-1:30"), ("duration", float("nan"), "–"),
    ],
)  # fmt: skip
def test_named_patterns_are_the_locales_own(name: str, value: object, text: str) -> None:
    assert format_one(value, name, FormatLocale()) == text


@settings(max_examples=examples(20))
@given(
    st.lists(st.decimals(-(10**11), 10**11, places=3), min_size=250, max_size=300, unique=True),
    NUMBER_PATTERNS,
    LOCALES,
)
def test_long_columns_are_written_as_single_values_are(values: list[Decimal], pattern: str, locale: str) -> None:
    format_locale = FormatLocale(locale)
    column = pa.array(values, pa.decimal128(18, 3))
    assert format_values(column, pattern, format_locale).to_pylist() == [
        format_values(pa.array([v], pa.decimal128(18, 3)), pattern, format_locale)[0].as_py() for v in values
    ]
    whole = pa.array([int(v) for v in values])
    assert format_values(whole, pattern, format_locale).to_pylist() == [
        format_one(int(v), pattern, format_locale) for v in values
    ]


@pytest.mark.parametrize("pattern", ["¤#,##0.00;-¤#,##0.00", "#,##0.00¤;#,##0.00¤-", "#,##0.0"])
def test_long_columns_have_the_spaces_of_currencies_and_signs(pattern: str) -> None:
    format_locale = FormatLocale("en_IE", "NOK")
    values = [Decimal(n) / 4 for n in range(-300, 300)]
    single = [format_one(value, pattern, format_locale) for value in values]
    for column in (pa.array(values), pa.array(values, pa.decimal128(38, 10)), pa.array(map(float, values))):
        assert format_values(column, pattern, format_locale).to_pylist() == single
    assert format_one(Decimal(-1), "¤#,##0.00;-¤#,##0.00", format_locale) == "-NOK\u00a01.00"


@pytest.mark.parametrize("kind", [pa.string(), pa.large_string()])
def test_texts_are_as_they_are_and_nothing_is_empty(kind: pa.DataType) -> None:
    assert format_values(pa.array(["b", None, "a"], kind), None, FormatLocale()).to_pylist() == ["b", "", "a"]


def test_times_of_day_have_patterns_of_their_own() -> None:
    assert format_one(time(6, 5), "HH:mm", FormatLocale()) == "06:05"
    assert format_one(time(18, 30), None, FormatLocale("en_US")) == "6:30\u202fPM"
    with pytest.raises(ExpressionError, match="asks for a date"):
        format_one(time(6, 5), "d MMM HH:mm", FormatLocale())


@pytest.mark.parametrize(
    ("sql", "pattern"),
    [
        ("(i * 7919) % 1000003 - 300000", None),
        ("cast((i * 7919) % 1000003 / 7 - 9000 as decimal(12, 2))", "¤#,##0.00;(¤#,##0.00)"),
        ("timestamp '2019-03-05 04:05' + interval (i * 3461) second", None),
        ("timestamp '2019-03-05 04:05' + interval (i * 1461) second", "EEEE d MMMM y, H:mm:ss"),
    ],
)
def test_texts_written_later_are_the_same_and_the_widest_is_known(sql: str, pattern: str | None) -> None:
    values = duckdb.sql(f"select case when i % 97 > 0 then {sql} end as v from range(25000) t(i)").to_arrow_table()
    column = values.column(0).combine_chunks()
    format_locale = FormatLocale("de_DE", "EUR")
    later = lazy_texts(column, pattern, format_locale)
    assert later is not None
    texts = pa.array(format_values(column, pattern, format_locale).to_pylist())
    assert later.slice(0, 25000).equals(texts)
    at_once, bit_by_bit = Shaper("IBMPlexSans-Regular"), Shaper("IBMPlexSans-Regular")
    lines, _ = at_once.add_column(texts)
    found = bit_by_bit.add_deferred(later)
    assert found is not None
    numbers, among = found
    assert max(bit_by_bit.widths(among, 9000)) == max(at_once.widths(lines, 9000))
    some = np.array([24_999, 3, 17, 12_000, 96])
    assert [bit_by_bit.text(n) for n in numbers[some].tolist()] == texts.take(pa.array(some)).to_pylist()
    assert bit_by_bit.widths(numbers, 9000).tolist() == at_once.widths(lines, 9000).tolist()
    uneven = "d MMM s" if pa.types.is_timestamp(column.type) else "0.##"
    assert lazy_texts(column, uneven, format_locale) is None


@pytest.mark.parametrize(
    ("columns", "pattern"),
    [
        ([[1.0, 2.0, None]], "#,##0"),
        ([[1.5, 2.25], [3.0]], "#,##0.00"),
        ([[0.5, float("inf"), float("nan")]], "#,##0.0"),
        ([[1 / 3]], "#,##0.000"),
        ([[0.1 + 0.2]], "#,##0.0"),
        ([[]], "#,##0"),
    ],
)
def test_doubles_have_as_many_places_as_any_of_them_needs(columns: list[list[float]], pattern: str) -> None:
    assert even_pattern([pa.array(values, pa.float64()) for values in columns]) == pattern


def test_only_doubles_have_their_places_looked_for() -> None:
    assert even_pattern([pa.array([1.5]), pa.array([1])]) is None
    assert even_pattern([pa.array(["a"])]) is None


def test_long_texts_and_what_is_no_number_are_written_as_they_are() -> None:
    numbers = pa.array([float("inf"), float("-inf"), float("nan")])
    for values, wanted in ((pa.array(["a", "b"], pa.large_string()), ["a", "b"]), (numbers, ["∞", "−∞", "–"])):
        assert [str(text) for text in format_values(values, None, FormatLocale()).to_pylist()] == wanted
