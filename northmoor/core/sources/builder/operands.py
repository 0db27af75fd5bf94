"""What a condition compares with: a value of a kind, a parameter, a column, or any SQL, by what is written.

A value is read only if writing it gives the same SQL, so that nothing changes by looking at it.
"""

import re
from collections.abc import Collection, Mapping
from datetime import date, datetime
from typing import Literal

from msgspec import Struct

from northmoor.core.errors import QueryError
from northmoor.core.model.kinds.value_kinds import KindName

OperandKind = Literal["text", "number", "date", "timestamp", "parameter", "column", "sql"]
_NUMBER = re.compile(r"[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d+)?")
_PARAMETER = re.compile(r":([A-Za-z_]\w*)")
_STRING = re.compile(r"'((?:[^']|'')*)'", re.DOTALL)
_TYPED_STRING = re.compile(r"(date|timestamp) '([^']*)'")


class Operand(Struct, frozen=True):
    """What something is compared with; `value` is a text without quotes, a number, a day or a moment as ISO 8601 writes
    it, a parameter's or a column's name, or SQL."""

    kind: OperandKind
    value: str


def read_operand(sql: str, dialect: str, columns: Collection[str] = (), wanted: OperandKind = "text") -> Operand:
    """What an operand's SQL is. A quoted day or moment is one where a day or moment is `wanted`."""
    text = sql.strip()
    for found in _readings(text, columns, wanted):
        if found.kind == "column" or _written(found, dialect) == text:
            return found
    return Operand("sql", sql)


def _readings(text: str, columns: Collection[str], wanted: OperandKind) -> list[Operand]:
    found: list[Operand] = []
    string, typed, parameter = _STRING.fullmatch(text), _TYPED_STRING.fullmatch(text), _PARAMETER.fullmatch(text)
    if parameter is not None:
        found.append(Operand("parameter", parameter[1]))
    if text in columns:
        found.append(Operand("column", text))
    if _NUMBER.fullmatch(text):
        found.append(Operand("number", text))
    if typed is not None:
        found.append(Operand("date" if typed[1] == "date" else "timestamp", typed[2]))
    if string is not None:
        value = string[1].replace("''", "'")
        found += [Operand(wanted, value)] if wanted in ("date", "timestamp") else []
        found += [Operand("text", value), Operand("text", value.replace("\\\\", "\\"))]
    return found


def _written(operand: Operand, dialect: str) -> str | None:
    try:
        return operand_sql(operand, dialect)
    except QueryError:
        return None


def operand_sql(operand: Operand, dialect: str) -> str:
    """An operand as SQL. Raises QueryError for a value that is none of its kind."""
    value = operand.value
    if operand.kind == "text":
        escaped = value.replace("\\", "\\\\") if dialect == "mysql" else value
        return "'" + escaped.replace("'", "''") + "'"
    if operand.kind in ("date", "timestamp"):
        _check_moment(operand)
        return f"'{value}'" if dialect == "sqlite" else f"{operand.kind} '{value}'"
    if operand.kind == "number" and not _NUMBER.fullmatch(value.strip()):
        raise QueryError(f"{value or 'Nothing'} is no number; write digits with a point, such as 1250 or 12.50.")
    if operand.kind == "parameter":
        if not _PARAMETER.fullmatch(f":{value}"):
            raise QueryError("Choose a parameter, or write its name in letters, digits and _.")
        return f":{value}"
    if not value.strip():
        raise QueryError("Choose a column." if operand.kind == "column" else "Write what it is compared with.")
    return value.strip()


def _check_moment(operand: Operand) -> None:
    try:
        if operand.kind == "date":
            is_right = date.fromisoformat(operand.value).isoformat() == operand.value
        else:
            datetime.fromisoformat(operand.value)
            is_right = True
    except ValueError:
        is_right = False
    if not is_right:
        example = (
            "a day as year-month-day, such as 2025-03-01"
            if operand.kind == "date"
            else "a moment such as 2025-03-01 06:30"
        )
        raise QueryError(f"{operand.value or 'Nothing'} is no {operand.kind}; write {example}.")


def operand_kind(kind: KindName | None) -> OperandKind:
    """How a value to compare a column with is written, by the kind of values in the column."""
    if kind in ("integer", "decimal", "float"):
        return "number"
    simple: dict[str | None, OperandKind] = {"date": "date", "timestamp": "timestamp", "boolean": "sql"}
    return simple.get(kind, "text")


def kind_of_column(kinds: Mapping[str, OperandKind], column: str) -> OperandKind | None:
    """The kind of a column among those of a sentence's tables; it may be written without its table where only one has
    it. None for any other expression."""
    found = kinds.get(column)
    if found is not None:
        return found
    named = {kind for name, kind in kinds.items() if name.rpartition(".")[2] == column}
    return named.pop() if len(named) == 1 else None
