"""The value that a cell shows at a place on a page, or the category of a mark, among all of its kind: what formats and
filters are chosen by."""

from collections.abc import Collection
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc
from msgspec import Struct

from northmoor.core.base.readable_names import shown_title
from northmoor.core.checks.trace.tables import cell_content, figure_address, traced_fragment
from northmoor.core.checks.trace.texts import traced_content
from northmoor.core.compute.evaluate.scope_names import DETAIL, PAGE_SCOPES
from northmoor.core.compute.evaluate.slots import template_of
from northmoor.core.compute.groups.boundaries import ScopedExpression
from northmoor.core.compute.table.evaluation import TableData
from northmoor.core.document import Document
from northmoor.core.errors import NorthmoorError
from northmoor.core.expr.formats import is_text_type
from northmoor.core.expr.templates import Slot
from northmoor.core.layout.flow.fragments import ChartFragment, TableFragmentOnPage
from northmoor.core.layout.page.hit_testing import HitRegion
from northmoor.core.model.blocks.table import RowPlace
from northmoor.core.model.blocks.tree import for_each_around


class PointedValue(Struct, frozen=True, eq=False):
    """A value on a page, and all values that its cell's definition has."""

    value: Any
    values: pa.Array

    @property
    def are_texts(self) -> bool:
        """Whether the values are texts."""
        return is_text_type(self.values.type)

    @property
    def extremes(self) -> tuple[Any, ...]:
        """The smallest and the largest of the values, of texts the shortest and the longest; none where they have no
        order or are all missing."""
        kind = self.values.type
        if pa.types.is_nested(kind) or pa.types.is_null(kind) or self.values.null_count == len(self.values):
            return ()
        if self.are_texts:
            known = self.values.drop_null()
            lengths = pc.utf8_length(known)
            ends = (pc.index(lengths, length) for length in pc.min_max(lengths).values())
            return tuple(known[at.as_py()].as_py() for at in ends)
        found = pc.min_max(self.values)
        return found["min"].as_py(), found["max"].as_py()


def pointed_value(document: Document, page: int, region: HitRegion) -> PointedValue | None:
    """The value of a cell of a table or matrix at a place, of a key figure, or the category of a mark of a chart of its
    own; None where there is none, such as in a title."""
    if region.part == "chart" and region.row == "mark":
        return _category_of_mark(document, page, region)
    try:
        if region.row == "readout":
            return _of_readout(document, region)
        if region.part == "cell" and (region.row, region.number) == ("head", 0):
            return _under_title(document, page, region)
        part = traced_fragment(document, page, region)
        layout = part.layout
        assert region.printed is not None  # only such a fragment is traced
        place = RowPlace(region.row, region.level, region.number)
        content = cell_content(layout.table, place, region.under or region.column)
        slots = [slot for slot in template_of(content) if isinstance(slot, Slot)]
        if content.value is None or len(slots) != 1:
            return None
        at = figure_address(part, place, region.printed)
        cells = layout.paged.cells if at.scope in PAGE_SCOPES.values() else layout.data.whole.cells
        values = cells[ScopedExpression(at.scope, slots[0].expression.text)].values
    except (NorthmoorError, KeyError, StopIteration):
        return None
    return PointedValue(values[at.at].as_py(), values) if at.at < len(values) else None


def _of_readout(document: Document, region: HitRegion) -> PointedValue | None:
    """The value of a key figure; in a for-each, that of its record among those of all."""
    composition = document.composition
    (slot,) = (slot for slot in template_of(traced_content(document, region)) if isinstance(slot, Slot))
    host = for_each_around(document.edition.blocks, region.block)
    if host is None:
        found = composition.evaluator[slot.expression.text]
        return PointedValue(found.values[0].as_py(), found.values)
    hosted, data = composition.results.correlated[host.name], composition.data[host.name]
    assert isinstance(data, TableData)
    assert region.printed is not None  # it is one of a record's
    values = data.cells[ScopedExpression(hosted.depth + 1, slot.expression.text)].values
    return PointedValue(values[region.printed].as_py(), values)


def _category_of_mark(document: Document, page: int, region: HitRegion) -> PointedValue | None:
    """The key of the category that a mark is in, among those of all categories."""
    for part in document.composition.parts(page):
        if isinstance(part, ChartFragment) and part.name == region.block and region.printed is not None:
            data = part.view.data
            if part.view.chart.category is None:
                return None
            keys = data.sides.rows.groups[data.depths.category - 1].keys
            return PointedValue(data.keys(region.printed)[-1], keys)
    return None


def printed_values(document: Document, page: int, block: str, columns: Collection[str]) -> pa.Table | None:
    """All values of some columns of a table that is on a page, in the order of its rows, under the columns' titles;
    None where the page has no such table, or the columns show no values."""
    for part in document.composition.parts(page):
        if isinstance(part, TableFragmentOnPage) and part.layout.table.name == block:
            cells = part.layout.data.whole.cells
            found: dict[str, pa.Array] = {}
            for column in part.layout.table.columns:
                own = cells.get(ScopedExpression(DETAIL, column.value or ""))
                if column.name in columns and own is not None:
                    title = shown_title(column)
                    found[title if title not in found else column.name] = own.values
            return pa.table(found) if found else None
    return None


def _under_title(document: Document, page: int, region: HitRegion) -> PointedValue | None:
    """The first value of the column that has a title."""
    for part in document.composition.parts(page):
        if isinstance(part, TableFragmentOnPage) and part.layout.table.name == region.block:
            column = next(each for each in part.layout.table.columns if each.name == region.column)
            found = part.layout.data.whole.cells.get(ScopedExpression(DETAIL, column.value or ""))
            if found is not None and len(found.values):
                return PointedValue(found.values[0].as_py(), found.values)
    return None
