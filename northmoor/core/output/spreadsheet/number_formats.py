"""CLDR patterns as number formats of spreadsheets (ECMA-376 part 1, 18.8.31)."""

from datetime import date, datetime, time, timedelta
from decimal import Decimal
from functools import lru_cache
from typing import Any

from babel.dates import get_time_format, tokenize_pattern

from northmoor.core.errors import ExpressionError
from northmoor.core.expr.formats import FormatLocale, default_moment_pattern
from northmoor.core.expr.named_patterns import NAMED, cldr_pattern
from northmoor.core.expr.number_patterns import Affix, DigitPattern, affix_text, read_number_pattern, signs_of

SECONDS_OF = {"duration": 1, "duration-minutes": 60, "duration-hours": 3600, "duration-days": 86_400}
"""The patterns of durations, with how many seconds a number of each is."""
_FIELDS = {
    "y": "yyyy", "yy": "yy", "yyyy": "yyyy", "M": "m", "MM": "mm", "MMM": "mmm", "MMMM": "mmmm", "L": "m", "LL": "mm",
    "LLL": "mmm", "LLLL": "mmmm", "d": "d", "dd": "dd", "E": "ddd", "EEE": "ddd", "EEEE": "dddd", "H": "h",
    "HH": "hh", "h": "h", "hh": "hh", "m": "mm", "mm": "mm", "s": "s", "ss": "ss", "a": "AM/PM",
    "S": "0", "SS": "00", "SSS": "000",
}  # fmt: skip
_MOST_PLACES = 15


def number_format(value: Any, pattern: str | None, format_locale: FormatLocale) -> str | None:
    """The format of a value that is printed by a pattern; None where a spreadsheet has nothing like it."""
    if isinstance(value, bool):
        return None
    if isinstance(value, int | float | Decimal):
        if pattern in SECONDS_OF:
            return "[h]:mm:ss" if pattern == "duration" else "[h]:mm"
        return _of_numbers(pattern or _usual(value), format_locale)
    if isinstance(value, datetime | date | time):
        return _of_moments(pattern, isinstance(value, time), isinstance(value, datetime), format_locale.locale)
    return "[h]:mm:ss" if isinstance(value, timedelta) else None


def _usual(value: int | float | Decimal) -> str:
    """The pattern of a number that is printed without one."""
    if isinstance(value, int):
        return "#,##0"
    places = -int(value.as_tuple().exponent) if isinstance(value, Decimal) else 2
    return "#,##0" + ("." + "0" * min(places, _MOST_PLACES) if places > 0 else "")


@lru_cache(maxsize=1024)
def _of_numbers(pattern: str, format_locale: FormatLocale) -> str | None:
    pattern = cldr_pattern(pattern, format_locale.locale)
    if pattern in NAMED:
        return None
    try:
        parsed = read_number_pattern(pattern)
    except ExpressionError:
        return None
    digits = _digits(parsed.digits)
    if digits is None or parsed.scale not in (0, 2, -3, -6) or parsed.pad:
        return None
    digits += "," * (-parsed.scale // 3)  # each divides by a thousand
    signs = signs_of(format_locale.locale, format_locale.currency, parsed.has_currency)

    def around(before: Affix, after: Affix) -> str:
        return _literal(affix_text(before, signs, True)) + digits + _literal(affix_text(after, signs, False))

    positive = around(parsed.prefix, parsed.suffix)
    if parsed.negative_prefix == (("sign", "-"), *parsed.prefix) and parsed.negative_suffix == parsed.suffix:
        return positive
    return f"{positive};{around(parsed.negative_prefix, parsed.negative_suffix)}"


def _digits(pattern: DigitPattern) -> str | None:
    if pattern.most_significant or pattern.increment is not None:
        return None
    zeros = "0" * pattern.fewest_whole
    whole = zeros or "#"
    if pattern.group:
        whole = whole.rjust(pattern.group + 1, "#")
        parts = [whole[max(end - pattern.group, 0) : end] for end in range(len(whole), 0, -pattern.group)]
        whole = ",".join(reversed(parts))
    places = "0" * pattern.fewest_places + "#" * (pattern.most_places - pattern.fewest_places)
    found = f"{whole}.{places}" if places else whole
    return f"{found}E+{'0' * pattern.exponent_digits}" if pattern.exponent_digits else found


def _literal(text: str) -> str:
    """A text around digits; a percent sign multiplies as it does in CLDR."""
    head, percent, tail = text.partition("%")
    return (f'"{head}"' if head else "") + percent + (f'"{tail}"' if tail else "")


@lru_cache(maxsize=1024)
def _of_moments(pattern: str | None, is_time: bool, has_time: bool, locale: str) -> str | None:
    if is_time:
        pattern = pattern or str(get_time_format("short", locale).pattern)
    found: list[str] = []
    for _, text in tokenize_pattern(pattern or default_moment_pattern(has_time, locale)):
        if isinstance(text, str):
            found.append(f'"{text}"' if text.strip(" -/:.,") else text)
            continue
        field = _FIELDS.get(text[0] * text[1])
        if field is None:
            return None
        found.append(field)
    return "".join(found)
