"""How files of a document are made, where a format leaves a choice."""

from typing import Annotated, Literal

from pydantic import Field

from northmoor.core.model.base import Part


class OutputOptions(Part):
    """Choices of formats; each concerns only the formats that it names."""

    tagged: bool = True
    """PDF: whether it is tagged with what its parts are, their reading order, and what pictures show, so that it can be
    read aloud and its texts reflow on small screens."""
    archive: Literal["no", "pages", "pages_and_data"] = "no"
    """PDF: whether it is made to be kept (PDF/A), and whether the rows and the report are attached to it."""
    allowed: Literal["everything", "no_changes", "printing", "reading"] = "everything"
    """PDF: what its readers may do, as far as their programs keep to it; reading aloud is always allowed."""
    password: Annotated[str | None, Field(pattern=r"^[A-Za-z0-9_.\-]{1,60}$")] = None
    """PDF: the name of the password that opens it (AES-256). The password itself is never in the report: it is entered,
    or found in the keyring or the environment under pdf:// and this name."""
    sheets: Literal["as_seen", "rows"] = "as_seen"
    """Spreadsheet: the tables as they are on the pages, with groups, totals and looks, or the rows of their queries."""
    sheet_for: Literal["edition", "block", "record", "group"] = "edition"
    """Spreadsheet: whether all is on one sheet, or each table has its own, or each record or page break between blocks
    begins one, or each outermost group of a table has its own, and what totals them all one more."""
    columns: Literal["as_seen", "rows"] = "as_seen"
    """Open data: the cells of a table with its groups and totals marked, or the rows of its query."""
    numbers: Literal["exact", "printed"] = "exact"
    """Open data: numbers as they were computed, or rounded as they are printed."""
    resolution: Annotated[int, Field(ge=18, le=1200)] = 144
    """Pictures: pixels an inch."""
    colors: Literal["color", "gray", "black"] = "color"
    """Pictures: in colour, in grays, or in black and white only, as fax and label printers need."""
    quality: Annotated[int, Field(ge=10, le=100)] = 90
    """JPEG and WebP: how closely pictures keep to what they show; 100 keeps WebP exact."""
    glyphs: Literal["text", "outlines"] = "text"
    """SVG: texts as texts, with the fonts they need, or as outlines, which no program can read or change."""
    interactive: bool = True
    """HTML: whether groups open and close; a mail has none of that, and its looks are in each element."""
