"""One page of a table: from the rows of a slice to layers of the display list."""

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from northmoor.core.layout.context import Shapers
from northmoor.core.layout.display import Bookmark, Boxes, Layer, Origin, Texts
from northmoor.core.layout.paginate import Slice
from northmoor.core.layout.placedcells import CellPlacer, in_order
from northmoor.core.layout.plans import RowPlan
from northmoor.core.layout.table import TableLayout, WrappedCell
from northmoor.core.model.looks import FullLook
from northmoor.core.model.tables import PAGE_ROWS

Ints = npt.NDArray[np.int64]


@dataclass(frozen=True, slots=True, eq=False)
class RowsOnPage:
    """The rows a page shows, top to bottom: their numbers, tops and heights on the page. `own` says where among them
    those of the slice stand; the others belong to the page: the head, repeated headings, what is carried, totals."""

    rows: Ints
    tops: Ints
    heights: Ints
    own: Ints

    @property
    def others(self) -> Ints:
        """Where the rows stand that belong to the page."""
        return np.setdiff1d(np.arange(len(self.rows)), self.own, assume_unique=True)


def rows_on_page(layout: TableLayout, piece: Slice, top: int) -> RowsOnPage:
    """The rows of a slice with those that belong to its page, from a distance from the page's top on.

    The page's total stands before the totals of all rows, unless it stands at the foot of the page.
    """
    before = [*layout.head_rows(piece.is_first), *piece.repeated]
    if not piece.is_first:
        before += layout.page_row("brought_forward")
    after = [] if piece.start == piece.end else layout.page_row("page_total")
    if not piece.is_last:
        after += layout.page_row("carried_forward")
    own = layout.heights[piece.start : piece.end]
    if piece.part is not None:
        own = np.append(own[:-1], piece.part[1])
    rows = np.concatenate([before, np.arange(piece.start, piece.end), after]).astype(np.int64)
    above = [layout.height_of([row]) if row < 0 else layout.strip.repeated_height(row) for row in before]
    heights = np.concatenate([above, own, [layout.height_of([row]) for row in after]]).astype(np.int64)
    at = np.arange(len(before), len(rows) - len(after))
    if after and piece.foot is None:
        order, at = _totals_last(layout, rows, at)
        rows, heights = rows[order], heights[order]
    tops = top + np.cumsum(heights) - heights
    if after and piece.foot is not None:
        tops[-len(after) :] += top - piece.y + piece.foot - tops[-len(after)]
    return RowsOnPage(rows, tops, heights, at)


def _totals_last(layout: TableLayout, rows: Ints, own: Ints) -> tuple[Ints, Ints]:
    """The order in which totals of all rows come last on a page, and where a slice's own rows stand then."""
    flow = layout.flow
    last = sum(flow.kinds[flow.kind[row]].closes_table for row in rows[own[-len(flow.kinds) :]].tolist())
    moved = np.arange(len(rows))
    after = len(rows) - 1 - own[-1]
    end = len(rows) - after
    order = np.concatenate([moved[: end - last], moved[end:], moved[end - last : end]])
    return order, np.concatenate([own[: len(own) - last], own[len(own) - last :] + after])


def table_layers(
    layout: TableLayout, placer: CellPlacer, piece: Slice, left: int, top: int, shapers: Shapers
) -> tuple[Layer, ...]:
    """Fills, rules and texts of a slice, at a place on the page."""
    shown = rows_on_page(layout, piece, top)
    boxes = _decorations(layout, piece, shown, left)
    layers: list[Layer] = [_boxes(k, found, layout) for k, found in zip(("fill", "rule"), boxes, strict=True) if found]
    texts = _texts(layout, placer, piece, shown, left, shapers)
    return (*layers, texts) if len(texts) else tuple(layers)


def _texts(
    layout: TableLayout, placer: CellPlacer, piece: Slice, shown: RowsOnPage, left: int, shapers: Shapers
) -> Texts:
    own = placer.rows(piece.start, piece.end)
    again = [lines for row in layout.repeating(piece.start, piece.end) for lines in placer.again(row)]
    if again:
        own = in_order([own, *again])
    if piece.part is not None:
        own = _lines_in_part(layout, own, piece.end - 1, piece.part)

    pieces, places = [own], [shown.own[own[0] - piece.start]]
    for at in shown.others.tolist():
        row = int(shown.rows[at])
        pieces.append(placer.page_row(row, piece.number) if row < 0 else placer.repeated(row))
        places.append(np.full(pieces[-1].shape[1], at, np.int64))
    place = np.concatenate(places)
    order = np.argsort(place, kind="stable")
    row, column, x, y, baseline, width, face, line, drop = np.concatenate(pieces, axis=1)[:, order]
    top = shown.tops[place[order]] + drop
    faces = tuple(placer.faces)
    origins = TableOrigins(layout, row, column)
    own_shapers = tuple(shapers.of(f.font) for f in faces)
    return Texts(x + left, y + top, baseline + top, width, face, line, faces, own_shapers, origins)


def _lines_in_part(layout: TableLayout, cells: Ints, row: int, part: tuple[int, int]) -> Ints:
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
    found: Ints = moved[:, inside]
    return found


@dataclass(frozen=True, slots=True, eq=False)
class TableOrigins:
    """Origins of a table's items: for each, its printed row and its column's number (−1: the row)."""

    layout: TableLayout
    rows: Ints
    columns: Ints

    def origin(self, item: int) -> Origin:
        """The origin of an item."""
        row, column = int(self.rows[item]), int(self.columns[item])
        name = self.layout.table.columns[column].name if column >= 0 else None
        return row_origin(self.layout, row, name)


def row_origin(layout: TableLayout, row: int, column: str | None = None) -> Origin:
    """The origin of a printed row, or of its cell under a column."""
    block = layout.table.name
    place = layout.plans[layout.plan_number(row)].place
    if row < 0:
        kind, level = _PAGE_ORIGINS.get(place.row, (place.row, None))
        return Origin(block, kind, level, (), None, column, place.number)
    position = int(layout.flow.position[row])
    if place.row == "detail":
        keys = _plain_keys(layout.arranged.keys(position, len(layout.table.levels)))
        return Origin(block, "detail", None, keys, position, column, place.number)
    depth = layout.flow.kinds[layout.flow.kind[row]].level
    keys = layout.arranged.keys(position, depth)
    if depth:  # after a group of a tree stands the last row of one in it
        keys = (*keys[:-1], layout.arranged.levels[depth - 1].key(int(layout.flow.index[row])))
    keys = _plain_keys(keys)
    return Origin(block, place.row, place.level, keys, None, column, place.number)


_PAGE_ORIGINS: dict[str, tuple[str, str | None]] = {
    "page_total": ("total", "page"),
    "brought_forward": ("carry", "pages_before"),
    "carried_forward": ("carry", "pages_to_here"),
}
"""How the dump tells of rows that belong to pages: as the totals of their windows."""


def _plain_keys(keys: tuple[Any, ...]) -> tuple[Any, ...]:
    """Keys as the dump can write them: texts, numbers and nulls."""
    return tuple(key if key is None or isinstance(key, str | int | float | bool) else str(key) for key in keys)


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
    """The fills and rules of a page's rows. Kinds of rows that have none cost nothing."""
    fills: list[_Box] = []
    rules: list[_Box] = []
    kinds = layout.plan_numbers(shown.rows)
    for at in np.flatnonzero(layout.is_decorated[kinds]).tolist():
        plan, wrapped = layout.plans[kinds[at]], layout.wrapped[kinds[at]]
        row, top, height = int(shown.rows[at]), int(shown.tops[at]), int(shown.heights[at])
        instance = int(layout.flow.index[row]) if row >= 0 else piece.number if plan.place.row in PAGE_ROWS else 0
        found = _Decorated(layout.edges[-1], (row, top, height), fills, rules)
        found.decorate(plan, wrapped, left, instance)
    return fills, rules


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
            if look.fill and look.fill != base.fill:
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
