"""Pagination: the invariants over random tables, and each rule by itself."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec import Struct

from northmoor.core.base.replace import replace
from northmoor.core.layout.table.pagination import Body, PaginationRules, RowMetrics, Splitter, TableFragment, paginate

LINE = 10


class ByLines(Splitter):
    """Rows may be parted every ten millipoints."""

    def cut(self, row: int, top: int, room: int) -> int:
        return max(room // LINE, 1) * LINE


def metrics_of(heights: list[int], **more: list) -> RowMetrics:
    size = len(heights)
    defaults: dict[str, list] = {
        "break_before": [False] * size, "keep_with_next": [0] * size, "keep_with_previous": [0] * size,
        "open_headings": [[] for _ in range(size)], "keep_end": [0] * size, "largest_gap": [1.0] * size,
    }  # fmt: skip
    values = {name: np.array(value) for name, value in (defaults | more).items()}
    values["open_headings"] = values["open_headings"].reshape(size, -1 if size else 0).astype(np.int64)
    return RowMetrics(np.array(heights, np.int64), **values)


def pages_of(
    metrics: RowMetrics, body: int = 100, head: int = 0, used: int = 0, repeat: bool = True, most: int | None = None
) -> list[TableFragment]:
    fragments, _ = paginate(
        metrics, PaginationRules(head, head * repeat, rows_per_page=most), Body(body, used), ByLines()
    )
    return fragments


def ranges(fragments: list[TableFragment]) -> list[tuple[int, int]]:
    return [(piece.start, piece.end) for piece in fragments]


class Case(Struct):
    metrics: RowMetrics
    body: int
    head: int
    used: int


@st.composite
def cases(draw: st.DrawFn) -> Case:
    """Random rows: details, one level of headings and totals with all of their rules, and any breaks."""
    groups = draw(st.lists(st.integers(1, 9), min_size=1, max_size=12))
    heights: list[int] = []
    rules: dict[str, list] = {
        n: []
        for n in ("break_before", "keep_with_next", "keep_with_previous", "open_headings", "keep_end", "largest_gap")
    }
    keep, gap = draw(st.booleans()), draw(st.sampled_from([0.0, 0.3, 1.0]))
    after, before = draw(st.integers(0, 3)), draw(st.integers(0, 3))
    for details in groups:
        heading = len(heights)
        for at in range(details + 2):
            is_heading, is_total = at == 0, at == details + 1
            heights.append(draw(st.sampled_from([10, 20, 30, 250 if not is_heading and not is_total else 10])))
            rules["break_before"].append(is_heading and heading > 0 and draw(st.booleans()))
            rules["keep_with_next"].append(min(after, details) if is_heading else 0)
            rules["keep_with_previous"].append(min(before, details) if is_total else 0)
            rules["open_headings"].append([-1 if is_heading else heading])
            rules["keep_end"].append(heading + details + 2 if is_heading and keep else 0)
            rules["largest_gap"].append(gap)
    return Case(
        metrics_of(heights, **rules),
        draw(st.sampled_from([60, 100, 200])),
        draw(st.sampled_from([0, 10, 20])),
        draw(st.sampled_from([0, 30, 55])),
    )


@given(cases())
def test_every_row_is_on_exactly_one_page_in_order(case: Case) -> None:
    fragments = pages_of(case.metrics, case.body, case.head, case.used)
    shown: list[int] = []
    parts: dict[int, int] = {}
    for piece in fragments:
        rows = list(range(piece.start, piece.end))
        if piece.part is not None:
            top, height = piece.part
            assert top == parts.get(rows[-1], 0)
            parts[rows[-1]] = top + height
            rows = rows if top == 0 else rows[:-1]
        shown += rows
    assert shown == list(range(len(case.metrics)))
    assert all(parts[row] == case.metrics.heights[row] for row in parts)
    assert [piece.page for piece in fragments] == sorted({piece.page for piece in fragments})


@given(cases())
def test_nothing_is_taller_than_its_page(case: Case) -> None:
    for piece in pages_of(case.metrics, case.body, case.head, case.used):
        heights = case.metrics.heights[piece.start : piece.end].tolist()
        if piece.part is not None:
            heights[-1] = piece.part[1]
        above = case.head + int(sum(case.metrics.heights[r] for r in piece.repeated))
        too_tall_line = piece.part is not None and piece.part[1] == LINE
        assert piece.y + above + sum(heights) <= case.body or too_tall_line


@given(cases())
def test_no_row_is_split_that_fits_a_page_of_its_own(case: Case) -> None:
    for piece in pages_of(case.metrics, case.body, case.head, case.used):
        if piece.part is not None:
            row = piece.end - 1
            assert case.metrics.heights[row] > case.body - case.head - int(
                sum(case.metrics.heights[r] for r in piece.repeated) or 10
            )


@given(cases())
def test_breaks_begin_pages_and_continuations_repeat_their_heading(case: Case) -> None:
    fragments = pages_of(case.metrics, case.body, case.head, case.used)
    begins = {piece.start for piece in fragments}
    assert set(np.flatnonzero(case.metrics.break_before).tolist()) <= begins
    for piece in fragments[1:]:
        heading = int(case.metrics.open_headings[piece.start, 0])
        room = case.head + (case.metrics.heights[heading] if heading >= 0 else 0) <= case.body // 2
        assert piece.repeated == ((heading,) if heading >= 0 and room else ())


@given(cases())
def test_no_heading_or_total_is_stranded_where_it_can_be_helped(case: Case) -> None:
    metrics, fragments = case.metrics, pages_of(case.metrics, case.body, case.head, case.used)
    for piece, following in pairwise(fragments):
        if piece.part is not None or following.part is not None or piece.end - piece.start == 0:
            continue
        for row in range(piece.start, piece.end):
            stranded = metrics.keep_with_next[row] >= piece.end - row
            wanted = int(metrics.heights[row : row + metrics.keep_with_next[row] + 1].sum()) + case.head
            forced = bool(metrics.break_before[piece.end])
            assert not stranded or forced or wanted > case.body or row == piece.start


@given(cases())
def test_the_same_rows_give_the_same_pages(case: Case) -> None:
    assert pages_of(case.metrics, case.body, case.head, case.used) == pages_of(
        case.metrics, case.body, case.head, case.used
    )


@given(st.lists(st.integers(1, 60), min_size=1, max_size=80), st.integers(60, 120))
def test_without_rules_pages_fill_like_the_plainest_paginator(heights: list[int], body: int) -> None:
    plain, used = [[0, 0]], 0
    for row, height in enumerate(heights):
        if used + height > body:
            plain.append([row, row])
            used = 0
        used += height
        plain[-1][1] = row + 1
    assert ranges(pages_of(metrics_of(heights), body)) == [tuple(page) for page in plain]


def test_a_table_begins_below_what_is_on_the_page() -> None:
    fragments = pages_of(metrics_of([10] * 5), 50, head=10, used=25)
    assert [(p.page, p.y, p.start, p.end) for p in fragments] == [(0, 25, 0, 1), (1, 0, 1, 5)]


def test_a_first_row_that_does_not_fit_goes_to_the_next_page() -> None:
    assert [(p.page, p.y) for p in pages_of(metrics_of([30]), 50, used=40)] == [(1, 0)]


def test_the_head_is_once_or_on_every_page() -> None:
    metrics = metrics_of([10] * 12)
    assert [p.end - p.start for p in pages_of(metrics, 50, head=10)] == [4, 4, 4]
    assert [p.end - p.start for p in pages_of(metrics, 50, head=10, repeat=False)] == [4, 5, 3]


def test_a_heading_keeps_rows_after_it() -> None:
    assert ranges(pages_of(metrics_of([10] * 8, keep_with_next=[0, 0, 0, 0, 2, 0, 0, 0]), 60)) == [(0, 4), (4, 8)]


def test_a_total_keeps_rows_before_it() -> None:
    assert ranges(pages_of(metrics_of([10] * 7, keep_with_previous=[0] * 6 + [2]), 60)) == [(0, 4), (4, 7)]


@pytest.mark.parametrize(
    ("gap", "expected"), [(1.0, [(0, 3), (3, 8)]), (0.4, [(0, 3), (3, 8)]), (0.2, [(0, 5), (5, 8)])]
)
def test_a_group_is_kept_together_within_the_largest_gap(gap: float, expected: list) -> None:
    metrics = metrics_of([20] * 8, keep_end=[0, 0, 0, 7, 0, 0, 0, 0], largest_gap=[gap] * 8)
    assert ranges(pages_of(metrics, 100)) == expected


def test_a_group_taller_than_a_page_splits_tidily() -> None:
    assert ranges(pages_of(metrics_of([20] * 9, keep_end=[9] + [0] * 8), 100)) == [(0, 5), (5, 9)]


def test_a_row_taller_than_a_page_is_parted_between_lines_with_its_heading() -> None:
    fragments = pages_of(metrics_of([10, 10, 250, 10], keep_with_next=[0, 1, 0, 0]), 100)
    assert [(p.start, p.end, p.part) for p in fragments] == [
        (0, 3, (0, 80)), (2, 3, (80, 100)), (2, 3, (180, 70)), (3, 4, None),
    ]  # fmt: skip


def test_no_rows_leave_a_head() -> None:
    assert [(p.page, p.start, p.end, p.is_first) for p in pages_of(metrics_of([]), head=10)] == [(0, 0, 0, True)]


def filled(kinds: list[bool], most: int, fits: int) -> list[int]:
    """How many detail rows are on each page, where each has as many rows as fit, and at most so many detail rows."""
    counts, rows = [0], 0
    for is_detail in kinds:
        if rows == fits or counts[-1] + is_detail > most:
            counts.append(0)
            rows = 0
        counts[-1] += is_detail
        rows += 1
    return counts


@given(st.lists(st.booleans(), min_size=1, max_size=60), st.integers(1, 12), st.integers(3, 12))
def test_pages_have_at_most_so_many_rows_and_are_filled_evenly(kinds: list[bool], most: int, fits: int) -> None:
    details = np.concatenate([[0], np.cumsum(kinds)])
    metrics = replace(metrics_of([10] * len(kinds)), details=details)
    pages = ranges(pages_of(metrics, body=10 * fits, most=most))
    assert [row for start, end in pages for row in range(start, end)] == list(range(len(kinds)))
    assert all(end - start <= fits for start, end in pages)
    counts = [int(details[end] - details[start]) for start, end in pages]
    wanted = filled(kinds, most, fits)
    if max(wanted) < most and len(wanted) > 1:  # no page holds so many: all have as few as are enough
        fewest = next(few for few in range(1, most) if len(filled(kinds, few, fits)) == len(wanted))
        wanted = filled(kinds, fewest, fits)
    assert counts == wanted


def test_the_last_page_has_as_many_rows_as_the_others() -> None:
    metrics = replace(metrics_of([10] * 68), details=np.arange(69))
    assert ranges(pages_of(metrics, body=430, most=50)) == [(0, 34), (34, 68)]


@pytest.mark.parametrize(
    ("at_foot", "places", "used"),
    [(True, [(40, (0, 4)), (50, (4, 8))], 60), (False, [(None, (0, 4)), (None, (4, 8))], 50)],
)
def test_what_belongs_to_pages_takes_its_room_and_may_be_at_the_foot(at_foot: bool, places: list, used: int) -> None:
    rules = PaginationRules(page_total=10, carried=10, at_foot=at_foot)
    fragments, left = paginate(metrics_of([10] * 8), rules, Body(60), ByLines())
    assert [(each.foot, (each.start, each.end)) for each in fragments] == places
    assert (left.area, left.used) == (1, used)


def test_a_stretch_is_laid_out_as_if_it_were_all_and_counted_on() -> None:
    fragments, left = paginate(metrics_of([10] * 9), PaginationRules(), Body(30, 10), ByLines(), (2, 8), 3)
    assert [(each.start, each.end, each.number) for each in fragments] == [(2, 4, 3), (4, 7, 4), (7, 8, 5)]
    assert [(each.is_first, each.is_last) for each in fragments] == [(True, False), (False, False), (False, True)]
    assert (left.area, left.used) == (2, 10)


@pytest.mark.parametrize(
    ("used", "before", "first_part"), [(0, 0, (0, 100)), (0, 8, (0, 20)), (40, 3, (0, 30)), (40, 4, (0, 100))]
)
def test_a_tall_row_begins_on_a_page_of_its_table_or_where_a_quarter_is_left(
    used: int, before: int, first_part: tuple[int, int]
) -> None:
    fragments, left = paginate(metrics_of([10] * before + [250]), PaginationRules(), Body(100, used), ByLines())
    parts = [each.part for each in fragments if each.part]
    assert parts[0] == first_part
    assert sum(height for _, height in parts) == 250
    assert [top for top, _ in parts] == [0, *(top + height for top, height in parts[:-1])]
    assert (left.area, left.used) == (fragments[-1].page, parts[-1][1])  # what follows goes on below it
