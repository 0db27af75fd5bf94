"""A matrix's figures asked again another way: one plain SQL statement over the fetched rows for each, with the keys of
its row and column as conditions, whatever the matrix itself was computed from."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from msgspec import Struct, field
from sqlglot import exp

from northmoor.core.base.arrays import Ints
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.compute.crosstab.cell_values import CellExpressionCompiler, CellLevel, Sides, cell_level_of
from northmoor.core.compute.crosstab.evaluation import CrosstabPlan, sides_of
from northmoor.core.compute.crosstab.group_axes import Axis
from northmoor.core.compute.evaluate.compiler import Compiler, EvaluationScope
from northmoor.core.compute.evaluate.inner_groups import has_inner_groups
from northmoor.core.compute.explain.table_query import (
    ROW_NUMBER,
    ROWS,
    Verification,
    figures_of_figures_sql,
    numbered,
    run_verification,
)
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import ExpressionError
from northmoor.core.expr.identifiers import quoted
from northmoor.core.expr.language import columns_in, parse
from northmoor.core.values.parameter_values import Values


class CellAddress(Struct, frozen=True):
    """A cell: its crossing, and the numbers of its groups of rows and of columns there."""

    at: CellLevel
    row: int
    column: int


class CrosstabVerifier(Struct, eq=False):
    """A matrix whose figures are asked again, over all rows as they were fetched."""

    plan: CrosstabPlan
    rows: Mapping[str, Rows]
    values: Values
    sides: Sides
    bound: dict[str, Any] = field(default_factory=dict)

    def rows_behind(self, cell: CellAddress) -> Ints:
        """The numbers of the fetched rows behind a cell."""
        found = np.ones(len(self.sides.rows.leaf_of_row), bool)
        for axis in (self.sides.rows, self.sides.columns):
            found &= axis.leaf_of_row >= 0
        for axis, depth, group in self._places(cell):
            if depth:
                found &= np.isin(axis.of_rows(depth), _inside(axis, depth, group))
        kept = np.flatnonzero(found)
        numbers = self.sides.rows_in.table.column(ROW_NUMBER).to_numpy()[kept]
        return np.asarray(numbers, np.int64)

    def _places(self, cell: CellAddress) -> tuple[tuple[Axis, int, int], ...]:
        return (self.sides.rows, cell.at.rows, cell.row), (self.sides.columns, cell.at.columns, cell.column)

    def verify(self, text: str, cell: CellAddress, stop: CancelToken) -> Verification:
        """Ask an expression again. Faults of the expression itself are reasons, too."""
        self.bound = {}
        try:
            work = _CellCompiler(self, text, cell)
            value = work.transform(work.expression.tree.copy()).sql("duckdb")
            condition = self.condition(cell)
        except ExpressionError as error:
            return Verification(why_not=error.message)
        where = f" where {condition}" if condition else ""
        source = f" from {ROWS}{where}" if work.is_over_rows else ""
        given = {ROWS: numbered(self.rows[self.plan.query].table)}
        given |= {f"query_{name}": other.table for name, other in self.rows.items()}
        return run_verification(value, source, where, {**work.bound, **self.bound}, given, stop)

    def condition(self, cell: CellAddress) -> str:
        """The condition on fetched rows that says which are behind a cell."""
        orders = (self.plan.rows, self.plan.columns)
        if any(g.keep_groups is not None or g.first_groups is not None for order in orders for g in order.groupings):
            return self._numbered(cell)
        kept = [self._scalar(self.plan.keep_rows)] if self.plan.keep_rows is not None else []
        for side, order, (axis, depth, group) in zip("rc", orders, self._places(cell), strict=True):
            for level in range(1, depth + 1):
                groups = axis.groups[level - 1]
                if groups.tree is not None:
                    return self._numbered(cell)
                by = order.groupings[level - 1].key
                if not columns_in(by):
                    continue  # it is the same in all rows
                key = f"key_{side}_{level}"  # the same in conditions of windows, which are around the same cell
                self.bound[key] = groups.keys[int(axis.around(depth, level)[group])].as_py()
                kept.append(f"{self._scalar(by)} is not distinct from ${key}")
        return " and ".join(kept)

    def _scalar(self, text: str) -> str:
        compiled = Compiler(self.values).compile(parse(text), EvaluationScope(self.sides.rows_in.names))
        self.bound.update(compiled.bound)
        return f"({compiled.sql})"

    def _numbered(self, cell: CellAddress) -> str:
        name = f"numbers_{cell.at.rows}_{cell.at.columns}"
        self.bound[name] = self.rows_behind(cell).tolist()
        return f"{ROW_NUMBER} in (select unnest(${name}))"


def crosstab_verifier(
    plan: CrosstabPlan, rows: Mapping[str, Rows], values: Values, stop: CancelToken
) -> CrosstabVerifier:
    """A matrix to be asked again. Raises LayoutError where its sides cannot be worked out."""
    return CrosstabVerifier(plan, rows, values, sides_of(plan, rows, values, stop, ROW_NUMBER))


class _CellCompiler(CellExpressionCompiler):
    """Compiles an expression to one value over the rows behind a cell, other windows as inner queries."""

    def __init__(self, asking: CrosstabVerifier, text: str, cell: CellAddress) -> None:
        super().__init__(Compiler(asking.values), parse(text), cell.at, asking.sides.around)
        self.asking, self.cell = asking, cell
        self.is_over_rows = False

    def key(self, level: str) -> exp.Expr:
        """The key of an open level."""
        sides, cell = self.asking.sides, self.cell
        names = [g.name for g in sides.around.row_groupings]
        axis, depth, group = (sides.rows, cell.at.rows, cell.row)
        if level not in names:
            names = [g.name for g in sides.around.column_groupings]
            axis, depth, group = (sides.columns, cell.at.columns, cell.column)
        own = names.index(level) + 1
        name = f"key_{'r' if axis is sides.rows else 'c'}_{own}"
        self.bound[name] = axis.groups[own - 1].keys[int(axis.around(depth, own)[group])].as_py()
        return exp.Placeholder(this=name)

    def window_of_rows(self, node: exp.Window, scope: int) -> exp.Expr:  # noqa: ARG002  # the general one needs it
        """Windows over cells have no plain counterpart."""
        raise self.error_at("windows over cells are not asked again another way", node)

    def aggregate(self, node: exp.Expr, scope: int | str) -> exp.Expr:
        """An aggregate over the cell's own rows as it is, over others in a query of its own."""
        self.is_over_rows = self.is_over_rows or scope == self.standing.scope
        columns = self.standing.others[scope] if isinstance(scope, str) else self.standing.columns
        if has_inner_groups(node):
            source = quoted(f"query_{scope}") if isinstance(scope, str) else ROWS
            where = "" if isinstance(scope, str) else self.asking.condition(self._around(cell_level_of(scope)))
            return exp.Var(this=f"({figures_of_figures_sql(self, node, columns, source, where)})")
        sql = self.other(node, lambda n: self.value_of(n, columns)).sql("duckdb")
        if scope == self.standing.scope:
            return exp.Var(this=sql)
        if isinstance(scope, str):
            return exp.Var(this=f"(select {sql} from {quoted(f'query_{scope}')})")
        condition = self.asking.condition(self._around(cell_level_of(scope)))
        return exp.Var(this=f"(select {sql} from {ROWS}{f' where {condition}' if condition else ''})")

    def _around(self, at: CellLevel) -> CellAddress:
        sides, own = self.asking.sides, self.cell
        row = int(sides.rows.around(own.at.rows, at.rows)[own.row])
        return CellAddress(at, row, int(sides.columns.around(own.at.columns, at.columns)[own.column]))

    def compile_bare_column(self, node: exp.Column) -> exp.Expr:
        """The one value that the cell's rows have."""
        self.is_over_rows = True
        return exp.Var(this=f"any_value({quoted(self.resolve_name(node, self.standing.columns))})")


def _inside(axis: Axis, depth: int, group: int) -> Ints:
    """The groups that lie in one, itself included."""
    tree = axis.groups[depth - 1].tree
    if tree is None:
        return np.array([group])
    around, inside = tree.pairs()
    found: Ints = inside[around == group]
    return found
