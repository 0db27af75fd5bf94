"""A table block to placed rows: cell texts, column widths, row heights, pages.

Everything is columnar: a cell definition's instances are line numbers in one array, and single cells are looked at only
for the page that is drawn. Each step is kept by what it depends on, so that an edit repeats only what it touches.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from itertools import zip_longest
from typing import Any

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from northmoor.core.base.arrays import AnyInts, Bools
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.compute.table.evaluation import TableData
from northmoor.core.errors import Place
from northmoor.core.layout.context import AS_IT_IS, LayoutContext, TextFit
from northmoor.core.layout.inline.formatting import PageTotalValues
from northmoor.core.layout.table.cell_layout import (
    CellLayout,
    RowLayout,
    continued_rows,
    lay_out_page_rows,
    name_of_row,
)
from northmoor.core.layout.table.collapsing import Fold
from northmoor.core.layout.table.fitting import FittedTable, TextExtents, fit_table, report_fit, sequence_of, shrunk
from northmoor.core.layout.table.pagination import Body, PaginationRules, RowMetrics, Splitter, TableFragment, paginate
from northmoor.core.layout.table.row_sequence import RowSequence, row_metrics
from northmoor.core.layout.text.line_breaking import does_not_fit, truncate, wrap
from northmoor.core.model.blocks.table import PAGE_ROWS, TableBlock
from northmoor.core.model.styles import ResolvedStyle

HEAD = -1
"""The row of the columns' titles."""
_BREAKS = (
    "page_break", "odd_page", "keep_together", "largest_gap", "repeat_heading", "rows_after_heading",
    "rows_before_total",
)  # fmt: skip


class WrappedCell(Struct, frozen=True, eq=False):
    """A cell at its width: the lines of those texts that are not drawn as the one line they are, by the text's line and
    its shift, each instance's number of lines, whether it is `plain` (drawn as the one line it is), and how many are
    `unfit`: with a number or word that is wider than a line."""

    left: int
    width: int
    wrapped: dict[tuple[int, int], tuple[int, ...]]
    counts: npt.NDArray[np.int32]
    plain: Bools
    unfit: int = 0
    variants: tuple["WrappedCell", ...] = ()


@dataclass(frozen=True, eq=False)
class TableLayout:
    """A table laid out in a body of some width: what is needed to draw any of its pages.

    `edges` are the columns' left edges and the right edge of the last, from the body's left; `columns` are
    the columns' own cells; `plans` has first the
    kinds of rows that belong to pages (the head's titles, its other rows, then `PAGE_ROWS`), `page_heights` their
    heights, then one plan for each kind of the flow; `wrapped` parallels the plans' cells; `heights` are the printed
    rows'. Printed rows have numbers from 0; a row that belongs to pages has the number −1 − that of its plan.
    """

    table: TableBlock
    data: TableData
    rows: RowSequence
    edges: tuple[int, ...]
    columns: tuple[CellLayout, ...]
    plans: tuple[RowLayout, ...]
    wrapped: tuple[tuple[WrappedCell, ...], ...]
    heights: AnyInts
    page_heights: tuple[int, ...]
    metrics: RowMetrics
    fold: Fold | None = None
    again: Mapping[int, tuple[RowLayout, tuple[WrappedCell, ...]]] = field(default_factory=dict)
    """How headings are printed where they are repeated, if otherwise than where they are; by the plan's number."""
    outer: int = 0
    """How many of its levels are the keys of the records around it."""
    fit: TextFit = AS_IT_IS
    """How much smaller its looks are than the report has them."""
    paged: PageTotalValues = field(default_factory=lambda: PageTotalValues({}))
    """What rows that belong to pages show, once pages are known."""

    @property
    def page_kinds(self) -> int:
        """How many plans are those of rows that belong to pages."""
        return len(self.page_heights)

    def plan_numbers(self, rows: AnyInts) -> AnyInts:
        """The number of each row's plan."""
        numbers = -1 - rows
        printed = rows >= 0
        numbers[printed] = self.page_kinds + self.rows.kind[rows[printed]]
        return numbers

    def plan_number(self, row: int) -> int:
        """The number of a row's plan."""
        return -1 - row if row < 0 else self.page_kinds + int(self.rows.kind[row])

    def instance(self, row: int, page: int) -> int:
        """Which instance of its plan a row is, on a page counted by the table's slices."""
        if row >= 0:
            return int(self.rows.index[row])
        return page if self.plans[self.plan_number(row)].place.row in PAGE_ROWS else 0

    def head_rows(self, is_first: bool) -> list[int]:
        """The rows of the head on the table's first page or on later ones."""
        on = "first" if is_first else "later"
        is_shown = is_first or self.table.repeat_head
        rows = [-1 - n for n, row in enumerate(self.table.head, 1) if row.on == on or (row.on == "every" and is_shown)]
        return [*rows, HEAD] if is_shown and self.table.show_head else rows

    def page_row(self, name: str) -> list[int]:
        """One of `PAGE_ROWS`, as a list that is empty where the table has none."""
        if getattr(self.table, name) is None:
            return []
        return [-1 - (self.page_kinds - len(PAGE_ROWS) + PAGE_ROWS.index(name))]

    def height_of(self, rows: list[int]) -> int:
        """The height of some rows that belong to pages."""
        return sum(self.page_heights[-1 - row] for row in rows)

    def repeating(self, start: int, end: int) -> list[int]:
        """Of each kind with cells that leave repeats empty, the first among some printed rows."""
        found = []
        for number, plan in enumerate(self.plans[self.page_kinds :]):
            if any(cell.repeats is not None for cell in plan.cells):
                found += np.flatnonzero(self.rows.kind[start:end] == number)[:1].tolist()
        return [start + row for row in found]

    @cached_property
    def blanks_repeats(self) -> bool:
        """Whether any of its cells leave repeats empty."""
        return any(cell.repeats is not None for plan in self.plans for cell in plan.cells)

    @cached_property
    def varying(self) -> list[list[npt.NDArray[Any]]]:
        """For each plan, the numbers by which the looks of its instances differ."""
        found: list[list[npt.NDArray[Any]]] = []
        for plan in self.plans:
            variants = (plan.variant, *(cell.variant for cell in plan.cells))
            found.append([each for each in variants if each is not None])
            found[-1] += [cell.fills.number for cell in plan.cells if cell.fills is not None]
        return found

    @cached_property
    def is_drawn(self) -> Bools:
        """For each plan, whether any of its cells draws something or is a link."""
        drawn = [any(c.drawing or c.chart or c.links or c.turned for c in plan.cells) for plan in self.plans]
        return np.array(drawn, bool)

    @cached_property
    def is_decorated(self) -> Bools:
        """For each plan, whether its rows have any fill or rule."""
        return np.array([any(map(_is_decorated, _looks_of(plan))) for plan in self.plans], bool)


def _looks_of(plan: RowLayout) -> Iterator[ResolvedStyle]:
    yield from (plan.look, *plan.looks)
    for cell in plan.cells:
        yield from (cell.look, *(variant.look for variant in cell.variants))
        if cell.fills is not None:
            yield replace(cell.look, fill=cell.fills.colors[0])


def _is_decorated(look: ResolvedStyle) -> bool:
    return bool(look.fill or look.rule_above or look.rule_below or look.rule_left or look.rule_right)


def lay_out_table(
    table: TableBlock,
    data: TableData,
    width: int,
    context: LayoutContext,
    extents: TextExtents | None = None,
    fitted: FittedTable | None = None,
) -> TableLayout:
    """Lay a table out in a body of a width in millipoints, without pages yet; of one that is part of another, `extents`
    are those of all parts, and `fitted` is what `fit_table` gives, where that is known."""
    kept = context.cache
    sequence = sequence_of(table, data, context)
    fitted = fitted or fit_table(table, data, width, context, extents)
    columns, plans, widths = fitted.columns, fitted.plans, fitted.widths.widths
    report_fit(table, fitted, context)
    context = fitted.context
    edges = tuple(np.concatenate([[0], np.cumsum(widths)]).tolist())
    plans = tuple(
        replace(
            plan, cells=tuple(shrunk(cell, edges[cell.column + cell.span] - edges[cell.column]) for cell in plan.cells)
        )
        if any(cell.look.overflow == "shrink" for cell in plan.cells)
        else plan
        for plan in plans
    )
    wrapped = tuple(tuple(_wrapped(cell, edges, context) for cell in plan.cells) for plan in plans)
    _report_truncation(table, plans, wrapped, context)
    row_heights = [_row_heights(plan, cells) for plan, cells in zip(plans, wrapped, strict=True)]
    if any(cell.rows > 1 for plan in plans for cell in plan.cells):
        row_heights = _with_spans(plans, wrapped, row_heights)
    pages = len(plans) - len(sequence.kinds)
    page_heights = tuple(int(np.max(height)) for height in row_heights[:pages])
    height_key = (sequence, tuple(h if isinstance(h, int) else h.tobytes() for h in row_heights[pages:]))
    heights = kept.get(("heights", height_key), lambda: _sequence_heights(sequence, row_heights[pages:]))
    breaks = tuple(tuple(getattr(level, name) for name in _BREAKS) for level in table.levels)
    is_counted = table.rows_per_page is not None
    metrics = kept.get(("strip", height_key, breaks, is_counted), lambda: row_metrics(table, data, sequence, heights))
    made = TableLayout(
        table, data, sequence, edges, columns, plans, wrapped, heights, page_heights, metrics,
        context.folds.get(table.name), fit=context.fit,
    )  # fmt: skip
    continued = continued_rows(table, plans, context)
    return _with_continued(made, continued, context) if continued else made


def _with_continued(layout: TableLayout, plans: dict[int, RowLayout], context: LayoutContext) -> TableLayout:
    """The layout with headings that read otherwise where they are repeated, and are as tall as they are then."""
    again = {n: (p, tuple(_wrapped(cell, layout.edges, context) for cell in p.cells)) for n, p in plans.items()}
    heights = layout.heights.copy()
    for number, (plan, cells) in again.items():
        printed, own = layout.rows.of_kind[number - layout.page_kinds], _row_heights(plan, cells)
        heights[printed] = own if isinstance(own, int) else own[layout.rows.index[printed]]
    key = ("strip", layout.metrics, heights.tobytes())
    metrics = context.cache.get(key, lambda: replace(layout.metrics, again=heights))
    return replace(layout, metrics=metrics, again=again)


def paginate_table(layout: TableLayout, body: Body, context: LayoutContext) -> tuple[list[TableFragment], Body]:
    """The rows on each page, beginning in the room a body leaves, and what is used of the last page."""
    rules = page_rules(layout)
    key = ("pages", layout.metrics, rules, body)
    return context.cache.get(key, lambda: paginate(layout.metrics, rules, body, _LineSplitter(layout)))


def range_pages(
    layout: TableLayout, rules: PaginationRules, stretch: tuple[int, int], body: Body, number: int
) -> tuple[list[TableFragment], Body]:
    """The same for some of its printed rows, as if they were all, by the rules of its pages; slices are counted from
    `number` on."""
    return paginate(layout.metrics, rules, body, _LineSplitter(layout), stretch, number)


def page_rules(layout: TableLayout) -> PaginationRules:
    """What holds for all pages of a table."""
    table = layout.table
    most = table.rows_per_page if isinstance(table.rows_per_page, int) else None
    first, later = (layout.height_of(layout.head_rows(is_first)) for is_first in (True, False))
    brought, total, carried = (layout.height_of(layout.page_row(name)) for name in PAGE_ROWS)
    return PaginationRules(first, later, brought, total, carried, table.foot_of_page, most)


def last_rows_of_pages(fragments: Sequence[TableFragment]) -> list[int]:
    """The printed row with which each page ends, −1 for none; a row that is split ends where its last part does."""
    rows = []
    for fragment, below in zip_longest(fragments, fragments[1:]):
        is_split = (
            fragment.part is not None and not fragment.is_last and below is not None and fragment.end > below.start
        )
        rows.append(fragment.end - 1 - is_split)
    return rows


def ends_of_pages(sequence: RowSequence, lasts: Sequence[int]) -> AnyInts:
    """How many detail rows are done at the end of each page, where that is the end of a printed row; all are, at the
    end of the last."""
    ends = np.array([int(sequence.done[last]) if last >= 0 else 0 for last in lasts], np.int64)
    ends[-1] = sequence.rows
    return np.maximum.accumulate(ends)


def with_page_rows(layout: TableLayout, cells: PageTotalValues, pages: int, context: LayoutContext) -> TableLayout:
    """The layout with the texts of rows that belong to pages; such a row is as tall as the tallest of its kind."""
    context = context.fitted(layout.fit)
    plans = lay_out_page_rows(layout.table, cells, pages, layout.columns, context)
    wrapped = [tuple(_wrapped(cell, layout.edges, context) for cell in plan.cells) for plan in plans]
    needed = (int(np.max(_row_heights(plan, at))) for plan, at in zip(plans, wrapped, strict=True))
    first, after = layout.page_kinds - len(PAGE_ROWS), layout.page_kinds
    heights = map(max, layout.page_heights[first:], needed)
    return replace(
        layout,
        paged=cells,
        plans=(*layout.plans[:first], *plans, *layout.plans[after:]),
        wrapped=(*layout.wrapped[:first], *wrapped, *layout.wrapped[after:]),
        page_heights=(*layout.page_heights[:first], *heights),
    )


class _LineSplitter(Splitter):
    """Parts a tall row between lines, at the last line that fits in every cell."""

    def __init__(self, layout: TableLayout) -> None:
        self._layout = layout

    def cut(self, row: int, top: int, room: int) -> int:
        """The height of the part of a row that fits into the room below `top`."""
        layout = self._layout
        plan = layout.plans[layout.plan_number(row)]
        leading = max((cell.leading for cell in plan.cells), default=room)
        padding = 0 if top else max((cell.look.padding for cell in plan.cells), default=0)
        lines = max((room - padding) // leading, 1)
        return min(padding + lines * leading, int(layout.heights[row]) - top)


def _wrapped(cell: CellLayout, edges: tuple[int, ...], context: LayoutContext) -> WrappedCell:
    left, right = edges[cell.column], edges[cell.column + cell.span]
    room = right - left - 2 * cell.look.inset
    shifts = None if cell.shift is None else cell.shift.tobytes()
    is_cut = cell.look.overflow == "cut"
    key = ("wrap", cell.texts, cell.face.font, cell.face.size, cell.breaking, room, shifts, is_cut)
    made = context.cache.get(key, lambda: _wrap_all(cell, room, context.stop))
    variants = tuple(_wrapped(variant, edges, context) for variant in cell.variants)
    return replace(made, left=left, width=right - left, variants=variants)


def _wrap_all(cell: CellLayout, room: int, stop: CancelToken) -> WrappedCell:
    """A cell's lines, wherever it is."""
    lines = cell.shaped.lines
    if cell.needed <= room and not cell.shaped.broken:
        return WrappedCell(0, room, {}, *_all_plain(len(lines)))
    if cell.shift is None:
        return _wrap(cell, lines, cell.shaped.distinct, room, 0, stop)
    wrapped: dict[tuple[int, int], tuple[int, ...]] = {}
    counts, plain, unfit = np.ones(len(lines), np.int32), np.ones(len(lines), bool), 0
    for shift in np.unique(cell.shift).tolist():
        at = np.flatnonzero(cell.shift == shift)
        found = _wrap(cell, lines[at], np.unique(lines[at]), room - shift, shift, stop)
        wrapped |= found.wrapped
        counts[at], plain[at] = found.counts, found.plain
        unfit += found.unfit
    return WrappedCell(0, room, wrapped, counts, plain, unfit)


def _all_plain(count: int) -> tuple[npt.NDArray[np.int32], Bools]:
    """One line for each of so many cells, given once for all."""
    return np.broadcast_to(np.int32(1), count), np.broadcast_to(np.True_, count)


def _wrap(
    cell: CellLayout,
    lines: npt.NDArray[np.int32],
    distinct: npt.NDArray[np.int32],
    room: int,
    shift: int,
    stop: CancelToken,
) -> WrappedCell:
    shaper, size = cell.shaper, cell.face.size
    too_long = distinct[shaper.widths(distinct, size) > room].tolist()
    wrapped, unfit = {}, []
    for number in sorted({*too_long, *(cell.shaped.broken & set(distinct.tolist()) if cell.shaped.broken else ())}):
        text = shaper.text(number)
        if cell.look.overflow == "cut" and not cell.texts.is_whole:
            parts: tuple[str, ...] = (truncate(text, shaper, size, room),)
        else:
            found = wrap(text, shaper, size, room, cell.breaking, stop)
            parts = found.lines
            unfit += [number] if found.unfit else []
        wrapped[number, shift] = tuple(shaper.add(parts).tolist())
    counts, plain = _all_plain(len(lines))
    if wrapped:
        by_line = np.zeros(int(distinct.max()) + 1, np.int32)
        for (number, _), parts_of in wrapped.items():
            by_line[number] = len(parts_of)
        plain = by_line[lines] == 0
        counts = np.maximum(by_line[lines], 1)
    return WrappedCell(0, room, wrapped, counts, plain, int(np.isin(lines, unfit).sum()) if unfit else 0)


def _row_heights(plan: RowLayout, cells: tuple[WrappedCell, ...]) -> int | AnyInts:
    """The height of each instance of a kind of row: its tallest cell, or one empty line. One number where all are
    alike. Cells that cover rows below have room there, too."""
    own = [(c, w) for c, w in zip(plan.cells, cells, strict=True) if c.rows == 1]
    height = 0 if own else plan.look.size * 13 // 10 + 2 * plan.look.padding
    taller: list[AnyInts] = []
    for cell, wrapped in own:
        least, each = _needed(cell, wrapped)
        height = max(height, least)
        taller += [] if each is None else [each]
    return np.maximum.reduce([np.full(len(taller[0]), height), *taller]) if taller else height


def _needed(cell: CellLayout, wrapped: WrappedCell) -> tuple[int, AnyInts | None]:
    """The height that all instances of a cell need, and that of each where they differ."""
    padding = 2 * cell.look.padding
    least = 0 if cell.variant is not None else cell.leading + padding
    if cell.chart is not None:
        least = max(least, cell.chart.chart.height + padding)
    if cell.drawing is not None and cell.drawing.drawing.height is not None:
        least = max(least, cell.drawing.drawing.height + padding)
    if cell.turned is not None:
        return least, cell.turned.shaper.widths(cell.turned.shaped.lines, cell.turned.face.size) + padding
    if cell.variant is not None or wrapped.wrapped:
        return least, _heights_of(cell, wrapped)
    return least, None


def _with_spans(
    plans: tuple[RowLayout, ...], wrapped: tuple[tuple[WrappedCell, ...], ...], heights: list[int | AnyInts]
) -> list[int | AnyInts]:
    """Row heights with room for cells that cover several rows: what these rows lack, the last of them gets."""
    numbers = {plan.place: number for number, plan in enumerate(plans)}
    for plan, cells in zip(plans, wrapped, strict=True):
        for cell, at in zip(plan.cells, cells, strict=True):
            below = [numbers.get(replace(plan.place, number=plan.place.number + step)) for step in range(cell.rows)]
            covered = [number for number in below if number is not None]
            if cell.rows == 1 or not covered:
                continue
            least, each = _needed(cell, at)
            lacking = np.maximum(least, 0 if each is None else each) - sum(heights[number] for number in covered)
            more = np.maximum(lacking, 0)
            if more.any():
                added = heights[covered[-1]] + more
                heights[covered[-1]] = added if added.ndim else int(added)
    return heights


def _report_truncation(
    table: TableBlock,
    plans: tuple[RowLayout, ...],
    wrapped: tuple[tuple[WrappedCell, ...], ...],
    context: LayoutContext,
) -> None:
    """Note texts that are cut off, as one finding a cell, and what is wider than a line, as one finding."""
    unfit = 0
    for plan, cells in zip(plans, wrapped, strict=True):
        for cell, placed in zip(plan.cells, cells, strict=True):
            unfit += _unfit(cell, placed)
            count = int(np.sum(~placed.plain)) if cell.look.overflow == "cut" and not cell.texts.is_whole else 0
            if count:
                where = Place(block=table.name, row=name_of_row(plan.place), column=cell.name)
                context.count("cut text", where, count, _cut, is_error=False)
    if unfit:
        context.count("does not fit", Place(block=table.name), unfit, does_not_fit)


def _unfit(cell: CellLayout, placed: WrappedCell) -> int:
    """How many instances have something that is wider than a line; of those of variants, whatever they are drawn in."""
    return max([placed.unfit if cell.variant is None else 0, *(variant.unfit for variant in placed.variants)])


def _cut(count: int) -> str:
    what = "1 text is" if count == 1 else f"{count:,} texts are"
    return f"{what} wider than the cell and cut with an ellipsis; make the column wider, or let it wrap."


def _heights_of(cell: CellLayout, wrapped: WrappedCell) -> AnyInts:
    if cell.variant is not None:
        own = [_heights_of(v, w) for v, w in zip(cell.variants, wrapped.variants, strict=True)]
        chosen: AnyInts = np.stack(own)[cell.variant, np.arange(len(cell.variant))]
        return chosen
    return wrapped.counts.astype(np.int64) * cell.leading + 2 * cell.look.padding


def _sequence_heights(sequence: RowSequence, row_heights: list[int | AnyInts]) -> AnyInts:
    alike = np.array([height if isinstance(height, int) else 0 for height in row_heights] or [0], np.int32)
    heights = alike[sequence.kind]
    for printed, own in zip(sequence.of_kind, row_heights, strict=True):
        if not isinstance(own, int):
            heights[printed] = own[sequence.index[printed]]
    return heights
