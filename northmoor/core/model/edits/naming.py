"""Names for new parts that no other part has."""

from collections.abc import Sequence
from typing import TypeVar

from northmoor.core.model.base import Part
from northmoor.core.model.report import Report

_Named = TypeVar("_Named", bound=Part)


def doubled(parts: Sequence[_Named], name: str) -> tuple[_Named, ...]:
    """Named parts with a copy of one after it, under a name of its own. Raises StopIteration where it is not there."""
    names = [str(part.name) for part in parts]  # type: ignore[attr-defined]  # they are named
    at = next(at for at, own in enumerate(names) if own == name)
    return (*parts[: at + 1], parts[at].but(name=unused_name(name, names)), *parts[at + 1 :])


def unused_name(name: str, taken: list[str]) -> str:
    """A name, with a number where it is taken."""
    candidate, count = name, 2
    while candidate in taken:
        candidate, count = f"{name}_{count}", count + 1
    return candidate


def known_style(report: Report, name: str) -> str | None:
    """The name of a style, if the report has it."""
    return name if any(style.name == name for style in report.styles) else None
