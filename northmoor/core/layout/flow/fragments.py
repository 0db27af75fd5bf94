"""What is on the pages: lines of paragraphs and slices of tables, each with its place in the body."""

from bisect import bisect_left
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

from msgspec import Struct

from northmoor.core.base.replace import replace
from northmoor.core.layout.chart.facets import ChartView
from northmoor.core.layout.chart.layout import ChartLayout, lay_out_chart
from northmoor.core.layout.geometry import Rect
from northmoor.core.layout.graphics.display_list import Layer
from northmoor.core.layout.inline.paragraph import Paragraph
from northmoor.core.layout.inline.rich_text import RichText
from northmoor.core.layout.table.cell_positions import CellPlacer
from northmoor.core.layout.table.layout import TableLayout
from northmoor.core.layout.table.pagination import TableFragment
from northmoor.core.model.blocks.table import TableBlock


class BodyBox(Struct, frozen=True):
    """Where on the page the body lies, millipoints from the top left corner."""

    left: int
    top: int
    width: int
    height: int


class PaintOrder(Struct, frozen=True):
    """The order in which things are painted: those further up first; those of one frame, which is `lift` further up
    than they are, from the back to the front."""

    z_offset: int = 0
    z_index: int = 0


ON_TOP = PaintOrder()


class TextFragment(Struct, frozen=True):
    """Some lines of a text, at a distance from the body's top and its left edge."""

    block: Paragraph | RichText
    y: int
    start: int = 0
    end: int | None = None
    left: int = 0
    width: int = 0
    link: str = ""
    """The address that it opens."""
    depth: PaintOrder = ON_TOP

    @property
    def name(self) -> str:
        """The name of the block."""
        return self.block.origin.block

    def moved(self, left: int, y: int, depth: PaintOrder) -> "TextFragment":
        """The same further from the left and further down, in a depth."""
        return TextFragment(
            self.block, self.y + y, self.start, self.end, self.left + left, self.width, self.link, depth
        )


class ChartFragment(Struct, frozen=True, eq=False):
    """A chart at a distance from the body's top; it is drawn when it is looked at."""

    name: str
    view: ChartView
    y: int
    width: int
    height: int
    left: int = 0
    depth: PaintOrder = ON_TOP

    def moved(self, left: int, y: int, depth: PaintOrder) -> "ChartFragment":
        """The same further from the left and further down, in a depth."""
        return ChartFragment(self.name, self.view, self.y + y, self.width, self.height, self.left + left, depth)

    def lay_out(self, frame: BodyBox) -> ChartLayout:
        """The chart on its page."""
        area = Rect(frame.left + self.left, frame.top + self.y, self.width, self.height)
        view = self.view
        key = ("chart", view.chart, view.data, view.host, view.origin, area, view.context.locale,
               view.context.report.styles, tuple(view.context.colors.items()))  # fmt: skip
        return view.context.cache.get(key, lambda: lay_out_chart(view, area))


class BoxFragment(Struct, frozen=True, eq=False):
    """Something drawn in a rectangle, at a distance from the body's top and its left edge."""

    name: str
    y: int
    width: int
    height: int
    draw: Callable[[Rect], tuple[Layer, ...]]
    left: int = 0
    kind: str = ""
    """The kind of block that it is."""
    record: int | None = None
    """The number of the record that it says something of."""
    item: tuple[str, int] | None = None
    """The frame and the number of the item that it is the extent of."""
    link: str = ""
    """The address that it opens."""
    depth: PaintOrder = ON_TOP
    words: str | None = None
    """What it shows, for readers who do not see it; empty where it only adorns the page."""

    def moved(self, left: int, y: int, depth: PaintOrder) -> "BoxFragment":
        """The same further from the left and further down, in a depth."""
        return replace(self, y=self.y + y, left=self.left + left, depth=depth)

    def area(self, frame: BodyBox) -> Rect:
        """Where it is on its page."""
        return Rect(frame.left + self.left, frame.top + self.y, self.width, self.height)


FixedPart = TextFragment | ChartFragment | BoxFragment
"""What is on one page."""


class TableLayoutHandle(Protocol):
    """A table, or a part of one, that is laid out, or will be when that is asked for."""

    @property
    def table(self) -> TableBlock:
        """The block that it is."""

    @property
    def layout(self) -> TableLayout:
        """Its rows laid out."""

    @property
    def placer(self) -> CellPlacer:
        """What places its cells."""


@dataclass(frozen=True, eq=False)
class FixedTableLayout:
    """A table whose layout is held."""

    layout: TableLayout

    @property
    def table(self) -> TableBlock:
        """The block that it is."""
        return self.layout.table

    @cached_property
    def placer(self) -> CellPlacer:
        """What places its cells."""
        return CellPlacer(self.layout)


class TableFragmentOnPage(Struct, frozen=True):
    """A slice of a table."""

    run: "TableFragments"
    rows: TableFragment

    @property
    def layout(self) -> TableLayout:
        """The table laid out."""
        return self.run.handle.layout

    @property
    def left(self) -> int:
        """Its distance from the body's left edge."""
        return self.run.left

    @property
    def depth(self) -> PaintOrder:
        """How deep it lies."""
        return self.run.depth

    @property
    def y(self) -> int:
        """Its distance from the body's top."""
        return self.rows.y


Fragment = FixedPart | TableFragmentOnPage


class TableFragments(Struct, frozen=True, eq=False):
    """A table on its pages, in order; a page may be left blank between two."""

    handle: TableLayoutHandle
    fragments: Sequence[TableFragment]
    first_page: int
    left: int = 0
    whole: Sequence[TableFragment] | None = None
    """All slices of the table, where these are only those of one column of the pages."""
    depth: PaintOrder = ON_TOP

    @property
    def table(self) -> TableBlock:
        """The block that is on the pages."""
        return self.handle.table

    @property
    def layout(self) -> TableLayout:
        """The table laid out."""
        return self.handle.layout

    def on_page(self, index: int) -> TableFragmentOnPage | None:
        """The table's part on a page of the document."""
        wanted = index - self.first_page
        at = bisect_left(self.fragments, wanted, key=lambda piece: piece.page)
        is_there = at < len(self.fragments) and self.fragments[at].page == wanted
        return TableFragmentOnPage(self, self.fragments[at]) if is_there else None
