"""Which function places each kind of block."""

from collections.abc import Mapping

from northmoor.core.layout.flow.container_blocks import place_frame, place_grid
from northmoor.core.layout.flow.data_blocks import place_data_block
from northmoor.core.layout.flow.for_each import place_for_each
from northmoor.core.layout.flow.layout_pass import PlaceBlock
from northmoor.core.layout.flow.simple_blocks import (
    place_break,
    place_contents,
    place_picture,
    place_simple,
    place_spacer,
    place_text,
    report_missing,
)
from northmoor.core.model.base import Part
from northmoor.core.model.blocks.chart import ChartBlock
from northmoor.core.model.blocks.containers import ForEachBlock, FrameBlock, GridBlock
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
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.blocks.text import TextBlock

PLACERS: Mapping[type[Part], PlaceBlock] = {
    TextBlock: place_text,
    PictureBlock: place_picture,
    SpacerBlock: place_spacer,
    BreakBlock: place_break,
    TableBlock: place_data_block,
    MatrixBlock: place_data_block,
    ChartBlock: place_data_block,
    ForEachBlock: place_for_each,
    ContentsBlock: place_contents,
    IncludeBlock: report_missing,
    GridBlock: place_grid,
    FrameBlock: place_frame,
    LineBlock: place_simple,
    ShapeBlock: place_simple,
    BarcodeBlock: place_simple,
    ReadoutBlock: place_simple,
}
