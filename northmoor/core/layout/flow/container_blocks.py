"""Places grids, parted between rows, and frames, whose items are at exact places in paint order."""

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
from northmoor.core.layout.flow.placer import BlockPlacer, no_layers
from northmoor.core.model.blocks.containers import FrameBlock, GridBlock
from northmoor.core.model.blocks.simple import (
    ShapeBlock,
)


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
        if height > placer.region.height:
            message = "A row of it is higher than a page, and its foot is cut off; part what stands in it."
            placer.context.find("cut off", Place(block=block.name), message)
        placer.reserve(min(height, placer.region.height))
        tops = [placer.used + sum(heights[first:at]) + (at - first) * block.gap for at in range(first, end + 1)]
        for number, (cell, left, width, sub) in enumerate(cells):
            if not first <= cell.row < end:
                continue
            top = tops[cell.row - first]
            tall = sum(heights[cell.row : cell.row + cell.rows]) + (cell.rows - 1) * block.gap
            if cell.fill is not None:
                ground = shape_box(_background(block.name, cell.fill), width)
                part = BoxFragment(block.name, top, width, tall, ground.draw, placer.region.left + left, "grid")
                placer.add(part)
            placer.add(BoxFragment(block.name, top, width, tall, no_layers, placer.region.left + left, "grid-cell",
                                item=(block.name, number)))  # fmt: skip
            placer.take(sub, placer.region.left + left + cell.padding, top + cell.padding)
        placer.placement.blocks.setdefault(block.name, (placer.page, placer.used))
        placer.used += height + (block.gap if end < len(heights) else 0)


def _background(name: str, fill: str) -> ShapeBlock:
    return ShapeBlock(name=name, fill=fill, stroke=None)


def place_frame(placer: BlockPlacer, block: FrameBlock, scope: RecordScope) -> None:
    width = min(block.width or placer.region.width, placer.region.width)
    subs = [_place_item(placer, block, number, width, scope) for number in range(len(block.items))]
    grows = block.when_full == "grow"
    extents = [
        max(item.height or 0, sub.height) if grows or item.height is None else item.height
        for item, sub in zip(block.items, subs, strict=True)
    ]
    ends = [item.y + extent for item, extent in zip(block.items, extents, strict=True)] if grows else []
    height = max([block.height, *ends])
    if height > placer.region.height:
        message = "It is higher than a page, and its foot is cut off; make it lower, or part it."
        placer.context.find("cut off", Place(block=block.name), message)
    placer.reserve(min(height, placer.region.height))
    left, top = placer.region.left + alignment_offset(placer.region.width, width, block.align), placer.used
    ground = shape_box(_border(block, height), width)
    placer.add(BoxFragment(block.name, top, width, height, ground.draw, left, "frame"))
    for number, (item, sub, extent) in enumerate(zip(block.items, subs, extents, strict=True)):
        depth = PaintOrder(item.y, number + 1)
        for first in item.blocks[:1]:
            placer.add(
                BoxFragment(
                    first.name,
                    top + item.y,
                    min(item.width, width),
                    extent,
                    no_layers,
                    left + item.x,
                    first.kind,
                    item=(block.name, number),
                    depth=depth,
                )
            )
        placer.take(sub, left + item.x, top + item.y, depth)
    placer.used += height


def _place_item(placer: BlockPlacer, block: FrameBlock, number: int, width: int, scope: RecordScope) -> "BlockPlacer":
    """What is in an item of a frame; of a frame that cuts, only as much as there is room for."""
    item = block.items[number]
    room = min(item.height or ENDLESS, block.height - item.y) if block.when_full == "cut" else ENDLESS
    sub = BlockPlacer(placer.layout_pass, Region(0, min(item.width, width), max(room, 1000)))
    sub.blocks(item.blocks, scope)
    if sub.height > max(room, 1000):
        sub.placement.tables.clear()  # not even its first row has room
    if sub.placement.pages > 1 or sub.height > max(room, 1000):
        message = f"What stands in item {number + 1} is higher than its place, and its foot is left out."
        placer.context.find("cut off", Place(block=block.name), message)
    return sub


def _border(block: FrameBlock, height: int) -> ShapeBlock:
    """The ground and the edge of a frame."""
    own = {"fill": block.fill, "stroke": block.stroke, "thickness": block.thickness}
    return ShapeBlock(name=block.name, height=min(height, 5_000_000), **own)
