"""Lengths: integers in millipoints (1/1000 pt), written in files as "32mm", "9pt" or "1.5in".

Integers keep every sum on a page exact; a millipoint is 0.35 micrometres, far below what a printer can place.
"""

import re
from decimal import ROUND_HALF_EVEN, Decimal
from typing import Annotated

from pydantic import BeforeValidator, Field, PlainSerializer, WithJsonSchema
from pydantic.fields import FieldInfo

MILLIPOINTS = {
    "pt": Decimal(1000),
    "mm": Decimal(72000) / Decimal("25.4"),
    "cm": Decimal(720000) / Decimal("25.4"),
    "in": Decimal(72000),
}
_LENGTH = re.compile(r"\s*(-?\d+(?:\.\d+)?)\s*(pt|mm|cm|in)\s*")
_LIMIT = 100_000_000  # 35 m: more is a slip of the pen, and far from any overflow


def parse_length(text: str | int) -> int:
    """Millipoints of a text such as ``"32mm"``; an integer is taken as millipoints already.

    Raises ValueError when the text is no length or is longer than 35 m.
    """
    if isinstance(text, int) and not isinstance(text, bool):
        value = text
    else:
        match = _LENGTH.fullmatch(text) if isinstance(text, str) else None
        if match is None:
            raise ValueError(f"{text!r} is no length; write for example 32mm, 9pt, 2.5cm or 1.5in")
        exact = Decimal(match[1]) * MILLIPOINTS[match[2]]
        value = int(exact.to_integral_value(ROUND_HALF_EVEN))
    if abs(value) > _LIMIT:
        raise ValueError(f"{text!r} is longer than 35 m")
    return value


def in_unit(length: int, unit: str = "mm", places: int = 2) -> Decimal:
    """The length in a unit of MILLIPOINTS, rounded to so many places."""
    return (Decimal(length) / MILLIPOINTS[unit]).quantize(Decimal(1).scaleb(-places), ROUND_HALF_EVEN)


def format_length(length: int) -> str:
    """The shortest text that reads back as the same length: points where they are round, else millimetres."""
    if length % 100 == 0:
        return f"{_plain(Decimal(length) / 1000)}pt"
    millimetres = _plain(in_unit(length))
    if parse_length(f"{millimetres}mm") == length:
        return f"{millimetres}mm"
    return f"{_plain(Decimal(length) / 1000)}pt"


def _plain(number: Decimal) -> str:
    text = f"{number:f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


Length = Annotated[
    int,
    BeforeValidator(parse_length),
    PlainSerializer(format_length, return_type=str, when_used="json"),
    WithJsonSchema({"type": "string", "pattern": r"^-?\d+(\.\d+)?\s*(pt|mm|cm|in)$", "examples": ["32mm", "9pt"]}),
]


def is_length(info: FieldInfo) -> bool:
    """Whether a property of a part is a length, or none."""
    return parse_length.__name__ in repr(info.metadata) + repr(info.annotation)


Gap = Annotated[Length, Field(ge=0, le=1_000_000)]
"""Space between two things; none to 1,000 pt."""
