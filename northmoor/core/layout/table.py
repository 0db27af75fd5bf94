"""A table block to placed rows: cell texts, column widths, row heights, pages.

Everything is columnar: a cell definition's instances are line numbers in one array, and single cells are looked at only
for the page that is drawn. Each step is kept by what it depends on, so that an edit repeats only what it touches.
"""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from northmoor.core.compute.table import ArrangedTable
from northmoor.core.layout.context import Setting
from northmoor.core.layout.flow import Flow, make_flow, make_strip
from northmoor.core.layout.paginate import Body, Rules, Slice, Splitter, Strip, paginate
from northmoor.core.layout.plans import CellPlan, RowPlan, make_row_plans
from northmoor.core.layout.widths import column_widths
from northmoor.core.layout.wrap import wrap
from northmoor.core.model.blocks import TableBlock

Ints = npt.NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class WrappedCell:
    """A cell at its width: the lines of those texts that take more than one, and each instance's number of lines."""

    left: int
    width: int
    wrapped: dict[int, tuple[int, ...]]
    counts: npt.NDArray[np.int32]


@dataclass(frozen=True, eq=False)
class TableLayout:
    """A table laid out in a body of some width: what is needed to draw any of its pages.

    `edges` are the columns' left edges and the right edge of the last, from the body's left; `plans` has the head
    first, then one for each kind of the flow; `wrapped` parallels the plans' cells; `heights` are the printed rows'.
    """

    table: TableBlock
    arranged: ArrangedTable
    flow: Flow
    edges: tuple[int, ...]
    plans: tuple[RowPlan, ...]
    wrapped: tuple[tuple[WrappedCell, ...], ...]
    heights: Ints
    head_height: int
    strip: Strip

    def first_detail(self, start: int, end: int) -> int | None:
        """The first detail row among some printed rows, where columns leave repeats empty; None where none does."""
        for number, plan in enumerate(self.plans[1:]):
            if any(cell.repeats is not None for cell in plan.cells):
                found = np.flatnonzero(self.flow.kind[start:end] == number)
                return start + int(found[0]) if len(found) else None
        return None

    @cached_property
    def is_decorated(self) -> npt.NDArray[np.bool_]:
        """For each plan, whether its rows have any fill or rule."""
        looks = [[plan.look, *(cell.look for cell in plan.cells)] for plan in self.plans]
        return np.array([any(lk.fill or lk.rule_above or lk.rule_below for lk in each) for each in looks], bool)


def lay_out_table(table: TableBlock, arranged: ArrangedTable, width: int, setting: Setting) -> TableLayout:
    """Lay a table out in a body of a width in millipoints, without pages yet."""
    kept = setting.kept
    flow_key = (
        arranged,
        table.show_details,
        table.total is None,
        tuple((lv.heading is None, lv.total is None) for lv in table.levels),
    )
    flow = kept.get(("flow", flow_key), lambda: make_flow(table, arranged))
    plans = make_row_plans(table, arranged, flow, setting)
    widths = column_widths(table, plans, width, setting)
    edges = tuple(np.concatenate([[0], np.cumsum(widths)]).tolist())
    wrapped = tuple(tuple(_wrapped(cell, edges, setting) for cell in plan.cells) for plan in plans)
    row_heights = [_row_heights(plan, cells) for plan, cells in zip(plans, wrapped, strict=True)]
    head_height = int(np.max(row_heights[0]))
    height_key = (flow, tuple(h if isinstance(h, int) else h.tobytes() for h in row_heights[1:]))
    heights = kept.get(("heights", height_key), lambda: _flow_heights(flow, row_heights[1:]))
    breaks = tuple(
        (
            lv.page_break,
            lv.keep_together,
            lv.largest_gap,
            lv.repeat_heading,
            lv.rows_after_heading,
            lv.rows_before_total,
        )
        for lv in table.levels
    )
    strip = kept.get(
        ("strip", height_key, breaks, table.total is None),
        lambda: make_strip(table, arranged, flow, heights),
    )
    return TableLayout(table, arranged, flow, edges, plans, wrapped, heights, head_height, strip)


def table_pages(layout: TableLayout, body: Body, setting: Setting) -> tuple[list[Slice], Body]:
    """The rows on each page, beginning in the room a body leaves, and what is used of the last page."""
    table = layout.table
    most = table.rows_per_page if isinstance(table.rows_per_page, int) else None
    rules = Rules(layout.head_height, table.repeat_head, most)
    key = ("pages", layout.strip, rules, body)
    return setting.kept.get(key, lambda: paginate(layout.strip, rules, body, _LineSplitter(layout)))


class _LineSplitter(Splitter):
    """Parts a tall row between lines, at the last line that fits in every cell."""

    def __init__(self, layout: TableLayout) -> None:
        self._layout = layout

    def cut(self, row: int, top: int, room: int) -> int:
        """The height of the part of a row that fits into the room below `top`."""
        layout = self._layout
        plan = layout.plans[1 + int(layout.flow.kind[row])]
        leading = max((cell.leading for cell in plan.cells), default=room)
        padding = 0 if top else max((cell.look.padding for cell in plan.cells), default=0)
        lines = max((room - padding) // leading, 1)
        return min(padding + lines * leading, int(layout.heights[row]) - top)


def _wrapped(cell: CellPlan, edges: tuple[int, ...], setting: Setting) -> WrappedCell:
    left, right = edges[cell.column], edges[cell.column + cell.span]
    room = max(right - left - 2 * cell.look.inset, 1000)
    wrapped, counts = setting.kept.get(
        ("wrap", cell.texts, cell.face.font, cell.face.size, room), lambda: _wrap_all(cell, room)
    )
    return WrappedCell(left, right - left, wrapped, counts)


def _wrap_all(cell: CellPlan, room: int) -> tuple[dict[int, tuple[int, ...]], npt.NDArray[np.int32]]:
    shaper, size = cell.shaper, cell.face.size
    too_long = cell.shaped.distinct[shaper.widths(cell.shaped.distinct, size) > room].tolist()
    wrapped = {}
    for number in sorted({*too_long, *cell.shaped.broken}):
        parts = wrap(shaper.texts[number], shaper, size, room)
        wrapped[number] = tuple(shaper.add(parts).tolist())
    counts = np.ones(len(cell.shaped.lines), np.int32)
    if wrapped:
        by_line = np.ones(int(cell.shaped.distinct.max()) + 1, np.int32)
        for number, parts_of in wrapped.items():
            by_line[number] = len(parts_of)
        counts = by_line[cell.shaped.lines]
    return wrapped, counts


def _row_heights(plan: RowPlan, cells: tuple[WrappedCell, ...]) -> int | Ints:
    """The height of each instance of a kind of row: its tallest cell, or one empty line. One number where all are
    alike."""
    height = 0 if plan.cells else plan.look.size * 13 // 10 + 2 * plan.look.padding
    taller: list[Ints] = []
    for cell, wrapped in zip(plan.cells, cells, strict=True):
        height = max(height, cell.leading + 2 * cell.look.padding)
        if wrapped.wrapped:
            taller.append(wrapped.counts.astype(np.int64) * cell.leading + 2 * cell.look.padding)
    return np.maximum.reduce([np.full(len(taller[0]), height), *taller]) if taller else height


def _flow_heights(flow: Flow, row_heights: list[int | Ints]) -> Ints:
    alike = np.array([height if isinstance(height, int) else 0 for height in row_heights] or [0], np.int64)
    heights = alike[flow.kind]
    for printed, own in zip(flow.of_kind, row_heights, strict=True):
        if not isinstance(own, int):
            heights[printed] = own
    return heights
