"""What a document consists of for a reader, whatever its pages: each thing once, where it begins."""

from collections.abc import Iterator

from msgspec import Struct

from northmoor.core.layout.flow.fragments import BoxFragment, ChartFragment, TableFragments, TextFragment
from northmoor.core.layout.inline.paragraph import Paragraph
from northmoor.core.layout.table.layout import TableLayout
from northmoor.core.output.content.block_roles import BlockRole


def node_text(fragment: TextFragment) -> str:
    """What a text says, all of it."""
    block = fragment.block
    return block.text if isinstance(block, Paragraph) else "".join(run.text for run in block.runs)


class TextNode(Struct, frozen=True, eq=False):
    """A heading, a paragraph, a caption, or a list; whole, though pages may part it."""

    role: BlockRole
    fragment: TextFragment

    @property
    def text(self) -> str:
        """What it says."""
        return node_text(self.fragment)


class TableNode(Struct, frozen=True, eq=False):
    """A table, or a record's rows of one: the printed rows from `start` up to `end`; whole, though pages may part
    it."""

    name: str
    run: TableFragments
    start: int
    end: int

    @property
    def layout(self) -> TableLayout:
        """The table laid out; a part of one is laid out again each time it is asked for, so it is asked for once."""
        return self.run.layout


class ChartNode(Struct, frozen=True, eq=False):
    """A chart."""

    role: BlockRole
    fragment: ChartFragment


class DrawnNode(Struct, frozen=True, eq=False):
    """A picture, code, readout, rule or shape."""

    role: BlockRole
    fragment: BoxFragment


class SideBySide(Struct, frozen=True, eq=False):
    """Columns of things that are beside one another on the page, read one column after another."""

    columns: tuple[tuple["ContentNode", ...], ...]
    widths: tuple[int, ...]
    """Their widths on the page, in millipoints."""


class PageStart(Struct, frozen=True):
    """A page begins here by a break of the report, not for want of room."""

    index: int


ContentNode = TextNode | TableNode | ChartNode | DrawnNode | SideBySide | PageStart
Leaf = TextNode | TableNode | ChartNode | DrawnNode


def leaves(node: ContentNode) -> Iterator[Leaf]:
    """The things of a node, those beside one another one after another."""
    if isinstance(node, SideBySide):
        yield from (leaf for column in node.columns for inner in column for leaf in leaves(inner))
    elif not isinstance(node, PageStart):
        yield node
