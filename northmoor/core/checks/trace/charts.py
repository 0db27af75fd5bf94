"""Traces of marks of charts, by themselves, in rows of tables and in records."""

from collections.abc import Iterator, Mapping
from typing import Any

import pyarrow as pa

from northmoor.core.base.arrays import Ints
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.checks.trace.figures import Figure, Trace
from northmoor.core.compute.chart.evaluation import (
    CellChartPlan,
    ChartPlan,
    chart_matrix,
    chart_plan,
    mark_texts,
    rows_of,
    rows_of_cell_charts,
)
from northmoor.core.compute.evaluate.slots import scope_of
from northmoor.core.compute.explain.crosstab_query import CellAddress, crosstab_verifier
from northmoor.core.compute.explain.table_query import Verification
from northmoor.core.compute.table.evaluation import TableData
from northmoor.core.document import Document
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import LayoutError, Place
from northmoor.core.expr.language import bare_column
from northmoor.core.layout.chart.facets import ChartView
from northmoor.core.layout.flow.fragments import ChartFragment, TableFragmentOnPage
from northmoor.core.layout.page.hit_testing import HitRegion
from northmoor.core.layout.table.origins import row_origin


def trace_mark(document: Document, page: int, region: HitRegion, stop: CancelToken) -> Trace:
    """A mark of a chart: the values that its place and size are made of."""
    if region.row != "mark" or region.printed is None:
        raise LayoutError("There is no figure here; choose a mark of the chart.", Place(block=region.block))
    view, plan, given, numbers = _chart_of_mark(document, page, region)
    chart, values = view.chart, document.resolved.complete_values()
    rows = rows_of(plan, given)
    matrix, _ = chart_matrix(plan, rows, values, stop)
    cell = CellAddress(plan.depths.marks, region.printed, region.number)
    asking = crosstab_verifier(matrix, rows, values, stop)
    behind = asking.rows_behind(cell)
    number, figures = view.cell(region.printed, region.number), []
    for text in dict.fromkeys(mark_texts(chart, chart.measure(region.column))):
        found = view.data.computed(plan.depths.marks, text)
        fault = found.fault or found.faults.get(number)
        answer = Verification(why_not=fault.message) if fault is not None else asking.verify(text, cell, stop)
        figures.append(Figure(text, None if fault is not None else found.values[number].as_py(), answer, len(behind)))
    keys_of_scope = [
        f"{bare_column(level.by) or level.name} = {text}"
        for level, text in view.mark_texts(region.printed, region.number)
    ]
    keys_of_scope = [f"{level} = {key}" for level, key in _host_groups(document, region, view)] + keys_of_scope
    own = document.rows[view.query]
    fetched = own.table.take(pa.array(behind if numbers is None else numbers[behind]))
    scope = ", ".join(keys_of_scope) or "all rows of the chart"
    return Trace(view.text_of(chart.title) or region.block, scope, tuple(figures), replace(own, table=fetched))


def _chart_of_mark(
    document: Document, page: int, region: HitRegion
) -> tuple[ChartView, ChartPlan, Mapping[str, Rows], Ints | None]:
    """The chart of a mark, its plan, the rows it is drawn from, and where that is not all, which of the fetched they
    are."""
    for part in document.composition.parts(page):
        if isinstance(part, ChartFragment) and part.name == region.block:
            return _chart_outside_tables(document, part)
        if isinstance(part, TableFragmentOnPage) and part.layout.table.name == region.block and region.keys:
            layout, row = part.layout, region.keys[0]
            plan = layout.plans[layout.plan_number(row)]
            cell = next(cell for cell in plan.cells if cell.name == region.under)
            origin = row_origin(layout, row, cell.name)
            view = cell.chart.view(layout.instance(row, part.rows.number), origin) if cell.chart is not None else None
            if view is not None:
                table = layout.table
                own_plan = chart_plan(view.chart, table.query, table.name, True)
                hosted = CellChartPlan(scope_of(table, plan.place), view.chart, own_plan)
                return view, own_plan, *rows_of_cell_charts(hosted, layout.data, document.rows)
    raise LayoutError("There is no figure here; choose a mark of a chart.", Place(block=region.block))


def _chart_outside_tables(
    document: Document, part: ChartFragment
) -> tuple[ChartView, ChartPlan, Mapping[str, Rows], Ints | None]:
    """What a chart of its own is drawn from; in a for-each, the rows of all records."""
    view, hosted = part.view, document.composition.results.correlated[part.name]
    if not hosted.join_keys:
        return view, chart_plan(view.chart, view.query, part.name), document.rows, None
    data = document.composition.data[part.name]
    assert isinstance(data, TableData)
    plan = chart_plan(view.chart, view.query, part.name, True)
    return view, plan, *rows_of_cell_charts(CellChartPlan(hosted.depth, view.chart, plan), data, document.rows)


def _host_groups(document: Document, region: HitRegion, view: ChartView) -> Iterator[tuple[str, Any]]:
    """The groups of a table in whose row a chart is, or the record that it is of."""
    hosted = document.composition.results.correlated[region.block]
    if region.under is None and hosted.host is not None:
        yield from zip([hosted.host], view.origin.keys[-1:], strict=False)
    if region.under is not None:
        levels = document.edition.table(region.block).levels
        yield from ((level.name, key) for level, key in zip(levels, view.origin.keys, strict=False))
