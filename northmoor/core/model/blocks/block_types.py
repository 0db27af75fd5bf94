"""The kinds of blocks: to add one, write its model and the function that places it, and add its record here.

The window shows a block without a form of its own by its properties.
"""

from collections.abc import Callable, Iterable, Mapping
from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated, Any

from msgspec import Struct
from pydantic import Field

from northmoor.core.model.base import Part
from northmoor.core.model.blocks.chart import ChartBlock
from northmoor.core.model.blocks.containers import (
    ForEachBlock,
    FrameBlock,
    FrameItem,
    GridBlock,
    GridCell,
)
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.picture import PictureBlock
from northmoor.core.model.blocks.simple import (
    BarcodeBlock,
    BreakBlock,
    ContentsBlock,
    IncludeBlock,
    LineBlock,
    ReadoutBlock,
    ShapeBlock,
    SpacerBlock,
)
from northmoor.core.model.blocks.table import Content, TableBlock
from northmoor.core.model.blocks.text import TextBlock


def _nothing(_: Any) -> Iterable[Content]:
    return ()


class BlockType(Struct, frozen=True):
    """A kind of block, as the model, the layout, Trace and the window see it."""

    model: type[Part]
    label: str
    """What it is called where blocks are listed."""
    icon: str
    placer: str
    """The function that places one: a `PlaceBlock`, by module and name, loaded on first use."""
    new: Callable[[str], Any] | None = None
    """How a new one begins, from its name; None where it needs data or a file first."""
    contents: Callable[[Any], Iterable[Content]] = _nothing
    """Its expressions and templates that are computed for the document or for a record."""
    traced: Callable[[Any], Content] | None = None
    """What Trace explains of it."""
    is_drawn: bool = False
    """Whether it is drawn as one thing, which is chosen and lit up as a whole."""

    @property
    def name(self) -> str:
        """Its name in files of reports."""
        return str(self.model.model_fields["kind"].default)


def _texts(*texts: str | None) -> Iterable[Content]:
    return (Content(text=text) for text in texts if text is not None)


def _values(*values: str | None) -> Iterable[Content]:
    return (Content(value=value) for value in values if value is not None)


def _of_text(block: TextBlock) -> Iterable[Content]:
    yield from _texts(block.text, *(run.text for run in block.runs))
    yield from _texts(block.link, *(run.link for run in block.runs))


def _of_picture(block: PictureBlock) -> Iterable[Content]:
    yield from _values(block.value)
    yield from _texts(block.link, block.description)


def _of_readout(block: ReadoutBlock) -> Iterable[Content]:
    yield Content(value=block.value, format=block.format)
    yield from _values(block.against, block.trend)
    yield from _texts(block.caption, block.difference_text)


def _new_frame(name: str) -> FrameBlock:
    text = TextBlock(name=f"{name}-text", text="Text")
    item = FrameItem(x=14_173, y=14_173, blocks=(text,))
    return FrameBlock(name=name, space_after=12_000, stroke="#D8D2C6", items=(item,))


def _new_grid(name: str) -> GridBlock:
    cells = (GridCell(column=0, padding=4_000), GridCell(column=1, padding=4_000))
    return GridBlock(name=name, space_after=12_000, cells=cells)


_SIMPLE = "northmoor.core.layout.flow.simple_blocks"
_DATA = "northmoor.core.layout.flow.data_blocks.place_data_block"
_CONTAINERS = "northmoor.core.layout.flow.container_blocks"
BLOCK_TYPES: tuple[BlockType, ...] = (
    BlockType(
        TextBlock, "Text", "type", f"{_SIMPLE}.place_text",
        new=lambda name: TextBlock(name=name, text="Text", space_after=6_000), contents=_of_text,
        traced=lambda block: Content(text=block.template),
    ),
    BlockType(PictureBlock, "Picture", "image", f"{_SIMPLE}.place_picture", contents=_of_picture),
    BlockType(
        LineBlock, "Line", "minus", f"{_SIMPLE}.place_simple",
        new=lambda name: LineBlock(name=name, space_after=6_000), is_drawn=True,
    ),
    BlockType(
        SpacerBlock, "Space", "unfold-vertical", f"{_SIMPLE}.place_spacer", new=lambda name: SpacerBlock(name=name)
    ),
    BlockType(
        BreakBlock, "Page break", "separator-horizontal", f"{_SIMPLE}.place_break",
        new=lambda name: BreakBlock(name=name),
    ),
    BlockType(
        ShapeBlock, "Shape", "square", f"{_SIMPLE}.place_simple",
        new=lambda name: ShapeBlock(name=name, space_after=6_000), is_drawn=True,
    ),
    BlockType(
        BarcodeBlock, "Code", "qr-code", f"{_SIMPLE}.place_simple",
        new=lambda name: BarcodeBlock(name=name, text="https://", space_after=6_000),
        contents=lambda block: _texts(block.text), is_drawn=True,
    ),
    BlockType(
        ReadoutBlock, "Key figure", "gauge", f"{_SIMPLE}.place_simple", contents=_of_readout, is_drawn=True,
        traced=lambda block: Content(value=block.value, format=block.format),
    ),
    BlockType(
        ContentsBlock, "Contents list", "table-of-contents", f"{_SIMPLE}.place_contents",
        new=lambda name: ContentsBlock(name=name, space_after=12_000),
    ),
    BlockType(IncludeBlock, "Included", "link", f"{_SIMPLE}.report_missing"),
    BlockType(TableBlock, "Table", "table", _DATA),
    BlockType(MatrixBlock, "Matrix", "grid-3x3", _DATA),
    BlockType(ChartBlock, "Chart", "chart-column", _DATA),
    BlockType(ForEachBlock, "For each", "repeat", "northmoor.core.layout.flow.for_each.place_for_each"),
    BlockType(GridBlock, "Grid", "grid-2x2", f"{_CONTAINERS}.place_grid", new=_new_grid, is_drawn=True),
    BlockType(FrameBlock, "Frame", "frame", f"{_CONTAINERS}.place_frame", new=_new_frame, is_drawn=True),
)  # fmt: skip
"""All kinds of blocks."""
BLOCK_TYPE_OF_KIND: Mapping[str, BlockType] = {each.name: each for each in BLOCK_TYPES}
TRACED_KINDS = frozenset(each.name for each in BLOCK_TYPES if each.traced is not None)
"""Kinds outside tables and charts whose figures Trace explains."""

if TYPE_CHECKING:
    Block = (
        TextBlock | PictureBlock | LineBlock | SpacerBlock | BreakBlock | ShapeBlock | BarcodeBlock | ReadoutBlock
        | ContentsBlock | IncludeBlock | TableBlock | MatrixBlock | ChartBlock | ForEachBlock | GridBlock | FrameBlock
    )  # fmt: skip
else:
    Block = Annotated[reduce(or_, [each.model for each in BLOCK_TYPES]), Field(discriminator="kind")]
for _holder in (ForEachBlock, GridCell, GridBlock, FrameItem, FrameBlock):
    _holder.model_rebuild(_types_namespace={"Block": Block})
