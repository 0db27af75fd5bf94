"""A table block's rows in order, the groups of its levels, and the values of all its cells.

The work is set work and runs in the engine: order, then group numbers, then each scope's aggregates, then scalars.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from northmoor.core.compute.cells import Computed
from northmoor.core.compute.grouping import Order, grouped
from northmoor.core.compute.groups import Grouping, Groups, Ints, Wanted
from northmoor.core.compute.scoped import compute_scoped
from northmoor.core.compute.scopes import DETAIL, Compiler
from northmoor.core.errors import ExpressionError
from northmoor.core.expr.language import parse
from northmoor.core.expr.templates import Slot, Template, parse_template
from northmoor.core.model.blocks import Column, Content, TableBlock
from northmoor.core.sources.engine import Engine
from northmoor.core.sources.fetch import Rows
from northmoor.core.stopping import Stop
from northmoor.core.values.values import Values


@dataclass(frozen=True)
class TablePlan:
    """All that the computation of a table depends on, and nothing of its looks; usable as a cache key."""

    query: str
    order: Order
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
    groupings = tuple(
        Grouping(
            level.name,
            level.by,
            level.order,
            level.order_by,
            level.keep_groups,
            level.first_groups if isinstance(level.first_groups, int) else None,
        )
        for level in table.levels
    )
    order = Order(table.name, groupings, tuple((key.by, key.descending) for key in table.order), table.keep_rows)
    return TablePlan(table.query, order, frozenset(wanted))


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
    with Engine(stop) as engine:
        compiler = Compiler(values)
        for name, other in rows.items():
            engine.give(f"__nm_query_{name}", other.table)
        others = {name: other.names for name, other in rows.items()}
        around = grouped(engine, compiler, plan.order, rows[plan.query].table, others)
        stop.check()
        cells = compute_scoped(engine, compiler, plan.wanted, around)
    return ArrangedTable(around.rows, around.levels, cells)
