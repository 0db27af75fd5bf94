"""What the parts of a page are in a tagged PDF: marks in its content stream, and elements in reading order.

Heads and footers, watermarks, grounds, rules, and heads that are repeated are artifacts; all else is in one element.
"""

from collections.abc import Iterator, Mapping, Sequence
from typing import Any, TypeGuard

import numpy as np
from msgspec import Struct, field

from northmoor.core.base.arrays import Ints
from northmoor.core.layout.flow.fragments import BoxFragment, ChartFragment, TableFragmentOnPage, TextFragment
from northmoor.core.layout.graphics.display_list import Layer, Links, Page, PagePart, SourceRef, Texts, TurnedTexts
from northmoor.core.layout.inline.rich_text import RichText
from northmoor.core.layout.page.composition import Composition
from northmoor.core.layout.table.cell_layout import CellLayout
from northmoor.core.layout.table.layout import TableLayout
from northmoor.core.layout.table.origins import TableOrigins
from northmoor.core.output.content.block_roles import BlockRole, block_roles, role_of
from northmoor.core.output.content.chart_figures import ChartFigures, chart_figures, chart_words
from northmoor.core.output.content.drawn_texts import drawn_lines
from northmoor.core.output.content.nodes import TextNode, node_text
from northmoor.core.output.content.reading_order import as_title, fragments_in_order, page_order
from northmoor.core.output.content.table_rows import value_in_words
from northmoor.core.output.pdf.list_tags import TaggedItem
from northmoor.core.output.pdf.table_tags import GOES_ON, PageRows, TableTagger, TableTexts, rows_of_pages

ARTIFACT = b"/Artifact BMC"
_FURNITURE = b"/Artifact <</Type/Pagination>> BDC"
_END = b"EMC"


class LayerMarks(Struct):
    """The marks of a layer: before and after all of it, or the content that each of its texts begins (`each`), which is
    called `tag` there: `GOES_ON` for one that goes on with what the text before says, `REPEATED` for one that is not
    read."""

    before: bytes = b""
    after: bytes = b""
    each: Ints | None = None
    tag: bytes = b"TD"


class Element(Struct, eq=False):
    """An element with the marked contents and the annotations in it, by their numbers on the page. One that `goes_on`
    from or to another page is one element with that of the same `key`."""

    kind: bytes
    contents: list[int]
    attributes: bytes = b""
    words: str = ""
    """What is read in place of a figure."""
    actual_text: str = ""
    """The text of several lines: nothing is between the lines as they are drawn."""
    key: object = None
    begins: bool = True
    ends: bool = True
    links: list[int] = field(default_factory=list)
    items: list[TaggedItem] = field(default_factory=list)
    box: tuple[int, int, int, int] | None = None
    """Where a figure is: left, top, right, bottom."""
    figures: ChartFigures | None = None
    """What a chart shows, as a table after it that is read and not drawn; its cells have the `contents` after the
    first."""


class TableElement(Struct, eq=False):
    """A table, or the rest of one that began on an earlier page."""

    rows: PageRows
    key: object
    begins: bool
    ends: bool


class PageTags(Struct, eq=False):
    """The tags of a page: marks by the number of the layer, elements in reading order, and how many marked contents
    there are."""

    marks: dict[int, LayerMarks] = field(default_factory=dict)
    elements: list[Element | TableElement] = field(default_factory=list)
    contents: int = 0

    def content(self) -> int:
        """The number of a new marked content."""
        self.contents += 1
        return self.contents - 1


class PageTagger:
    """Tags the pages of a composition, one after another."""

    def __init__(self, composition: Composition, title: str) -> None:
        self._composition, self._title = composition, title
        self._roles: Mapping[str, BlockRole] = block_roles(composition.edition)
        self.tables = TableTagger()
        self._is_begun = False
        self._below_title = 0

    def tags(self, pages: Sequence[Page]) -> list[PageTags]:
        """The tags of pages that follow one another."""
        tables: dict[int, tuple[TableLayout, list[TableTexts]]] = {}
        for page in pages:
            for part in page.parts:
                if isinstance(part.fragment, TableFragmentOnPage):
                    layers = enumerate(page.layers[part.first : part.end], part.first)
                    texts = {number: layer for number, layer in layers if _is_of_table(layer)}
                    layout = part.fragment.layout
                    tables.setdefault(id(layout), (layout, []))[1].append(TableTexts(part.fragment, texts))
        rows: dict[int, PageRows] = {}
        for layout, parts in tables.values():
            made = rows_of_pages(parts, self.tables.kinds(layout))
            rows |= {id(each.part): own for each, own in zip(parts, made, strict=True)}
        return [self._tags(page, rows) for page in pages]

    def _tags(self, page: Page, rows: Mapping[int, PageRows]) -> PageTags:
        found = PageTags()
        made: dict[int, Element | TableElement] = {}
        numbers = _link_numbers(page.layers)
        in_parts: set[int] = set()
        ordered = self._ordered(page)
        texts = [each for each in ordered if isinstance(each, TextFragment)]
        first = id(texts[0]) if texts and not self._is_begun else None
        self._is_begun = self._is_begun or bool(texts)
        for part in page.parts:
            in_parts.update(range(part.first, part.end))
            if isinstance(part.fragment, TableFragmentOnPage):
                made[id(part.fragment)] = _table(part, part.fragment, rows[id(part.fragment)], page, found, numbers)
                continue
            element = self._part(part, page, found, numbers, id(part.fragment) == first)
            if element is not None:
                made[id(part.fragment)] = element
        found.elements = [made[id(each)] for each in ordered if id(each) in made]
        for number, layer in enumerate(page.layers):
            if number not in in_parts and not isinstance(layer, Links):
                found.marks[number] = LayerMarks(_FURNITURE, _END)
        return found

    def _ordered(self, page: Page) -> list[Any]:
        """The fragments of a page in reading order."""
        fragments = [part.fragment for part in page.parts]
        if len(fragments) < 2:
            return fragments
        index = min(page.number, len(self._composition)) - 1
        is_one_column = len({fragment.left for fragment in fragments}) < 2
        if is_one_column and len(self._composition.section(index).areas) == 1:
            return fragments  # they come from the top
        return list(fragments_in_order(page_order(fragments, self._composition, index)))

    def _part(
        self, part: PagePart, page: Page, found: PageTags, numbers: Mapping[int, list[int]], is_first: bool
    ) -> Element | None:
        fragment, layers = part.fragment, range(part.first, part.end)
        links = [number for layer in layers for number in numbers.get(layer, ())]
        if isinstance(fragment, BoxFragment) and not self._is_content(fragment, page, layers):
            _mark_all(page, layers, found, ARTIFACT)
            return None
        if isinstance(fragment, TextFragment) and _is_list(fragment):
            return self._list(fragment, page, layers, found, links)
        if not any(not isinstance(page.layers[layer], Links) for layer in layers):
            return None
        number = found.content()
        element = self._element(fragment, number, is_first)
        element.links = links
        last = _wrap(page, layers, found, b"/%b <</MCID %d>> BDC" % (element.kind, number))
        if element.figures is not None:
            cells = len(element.figures.titles) * (1 + len(element.figures.rows))
            empty = [found.content() for _ in range(cells)]
            element.contents += empty
            last.after += b"".join(b"\n/TD <</MCID %d>> BDC\nEMC" % cell for cell in empty)
        return element

    def _is_content(self, fragment: BoxFragment, page: Page, layers: Sequence[int]) -> bool:
        """Whether something drawn says anything: a picture whose words are left empty only adorns the page."""
        if role_of(self._roles, fragment.name, fragment.kind).kind == "decoration" or fragment.item is not None:
            return False
        drawn = [page.layers[layer] for layer in layers]
        return bool(drawn_lines(drawn)) or (bool(drawn) and fragment.words != "")

    def _element(self, fragment: TextFragment | ChartFragment | BoxFragment, number: int, is_first: bool) -> Element:
        if isinstance(fragment, ChartFragment):
            words, figures = chart_words(fragment.view), chart_figures(fragment.view)
            return Element(b"Figure", [number], words=words, box=self._box(fragment), figures=figures)
        if isinstance(fragment, BoxFragment):
            if fragment.kind == "readout":
                return Element(b"P", [number])
            return Element(b"Figure", [number], words=fragment.words or "", box=self._box(fragment))
        role = role_of(self._roles, fragment.name)
        if is_first:
            node = as_title(TextNode(role, fragment), self._title, self._composition)
            role = node.role if isinstance(node, TextNode) else role
            self._below_title = int(role.kind == "title")
        block = fragment.block
        length = len(block.lines)
        end = length if fragment.end is None else fragment.end
        text = " ".join(node_text(fragment).split()) if length > 1 else ""
        kind, begins, ends = _kind_of(role, self._below_title), fragment.start == 0, end >= length
        return Element(kind, [number], actual_text=text, key=block.origin, begins=begins, ends=ends)

    def _box(self, fragment: ChartFragment | BoxFragment) -> tuple[int, int, int, int]:
        frame = self._composition.frame
        left, top = frame.left + fragment.left, frame.top + fragment.y
        return left, top, left + fragment.width, top + fragment.height

    def _list(
        self, fragment: TextFragment, page: Page, layers: Sequence[int], found: PageTags, links: list[int]
    ) -> Element:
        """A list: its markers and the rest of its items are contents by themselves."""
        block = fragment.block
        assert isinstance(block, RichText)
        end = len(block.lines) if fragment.end is None else fragment.end
        begins, ends = fragment.start == 0, end >= len(block.lines)
        element = Element(b"L", [], key=block.origin, begins=begins, ends=ends, links=links)
        for layer in layers:
            drawn = page.layers[layer]
            if not isinstance(drawn, Texts):
                found.marks[layer] = LayerMarks(ARTIFACT, _END) if not isinstance(drawn, Links) else LayerMarks()
                continue
            each: list[int] = []
            for line in range(fragment.start, end):
                own = block.items[line]
                goes_on = line > 0 and block.items[line - 1].number == own.number
                if not goes_on or line == fragment.start:
                    element.items.append(TaggedItem(own.depth, goes_on))
                for at in range(len(block.lines[line].fragments)):
                    each.append(_item_mark(element.items[-1], found, own.has_marker and not at))
            found.marks[layer] = LayerMarks(each=np.array(each, np.int64), tag=b"LBody")
        return element


def _table(
    part: PagePart,
    fragment: TableFragmentOnPage,
    rows: PageRows,
    page: Page,
    found: PageTags,
    numbers: Mapping[int, list[int]],
) -> TableElement:
    """The element of a part of a table, whose rows and texts are known."""
    rows.number_from(found.contents)
    found.contents += rows.count
    for layer in range(part.first, part.end):
        drawn = page.layers[layer]
        if layer in rows.marks:
            found.marks[layer] = LayerMarks(each=rows.marks[layer])
        elif isinstance(drawn, Links):
            for cell, link in zip(_cells_of(drawn, rows).tolist(), numbers[layer], strict=True):
                rows.links.setdefault(max(cell, 0), []).append(link)
        else:
            found.marks[layer] = LayerMarks(ARTIFACT, _END)
    if rows.kinds.draws:
        rows.alternatives.update(_drawn_in_words(rows))
    table = fragment.layout.table
    key = (table.name, *(column.name for column in table.columns))
    return TableElement(rows, key, fragment.rows.is_first, fragment.rows.is_last)


def _is_of_table(layer: Layer) -> TypeGuard[Texts | TurnedTexts]:
    """Whether a layer has texts of a table's cells."""
    return isinstance(layer, Texts | TurnedTexts) and isinstance(layer.origins, TableOrigins) and len(layer) > 0


def _drawn_in_words(rows: PageRows) -> Iterator[tuple[int, str]]:
    """What the cells of a page that draw something show, in words, by their numbers."""
    layout = rows.kinds.layout
    for at in np.flatnonzero(layout.is_drawn[rows.plans]).tolist():
        row, plan = int(rows.rows[at]), int(rows.plans[at])
        for cell in layout.plans[plan].cells if row >= 0 else ():
            words = _cell_in_words(cell, int(layout.rows.index[row]))
            place = int(rows.kinds.place[plan, cell.column])
            if words and place >= 0:
                yield int(rows.begins[at]) + place, words


def _cell_in_words(cell: CellLayout, instance: int) -> str:
    """What a cell shows that draws something; nothing for one that says it as a text."""
    if cell.chart is not None:
        view = cell.chart.view(instance, SourceRef("", ""))
        return chart_words(view) if view is not None else ""
    if cell.drawing is None or cell.drawing.drawing.kind in ("qr", "barcode", "picture"):
        return str(cell.drawing.values[instance].as_py() or "") if cell.drawing is not None else ""
    value = cell.drawing.values[instance].as_py()
    return value_in_words(value) if value is not None else ""


def _item_mark(item: TaggedItem, found: PageTags, is_marker: bool) -> int:
    """The content that a piece of a list begins, if it does not go on with the item's text."""
    if is_marker:
        item.marker = found.content()
        return item.marker
    if item.content is not None:
        return GOES_ON
    item.content = found.content()
    return item.content


def _is_list(fragment: TextFragment) -> bool:
    return isinstance(fragment.block, RichText) and fragment.block.marker != "none"


def _kind_of(role: BlockRole, below: int) -> bytes:
    """The type of a text's element; headings are `below` so many others."""
    if role.kind == "title":
        return b"H1"
    if role.kind == "heading":
        return b"H%d" % min(role.level + below, 6)
    return b"Caption" if role.kind == "caption" else b"P"


def _cells_of(layer: Layer, rows: PageRows) -> Ints:
    """The cells of a table's items on a page."""
    origins = layer.origins
    if not isinstance(origins, TableOrigins):
        return np.full(len(layer), -1, np.int64)
    return rows.cells_of(np.asarray(origins.rows), np.asarray(origins.columns))


def _mark_all(page: Page, layers: Sequence[int], found: PageTags, mark: bytes) -> None:
    for layer in layers:
        if not isinstance(page.layers[layer], Links):
            found.marks[layer] = LayerMarks(mark, _END)


def _wrap(page: Page, layers: Sequence[int], found: PageTags, mark: bytes) -> LayerMarks:
    """Put all that some layers draw into one content; the marks of the last of them."""
    drawn = [layer for layer in layers if not isinstance(page.layers[layer], Links) and len(page.layers[layer])]
    if not drawn:
        drawn = list(layers)[:1]
    found.marks[drawn[0]] = LayerMarks(before=mark)
    last = found.marks.setdefault(drawn[-1], LayerMarks())
    last.after = _END
    return last


def _link_numbers(layers: Sequence[Layer]) -> dict[int, list[int]]:
    """The numbers of the annotations of each layer of links, counted through the page."""
    found: dict[int, list[int]] = {}
    count = 0
    for number, layer in enumerate(layers):
        if isinstance(layer, Links):
            found[number] = list(range(count, count + len(layer)))
            count += len(layer)
    return found
