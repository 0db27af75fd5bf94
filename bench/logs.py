"""Statistics of 60 signals in 500 spans over a log of readings in a Parquet file, and the same as bare SQL; a page
with a trend of each signal over all of it, and the engine's reading alone.

Usage: python bench/logs.py make FILE READINGS | product FILE | floor FILE | hour FILE | trend FILE | read FILE. Each
prints seconds and the peak of memory in MB; `hour` measures one hour of the log alone.
"""

import resource
import sys
import time
from pathlib import Path

import duckdb

from northmoor.core.authoring.starters.signal_blocks import trends
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.model.data.connections import Connections, FilesConnection
from northmoor.core.model.data.queries import Query
from northmoor.core.model.data.signal_logs import SignalLog
from northmoor.core.model.data.signal_queries import MeasurementsQuery, StatisticColumn
from northmoor.core.model.report import Edition, Report
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.core.values.parameter_values import Values

BEGIN, SIGNALS, SPANS = 1_735_689_600, 60, 500
NAMES = tuple(f"s{n:02}" for n in range(SIGNALS))
HOUR = {"start": "2025-01-01 02:00", "end": "2025-01-01 03:00"}
MAKE = """
copy (
  select 's' || lpad((i % {signals})::varchar, 2, '0') as tag,
    to_timestamp({begin} + (i // {signals}) * 6 + (hash(i) % 5)::int) as moment,
    round((hash(i * 7) % 1000) / 10.0, 1) as value
  from range({readings}) t(i)
) to '{file}' (format parquet)
"""
BARE = """
with spans as (
  select n, ({begin} + n * {apart}) * 1000000 as begun, ({begin} + n * {apart} + {lasting}) * 1000000 as ended
  from range({spans}) t(n)
), readings as (
  select tag, epoch_us(moment) as since, value, lead(epoch_us(moment)) over (partition by tag order by moment) as until
  from '{file}'
), within as (
  select n, tag, since, least(coalesce(until, ended), ended) as until, value
  from readings asof join spans on since >= begun where since < ended
), before as (
  select n, k.tag, begun as since, least(coalesce(until, ended), ended) as until, value
  from (select n, begun, ended, tag from spans, (select distinct tag from readings)) k
  asof join readings r on k.tag = r.tag and k.begun > r.since where until > begun
)
select n, tag, min_by(value, since), max_by(value, since), min(value), max(value),
  sum(value * (until - since)) / sum(until - since), count(*)
from (select * from within union all select * from before) group by n, tag
"""


def library_of(file: Path) -> Library:
    """A library whose connection has the file as a signal log."""
    log = SignalLog(name="log", table=file.stem, time="moment", signal="tag", values=("value",))
    return Library(file.parent, Connections(connections=(FilesConnection(name="files", path=file.name, logs=(log,)),)))


def measure(file: Path, spans: bool) -> int:
    """Rows of the measurements: of each span, or of one hour."""
    apart, lasting = spacing(file)
    statistics = tuple(StatisticColumn(statistic=n) for n in ("first", "last", "min", "max", "mean", "readings"))
    begun, ended = (f"to_timestamp({BEGIN} + n * {apart} + {more})::timestamp" for more in (0, lasting))
    sql = f'select {begun} as start, {ended} as "end" from range({SPANS}) t(n)'
    bounds = {"spans": "spans"} if spans else HOUR
    signals = MeasurementsQuery(log="log", signals=NAMES, statistics=statistics, **bounds)
    queries = (Query(name="spans", sql=sql), Query(name="figures", connection="files", signals=signals))
    report = Report(queries=queries, editions=(Edition(name="main"),), time_zone="UTC")
    return Session(library_of(file)).rows(report, "figures", Values(), CancelToken()).table.num_rows


def trend(file: Path) -> tuple[float, int]:
    """Seconds to the first page of a trend of each signal over all the log, and its marks; the reading process runs
    already, as it does in the window."""
    library = library_of(file)
    for bounds in (HOUR, {}):
        signals = MeasurementsQuery(log="log", signals=NAMES, give="outline", **bounds)
        query = Query(name="lines", connection="files", signals=signals)
        blocks = tuple(trends(query, signals, library.connection("files").logs[0]))
        report = Report(queries=(query,), editions=(Edition(name="main", blocks=blocks),), time_zone="UTC")
        began = time.perf_counter()
        document = Session(library).render(report)
        document.page(0)
        seconds = time.perf_counter() - began
    assert not document.findings, document.findings
    return seconds, document.rows["lines"].table.num_rows


def spacing(file: Path) -> tuple[int, int]:
    """How far apart spans begin, and how long they last, in seconds."""
    ((readings,),) = duckdb.sql(f"select count(*) from '{file}'").fetchall()
    apart = readings // SIGNALS * 6 // SPANS
    return apart, apart * 19 // 20


def bare(file: Path) -> int:
    """The same in one statement of the engine, on one thread."""
    apart, lasting = spacing(file)
    with duckdb.connect(config={"threads": 1}) as engine:
        sql = BARE.format(begin=BEGIN, apart=apart, lasting=lasting, spans=SPANS, file=file)
        return engine.sql(sql).to_arrow_table().num_rows


def read(file: Path) -> int:
    """All readings, read by the engine on one thread."""
    with duckdb.connect(config={"threads": 1}) as engine:
        return engine.sql(f"select tag, moment, value from '{file}'").to_arrow_table().num_rows


def main(what: str, file: Path, readings: str = "0") -> None:
    if what == "make":
        duckdb.sql(MAKE.format(signals=SIGNALS, begin=BEGIN, readings=int(readings), file=file))
        return
    began = time.perf_counter()
    if what == "trend":
        seconds, rows = trend(file)
    else:
        rows = (
            {"floor": bare, "read": read}[what](file) if what in ("floor", "read") else measure(file, what == "product")
        )
        seconds = time.perf_counter() - began
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
    print(f"{seconds:.3f} {peak} {rows}")


if __name__ == "__main__":
    main(sys.argv[1], Path(sys.argv[2]), *sys.argv[3:])
