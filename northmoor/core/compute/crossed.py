"""Expressions computed where the groups of two sides cross: in cells, in totals of rows and of columns, and of all.

Where an expression stands is told by two depths: how many levels of the rows and of the columns are open; (0, 0) is the
total of all. Every aggregate is computed from the rows, once for each crossing it is wanted at, so that totals of
averages and of distinct counts are right; windows name a side, a level or the report.
"""

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import pyarrow as pa
from sqlglot import exp

from northmoor.core.compute.axes import Axis
from northmoor.core.compute.bases import KEY, Base, is_key
from northmoor.core.compute.cells import ROWS, Computed, compute_cells, faulty, unless_broken, whole
from northmoor.core.compute.groups import Grouping, Ints
from northmoor.core.compute.running import give_queries
from northmoor.core.compute.scoped import scope_table
from northmoor.core.compute.scopes import Aggregated, Compiled, Compiler, Standing, Work, name_of, runs_over_groups
from northmoor.core.errors import ExpressionError, did_you_mean
from northmoor.core.expr.language import Expression, bare_column, is_aggregate, parse, quoted
from northmoor.core.sources.engine import Engine, EngineError, told
from northmoor.core.sources.fetch import Rows
from northmoor.core.stopping import Stop

_WIDE = 100
"""Scopes are numbers for the compiler: the depth of the rows times this, and that of the columns."""
_CELL = "__nm_cell"


class Crossing(NamedTuple):
    """Where an expression stands: how many levels are open on the side of the rows and on that of the columns."""

    rows: int
    columns: int


@dataclass(frozen=True, order=True)
class Crossed:
    """An expression wanted at a crossing."""

    at: Crossing
    expression: str


@dataclass(frozen=True, eq=False)
class Around:
    """What expressions can speak of: the columns of the rows, the levels of both sides, the report's queries."""

    names: tuple[str, ...]
    row_groupings: tuple[Grouping, ...]
    column_groupings: tuple[Grouping, ...]
    queries: Mapping[str, Rows]
    windows: tuple[str, str] = ("row", "column")
    """What the windows are called that are one group of a side, over all of the other."""


@dataclass(frozen=True, eq=False)
class Sides:
    """What is crossed: the rows of the data and the two sides over them."""

    base: Base
    rows: Axis
    columns: Axis
    around: Around

    def shape(self, at: Crossing) -> tuple[int, int]:
        """How many groups of rows and of columns cross somewhere."""
        return self.rows.size(at.rows), self.columns.size(at.columns)


@dataclass(frozen=True, eq=False)
class Crossings:
    """The values of expressions, row by row, and at each crossing which cells have rows behind them."""

    values: Mapping[Crossed, Computed]
    has_rows: Mapping[Crossing, npt.NDArray[np.bool_]] = field(default_factory=dict)


def compute_crossed(
    engine: Engine,
    compiler: Compiler,
    wanted: Iterable[Crossed],
    sides: Sides,
    stop: Stop,
    known: Collection[Crossing] = (),
) -> Crossings:
    """Compute expressions at their crossings, and at those that are `known` which cells have rows behind them; a faulty
    expression is that expression's own fault."""
    asked = sorted(set(wanted))
    compiled = {want: compile_crossed(compiler, want, sides.around) for want in asked}
    work = _Computing(engine, compiler, sides, compiled, known)
    found: dict[Crossed, Computed] = {}
    for at in sorted({want.at for want in asked}):
        stop.check()
        mine = [want for want in asked if want.at == at]
        cells = work.cells(at, [compiled[want] for want in mine])
        found |= {want: _in_words(want, compiled[want], cell, sides) for want, cell in zip(mine, cells, strict=True)}
    return Crossings(found, {at: work.has_rows(at) for at in known})


def compile_crossed(compiler: Compiler, want: Crossed, around: Around) -> Compiled | ExpressionError:
    """An expression's SQL at its crossing, or why it has no meaning there."""
    try:
        work = CellWork(compiler, parse(want.expression), want.at, around)
        tree = work.transform(work.expression.tree.copy())
    except ExpressionError as error:
        return error
    return Compiled(tree.sql("duckdb"), tuple(work.needs), work.bound, tuple(work.constants), work.says_key)


def _in_words(want: Crossed, cell: Compiled | ExpressionError, found: Computed, sides: Sides) -> Computed:
    """What says which group a total is of, with words where that group is gathered from several."""
    at = want.at
    if not isinstance(cell, Compiled) or not cell.says_key or (at.rows and at.columns):
        return found
    axis, depth = (sides.rows, at.rows) if at.rows else (sides.columns, at.columns)
    return replace(found, words=axis.groups[depth - 1].words) if depth else found


def _scope(at: Crossing) -> int:
    return at.rows * _WIDE + at.columns


def crossing_of(scope: int) -> Crossing:
    """The crossing that a scope's number stands for."""
    return Crossing(*divmod(scope, _WIDE))


def _number(side: str, depth: int) -> str:
    """The column that numbers a side's groups at a depth."""
    return f"__nm_{side}_{depth}"


class CellWork(Work):
    """Compiles an expression of a matrix: its windows are the row, the column, levels of either side, or all."""

    def __init__(
        self,
        compiler: Compiler,
        expression: Expression,
        at: Crossing,
        around: Around,
    ) -> None:
        levels = tuple(g.name for g in (*around.row_groupings, *around.column_groupings))
        others = {name: rows.names for name, rows in around.queries.items()}
        super().__init__(compiler, expression, Standing(around.names, levels, _scope(at), others=others))
        self.at, self.around = at, around
        open_levels = (*around.row_groupings[: at.rows], *around.column_groupings[: at.columns])
        self.open_keys = [(g, parse(g.by).tree) for g in open_levels]

    def transform(self, node: exp.Expr) -> exp.Expr:
        """The node, with keys of open levels as what they are in the cell."""
        for grouping, key in self.open_keys:
            if node == key or (isinstance(node, exp.Column) and self._names_key(node, grouping)):
                return self.key(grouping.name)
        return super().transform(node)

    def key(self, level: str) -> exp.Expr:
        """The key of an open level."""
        need = Aggregated(self.standing.scope, f"{KEY}{level}")
        self.needs.append(need)
        self.says_key = True
        return exp.column(name_of(need, self.compiler.names), quoted=True)

    def _names_key(self, node: exp.Column, grouping: Grouping) -> bool:
        bare = bare_column(grouping.by)
        return bare is not None and not node.table and node.name.lower() == bare.lower()

    def window_scope(self, node: exp.Window) -> int:
        """The crossing that a window names."""
        name = node.alias
        if not name:
            raise self.fault(f"name a window after over: {', '.join(self.around.windows)}, report, or a level", node)
        if node.args.get("partition_by"):
            raise self.fault("a window's scope is its level; take out partition by", node)
        return _scope(self._crossing_of(name, node))

    def _crossing_of(self, name: str, node: exp.Window) -> Crossing:
        whole = (Crossing(0, 0), Crossing(self.at.rows, 0), Crossing(0, self.at.columns))
        named = dict(zip(("report", *self.around.windows), whole, strict=True))
        if name in named:
            return named[name]
        row_names = [g.name for g in self.around.row_groupings]
        column_names = [g.name for g in self.around.column_groupings]
        if name in row_names:  # in a total over several groups of the level, all that the total is over
            return Crossing(min(row_names.index(name) + 1, self.at.rows), self.at.columns)
        if name in column_names:
            return Crossing(self.at.rows, min(column_names.index(name) + 1, self.at.columns))
        known = did_you_mean(name, (*named, *row_names, *column_names))
        raise self.fault(f"there is no window {name!r} here. {known}", node)

    def window_of_rows(self, node: exp.Window, scope: int) -> exp.Expr:
        """A window over cells: along the row, down the column, or within a level of either."""
        order, spec = node.args.get("order"), node.args.get("spec")
        inner = node.this.this if isinstance(node.this, exp.Filter) else node.this
        own, around = self.at, crossing_of(scope)
        if around == Crossing(0, 0) and own.rows and own.columns:
            told = " or ".join(f"over {name}" for name in self.around.windows)
            raise self.fault(f"cells of the whole report have no order; write {told}", node)
        if not isinstance(node.this, exp.Filter) and not runs_over_groups(inner):
            raise self.fault(
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
        compiled: Mapping[Crossed, Compiled | ExpressionError],
        known: Collection[Crossing],
    ) -> None:
        self.engine, self.compiler, self.sides = engine, compiler, sides
        sound = [c for c in compiled.values() if isinstance(c, Compiled)]
        self.bound = {name: value for c in sound for name, value in c.bound.items()}
        needs = {n for c in sound for n in c.needs} | {n for c in sound for k in c.constants for n in (k.distinct,)}
        self.needs = {n for n in needs if not is_key(n)}
        self.broken: dict[Aggregated, str] = {}
        self._found: dict[Crossing, tuple[pa.Table, Ints]] = {}
        self._give_rows({*known, *(crossing_of(n.scope) for n in self.needs if isinstance(n.scope, int))})
        others = sorted((n for n in self.needs if isinstance(n.scope, str)), key=lambda n: compiler.names[n])
        self.broken |= give_queries(engine, compiler, others, sides.around.queries, self.bound)

    def _give_rows(self, crossings: set[Crossing]) -> None:
        """Put the rows into the engine, with the numbers of their groups."""
        sides, table = self.sides, self.sides.base.table
        left_out = (sides.rows.leaf_of_row < 0) | (sides.columns.leaf_of_row < 0)
        for side, axis in (("r", sides.rows), ("c", sides.columns)):
            wanted = {axis.depth, *(at.rows if side == "r" else at.columns for at in crossings)}
            for depth in sorted(d for d in wanted if d):
                table = table.append_column(_number(side, depth), pa.array(axis.of_rows(depth).astype(np.int32)))
        if left_out.any():
            table = table.filter(pa.array(~left_out))
        self.engine.give(ROWS, table)
        for side, axis in (("r", sides.rows), ("c", sides.columns)):
            if axis.depth and (tree := axis.groups[-1].tree) is not None:
                around, inside = tree.pairs()
                self.engine.give(f"__nm_tree_{side}", pa.table({f"{side}_around": around, f"{side}_inside": inside}))

    def cells(self, at: Crossing, compiled: list[Compiled | ExpressionError]) -> tuple[Computed, ...]:
        """Expressions at a crossing, in the order of its rows and columns."""
        count = int(np.prod(self.sides.shape(at)))
        table = self._dense(at, [c for c in compiled if isinstance(c, Compiled)])
        checked = [unless_broken(c, self.broken) for c in compiled]
        others = sorted(
            {str(n.scope) for c in checked if isinstance(c, Compiled) for n in c.needs if isinstance(n.scope, str)}
        )
        if not count:
            return tuple(faulty(0, c) if isinstance(c, ExpressionError) else Computed(pa.nulls(0)) for c in checked)
        self.engine.give("__nm_dense", table)
        source = "__nm_dense" + "".join(f" cross join {quoted(scope_table(name))}" for name in others)
        return compute_cells(self.engine, self.compiler, checked, source, _CELL, count, self._distinct_counts)

    def has_rows(self, at: Crossing) -> npt.NDArray[np.bool_]:
        """Which cells at a crossing have rows behind them."""
        _, place = self._aggregated(at)
        return place >= 0

    def _distinct_counts(self, distinct: Aggregated) -> list[int]:
        assert isinstance(distinct.scope, int)
        table, place = self._aggregated(crossing_of(distinct.scope))
        counts: list[int] = _spread(table.column(self.compiler.names[distinct]), place).to_pylist()
        return counts

    def _aggregated(self, at: Crossing) -> tuple[pa.Table, Ints]:
        """The aggregates of a crossing's cells that have rows, and for each cell its place among them, or −1."""
        if at not in self._found:
            mine = sorted((n for n in self.needs if n.scope == _scope(at)), key=self._name)
            try:
                table = self._asked(at, mine)
            except EngineError:
                table = self._asked(at, [])
                for need in mine:
                    try:
                        alone = self._asked(at, [need])
                        table = table.append_column(self._name(need), alone.column(self._name(need)))
                    except EngineError as error:
                        self.broken[need] = told(error)
            columns = self.sides.shape(at)[1]
            cell = table.column("r").to_numpy().astype(np.int64) * columns + table.column("c").to_numpy()
            place = np.full(int(np.prod(self.sides.shape(at))), -1, np.int64)
            place[cell] = np.arange(len(cell))
            self._found[at] = (table, place)
        return self._found[at]

    def _name(self, need: Aggregated) -> str:
        return name_of(need, self.compiler.names)

    def _asked(self, at: Crossing, needs: list[Aggregated]) -> pa.Table:
        source, numbers = ROWS, []
        for side, depth, axis in (("r", at.rows, self.sides.rows), ("c", at.columns, self.sides.columns)):
            is_tree = depth > 0 and depth == axis.depth and axis.groups[-1].tree is not None
            if is_tree:
                source += f" join __nm_tree_{side} on {side}_inside = {_number(side, depth)}"
            numbers.append(f"{side}_around" if is_tree else _number(side, depth) if depth else "0")
        by = ", ".join(number for number in numbers if number != "0")
        listed = "".join(f", {self.sides.base.sql(need.sql)} as {quoted(self._name(need))}" for need in needs)
        grouped = f" group by {by} order by {by}" if by else " having count(*) > 0"
        return self.engine.run(
            f"select {numbers[0]} as r, {numbers[1]} as c{listed} from {source}{grouped}", self.bound
        )

    def _dense(self, at: Crossing, compiled: list[Compiled]) -> pa.Table:
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
            other = crossing_of(int(need.scope))
            table, place = self._aggregated(other)
            if need in self.broken:
                continue
            inside = self.sides.rows.around(at.rows, other.rows)[r] * self.sides.shape(other)[1]
            inside += self.sides.columns.around(at.columns, other.columns)[c]
            named[self._name(need)] = _spread(table.column(self._name(need)), place[inside])
        return pa.table(named)

    def _key(self, level: str, at: Crossing, r: Ints, c: Ints) -> pa.Array:
        around = self.sides.around
        names = [g.name for g in around.row_groupings]
        if level in names:
            depth = names.index(level) + 1
            return self.sides.rows.groups[depth - 1].keys.take(pa.array(self.sides.rows.around(at.rows, depth)[r]))
        depth = [g.name for g in around.column_groupings].index(level) + 1
        return self.sides.columns.groups[depth - 1].keys.take(pa.array(self.sides.columns.around(at.columns, depth)[c]))


def _spread(column: pa.ChunkedArray, place: Ints) -> pa.Array:
    """A column's values at places; null where there is none (−1)."""
    return whole(column).take(pa.array(place, mask=place < 0))
