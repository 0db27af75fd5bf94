"""A table's rows in order and grouped, as its levels say: by keys, by a value of each group, the first of them only."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from northmoor.core.compute.cells import ROWS, Computed, whole
from northmoor.core.compute.groups import Grouping, Groups, Ints, Wanted, groups_of, outer_of
from northmoor.core.compute.scoped import Surroundings, compute_scoped, give_trees
from northmoor.core.compute.scopes import POSITION, Compiled, Compiler, Standing, depth_column, group_column
from northmoor.core.errors import ExpressionError, LayoutError, Place
from northmoor.core.expr.language import parse
from northmoor.core.sources.engine import Engine, EngineError, told


@dataclass(frozen=True)
class Order:
    """What decides a table's rows: the block it is of, its levels, the order within them, which rows are kept."""

    block: str
    groupings: tuple[Grouping, ...]
    order: tuple[tuple[str, bool], ...]
    keep_rows: str | None = None


def grouped(
    engine: Engine, compiler: Compiler, order: Order, fetched: pa.Table, others: Mapping[str, tuple[str, ...]]
) -> Surroundings:
    """Put a table's rows into the engine, in order and with the numbers of their groups.

    Filters and orders by the values of groups go from the innermost level outward, each over the rows that are left.
    Raises LayoutError where a level, an order or a filter cannot be computed: then no row has a place.
    """
    names = tuple(fetched.column_names)
    ordered = _ordered(engine, compiler, order, fetched)
    around = _give(engine, ordered, names, order, others)
    for depth in reversed(range(len(order.groupings))):
        grouping = order.groupings[depth]
        if (grouping.order_by, grouping.keep_groups, grouping.first_groups, grouping.parent) != (None,) * 4:
            ordered = ordered.take(pa.array(_chosen_rows(engine, compiler, order, depth, around)))
            around = _give(engine, ordered, names, order, others)
    return around


def _give(
    engine: Engine, ordered: pa.Table, names: tuple[str, ...], order: Order, others: Mapping[str, tuple[str, ...]]
) -> Surroundings:
    keys = [whole(ordered.column(f"__nm_key_{i}")) for i in range(len(order.groupings))]
    parents = [
        whole(ordered.column(f"__nm_parent_{i}")) if grouping.parent is not None else None
        for i, grouping in enumerate(order.groupings)
    ]
    levels = groups_of(keys, parents)
    give_trees(engine, levels)
    engine.give(ROWS, _numbered(ordered, names, levels))
    return Surroundings(names, ordered.num_rows, order.groupings, levels, others)


def _chosen_rows(engine: Engine, compiler: Compiler, order: Order, depth: int, around: Surroundings) -> Ints:
    """The rows that a level's filter and order leave, in their new order."""
    grouping, levels = order.groupings[depth], around.levels
    outer = outer_of(levels[:depth], levels[depth].starts)
    kept = np.ones(len(levels[depth]), bool)
    if grouping.keep_groups is not None:
        kept = _kept(engine, compiler, order, depth, around)
    at = np.arange(len(kept))
    if grouping.order_by is not None:
        values = _values(engine, compiler, order, depth, grouping.order_by, around)
        direction = "descending" if grouping.order == "descending" else "ascending"
        table = pa.table({"outer": outer, "value": values, "at": at})
        keys = [("outer", "ascending"), ("value", direction), ("at", "ascending")]
        at = pc.sort_indices(table, sort_keys=keys).to_numpy()  # nulls stand at the end
    tree = levels[depth].tree
    if tree is not None:
        rank = np.empty(len(at), np.int64)
        rank[at] = np.arange(len(at))
        return _rows_of(levels[depth].starts, tree.in_order(outer, rank, tree.with_ways(kept), grouping.first_groups))
    at = at[kept[at]]
    if grouping.first_groups is not None and len(at):
        inside = outer[at]
        first = np.searchsorted(inside, inside, "left")  # the groups of one outer group lie together
        at = at[np.arange(len(at)) - first < grouping.first_groups]
    return _rows_of(levels[depth].starts, at)


def _rows_of(starts: Ints, groups: Ints) -> Ints:
    """The row numbers of some groups, one group after the other."""
    sizes = np.diff(starts)[groups]
    ends = np.cumsum(sizes)
    rows: Ints = np.arange(int(sizes.sum())) + np.repeat(starts[groups] - (ends - sizes), sizes)
    return rows


def _values(engine: Engine, compiler: Compiler, order: Order, depth: int, text: str, around: Surroundings) -> pa.Array:
    """An expression's value for each group of a level."""
    want = Wanted(depth + 1, text)
    computed: Computed = compute_scoped(engine, compiler, [want], around)[want]
    fault = computed.fault.message if computed.fault else None
    fault = fault or next((f.message for f in computed.faults.values()), None)
    if fault is not None:
        raise LayoutError(fault, Place(block=order.block, row=f"level {order.groupings[depth].name}"))
    return computed.values


def _kept(engine: Engine, compiler: Compiler, order: Order, depth: int, around: Surroundings) -> npt.NDArray[np.bool_]:
    text = order.groupings[depth].keep_groups or ""
    values = _values(engine, compiler, order, depth, text, around)
    if not pa.types.is_boolean(values.type):
        place = Place(block=order.block, row=f"level {order.groupings[depth].name}")
        raise LayoutError(f"{text!r} says neither yes nor no of a group; write a comparison.", place)
    return np.asarray(pc.fill_null(values, False).to_numpy(zero_copy_only=False), bool)


def _ordered(engine: Engine, compiler: Compiler, plan: Order, fetched: pa.Table) -> pa.Table:
    """The rows with the levels' keys, in order: level by level, then the block's order, then as fetched."""
    position = pa.array(np.arange(fetched.num_rows, dtype=np.int64))
    engine.give("__nm_fetched", fetched.append_column("__nm_fetched_at", position))
    standing = Standing(tuple(fetched.column_names))
    bound: dict[str, object] = {}
    keys, orders, firsts = [], [], []
    for depth, grouping in enumerate(plan.groupings):
        compiled = _ordering(compiler, plan, grouping.by, f"level {grouping.name}", standing)
        bound |= compiled.bound
        keys.append(f"{compiled.sql} as __nm_key_{depth}")
        if grouping.parent is not None:
            parent = _ordering(compiler, plan, grouping.parent, f"parent of {grouping.name}", standing)
            bound |= parent.bound
            keys.append(f"{parent.sql} as __nm_parent_{depth}")
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
    if plan.keep_rows is not None:
        compiled = _ordering(compiler, plan, plan.keep_rows, "rows kept", standing)
        bound |= compiled.bound
        inner += f" where {compiled.sql}"
    if firsts:
        inner = f"select *, {', '.join(firsts)} from ({inner})"
    try:
        return engine.run(f"{inner} order by {', '.join([*orders, '__nm_fetched_at'])}", bound)
    except EngineError as error:
        raise LayoutError(f"Its rows cannot be ordered and grouped: {told(error)}.", Place(block=plan.block)) from error


def _ordering(compiler: Compiler, plan: Order, text: str, what: str, standing: Standing) -> Compiled:
    try:
        compiled = compiler.compile(parse(text), standing)
    except ExpressionError as error:
        raise LayoutError(error.message, Place(block=plan.block, row=what)) from error
    if compiled.needs or POSITION in compiled.sql:
        message = f"{text!r} must follow from a single row; totals and windows cannot order or group rows."
        raise LayoutError(message, Place(block=plan.block, row=what))
    return compiled


def _numbered(ordered: pa.Table, names: tuple[str, ...], levels: tuple[Groups, ...]) -> pa.Table:
    table = ordered.select(list(names))
    table = table.append_column(POSITION, pa.array(np.arange(table.num_rows, dtype=np.int64)))
    for scope, groups in enumerate(levels, 1):
        numbers = np.repeat(np.arange(len(groups), dtype=np.int32), np.diff(groups.starts))
        table = table.append_column(group_column(scope), pa.array(numbers))
        if groups.tree is not None:
            table = table.append_column(depth_column(scope), pa.array(groups.depth[numbers]))
    return table
