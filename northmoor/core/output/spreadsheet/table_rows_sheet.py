"""Tables on a sheet: heads, groups as outline levels, figures as numbers with their formats, totals as formulas."""

from collections.abc import Iterator
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from itertools import pairwise
from typing import Any

import numpy as np
from msgspec import Struct
from xlsxwriter.format import Format
from xlsxwriter.utility import xl_range

from northmoor.core.expr.formats import FormatLocale, format_one
from northmoor.core.layout.table.row_sequence import DETAILS, HEADING, RowKind
from northmoor.core.model.styles import ResolvedStyle
from northmoor.core.output.content.nodes import TableNode
from northmoor.core.output.content.table_grid import GridPlace, grid_rows
from northmoor.core.output.content.table_rows import CellContent, TableCell, TableContent, TableRow, cell_text
from northmoor.core.output.output_document import OutputDocument
from northmoor.core.output.spreadsheet.cell_formats import CellFormats
from northmoor.core.output.spreadsheet.formulas import TableFormulas
from northmoor.core.output.spreadsheet.native_formats import NativeFormats
from northmoor.core.output.spreadsheet.number_formats import SECONDS_OF, number_format
from northmoor.core.output.spreadsheet.sheet import SHEET_ROWS, SheetCursor, as_number, write_text

_DEEPEST_OUTLINE = 7
_DAY = 86_400
_USUAL_INSET = 6_000
"""Millipoints beside texts that are no indent."""
_FIRST_DAY = date(1900, 3, 1)
"""Before it, days of spreadsheets are counted wrong."""


class TablePart(Struct, frozen=True):
    """Printed rows of a table that are on a sheet, from `start` up to `end`, and what they are called."""

    name: str
    start: int
    end: int


def outermost_groups(content: TableContent, node: TableNode, locale: FormatLocale) -> Iterator[TablePart]:
    """The outermost groups of a table, named by their values, and what is before and after them; nothing for a table
    without groups."""
    layout = content.layout
    if not content.levels or node.end <= node.start:
        return
    groups, sequence = layout.data.levels[layout.outer], layout.rows
    is_within = np.array([kind.kind == DETAILS or kind.level > layout.outer for kind in sequence.kinds], bool)
    rows = slice(node.start, node.end)
    of_row = np.searchsorted(groups.edges, sequence.position[rows], "right") - 1
    of_row = np.where(is_within[sequence.kind[rows]], of_row, -1)
    begins = np.flatnonzero(np.diff(of_row, prepend=-2))
    for begin, end in pairwise([*begins.tolist(), len(of_row)]):
        top = int(of_row[begin])
        key = groups.key(int(groups.tops[top])) if top >= 0 else None
        name = node.name if top < 0 else "blank" if key is None else format_one(key, None, locale)
        yield TablePart(name, node.start + begin, node.start + end)


class TableSheet:
    """Writes a table, or a part of one, down a sheet."""

    def __init__(
        self,
        content: TableContent,
        part: TablePart,
        document: OutputDocument,
        cursor: SheetCursor,
        formats: CellFormats,
    ) -> None:
        self.content, self._part = content, part
        self._document, self._cursor, self._formats = document, cursor, formats
        self._formulas = TableFormulas(self.content)
        self._locale: FormatLocale = document.composition.context.locale
        self._base: int | None = 0
        self._levels = self.content.table.levels[self.content.layout.outer :]
        self._groups = 0
        self._known: dict[tuple[Any, ...], tuple[str | None, Format]] = {}
        self._native: NativeFormats | None = None

    def write(self) -> None:
        """Write all of it. Raises Cancelled."""
        edges = self.content.layout.edges
        for column, (left, right) in enumerate(pairwise(edges)):
            self._cursor.widen(column, right - left)
        self.head()
        self._base = self._cursor.row - self._part.start
        self._totals_below()
        if self._base + self._part.end <= SHEET_ROWS:
            rows = range(self._part.start, self._part.end)
            context = self._document.composition.context
            self._native = NativeFormats(self.content, rows, self._base, context, self._formats)
            self._native.add_to(self._cursor.sheet)
        self.rows(self._part.start, self._part.end)

    def head(self) -> int:
        """Write the head; the number of its rows."""
        rows = list(grid_rows(self.content.head(), self.content.columns))
        for row, places in rows:
            self._row(row, places, self._cursor.next_row())
        return len(rows)

    def rows(self, start: int, end: int) -> None:
        """Write printed rows; where a sheet is full, they go on in the next, under the head again."""
        for number, (row, places) in enumerate(self._body(start, end)):
            if number % 4096 == 0:
                self._document.check_stop()
            if self._cursor.row >= SHEET_ROWS:
                self._cursor.next_row()
                self._cursor.row, self._base = 0, None  # ranges of formulas would be on two sheets
                self.head()
            self._break(row)
            at = self._cursor.next_row()
            height = int(self.content.layout.heights[row.number]) / 1000
            options = {"level": level} if (level := self._outline(row)) else {}
            self._cursor.sheet.set_row(at, min(height, 409), None, options)
            self._row(row, places, at)

    def _body(self, start: int, end: int) -> Iterator[tuple[TableRow, list[GridPlace[TableCell]]]]:
        return grid_rows(self.content.rows(start, end), self.content.columns)

    def _totals_below(self) -> None:
        """Say whether what totals a group is above or below it."""
        is_above = any(row.position == "before" for level in self._levels for row in level.total)
        has_total = any(level.total for level in self._levels)
        self._cursor.sheet.outline_settings(True, has_total and not is_above, True, False)

    def _outline(self, row: TableRow) -> int:
        """How deep a row is in the outline: groups are folded under their headings and totals."""
        return min(max(row.depth - 1, 0), _DEEPEST_OUTLINE) if self._levels else 0

    def _break(self, row: TableRow) -> None:
        """Begin a new page where the table's groups do."""
        kind = row.kind
        if kind is None or kind.kind != HEADING or kind.after or kind.number or row.depth != 1:
            return
        if self._groups and self._levels[0].page_break in ("between", "before"):
            self._cursor.break_before()
        self._groups += 1

    def _row(self, row: TableRow, places: list[GridPlace[TableCell]], at: int) -> None:
        for place in places:
            if (place.span > 1 or place.rows > 1) and not (place.rows > 1 and self._formats.is_streamed):
                self._merge(place, at, row)
            if place.cell is not None:
                self._cell(place.cell, row.kind, at, place.column)
            else:
                self._empty(row, at, place.column)

    def _merge(self, place: GridPlace[TableCell], at: int, row: TableRow) -> None:
        """Let a cell cover others: those are blank and look as it does."""
        look = self._look(place.cell) if place.cell is not None else row.look
        form = self._formats.of(look, "start")
        last_row, last_column = at + place.rows - 1, place.column + place.span - 1
        sheet = self._cursor.sheet
        sheet.merge_range(at, place.column, last_row, last_column, "", form)

    def _empty(self, row: TableRow, at: int, column: int) -> None:
        """The fill and rules of a row where it has no cell."""
        look = row.look
        if look.fill or look.rule_above or look.rule_below:
            self._cursor.sheet.write_blank(at, column, None, self._formats.of(look, "start"))

    def _cell(self, cell: TableCell, kind: RowKind | None, at: int, column: int) -> None:
        text, sheet = cell_text(cell), self._cursor.sheet
        number, form = self._formatted(cell, text)
        if not self._is_number(cell, text, number):
            write_text(sheet, at, column, text, form, cell.link)
            return
        stored = stored_number(cell.value, cell.kind.pattern)
        formula = self._formula(cell, kind, column)
        if formula is not None:
            sheet.write_formula(at, column, formula, form, stored)
        else:
            sheet.write_number(at, column, stored, form)

    def _formatted(self, cell: TableCell, text: str) -> tuple[str | None, Format]:
        """The number format and the format of a cell, kept for those of a kind that are alike."""
        kind, has_lines = cell.kind, "\n" in text
        if not (kind.is_even or self._is_native(kind)) or (kind.pattern is None and isinstance(cell.value, Decimal)):
            return self._format_of(cell, has_lines)
        key = (id(kind), cell.shift, cell.is_faulty, type(cell.value), has_lines)
        found = self._known.get(key)
        if found is None:
            found = self._known[key] = self._format_of(cell, has_lines)
        return found

    def _format_of(self, cell: TableCell, has_lines: bool) -> tuple[str | None, Format]:
        kind, look = cell.kind, self._look(cell)
        is_plain = not cell.is_faulty and not kind.content.currency
        number = number_format(cell.value, kind.pattern, self._locale) if is_plain else None
        color = kind.layout.fault_face.color if cell.is_faulty else None
        wraps = has_lines or (look.turn == "none" and isinstance(cell.value, str) and look.overflow == "wrap")
        further = max(look.inset - _USUAL_INSET, 0) if (look.side or kind.align) == "start" else 0
        return number, self._formats.of(look, kind.align, number, cell.shift + further, wraps, color)

    def _is_native(self, kind: CellContent) -> bool:
        return self._native is not None and self._native.has(kind)

    def _look(self, cell: TableCell) -> ResolvedStyle:
        """How a cell looks without what the sheet itself changes."""
        return cell.kind.layout.look if self._is_native(cell.kind) else cell.look

    def _is_number(self, cell: TableCell, text: str, number: str | None) -> bool:
        """Whether a cell holds its value; where other words are printed for it, it holds these."""
        if number is None or cell.value is None:
            return False
        if isinstance(cell.value, date) and cell.value.timetuple() < _FIRST_DAY.timetuple():
            return False
        content = cell.kind.content
        is_zero = isinstance(cell.value, int | float | Decimal) and not cell.value
        return not (content.when_zero is not None and is_zero) and bool(text)

    def _formula(self, cell: TableCell, kind: RowKind | None, column: int) -> str | None:
        """The formula of a figure, if its rows are all on this sheet."""
        found = self._formulas.at(kind, column, cell.instance) if kind is not None else None
        if found is None or self._base is None or self._base + self._part.end > SHEET_ROWS:
            return None
        if not self._part.start <= found.first <= found.last < self._part.end:
            return None
        rows = xl_range(self._base + found.first, column, self._base + found.last, column)
        return f"=SUBTOTAL({found.function},{rows})"


def stored_number(value: Any, pattern: str | None) -> float | int:
    """A value as the number that a spreadsheet holds: moments and durations in days."""
    if isinstance(value, datetime):
        return (value.replace(tzinfo=None) - datetime(1899, 12, 30)) / timedelta(days=1)
    if isinstance(value, date):
        return (value - date(1899, 12, 30)).days
    if isinstance(value, time):
        return (value.hour * 3600 + value.minute * 60 + value.second + value.microsecond / 1e6) / _DAY
    if isinstance(value, timedelta):
        return value / timedelta(days=1)
    number = as_number(value)
    return number * SECONDS_OF[pattern] / _DAY if pattern in SECONDS_OF else number
