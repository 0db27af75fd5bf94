"""What an output is made of: pages, what the document says in reading order, and what the file says about itself."""

from collections.abc import Callable, Iterator, Mapping
from typing import BinaryIO

import pyarrow as pa
from msgspec import Struct, field

from northmoor.core.base.replace import replace
from northmoor.core.errors import OutputError
from northmoor.core.layout.graphics.display_list import Page
from northmoor.core.layout.page.composition import Composition
from northmoor.core.model.blocks.tree import walk
from northmoor.core.model.output_options import OutputOptions
from northmoor.core.output.content.nodes import ContentNode
from northmoor.core.output.content.reading_order import document_nodes

FileWriter = Callable[[BinaryIO], None]


class OutputFile(Struct, frozen=True):
    """A file of an output: what writes it, and what its name has after the output's; without that, several files are
    numbered."""

    write: FileWriter
    name: str = ""


class Metadata(Struct, frozen=True):
    """What the file says about itself: the title, its language (BCP 47), who it is by, what it is about, words it is
    found by, and further entries of the document information."""

    title: str
    entries: Mapping[str, str] = field(default_factory=dict)
    language: str = ""
    author: str = ""
    subject: str = ""
    keywords: str = ""


class OutputDocument(Struct, frozen=True):
    """A document as outputs see it, or one block of it. `pages` makes all pages again each time it is called, and
    `rows` gives the fetched rows of queries; both may raise Cancelled."""

    metadata: Metadata
    composition: Composition
    pages: Callable[[], Iterator[Page]]
    rows: Mapping[str, pa.Table] = field(default_factory=dict)
    suffix: str = ""
    """The format that is wanted."""
    options: OutputOptions = field(default_factory=OutputOptions)
    block: str | None = None
    """The one block that is wanted; None for all."""
    report_text: str = ""
    """The report itself, as its file holds it."""
    page_range: range | None = None
    """The indices of the pages that are wanted, such as those of one record of a bundle; None for all."""
    password: Callable[[], str] = str
    """Finds what opens the file, where the options name a password; may raise OutputError."""

    def nodes(self) -> Iterator[ContentNode]:
        """What it says, in reading order. Raises Cancelled."""
        return document_nodes(self.composition, self.metadata.title, self.block, self.page_range)

    def with_pages(self, pages: Callable[[], Iterator[Page]]) -> "OutputDocument":
        """The same with pages that come another way."""
        return replace(self, pages=pages)

    def check_all_records(self) -> None:
        """Raise OutputError where only one record is wanted: the rows of others are no business of who gets it."""
        if self.page_range is not None:
            raise OutputError("The rows of a query are those of all records; for one record, write the cells as seen.")

    def check_stop(self) -> None:
        """Raise Cancelled if it is no longer wanted."""
        self.composition.context.stop.raise_if_cancelled()


def wanted_queries(document: OutputDocument) -> dict[str, pa.Table]:
    """The rows of the queries of a document's blocks, or of the one block, in the order of the blocks.

    Raises OutputError where only one record is wanted.
    """
    document.check_all_records()
    found: dict[str, pa.Table] = {}
    for block in walk(document.composition.edition.blocks):
        query: str = getattr(block, "query", "")
        if query in document.rows and document.block in (None, block.name):
            found.setdefault(query, document.rows[query])
    return found
