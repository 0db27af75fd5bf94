"""Small blocks drawn in their place: rules, shapes, barcodes and readouts."""

from collections.abc import Callable

import numpy as np
from msgspec import Struct

from northmoor.core.errors import LayoutError, Place, ReportFileError
from northmoor.core.layout.context import LayoutContext
from northmoor.core.layout.geometry import Rect
from northmoor.core.layout.graphics.codes import bar_boxes, qr_boxes
from northmoor.core.layout.graphics.display_list import (
    AnyPicture,
    Layer,
    Pictures,
    SharedSourceRef,
    SourceRef,
    VectorPath,
)
from northmoor.core.layout.graphics.images import fitted, load_picture, picture_of_value, report_omissions, size_of
from northmoor.core.layout.graphics.painter import DisplayListBuilder
from northmoor.core.layout.graphics.paths import CIRCLE, Steps, circle
from northmoor.core.layout.inline.paragraph import Paragraph, fault_paragraph, paragraph_layers
from northmoor.core.model.blocks.picture import PictureBlock
from northmoor.core.model.blocks.simple import BarcodeBlock, LineBlock, ShapeBlock
from northmoor.core.model.styles import Align

Draw = Callable[[Rect], tuple[Layer, ...]]
INK = "#1F1B16"


class LeafBox(Struct, frozen=True, eq=False):
    """A small block, unplaced: its size, and what draws it in a rectangle of that size."""

    width: int
    height: int
    draw: Draw


def alignment_offset(room: int, width: int, align: Align) -> int:
    """How far from the left something is in a room."""
    return {"start": 0, "center": (room - width) // 2, "end": room - width}[align]


def rule_box(block: LineBlock, width: int) -> LeafBox:
    """A line across."""

    def draw(area: Rect) -> tuple[Layer, ...]:
        painter = DisplayListBuilder()
        painter.box(area, block.color, SourceRef(block.name, "rule"), "rule")
        return painter.layers()

    return LeafBox(width, block.thickness, draw)


def shape_box(block: ShapeBlock, width: int) -> LeafBox:
    """A line, a rectangle or an ellipse."""

    def draw(area: Rect) -> tuple[Layer, ...]:
        painter, origin = DisplayListBuilder(), SourceRef(block.name, "shape")
        half = block.thickness // 2 if block.stroke is not None and block.draw != "line" else 0
        inner = Rect(area.x + half, area.y + half, max(area.width - 2 * half, 1), max(area.height - 2 * half, 1))
        steps, closed = _outline(block, inner), block.draw != "line"
        fill = block.fill if closed else None
        stroke = block.stroke if block.thickness else None
        if fill is not None or stroke is not None:
            painter.path(VectorPath(steps, fill, stroke, block.thickness if stroke else 0, closed=closed), origin)
        return painter.layers()

    own = width if block.width is None else min(block.width, width)
    return LeafBox(own, block.height, draw)


def _outline(block: ShapeBlock, area: Rect) -> Steps:
    x, y, right, bottom = area.x, area.y, area.x + area.width, area.y + area.height
    if block.draw == "line":
        return ((x, y), (right, bottom))
    if block.draw == "ellipse":
        unit = circle(0, 0, 100_000)
        middle = (x + area.width // 2, y + area.height // 2)
        halves = (area.width, area.height)
        return tuple(
            tuple(middle[at % 2] + length * halves[at % 2] // 200_000 for at, length in enumerate(step))
            for step in unit
        )
    radius = min(block.corner, area.width // 2, area.height // 2)
    if not radius:
        return ((x, y), (right, y), (right, bottom), (x, bottom))
    near = radius - round(radius * CIRCLE)
    return (
        (x + radius, y), (right - radius, y), (right - near, y, right, y + near, right, y + radius),
        (right, bottom - radius), (right, bottom - near, right - near, bottom, right - radius, bottom),
        (x + radius, bottom), (x + near, bottom, x, bottom - near, x, bottom - radius),
        (x, y + radius), (x, y + near, x + near, y, x + radius, y),
    )  # fmt: skip


def barcode_box(block: BarcodeBlock, text: str, width: int, context: LayoutContext) -> LeafBox | Paragraph:
    """A code of a text, or why there is none."""
    own = block.height if block.draw == "qr" else min(block.width or 3 * block.height, width)
    origin = SourceRef(block.name, "barcode")
    boxes = qr_boxes if block.draw == "qr" else bar_boxes
    try:
        boxes(text, Rect(0, 0, own, block.height))
    except LayoutError as error:
        return fault_paragraph(error.message, width, origin, context)

    def draw(area: Rect) -> tuple[Layer, ...]:
        painter = DisplayListBuilder()
        for box in boxes(text, area):
            painter.box(box, INK, origin)
        return painter.layers()

    return LeafBox(own, block.height, draw)


def picture_box(
    block: PictureBlock, value: object | None, width: int, origin: SourceRef, context: LayoutContext
) -> LeafBox | Paragraph:
    """A picture from a file, or the one that a column holds, or why there is none. That of a column is read again when
    it is drawn, since there may be one for each of many records."""

    def read() -> AnyPicture:
        return load_picture(block.file, context) if value is None else picture_of_value(value, context)

    try:
        picture = read()
    except (LayoutError, ReportFileError) as error:
        context.find("picture", Place(block=block.name), error.message)
        return fault_paragraph(error.message, width, origin, context)
    report_omissions(picture, Place(block=block.name), context)
    wide, high = size_of(block, picture, width)
    shown = fitted(block, picture, wide, high)

    def draw(area: Rect) -> tuple[Layer, ...]:
        x, y, across, down = (np.array([length], np.int64) for length in _moved(shown.visible, area))
        whole = None if shown.whole is None else _moved(shown.whole, area)
        return (Pictures(x, y, across, down, (read(),), SharedSourceRef(origin), (whole,)),)

    return LeafBox(wide, high, draw)


def _moved(box: tuple[int, int, int, int], area: Rect) -> tuple[int, int, int, int]:
    return area.x + box[0], area.y + box[1], box[2], box[3]


def stacked_lines(paragraphs: list[Paragraph], width: int) -> LeafBox:
    """Paragraphs one below the other, as one thing."""

    def draw(area: Rect) -> tuple[Layer, ...]:
        layers: list[Layer] = []
        y = area.y
        for paragraph in paragraphs:
            layers += paragraph_layers(paragraph, area.x, y)
            y += paragraph.height
        return tuple(layers)

    return LeafBox(width, sum(paragraph.height for paragraph in paragraphs), draw)
