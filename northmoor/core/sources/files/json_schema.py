"""JSON against its schema (JSON Schema): found beside the file, and checked without reaching any other file."""

import json
from collections.abc import Iterator, Sequence
from itertools import islice
from pathlib import Path
from typing import Any

from northmoor.core.errors import QueryError

SCHEMA_ENDING = ".schema.json"
_MOST_COUNTED = 1_000
_LONGEST = 160


def check_by_schema(path: Path, values: Sequence[Any]) -> Path | None:
    """The schema that a file's values follow: the one that the file names by `$schema`, if it lies in the same folder,
    or the one of its name that ends in .schema.json; None where there is none.

    Raises QueryError when the schema cannot be read or the file does not follow it.
    """
    found = _schema_path(path, values)
    if found is None:
        return None
    faults = list(islice(_faults(found, path, values), _MOST_COUNTED))
    if faults:
        count = f"at least {_MOST_COUNTED - 1:,}" if len(faults) == _MOST_COUNTED else f"{len(faults) - 1:,}"
        more = f" {count} more faults follow." if len(faults) > 1 else ""
        raise QueryError(f"{path.name} does not follow {found.name}: {faults[0]}.{more}")
    return found


def _schema_path(path: Path, values: Sequence[Any]) -> Path | None:
    first = values[0] if len(values) == 1 and isinstance(values[0], dict) else {}
    named = first.get("$schema")
    candidates = [path.parent / named] if isinstance(named, str) and "/" not in named and named != path.name else []
    candidates.append(path.with_name(f"{path.stem}{SCHEMA_ENDING}"))
    return next((candidate for candidate in candidates if candidate.is_file()), None)


def _faults(schema: Path, path: Path, values: Sequence[Any]) -> Iterator[str]:
    """What does not follow the schema, each with its place in the file."""
    from jsonschema import SchemaError, validators  # loaded where a file has a schema
    from referencing import Registry
    from referencing.exceptions import Unresolvable

    try:
        read = json.loads(schema.read_text(encoding="utf-8-sig"))
        kind = validators.validator_for(read, default=validators.validator_for({}))
        kind.check_schema(read)
        checker = kind(read, registry=Registry())  # knows no other document, and fetches none
        for value in values:
            for fault in checker.iter_errors(value):
                place = "".join(f"/{part}" for part in fault.absolute_path) or "its whole"
                message = fault.message if len(fault.message) <= _LONGEST else f"{fault.message[:_LONGEST]}…"
                yield f"{place}: {message}"
    except (OSError, ValueError, SchemaError, Unresolvable, RecursionError) as error:
        reason = str(error).partition("\n")[0]
        raise QueryError(f"The schema {schema.name} of {path.name} cannot be read ({reason}).") from error
