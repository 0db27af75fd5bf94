"""Pages of a table: from the rows of slices to layers of the display list, many pages at a time."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from northmoor.core.layout.decorations import decorated_layers
from northmoor.core.layout.display import Bookmark, Layer, Painted, Texts
from northmoor.core.layout.drawncells import drawn_layers
from northmoor.core.layout.origins import TableOrigins
from northmoor.core.layout.paginate import Slice
from northmoor.core.layout.placedcells import CellPlacer, Cells
from northmoor.core.layout.rowsonpage import RowsOnPage, RowsOnPages, rows_on_page, rows_on_pages
from northmoor.core.layout.table import TableLayout

Ints = npt.NDArray[np.int64]


@dataclass(frozen=True, slots=True)
class PlacedSlice:
    """A slice of a table at a place on its page."""

    piece: Slice
    left: int
    top: int


def table_pages(layout: TableLayout, placer: CellPlacer, slices: Sequence[PlacedSlice]) -> list[Painted]:
    """Fills, rules, drawings and texts of each of some slices of a table. Kinds of rows that have no fills, rules or
    drawings cost nothing."""
    pieces = [each.piece for each in slices]
    shown = rows_on_pages(layout, pieces, [each.top for each in slices])
    kinds = layout.plan_numbers(shown.rows)
    decorated, drawn = (
        set(shown.page_of(np.flatnonzero(is_any[kinds])).tolist()) for is_any in (layout.is_decorated, layout.is_drawn)
    )
    found: list[Painted] = []
    for number, texts in enumerate(_texts(layout, placer, slices, shown)):
        piece, left = pieces[number], slices[number].left
        layers: list[Layer] = []
        if number in decorated:
            layers += decorated_layers(layout, placer.decorations, piece, shown.page(number), left)
        if number in drawn:
            layers += drawn_layers(layout, piece, shown.page(number), left)
        marks = _bookmarks(layout, piece, shown.page(number)) if layout.flow.has_headings else ()
        found.append(Painted((*layers, texts) if len(texts) else tuple(layers), marks))
    return found


def _texts(
    layout: TableLayout, placer: CellPlacer, slices: Sequence[PlacedSlice], shown: RowsOnPages
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
    faces, shapers = tuple(face for face, _ in placer.faces), tuple(shaper for _, shaper in placer.faces)
    for start, end in pairwise(ends.tolist()):
        own = slice(start, end)
        origins = TableOrigins(layout, row[own], column[own])
        yield Texts(x[own], y[own], baseline[own], width[own], face[own], line[own], faces, shapers, origins)


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


def table_bookmarks(layout: TableLayout, piece: Slice, top: int) -> tuple[Bookmark, ...]:
    """Outline entries for the headings that begin on a slice."""
    return _bookmarks(layout, piece, rows_on_page(layout, piece, top))


def _bookmarks(layout: TableLayout, piece: Slice, shown: RowsOnPage) -> tuple[Bookmark, ...]:
    found = np.flatnonzero(layout.flow.is_heading[piece.start : piece.end])
    if piece.part and piece.part[0]:  # the rest of a split row: its heading was before
        return ()
    marks = []
    for at in found.tolist():
        row = piece.start + at
        plan = layout.plans[layout.plan_number(row)]
        title = plan.cells[0].texts.text(int(layout.flow.index[row])).strip() if plan.cells else ""
        depth = layout.flow.kinds[layout.flow.kind[row]].level - 1
        marks.append(Bookmark(title or "–", depth, int(shown.tops[shown.own[at]])))
    return tuple(marks)
