"""A matrix block's two sides and the values of all its cells."""

from collections.abc import Iterator, Mapping
from contextlib import suppress

import numpy as np
import pyarrow as pa
from msgspec import Struct

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.compute.crosstab.cell_values import (
    CellLevel,
    CellValues,
    CrosstabExpression,
    CrosstabScope,
    Sides,
    compile_cell_expression,
    compute_cell_values,
)
from northmoor.core.compute.crosstab.group_axes import Axis, Fill, make_axis
from northmoor.core.compute.crosstab.preaggregation import (
    PreaggregatedRows,
    aggregation_request,
    preaggregate,
    whole_demand,
)
from northmoor.core.compute.evaluate.compiler import CompiledExpression, Compiler
from northmoor.core.compute.evaluate.scope_cells import Computed
from northmoor.core.compute.evaluate.slots import grouping_of, slots_in
from northmoor.core.compute.row_ordering import Order
from northmoor.core.engine.embedded import Engine
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import ExpressionError, LayoutError, Place
from northmoor.core.expr.language import parse
from northmoor.core.model.blocks.matrix import MatrixBlock, MatrixLevel
from northmoor.core.values.parameter_values import Values

MOST_COLUMNS = 2_000
"""Groups of columns, without their totals."""
MOST_CELLS = 5_000_000
"""Cells of a matrix without its totals."""


class CrosstabPlan(Struct, frozen=True):
    """All that the computation of a matrix depends on, and nothing of its looks; usable as a cache key."""

    query: str
    rows: Order
    columns: Order
    row_fills: tuple[Fill, ...]
    column_fills: tuple[Fill, ...]
    expressions: frozenset[CrosstabExpression]
    cells: frozenset[CellLevel]
    """The crossings that have cells."""
    keep_rows: str | None
    windows: tuple[str, str] = ("row", "column")
    """What the windows are called that a side's groups are."""


class CrosstabData(Struct, frozen=True, eq=False):
    """A matrix's sides and what is computed where they cross."""

    sides: Sides
    crossings: CellValues

    @property
    def has_rows(self) -> bool:
        """Whether there are any rows behind it."""
        return bool(self.sides.rows_in.table.num_rows > 0)

    @property
    def notes(self) -> tuple[str, ...]:
        """What is wrong with its trees."""
        return (*self.sides.rows.notes, *self.sides.columns.notes)


def depths_of(levels: tuple[MatrixLevel, ...], total: str) -> tuple[int, ...]:
    """The depths at which a side has cells: that of its innermost groups first, then those of groups around them, which
    are shown when what lies in them is folded, and 0 for the total."""
    whole = len(levels)
    return (*range(whole, 0, -1), *((0,) if not whole or total != "none" else ()))


def crosstab_plan(matrix: MatrixBlock) -> CrosstabPlan:
    """What has to be computed for a matrix."""
    rows, columns = (
        Order(matrix.name, tuple(map(grouping_of, levels)), ()) for levels in (matrix.rows, matrix.columns)
    )
    fills = [tuple(Fill(level.fill, level.members) for level in levels) for levels in (matrix.rows, matrix.columns)]
    wanted = frozenset(_expressions(matrix))
    cells = frozenset(_cells(matrix))
    return CrosstabPlan(matrix.query, rows, columns, fills[0], fills[1], wanted, cells, matrix.keep_rows)


def _cells(matrix: MatrixBlock) -> Iterator[CellLevel]:
    for depth in depths_of(matrix.rows, matrix.row_total):
        yield from (CellLevel(depth, j) for j in depths_of(matrix.columns, matrix.column_total))


def _expressions(matrix: MatrixBlock) -> Iterator[CrosstabExpression]:
    texts = {text for measure in matrix.measures for text in slots_in(measure)}
    for at in _cells(matrix):
        yield from (CrosstabExpression(at, text) for text in texts)
    for depth, level in enumerate(matrix.rows, 1):
        yield CrosstabExpression(CellLevel(depth, 0), level.by)
        yield from (CrosstabExpression(CellLevel(depth, 0), text) for text in slots_in(level.subtotal_text))
        yield from (CrosstabExpression(CellLevel(0, 0), text) for text in slots_in(level.title))
    for depth, level in enumerate(matrix.columns, 1):
        yield CrosstabExpression(CellLevel(0, depth), level.by)
        yield from (CrosstabExpression(CellLevel(0, depth), text) for text in slots_in(level.subtotal_text))
    fixed = (matrix.row_total_text, matrix.column_total_text, *(measure.title for measure in matrix.measures))
    yield from (CrosstabExpression(CellLevel(0, 0), slot) for text in fixed for slot in slots_in(text))


def evaluate_matrix(plan: CrosstabPlan, rows: Mapping[str, Rows], values: Values, stop: CancelToken) -> CrosstabData:
    """Work out a matrix's sides and its cells.

    Raises LayoutError when a side cannot be worked out, or has too many groups; a faulty cell is that cell's own fault.
    """
    compiler = Compiler(values)
    fetched = rows[plan.query].table
    around = CrosstabScope(tuple(fetched.column_names), plan.rows.groupings, plan.columns.groupings, rows, plan.windows)
    compiled = [compile_cell_expression(compiler, want, around) for want in sorted(plan.expressions)]
    compiled += [each for order in (plan.rows, plan.columns) for each in _of_groups(compiler, order, around)]
    demand = aggregation_request((plan.rows, plan.columns), plan.keep_rows, compiled)
    with Engine(stop, threads=demand.threads(fetched.schema)) as engine:
        base = preaggregate(demand, fetched, compiler, engine)
        sides = _sides(plan, base, around, engine, compiler, stop)
        across = sides.columns.size(sides.columns.depth)
        if across > MOST_COLUMNS:
            message = (
                f"It would have {across:,} columns, and {MOST_COLUMNS:,} is the most; group the columns more coarsely."
            )
            raise LayoutError(message, Place(block=plan.rows.block))
        cells = sides.rows.size(sides.rows.depth) * across
        if cells > MOST_CELLS:
            message = f"It would have {cells:,} cells; {MOST_CELLS:,} is the most. Group more coarsely or keep fewer."
            raise LayoutError(message, Place(block=plan.rows.block))
        crossings = compute_cell_values(engine, compiler, plan.expressions, sides, stop, sorted(plan.cells))
    return CrosstabData(sides, crossings)


def sides_of(plan: CrosstabPlan, rows: Mapping[str, Rows], values: Values, stop: CancelToken, numbers: str) -> Sides:
    """The sides of a matrix over the fetched rows as they are, with their numbers in a column of a name of their own.

    Raises LayoutError.
    """
    compiler, fetched = Compiler(values), rows[plan.query].table
    around = CrosstabScope(tuple(fetched.column_names), plan.rows.groupings, plan.columns.groupings, rows, plan.windows)
    numbered = fetched.append_column(numbers, pa.array(np.arange(len(fetched))))
    with Engine(stop) as engine:
        base = preaggregate(whole_demand((plan.rows, plan.columns), plan.keep_rows), numbered, compiler, engine)
        return _sides(plan, base, around, engine, compiler, stop)


def _sides(
    plan: CrosstabPlan,
    base: PreaggregatedRows,
    around: CrosstabScope,
    engine: Engine,
    compiler: Compiler,
    stop: CancelToken,
) -> Sides:
    nothing = Axis((), np.zeros(base.table.num_rows, np.int64))

    def side(order: Order, fills: tuple[Fill, ...]) -> Axis:
        def of_groups(axis: Axis, depth: int, text: str) -> Computed:
            want = CrosstabExpression(CellLevel(depth, 0), text)
            sides = Sides(base, axis, nothing, replace(around, row_groupings=order.groupings, column_groupings=()))
            return compute_cell_values(engine, compiler, [want], sides, stop).values[want]

        return make_axis(order, fills, base, engine, compiler, around.queries, of_groups, stop)

    return Sides(base, side(plan.rows, plan.row_fills), side(plan.columns, plan.column_fills), around)


def _of_groups(
    compiler: Compiler, order: Order, around: CrosstabScope
) -> Iterator[CompiledExpression | ExpressionError]:
    """What a side's groups are ordered and chosen by."""
    own = replace(around, row_groupings=order.groupings, column_groupings=())
    for depth, grouping in enumerate(order.groupings, 1):
        for text in (grouping.order_by, grouping.keep_groups):
            with suppress(ExpressionError):  # it is reported where the side is made
                if text is not None:
                    yield compile_cell_expression(
                        compiler, CrosstabExpression(CellLevel(depth, 0), parse(text).text), own
                    )
