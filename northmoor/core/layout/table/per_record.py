"""A table in a for-each: laid out for all records together, of which each prints its own stretch of rows.

A table of many rows is laid out in parts, of which only those in use are held: the records of a part follow one another
on the pages, so that each is made once when they are placed and once when they are drawn.
"""

from array import array
from bisect import bisect_right
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cached_property, partial, reduce

import numpy as np
from msgspec import Struct

from northmoor.core.base.arrays import Ints
from northmoor.core.base.cache import GenerationalCache
from northmoor.core.base.replace import replace
from northmoor.core.compute.evaluate.scope_names import DETAIL
from northmoor.core.compute.table.evaluation import TableData
from northmoor.core.compute.table.page_totals import PageRanges
from northmoor.core.compute.table.partitions import can_be_partitioned, partition, partition_bounds
from northmoor.core.layout.context import LayoutContext
from northmoor.core.layout.inline.formatting import PageTotalValues
from northmoor.core.layout.table.cell_positions import CellPlacer
from northmoor.core.layout.table.fitting import text_extents, widest_of
from northmoor.core.layout.table.layout import (
    TableLayout,
    ends_of_pages,
    last_rows_of_pages,
    lay_out_table,
    page_rules,
    range_pages,
    with_page_rows,
)
from northmoor.core.layout.table.pagination import Body, PaginationRules, TableFragment
from northmoor.core.model.blocks.table import PAGE_ROWS, TableBlock

ROWS_OF_PART = 50_000
"""How many rows of the data a part has, or somewhat more: it takes about 90 bytes for each."""
_PARTS_HELD = 2
Maker = Callable[[], TableLayout]


class RecordRows(Struct, eq=False):
    """Some records' rows of a table, from the group `first` of the records' level on; laid out when that is asked for,
    and held among the `recent` ones."""

    table: TableBlock
    first: int
    make: Maker
    recent: GenerationalCache

    @property
    def layout(self) -> TableLayout:
        """The rows laid out."""
        return self.laid.layout

    @property
    def placer(self) -> CellPlacer:
        """What places their cells."""
        return self.laid.placer

    @property
    def laid(self) -> "_LaidOutPart":
        """The rows laid out, with where those of each record are."""
        return self.recent.get(self.first, lambda: _LaidOutPart(self.make()))


class _LaidOutPart:
    """A part as it is laid out; its `stretches` are where the rows of each record are printed."""

    def __init__(self, layout: TableLayout) -> None:
        self.layout, self.placer = layout, CellPlacer(layout)
        self.starts = layout.data.levels[layout.outer - 1].starts
        self._printed = layout.rows.first_at(self.starts)

    def stretch(self, group: int) -> tuple[int, int]:
        """The printed rows of a group, counted in the part."""
        start, end = self._printed[group : group + 2].tolist()
        return start, end


def record_table_layouts(
    table: TableBlock, data: TableData, depth: int, groups: Ints, width: int, context: LayoutContext
) -> list[tuple[int, Maker]]:
    """What lays out each part of a table for records, with the first group of the part; `groups` are those of the
    records in their order.

    A table whose records come in another order than its groups is one part: its parts would be made again and again.
    """
    starts = data.levels[depth - 1].starts
    firsts = partition_bounds(starts, ROWS_OF_PART) if can_be_partitioned(data) else [0]
    turns = np.count_nonzero(np.diff(np.searchsorted(firsts, groups[groups >= 0], "right")))
    if turns >= 2 * len(firsts) or len(firsts) == 1:
        whole = lay_out_table(table, data, width, context)
        return [(0, lambda: whole)]
    ends = [*firsts[1:], len(starts) - 1]

    def part(number: int) -> TableData:
        context.stop.raise_if_cancelled()
        return partition(data, depth, firsts[number], ends[number])

    numbers = range(len(firsts))
    extents = reduce(widest_of, (text_extents(table, part(n), context.of_part(n)) for n in numbers))

    def made(number: int) -> TableLayout:
        return lay_out_table(table, part(number), width, context.of_part(number), extents)

    return [(firsts[n], partial(made, n)) for n in numbers]


@dataclass(eq=False)
class RecordTable:
    """A table whose outermost `depth` levels are the keys of records. `groups` says which group of the last of those is
    each record's, −1 where it has no rows. It gives the pages of one record after another; what it gave from a run on,
    it tells again after `seek`."""

    table: TableBlock
    depth: int
    groups: Ints
    makers: Sequence[tuple[int, Maker]]
    context: LayoutContext
    page_heights: tuple[int, ...] | None = None
    """Those that the rows of pages are known to need."""
    parts: list[RecordRows] = field(default_factory=list)
    at: int = 0
    """How many runs have been given, or have been given again."""
    _recent: GenerationalCache = field(default_factory=lambda: GenerationalCache(_PARTS_HELD))
    _run_groups: "array[int]" = field(default_factory=lambda: array("q"))
    """The group of each run."""
    _run_begins: "array[int]" = field(default_factory=lambda: array("q"))
    """The first page of each run, among those of all."""
    _page_ends: "array[int]" = field(default_factory=lambda: array("q"))
    """The printed row with which each page ends, counted in its part."""
    _cells: PageTotalValues | None = None
    """What rows that belong to pages show, once pages are known."""

    def __post_init__(self) -> None:
        self.parts = [
            RecordRows(self.table, first, partial(self._made, make), self._recent) for first, make in self.makers
        ]

    def _made(self, make: Maker) -> TableLayout:
        """A part laid out, with the rows of pages as far as they are known."""
        layout = make()
        layout = replace(layout, outer=self.depth, page_heights=self.page_heights or layout.page_heights)
        if self._cells is None:
            return layout
        return with_page_rows(layout, self._cells, len(self._page_ends), self.context)

    @cached_property
    def _rules(self) -> PaginationRules:
        """What holds for the pages of all records, as they were first placed."""
        return page_rules(self.parts[0].layout)

    def has_rows(self, record: int) -> bool:
        """Whether any rows belong to a record."""
        return bool(self.groups[record] >= 0)

    def part(self, record: int) -> RecordRows:
        """The part that has the rows of a record."""
        return self._part(int(self.groups[record]))

    def _part(self, group: int) -> RecordRows:
        return self.parts[bisect_right(self._part_firsts, group) - 1]

    @cached_property
    def _part_firsts(self) -> list[int]:
        return [part.first for part in self.parts]

    def height(self, record: int) -> int:
        """How high a record's rows are with the head, on one page."""
        start, end = self.stretch(record)
        sums = self.part(record).layout.metrics.sums
        return self._rules.head + int(sums[end] - sums[start])

    def stretch(self, record: int) -> tuple[int, int]:
        """The printed rows of a record, counted in its part: the first, and the end."""
        part = self.part(record)
        return part.laid.stretch(int(self.groups[record]) - part.first)

    def pages(self, record: int, body: Body) -> tuple[list[TableFragment], Body]:
        """The slices of a record's rows, and what is used of the last page."""
        is_new = self.at == len(self._run_begins)
        first = len(self._page_ends) if is_new else self._run_begins[self.at]
        group = int(self.groups[record])
        part = self._part(group)
        laid = part.laid
        found, after = range_pages(laid.layout, self._rules, laid.stretch(group - part.first), body, first)
        self.at += 1
        if is_new:
            self._run_groups.append(group)
            self._run_begins.append(first)
            self._page_ends.extend(last_rows_of_pages(found))
        return found, after

    def seek(self, run: int) -> None:
        """Go back to a run."""
        self.at = run

    @property
    def is_printed(self) -> bool:
        """Whether any record has been given pages."""
        return bool(self._run_begins)

    @property
    def pages_have_rows(self) -> bool:
        """Whether there are rows that belong to pages."""
        return any(getattr(self.table, name) is not None for name in PAGE_ROWS)

    def fill(self) -> tuple[int, ...]:
        """Let the rows of its pages show what they have to, and tell the heights of rows that belong to pages; they may
        have become higher."""
        self._cells = self.context.paged(self.table.name, self.ranges)
        self._recent.clear()
        return self.parts[0].layout.page_heights

    @cached_property
    def ranges(self) -> PageRanges:
        """The detail rows of each of its pages, once all records have theirs."""
        begins: list[int] = []
        ends: list[int] = []
        for group, first, end in zip(
            self._run_groups, self._run_begins, [*self._run_begins[1:], len(self._page_ends)], strict=True
        ):
            part = self._part(group)
            layout, above = part.layout, part.layout.data.first(DETAIL)
            start, last = part.laid.starts[group - part.first :][:2].tolist()
            own = np.clip(ends_of_pages(layout.rows, self._page_ends[first:end]), start, last)
            own[-1] = last
            own = (own + above).tolist()
            begins += [start + above, *own[:-1]]
            ends += own
        counts = np.diff([*self._run_begins, len(self._page_ends)])
        runs = np.repeat(np.arange(len(counts)), counts)
        return PageRanges(np.array(begins, np.int64), np.array(ends, np.int64), runs)
