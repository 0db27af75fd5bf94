"""Pagination of a table's rows: from heights and rules about breaks to the rows of each page.

The input is columnar and the loop runs once a page, so that a hundred thousand rows take milliseconds. Rules are those
of the design: a row is never split unless it alone is taller than a body; headings keep rows after them and totals rows
before them; headings of open levels are repeated on a continuation.
"""

from bisect import bisect_left, bisect_right
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from msgspec import Struct

from northmoor.core.base.arrays import AnyInts, Bools, Floats
from northmoor.core.base.replace import replace


@dataclass(frozen=True, eq=False)
class RowMetrics:
    """What pagination knows of a table's rows (headings, details and totals in their order).

    heights: of each row, millipoints.
    break_before: True where a new page must begin.
    level: of each heading or total row, its level from 1; 0 for others.
    is_heading, is_total: kinds of rows.
    stay: for each row, how many rows after it must be on its page (for headings).
    stay_before: for each row, how many rows before it must be on its page (for totals).
    open_headings: for each row and level (columns), the row number of the heading to repeat when a page begins with it;
        −1 for none.
    details: for each row, how many detail rows come before it (one more entry than rows), or None when pages have no
        greatest number of them.
    keep_end: for each row, the end (exclusive) of the group that begins with it and is to be kept together, or 0;
        `largest_gap` is the share of the body each may leave empty.
    odd_page: True where the page that begins with a row must have an odd number; None where no row asks for it.
    again: for each row, its height when it is repeated as a heading; None where that is its own.
    """

    heights: AnyInts
    break_before: Bools
    keep_with_next: AnyInts
    keep_with_previous: AnyInts
    open_headings: AnyInts
    keep_end: AnyInts
    largest_gap: Floats
    details: AnyInts | None = None
    odd_page: Bools | None = None
    again: AnyInts | None = None

    def __len__(self) -> int:
        return len(self.heights)

    @cached_property
    def sums(self) -> AnyInts:
        """How high all rows before each row are together (one more entry than rows)."""
        return np.concatenate([[0], np.cumsum(self.heights)])

    @cached_property
    def breaks(self) -> AnyInts:
        """The rows before which a new page must begin."""
        return np.flatnonzero(self.break_before)

    @cached_property
    def is_kept_together(self) -> AnyInts:
        """The rows that begin a group which is kept together."""
        return np.flatnonzero(self.keep_end)

    @cached_property
    def has_repeated(self) -> bool:
        """Whether any headings are repeated."""
        return bool((self.open_headings >= 0).any())

    @cached_property
    def tallest(self) -> int:
        """The height of the tallest row."""
        return int(self.heights.max(initial=0))

    @cached_property
    def reach(self) -> int:
        """How many rows at most must be with another."""
        return int(max(self.keep_with_next.max(initial=0), self.keep_with_previous.max(initial=0)))

    def repeated_height(self, row: int) -> int:
        """The height of a heading that is repeated."""
        return int((self.heights if self.again is None else self.again)[row])


class TableFragment(Struct, frozen=True):
    """A table's rows on one page: `repeated` headings, then rows `start` up to `end`.

    `page` counts from the page the table begins on, `number` the table's slices; `y` is the distance from the body's
    top to the table's part. A row taller than a body is split: then the slice's last row shows only a `part`, the
    distance from its top and a height. `foot` is the distance from the body's top to the page's totals, where they
    are at its foot.
    """

    page: int
    y: int
    start: int
    end: int
    is_first: bool = True
    is_last: bool = True
    repeated: tuple[int, ...] = ()
    part: tuple[int, int] | None = None
    foot: int | None = None
    number: int = 0


class Body(Struct, frozen=True):
    """The room for rows: `height` of every page's body, what is `used` already on the first, and the `number` of that
    page. Where pages have several `areas` (columns, or labels), each is a page here; the first one is that `area`."""

    height: int
    used: int = 0
    number: int = 1
    area: int = 0
    areas: int = 1

    def before_odd(self, page: int) -> int:
        """How many pages there are from one on, counted from the first, before one whose number is odd; of areas,
        before the first one on such a page."""
        at = self.area + page
        rest = -at % self.areas
        return rest if (self.number + (at + rest) // self.areas) % 2 else rest + self.areas


class PaginationRules(Struct, frozen=True):
    """What holds for all pages: the heights of the head on the first page and on later ones, of the rows that belong to
    pages (0 for none), whether these are at the foot of the page, and how many detail rows a page has at most."""

    head: int = 0
    later_head: int = 0
    brought: int = 0
    page_total: int = 0
    carried: int = 0
    at_foot: bool = False
    rows_per_page: int | None = None


def paginate(
    metrics: RowMetrics,
    rules: PaginationRules,
    body: Body,
    split: "Splitter",
    stretch: tuple[int, int] | None = None,
    number: int = 0,
) -> tuple[list[TableFragment], Body]:
    """The rows of each page and what is used of the last page afterwards.

    `split` tells where a row taller than a body may be parted. Where no page holds as many detail rows as the rules ask
    for, as many pages are filled evenly, with the fewest rows with which they are enough. `stretch` (first row, end) is
    some of the rows, as if they were all; slices are counted from `number` on.
    """
    start, end = stretch or (0, len(metrics))

    def paginated(most: int | None) -> tuple[list[TableFragment], Body]:
        return _Pagination(metrics, replace(rules, rows_per_page=most), body, split, start, end, number).run()

    found = paginated(rules.rows_per_page)
    asked, details = rules.rows_per_page, metrics.details
    if asked is None or details is None or len(found[0]) < 2:
        return found
    held = max(int(details[fragment.end] - details[fragment.start]) for fragment in found[0])
    if held >= asked:
        return found
    fewest = 1 + bisect_left(range(1, held), True, key=lambda most: len(paginated(most)[0]) <= len(found[0]))
    return paginated(fewest)


class Splitter:
    """Tells where a too-tall row may be split."""

    def cut(self, row: int, top: int, room: int) -> int:
        """How much of a row, from `top` (distance from its own top), fits into the room between lines; more than 0."""
        raise NotImplementedError


class _Pagination:
    def __init__(
        self,
        metrics: RowMetrics,
        rules: PaginationRules,
        body: Body,
        split: Splitter,
        first: int,
        end: int,
        number: int,
    ) -> None:
        self.metrics, self.rules, self.body, self.split = metrics, rules, body, split
        self.first, self.end, self.number = first, end, number
        # Single numbers are looked up in views, which are quick at that and copy nothing.
        self.sums, self.heights = metrics.sums.data, metrics.heights.data
        self.breaks, self.keep_rows = metrics.breaks.data, metrics.is_kept_together.data
        self.keep_with_next, self.keep_with_previous = metrics.keep_with_next.data, metrics.keep_with_previous.data
        self.fragments: list[TableFragment] = []

    def run(self) -> tuple[list[TableFragment], Body]:
        page, used, start = 0, self.body.used, self.first
        if start == self.end:
            return self._only_head(used)
        while start < self.end:
            if used == 0:
                page += self._skipped(page, start)
            fresh = used == 0
            repeated, overhead = self._overhead(start, first=not self.fragments)
            room = self.body.height - used - overhead - self._foot()
            tall = self._tall_row(start, room, fresh)
            if tall is not None:
                page, used, start = self._split(page, used, start, tall, repeated, overhead)
                continue
            end = self._end(start, room, fresh)
            if end <= start:
                page, used = page + 1, 0
                continue
            used = self._add(page, used, start, end, repeated, overhead)
            start = end
            if start < self.end:
                page, used = page + 1, 0
        return self.fragments, replace(self.body, used=used, area=self.body.area + page)

    def _add(
        self,
        page: int,
        y: int,
        start: int,
        end: int,
        repeated: tuple[int, ...],
        overhead: int,
        part: tuple[int, int] | None = None,
    ) -> int:
        """Note a page's rows; how much of its body is used then."""
        rules, is_first = self.rules, not self.fragments
        is_last = end == self.end and (part is None or sum(part) == self.heights[end - 1])
        own = self.sums[end] - self.sums[start]
        if part is not None:
            own += part[1] - self.heights[end - 1]
        foot = rules.page_total + (0 if is_last else rules.carried)
        below = self.body.height - foot if rules.at_foot and foot else None
        number = self.number + len(self.fragments)
        self.fragments.append(TableFragment(page, y, start, end, is_first, is_last, repeated, part, below, number))
        return self.body.height if below is not None else y + overhead + own + foot

    def _only_head(self, used: int) -> tuple[list[TableFragment], Body]:
        head = self.rules.head
        page = int(used > 0 and used + head > self.body.height)
        used = 0 if page else used
        self.fragments.append(TableFragment(page, used, self.first, self.first, number=self.number))
        return self.fragments, replace(self.body, used=used + head, area=self.body.area + page)

    def _skipped(self, page: int, start: int) -> int:
        """How many pages stay blank, so that the rows begin on a page with an odd number."""
        odd = self.metrics.odd_page
        return self.body.before_odd(page) if odd is not None and odd[start] else 0

    def _foot(self) -> int:
        """What the rows at the end of a page take that is not the last."""
        return self.rules.page_total + self.rules.carried

    def _overhead(self, start: int, first: bool) -> tuple[tuple[int, ...], int]:
        """Headings repeated above a page that begins with a row, and their height with that of the head and of what is
        brought forward."""
        rows: tuple[int, ...] = ()
        if not first and self.metrics.has_repeated:
            rows = tuple(h for h in self.metrics.open_headings[start].tolist() if h >= self.first)
        fixed = self.rules.head if first else self.rules.later_head + self.rules.brought
        overhead = fixed + sum(map(self.metrics.repeated_height, rows))
        if overhead > self.body.height // 2:
            return (), fixed  # headings that leave no room for rows are not repeated
        return rows, overhead

    def _end(self, start: int, room: int, fresh: bool) -> int:
        """The end of the page's rows: as many as fit, up to a break, then drawn back by what must stay together."""
        most = self._most(start)
        end = min(bisect_right(self.sums, self.sums[start] + room) - 1, most)
        at = bisect_left(self.breaks, start + 1)
        if at < len(self.breaks) and self.breaks[at] <= end:
            return self.breaks[at]
        if end >= self.end or self._is_rest(start, room, most, at):
            return self.end
        end = self._keep_groups(start, end, room, fresh)
        drawn = self._draw_back(start, end)
        return drawn if drawn > start or not fresh else end

    def _is_rest(self, start: int, room: int, most: int, at: int) -> bool:
        """Whether all rows that are left fit, since nothing is carried forward from the last page."""
        height = self.sums[self.end] - self.sums[start]
        is_free = at >= len(self.breaks) or self.breaks[at] >= self.end
        return height <= room + self.rules.carried and most >= self.end and is_free

    def _most(self, start: int) -> int:
        """The end of the rows that a page beginning with a row may have, by their number alone."""
        details, most = self.metrics.details, self.rules.rows_per_page
        if most is None or details is None:
            return self.end
        return min(int(np.searchsorted(details, details[start] + most, "right")) - 1, self.end)

    def _draw_back(self, start: int, end: int) -> int:
        """The latest end not after `end` that strands no heading below and no total above the break."""
        lowest = start
        while end > lowest:
            strand = self._stranded(start, end)
            if strand is None:
                return end
            end = strand
        return lowest

    def _stranded(self, start: int, end: int) -> int | None:
        """Where to break instead, when a break before row `end` would strand a heading or a total."""
        for row in range(end - 1, max(start, end - self.metrics.reach) - 1, -1):
            if self.keep_with_next[row] >= end - row:
                return row
        for row in range(end, min(self.end, end + self.metrics.reach)):
            before = self.keep_with_previous[row]
            if before > row - end and end - start > before - (row - end):
                return row - before
        return None

    def _keep_groups(self, start: int, end: int, room: int, fresh: bool) -> int:
        """Move a group that would be split to the next page, if it fits there and the gap it leaves is allowed."""
        if not len(self.keep_rows):
            return end
        sums = self.sums
        for at in range(bisect_left(self.keep_rows, start), bisect_left(self.keep_rows, end)):
            row = self.keep_rows[at]
            group_end = int(self.metrics.keep_end[row])
            if group_end <= end or (row == start and fresh):
                continue
            _, overhead = self._overhead(row, first=False)
            overhead += self._foot()
            height = sums[group_end] - sums[row]
            left = self.body.height * float(self.metrics.largest_gap[row])
            gap = room - (sums[row] - sums[start])
            if height + overhead <= self.body.height and gap <= left:
                return row
        return end

    def _tall_row(self, start: int, room: int, fresh: bool) -> int | None:
        """The row that ends this page because it is taller than any body, if it is to be split here."""
        if self.metrics.tallest <= room:
            return None
        row = bisect_right(self.sums, self.sums[start] + room) - 1
        if row >= self._most(start) and row >= start:
            return None
        if row >= self.end or row < start:
            return start if fresh and row < start else None
        at = bisect_left(self.breaks, start + 1)
        if at < len(self.breaks) and self.breaks[at] <= row:
            return None
        _, overhead = self._overhead(row, first=False)
        is_tall = self.heights[row] > self.body.height - overhead - self._foot()
        left = room - (self.sums[row] - self.sums[start])
        return row if is_tall and (fresh or left >= self.body.height // 4) else None

    def _split(
        self, page: int, used: int, start: int, row: int, repeated: tuple[int, ...], overhead: int
    ) -> tuple[int, int, int]:
        """A row taller than a body goes on over as many pages as it needs, parted between lines."""
        top, height = 0, self.heights[row]
        above = self.sums[row] - self.sums[start]
        while True:
            last = row + 1 == self.end
            room = self.body.height - used - overhead - above - self._foot()
            if height - top <= room + (self.rules.carried if last else 0):
                fragment = height - top
            else:
                fragment = min(self.split.cut(row, top, room), height - top)
            used = self._add(page, used, start, row + 1, repeated, overhead, (top, fragment))
            top += fragment
            if top >= height:
                break
            page, used, start, above = page + 1, 0, row, 0
            repeated, overhead = self._overhead(row, first=False)
        if row + 1 == self.end:
            return page, used, row + 1
        return page + 1, 0, row + 1
