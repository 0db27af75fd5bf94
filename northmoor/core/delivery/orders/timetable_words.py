"""Timetables in words, both ways: ``the last working day of the month at 18:00 in Europe/Dublin``.

Each timetable has one wording; what is typed may be shorter, and is shown back in that.
"""

import re
from collections.abc import Callable, Sequence
from datetime import date
from typing import Any

from pydantic import ValidationError

from northmoor.core.delivery.orders.timetable import Timetable
from northmoor.core.errors import ParameterError
from northmoor.core.model.base import refusal

WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
MONTHS = ("January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November",
          "December")  # fmt: skip
_NTH = {1: "first", 2: "second", 3: "third", 4: "fourth", 5: "fifth", -1: "last"}
EXAMPLES = (
    "every day at 06:00",
    "each working day at 06:00 and 14:00",
    "Mondays at 06:00",
    "the last day of the month at 18:00",
    "the last working day of the month at 18:00",
    "the first Monday of the month at 07:30",
    "the 1st and 15th of January and July at 06:00",
    "every 15 minutes from 08:00 to 18:00 on working days",
)
"""What can be said, to choose from."""


def timetable_words(table: Timetable) -> str:
    """A timetable in words."""
    zone = f" in {table.time_zone}"
    holidays = f" but for {_listed([day.isoformat() for day in table.holidays])}" if table.holidays else ""
    if table.every_minutes is None:
        return f"{_days(table)} at {_listed(table.times)}{holidays}{zone}"
    hours, rest = divmod(table.every_minutes, 60)
    each = "minute" if table.every_minutes == 1 else f"{table.every_minutes} minutes"
    if not rest:
        each = "hour" if hours == 1 else f"{hours} hours"
    days = "" if table.days == "every_day" and not table.months else f" on {_days(table, after_on=True)}"
    window = "" if (table.since, table.until) == ("00:00", "23:59") else f" from {table.since} to {table.until}"
    return f"every {each}{window}{days}{holidays}{zone}"


def _days(table: Timetable, after_on: bool = False) -> str:
    months = _listed([MONTHS[month - 1] for month in table.months])
    in_months = f" in {months}" if months else ""
    of_month = months or "the month"
    if table.days == "every_day":
        return f"{'all days' if after_on else 'every day'}{in_months}"
    if table.days == "working_days":
        return f"{'working days' if after_on else 'each working day'}{in_months}"
    if table.days == "weekdays":
        return _listed([f"{WEEKDAYS[day]}s" for day in table.weekdays]) + in_months
    if table.days == "days_of_month":
        return f"the {_listed([_day_of_month(day) for day in table.days_of_month])} of {of_month}"
    nth = _NTH.get(table.nth) or _ordinal(table.nth)
    what = "working day" if table.days == "working_day_of_month" else WEEKDAYS[table.weekdays[0]]
    return f"the {nth} {what} of {of_month}"


def _day_of_month(day: int) -> str:
    if day == -1:
        return "last day"
    return _ordinal(day) if day > 0 else f"{_ordinal(-day)} last day"


def _ordinal(number: int) -> str:
    ending = "th" if 10 <= number % 100 <= 20 else {1: "st", 2: "nd", 3: "rd"}.get(number % 10, "th")
    return f"{number}{ending}"


def _listed(words: Sequence[str]) -> str:
    if len(words) < 2:
        return "".join(words)
    return f"{', '.join(words[:-1])} and {words[-1]}"


# reading

_ITEM = r"[^,]+?"
_TIME = r"\d{1,2}(?:[:.]\d{2})?"
_ZONE = re.compile(r"^(.*?)(?: in ([A-Za-z_+\-0-9]+/[A-Za-z_+\-0-9/]+|UTC))?$")
_BUT = re.compile(r"^(.*?)(?: but for ((?:\d{4}-\d\d-\d\d(?:, | and )?)+))?$")
_EVERY = re.compile(rf"^every (?:(\d+) )?(minute|hour)s?(?: from ({_TIME}) to ({_TIME}))?(?: on (.+))?$")
_AT = re.compile(rf"^(.*?)(?: at ({_TIME}(?:(?:, | and ){_TIME})*))?$")
_OF = re.compile(r"^the (.+?) of (the month|.+)$")
_IN_MONTHS = re.compile(r"^(.+?) in (.+)$")
_Entries = dict[str, Any]


def read_timetable(text: str, time_zone: str = "UTC", holidays: tuple[date, ...] = ()) -> Timetable:
    """The timetable that words say; without a zone in them, in `time_zone`.

    Raises ParameterError with what can be said.
    """
    plain = " ".join(text.split()).rstrip(".")
    body, zone = _ZONE.fullmatch(plain).groups()  # type: ignore[union-attr]  # it matches any line
    body, but = _BUT.fullmatch(body).groups()  # type: ignore[union-attr]  # likewise
    entries: _Entries = {"time_zone": zone or time_zone, "holidays": holidays}
    try:
        if but:
            entries["holidays"] = tuple(date.fromisoformat(day) for day in _items(but))
        entries |= _every(body) or _at(body)
        return Timetable(**entries)
    except (_NotSaid, ValueError) as error:
        if isinstance(error, ValidationError):
            why = refusal(error).rstrip(".")
            why = why[:1].lower() + why[1:]
        else:
            why = str(error) or "it cannot be understood"
        examples = "; ".join(EXAMPLES[at] for at in (1, 2, 4, 7))
        raise ParameterError(f"{text[:80]!r} is no timetable: {why}. Write for example: {examples}.") from error


class _NotSaid(Exception):
    """Words that say nothing here."""


def _every(body: str) -> _Entries | None:
    match = _EVERY.fullmatch(body)
    if match is None:
        return None
    count, unit, since, until, days = match.groups()
    minutes = int(count or 1) * (60 if unit == "hour" else 1)
    found: _Entries = {"every_minutes": minutes, **(_read_days(days) if days else {})}
    if since:
        found |= {"since": _time(since), "until": _time(until)}
    return found


def _at(body: str) -> _Entries:
    days, times = _AT.fullmatch(body).groups()  # type: ignore[union-attr]  # it matches any line
    if not times:
        raise _NotSaid("it has no time of the day")
    return {**_read_days(days), "times": tuple(_time(item) for item in _items(times))}


def _read_days(text: str) -> _Entries:
    plain = text.strip()
    of = _OF.fullmatch(plain)
    if of is not None:
        which, months = of.groups()
        found = _of_month(which)
        return found if months == "the month" else {**found, "months": _months(months)}
    split = _IN_MONTHS.fullmatch(plain)
    months_of: _Entries = {}
    if split is not None:
        plain, months_of = split[1], {"months": _months(split[2])}
    lower = plain.lower()
    if lower in ("every day", "each day", "daily", "all days"):
        return {"days": "every_day", **months_of}
    if lower in ("every working day", "each working day", "working days", "on working days"):
        return {"days": "working_days", **months_of}
    names = [name.removeprefix("every ").removeprefix("each ").removeprefix("on ") for name in _items(plain)]
    return {"days": "weekdays", "weekdays": tuple(dict.fromkeys(map(_weekday, names))), **months_of}


def _of_month(which: str) -> _Entries:
    last_word = which.rsplit(" ", 1)[-1]
    nth, _, what = which.partition(" ")
    if what == "working day":
        return {"days": "working_day_of_month", "nth": _nth(nth)}
    if any(name.lower() == last_word.lower() for name in WEEKDAYS) and what == last_word:
        return {"days": "weekday_of_month", "nth": _nth(nth), "weekdays": (_weekday(what),)}
    return {"days": "days_of_month", "days_of_month": tuple(dict.fromkeys(map(_read_day, _items(which))))}


def _nth(word: str) -> int:
    for number, name in _NTH.items():
        if word == name:
            return number
    match = re.fullmatch(r"(\d{1,2})(?:st|nd|rd|th)", word)
    if match is None:
        raise _NotSaid(f"{word!r} is not first, second … or last")
    return int(match[1])


def _read_day(word: str) -> int:
    if word == "last day":
        return -1
    match = re.fullmatch(r"(\d{1,2})(?:st|nd|rd|th)?( last day)?", word)
    if match is None:
        raise _NotSaid(f"{word!r} is no day of the month")
    return -int(match[1]) if match[2] else int(match[1])


def _weekday(word: str) -> int:
    return _index(word, WEEKDAYS, "day of the week")


def _months(text: str) -> tuple[int, ...]:
    return tuple(dict.fromkeys(1 + _index(word, MONTHS, "month") for word in _items(text)))


def _index(word: str, names: Sequence[str], what: str) -> int:
    plain = word.strip().lower()
    matches: list[Callable[[str], bool]] = [
        lambda name: plain in (name, f"{name}s"),
        lambda name: len(plain) >= 3 and name.startswith(plain),
    ]
    for fits in matches:
        for at, name in enumerate(names):
            if fits(name.lower()):
                return at
    raise _NotSaid(f"{word!r} is no {what}")


def _time(text: str) -> str:
    hours, _, minutes = text.replace(".", ":").partition(":")
    if not int(hours) <= 23 or not int(minutes or 0) <= 59:
        raise _NotSaid(f"{text!r} is no time of the day")
    return f"{int(hours):02}:{int(minutes or 0):02}"


def _items(text: str) -> list[str]:
    return [item.strip() for item in re.split(r",\s*(?:and )?| and ", text) if item.strip()]
