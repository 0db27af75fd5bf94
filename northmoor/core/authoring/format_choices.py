"""The formats that suit a kind of value, to be chosen by how real values look in them: CLDR patterns with a label, the
likeliest first."""

from functools import lru_cache
from typing import Any, Literal

import pyarrow as pa
from babel import Locale
from babel.dates import get_date_format, get_datetime_format, get_time_format
from babel.units import format_unit
from msgspec import Struct

from northmoor.core.errors import ExpressionError
from northmoor.core.expr.formats import FormatLocale, format_one, is_text_type
from northmoor.core.expr.label_numbers import words_of
from northmoor.core.expr.named_patterns import cldr_pattern, currency_pattern, percent_pattern

LIKELY = 5
"""How many formats a menu offers."""
Form = Literal["full", "long", "medium", "short"]
_MONEY = frozenset({
    "fare", "fares", "price", "amount", "cost", "costs", "charge", "charges", "revenue", "value", "sales", "turnover",
    "budget", "salary",
})  # fmt: skip
_SHARES = frozenset({"share", "ratio", "percent", "percentage", "pct", "rate", "margin"})


class FormatChoice(Struct, frozen=True):
    """A format: what it is called, its pattern (None: by the kind of value), and the group that it is listed in."""

    label: str
    pattern: str | None
    group: str = ""


AUTOMATIC = FormatChoice("Automatic", None)


@lru_cache(maxsize=256)
def format_choices(kind: pa.DataType, locale: str) -> tuple[FormatChoice, ...]:
    """All formats that are offered for values of a type."""
    if pa.types.is_boolean(kind):
        return (AUTOMATIC, *(FormatChoice(words.replace(";", " or "), words) for words in _YES_NO))
    if pa.types.is_timestamp(kind):
        return (AUTOMATIC, *_moments(locale))
    if pa.types.is_date(kind):
        return (AUTOMATIC, *_dates(locale))
    if pa.types.is_time(kind):
        return (AUTOMATIC, *_times(locale))
    if pa.types.is_integer(kind) or pa.types.is_decimal(kind) or pa.types.is_floating(kind):
        return (AUTOMATIC, *_numbers(locale))
    return (AUTOMATIC, *_TEXTS) if is_text_type(kind) else ()


def likely_formats(kind: pa.DataType, name: str, locale: str) -> tuple[FormatChoice, ...]:
    """The few formats that suit a column best, by its type and what it is called; all different."""
    choices = format_choices(kind, locale)
    if not (pa.types.is_integer(kind) or pa.types.is_decimal(kind) or pa.types.is_floating(kind)):
        return choices[1 : LIKELY + 1]
    words = frozenset(words_of(name))
    wanted = ["Number", "Currency", "Percent"]
    if words & _MONEY:
        wanted = ["Currency", "Number"]
    elif words & _SHARES:
        wanted = ["Percent", "Number"]
    ranked = [choice for group in wanted for choice in choices if choice.group == group]
    return tuple(ranked[:LIKELY])


def with_decimals(pattern: str | None, change: int, kind: pa.DataType) -> str:
    """A pattern of numbers with one decimal more or fewer, in each of its parts."""
    known = pattern or ("#,##0" if pa.types.is_integer(kind) else "#,##0.00")
    parts = known.split("'")
    for at in range(0, len(parts), 2):  # what is between quotes stays
        parts[at] = _more_places(parts[at], change)
    return "'".join(parts)


def _more_places(pattern: str, change: int) -> str:
    halves = []
    for half in pattern.split(";"):
        last = max(half.rfind("0"), half.rfind("#"))
        if last < 0:
            halves.append(half)
            continue
        dot = half.rfind(".", 0, last)
        places = last - dot if dot >= 0 else 0
        whole = half[: dot if dot >= 0 else last + 1]
        wanted = max(0, min(places + change, 12))
        halves.append(whole + ("." + "0" * wanted if wanted else "") + half[last + 1 :])
    return ";".join(halves)


def sample_text(value: Any, pattern: str | None, format_locale: FormatLocale) -> str:
    """How a value looks in a format; empty where the format does not suit it."""
    try:
        return format_one(value, pattern, format_locale)
    except ExpressionError:
        return ""


_TEXTS = (
    FormatChoice("Capitals", "upper", "Letters"),
    FormatChoice("Small letters", "lower", "Letters"),
    FormatChoice("Each word with a capital", "words", "Letters"),
    FormatChoice("First letter a capital", "sentence", "Letters"),
    FormatChoice("In groups of 4", "groups:4", "Codes"),
    FormatChoice("In groups of 3", "groups:3", "Codes"),
    FormatChoice("Last 4 characters only", "last:4", "Codes"),
    FormatChoice("First 20 characters", "first:20", "Length"),
    FormatChoice("First 40 characters", "first:40", "Length"),
)
_YES_NO = ("yes;no", "true;false", "✓;–", "✓;✗", "on;off", "1;0")


def _numbers(locale: str) -> tuple[FormatChoice, ...]:
    grouped = cldr_pattern("percent", locale).split("0")[0] + "0"
    whole, cents = currency_pattern(locale, 0), currency_pattern(locale, 2)
    return (
        FormatChoice("Whole number", grouped, "Number"),
        FormatChoice("1 decimal", grouped + ".0", "Number"),
        FormatChoice("2 decimals", grouped + ".00", "Number"),
        FormatChoice("No separator", "0", "Number"),
        FormatChoice("Negative in brackets", f"{grouped};({grouped})", "Number"),
        FormatChoice("With plus sign", f"+{grouped};-{grouped}", "Number"),
        FormatChoice("Currency, whole", whole, "Currency"),
        FormatChoice("Currency", cents, "Currency"),
        FormatChoice("Accounting", currency_pattern(locale, 2, is_accounting=True), "Currency"),
        FormatChoice("Accounting, whole", currency_pattern(locale, 0, is_accounting=True), "Currency"),
        FormatChoice("Percent", percent_pattern(locale, 0), "Percent"),
        FormatChoice("Percent, 1 decimal", percent_pattern(locale, 1), "Percent"),
        FormatChoice("Percent, 2 decimals", percent_pattern(locale, 2), "Percent"),
        FormatChoice("Thousands and millions, short", "compact", "Scaled"),
        FormatChoice("Thousands and millions, in words", "compact-long", "Scaled"),
        FormatChoice("In thousands", f"thousands:{grouped}", "Scaled"),
        FormatChoice("In thousands, 1 decimal", f"thousands:{grouped}.0", "Scaled"),
        FormatChoice("In millions, 1 decimal", f"millions:{grouped}.0", "Scaled"),
        FormatChoice("In millions, 2 decimals", f"millions:{grouped}.00", "Scaled"),
        FormatChoice("Scientific", "0.00E0", "Scaled"),
        *(FormatChoice(label, _with_unit(grouped, unit, locale), "Unit") for label, unit in _UNITS),
        FormatChoice("Seconds as a duration", "duration", "Duration"),
        FormatChoice("Minutes as a duration", "duration-minutes", "Duration"),
        FormatChoice("Hours as a duration", "duration-hours", "Duration"),
        FormatChoice("Days as a duration", "duration-days", "Duration"),
    )


_UNITS = (
    ("Kilograms", "mass-kilogram"), ("Tonnes", "mass-tonne"), ("Metres", "length-meter"),
    ("Kilometres", "length-kilometer"), ("Litres", "volume-liter"), ("Kilowatt-hours", "energy-kilowatt-hour"),
    ("Degrees Celsius", "temperature-celsius"),
)  # fmt: skip
"""What is offered, with CLDR's name of each."""


def _with_unit(pattern: str, unit: str, locale: str) -> str:
    """A pattern with the sign of a unit where the locale writes it."""
    before, after = format_unit(100, unit, length="short", locale=locale).split("100")
    quoted = ["'" + text.replace("'", "''") + "'" if text else "" for text in (before, after)]
    return quoted[0] + pattern + quoted[1]


def _skeleton(locale: str, name: str) -> str:
    known = Locale.parse(locale).datetime_skeletons
    return str(known[name].pattern) if name in known else name


def _dates(locale: str) -> tuple[FormatChoice, ...]:
    forms: tuple[tuple[str, Form], ...] = (("Short", "short"), ("Medium", "medium"), ("Long", "long"), ("Full", "full"))
    named = [(label, str(get_date_format(form, locale).pattern)) for label, form in forms]
    parts = [
        ("Month and year", _skeleton(locale, "yMMM")),
        ("Month in full and year", _skeleton(locale, "yMMMM")),
        ("Day and month", _skeleton(locale, "MMMd")),
        ("Weekday, day and month", _skeleton(locale, "MMMEd")),
        ("Weekday", "EEEE"),
        ("Quarter and year", _skeleton(locale, "yQQQ")),
        ("Week and year", "'W'ww YYYY"),
        ("Year", "y"),
        ("ISO 8601", "yyyy-MM-dd"),
    ]
    return tuple(
        FormatChoice(label, pattern, group)
        for group, listed in (("Date", [named[1], parts[0], named[0], parts[-1], named[2]]),
                              ("More dates", [named[3], *parts[1:-1]]))
        for label, pattern in listed
    )  # fmt: skip


def _times(locale: str) -> tuple[FormatChoice, ...]:
    return (
        FormatChoice("Hours and minutes", str(get_time_format("short", locale).pattern), "Time"),
        FormatChoice("With seconds", str(get_time_format("medium", locale).pattern), "Time"),
        FormatChoice("24 hours", "HH:mm", "Time"),
        FormatChoice("24 hours, with seconds", "HH:mm:ss", "Time"),
    )


def _moments(locale: str) -> tuple[FormatChoice, ...]:
    joined = [FormatChoice(f"{label}, with time", _with_time(locale, form), "Date and time") for label, form in _FORMS]
    iso = FormatChoice("ISO 8601, with time", "yyyy-MM-dd HH:mm", "Date and time")
    dates, times = _dates(locale), _times(locale)
    return (joined[0], *dates[:2], times[0], iso, *joined[1:], *dates[2:], *times[1:])


_FORMS: tuple[tuple[str, Form], ...] = (("Medium", "medium"), ("Short", "short"), ("Long", "long"))


def _with_time(locale: str, form: Form) -> str:
    day, time = str(get_date_format(form, locale).pattern), str(get_time_format("short", locale).pattern)
    return str(get_datetime_format(form, locale=locale)).replace("{1}", day).replace("{0}", time)
