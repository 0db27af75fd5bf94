"""What the blocks of an edition are to a reader: headings by their level, captions, paragraphs, pictures with words."""

from collections.abc import Mapping, Sequence
from typing import Literal

from msgspec import Struct

from northmoor.core.base.replace import replace
from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.containers import ForEachBlock
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.blocks.tree import lists_in
from northmoor.core.model.report import Edition

DEEPEST_HEADING = 6
"""Headings that are deeper are of this level: HTML and tagged PDF have six."""
RoleKind = Literal["title", "heading", "caption", "text", "list", "figure", "decoration"]


class BlockRole(Struct, frozen=True):
    """What a block is; `level` is that of a heading, from 1."""

    kind: RoleKind
    level: int = 0


_PLAIN = BlockRole("text")
_DECORATION = BlockRole("decoration")
_DECORATIVE = frozenset({"rule", "shape", "spacer", "break", "frame", "grid", "grid-cell"})


def block_roles(edition: Edition) -> dict[str, BlockRole]:
    """The role of each block by its name; blocks in a for-each are as much deeper as it is, and the highest heading is
    of level 1."""
    found: dict[str, BlockRole] = {}
    _collect(edition.blocks, 0, found)
    above = min((role.level for role in found.values() if role.kind == "heading"), default=1) - 1
    return {name: replace(role, level=max(role.level - above, 0)) for name, role in found.items()}


def role_of(roles: Mapping[str, BlockRole], name: str, kind: str = "") -> BlockRole:
    """The role of what a block of a name draws as a kind of block; that of a paragraph where it is not known."""
    return _DECORATION if kind in _DECORATIVE else roles.get(name, _PLAIN)


def _collect(blocks: Sequence[Block], depth: int, found: dict[str, BlockRole]) -> None:
    for block in blocks:
        found[block.name] = _role(block, depth)
        for own in lists_in(block):
            _collect(own, depth + isinstance(block, ForEachBlock), found)


def _role(block: Block, depth: int) -> BlockRole:
    if isinstance(block, TextBlock):
        if block.listed == "contents":
            return BlockRole("heading", min(block.heading + depth, DEEPEST_HEADING))
        if block.listed == "captions":
            return BlockRole("caption")
        return BlockRole("list") if block.marker != "none" else _PLAIN
    if block.kind in _DECORATIVE:
        return _DECORATION
    if block.kind in ("chart", "picture", "barcode"):
        return BlockRole("figure")
    return _PLAIN
