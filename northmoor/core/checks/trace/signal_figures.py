"""Traces of statistics of signals: the readings behind one, how long each counted, and the same asked in plain SQL."""

from collections.abc import Mapping
from datetime import datetime
from typing import Any

import numpy as np
import pyarrow as pa
from msgspec import Struct
from sqlglot import exp

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.checks.trace.figures import Figure, Trace
from northmoor.core.checks.trace.statistic_sql import statistic_sql
from northmoor.core.compute.explain.table_query import Verification
from northmoor.core.document import Document
from northmoor.core.engine.arrow_types import type_of_arrow
from northmoor.core.engine.embedded import Engine, EngineError, engine_message
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import ExpressionError
from northmoor.core.expr.language import parse
from northmoor.core.model.data.signal_queries import MeasurementsQuery, StatisticColumn
from northmoor.core.model.kinds.value_types import ValueType
from northmoor.core.session import Session
from northmoor.core.sources.fetch.signal_rows import LogWork
from northmoor.core.sources.signals.pieces import Pieces, pieces_of
from northmoor.core.sources.signals.results import column_name, moments, seconds, statistic_title
from northmoor.core.sources.signals.series import MISSING, Series, SeriesName
from northmoor.core.sources.signals.statistics import is_on
from northmoor.core.sources.signals.windows import instant, wall_moment


class _Traced(Struct, frozen=True):
    """A statistic in a row of a query's result."""

    wanted: StatisticColumn
    signal: str
    value: Any


def with_readings(document: Document, found: Trace, stop: CancelToken) -> Trace:
    """A trace with the readings behind it, where it is over one row of statistics of signals; others as they are.

    Raises QueryError, ConnectionFault or Cancelled where the log cannot be read again.
    """
    if found.rows is None or found.rows.table.num_rows != 1:
        return found
    query = found.rows.query
    signals = document.report.query(query).signals
    if not isinstance(signals, MeasurementsQuery) or signals.give != "statistics":
        return found
    row = found.rows.table.to_pylist()[0]
    traced = _traced(signals, row, found)
    if traced is None:
        return found
    values = document.resolved.complete_values()
    work = Session(document.library).log_work(document.report, query, values, stop)
    pieces = _pieces(work, traced.signal, row)
    if pieces is None:
        return found
    figure = _verified(traced, pieces, work, stop)
    readings = _readings(query, pieces, found.rows, document)
    return replace(found, figures=(*found.figures, figure), readings=readings)


def _traced(query: MeasurementsQuery, row: Mapping[str, Any], found: Trace) -> _Traced | None:
    """The first statistic that the formulas of a cell name."""
    named = [name for figure in found.figures for name in _columns(figure.formula)]
    if query.wide:
        known = {f"{column_name(s)}_{wanted.name}": (wanted, s) for s in query.signals for wanted in query.statistics}
    else:
        known = {wanted.name: (wanted, str(row.get("signal"))) for wanted in query.statistics}
    hits = [name for name in named if name in known]
    return _Traced(*known[hits[0]], row[hits[0]]) if hits else None


def _columns(formula: str) -> list[str]:
    try:
        return [column.name for column in parse(formula).tree.find_all(exp.Column)]
    except ExpressionError:
        return []


def _pieces(work: LogWork, signal: str, row: Mapping[str, Any]) -> Pieces | None:
    """The pieces of the row's window."""
    measured, zone = work.measured, work.request.report.zone
    name = SeriesName(str(row.get("object") or MISSING), signal)
    start, end = row.get("start"), row.get("end")
    if name not in measured.series or not isinstance(start, datetime) or not isinstance(end, datetime):
        return None
    windows = measured.windows[name.object]
    candidates = np.flatnonzero(
        np.isin(windows.start, [instant(start, zone), instant(start, zone, is_end=True)])
        & np.isin(windows.end, [instant(end, zone), instant(end, zone, is_end=True)])
    )
    return pieces_of(measured.series[name], windows.one(int(candidates[0]))) if len(candidates) else None


def _readings(query: str, pieces: Pieces, own: Rows, document: Document) -> Rows:
    """The readings with the time that each counted, and its share of the known time."""
    series, zone = pieces.series, document.report.zone
    known = int(pieces.lasted.sum())
    columns: dict[str, pa.Array] = {
        "written": moments(series.at[pieces.index], zone),
        "value": _values(series, pieces),
        "seconds counted": seconds(pieces.lasted),
        "weight": pa.array(pieces.lasted / max(known, 1)),
        "counted from": moments(pieces.since, zone),
    }
    table = pa.table(columns)
    types = tuple(type_of_arrow(entry.type) or ValueType("text") for entry in table.schema)
    return Rows(query, table, types, own.data_time)


def _values(series: Series, pieces: Pieces) -> pa.Array:
    known = pieces.is_known
    if series.texts is not None:
        codes = pa.array(np.where(known, pieces.values, 0), mask=~known)
        return pa.array(series.texts, pa.string()).take(codes)
    return pa.array(series.doubles()[pieces.index], mask=~known)


def _verified(traced: _Traced, pieces: Pieces, work: LogWork, stop: CancelToken) -> Figure:
    """The statistic as a figure, asked again in plain SQL over the readings."""
    series = pieces.series
    formula = f"{statistic_title(traced.wanted).lower()} of {series.signal.shown_name}"
    figure = Figure(formula, traced.value, Verification(), int((pieces.is_within & pieces.is_known).sum()))
    if series.texts is not None and traced.wanted.kind.result not in ("text", "count", "duration", "share"):
        return replace(figure, verification=Verification(why_not="Its values are texts."))
    sql = statistic_sql(traced.wanted, pieces, work.reader.log.holds_for(series.signal.name))
    with Engine(stop) as engine:
        engine.register("log", _log(traced, pieces))
        try:
            found = engine.run(sql)
        except EngineError as error:
            return replace(figure, verification=Verification(why_not=f"Plain SQL says: {engine_message(error)}."))
    value, own = found["figure"][0].as_py(), traced.value
    if traced.wanted.kind.result == "moment":
        value = None if value is None else wall_moment(round(value), work.request.report.zone)
    elif traced.wanted.kind.result != "text":
        value, own = (None if answer is None else float(answer) for answer in (value, own))
    verification = Verification(value=value, rows=int(found["readings"][0].as_py()), sql=sql)
    return replace(figure, value=own, verification=verification)


def _log(traced: _Traced, pieces: Pieces) -> pa.Table:
    """The readings of the series as they were written; for times on and off, whether each is."""
    series = pieces.series
    if traced.wanted.kind.wants == "state":
        values = pa.array(is_on(pieces, traced.wanted).astype(np.float64), mask=~series.is_known)
    elif series.texts is not None:
        codes = pa.array(np.where(series.is_known, series.values, 0), mask=~series.is_known)
        values = pa.array(series.texts, pa.string()).take(codes)
    else:
        values = pa.array(series.doubles(), mask=~series.is_known)
    return pa.table({"written": series.at, "value": values})
