"""Patterns that have a name: those CLDR keeps for each locale (currency, accounting, percent, compact numbers), and
durations."""

import re
from collections.abc import Callable
from decimal import ROUND_HALF_EVEN, Decimal

from babel import Locale
from babel.numbers import format_compact_decimal

Number = int | float | Decimal
_SECONDS = {"duration": 1, "duration-minutes": 60, "duration-hours": 3600, "duration-days": 86_400}
NAMED = ("currency", "accounting", "percent", "compact", "compact-long", *_SECONDS)
"""The names; the last are durations of numbers that count seconds, minutes, hours and days."""


def cldr_pattern(name: str, locale: str) -> str:
    """The locale's own pattern for a name, or the text itself where it is a pattern already."""
    known = Locale.parse(locale)
    if name in ("currency", "accounting"):
        formats = known.currency_formats
        found = formats["accounting" if name == "accounting" and "accounting" in formats else "standard"]
        return str(found.pattern)
    return str(known.percent_formats[None].pattern) if name == "percent" else name


def percent_pattern(locale: str, places: int) -> str:
    """The locale's pattern of shares with a number of decimals, such as #,##0.0%."""
    return _with_places(cldr_pattern("percent", locale), places)


def currency_pattern(locale: str, places: int, is_accounting: bool = False) -> str:
    """The locale's pattern of amounts of money with a number of decimals; in accounting, negative ones in brackets."""
    return _with_places(cldr_pattern("accounting" if is_accounting else "currency", locale), places)


def _with_places(pattern: str, places: int) -> str:
    """A pattern with another number of decimals in each of its parts."""
    return re.sub(r"0(\.0+)?(?![\d.,#])", "0" + "." * bool(places) + "0" * places, pattern)


def named_writer(name: str, locale: str) -> Callable[[Number], str] | None:
    """A function that writes one number by a name; None for names that are patterns of CLDR."""
    if name in ("compact", "compact-long"):
        form = "long" if name == "compact-long" else "short"
        return lambda value: _compact(value, form, locale)
    if name in _SECONDS:
        return lambda value: duration(value, _SECONDS[name], locale)
    return None


def _compact(value: Number, form: str, locale: str) -> str:
    known = form if form in Locale.parse(locale).compact_decimal_formats else "short"  # few have words for thousands
    text = str(format_compact_decimal(_exact(value), format_type=known, locale=locale, fraction_digits=1))  # type: ignore[arg-type]  # short or long
    return text.replace("-", Locale.parse(locale).number_symbols["latn"]["minusSign"])


def duration(value: Number, unit: int, locale: str) -> str:
    """A number of so many seconds each as hours and minutes, with seconds where it counts them: 1:05:09, or 26:30."""
    seconds = int((_exact(value) * unit).to_integral_value(ROUND_HALF_EVEN))
    sign = Locale.parse(locale).number_symbols["latn"]["minusSign"] if seconds < 0 else ""
    minutes, rest = divmod(abs(seconds), 60)
    hours, minutes = divmod(minutes, 60)
    return f"{sign}{hours}:{minutes:02}" + (f":{rest:02}" if unit == 1 else "")


def _exact(value: Number) -> Decimal:
    return value if isinstance(value, Decimal) else Decimal(repr(value))
