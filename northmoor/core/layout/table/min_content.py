"""How narrow the cells of a table can be: no number, date, code or word is broken above that width."""

from collections.abc import Iterator, Sequence

import pyarrow.compute as pc

from northmoor.core.layout.context import LayoutContext
from northmoor.core.layout.inline.formatting import decoded_texts
from northmoor.core.layout.table.cell_layout import CellLayout, RowLayout
from northmoor.core.layout.text.line_breaking import widest_piece


def least_width(cell: CellLayout, context: LayoutContext) -> int:
    """The least width of a cell's texts, without the space beside them."""
    if cell.known_least is not None:
        return cell.known_least
    if cell.texts.is_whole or cell.turned is not None:
        least = cell.needed
    elif cell.look.overflow == "cut":
        least = 0
    else:
        key = ("least", cell.texts, cell.face.font, cell.face.size, cell.breaking)
        least = context.cache.get(key, lambda: _widest_piece(cell))
        least += int(cell.shift.max()) if cell.shift is not None and len(cell.shift) else 0
    if cell.look.overflow == "shrink":
        least = -(-least // 2)
    return max([least, *(least_width(variant, context) for variant in cell.variants)])


def _widest_piece(cell: CellLayout) -> int:
    texts = pc.unique(decoded_texts(cell.texts.texts))
    return widest_piece(texts, cell.shaper, cell.face.size, cell.breaking)


def cells_of_column(plans: Sequence[RowLayout], column: int) -> Iterator[CellLayout]:
    """The cells that lie in a column alone."""
    return (cell for plan in plans for cell in plan.cells if cell.column == column and cell.span == 1)


def least_column_width(plans: Sequence[RowLayout], column: int, context: LayoutContext) -> int:
    """The least width of a column by the cells that lie in it alone."""
    cells = cells_of_column(plans, column)
    return max((least_width(cell, context) + 2 * cell.look.inset for cell in cells), default=0)


def widened_for_spans(plans: Sequence[RowLayout], least: list[int], context: LayoutContext) -> list[int]:
    """Least widths of columns that leave room for the cells that span several; what these lack is parted evenly."""
    found = list(least)
    for cell in (cell for plan in plans for cell in plan.cells if cell.span > 1):
        lack = cell.needed + 2 * cell.look.inset - sum(found[cell.column : cell.column + cell.span])
        if lack > 0:  # only then its words are looked at
            lack -= cell.needed - least_width(cell, context)
        for at in range(cell.span if lack > 0 else 0):
            found[cell.column + at] += lack * (at + 1) // cell.span - lack * at // cell.span
    return found
