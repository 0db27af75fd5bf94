"""Watches a signal log for spans that end, such as voyages."""

from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.phrases import phrase
from northmoor.core.delivery.orders.triggers import SpanEnds
from northmoor.core.delivery.service.occasion import Occasion
from northmoor.core.model.data.queries import Query
from northmoor.core.model.report import Edition, Report
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.core.values.parameter_values import Values

_LOOK_BACK = timedelta(days=2)
"""How far before the last end is looked again: readings may come late."""
_QUERY = "spans"


class SpanWatch:
    """Finds spans that have ended since it was first looked at. Times are UTC."""

    def __init__(self, root: Path, when: SpanEnds) -> None:
        self.every_seconds = float(when.every_seconds)
        self._root, self._when = root, when

    def look(self, seen: Any, stop: CancelToken) -> tuple[Any, list[Occasion]]:
        """The end of the last span, and those that have ended since the first look."""
        since = datetime.fromisoformat(seen["last"]) - _LOOK_BACK if seen else None
        ended = self._ended(since, stop)
        last = max((str(row["end"].isoformat()) for row in ended), default=seen["last"] if seen else None)
        if seen is None:
            return ({"first": last, "last": last} if last else None), []
        found = [
            Occasion(
                f"{row['object']} {row['id']} {row['start'].isoformat()}",
                {name: _plain(row[name]) for name in ("object", "id", "start", "end")},
                phrase(f"{row['object']} {row['id']} ended {row['end']:%Y-%m-%d %H:%M} UTC"),
            )
            for row in ended
            if row["end"].isoformat() > seen["first"]
        ]
        return {"first": seen["first"], "last": max(last or "", seen["last"])}, found

    def _ended(self, since: datetime | None, stop: CancelToken) -> list[dict[str, Any]]:
        """The spans that have ended, of those that reach beyond a moment."""
        spans = self._when.spans.but(open="left out", crossing="whole")
        if since is not None:
            spans = spans.but(start=since.isoformat(sep=" ", timespec="seconds"))
        query = Query(name=_QUERY, connection=self._when.connection, signals=spans)
        report = Report(title="Trigger", time_zone="UTC", queries=(query,), editions=(Edition(name="none"),))
        session = Session(Library.around(self._root))
        table = session.rows(report, _QUERY, Values(), stop).table
        rows: list[dict[str, Any]] = table.to_pylist()
        return sorted(
            ({"object": "", "id": "", **row} for row in rows if row.get("end") is not None), key=lambda row: row["end"]
        )

    def close(self) -> None:
        """Nothing is open."""


def _plain(value: Any) -> Any:
    return value.isoformat(timespec="seconds") if isinstance(value, datetime) else value
