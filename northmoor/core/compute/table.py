"""A table block's rows in order, the groups of its levels, and the values of all its cells.

The work is set work and runs in the engine: order, then group numbers, then each scope's aggregates, then scalars.
"""

from collections.abc import Iterator, Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from northmoor.core.compute.cells import ROWS, Computed
from northmoor.core.compute.chartdata import ArrangedChart
from northmoor.core.compute.grouping import Order, grouped
from northmoor.core.compute.groups import Grouping, Groups, Ints, Wanted
from northmoor.core.compute.scoped import compute_scoped
from northmoor.core.compute.scopes import (
    DETAIL,
    PAGE,
    PAGE_SCOPES,
    PAGES_BEFORE,
    PAGES_TO_HERE,
    POSITION,
    Compiler,
)
from northmoor.core.compute.trees import faults_of
from northmoor.core.errors import ExpressionError, LayoutError
from northmoor.core.expr.language import columns_in, parse, quoted
from northmoor.core.expr.templates import Slot, Template, parse_template, with_names
from northmoor.core.model.charts import Chart
from northmoor.core.model.keyed import Keyed
from northmoor.core.model.tables import Column, Content, RowPlace, TableBlock
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
    paged: frozenset[Wanted] = frozenset()
    """What is wanted of pages, once they are known."""


_SCOPES = {
    "head": 0, "detail": DETAIL, "page_total": PAGE, "brought_forward": PAGES_BEFORE, "carried_forward": PAGES_TO_HERE,
}  # fmt: skip


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
    contents: list[tuple[int, Content]] = [(0, head_content(column)) for column in table.columns]
    contents += [(DETAIL, column) for column in table.columns] if table.show_details else []
    contents += [(scope_of(table, place), cell) for place, row in table.rows() for cell in row.cells]
    wanted = set()
    for scope, content in contents:
        if scope != DETAIL or table.show_details:
            wanted |= {Wanted(scope, text) for text in slots_in(content)}
    ruled = [(scope_of(table, place), row.rules) for place, row in table.rows()]
    ruled += [(DETAIL, table.rules)] if table.show_details else []
    wanted |= {Wanted(scope, rule.when) for scope, rules in ruled for rule in rules if _is_sound(rule.when)}
    groupings = tuple(map(grouping_of, table.levels))
    order = Order(table.name, groupings, tuple((key.by, key.descending) for key in table.order), table.keep_rows)
    paged = frozenset(want for want in wanted if want.scope in PAGE_SCOPES.values())
    return TablePlan(table.query, order, frozenset(wanted) - paged, paged)


def grouping_of(level: Keyed) -> Grouping:
    """What decides a level's groups."""
    return Grouping(
        level.name,
        level.by,
        level.order,
        level.order_by,
        level.keep_groups,
        level.first_groups if isinstance(level.first_groups, int) else None,
        level.parent,
        level.listed,
        level.others,
    )


def slots_in(content: Content | str) -> Iterator[str]:
    """The expressions that a cell, or a template, needs. Faulty ones are left out; they are told where they are laid
    out."""
    if isinstance(content, str):
        content = Content(text=content)
    yield from (rule.when for rule in content.rules if _is_sound(rule.when))
    if content.currency and _is_sound(content.currency):
        yield content.currency
    for text in (content.text, content.link, content.anchor):
        with suppress(ExpressionError):
            yield from (slot.expression.text for slot in parse_template(text or "") if isinstance(slot, Slot))
    if content.value is not None and _is_sound(content.value):
        yield parse(content.value).text


def renamed(content: Content, named: Mapping[str, str]) -> Content:
    """A cell with some of its expressions replaced by the names of others."""
    value = content.value
    if value is not None and _is_sound(value):
        value = named.get(parse(value).text, value)
    texts = {
        name: with_names(text, named)
        for name in ("text", "link", "anchor")
        if (text := getattr(content, name)) is not None
    }
    rules = tuple(rule.but(when=named.get(rule.when, rule.when)) for rule in content.rules)
    currency = named.get(content.currency, content.currency) if content.currency is not None else None
    return content.but(value=value, rules=rules, currency=currency, **texts)


def _is_sound(text: str) -> bool:
    try:
        parse(text)
    except ExpressionError:
        return False  # told where the rule is asked
    return True


def scope_of(table: TableBlock, place: RowPlace) -> int:
    """The scope that expressions of a row stand in."""
    if place.row in _SCOPES:
        return _SCOPES[place.row]
    return 0 if place.level is None else 1 + [level.name for level in table.levels].index(place.level)


@dataclass(frozen=True)
class Across:
    """What a column of a printed matrix shows: a measure (or, at the left, a level's keys), for the group with these
    keys of the column levels, which is one of a level or, without one, the total."""

    column: str
    keys: tuple[Any, ...] = ()
    level: str | None = None
    lines: tuple[str, ...] = ()
    """Where measures stand one below the other: that of each line of a row, and of a row of totals."""
    total_lines: tuple[str, ...] = ()
    is_measure: bool = True

    def measure(self, row: str, line: int) -> str:
        """The measure, or level, that a line of a kind of row shows."""
        lines = self.lines if row == "detail" else self.total_lines if row == "total" else ()
        return lines[line] if lines else self.column


@dataclass(frozen=True, eq=False)
class ArrangedTable:
    """A table's rows in order. `cells` holds, for each wanted expression, one value a row or group of its scope;
    `ordered` are the rows themselves, where something is wanted of pages."""

    rows: int
    levels: tuple[Groups, ...]
    cells: Mapping[Wanted, Computed]
    source: npt.NDArray[np.signedinteger[Any]] | None
    """Which of the fetched rows each row is; None where they come as they were fetched (see `fetched`)."""
    ordered: pa.Table | None = None
    notes: tuple[str, ...] = ()
    """What is wrong with its trees."""
    across: Mapping[str, Across] = field(default_factory=dict)
    """Of a printed matrix: what its columns show, by their names."""
    leaf: Groups | None = None
    """Of a printed matrix: the groups of its innermost row level, which are its rows."""
    leaf_indent: tuple[str, int] = ("", 0)
    """Of a printed matrix whose innermost rows form a tree: the column of their keys, and how much further right it
    begins with each depth."""
    charts: Mapping[tuple[int, Chart], ArrangedChart | LayoutError] = field(default_factory=dict)
    """The charts that stand in its rows, by the scope of the row."""
    heads: tuple[str | None, ...] = ()
    """Of a printed matrix: the column level whose keys each row of the head shows, the titles first; none: measures."""
    part_of: "PartOf | None" = None
    """The table that it is a part of (see `parting`)."""

    @property
    def whole(self) -> "ArrangedTable":
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


@dataclass(frozen=True, eq=False)
class PartOf:
    """Where in a table a part of it begins: with which row, and with which group of each level."""

    table: ArrangedTable
    row: int
    groups: tuple[int, ...]


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
        around = grouped(engine, compiler, plan.order, rows[plan.query].table, others, stop)
        stop.check()
        cells = compute_scoped(engine, compiler, plan.wanted, around)
        ordered = _columns_used(engine, plan.paged, around.names) if plan.paged else None
    named = zip(plan.order.groupings, around.levels, strict=True)
    notes = tuple(n for g, level in named if level.tree for n in faults_of(level.tree, level.keys, g.name))
    is_as_fetched = around.rows == rows[plan.query].table.num_rows and bool((np.diff(around.source) == 1).all())
    source = None if is_as_fetched else around.source.astype(np.int32)
    return ArrangedTable(around.rows, around.levels, cells, source, ordered, notes)


def _columns_used(engine: Engine, wanted: frozenset[Wanted], names: tuple[str, ...]) -> pa.Table:
    """The ordered rows with the columns that expressions use, at least one."""
    used = {column for want in wanted for column in columns_in(want.expression)}
    kept = [name for name in names if name.lower() in used] or list(names[:1])
    return engine.run(f"select {', '.join(map(quoted, kept))} from {ROWS} order by {POSITION}")
