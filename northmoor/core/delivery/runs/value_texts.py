"""The values of a report as texts that can be given again, relative ones resolved."""

from datetime import date, datetime
from decimal import Decimal
from typing import Any

from northmoor.core.compute.parameters.resolution import ResolvedValues
from northmoor.core.delivery.archive.run_record import ValueText
from northmoor.core.values.relative_periods import Span


def value_texts(resolved: ResolvedValues) -> dict[str, ValueText]:
    """What each parameter holds, as text."""
    found: dict[str, ValueText] = {}
    for parameter in resolved.report.parameters:
        held = resolved.chosen.get(parameter.name)
        if isinstance(held, Span):
            ends = held.days if parameter.kind == "date" else (held.start, held.end)
            found[parameter.name] = "/".join(map(str, map(_text, ends)))
        elif isinstance(held, tuple):
            found[parameter.name] = tuple(_one_text(value) for value in held)
        else:
            found[parameter.name] = _text(held)
    return found


def _one_text(value: Any) -> str | None:
    text = _text(value)
    return str(text).lower() if isinstance(text, bool) else text


def _text(value: Any) -> str | bool | None:
    if value is None or isinstance(value, bool):
        return value
    if isinstance(value, date | datetime):
        return value.isoformat()
    return format(value, "f") if isinstance(value, Decimal) else str(value)
