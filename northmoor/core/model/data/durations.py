"""Durations: whole microseconds, written in files as "5 min", "1.5 h" or "90 s"."""

import re
from decimal import Decimal
from typing import Annotated

from pydantic import BeforeValidator, Field, PlainSerializer, WithJsonSchema

MICROSECONDS = {
    "us": Decimal(1),
    "ms": Decimal(1000),
    "s": Decimal(1_000_000),
    "min": Decimal(60_000_000),
    "h": Decimal(3_600_000_000),
    "d": Decimal(86_400_000_000),
}
"""Microseconds of each unit; a day has 24 hours."""
_WORDS = {"second": "s", "seconds": "s", "minute": "min", "minutes": "min", "hour": "h", "hours": "h", "day": "d",
          "days": "d"}  # fmt: skip
_DURATION = re.compile(r"\s*(\d+(?:\.\d+)?)\s*([a-z]+)\s*")
_LONGEST = 4_000 * 366 * 86_400_000_000


def parse_duration(text: str | int) -> int:
    """Microseconds of a text such as ``"5 min"``; an integer is taken as microseconds already.

    Raises ValueError when the text is no duration, or one too long for the calendar.
    """
    if isinstance(text, int) and not isinstance(text, bool):
        value = text
    else:
        match = _DURATION.fullmatch(text.lower()) if isinstance(text, str) else None
        unit = MICROSECONDS.get(_WORDS.get(match[2], match[2])) if match else None
        if match is None or unit is None:
            raise ValueError(f"{text!r} is no duration; write for example 30 s, 5 min, 1.5 h or 2 d")
        value = int((Decimal(match[1]) * unit).to_integral_value())
    if not 0 <= value <= _LONGEST:
        raise ValueError(f"{text!r} is no duration that a calendar holds")
    return value


def format_duration(duration: int) -> str:
    """The text in the largest unit of which it is a whole number, such as ``"90 s"``."""
    for unit in ("d", "h", "min", "s", "ms"):
        if duration and duration % MICROSECONDS[unit] == 0:
            return f"{int(duration / MICROSECONDS[unit])} {unit}"
    return f"{duration} us" if duration else "0 s"


Duration = Annotated[
    int,
    BeforeValidator(parse_duration),
    PlainSerializer(format_duration, return_type=str, when_used="json"),
    WithJsonSchema({"type": "string", "pattern": r"^\d+(\.\d+)?\s*(us|ms|s|min|h|d)$", "examples": ["5 min", "1 h"]}),
]
SomeTime = Annotated[Duration, Field(ge=1)]
"""A duration that is not zero."""
