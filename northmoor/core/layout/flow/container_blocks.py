"""Places grids, parted between rows, and frames, whose items are at exact places in paint order.

A row of a grid, or a frame, that is higher than a page goes on over pages: what is in it is placed down the pages as it
would be by itself, with heads and breaks of its own, and the ground and the edge are drawn on each of them.
"""

from collections.abc import Iterator

from northmoor.core.errors import Place
from northmoor.core.layout.flow.fragments import (
    BoxFragment,
    PaintOrder,
)
from northmoor.core.layout.flow.grid_tracks import columns_by_content, max_content_width, row_heights, spanned_rows
from northmoor.core.layout.flow.layout_pass import ENDLESS, RecordScope, Region
from northmoor.core.layout.flow.leaf_boxes import (
    alignment_offset,
    shape_box,
)
from northmoor.core.layout.flow.placement import PagePosition
from northmoor.core.layout.flow.placer import BlockPlacer, no_layers
from northmoor.core.model.blocks.containers import FrameBlock, GridBlock, GridCell
from northmoor.core.model.blocks.simple import (
    ShapeBlock,
)

Measured = tuple[GridCell, int, int, BlockPlacer]
"""A cell of a grid, how far it is from the left, how wide it is, and what is in it."""


def place_grid(placer: BlockPlacer, block: GridBlock, scope: RecordScope) -> None:
    needed: dict[int, int] = {}
    for column, cell in columns_by_content(block):
        sub = placer.measured(cell.blocks, scope, placer.region.width // 2)
        needed[column] = max(needed.get(column, 0), max_content_width(sub.placement) + 2 * cell.padding)
    tracks = placer.layout_pass.tracks(block, placer.region.width, needed)
    cells = []
    for cell, left, width in zip(block.cells, *tracks, strict=True):
        sub = placer.measured(cell.blocks, scope, max(width - 2 * cell.padding, 1000))
        cells.append((cell, left, width, sub))
    heights = row_heights(block, [(cell, sub.height) for cell, _, _, sub in cells])
    for first, end in spanned_rows(block, len(heights)):
        height = sum(heights[first:end]) + (end - first - 1) * block.gap
        placer.reserve(_room_to_begin(placer, height))
        if height > placer.region.height:
            _place_tall_rows(placer, block, (first, end), cells, scope)
        else:
            _place_rows(placer, block, (first, end), cells, heights)
        placer.used += block.gap if end < len(heights) else 0


def _room_to_begin(placer: BlockPlacer, height: int) -> int:
    """How much room something begins in: all it needs, or, where that is more than a page, a quarter of one."""
    return height if height <= placer.region.height else placer.region.height // 4


def _place_rows(
    placer: BlockPlacer, block: GridBlock, rows: tuple[int, int], cells: list[Measured], heights: list[int]
) -> None:
    """Place rows that are on one page."""
    first, end = rows
    tops = [placer.used + sum(heights[first:at]) + (at - first) * block.gap for at in range(first, end + 1)]
    for number, (cell, left, width, sub) in enumerate(cells):
        if first <= cell.row < end:
            top = tops[cell.row - first]
            tall = sum(heights[cell.row : cell.row + cell.rows]) + (cell.rows - 1) * block.gap
            for part in _cell_boxes(placer, block, number, left, width, top, tall):
                placer.add(part)
            placer.take(sub, placer.region.left + left + cell.padding, top + cell.padding)
    placer.placement.blocks.setdefault(block.name, (placer.page, placer.used))
    placer.used = tops[-1] - (block.gap if end > first else 0)


def _place_tall_rows(
    placer: BlockPlacer, block: GridBlock, rows: tuple[int, int], cells: list[Measured], scope: RecordScope
) -> None:
    """Place rows that are higher than a page: each cell goes on where it is, and a row begins below the cells above."""
    first, end = rows
    begins = {first: PagePosition(placer.page, placer.used)}
    placed: list[tuple[int, BlockPlacer]] = []
    for row in range(first, end):
        begin = begins[row]
        begins.setdefault(row + 1, begin)
        for number, (cell, left, width, _) in enumerate(cells):
            if cell.row == row:
                at = PagePosition(begin.page, begin.y + cell.padding)
                sub = placer.placed_from(cell.blocks, scope, left + cell.padding, width - 2 * cell.padding, at)
                placed.append((number, sub))
                foot = PagePosition(sub.page, min(sub.height + cell.padding, placer.region.height))
                below = row + cell.rows
                begins[below] = max(begins.get(below, foot), foot)
        least = min(begin.y + block.minimum_row_height, placer.region.height)
        foot = max(begins[row + 1], PagePosition(begin.page, least))
        begins[row + 1] = foot if row + 1 == end else PagePosition(foot.page, foot.y + block.gap)
    for number, sub in placed:
        cell, left, width, _ = cells[number]
        foot = begins[cell.row + cell.rows]
        foot = foot if cell.row + cell.rows == end else PagePosition(foot.page, foot.y - block.gap)
        for page, top, tall in _stretches(begins[cell.row], foot, placer.region.height):
            for part in _cell_boxes(placer, block, number, left, width, top, tall):
                placer.add(part, page)
        placer.absorb(sub, begins[first])
    placer.placement.blocks.setdefault(block.name, (begins[first].page, begins[first].y))
    placer.go_to(begins[end].page, begins[end].y)


def _cell_boxes(
    placer: BlockPlacer, block: GridBlock, number: int, left: int, width: int, top: int, tall: int
) -> Iterator[BoxFragment]:
    """The ground of a cell, if it has one, and where it is."""
    fill, x = block.cells[number].fill, placer.region.left + left
    if fill is not None:
        ground = shape_box(ShapeBlock(name=block.name, fill=fill, stroke=None), width)
        yield BoxFragment(block.name, top, width, tall, ground.draw, x, "grid")
    yield BoxFragment(block.name, top, width, tall, no_layers, x, "grid-cell", item=(block.name, number))


def _stretches(begin: PagePosition, end: PagePosition, height: int) -> Iterator[tuple[int, int, int]]:
    """The pages from one place to another, each with how far down its stretch begins and how tall it is."""
    for page in range(begin.page, end.page + 1):
        top, bottom = begin.y if page == begin.page else 0, end.y if page == end.page else height
        if bottom > top:
            yield page, top, bottom - top


def place_frame(placer: BlockPlacer, block: FrameBlock, scope: RecordScope) -> None:
    if block.when_full == "cut" and block.height > placer.region.height:
        message = "It is higher than a page, and its foot is cut off; make it lower, or let it grow."
        placer.context.find("cut off", Place(block=block.name), message)
        block = block.but(height=placer.region.height)
    width = min(block.width or placer.region.width, placer.region.width)
    subs = [_place_item(placer, block, number, width, scope) for number in range(len(block.items))]
    grows = block.when_full == "grow"
    extents = [
        max(item.height or 0, sub.height) if grows or item.height is None else item.height
        for item, sub in zip(block.items, subs, strict=True)
    ]
    ends = [item.y + extent for item, extent in zip(block.items, extents, strict=True)] if grows else []
    height = max([block.height, *ends])
    placer.reserve(_room_to_begin(placer, height))
    left = alignment_offset(placer.region.width, width, block.align)
    if height > placer.region.height:
        _place_tall_frame(placer, block, left, width, scope)
        return
    top = placer.used
    placer.add(_frame_box(placer, block, left, width, top, height))
    for number, (item, sub, extent) in enumerate(zip(block.items, subs, extents, strict=True)):
        depth = PaintOrder(item.y, number + 1)
        for part in _item_boxes(placer, block, number, left, width, top + item.y, extent, depth):
            placer.add(part)
        placer.take(sub, placer.region.left + left + item.x, top + item.y, depth)
    placer.used += height


def _place_tall_frame(placer: BlockPlacer, block: FrameBlock, left: int, width: int, scope: RecordScope) -> None:
    """Place a frame that is higher than a page."""
    begin, high = PagePosition(placer.page, placer.used), placer.region.height

    def down(by: int) -> PagePosition:
        return PagePosition(begin.page + (begin.y + by) // high, (begin.y + by) % high)

    subs, ends = [], []
    for item in block.items:
        sub = placer.placed_from(item.blocks, scope, left + item.x, min(item.width, width), down(item.y))
        subs.append(sub)
        ends.append(max(PagePosition(sub.page, sub.height), down(item.y + (item.height or 0))))
    end = max([down(block.height), *ends])
    for page, top, tall in _stretches(begin, end, high):
        placer.add(_frame_box(placer, block, left, width, top, tall), page)
    for number, (item, sub, foot) in enumerate(zip(block.items, subs, ends, strict=True)):
        for page, top, tall in _stretches(down(item.y), foot, high):
            depth = PaintOrder(top - (begin.y if page == begin.page else 0), number + 1)
            for part in _item_boxes(placer, block, number, left, width, top, tall, depth):
                placer.add(part, page)
        placer.absorb(sub, begin, number + 1)
    placer.go_to(end.page, end.y)


def _frame_box(placer: BlockPlacer, block: FrameBlock, left: int, width: int, top: int, height: int) -> BoxFragment:
    """The ground and the edge of a frame on a page."""
    own = {"fill": block.fill, "stroke": block.stroke, "thickness": block.thickness}
    ground = shape_box(ShapeBlock(name=block.name, height=min(height, 5_000_000), **own), width)
    return BoxFragment(block.name, top, width, height, ground.draw, placer.region.left + left, "frame")


def _item_boxes(
    placer: BlockPlacer, block: FrameBlock, number: int, left: int, width: int, top: int, tall: int, depth: PaintOrder
) -> Iterator[BoxFragment]:
    """Where an item is that has anything in it."""
    item, x = block.items[number], placer.region.left + left
    for first in item.blocks[:1]:
        yield BoxFragment(
            first.name, top, min(item.width, width), tall, no_layers, x + item.x, first.kind,
            item=(block.name, number), depth=depth,
        )  # fmt: skip


def _place_item(placer: BlockPlacer, block: FrameBlock, number: int, width: int, scope: RecordScope) -> "BlockPlacer":
    """What is in an item of a frame; of a frame that cuts, only as much as there is room for."""
    item = block.items[number]
    room = min(item.height or ENDLESS, block.height - item.y) if block.when_full == "cut" else ENDLESS
    sub = BlockPlacer(placer.layout_pass, Region(0, min(item.width, width), max(room, 1000)))
    sub.blocks(item.blocks, scope)
    if sub.height > max(room, 1000):
        sub.placement.tables.clear()  # not even its first row has room
    if sub.placement.pages > 1 or sub.height > max(room, 1000):
        message = f"What is in item {number + 1} is higher than its place, and its foot is left out."
        placer.context.find("cut off", Place(block=block.name), message)
    return sub
