"""A table that is wider than the page, parted into sheets side by side: each holds some of the columns, with those that
are repeated, and the same rows at the same heights."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from northmoor.core.compute.paging import one_run
from northmoor.core.compute.table import ArrangedTable
from northmoor.core.layout.context import Setting
from northmoor.core.layout.flow import kinds_of_table, make_flow, make_strip
from northmoor.core.layout.paginate import Body, Slice
from northmoor.core.layout.plans import make_row_plans
from northmoor.core.layout.table import (
    Paged,
    TableLayout,
    ends_of_pages,
    last_rows,
    lay_out_table,
    table_pages,
    with_page_rows,
)
from northmoor.core.layout.widths import natural_widths
from northmoor.core.model.edits import with_columns
from northmoor.core.model.tables import PAGE_ROWS, Column, TableBlock


def lay_out_sheets(table: TableBlock, arranged: ArrangedTable, width: int, setting: Setting) -> list[TableLayout]:
    """A table's sheets from left to right; most tables are one."""
    if table.when_wide == "narrow":
        return [lay_out_table(table, arranged, width, setting)]
    flow = setting.kept.get(("flow", arranged, kinds_of_table(table)), lambda: make_flow(table, arranged))
    _, plans = make_row_plans(table, arranged, flow, setting)
    return parted_sheets(table, arranged, natural_widths(table, plans), width, setting)


def parted_sheets(
    table: TableBlock, arranged: ArrangedTable, widths: list[int], width: int, setting: Setting
) -> list[TableLayout]:
    """A table's sheets where its columns have these widths."""
    parts = parted(table.columns, widths, width)
    if len(parts) == 1:
        return [lay_out_table(table, arranged, width, setting)]
    sheets = [lay_out_table(_only(table, part, widths), arranged, width, setting) for part in parts]
    return _alike(sheets)


def parted(columns: Sequence[Column], widths: list[int], available: int) -> list[list[int]]:
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


def _only(table: TableBlock, columns: list[int], widths: list[int]) -> TableBlock:
    """The table with some of its columns, at widths."""
    return with_columns(table, tuple(table.columns[at].but(width=widths[at]) for at in columns))


def _alike(sheets: list[TableLayout]) -> list[TableLayout]:
    """Sheets with rows of the same heights, and so of the same pages."""
    first = sheets[0]
    heights = np.maximum.reduce([sheet.heights for sheet in sheets])
    strip = make_strip(first.table, first.arranged, first.flow, heights)
    if first.strip.again is not None:
        again = [sheet.strip.again for sheet in sheets if sheet.strip.again is not None]
        strip = replace(strip, again=np.maximum.reduce(again))
    page_heights = tuple(map(max, *(sheet.page_heights for sheet in sheets)))
    return [replace(sheet, heights=heights, page_heights=page_heights, strip=strip) for sheet in sheets]


def sheets_on_pages(
    sheets: list[TableLayout], body: Body, paged: Paged, setting: Setting
) -> tuple[list[TableLayout], Sequence[Slice], Body]:
    """The sheets with the rows that belong to pages filled in, their common slices, and what is used of the last page.

    The texts of such rows follow from the breaks, and the breaks from their heights: where a text takes more lines than
    there was room for, pages are made again with more room, which only grows.
    """
    slices, after = table_pages(sheets[0], body, setting)
    if not any(sheets[0].page_row(name) for name in PAGE_ROWS):
        return sheets, slices, after
    while True:
        ends = ends_of_pages(sheets[0].flow, last_rows(slices))
        cells = paged(sheets[0].table.name, one_run(ends))
        filled = [with_page_rows(sheet, cells, len(slices), setting) for sheet in sheets]
        page_heights = tuple(map(max, *(sheet.page_heights for sheet in filled), filled[0].page_heights))
        is_done = page_heights == sheets[0].page_heights
        sheets = [replace(sheet, page_heights=page_heights) for sheet in filled]
        if is_done:
            return sheets, slices, after
        slices, after = table_pages(sheets[0], body, setting)
