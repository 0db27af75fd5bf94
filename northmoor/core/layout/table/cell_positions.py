"""A table's cells placed within their rows, two thousand rows at a time.

Drawing a page then only adds the rows' tops to a stretch of these arrays: a page of a table costs the same few array
operations however many cells it has, and an edit on a long table places only the rows that are looked at.
"""

from collections.abc import Hashable
from typing import Any

import numpy as np
import numpy.typing as npt
from msgspec import Struct, field

from northmoor.core.base.arrays import AnyInts
from northmoor.core.layout.graphics.display_list import TextFace
from northmoor.core.layout.table.cell_layout import CellLayout
from northmoor.core.layout.table.layout import TableLayout, WrappedCell
from northmoor.core.layout.text.shaping import Shaper

Cells = npt.NDArray[np.int32]
"""Placed lines, one row a property (see `PlacedCells`): half as wide as other numbers, since many are moved."""
CHUNK = 2048
_MOST_CHUNKS = 16
_MOST_PAGE_ROWS = 64
"""Chunks kept, the last used ones: a page needs one or two."""
_COLUMNS = 9


class PlacedCells(Struct, frozen=True, eq=False):
    """Lines of cells in reading order. Arrays of one length: `row`, `column`, `x` from the
    table's
    left, `y` and `baseline` from the row's top, `width`, `face` (index of the table's faces), `line` (in its
    shaper), and `drop`, how much lower it is where its row is not split."""

    table: Cells

    def __len__(self) -> int:
        return int(self.table.shape[1])

    def stretch(self, start: int, end: int) -> Cells:
        """The lines of printed rows from `start` up to `end`."""
        first, last = np.searchsorted(self.table[0], (start, end))
        return self.table[:, first:last]


class CellPlacer(Struct, eq=False):
    """Places a table's cells chunk by chunk and keeps what it placed."""

    layout: TableLayout
    faces: dict[tuple[TextFace, Shaper], int] = field(default_factory=dict)
    """The numbers of the faces of its texts, each with what shapes them."""
    decorations: dict[Hashable, Any] = field(default_factory=dict)
    """What `decorations.decorated_layers` found."""
    _chunks: dict[int, PlacedCells] = field(default_factory=dict)
    _page_rows: dict[tuple[int, int], Cells] = field(default_factory=dict)

    def page_row(self, row: int, instance: int) -> Cells:
        """The lines of an instance of a row that belongs to pages."""
        plan = self.layout.plan_number(row)
        key = (row, instance)
        if key not in self._page_rows:
            if len(self._page_rows) >= _MOST_PAGE_ROWS:
                del self._page_rows[next(iter(self._page_rows))]
            self._page_rows[key] = in_order(self._of_kind(plan, np.array([row]), np.array([instance])))
        return self._page_rows[key]

    def rows(self, start: int, end: int) -> Cells:
        """The lines of printed rows from `start` up to `end`."""
        pieces = [
            self._chunk(number).stretch(start, end)
            for number in range(start // CHUNK, (max(end, start + 1) - 1) // CHUNK + 1)
        ]
        return pieces[0] if len(pieces) == 1 else np.concatenate(pieces, axis=1)

    def repeated_heads(self, row: int) -> list[Cells]:
        """The lines of a printed row's cells that are left empty as repeats, for a page that begins with the row."""
        plan, instance = self.layout.plan_number(row), int(self.layout.rows.index[row])
        cells = zip(self.layout.plans[plan].cells, self.layout.wrapped[plan], strict=True)
        rows, instances = np.array([row]), np.array([instance])
        return [
            fragment
            for cell, placed in cells
            if cell.repeats is not None and cell.repeats[instance]
            for fragment in self._cell(cell, placed, rows, instances, again=True)
        ]

    def repeated(self, row: int) -> Cells:
        """The lines of a heading that is repeated on a later page."""
        number = self.layout.plan_number(row)
        plan, wrapped = self.layout.again.get(number) or (self.layout.plans[number], self.layout.wrapped[number])
        rows, instances = np.array([row]), self.layout.rows.index[row : row + 1]
        cells = zip(plan.cells, wrapped, strict=True)
        return in_order([fragment for cell, placed in cells for fragment in self._cell(cell, placed, rows, instances)])

    def _chunk(self, number: int) -> PlacedCells:
        found = self._chunks.pop(number, None)
        if found is None:
            found = self._place(number * CHUNK, min((number + 1) * CHUNK, len(self.layout.rows)))
        self._chunks[number] = found
        if len(self._chunks) > _MOST_CHUNKS:
            del self._chunks[next(iter(self._chunks))]
        return found

    def _place(self, start: int, end: int) -> PlacedCells:
        sequence = self.layout.rows
        kinds = sequence.kind[start:end]
        pieces: list[Cells] = []
        for kind in np.unique(kinds).tolist():
            rows = np.flatnonzero(kinds == kind) + start
            pieces += self._of_kind(self.layout.page_kinds + kind, rows, sequence.index[rows])
        return PlacedCells(in_order(pieces))

    def _of_kind(self, plan: int, rows: AnyInts, instances: AnyInts) -> list[Cells]:
        cells = zip(self.layout.plans[plan].cells, self.layout.wrapped[plan], strict=True)
        return [fragment for cell, placed in cells for fragment in self._cell(cell, placed, rows, instances)]

    def _cell(
        self, cell: CellLayout, placed: WrappedCell, rows: AnyInts, instances: AnyInts, again: bool = False
    ) -> list[Cells]:
        if cell.variant is not None:
            found = []
            numbers = cell.variant[instances]
            for number in np.unique(numbers).tolist():
                own = numbers == number
                found += self._cell(cell.variants[number], placed.variants[number], rows[own], instances[own], again)
            return found
        lines = cell.shaped.lines[instances].astype(np.int64)
        faces = np.full(len(rows), self._face(cell.face, cell.shaper), np.int64)
        if cell.texts.faulty:
            bad = np.fromiter((i in cell.texts.faulty for i in instances.tolist()), bool, len(instances))
            faces[bad] = self._face(cell.fault_face, cell.shaper)
        shown = lines != cell.shaper.empty
        if cell.repeats is not None and not again:
            shown = shown & ~cell.repeats[instances]
        drop = self._drop(cell, placed, rows, instances)
        shift = np.zeros(len(rows), np.int64) if cell.shift is None else cell.shift[instances]
        if cell.tails is not None:  # aligned at the end, further left by what others have after the sign
            drawn = _lines(cell, placed, rows[shown], lines[shown], faces[shown], 0, shift[shown], drop[shown])
            drawn[2] -= np.minimum(cell.tail - cell.tails[instances[shown]], drawn[2] - placed.left)
            return [drawn]
        if not placed.wrapped:
            return [_lines(cell, placed, rows[shown], lines[shown], faces[shown], 0, shift[shown], drop[shown])]
        single = shown & placed.plain[instances]
        pieces = [_lines(cell, placed, rows[single], lines[single], faces[single], 0, shift[single], drop[single])]
        for at in np.flatnonzero(shown & ~single).tolist():
            parts = np.array(placed.wrapped[int(lines[at]), int(shift[at])], np.int64)
            places = np.repeat(rows[at], len(parts))
            pieces.append(_lines(cell, placed, places, parts, faces[at], np.arange(len(parts)), shift[at], drop[at]))
        return pieces

    def _drop(self, cell: CellLayout, placed: WrappedCell, rows: AnyInts, instances: AnyInts) -> AnyInts:
        """How much lower the texts of cells begin that are not at the top of their rows."""
        if cell.look.vertical_align == "top":
            return np.zeros(len(rows), np.int64)
        layout = self.layout
        heights = np.array(
            [
                layout.height_of([row]) if row < 0 else layout.heights[row : row + cell.rows].sum()
                for row in rows.tolist()
            ]
        )
        slack = heights - placed.counts[instances] * cell.leading - 2 * cell.look.padding
        drop: AnyInts = np.maximum(slack, 0).astype(np.int64)
        return drop if cell.look.vertical_align == "bottom" else drop // 2

    def _face(self, face: TextFace, shaper: Shaper) -> int:
        return self.faces.setdefault((face, shaper), len(self.faces))


def _lines(
    cell: CellLayout,
    placed: WrappedCell,
    rows: AnyInts,
    lines: AnyInts,
    faces: AnyInts | np.int64,
    number: AnyInts | int,
    indent: AnyInts | np.int64,
    drop: AnyInts | np.int64,
) -> Cells:
    """Lines of a cell, of which each is the `number`-th of its own cell."""
    widths = cell.shaper.widths(lines, cell.face.size)
    slack = placed.width - 2 * cell.look.inset - indent - widths
    shift = {"start": slack * 0, "end": slack, "center": slack // 2}[cell.align]
    y = cell.look.padding + np.asarray(number) * cell.leading
    table = np.empty((_COLUMNS, len(lines)), np.int32)
    table[0], table[1] = rows, cell.column
    table[2] = placed.left + cell.look.inset + indent + shift
    table[3], table[4] = y, y + cell.shaper.font.ascent(cell.face.size)
    table[5], table[6], table[7], table[8] = widths, faces, lines, drop
    return table


def in_order(pieces: list[Cells]) -> Cells:
    """Row by row, within it column by column; the lines of a cell stay in their order."""
    if not pieces:
        return np.empty((_COLUMNS, 0), np.int32)
    whole = np.concatenate(pieces, axis=1)
    order = np.argsort(whole[0].astype(np.int64) * 10_000 + whole[1], kind="stable")
    found: Cells = whole[:, order]
    return found
