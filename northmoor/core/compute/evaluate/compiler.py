"""The place of an expression decides what it means: expressions to the engine's SQL.

Every aggregate, with or without a named window, is computed once for each group of its scope; what is left of an
expression is then scalar over those results. A table has the scopes 0 (the report: all its rows), 1…n (the groups of
each level, outermost first), `DETAIL` (a row), and, once its pages are known, those of `PAGE_SCOPES`.
"""

from collections.abc import Iterator, Mapping
from typing import Any

from msgspec import Struct, field
from sqlglot import exp

from northmoor.core.compute.evaluate.inner_groups import InnerGroups, InnerGroupsCompiler, has_inner_groups
from northmoor.core.compute.evaluate.scope_names import (
    BASE,
    COUNTED,
    DETAIL,
    OF_DOCUMENT,
    OWN,
    PAGE_SCOPES,
    POSITION,
    depth_column,
    group_column,
    key_column,
)
from northmoor.core.compute.evaluate.text_growth import held_to_length, makes_longer
from northmoor.core.engine.embedded import list_sql
from northmoor.core.errors import ExpressionError, did_you_mean
from northmoor.core.expr.identifiers import quoted
from northmoor.core.expr.language import WINDOW_FUNCTIONS as WINDOW_FUNCTION_NAMES
from northmoor.core.expr.language import Expression, function_name, is_aggregate
from northmoor.core.values.parameter_values import Values


class AggregateCall(Struct, frozen=True):
    """An aggregate that an expression needs: over the groups of a table's scope, or all rows of another query."""

    scope: int | str
    sql: str
    inner: InnerGroups | None = None
    """The groups within those of the scope that it runs over, where it does not run over rows."""


class CompiledExpression(Struct, frozen=True):
    """An expression's scalar SQL over aggregates that are named by `name_of`, its bound values, and its needs.

    `constants` are bare columns in a group row, each with the SQL that is true where the column has one value.
    """

    expression: Expression
    sql: str
    needs: tuple[AggregateCall, ...]
    bound: Mapping[str, Any]
    constants: tuple["Constant", ...] = ()
    is_level_key: bool = False
    """Whether it says what a group is: its key, or another column that has one value in it."""


class Constant(Struct, frozen=True):
    """A bare column in a heading or total row: it must have one value in the group."""

    column: str
    is_constant: AggregateCall
    distinct: AggregateCall


class PageColumn(Struct, frozen=True):
    """A named value that differs from page to page: a column of the pages."""

    name: str


class EvaluationScope(Struct, frozen=True):
    """The place of an expression.

    `columns` are the query's columns, `levels` the names of the table's levels outermost first, `scope` as above,
    `keys` the columns that are the keys of open levels, `computed_keys` the expressions that are, each with its level's
    scope, `own_key` the key of the scope's own level, `trees` the scopes of levels that are trees, `others` the columns
    of the report's other queries.
    """

    columns: tuple[str, ...]
    levels: tuple[str, ...] = ()
    scope: int = DETAIL
    keys: frozenset[str] = frozenset()
    computed_keys: tuple[tuple[exp.Expr, int], ...] = ()
    trees: frozenset[int] = frozenset()
    level_key: str | None = None
    others: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    named: Mapping[str, Any] = field(default_factory=dict)
    """Values of the product's own functions that exist here only, such as page_number."""
    has_uncounted: bool = False
    """Whether some rows do not count (see `COUNTED`)."""
    level_keys: Mapping[str, tuple[exp.Expr, ...] | None] = field(default_factory=dict)
    """By name, the keys of the levels that are inside the scope and of all around each; None where keys do not say what
    its groups are."""

    @property
    def own_scope(self) -> int:
        """The scope in which a group's key has one value."""
        return self.scope + OWN if self.scope in self.trees else self.scope


def name_of(need: AggregateCall, needs: dict[AggregateCall, str]) -> str:
    """The internal name of an aggregate, the same for the same aggregate."""
    return needs.setdefault(need, f"__nm_a{len(needs)}")


class Compiler:
    """Compiles expressions that share their aggregates."""

    def __init__(self, values: Values) -> None:
        self.values = values
        self.names: dict[AggregateCall, str] = {}

    def compile(self, expression: Expression, standing: EvaluationScope) -> CompiledExpression:
        """The expression as SQL at its place. Raises ExpressionError for what has no meaning there."""
        work = ExpressionCompiler(self, expression, standing)
        tree = work.transform(expression.tree.copy())
        return work.compiled(tree)


def _of_counted(call: exp.Expr) -> exp.Expr:
    """An aggregate over the rows that count only."""
    counted = exp.column(COUNTED)
    if isinstance(call, exp.Filter):
        return exp.Filter(this=call.this, expression=exp.Where(this=exp.and_(call.expression.this, counted)))
    return exp.Filter(this=call, expression=exp.Where(this=counted))


class ExpressionCompiler:
    """Compiles one expression at its place; a subclass may mean aggregates and windows otherwise."""

    def __init__(self, compiler: Compiler, expression: Expression, standing: EvaluationScope) -> None:
        self.compiler = compiler
        self.expression = expression
        self.standing = standing
        self.needs: list[AggregateCall] = []
        self.bound: dict[str, Any] = {}
        self.constants: list[Constant] = []
        self.says_key = False
        self._grows = makes_longer(expression.tree)

    def compiled(self, tree: exp.Expr) -> CompiledExpression:
        """The expression with the scalar that is left of it."""
        needs, constants = tuple(self.needs), tuple(self.constants)
        return CompiledExpression(self.expression, tree.sql("duckdb"), needs, self.bound, constants, self.says_key)

    def transform(self, node: exp.Expr) -> exp.Expr:
        """The node with windows, aggregates, columns and placeholders replaced, from the outside in."""
        for key, scope in self.standing.computed_keys:
            if node == key:
                return self._key(scope)
        if isinstance(node, exp.Window):
            return self._window(node)
        if is_aggregate(node):
            return self.aggregate(node, self._own_scope(node))
        if isinstance(node, exp.Column):
            return self.compile_bare_column(node)
        return self.other(node, self.transform)

    def other(self, node: exp.Expr, inner: Any) -> exp.Expr:
        """Any other node: placeholders bound, the product's own functions resolved, what is in it left to `inner`."""
        if isinstance(node, exp.Placeholder):
            return self._parameter(node.name)
        if isinstance(node, exp.In) and (listed := self._list_in(node)) is not None:
            node.set("this", inner(node.this))
            node.set("expressions", [listed])
            return node
        if isinstance(node, exp.Func) and (own := self._own_function(node)) is not None:
            return own
        for key, value in list(node.args.items()):
            if isinstance(value, exp.Expression):
                node.set(key, inner(value))
            elif isinstance(value, list):
                node.set(key, [inner(v) if isinstance(v, exp.Expression) else v for v in value])
        return held_to_length(node) if self._grows else node

    def _own_scope(self, node: exp.Expr) -> int | str:
        others = {c.table for c in node.find_all(exp.Column) if c.table}
        if others:
            return self._other_query(others)
        if self.standing.scope == DETAIL:
            raise self.error_at(
                f"{node.sql('duckdb').lower()} needs a scope in a row: write it over a level or over report",
                node,
            )
        return self.standing.scope

    def _other_query(self, names: set[str]) -> str:
        name = min(names)
        if len(names) > 1 or name not in self.standing.others:
            raise self.error_at(f"there is no query {name!r}. {did_you_mean(name, self.standing.others)}", None)
        return name

    def _window(self, node: exp.Window) -> exp.Expr:
        scope = self.window_scope(node)
        order, spec = node.args.get("order"), node.args.get("spec")
        inner = node.this.this if isinstance(node.this, exp.Filter) else node.this
        by_rows = order is not None or spec is not None or function_name(inner) in WINDOW_FUNCTION_NAMES
        is_nested = any(is_aggregate(n) for n in inner.find_all(exp.AggFunc) if n is not inner)
        if not by_rows and (not is_nested or has_inner_groups(node.this)):
            return self.aggregate(node.this, scope)
        return self.window_of_rows(node, scope)

    def window_of_rows(self, node: exp.Window, scope: int) -> exp.Expr:
        """A window over the rows, or in headings and totals over the groups, of a scope."""
        order, spec = node.args.get("order"), node.args.get("spec")
        inner = node.this.this if isinstance(node.this, exp.Filter) else node.this
        if self.standing.scope == DETAIL:
            value, first = self._row_value, POSITION
        elif self.standing.scope > 0:
            value, first = self.transform, f"{BASE}.{group_column(self.standing.scope)}"
            if scope == self.standing.scope:
                raise self.error_at(
                    f"over {node.alias} there is one group only; write a level around it, or report", node
                )
            if not isinstance(node.this, exp.Filter) and not runs_over_groups(inner):
                total = f"sum({inner.sql('duckdb').lower()})"
                raise self.error_at(f"to run over groups, total what it runs over, as in {total}", node)
        else:
            raise self.error_at("windows with an order or a frame belong in rows, headings and totals", node)
        call = self.other(node.this, value)
        parts = [f"{BASE}.{group_column(scope)}"] if scope else []
        if self.standing.scope == DETAIL and self.standing.has_uncounted:
            parts.append(f"{BASE}.{COUNTED}")
        partition = f"partition by {', '.join(parts)}" if parts else ""
        ordering = self.other(order, value).sql("duckdb") if order else f"order by {first}"
        ordering = "" if order is None and spec is None and is_aggregate(inner) else ordering
        frame = spec.sql("duckdb") if spec else ""
        return exp.Var(this=f"{call.sql('duckdb')} over ({partition} {ordering} {frame})")

    def window_scope(self, node: exp.Window) -> int:
        """The scope that a window names."""
        name = node.alias
        if not name:
            raise self.error_at("name a scope after over: a level, or report", node)
        if node.args.get("partition_by"):
            raise self.error_at("a window's scope is its level; remove partition by", node)
        if name == "report":
            return 0
        if name == "own":
            if self.standing.scope not in self.standing.trees:
                raise self.error_at("over own belongs in headings and totals of a level whose groups form a tree", node)
            return self.standing.own_scope
        if name in PAGE_SCOPES:
            if self.standing.scope not in PAGE_SCOPES.values():
                raise self.error_at(
                    f"over {name} belongs in page totals and in what is carried or brought forward", node
                )
            return PAGE_SCOPES[name]
        if name not in self.standing.levels:
            known = did_you_mean(name, (*self.standing.levels, "report"))
            raise self.error_at(f"there is no scope {name!r}. {known}", node)
        scope = self.standing.levels.index(name) + 1
        if self.standing.scope != DETAIL and scope > self.standing.scope:
            raise self.error_at(f"{name} lies inside this row's group, which has many of them", node)
        return scope

    def aggregate(self, node: exp.Expr, scope: int | str) -> exp.Expr:
        """An aggregate over the groups of a scope, or the rows of another query."""
        columns = self.standing.others[scope] if isinstance(scope, str) else self.standing.columns
        is_counted = self.standing.has_uncounted and not isinstance(scope, str)
        if has_inner_groups(node):
            inner_work = InnerGroupsCompiler(self, node, columns)
            call = _of_counted(inner_work.call) if is_counted else inner_work.call
            return self._needed(AggregateCall(scope, call.sql("duckdb"), inner_work.groups(is_counted)))
        nested = [n for n in node.find_all(exp.AggFunc, exp.Window) if n is not node]
        inner = node.this if isinstance(node, exp.Filter) else node
        if any(n is not inner and (isinstance(n, exp.Window) or is_aggregate(n)) for n in nested):
            message = "one aggregate is inside another; say over which groups the inner one runs, as in over level"
            raise self.error_at(message, node)
        call = self.other(node, lambda n: self.value_of(n, columns))
        return self._needed(AggregateCall(scope, (_of_counted(call) if is_counted else call).sql("duckdb")))

    def _needed(self, need: AggregateCall) -> exp.Expr:
        self.needs.append(need)
        return exp.column(name_of(need, self.compiler.names), quoted=True)

    def value_of(self, node: exp.Expr, columns: tuple[str, ...]) -> exp.Expr:
        """What an aggregate runs over: columns as they are in a row."""
        if isinstance(node, exp.Column):
            return exp.column(self.resolve_name(node, columns), quoted=True)
        return self.other(node, lambda n: self.value_of(n, columns))

    def _row_value(self, node: exp.Expr) -> exp.Expr:
        return self.value_of(node, self.standing.columns)

    def _key(self, scope: int) -> exp.Expr:
        """What an open level is grouped by has one value in a group, whatever it is made of."""
        need = AggregateCall(self.standing.own_scope, f"any_value({quoted(key_column(scope))})")
        self.needs.append(need)
        self.says_key = self.says_key or scope == self.standing.scope
        return exp.column(name_of(need, self.compiler.names), quoted=True)

    def compile_bare_column(self, node: exp.Column) -> exp.Expr:
        """A column outside aggregates: the row's value, or the one value it must have in the group."""
        if node.table:
            raise self.error_at(
                f"{node.sql('duckdb')} comes from another query; total it, as in max({node.table}.{node.name})",
                node,
            )
        name = self.resolve_name(node, self.standing.columns)
        if self.standing.scope == DETAIL:
            return exp.column(name, quoted=True)
        if self.standing.scope in PAGE_SCOPES.values():
            raise self.error_at(f"{name} has a value in each row of a page; total it, as in first({name})", node)
        column, scope = quoted(name), self.standing.own_scope
        need = AggregateCall(scope, f"any_value({column})")
        self.needs.append(need)
        if name not in self.standing.keys:
            one = f"min({column}) is not distinct from max({column}) and count({column}) in (0, count(*))"
            distinct = f"count(distinct {column}) + max(case when {column} is null then 1 else 0 end)"
            self.says_key = True
            constant = Constant(name, AggregateCall(scope, one), AggregateCall(scope, distinct))
            self.constants.append(constant)
            self.needs += [constant.is_constant]
            name_of(constant.is_constant, self.compiler.names)
        self.says_key = self.says_key or self.standing.level_key == name
        return exp.column(name_of(need, self.compiler.names), quoted=True)

    def resolve_name(self, node: exp.Column, columns: tuple[str, ...]) -> str:
        """The column's name as the rows have it. Raises ExpressionError where there is none such."""
        if node.name in columns:
            return node.name
        folded = {c.lower(): c for c in columns}
        if node.name.lower() in folded and not node.this.quoted:
            return folded[node.name.lower()]
        if not columns:
            what = f"outside a table, name the query of a column, as in sum(query.{node.name})"
            raise self.error_at(what, node)
        raise self.error_at(f"there is no field {node.name!r}. {did_you_mean(node.name, columns)}", node)

    def _parameter(self, name: str) -> exp.Expr:
        if name not in self.compiler.values.by_name:
            known = did_you_mean(name, self.compiler.values.by_name)
            raise self.error_at(f"there is no parameter :{name}. {known}", None, f":{name}")
        value = self.compiler.values.by_name[name]
        if isinstance(value, tuple):
            message = f":{name} is a list; write in (:{name}), or :{name}_count for how many values it has"
            raise self.error_at(message, None, f":{name}")
        return self._bind(f"p_{name}", value)

    def _list_in(self, node: exp.In) -> exp.Expr | None:
        """What is in the brackets of ``in (:name)`` when the parameter is a list."""
        name = node.expressions[0].name if len(node.expressions) == 1 else ""
        value = self.compiler.values.by_name.get(name)
        if not isinstance(value, tuple) or not isinstance(node.expressions[0], exp.Placeholder):
            return None
        if value:
            self.bound[f"p_{name}"] = list(value)
        return exp.Var(this=list_sql(f"p_{name}", self.compiler.values.kinds.get(name, "text"), value))

    def _bind(self, name: str, value: Any) -> exp.Expr:
        self.bound[name] = value
        return exp.Placeholder(this=name)

    def _own_function(self, node: exp.Func) -> exp.Expr | None:
        name = function_name(node)
        if name == "label":
            arguments = node.expressions
            if len(arguments) != 1 or not isinstance(arguments[0], exp.Placeholder):
                raise self.error_at("label() takes one parameter, as in label(:season)", node)
            parameter = arguments[0].name
            labels = self.compiler.values.labels
            if parameter not in labels:
                raise self.error_at(f"there is no parameter :{parameter}. {did_you_mean(parameter, labels)}", node)
            return self._bind(f"l_{parameter}", labels[parameter])
        if name == "row_block":
            raise self.error_at("row_block() can only be what a level groups by", node)
        if name == "depth":
            return self._depth(node)
        if name == "row_number" and not isinstance(node.parent, exp.Window):
            return self._row_number(node)
        if name in OF_DOCUMENT:
            known = {**self.compiler.values.of_document, **self.standing.named}
            if name not in known:
                raise self.error_at(f"{name}() is not known here; it belongs in a header or footer", node)
            value = known[name]
            return exp.column(value.name, quoted=True) if isinstance(value, PageColumn) else self._bind(name, value)
        return None

    def _row_number(self, node: exp.Func) -> exp.Expr:
        if self.standing.scope != DETAIL or not self.standing.columns:
            raise self.error_at("row_number() belongs in rows only", node)
        counted = f"row_number() over (partition by {COUNTED} order by {POSITION})"
        return exp.Var(this=counted if self.standing.has_uncounted else f"({POSITION} + 1)")

    def _depth(self, node: exp.Func) -> exp.Expr:
        """How deep a group lies in the innermost tree that is open."""
        scope = self.standing.scope
        open_trees = [t for t in self.standing.trees if scope == DETAIL or 0 < t <= scope]
        if not open_trees:
            raise self.error_at(
                "depth() belongs in rows, headings and totals of a level whose groups form a tree", node
            )
        return self.depth(max(open_trees))

    def depth(self, tree: int) -> exp.Expr:
        """How deep the open group of a tree lies in it."""
        column = quoted(depth_column(tree))
        if self.standing.scope == DETAIL:
            return exp.Var(this=f"{BASE}.{column}")
        need = AggregateCall(self.standing.own_scope, f"any_value({column})")
        self.needs.append(need)
        return exp.column(name_of(need, self.compiler.names), quoted=True)

    def error_at(self, what: str, node: exp.Expr | None, word: str = "") -> ExpressionError:
        """The error that says what is wrong and where in the expression."""
        text = self.expression.text
        word = word or (node.name if isinstance(node, exp.Column) else "")
        position = max(text.find(word), 0) if word else 0
        message = f"In {text!r} at character {position + 1}: {what.rstrip('. ')}."
        return ExpressionError(message[:-1] if what.endswith("?") else message, position)


def runs_over_groups(call: exp.Expr) -> bool:
    """Whether the arguments of a window's function have one value in a group."""
    columns = list(call.find_all(exp.Column))
    return all(any(is_aggregate(up) and up is not call for up in _above(c, call)) for c in columns)


def _above(node: exp.Expr, top: exp.Expr) -> Iterator[exp.Expr]:
    """What a node is in, up to and with the top."""
    while node is not top and node.parent is not None:
        node = node.parent
        yield node
