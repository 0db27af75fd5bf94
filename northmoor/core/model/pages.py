"""The pages of an edition: paper, margins, the areas that blocks flow through, headers, footers and watermarks."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from northmoor.core.model.base import Name, Part
from northmoor.core.model.lengths import Length
from northmoor.core.model.styles import Style

PAPER_SIZES = {
    "A3": (841_890, 1_190_551),
    "A4": (595_276, 841_890),
    "A5": (419_528, 595_276),
    "A6": (297_638, 419_528),
    "Letter": (612_000, 792_000),
    "Legal": (612_000, 1_008_000),
}
"""Width and height of papers in millipoints, upright (ISO 216; ANSI for Letter and Legal)."""

Margin = Annotated[Length, Field(ge=0, le=500_000)]
Orientation = Literal["portrait", "landscape"]
PaperSide = Annotated[Length, Field(ge=72_000, le=14_400_000)]
"""The side of a page; PDF (ISO 32000-1, annex C) allows up to 200in."""


class PageSetup(Part):
    """Paper, margins, and the columns or labels that a page is parted into."""

    size: Literal["A3", "A4", "A5", "A6", "Letter", "Legal", "custom"] = "A4"
    """Paper size."""
    width: PaperSide = 595_276
    """Width of a custom paper, upright."""
    height: PaperSide = 841_890
    """Height of a custom paper, upright."""
    orientation: Orientation = "portrait"
    """Portrait or landscape."""
    margin_top: Margin = 56_693
    """Free space at the top."""
    margin_right: Margin = 56_693
    """Free space at the right."""
    margin_bottom: Margin = 56_693
    """Free space at the bottom."""
    margin_left: Margin = 56_693
    """Free space at the left."""
    columns: Annotated[int, Field(ge=1, le=50)] = 1
    """How many columns, or labels side by side, a page has."""
    column_gap: Margin = 18_000
    """Space between them."""
    rows: Annotated[int, Field(ge=1, le=100)] = 1
    """How many labels a column has; 1 for columns of text."""
    row_gap: Margin = 0
    """Space between those."""
    fill_first: Literal["down", "across"] = "down"
    """Whether labels are filled column by column or row by row."""
    background: str | None = None
    """Path of a PNG, JPEG or SVG file, from the library's folder, behind the whole page, such as a letterhead; it
    cannot lead out of the folder."""
    background_on: Literal["every", "first", "later"] = "every"
    """The pages it is behind; the first is each page with the number 1, so in statements that of each record."""

    @property
    def paper(self) -> tuple[int, int]:
        """Width and height of the page in millipoints."""
        width, height = (self.width, self.height) if self.size == "custom" else PAPER_SIZES[self.size]
        return (width, height) if self.orientation == "portrait" else (height, width)

    @model_validator(mode="after")
    def _leaves_room(self) -> "PageSetup":
        width, height = self.paper
        across, down = width - self.margin_left - self.margin_right, height - self.margin_top - self.margin_bottom
        if across < 72_000:
            raise ValueError("the left and right margins leave less than 1in of the page's width")
        if down < 72_000:
            raise ValueError("the top and bottom margins leave less than 1in of the page's height")
        if across - (self.columns - 1) * self.column_gap < self.columns * 36_000:
            raise ValueError("the columns leave less than 0.5in of width for each; take fewer, or a smaller gap")
        if down - (self.rows - 1) * self.row_gap < self.rows * 18_000:
            raise ValueError("the labels leave less than 0.25in of height for each; take fewer, or a smaller gap")
        return self


class TextPiece(Part):
    """Text in a header or footer."""

    kind: Literal["text"] = "text"
    text: str
    """Template; page_number(), page_count(), report_title() and data_time() are known here."""
    style: Name | None = None
    """A style of the report."""
    look: Style | None = None
    """Own changes over the style."""


class PicturePiece(Part):
    """Picture in a header or footer."""

    kind: Literal["picture"] = "picture"
    file: str
    """Path of a PNG, JPEG or SVG file, from the library's folder; it cannot lead out of it."""
    height: Annotated[Length, Field(ge=1000, le=500_000)]
    """Height; the width follows from the picture's proportions."""


Piece = Annotated[TextPiece | PicturePiece, Field(discriminator="kind")]


class RunningLine(Part):
    """One line of a header or footer, in three places."""

    start: Piece | None = None
    """At the left margin."""
    center: Piece | None = None
    """Centred between the margins."""
    end: Piece | None = None
    """At the right margin."""
    on: Literal["every", "first", "later", "odd", "even", "last"] = "every"
    """The pages it is on, by their number; where numbering restarts, there is a first and a last page again."""
    of: Name | None = None
    """A level of a table or a for-each: the line is on the pages where a group of the level is open, and refers to the
    first of those groups; its expressions are the keys of that group and of the levels around it."""


class Running(Part):
    """A header or footer. Every page leaves as much room for it as the one that has the most of its lines."""

    lines: tuple[RunningLine, ...] = ()
    """Its lines, from the top."""
    gap: Annotated[Length, Field(ge=0, le=500_000)] = 12_000
    """Space between it and the page's body."""
    rule: Annotated[Length, Field(ge=0, le=20_000)] = 0
    """Thickness of a rule on the side of the body; 0pt for none."""

    def piece_at(self, place: str) -> "TextPiece | PicturePiece | None":
        """The piece at a line and a place in it, such as 0.end. Raises KeyError for a line that is not there."""
        number, _, side = place.partition(".")
        if int(number) >= len(self.lines):
            raise KeyError(place)
        found: TextPiece | PicturePiece | None = getattr(self.lines[int(number)], side)
        return found


class Watermark(Part):
    """A large pale text behind what is on a page."""

    text: str = "Draft"
    """Template; page_number() and page_count() are known here."""
    visible: str | None = None
    """Expression that says on which pages it is shown, such as :state = 'draft'; without one, on all."""
    look: Style | None = None
    """How it is written; its size and its angle are those that fill the page unless a size is set."""
    turned: bool = True
    """Whether it runs from corner to corner; otherwise it is level."""
