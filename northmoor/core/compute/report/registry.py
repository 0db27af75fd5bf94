"""The kinds of blocks over a query's rows: what has to be computed for each, and how it is."""

from collections.abc import Callable, Mapping
from typing import Any

from msgspec import Struct

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.compute.chart.evaluation import (
    CellChartPlan,
    ChartPlan,
    chart_plan,
    evaluate_cell_charts,
    evaluate_chart,
)
from northmoor.core.compute.crosstab.chart_data import ChartData
from northmoor.core.compute.crosstab.evaluation import CrosstabData, CrosstabPlan, crosstab_plan, evaluate_matrix
from northmoor.core.compute.evaluate.slots import scope_of
from northmoor.core.compute.table.evaluation import TableData, TablePlan, evaluate_table, table_plan
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import LayoutError
from northmoor.core.model.blocks.chart import Chart, ChartBlock
from northmoor.core.model.blocks.containers import DataBlock
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.values.parameter_values import Values


class WholeTablePlan(Struct, frozen=True):
    """What has to be computed for a table and for the charts in its rows."""

    table: TablePlan
    charts: tuple[CellChartPlan, ...]


Plan = WholeTablePlan | CrosstabPlan | ChartPlan
BlockData = TableData | CrosstabData | ChartData


def _table_plan(table: TableBlock) -> WholeTablePlan:
    charts = {
        (scope_of(table, place), cell.chart) for place, row in table.rows() for cell in row.cells
        if cell.chart is not None and scope_of(table, place) >= 0
    }  # fmt: skip
    correlated = (
        CellChartPlan(scope, chart, chart_plan(chart, table.query, table.name, True)) for scope, chart in charts
    )
    return WholeTablePlan(
        table_plan(table), tuple(sorted(correlated, key=lambda each: (each.scope, repr(each.plan_of_chart))))
    )


def _evaluate_table(plan: WholeTablePlan, rows: Mapping[str, Rows], values: Values, stop: CancelToken) -> TableData:
    table = evaluate_table(plan.table, rows, values, stop)
    charts: dict[tuple[int, Chart], ChartData | LayoutError] = {}
    for correlated in plan.charts:
        try:
            charts[correlated.scope, correlated.plan_of_chart] = evaluate_cell_charts(
                correlated, table, rows, values, stop
            )
        except LayoutError as error:
            charts[correlated.scope, correlated.plan_of_chart] = error
    return replace(table, charts=charts) if charts else table


def _chart_plan(chart: ChartBlock) -> ChartPlan:
    return chart_plan(chart, chart.query, chart.name)


_PLANS: Mapping[type, Callable[[Any], Plan]] = {
    TableBlock: _table_plan, MatrixBlock: crosstab_plan, ChartBlock: _chart_plan,
}  # fmt: skip
_ARRANGES: Mapping[type, Callable[[Any, Mapping[str, Rows], Values, CancelToken], BlockData]] = {
    WholeTablePlan: _evaluate_table,
    CrosstabPlan: evaluate_matrix,
    ChartPlan: evaluate_chart,
}


def plan_block(block: DataBlock) -> Plan:
    """What has to be computed for a block."""
    return _PLANS[type(block)](block)


def evaluate_block(plan: Plan, rows: Mapping[str, Rows], values: Values, stop: CancelToken) -> BlockData:
    """Compute it. Raises LayoutError where nothing of the block can be shown."""
    return _ARRANGES[type(plan)](plan, rows, values, stop)
