"""The road, from a report and values to a document whose pages are made as they are asked for.

A session keeps what each stage made, by what it depends on: an edit repeats only the stages it touches.
"""

import hashlib
import io
from collections.abc import Callable, Iterator, Mapping
from functools import cached_property, partial
from pathlib import Path

from msgspec import Struct

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.phrases import phrase
from northmoor.core.base.progress import CountedProgress
from northmoor.core.base.replace import replace
from northmoor.core.compute.parameters.resolution import ResolvedValues
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import OutputError, did_you_mean
from northmoor.core.export.document_files import format_of, write_outputs
from northmoor.core.layout.graphics.display_list import PAGES_PER_BATCH, Page
from northmoor.core.layout.page.composition import Composition
from northmoor.core.model.blocks.containers import ForEachBlock
from northmoor.core.model.blocks.tree import walk
from northmoor.core.model.findings import Finding
from northmoor.core.model.output_options import OutputOptions
from northmoor.core.model.report import Edition
from northmoor.core.model.serialization import report_text
from northmoor.core.output.block_pages import block_pages
from northmoor.core.output.output_document import Metadata, OutputDocument
from northmoor.core.output.pdf.content_streams import ContentWriter
from northmoor.core.output.pdf.writer import write_document, write_page_pdf
from northmoor.core.sources.drivers.credentials import PDF_ADDRESS, VARIABLE
from northmoor.core.sources.library import Library

ReportProgress = Callable[[str], None]
_LONGEST_LIST = 1_000


class RecordPages(Struct, frozen=True):
    """A record of a for-each: its number from 0, the indices of its pages, and what a bundle knows of it (the name of
    its file, its address, its total), of which a text that could not be made is None."""

    number: int
    pages: range
    texts: tuple[str | None, ...] = ()


class Document:
    """A rendered report: pages as they are asked for, findings, and outputs."""

    def __init__(
        self,
        resolved: ResolvedValues,
        library: Library,
        composition: Composition,
        rows: Mapping[str, Rows],
        writer: ContentWriter,
        parameters_bound: Callable[[], frozenset[str]],
        words_of: Callable[[str], tuple[str, ...]],
    ) -> None:
        self.resolved = resolved
        self.library = library
        self.words_of = words_of
        self.report = resolved.report
        self.values = resolved.values
        self.title = str(self.values.of_document["report_title"])
        self.data_time = self.values.of_document["data_time"]
        self.composition = composition
        self.rows = rows
        self._parameters_bound = parameters_bound
        self._writer = writer

    def __len__(self) -> int:
        return len(self.composition)

    def page(self, index: int) -> Page:
        """The page of an index from 0."""
        return self.composition.pages(index, index + 1)[0]

    @property
    def edition(self) -> Edition:
        """The edition as its values make it."""
        return self.composition.edition

    @property
    def findings(self) -> tuple[Finding, ...]:
        """What is wrong with the report, as far as it has been laid out."""
        return tuple(self.composition.context.findings)

    @cached_property
    def parameters_bound(self) -> frozenset[str]:
        """The parameters that the report's queries use."""
        return self._parameters_bound()

    @property
    def row_count(self) -> int:
        """How many rows its queries returned."""
        return sum(rows.table.num_rows for rows in self.rows.values())

    def page_pdf(self, index: int) -> bytes:
        """One page as a PDF of its own: what the canvas shows."""
        return write_page_pdf(self.page(index), Metadata(self.title), self._writer)

    @cached_property
    def metadata(self) -> Metadata:
        """What outputs say about how they were made: report revision, values and data time."""
        revision = hashlib.sha256(self._report_text.encode()).hexdigest()[:12]
        counts = {p.names[1] for p in self.report.parameters if p.holds == "list"}
        by_name = {name: value for name, value in sorted(self.values.by_name.items()) if name not in counts}
        values = "; ".join(f"{name}={_metadata_text(value)}" for name, value in by_name.items())
        entries = {"NorthmoorRevision": revision, "NorthmoorValues": values}
        if self.data_time is not None:
            entries["NorthmoorDataTime"] = self.data_time.isoformat()
        report = self.report
        language = report.locale.replace("_", "-")
        return Metadata(self.title, entries, language, report.author, report.subject, report.keywords)

    def pdf(self) -> bytes:
        """All pages as a PDF, as the edition has it. Raises Stopped."""
        target = io.BytesIO()
        write_document(self.output("pdf"), target)
        return target.getvalue()

    def _pages(self, report_progress: ReportProgress, wanted: range | None = None) -> Iterator[Page]:
        """All pages in order, or those wanted. Raises Stopped."""
        wanted = wanted if wanted is not None else range(len(self))
        for first in range(wanted.start, wanted.stop, PAGES_PER_BATCH):
            words = phrase(f"Page {first + 1:,} of {len(self):,}")
            report_progress(CountedProgress(words, first - wanted.start, len(wanted)))
            self.composition.context.stop.raise_if_cancelled()
            yield from self.composition.pages(first, min(first + PAGES_PER_BATCH, wanted.stop))

    def write(
        self,
        path: Path,
        report_progress: ReportProgress = lambda _: None,
        stop: CancelToken | None = None,
        block: str | None = None,
        options: OutputOptions | None = None,
    ) -> list[Path]:
        """Write the document, or one block of it, in the format of the path's ending; the files written. Without
        `options`, those of the edition hold.

        Raises OutputError for an unknown ending or block or a place that cannot be written, and Stopped; nothing is
        left half-written.
        """
        context = self.composition.context
        before, context.stop = context.stop, stop or context.stop
        try:
            return write_outputs(path, self.output(format_of(path).suffix, report_progress, block, options))
        finally:
            context.stop = before  # pages can be looked at though writing was stopped

    def output(
        self,
        suffix: str,
        report_progress: ReportProgress = lambda _: None,
        block: str | None = None,
        options: OutputOptions | None = None,
        record: "RecordPages | None" = None,
    ) -> OutputDocument:
        """The document, or one block or record of it, as a format sees it. Raises OutputError for a block that it does
        not have."""
        names = {each.name for each in walk(self.edition.blocks)}
        if block is not None and block not in names:
            raise OutputError(f"There is no block {block}; the edition has {', '.join(sorted(names))}.")
        own = record.pages if record is not None else None
        pages = partial(self._pages, report_progress, own) if block is None else partial(self._block_pages, block)
        rows = {name: rows.table for name, rows in self.rows.items()}
        metadata = self.metadata if record is None else self._metadata_of_record(record)
        options = options or self.edition.output
        return OutputDocument(
            metadata, self.composition, pages, rows, suffix, options, block, self._report_text, own,
            partial(self._password, options.password),
        )  # fmt: skip

    def _password(self, name: str | None) -> str:
        """The password of a name; empty for none. Raises OutputError where nobody has given it."""
        if name is None:
            return ""
        found = self.library.secrets.password_of(f"{PDF_ADDRESS}{name}")
        if not found:
            raise OutputError(
                f"The password {name!r} that is to open the PDF is not known. Give it in {VARIABLE} or the keyring "
                f"as {PDF_ADDRESS}{name}, or deliver from the window, which asks for it."
            )
        return found

    @cached_property
    def _report_text(self) -> str:
        return report_text(self.report)

    def records(self, name: str) -> list["RecordPages"]:
        """The records of a for-each with the pages that each is on. Raises OutputError where there is no such for-each
        on the pages themselves, or its records do not begin on pages of their own."""
        starts = [start for start in self.composition.placed.record_starts if start.name == name]
        if not any(isinstance(block, ForEachBlock) and block.name == name for block in self.edition.blocks):
            known = [block.name for block in self.edition.blocks if isinstance(block, ForEachBlock)]
            near = did_you_mean(name, known)
            raise OutputError(f"The edition {self.edition.name} has no for-each {name!r} on its pages. {near}".strip())
        if len({start.page for start in starts}) < len(starts):
            raise OutputError(f"The records of {name} do not begin on pages of their own; break the page between them.")
        ends = [*(start.page for start in starts[1:]), len(self)]
        return [
            RecordPages(start.record, range(start.page, end), start.texts)
            for start, end in zip(starts, ends, strict=True)
        ]

    def _metadata_of_record(self, record: "RecordPages") -> Metadata:
        """What a file of one record says of itself: not the values, which may name other records."""
        entries = {name: text for name, text in self.metadata.entries.items() if name != "NorthmoorValues"}
        return replace(self.metadata, entries=entries | {"NorthmoorRecord": str(record.number + 1)})

    def _block_pages(self, block: str) -> Iterator[Page]:
        return block_pages(self.composition, block)


def _metadata_text(value: object) -> str:
    """A value in an output's metadata; a long list is given by its size and a digest."""
    if not isinstance(value, tuple):
        return str(value)
    listed = ",".join(map(str, value))
    if len(listed) <= _LONGEST_LIST:
        return f"[{listed}]"
    return f"[{len(value)} values, SHA-256 {hashlib.sha256(listed.encode()).hexdigest()[:16]}]"
