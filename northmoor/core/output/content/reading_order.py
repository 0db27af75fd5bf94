"""From what is on the pages to the order in which a reader takes it in.

A page is cut where white room goes all across it, and what is left where white room goes all down it, and so on: things
that are beside one another are columns, read one after the other. What overlaps is read in the order it is painted.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence

from msgspec import Struct

from northmoor.core.layout.flow.fragments import BoxFragment, ChartFragment, Fragment, TableFragmentOnPage, TextFragment
from northmoor.core.layout.graphics.display_list import PAGES_PER_BATCH
from northmoor.core.layout.page.composition import Composition
from northmoor.core.layout.page.page_sequences import column_of
from northmoor.core.layout.table.page_rows import rows_on_page
from northmoor.core.model.blocks.tree import walk
from northmoor.core.output.content.block_roles import BlockRole, block_roles, role_of
from northmoor.core.output.content.nodes import (
    ChartNode,
    ContentNode,
    DrawnNode,
    Leaf,
    PageStart,
    SideBySide,
    TableNode,
    TextNode,
)

Ends = Callable[["Extent"], tuple[int, int]]
"""Where a fragment begins and ends in one direction."""
_TITLE_SIZE = 1.5
"""How much larger than others a first text is that is taken for a title."""
_TOUCHING = 500
"""Millipoints by which things may overlap that are still one after another: of rounding."""


class Extent(Struct, frozen=True):
    """A fragment with the rectangle it takes up, or the things in a cell of a grid or an item of a frame, in order,
    with that of the cell."""

    fragment: Fragment | None
    left: int
    top: int
    right: int
    bottom: int
    inside: tuple["Extent | SideColumns", ...] = ()

    def holds(self, other: "Extent") -> bool:
        """Whether another thing begins within it, and ends within it from left to right."""
        across = self.left - _TOUCHING <= other.left and other.right <= self.right + _TOUCHING
        return across and self.top - _TOUCHING <= other.top <= self.bottom

    @property
    def area(self) -> int:
        """How large it is."""
        return (self.right - self.left) * (self.bottom - self.top)


class SideColumns(Struct, frozen=True):
    """Things that are beside one another, column by column."""

    columns: tuple[tuple["Extent | SideColumns", ...], ...]


def document_nodes(
    composition: Composition, title: str = "", block: str | None = None, pages: range | None = None
) -> Iterator[ContentNode]:
    """What a document, or one block or some pages of it, says, in reading order; a first text that is its title is
    marked. Raises Cancelled."""
    roles = block_roles(composition.edition)
    wanted = names_in_block(composition, block) if block is not None else None
    used, is_begun = 0, False
    pages = pages if pages is not None else range(len(composition))
    for first in range(pages.start, pages.stop, PAGES_PER_BATCH):
        composition.context.stop.raise_if_cancelled()
        end = min(first + PAGES_PER_BATCH, pages.stop)
        for index, parts in enumerate(composition.parts_between(first, end), first):
            own = parts if wanted is None else [part for part in parts if block_name_of(part) in wanted]
            ordered = page_order(own, composition, index)
            nodes = list(_nodes(ordered, roles))
            if index > pages.start and nodes and _is_by_break(ordered, used, composition.section(index).frame.height):
                yield PageStart(index)
            if nodes and not is_begun:
                nodes[0], is_begun = as_title(nodes[0], title, composition), True
            yield from nodes
            used = max((extent.bottom for extent in _flat(ordered)), default=0)


def names_in_block(composition: Composition, name: str) -> frozenset[str]:
    """The names of a block and of all blocks in it."""
    own = [block for block in walk(composition.edition.blocks) if block.name == name]
    return frozenset(block.name for block in walk(own))


def block_name_of(part: Fragment) -> str:
    """The name of the block that a fragment belongs to."""
    return part.run.table.name if isinstance(part, TableFragmentOnPage) else part.name


def page_order(parts: Sequence[Fragment], composition: Composition, index: int) -> list[Extent | SideColumns]:
    """The parts of a page in reading order, without those that only mark extents."""
    areas = composition.section(index).areas
    if len(areas) == 1:
        return _ordered(parts)
    by_area: dict[int, list[Fragment]] = {}
    for part in parts:
        by_area.setdefault(column_of(areas, part.left, part.y), []).append(part)
    return [each for own in by_area.values() for each in _ordered(own)]


def _ordered(parts: Sequence[Fragment]) -> list[Extent | SideColumns]:
    """Parts in reading order; what is in a cell of a grid, or an item of a frame, stays together."""
    units = [extent_of(part) for part in parts if not (isinstance(part, BoxFragment) and _is_ground(part))]
    cells = [extent_of(part) for part in parts if isinstance(part, BoxFragment) and part.item is not None]
    for cell in sorted(cells, key=lambda each: each.area):
        inside = [unit for unit in units if cell.holds(unit)]
        if len(inside) > 1:
            first = units.index(inside[0])
            group = Extent(None, cell.left, cell.top, cell.right, cell.bottom, tuple(_in_order(inside)))
            units = [*units[:first], group, *(unit for unit in units[first:] if unit not in inside)]
    return _in_order(units)


def fragments_in_order(ordered: Sequence[Extent | SideColumns]) -> Iterator[Fragment]:
    """The fragments of a page, one after another."""
    yield from (extent.fragment for extent in _flat(ordered) if extent.fragment is not None)


def extent_of(part: Fragment) -> Extent:
    """A fragment with the rectangle it takes up in the body."""
    if isinstance(part, TableFragmentOnPage):
        shown = rows_on_page(part.layout, part.rows, part.y)
        bottom = int((shown.tops + shown.heights).max(initial=part.y))
        return Extent(part, part.left, part.y, part.left + part.layout.edges[-1], bottom)
    if isinstance(part, TextFragment):
        height = part.block.height_of(part.start, part.end)
        return Extent(part, part.left, part.y, part.left + part.block.width, part.y + height)
    return Extent(part, part.left, part.y, part.left + part.width, part.y + part.height)


def as_title(node: ContentNode, title: str, composition: Composition) -> ContentNode:
    """What a document begins with, as its title if it says that, or is as large as a title."""
    if not isinstance(node, TextNode) or node.role.kind == "list":
        return node
    says_it = node.text.strip() == title.strip() != ""
    is_large = node.fragment.block.look.size >= _TITLE_SIZE * composition.context.base.size
    return TextNode(BlockRole("title"), node.fragment) if says_it or is_large else node


def _is_ground(part: BoxFragment) -> bool:
    """Whether a fragment is the ground of a container, or only the extent of one of its parts."""
    return part.item is not None or part.kind in ("grid", "frame")


def _flat(ordered: Sequence[Extent | SideColumns]) -> Iterator[Extent]:
    for each in ordered:
        if isinstance(each, Extent):
            if each.fragment is not None:
                yield each
            yield from _flat(each.inside)
        else:
            yield from (extent for column in each.columns for extent in _flat(column))


def _in_order(extents: Sequence[Extent]) -> list[Extent | SideColumns]:
    """Fragments in reading order: bands from the top, in each its columns from the left."""
    found: list[Extent | SideColumns] = []
    for band in _parted(extents, lambda each: (each.top, each.bottom)):
        columns = _parted(band, lambda each: (each.left, each.right)) if len(band) > 1 else [band]
        if len(columns) == 1:
            for unit in band:
                found += [unit] if unit.fragment is not None else unit.inside
        else:
            found.append(SideColumns(tuple(tuple(_in_order(column)) for column in columns)))
    return found


def _parted(extents: Sequence[Extent], sides: Ends) -> list[list[Extent]]:
    """Fragments parted where none of them is, along one direction; those that are together keep their order."""
    order = sorted(range(len(extents)), key=lambda at: sides(extents[at])[0])
    groups: list[list[int]] = []
    reach = 0
    for at in order:
        begin, end = sides(extents[at])
        if groups and begin < reach - _TOUCHING:
            groups[-1].append(at)
        else:
            groups.append([at])
            reach = end
        reach = max(reach, end)
    return [[extents[at] for at in sorted(group)] for group in groups]


def _is_by_break(ordered: Sequence[Extent | SideColumns], used: int, height: int) -> bool:
    """Whether a page begins where it does though what it begins with had room on the page before."""
    first = next(_flat(ordered))
    return first.top == 0 and used + (first.bottom - first.top) <= height


def _nodes(ordered: Sequence[Extent | SideColumns], roles: Mapping[str, BlockRole]) -> Iterator[ContentNode]:
    for each in ordered:
        if isinstance(each, SideColumns):
            columns = tuple(tuple(_nodes(column, roles)) for column in each.columns)
            widths = tuple(max(e.right for e in _flat(own)) - min(e.left for e in _flat(own)) for own in each.columns)
            kept = [at for at, column in enumerate(columns) if column]
            if len(kept) == 1:
                yield from columns[kept[0]]
            elif kept:
                yield SideBySide(tuple(columns[at] for at in kept), tuple(widths[at] for at in kept))
        elif each.fragment is None:
            yield from _nodes(each.inside, roles)
        elif (node := leaf_node(each.fragment, roles)) is not None:
            yield node


def leaf_node(part: Fragment, roles: Mapping[str, BlockRole]) -> Leaf | None:
    """What a fragment begins; None for the rest of what began on an earlier page."""
    if isinstance(part, TextFragment):
        return TextNode(role_of(roles, part.name), part) if part.start == 0 else None
    if isinstance(part, TableFragmentOnPage):
        if not part.rows.is_first:
            return None
        slices = part.run.whole or part.run.fragments
        return TableNode(part.run.table.name, part.run, slices[0].start, slices[-1].end)
    role = role_of(roles, part.name, part.kind if isinstance(part, BoxFragment) else "chart")
    if isinstance(part, ChartFragment):
        return ChartNode(role, part)
    return DrawnNode(role, part)
