"""Traces of cells of tables."""

from typing import Any

import pyarrow as pa

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.checks.trace.figures import Trace, figure_of, scope_words, text_on_page
from northmoor.core.compute.evaluate.scope_names import PAGE_SCOPES
from northmoor.core.compute.evaluate.slots import head_content, scope_of, template_of
from northmoor.core.compute.explain.table_query import FigureAddress, TableVerifier
from northmoor.core.compute.table.evaluation import table_plan
from northmoor.core.document import Document
from northmoor.core.errors import ExpressionError, LayoutError, Place
from northmoor.core.expr.templates import Slot
from northmoor.core.layout.flow.fragments import TableFragmentOnPage
from northmoor.core.layout.page.hit_testing import HitRegion
from northmoor.core.model.blocks.table import Content, RowPlace, TableBlock


def trace_cell(document: Document, part: TableFragmentOnPage, region: HitRegion, stop: CancelToken) -> Trace:
    """Trace a cell of a table: of a row, a group, the whole table, or a page."""
    layout = part.layout
    table, data = layout.table, layout.data.whole
    assert region.printed is not None
    place = RowPlace(region.row, region.level, region.number)
    content = cell_content(table, place, region.column)
    pages = document.composition.ranges(part.run)
    order = table_plan(table).order
    asking = TableVerifier(order, data, document.rows, table.query, document.resolved.complete_values(), pages)
    standpoint = figure_address(part, place, region.printed)
    behind = asking.rows_behind(standpoint)
    cells = data.cells if standpoint.scope not in PAGE_SCOPES.values() else layout.paged.cells
    figures = tuple(
        figure_of(slot.expression.text, cells, standpoint, asking, len(behind), stop)
        for slot in template_of(content)
        if isinstance(slot, Slot)
    )
    own = document.rows[table.query]
    rows = replace(own, table=own.table.take(pa.array(behind)))
    return Trace(text_on_page(part, region), scope_words(document, asking, standpoint), figures, rows)


def traced_fragment(document: Document, page: int, region: HitRegion) -> TableFragmentOnPage:
    for part in document.composition.parts(page):
        if isinstance(part, TableFragmentOnPage) and part.layout.table.name == region.block:
            if region.column is None or region.printed is None or _is_plain_title(part.layout.table, region):
                break
            return part
    raise LayoutError("There is no figure here; choose a cell of a table's rows, or a text.", Place(block=region.block))


def _is_plain_title(table: TableBlock, region: HitRegion) -> bool:
    """Whether a spot is the title of a column without figures."""
    if (region.row, region.number) != ("head", 0) or region.part != "cell":
        return False
    content = cell_content(table, RowPlace("head"), region.column)
    return not any(isinstance(slot, Slot) for slot in template_of(content))


def cell_content(table: TableBlock, place: RowPlace, column: str | None) -> Content:
    titles, details = place == RowPlace("head"), place == RowPlace("detail")
    cells: tuple[Any, ...] = table.columns if titles or details else table.row_at(place).cells
    names = {getattr(cell, "column", None) or getattr(cell, "name", None): cell for cell in cells}
    content: Content = head_content(names[column]) if titles else names[column]
    try:
        template_of(content)
    except ExpressionError as error:
        raise LayoutError(error.message, Place(block=table.name, column=column)) from error
    return content


def figure_address(part: TableFragmentOnPage, place: RowPlace, printed: int) -> FigureAddress:
    layout = part.layout
    scope = scope_of(layout.table, place)
    if scope in PAGE_SCOPES.values():
        return FigureAddress(scope, part.rows.number)
    return FigureAddress(scope, layout.data.first(scope) + int(layout.rows.index[printed]) if printed >= 0 else 0)
