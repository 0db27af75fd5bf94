"""The elements of tables in tagged PDFs: which cells each kind of row has, heads among them, and those of pages.

The cells of many pages are found together: a page has so few that each step would cost more to begin than to do.
"""

from bisect import bisect_right
from collections.abc import Iterator, Sequence
from itertools import pairwise

import numpy as np
from msgspec import Struct, field

from northmoor.core.base.arrays import Bools, Ints
from northmoor.core.layout.flow.fragments import TableFragmentOnPage
from northmoor.core.layout.graphics.display_list import Texts, TurnedTexts
from northmoor.core.layout.table.layout import TableLayout
from northmoor.core.layout.table.origins import TableOrigins
from northmoor.core.output.content.table_grid import row_places

_SCOPES = {"col": b"/Scope/Column", "row": b"/Scope/Row"}
_LAYOUTS_HELD = 4
GOES_ON, REPEATED = -2, -1
"""In place of the number of a content: a text that goes on with what the one before says, and one that is not read."""


class KindTags(Struct, frozen=True, eq=False):
    """The cells of each kind of row (a plan of the layout), one kind after another: `begins` is where each kind's
    cells begin among all, `templates` what each is as an element, and `place` which of a kind's cells is in a column,
    −1 where one of the row above reaches."""

    layout: TableLayout
    begins: Ints
    counts: Ints
    templates: Ints
    place: Ints
    is_head: Bools
    draws: bool
    """Whether any cell draws something."""


class TableTexts(Struct, frozen=True, eq=False):
    """A part of a table on a page, and the layers of its texts, by their numbers on the page."""

    part: TableFragmentOnPage
    layers: dict[int, Texts | TurnedTexts]


class PageRows(Struct, frozen=True, eq=False):
    """The rows of a table on a page that are read, from the top: where the cells of each begin among those of the page,
    how many there are, and what each cell is as an element. Repeated heads and headings, and rows without any text, are
    not among them."""

    kinds: KindTags
    rows: Ints
    plans: Ints
    begins: Ints
    counts: Ints
    templates: Ints
    contents: Ints
    """The marked content in each cell; −1 for none."""
    marks: dict[int, Ints]
    """The content that each text of each layer begins, by the layer's number, or `GOES_ON` or `REPEATED`."""
    count: int
    """How many contents there are."""
    heads: int
    """How many of the rows are of the table's head."""
    links: dict[int, list[int]] = field(default_factory=dict)
    """The annotations, by their numbers on the page, of the cells that are links."""
    words: dict[int, str] = field(default_factory=dict)
    """What cells of several lines say, with spaces between these."""
    alternatives: dict[int, str] = field(default_factory=dict)
    """What cells that draw something show, in words."""

    def number_from(self, first: int) -> None:
        """Let the contents, which are numbered from 0, have numbers from another one on."""
        for numbers in (self.contents, *self.marks.values()) if first else ():
            numbers[numbers >= 0] += first

    def cells_of(self, rows: Ints, columns: Ints) -> Ints:
        """The numbers of cells among those of the page, by their rows and columns; −1 for what is not read."""
        return _cells_of(self.kinds, self.rows, self.plans, self.begins, rows, columns)


class TableTagger(Struct, eq=False):
    """Makes the elements of tables; what is known of a layout's kinds of rows is kept while its pages follow."""

    elements: dict[bytes, int] = field(default_factory=dict)
    """The templates of cells, with their numbers."""
    _known: dict[int, KindTags] = field(default_factory=dict)

    def kinds(self, layout: TableLayout) -> KindTags:
        """The cells of a layout's kinds of rows."""
        found = self._known.get(id(layout))
        if found is None or found.layout is not layout:
            if len(self._known) >= _LAYOUTS_HELD:
                del self._known[next(iter(self._known))]
            found = self._known[id(layout)] = self._kind_tags(layout)
        return found

    def _kind_tags(self, layout: TableLayout) -> KindTags:
        columns = len(layout.table.columns)
        templates: list[int] = []
        counts: list[int] = []
        place = np.full((len(layout.plans), columns), -1, np.int64)
        covered, around = [0] * columns, object()
        for number, plan in enumerate(layout.plans):
            own = (plan.place.row, plan.place.level)
            covered, around = (covered if own == around else [0] * columns), own
            cells = {cell.column: cell for cell in plan.cells}
            places = row_places(cells, covered)
            for at, each in enumerate(places):
                place[number, each.column] = at
                is_first = bool(cells) and each.column == min(cells)
                element = _element(layout, number, each.column, each.span, each.rows, is_first)
                templates.append(self.elements.setdefault(element, len(self.elements)))
            counts.append(len(places))
        begins = np.concatenate([[0], np.cumsum(counts)[:-1]]).astype(np.int64)
        is_head = np.array([plan.place.row == "head" for plan in layout.plans], bool)
        of_kinds, of_cells = np.array(counts, np.int64), np.array(templates, np.int64)
        return KindTags(layout, begins, of_kinds, of_cells, place, is_head, bool(layout.is_drawn.any()))


def rows_of_pages(parts: Sequence[TableTexts], kinds: KindTags) -> list[PageRows]:
    """The rows of parts of a table that are read, of those that have texts, each part with what its texts begin."""
    given = [_rows_with_texts(list(each.layers.values())) for each in parts]
    part = np.repeat(np.arange(len(parts)), [len(rows) for rows in given])
    rows = np.concatenate([np.zeros(0, np.int64), *given])
    is_new = _differs(part) | _differs(rows)
    part, rows = part[is_new], rows[is_new]
    plans = kinds.layout.plan_numbers(rows)
    starts, ends, is_first = (
        np.array([getattr(each.part.rows, name) for each in parts])[part] for name in ("start", "end", "is_first")
    )
    wanted = ((rows >= starts) & (rows < ends)) | ((rows < 0) & (is_first | ~kinds.is_head[plans]))
    return _with_contents(parts, kinds, part[wanted], rows[wanted], plans[wanted])


def _with_contents(parts: Sequence[TableTexts], kinds: KindTags, part: Ints, rows: Ints, plans: Ints) -> list[PageRows]:
    """Rows that are read, each with its part and its plan, with their cells and the contents in these."""
    counts = kinds.counts[plans]
    ends = np.cumsum(counts)
    begins = ends - counts
    templates = kinds.templates[np.arange(int(counts.sum())) + np.repeat(kinds.begins[plans] - begins, counts)]
    row_bounds = np.searchsorted(part, np.arange(len(parts) + 1))
    cell_bounds = np.concatenate([[0], ends])[row_bounds]
    heads = np.concatenate([[0], np.cumsum(kinds.is_head[plans])])[row_bounds]
    texts = _Texts(parts)
    span = len(kinds.layout.heights) + len(kinds.layout.plans) + 1  # rows that belong to pages have negative numbers
    cells = _cells_of(kinds, part * span + rows, plans, begins, texts.part * span + texts.rows, texts.columns)
    numbers, reads = texts.numbers(cells >= 0)
    contents = np.full(len(templates), -1, np.int64)
    contents[cells[cells >= 0]] = numbers[cells >= 0]
    marks = texts.marks(numbers)
    bounds = zip(pairwise(row_bounds.tolist()), pairwise(cell_bounds.tolist()), strict=True)
    found = []
    for at, ((first, end), (first_cell, end_cell)) in enumerate(bounds):
        own, of_part = slice(first, end), slice(first_cell, end_cell)
        found.append(
            PageRows(
                kinds, rows[own], plans[own], begins[own] - first_cell, counts[own], templates[of_part],
                contents[of_part], marks[at], int(reads[at]), int(heads[at + 1] - heads[at]),
            )
        )  # fmt: skip
    for at, text, words in texts.of_several_lines(cells):
        found[at].words[text - int(cell_bounds[at])] = words
    return found


class _Texts:
    """The texts of some parts, and where they begin what is in a cell: the part, the row and the column of each such
    beginning."""

    def __init__(self, parts: Sequence[TableTexts]) -> None:
        self._parts = parts
        self._layers = [layer for each in parts for layer in each.layers.values()]
        counts, lengths = [len(each.layers) for each in parts], [len(layer) for layer in self._layers]
        self._bounds = [0, *np.cumsum(lengths).tolist()]
        layer = np.repeat(np.arange(len(self._layers)), lengths)
        origins = [_origins(each) for each in self._layers]
        rows = np.concatenate([np.zeros(0, np.int64), *(each.rows for each in origins)])
        columns = np.concatenate([np.zeros(0, np.int64), *(each.columns for each in origins)])
        is_turned = np.array([isinstance(each, TurnedTexts) for each in self._layers], bool)
        self._at = np.flatnonzero(_differs(layer) | _differs(rows) | _differs(columns) | is_turned[layer])
        self.part = np.repeat(np.arange(len(parts)), counts)[layer[self._at]]
        self.rows, self.columns = rows[self._at], columns[self._at]

    def numbers(self, is_read: Bools) -> tuple[Ints, Ints]:
        """The number of each beginning among those of its part that are read, `REPEATED` for others; and how many each
        part has."""
        before = np.concatenate([[0], np.cumsum(is_read)])
        of_parts = before[np.searchsorted(self.part, np.arange(len(self._parts) + 1))]
        return np.where(is_read, before[:-1] - of_parts[self.part], REPEATED), np.diff(of_parts)

    def marks(self, numbers: Ints) -> list[dict[int, Ints]]:
        """What each text begins, by the numbers of the layers of each part."""
        every = np.full(self._bounds[-1], GOES_ON, np.int64)
        every[self._at] = numbers
        layers = iter([every[begin:end] for begin, end in pairwise(self._bounds)])
        return [{number: next(layers) for number in each.layers} for each in self._parts]

    def of_several_lines(self, cells: Ints) -> Iterator[tuple[int, int, str]]:
        """The part, the cell and the words of each cell of several lines, of those of the beginnings: nothing is
        between the lines as they are drawn."""
        ends = np.append(self._at[1:], self._bounds[-1])
        for number in np.flatnonzero((ends - self._at > 1) & (cells >= 0)).tolist():
            at, end = int(self._at[number]), int(ends[number])
            place = bisect_right(self._bounds, at) - 1
            layer = self._layers[place]
            assert isinstance(layer, Texts)
            lines = range(at - self._bounds[place], end - self._bounds[place])
            words = " ".join(layer.shapers[layer.face[line]].text(int(layer.line[line])) for line in lines)
            yield int(self.part[number]), int(cells[number]), words


def _rows_with_texts(layers: Sequence[Texts | TurnedTexts]) -> Ints:
    """The rows of layers of texts, those of the head first, as they are on the page."""
    rows = [np.asarray(_origins(layer).rows) for layer in layers]
    if len(rows) < 2:
        return rows[0] if rows else np.zeros(0, np.int64)
    every = np.unique(np.concatenate(rows))
    return np.concatenate([every[every < 0][::-1], every[every >= 0]])


def _origins(layer: Texts | TurnedTexts) -> TableOrigins:
    assert isinstance(layer.origins, TableOrigins)
    return layer.origins


def _differs(numbers: Ints) -> Bools:
    """Whether each number is another than the one before it, as the first is."""
    found = np.ones(len(numbers), bool)
    found[1:] = numbers[1:] != numbers[:-1]
    return found


def _cells_of(kinds: KindTags, keys: Ints, plans: Ints, begins: Ints, wanted: Ints, columns: Ints) -> Ints:
    """The cells in some columns of the rows of wanted keys, among rows with keys; −1 for what is not read."""
    if not len(keys):
        return np.full(len(wanted), -1, np.int64)
    order = np.argsort(keys, kind="stable")
    at = order[np.minimum(np.searchsorted(keys, wanted, sorter=order), len(order) - 1)]
    place = kinds.place[plans[at], np.maximum(columns, 0)]
    return np.where((keys[at] == wanted) & (place >= 0) & (columns >= 0), begins[at] + place, -1)


def _element(layout: TableLayout, plan: int, column: int, span: int, down: int, is_first: bool) -> bytes:
    """A cell as an element, up to its parent: its type and its attributes."""
    row, crosstab = layout.plans[plan].place.row, layout.data.crosstab
    is_key = crosstab is not None and not crosstab.columns[layout.table.columns[column].name].is_measure
    scope = "col" if row == "head" else "row" if is_key or (row != "detail" and is_first) else ""
    spans = (b"/ColSpan %d" % span if span > 1 else b"") + (b"/RowSpan %d" % down if down > 1 else b"")
    attributes = _SCOPES.get(scope, b"") + spans
    kind = b"/TH" if scope else b"/TD"
    return b"<</S%b%b/P " % (kind, b"/A<</O/Table%b>>" % attributes if attributes else b"")
