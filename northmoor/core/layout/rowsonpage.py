"""Which rows a page of a table shows, and where: those of its slice with those that belong to the page."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from northmoor.core.layout.paginate import Slice
from northmoor.core.layout.table import TableLayout

Ints = npt.NDArray[np.int64]


@dataclass(frozen=True, slots=True, eq=False)
class RowsOnPage:
    """The rows a page shows, top to bottom: their numbers, tops and heights on the page. `own` says where among them
    those of the slice stand; the others belong to the page: the head, repeated headings, what is carried, totals."""

    rows: Ints
    tops: Ints
    heights: Ints
    own: Ints

    @property
    def others(self) -> Ints:
        """Where the rows stand that belong to the page."""
        is_other = np.ones(len(self.rows), bool)
        is_other[self.own] = False
        return np.flatnonzero(is_other)


def rows_on_page(layout: TableLayout, piece: Slice, top: int) -> RowsOnPage:
    """The rows of a slice with those that belong to its page, from a distance from the page's top on.

    The page's total stands before the totals of all rows, unless it stands at the foot of the page.
    """
    before = [*layout.head_rows(piece.is_first), *piece.repeated]
    if not piece.is_first:
        before += layout.page_row("brought_forward")
    after = [] if piece.start == piece.end else layout.page_row("page_total")
    if not piece.is_last:
        after += layout.page_row("carried_forward")
    own = layout.heights[piece.start : piece.end]
    if piece.part is not None:
        own = np.append(own[:-1], piece.part[1])
    rows = np.concatenate([before, np.arange(piece.start, piece.end), after]).astype(np.int64)
    above = [layout.height_of([row]) if row < 0 else layout.strip.repeated_height(row) for row in before]
    heights = np.concatenate([above, own, [layout.height_of([row]) for row in after]]).astype(np.int64)
    at = np.arange(len(before), len(rows) - len(after))
    if after and piece.foot is None:
        order, at = _totals_last(layout, rows, at)
        rows, heights = rows[order], heights[order]
    tops = top + np.cumsum(heights) - heights
    if after and piece.foot is not None:
        tops[-len(after) :] += top - piece.y + piece.foot - tops[-len(after)]
    return RowsOnPage(rows, tops, heights, at)


def _totals_last(layout: TableLayout, rows: Ints, own: Ints) -> tuple[Ints, Ints]:
    """The order in which totals of all rows, or of all of a record, come last on a page, and where a slice's own rows
    stand then."""
    flow = layout.flow
    last = sum(flow.kinds[flow.kind[row]].closes(layout.outer) for row in rows[own[-len(flow.kinds) :]].tolist())
    moved = np.arange(len(rows))
    after = len(rows) - 1 - own[-1]
    end = len(rows) - after
    order = np.concatenate([moved[: end - last], moved[end:], moved[end - last : end]])
    return order, np.concatenate([own[: len(own) - last], own[len(own) - last :] + after])
