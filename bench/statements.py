"""Statements of three pages to one PDF: by the product, or by a plain loop over the usual canvas library.

Usage: statements.py ours|floor RECORDS [LINES]. Prints the seconds, the pages and the peak memory in MB. Both draw the
same texts in the same font; the floor reads the rows plainly, and keeps nothing but what its library keeps.
"""

import resource
import sqlite3
import sys
import tempfile
import time
from collections.abc import Iterator
from itertools import groupby
from pathlib import Path

from floors import use_floors

from northmoor.core.document import Document
from northmoor.core.model.blocks.containers import ForEachBlock
from northmoor.core.model.blocks.table import Cell, Column, Row, TableBlock
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.data.connections import Connections, SqliteConnection
from northmoor.core.model.data.queries import Query, QueryColumn
from northmoor.core.model.output_options import OutputOptions
from northmoor.core.model.pages import Running, RunningLine, TextPiece
from northmoor.core.model.report import Edition, Report
from northmoor.core.session import Session
from northmoor.core.sources.library import Library

LINES = 100
FONT = Path(__file__).parent.parent / "northmoor" / "assets" / "fonts" / "IBMPlexSans-Regular.ttf"
_GOODS = ("Timber", "Feed", "Fish boxes", "Parcels")
_SQL = "select shipper, line, goods, pieces, charge from lines order by shipper, line"


def make(folder: Path, records: int, lines: int = LINES) -> Path:
    """A database of made-up freight lines, so many for each record."""
    path = folder / "lines.sqlite"
    with sqlite3.connect(path) as connection:
        connection.execute(
            "create table lines (shipper integer, line integer, goods text, pieces integer, charge decimal(10,2))"
        )
        connection.executemany("insert into lines values (?,?,?,?,?)", _lines(records, lines))
    return path


def _lines(records: int, lines: int) -> Iterator[tuple[int, int, str, int, float]]:
    for shipper in range(records):
        for line in range(lines):
            charge = ((shipper * 31 + line * 17) % 9999) / 100
            yield shipper, line, _GOODS[(shipper + line) % 4], 1 + (shipper * line) % 40, charge


def statements_document(database: Path, report: Report) -> Document:
    """The statements, laid out."""
    connections = Connections(connections=(SqliteConnection(name="db", database=database.name),))
    return Session(Library(database.parent, connections)).render(report)


def statements_report(sql: str = _SQL, **for_each: str) -> Report:
    """The report of the statements: one for each shipper."""
    query = Query(name="lines", connection="db", sql=sql, columns=(QueryColumn(name="charge", type="decimal(10,2)"),))
    names = ("line", "goods", "pieces", "charge")
    table = TableBlock(
        name="table", query="lines", columns=tuple(Column(name=n, value=n, title=n.title()) for n in names),
        total=(Row(cells=(Cell(column="charge", value="sum(charge)"),)),),
    )  # fmt: skip
    blocks = (
        TextBlock(name="title", text="Statement for shipper {shipper; 0}"),
        TextBlock(name="sum", text="{count(*); 0} lines, together {sum(charge); #,##0.00}"), table,
    )  # fmt: skip
    each = ForEachBlock(
        name="shipper", query="lines", by="shipper", restart_page_number=True, blocks=blocks, **for_each
    )
    footer = Running(lines=(RunningLine(end=TextPiece(text="Page {page_number(); 0} of {page_count(); 0}")),))
    return Report(queries=(query,), editions=(Edition(name="main", blocks=(each,), footer=footer),))


def ours(database: Path, target: Path) -> int:
    """Write the statements as a report; how many pages they are."""
    document = statements_document(database, statements_report())
    document.write(target, options=OutputOptions(tagged=False))  # as the floor's is
    return len(document)


def floor(database: Path, target: Path) -> int:
    """Write the statements with a plain loop; how many pages they are."""
    use_floors()
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont
    from reportlab.pdfgen import canvas

    pdfmetrics.registerFont(TTFont("Plex", str(FONT)))
    paper = canvas.Canvas(str(target), pagesize=(595.276, 841.89))
    pages = 0
    for shipper, rows in groupby(sqlite3.connect(database).execute(_SQL), key=lambda row: row[0]):
        lines = list(rows)
        rest = lines
        while rest:
            first = rest is lines
            paper.setFont("Plex", 9)
            y = 776.0
            if first:
                paper.drawString(58.7, y, f"Statement for shipper {shipper}")
                total = sum(row[4] for row in lines)
                paper.drawString(58.7, y - 16, f"{len(lines)} lines, together {total:,.2f}")
                y -= 32
            paper.drawRightString(175, y, "Line"), paper.drawString(185, y, "Goods")
            paper.drawRightString(410, y, "Pieces"), paper.drawRightString(535, y, "Charge")
            here, rest = rest[: 44 - 2 * first], rest[44 - 2 * first :]
            for _, line, goods, pieces, charge in here:
                y -= 15.7
                paper.drawRightString(175, y, str(line))
                paper.drawString(185, y, goods)
                paper.drawRightString(410, y, str(pieces))
                paper.drawRightString(535, y, f"{charge:.2f}")
            if not rest:
                paper.drawRightString(535, y - 15.7, f"{sum(row[4] for row in lines):.2f}")
            pages += 1
            paper.drawRightString(535, 60, f"Page {(pages - 1) % 3 + 1} of 3")
            paper.showPage()
    paper.save()
    return pages


def main() -> None:
    """Write them one way, and tell what it took."""
    way, records, *lines = sys.argv[1], *map(int, sys.argv[2:])
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        database = make(folder, records, *lines)
        began = time.perf_counter()
        pages = (ours if way == "ours" else floor)(database, folder / "out.pdf")
        seconds = time.perf_counter() - began
    print(seconds, pages, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024)


if __name__ == "__main__":
    main()
