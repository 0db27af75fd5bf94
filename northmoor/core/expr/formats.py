"""Values to text by CLDR patterns (Unicode TS 35) and the report's locale, a whole column at a time.

Patterns of numbers are those of `number_patterns`; the usual ones are applied to whole columns by `number_formatting`.
Dates are written with Babel, each field once for each distinct thing that it depends on. Rounding is half to even.
Patterns of texts are those of `text_patterns`.
"""

from collections.abc import Callable, Sequence
from datetime import date, datetime, time
from decimal import ROUND_HALF_EVEN, Context, Decimal, localcontext
from functools import lru_cache
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from babel.dates import DateTimeFormat, get_date_format, get_time_format, tokenize_pattern
from babel.dates import parse_pattern as parse_datetime_pattern
from msgspec import Struct

from northmoor.core.errors import ExpressionError
from northmoor.core.expr.named_patterns import NAMED, cldr_pattern, named_writer
from northmoor.core.expr.number_formatting import DecimalPattern, format_decimals
from northmoor.core.expr.number_patterns import (
    NumberPattern,
    affix_text,
    pattern_writer,
    read_number_pattern,
    signs_of,
)
from northmoor.core.expr.text_concat import concat, scalar
from northmoor.core.expr.text_patterns import text_writer

_LONGEST_PATTERN = 100
_MANY = 200
"""Columns of more distinct numbers are written as columns."""
_DIGITS = Context(prec=60, rounding=ROUND_HALF_EVEN)


class FormatLocale(Struct, frozen=True):
    """What a report says about writing values: CLDR locale, ISO 4217 currency, IANA time zone."""

    locale: str = "en_IE"
    currency: str = "EUR"
    time_zone: str = "Europe/Dublin"


def format_values(values: pa.Array, pattern: str | None, format_locale: FormatLocale) -> pa.Array:
    """Each value as text, as an Arrow array of strings of the same length, which may be a dictionary's; null becomes
    the empty text.

    Raises ExpressionError when the pattern does not fit the values' type.
    """
    if pattern is not None and len(pattern) > _LONGEST_PATTERN:
        raise ExpressionError(f"A pattern has at most {_LONGEST_PATTERN} characters; this one has {len(pattern):,}.")
    if isinstance(values, pa.ChunkedArray):
        values = values.combine_chunks()
    if is_text_type(values.type) and (pattern is None or text_writer(pattern, format_locale.locale) is None):
        return pc.fill_null(values.cast(pa.string()), scalar(""))
    if pa.types.is_nested(values.type):
        return pa.array([_listed(value, pattern, format_locale) for value in values.to_pylist()], pa.string())
    encoded = values.dictionary_encode()
    texts = pa.array(_format_distinct(encoded.dictionary, pattern, format_locale), pa.string())
    if encoded.null_count:
        return pc.fill_null(texts.take(encoded.indices), scalar(""))
    return pa.DictionaryArray.from_arrays(encoded.indices, texts)


def is_text_type(kind: pa.DataType) -> bool:
    """Whether values of a type are texts."""
    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind))


def _listed(value: list[Any] | None, pattern: str | None, format_locale: FormatLocale) -> str:
    """A list as text, with commas."""
    return ", ".join(format_one(each, pattern, format_locale) for each in value or ())


def _format_distinct(values: pa.Array, pattern: str | None, format_locale: FormatLocale) -> Any:
    kind = values.type
    if pa.types.is_boolean(kind):
        true, false = _words(pattern)
        return [true if value else false for value in values.to_pylist()]
    if pa.types.is_date(kind) or pa.types.is_timestamp(kind):
        return _format_moments(values, pattern, format_locale)
    if pa.types.is_integer(kind) or pa.types.is_decimal(kind) or pa.types.is_floating(kind):
        pattern = cldr_pattern(pattern or default_number_pattern(kind), format_locale.locale)
        write = number_writer(pattern, format_locale.locale, format_locale.currency)
        usual = (
            None
            if pattern in NAMED
            else _as_usual_pattern(read_number_pattern(pattern), format_locale.locale, format_locale.currency)
        )
        if usual is not None and len(values) > _MANY and (written := format_decimals(values, usual)) is not None:
            return written
        with localcontext(_DIGITS):
            texts: list[str] = [write(value) for value in values.to_pylist()]
            return texts
    if pa.types.is_null(kind):
        return []
    write_text = text_writer(pattern, format_locale.locale) if pattern is not None and is_text_type(kind) else None
    if write_text is not None:
        return [write_text(value) for value in values.to_pylist()]
    if pa.types.is_time(kind):
        return [_time(value, pattern, format_locale) for value in values.to_pylist()]
    return [str(value) for value in values.to_pylist()]


def _time(value: time, pattern: str | None, format_locale: FormatLocale) -> str:
    """A time of day by a CLDR pattern."""
    pattern = pattern or str(get_time_format("short", format_locale.locale).pattern)
    if any(field in _BY_DATE for kind, text in _moment_tokens(pattern) if kind == "field" for field in text[0]):
        raise ExpressionError(f"The pattern {pattern!r} asks for a date; the value is a time of day.")
    return str(parse_datetime_pattern(pattern).apply(value, format_locale.locale))


def _words(pattern: str | None) -> tuple[str, str]:
    """The words for yes and no of a pattern such as ``open;closed``."""
    words = ("yes", "no") if pattern is None else tuple(word.strip() for word in pattern.split(";"))
    if len(words) != 2:
        raise ExpressionError(f"{pattern!r} does not fit yes and no; write two words, such as open;closed.")
    return words[0], words[1]


def default_number_pattern(kind: pa.DataType) -> str:
    """The pattern for numbers of a type where none is given."""
    if pa.types.is_integer(kind) or (pa.types.is_decimal(kind) and kind.scale == 0):
        return "#,##0"
    if pa.types.is_decimal(kind):
        return f"#,##0.{'0' * kind.scale}"
    return "#,##0.###"


_PLACES = 3


def even_pattern(columns: Sequence[pa.Array | pa.ChunkedArray]) -> str | None:
    """The pattern by which all numbers of some columns of doubles have as many places as any of them needs, at most
    three, so that their decimal signs are below one another; none for values of other types."""
    if not all(pa.types.is_floating(values.type) for values in columns):
        return None
    places = max(map(_places_needed, columns), default=0)
    return "#,##0" + "." * (places > 0) + "0" * places


def _places_needed(values: pa.Array | pa.ChunkedArray) -> int:
    numbers = values.drop_null().to_numpy()
    numbers = numbers[np.isfinite(numbers)]
    whole = np.round(numbers, _PLACES)
    near = 10.0 ** -(_PLACES + 2)
    return next(p for p in range(_PLACES + 1) if (np.abs(np.round(numbers, p) - whole) < near).all() or p == _PLACES)


def has_even_shape(kind: pa.DataType, pattern: str | None, format_locale: FormatLocale) -> bool:
    """Whether a number further from zero never has a shorter text by a pattern. Raises ExpressionError."""
    pattern = cldr_pattern(pattern or default_number_pattern(kind), format_locale.locale)
    if pattern in NAMED:
        return False
    usual = _as_usual_pattern(read_number_pattern(pattern), format_locale.locale, format_locale.currency)
    return usual is not None and usual.fewest == usual.most


@lru_cache(maxsize=256)
def number_writer(pattern: str, locale: str, currency: str) -> Callable[[int | float | Decimal], str]:
    """A function that writes one number by a CLDR pattern; call it within a decimal context that holds all digits.

    A value that rounds to zero is written without a sign. Raises ExpressionError for a text that is no pattern.
    """
    named = named_writer(pattern, locale)
    if named is not None:
        return lambda value: _not_finite(value) if isinstance(value, float) and value - value != 0 else named(value)
    parsed = read_number_pattern(pattern)
    usual = _as_usual_pattern(parsed, locale, currency)
    if usual is not None:
        return _usual_writer(usual)
    write_finite = pattern_writer(parsed, signs_of(locale, currency, parsed.has_currency))

    def write(value: int | float | Decimal) -> str:
        return _not_finite(value) if isinstance(value, float) and value - value != 0 else write_finite(_exact(value))

    return write


def _is_usual(parsed: NumberPattern) -> bool:
    digits = parsed.digits
    unusual = (digits.exponent_digits, digits.most_significant, digits.increment, parsed.scale, parsed.pad)
    return not any(unusual) and digits.fewest_whole == 1 and digits.group in (0, 3) and digits.outer_group in (0, 3)


def _as_usual_pattern(parsed: NumberPattern, locale: str, currency: str) -> DecimalPattern | None:
    """What a usual pattern says; None for an unusual one."""
    if not _is_usual(parsed):
        return None
    signs, digits = signs_of(locale, currency, parsed.has_currency), parsed.digits
    return DecimalPattern(
        digits.fewest_places, digits.most_places, signs.group if digits.group else "", signs.decimal,
        affix_text(parsed.prefix, signs, True), affix_text(parsed.suffix, signs, False),
        affix_text(parsed.negative_prefix, signs, True), affix_text(parsed.negative_suffix, signs, False),
    )  # fmt: skip


def _usual_writer(usual: DecimalPattern) -> Callable[[int | float | Decimal], str]:
    fewest, most = usual.fewest, usual.most
    signs = str.maketrans({",": usual.group, ".": usual.point})
    grouping = "," if usual.group else ""
    form, whole_form = f"{grouping}.{most}f", f"{grouping}d"

    def write(value: int | float | Decimal) -> str:
        if isinstance(value, float):
            if value - value != 0:
                return _not_finite(value)
            value = Decimal(repr(value))
        digits = format(value, form) if isinstance(value, Decimal) else format(value, whole_form)
        if isinstance(value, int) and most:
            digits += "." + "0" * most
        negative = digits[0] == "-"
        if negative:
            digits = digits[1:]
            negative = digits.strip("0.,") != ""
        if fewest < most:
            whole, _, fraction = digits.partition(".")
            fraction = fraction[:fewest] + fraction[fewest:].rstrip("0")
            digits = f"{whole}.{fraction}" if fraction else whole
        digits = digits.translate(signs)
        if negative:
            return usual.before_negative + digits + usual.after_negative
        return usual.before + digits + usual.after

    return write


def _exact(value: int | float | Decimal) -> Decimal:
    return value if isinstance(value, Decimal) else Decimal(repr(value))


def _not_finite(value: float) -> str:
    return "–" if value != value else ("∞" if value > 0 else "−∞")


_BY_HOUR, _BY_MINUTE, _BY_SECOND = "ahHkK", "m", "s"
_BY_DATE = "GyYuUrQqMLwWdDFgEec"


def _format_moments(values: pa.Array, pattern: str | None, format_locale: FormatLocale) -> pa.Array:
    """Dates or timestamps: each field of the pattern is written once for each distinct thing it depends on."""
    has_time = pa.types.is_timestamp(values.type)
    pieces = [
        scalar(text) if kind == "chars" else _field(values, text[0] * text[1], has_time, pattern, format_locale)
        for kind, text in _moment_tokens(pattern or default_moment_pattern(has_time, format_locale.locale))
    ]
    if all(isinstance(piece, pa.Scalar) for piece in pieces):
        return pa.array(["".join(piece.as_py() for piece in pieces)] * len(values), pa.string())
    return concat(*pieces)


@lru_cache(maxsize=256)
def _moment_tokens(pattern: str) -> tuple[tuple[str, Any], ...]:
    return tuple(tokenize_pattern(pattern))


def default_moment_pattern(has_time: bool, locale: str) -> str:
    """The locale's medium date, followed by its short time for timestamps."""
    day = str(get_date_format("medium", locale).pattern)
    return f"{day} {get_time_format('short', locale).pattern}" if has_time else day


def moment_fields(pattern: str | None, locale: str) -> tuple[str, ...]:
    """The fields of a timestamp's pattern, such as MMM; without a pattern, those of the locale's."""
    tokens = _moment_tokens(pattern or default_moment_pattern(True, locale))
    return tuple(text[0] * text[1] for kind, text in tokens if kind == "field")


def _field(values: pa.Array, field: str, has_time: bool, pattern: str | None, format_locale: FormatLocale) -> pa.Array:
    letter = field[0]
    if letter not in _BY_DATE and not has_time:
        raise ExpressionError(f"The pattern {pattern!r} asks for a time ({field}); the value is a date without one.")
    keys, moment = _determining(values, letter, ZoneInfo(format_locale.time_zone))
    encoded = keys.dictionary_encode()
    texts = []
    for key in encoded.dictionary.to_pylist():
        try:
            texts.append(str(DateTimeFormat(moment(key), format_locale.locale)[field]))
        except (KeyError, ValueError) as error:
            raise ExpressionError(f"{field!r} in the pattern {pattern!r} is no field of dates in CLDR.") from error
    return pa.array(texts, pa.string()).take(encoded.indices)


_OF_PARTS: dict[str, tuple[Callable[[pa.Array], pa.Array], Callable[[Any], datetime]]] = {
    "y": (pc.year, lambda year: datetime(year, 1, 1)),
    "M": (pc.month, lambda month: datetime(2000, month, 1)),
    "L": (pc.month, lambda month: datetime(2000, month, 1)),
    "d": (pc.day, lambda day: datetime(2000, 1, day)),
    "E": (pc.day_of_week, lambda weekday: datetime(2024, 1, 1 + weekday)),
}
"""Fields that follow from one part of a date, with a date that has that part; 1 January 2024 was a Monday."""


def _determining(
    values: pa.Array, letter: str, zone: ZoneInfo
) -> tuple[pa.Array, Callable[[Any], date | time | datetime]]:
    """What a field depends on, and how to make a moment that shows it."""
    if letter in _OF_PARTS:
        part, moment = _OF_PARTS[letter]
        return part(values), moment
    if letter in _BY_DATE:
        return values.cast(pa.date32(), safe=False), lambda day: datetime(day.year, day.month, day.day)
    if letter in _BY_HOUR:
        return pc.hour(values), lambda hour: datetime(2000, 1, 1, hour)
    if letter in _BY_MINUTE:
        return pc.minute(values), lambda minute: datetime(2000, 1, 1, 0, minute)
    if letter in _BY_SECOND:
        return pc.second(values), lambda second: datetime(2000, 1, 1, 0, 0, second)
    return values, lambda moment: moment.replace(tzinfo=zone)


def format_one(value: Any, pattern: str | None, format_locale: FormatLocale) -> str:
    """One Python value as text; the same rules as `format_values`."""
    if value is None:
        return ""
    return str(format_values(pa.array([value]), pattern, format_locale)[0].as_py())
