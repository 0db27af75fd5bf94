"""Decimals in SQLite compared as decimals: it computes them with doubles, in which 0.1 + 0.2 is not 0.3.

What is computed of declared decimals is rounded, two places beyond its own, wherever it is compared, grouped, made
distinct, or handed on by an inner query. Nothing else of the text changes.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import lru_cache
from typing import Any, cast

import sqlglot
from sqlglot import exp
from sqlglot.tokens import TokenType  # type: ignore[attr-defined]  # it is re-exported from a compiled module

from northmoor.core.errors import RefusedQuery
from northmoor.core.expr.identifiers import quoted
from northmoor.core.expr.placeholders import mark_placeholders
from northmoor.core.sources.drivers.catalog import Catalog, CatalogTable
from northmoor.core.sources.drivers.read_only import CheckedQuery, check_query
from northmoor.core.sources.typing.inference import decimal_places, typed_tree

_COMPUTING = (exp.Add, exp.Sub, exp.Mul, exp.Sum)
_READABLE = (*_COMPUTING, exp.Column, exp.Identifier, exp.Literal, exp.Paren, exp.Abs, exp.Coalesce, exp.Distinct,
             exp.Count, exp.Star)  # fmt: skip
"""What is in a piece whose place in the text is known by the places of its words."""
_COMPARING = (exp.EQ, exp.NEQ, exp.LT, exp.LTE, exp.GT, exp.GTE, exp.Between, exp.In)
_MOST_KEPT = 256
_BEYOND = 2
"""Places more than declared: SQLite lets columns hold more than they say, and doubles err far behind them."""


def exact_sql(query: CheckedQuery, read_catalog: Callable[[], Catalog]) -> str:
    """The query's text with computed decimals rounded where that decides about rows; as it is for other databases."""
    if query.dialect != "sqlite" or query.tree.find(*_COMPUTING) is None:
        return query.sql
    if (
        query.tree.find(*_COMPARING, exp.Group, exp.Distinct, exp.Subquery, exp.CTE, exp.SetOperation, exp.Window)
        is None
    ):
        return query.sql
    return _exact_sql(query.sql, query.dialect, query.tables_in(read_catalog()))


@lru_cache(_MOST_KEPT)  # a plan is shown, a fetch counted and rows fetched of the same text
def _exact_sql(sql: str, dialect: str, tables: tuple[CatalogTable, ...]) -> str:
    query = check_query(sql, dialect)
    typed = typed_tree(query, Catalog(tables))
    if typed is None:
        return sql
    marked = mark_placeholders(sql, dialect)
    tokens = sqlglot.tokenize(marked.sql, dialect=dialect)
    rounded: dict[tuple[int, int], str] = {}
    """What is behind each piece; one may be found several times, by its place and where a name or number means it."""
    for node in _deciding(typed):
        places = _places(node)
        span = _span(node, tokens) if places is not None else None
        if places is not None and span is not None:
            start, end = (marked.original(each) for each in span)
            name = f" as {quoted(sql[start:end])}" if _is_unnamed(node) else ""
            rounded[start, end] = max(rounded.get((start, end), ""), f", {places + _BEYOND}){name}", key=len)
    text = _with_rounding(sql, rounded)
    return text if _is_same_but_rounded(query, text) else sql


def _with_rounding(sql: str, rounded: Mapping[tuple[int, int], str]) -> str:
    pieces, at = [], 0
    for start, end in sorted(rounded, key=lambda span: (span[0], -span[1])):
        if start >= at:  # else it is within one that is rounded
            pieces += [sql[at:start], "round(", sql[start:end], rounded[start, end]]
            at = end
    return "".join([*pieces, sql[at:]])


def _is_same_but_rounded(query: CheckedQuery, text: str) -> bool:
    """Whether a text says the same as a query but for the rounding: places of words are only as good as a parser."""
    try:
        return _bare(check_query(text, query.dialect).tree) == _bare(query.tree)
    except RefusedQuery:
        return False


def _bare(tree: exp.Query) -> exp.Expr:
    """A query without rounding, without the brackets that it may take the place of, and without names of columns."""
    bare = tree.copy()
    for node in list(bare.find_all(exp.Round, exp.Paren, exp.Alias)):
        node.replace(node.this)
    return bare


def _deciding(tree: exp.Query) -> Iterator[exp.Expression]:
    """The parts on whose exact values rows depend."""
    for node in tree.walk():
        if isinstance(node, _COMPARING):
            yield from (each for each in node.iter_expressions() if isinstance(each, exp.Expression))
        elif isinstance(node, exp.Group):
            yield from node.expressions
        elif isinstance(node, exp.Window):
            yield from node.args.get("partition_by") or ()
        elif isinstance(node, exp.Select):
            is_inner = node is not tree or bool(node.args.get("distinct"))
            columns = [cast(exp.Expression, each.unalias()) for each in node.selects]
            keys = [each for each in columns if each.find(exp.AggFunc) is None] if node.args.get("group") else []
            yield from columns if is_inner else keys


def _is_unnamed(node: exp.Expression) -> bool:
    """Whether a part is a column that has its text for a name."""
    alias = node.parent.args.get("alias") if isinstance(node.parent, exp.Alias) else None
    return isinstance(alias, exp.Identifier) and "start" not in alias.meta


def _places(node: exp.Expression) -> int | None:
    """The decimal places of a part that is computed of decimals; None for any other."""
    inner = node.unnest()
    if not isinstance(inner, (*_COMPUTING, exp.Abs, exp.Coalesce)) or inner.find(*_COMPUTING) is None:
        return None
    if any(not isinstance(each, _READABLE) for each in inner.walk()):
        return None
    return decimal_places(inner)


def _span(node: exp.Expression, tokens: Sequence[Any]) -> tuple[int, int] | None:
    """Where a part is in the text: from its first word to its last, and on to brackets that are open; None for one that
    is not in the text."""
    names = [each for each in node.walk() if isinstance(each, exp.Identifier | exp.Literal) and not _is_owner(each)]
    if any("start" not in each.meta for each in names):
        return None
    words = [*names, *(each for each in node.walk() if isinstance(each, exp.Func) and "start" in each.meta)]
    start, end = min(each.meta["start"] for each in words), max(each.meta["end"] for each in words)
    first = next(at for at, token in enumerate(tokens) if token.start >= start)
    last = max(at for at, token in enumerate(tokens) if token.end <= end)
    if first >= 2 and tokens[first - 1].token_type is TokenType.DOT:
        first -= 2  # the table of the first column
    if last + 1 < len(tokens) and tokens[last + 1].token_type is TokenType.L_PAREN:
        last += 1  # a function's, over all rows
    open_brackets = 0
    for token in tokens[first : last + 1]:
        open_brackets += _bracket(token)
        if open_brackets < 0:
            first, open_brackets = _opening(tokens, first), 0
    while open_brackets > 0 and last + 1 < len(tokens):
        last += 1
        open_brackets += _bracket(tokens[last])
    while isinstance(node, exp.Paren) and _are_around(tokens, first, last):  # a name in its place is put in brackets
        first, last, node = first - 1, last + 1, node.this
    return tokens[first].start, tokens[last].end + 1


def _is_owner(name: exp.Expr) -> bool:
    """Whether a name is that of a column's table, which may have been found for it and be elsewhere in the text."""
    return isinstance(name.parent, exp.Column) and name.arg_key != "this"


def _bracket(token: Any) -> int:
    return {TokenType.L_PAREN: 1, TokenType.R_PAREN: -1}.get(token.token_type, 0)


def _are_around(tokens: Sequence[Any], first: int, last: int) -> bool:
    """Whether there are brackets around some words."""
    return first > 0 and last + 1 < len(tokens) and (_bracket(tokens[first - 1]), _bracket(tokens[last + 1])) == (1, -1)


def _opening(tokens: Sequence[Any], before: int) -> int:
    """The word that opens the bracket around what begins at another one."""
    closed = 0
    for at in range(before - 1, -1, -1):
        closed += _bracket(tokens[at])
        if closed > 0:
            return at
    return before
