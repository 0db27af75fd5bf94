"""A parameter that holds another kind of value, or several: what does not fit is taken from it, and texts follow."""

import re
from typing import Any

from northmoor.core.authoring.rename import with_expressions_rewritten, with_sql_rewritten
from northmoor.core.expr.placeholders import placeholders
from northmoor.core.model import edits
from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME, KindName
from northmoor.core.model.parameters import AllChoices, Holds, Parameter, Scalar
from northmoor.core.model.report import Report
from northmoor.core.sources.fetch.query_resolution import ENGINE_DIALECT
from northmoor.core.sources.library import Library
from northmoor.core.values.scalars import read_scalar

_EQUALS = re.compile(r"(=|<>|!=)\s*$")
_EQUALLED = re.compile(r"\s*(=|<>|!=)\s*('(?:[^']|'')*'|[\w.]+)")


def change_kind(
    report: Report, name: str, library: Library, kind: KindName | None = None, holds: Holds | None = None
) -> Report:
    """Let a parameter hold another kind of value, or several; what does not fit it any more is taken from it.

    Where one value was compared, as in ``port = :port``, a list is looked in: ``port in (:port)``.
    """
    parameter = report.parameter(name)
    to_kind, to_holds = kind or parameter.kind, holds or parameter.holds
    report = edits.change_parameter(report, name, **_fitting(parameter, to_kind, to_holds))
    if to_holds == "list" and parameter.holds == "one":
        changed = with_sql_rewritten(report, lambda text, dialect: _looked_in_list(text, dialect, name), library)
        return with_expressions_rewritten(changed, lambda _, text: _looked_in_list(text, ENGINE_DIALECT, name))
    return report


def _fitting(parameter: Parameter, kind: KindName, holds: Holds) -> dict[str, Any]:
    if holds == "range" and not KIND_OF_NAME[kind].is_ordered:
        kind = "date"
    changes: dict[str, Any] = {"kind": kind, "holds": holds, "control": None}
    if kind != "text":
        changes |= {"pattern": None, "minimum_length": None, "maximum_length": None}
    if not KIND_OF_NAME[kind].is_ordered:
        changes |= {"minimum_value": None, "maximum_value": None}
    if holds == "range":
        changes |= {"choices": (), "choices_from": None}
    for value in ("default", "sample"):
        changes[value] = _fitting_value(getattr(parameter, value), kind, holds, parameter.holds)
    for limit in ("minimum_value", "maximum_value"):
        if limit not in changes and not _reads(getattr(parameter, limit), kind):
            changes[limit] = None
    kept = tuple(choice for choice in parameter.choices if _reads(choice.value, kind))
    return {"choices": kept} | changes


def _fitting_value(value: Any, kind: KindName, holds: Holds, held: Holds) -> Any:
    if value is None or ("range" in (holds, held) and holds != held):
        return None
    if isinstance(value, AllChoices):
        return value if holds == "list" else None
    if not isinstance(value, str | int | float | bool | tuple) or holds == "range":
        return value
    entries: list[Scalar] = [
        entry for entry in (value if isinstance(value, tuple) else (value,)) if _reads(entry, kind)
    ]
    if holds == "list":
        return tuple(entries) or None
    return entries[0] if entries else None


def _reads(value: Any, kind: KindName) -> bool:
    try:
        return value is None or read_scalar(kind, value) is not None
    except ValueError:
        return False


def _looked_in_list(text: str, dialect: str, name: str) -> str:
    found = [p for p in placeholders(text, dialect) if p.name == name and not p.is_listed]
    for place in reversed(found):
        before, after = _EQUALS.search(text, 0, place.start), _EQUALLED.match(text, place.end)
        if before is not None:
            word = "in" if before[1] == "=" else "not in"
            text = f"{text[: before.start()]}{word} (:{name}){text[place.end :]}"
        elif after is not None:
            word = "in" if after[1] == "=" else "not in"
            text = f"{text[: place.start]}{after[2]} {word} (:{name}){text[after.end() :]}"
    return text
