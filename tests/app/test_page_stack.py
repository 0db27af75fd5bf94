"""Where pages of any sizes are in the canvas, and where dragged items of frames go."""

from hypothesis import given
from hypothesis import strategies as st

from northmoor.app.pages.canvas.drag.frame_item import FrameItemGrip, ItemBox, snapped_position
from northmoor.app.pages.canvas.page_stack import GAP, PageStack
from northmoor.core.model.blocks.containers import FrameBlock, FrameItem
from northmoor.core.model.blocks.text import TextBlock

SIZES = st.tuples(st.integers(72_000, 2_000_000), st.integers(72_000, 2_000_000))


@given(runs=st.lists(st.tuples(st.integers(1, 40), SIZES), min_size=1, max_size=5), scale=st.floats(0.0003, 0.006))
def test_every_page_is_found_where_it_is(runs: list[tuple[int, tuple[int, int]]], scale: float) -> None:
    papers, first = [], 0
    for count, size in runs:
        papers.append((first, size))
        first += count
    stack = PageStack(papers, first, scale)
    tops = [stack.top(index) for index in range(first)]
    assert tops[0] == GAP
    for index, top in enumerate(tops):
        height = stack.size(index).height()
        assert stack.at(top) == stack.at(top + height - 1) == stack.at(top - 1) == index
        assert top + height + GAP == (tops[index + 1] if index + 1 < first else stack.height)
    assert stack.at(-5) == 0
    assert stack.at(stack.height + 1000) == first - 1
    assert stack.width == max(stack.size(index).width() for index in range(first))


LENGTHS = st.integers(0, 400_000)
BOXES = st.builds(ItemBox, LENGTHS, LENGTHS, st.integers(4_000, 100_000), st.integers(4_000, 100_000))
WAYS = st.tuples(st.integers(-300_000, 300_000), st.integers(-300_000, 300_000))


def grip(box: ItemBox, others: tuple[ItemBox, ...], edges: str = "", step: int = 0) -> FrameItemGrip:
    item = FrameItem(x=box.x, y=box.y, width=box.width, blocks=(TextBlock(name="t"),))
    frame = FrameBlock(name="frame", height=600_000, step=step, guides_across=(123_456,), items=(item,))
    return FrameItemGrip(frame, 0, 0, box, ItemBox(0, 0, 600_000, 600_000), others, edges, box)


@given(box=BOXES, others=st.lists(BOXES, max_size=4), way=WAYS, step=st.sampled_from([0, 14_173]))
def test_what_is_dragged_goes_at_most_a_pull_away_and_never_out_at_the_left(
    box: ItemBox, others: list[ItemBox], way: tuple[int, int], step: int
) -> None:
    scale = 0.001
    free = snapped_position(grip(box, tuple(others), step=step), *way, scale, freely=True).box_now
    assert (free.x, free.y) == (max(box.x + way[0], 0), max(box.y + way[1], 0))
    held = snapped_position(grip(box, tuple(others), step=step), *way, scale, freely=False)
    now = held.box_now
    assert (now.width, now.height) == (box.width, box.height)
    assert abs(now.x - free.x) <= 6_000
    assert abs(now.y - free.y) <= 6_000
    for axis, line in held.lines:
        places = (
            (now.x, now.x + now.width // 2, now.right) if axis == "x" else (now.y, now.y + now.height // 2, now.bottom)
        )
        assert min(abs(place - line) for place in places) <= 1


@given(box=BOXES, way=WAYS, edges=st.sampled_from(["r", "b", "rb"]))
def test_edges_change_only_the_size_they_belong_to(box: ItemBox, way: tuple[int, int], edges: str) -> None:
    now = snapped_position(grip(box, (), edges), *way, 0.001, freely=True).box_now
    assert (now.x, now.y) == (box.x, box.y)
    assert now.width == (max(box.width + way[0], 3_000) if "r" in edges else box.width)
    assert now.height == (max(box.height + way[1], 3_000) if "b" in edges else box.height)


def test_an_edge_of_another_item_is_taken_before_the_grid() -> None:
    other = ItemBox(100_000, 0, 50_000, 50_000)
    held = snapped_position(
        grip(ItemBox(0, 200_000, 40_000, 40_000), (other,), step=14_173), 97_000, 0, 0.001, freely=False
    )
    assert held.box_now.x == 100_000
    assert ("x", 100_000) in held.lines
    guided = snapped_position(grip(ItemBox(0, 200_000, 40_000, 40_000), (), step=0), 125_000, 0, 0.001, freely=False)
    assert guided.box_now.x == 123_456
