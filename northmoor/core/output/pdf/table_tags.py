"""The elements of tables in tagged PDFs: which cells each kind of row has, heads among them, and those of a page."""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct, field

from northmoor.core.base.arrays import Bools, Ints
from northmoor.core.layout.flow.fragments import TableFragmentOnPage
from northmoor.core.layout.table.layout import TableLayout
from northmoor.core.output.content.table_grid import row_places

_SCOPES = {"col": b"/Scope/Column", "row": b"/Scope/Row"}
_LAYOUTS_HELD = 4


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


class PageRows(Struct, frozen=True, eq=False):
    """The rows of a table on a page that are read, from the top, with where the cells of each begin among those of the
    page. Repeated heads and headings, and rows without any text, are not among them."""

    kinds: KindTags
    rows: Ints
    plans: Ints
    begins: Ints
    contents: Ints
    """The marked content in each cell; −1 for none."""
    links: dict[int, list[int]] = field(default_factory=dict)
    """The annotations, by their numbers on the page, of the cells that are links."""
    words: dict[int, str] = field(default_factory=dict)
    """What cells of several lines say, with spaces between these."""
    alternatives: dict[int, str] = field(default_factory=dict)
    """What cells that draw something show, in words."""

    @property
    def heads(self) -> int:
        """How many of the rows are of the table's head."""
        return int(self.kinds.is_head[self.plans].sum())

    @property
    def counts(self) -> Ints:
        """How many cells each row has."""
        return self.kinds.counts[self.plans]

    @property
    def templates(self) -> Ints:
        """What each cell is as an element."""
        counts = self.counts
        shift = self.kinds.begins[self.plans] - self.begins
        found: Ints = self.kinds.templates[np.arange(len(self.contents)) + np.repeat(shift, counts)]
        return found

    def cells_of(self, rows: Ints, columns: Ints) -> Ints:
        """The numbers of cells among those of the page, by their rows and columns; −1 for what is not read."""
        if not len(self.rows):
            return np.full(len(rows), -1, np.int64)
        order = np.argsort(self.rows, kind="stable")
        at = order[np.minimum(np.searchsorted(self.rows, rows, sorter=order), len(order) - 1)]
        place = self.kinds.place[self.plans[at], np.maximum(columns, 0)]
        is_read = (self.rows[at] == rows) & (place >= 0) & (columns >= 0)
        return np.where(is_read, self.begins[at] + place, -1)


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
        return KindTags(layout, begins, np.array(counts, np.int64), np.array(templates, np.int64), place, is_head)


def page_rows(part: TableFragmentOnPage, kinds: KindTags, rows_of_texts: Sequence[Ints]) -> PageRows:
    """The rows of a slice that are read, of those that have texts: the rows of each layer of texts, in their order."""
    rows = rows_of_texts[0] if len(rows_of_texts) == 1 else _merged(rows_of_texts)
    rows = rows[np.concatenate([[True], rows[1:] != rows[:-1]])] if len(rows) else rows
    plans = kinds.layout.plan_numbers(rows.astype(np.int64))
    is_own = (rows >= part.rows.start) & (rows < part.rows.end)
    wanted = is_own | ((rows < 0) & (part.rows.is_first | ~kinds.is_head[plans]))
    rows, plans = rows[wanted], plans[wanted]
    ends = np.cumsum(kinds.counts[plans])
    begins = ends - kinds.counts[plans]
    return PageRows(kinds, rows, plans, begins, np.full(int(ends[-1]) if len(ends) else 0, -1, np.int64))


def _merged(rows_of_texts: Sequence[Ints]) -> Ints:
    """The rows of several layers, each once: those of the head first, as they are on the page."""
    if not rows_of_texts:
        return np.zeros(0, np.int64)
    every = np.unique(np.concatenate([np.asarray(rows) for rows in rows_of_texts]))
    return np.concatenate([every[every < 0][::-1], every[every >= 0]])


def _element(layout: TableLayout, plan: int, column: int, span: int, down: int, is_first: bool) -> bytes:
    """A cell as an element, up to its parent: its type and its attributes."""
    row, crosstab = layout.plans[plan].place.row, layout.data.crosstab
    is_key = crosstab is not None and not crosstab.columns[layout.table.columns[column].name].is_measure
    scope = "col" if row == "head" else "row" if is_key or (row != "detail" and is_first) else ""
    spans = (b"/ColSpan %d" % span if span > 1 else b"") + (b"/RowSpan %d" % down if down > 1 else b"")
    attributes = _SCOPES.get(scope, b"") + spans
    kind = b"/TH" if scope else b"/TD"
    return b"<</S%b%b/P " % (kind, b"/A<</O/Table%b>>" % attributes if attributes else b"")
