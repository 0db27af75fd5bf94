"""A PDF for each of many records of one document: what is alike in them is made once for a batch of records.

Pages are made, and their contents encoded, for a batch at a time, and the files of a batch share the subsets of their
fonts. Batches follow from the records alone, so that a file has the same bytes whichever others were made before.
"""

import io
from collections.abc import Iterator, Sequence
from functools import partial
from itertools import chain
from typing import BinaryIO

from northmoor.core.base.gc_pause import gc_paused
from northmoor.core.layout.graphics.display_list import PAGES_PER_BATCH
from northmoor.core.output.output_document import OutputDocument
from northmoor.core.output.pdf.archival import archival_parts
from northmoor.core.output.pdf.content_streams import ContentWriter
from northmoor.core.output.pdf.deflate_streams import deflated
from northmoor.core.output.pdf.page_tags import PageTagger
from northmoor.core.output.pdf.protection import protected_writer
from northmoor.core.output.pdf.writer import PackedPage, PdfAssembly


def record_batches(lengths: Sequence[int]) -> Iterator[range]:
    """Records in batches, given how many pages each has: so many that they have about as many pages as are made at a
    time."""
    first, pages = 0, 0
    for number, length in enumerate(lengths):
        pages += length
        if pages >= PAGES_PER_BATCH:
            yield range(first, number + 1)
            first, pages = number + 1, 0
    if first < len(lengths):
        yield range(first, len(lengths))


def _assemble(
    document: OutputDocument,
    writer: ContentWriter,
    tagger: PageTagger | None,
    packed: Sequence[PackedPage],
    target: BinaryIO,
) -> None:
    PdfAssembly(document.metadata, writer, target, tagger, archival_parts(document)).write(packed)


def write_records(documents: Sequence[OutputDocument]) -> list[bytes]:
    """The PDF of each of some records of one document, which are a batch. Raises Cancelled."""
    writer = ContentWriter()
    with gc_paused():
        composition = documents[0].composition
        documents[0].check_stop()
        own = [range(0) if document.page_range is None else document.page_range for document in documents]
        made = iter(composition.pages(own[0].start, own[-1].stop))
        pages = [[next(made) for _ in wanted] for wanted in own]
        taggers = [
            PageTagger(composition, document.metadata.title) if document.options.tagged else None
            for document in documents
        ]
        tags = [tagger.tags(each) if tagger is not None else [] for tagger, each in zip(taggers, pages, strict=True)]
        contents = iter(writer.contents(list(chain.from_iterable(pages)), list(chain.from_iterable(tags))))
        files = []
        for document, each, marks, tagger in zip(documents, pages, tags, taggers, strict=True):
            packed: list[PackedPage] = [
                (page, deflated(next(contents)), marks[number] if marks else None) for number, page in enumerate(each)
            ]
            target = io.BytesIO()
            protected_writer(document, partial(_assemble, document, writer, tagger, packed))(target)
            files.append(target.getvalue())
    return files
