"""What columns of text hold, from how their values read: whole numbers, decimals in either style, days, moments.

Only unmistakable readings count. Digits with a leading zero are a code and stay text; a column that mixes decimal
styles stays text, and says so.
"""

import re
from collections.abc import Iterable
from datetime import date, datetime
from typing import Literal

from msgspec import Struct

from northmoor.core.base.replace import replace
from northmoor.core.engine.arrow_types import PRECISION
from northmoor.core.expr.identifiers import quoted
from northmoor.core.model.kinds.value_types import MAX_PRECISION, TOO_LONG, ValueType

DecimalSign = Literal[".", ","]
_INTEGER = re.compile(r"[+-]?(0|[1-9]\d{0,17})")
_NUMBER = {
    ".": re.compile(r"[+-]?(0|[1-9]\d*|[1-9]\d{0,2}(,\d{3})+)?(\.(?P<places>\d+))?"),
    ",": re.compile(r"[+-]?(0|[1-9]\d*|[1-9]\d{0,2}(\.\d{3})+)?(,(?P<places>\d+))?"),
}
_FLOAT = re.compile(r"[+-]?\d+(\.\d+)?[eE][+-]?\d+")
_DAY = re.compile(r"\d{4}-\d\d-\d\d")
_DOTTED_DAY = re.compile(r"\d\d?\.\d\d?\.\d{4}")
_MOMENT = re.compile(r"\d{4}-\d\d-\d\d[T ]\d\d:\d\d(:\d\d(\.\d{1,6})?)?")
_ZONED = re.compile(_MOMENT.pattern + r"([zZ]|[+-]\d\d(:?\d\d)?)")
_WORDS = re.compile(r"true|false", re.IGNORECASE)


class ColumnReading(Struct, frozen=True):
    """How a column of text is read: its type, and in which style; `note` tells what its reader should know."""

    kind: ValueType
    form: str = ""
    note: str = ""


TEXT = ColumnReading(ValueType("text"))
_SHAPES = (
    (_INTEGER, ColumnReading(ValueType("integer"))),
    (_DAY, ColumnReading(ValueType("date"))),
    (_DOTTED_DAY, ColumnReading(ValueType("date"), "d.m.y")),
    (_MOMENT, ColumnReading(ValueType("timestamp"))),
    (_ZONED, ColumnReading(ValueType("timestamp"), "zoned")),
    (_WORDS, ColumnReading(ValueType("boolean"))),
)


def detect_type(name: str, values: Iterable[str], decimal_sign: DecimalSign | None = None) -> ColumnReading:
    """How the values (without blanks) of a column of that name read."""
    distinct = [value.strip() for value in dict.fromkeys(values)]
    if not distinct:
        return TEXT
    for shape, reading in _SHAPES:
        if all(shape.fullmatch(value) for value in distinct):
            odd = None if reading.kind.kind not in ("date", "timestamp") else _outside_the_calendar(distinct)
            return reading if odd is None else replace(TEXT, note=f"Column {name} is left as text: there is no {odd}.")
    if any(not any(c.isdigit() for c in value) for value in distinct):
        return TEXT
    found = (_number(distinct, decimal_sign) or TEXT) if decimal_sign else _number_in_either_style(name, distinct)
    if found.kind.kind == "float" and found.form and not found.note:
        return replace(found, note=f"Column {name} {TOO_LONG}.")
    return found


def _outside_the_calendar(values: Iterable[str]) -> str | None:
    """The first of some days or moments that there is not, such as the 30th of February."""
    for value in values:
        try:
            if "." in value[:3]:
                day, month, year = map(int, value.split("."))
                date(year, month, day)
            else:
                datetime.fromisoformat(value.upper())
        except ValueError:
            return value
    return None


def _number_in_either_style(name: str, distinct: list[str]) -> ColumnReading:
    with_point, with_comma = _number(distinct, "."), _number(distinct, ",")
    if with_point and with_comma:  # such as 1,234: a group of thousands, or three places
        example = next(value for value in distinct if "," in value or "." in value)
        if "," not in example:
            return with_point
        message = (
            f"Column {name}: {example} was read as a whole number with a group of thousands; "
            "set the decimal sign of the connection if it is not."
        )
        return ColumnReading(with_point.kind, with_point.form, message)
    if with_point or with_comma:
        return with_point or with_comma or TEXT
    pointed = next((v for v in distinct if _NUMBER["."].fullmatch(v) and not _NUMBER[","].fullmatch(v)), None)
    comma = next((v for v in distinct if _NUMBER[","].fullmatch(v) and not _NUMBER["."].fullmatch(v)), None)
    if pointed and comma and all(_NUMBER["."].fullmatch(v) or _NUMBER[","].fullmatch(v) for v in distinct):
        message = (
            f"Column {name} holds numbers in two decimal styles, such as {pointed} and {comma}, and is left as text; "
            "correct the file, or set the decimal sign of the connection."
        )
        return ColumnReading(TEXT.kind, "", message)
    if all(_FLOAT.fullmatch(v) or _NUMBER["."].fullmatch(v) for v in distinct):
        return ColumnReading(ValueType("float"))
    return TEXT


def _number(distinct: list[str], sign: DecimalSign) -> ColumnReading | None:
    scale = digits = 0
    for value in distinct:
        match = _NUMBER[sign].fullmatch(value)
        if match is None:
            return None
        places = match["places"] or ""
        scale = max(scale, len(places))
        digits = max(digits, sum(c.isdigit() for c in value) - len(places))
    if digits + scale > MAX_PRECISION:
        return ColumnReading(ValueType("float"), sign)
    if scale == 0 and digits <= PRECISION:
        return ColumnReading(ValueType("integer"), sign)
    return ColumnReading(ValueType("decimal", PRECISION if digits + scale <= PRECISION else MAX_PRECISION, scale), sign)


def reading_sql(column: str, reading: ColumnReading) -> str:
    """DuckDB SQL that reads a column of text; null for what does not read so."""
    name = f"trim({quoted(column)})"
    kind = reading.kind
    if kind.kind == "text":
        return quoted(column)
    if kind.kind == "date" and reading.form == "d.m.y":
        return f"try_strptime({name}, '%d.%m.%Y')::date"
    if kind.kind == "timestamp":
        return f"try_cast({name} as {'timestamptz' if reading.form == 'zoned' else 'timestamp'})"
    if reading.form == ".":
        name = f"replace({name}, ',', '')"
    elif reading.form == ",":
        name = f"replace(replace({name}, '.', ''), ',', '.')"
    declared = {"integer": "bigint", "float": "double", "decimal": f"decimal({kind.precision},{kind.scale})"}
    return f"try_cast({name} as {declared.get(kind.kind, kind.kind)})"


def misread_sql(column: str, reading: ColumnReading) -> str:
    """DuckDB SQL that counts the values of a column of text which do not read so exactly."""
    text = f"trim({quoted(column)})"
    wrong = f"{reading_sql(column, reading)} is null"
    if reading.kind.kind == "integer":
        wrong += f" or regexp_matches({text}, '^[+-]?0[0-9]') or regexp_matches({text}, '[.,]')"
    if reading.kind.kind == "decimal":
        point = "." if reading.form == "." else ","
        wrong += f" or length(split_part({text}, '{point}', 2)) > {reading.kind.scale}"
    return f"count(*) filter (where {quoted(column)} <> '' and ({wrong}))"
