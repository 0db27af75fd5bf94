"""500 charts of 100 points in one report to PDF, and what the standard plotting library needs to draw the same.

Run by itself it prints the seconds of both. The floor's library is for this only; where it is not there, it says so.
"""

import io
import sqlite3
import statistics
import tempfile
import time
from pathlib import Path

import numpy as np
from floors import use_floors

from northmoor.core.model.blocks.chart import Chart, ChartLevel, ChartMeasure
from northmoor.core.model.blocks.table import Cell, Column, Level, Row, TableBlock
from northmoor.core.model.data.connections import Connections, SqliteConnection
from northmoor.core.model.data.queries import Query
from northmoor.core.model.report import Edition, Report
from northmoor.core.session import Session
from northmoor.core.sources.library import Library

CHARTS, POINTS, RUNS = 500, 100, 3


def values() -> np.ndarray:
    """The points' values: charts by points, from a fixed seed."""
    return np.random.default_rng(7).normal(size=(CHARTS, POINTS)).cumsum(axis=1).round(3)


def ours(folder: Path) -> float:
    """Seconds from the database to the PDF of a table with a chart in each heading."""
    database = folder / "points.sqlite"
    with sqlite3.connect(database) as connection:
        connection.execute("create table points (vessel integer, step integer, speed real)")
        rows = ((c, p, float(v)) for c, own in enumerate(values()) for p, v in enumerate(own))
        connection.executemany("insert into points values (?, ?, ?)", rows)
    library = Library(folder, Connections(connections=(SqliteConnection(name="db", database="points.sqlite"),)))
    chart = Chart(
        draw="lines", height=200_000, category=ChartLevel(name="category", by="step"),
        measures=(ChartMeasure(name="speed", value="avg(speed)", title="Speed"),),
    )  # fmt: skip
    level = Level(name="vessel", by="vessel", heading=(Row(cells=(Cell(column="a", chart=chart),)),))
    table = TableBlock(
        name="table", query="rows", columns=(Column(name="a"),), levels=(level,), show_details=False, show_head=False
    )
    query = Query(name="rows", connection="db", sql="select * from points")
    report = Report(queries=(query,), editions=(Edition(name="main", blocks=(table,)),))
    began = time.perf_counter()
    Session(library).render(report).write(folder / "charts.pdf")
    return time.perf_counter() - began


def plotted() -> float:
    """Seconds that the standard plotting library takes for the same lines, each a page of a PDF."""
    import matplotlib

    matplotlib.use("pdf")
    from matplotlib import pyplot
    from matplotlib.backends.backend_pdf import PdfPages

    began = time.perf_counter()
    with PdfPages(io.BytesIO()) as pages:
        for own in values():
            figure, axes = pyplot.subplots(figsize=(6, 2.8))
            axes.plot(range(POINTS), own)
            axes.set_ylabel("Speed")
            axes.grid(axis="y")
            pages.savefig(figure)
            pyplot.close(figure)
    return time.perf_counter() - began


def main() -> None:
    """Time both."""
    use_floors()
    with tempfile.TemporaryDirectory() as name:
        folders = [Path(name) / str(run) for run in range(RUNS)]
        for folder in folders:
            folder.mkdir()
        print(statistics.median(map(ours, folders)), plotted())


if __name__ == "__main__":
    main()
