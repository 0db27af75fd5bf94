"""Report files: reading with messages that name the faulty entry, writing so that a crash loses nothing.

A ``.moor`` file is UTF-8 JSON, one entry a line where it can be, so that versions compare well.
"""

import json
from typing import Any, TypeVar

from pydantic import ValidationError
from pydantic_core import ErrorDetails, from_json

from northmoor.core.errors import NewerFileError, ReportFileError
from northmoor.core.model.base import Part, refusal_of
from northmoor.core.model.report import REPORT_VERSION, Report

P = TypeVar("P", bound=Part)
_MOST_PARTS = 10_000
"""Parts of a report: fifty times as many as in a long one, which are read within a second."""
_MOST_ENTRIES = 100_000
"""Entries in these, a fault in each of which is found within a second."""


def read_report(text: str | bytes, where: str = "The text") -> Report:
    """The report of a text; `where` begins the message of a fault."""
    return read_part(text, where, Report, "northmoor_report", REPORT_VERSION, "a report")


def read_part(data: str | bytes, where: str, kind: type[P], version_entry: str, newest: int, what: str) -> P:
    """The part that a versioned JSON text holds; `where` and `what` are for the sentence that says what is wrong with
    it. Raises ReportFileError, and NewerFileError for a text of a newer form."""
    try:
        entries = from_json(data)
    except ValueError as error:
        raise ReportFileError(f"{where} is not whole JSON ({error}); restore an earlier copy of it.") from error
    _check_size(entries, where, what)
    if not isinstance(entries, dict) or version_entry not in entries:
        raise ReportFileError(f"{where} is not {what}: it has no entry {version_entry!r}.")
    version = entries[version_entry]
    if isinstance(version, int) and version > newest:
        raise NewerFileError(
            f"{where} was written by a newer Northmoor (form {version}, this one knows up to {newest}); "
            "open it there. It is left as it is."
        )
    try:
        return kind.model_validate_json(data)
    except ValidationError as error:
        raise ReportFileError(f"{where}: {_message(error, entries)}") from error


def _check_size(entries: Any, where: str, what: str) -> None:
    """Raise ReportFileError where JSON has more parts or entries than could be checked without a wait."""
    parts, count, rest = 0, 0, [entries]
    while rest:
        here = rest.pop()
        if isinstance(here, dict | list):
            parts, count = parts + isinstance(here, dict), count + len(here)
            if parts > _MOST_PARTS or count > _MOST_ENTRIES:
                raise ReportFileError(
                    f"{where} has more than {_MOST_PARTS:,} parts or {_MOST_ENTRIES:,} entries, and is not {what}."
                )
            rest += here.values() if isinstance(here, dict) else here


def report_text(report: Report) -> str:
    """The file's text: entries in the order of the model, those at their default left out."""
    return part_text(report, "northmoor_report", report.northmoor_report)


def part_text(part: Part, version_entry: str, version: int) -> str:
    """The text of a versioned JSON file."""
    entries = {version_entry: version} | part.model_dump(mode="json", exclude_defaults=True)
    return json.dumps(_with_kinds(part, entries), ensure_ascii=False, indent=2) + "\n"


def _with_kinds(part: Part, entries: dict[str, Any]) -> dict[str, Any]:
    """Put back each block's and piece's `kind`, which is a default of its model but needed to read it."""
    for name in type(part).model_fields:
        held = getattr(part, name)
        if name == "kind" and name not in entries:
            entries.update({"kind": held, **{k: entries.pop(k) for k in list(entries)}})
        elif isinstance(held, tuple) and isinstance(entries.get(name), dict):  # a single row is by itself
            entries[name] = _with_kinds(held[0], entries[name])
        elif isinstance(held, Part) and name in entries:
            entries[name] = _with_kinds(held, entries[name])
        elif isinstance(held, tuple) and name in entries:
            pairs = zip(held, entries[name], strict=True)
            entries[name] = [_with_kinds(v, e) if isinstance(v, Part) else e for v, e in pairs]
    return entries


def _message(error: ValidationError, entries: Any) -> str:
    first, rest = error.errors(include_url=False, include_input=False)[0], error.error_count() - 1
    message = f"{_entry(first, entries)}: {_fault(first, entries)}."
    more = {1: "1 more error."}.get(rest, f"{rest:,} more errors.")
    return f"{message} {more}" if rest else message


def _entry(fault: ErrorDetails, entries: Any) -> str:
    """The path of an entry, with the names of the parts it leads through: blocks[1] 'fares' › levels[0] 'route'."""
    words: list[str] = []
    here = entries
    for step in fault["loc"]:
        if isinstance(step, int) and isinstance(here, list) and step < len(here):
            here = here[step]
            name = here.get("name") if isinstance(here, dict) else None
            words[-1] += f"[{step}]" + (f" {name!r}" if isinstance(name, str) else "")
        elif isinstance(here, dict) and step in here:
            here = here[step]
            words.append(str(step))
        elif fault["type"] in ("missing", "extra_forbidden") and step == fault["loc"][-1]:
            words.append(str(step))
    return " › ".join(words) or "the report"


def _value_at(fault: ErrorDetails, entries: Any) -> Any:
    here = entries
    for step in fault["loc"]:
        if isinstance(here, list | dict) and (isinstance(here, list) or step in here):
            here = here[step]  # type: ignore[index]  # a list's step is a number
    return here


def _fault(fault: ErrorDetails, entries: Any) -> str:
    limits = [limit for name, limit in fault.get("ctx", {}).items() if name in ("le", "ge")]
    is_of_length = isinstance(next(iter(limits), None), int) and isinstance(_value_at(fault, entries), str)
    message = refusal_of(fault, is_of_length)
    return message[0].lower() + message[1:].rstrip(".")
