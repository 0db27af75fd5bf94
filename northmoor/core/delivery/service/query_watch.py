"""Watches the answer of a report's query: whether it changes, or gets rows."""

import hashlib
from pathlib import Path
from typing import Any

import pyarrow as pa

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.phrases import phrase
from northmoor.core.delivery.orders.standing_order import StandingOrder
from northmoor.core.delivery.orders.triggers import QueryAnswers
from northmoor.core.delivery.runs.query_bundle import check_has_query
from northmoor.core.delivery.service.occasion import Occasion
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import load_report
from northmoor.core.values.given import given_values


class QueryWatch:
    """Finds out whether a query answers otherwise than the last time."""

    def __init__(self, root: Path, name: str, order: StandingOrder, when: QueryAnswers) -> None:
        self.every_seconds = float(when.every_seconds)
        self._root, self._name, self._order, self._when = root, name, order, when

    def look(self, seen: Any, stop: CancelToken) -> tuple[Any, list[Occasion]]:
        """The digest and number of the rows, and whether they ask for a run."""
        rows, digest = self._answer(stop)
        count = seen["count"] if seen else 0
        now = {"rows": rows, "digest": digest, "count": count}
        if seen is None:
            return now, []
        is_wanted = rows > 0 == seen["rows"] if self._when.on == "gets_rows" else digest != seen["digest"]
        if not is_wanted:
            return now, []
        now["count"] = count + 1
        because = phrase(f"{self._when.query} changed")
        if self._when.on == "gets_rows":
            because = phrase(f"{self._when.query} has {rows:,} rows")
        return now, [Occasion(f"{digest[:16]} {count + 1}", {"rows": rows}, because)]

    def _answer(self, stop: CancelToken) -> tuple[int, str]:
        library = Library.around(self._root)
        session, report = Session(library), load_report(library.report_path(self._order.report))
        check_has_query(report, self._when.query)
        given = given_values(report, value_set=self._order.value_set) | self._order.values
        resolved = session.resolve_parameters(report, given, stop, forgiving=True)
        values = resolved.values_for(session.names_in(report, self._when.query))
        table = session.rows(report, self._when.query, values, stop).table.combine_chunks()
        sink = pa.BufferOutputStream()
        with pa.ipc.new_stream(sink, table.schema) as writer:
            writer.write_table(table)
        return table.num_rows, hashlib.sha256(sink.getvalue()).hexdigest()

    def close(self) -> None:
        """Nothing is open."""
