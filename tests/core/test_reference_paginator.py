"""Pagination against a slow, plain reader of the rules: every page is the longest that the rules allow."""

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from northmoor.core.base.replace import replace
from northmoor.core.layout.table.pagination import Body, PaginationRules, RowMetrics, TableFragment, paginate
from tests.core.test_pagination import ByLines, metrics_of
from tests.helpers import examples


def reference(metrics: RowMetrics, rules: PaginationRules, body: Body) -> list[TableFragment]:
    """The slices of rows none of which is taller than a page, found by trying every end of every page."""
    slices: list[TableFragment] = []
    page, used, start, size = 0, body.used, 0, len(metrics)
    while start < size:
        if used == 0 and metrics.odd_page is not None and metrics.odd_page[start] and (body.number + page) % 2 == 0:
            page += 1
        repeated, overhead = _above(metrics, rules, body, start, bool(slices))
        end = _longest(metrics, rules, body, start, used, overhead)
        if end == start:
            page, used = page + 1, 0
            continue
        foot = rules.page_total + (rules.carried if end < size else 0)
        at_foot = body.height - foot if rules.at_foot and foot else None
        slices.append(
            TableFragment(page, used, start, end, not slices, end == size, repeated, None, at_foot, len(slices))
        )
        start, page, used = end, page + 1, 0
    return slices


def _above(
    metrics: RowMetrics, rules: PaginationRules, body: Body, start: int, is_later: bool
) -> tuple[tuple[int, ...], int]:
    fixed = rules.later_head + rules.brought if is_later else rules.head
    rows = tuple(int(h) for h in metrics.open_headings[start] if h >= 0) if is_later else ()
    height = fixed + sum(int(metrics.heights[row]) for row in rows)
    return (rows, height) if height <= body.height // 2 else ((), fixed)


def _longest(metrics: RowMetrics, rules: PaginationRules, body: Body, start: int, used: int, overhead: int) -> int:
    size = len(metrics)

    def fits(end: int) -> bool:
        foot = rules.page_total + (rules.carried if end < size else 0)
        details = 0 if metrics.details is None else int(metrics.details[end] - metrics.details[start])
        own = int(metrics.heights[start:end].sum())
        is_few = rules.rows_per_page is None or details <= rules.rows_per_page
        return (
            used + overhead + own + foot <= body.height and is_few and not metrics.break_before[start + 1 : end].any()
        )

    longest = max((end for end in range(start, size + 1) if fits(end)), default=start)
    if longest == size or (longest > start and metrics.break_before[longest]):
        return longest
    kept = _with_groups_kept(metrics, rules, body, start, longest, used, overhead)
    allowed = [end for end in range(start + 1, kept + 1) if not _strands(metrics, start, end)]
    return max(allowed, default=start if used else kept)


def _with_groups_kept(
    metrics: RowMetrics, rules: PaginationRules, body: Body, start: int, end: int, used: int, overhead: int
) -> int:
    for row in range(start, end):
        group_end = int(metrics.keep_end[row])
        if group_end <= end or (row == start and used == 0):
            continue
        _, above = _above(metrics, rules, body, row, True)
        height = int(metrics.heights[row:group_end].sum()) + above + rules.page_total + rules.carried
        room = body.height - used - overhead - rules.page_total - rules.carried
        gap = room - int(metrics.heights[start:row].sum())
        if height <= body.height and gap <= body.height * metrics.largest_gap[row]:
            return row
    return end


def _strands(metrics: RowMetrics, start: int, end: int) -> bool:
    """Whether a page that ends there leaves a heading alone below, or a total alone on the next."""
    headings = any(
        row + int(metrics.keep_with_next[row]) >= end for row in range(start, end) if metrics.keep_with_next[row]
    )
    totals = any(
        row - int(metrics.keep_with_previous[row]) < end <= row and row - start > metrics.keep_with_previous[row]
        for row in range(end, len(metrics))
        if metrics.keep_with_previous[row]
    )
    return headings or totals


@st.composite
def strips(draw: st.DrawFn) -> RowMetrics:
    """Two levels of groups of random sizes with headings, totals, and any of the rules."""
    heights: list[int] = []
    more: dict[str, list] = {name: [] for name in (
        "break_before", "keep_with_next", "keep_with_previous", "open_headings", "keep_end", "largest_gap", "odd_page"
    )}  # fmt: skip
    details: list[int] = []
    after, before = draw(st.integers(0, 3)), draw(st.integers(0, 2))
    keep, gap, breaks, odd = (
        draw(st.booleans()),
        draw(st.sampled_from([0.1, 0.4, 1.0])),
        draw(st.booleans()),
        draw(st.booleans()),
    )

    def add(height: int, stay: int = 0, back: int = 0, opened: tuple[int, int] = (-1, -1), begins: bool = False) -> int:
        heights.append(height)
        more["break_before"].append(begins and breaks and len(heights) > 1)
        more["odd_page"].append(begins and odd)
        more["keep_with_next"].append(stay)
        more["keep_with_previous"].append(back)
        more["open_headings"].append(list(opened))
        more["keep_end"].append(0)
        more["largest_gap"].append(gap)
        details.append(0)
        return len(heights) - 1

    for inner in draw(st.lists(st.lists(st.integers(1, 6), min_size=1, max_size=3), min_size=1, max_size=5)):
        outer = add(draw(st.sampled_from([10, 20])), min(1, after), begins=True)
        for count in inner:
            heading = add(10, min(after, count), opened=(outer, -1))
            for _ in range(count):
                details[add(draw(st.sampled_from([10, 20, 30])), opened=(outer, heading))] = 1
            add(10, back=min(before, count), opened=(outer, heading))
            more["keep_end"][heading] = len(heights) if keep else 0
        add(10, back=min(before, 1), opened=(outer, -1))
    metrics = metrics_of(heights, **{name: value for name, value in more.items() if name != "odd_page"})
    sums = np.concatenate([[0], np.cumsum(details)])
    return replace(metrics, details=sums, odd_page=np.array(more["odd_page"], bool))


RULES = st.builds(
    PaginationRules,
    head=st.sampled_from([0, 10, 20]),
    later_head=st.sampled_from([0, 10]),
    brought=st.sampled_from([0, 10]),
    page_total=st.sampled_from([0, 10]),
    carried=st.sampled_from([0, 10]),
    at_foot=st.booleans(),
    rows_per_page=st.sampled_from([None, None, 1, 3, 8]),
)


@settings(max_examples=examples(300))
@given(strips(), RULES, st.sampled_from([100, 130, 200, 330]), st.sampled_from([0, 0, 35, 80]), st.integers(1, 2))
def test_pages_are_those_of_the_plain_reference(
    metrics: RowMetrics, rules: PaginationRules, height: int, used: int, number: int
) -> None:
    body = Body(height, used, number)
    found, _ = paginate(metrics, rules, body, ByLines())
    wanted, details = reference(metrics, rules, body), metrics.details
    held = max(int(details[each.end] - details[each.start]) for each in wanted)
    if rules.rows_per_page is None or len(wanted) < 2 or held >= rules.rows_per_page:
        assert found == wanted
        return
    tries = [reference(metrics, replace(rules, rows_per_page=most), body) for most in range(1, held + 1)]
    are_enough = [len(each) <= len(wanted) for each in tries]
    assert found in [each for each, is_enough in zip(tries, are_enough, strict=True) if is_enough]
    if are_enough == sorted(are_enough):  # fewer rows a page never need fewer pages
        assert found == tries[are_enough.index(True)]
