"""The looks in which a table fits a width: those of the report, with less space between columns, or smaller; and cells
that are printed smaller one by one."""

from math import ceil

import numpy as np
from msgspec import Struct

from northmoor.core.base.replace import replace
from northmoor.core.compute.table.evaluation import TableData
from northmoor.core.errors import Place
from northmoor.core.layout.context import AS_IT_IS, LEAST_INSET, LayoutContext, TextFit
from northmoor.core.layout.table.cell_layout import CellLayout, RowLayout, TextExtent, lay_out_rows, with_extent
from northmoor.core.layout.table.collapsing import collapsed_rows
from northmoor.core.layout.table.column_widths import ColumnWidths, column_widths
from northmoor.core.layout.table.min_content import least_width
from northmoor.core.layout.table.row_sequence import RowSequence, kinds_of_table, row_sequence
from northmoor.core.model.blocks.table import TableBlock

TextExtents = tuple[tuple[TextExtent, ...], ...]
"""How wide the texts of each cell of each plan of a table's rows are."""


def text_extents(table: TableBlock, data: TableData, context: LayoutContext) -> TextExtents:
    """How wide a table's texts are: all that the layout of one of its parts has to know of the others."""
    _, plans = lay_out_rows(table, data, sequence_of(table, data, context), context)
    return tuple(tuple((cell.widest, cell.tail, least_width(cell, context)) for cell in plan.cells) for plan in plans)


def widest_of(one: TextExtents, other: TextExtents) -> TextExtents:
    """The extents that hold the texts of two parts of a table."""
    return tuple(
        tuple((max(a[0], b[0]), max(a[1], b[1]), max(a[2], b[2])) for a, b in zip(*cells, strict=True))
        for cells in zip(one, other, strict=True)
    )


def sequence_of(table: TableBlock, data: TableData, context: LayoutContext) -> RowSequence:
    """The printed rows of a table in their order, as far as they are not folded."""
    fold = context.folds.get(table.name)
    key = ("flow", data, kinds_of_table(table), fold)
    return context.cache.get(key, lambda: collapsed_rows(row_sequence(table, data), data, fold))


class FittedTable(Struct, frozen=True, eq=False):
    """A table's columns and rows in looks in which they fit a width, as far as that is possible."""

    columns: tuple[CellLayout, ...]
    plans: tuple[RowLayout, ...]
    widths: ColumnWidths
    context: LayoutContext


_FINER = 0.98
"""How much smaller looks are made at a time where rounded sizes are a little too large."""


def fit_table(
    table: TableBlock, data: TableData, width: int, context: LayoutContext, extents: TextExtents | None = None
) -> FittedTable:
    """The looks in which no number or word of a table is wider than its column, if there are any: those of the report;
    with less space between columns; smaller, down to what the table allows."""
    sequence = sequence_of(table, data, context)

    def made(fit: TextFit) -> FittedTable:
        own = context.fitted(fit)
        columns, plans = lay_out_rows(table, data, sequence, own)
        if extents is not None:
            plans = tuple(
                replace(plan, cells=tuple(map(with_extent, plan.cells, _scaled(cells, fit.share))))
                for plan, cells in zip(plans, extents, strict=True)
            )
        return FittedTable(columns, plans, column_widths(table, plans, width, own), own)

    found = made(context.fit)
    if found.widths.fit or context.fit != AS_IT_IS:
        return found
    share = 1.0
    found = made(TextFit(share, LEAST_INSET))
    if found.widths.fit:  # with as much space as there is room for
        wider = made(TextFit(share, LEAST_INSET + (width - found.widths.needed) // (2 * len(table.columns))))
        return wider if wider.widths.fit else found
    while not found.widths.fit and share > table.minimum_scale:
        share = max(min(width / found.widths.needed, _FINER) * share, table.minimum_scale)
        found = made(TextFit(share, LEAST_INSET))
    return found


def _scaled(extents: tuple[TextExtent, ...], share: float) -> list[TextExtent]:
    """Extents of texts in smaller print; a little more, since sizes and advances are rounded."""
    if share == 1:
        return list(extents)
    widest, tail, least = ([ceil(each * share) + 100 for each in own] for own in zip(*extents, strict=True))
    return list(zip(widest, tail, least, strict=True))


def report_fit(table: TableBlock, fitted: FittedTable, context: LayoutContext) -> None:
    """Note that a table is printed otherwise than it is set, for lack of width."""
    where, share = Place(block=table.name), fitted.context.fit.share / context.fit.share
    if fitted.widths.are_scaled:
        message = "Its columns are wider than the page; they are drawn narrower. Make them narrower, or turn the page."
        context.find("too wide", where, message, is_error=False)
    if share < 1 and fitted.widths.fit:
        message = f"Its numbers and words are wider than the page; it is printed at {share:.0%} of its size."
        context.find("smaller print", where, message, is_error=False)


_STEP = 100
"""Sizes of shrunk texts are whole tenths of a point, so that few are used."""


def shrunk(cell: CellLayout, width: int) -> CellLayout:
    """The plan with the texts that are wider than the cell in a smaller size, down to half of their own."""
    if cell.look.overflow != "shrink":
        return cell
    if cell.variants:
        return replace(cell, variants=tuple(shrunk(variant, width) for variant in cell.variants))
    size = cell.face.size
    room = width - 2 * cell.look.inset - (0 if cell.shift is None else cell.shift)
    if cell.needed <= width - 2 * cell.look.inset:
        return cell
    widths = np.maximum(cell.shaper.widths(cell.shaped.lines, size), 1)
    fitting = np.maximum(size * room // widths // _STEP * _STEP, size // 2)
    sizes, variant = np.unique(np.append(size, np.where(widths > room, fitting, size)), return_inverse=True)
    if len(sizes) == 1:
        return cell
    variants = tuple(
        replace(
            cell,
            look=replace(cell.look, size=int(own)),
            face=replace(cell.face, size=int(own)),
            fault_face=replace(cell.fault_face, size=int(own)),
        )
        for own in sizes
    )
    return replace(cell, variants=variants, variant=variant[1:].astype(np.int32))
