"""Picture blocks: where a picture comes from, and how it is fitted into its place."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from northmoor.core.model.base import FlowBlock
from northmoor.core.model.lengths import Length
from northmoor.core.model.styles import Align

Share = Annotated[float, Field(ge=0, le=0.95)]


class PictureBlock(FlowBlock):
    """A picture from the library or from a column."""

    kind: Literal["picture"] = "picture"
    file: str = ""
    """Path of a PNG, JPEG or SVG file, from the library's folder; it cannot lead out of it."""
    value: str | None = None
    """Expression for the picture in place of a file: a path in the library, or the picture itself as base64 or
    hexadecimal text; where it is null, nothing is printed."""
    height: Annotated[Length, Field(ge=1000, le=5_000_000)]
    """Height."""
    width: Annotated[Length, Field(ge=1000, le=5_000_000)] | None = None
    """Width; without one, it follows from the picture's proportions."""
    fit: Literal["whole", "fill", "stretch"] = "whole"
    """With a width: whether all of the picture is seen, all of the place is filled, or both, by stretching it."""
    crop_left: Share = 0.0
    """Share of the picture's width that is cut off at the left."""
    crop_top: Share = 0.0
    """Share of its height that is cut off at the top."""
    crop_right: Share = 0.0
    """Share of its width that is cut off at the right."""
    crop_bottom: Share = 0.0
    """Share of its height that is cut off at the bottom."""
    align: Align = "start"
    """Horizontal place."""
    description: str | None = None
    """Template for what it shows, read out in its place; empty for one that only adorns the page."""
    link: str | None = None
    """Template of the address it opens: https://…, #place, or other.moor?parameter=value."""

    @model_validator(mode="after")
    def _something_is_left(self) -> "PictureBlock":
        if self.crop_left + self.crop_right > 0.95 or self.crop_top + self.crop_bottom > 0.95:
            raise ValueError(f"nothing is left of the picture {self.name!r}; cut less of it off")
        return self
