"""A table in a for-each: laid out once for all records, of which each prints its own stretch of rows."""

from dataclasses import dataclass, field, replace

import numpy as np

from northmoor.core.compute.groups import Ints
from northmoor.core.compute.paging import PageRanges
from northmoor.core.layout.context import Setting
from northmoor.core.layout.paginate import Body, Slice
from northmoor.core.layout.placedcells import CellPlacer
from northmoor.core.layout.table import Paged, TableLayout, ends_of_pages, stretch_pages, with_page_rows
from northmoor.core.model.tables import PAGE_ROWS


@dataclass(eq=False)
class RecordTable:
    """A table whose outermost `depth` levels are the keys of records. `groups` says which group of the last of those is
    each record's, −1 where it has no rows; `runs` are the slices made so far, and the detail rows of each run."""

    layout: TableLayout
    depth: int
    groups: Ints
    placer: CellPlacer = field(init=False)
    slices: list[Slice] = field(default_factory=list)
    begins: list[int] = field(default_factory=list)
    ends: list[int] = field(default_factory=list)
    runs: list[int] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.placer = CellPlacer(self.layout)
        starts = self.layout.arranged.levels[self.depth - 1].starts
        self._rows = starts.tolist()
        self._printed = self.layout.flow.first_at(starts).tolist()

    def has_rows(self, record: int) -> bool:
        """Whether any rows belong to a record."""
        return bool(self.groups[record] >= 0)

    def height(self, record: int) -> int:
        """How high a record's rows are with the head, on one page."""
        start, end = self._stretch(record)
        head = self.layout.height_of(self.layout.head_rows(True))
        return head + int(self.layout.strip.heights[start:end].sum())

    def begin(self, record: int) -> int:
        """The first printed row of a record."""
        return self._stretch(record)[0]

    def _stretch(self, record: int) -> tuple[int, int]:
        group = int(self.groups[record])
        return self._printed[group], self._printed[group + 1]

    def pages(self, record: int, body: Body) -> tuple[list[Slice], Body]:
        """The slices of a record's rows, and what is used of the last page."""
        start, end = self._stretch(record)
        found, after = stretch_pages(self.layout, start, end, body)
        first = len(self.slices)
        numbered = [replace(piece, number=first + piece.number) for piece in found]
        self._note(found, int(self.groups[record]))
        self.slices += numbered
        return numbered, after

    @property
    def pages_have_rows(self) -> bool:
        """Whether there are rows that belong to pages."""
        return any(self.layout.page_row(name) for name in PAGE_ROWS)

    def _note(self, found: list[Slice], group: int) -> None:
        ends = ends_of_pages(self.layout.flow, found)
        first, last = self._rows[group], self._rows[group + 1]
        ends = np.minimum(np.maximum(ends, first), last)
        ends[-1] = last
        self.begins += [first, *ends[:-1].tolist()]
        self.ends += ends.tolist()
        self.runs += [self.runs[-1] + 1 if self.runs else 0] * len(found)

    def filled(self, paged: Paged, setting: Setting) -> TableLayout:
        """The layout with the rows of its pages filled in; they may have become higher."""
        return with_page_rows(self.layout, paged(self.layout.table.name, self.ranges), self.slices, setting)

    @property
    def ranges(self) -> PageRanges:
        """The detail rows of each of its pages."""
        return PageRanges(*(np.array(each, np.int64) for each in (self.begins, self.ends, self.runs)))
