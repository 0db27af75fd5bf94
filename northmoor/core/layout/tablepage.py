"""Pages of a table: from the rows of slices to layers of the display list, many pages at a time."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from northmoor.core.layout.context import Shapers
from northmoor.core.layout.display import Bookmark, Boxes, Layer, Texts
from northmoor.core.layout.drawncells import drawn_layers
from northmoor.core.layout.origins import TableOrigins
from northmoor.core.layout.paginate import Slice
from northmoor.core.layout.placedcells import CellPlacer, Cells
from northmoor.core.layout.plans import RowPlan
from northmoor.core.layout.rowsonpage import RowsOnPage, RowsOnPages, rows_on_page, rows_on_pages
from northmoor.core.layout.table import TableLayout, WrappedCell
from northmoor.core.model.looks import FullLook

Ints = npt.NDArray[np.int64]


@dataclass(frozen=True, slots=True)
class PlacedSlice:
    """A slice of a table at a place on its page."""

    piece: Slice
    left: int
    top: int


def table_layers(
    layout: TableLayout, placer: CellPlacer, slices: Sequence[PlacedSlice], shapers: Shapers
) -> list[tuple[Layer, ...]]:
    """Fills, rules, drawings and texts of each of some slices of a table. Kinds of rows that have no fills, rules or
    drawings cost nothing."""
    pieces = [each.piece for each in slices]
    shown = rows_on_pages(layout, pieces, [each.top for each in slices])
    kinds = layout.plan_numbers(shown.rows)
    decorated, drawn = (
        set(shown.page_of(np.flatnonzero(is_any[kinds])).tolist()) for is_any in (layout.is_decorated, layout.is_drawn)
    )
    found: list[tuple[Layer, ...]] = []
    for number, texts in enumerate(_texts(layout, placer, slices, shown, shapers)):
        piece, left = pieces[number], slices[number].left
        layers: list[Layer] = []
        if number in decorated:
            boxes = _decorations(layout, piece, shown.page(number), left)
            layers += [_boxes(kind, own, layout) for kind, own in zip(("fill", "rule"), boxes, strict=True) if own]
        if number in drawn:
            layers += drawn_layers(layout, piece, shown.page(number), left)
        found.append((*layers, texts) if len(texts) else tuple(layers))
    return found


def _texts(
    layout: TableLayout, placer: CellPlacer, slices: Sequence[PlacedSlice], shown: RowsOnPages, shapers: Shapers
) -> Iterator[Texts]:
    """The texts of each slice."""
    found = [*_own_lines(layout, placer, slices, shown), *_other_lines(placer, slices, shown)]
    lines, places = np.concatenate([lines for lines, _ in found], axis=1), np.concatenate([at for _, at in found])
    order = np.argsort(places * 10_000 + lines[1], kind="stable")
    places = places[order]
    row, column, x, y, baseline, width, face, line, drop = lines[:, order]
    ends = np.searchsorted(places, shown.begins)
    top = shown.tops[places] + drop
    x += np.repeat([each.left for each in slices], np.diff(ends))
    y += top
    baseline += top
    faces = tuple(placer.faces)
    own_shapers = tuple(shapers.of(f.font) for f in faces)
    for start, end in pairwise(ends.tolist()):
        own = slice(start, end)
        origins = TableOrigins(layout, row[own], column[own])
        yield Texts(x[own], y[own], baseline[own], width[own], face[own], line[own], faces, own_shapers, origins)


Lines = tuple[Cells, Ints]
"""Placed lines, and for each the place of its row among those shown."""


def _own_lines(
    layout: TableLayout, placer: CellPlacer, slices: Sequence[PlacedSlice], shown: RowsOnPages
) -> Iterator[Lines]:
    """The lines of the rows of slices; of those that follow one another, together."""
    first = 0
    while first < len(slices):
        piece = slices[first].piece
        end = first + 1
        while end < len(slices) and _goes_on(slices[end - 1].piece, slices[end].piece):
            end += 1
        last = slices[end - 1].piece.end
        own = [placer.rows(piece.start, last)]
        if layout.blanks_repeats:
            own += [lines for each in slices[first:end] for lines in _repeats(layout, placer, each.piece)]
        lines = own[0] if len(own) == 1 else np.concatenate(own, axis=1)
        if piece.part is not None:
            lines = _lines_in_part(layout, lines, piece.end - 1, piece.part)
        yield lines, shown.own[shown.own_begins[first] + lines[0] - piece.start]
        first = end


def _goes_on(piece: Slice, following: Slice) -> bool:
    """Whether a slice begins where another ends, none of their rows being split."""
    return piece.part is None and following.part is None and piece.end == following.start


def _repeats(layout: TableLayout, placer: CellPlacer, piece: Slice) -> Iterator[Cells]:
    """The lines that a page begins with though they repeat those of the page before."""
    for row in layout.repeating(piece.start, piece.end):
        yield from placer.again(row)


def _other_lines(placer: CellPlacer, slices: Sequence[PlacedSlice], shown: RowsOnPages) -> Iterator[Lines]:
    """The lines of rows that belong to pages; those that are alike on many are placed once."""
    places: dict[tuple[int, int], list[int]] = {}
    others = shown.others
    columns = (each.tolist() for each in (others, shown.rows[others], shown.page_of(others)))
    for at, row, page in zip(*columns, strict=True):
        places.setdefault((row, placer.layout.instance(row, slices[page].piece.number)), []).append(at)
    for (row, instance), own in places.items():
        lines = placer.page_row(row, instance) if row < 0 else placer.repeated(row)
        yield np.tile(lines, len(own)), np.repeat(own, lines.shape[1])


def _lines_in_part(layout: TableLayout, cells: Cells, row: int, part: tuple[int, int]) -> Cells:
    """All lines but those of a split row's other parts; those of this part are moved up to where it begins."""
    above, height = part
    moved = cells.copy()
    split = moved[0] == row
    moved[3:5, split] -= above
    moved[8, split] = 0
    leadings = {cell.column: cell.leading for cell in layout.plans[layout.plan_number(row)].cells}
    ends = moved[3, split] + np.array([leadings[c] for c in moved[1, split].tolist()], np.int64)
    inside = ~split
    inside[split] = (moved[3, split] >= 0) & (ends <= height)
    found: Cells = moved[:, inside]
    return found


@dataclass(frozen=True, slots=True)
class _Box:
    x: int
    y: int
    width: int
    height: int
    color: str
    row: int
    column: int


def _decorations(layout: TableLayout, piece: Slice, shown: RowsOnPage, left: int) -> tuple[list[_Box], list[_Box]]:
    """The fills and rules of a page's rows."""
    fills: list[_Box] = []
    rules: list[_Box] = []
    over: list[_Box] = []  # fills of cells that cover rows below, over those rows' own
    kinds = layout.plan_numbers(shown.rows)
    for at in np.flatnonzero(layout.is_decorated[kinds]).tolist():
        plan, wrapped = layout.plans[kinds[at]], layout.wrapped[kinds[at]]
        row, top, height = int(shown.rows[at]), int(shown.tops[at]), int(shown.heights[at])
        instance = layout.instance(row, piece.number)
        found = _Decorated(layout.edges[-1], (row, top, height), fills, rules)
        found.decorate(plan, wrapped, left, instance)
        for cell, placed in zip(plan.cells, wrapped, strict=True):
            if cell.rows > 1 and (fill := cell.look_of(instance).fill):
                down = int(shown.heights[at : at + cell.rows].sum())
                over.append(_Box(left + placed.left, top, placed.width, down, fill, row, cell.column))
    return [*fills, *over], rules


@dataclass(frozen=True, slots=True)
class _Decorated:
    """Collects the fills and rules of a row: its number, top and height are `placed`."""

    width: int
    placed: tuple[int, int, int]
    fills: list[_Box]
    rules: list[_Box]

    def decorate(self, plan: RowPlan, wrapped: tuple[WrappedCell, ...], left: int, instance: int) -> None:
        """The row's own fill and rules over its whole width, then what cells have of their own."""
        row, top, height = self.placed
        base = plan.look_of(instance)
        if base.fill:
            self.fills.append(_Box(left, top, self.width, height, base.fill, row, -1))
        self._edges(base, None, left, self.width, -1)
        for cell, at in zip(plan.cells, wrapped, strict=True):
            look, x = cell.look_of(instance), left + at.left
            if look.fill and look.fill != base.fill and cell.rows == 1:
                self.fills.append(_Box(x, top, at.width, height, look.fill, row, cell.column))
            self._edges(look, base, x, at.width, cell.column)

    def _edges(self, look: FullLook, base: FullLook | None, x: int, width: int, column: int) -> None:
        """The rules of a row, or those of a cell that its row does not have."""
        row, top, height = self.placed

        def own(name: str) -> int:
            thickness: int = getattr(look, name)
            return thickness if base is None or thickness != getattr(base, name) else 0

        sides = []
        if above := own("rule_above"):
            sides.append((x, top, width, above))
        if below := own("rule_below"):
            sides.append((x, top + height - below, width, below))
        if edge := own("rule_left"):
            sides.append((x, top, edge, height))
        if edge := own("rule_right"):
            sides.append((x + width - edge, top, edge, height))
        for side in sides:
            self.rules.extend(_Box(*dash, look.rule_color, row, column) for dash in _dashes(side, look.rule_dash))


_DASHES = {"dashed": (4, 3), "dotted": (1, 1)}
"""How long a dash and the gap after it are, in thicknesses."""


def _dashes(side: tuple[int, int, int, int], dash: str) -> list[tuple[int, int, int, int]]:
    """A rule as one rectangle, or as many short ones."""
    x, y, width, height = side
    if dash not in _DASHES:
        return [side]
    thickness, length = min(width, height), max(width, height)
    on, off = (thickness * part for part in _DASHES[dash])
    starts = range(0, length, max(on + off, 1))
    if width >= height:
        return [(x + start, y, min(on, length - start), height) for start in starts]
    return [(x, y + start, width, min(on, length - start)) for start in starts]


def _boxes(kind: str, boxes: list[_Box], layout: TableLayout) -> Boxes:
    x, y, width, height, row, column = np.array(
        [(b.x, b.y, b.width, b.height, b.row, b.column) for b in boxes], np.int64
    ).T
    return Boxes(kind, x, y, width, height, tuple(b.color for b in boxes), TableOrigins(layout, row, column))


def table_bookmarks(layout: TableLayout, piece: Slice, top: int) -> tuple[Bookmark, ...]:
    """Outline entries for the headings that begin on a slice."""
    if not layout.flow.has_headings:
        return ()
    found = np.flatnonzero(layout.flow.is_heading[piece.start : piece.end])
    if not len(found) or (piece.part and piece.part[0]):  # the rest of a split row: its heading was before
        return ()
    shown = rows_on_page(layout, piece, top)
    marks = []
    for at in found:
        row = piece.start + int(at)
        plan = layout.plans[layout.plan_number(row)]
        title = plan.cells[0].texts.text(int(layout.flow.index[row])).strip() if plan.cells else ""
        depth = layout.flow.kinds[layout.flow.kind[row]].level - 1
        marks.append(Bookmark(title or "–", depth, int(shown.tops[shown.own[at]])))
    return tuple(marks)
