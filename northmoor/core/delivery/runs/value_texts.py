"""The values of a report as texts that can be given again, relative ones resolved."""

from collections.abc import Mapping
from datetime import date, datetime
from decimal import Decimal
from typing import Any

from northmoor.core.compute.parameters.resolution import ResolvedValues
from northmoor.core.delivery.archive.run_record import ValueText
from northmoor.core.values.parameter_values import NumberRange, ends_of
from northmoor.core.values.relative_periods import Span


def value_texts(resolved: ResolvedValues) -> dict[str, ValueText]:
    """What each parameter holds, as text."""
    found: dict[str, ValueText] = {}
    for parameter in resolved.report.parameters:
        held = resolved.chosen.get(parameter.name)
        if isinstance(held, Span | NumberRange):
            found[parameter.name] = "/".join(map(str, map(_text, ends_of(parameter, held))))
        elif isinstance(held, tuple):
            found[parameter.name] = tuple(_one_text(value) for value in held)
        else:
            found[parameter.name] = _text(held)
    return found


def shown_values(resolved: ResolvedValues) -> dict[str, str]:
    """What each parameter holds as readers see it, by its label; those that hold nothing are left out."""
    found: dict[str, str] = {}
    for parameter in resolved.report.parameters:
        held, choices = resolved.chosen.get(parameter.name), resolved.choices.get(parameter.name)
        text = resolved.values.labels.get(parameter.name) or ""
        if isinstance(held, tuple) and choices is not None and len(held) == len(choices.entries) > 1:
            text = f"all {len(held):,}"
        if text:
            found[parameter.shown_name] = text
    return found


def given_again(texts: Mapping[str, ValueText]) -> dict[str, Any]:
    """Such texts as they are given to a report: what had no value is left to the report."""
    return {
        name: list(value) if isinstance(value, tuple) else value for name, value in texts.items() if value is not None
    }


def _one_text(value: Any) -> str | None:
    text = _text(value)
    return str(text).lower() if isinstance(text, bool) else text


def _text(value: Any) -> str | bool | None:
    if value is None or isinstance(value, bool):
        return value
    if isinstance(value, date | datetime):
        return value.isoformat()
    return format(value, "f") if isinstance(value, Decimal) else str(value)
