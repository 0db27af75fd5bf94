"""A table in a for-each: laid out once for all records, of which each prints its own stretch of rows."""

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from northmoor.core.compute.groups import Ints
from northmoor.core.compute.paging import PageRanges
from northmoor.core.layout.context import Setting
from northmoor.core.layout.paginate import Body, Slice
from northmoor.core.layout.placedcells import CellPlacer
from northmoor.core.layout.table import Paged, TableLayout, ends_of_pages, page_rules, stretch_pages, with_page_rows
from northmoor.core.model.tables import PAGE_ROWS


@dataclass(eq=False)
class RecordTable:
    """A table whose outermost `depth` levels are the keys of records. `groups` says which group of the last of those is
    each record's, −1 where it has no rows; `slices` are those made so far, run by run."""

    layout: TableLayout
    depth: int
    groups: Ints
    placer: CellPlacer = field(init=False)
    slices: list[Slice] = field(default_factory=list)
    runs: list[tuple[int, int]] = field(default_factory=list)
    """The group of each run, and its first slice."""

    def __post_init__(self) -> None:
        self.placer = CellPlacer(self.layout)
        self._starts = self.layout.arranged.levels[self.depth - 1].starts
        self._printed = self.layout.flow.first_at(self._starts)
        self._heights = self.layout.strip.sums
        self._rules = page_rules(self.layout)

    def has_rows(self, record: int) -> bool:
        """Whether any rows belong to a record."""
        return bool(self.groups[record] >= 0)

    def height(self, record: int) -> int:
        """How high a record's rows are with the head, on one page."""
        start, end = self._stretch(record)
        return self._rules.head + int(self._heights[end] - self._heights[start])

    def begin(self, record: int) -> int:
        """The first printed row of a record."""
        return self._stretch(record)[0]

    def _stretch(self, record: int) -> tuple[int, int]:
        start, end = self._printed[self.groups[record] :][:2].tolist()
        return start, end

    def pages(self, record: int, body: Body) -> tuple[list[Slice], Body]:
        """The slices of a record's rows, and what is used of the last page."""
        first = len(self.slices)
        found, after = stretch_pages(self.layout, self._rules, self._stretch(record), body, first)
        self.runs.append((int(self.groups[record]), first))
        self.slices += found
        return found, after

    @property
    def pages_have_rows(self) -> bool:
        """Whether there are rows that belong to pages."""
        return any(self.layout.page_row(name) for name in PAGE_ROWS)

    def filled(self, paged: Paged, setting: Setting) -> TableLayout:
        """The layout with the rows of its pages filled in; they may have become higher."""
        return with_page_rows(self.layout, paged(self.layout.table.name, self.ranges), self.slices, setting)

    @cached_property
    def ranges(self) -> PageRanges:
        """The detail rows of each of its pages, once all records have theirs."""
        begins: list[int] = []
        ends: list[int] = []
        counts = []
        firsts = [first for _, first in self.runs]
        for (group, first), end in zip(self.runs, [*firsts[1:], len(self.slices)], strict=True):
            start, last = self._starts[group : group + 2].tolist()
            own = np.clip(ends_of_pages(self.layout.flow, self.slices[first:end]), start, last).tolist()
            own[-1] = last
            begins += [start, *own[:-1]]
            ends += own
            counts.append(end - first)
        runs = np.repeat(np.arange(len(counts)), counts)
        return PageRanges(np.array(begins, np.int64), np.array(ends, np.int64), runs)
