"""The fills and rules of a table's rows: alike for all rows of a kind that look alike, found once and moved to each."""

from collections.abc import Hashable, Sequence
from dataclasses import dataclass

import numpy as np

from northmoor.core.layout.display import Boxes, Layer
from northmoor.core.layout.origins import TableOrigins
from northmoor.core.layout.paginate import Slice
from northmoor.core.layout.plans import RowPlan
from northmoor.core.layout.rowsonpage import RowsOnPage
from northmoor.core.layout.table import TableLayout, WrappedCell
from northmoor.core.model.looks import FullLook


@dataclass(frozen=True, slots=True)
class Box:
    """A rectangle from a row's left edge and its top, of a column (−1: of the row)."""

    x: int
    y: int
    width: int
    height: int
    color: str
    column: int


Decoration = tuple[tuple[Box, ...], tuple[Box, ...]]
"""The fills and the rules of a row."""
Decorations = dict[Hashable, Decoration]
"""Those of rows that have been looked at, by what they depend on."""
_Placed = tuple[int, int, int, int, str, int, int]
"""Left, top, width, height, colour, printed row and column."""


def decorated_layers(
    layout: TableLayout, known: Decorations, piece: Slice, shown: RowsOnPage, left: int
) -> list[Layer]:
    """The fills and rules of a page's rows; `known` keeps what is found."""
    fills: list[_Placed] = []
    rules: list[_Placed] = []
    over: list[_Placed] = []  # fills of cells that cover rows below, over those rows' own
    kinds = layout.plan_numbers(shown.rows)
    at_rows = np.flatnonzero(layout.is_decorated[kinds])
    columns = (each[at_rows].tolist() for each in (kinds, shown.rows, shown.tops, shown.heights))
    for at, kind, row, top, height in zip(at_rows.tolist(), *columns, strict=True):
        instance = layout.instance(row, piece.number)
        varying = tuple(int(numbers[instance]) for numbers in layout.varying[kind])
        key = (kind, height, *varying)
        if key not in known:
            known[key] = _decoration(layout.plans[kind], layout.wrapped[kind], layout.edges[-1], height, instance)
        for found, boxes in zip((fills, rules), known[key], strict=True):
            found += [(left + b.x, top + b.y, b.width, b.height, b.color, row, b.column) for b in boxes]
        for cell, placed in zip(layout.plans[kind].cells, layout.wrapped[kind], strict=True):
            if cell.rows > 1 and (fill := cell.look_of(instance).fill):
                down = int(shown.heights[at : at + cell.rows].sum())
                over.append((left + placed.left, top, placed.width, down, fill, row, cell.column))
    return [
        _layer(kind, boxes, layout) for kind, boxes in (("fill", [*fills, *over]), ("rule", rules)) if boxes
    ]  # fmt: skip


def _layer(kind: str, boxes: Sequence[_Placed], layout: TableLayout) -> Boxes:
    numbers = np.array([(x, y, width, height, row, column) for x, y, width, height, _, row, column in boxes], np.int64)
    x, y, width, height, row, column = numbers.T
    return Boxes(kind, x, y, width, height, tuple(box[4] for box in boxes), TableOrigins(layout, row, column))


def _decoration(plan: RowPlan, wrapped: tuple[WrappedCell, ...], width: int, height: int, instance: int) -> Decoration:
    """The row's own fill and rules over its whole width, then what cells have of their own."""
    fills: list[Box] = []
    base = plan.look_of(instance)
    if base.fill:
        fills.append(Box(0, 0, width, height, base.fill, -1))
    rules = _edges(base, None, Box(0, 0, width, height, base.rule_color, -1))
    for cell, at in zip(plan.cells, wrapped, strict=True):
        look = cell.look_of(instance)
        if look.fill and look.fill != base.fill and cell.rows == 1:
            fills.append(Box(at.left, 0, at.width, height, look.fill, cell.column))
        rules += _edges(look, base, Box(at.left, 0, at.width, height, look.rule_color, cell.column))
    return tuple(fills), tuple(rules)


def _edges(look: FullLook, base: FullLook | None, box: Box) -> list[Box]:
    """The rules of a row, or those of a cell that its row does not have."""

    def own(name: str) -> int:
        thickness: int = getattr(look, name)
        return thickness if base is None or thickness != getattr(base, name) else 0

    sides = []
    if above := own("rule_above"):
        sides.append((box.x, 0, box.width, above))
    if below := own("rule_below"):
        sides.append((box.x, box.height - below, box.width, below))
    if edge := own("rule_left"):
        sides.append((box.x, 0, edge, box.height))
    if edge := own("rule_right"):
        sides.append((box.x + box.width - edge, 0, edge, box.height))
    return [Box(*dash, box.color, box.column) for side in sides for dash in _dashes(side, look.rule_dash)]


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
