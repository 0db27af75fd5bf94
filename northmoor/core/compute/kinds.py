"""The kinds of blocks over a query's rows: what has to be computed for each, and how it is."""

from collections.abc import Callable, Mapping
from typing import Any

from northmoor.core.compute.matrix import ArrangedMatrix, MatrixPlan, arrange_matrix, matrix_plan_of
from northmoor.core.compute.table import ArrangedTable, TablePlan, arrange, plan_of
from northmoor.core.model.blocks import DataBlock
from northmoor.core.model.matrices import MatrixBlock
from northmoor.core.model.tables import TableBlock
from northmoor.core.sources.fetch import Rows
from northmoor.core.stopping import Stop
from northmoor.core.values.values import Values

Plan = TablePlan | MatrixPlan
ArrangedBlock = ArrangedTable | ArrangedMatrix
_PLANS: Mapping[type, Callable[[Any], Plan]] = {TableBlock: plan_of, MatrixBlock: matrix_plan_of}
_ARRANGES: Mapping[type, Callable[[Any, Mapping[str, Rows], Values, Stop], ArrangedBlock]] = {
    TablePlan: arrange,
    MatrixPlan: arrange_matrix,
}


def planned(block: DataBlock) -> Plan:
    """What has to be computed for a block."""
    return _PLANS[type(block)](block)


def arrange_block(plan: Plan, rows: Mapping[str, Rows], values: Values, stop: Stop) -> ArrangedBlock:
    """Compute it. Raises LayoutError where nothing of the block can be shown."""
    return _ARRANGES[type(plan)](plan, rows, values, stop)
