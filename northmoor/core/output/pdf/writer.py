"""Pages to PDF, page by page: content streams, links, bookmarks and places, with the fonts and pictures they use.

There is no clock and no chance in the bytes, and what is kept of a page that is written is where its places are.
"""

import io
import zlib
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
from northmoor.core.output.pdf.content_streams import ContentWriter, draw_paths
from northmoor.core.output.pdf.destinations import NamedDestinations, link_annotation
from northmoor.core.output.pdf.file_structure import COMPRESSION, PdfFile, dictionary, listed, points, reference, string
from northmoor.core.output.pdf.font_embedding import write_font
from northmoor.core.output.pdf.outline import PdfOutline

_QUICK = 1
_SIBLINGS = 128
"""Pages in a node of their tree."""
_MOST_WAITING = 2
"""Batches of pages."""


def output_files(document: OutputDocument) -> list[OutputFile]:
    """The one file that a document is."""
    return [OutputFile(lambda target: write_pdf(document.pages(), document.metadata, target))]


def write_page_pdf(page: Page, metadata: Metadata, writer: ContentWriter) -> bytes:
    """One page as a PDF of its own, by a writer that is kept from page to page."""
    writer.pictures = {}
    (content,) = writer.contents([page])
    target = io.BytesIO()
    _assemble([(page, zlib.compress(content, _QUICK))], metadata, writer, target)
    return target.getvalue()


def write_pdf(pages: Iterable[Page], metadata: Metadata, target: BinaryIO) -> None:
    """Write a PDF file of pages."""
    writer = ContentWriter()
    with gc_paused():
        _assemble(_packed(pages, writer), metadata, writer, target)


def _packed(pages: Iterable[Page], writer: ContentWriter) -> Iterator[tuple[Page, bytes]]:
    """Each page with its compressed content stream; pages are compressed while the next ones are made."""
    waiting: deque[tuple[list[Page], Future[list[bytes]]]] = deque()
    rest = iter(pages)

    def packed(contents: list[bytes]) -> list[bytes]:
        return [zlib.compress(content, COMPRESSION) for content in contents]

    with ThreadPoolExecutor(1) as pool:
        while batch := list(islice(rest, PAGES_PER_BATCH)):
            waiting.append((batch, pool.submit(packed, writer.contents(batch))))
            while len(waiting) > _MOST_WAITING:
                done, contents = waiting.popleft()
                yield from zip(done, contents.result(), strict=True)
        for done, contents in waiting:
            yield from zip(done, contents.result(), strict=True)


def _assemble(
    packed_pages: Iterable[tuple[Page, bytes]], metadata: Metadata, own: ContentWriter, target: BinaryIO
) -> None:
    file = PdfFile(target)
    catalog, tree, resources = file.number(), _PageTree(file), file.number()
    outline, places = PdfOutline(), NamedDestinations()
    for page, packed in packed_pages:
        content = file.add_stream({}, packed, is_packed=True)
        entries = {
            "Type": b"/Page",
            "Parent": reference(tree.parent()),
            "MediaBox": b"[0 0 %b %b]" % (points(page.width), points(page.height)),
            "Resources": reference(resources),
            "Contents": reference(content),
        }
        items = (item for layer in page.layers if isinstance(layer, Links) for item in layer_items(layer))
        if links := [link_annotation(page, item) for item in items]:
            entries["Annots"] = listed(links)
        number = tree.add(dictionary(entries))
        outline.add(page, number)
        places.add(page, number)
    entries = {"Type": b"/Catalog", "Pages": reference(tree.close()), "ViewerPreferences": b"<</DisplayDocTitle true>>"}
    if outline.marks:
        entries["Outlines"] = reference(outline.write(file))
    if places.of_names:
        entries["Names"] = dictionary({"Dests": reference(places.write(file))})
    file.add(dictionary(entries), catalog)
    fonts = {use.resource: reference(write_font(file, use, open_font(name))) for name, use in own.fonts.items()}
    pictures = {resource: reference(_write_picture(file, picture)) for resource, picture in own.pictures.values()}
    file.add(dictionary({"Font": dictionary(fonts), "XObject": dictionary(pictures)}), resources)
    described = {"Title": metadata.title, "Producer": "Northmoor", **metadata.entries}
    file.close(catalog, file.add(dictionary({name: string(text) for name, text in described.items()})))


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

    def add(self, page: bytes) -> int:
        """Add a page; its number."""
        number = self._file.add(page)
        self._kids.append(reference(number))
        if len(self._kids) == _SIBLINGS:
            self._close_node()
        return number

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
