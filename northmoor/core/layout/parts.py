"""What stands on the pages: lines of paragraphs and slices of tables, each with its place in the body."""

from bisect import bisect_left
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

from northmoor.core.layout.chart import LaidChart, lay_out_chart
from northmoor.core.layout.chartview import View
from northmoor.core.layout.display import Layer
from northmoor.core.layout.drawings import Area
from northmoor.core.layout.paginate import Slice
from northmoor.core.layout.paragraph import Paragraph
from northmoor.core.layout.placedcells import CellPlacer
from northmoor.core.layout.richtext import RichText
from northmoor.core.layout.table import TableLayout
from northmoor.core.model.tables import TableBlock


@dataclass(frozen=True, slots=True)
class Frame:
    """Where on the page the body lies, millipoints from the top left corner."""

    left: int
    top: int
    width: int
    height: int


@dataclass(frozen=True, slots=True)
class Depth:
    """The order in which things are painted: those further up first; those of one frame, which is `lift` further up
    than they are, from the back to the front."""

    lift: int = 0
    layer: int = 0


ON_TOP = Depth()


@dataclass(frozen=True, slots=True)
class Lines:
    """Some lines of a text, at a distance from the body's top and its left edge."""

    block: Paragraph | RichText
    y: int
    start: int = 0
    end: int | None = None
    left: int = 0
    width: int = 0
    link: str = ""
    """The address that it opens."""
    depth: Depth = ON_TOP

    @property
    def name(self) -> str:
        """The name of the block."""
        return self.block.origin.block

    def moved(self, left: int, y: int, depth: Depth) -> "Lines":
        """The same further from the left and further down, in a depth."""
        return Lines(self.block, self.y + y, self.start, self.end, self.left + left, self.width, self.link, depth)


@dataclass(frozen=True, eq=False)
class ChartPart:
    """A chart at a distance from the body's top; it is drawn when it is looked at."""

    name: str
    view: View
    y: int
    width: int
    height: int
    left: int = 0
    depth: Depth = ON_TOP

    def moved(self, left: int, y: int, depth: Depth) -> "ChartPart":
        """The same further from the left and further down, in a depth."""
        return ChartPart(self.name, self.view, self.y + y, self.width, self.height, self.left + left, depth)

    def laid(self, frame: Frame) -> LaidChart:
        """The chart on its page."""
        area = Area(frame.left + self.left, frame.top + self.y, self.width, self.height)
        view = self.view
        key = ("chart", view.chart, view.arranged, view.host, view.origin, area, view.setting.customs,
               view.setting.report.styles, tuple(view.setting.colors.items()))  # fmt: skip
        return view.setting.kept.get(key, lambda: lay_out_chart(view, area))


@dataclass(frozen=True, eq=False)
class DrawnPart:
    """Something drawn in a rectangle, at a distance from the body's top and its left edge."""

    name: str
    y: int
    width: int
    height: int
    draw: Callable[[Area], tuple[Layer, ...]]
    left: int = 0
    kind: str = ""
    """The kind of block that it is."""
    record: int | None = None
    """The number of the record that it says something of."""
    item: tuple[str, int] | None = None
    """The frame and the number of the item that it is the extent of."""
    link: str = ""
    """The address that it opens."""
    depth: Depth = ON_TOP

    def moved(self, left: int, y: int, depth: Depth) -> "DrawnPart":
        """The same further from the left and further down, in a depth."""
        return DrawnPart(
            self.name, self.y + y, self.width, self.height, self.draw, self.left + left, self.kind, self.record,
            self.item, self.link, depth,
        )  # fmt: skip

    def area(self, frame: Frame) -> Area:
        """Where it is on its page."""
        return Area(frame.left + self.left, frame.top + self.y, self.width, self.height)


FixedPart = Lines | ChartPart | DrawnPart
"""What stands on one page."""


class Laid(Protocol):
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
class LaidTable:
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


@dataclass(frozen=True, slots=True)
class TablePart:
    """A slice of a table."""

    run: "TableRun"
    piece: Slice

    @property
    def layout(self) -> TableLayout:
        """The table laid out."""
        return self.run.laid.layout

    @property
    def left(self) -> int:
        """Its distance from the body's left edge."""
        return self.run.left

    @property
    def depth(self) -> Depth:
        """How deep it lies."""
        return self.run.depth

    @property
    def y(self) -> int:
        """Its distance from the body's top."""
        return self.piece.y


Part = FixedPart | TablePart


@dataclass(frozen=True, slots=True, eq=False)
class TableRun:
    """A table on its pages, in order; a page may be left blank between two."""

    laid: Laid
    slices: Sequence[Slice]
    first_page: int
    left: int = 0
    whole: Sequence[Slice] | None = None
    """All slices of the table, where these are only those of one column of the pages."""
    depth: Depth = ON_TOP

    @property
    def table(self) -> TableBlock:
        """The block that is on the pages."""
        return self.laid.table

    @property
    def layout(self) -> TableLayout:
        """The table laid out."""
        return self.laid.layout

    def on_page(self, index: int) -> TablePart | None:
        """The table's part on a page of the document."""
        wanted = index - self.first_page
        at = bisect_left(self.slices, wanted, key=lambda piece: piece.page)
        is_there = at < len(self.slices) and self.slices[at].page == wanted
        return TablePart(self, self.slices[at]) if is_there else None
