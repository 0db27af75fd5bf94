"""The kinds of blocks over a query's rows: what has to be computed for each, and how it is."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from northmoor.core.compute.chart import (
    ChartPlan,
    HostedPlan,
    arrange_chart,
    arrange_hosted,
    chart_plan_of,
)
from northmoor.core.compute.chartdata import ArrangedChart
from northmoor.core.compute.matrix import ArrangedMatrix, MatrixPlan, arrange_matrix, matrix_plan_of
from northmoor.core.compute.table import ArrangedTable, TablePlan, arrange, plan_of, scope_of
from northmoor.core.errors import LayoutError
from northmoor.core.model.blocks import DataBlock
from northmoor.core.model.charts import Chart, ChartBlock
from northmoor.core.model.matrices import MatrixBlock
from northmoor.core.model.tables import TableBlock
from northmoor.core.sources.fetch import Rows
from northmoor.core.stopping import Stop
from northmoor.core.values.values import Values


@dataclass(frozen=True)
class WholeTablePlan:
    """What has to be computed for a table and for the charts in its rows."""

    table: TablePlan
    charts: tuple[HostedPlan, ...]


Plan = WholeTablePlan | MatrixPlan | ChartPlan
ArrangedBlock = ArrangedTable | ArrangedMatrix | ArrangedChart


def _table_plan(table: TableBlock) -> WholeTablePlan:
    charts = {
        (scope_of(table, place), cell.chart) for place, row in table.rows() for cell in row.cells
        if cell.chart is not None and scope_of(table, place) >= 0
    }  # fmt: skip
    hosted = (HostedPlan(scope, chart, chart_plan_of(chart, table.query, table.name, True)) for scope, chart in charts)
    return WholeTablePlan(plan_of(table), tuple(sorted(hosted, key=lambda each: (each.scope, repr(each.chart)))))


def _arrange_table(plan: WholeTablePlan, rows: Mapping[str, Rows], values: Values, stop: Stop) -> ArrangedTable:
    table = arrange(plan.table, rows, values, stop)
    charts: dict[tuple[int, Chart], ArrangedChart | LayoutError] = {}
    for hosted in plan.charts:
        try:
            charts[hosted.scope, hosted.chart] = arrange_hosted(hosted, table, rows, values, stop)
        except LayoutError as error:
            charts[hosted.scope, hosted.chart] = error
    return replace(table, charts=charts) if charts else table


def _chart_plan(chart: ChartBlock) -> ChartPlan:
    return chart_plan_of(chart, chart.query, chart.name)


_PLANS: Mapping[type, Callable[[Any], Plan]] = {
    TableBlock: _table_plan, MatrixBlock: matrix_plan_of, ChartBlock: _chart_plan,
}  # fmt: skip
_ARRANGES: Mapping[type, Callable[[Any, Mapping[str, Rows], Values, Stop], ArrangedBlock]] = {
    WholeTablePlan: _arrange_table,
    MatrixPlan: arrange_matrix,
    ChartPlan: arrange_chart,
}


def planned(block: DataBlock) -> Plan:
    """What has to be computed for a block."""
    return _PLANS[type(block)](block)


def arrange_block(plan: Plan, rows: Mapping[str, Rows], values: Values, stop: Stop) -> ArrangedBlock:
    """Compute it. Raises LayoutError where nothing of the block can be shown."""
    return _ARRANGES[type(plan)](plan, rows, values, stop)
