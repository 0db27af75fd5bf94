"""Which rows pages of a table show, and where: those of their slices with those that belong to the pages."""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from northmoor.core.base.arrays import Ints
from northmoor.core.layout.table.layout import TableLayout
from northmoor.core.layout.table.pagination import TableFragment
from northmoor.core.model.blocks.table import PAGE_ROWS


class RowsOnPage(Struct, frozen=True, eq=False):
    """The rows a page shows, top to bottom: their numbers, tops and heights on the page. `own` says where among them
    those of the slice are; the others belong to the page: the head, repeated headings, what is carried, totals."""

    rows: Ints
    tops: Ints
    heights: Ints
    own: Ints


class RowsOnPages(Struct, frozen=True, eq=False):
    """The same for many pages, one after another; `begins` and `own_begins` are where each page's rows, and among `own`
    those of its slice, begin (one more entry than pages)."""

    rows: Ints
    tops: Ints
    heights: Ints
    own: Ints
    begins: Ints
    own_begins: Ints

    @property
    def others(self) -> Ints:
        """Where the rows are that belong to pages."""
        is_other = np.ones(len(self.rows), bool)
        is_other[self.own] = False
        return np.flatnonzero(is_other)

    def page_of(self, rows: Ints) -> Ints:
        """The pages on which some of the rows are, by their places among all."""
        return np.searchsorted(self.begins, rows, "right") - 1

    def page(self, number: int) -> RowsOnPage:
        """The rows of one page."""
        begin, end = self.begins[number : number + 2].tolist()
        first, last = self.own_begins[number : number + 2].tolist()
        own = self.own[first:last] - begin
        return RowsOnPage(self.rows[begin:end], self.tops[begin:end], self.heights[begin:end], own)


def rows_on_page(layout: TableLayout, fragment: TableFragment, top: int) -> RowsOnPage:
    """The rows of a slice with those that belong to its page, from a distance from the page's top on."""
    return rows_on_pages(layout, [fragment], [top]).page(0)


def rows_on_pages(layout: TableLayout, fragments: Sequence[TableFragment], tops: Sequence[int]) -> RowsOnPages:
    """The rows of slices with those that belong to their pages, each from a distance from its page's top on.

    The page's total is before the totals of all rows, unless it is at the foot of the page.
    """
    before, after = _row_ranges(layout, fragments)
    above, below = _lengths(before), _lengths(after)
    starts, ends = np.array([(fragment.start, fragment.end) for fragment in fragments], np.int64).reshape(-1, 2).T
    counts = ends - starts
    begins = np.concatenate([[0], np.cumsum(above + counts + below)])
    rows, heights = np.empty((2, begins[-1]), np.int64)
    own = _ranges(begins[:-1] + above, counts)
    rows[own] = _ranges(starts, counts)
    heights[own] = layout.heights[rows[own]]
    own_begins = np.concatenate([[0], np.cumsum(counts)])
    for number, fragment in enumerate(fragments):
        if fragment.part is not None:
            heights[own[own_begins[number + 1] - 1]] = fragment.part[1]
    around = np.concatenate([_ranges(begins[:-1], above), _ranges(begins[:-1] + above + counts, below)])
    rows[around] = [row for part in (*before, *after) for row in part]
    heights[around] = _heights(layout, rows[around])
    shown = RowsOnPages(rows, heights, heights, own, begins, own_begins)
    for number, fragment in enumerate(fragments):
        if after[number] and fragment.foot is None:
            _put_totals_last(layout, shown, number)
    return _stacked(shown, fragments, below, np.array(tops, np.int64))


def _row_ranges(layout: TableLayout, fragments: Sequence[TableFragment]) -> tuple[list[list[int]], list[list[int]]]:
    """The rows that are before and after each slice."""
    head, later_head = layout.head_rows(True), layout.head_rows(False)
    brought, total, carried = (layout.page_row(name) for name in PAGE_ROWS)
    before = [head if fragment.is_first else [*later_head, *fragment.repeated, *brought] for fragment in fragments]
    after = [
        (total if fragment.end > fragment.start else []) + ([] if fragment.is_last else carried)
        for fragment in fragments
    ]
    return before, after


def _heights(layout: TableLayout, rows: Ints) -> Ints:
    """The heights of rows that are around slices: those of pages, and repeated headings."""
    heights = np.array(layout.page_heights, np.int64)[np.where(rows < 0, -1 - rows, 0)]
    repeated = np.flatnonzero(rows >= 0)
    if len(repeated):
        metrics = layout.metrics
        heights[repeated] = (metrics.heights if metrics.again is None else metrics.again)[rows[repeated]]
    return heights


def _stacked(shown: RowsOnPages, fragments: Sequence[TableFragment], below: Ints, tops: Ints) -> RowsOnPages:
    """The rows from the tops of their pages' slices down; those at the foot of a page are there."""
    sums = np.concatenate([[0], np.cumsum(shown.heights)])
    begins, counts = shown.begins[:-1], np.diff(shown.begins)
    found = sums[:-1] + np.repeat(tops - sums[begins], counts)
    for number, fragment in enumerate(fragments):
        if below[number] and fragment.foot is not None:
            end = shown.begins[number + 1]
            first = end - below[number]
            found[first:end] += tops[number] - fragment.y + fragment.foot - found[first]
    return RowsOnPages(shown.rows, found, shown.heights, shown.own, shown.begins, shown.own_begins)


def _put_totals_last(layout: TableLayout, shown: RowsOnPages, number: int) -> None:
    """Let totals of all rows, or of all of a record, come last on a page."""
    sequence = layout.rows
    begin, end = shown.begins[number : number + 2].tolist()
    own = shown.own[slice(*shown.own_begins[number : number + 2].tolist())]
    kinds = sequence.kind[shown.rows[own[-len(sequence.kinds) :]]].tolist()
    last = sum(sequence.kinds[kind].closes(layout.outer) for kind in kinds)
    after = end - 1 - int(own[-1])
    moved = np.arange(begin, end)
    order = np.concatenate([moved[: end - begin - after - last], moved[len(moved) - after :],
                            moved[end - begin - after - last : len(moved) - after]])  # fmt: skip
    shown.rows[begin:end], shown.heights[begin:end] = shown.rows[order], shown.heights[order]
    own[len(own) - last :] += after


def _lengths(parts: Sequence[Sequence[int]]) -> Ints:
    return np.fromiter(map(len, parts), np.int64, len(parts))


def _ranges(starts: Ints, counts: Ints) -> Ints:
    """The numbers from each start on, so many of each, one after another."""
    before = np.cumsum(counts) - counts
    found: Ints = np.repeat(starts - before, counts) + np.arange(counts.sum())
    return found
