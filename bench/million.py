"""A million detail rows in three levels with totals, and what DuckDB alone needs to sort and window them.

Run as `million.py FOLDER` it prints the seconds from fetched rows to the first page's pixels, the floor's seconds,
and the process's peak memory in MB.
"""

import resource
import sys
import time
from pathlib import Path

import duckdb

from northmoor.core.authoring.starters.starter_layouts import STYLES
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.model.blocks.table import Cell, Column, Level, OrderBy, Row, TableBlock
from northmoor.core.model.data.connections import Connections, FilesConnection
from northmoor.core.model.data.queries import Query
from northmoor.core.model.report import Edition, Report
from northmoor.core.output.raster import rasterise
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import save_report
from northmoor.demo.data.history import make_history

COLUMNS = ("departs_at", "vessel", "sailing_id", "passengers", "cars", "takings")
YEAR = "date_trunc('year', departs_at)"
SCALE = 96 / 72


def make(folder: Path, rows: int) -> Path:
    """The data and the report in a folder."""
    make_history(folder / "history.parquet", rows)
    Library(folder, Connections(connections=(FilesConnection(name="history", path="history.parquet"),))).save()
    report = folder / "million.moor"
    save_report(_report(), report)
    return report


def _report() -> Report:
    sums = tuple(Cell(column=name, value=f"sum({name})") for name in ("passengers", "cars", "takings"))
    total = Row(style="total", cells=(Cell(column="departs_at", text="Total", span=3), *sums))

    def level(name: str, by: str) -> Level:
        heading = Row(style="heading", cells=(Cell(column="departs_at", text=f"{{{by}}}", span=6),))
        return Level(name=name, by=by, heading=heading, total=total)

    table = TableBlock(
        name="table", query="sailings", style="body", head_style="head", order=(OrderBy(by="departs_at"),),
        columns=tuple(Column(name=name, value=name, title=name) for name in COLUMNS),
        levels=(level("route", "route"), level("year", YEAR), level("vessel", "vessel")), total=total,
    )  # fmt: skip
    query = Query(name="sailings", connection="history", sql="select * from history")
    return Report(title="A million", queries=(query,), styles=STYLES, editions=(Edition(name="main", blocks=(table,)),))


def first_page(folder: Path) -> tuple[float, float]:
    """Seconds from the fetched rows to the pixels of the first page, and those of the floor over the same rows."""
    report = _report()
    session = Session(Library.around(folder / "million.moor"))
    rows = session.rows(report, "sailings", session.resolve_parameters(report).complete_values(), CancelToken())
    began = time.perf_counter()
    rasterise(session.render(report).page_pdf(0), 0, SCALE)
    ours = time.perf_counter() - began
    levels = ("route", f"route, {YEAR}", f"route, {YEAR}, vessel")
    windows = [
        f"sum({name}) over ({f'partition by {by}' if by else ''})"
        for by in ("", *levels)
        for name in ("passengers", "cars", "takings")
    ]
    with duckdb.connect() as alone:
        alone.register("rows", rows.table)
        began = time.perf_counter()
        sql = f"select *, {', '.join(windows)} from rows order by {levels[-1]}, departs_at"
        alone.sql(sql).to_arrow_table()
        floor = time.perf_counter() - began
    return ours, floor


if __name__ == "__main__":
    seconds = first_page(Path(sys.argv[1]))
    print(*seconds, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
