"""The blocks an edition is made of: text, picture, table, matrix and chart."""

from typing import Annotated, Literal

from pydantic import Field

from northmoor.core.model.charts import ChartBlock
from northmoor.core.model.lengths import Gap, Length
from northmoor.core.model.looks import Align, Look
from northmoor.core.model.matrices import MatrixBlock
from northmoor.core.model.part import Name, Part
from northmoor.core.model.tables import TableBlock


def literal(text: str) -> str:
    """The template that shows a text as it is."""
    return text.replace("{", "{{").replace("}", "}}")


class TextBlock(Part):
    """A paragraph."""

    kind: Literal["text"] = "text"
    name: Name
    """The name by which findings and origins speak of it."""
    text: str = ""
    """Template; a line break starts a new line."""
    style: Name | None = None
    """A style of the report."""
    look: Look | None = None
    """Own changes over the style."""
    space_after: Gap = 0
    """Space between it and the next block."""
    visible: str | None = None
    """Expression that says whether it is shown, such as :detail = 'full'; without one, it always is."""


class PictureBlock(Part):
    """A picture from the library."""

    kind: Literal["picture"] = "picture"
    name: Name
    """The name by which findings and origins speak of it."""
    file: str
    """Path of a PNG or JPEG file, from the library's folder; it cannot lead out of it."""
    height: Annotated[Length, Field(ge=1000, le=5_000_000)]
    """Height; the width follows from the picture's proportions."""
    align: Align = "start"
    """Horizontal place."""
    space_after: Gap = 0
    """Space between it and the next block."""
    visible: str | None = None
    """Expression that says whether it is shown, such as :detail = 'full'; without one, it always is."""


DataBlock = TableBlock | MatrixBlock | ChartBlock
"""Blocks over a query's rows."""
Block = Annotated[TextBlock | PictureBlock | DataBlock, Field(discriminator="kind")]
