"""The formats that a document is delivered in: to add one, write its module and add its record here."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal


@dataclass(frozen=True)
class OutputFormat:
    """A format of files."""

    suffix: str
    """What its files end with, without the point; also its name in reports."""
    label: str
    """What it is called where one is chosen."""
    module: str
    """The module whose `file_writers` makes its files of a `PagedDocument`, loaded when the format is first used."""


OUTPUT_FORMATS: tuple[OutputFormat, ...] = (
    OutputFormat("pdf", "PDF", "northmoor.core.output.pdf.writer"),
    OutputFormat("png", "Pictures, one a page", "northmoor.core.output.raster"),
    OutputFormat("json", "Page dump (JSON)", "northmoor.core.output.page_dump"),
)
"""All formats, in the order in which they are offered."""
FORMAT_OF_SUFFIX: Mapping[str, OutputFormat] = {each.suffix: each for each in OUTPUT_FORMATS}

if TYPE_CHECKING:
    FormatName = str
else:
    FormatName = Literal[tuple(FORMAT_OF_SUFFIX)]
"""A format, as files of reports name it."""
