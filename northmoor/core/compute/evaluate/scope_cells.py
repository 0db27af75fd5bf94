"""Cells: the expressions of one scope computed together, and each one's faults kept to itself."""

from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc
from msgspec import Struct, field

from northmoor.core.analysis.expression_types import TypeFault, expression_type
from northmoor.core.base.replace import replace
from northmoor.core.compute.evaluate.compiler import AggregateCall, CompiledExpression, Compiler, name_of
from northmoor.core.compute.evaluate.inner_groups import InnerGroups, inner_groups_sql
from northmoor.core.compute.evaluate.scope_names import OWN, group_column
from northmoor.core.engine.embedded import Engine, EngineError, engine_message
from northmoor.core.errors import ExpressionError
from northmoor.core.expr.language import Expression

ROWS_TABLE = "__nm_rows"
"""The engine's name for a table's rows in their order, with their group numbers."""


class Fault(Struct, frozen=True):
    """Why a cell has no value in a row; `values` is how many there are, where that is the reason."""

    message: str
    values: int | None = None


class Computed(Struct, frozen=True, eq=False):
    """An expression's values in the order of its scope's rows, with the faults of single rows by row number.

    `fault` is set, and all values are null, when the expression as a whole cannot be computed.
    """

    values: pa.Array
    faults: Mapping[int, Fault] = field(default_factory=dict)
    labels: Mapping[int, str] = field(default_factory=dict)
    """Words in place of single rows' values."""
    fault: ExpressionError | None = None
    scaled_by: pa.Array | None = None
    """The numbers that a colour scale goes by, where they are not the values."""


def or_whole_fault(
    engine: Engine, cell: CompiledExpression | ExpressionError, broken: Mapping[AggregateCall, str]
) -> CompiledExpression | ExpressionError:
    """A compiled cell, or the reason why an aggregate that it needs cannot be computed."""
    if isinstance(cell, ExpressionError):
        return cell
    reason = next((broken[need] for need in cell.needs if need in broken), None)
    return cell if reason is None else _refused(engine, cell.expression, reason)


def _refused(engine: Engine, expression: Expression, reason: str) -> ExpressionError:
    """Why an expression cannot be computed: the part whose operands do not fit it, or else the engine's words."""
    try:
        columns = engine.run(f"describe {ROWS_TABLE}")
        types = dict(zip(columns["column_name"].to_pylist(), columns["column_type"].to_pylist(), strict=True))
    except EngineError:  # there are no rows where pages and their numbers are
        types = {}
    fault = expression_type(expression, types)
    if isinstance(fault, TypeFault):
        at = fault.begin or 0
        return ExpressionError(f"In {expression.text!r} at character {at + 1}: {fault.message}", at)
    return ExpressionError(f"The engine cannot compute it: {reason}.", 0)


def faulty(count: int, fault: ExpressionError) -> Computed:
    """What replaces an expression that cannot be computed."""
    return Computed(pa.nulls(count, pa.string()), fault=fault)


def compute_cells(
    engine: Engine,
    compiler: Compiler,
    cells: Sequence[CompiledExpression | ExpressionError],
    source: str,
    order: str,
    count: int,
    distinct: Callable[[AggregateCall], list[int]] | None = None,
) -> tuple[Computed, ...]:
    """Compute scalar SQL over a source of `count` rows, given in the order of a column.

    `distinct` tells how many values a column has behind each row, where the rows are not the groups of a table's scope.
    """
    sound = [cell for cell in cells if isinstance(cell, CompiledExpression)]
    distinct = distinct or partial(_distinct_counts, engine)
    results = iter(_compute_together(engine, compiler, sound, source, order, count, distinct))
    return tuple(faulty(count, c) if isinstance(c, ExpressionError) else next(results) for c in cells)


def _compute_together(
    engine: Engine,
    compiler: Compiler,
    cells: list[CompiledExpression],
    source: str,
    order: str,
    count: int,
    distinct: Callable[[AggregateCall], list[int]],
) -> list[Computed]:
    if not cells:
        return []
    bound: dict[str, Any] = {}
    for cell in cells:
        bound |= cell.bound
    listed = ", ".join(f"{cell.sql} as c{i}" for i, cell in enumerate(cells))
    try:
        table = engine.run(f"select {listed} from {source} order by {order}", bound)
        computed = [Computed(all_rows(table.column(i))) for i in range(len(cells))]
    except EngineError:
        computed = [_compute_one(engine, cell, source, order, count) for cell in cells]
    return [
        replace(each, faults={**each.faults, **_not_constant(engine, compiler, cell, source, order, distinct)})
        for each, cell in zip(computed, cells, strict=True)
    ]


def _compute_one(engine: Engine, cell: CompiledExpression, source: str, order: str, count: int) -> Computed:
    """One cell, row by row where it must be: rows that fail become null and are marked."""
    try:
        table = engine.run(f"select {cell.sql} as c from {source} order by {order}", cell.bound)
        return Computed(all_rows(table.column(0)))
    except EngineError as first:
        message = engine_message(first)
    try:
        # two statements: in one, the engine would compute the common part outside of try
        values = engine.run(f"select try({cell.sql}) as c from {source} order by {order}", cell.bound)
        failed = engine.run(f"select try(({cell.sql}) is null) is null as c from {source} order by {order}", cell.bound)
    except EngineError:
        return faulty(count, _refused(engine, cell.expression, message))
    bad = pc.indices_nonzero(all_rows(failed.column(0)))
    return Computed(all_rows(values.column(0)), dict.fromkeys(bad.to_pylist(), Fault(message)))


def _not_constant(
    engine: Engine,
    compiler: Compiler,
    cell: CompiledExpression,
    source: str,
    order: str,
    distinct: Callable[[AggregateCall], list[int]],
) -> dict[int, Fault]:
    """Rows in which a bare column has several values, with how many."""
    faults: dict[int, Fault] = {}
    for constant in cell.constants:
        flag = name_of(constant.is_constant, compiler.names)
        flags = all_rows(engine.run(f'select "{flag}" from {source} order by {order}').column(0))
        bad = pc.indices_nonzero(pc.invert(pc.fill_null(flags, True))).to_pylist()
        if bad:
            counts = distinct(constant.distinct)
            for row in bad:
                what = f"{constant.column} has {counts[row]:,} values here; total it, or group by it"
                faults.setdefault(row, Fault(what, counts[row]))
    return faults


def _distinct_counts(engine: Engine, distinct: AggregateCall) -> list[int]:
    """How many values there are in each group of a table's scope."""
    scope = int(distinct.scope)
    group = group_column(scope % OWN) if scope else ""
    counts: list[int] = engine.run(per_group(ROWS_TABLE, group, f"{distinct.sql} as n")).column("n").to_pylist()
    return counts


def per_group(source: str, group: str, listed: str, inner: InnerGroups | None = None, order: str = "") -> str:
    """SQL that computes aggregates for each group of a source's rows, in order, or of all of them without a column that
    numbers groups; over the groups within each, if wanted, in the order of a column."""
    rows = f"({inner_groups_sql(source, group, inner, order)})" if inner is not None else source
    return f"select {listed} from {rows}{f' group by {group} order by {group}' if group else ''}"


def all_rows(column: pa.ChunkedArray) -> pa.Array:
    """A column as one array; copied only where it is in several pieces."""
    if column.num_chunks == 1:
        return column.chunk(0)
    combined = column.combine_chunks()
    return combined.chunk(0) if isinstance(combined, pa.ChunkedArray) else combined
