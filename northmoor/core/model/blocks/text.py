"""Text blocks: paragraphs with runs of different looks, items of lists, tab stops and links."""

from typing import Annotated, Literal

from pydantic import Field

from northmoor.core.model.base import FlowBlock, Name, Part
from northmoor.core.model.lengths import Length
from northmoor.core.model.styles import Style


def literal_template(text: str) -> str:
    """The template that shows a text as it is."""
    return text.replace("{", "{{").replace("}", "}}")


class TextRun(Part):
    """A stretch of a text with a look of its own."""

    text: str
    """Template."""
    style: Name | None = None
    """A style of the report, over that of the text."""
    look: Style | None = None
    """Own changes over the style."""
    link: str | None = None
    """Template of the address it opens: https://…, #place, or other.moor?parameter=value."""


class TabStop(Part):
    """Where a text goes on after a tab."""

    at: Annotated[Length, Field(ge=0, le=5_000_000)]
    """Distance from the text's left edge."""
    align: Literal["start", "center", "end"] = "start"
    """Whether what follows, up to the next tab, begins there, ends there, or has its middle there."""
    leader: Literal["none", "dots"] = "none"
    """What leads to it."""


class TextBlock(FlowBlock):
    """A text; a line break starts a new line, a tab goes on at the next tab stop."""

    kind: Literal["text"] = "text"
    text: str = ""
    """Template; a line break starts a new line."""
    runs: Annotated[tuple[TextRun, ...], Field(max_length=500)] = ()
    """The text that follows, in runs with looks of their own."""
    marker: Literal["none", "bullet", "dash", "number"] = "none"
    """What is before each line, as an item of a list; a line that begins with tabs is an item of a deeper level."""
    tabs: Annotated[tuple[TabStop, ...], Field(max_length=50)] = ()
    """Tab stops; after the last, or without any, there is one every 36pt."""
    link: str | None = None
    """Template of the address it opens: https://…, #place, or other.moor?parameter=value."""
    style: Name | None = None
    """A style of the report."""
    look: Style | None = None
    """Own changes over the style."""
    listed: Literal["none", "contents", "captions"] = "none"
    """Whether it is a heading, and so an entry of tables of contents and of the outline of a PDF, or the caption of a
    table or a chart, and so an entry of lists of those."""
    heading: Annotated[int, Field(ge=1, le=9)] = 1
    """Which step of headings it is, from 1."""
    stays_with_next: bool = False
    """Whether it is kept on the page of what follows, as its heading."""

    @property
    def template(self) -> str:
        """All that it says, as one template."""
        return "".join((self.text, *(run.text for run in self.runs)))

    @property
    def is_rich(self) -> bool:
        """Whether it has more than one look, items or tabs."""
        return bool(self.runs or self.tabs) or self.marker != "none" or "\t" in self.text
