"""Expressions computed in the scopes of a table: its rows, the groups of its levels, the whole of it.

Every aggregate is computed once for each group of its scope; cells are scalars over those.
"""

from collections.abc import Iterable, Mapping
from functools import partial

import numpy as np
import pyarrow as pa
from msgspec import Struct

from northmoor.core.base.arrays import Ints
from northmoor.core.base.replace import replace
from northmoor.core.compute.evaluate.compiler import AggregateCall, CompiledExpression, Compiler, EvaluationScope
from northmoor.core.compute.evaluate.inner_groups import keys_inside
from northmoor.core.compute.evaluate.scope_cells import (
    ROWS_TABLE,
    Computed,
    all_rows,
    compute_cells,
    or_whole_fault,
    per_group,
)
from northmoor.core.compute.evaluate.scope_names import BASE, COUNTED, DETAIL, OWN, POSITION, group_column
from northmoor.core.compute.groups.boundaries import Grouping, Groups, ScopedExpression
from northmoor.core.engine.embedded import Engine, EngineError, engine_message
from northmoor.core.errors import ExpressionError
from northmoor.core.expr.identifiers import quoted
from northmoor.core.expr.language import Expression, bare_column, parse


class TableScope(Struct, frozen=True):
    """A table's rows as they lie in the engine: its columns' names, how many rows, its levels, the other queries, and
    which of the fetched rows each is; `table` are the rows themselves."""

    names: tuple[str, ...]
    rows: int
    groupings: tuple[Grouping, ...]
    levels: tuple[Groups, ...]
    others: Mapping[str, tuple[str, ...]]
    source: Ints
    table: pa.Table


def compute_by_group(
    engine: Engine, compiler: Compiler, expressions: Iterable[ScopedExpression], around: TableScope
) -> dict[ScopedExpression, Computed]:
    """Each expression's values, one a row or group of its scope."""
    wanted = sorted(expressions, key=lambda w: (w.scope, w.expression))
    compiled: dict[ScopedExpression, CompiledExpression | ExpressionError] = {}
    for want in wanted:
        scope = want.scope
        open_levels = around.groupings[:scope] if scope > 0 else ()
        keys = frozenset(c for g in open_levels if (c := bare_column(g.key)))
        computed = tuple((parse(g.key).tree, s) for s, g in enumerate(open_levels, 1) if bare_column(g.key) is None)
        own_key = bare_column(open_levels[-1].key) if open_levels else None
        names = tuple(g.name for g in around.groupings)
        trees = frozenset(s for s, groups in enumerate(around.levels, 1) if groups.tree is not None)
        standing = EvaluationScope(around.names, names, scope, keys, computed, trees, own_key, around.others)
        has_uncounted = COUNTED in around.table.column_names
        standing = replace(standing, has_uncounted=has_uncounted, level_keys=keys_inside(around.groupings, scope))
        try:
            compiled[want] = compiler.compile(parse(want.expression), standing)
        except ExpressionError as error:
            compiled[want] = error
    broken = _register_scopes(engine, compiler, compiled, around.levels)
    cells: dict[ScopedExpression, Computed] = {}
    for scope in sorted({w.scope for w in wanted}):
        mine = [w for w in wanted if w.scope == scope]
        count = around.rows if scope == DETAIL else 1 if scope == 0 else len(around.levels[scope - 1])
        direct = {w: d for w in mine if scope == DETAIL and (d := _direct(parse(w.expression), around)) is not None}
        rest = [w for w in mine if w not in direct]
        checked = [or_whole_fault(engine, compiled[w], broken) for w in rest]
        source, order = _source(scope, {n.scope for c in checked if isinstance(c, CompiledExpression) for n in c.needs})
        cells |= direct
        found = compute_cells(engine, compiler, checked, source, order, count)
        if scope > 0 and (words := around.levels[scope - 1].labels):
            found = tuple(map(partial(_fault_message, words), checked, found))
        cells |= dict(zip(rest, found, strict=True))
    return cells


def _fault_message(words: Mapping[int, str], cell: CompiledExpression | ExpressionError, found: Computed) -> Computed:
    """A cell that says what a group is, with words where the group is gathered from several."""
    if not isinstance(cell, CompiledExpression) or not cell.is_level_key:
        return found
    return replace(found, faults={row: f for row, f in found.faults.items() if row not in words}, labels=words)


def _direct(expression: Expression, around: TableScope) -> Computed | None:
    """A bare column of the rows needs no computing."""
    name = expression.column
    return Computed(all_rows(around.table.column(name))) if name is not None and name in around.names else None


def _register_scopes(
    engine: Engine,
    compiler: Compiler,
    compiled: Mapping[ScopedExpression, CompiledExpression | ExpressionError],
    levels: tuple[Groups, ...],
) -> dict[AggregateCall, str]:
    """Compute every aggregate once for each group of its scope. Returns those that fail, with the reason."""
    needs = {n for c in compiled.values() if isinstance(c, CompiledExpression) for n in c.needs}
    broken: dict[AggregateCall, str] = {}
    for scope in sorted({need.scope for need in needs}, key=str):
        mine = sorted((n for n in needs if n.scope == scope), key=lambda n: compiler.names[n])
        bound = {k: v for c in compiled.values() if isinstance(c, CompiledExpression) for k, v in c.bound.items()}
        over_rows = [need for need in mine if need.inner is None]
        table: pa.Table | None = None
        try:
            table = _aggregates(engine, compiler, scope, over_rows, bound, levels) if over_rows else None
            left = [need for need in mine if need.inner is not None]
        except EngineError:
            left = mine
        for need in left:
            table = _one_aggregate(engine, compiler, scope, need, bound, table, broken, levels)
        if isinstance(scope, int):
            table = _with_outer_groups(table, scope, levels)
        if table is not None:
            engine.register(scope_table(scope), table)
    return broken


def _aggregates(
    engine: Engine,
    compiler: Compiler,
    scope: int | str,
    needs: list[AggregateCall],
    bound: dict[str, object],
    levels: tuple[Groups, ...],
) -> pa.Table:
    """Aggregates over rows together, or a single one over inner groups."""
    listed = ", ".join(f"{need.sql} as {quoted(compiler.names[need])}" for need in needs)
    source, group = ROWS_TABLE, group_column(scope % OWN) if isinstance(scope, int) and scope else ""
    order = POSITION if isinstance(scope, int) else ""
    if isinstance(scope, str):
        source = quoted(f"__nm_query_{scope}")
    elif 0 < scope < OWN and levels[scope - 1].tree is not None:
        source, group = f"{ROWS_TABLE} join {_tree_table(scope)} on __nm_inside = {group}", "__nm_around"
    return engine.run(per_group(source, group, listed, needs[0].inner, order), bound)


def _one_aggregate(
    engine: Engine,
    compiler: Compiler,
    scope: int | str,
    need: AggregateCall,
    bound: dict[str, object],
    table: pa.Table | None,
    broken: dict[AggregateCall, str],
    levels: tuple[Groups, ...],
) -> pa.Table | None:
    """Compute one aggregate and add it to the scope's table, or note why it fails."""
    try:
        alone = _aggregates(engine, compiler, scope, [need], bound, levels)
    except EngineError as error:
        broken[need] = engine_message(error)
        return table
    return alone if table is None else table.append_column(compiler.names[need], alone.column(0))


def _with_outer_groups(table: pa.Table | None, scope: int, levels: tuple[Groups, ...]) -> pa.Table | None:
    """A scope's table with the numbers of its own groups and of the groups around them."""
    if scope == 0 or table is None:
        return table
    level = scope % OWN
    inner = levels[level - 1].starts[:-1]
    for outer in range(1, level + 1):
        numbers = np.searchsorted(levels[outer - 1].starts, inner, "right") - 1
        table = table.append_column(group_column(outer), pa.array(numbers.astype(np.int32)))
    return table


def register_trees(engine: Engine, levels: tuple[Groups, ...]) -> None:
    """Put into the engine which groups of a tree lie in which."""
    for scope, groups in enumerate(levels, 1):
        if groups.tree is not None:
            around, inside = groups.tree.pairs()
            engine.register(_tree_table(scope), pa.table({"__nm_around": around, "__nm_inside": inside}))


def _tree_table(scope: int) -> str:
    return f"__nm_tree_{scope}"


def scope_table(scope: int | str) -> str:
    """The engine's name for the aggregates of a scope."""
    return f"__nm_scope_{scope}"


def _source(scope: int, needed: set[int | str]) -> tuple[str, str]:
    """The tables a scope's cells read, joined by group number, and the column that orders them."""
    if scope == DETAIL:
        base, order = ROWS_TABLE, POSITION
    elif scope == 0:
        base, order = "(select 0 as __nm_one)", "__nm_one"
    else:
        outer = ", ".join(f"min({group_column(s)}) as {group_column(s)}" for s in range(1, scope))
        own = group_column(scope)
        listed = f"{own}, {outer}" if outer else own
        base, order = f"(select {listed} from {ROWS_TABLE} group by {own})", f"{BASE}.{own}"
    joins = ""
    for other in sorted(needed, key=str):
        name = quoted(scope_table(other))
        if isinstance(other, str) or other == 0:
            joins += f" cross join {name}"
        else:
            group = group_column(other % OWN)
            joins += f" join (select * from {name}) as s{other} on s{other}.{group} = {BASE}.{group}"
    return f"{base} as {BASE}{joins}", order
