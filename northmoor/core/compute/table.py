"""A table block's rows in order, the groups of its levels, and the values of all its cells.

The work is set work and runs in the engine: order, then group numbers, then each scope's aggregates, then scalars.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from northmoor.core.compute.cells import ROWS, Computed, compute_cells, per_group, whole
from northmoor.core.compute.scopes import (
    BASE,
    DETAIL,
    POSITION,
    Aggregated,
    Compiled,
    Compiler,
    Standing,
    group_column,
)
from northmoor.core.errors import ExpressionError, LayoutError, Place
from northmoor.core.expr.language import Expression, bare_column, parse, quoted
from northmoor.core.expr.templates import Slot, Template, parse_template
from northmoor.core.model.blocks import Column, Content, TableBlock
from northmoor.core.sources.engine import Engine, EngineError, told
from northmoor.core.sources.fetch import Rows
from northmoor.core.stopping import Stop
from northmoor.core.values.values import Values

Ints = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Wanted:
    """An expression wanted in a scope: `DETAIL`, 0 for the report, or a level counted from 1."""

    scope: int
    expression: str


@dataclass(frozen=True)
class Grouping:
    """What of a level decides which rows stand in which group, and in what order."""

    name: str
    by: str
    order: str


@dataclass(frozen=True)
class TablePlan:
    """All that the computation of a table depends on, and nothing of its looks; usable as a cache key."""

    name: str
    query: str
    groupings: tuple[Grouping, ...]
    order: tuple[tuple[str, bool], ...]
    wanted: frozenset[Wanted]


def template_of(content: Content) -> Template:
    """A cell's content as literal texts and slots. Raises ExpressionError."""
    if content.value is not None:
        return (Slot(parse(content.value), content.format),)
    return parse_template(content.text or "")


def head_content(column: Column) -> Content:
    """A column's title as a cell; its scope is the report."""
    return Content(text=column.title)


def plan_of(table: TableBlock) -> TablePlan:
    """What has to be computed for a table. Cells that do not parse are left out; layout shows them as faults."""
    contents: list[tuple[int, Content]] = [(DETAIL, column) for column in table.columns] if table.show_details else []
    for scope, level in enumerate(table.levels, 1):
        contents += [(scope, cell) for row in (level.heading, level.total) if row for cell in row.cells]
    contents += [(0, cell) for cell in table.total.cells] if table.total else []
    contents += [(0, head_content(column)) for column in table.columns]
    wanted = set()
    for scope, content in contents:
        try:
            wanted |= {Wanted(scope, s.expression.text) for s in template_of(content) if isinstance(s, Slot)}
        except ExpressionError:
            continue  # told where the cell is laid out
    groupings = tuple(Grouping(level.name, level.by, level.order) for level in table.levels)
    order = tuple((key.by, key.descending) for key in table.order)
    return TablePlan(table.name, table.query, groupings, order, frozenset(wanted))


@dataclass(frozen=True, eq=False)
class Groups:
    """A level's groups: group g holds rows ``starts[g]`` up to ``starts[g + 1]``; `keys` has one value a group."""

    starts: Ints
    keys: pa.Array

    def __len__(self) -> int:
        return len(self.starts) - 1


@dataclass(frozen=True, eq=False)
class ArrangedTable:
    """A table's rows in order. `cells` holds, for each wanted expression, one value a row or group of its scope."""

    rows: int
    levels: tuple[Groups, ...]
    cells: Mapping[Wanted, Computed]

    @cached_property
    def group_of_row(self) -> tuple[Ints, ...]:
        """For each level, the group number of each row."""
        return tuple(np.repeat(np.arange(len(g)), np.diff(g.starts)) for g in self.levels)

    def keys(self, row: int, levels: int) -> tuple[object, ...]:
        """The keys of the outermost levels at a row."""
        found = ((g, int(np.searchsorted(g.starts, row, "right")) - 1) for g in self.levels[:levels])
        return tuple(groups.keys[at].as_py() for groups, at in found)


def arrange(plan: TablePlan, rows: Mapping[str, Rows], values: Values, stop: Stop) -> ArrangedTable:
    """Order and group the rows of a table and compute its cells.

    `rows` are the report's fetched queries by name. Raises LayoutError when a level or the order cannot be computed,
    since then no row has a place; a faulty cell is that cell's own fault.
    """
    own = rows[plan.query]
    with Engine(stop) as engine:
        compiler = Compiler(values)
        ordered = _ordered(engine, compiler, plan, own)
        keys = [whole(ordered.column(f"__nm_key_{i}")) for i in range(len(plan.groupings))]
        levels = _groups(keys)
        engine.give(ROWS, _numbered(ordered, own, levels))
        stop.check()
        others = {name: other.names for name, other in rows.items()}
        for name, other in rows.items():
            engine.give(f"__nm_query_{name}", other.table)
        cells = _cells(engine, compiler, plan, own, others, levels)
    return ArrangedTable(own.table.num_rows, levels, cells)


def _ordered(engine: Engine, compiler: Compiler, plan: TablePlan, own: Rows) -> pa.Table:
    """The rows with the levels' keys, in order: level by level, then the block's order, then as fetched."""
    position = pa.array(np.arange(own.table.num_rows, dtype=np.int64))
    engine.give("__nm_fetched", own.table.append_column("__nm_fetched_at", position))
    standing = Standing(own.names)
    bound: dict[str, object] = {}
    keys, orders, firsts = [], [], []
    for depth, grouping in enumerate(plan.groupings):
        compiled = _ordering(compiler, plan, grouping.by, f"level {grouping.name}", standing)
        bound |= compiled.bound
        keys.append(f"{compiled.sql} as __nm_key_{depth}")
        if grouping.order == "as_given":
            partition = ", ".join(f"__nm_key_{k}" for k in range(depth + 1))
            firsts.append(f"min(__nm_fetched_at) over (partition by {partition}) as __nm_first_{depth}")
            orders.append(f"__nm_first_{depth}")
        direction = "desc" if grouping.order == "descending" else "asc"
        orders.append(f"__nm_key_{depth} {direction} nulls last")
    for i, (by, descending) in enumerate(plan.order):
        compiled = _ordering(compiler, plan, by, "order", standing)
        bound |= compiled.bound
        keys.append(f"{compiled.sql} as __nm_order_{i}")
        orders.append(f"__nm_order_{i} {'desc' if descending else 'asc'} nulls last")
    listed = ", ".join(["*", *keys])
    inner = f"select {listed} from __nm_fetched"
    if firsts:
        inner = f"select *, {', '.join(firsts)} from ({inner})"
    try:
        return engine.run(f"{inner} order by {', '.join([*orders, '__nm_fetched_at'])}", bound)
    except EngineError as error:
        raise LayoutError(f"Its rows cannot be ordered and grouped: {told(error)}.", Place(block=plan.name)) from error


def _ordering(compiler: Compiler, plan: TablePlan, text: str, what: str, standing: Standing) -> Compiled:
    try:
        compiled = compiler.compile(parse(text), standing)
    except ExpressionError as error:
        raise LayoutError(error.message, Place(block=plan.name, row=what)) from error
    if compiled.needs or POSITION in compiled.sql:
        message = f"{text!r} must follow from a single row; totals and windows cannot order or group rows."
        raise LayoutError(message, Place(block=plan.name, row=what))
    return compiled


def _groups(keys: list[pa.Array]) -> tuple[Groups, ...]:
    """Where each level's groups begin: where its own key or an outer one changes. A null key is a key of its own."""
    levels = []
    changes: npt.NDArray[np.bool_] | None = None
    for key in keys:
        codes = key.dictionary_encode(null_encoding="encode").indices.to_numpy(zero_copy_only=False)
        own = np.ones(len(codes), bool)
        own[1:] = codes[1:] != codes[:-1]
        changes = own if changes is None else changes | own
        starts = np.append(np.flatnonzero(changes), len(codes)).astype(np.int64)
        levels.append(Groups(starts, key.take(pa.array(starts[:-1]))))
    return tuple(levels)


def _numbered(ordered: pa.Table, own: Rows, levels: tuple[Groups, ...]) -> pa.Table:
    table = ordered.select(list(own.names))
    table = table.append_column(POSITION, pa.array(np.arange(table.num_rows, dtype=np.int64)))
    for scope, groups in enumerate(levels, 1):
        numbers = np.repeat(np.arange(len(groups), dtype=np.int32), np.diff(groups.starts))
        table = table.append_column(group_column(scope), pa.array(numbers))
    return table


def _cells(
    engine: Engine,
    compiler: Compiler,
    plan: TablePlan,
    own: Rows,
    others: Mapping[str, tuple[str, ...]],
    levels: tuple[Groups, ...],
) -> dict[Wanted, Computed]:
    wanted = sorted(plan.wanted, key=lambda w: (w.scope, w.expression))
    compiled: dict[Wanted, Compiled | ExpressionError] = {}
    for want in wanted:
        scope = want.scope
        open_levels = plan.groupings[:scope] if scope > 0 else ()
        keys = frozenset(c for g in open_levels if (c := bare_column(g.by)))
        standing = Standing(own.names, tuple(g.name for g in plan.groupings), scope, keys, others)
        try:
            compiled[want] = compiler.compile(parse(want.expression), standing)
        except ExpressionError as error:
            compiled[want] = error
    broken = _give_scopes(engine, compiler, compiled, levels)
    cells: dict[Wanted, Computed] = {}
    for scope in sorted({w.scope for w in wanted}):
        mine = [w for w in wanted if w.scope == scope]
        count = _count(scope, own, levels)
        direct = {
            w: d for w in mine if scope == DETAIL and (d := _direct(engine, parse(w.expression), own)) is not None
        }
        rest = [w for w in mine if w not in direct]
        checked = [_unless_broken(compiled[w], broken) for w in rest]
        source, order = _source(scope, {n.scope for c in checked if isinstance(c, Compiled) for n in c.needs})
        cells |= direct
        cells |= dict(zip(rest, compute_cells(engine, compiler, checked, source, order, count), strict=True))
    return cells


def _direct(engine: Engine, expression: Expression, own: Rows) -> Computed | None:
    """A bare column of the rows needs no computing."""
    name = expression.column
    if name is None or name not in own.names:
        return None
    return Computed(whole(engine.run(f"select {quoted(name)} from {ROWS} order by {POSITION}").column(0)))


def _unless_broken(cell: Compiled | ExpressionError, broken: Mapping[Aggregated, str]) -> Compiled | ExpressionError:
    if isinstance(cell, Compiled):
        for need in cell.needs:
            if need in broken:
                return ExpressionError(f"The engine cannot compute it: {broken[need]}.", 0)
    return cell


def _give_scopes(
    engine: Engine,
    compiler: Compiler,
    compiled: Mapping[Wanted, Compiled | ExpressionError],
    levels: tuple[Groups, ...],
) -> dict[Aggregated, str]:
    """Compute every aggregate once for each group of its scope. Returns those that fail, with the reason."""
    needs = {n for c in compiled.values() if isinstance(c, Compiled) for n in c.needs}
    broken: dict[Aggregated, str] = {}
    for scope in sorted({need.scope for need in needs}, key=str):
        mine = sorted((n for n in needs if n.scope == scope), key=lambda n: compiler.names[n])
        bound = {k: v for c in compiled.values() if isinstance(c, Compiled) for k, v in c.bound.items()}
        try:
            table = _aggregates(engine, compiler, scope, mine, bound)
        except EngineError:
            table = None
            for need in mine:
                table = _one_aggregate(engine, compiler, scope, need, bound, table, broken)
        if isinstance(scope, int):
            table = _with_outer_groups(table, scope, levels)
        if table is not None:
            engine.give(scope_table(scope), table)
    return broken


def _aggregates(
    engine: Engine, compiler: Compiler, scope: int | str, needs: list[Aggregated], bound: dict[str, object]
) -> pa.Table:
    listed = ", ".join(f"{need.sql} as {quoted(compiler.names[need])}" for need in needs)
    sql = (
        per_group(scope, listed) if isinstance(scope, int) else f"select {listed} from {quoted(f'__nm_query_{scope}')}"
    )
    return engine.run(sql, bound)


def _one_aggregate(
    engine: Engine,
    compiler: Compiler,
    scope: int | str,
    need: Aggregated,
    bound: dict[str, object],
    table: pa.Table | None,
    broken: dict[Aggregated, str],
) -> pa.Table | None:
    """Compute one aggregate and add it to the scope's table, or note why it fails."""
    try:
        alone = _aggregates(engine, compiler, scope, [need], bound)
    except EngineError as error:
        broken[need] = told(error)
        return table
    return alone if table is None else table.append_column(compiler.names[need], alone.column(0))


def _with_outer_groups(table: pa.Table | None, scope: int, levels: tuple[Groups, ...]) -> pa.Table | None:
    """A scope's table with the numbers of its own groups and of the groups around them."""
    if scope == 0 or table is None:
        return table
    inner = levels[scope - 1].starts[:-1]
    for outer in range(1, scope + 1):
        numbers = np.searchsorted(levels[outer - 1].starts, inner, "right") - 1
        table = table.append_column(group_column(outer), pa.array(numbers.astype(np.int32)))
    return table


def scope_table(scope: int | str) -> str:
    """The engine's name for the aggregates of a scope."""
    return f"__nm_scope_{scope}"


def _source(scope: int, needed: set[int | str]) -> tuple[str, str]:
    """The tables a scope's cells read, joined by group number, and the column that orders them."""
    if scope == DETAIL:
        base, order = ROWS, POSITION
    elif scope == 0:
        base, order = "(select 0 as __nm_one)", "__nm_one"
    else:
        outer = ", ".join(f"min({group_column(s)}) as {group_column(s)}" for s in range(1, scope))
        own = group_column(scope)
        listed = f"{own}, {outer}" if outer else own
        base, order = f"(select {listed} from {ROWS} group by {own})", f"{BASE}.{own}"
    joins = ""
    for other in sorted(needed, key=str):
        name = quoted(scope_table(other))
        if isinstance(other, str) or other == 0:
            joins += f" cross join {name}"
        else:
            group = group_column(other)
            joins += f" join (select * from {name}) as s{other} on s{other}.{group} = {BASE}.{group}"
    return f"{base} as {BASE}{joins}", order


def _count(scope: int, own: Rows, levels: tuple[Groups, ...]) -> int:
    if scope == DETAIL:
        return int(own.table.num_rows)
    return 1 if scope == 0 else len(levels[scope - 1])
