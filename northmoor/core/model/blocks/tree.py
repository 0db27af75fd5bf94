"""Blocks that hold others: walking through them, and changing the list that a block is in."""

from collections.abc import Callable, Iterator, Sequence

from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.containers import ForEachBlock, FrameBlock, GridBlock
from northmoor.core.model.blocks.simple import IncludeBlock

Blocks = tuple[Block, ...]


def lists_in(block: Block) -> tuple[Blocks, ...]:
    """The lists of blocks that a block holds."""
    if isinstance(block, ForEachBlock):
        return (block.blocks,)
    if isinstance(block, GridBlock):
        return tuple(cell.blocks for cell in block.cells)
    if isinstance(block, FrameBlock):
        return tuple(item.blocks for item in block.items)
    return ()


def with_lists(block: Block, change: Callable[[Blocks], Blocks]) -> Block:
    """A block with each list that it holds changed."""
    if isinstance(block, ForEachBlock):
        blocks = change(block.blocks)
        return block if blocks == block.blocks else block.but(blocks=blocks)
    if isinstance(block, GridBlock):
        cells = tuple(cell.but(blocks=change(cell.blocks)) for cell in block.cells)
        return block if cells == block.cells else block.but(cells=cells)
    if isinstance(block, FrameBlock):
        items = tuple(item.but(blocks=change(item.blocks)) for item in block.items)
        return block if items == block.items else block.but(items=tuple(item for item in items if item.blocks))
    return block


def walk(blocks: Sequence[Block]) -> Iterator[Block]:
    """All blocks in the order of a reader, each before those in it."""
    for block in blocks:
        yield block
        for own in lists_in(block):
            yield from walk(own)


def in_every_list(blocks: Blocks, change: Callable[[Blocks], Blocks]) -> Blocks:
    """A list with a change made in every list that its blocks hold, however deep, and then in itself."""
    return change(tuple(with_lists(block, lambda own: in_every_list(own, change)) for block in blocks))


def replaced(blocks: Blocks, name: str, by: Callable[[Block], Sequence[Block]]) -> Blocks:
    """A list where some blocks replace the one of a name, wherever that is."""

    def change(own: Blocks) -> Blocks:
        if all(block.name != name for block in own):
            return own
        return tuple(new for block in own for new in (by(block) if block.name == name else (block,)))

    return in_every_list(blocks, change)


JOINT = "--"
"""What is between the name of a block that includes others and that of one of those."""


def including(blocks: Sequence[Block], name: str) -> str | None:
    """The name of the block that includes a block of a name, if one does."""
    names = {block.name for block in walk(blocks) if isinstance(block, IncludeBlock)}
    return next((own for own in names if name.startswith(f"{own}{JOINT}")), None)


def items_of(blocks: Sequence[Block], names: Sequence[str]) -> tuple[FrameBlock, list[int]] | None:
    """The frame that the first of some blocks is in, and the numbers of the items in which any of them does."""
    for frame in (block for block in walk(blocks) if isinstance(block, FrameBlock)):
        own = {block.name: number for number, item in enumerate(frame.items) for block in item.blocks}
        if any(name in own for name in names):
            return frame, sorted({own[name] for name in names if name in own})
    return None


def for_each_around(blocks: Sequence[Block], name: str, outer: ForEachBlock | None = None) -> ForEachBlock | None:
    """The innermost for-each that a block is in, if any."""
    for block in blocks:
        if block.name == name:
            return outer
        inner = block if isinstance(block, ForEachBlock) else outer
        for own in lists_in(block):
            if any(each.name == name for each in walk(own)):
                return for_each_around(own, name, inner)
    return None
