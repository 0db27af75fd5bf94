"""Edits of blocks as such, whatever they are: inserting, moving, renaming and taking out.

They raise like those in `edits`.
"""

import re
from collections.abc import Mapping, Sequence
from typing import Any, Literal

from msgspec import Struct

from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.chart import ChartBlock
from northmoor.core.model.blocks.containers import ForEachBlock, FrameBlock, GridBlock, GridCell
from northmoor.core.model.blocks.picture import PictureBlock
from northmoor.core.model.blocks.simple import (
    ReadoutBlock,
)
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.blocks.tree import Blocks, in_every_list, replaced, walk
from northmoor.core.model.data.queries import Query
from northmoor.core.model.edits.edition_edits import _edition, change_edition
from northmoor.core.model.edits.frame_edits import with_items
from northmoor.core.model.edits.naming import unused_name
from northmoor.core.model.report import Report


class Target(Struct, frozen=True):
    """Where blocks are put: after, before or beside a block; at the end of a for-each, or of a cell of a grid (its
    number); in front of all in a frame; or, without a block, at the end of all."""

    block: str | None = None
    where: Literal["after", "before", "beside", "inside"] = "after"
    cell: int | None = None


def new_picture(name: str, file: str) -> PictureBlock:
    """A picture of a file of the library."""
    return PictureBlock(name=name, file=file, height=85_039, space_after=6_000)


def new_readout(name: str, caption: str, value: str) -> ReadoutBlock:
    """A readout of an expression."""
    return ReadoutBlock(name=name, caption=caption, value=value, space_after=12_000)


def new_for_each(name: str, query: Query, key: str) -> ForEachBlock:
    """A for-each over a query's records by a column, with a text that says the key."""
    key_text = TextBlock(name=f"{name}-text", text=f"{{{key}}}", space_after=6_000)
    return ForEachBlock(name=name, query=query.name, by=key, blocks=(key_text,))


def insert_blocks(report: Report, edition: str, blocks: Sequence[Block], target: Target) -> Report:
    """Put blocks at a place; those whose names are taken get others."""
    found = report.edition(edition)
    assert found is not None
    added = with_unused_names(blocks, [block.name for block in walk(found.blocks)])

    def into(own: Blocks) -> Blocks:
        return (*own, *added)

    if target.block is None:
        return change_edition(report, edition, blocks=into(found.blocks))
    if target.cell is not None:
        grid = block_of(report, edition, target.block)
        cells = list(grid.cells)
        cells[target.cell] = cells[target.cell].but(blocks=into(cells[target.cell].blocks))
        return put_block(report, edition, grid.but(cells=tuple(cells)))
    if target.where == "inside":
        changed = block_of(report, edition, target.block)
        if isinstance(changed, FrameBlock):
            return put_block(report, edition, with_items(changed, added))
        return put_block(report, edition, changed.but(blocks=into(changed.blocks)))
    if all(block.name != target.block for block in walk(found.blocks)):
        return change_edition(report, edition, blocks=into(found.blocks))

    def placed(block: Block) -> Blocks:
        if target.where == "beside":
            taken = [*(each.name for each in walk(found.blocks)), *(each.name for each in walk(added))]
            return (_side_by_side(block, added, unused_name("side-by-side", taken)),)
        return (*added, block) if target.where == "before" else (block, *added)

    return change_edition(report, edition, blocks=replaced(found.blocks, target.block, placed))


def _side_by_side(block: Block, added: Blocks, name: str) -> GridBlock:
    """A grid of a block and, at its right, others; the space below it is that below the block."""
    space = getattr(block, "space_after", 0)
    left = block.but(space_after=0) if space else block
    cells = (GridCell(column=0, blocks=(left,)), GridCell(column=1, blocks=added))
    return GridBlock(name=name, cells=cells, space_after=space)


def with_unused_names(blocks: Sequence[Block], taken: Sequence[str]) -> Blocks:
    """Blocks whose names, and those of the blocks in them, are not taken; charts follow the tables they are about."""
    names, known = {}, list(taken)
    for block in walk(blocks):
        plain = re.sub(r"_\d+$", "", block.name) if block.name in known else block.name
        names[block.name] = unused_name(plain, known)
        known.append(names[block.name])

    def renamed(own: Blocks) -> Blocks:
        return tuple(_renamed(block, names) for block in own)

    return in_every_list(tuple(blocks), renamed)


def _renamed(block: Block, names: Mapping[str, str]) -> Block:
    changes: dict[str, Any] = {"name": names.get(block.name, block.name)}
    if isinstance(block, ChartBlock) and block.groups_of in names:
        changes["groups_of"] = names[block.groups_of]  # type: ignore[index]  # it is one of them
    return block.but(**changes)


def rename_block(report: Report, edition: str, block: str, name: str) -> Report:
    """Give a block another name; charts of its groups follow."""
    found = report.edition(edition)
    assert found is not None
    names = {block: name}
    blocks = in_every_list(found.blocks, lambda own: tuple(_renamed(each, names) for each in own))
    return change_edition(report, edition, blocks=blocks)


def remove_blocks(report: Report, edition: str, names: Sequence[str]) -> Report:
    """Take blocks out."""
    found = report.edition(edition)
    assert found is not None
    blocks = in_every_list(found.blocks, lambda own: tuple(block for block in own if block.name not in names))
    return change_edition(report, edition, blocks=blocks)


def move_block(report: Report, edition: str, name: str, by: int) -> Report:
    """Move a block up or down among those of its list; at the list's end it stays."""
    found = report.edition(edition)
    assert found is not None

    def moved(own: Blocks) -> Blocks:
        names = [block.name for block in own]
        if name not in names:
            return own
        at = names.index(name)
        rest = [*own[:at], *own[at + 1 :]]
        to = min(max(at + by, 0), len(rest))
        return (*rest[:to], own[at], *rest[to:])

    return change_edition(report, edition, blocks=in_every_list(found.blocks, moved))


def move_into(report: Report, edition: str, name: str, target: Target) -> Report:
    """Move a block to another place, such as another cell of its grid."""
    found = report.edition(edition)
    assert found is not None
    block = next(each for each in walk(found.blocks) if each.name == name)
    if target.block == name or any(inner.name == target.block for inner in walk((block,))):
        return report  # nothing can be in itself
    without = remove_blocks(report, edition, [name])
    return insert_blocks(without, edition, [block], target)


def repeat_for_each(report: Report, edition: str, name: str, query: Query, key: str) -> Report:
    """Put a block into a new for-each over a query's records, in its place."""
    found = report.edition(edition)
    assert found is not None
    taken = [block.name for block in walk(found.blocks)]
    around = ForEachBlock(name=unused_name(query.name, taken), query=query.name, by=key)
    return change_edition(
        report, edition, blocks=replaced(found.blocks, name, lambda block: (around.but(blocks=(block,)),))
    )


def block_of(report: Report, edition: str, block: str) -> Any:
    """A block by name."""
    for candidate in walk(_edition(report, edition).blocks):
        if candidate.name == block:
            return candidate
    raise KeyError(block)


def change_block(report: Report, edition: str, block: str, /, **changes: Any) -> Report:
    """Change properties of a block."""
    return put_block(report, edition, block_of(report, edition, block).but(**changes))


def put_block(report: Report, edition: str, changed: Block) -> Report:
    """Put a block in the place of the one of its name."""
    blocks = replaced(_edition(report, edition).blocks, changed.name, lambda _: (changed,))
    return change_edition(report, edition, blocks=blocks)
