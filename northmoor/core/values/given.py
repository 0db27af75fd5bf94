"""Values handed over from outside: ``name=value`` pairs, and files of values that a calling program writes."""

import json
from collections.abc import Sequence
from decimal import Decimal
from pathlib import Path
from typing import Any

from northmoor.core.errors import ParameterError
from northmoor.core.model.parameters import ValueSet
from northmoor.core.model.report import Report

_LARGEST_FILE = 200_000_000


def given_values(
    report: Report, pairs: Sequence[str] = (), file: Path | None = None, value_set: str | None = None
) -> dict[str, Any]:
    """The values of a set of the report, over them those of a file, over them those of pairs.

    A pair that is repeated makes a list; one without a value represents none. Raises ParameterError.
    """
    values = _of_set(report, value_set) if value_set is not None else {}
    if file is not None:
        values |= read_values(file)
    return values | _of_pairs(report, pairs)


def _of_set(report: Report, name: str) -> dict[str, Any]:
    for found in report.value_sets:
        if found.name == name:
            return assigned_values(found)
    listed = ", ".join(found.name for found in report.value_sets)
    raise ParameterError(f"The report has no value set {name!r}. {f'There is {listed}.' if listed else 'It has none.'}")


def assigned_values(found: ValueSet) -> dict[str, Any]:
    """What a set of values sets."""
    return {assigned.parameter: assigned.value for assigned in found.values}


def _of_pairs(report: Report, pairs: Sequence[str]) -> dict[str, Any]:
    lists = {parameter.name for parameter in report.parameters if parameter.holds == "list"}
    values: dict[str, Any] = {}
    for pair in pairs:
        name, equals, value = pair.partition("=")
        name = name.strip()
        if not equals:
            raise ParameterError(f"--set takes name=value; {pair!r} has no equals sign.")
        if name in lists:
            values.setdefault(name, []).append(value)
        elif name in values:
            raise ParameterError(f"--set gives {name} twice, and it holds one value; give it once.")
        else:
            values[name] = value
    return {name: [] if value == [""] else value for name, value in values.items()}


def read_values(file: Path) -> dict[str, Any]:
    """The values in a JSON file: an object with a value, a list of values, or null for each name.

    Raises ParameterError for a file that cannot be read or holds something else.
    """
    try:
        if file.stat().st_size > _LARGEST_FILE:
            raise ParameterError(f"The values file {file.name} is larger than {_LARGEST_FILE // 1_000_000} MB.")
        found = json.loads(file.read_text(encoding="utf-8"), parse_float=Decimal, object_pairs_hook=_each_once)
    except (OSError, UnicodeDecodeError) as error:
        raise ParameterError(f"The values file {file} cannot be read: {error}.") from error
    except (json.JSONDecodeError, RecursionError) as error:
        raise ParameterError(f"The values file {file.name} is no JSON: {error}.") from error
    if not isinstance(found, dict):
        raise ParameterError(f'The values file {file.name} must hold an object, such as {{"year": 2025}}.')
    for name, value in found.items():
        entries = value if isinstance(value, list) else [value]
        if any(isinstance(entry, list | dict) for entry in entries):
            raise ParameterError(f"In the values file {file.name}, {name} is no value and no list of values.")
    return found


def _each_once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) < len(pairs):
        names = [name for name, _ in pairs]
        twice = next(name for name in names if names.count(name) > 1)
        raise ParameterError(f"The values file gives {twice!r} twice; give it once.")
    return found
