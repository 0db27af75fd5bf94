"""Which runs are kept: so many of each report, so long, and always the last of a year."""

from collections import defaultdict
from collections.abc import Iterable
from datetime import datetime, timedelta
from typing import Annotated

from pydantic import Field

from northmoor.core.delivery.archive.archive_index import IndexedRun
from northmoor.core.model.base import Part


class KeepRules(Part):
    """How long runs are kept. Without any, all are kept."""

    runs: Annotated[int, Field(ge=1, le=1_000_000)] | None = None
    """How many of each report are kept at most, the newest."""
    days: Annotated[int, Field(ge=1, le=36_500)] | None = None
    """How many days they are kept."""
    last_of_year: bool = True
    """Whether the last whole run of each report and year is kept for good."""


def runs_to_remove(runs: Iterable[IndexedRun], rules: KeepRules, now: datetime) -> list[IndexedRun]:
    """The runs that the rules do not keep, the oldest first."""
    by_report: dict[str, list[IndexedRun]] = defaultdict(list)
    for run in sorted(runs, key=lambda each: each.started, reverse=True):
        by_report[run.report].append(run)
    found = []
    for own in by_report.values():
        kept_years: set[int] = set()
        for number, run in enumerate(own):
            is_whole = run.state in ("done", "done_with_findings")
            is_last = is_whole and run.started.year not in kept_years
            if is_whole:
                kept_years.add(run.started.year)
            is_too_many = rules.runs is not None and number >= rules.runs
            is_too_old = rules.days is not None and run.started < now - timedelta(days=rules.days)
            if (is_too_many or is_too_old) and not (is_last and rules.last_of_year):
                found.append(run)
    return sorted(found, key=lambda each: each.started)
