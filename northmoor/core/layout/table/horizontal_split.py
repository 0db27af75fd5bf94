"""A table that is wider than the page, parted into sheets side by side: each holds some of the columns, with those that
are repeated, and the same rows at the same heights."""

from collections.abc import Sequence

import numpy as np

from northmoor.core.base.replace import replace
from northmoor.core.compute.table.evaluation import TableData
from northmoor.core.compute.table.page_totals import single_run
from northmoor.core.errors import Place
from northmoor.core.layout.context import LayoutContext
from northmoor.core.layout.table.cell_layout import lay_out_rows
from northmoor.core.layout.table.column_widths import max_content_widths
from northmoor.core.layout.table.fitting import fit_table
from northmoor.core.layout.table.layout import (
    TableLayout,
    ends_of_pages,
    last_rows_of_pages,
    lay_out_table,
    paginate_table,
    with_page_rows,
)
from northmoor.core.layout.table.pagination import Body, TableFragment
from northmoor.core.layout.table.row_sequence import kinds_of_table, row_metrics, row_sequence
from northmoor.core.model.blocks.table import PAGE_ROWS, Column, TableBlock
from northmoor.core.model.edits import with_columns

_NARROW_TEXT = 90_000
"""How wide a column of texts is at most, in millipoints, where a table goes on across pages for lack of width."""


def lay_out_split(table: TableBlock, data: TableData, width: int, context: LayoutContext) -> list[TableLayout]:
    """A table's sheets from left to right; most tables are one. One that is to be narrow goes on across pages where its
    numbers and words would not fit otherwise."""
    if table.when_wide == "narrow":
        fitted = fit_table(table, data, width, context)
        if fitted.widths.fit or len(table.columns) == 1:
            return [lay_out_table(table, data, width, context, fitted=fitted)]
    sequence = context.cache.get(("flow", data, kinds_of_table(table)), lambda: row_sequence(table, data))
    _, plans = lay_out_rows(table, data, sequence, context)
    most = {"most": _NARROW_TEXT} if table.when_wide == "narrow" else {}
    widths = [min(each, width) for each in max_content_widths(table, plans, context, **most)]
    sheets = split_sheets(table, data, widths, width, context)
    if table.when_wide == "narrow" and len(sheets) > 1:
        message = f"Its numbers and words are wider than the page; it goes on across {len(sheets)} pages side by side."
        context.find("across pages", Place(block=table.name), message, is_error=False)
    return sheets


def split_sheets(
    table: TableBlock, data: TableData, widths: list[int], width: int, context: LayoutContext
) -> list[TableLayout]:
    """A table's sheets where its columns have these widths."""
    parts = split_columns(table.columns, widths, width)
    if len(parts) == 1:
        return [lay_out_table(table, data, width, context)]
    sheets = [lay_out_table(_with_columns(table, part, widths), data, width, context) for part in parts]
    return _with_common_heights(sheets)


def split_columns(columns: Sequence[Column], widths: list[int], available: int) -> list[list[int]]:
    """The columns of each sheet: those that are repeated, and others as long as they fit, at least one.

    Columns that are joined to the one before stay with it, unless together they are wider than a sheet.
    """
    always = [at for at, column in enumerate(columns) if column.repeat_across]
    room = available - sum(widths[at] for at in always)
    parts: list[list[int]] = [[]]
    for at in (at for at in range(len(widths)) if at not in always):
        if parts[-1] and sum(widths[i] for i in (*parts[-1], at)) > room:
            start = len(parts[-1])
            while columns[at].joined and start and columns[parts[-1][start - 1]].joined:
                start -= 1
            start -= columns[at].joined
            moved = parts[-1][start:]
            if start <= 0 or sum(widths[i] for i in (*moved, at)) > room:
                start, moved = len(parts[-1]), []
            parts[-1] = parts[-1][:start]
            parts.append(moved)
        parts[-1].append(at)
    return [sorted([*always, *part]) for part in parts]


def _with_columns(table: TableBlock, columns: list[int], widths: list[int]) -> TableBlock:
    """The table with some of its columns, at widths."""
    return with_columns(table, tuple(table.columns[at].but(width=widths[at]) for at in columns))


def _with_common_heights(sheets: list[TableLayout]) -> list[TableLayout]:
    """Sheets with rows of the same heights, and so of the same pages."""
    first = sheets[0]
    heights = np.maximum.reduce([sheet.heights for sheet in sheets])
    metrics = row_metrics(first.table, first.data, first.rows, heights)
    if first.metrics.again is not None:
        again = [sheet.metrics.again for sheet in sheets if sheet.metrics.again is not None]
        metrics = replace(metrics, again=np.maximum.reduce(again))
    page_heights = tuple(map(max, *(sheet.page_heights for sheet in sheets)))
    return [replace(sheet, heights=heights, page_heights=page_heights, metrics=metrics) for sheet in sheets]


def sheets_on_pages(
    sheets: list[TableLayout], body: Body, context: LayoutContext
) -> tuple[list[TableLayout], Sequence[TableFragment], Body]:
    """The sheets with the rows that belong to pages filled in, their common slices, and what is used of the last page.

    The texts of such rows follow from the breaks, and the breaks from their heights: where a text takes more lines than
    there was room for, pages are made again with more room, which only grows.
    """
    fragments, after = paginate_table(sheets[0], body, context)
    if not any(sheets[0].page_row(name) for name in PAGE_ROWS):
        return sheets, fragments, after
    while True:
        ends = ends_of_pages(sheets[0].rows, last_rows_of_pages(fragments))
        cells = context.paged(sheets[0].table.name, single_run(ends))
        filled = [with_page_rows(sheet, cells, len(fragments), context) for sheet in sheets]
        page_heights = tuple(map(max, *(sheet.page_heights for sheet in filled), filled[0].page_heights))
        is_done = page_heights == sheets[0].page_heights
        sheets = [replace(sheet, page_heights=page_heights) for sheet in filled]
        if is_done:
            return sheets, fragments, after
        fragments, after = paginate_table(sheets[0], body, context)
