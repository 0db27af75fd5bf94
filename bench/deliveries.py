"""Outputs of a long table: a tagged PDF against an untagged one, a spreadsheet against the bare writer of its library.

Usage: deliveries.py ROWS. Prints the seconds of the tagged PDF, the untagged one, the spreadsheet and its floor.
"""

import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import million
import xlsxwriter

from northmoor.core.document import Document
from northmoor.core.model.output_options import OutputOptions
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import load_report


def timed(run: Callable[[], object]) -> float:
    """Seconds of something."""
    began = time.perf_counter()
    run()
    return time.perf_counter() - began


def bare(path: Path, rows: int, columns: int) -> None:
    """As many numbers, written by the library alone."""
    workbook = xlsxwriter.Workbook(path, {"constant_memory": True})
    sheet, form = workbook.add_worksheet(), workbook.add_format({"num_format": "#,##0.00"})
    for row in range(rows):
        sheet.set_row(row, 12, None, {"level": 2})
        for column in range(columns):
            sheet.write_number(row, column, row * 1.5, form)
    workbook.close()


def run(document: Document, folder: Path, rows: int) -> list[float]:
    """The seconds of each output."""
    document.write(folder / "warm.pdf", options=OutputOptions(tagged=False))
    tagged = timed(lambda: document.write(folder / "x.pdf"))
    plain = timed(lambda: document.write(folder / "y.pdf", options=OutputOptions(tagged=False)))
    sheet = timed(lambda: document.write(folder / "x.xlsx"))
    floor = timed(lambda: bare(folder / "y.xlsx", rows, len(million.COLUMNS)))
    return [tagged, plain, sheet, floor]


if __name__ == "__main__":
    count = int(sys.argv[1])
    with tempfile.TemporaryDirectory() as where:
        made = million.make(Path(where), count)
        shown = Session(Library.around(made)).render(load_report(made))
        print(*(f"{seconds:.3f}" for seconds in run(shown, Path(where), count)))
