"""Small blocks: rules, spacers, page breaks, shapes, barcodes and readouts."""

from typing import Annotated, Literal

from pydantic import Field

from northmoor.core.model.base import Color, FlowBlock, Name
from northmoor.core.model.lengths import Length
from northmoor.core.model.pages import Orientation
from northmoor.core.model.styles import Align, Style

BoxSide = Annotated[Length, Field(ge=0, le=5_000_000)]
Thickness = Annotated[Length, Field(ge=0, le=50_000)]


class LineBlock(FlowBlock):
    """A line across."""

    kind: Literal["rule"] = "rule"
    thickness: Annotated[Length, Field(ge=100, le=50_000)] = 500
    """Its thickness."""
    color: Color = "#8B8378"
    """Its colour."""


class SpacerBlock(FlowBlock):
    """Empty room."""

    kind: Literal["spacer"] = "spacer"
    height: BoxSide = 12_000
    """How much; at the top of a page there is none."""


class BreakBlock(FlowBlock):
    """What follows begins on a new page."""

    kind: Literal["break"] = "break"
    on: Literal["any", "odd", "even", "column"] = "any"
    """Whether on the next page, the next with an odd or an even number, or in the next column or label."""
    orientation: Orientation | None = None
    """Whether the pages that follow are portrait or landscape; without one, they are as before. In a for-each, they
    always are."""


class ShapeBlock(FlowBlock):
    """A line, a rectangle or an ellipse."""

    kind: Literal["shape"] = "shape"
    draw: Literal["line", "rectangle", "ellipse"] = "rectangle"
    """What it is; a line goes from the top left to the bottom right."""
    width: BoxSide | None = None
    """Width; without one, all there is."""
    height: BoxSide = 60_000
    """Height."""
    align: Align = "start"
    """Horizontal place."""
    fill: Color | None = None
    """Colour of its area; without one, there is none."""
    stroke: Color | None = "#8B8378"
    """Colour of its edge; without one, there is none."""
    thickness: Thickness = 700
    """Thickness of its edge."""
    corner: BoxSide = 0
    """Radius of a rectangle's corners."""


class BarcodeBlock(FlowBlock):
    """A QR code or a barcode."""

    kind: Literal["barcode"] = "barcode"
    draw: Literal["qr", "barcode"] = "qr"
    """A QR code (ISO/IEC 18004) or a barcode of Code 128 (ISO/IEC 15417)."""
    text: str
    """Template for its text."""
    height: Annotated[Length, Field(ge=10_000, le=500_000)] = 60_000
    """Height."""
    width: Annotated[Length, Field(ge=10_000, le=1_000_000)] | None = None
    """Width of a barcode; without one, three times its height."""
    align: Align = "start"
    """Horizontal place."""


class ReadoutBlock(FlowBlock):
    """One computed value, large, with what it is, and how it differs from another."""

    kind: Literal["readout"] = "readout"
    value: str
    """Expression for the value."""
    format: str | None = None
    """CLDR pattern for the value."""
    caption: str = ""
    """Template of its caption, above it."""
    against: str | None = None
    """Expression for the value it is compared with; the difference is printed below."""
    difference: Literal["share", "amount"] = "share"
    """Whether the difference is printed as a share of the other value or as an amount."""
    difference_text: str = ""
    """Template after the difference, such as against {min(year)}."""
    trend: str | None = None
    """Expression for a list of numbers that is drawn small below, such as list(fare)."""
    trend_drawn: Literal["spark", "columns"] = "spark"
    """Whether that is a line or columns."""
    trend_height: Annotated[Length, Field(ge=4_000, le=200_000)] = 18_000
    """The height of that."""
    trend_color: Color = "#2F7F86"
    """Its colour."""
    good: Literal["more", "less", "neither"] = "more"
    """Which difference is good, and so green; the other is red."""
    style: Name | None = None
    """A style of the report, for the value."""
    look: Style | None = None
    """Own changes over the style."""


class ContentsBlock(FlowBlock):
    """A table of contents, or a list of tables: titles with the numbers of their pages, which they lead to."""

    kind: Literal["contents"] = "contents"
    lists: Literal["contents", "captions"] = "contents"
    """Whether it lists headings, records and groups, as the outline of a PDF does, or captions of tables and charts."""
    depth: Annotated[int, Field(ge=1, le=9)] = 3
    """How many steps of headings it lists."""
    leader: Literal["none", "dots"] = "dots"
    """What leads to the numbers."""
    style: Name | None = None
    """A style of the report."""
    look: Style | None = None
    """Own changes over the style."""


class IncludeBlock(FlowBlock):
    """What is kept elsewhere and changed there: shared blocks, or an edition of another report."""

    kind: Literal["include"] = "include"
    file: str
    """Path of shared blocks (….blocks.json) or of a report (….moor), from the library's folder; it cannot lead out of
    it."""
    edition: Name | None = None
    """Which edition of the report; without one, the first."""
