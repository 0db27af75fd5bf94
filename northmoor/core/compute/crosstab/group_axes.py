"""The two sides of a matrix: the groups of its row levels and those of its column levels, each in order.

A side is worked out on its different combinations of keys, of which there are few, by the same steps that order and
choose the groups of a table; combinations that no row has can be added before.
"""

from collections.abc import Callable, Mapping, Sequence
from datetime import timedelta
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from msgspec import Struct

from northmoor.core.base.arrays import Ints
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.compute.crosstab.preaggregation import PreaggregatedRows
from northmoor.core.compute.evaluate.by_group import TableScope
from northmoor.core.compute.evaluate.compiler import Compiler, EvaluationScope
from northmoor.core.compute.evaluate.scope_cells import Computed, all_rows
from northmoor.core.compute.evaluate.scope_names import COUNTED
from northmoor.core.compute.groups.boundaries import Groups
from northmoor.core.compute.groups.hierarchy import faults_of
from northmoor.core.compute.row_ordering import Order, Ordering
from northmoor.core.engine.embedded import Engine, EngineError, engine_message
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import ExpressionError, LayoutError, Place
from northmoor.core.expr.binning import period_of
from northmoor.core.expr.language import bare_column, parse

MOST_PATHS = 200_000
"""Combinations of keys on one side."""


class Fill(Struct, frozen=True):
    """What keys of a level are added: see `MatrixLevel.fill` and `members`."""

    kind: str = "none"
    members: str | None = None


class Axis(Struct, frozen=True, eq=False):
    """A side's groups by level, over its combinations of keys in order, and for each row of the data the number of its
    innermost group (−1: left out)."""

    groups: tuple[Groups, ...]
    leaf_of_row: Ints
    notes: tuple[str, ...] = ()

    @property
    def depth(self) -> int:
        """How many levels it has."""
        return len(self.groups)

    def size(self, depth: int) -> int:
        """How many groups it has at a depth; at 0 one, which is all of it."""
        return len(self.groups[depth - 1]) if depth else 1

    def around(self, depth: int, outer: int) -> Ints:
        """For each group at a depth, the group at an outer depth that it lies in."""
        if not outer:
            return np.zeros(self.size(depth), np.int64)
        starts = self.groups[depth - 1].starts[:-1]
        found: Ints = np.searchsorted(self.groups[outer - 1].starts, starts, "right") - 1
        return found

    def keys(self, depth: int, group: int) -> tuple[Any, ...]:
        """The keys of a group and of those around it."""
        groups = [int(self.around(depth, outer)[group]) for outer in range(1, depth + 1)]
        return tuple(self.groups[outer].key(number) for outer, number in enumerate(groups))

    def of_rows(self, depth: int) -> Ints:
        """For each row of the data, the number of its group at a depth (−1: left out)."""
        if depth == self.depth:
            return self.leaf_of_row
        around = self.around(self.depth, depth)
        return np.where(self.leaf_of_row >= 0, around[np.maximum(self.leaf_of_row, 0)], -1)


ComputeForGroups = Callable[[Axis, int, str], Computed]
"""Computes an expression for each group of an axis at a depth."""


def make_axis(
    order: Order,
    fills: Sequence[Fill],
    base: PreaggregatedRows,
    engine: Engine,
    compiler: Compiler,
    queries: Mapping[str, Rows],
    values: ComputeForGroups,
    stop: CancelToken,
) -> Axis:
    """The side of a matrix over some rows. Raises LayoutError where a level cannot be computed."""
    if not order.groupings:
        return Axis((), np.zeros(base.table.num_rows, np.int64))
    keys, parents = _keys(order, base, compiler, engine)
    path_of_row, first = _paths([*keys, *parents], base.table.num_rows)
    if len(first) > MOST_PATHS:
        message = (
            f"One side would have {len(first):,} groups, and {MOST_PATHS:,} is the most; group by something coarser."
        )
        raise LayoutError(message, Place(block=order.block))
    named = {f"k{depth}": key.take(pa.array(first)) for depth, key in enumerate(keys)}
    with_parent = [depth for depth, grouping in enumerate(order.groupings) if grouping.parent is not None]
    named |= {f"p{d}": parent.take(pa.array(first)) for d, parent in zip(with_parent, parents, strict=True)}
    paths = _filled(pa.table(named), order, fills, queries)
    groupings = tuple(
        replace(g, key=f"k{d}", parent=f"p{d}" if d in with_parent else None) for d, g in enumerate(order.groupings)
    )
    work = _AxisOrdering(engine, compiler, replace(order, groupings=groupings), path_of_row, values, paths)
    ordered = work.in_order(paths, stop)
    groups = work.groups(ordered)
    named_groups = zip(order.groupings, groups, strict=True)
    notes = tuple(note for g, own in named_groups if own.tree for note in faults_of(own.tree, own.keys, g.name))
    return Axis(groups, work.leaf_of_row(ordered, groups), notes)


def _keys(
    order: Order, base: PreaggregatedRows, compiler: Compiler, engine: Engine
) -> tuple[list[pa.Array], list[pa.Array]]:
    """Each level's keys in the rows, and the keys of parents of those that are trees."""
    standing = EvaluationScope(base.names)

    def column(text: str, what: str) -> pa.Array:
        known = base.keys.get(text, bare_column(text))
        if known in base.table.column_names:
            return all_rows(base.table.column(known))
        place = Place(block=order.block, row=what)
        try:
            compiled = compiler.compile(parse(text), standing)
            if compiled.needs:
                raise LayoutError(f"{text!r} must follow from a single row; totals cannot group rows.", place)
            engine.register("__nm_given", base.table)
            return all_rows(engine.run(f"select {compiled.sql} as k from __nm_given", compiled.bound).column(0))
        except ExpressionError as error:
            raise LayoutError(error.message, place) from error
        except EngineError as error:
            raise LayoutError(f"Its rows cannot be grouped: {engine_message(error)}.", place) from error

    keys = [column(g.key, f"level {g.name}") for g in order.groupings]
    return keys, [column(g.parent, f"parent of {g.name}") for g in order.groupings if g.parent is not None]


def _paths(keys: Sequence[pa.Array], rows: int) -> tuple[Ints, Ints]:
    """The number of each row's combination of keys, in order of first appearance, and the first row of each."""
    code = np.zeros(rows, np.int64)
    count = 1
    for key in keys:
        encoded = key.dictionary_encode(null_encoding="encode")
        code = code * max(len(encoded.dictionary), 1) + encoded.indices.to_numpy(zero_copy_only=False)
        count *= max(len(encoded.dictionary), 1)
        if count > 4 * rows:  # sparse: number those that there are
            _, code = np.unique(code, return_inverse=True)
            count = int(code.max(initial=0)) + 1
    first = np.full(count, rows, np.int64)
    first[code[::-1]] = np.arange(rows)[::-1]
    there = np.flatnonzero(first < rows)
    by_first = there[np.argsort(first[there])]
    number = np.zeros(count, np.int64)
    number[by_first] = np.arange(len(by_first))
    return number[code], first[by_first]


def _filled(paths: pa.Table, order: Order, fills: Sequence[Fill], queries: Mapping[str, Rows]) -> pa.Table:
    """The combinations of keys with those added that no row has."""
    for depth, fill in enumerate(fills):
        if fill.kind == "none":
            continue
        keys = all_rows(paths.column(f"k{depth}"))
        added = _added_keys(keys, fill, order, depth, queries)
        outer = [f"k{d}" for d in range(depth)]
        around = paths.select(outer).group_by(outer).aggregate([]) if outer else None
        place = Place(block=order.block, row=f"level {order.groupings[depth].name}")
        if len(added) * (around.num_rows if around is not None else 1) > MOST_PATHS:
            raise LayoutError(f"Filling it up would make more than {MOST_PATHS:,} groups; fill fewer levels.", place)
        if around is None:
            more = pa.table({f"k{depth}": added})
        else:
            at = np.repeat(np.arange(around.num_rows), len(added))
            more = around.take(pa.array(at)).append_column(
                f"k{depth}", added.take(pa.array(np.tile(np.arange(len(added)), around.num_rows)))
            )
        known = {tuple(row.values()) for row in paths.select([*outer, f"k{depth}"]).to_pylist()}
        new = [
            at for at, row in enumerate(more.to_pylist()) if tuple(row[n] for n in (*outer, f"k{depth}")) not in known
        ]
        more = more.take(pa.array(new, pa.int64()))
        for name in paths.column_names:
            if name not in more.column_names:
                more = more.append_column(name, pa.nulls(more.num_rows, paths.schema.field(name).type))
        paths = pa.concat_tables([paths, more.select(paths.column_names).cast(paths.schema)])
    return paths


def _added_keys(keys: pa.Array, fill: Fill, order: Order, depth: int, queries: Mapping[str, Rows]) -> pa.Array:
    """The keys of a level that are in every group around it, each once."""
    grouping = order.groupings[depth]
    place = Place(block=order.block, row=f"level {grouping.name}")
    try:
        if fill.kind == "list":
            return pc.unique(pa.array(grouping.first_keys, pa.string()).cast(keys.type))
        if fill.kind == "period":
            return _periods(keys, period_of(grouping.key)[0])
        if fill.members is None:
            return pc.drop_null(pc.unique(keys))
        query, _, column = fill.members.partition(".")
        found = queries.get(query)
        if found is None or column not in found.names:
            raise LayoutError(
                f"There is no column {fill.members!r} to take keys from; name one as query.column.", place
            )
        return pc.drop_null(pc.unique(all_rows(found.table.column(column)).cast(keys.type)))
    except (pa.ArrowInvalid, pa.ArrowNotImplementedError) as error:
        message = (
            f"The keys to show do not fit those of the rows ({keys.type}): {str(error).splitlines()[0].rstrip('.')}."
        )
        raise LayoutError(message, place) from error
    except ValueError as error:
        raise LayoutError(f"{error}.", place) from error


_MONTHS = {"year": 12, "quarter": 3, "month": 1}
_DAYS = {"week": 7, "day": 1}


def _periods(keys: pa.Array, period: str) -> pa.Array:
    """All periods from the first to the last. Raises ValueError where keys are no periods."""
    known = pc.drop_null(keys)
    if pa.types.is_integer(keys.type):  # the number of a month, a year, an hour
        ends = pc.min_max(known).as_py()
        if len(known) and ends["max"] - ends["min"] > MOST_PATHS:
            raise ValueError(f"From {ends['min']:,} to {ends['max']:,} there are too many numbers to be filled in")
        return pa.array(range(ends["min"], ends["max"] + 1) if len(known) else [], keys.type)
    if not (pa.types.is_date(keys.type) or pa.types.is_timestamp(keys.type)) or period not in {*_MONTHS, *_DAYS}:
        raise ValueError("Only years, quarters, months, weeks, days and whole numbers can be filled from first to last")
    if not len(known):
        return known
    first, last = (pc.min_max(known)[end].as_py() for end in ("min", "max"))
    found = [first]
    while (following := _next(found[-1], period)) <= last and len(found) <= MOST_PATHS:
        found.append(following)
    return pa.array(found, keys.type)


def _next(at: Any, period: str) -> Any:
    """The beginning of the period after that which begins at a date or moment."""
    if period in _DAYS:
        return at + timedelta(days=_DAYS[period])
    months = at.year * 12 + at.month - 1 + _MONTHS[period]
    return at.replace(year=months // 12, month=months % 12 + 1)


class _AxisOrdering(Ordering):
    """Orders combinations of keys; what groups are ordered or chosen by is computed over the rows that they have."""

    def __init__(
        self,
        engine: Engine,
        compiler: Compiler,
        order: Order,
        path_of_row: Ints,
        values: ComputeForGroups,
        paths: pa.Table,
    ) -> None:
        super().__init__(engine, compiler, replace(order, keep_rows=None), tuple(paths.column_names), {})
        self._path_of_row, self._values_of, self._paths = path_of_row, values, paths.num_rows

    def leaf_of_row(self, ordered: pa.Table, groups: tuple[Groups, ...]) -> Ints:
        """For each row of the data, the number of its innermost group (−1: left out)."""
        leaf = np.full(self._paths, -1, np.int64)
        numbers = np.repeat(np.arange(len(groups[-1])), np.diff(groups[-1].starts))
        if COUNTED in ordered.column_names:
            numbers = np.where(ordered.column(COUNTED).to_numpy(), numbers, -1)
        leaf[ordered.column("__nm_fetched_at").to_numpy()] = numbers
        found: Ints = leaf[self._path_of_row]
        return found

    def computed(self, depth: int, text: str, around: TableScope) -> Computed:
        """An expression computed over the rows of each group of a level."""
        axis = Axis(around.levels[: depth + 1], self.leaf_of_row(around.table, around.levels[: depth + 1]))
        return self._values_of(axis, depth + 1, text)
