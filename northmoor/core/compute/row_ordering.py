"""A table's rows in order and grouped, as its levels say: by keys, by a value of each group, the first of them only."""

import re
from collections.abc import Iterable, Mapping, Sequence
from contextlib import nullcontext

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from msgspec import Struct
from sqlglot import exp

from northmoor.core.base.arrays import Bools, Ints
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.compute.evaluate.by_group import TableScope, compute_by_group, register_trees
from northmoor.core.compute.evaluate.compiler import CompiledExpression, Compiler, EvaluationScope
from northmoor.core.compute.evaluate.scope_cells import ROWS_TABLE, Computed, all_rows
from northmoor.core.compute.evaluate.scope_names import COUNTED, POSITION, depth_column, group_column, key_column
from northmoor.core.compute.groups.boundaries import Grouping, Groups, LevelRows, ScopedExpression, groups_of, outer_of
from northmoor.core.engine.embedded import SORTING, Engine, EngineError, engine_message
from northmoor.core.errors import ExpressionError, LayoutError, Place
from northmoor.core.expr.identifiers import quoted
from northmoor.core.expr.language import bare_column, function_name, parse

_MANY = 200_000
"""Rows from which it is worth to begin another engine with more threads."""


class Order(Struct, frozen=True):
    """What decides a table's rows: the block it is of, its levels, the order within them, which rows are kept."""

    block: str
    groupings: tuple[Grouping, ...]
    order: tuple[tuple[str, bool], ...]
    keep_rows: str | None = None


class _Rows(Struct, frozen=True, eq=False):
    """A table's rows in order, with the columns its levels need, and the terms that order them by level and within."""

    table: pa.Table
    terms: tuple[tuple[str, ...], ...]
    bound: Mapping[str, object]


def ordered_groups(
    engine: Engine,
    compiler: Compiler,
    order: Order,
    fetched: pa.Table,
    others: Mapping[str, tuple[str, ...]],
    stop: CancelToken,
) -> TableScope:
    """Put a table's rows into the engine, in order and with the numbers of their groups.

    Filters and orders by the values of groups go from the innermost level outward, each over the rows that are left.
    Groups that are gathered in one are ordered again within it. Raises LayoutError where a level, an order or a filter
    cannot be computed: then no row has a place.
    """
    work = Ordering(engine, compiler, order, tuple(fetched.column_names), others)
    return work.register(work.in_order(fetched, stop))


class Ordering:
    """The steps of ordering and choosing groups, over rows that lie in the engine."""

    def __init__(
        self,
        engine: Engine,
        compiler: Compiler,
        order: Order,
        names: tuple[str, ...],
        others: Mapping[str, tuple[str, ...]],
    ) -> None:
        self.engine = engine
        self.compiler = compiler
        self.order = order
        self.names = names
        self.others = others

    def in_order(self, fetched: pa.Table, stop: CancelToken) -> pa.Table:
        """The rows in order that the filters of all levels leave, with the columns that levels need."""
        rows = _ordered(self.engine, stop, self.compiler, self.order, fetched)
        depths = range(len(self.order.groupings))
        table = self.filtered(rows.table, reversed(depths))
        for depth in depths:
            if f"__nm_gathered_{depth}" in table.column_names and depth + 1 < len(depths):
                table = self.filtered(self.ordered_within(table, depth, rows), reversed(depths[depth + 1 :]))
        return table

    def register(self, ordered: pa.Table) -> TableScope:
        """Put ordered rows into the engine."""
        levels = self.groups(ordered)
        register_trees(self.engine, levels)
        self.engine.register(ROWS_TABLE, _numbered(ordered, self.names, levels, self.order))
        source = ordered.column("__nm_fetched_at").to_numpy()
        return TableScope(self.names, ordered.num_rows, self.order.groupings, levels, self.others, source, ordered)

    def groups(self, ordered: pa.Table) -> tuple[Groups, ...]:
        """The groups of each level."""
        return groups_of([self._level_rows(ordered, depth) for depth in range(len(self.order.groupings))])

    def filtered(self, table: pa.Table, depths: Iterable[int]) -> pa.Table:
        """The rows that the filters and orders of some levels leave, in their new order."""
        for depth in depths:
            grouping = self.order.groupings[depth]
            wishes = (grouping.order_by, grouping.keep_groups, grouping.first_groups, grouping.parent)
            if wishes != (None,) * 4:
                table = self._choose(table, depth, self.register(table))
        return table

    def ordered_within(self, table: pa.Table, depth: int, rows: _Rows) -> pa.Table:
        """The rows ordered again by the levels inside one whose groups have been gathered."""
        level = self.register(table).levels[depth]
        numbers = np.repeat(np.arange(len(level)), np.diff(level.starts))
        self.engine.register("__nm_gathered", table.append_column("__nm_place", pa.array(numbers)))
        terms = ["__nm_place", *(term for inner in rows.terms[depth + 1 :] for term in inner), "__nm_fetched_at"]
        found = self.engine.run(f"select * from __nm_gathered order by {', '.join(terms)}", rows.bound)
        return found.drop_columns(["__nm_place"])

    def _level_rows(self, ordered: pa.Table, depth: int) -> LevelRows:
        def column(name: str) -> pa.Array | None:
            known = f"__nm_{name}_{depth}"
            return all_rows(ordered.column(known)) if known in ordered.column_names else None

        gathered = column("gathered")
        flags = None if gathered is None else np.asarray(gathered.to_numpy(zero_copy_only=False), bool)
        return LevelRows(column("key"), column("parent"), flags, self.order.groupings[depth].others)

    def _choose(self, table: pa.Table, depth: int, around: TableScope) -> pa.Table:
        grouping, levels = self.order.groupings[depth], around.levels
        outer = outer_of(levels[:depth], levels[depth].starts)
        kept = np.ones(len(levels[depth]), bool)
        if grouping.keep_groups is not None:
            kept = self._kept(depth, around)
        at = np.arange(len(kept))
        if grouping.order_by is not None:
            values = self._values(depth, grouping.order_by, around)
            if pa.types.is_nested(values.type):
                place = Place(block=self.order.block, row=f"level {grouping.name}")
                raise LayoutError(f"{grouping.order_by!r} gives lists; order groups by a single value.", place)
            direction = "descending" if grouping.order == "descending" else "ascending"
            pairs = pa.table({"outer": outer, "value": values, "at": at})
            keys = [("outer", "ascending"), ("value", direction), ("at", "ascending")]
            at = pc.sort_indices(pairs, sort_keys=keys).to_numpy()  # nulls are at the end
        tree = levels[depth].tree
        if tree is not None:
            rank = np.empty(len(at), np.int64)
            rank[at] = np.arange(len(at))
            in_order = tree.in_order(outer, rank, tree.with_ways(kept), grouping.first_groups)
            taken = table.take(pa.array(_rows_of(levels[depth].starts, in_order)))
            counted = np.repeat(kept[in_order], np.diff(levels[depth].starts)[in_order])
            return taken if grouping.count_ways or counted.all() else _with_counted(taken, counted)
        at = at[kept[at]]
        if grouping.first_groups is None or not len(at):
            return table.take(pa.array(_rows_of(levels[depth].starts, at)))
        inside = outer[at]
        first = np.searchsorted(inside, inside, "left")  # the groups of one outer group lie together
        is_first = np.arange(len(at)) - first < grouping.first_groups
        if grouping.others is None:
            return table.take(pa.array(_rows_of(levels[depth].starts, at[is_first])))
        flags = np.repeat(~is_first, np.diff(levels[depth].starts)[at])
        taken = table.take(pa.array(_rows_of(levels[depth].starts, at)))
        return taken.append_column(f"__nm_gathered_{depth}", pa.array(flags))

    def _values(self, depth: int, text: str, around: TableScope) -> pa.Array:
        """An expression's value for each group of a level."""
        computed = self.computed(depth, text, around)
        fault = computed.fault.message if computed.fault else None
        fault = fault or next((f.message for f in computed.faults.values()), None)
        if fault is not None:
            place = Place(block=self.order.block, row=f"level {self.order.groupings[depth].name}")
            raise LayoutError(fault, place)
        return computed.values

    def computed(self, depth: int, text: str, around: TableScope) -> Computed:
        """An expression computed over the rows of each group of a level."""
        want = ScopedExpression(depth + 1, text)
        return compute_by_group(self.engine, self.compiler, [want], around)[want]

    def _kept(self, depth: int, around: TableScope) -> Bools:
        text = self.order.groupings[depth].keep_groups or ""
        values = self._values(depth, text, around)
        if not pa.types.is_boolean(values.type):
            place = Place(block=self.order.block, row=f"level {self.order.groupings[depth].name}")
            raise LayoutError(f"{text!r} says neither yes nor no of a group; write a comparison.", place)
        return np.asarray(pc.fill_null(values, False).to_numpy(zero_copy_only=False), bool)


def _with_counted(table: pa.Table, counted: Bools) -> pa.Table:
    """The rows with whether each counts, in this level and those inside it."""
    if COUNTED not in table.column_names:
        return table.append_column(COUNTED, pa.array(counted))
    both = pc.and_(table.column(COUNTED), pa.array(counted))
    return table.set_column(table.column_names.index(COUNTED), COUNTED, both)


def _rows_of(starts: Ints, groups: Ints) -> Ints:
    """The row numbers of some groups, one group after the other."""
    sizes = np.diff(starts)[groups]
    ends = np.cumsum(sizes)
    rows: Ints = np.arange(int(sizes.sum())) + np.repeat(starts[groups] - (ends - sizes), sizes)
    return rows


def _ordered(engine: Engine, stop: CancelToken, compiler: Compiler, plan: Order, fetched: pa.Table) -> _Rows:
    """The rows with the levels' keys, in order: level by level, then the block's order, then as fetched."""
    position = pa.array(np.arange(fetched.num_rows, dtype=np.int64))
    given = fetched.append_column("__nm_fetched_at", position)
    standing = EvaluationScope(tuple(fetched.column_names))
    bound: dict[str, object] = {}

    def compiled(text: str, what: str) -> str:
        found = _ordering(compiler, plan, text, what, standing)
        bound.update(found.bound)
        return found.sql

    within = [f"{_order_column(i)} {'desc' if down else 'asc'} nulls last" for i, (_, down) in enumerate(plan.order)]
    listed = [f"{compiled(by, 'order')} as {_order_column(i)}" for i, (by, _) in enumerate(plan.order)]
    steps: list[str] = []
    terms: list[tuple[str, ...]] = []
    for depth, grouping in enumerate(plan.groupings):
        block = rows_in_block(grouping.key)
        if block is None:
            listed.append(f"{compiled(grouping.key, f'level {grouping.name}')} as __nm_key_{depth}")
        else:
            steps.append(_block_step(compiled(block, f"level {grouping.name}"), depth, terms, within))
        if grouping.parent is not None:
            listed.append(f"{compiled(grouping.parent, f'parent of {grouping.name}')} as __nm_parent_{depth}")
        if grouping.order == "as_given":
            partition = ", ".join(f"__nm_key_{k}" for k in range(depth + 1))
            steps.append(f"min(__nm_fetched_at) over (partition by {partition}) as __nm_first_{depth}")
        if grouping.first_keys:
            bound[f"nm_listed_{depth}"] = list(grouping.first_keys)
        terms.append(_sort_terms(grouping, depth))
    inner = f"select {', '.join(['*', *listed])} from __nm_fetched"
    if plan.keep_rows is not None:
        inner += f" where {compiled(plan.keep_rows, 'rows kept')}"
    for step in steps:
        inner = f"select *, {step} from ({inner})"
    terms.append(tuple(within))
    by = [*(term for level in terms for term in level), "__nm_fetched_at"]
    try:
        own = Engine(stop, threads=SORTING) if fetched.num_rows > _MANY else nullcontext(engine)
        with own as sorting:  # the order is total, so that it is the same on many threads
            sorting.register("__nm_fetched", given)
            names = ", ".join(map(quoted, fetched.column_names))
            placed = _sorted(sorting, f"select * exclude ({names}) from ({inner})", by, bound)
    except EngineError as error:
        raise LayoutError(
            f"Its rows cannot be ordered and grouped: {engine_message(error)}.", Place(block=plan.block)
        ) from error
    return _Rows(_with_columns(placed, fetched), tuple(terms), bound)


def _sorted(engine: Engine, asked: str, by: Sequence[str], bound: Mapping[str, object]) -> pa.Table:
    """The rows of a statement in an order."""
    found = engine.run(asked, bound)
    if is_sorted(found, by):
        return found
    engine.register("__nm_placed", found)
    return engine.run(f"select * from __nm_placed order by {', '.join(by)}", bound)


def _with_columns(placed: pa.Table, fetched: pa.Table) -> pa.Table:
    """The fetched rows as they are placed, and what places them; in the order in which they were fetched, the very
    columns that were."""
    places = placed.column("__nm_fetched_at")
    is_as_fetched = len(places) == fetched.num_rows and is_sorted(placed, ["__nm_fetched_at"])
    rows = fetched if is_as_fetched else fetched.take(places)
    for name in placed.column_names:
        rows = rows.append_column(name, placed.column(name))
    return rows


def _order_column(number: int) -> str:
    return f"__nm_order_{number}"


def _sort_terms(grouping: Grouping, depth: int) -> tuple[str, ...]:
    """What the groups of a level are ordered by, while nothing is known of their values."""
    first = (f"__nm_first_{depth}",) if grouping.order == "as_given" else ()
    if grouping.first_keys:
        place = f"list_position($nm_listed_{depth}, cast(__nm_key_{depth} as varchar))"
        first = (f"coalesce(nullif({place}, 0), {len(grouping.first_keys) + 1})", *first)
    direction = "desc" if grouping.order == "descending" else "asc"
    return (*first, f"__nm_key_{depth} {direction} nulls last")


def rows_in_block(by: str) -> str | None:
    """How many rows make a group, where a level groups by blocks of rows; None where it does not."""
    try:
        tree = parse(by).tree
    except ExpressionError:
        return None  # it is reported where it is compiled
    is_block = isinstance(tree, exp.Anonymous) and function_name(tree) == "row_block" and len(tree.expressions) == 1
    return tree.expressions[0].sql("duckdb").replace("$", ":") if is_block else None


def _block_step(size: str, depth: int, outer: list[tuple[str, ...]], within: list[str]) -> str:
    """The number of each row's block, from 1, among the rows of the group around it."""
    partition = ", ".join(f"__nm_key_{k}" for k in range(depth))
    around = f"partition by {partition}" if outer else ""
    number = f"row_number() over ({around} order by {', '.join([*within, '__nm_fetched_at'])})"
    return f"1 + ({number} - 1) // greatest(cast({size} as bigint), 1) as __nm_key_{depth}"


def _ordering(compiler: Compiler, plan: Order, text: str, what: str, standing: EvaluationScope) -> CompiledExpression:
    try:
        compiled = compiler.compile(parse(text), standing)
    except ExpressionError as error:
        raise LayoutError(error.message, Place(block=plan.block, row=what)) from error
    if compiled.needs or POSITION in compiled.sql:
        message = f"{text!r} must follow from a single row; totals and windows cannot order or group rows."
        raise LayoutError(message, Place(block=plan.block, row=what))
    return compiled


def _numbered(ordered: pa.Table, names: tuple[str, ...], levels: tuple[Groups, ...], order: Order) -> pa.Table:
    table = ordered.select(list(names))
    table = table.append_column(POSITION, pa.array(np.arange(table.num_rows, dtype=np.int64)))
    if COUNTED in ordered.column_names:
        table = table.append_column(COUNTED, ordered.column(COUNTED))
    for scope, groups in enumerate(levels, 1):
        numbers = np.repeat(np.arange(len(groups), dtype=np.int32), np.diff(groups.starts))
        table = table.append_column(group_column(scope), pa.array(numbers))
        if bare_column(order.groupings[scope - 1].key) is None:
            table = table.append_column(key_column(scope), ordered.column(key_column(scope)))
        if groups.tree is not None:
            table = table.append_column(depth_column(scope), pa.array(groups.depth[numbers]))
    return table


_COMPARED = (
    pa.types.is_integer, pa.types.is_decimal, pa.types.is_string, pa.types.is_large_string, pa.types.is_date,
    pa.types.is_timestamp, pa.types.is_boolean,
)  # fmt: skip
"""Types that are compared here as in the engine, which has an order of its own for numbers that are none."""


_TERM = re.compile(r"(\w+)(?: (asc|desc) nulls last)?")


def is_sorted(table: pa.Table, terms: Sequence[str]) -> bool:
    """Whether a table's rows are in the order of some terms, as the engine would put them: columns, ascending or
    descending with nulls at the end. False, too, where that cannot be determined."""
    named = [_TERM.fullmatch(term) for term in terms]
    columns = [(found[1], found[2] == "desc") for found in named if found is not None]
    kinds = [table.schema.field(name).type for name, _ in columns]
    if len(columns) < len(terms) or not all(any(is_kind(kind) for is_kind in _COMPARED) for kind in kinds):
        return False  # a term is computed, or of a type that is not compared here
    count = table.num_rows - 1
    if count < 1:
        return True
    alike: pa.ChunkedArray | None = None
    for name, is_descending in columns:
        column = table.column(name)
        above, below = column.slice(0, count), column.slice(1)
        is_wrong = (pc.less if is_descending else pc.greater)(above, below)
        if column.null_count:
            is_last = pc.and_(pc.is_null(above), pc.is_valid(below))
            is_wrong = pc.or_(pc.fill_null(is_wrong, False), is_last)
        if pc.any(is_wrong if alike is None else pc.and_(alike, is_wrong)).as_py():
            return False
        same = pc.equal(above, below)
        if column.null_count:
            same = pc.or_(pc.fill_null(same, False), pc.and_(pc.is_null(above), pc.is_null(below)))
        alike = same if alike is None else pc.and_(alike, same)
    return True
