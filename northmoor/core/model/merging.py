"""Two changes of one report as one: what either changed is taken, and what both changed differently is reported.

Parts are compared property by property, and in lists by their names, so that two people who work on different blocks,
columns or queries do not meet. Where they do, what is mine is kept.
"""

from collections.abc import Iterable, Sequence
from typing import Any

from msgspec import Struct
from pydantic import ValidationError

from northmoor.core.model.base import Part
from northmoor.core.model.report import Report


class Conflict(Struct, frozen=True):
    """A place that both changed, in words from the report inward, and what each made of it; None where it is gone."""

    place: str
    mine: object
    theirs: object


def merge_reports(base: Report, mine: Report, theirs: Report) -> tuple[Report, tuple[Conflict, ...]]:
    """A report with the changes of both since `base`, and where they contradict each other."""
    conflicts: list[Conflict] = []
    merged = _merged(base, mine, theirs, (), conflicts)
    assert isinstance(merged, Report)
    return merged, tuple(conflicts)


def _merged(base: Any, mine: Any, theirs: Any, place: tuple[str, ...], conflicts: list[Conflict]) -> Any:
    if mine == theirs or theirs == base:
        return mine
    if mine == base:
        return theirs
    if isinstance(mine, Part) and type(base) is type(mine) is type(theirs):
        return _merged_part(base, mine, theirs, place, conflicts)
    if isinstance(mine, tuple) and isinstance(base, tuple) and isinstance(theirs, tuple):
        if all(_names(each) is not None for each in (base, mine, theirs)):
            return _merged_named(base, mine, theirs, place, conflicts)
        if len(base) == len(mine) == len(theirs):
            numbered = enumerate(zip(base, mine, theirs, strict=True), 1)
            return tuple(_merged(*three, (*place, str(at)), conflicts) for at, three in numbered)
    conflicts.append(Conflict(", ".join(place), mine, theirs))
    return mine


def _merged_part(base: Part, mine: Part, theirs: Part, place: tuple[str, ...], conflicts: list[Conflict]) -> Part:
    found: list[Conflict] = []
    changes = {
        field: _merged(getattr(base, field), getattr(mine, field), getattr(theirs, field), (*place, field), found)
        for field in type(mine).model_fields
    }
    try:
        merged = mine.but(**changes)
    except ValidationError:  # each is sound and both together are not, such as a block moved by one and changed by both
        conflicts.append(Conflict(", ".join(place), mine, theirs))
        return mine
    conflicts += found
    return merged


def _names(parts: Sequence[Any]) -> list[str] | None:
    """The names that identify the parts of a list, if each has one of its own."""
    if not all(isinstance(part, Part) for part in parts):
        return None
    names = [str(getattr(part, "name", None) or getattr(part, "column", None) or "") for part in parts]
    return names if all(names) and len(set(names)) == len(names) else None


def _merged_named(
    base: tuple[Any, ...], mine: tuple[Any, ...], theirs: tuple[Any, ...], place: tuple[str, ...],
    conflicts: list[Conflict],
) -> tuple[Any, ...]:  # fmt: skip
    known, own, other = ({_name(part): part for part in each} for each in (base, mine, theirs))
    merged: dict[str, Any] = {}
    for name in _order(list(known), list(own), list(other)):
        here = (*place, name)
        before, my, their = known.get(name), own.get(name), other.get(name)
        kept = _merged(before, my, their, here, conflicts)
        if kept is None and before is not None and my is None and their is not None and their != before:
            kept = their  # I took away what the other one worked on: that work is not lost
        if kept is not None:
            merged[name] = kept
    return tuple(merged.values())


def _name(part: Any) -> str:
    return str(getattr(part, "name", None) or part.column)


def _order(base: list[str], mine: list[str], theirs: list[str]) -> Iterable[str]:
    """All names: in my order, unless only the other one changed it, each new one after its predecessor there."""
    still = set(mine) & set(theirs)

    def of_both(names: list[str]) -> list[str]:
        return [name for name in names if name in still]

    first, second = (theirs, mine) if of_both(mine) == of_both(base) else (mine, theirs)
    order = list(first)
    for at, name in enumerate(second):
        if name not in order:
            before = next((known for known in reversed(second[:at]) if known in order), None)
            order.insert(order.index(before) + 1 if before is not None else 0, name)
    return order
