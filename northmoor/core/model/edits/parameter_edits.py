"""Edits of parameters, computed values and named sets of values."""

from collections.abc import Mapping
from typing import Any

from northmoor.core.model.parameters import Assignment, FromQuery, NamedValue, Parameter, ValueSet
from northmoor.core.model.report import Report


def add_parameter(report: Report, parameter: Parameter) -> Report:
    """Add a parameter."""
    return report.but(parameters=(*report.parameters, parameter))


def change_parameter(report: Report, parameter: str, /, **changes: Any) -> Report:
    """Change properties of a parameter."""
    return report.but(parameters=tuple(p.but(**changes) if p.name == parameter else p for p in report.parameters))


def remove_parameter(report: Report, parameter: str) -> Report:
    """Take a parameter out, and its values out of the sets."""
    kept = tuple(p for p in report.parameters if p.name != parameter)
    sets = tuple(s.but(values=tuple(v for v in s.values if v.parameter != parameter)) for s in report.value_sets)
    return report.but(parameters=kept, value_sets=sets)


def move_parameter(report: Report, parameter: str, by: int) -> Report:
    """Move a parameter forward (negative) or back in the bar."""
    parameters = list(report.parameters)
    at = next(i for i, p in enumerate(parameters) if p.name == parameter)
    moved = parameters.pop(at)
    parameters.insert(max(0, min(at + by, len(parameters))), moved)
    return report.but(parameters=tuple(parameters))


def add_named_value(report: Report, value: NamedValue) -> Report:
    """Add a computed value."""
    return report.but(named_values=(*report.named_values, value))


def change_named_value(report: Report, name: str, /, **changes: Any) -> Report:
    """Change properties of a computed value."""
    return report.but(named_values=tuple(v.but(**changes) if v.name == name else v for v in report.named_values))


def remove_named_value(report: Report, name: str) -> Report:
    """Take a computed value out."""
    return report.but(named_values=tuple(v for v in report.named_values if v.name != name))


def keep_value_set(report: Report, name: str, values: Mapping[str, Any]) -> Report:
    """Keep values under a name; a set of that name is replaced."""
    made = ValueSet(name=name, values=tuple(Assignment(parameter=p, value=v) for p, v in values.items()))
    others = [s for s in report.value_sets if s.name != name]
    return report.but(value_sets=(*others, made))


def remove_value_set(report: Report, name: str) -> Report:
    """Forget a set of values."""
    return report.but(value_sets=tuple(s for s in report.value_sets if s.name != name))


def with_list_query(parameter: Parameter, old: str, new: str) -> Parameter:
    """A parameter whose list and default come from a query of another name."""
    source, default = parameter.choices_from, parameter.default
    if source is not None and source.query == old:
        parameter = parameter.but(choices_from=source.but(query=new))
    if isinstance(default, FromQuery) and default.query == old:
        parameter = parameter.but(default=default.but(query=new))
    return parameter


def with_list_column(parameter: Parameter, query: str, old: str, new: str) -> Parameter:
    """A parameter whose list and default come from a column of another name."""
    source, default = parameter.choices_from, parameter.default
    if source is not None and source.query == query:
        named = {"value": source.value, "label": source.label}
        parameter = parameter.but(
            choices_from=source.but(**{field: new if column == old else column for field, column in named.items()})
        )
    if isinstance(default, FromQuery) and (default.query, default.column) == (query, old):
        parameter = parameter.but(default=default.but(column=new))
    return parameter
