"""Edits of a report's editions: made from one another, ordered, named, hidden and taken out.

They raise like those in `edits`.
"""

from collections.abc import Mapping
from typing import Any

from northmoor.core.model.edits.naming import unused_name
from northmoor.core.model.kinds.output_formats import FormatName
from northmoor.core.model.report import Edition, Report


def duplicate_edition(report: Report, name: str) -> Report:
    """A report with a copy of an edition after it."""
    at = _names(report).index(name)
    copy = report.editions[at].but(name=unused_name(name, _names(report)))
    return report.but(editions=(*report.editions[: at + 1], copy, *report.editions[at + 1 :]))


def add_edition(report: Report, like: str) -> Report:
    """A report with a new edition at the end: the page, header and footer of another, and no blocks."""
    found = report.edition(like)
    assert found is not None
    new = found.but(name=unused_name("edition", _names(report)), blocks=(), title=None, hidden=False)
    return report.but(editions=(*report.editions, new))


def remove_edition(report: Report, name: str) -> Report:
    """A report without an edition. Raises ValidationError for the only one."""
    return report.but(editions=tuple(edition for edition in report.editions if edition.name != name))


def rename_edition(report: Report, name: str, new: str) -> Report:
    """A report where an edition has another name."""
    return _changed(report, name, {"name": new})


def move_edition(report: Report, name: str, by: int) -> Report:
    """A report where an edition is further up (negative) or down; at the end it stays."""
    editions = list(report.editions)
    at = _names(report).index(name)
    moved = editions.pop(at)
    editions.insert(min(max(at + by, 0), len(editions)), moved)
    return report.but(editions=tuple(editions))


def change_named(report: Report, name: str, /, **changes: Any) -> Report:
    """A report with properties of an edition changed."""
    return _changed(report, name, changes)


def _changed(report: Report, name: str, changes: Mapping[str, Any]) -> Report:
    return report.but(editions=tuple(e.but(**changes) if e.name == name else e for e in report.editions))


def with_format(edition: Edition, format: FormatName, on: bool) -> tuple[FormatName, ...]:
    """An edition's formats with one more at the end, or one less."""
    others = tuple(each for each in edition.formats if each != format)
    return (*others, format) if on else others


def _names(report: Report) -> list[str]:
    return [edition.name for edition in report.editions]


def change_edition(report: Report, edition: str, /, **changes: Any) -> Report:
    """Change properties of an edition."""
    changed = tuple(e.but(**changes) if e.name == edition else e for e in report.editions)
    return report.but(editions=changed)


def _edition(report: Report, name: str) -> Edition:
    found = report.edition(name)
    if found is None:
        raise KeyError(name)
    return found
