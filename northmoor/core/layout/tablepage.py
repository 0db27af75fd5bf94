"""One page of a table: from the rows of a slice to layers of the display list."""

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from northmoor.core.layout.context import Shapers
from northmoor.core.layout.display import Bookmark, Boxes, Layer, Origin, TextFace, Texts
from northmoor.core.layout.flow import DETAILS, HEADING, RowKind
from northmoor.core.layout.paginate import Slice
from northmoor.core.layout.plans import CellPlan, RowPlan
from northmoor.core.layout.table import TableLayout, WrappedCell

Ints = npt.NDArray[np.int64]
HEAD = -1
"""Stands for the head row among the printed rows of a page."""


@dataclass(frozen=True, slots=True, eq=False)
class RowsOnPage:
    """The rows a page shows, top to bottom: printed row numbers (or HEAD), their tops and heights on the page."""

    rows: Ints
    tops: Ints
    heights: Ints


def rows_on_page(layout: TableLayout, piece: Slice, top: int) -> RowsOnPage:
    """The rows of a slice with the head and repeated headings, from a distance from the page's top on."""
    head = [HEAD] if piece.has_head else []
    rows = np.concatenate([head, piece.repeated, np.arange(piece.start, piece.end)]).astype(np.int64)
    heights = np.where(rows == HEAD, layout.head_height, layout.heights[np.maximum(rows, 0)] if len(layout.heights) else 0)
    if piece.part is not None:
        heights[-1] = piece.part[1]
    tops = top + np.concatenate([[0], np.cumsum(heights)])[:-1]
    return RowsOnPage(rows, tops, heights)


def table_layers(layout: TableLayout, piece: Slice, left: int, top: int, shapers: Shapers) -> tuple[Layer, ...]:
    """Fills, texts and rules of a slice, at a place on the page."""
    shown = rows_on_page(layout, piece, top)
    kinds = np.where(shown.rows == HEAD, 0, 1 + layout.flow.kind[np.maximum(shown.rows, 0)] if len(layout.flow) else 0)
    builder = _Builder(layout, piece, shown, left, shapers)
    for at in range(len(shown.rows)):
        builder.add_row(at, int(kinds[at]))
    return builder.layers()


@dataclass(frozen=True, slots=True, eq=False)
class TableOrigins:
    """Origins of a table's items: for each, the row's place on the page and the column's number (−1: the row)."""

    layout: TableLayout
    rows: list[int]
    columns: list[int]

    def origin(self, item: int) -> Origin:
        """The origin of an item."""
        row, column = self.rows[item], self.columns[item]
        name = self.layout.table.columns[column].name if column >= 0 else None
        return row_origin(self.layout, row, name)


def row_origin(layout: TableLayout, row: int, column: str | None = None) -> Origin:
    """The origin of a printed row, or of its cell under a column."""
    block = layout.table.name
    if row == HEAD:
        return Origin(block, "head", column=column)
    kind = layout.flow.kinds[layout.flow.kind[row]]
    position = int(layout.flow.position[row])
    if kind.kind == DETAILS:
        keys = _plain_keys(layout.arranged.keys(position, len(layout.table.levels)))
        return Origin(block, "detail", None, keys, position, column)
    level = layout.table.levels[kind.level - 1].name if kind.level else None
    name = "heading" if kind.kind == HEADING else "total"
    return Origin(block, name, level, _plain_keys(layout.arranged.keys(position, kind.level)), None, column)


def _plain_keys(keys: tuple[Any, ...]) -> tuple[Any, ...]:
    """Keys as the dump can write them: texts, numbers and nulls."""
    return tuple(key if key is None or isinstance(key, str | int | float | bool) else str(key) for key in keys)


class _Builder:
    """Collects a page's items row by row. A page holds some hundred cells; only these become single numbers."""

    def __init__(self, layout: TableLayout, piece: Slice, shown: RowsOnPage, left: int, shapers: Shapers) -> None:
        self.layout, self.piece, self.shown, self.left, self.shapers = layout, piece, shown, left, shapers
        self.faces: dict[TextFace, int] = {}
        self.texts: list[tuple[int, int, int, int, int, int]] = []  # x, y, baseline, width, face, line
        self.text_rows: list[int] = []
        self.text_columns: list[int] = []
        self.fills: list[tuple[int, int, int, int, str, int, int]] = []  # x, y, width, height, colour, row, column
        self.rules: list[tuple[int, int, int, int, str, int, int]] = []

    def add_row(self, at: int, plan_number: int) -> None:
        """Add a row's cells, fills and rules."""
        layout = self.layout
        row, top, height = int(self.shown.rows[at]), int(self.shown.tops[at]), int(self.shown.heights[at])
        plan, wrapped = layout.plans[plan_number], layout.wrapped[plan_number]
        instance = 0 if row == HEAD else int(layout.flow.index[row])
        part = self.piece.part if self.piece.part and at == len(self.shown.rows) - 1 else None
        self._row_look(plan, row, top, height)
        for cell, placed in zip(plan.cells, wrapped, strict=True):
            if cell.look.fill and cell.look.fill != plan.look.fill:
                x = self.left + placed.left
                self.fills.append((x, top, placed.width, height, cell.look.fill, row, cell.column))
            self._cell_rules(plan, cell, placed, row, top, height)
            self._cell(cell, placed, row, instance, top, part)

    def _row_look(self, plan: RowPlan, row: int, top: int, height: int) -> None:
        look, width = plan.look, self.layout.edges[-1]
        if look.fill:
            self.fills.append((self.left, top, width, height, look.fill, row, -1))
        self._rules(look.rule_above, look.rule_below, look.rule_color, self.left, width, row, -1, top, height)

    def _cell_rules(self, plan: RowPlan, cell: CellPlan, placed: WrappedCell, row: int, top: int, height: int) -> None:
        own, of_row = cell.look, plan.look
        above = own.rule_above if own.rule_above != of_row.rule_above else 0
        below = own.rule_below if own.rule_below != of_row.rule_below else 0
        self._rules(above, below, own.rule_color, self.left + placed.left, placed.width, row, cell.column, top, height)

    def _rules(
        self, above: int, below: int, color: str, x: int, width: int, row: int, column: int, top: int, height: int
    ) -> None:
        if above:
            self.rules.append((x, top, width, above, color, row, column))
        if below:
            self.rules.append((x, top + height - below, width, below, color, row, column))

    def _cell(
        self, cell: CellPlan, placed: WrappedCell, row: int, instance: int, top: int, part: tuple[int, int] | None
    ) -> None:
        line = int(cell.lines[instance])
        if not cell.shaper.texts[line]:
            return
        lines = placed.wrapped.get(line) or (line,)
        y = top + cell.look.padding
        if part is not None:
            lines, y = _lines_in_part(lines, cell, top, part)
        face = self._face(cell.fault_face if instance in cell.texts.faulty else cell.face)
        ascent = cell.shaper.font.ascent(cell.face.size)
        left = self.left + placed.left + cell.look.inset
        room = placed.width - 2 * cell.look.inset
        for number in lines:
            width = int(cell.shaper.widths(_one(number), cell.face.size)[0])
            slack = room - width
            x = left + (0 if cell.align == "start" else slack if cell.align == "end" else slack // 2)
            self.texts.append((x, y, y + ascent, width, face, number))
            self.text_rows.append(row)
            self.text_columns.append(cell.column)
            y += cell.leading

    def _face(self, face: TextFace) -> int:
        return self.faces.setdefault(face, len(self.faces))

    def layers(self) -> tuple[Layer, ...]:
        """The layers in painting order: fills, then rules, then texts."""
        found: list[Layer] = [_boxes(k, b, self.layout) for k, b in (("fill", self.fills), ("rule", self.rules)) if b]
        if self.texts:
            columns = np.array(self.texts, np.int64).T
            faces = tuple(self.faces)
            shapers = tuple(self.shapers.of(face.font) for face in faces)
            origins = TableOrigins(self.layout, self.text_rows, self.text_columns)
            found.append(Texts(*columns, faces, shapers, origins))
        return tuple(found)


def _one(number: int) -> npt.NDArray[np.int32]:
    return np.array([number], np.int32)


def _boxes(kind: str, boxes: list[tuple[int, int, int, int, str, int, int]], layout: TableLayout) -> Boxes:
    x, y, width, height = np.array([box[:4] for box in boxes], np.int64).T
    origins = TableOrigins(layout, [box[5] for box in boxes], [box[6] for box in boxes])
    return Boxes(kind, x, y, width, height, tuple(box[4] for box in boxes), origins)


def _lines_in_part(
    lines: tuple[int, ...], cell: CellPlan, top: int, part: tuple[int, int]
) -> tuple[tuple[int, ...], int]:
    """The lines of a cell that a part of a split row shows, and the first one's top."""
    above, height = part
    kept = []
    y = top + cell.look.padding - above
    first: int | None = None
    for line in lines:
        if y >= top and y + cell.leading <= top + height:
            kept.append(line)
            first = y if first is None else first
        y += cell.leading
    return tuple(kept), first if first is not None else top


def table_bookmarks(layout: TableLayout, piece: Slice, top: int) -> tuple[Bookmark, ...]:
    """Outline entries for the headings of a slice."""
    shown = rows_on_page(layout, piece, top)
    marks = []
    for row, y in zip(shown.rows.tolist(), shown.tops.tolist(), strict=True):
        if row < piece.start:
            continue
        kind: RowKind = layout.flow.kinds[layout.flow.kind[row]]
        if kind.kind == HEADING and not (piece.part and piece.part[0]):
            plan = layout.plans[1 + int(layout.flow.kind[row])]
            texts = [cell.texts.texts[int(layout.flow.index[row])] for cell in plan.cells[:1]]
            marks.append(Bookmark(" ".join(texts).strip() or "–", kind.level - 1, y))
    return tuple(marks)
