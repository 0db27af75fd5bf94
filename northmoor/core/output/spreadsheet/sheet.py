"""A sheet that is filled from the top: where the next row goes, and the next sheet where one is full."""

import re
from collections.abc import Callable
from typing import Any

import xlsxwriter
from msgspec import Struct, field
from xlsxwriter.format import Format
from xlsxwriter.worksheet import Worksheet

from northmoor.core.model.pages import PageSetup
from northmoor.core.output.spreadsheet.cell_formats import CellFormats

SHEET_ROWS = 1_048_576
"""Rows of a sheet (ECMA-376)."""
_LONGEST_TEXT = 32_767
_LONGEST_NAME = 31
_PAPERS = {"A3": 8, "A4": 9, "A5": 11, "A6": 70, "Letter": 1, "Legal": 5}
_PIXELS = 96 / 72_000
"""Pixels of a millipoint, as spreadsheets count them."""
_LINE = 15_000


class Book(Struct):
    """A workbook that is being written."""

    workbook: xlsxwriter.Workbook
    page: PageSetup
    formats: CellFormats
    _names: set[str] = field(default_factory=set)
    _tables: set[str] = field(default_factory=set)

    def sheet(self, name: str) -> Worksheet:
        """A new sheet with a name that no other has, set up as the pages are."""
        sheet = self.workbook.add_worksheet(self._name(name))
        page = self.page
        sheet.set_paper(_PAPERS.get(page.size, 9))
        if page.orientation == "landscape":
            sheet.set_landscape()
        sides = (page.margin_left, page.margin_right, page.margin_top, page.margin_bottom)
        sheet.set_margins(*(margin / 72_000 for margin in sides))
        sheet.fit_to_pages(1, 0)
        sheet.hide_gridlines(2)
        return sheet

    def table_name(self, wanted: str) -> str:
        """A name for a table that no other has, in whatever case."""
        name, number = wanted, 1
        while name.lower() in self._tables:
            number += 1
            name = f"{wanted}_{number}"
        self._tables.add(name.lower())
        return name

    def _name(self, wanted: str) -> str:
        """A name without the signs that names of sheets cannot have."""
        base = re.sub(r"[\[\]:*?/\\]", " ", " ".join(wanted.split())).strip("' ")[:_LONGEST_NAME] or "Sheet"
        name, number = base, 1
        while name.lower() in self._names:
            number += 1
            end = f" ({number})"
            name = base[: _LONGEST_NAME - len(end)] + end
        self._names.add(name.lower())
        return name


class SheetCursor(Struct):
    """A sheet with the number of its next row; `new` makes the sheet that follows when it is full."""

    sheet: Worksheet
    new: Callable[[], Worksheet]
    row: int = 0
    widths: dict[int, int] = field(default_factory=dict)
    """The widest of what has been in each column, in millipoints."""
    breaks: list[int] = field(default_factory=list)

    def next_row(self) -> int:
        """The number of the next row; of the next sheet's, where this one is full."""
        if self.row >= SHEET_ROWS:
            self.finish()
            self.sheet, self.row, self.breaks = self.new(), 0, []
        self.row += 1
        return self.row - 1

    def widen(self, column: int, width: int) -> None:
        """Let a column be as wide as something in it."""
        self.widths[column] = max(self.widths.get(column, 0), width)

    def break_before(self) -> None:
        """Print what follows on a new page."""
        if self.row:
            self.breaks.append(self.row)

    def room(self, height: int) -> int:
        """Leave empty rows for something of a height; the number of the first."""
        first = self.row
        self.row += max(-(-height // _LINE), 1)
        return first

    def finish(self) -> None:
        """Set what is known once all rows are there."""
        for column, width in self.widths.items():
            self.sheet.set_column_pixels(column, column, max(round(width * _PIXELS), 8))
        if self.breaks:
            self.sheet.set_h_pagebreaks(self.breaks[:1000])


def write_text(sheet: Worksheet, row: int, column: int, text: str, form: Format, link: str | None = None) -> None:
    """A text, which is never taken for a formula; with the address that it opens."""
    text = text if len(text) <= _LONGEST_TEXT else text[: _LONGEST_TEXT - 1] + "…"
    if link is not None and link.startswith(("http://", "https://", "mailto:")) and len(link) < 2000:
        sheet.write_url(row, column, link, form, text)
    elif text:
        sheet.write_string(row, column, text, form)
    else:
        sheet.write_blank(row, column, None, form)


def pixels(length: float) -> float:
    """A length in millipoints as pixels."""
    return length * _PIXELS


def as_number(value: Any) -> float | int:
    """A number as spreadsheets hold it."""
    return value if isinstance(value, int) else float(value)
