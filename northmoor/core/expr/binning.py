"""Levels by a period of a date: the month of a day, the year of a moment. What their rows print of the key follows."""

import re
from typing import Any

from northmoor.core.errors import ExpressionError
from northmoor.core.expr.language import parse
from northmoor.core.expr.templates import Slot, parse_template
from northmoor.core.model import edits
from northmoor.core.model.blocks.table import Cell, Level
from northmoor.core.model.report import Report

PERIODS: dict[str, str | None] = {
    "value": None,
    "year": "y",
    "quarter": "QQQ y",
    "month": "LLLL y",
    "week": "d MMM y",
    "day": "d MMM y",
    "shift": "d MMM y, HH:mm",
    "hour": "d MMM y, HH:mm",
}
"""What a level can be by, and the CLDR pattern its key is printed with; a week by its first day,
a shift of eight hours (from 06:00, 14:00 and 22:00) by its first minute."""
_SHIFTS = "timestamp '2000-01-01 06:00:00'"
_SHIFT = re.compile(rf"time_bucket\(interval '8 hours', (.+), {_SHIFTS}\)", re.DOTALL)
_TRUNCATED = re.compile(r"date_trunc\('(year|quarter|month|week|day|hour)', (.+)\)", re.DOTALL)


def period_of(by: str) -> tuple[str, str]:
    """The period that a level's expression groups by, and the expression it is a period of."""
    if (shift := _SHIFT.fullmatch(by.strip())) is not None:
        return "shift", shift[1]
    found = _TRUNCATED.fullmatch(by.strip())
    return (found[1], found[2]) if found is not None else ("value", by)


_RANGE = re.compile(r"floor\((.+) / (\d+(?:\.\d+)?)\) \* \2", re.DOTALL)


def range_of(by: str) -> tuple[str | None, str]:
    """How wide the ranges are that a level groups a number by (none: each number), and the number's expression."""
    found = _RANGE.fullmatch(by.strip())
    return (found[2], found[1]) if found is not None else (None, by)


def group_by_range(report: Report, edition: str, table: str, level: str, size: str | None) -> Report:
    """Group a level by ranges of its number; headings and totals that print its key print where a range begins.

    Raises ExpressionError for a size that is no number.
    """
    found = edits.table_of(report, edition, table).level(level)
    return _with_level_key(report, edition, table, found, in_ranges(found.by, size), None)


def in_ranges(by: str, size: str | None) -> str:
    """What groups by ranges of a number (none: by each). Raises ExpressionError for a size that is no number."""
    _, inner = range_of(by)
    if size is not None and not re.fullmatch(r"\d+(\.\d+)?", size):
        raise ExpressionError(f"{size!r} is no width of a range; write a number, such as 100.", 0)
    return inner if size is None else f"floor({inner} / {size}) * {size}"


def group_by_period(report: Report, edition: str, table: str, level: str, period: str) -> Report:
    """Group a level by a period of its date; headings and totals that print its key print the period."""
    found = edits.table_of(report, edition, table).level(level)
    return _with_level_key(report, edition, table, found, in_period(found.by, period), PERIODS[period])


def in_period(by: str, period: str) -> str:
    """What groups by a period of a date."""
    _, inner = period_of(by)
    if period == "shift":
        return f"time_bucket(interval '8 hours', {inner}, {_SHIFTS})"
    return inner if period == "value" else f"date_trunc('{period}', {inner})"


def _with_level_key(report: Report, edition: str, table: str, level: Level, by: str, pattern: str | None) -> Report:
    changed = {
        name: tuple(row.but(cells=tuple(_with_key(cell, level.by, by, pattern) for cell in row.cells)) for row in rows)
        for name, rows in (("heading", level.heading), ("total", level.total))
    }
    return edits.change_level(report, edition, table, level.name, by=by, **changed)


def _with_key(cell: Cell, old: str, by: str, pattern: str | None) -> Cell:
    """A cell with the new key where it prints the old one."""
    changes: dict[str, Any] = {}
    if cell.value is not None and _same(cell.value, old):
        changes = {"value": by, "format": pattern}
    elif cell.text is not None:
        changes = {"text": _text_with_key(cell.text, old, by, pattern)}
    return cell.but(**changes) if changes else cell


def _text_with_key(text: str, old: str, by: str, pattern: str | None) -> str:
    try:
        parts = parse_template(text)
    except ExpressionError:
        return text  # it is marked where it is
    if not any(isinstance(part, Slot) and _same(part.expression.text, old) for part in parts):
        return text
    slot = f"{{{by}; {pattern}}}" if pattern else f"{{{by}}}"
    return "".join(_written(part, old, slot) for part in parts)


def _written(part: str | Slot, old: str, slot: str) -> str:
    if isinstance(part, str):
        return part.replace("{", "{{").replace("}", "}}")
    if _same(part.expression.text, old):
        return slot
    return f"{{{part.expression.text}{f'; {part.pattern}' if part.pattern else ''}}}"


def _same(one: str, other: str) -> bool:
    try:
        return bool(parse(one).tree == parse(other).tree)
    except ExpressionError:
        return one.strip() == other.strip()
