"""The structure tree of a tagged PDF (ISO 32000-1, 14.7 and 14.8): elements in reading order, page by page, and the
tree that leads from contents back to them. Cells of tables, of which there may be millions, are written by the column.
"""

from bisect import bisect_right
from collections.abc import Iterator, Sequence
from functools import partial

import numpy as np
import pyarrow as pa
from msgspec import Struct, field

from northmoor.core.base.arrays import Bools, Ints
from northmoor.core.expr.text_concat import concat, concat_lists
from northmoor.core.layout.graphics.display_list import PAGES_PER_BATCH, Page
from northmoor.core.output.content.chart_figures import ChartFigures
from northmoor.core.output.pdf.file_structure import PdfFile, dictionary, listed, points, reference, string
from northmoor.core.output.pdf.list_tags import ListElements
from northmoor.core.output.pdf.page_tags import Element, PageTags, TableElement
from northmoor.core.output.pdf.table_tags import PageRows, TableTagger

_LEAF = 64
"""Pages in a leaf of the parent tree."""


class _Open(Struct, eq=False):
    """An element that may go on on the next page: its number, and the entries and kids it has so far."""

    number: int
    head: bytes
    kids: list[bytes] = field(default_factory=list)


class _UnwrittenRows(Struct, frozen=True, eq=False):
    """Some rows of a table on a page, to be written: the number of their group and how it begins, the number of the
    page and its place among those that are unwritten, the numbers of the first row and the first cell, how many cells
    each row has, and the content and template of each cell."""

    number: int
    head: bytes
    page: int
    at: int
    first_row: int
    first_cell: int
    counts: Ints
    contents: Ints
    templates: Ints


class _RowsOfGroups:
    """Rows of several groups, and their cells, one group after another: `numbers` are those of the groups, `rows` and
    `cells` those of what is in them."""

    def __init__(self, groups: Sequence[_UnwrittenRows]) -> None:
        self._groups = groups
        self._sizes = np.array([len(group.contents) for group in groups])
        self._heights = np.array([len(group.counts) for group in groups])
        self._contents = np.concatenate([group.contents for group in groups])
        self.numbers = np.array([group.number for group in groups])
        self.rows = np.repeat([group.first_row for group in groups], self._heights) + _within(self._heights)
        self.cells = np.repeat([group.first_cell for group in groups], self._sizes) + _within(self._sizes)

    def parents(self, pages: Sequence[Ints]) -> Ints:
        """The elements of the contents of pages, one page after another; the cells are put in among those given."""
        found = np.concatenate(pages)
        begins = np.cumsum([0, *(len(each) for each in pages[:-1])])
        is_filled = self._contents >= 0
        places = np.repeat(begins[[group.at for group in self._groups]], self._sizes) + self._contents
        found[places[is_filled]] = self.cells[is_filled]
        return found

    def bodies(self, cells: Sequence[int], templates: Sequence[bytes]) -> Iterator[bytes]:
        """Single cells as they are written, by their numbers."""
        firsts = [group.first_cell for group in self._groups]
        for cell in cells:
            group = self._groups[bisect_right(firsts, cell) - 1]
            at = cell - group.first_cell
            row = group.first_row + int(np.searchsorted(np.cumsum(group.counts), at, "right"))
            content = int(group.contents[at])
            kid = b"/K %d" % content if content >= 0 else b""
            yield b"%b%d 0 R/Pg %d 0 R%b>>" % (templates[int(group.templates[at])], row, group.page, kid)

    def written_cells(self, templates: pa.BinaryArray, wanted: Bools | None) -> pa.BinaryArray:
        """The cells that are wanted as they are written, or all."""
        groups, contents = self._groups, self._contents
        counts = np.concatenate([group.counts for group in groups])
        pages = pa.array([b" 0 R/Pg %d 0 R" % group.page for group in groups], pa.binary())
        kids = pa.array([b">>", *(b"/K %d>>" % n for n in range(int(contents.max(initial=0)) + 1))], pa.binary())
        bodies = concat(
            templates.take(pa.array(np.concatenate([group.templates for group in groups]))),
            _digits(np.repeat(self.rows, counts)),
            pages.take(pa.array(np.repeat(np.arange(len(groups)), self._sizes))),
            kids.take(pa.array(contents + 1)),
            separator=b"",
        )
        return bodies if wanted is None else bodies.filter(pa.array(wanted))

    def written_rows(self) -> pa.BinaryArray:
        """The rows as they are written."""
        counts = np.concatenate([group.counts for group in self._groups])
        heads = pa.array([b"<</S/TR/P %d 0 R/K[" % group.number for group in self._groups], pa.binary())
        of_groups = pa.array(np.repeat(np.arange(len(self._groups)), self._heights))
        return concat(heads.take(of_groups), _listed_references(self.cells, counts), b"]>>", separator=b"")

    def written_groups(self) -> pa.BinaryArray:
        """The groups as they are written."""
        heads = pa.array([group.head for group in self._groups], pa.binary())
        return concat(heads, _listed_references(self.rows, self._heights), b"]>>", separator=b"")


class StructureTree:
    """Writes the elements of pages; what goes on from page to page stays open until it ends."""

    def __init__(self, file: PdfFile, tables: TableTagger) -> None:
        self._file, self._tables = file, tables
        self._unwritten_rows: list[_UnwrittenRows] = []
        self._special: dict[int, tuple[list[bytes], bytes]] = {}
        """Cells, by their numbers, with links or words of their own."""
        self.root = file.number()
        self._document = file.number()
        self._kids: list[tuple[int, int]] = []
        """The elements of the document: ranges of numbers."""
        self._open: dict[object, _Open] = {}
        self._lists: dict[object, ListElements] = {}
        self._parents: list[bytes] = []
        """Leaves of the parent tree, each as written, for pages and annotations by their keys."""
        self._limits: list[tuple[int, int]] = []
        self._waiting: list[tuple[int, bytes]] = []
        self._page_parents: list[Ints] = []
        self._first_parents = 0
        """The elements of the contents of each page since the last flush, and the number of the first such array."""
        self._next_key = 0

    def key(self) -> int:
        """A new key of the parent tree."""
        self._next_key += 1
        return self._next_key - 1

    def add_page(self, page: Page, number: int, key: int, tags: PageTags, annotations: list[tuple[int, int]]) -> None:
        """Add the elements of a page, by the number of its object; `annotations` are the numbers of its links, each
        with its key."""
        if not self._page_parents:
            self._first_parents = self._file.numbers(PAGES_PER_BATCH)
        parents = np.zeros(tags.contents, np.int64)
        links: dict[int, int] = {}
        for element in tags.elements:
            if isinstance(element, TableElement):
                self._table(element, number, annotations, links)
            else:
                self._element(element, page, number, parents, annotations, links)
        rest = [at for at in range(len(annotations)) if at not in links]
        for at in rest:  # in heads and feet: they are reached, though what they are on is not read
            paragraph = self._file.number()
            links[at] = self._link(annotations[at][0], paragraph, number)
            self._file.add(self._body(b"P", self._document, [reference(links[at])]), paragraph)
            self._kids.append((paragraph, 1))
        self._page_parents.append(parents)
        self._parent(key, reference(self._first_parents + len(self._page_parents) - 1))
        for at, (_, own) in enumerate(annotations):
            self._parent(own, reference(links[at]))

    def close(self, language: str) -> None:
        """Write what is left."""
        self.flush()
        for element in self._open.values():
            self._write_open(element)
        for unended in self._lists.values():
            unended.write()
        self._flush_parents()
        kids = [b"%d 0 R" % n for first, count in self._kids for n in range(first, first + count)]
        entries = {"S": b"/Document", "P": reference(self.root), "K": listed(kids)}
        if language:
            entries["Lang"] = string(language)
        self._file.add(dictionary(entries), self._document)
        nodes = [
            reference(self._file.add(b"<</Limits [%d %d]/Nums [%b]>>" % (low, high, leaf)))
            for (low, high), leaf in zip(self._limits, self._parents, strict=True)
        ]
        tree = self._file.add(dictionary({"Kids": listed(nodes)}) if nodes else b"<</Nums []>>")
        self._file.add(
            dictionary(
                {
                    "Type": b"/StructTreeRoot",
                    "K": listed([reference(self._document)]),
                    "ParentTree": reference(tree),
                    "ParentTreeNextKey": b"%d" % self._next_key,
                }
            ),
            self.root,
        )

    # elements

    def _element(
        self,
        element: Element,
        page: Page,
        number: int,
        parents: Ints,
        annotations: list[tuple[int, int]],
        links: dict[int, int],
    ) -> None:
        if element.kind == b"L":
            self._list(element, number, parents, annotations, links)
            return
        is_new = element.begins or element.key not in self._open
        if is_new:
            own = _Open(self._file.number(), self._head(element, page))
            self._kids.append((own.number, 1))
        else:
            own = self._open.pop(element.key)
        contents = element.contents
        if element.figures is not None:
            contents = contents[:1]
            self._figures(element.figures, element.contents[1:], number, parents)
        own.kids += [_content(number, content) for content in contents]
        parents[contents] = own.number
        for at in element.links:
            links[at] = self._link(annotations[at][0], own.number, number)
            own.kids.append(reference(links[at]))
        if element.ends:
            self._write_open(own)
        else:
            self._open[element.key] = own

    def _figures(self, figures: ChartFigures, contents: Sequence[int], page: int, parents: Ints) -> None:
        """The figures of a chart as a table; `contents` are those of its cells, which draw nothing."""
        file, table, left = self._file, self._file.number(), iter(contents)
        self._kids.append((table, 1))
        rows = []
        for number, texts in enumerate((figures.titles, *figures.rows)):
            row, cells = file.number(), []
            for at, text in enumerate(texts):
                content = next(left)
                scope = b"/Scope/Column" if not number else b"/Scope/Row" if not at else b""
                kind = b"/TH/A<</O/Table%b>>" % scope if scope and text else b"/TD"
                said = b"/ActualText %b" % string(text) if text else b""
                entries = (kind, reference(row), said, _content(page, content))
                cells.append(file.add(b"<</S%b/P %b%b/K[%b]>>" % entries))
                parents[content] = cells[-1]
            file.add(self._body(b"TR", table, [reference(cell) for cell in cells]), row)
            rows.append(reference(row))
        file.add(self._body(b"Table", self._document, rows), table)

    def _head(self, element: Element, page: Page) -> bytes:
        """The entries of an element, up to its kids."""
        found = b"/S/%b/P %b" % (element.kind, reference(self._document))
        if element.words:
            found += b"/Alt %b" % string(element.words)
        if element.actual_text:
            found += b"/ActualText %b" % string(element.actual_text)
        if element.box is not None:
            left, top, right, bottom = element.box
            corners = (left, page.height - bottom, right, page.height - top)
            found += b"/A<</O/Layout/Placement/Block/BBox[%b]>>" % b" ".join(map(points, corners))
        return found

    def _write_open(self, own: _Open) -> None:
        self._file.add(b"<<%b/K[%b]>>" % (own.head, b" ".join(own.kids)), own.number)

    def _list(
        self,
        element: Element,
        page: int,
        parents: Ints,
        annotations: list[tuple[int, int]],
        links: dict[int, int],
    ) -> None:
        if element.begins or element.key not in self._lists:
            self._lists[element.key] = ListElements(self._file, self._document)
            self._kids.append((self._lists[element.key].number, 1))
        own = self._lists[element.key]
        body = 0
        for item in element.items:
            marker, content = (
                _content(page, each) if each is not None else None for each in (item.marker, item.content)
            )
            label, in_body = own.add(item, marker, content)
            if item.marker is not None:
                parents[item.marker] = label
            if item.content is not None:
                parents[item.content] = in_body
                body = body or in_body
        for at in element.links:
            links[at] = self._link(annotations[at][0], body or own.number, page)
            own.add_content(reference(links[at]))
        if element.ends:
            self._lists.pop(element.key).write()

    def _body(self, kind: bytes, parent: int, kids: list[bytes]) -> bytes:
        return b"<</S/%b/P %b/K[%b]>>" % (kind, reference(parent), b" ".join(kids))

    def _link(self, annotation: int, parent: int, page: int) -> int:
        """The element of a link; its number."""
        kid = b"<</Type/OBJR/Obj %b/Pg %b>>" % (reference(annotation), reference(page))
        return self._file.add(b"<</S/Link/P %b/K[%b]>>" % (reference(parent), kid))

    # tables

    def _special_cell(
        self,
        cell: int,
        shift: int,
        rows: PageRows,
        page: int,
        annotations: list[tuple[int, int]],
        links: dict[int, int],
    ) -> tuple[list[bytes], bytes]:
        """The links in a cell, and the entries of its words."""
        found = []
        for number in rows.links.get(cell, ()):
            links[number] = self._link(annotations[number][0], cell + shift, page)
            found.append(reference(links[number]))
        text, shown = rows.words.get(cell), rows.alternatives.get(cell)
        words = b"" if text is None else b"/ActualText %b" % string(text)
        return found, words if shown is None else b"%b/Alt %b" % (words, string(shown))

    def _table(
        self,
        element: TableElement,
        page: int,
        annotations: list[tuple[int, int]],
        links: dict[int, int],
    ) -> None:
        is_new = element.begins or element.key not in self._open
        if is_new:
            own = _Open(self._file.number(), b"/S/Table/P %b" % reference(self._document))
            self._kids.append((own.number, 1))
        else:
            own = self._open.pop(element.key)
        rows = element.rows
        for kind, first, end in ((b"THead", 0, rows.heads), (b"TBody", rows.heads, len(rows.plans))):
            if end > first:
                own.kids.append(
                    reference(self._rows(kind, own.number, rows, slice(first, end), page, annotations, links))
                )
        if element.ends:
            self._write_open(own)
        else:
            self._open[element.key] = own

    def _rows(
        self,
        kind: bytes,
        table: int,
        tags: PageRows,
        rows: slice,
        page: int,
        annotations: list[tuple[int, int]],
        links: dict[int, int],
    ) -> int:
        """Number some rows of a table as a group, to be written with those of other pages; the number of the group."""
        file, counts = self._file, tags.counts[rows]
        first = int(tags.begins[rows.start])
        cells = slice(first, int(tags.begins[rows.stop - 1] + counts[-1]))
        group = file.numbers(1 + len(counts) + cells.stop - first)
        first_row = group + 1
        first_cell = first_row + len(counts)
        self._unwritten_rows.append(
            _UnwrittenRows(
                group, b"<</S/%b/P %d 0 R/K[" % (kind, table), page, len(self._page_parents), first_row, first_cell,
                counts, tags.contents[cells], tags.templates[cells],
            )
        )  # fmt: skip
        if tags.links or tags.words or tags.alternatives:
            shift = first_cell - first
            for cell in {*tags.links, *tags.words, *tags.alternatives}:
                if cells.start <= cell < cells.stop:
                    self._special[cell + shift] = self._special_cell(cell, shift, tags, page, annotations, links)
        return group

    def flush(self) -> None:
        """Write what is written for many pages at a time, of those that have been added since: the way back from
        their contents, and the cells and rows of their tables."""
        pages, self._page_parents = self._page_parents, []
        groups, self._unwritten_rows = self._unwritten_rows, []
        rows = _RowsOfGroups(groups) if groups else None
        if pages:
            self._file.add_many(self._first_parents + np.arange(len(pages)), partial(_lists_of_parents, pages, rows))
        if rows is not None:
            special, self._special = self._special, {}
            is_plain = ~np.isin(rows.cells, list(special)) if special else None
            templates = list(self._tables.elements)
            bodies = rows.bodies(list(special), templates)
            for (cell, (more, words)), body in zip(special.items(), bodies, strict=True):
                self._file.add(_special_body(body, more, words), cell)
            plain = rows.cells if is_plain is None else rows.cells[is_plain]
            self._file.add_many(plain, partial(rows.written_cells, pa.array(templates, pa.binary()), is_plain))
            self._file.add_many(rows.rows, rows.written_rows)
            self._file.add_many(rows.numbers, rows.written_groups)

    # the parent tree

    def _parent(self, key: int, value: bytes) -> None:
        self._waiting.append((key, value))
        if len(self._waiting) >= _LEAF:
            self._flush_parents()

    def _flush_parents(self) -> None:
        if not self._waiting:
            return
        self._waiting.sort()
        self._limits.append((self._waiting[0][0], self._waiting[-1][0]))
        self._parents.append(b" ".join(b"%d %b" % each for each in self._waiting))
        self._waiting = []


def _content(page: int, content: int) -> bytes:
    """A marked content as a kid of an element."""
    return b"<</Type/MCR/Pg %d 0 R/MCID %d>>" % (page, content)


def _content_or_none(page: int, content: int | None) -> bytes | None:
    return None if content is None else _content(page, content)


def _special_body(body: bytes, more: Sequence[bytes], words: bytes) -> bytes:
    """A cell with links, and with words of its own."""
    if more:
        head, own, content = body.partition(b"/K ")
        kids = [content[:-2]] if own else []
        body = b"%b/K[%b]>>" % (head if own else body[:-2], b" ".join([*kids, *more]))
    return b"%b%b>>" % (body[:-2], words) if words else body


def _lists_of_parents(pages: Sequence[Ints], rows: _RowsOfGroups | None) -> pa.BinaryArray:
    """The elements of the contents of each of some pages, as arrays."""
    parents = np.concatenate(pages) if rows is None else rows.parents(pages)
    return concat(b"[", _listed_references(parents, np.array([len(each) for each in pages])), b"]", separator=b"")


def _listed_references(numbers: Ints, counts: Ints) -> pa.BinaryArray:
    """Lists of references to so many objects each."""
    references = concat(_digits(numbers), b"0 R", separator=b" ")
    offsets = pa.array(np.concatenate([[0], np.cumsum(counts)]).astype(np.int32))
    return concat_lists(pa.ListArray.from_arrays(offsets, references), b" ")


def _within(counts: Ints) -> Ints:
    """The numbers from 0 on in each of some groups."""
    ends = np.cumsum(counts)
    found: Ints = np.arange(int(ends[-1])) - np.repeat(ends - counts, counts)
    return found


def _digits(numbers: Ints) -> pa.BinaryArray:
    return pa.array(numbers).cast(pa.string()).cast(pa.binary())
