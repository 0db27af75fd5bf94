"""The formats that a document is delivered in: to add one, write its module and add its record here."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Literal

from msgspec import Struct


class OutputFormat(Struct, frozen=True):
    """A format of files."""

    suffix: str
    """What its files end with, without the point; also its name in reports."""
    label: str
    """What it is called where one is chosen."""
    module: str
    """The module whose `output_files` makes its files of an `OutputDocument`, loaded when the format is first used."""
    options: tuple[str, ...] = ()
    """The choices of `OutputOptions` that it takes."""
    also: tuple[str, ...] = ()
    """Other endings of its files."""
    of_rows: bool = False
    """Whether it is made of the rows of one block: a file for each where none is named."""


_IMAGE = ("resolution", "colors")
_ROWS = ("columns", "numbers")
OUTPUT_FORMATS: tuple[OutputFormat, ...] = (
    OutputFormat("pdf", "PDF", "northmoor.core.output.pdf.writer", ("tagged", "archive", "allowed", "password")),
    OutputFormat("xlsx", "Spreadsheet", "northmoor.core.output.spreadsheet.writer", ("sheets", "sheet_for")),
    OutputFormat("html", "Web page", "northmoor.core.output.html.writer", ("interactive",), ("htm",)),
    OutputFormat("docx", "Document to edit", "northmoor.core.output.word.writer"),
    OutputFormat("svg", "Drawings (SVG), one per page", "northmoor.core.output.svg.writer", ("glyphs",)),
    OutputFormat("png", "Pictures (PNG), one per page", "northmoor.core.output.image.writer", _IMAGE),
    OutputFormat("jpg", "Pictures (JPEG), one per page", "northmoor.core.output.image.writer",
                 (*_IMAGE, "quality"), ("jpeg",)),
    OutputFormat("webp", "Pictures (WebP), one per page", "northmoor.core.output.image.writer", (*_IMAGE, "quality")),
    OutputFormat("tiff", "Pictures (TIFF), all pages in one", "northmoor.core.output.image.writer", _IMAGE, ("tif",)),
    OutputFormat("csv", "Rows (CSV)", "northmoor.core.output.data.writer", _ROWS, of_rows=True),
    OutputFormat("tsv", "Rows (TSV)", "northmoor.core.output.data.writer", _ROWS, of_rows=True),
    OutputFormat("jsonl", "Rows (JSON lines)", "northmoor.core.output.data.writer", _ROWS, ("ndjson",), of_rows=True),
    OutputFormat("parquet", "Rows (Parquet)", "northmoor.core.output.data.writer", _ROWS, of_rows=True),
    OutputFormat("arrow", "Rows (Arrow)", "northmoor.core.output.data.writer", _ROWS, ("feather",), of_rows=True),
    OutputFormat("ods", "Rows (OpenDocument)", "northmoor.core.output.data.writer", _ROWS),
    OutputFormat("json", "Page dump (JSON)", "northmoor.core.output.page_dump"),
)  # fmt: skip
"""All formats, in the order in which they are offered."""
FORMAT_OF_SUFFIX: Mapping[str, OutputFormat] = {each.suffix: each for each in OUTPUT_FORMATS}
FORMAT_OF_ENDING: Mapping[str, OutputFormat] = {
    ending: each for each in OUTPUT_FORMATS for ending in (each.suffix, *each.also)
}
"""The formats by all endings that their files may have."""

if TYPE_CHECKING:
    FormatName = str
else:
    FormatName = Literal[tuple(FORMAT_OF_SUFFIX)]
"""A format, as files of reports name it."""
