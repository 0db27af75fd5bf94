"""Findings: what should be looked at before a report goes out, and what would fix it."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from northmoor.core.errors import Place
from northmoor.core.model.report import Report


@dataclass(frozen=True)
class Remedy:
    """A change that fixes a finding: an edit of the report, or values to show it with (None for their defaults)."""

    label: str
    edit: Callable[[Report], Report] | None = None
    values: Mapping[str, Any] | None = None


@dataclass(frozen=True)
class Finding:
    """A fault or weakness of a report: which rule found it, where, what is wrong, what to do, and what would do it."""

    rule: str
    place: Place
    message: str
    is_error: bool = True
    remedies: tuple[Remedy, ...] = field(default=(), compare=False)

    def __str__(self) -> str:
        where = str(self.place)
        return f"{where}: {self.message}" if where else self.message
