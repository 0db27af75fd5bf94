"""Pages to PDF, page by page: content streams, links, bookmarks and places, with the fonts and pictures they use.

There is no clock and no chance in the bytes, and what is kept of a page that is written is where its places are.
"""

import io
from collections import deque
from collections.abc import Iterable, Iterator, Mapping
from concurrent.futures import Future, ThreadPoolExecutor
from itertools import islice
from typing import BinaryIO

import numpy as np

from northmoor.core.base.gc_pause import gc_paused
from northmoor.core.layout.graphics.display_list import (
    PAGES_PER_BATCH,
    AnyPicture,
    Links,
    Page,
    Paths,
    SharedSourceRef,
    SourceRef,
    VectorPicture,
    layer_items,
)
from northmoor.core.layout.text.fonts import open_font
from northmoor.core.output.output_document import Metadata, OutputDocument, OutputFile
from northmoor.core.output.pdf.archival import ArchivalParts, archival_parts, archival_xmp
from northmoor.core.output.pdf.content_streams import ContentWriter, draw_paths
from northmoor.core.output.pdf.deflate_streams import deflated, deflated_quickly
from northmoor.core.output.pdf.destinations import NamedDestinations, link_annotation
from northmoor.core.output.pdf.file_structure import PdfFile, dictionary, listed, points, reference, string
from northmoor.core.output.pdf.font_embedding import write_font
from northmoor.core.output.pdf.outline import PdfOutline
from northmoor.core.output.pdf.page_tags import PageTagger, PageTags
from northmoor.core.output.pdf.protection import protected_writer
from northmoor.core.output.pdf.structure_tree import StructureTree
from northmoor.core.output.pdf.xmp import UNIVERSAL, xmp_packet

_SIBLINGS = 128
"""Pages in a node of their tree."""
_MOST_WAITING = 1
"""Batches of pages."""


def output_files(document: OutputDocument) -> list[OutputFile]:
    """The one file that a document is."""
    return [OutputFile(protected_writer(document, lambda target: write_document(document, target)))]


def write_document(document: OutputDocument, target: BinaryIO) -> None:
    """Write a document as a PDF, tagged if that is wanted. Raises Cancelled."""
    tagger = PageTagger(document.composition, document.metadata.title) if document.options.tagged else None
    write_pdf(document.pages(), document.metadata, target, tagger, archival_parts(document))


def write_page_pdf(page: Page, metadata: Metadata, writer: ContentWriter) -> bytes:
    """One page as a PDF of its own, by a writer that is kept from page to page."""
    writer.pictures = {}
    (content,) = writer.contents([page])
    target = io.BytesIO()
    PdfAssembly(metadata, writer, target).write([(page, deflated_quickly(content), None)])
    return target.getvalue()


def write_pdf(
    pages: Iterable[Page],
    metadata: Metadata,
    target: BinaryIO,
    tagger: PageTagger | None = None,
    archival: ArchivalParts | None = None,
) -> None:
    """Write a PDF file of pages; with a tagger, one that says what its parts are, and with archival parts, one that is
    made to be kept."""
    writer = ContentWriter()
    with gc_paused():
        PdfAssembly(metadata, writer, target, tagger, archival).write(_packed(pages, writer, tagger))


PackedPage = tuple[Page, bytes, PageTags | None]
"""A page with its compressed content stream and its tags, if it has any."""


def _packed(pages: Iterable[Page], writer: ContentWriter, tagger: PageTagger | None) -> Iterator[PackedPage]:
    """Each page with its compressed content stream; pages are compressed while the next ones are made."""
    waiting: deque[tuple[list[Page], list[PageTags], Future[list[bytes]]]] = deque()
    rest = iter(pages)

    def packed(contents: list[bytes]) -> list[bytes]:
        return [deflated(content) for content in contents]

    def finished() -> Iterator[PackedPage]:
        done, tags, contents = waiting.popleft()
        for number, (page, content) in enumerate(zip(done, contents.result(), strict=True)):
            yield page, content, tags[number] if tags else None

    with ThreadPoolExecutor(1) as pool:
        while batch := list(islice(rest, PAGES_PER_BATCH)):
            tags = tagger.tags(batch) if tagger is not None else []
            waiting.append((batch, tags, pool.submit(packed, writer.contents(batch, tags))))
            while len(waiting) > _MOST_WAITING:
                yield from finished()
        while waiting:
            yield from finished()


class PdfAssembly:
    """Puts a PDF file together from its pages."""

    def __init__(
        self,
        metadata: Metadata,
        writer: ContentWriter,
        target: BinaryIO,
        tagger: PageTagger | None = None,
        archival: ArchivalParts | None = None,
    ) -> None:
        self._metadata, self._writer, self._archival = metadata, writer, archival
        self._file = PdfFile(target)
        self._catalog, self._pages, self._resources = self._file.number(), _PageTree(self._file), self._file.number()
        self._outline, self._places = PdfOutline(), NamedDestinations()
        self._structure = StructureTree(self._file, tagger.tables) if tagger is not None else None

    def write(self, packed_pages: Iterable[PackedPage]) -> None:
        """Write all pages and what belongs to the whole."""
        for number, (page, packed, tags) in enumerate(packed_pages, 1):
            self._page(page, packed, tags)
            if self._structure is not None and number % PAGES_PER_BATCH == 0:
                self._structure.flush()
        file, own = self._file, self._writer
        file.add(dictionary(self._catalog_entries()), self._catalog)
        fonts = {use.resource: reference(write_font(file, use, open_font(name))) for name, use in own.fonts.items()}
        pictures = {resource: reference(_write_picture(file, picture)) for resource, picture in own.pictures.values()}
        file.add(dictionary({"Font": dictionary(fonts), "XObject": dictionary(pictures)}), self._resources)
        metadata = self._metadata
        given = {"Author": metadata.author, "Subject": metadata.subject, "Keywords": metadata.keywords}
        described = {"Title": metadata.title, **{name: text for name, text in given.items() if text}}
        described |= {"Producer": "Northmoor", **metadata.entries}
        file.close(self._catalog, file.add(dictionary({name: string(text) for name, text in described.items()})))

    def _page(self, page: Page, packed: bytes, tags: PageTags | None) -> None:
        file = self._file
        content = file.add_stream({}, packed, is_packed=True)
        entries = {
            "Type": b"/Page",
            "Parent": reference(self._pages.parent()),
            "MediaBox": b"[0 0 %b %b]" % (points(page.width), points(page.height)),
            "Resources": reference(self._resources),
            "Contents": reference(content),
        }
        items = [item for layer in page.layers if isinstance(layer, Links) for item in layer_items(layer)]
        number = file.number()
        if self._structure is None or tags is None:
            if items:
                is_kept = self._archival is not None
                entries["Annots"] = listed(link_annotation(page, item, is_kept=is_kept) for item in items)
        else:
            key = self._structure.key()
            keys = [self._structure.key() for _ in items]
            annotations = [file.add(link_annotation(page, item, own)) for item, own in zip(items, keys, strict=True)]
            entries |= {"StructParents": b"%d" % key, "Tabs": b"/S"}
            if annotations:
                entries["Annots"] = listed(map(reference, annotations))
            self._structure.add_page(page, number, key, tags, list(zip(annotations, keys, strict=True)))
        self._pages.add(dictionary(entries), number)
        self._outline.add(page, number)
        self._places.add(page, number)

    def _catalog_entries(self) -> dict[str, bytes]:
        file, structure, metadata = self._file, self._structure, self._metadata
        entries = {
            "Type": b"/Catalog",
            "Pages": reference(self._pages.close()),
            "ViewerPreferences": b"<</DisplayDocTitle true>>",
        }
        if self._outline.marks:
            entries["Outlines"] = reference(self._outline.write(file))
        names = {"Dests": reference(self._places.write(file))} if self._places.of_names else {}
        standards = [] if structure is None else [UNIVERSAL]
        if self._archival is not None:
            own, attached = self._archival.write(file, metadata.entries.get("NorthmoorDataTime", ""))
            entries |= own
            names |= {"EmbeddedFiles": attached} if attached else {}
            standards += archival_xmp(self._archival.part)
        if names:
            entries["Names"] = dictionary(names)
        if standards:
            packet = file.add_plain_stream(_METADATA, xmp_packet(metadata, standards))
            entries["Metadata"] = reference(packet)
        if structure is not None:
            structure.close(metadata.language)
            entries |= {
                "MarkInfo": b"<</Marked true>>",
                "Lang": string(metadata.language),
                "StructTreeRoot": reference(structure.root),
            }
        return entries


_METADATA = {"Type": b"/Metadata", "Subtype": b"/XML"}


class _PageTree:
    """The tree of pages (ISO 32000-1, 7.7.3.2), two levels high."""

    def __init__(self, file: PdfFile) -> None:
        self._file = file
        self._root = file.number()
        self._nodes: list[tuple[int, int]] = []
        self._own, self._kids = 0, list[bytes]()

    def parent(self) -> int:
        """The number of the node that the next page belongs to."""
        if not self._kids:
            self._own = self._file.number()
        return self._own

    def add(self, page: bytes, number: int) -> None:
        """Add a page under its number."""
        self._file.add(page, number)
        self._kids.append(reference(number))
        if len(self._kids) == _SIBLINGS:
            self._close_node()

    def close(self) -> int:
        """Write what is left; the number of the root."""
        if self._kids:
            self._close_node()
        count = sum(own for _, own in self._nodes)
        kids = listed(reference(number) for number, _ in self._nodes)
        return self._file.add(dictionary({"Type": b"/Pages", "Kids": kids, "Count": b"%d" % count}), self._root)

    def _close_node(self) -> None:
        kids, self._kids = self._kids, []
        entries = {"Type": b"/Pages", "Parent": reference(self._root), "Kids": listed(kids), "Count": b"%d" % len(kids)}
        self._nodes.append((self._file.add(dictionary(entries), self._own), len(kids)))


def _write_picture(file: PdfFile, picture: AnyPicture) -> int:
    """Write a picture; its number."""
    if isinstance(picture, VectorPicture):
        return _write_drawing(file, picture)
    entries = {"ColorSpace": b"/DeviceGray" if picture.gray else b"/DeviceRGB"}
    if picture.alpha is not None:
        mask = _write_image(file, picture.alpha, picture.pixels, {"ColorSpace": b"/DeviceGray"}, b"/FlateDecode")
        entries["SMask"] = reference(mask)
    packing = b"/DCTDecode" if picture.is_jpeg else b"/FlateDecode"
    return _write_image(file, picture.data, picture.pixels, entries, packing)


def _write_image(
    file: PdfFile, data: bytes, pixels: tuple[int, int], entries: Mapping[str, bytes], packing: bytes
) -> int:
    sizes = {"Width": b"%d" % pixels[0], "Height": b"%d" % pixels[1], "BitsPerComponent": b"8"}
    kind = {"Type": b"/XObject", "Subtype": b"/Image", "Filter": packing}
    return file.add_stream({**kind, **sizes, **entries}, data)


def _write_drawing(file: PdfFile, picture: VectorPicture) -> int:
    """Write a drawing as a form (ISO 32000-1, 8.10), which may be in many places; its number."""
    width, height = picture.pixels
    opacities = list(dict.fromkeys(path.opacity for path in picture.paths))
    out: list[bytes] = []
    for path in picture.paths:
        box = (np.zeros(1, np.int64),) * 4
        out.append(b"q /G%d gs" % opacities.index(path.opacity))
        draw_paths(Paths(*box, (path,), SharedSourceRef(SourceRef("", ""))), height, out)
        out.append(b"Q")
    states = {f"G{at}": b"<</ca %.4g /CA %.4g>>" % (opacity, opacity) for at, opacity in enumerate(opacities)}
    entries = {
        "Type": b"/XObject",
        "Subtype": b"/Form",
        "BBox": b"[0 0 %d %d]" % (width, height),
        "Resources": dictionary({"ExtGState": dictionary(states)}),
    }
    return file.add_stream(entries, b"\n".join(out))
