"""Expressions computed where the groups of two sides cross: in cells, in totals of rows and of columns, and of all.

The place of an expression is given by two depths: how many levels of the rows and of the columns are open; (0, 0) is
the total of all. Every aggregate is computed from the rows, once for each crossing it is wanted at, so that totals of
averages and of distinct counts are right; windows name a side, a level or the report.
"""

from collections.abc import Collection, Iterable, Mapping
from typing import NamedTuple

import numpy as np
import pyarrow as pa
from msgspec import Struct, field
from sqlglot import exp

from northmoor.core.base.arrays import Bools, Ints
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.compute.crosstab.group_axes import Axis
from northmoor.core.compute.crosstab.preaggregation import KEY, PreaggregatedRows, is_key
from northmoor.core.compute.evaluate.by_group import scope_table
from northmoor.core.compute.evaluate.compiler import (
    AggregateCall,
    CompiledExpression,
    Compiler,
    EvaluationScope,
    ExpressionCompiler,
    name_of,
    runs_over_groups,
)
from northmoor.core.compute.evaluate.inner_groups import inner_groups_sql, keys_inside
from northmoor.core.compute.evaluate.per_page import register_query_aggregates
from northmoor.core.compute.evaluate.scope_cells import (
    ROWS_TABLE,
    Computed,
    all_rows,
    compute_cells,
    faulty,
    or_whole_fault,
)
from northmoor.core.compute.groups.boundaries import Grouping
from northmoor.core.engine.embedded import Engine, EngineError, engine_message
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import ExpressionError, did_you_mean
from northmoor.core.expr.identifiers import quoted
from northmoor.core.expr.language import Expression, bare_column, is_aggregate, parse

_WIDE = 100
"""Scopes are numbers for the compiler: the depth of the rows times this, and that of the columns."""
_CELL = "__nm_cell"


class CellLevel(NamedTuple):
    """The place of an expression: how many levels are open on the side of the rows and on that of the columns."""

    rows: int
    columns: int


class CrosstabExpression(Struct, frozen=True, order=True):
    """An expression wanted at a crossing."""

    level: CellLevel
    expression: str


class CrosstabScope(Struct, frozen=True, eq=False):
    """What expressions can refer to: the columns of the rows, the levels of both sides, the report's queries."""

    names: tuple[str, ...]
    row_groupings: tuple[Grouping, ...]
    column_groupings: tuple[Grouping, ...]
    queries: Mapping[str, Rows]
    windows: tuple[str, str] = ("row", "column")
    """What the windows are called that are one group of a side, over all of the other."""


class Sides(Struct, frozen=True, eq=False):
    """What is crossed: the rows of the data and the two sides over them."""

    rows_in: PreaggregatedRows
    rows: Axis
    columns: Axis
    around: CrosstabScope

    def shape(self, at: CellLevel) -> tuple[int, int]:
        """How many groups of rows and of columns cross somewhere."""
        return self.rows.size(at.rows), self.columns.size(at.columns)


class CellValues(Struct, frozen=True, eq=False):
    """The values of expressions, row by row, and at each crossing which cells have rows behind them."""

    values: Mapping[CrosstabExpression, Computed]
    has_rows: Mapping[CellLevel, Bools] = field(default_factory=dict)


def compute_cell_values(
    engine: Engine,
    compiler: Compiler,
    wanted: Iterable[CrosstabExpression],
    sides: Sides,
    stop: CancelToken,
    known: Collection[CellLevel] = (),
) -> CellValues:
    """Compute expressions at their crossings, and at those that are `known` which cells have rows behind them; a faulty
    expression is that expression's own fault."""
    asked = sorted(set(wanted))
    compiled = {want: compile_cell_expression(compiler, want, sides.around) for want in asked}
    work = _Computing(engine, compiler, sides, compiled, known)
    found: dict[CrosstabExpression, Computed] = {}
    for at in sorted({want.level for want in asked}):
        stop.raise_if_cancelled()
        mine = [want for want in asked if want.level == at]
        cells = work.cells(at, [compiled[want] for want in mine])
        found |= {
            want: _fault_message(want, compiled[want], cell, sides) for want, cell in zip(mine, cells, strict=True)
        }
    return CellValues(found, {at: work.has_rows(at) for at in known})


def compile_cell_expression(
    compiler: Compiler, want: CrosstabExpression, around: CrosstabScope
) -> CompiledExpression | ExpressionError:
    """An expression's SQL at its crossing, or why it has no meaning there."""
    try:
        work = CellExpressionCompiler(compiler, parse(want.expression), want.level, around)
        tree = work.transform(work.expression.tree.copy())
    except ExpressionError as error:
        return error
    return work.compiled(tree)


def _fault_message(
    want: CrosstabExpression, cell: CompiledExpression | ExpressionError, found: Computed, sides: Sides
) -> Computed:
    """What says which group a total is of, with words where that group is gathered from several."""
    at = want.level
    if not isinstance(cell, CompiledExpression) or not cell.is_level_key or (at.rows and at.columns):
        return found
    axis, depth = (sides.rows, at.rows) if at.rows else (sides.columns, at.columns)
    return replace(found, labels=axis.groups[depth - 1].labels) if depth else found


def _scope(at: CellLevel) -> int:
    return at.rows * _WIDE + at.columns


def cell_level_of(scope: int) -> CellLevel:
    """The crossing that a scope's number represents."""
    return CellLevel(*divmod(scope, _WIDE))


def _number(side: str, depth: int) -> str:
    """The column that numbers a side's groups at a depth."""
    return f"__nm_{side}_{depth}"


class CellExpressionCompiler(ExpressionCompiler):
    """Compiles an expression of a matrix: its windows are the row, the column, levels of either side, or all."""

    def __init__(
        self,
        compiler: Compiler,
        expression: Expression,
        at: CellLevel,
        around: CrosstabScope,
    ) -> None:
        levels = tuple(g.name for g in (*around.row_groupings, *around.column_groupings))
        others = {name: rows.names for name, rows in around.queries.items()}
        inside = keys_inside(around.row_groupings, at.rows) | keys_inside(around.column_groupings, at.columns)
        standing = EvaluationScope(around.names, levels, _scope(at), others=others, level_keys=inside)
        super().__init__(compiler, expression, standing)
        self.at, self.around = at, around
        open_levels = (*around.row_groupings[: at.rows], *around.column_groupings[: at.columns])
        self.open_keys = [(g, parse(g.key).tree) for g in open_levels]

    def transform(self, node: exp.Expr) -> exp.Expr:
        """The node, with keys of open levels as what they are in the cell."""
        for grouping, key in self.open_keys:
            if node == key or (isinstance(node, exp.Column) and self._names_key(node, grouping)):
                return self.key(grouping.name)
        return super().transform(node)

    def key(self, level: str) -> exp.Expr:
        """The key of an open level."""
        need = AggregateCall(self.standing.scope, f"{KEY}{level}")
        self.needs.append(need)
        self.says_key = True
        return exp.column(name_of(need, self.compiler.names), quoted=True)

    def _names_key(self, node: exp.Column, grouping: Grouping) -> bool:
        bare = bare_column(grouping.key)
        return bare is not None and not node.table and node.name.lower() == bare.lower()

    def window_scope(self, node: exp.Window) -> int:
        """The crossing that a window names."""
        name = node.alias
        if not name:
            raise self.error_at(f"name a window after over: {', '.join(self.around.windows)}, report, or a level", node)
        if node.args.get("partition_by"):
            raise self.error_at("a window's scope is its level; remove partition by", node)
        return _scope(self._crossing_of(name, node))

    def _crossing_of(self, name: str, node: exp.Window) -> CellLevel:
        whole = (CellLevel(0, 0), CellLevel(self.at.rows, 0), CellLevel(0, self.at.columns))
        named = dict(zip(("report", *self.around.windows), whole, strict=True))
        if name in named:
            return named[name]
        row_names = [g.name for g in self.around.row_groupings]
        column_names = [g.name for g in self.around.column_groupings]
        if name in row_names:  # in a total over several groups of the level, all that the total is over
            return CellLevel(min(row_names.index(name) + 1, self.at.rows), self.at.columns)
        if name in column_names:
            return CellLevel(self.at.rows, min(column_names.index(name) + 1, self.at.columns))
        known = did_you_mean(name, (*named, *row_names, *column_names))
        raise self.error_at(f"there is no window {name!r} here. {known}", node)

    def window_of_rows(self, node: exp.Window, scope: int) -> exp.Expr:
        """A window over cells: along the row, down the column, or within a level of either."""
        order, spec = node.args.get("order"), node.args.get("spec")
        inner = node.this.this if isinstance(node.this, exp.Filter) else node.this
        own, around = self.at, cell_level_of(scope)
        if around == CellLevel(0, 0) and own.rows and own.columns:
            message = " or ".join(f"over {name}" for name in self.around.windows)
            raise self.error_at(f"cells of the whole report have no order; write {message}", node)
        if not isinstance(node.this, exp.Filter) and not runs_over_groups(inner):
            raise self.error_at(
                f"to run over cells, total what it runs over, as in sum({inner.sql('duckdb').lower()})", node
            )
        partition = [_number("r", around.rows)] * bool(around.rows) + [_number("c", around.columns)] * bool(
            around.columns
        )
        along = _number("c", own.columns) if around.columns < own.columns else _number("r", own.rows)
        first = along if around != own else _CELL
        call = self.other(node.this, self.transform)
        ordering = self.other(order, self.transform).sql("duckdb") if order else f"order by {first}"
        ordering = "" if order is None and spec is None and is_aggregate(inner) else ordering
        parts = f"partition by {', '.join(partition)}" if partition else ""
        return exp.Var(this=f"{call.sql('duckdb')} over ({parts} {ordering} {spec.sql('duckdb') if spec else ''})")


class _Computing:
    """The aggregates of all crossings, computed once each, and the scalars over them."""

    def __init__(
        self,
        engine: Engine,
        compiler: Compiler,
        sides: Sides,
        compiled: Mapping[CrosstabExpression, CompiledExpression | ExpressionError],
        known: Collection[CellLevel],
    ) -> None:
        self.engine, self.compiler, self.sides = engine, compiler, sides
        sound = [c for c in compiled.values() if isinstance(c, CompiledExpression)]
        self.bound = {name: value for c in sound for name, value in c.bound.items()}
        needs = {n for c in sound for n in c.needs} | {n for c in sound for k in c.constants for n in (k.distinct,)}
        self.needs = {n for n in needs if not is_key(n)}
        self.broken: dict[AggregateCall, str] = {}
        self._found: dict[CellLevel, tuple[pa.Table, Ints]] = {}
        self._give_rows({*known, *(cell_level_of(n.scope) for n in self.needs if isinstance(n.scope, int))})
        others = sorted((n for n in self.needs if isinstance(n.scope, str)), key=lambda n: compiler.names[n])
        self.broken |= register_query_aggregates(engine, compiler, others, sides.around.queries, self.bound)

    def _give_rows(self, crossings: set[CellLevel]) -> None:
        """Put the rows into the engine, with the numbers of their groups."""
        sides, table = self.sides, self.sides.rows_in.table
        left_out = (sides.rows.leaf_of_row < 0) | (sides.columns.leaf_of_row < 0)
        for side, axis in (("r", sides.rows), ("c", sides.columns)):
            wanted = {axis.depth, *(at.rows if side == "r" else at.columns for at in crossings)}
            for depth in sorted(d for d in wanted if d):
                table = table.append_column(_number(side, depth), pa.array(axis.of_rows(depth).astype(np.int32)))
        if left_out.any():
            table = table.filter(pa.array(~left_out))
        self.engine.register(ROWS_TABLE, table)
        for side, axis in (("r", sides.rows), ("c", sides.columns)):
            if axis.depth and (tree := axis.groups[-1].tree) is not None:
                around, inside = tree.pairs()
                self.engine.register(
                    f"__nm_tree_{side}", pa.table({f"{side}_around": around, f"{side}_inside": inside})
                )

    def cells(self, at: CellLevel, compiled: list[CompiledExpression | ExpressionError]) -> tuple[Computed, ...]:
        """Expressions at a crossing, in the order of its rows and columns."""
        count = int(np.prod(self.sides.shape(at)))
        table = self._dense(at, [c for c in compiled if isinstance(c, CompiledExpression)])
        checked = [or_whole_fault(self.engine, c, self.broken) for c in compiled]
        others = sorted(
            {
                str(n.scope)
                for c in checked
                if isinstance(c, CompiledExpression)
                for n in c.needs
                if isinstance(n.scope, str)
            }
        )
        if not count:
            return tuple(faulty(0, c) if isinstance(c, ExpressionError) else Computed(pa.nulls(0)) for c in checked)
        self.engine.register("__nm_dense", table)
        source = "__nm_dense" + "".join(f" cross join {quoted(scope_table(name))}" for name in others)
        return compute_cells(self.engine, self.compiler, checked, source, _CELL, count, self._distinct_counts)

    def has_rows(self, at: CellLevel) -> Bools:
        """Which cells at a crossing have rows behind them."""
        _, place = self._aggregated(at)
        return place >= 0

    def _distinct_counts(self, distinct: AggregateCall) -> list[int]:
        assert isinstance(distinct.scope, int)
        table, place = self._aggregated(cell_level_of(distinct.scope))
        counts: list[int] = _spread(table.column(self.compiler.names[distinct]), place).to_pylist()
        return counts

    def _aggregated(self, at: CellLevel) -> tuple[pa.Table, Ints]:
        """The aggregates of a crossing's cells that have rows, and for each cell its place among them, or −1."""
        if at not in self._found:
            mine = sorted((n for n in self.needs if n.scope == _scope(at)), key=self._name)
            left = [need for need in mine if need.inner is not None]
            try:
                table = self._asked(at, [need for need in mine if need.inner is None])
            except EngineError:
                table, left = self._asked(at, []), mine
            for need in left:
                try:
                    alone = self._asked(at, [need])
                    table = table.append_column(self._name(need), alone.column(self._name(need)))
                except EngineError as error:
                    self.broken[need] = engine_message(error)
            columns = self.sides.shape(at)[1]
            cell = table.column("r").to_numpy().astype(np.int64) * columns + table.column("c").to_numpy()
            place = np.full(int(np.prod(self.sides.shape(at))), -1, np.int64)
            place[cell] = np.arange(len(cell))
            self._found[at] = (table, place)
        return self._found[at]

    def _name(self, need: AggregateCall) -> str:
        return name_of(need, self.compiler.names)

    def _asked(self, at: CellLevel, needs: list[AggregateCall]) -> pa.Table:
        """Aggregates over rows together, or a single one over inner groups, of the cells that have rows."""
        source, numbers = ROWS_TABLE, []
        for side, depth, axis in (("r", at.rows, self.sides.rows), ("c", at.columns, self.sides.columns)):
            is_tree = depth > 0 and depth == axis.depth and axis.groups[-1].tree is not None
            if is_tree:
                source += f" join __nm_tree_{side} on {side}_inside = {_number(side, depth)}"
            numbers.append(f"{side}_around" if is_tree else _number(side, depth) if depth else "0")
        by = ", ".join(number for number in numbers if number != "0")
        if needs and needs[0].inner is not None:
            source = f"({inner_groups_sql(source, by, needs[0].inner)})"
        listed = "".join(f", {self.sides.rows_in.sql(need.sql)} as {quoted(self._name(need))}" for need in needs)
        grouped = f" group by {by} order by {by}" if by else " having count(*) > 0"
        return self.engine.run(
            f"select {numbers[0]} as r, {numbers[1]} as c{listed} from {source}{grouped}", self.bound
        )

    def _dense(self, at: CellLevel, compiled: list[CompiledExpression]) -> pa.Table:
        """A crossing's cells, those without rows as well: the numbers of their groups and all that expressions need."""
        rows, columns = self.sides.shape(at)
        r, c = np.repeat(np.arange(rows), columns), np.tile(np.arange(columns), rows)
        named: dict[str, pa.Array | Ints] = {_CELL: np.arange(rows * columns)}
        for depth in range(1, at.rows + 1):
            named[_number("r", depth)] = self.sides.rows.around(at.rows, depth)[r]
        for depth in range(1, at.columns + 1):
            named[_number("c", depth)] = self.sides.columns.around(at.columns, depth)[c]
        for need in {n for each in compiled for n in each.needs if isinstance(n.scope, int)}:
            if is_key(need):
                named[self._name(need)] = self._key(need.sql.removeprefix(KEY), at, r, c)
                continue
            other = cell_level_of(int(need.scope))
            table, place = self._aggregated(other)
            if need in self.broken:
                continue
            inside = self.sides.rows.around(at.rows, other.rows)[r] * self.sides.shape(other)[1]
            inside += self.sides.columns.around(at.columns, other.columns)[c]
            named[self._name(need)] = _spread(table.column(self._name(need)), place[inside])
        return pa.table(named)

    def _key(self, level: str, at: CellLevel, r: Ints, c: Ints) -> pa.Array:
        around = self.sides.around
        names = [g.name for g in around.row_groupings]
        if level in names:
            depth = names.index(level) + 1
            return self.sides.rows.groups[depth - 1].keys.take(pa.array(self.sides.rows.around(at.rows, depth)[r]))
        depth = [g.name for g in around.column_groupings].index(level) + 1
        return self.sides.columns.groups[depth - 1].keys.take(pa.array(self.sides.columns.around(at.columns, depth)[c]))


def _spread(column: pa.ChunkedArray, place: Ints) -> pa.Array:
    """A column's values at places; null where there is none (−1)."""
    return all_rows(column).take(pa.array(place, mask=place < 0))
