"""The blocks an edition is made of, those that hold others among them."""

from typing import TYPE_CHECKING, Annotated, Literal

from pydantic import Field, model_validator

from northmoor.core.model.base import RESERVED_WINDOWS, Color, FlowBlock, GroupingLevel, Identifier, Name, Part
from northmoor.core.model.blocks.chart import ChartBlock
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.data.queries import LinkedColumns
from northmoor.core.model.lengths import Gap, Length
from northmoor.core.model.styles import Align

if TYPE_CHECKING:
    from northmoor.core.model.blocks.block_types import Block

DataBlock = TableBlock | MatrixBlock | ChartBlock
"""Blocks over a query's rows."""


class ForEachBlock(GroupingLevel):
    """Repeats its blocks for each record of a query: for each group of rows with equal keys.

    Blocks in it show the record's own rows: those of the same query in its group, and those of a query that is a detail
    of it by the link between the two. Expressions are in the record's scope, as in a heading.
    """

    kind: Literal["for-each"] = "for-each"
    name: Name
    """Its name, which is also a window: sum(fare) over shipper."""
    query: Identifier
    """The query whose records these are."""
    of_record: Annotated[tuple[LinkedColumns, ...], Field(max_length=8)] = ()
    """In a for-each: columns that are equal in its rows and in the record whose rows it shows; without them, those of
    the link between the two queries."""
    all_rows: bool = False
    """In a for-each: whether it shows all rows, not only those of the record."""
    keep_rows: str | None = None
    """Condition over a row of the data; others are left out."""
    blocks: Annotated[tuple["Block", ...], Field(max_length=500)] = ()
    """What is repeated."""
    page_break: Literal["none", "between", "column"] = "between"
    """Whether each record begins on a new page, or in the next column or label."""
    restart_page_number: bool = False
    """Whether pages count from 1 for each record that begins on a new page."""
    bookmark: str | None = None
    """Template for each record's entry in the outline of a PDF."""
    file_name: str | None = None
    """Template for the name of each record's file in a bundle, such as {shipper} {data_time(); yyyy-MM-dd}."""
    address: str | None = None
    """Template for the mail address that each record's file is sent to in a bundle, such as {mail}."""
    listed_total: str | None = None
    """Template for each record's text in the list of a bundle, beside its file, such as {sum(net); 0.00}."""
    keep_together: bool = False
    """Whether a record that fits on a page is kept on one."""
    without_rows: Literal["printed", "left_out"] = "printed"
    """Whether a record is printed that has no rows in any of its blocks over details."""
    space_after: Gap = 0
    """Space after each record."""
    visible: str | None = None
    """Expression that says whether it is shown, such as :detail = 'full'; without one, it always is."""

    @model_validator(mode="after")
    def _is_no_tree(self) -> "ForEachBlock":
        if self.parent is not None:
            raise ValueError(f"the records of {self.name!r} form no tree; remove the parent")
        if self.name in RESERVED_WINDOWS:
            raise ValueError(f"a for-each cannot be named {self.name!r}; that window has a meaning already")
        return self


class Track(Part):
    """The width of a grid's column."""

    width: Annotated[Length, Field(ge=1000, le=5_000_000)] | None = None
    """A fixed width; without one, a share of the remaining width."""
    by_content: bool = False
    """Without a width: whether it is as wide as the texts, pictures and small blocks in it need, up to half of the
    grid."""
    share: Annotated[float, Field(gt=0, le=1000)] = 1.0
    """How large that share is, beside those of other columns."""


class GridCell(Part):
    """A cell of a grid, with the blocks in it from the top."""

    row: Annotated[int, Field(ge=0, le=499)] = 0
    """Its row, from 0."""
    column: Annotated[int, Field(ge=0, le=49)] = 0
    """Its column, from 0."""
    rows: Annotated[int, Field(ge=1, le=500)] = 1
    """How many rows it spans."""
    columns: Annotated[int, Field(ge=1, le=50)] = 1
    """How many columns it spans."""
    blocks: Annotated[tuple["Block", ...], Field(max_length=100)] = ()
    """Its content."""
    fill: Color | None = None
    """Colour of its background."""
    padding: Annotated[Length, Field(ge=0, le=200_000)] = 0
    """Space between its edges and its content."""


class GridBlock(FlowBlock):
    """Rows and columns of blocks. A row of it is as high as what is in it, and is not parted at the end of a page
    unless it is higher than a page."""

    kind: Literal["grid"] = "grid"
    tracks: Annotated[tuple[Track, ...], Field(min_length=1, max_length=50)] = (Track(), Track())
    """Its columns."""
    gap: Annotated[Length, Field(ge=0, le=200_000)] = 12_000
    """Space between columns and between rows."""
    minimum_row_height: Annotated[Length, Field(ge=0, le=5_000_000)] = 0
    """The minimum height of a row."""
    cells: Annotated[tuple[GridCell, ...], Field(max_length=2000)] = ()
    """Its cells; what none covers stays empty."""

    @model_validator(mode="after")
    def _cells_have_room(self) -> "GridBlock":
        taken: set[tuple[int, int]] = set()
        for cell in self.cells:
            if cell.column + cell.columns > len(self.tracks):
                raise ValueError(f"a cell of {self.name!r} goes beyond its {len(self.tracks)} columns")
            own = {
                (row, column)
                for row in range(cell.row, cell.row + cell.rows)
                for column in range(cell.column, cell.column + cell.columns)
            }
            if own & taken:
                raise ValueError(f"two cells of {self.name!r} cover row {cell.row + 1}, column {cell.column + 1}")
            taken |= own
        return self


Distance = Annotated[Length, Field(ge=0, le=5_000_000)]


class FrameItem(Part):
    """What is at an exact place of a frame, in front of the items before it."""

    x: Distance = 0
    """From the frame's left edge."""
    y: Distance = 0
    """From the frame's top."""
    width: Annotated[Length, Field(ge=1000, le=5_000_000)] = 150_000
    """Width."""
    height: Annotated[Length, Field(ge=1000, le=5_000_000)] | None = None
    """Height; without one, that of its content."""
    blocks: Annotated[tuple["Block", ...], Field(max_length=100)] = ()
    """Its content, from the top."""
    locked: bool = False
    """Whether it cannot be moved by dragging."""
    group: Name | None = None
    """Items of one group are moved together."""


class FrameBlock(FlowBlock):
    """Blocks at exact places. It is not parted at the end of a page unless it is higher than a page."""

    kind: Literal["frame"] = "frame"
    width: Annotated[Length, Field(ge=10_000, le=5_000_000)] | None = None
    """Width; without one, all there is."""
    height: Annotated[Length, Field(ge=10_000, le=5_000_000)] = 200_000
    """Height."""
    align: Align = "start"
    """Horizontal place."""
    when_full: Literal["grow", "cut"] = "grow"
    """Whether it grows with its content, or leaves out what exceeds an item's height and its own, with a finding."""
    step: Annotated[Length, Field(ge=0, le=200_000)] = 14_173
    """Distance of the lines to which dragged items are drawn; 0pt for none."""
    guides_across: Annotated[tuple[Distance, ...], Field(max_length=50)] = ()
    """Distances of upright guides from the left edge."""
    guides_down: Annotated[tuple[Distance, ...], Field(max_length=50)] = ()
    """Distances of level guides from the top."""
    fill: Color | None = None
    """Colour of its background."""
    stroke: Color | None = None
    """Colour of its edge; without one, there is none."""
    thickness: Annotated[Length, Field(ge=0, le=50_000)] = 700
    """Thickness of its edge."""
    items: Annotated[tuple[FrameItem, ...], Field(max_length=500)] = ()
    """Its content, from back to front."""
