"""A table block's rows in order, the groups of its levels, and the values of all its cells.

The work is set work and runs in the engine: order, then group numbers, then each scope's aggregates, then scalars.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
from msgspec import Struct

from northmoor.core.base.arrays import Bools, Ints
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.compute.crosstab.chart_data import ChartData
from northmoor.core.compute.evaluate.by_group import TableScope, compute_by_group
from northmoor.core.compute.evaluate.compiler import Compiler
from northmoor.core.compute.evaluate.scope_cells import ROWS_TABLE, Computed
from northmoor.core.compute.evaluate.scope_names import COUNTED, DETAIL, PAGE_SCOPES, POSITION
from northmoor.core.compute.evaluate.slots import _parses, grouping_of, head_content, scope_of, slots_in
from northmoor.core.compute.groups.boundaries import Groups, ScopedExpression
from northmoor.core.compute.groups.hierarchy import faults_of
from northmoor.core.compute.row_ordering import Order, ordered_groups
from northmoor.core.engine.embedded import Engine
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import LayoutError
from northmoor.core.expr.identifiers import quoted
from northmoor.core.expr.language import columns_in
from northmoor.core.model.blocks.chart import Chart
from northmoor.core.model.blocks.table import Content, TableBlock
from northmoor.core.values.parameter_values import Values


class TablePlan(Struct, frozen=True):
    """All that the computation of a table depends on, and nothing of its looks; usable as a cache key."""

    query: str
    order: Order
    expressions: frozenset[ScopedExpression]
    per_page: frozenset[ScopedExpression] = frozenset()
    """What is wanted of pages, once they are known."""


def table_plan(table: TableBlock) -> TablePlan:
    """What has to be computed for a table. Cells that do not parse are left out; layout shows them as faults."""
    contents: list[tuple[int, Content]] = [(0, head_content(column)) for column in table.columns]
    contents += [(DETAIL, column) for column in table.columns] if table.show_details else []
    contents += [(scope_of(table, place), cell) for place, row in table.rows() for cell in row.cells]
    wanted = set()
    for scope, content in contents:
        if scope != DETAIL or table.show_details:
            wanted |= {ScopedExpression(scope, text) for text in slots_in(content)}
    ruled = [(scope_of(table, place), row.rules) for place, row in table.rows()]
    ruled += [(DETAIL, table.rules)] if table.show_details else []
    wanted |= {ScopedExpression(scope, rule.when) for scope, rules in ruled for rule in rules if _parses(rule.when)}
    groupings = tuple(map(grouping_of, table.levels))
    order = Order(table.name, groupings, tuple((key.by, key.descending) for key in table.order), table.keep_rows)
    paged = frozenset(want for want in wanted if want.scope in PAGE_SCOPES.values())
    return TablePlan(table.query, order, frozenset(wanted) - paged, paged)


class CrosstabColumn(Struct, frozen=True):
    """What a column of a printed matrix shows: a measure (or, at the left, a level's keys), for the group with these
    keys of the column levels, which is one of a level or, without one, the total."""

    column: str
    keys: tuple[Any, ...] = ()
    level: str | None = None
    lines: tuple[str, ...] = ()
    """Where measures are one below the other: that of each line of a row, and of a row of totals."""
    total_lines: tuple[str, ...] = ()
    is_measure: bool = True

    def measure(self, row: str, line: int) -> str:
        """The measure, or level, that a line of a kind of row shows."""
        lines = self.lines if row == "detail" else self.total_lines if row == "total" else ()
        return lines[line] if lines else self.column


class CrosstabPrint(Struct, frozen=True, eq=False):
    """What a table that prints a matrix shows of it."""

    columns: Mapping[str, CrosstabColumn]
    """What its columns show, by their names."""
    leaf: Groups | None
    """The groups of the innermost row level, which are its rows; None where that level is not printed."""
    leaf_column: str
    """The column of the keys of the innermost row level."""
    leaf_indent: int
    """How much further right those keys begin with each depth of a tree, in millipoints."""
    heads: tuple[str | None, ...]
    """The column level whose keys each row of the head shows, the titles first; none: measures."""


@dataclass(frozen=True, eq=False)
class TableData:
    """A table's rows in order. `cells` holds, for each wanted expression, one value a row or group of its scope;
    `ordered` are the rows themselves, where something is wanted of pages."""

    rows: int
    levels: tuple[Groups, ...]
    cells: Mapping[ScopedExpression, Computed]
    source: npt.NDArray[np.signedinteger[Any]] | None
    """Which of the fetched rows each row is; None where they come as they were fetched (see `fetched`)."""
    ordered: pa.Table | None = None
    notes: tuple[str, ...] = ()
    """What is wrong with its trees."""
    crosstab: CrosstabPrint | None = None
    """The matrix that it prints, if it prints one."""
    charts: Mapping[tuple[int, Chart], ChartData | LayoutError] = field(default_factory=dict)
    """The charts that are in its rows, by the scope of the row."""
    part_of: "PartOrigin | None" = None
    """The table that it is a part of (see `parting`)."""
    counted: Bools | None = None
    """Whether each row is shown and totalled; None where all are (see `COUNTED`)."""

    @property
    def whole(self) -> "TableData":
        """The table that it is a part of, or itself."""
        return self if self.part_of is None else self.part_of.table

    def first(self, scope: int) -> int:
        """Which of the rows or groups of the whole its first one is."""
        if self.part_of is None or scope == 0:
            return 0
        return self.part_of.row if scope == DETAIL else self.part_of.groups[scope - 1]

    @property
    def has_rows(self) -> bool:
        """Whether there are any."""
        return self.rows > 0

    def crosstab_column(self, name: str | None) -> CrosstabColumn | None:
        """What a column shows of the matrix that the table prints; None for other tables."""
        return self.crosstab.columns.get(name or "") if self.crosstab is not None else None

    def fetched(self, start: int = 0, end: int | None = None) -> Ints:
        """Which of the fetched rows its rows are from one up to another."""
        if self.source is None:
            return np.arange(start, self.rows if end is None else end)
        return self.source[start:end].astype(np.int64)

    @cached_property
    def group_of_row(self) -> tuple[Ints, ...]:
        """For each level, the group number of each row."""
        return tuple(np.repeat(np.arange(len(g)), np.diff(g.starts)) for g in self.levels)

    def keys(self, row: int, levels: int) -> tuple[object, ...]:
        """The keys of the outermost levels at a row."""
        found = ((g, int(np.searchsorted(g.starts, row, "right")) - 1) for g in self.levels[:levels])
        return tuple(groups.key(at) for groups, at in found)


class PartOrigin(Struct, frozen=True, eq=False):
    """Where in a table a part of it begins: with which row, and with which group of each level."""

    table: TableData
    row: int
    groups: tuple[int, ...]


def evaluate_table(plan: TablePlan, rows: Mapping[str, Rows], values: Values, stop: CancelToken) -> TableData:
    """Order and group the rows of a table and compute its cells.

    `rows` are the report's fetched queries by name. Raises LayoutError when a level or the order cannot be computed,
    since then no row has a place; a faulty cell is that cell's own fault.
    """
    with Engine(stop) as engine:
        compiler = Compiler(values)
        for name, other in rows.items():
            engine.register(f"__nm_query_{name}", other.table)
        others = {name: other.names for name, other in rows.items()}
        around = ordered_groups(engine, compiler, plan.order, rows[plan.query].table, others, stop)
        stop.raise_if_cancelled()
        cells = compute_by_group(engine, compiler, plan.expressions, around)
        ordered = _columns_used(engine, plan.per_page, around) if plan.per_page else None
    named = zip(plan.order.groupings, around.levels, strict=True)
    notes = tuple(n for g, level in named if level.tree for n in faults_of(level.tree, level.keys, g.name))
    is_as_fetched = around.rows == rows[plan.query].table.num_rows and bool((np.diff(around.source) == 1).all())
    source = None if is_as_fetched else around.source.astype(np.int32)
    return TableData(around.rows, around.levels, cells, source, ordered, notes, counted=_counted(around.table))


def _counted(ordered: pa.Table) -> Bools | None:
    if COUNTED not in ordered.column_names:
        return None
    return np.asarray(ordered.column(COUNTED).to_numpy(), bool)


def _columns_used(engine: Engine, wanted: frozenset[ScopedExpression], around: TableScope) -> pa.Table:
    """The ordered rows with the columns that expressions use, at least one."""
    used = {column for want in wanted for column in columns_in(want.expression)}
    kept = [name for name in around.names if name.lower() in used] or list(around.names[:1])
    kept += [COUNTED] if COUNTED in around.table.column_names else []
    return engine.run(f"select {', '.join(map(quoted, kept))} from {ROWS_TABLE} order by {POSITION}")
