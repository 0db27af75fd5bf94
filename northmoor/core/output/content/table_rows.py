"""The rows of a table as a reader takes them in: cells with texts, values, formats and looks, a few thousand at a time.

Rows that belong to pages (what is carried over, totals of pages) are not among them, and heads are once only.
"""

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
import pyarrow as pa
from msgspec import Struct

from northmoor.core.base.arrays import AnyInts
from northmoor.core.compute.evaluate.scope_cells import Computed
from northmoor.core.compute.evaluate.slots import head_content, scope_of
from northmoor.core.compute.groups.boundaries import ScopedExpression
from northmoor.core.expr.language import parse
from northmoor.core.expr.lazy_texts import LazyTexts
from northmoor.core.layout.inline.formatting import CellTexts
from northmoor.core.layout.table.cell_layout import CellLayout, RowLayout, ordered_cells
from northmoor.core.layout.table.layout import TableLayout
from northmoor.core.layout.table.row_sequence import DETAILS, RowKind
from northmoor.core.model.blocks.table import PAGE_ROWS, Content, RowPlace, TableBlock
from northmoor.core.model.styles import Align, ResolvedStyle

ROWS_AT_ONCE = 2048


class CellContent(Struct, frozen=True, eq=False):
    """A kind of cell: what all its instances have in common. `expression` is what its value is, where it shows one."""

    layout: CellLayout
    content: Content
    expression: str | None
    computed: Computed | None

    @property
    def column(self) -> int:
        """The number of its column."""
        return self.layout.column

    @property
    def is_even(self) -> bool:
        """Whether all its instances look alike."""
        return self.layout.variant is None and self.layout.fills is None

    @property
    def align(self) -> Align:
        """The side its texts are at."""
        return self.layout.align

    @property
    def texts(self) -> CellTexts:
        """Its texts."""
        return self.layout.texts if self.layout.turned is None else self.layout.turned.texts

    @property
    def pattern(self) -> str | None:
        """The format of its values."""
        return self.texts.pattern


class TableCell(Struct, frozen=True, eq=False):
    """A cell of a row: `text` as it is printed, the `value` it shows (None where it shows none, or a text of several),
    and how it looks. `shift` is how much further right its text begins, in millipoints."""

    kind: CellContent
    instance: int
    text: str
    value: Any
    look: ResolvedStyle
    shift: int = 0
    is_faulty: bool = False

    @property
    def span(self) -> int:
        """How many columns it covers."""
        return self.kind.layout.span

    @property
    def rows(self) -> int:
        """How many rows it covers."""
        return self.kind.layout.rows

    @property
    def whole_value(self) -> Any:
        """The value, also where it is left empty since it repeats the one above."""
        if self.value is not None or self.kind.layout.repeats is None:
            return self.value
        return computed_at(self.kind.computed, np.array([self.instance]))[0]

    @property
    def link(self) -> str | None:
        """The address that it opens."""
        layout = self.kind.layout
        return None if layout.links is None else layout.link(self.instance)


class TableRow(Struct, frozen=True, eq=False):
    """A row: its place in the table's definition, its number among the printed ones (−1: of the head), and how deep
    it is: 0 for totals of all rows, then the number of its level, and one more for rows of the data."""

    place: RowPlace
    number: int
    depth: int
    kind: RowKind | None
    cells: tuple[TableCell, ...]
    look: ResolvedStyle


class TableContent:
    """A table laid out, as rows. `outer` levels are those of the records around it."""

    def __init__(self, layout: TableLayout) -> None:
        self.layout = layout
        self.table: TableBlock = layout.table
        self._kinds = [tuple(self._cell_kinds(plan)) for plan in layout.plans]

    @property
    def columns(self) -> int:
        """How many columns it has."""
        return len(self.table.columns)

    @property
    def levels(self) -> int:
        """How many levels it has within a record."""
        return len(self.table.levels) - self.layout.outer

    def head(self) -> list[TableRow]:
        """The rows of its head on its first page."""
        return [self._row(row, -1 - row, 0, None) for row in self.layout.head_rows(True)]

    def rows(self, start: int, end: int) -> Iterator[TableRow]:
        """The printed rows from one up to another."""
        sequence, first_plan = self.layout.rows, self.layout.page_kinds
        for begin in range(start, end, ROWS_AT_ONCE):
            last = min(begin + ROWS_AT_ONCE, end)
            kinds = sequence.kind[begin:last]
            made: list[TableRow | None] = [None] * (last - begin)
            for number in np.unique(kinds).tolist():
                at = np.flatnonzero(kinds == number)
                instances = sequence.index[begin + at]
                row_kind = sequence.kinds[number]
                cells = self._cells(first_plan + number, instances)
                plan = self.layout.plans[first_plan + number]
                depth = self._depth(row_kind)
                for place, instance, own in zip(at.tolist(), instances.tolist(), cells, strict=True):
                    look = plan.look_of(instance)
                    made[place] = TableRow(plan.place, begin + place, depth, row_kind, own, look)
            yield from (row for row in made if row is not None)

    def kinds_of(self, number: int) -> tuple[CellContent, ...]:
        """The kinds of cells of the rows of a kind."""
        return self._kinds[self.layout.page_kinds + number]

    def _depth(self, kind: RowKind) -> int:
        if kind.kind == DETAILS:
            return self.levels + 1
        return max(kind.level - self.layout.outer, 0)

    def _row(self, row: int, plan: int, instance: int, kind: RowKind | None) -> TableRow:
        (cells,) = self._cells(plan, np.array([instance]))
        layout = self.layout.plans[plan]
        return TableRow(layout.place, row, 0, kind, cells, layout.look_of(instance))

    def _cells(self, plan: int, instances: AnyInts) -> Iterator[tuple[TableCell, ...]]:
        columns = [_instances(kind, instances) for kind in self._kinds[plan]]
        if not columns:
            return iter([()] * len(instances))
        return zip(*columns, strict=True)

    def _cell_kinds(self, plan: RowLayout) -> Iterator[CellContent]:
        if plan.place.row in PAGE_ROWS:
            return
        contents = _contents(self.table, plan.place)
        scope = scope_of(self.table, plan.place)
        for cell, content in zip(plan.cells, contents, strict=bool(plan.cells)):
            expression = parse(content.value).text if content.value is not None and _is_sound(cell) else None
            computed = None if expression is None else self.layout.data.cells.get(ScopedExpression(scope, expression))
            yield CellContent(cell, content, expression, computed)


def _is_sound(cell: CellLayout) -> bool:
    """Whether a cell's value could be computed at all."""
    texts = cell.texts
    return not (texts.faulty and len(texts.faulty) == len(texts.texts))


def _contents(table: TableBlock, place: RowPlace) -> Sequence[Content]:
    if place == RowPlace("head"):
        return [head_content(column) for column in table.columns]
    if place == RowPlace("detail"):
        return table.columns
    if place.row == "head":
        return ordered_cells(table.head[place.number - 1], table)
    return ordered_cells(table.row_at(place), table)


def _instances(kind: CellContent, instances: AnyInts) -> list[TableCell]:
    """The cells of some instances of a kind."""
    layout = kind.layout
    texts = texts_at(kind.texts, instances)
    values = computed_at(kind.computed, instances)
    shifts = [0] * len(texts) if layout.shift is None else layout.shift[instances].tolist()
    if layout.repeats is not None:
        blank = layout.repeats[instances].tolist()
        texts = ["" if is_blank else text for text, is_blank in zip(texts, blank, strict=True)]
        values = [None if is_blank else value for value, is_blank in zip(values, blank, strict=True)]
    faulty = kind.texts.faulty
    look = layout.look
    return [
        TableCell(kind, at, text, value, look if kind.is_even else layout.look_of(at), shift, at in faulty)
        for at, text, value, shift in zip(instances.tolist(), texts, values, shifts, strict=True)
    ]


def texts_at(cell: CellTexts, instances: AnyInts) -> list[str]:
    """The texts of some instances."""
    if not len(instances) or not len(cell.texts):
        return [""] * len(instances)
    texts = cell.texts
    if isinstance(texts, LazyTexts):
        first, last = int(instances.min()), int(instances.max())
        texts, instances = texts.slice(first, last - first + 1), instances - first
    taken = texts.take(pa.array(instances))
    found: list[str | None] = taken.to_pylist()
    return [text or "" for text in found]


def computed_at(computed: Computed | None, instances: AnyInts) -> list[Any]:
    """The values of some instances; None where there is none."""
    if computed is None or computed.fault is not None or not len(computed.values):
        return [None] * len(instances)
    found: list[Any] = computed.values.take(pa.array(instances)).to_pylist()
    for at, instance in enumerate(instances.tolist()):
        if instance in computed.labels or instance in computed.faults:
            found[at] = None
    return found


def cell_text(cell: TableCell) -> str:
    """What a cell says; one that draws its value says it in words."""
    if cell.text or cell.value is None or cell.kind.layout.drawing is None or isinstance(cell.value, str | bytes):
        return cell.text
    return value_in_words(cell.value)


def value_in_words(value: Any) -> str:
    """A value that is drawn, in words: numbers without needless places."""
    if isinstance(value, list):
        return ", ".join(value_in_words(each) for each in value)
    return f"{value:,.6g}" if isinstance(value, float) else str(value)
