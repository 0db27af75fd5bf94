"""A table's figures asked again another way: one plain SQL statement over the fetched rows, without the order, the
group numbers and the shared aggregates that the table itself is computed with.

Where the table groups by a key, this filters by that key; where it follows a tree step by step, this recurses. Only
what no condition can say (which groups were kept, which rows a page has) is given as the numbers of rows.
"""

import re
from collections.abc import Callable, Mapping
from decimal import Decimal
from typing import Any

import numpy as np
import pyarrow as pa
from msgspec import Struct, field
from sqlglot import exp

from northmoor.core.base.arrays import Ints
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.compute.evaluate.compiler import Compiler, EvaluationScope, ExpressionCompiler
from northmoor.core.compute.evaluate.inner_groups import (
    InnerGroupsCompiler,
    has_inner_groups,
    inner_groups_sql,
    keys_inside,
)
from northmoor.core.compute.evaluate.scope_names import DETAIL, OF_DOCUMENT, OWN, PAGE_SCOPES, group_column
from northmoor.core.compute.groups.boundaries import Grouping
from northmoor.core.compute.row_ordering import Order, rows_in_block
from northmoor.core.compute.table.evaluation import TableData
from northmoor.core.compute.table.page_totals import PageRanges
from northmoor.core.engine.embedded import Engine, EngineError, engine_message
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import ExpressionError
from northmoor.core.expr.identifiers import quoted
from northmoor.core.expr.language import Expression, function_name, is_aggregate, parse
from northmoor.core.values.parameter_values import Values

ROWS, ROW_NUMBER = "rows", "row_number"
"""The fetched rows, as statements that are shown call them, and their numbers."""
_PLACES, _PLACE = "places", "printed"
"""The rows that the table prints: which each is, and the numbers of its groups."""
_AROUND, _GROUP = "lying_in", "lies_in"
"""In a tree: the groups that each of the printed rows is in, and their numbers."""
_OWN_ORDER = "__nm_own_order"


class FigureAddress(Struct, frozen=True):
    """Where a figure is: its scope, and in it the number of the row, group or page."""

    scope: int
    at: int = 0


class Verification(Struct, frozen=True):
    """What plain SQL says: the value and how many rows it is over; or, with a reason, that it cannot be asked so."""

    sql: str = ""
    value: Any = None
    rows: int | None = None
    why_not: str | None = None


class TableVerifier(Struct, eq=False):
    """A table whose figures are asked again. `pages` are the rows of each page."""

    order: Order
    data: TableData
    rows: Mapping[str, Rows]
    query: str
    values: Values
    pages: PageRanges
    bound: dict[str, Any] = field(default_factory=dict)

    def rows_behind(self, standpoint: FigureAddress) -> Ints:
        """The numbers of the fetched rows behind a figure, in their printed order."""
        start, end = self._stretch(standpoint)
        found, counted = self.data.fetched(start, end), self.data.counted
        return found if counted is None else found[counted[start:end]]

    def _stretch(self, standpoint: FigureAddress) -> tuple[int, int]:
        scope, at = standpoint.scope, standpoint.at
        if scope == DETAIL:
            return at, at + 1
        if scope == 0:
            return 0, self.data.rows
        if scope in PAGE_SCOPES.values():
            before, here = int(self.pages.begin[at]), int(self.pages.end[at])
            first = int(self.pages.begin[np.flatnonzero(self.pages.run == self.pages.run[at])[0]])
            stretches = {"page": (before, here), "pages_before": (first, before), "pages_to_here": (first, here)}
            return stretches[_window(scope)]
        groups = self.data.levels[scope % OWN - 1]
        ends = groups.starts[1:] if scope > OWN else groups.ends
        return int(groups.starts[at]), int(ends[at])

    def verify(self, text: str, standpoint: FigureAddress, stop: CancelToken) -> Verification:
        """Ask an expression again. Faults of the expression itself are reasons, too."""
        self.bound = {}
        fetched = self.rows[self.query].table
        try:
            work = _ScalarCompiler(self, parse(text), standpoint)
            value = work.transform(work.expression.tree.copy()).sql("duckdb")
            condition = self.condition(standpoint)
        except ExpressionError as error:
            return Verification(why_not=error.message)
        where = f" where {condition}" if condition else ""
        given = {ROWS: numbered(fetched), _PLACES: self._places()}
        if (scope := standpoint.scope) in work.standing.trees:
            given[_AROUND] = self._around(scope)
        given |= {f"query_{name}": other.table for name, other in self.rows.items()}
        return run_verification(value, f" from {ROWS}{where}", where, {**work.bound, **self.bound}, given, stop)

    def _places(self) -> pa.Table:
        data = self.data
        columns = {ROW_NUMBER: data.fetched(), _PLACE: np.arange(data.rows)}
        groups = {group_column(level): of_row for level, of_row in enumerate(data.group_of_row, 1)}
        return pa.table({**columns, **groups})

    def _around(self, level: int) -> pa.Table:
        """The groups of a tree and the rows that lie in each: the numbers of the group and of the row as printed."""
        groups = self.data.levels[level - 1]
        counts = groups.ends - groups.starts[:-1]
        inside = np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts)
        rows = np.repeat(groups.starts[:-1], counts) + inside
        return pa.table({_GROUP: np.repeat(np.arange(len(groups)), counts), _PLACE: rows})

    def condition(self, standpoint: FigureAddress, counted: bool = True) -> str:
        """The condition on fetched rows that says which are behind a figure; or, where it only says what a group of a
        tree is, which are the group's, whether they count or not."""
        scope = standpoint.scope
        if scope == DETAIL or scope in PAGE_SCOPES.values():
            return self._numbered(standpoint)
        if counted and any(g.keep_groups is not None or g.first_groups is not None for g in self.order.groupings):
            kept = [self._numbered(FigureAddress(0))]
        else:
            kept = [self._scalar(self.order.keep_rows)] if self.order.keep_rows is not None else []
        for level in range(1, scope % OWN + 1):
            kept.append(self._in_group(level, scope, self._group_at(level, standpoint)))
        return " and ".join(kept)

    def _group_at(self, level: int, standpoint: FigureAddress) -> int:
        if level == standpoint.scope % OWN:
            return standpoint.at
        start = self.data.levels[standpoint.scope % OWN - 1].starts[standpoint.at]
        return int(self.data.group_of_row[level - 1][start])

    def _in_group(self, level: int, scope: int, group: int) -> str:
        grouping, groups = self.order.groupings[level - 1], self.data.levels[level - 1]
        if group in groups.labels or rows_in_block(grouping.key) is not None:
            return self._numbered(FigureAddress(level, group))
        key = f"key_{level}"
        self.bound[key] = groups.keys[group].as_py()
        by = self._scalar(grouping.key)
        if groups.tree is None or scope == level + OWN:
            return f"{by} is not distinct from ${key}"
        return f"{by} in ({self._within(grouping, by, key)})"

    def _within(self, grouping: Grouping, by: str, key: str) -> str:
        parent = self._scalar(grouping.parent or "")
        steps = f"select ${key} as key union select {by} from {ROWS} join within on {parent} = within.key"
        return f"with recursive within as ({steps}) select key from within"

    def _scalar(self, text: str) -> str:
        names = self.rows[self.query].names
        compiled = Compiler(self.values).compile(parse(text), EvaluationScope(names))
        self.bound.update(compiled.bound)
        return f"({compiled.sql})"

    def _numbered(self, standpoint: FigureAddress) -> str:
        name = f"numbers_{standpoint.scope % OWN if standpoint.scope > 0 else 'of_page' if standpoint.scope else 'all'}"
        numbers = self.rows_behind(standpoint).tolist()
        if len(numbers) == 1:
            return f"{ROW_NUMBER} = {numbers[0]}"
        self.bound[name] = numbers
        return f"{ROW_NUMBER} in (select unnest(${name}))"


def numbered(fetched: pa.Table) -> pa.Table:
    """Fetched rows with their numbers."""
    return fetched.append_column(ROW_NUMBER, pa.array(np.arange(len(fetched))))


def run_verification(
    value: str, source: str, where: str, bound: Mapping[str, Any], given: Mapping[str, pa.Table], stop: CancelToken
) -> Verification:
    """What the engine says of a value from a source, and of how many rows a condition leaves, over some tables."""
    sql = f"select {value} as value{source}"
    with Engine(stop) as engine:
        for name, table in given.items():
            engine.register(name, table)
        try:
            found = engine.run(sql, bound).column(0).to_pylist()
            count = engine.run(f"select count(*) from {ROWS}{where}", bound).column(0)[0].as_py()
        except EngineError as error:
            return Verification(sql, why_not=f"The engine cannot compute it so: {engine_message(error)}.")
    return Verification(with_values(sql, bound), found[0] if found else None, count)


def with_values(sql: str, bound: Mapping[str, Any]) -> str:
    """A statement with its values in it, for reading."""

    def value(name: re.Match[str]) -> str:
        found = bound.get(name[1])
        if isinstance(found, list):
            return f"<{len(found):,} numbers>" if name[1].startswith("numbers_") else ", ".join(map(repr, found))
        return "null" if found is None else str(found) if isinstance(found, int | float | Decimal) else f"'{found}'"

    return re.sub(r"\$(\w+)", value, sql)


class _ScalarCompiler(ExpressionCompiler):
    """Compiles an expression to one value over the rows that a condition leaves, other scopes as inner queries."""

    def __init__(self, asking: TableVerifier, expression: Expression, standpoint: FigureAddress) -> None:
        levels = asking.data.levels
        trees = frozenset(scope for scope, groups in enumerate(levels, 1) if groups.tree is not None)
        names = tuple(grouping.name for grouping in asking.order.groupings)
        others = {name: rows.names for name, rows in asking.rows.items()}
        in_levels = standpoint.scope not in PAGE_SCOPES.values()
        standing = EvaluationScope(
            asking.rows[asking.query].names,
            names if in_levels else (),
            standpoint.scope,
            trees=trees,
            others=others,
            level_keys=keys_inside(asking.order.groupings, standpoint.scope) if in_levels else {},
        )
        super().__init__(Compiler(asking.values), expression, standing)
        self.asking = asking
        self.standpoint = standpoint

    def window_of_rows(self, node: exp.Window, scope: int) -> exp.Expr:
        """A window over the rows or groups of one group around the figure: its value where the figure is."""
        if self.standing.scope == 0:
            raise self.error_at("windows with an order or a frame belong in rows, headings and totals", node)
        trees = self.standing.trees
        if self.standing.scope == DETAIL:
            call, own = self._windowed(node, lambda n: self.value_of(n, self.standing.columns)), _PLACE
            listed, grouped = "*", ""
        else:
            inside = _GroupCompiler(self)
            own = _GROUP if self.standing.scope in trees else group_column(self.standing.scope)
            call = self._windowed(node, inside.transform)
            self.bound |= inside.bound
            listed, grouped = ", ".join([own, *inside.listed]), f" group by {own}"
        around = self._outer(scope + OWN if scope in trees else scope)
        where = f" where {condition}" if (condition := self.asking.condition(around)) else ""
        lying = f" join {_AROUND} using ({_PLACE})" if own == _GROUP else ""
        among = f"select {listed} from {ROWS} join {_PLACES} using ({ROW_NUMBER}){lying}{where}{grouped}"
        ordered = f"select {own}, {call.replace(_OWN_ORDER, own)} as value from ({among})"
        return exp.Var(this=f"(select value from ({ordered}) where {own} = {self.standpoint.at})")

    def _windowed(self, node: exp.Window, value: Callable[[exp.Expr], exp.Expr]) -> str:
        """The call with its order, or that in which rows are printed, and its frame."""
        order, spec = node.args.get("order"), node.args.get("spec")
        inner = node.this.this if isinstance(node.this, exp.Filter) else node.this
        call = self.other(node.this, value).sql("duckdb")
        ordering = self.other(order, value).sql("duckdb") if order else f"order by {_OWN_ORDER}"
        ordering = "" if order is None and spec is None and is_aggregate(inner) else ordering
        return f"{call} over ({ordering} {spec.sql('duckdb') if spec else ''})"

    def aggregate(self, node: exp.Expr, scope: int | str) -> exp.Expr:
        """An aggregate over the figure's own rows as it is, over others in a query of its own."""
        columns = self.standing.others[scope] if isinstance(scope, str) else self.standing.columns
        if has_inner_groups(node):
            source = quoted(f"query_{scope}") if isinstance(scope, str) else ROWS
            where = "" if isinstance(scope, str) else self.asking.condition(self._outer(scope))
            return exp.Var(this=f"({figures_of_figures_sql(self, node, columns, source, where)})")
        sql = self.other(node, lambda n: self.value_of(n, columns)).sql("duckdb")
        if scope == self.standing.scope:
            return exp.Var(this=sql)
        if isinstance(scope, str):
            return exp.Var(this=f"(select {sql} from {quoted(f'query_{scope}')})")
        condition = self.asking.condition(self._outer(scope))
        return exp.Var(this=f"(select {sql} from {ROWS}{f' where {condition}' if condition else ''})")

    def _outer(self, scope: int) -> FigureAddress:
        """The group of an outer scope around the figure; of a page's scopes, the same page."""
        if scope == 0 or scope in PAGE_SCOPES.values():
            return FigureAddress(scope, self.standpoint.at)
        start = int(self.asking._stretch(self.standpoint)[0])  # two classes of one subject
        if scope % OWN == self.standpoint.scope % OWN:
            return FigureAddress(scope, self.standpoint.at)
        return FigureAddress(scope, int(self.asking.data.group_of_row[scope % OWN - 1][start]))

    def depth(self, tree: int) -> exp.Expr:
        """How many steps lead up from the key of the group of a tree: the ways up that are among the rows."""
        asking, around = self.asking, self._outer(tree)
        groups, grouping = asking.data.levels[tree - 1], asking.order.groupings[tree - 1]
        if groups.tree is None or len(groups.tree.opened) or around.at in groups.labels:
            raise self.error_at("a depth among gathered groups, or in a circle, is not asked again another way", None)
        key = f"depth_of_{tree}"
        self.bound[key] = groups.keys[around.at].as_py()
        by, parent = asking._scalar(grouping.key), asking._scalar(grouping.parent or "")
        inside = asking.condition(self._outer(tree - 1), counted=False)
        among = f"select * from {ROWS}{f' where {inside}' if inside else ''}"
        steps = f"select ${key} as key union select {parent} from ({among}) join up on {by} = up.key"
        counted = f"select count(*) - 1 from up where key in (select {by} from ({among}))"
        return exp.Var(this=f"(with recursive up as ({steps}) {counted})")

    def compile_bare_column(self, node: exp.Column) -> exp.Expr:
        """A column of the row, or the one value that a group's own rows have."""
        name = quoted(self.resolve_name(node, self.standing.columns))
        if self.standing.scope == DETAIL:
            return exp.Var(this=name)
        if self.standing.scope in self.standing.trees:
            condition = self.asking.condition(FigureAddress(self.standing.own_scope, self.standpoint.at), counted=False)
            return exp.Var(this=f"(select any_value({name}) from {ROWS} where {condition})")
        return exp.Var(this=f"any_value({name})")


def verify_outside_tables(
    text: str, rows: Mapping[str, Rows], values: Values, stop: CancelToken
) -> tuple[Verification, str | None]:
    """Ask an expression of a paragraph, header or footer again, and the query it is over if that is only one."""
    standing = EvaluationScope((), scope=0, others={name: found.names for name, found in rows.items()})
    if any(function_name(call) in OF_DOCUMENT for call in parse(text).tree.find_all(exp.Func)):
        return Verification(why_not="The document itself says it; no rows are behind it."), None
    try:
        work = _QueryCompiler(Compiler(values), parse(text), standing)
        sql = f"select {work.transform(work.expression.tree.copy()).sql('duckdb')} as value"
    except ExpressionError as error:
        return Verification(why_not=error.message), None
    with Engine(stop) as engine:
        for name in work.asked:
            engine.register(f"query_{name}", rows[name].table)
        try:
            value = engine.run(sql, work.bound).column(0)[0].as_py()
        except EngineError as error:
            return Verification(sql, why_not=f"The engine cannot compute it so: {engine_message(error)}."), None
    (query,) = work.asked if len(work.asked) == 1 else (None,)
    return Verification(with_values(sql, work.bound), value, rows[query].table.num_rows if query else 0), query


class _QueryCompiler(ExpressionCompiler):
    """Compiles an expression outside tables, each aggregate as a query of its own."""

    def __init__(self, compiler: Compiler, expression: Expression, standing: EvaluationScope) -> None:
        super().__init__(compiler, expression, standing)
        self.asked: set[str] = set()

    def aggregate(self, node: exp.Expr, scope: int | str) -> exp.Expr:
        """An aggregate over the rows of a query."""
        if not isinstance(scope, str):
            raise self.error_at("outside a table, name the query of a column, as in sum(fares.fare)", node)
        self.asked.add(scope)
        if has_inner_groups(node):
            source = quoted(f"query_{scope}")
            return exp.Var(this=f"({figures_of_figures_sql(self, node, self.standing.others[scope], source, '')})")
        sql = self.other(node, lambda n: self.value_of(n, self.standing.others[scope])).sql("duckdb")
        return exp.Var(this=f"(select {sql} from {quoted(f'query_{scope}')})")


class _GroupCompiler(ExpressionCompiler):
    """Compiles what a window over groups runs over: aggregates of each group, listed as columns."""

    def __init__(self, around: _ScalarCompiler) -> None:
        super().__init__(around.compiler, around.expression, around.standing)
        self.listed: list[str] = []

    def aggregate(self, node: exp.Expr, scope: int | str) -> exp.Expr:
        """An aggregate over each group's rows, in a tree also over its own alone, or over what is around each."""
        if isinstance(scope, str) or scope % OWN in self.standing.trees - {self.standing.scope}:
            raise self.error_at("another tree or query in a window is not asked again another way", node)
        value = self.other(node, lambda n: self.value_of(n, self.standing.columns))
        if scope not in (self.standing.scope, self.standing.own_scope):
            group = group_column(scope) if scope else None
            around = f" where around.{group} = {_PLACES}.{group}" if group else ""
            inner = f"select {value.sql('duckdb')} from {ROWS} join {_PLACES} as around using ({ROW_NUMBER}){around}"
            return self._column(f"any_value(({inner}))")
        if scope != self.standing.scope and isinstance(value, exp.Filter):
            raise self.error_at("a filter over own in a window is not asked again another way", node)
        return self._column(value.sql("duckdb") + (self._own_rows() if scope != self.standing.scope else ""))

    def compile_bare_column(self, node: exp.Column) -> exp.Expr:
        """The one value that a group's own rows have."""
        return self._column(f"any_value({quoted(self.resolve_name(node, self.standing.columns))}){self._own_rows()}")

    def _own_rows(self) -> str:
        scope = self.standing.scope
        return f" filter (where {group_column(scope)} = {_GROUP})" if scope in self.standing.trees else ""

    def _column(self, sql: str) -> exp.Expr:
        self.listed.append(f"{sql} as part_{len(self.listed)}")
        return exp.Var(this=f"part_{len(self.listed) - 1}")


def figures_of_figures_sql(
    work: ExpressionCompiler, node: exp.Expr, columns: tuple[str, ...], source: str, where: str
) -> str:
    """An aggregate over the figures of groups as a query over a query that groups."""
    inner = InnerGroupsCompiler(work, node, columns)
    among = f"{source} where {where}" if where else source
    return f"select {inner.call.sql('duckdb')} from ({inner_groups_sql(among, '', inner.groups(is_counted=False))})"


def _window(scope: int) -> str:
    return next(name for name, known in PAGE_SCOPES.items() if known == scope)
