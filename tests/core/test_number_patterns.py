"""Number patterns against ICU, with the signs of thirty locales; and what of them ICU leaves to us."""

from decimal import Decimal

import icu
import pyarrow as pa
import pytest
from hypothesis import assume, example, given
from hypothesis import strategies as st

from northmoor.core.errors import ExpressionError
from northmoor.core.expr.formats import FormatLocale, format_one, format_values
from northmoor.core.expr.number_patterns import NumberSigns, pattern_writer, read_number_pattern, signs_of

LOCALES = ("en_IE", "de_DE", "fr_FR", "pl_PL", "sv_SE", "en_IN", "de_CH", "fi_FI", "nb_NO", "da_DK", "it_IT", "es_ES",
           "pt_PT", "pt_BR", "nl_NL", "cs_CZ", "hu_HU", "ro_RO", "bg_BG", "el_GR", "uk_UA", "tr_TR", "he_IL", "fa_IR",
           "ar_EG", "hi_IN", "th_TH", "ja_JP", "ko_KR", "zh_CN")  # fmt: skip
SYMBOLS = icu.DecimalFormatSymbols
AFFIXES = st.sampled_from(
    [
        "",
        "",
        "",
        "'%'",
        "%",
        "‰",
        "-",
        "+",
        "'x'",
        "(",
        ")",
        "''",
        " ",
        "' kg'",
        "'#'",
        "a",
        "'it''s'",
        "'‰'",
    ]
)
DIGITS = st.sampled_from(
    ["0", "#", "#,##0", "00", "#,##,##0", "000", "#,####0", "##0", "####0", "5", "#,#50", "25", "#0"]
).flatmap(lambda whole: st.sampled_from(["", ".00", ".0##", ".#", ".##", ".000", ".05", ".25"]).map(whole.__add__))
SIGNIFICANT = st.sampled_from(["@", "@@", "@@#", "@##", "#@", "#,@@#"])
EXPONENTS = st.sampled_from(["", "", "", "E0", "E00", "E+0", "E+00"])
PATTERNS = st.builds(
    lambda pads, before, digits, exponent, after, negative: (
        f"{pads}{before}{digits}{exponent if ',' not in digits else ''}{after}{negative}"
    ),
    st.sampled_from(["", "", "", "*x", "*_"]), AFFIXES, DIGITS | SIGNIFICANT, EXPONENTS, AFFIXES,
    st.just("") | st.builds("; {}#{}".format, AFFIXES, AFFIXES),
)  # fmt: skip
NUMBERS = st.builds(
    lambda digits, places: Decimal(digits).scaleb(-places),
    st.integers(-(10**9), 10**9) | st.sampled_from([0, 5, -5, 15, 25, 995, 99_995, 100_000, -1]),
    st.integers(0, 9),
)


def by_icu(pattern: str, value: Decimal, signs: NumberSigns) -> str:
    symbols = SYMBOLS(icu.Locale("en@numbers=latn"))
    for name, sign in (
        ("kDecimalSeparatorSymbol", signs.decimal), ("kGroupingSeparatorSymbol", signs.group),
        ("kMonetarySeparatorSymbol", signs.decimal), ("kMinusSignSymbol", signs.minus),
        ("kPlusSignSymbol", signs.plus), ("kPercentSymbol", signs.percent), ("kPerMillSymbol", signs.per_mille),
        ("kExponentialSymbol", signs.exponential), ("kCurrencySymbol", signs.currencies[0]),
        ("kIntlCurrencySymbol", signs.currencies[1]),
    ):  # fmt: skip
        symbols.setSymbol(getattr(SYMBOLS, name), sign)
    text: str = icu.DecimalFormat(pattern, symbols).format(int(value) if value == int(value) else float(value))
    return text


@given(PATTERNS, NUMBERS, st.sampled_from(LOCALES))
@example("#,##0.00 '%'", Decimal("44400.66"), "en_IE")
@example("##0.##E0", Decimal("12345"), "en_IE")
@example("#,##0.25", Decimal("1.37"), "de_DE")
def test_every_pattern_is_followed_as_icu_does(pattern: str, value: Decimal, locale: str) -> None:
    signs = signs_of(locale, "EUR", False)
    write = pattern_writer(read_number_pattern(pattern), signs)
    is_unsigned = write(value) == write(-value)  # what rounds to zero has no sign with us
    assume(is_unsigned or by_icu(pattern, -value, signs) != by_icu(pattern, value, signs))
    assert write(value) == by_icu(pattern, abs(value) if is_unsigned else value, signs)


@given(PATTERNS, st.integers(1, 10**9), st.sampled_from(LOCALES))
def test_columns_are_written_as_single_numbers_are(pattern: str, step: int, locale: str) -> None:
    known = FormatLocale(locale, "CHF")
    values = [Decimal((n - 100) * step).scaleb(-3) for n in range(230)]
    column = pa.array(values, pa.decimal128(18, 3))
    assert format_values(column, pattern, known).to_pylist() == [format_one(v, pattern, known) for v in values]


@pytest.mark.parametrize(
    ("pattern", "value", "text"),
    [
        ("#,##0.00 '%'", Decimal("44400.66"), "44,400.66 %"),
        ("0 '‰'", 7, "7 ‰"),
        ("0 %", Decimal("0.07"), "7 %"),
        ("'100%:' 0%", Decimal("0.5"), "100%: 50%"),
        ("'¤' 0", 3, "¤ 3"),
        ("¤0", 3, "CHF\u00a03"),
        ("0¤", 3, "3\u00a0CHF"),
        ("0 'o''clock'", 3, "3 o'clock"),
        ("*_#,##0", 42, "___42"),
        ("@@#", Decimal("123.456"), "123"),
        ("#,##0.05", Decimal("1.32"), "1.30"),
        ("0.0;(0.0)", Decimal("-1.25"), "(1.2)"),
        ("0;0", -1, "-1"),  # a pattern for negatives that is no other keeps its sign
        ("0.00", Decimal("-0.001"), "0.00"),
    ],
)
def test_literals_signs_steps_and_padding(pattern: str, value: Decimal | int, text: str) -> None:
    assert format_one(value, pattern, FormatLocale("en_IE", "CHF")) == text


@pytest.mark.parametrize(
    "pattern", ["abc", "''", "0#", "0.#0", "0 0", "#,", "#,,0", "0E", "'0", "*", "#,##0E0", "0;0;0", "*a0*b"]
)
def test_what_is_no_pattern_is_refused(pattern: str) -> None:
    with pytest.raises(ExpressionError, match="is no pattern for numbers"):
        format_one(1, pattern, FormatLocale())
