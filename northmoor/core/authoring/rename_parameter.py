"""Changes of a parameter that reach into every text that uses it: another name, or a list in place of one value."""

import re
from collections.abc import Callable
from typing import Any

from northmoor.core.errors import NorthmoorError
from northmoor.core.expr.placeholders import Placeholder, placeholders
from northmoor.core.model import edits
from northmoor.core.model.kinds.value_types import KindName
from northmoor.core.model.parameters import AllChoices, FromExpression, Holds, Parameter, Scalar
from northmoor.core.model.queries import Query
from northmoor.core.model.report import Report
from northmoor.core.sources.fetch.query_resolution import ENGINE_DIALECT, dialect_of
from northmoor.core.sources.library import Library
from northmoor.core.values.scalars import read_scalar

Rewrite = Callable[[str, str], str]
"""A text in a dialect to the changed one."""
EXPRESSIONS = {"value", "by", "visible", "rows_per_page", "shown_edition", "expression", "order_by", "parent", "when",
               "currency", "keep_groups", "first_groups", "keep_rows", "until", "error_low", "error_high", "least",
               "greatest", "at", "along", "bubble", "against", "trend"}  # fmt: skip
"""Properties of a report's parts that hold expressions."""
TEMPLATES = {"text", "title", "when_empty", "link", "anchor", "label_text", "empty_text", "single_text",
             "average_title", "trend_title", "caption", "difference_text", "bookmark", "continued"}  # fmt: skip
"""Properties that hold templates."""
_SLOT = re.compile(r"\{\{|\}\}|\{[^{}]*\}")
_EQUALS = re.compile(r"(=|<>|!=)\s*$")
_EQUALLED = re.compile(r"\s*(=|<>|!=)\s*('(?:[^']|'')*'|[\w.]+)")


def rename_value(report: Report, old: str, new: str, library: Library) -> Report:
    """Give a parameter or computed value another name, wherever it is used.

    Raises pydantic.ValidationError for a name that is taken or is none. Shared queries are left as they are.
    """
    names = {old: new}
    for parameter in report.parameters:
        if parameter.name == old:
            renamed = parameter.model_copy(update={"name": new})
            names |= dict(zip(parameter.names, renamed.names, strict=True))

    def rewrite(text: str, dialect: str) -> str:
        return _replaced(text, placeholders(text, dialect), lambda p: f":{names[p.name]}" if p.name in names else None)

    changed = _rewritten(report, rewrite, library)
    return changed.but(
        parameters=tuple(p.but(name=new) if p.name == old else p for p in changed.parameters),
        named_values=tuple(v.but(name=new) if v.name == old else v for v in changed.named_values),
        value_sets=tuple(
            s.but(values=tuple(v.but(parameter=new) if v.parameter == old else v for v in s.values))
            for s in changed.value_sets
        ),
    )


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
        return _rewritten(report, lambda text, dialect: _occurrences_in(text, dialect, name), library)
    return report


def _fitting(parameter: Parameter, kind: KindName, holds: Holds) -> dict[str, Any]:
    if holds == "range" and kind not in ("date", "timestamp"):
        kind = "date"
    changes: dict[str, Any] = {"kind": kind, "holds": holds, "control": None}
    if kind != "text":
        changes |= {"pattern": None, "shortest": None, "longest": None}
    if kind in ("text", "boolean"):
        changes |= {"smallest": None, "largest": None}
    if holds == "range":
        changes |= {"choices": (), "choices_from": None}
    for value in ("default", "sample"):
        changes[value] = _fitting_value(getattr(parameter, value), kind, holds, parameter.holds)
    for limit in ("smallest", "largest"):
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


def _occurrences_in(text: str, dialect: str, name: str) -> str:
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


def _replaced(text: str, found: tuple[Placeholder, ...], form: Callable[[Placeholder], str | None]) -> str:
    for place in reversed(found):
        made = form(place)
        if made is not None:
            text = text[: place.start] + made + text[place.end :]
    return text


def _rewritten(report: Report, rewrite: Rewrite, library: Library) -> Report:
    """The report with every SQL text, expression and template rewritten."""

    def sql_of(query: Query) -> str:
        try:
            return rewrite(query.sql, dialect_of(query, library))
        except NorthmoorError:
            return rewrite(query.sql, ENGINE_DIALECT)  # its connection is gone; its words are much the same

    def walked(value: Any, key: str = "") -> Any:
        if isinstance(value, dict):
            return {k: walked(v, k) for k, v in value.items()}
        if isinstance(value, list):
            return [walked(entry, key) for entry in value]
        if isinstance(value, str) and key in EXPRESSIONS:
            return rewrite(value, ENGINE_DIALECT)
        if isinstance(value, str) and key in TEMPLATES:
            return _SLOT.sub(lambda s: s[0] if s[0] in ("{{", "}}") else rewrite(s[0], ENGINE_DIALECT), value)
        return value

    def part(model: Any) -> Any:
        return type(model).model_validate(walked(model.model_dump(mode="json", by_alias=True)))

    return report.but(
        queries=tuple(query.but(sql=sql_of(query)) for query in report.queries),
        editions=tuple(part(edition) for edition in report.editions),
        parameters=tuple(
            p.but(default=part(p.default)) if isinstance(p.default, FromExpression) else p for p in report.parameters
        ),
        named_values=tuple(v.but(value=part(v.value)) for v in report.named_values),
        shown_edition=walked(report.shown_edition, "shown_edition"),
    )
