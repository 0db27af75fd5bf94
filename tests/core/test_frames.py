"""Frames: what is at exact places, what happens when it does not fit, and how items are arranged."""

from collections.abc import Callable
from itertools import pairwise
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from northmoor.core.document import Document
from northmoor.core.layout.graphics.display_list import items as page_items
from northmoor.core.layout.page.hit_testing import hit_map
from northmoor.core.model.blocks.containers import ForEachBlock, FrameBlock, FrameItem, GridBlock, GridCell, Track
from northmoor.core.model.blocks.simple import ShapeBlock
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.edits import frame_edits
from northmoor.core.model.pages import PageSetup
from northmoor.core.sources.library import Library
from tests.helpers import FREIGHT, dumped, examples, render, report_of, table_of

MakeLibrary = Callable[[str], Library]
LEFT = TOP = 56_693


def put(x: int, y: int, *blocks: Any, width: int = 100_000, **more: Any) -> FrameItem:
    return FrameItem(x=x, y=y, width=width, blocks=blocks, **more)


def text(name: str, said: str = "x") -> TextBlock:
    return TextBlock(name=name, text=said)


def extent(document: Document, block: str, page: int = 0) -> tuple[int, int, int, int]:
    """Where an item of a frame is on a page, by the name of its first block."""
    regions = hit_map(document.composition, page).regions
    (region,) = [region for region in regions if region.block == block and region.part == "item"]
    return region.x, region.y, region.width, region.height


def test_items_are_where_they_are_placed_and_the_frame_grows_with_them(library: MakeLibrary) -> None:
    shape = ShapeBlock(name="shape", width=50_000, height=40_000, fill="#ABCDEF", stroke=None)
    frame = FrameBlock(name="frame", height=100_000, space_after=10_000, items=(
        put(20_000, 30_000, text("a")), put(200_000, 150_000, shape), put(5_000, 90_000, table_of("route"), width=90_000),
    ))  # fmt: skip
    document = render(report_of(frame, text("below")), library(FREIGHT))
    assert extent(document, "a")[:3] == (LEFT + 20_000, TOP + 30_000, 100_000)
    (drawn,) = [i for i in page_items(document.page(0)) if i.origin.block == "shape"]
    assert (drawn.x, drawn.y, drawn.width, drawn.height) == (LEFT + 200_000, TOP + 150_000, 50_000, 40_000)
    x, y, width, height = extent(document, "table")
    assert (x, y, width) == (LEFT + 5_000, TOP + 90_000, 90_000)
    rows = [i for i in page_items(document.page(0)) if i.origin.block == "table"]
    assert max(i.y + i.height for i in rows) <= y + height
    below = next(i for i in page_items(document.page(0)) if i.origin.block == "below")
    assert below.y == TOP + max(190_000, 90_000 + height) + 10_000 + 2_000
    assert not document.findings


def test_a_frame_that_cuts_leaves_out_whole_lines_and_says_so(library: MakeLibrary) -> None:
    frame = FrameBlock(name="frame", height=100_000, when_full="cut", items=(
        put(0, 0, text("a", "\n".join("abcdefgh")), height=30_000), put(0, 40_000, table_of("route")),
        put(0, 95_000, table_of("vessel").but(name="none")),
    ))  # fmt: skip
    document = render(report_of(frame, text("below")), library(FREIGHT))
    lines = [i for i in page_items(document.page(0)) if i.origin.block == "a"]
    assert 0 < len(lines) < 8
    assert all(i.y + i.height <= TOP + 30_000 for i in lines)
    rows = [i for i in page_items(document.page(0)) if i.origin.block == "table"]
    assert 1 < len([i for i in rows if i.kind == "text"]) < 7
    assert all(i.y + i.height <= TOP + 100_000 for i in rows)
    assert not [i for i in page_items(document.page(0)) if i.origin.block == "none"]
    message = [finding.message for finding in document.findings]
    assert message == [f"What is in item {n} is higher than its place, and its foot is left out." for n in (1, 2, 3)]


MANY = "create table lines (n integer, t text); insert into lines with recursive r(i) as (select 0 union all select i + 1 from r where i < {most}) select i, 'row ' || i from r;"


@settings(max_examples=examples(30))
@given(
    rows=st.integers(1, 260),
    words=st.integers(0, 900),
    y=st.integers(0, 900_000),
    above=st.integers(0, 600_000),
    kind=st.sampled_from(["frame", "grid", "two rows", "in a record"]),
    columns=st.sampled_from([1, 2]),
)
def test_what_is_higher_than_a_page_goes_on_over_pages_and_loses_nothing(
    library: MakeLibrary, rows: int, words: int, y: int, above: int, kind: str, columns: int
) -> None:
    table, said = table_of("n", "t"), text("said", " ".join(f"word{n}" for n in range(words)))
    if kind in ("frame", "in a record"):
        block: Any = FrameBlock(
            name="box", stroke="#123456", items=(put(0, y, table), put(110_000, 0, said, width=80_000))
        )
    else:
        second = 1 if kind == "two rows" else 0
        cells = (
            GridCell(blocks=(table,), fill="#ABCDEF"),
            GridCell(row=second, column=1, blocks=(said,), fill="#FEDCBA"),
        )
        block = GridBlock(name="box", tracks=(Track(), Track()), cells=cells)
    if kind == "in a record":
        block = ForEachBlock(name="each", query="rows", by="1", blocks=(block,))
    spacer = ShapeBlock(name="spacer", height=max(above, 1000), width=1000)
    setup = PageSetup(columns=columns)
    document = render(
        report_of(spacer, block, text("after", "the end"), page=setup), library(MANY.format(most=rows - 1))
    )
    assert not document.findings
    pages = dumped(document)["pages"]
    found = [item for page in pages for item in page["items"]]
    shown = [i["text"] for i in found if i["origin"]["row"] == "detail" and i["origin"]["column"] == "t"]
    assert shown == [f"row {n}" for n in range(rows)]
    assert " ".join(i["text"] for i in found if i["origin"]["block"] == "said").split() == [
        f"word{n}" for n in range(words)
    ]
    for page in pages:
        items = page["items"]
        assert all(i["y"] >= 56.69 and i["y"] + i["height"] <= 841.9 - 56.69 + 0.01 for i in items)
        own = [i for i in items if i["origin"]["block"] in ("table", "said")]
        rows_here = [i for i in own if i["origin"]["row"] == "detail"]
        assert bool(rows_here) <= any(i["origin"]["row"] == "head" for i in own)
        assert bool(own) <= any(i["origin"]["block"] == "box" for i in items)  # its ground or edge
    after = next((page["number"], i["y"]) for page in pages for i in page["items"] if i["origin"]["block"] == "after")
    assert all((page["number"], i["y"]) <= after for page in pages for i in page["items"]) or columns == 2


def test_items_are_painted_from_back_to_front_wherever_they_are(library: MakeLibrary) -> None:
    low = ShapeBlock(name="low", height=20_000, fill="#ABCDEF", stroke=None)
    frame = FrameBlock(name="frame", items=(put(0, 50_000, low), put(0, 45_000, table_of("route"))))
    document = render(report_of(frame), library(FREIGHT))
    painted = [i.origin.block for i in page_items(document.page(0))]
    assert painted.index("low") < painted.index("table")  # though the table begins further up
    turned = frame_edits.reordered(frame, [0], to_front=True)
    painted = [i.origin.block for i in page_items(render(report_of(turned), library(FREIGHT)).page(0))]
    assert painted.index("low") > painted.index("table")


def test_a_frame_is_in_each_record_with_its_rows(library: MakeLibrary) -> None:
    frame = FrameBlock(name="frame", height=30_000, items=(
        put(10_000, 0, text("said", "{route}: {sum(charge)}")), put(150_000, 0, table_of("charge")),
    ))  # fmt: skip
    each = ForEachBlock(name="each", query="rows", by="route", keep_rows="route is not null", page_break="none",
                        blocks=(frame,))  # fmt: skip
    document = render(report_of(each), library(FREIGHT))
    found = [i for page in dumped(document)["pages"] for i in page["items"]]
    assert [i["text"] for i in found if i["origin"]["block"] == "said"] == ["TQ-IL: 12.45", "TQ-SK: 148.45"]
    assert [i["text"] for i in found if i["origin"]["row"] == "detail"] == ["12.10", "0.35", "38.50", "9.90", "100.05"]


numbers = st.integers(0, 300_000)
sizes = st.integers(1_000, 80_000)


@given(places=st.lists(st.tuples(numbers, numbers, sizes, sizes), min_size=1, max_size=6), edge=st.sampled_from(
    ["left", "center", "right", "top", "middle", "bottom"]))  # fmt: skip
def test_aligned_items_share_a_line_and_keep_the_other_axis(
    places: list[tuple[int, ...]], edge: frame_edits.Edge
) -> None:
    frame = FrameBlock(name="frame", width=400_000, height=400_000, items=tuple(
        FrameItem(x=x, y=y, width=w, blocks=(text(f"t{at}"),)) for at, (x, y, w, _) in enumerate(places)))  # fmt: skip
    extents = {at: (w, h) for at, (_, _, w, h) in enumerate(places)}
    made = frame_edits.aligned(frame, list(extents), edge, extents)
    share = {"left": 0.0, "top": 0.0, "center": 0.5, "middle": 0.5, "right": 1.0, "bottom": 1.0}[edge]
    axis, other, side = ("x", "y", 0) if edge in ("left", "center", "right") else ("y", "x", 1)
    lines = [getattr(own, axis) + share * extents[at][side] for at, own in enumerate(made.items)]
    assert max(lines) - min(lines) <= 1
    assert [getattr(own, other) for own in made.items] == [getattr(own, other) for own in frame.items]


@given(places=st.lists(st.tuples(numbers, sizes), min_size=3, max_size=7, unique_by=lambda each: each[0]))
def test_spaces_become_equal_and_the_outermost_stay(places: list[tuple[int, int]]) -> None:
    frame = FrameBlock(name="frame", items=tuple(
        FrameItem(x=x, y=0, width=w, blocks=(text(f"t{at}"),)) for at, (x, w) in enumerate(places)))  # fmt: skip
    extents = {at: (w, 10) for at, (_, w) in enumerate(places)}
    made = frame_edits.distributed(frame, list(extents), False, extents)
    order = sorted(range(len(places)), key=lambda at: places[at][0])
    assert made.items[order[0]].x == places[order[0]][0]
    assert made.items[order[-1]].x == places[order[-1]][0]
    gaps = [made.items[after].x - made.items[at].x - places[at][1] for at, after in pairwise(order)]
    assert max(gaps) - min(gaps) <= 1 or min(made.items[at].x for at in order[1:]) == 0


def test_groups_move_together_and_locked_items_stay() -> None:
    frame = FrameBlock(name="frame", items=(put(10, 10, text("a")), put(50, 20, text("b")), put(70, 5, text("c"))))
    grouped = frame_edits.with_group(frame, [0, 2], on=True)
    assert frame_edits.with_group_members(grouped, [2]) == [0, 2]
    moved = frame_edits.moved(grouped, [0, 2], -100, 3)
    assert [(each.x, each.y) for each in moved.items] == [(0, 13), (50, 20), (60, 8)]  # none leaves at the left
    locked = frame_edits.locked(moved, [0, 1, 2], on=True)
    assert frame_edits.moved(locked, [0, 1], 5, 5) == locked


@pytest.mark.parametrize("height", [0, 10_000_000])
def test_sizes_that_no_page_has_are_refused(height: int) -> None:
    with pytest.raises(ValueError, match="height"):
        FrameBlock(name="frame", height=height)
