"""Names in a text with their spans: columns, queries and windows in expressions, columns and tables in SQL.

A rename changes those spans and leaves every other character as it was written.
"""

import re
from collections.abc import Callable, Iterable

import sqlglot
from sqlglot import exp
from sqlglot.errors import SqlglotError
from sqlglot.tokens import Token, TokenType  # type: ignore[attr-defined]  # it is re-exported from a compiled module

from northmoor.core.expr.placeholders import mark_placeholders

TextRange = tuple[int, int]
"""From the first character up to the one after the last."""
_SLOT = re.compile(r"\{\{|\}\}|\{[^{}]*\}")
"""Braces of a template, and what is in them."""
_NO_NAMES = (TokenType.STRING, TokenType.NUMBER)
_ENGINE = "duckdb"


def with_ranges_replaced(text: str, spans: Iterable[TextRange], new: str) -> str:
    """A text with something else in some spans."""
    for start, end in sorted(spans, reverse=True):
        text = text[:start] + new + text[end:]
    return text


def in_slots(template: str, rewrite: Callable[[str], str]) -> str:
    """A template whose expressions are rewritten; its words stay as they are."""
    return _SLOT.sub(lambda slot: slot[0] if slot[0] in ("{{", "}}") else rewrite(slot[0]), template)


def column_spans(text: str, column: str, query: str | None, owner: str | None) -> list[TextRange]:
    """Where an expression names a column: by itself where it is over `owner`, or as ``query.column``.

    With no query, columns of that name of any query.
    """
    tokens = _tokens(text)
    spans = []
    for at, token in enumerate(tokens):
        if token.token_type in _NO_NAMES or token.text.lower() != column.lower():
            continue
        before, after = _kind_at(tokens, at - 1), _kind_at(tokens, at + 1)
        if after in (TokenType.L_PAREN, TokenType.DOT) or before is TokenType.COLON:
            continue
        named = tokens[at - 2].text if before is TokenType.DOT and at >= 2 else owner
        if query is None or (named or "").lower() == query.lower():
            spans.append((token.start, token.end + 1))
    return spans


def query_spans(text: str, query: str) -> list[TextRange]:
    """Where an expression names a query, as in ``max(targets.revenue)``."""
    tokens = _tokens(text)
    return [
        (token.start, token.end + 1)
        for at, token in enumerate(tokens)
        if token.token_type not in _NO_NAMES and token.text.lower() == query.lower()
        and _kind_at(tokens, at + 1) is TokenType.DOT and _kind_at(tokens, at - 1) is not TokenType.DOT
    ]  # fmt: skip


def table_spans(sql: str, table: str, dialect: str) -> list[TextRange]:
    """Where SQL names a table: behind from and join, and before the columns that it qualifies."""
    tree, original = _tree(sql, dialect)
    if tree is None:
        return []
    tables = [node for node in tree.find_all(exp.Table) if node.name.lower() == table.lower() and not node.db]
    named = [node.this for node in tables]
    if any(not node.alias for node in tables):
        columns = tree.find_all(exp.Column)
        named += [node.args["table"] for node in columns if node.table.lower() == table.lower()]
    return _spans(named, original)


def with_result_column_renamed(sql: str, column: str, new: str, dialect: str) -> str | None:
    """SQL whose result has another name for a column, also where it sorts or groups by that name; None where the SQL
    does not write the name, as in select *."""
    tree, original = _tree(sql, dialect)
    if not isinstance(tree, exp.Query):
        return None
    for selected in tree.selects:
        if selected.alias_or_name.lower() != column.lower() or isinstance(selected, exp.Star):
            continue
        if isinstance(selected, exp.Alias):
            if not _spans([selected.args["alias"]], original):
                return None
            return with_ranges_replaced(
                sql, _spans([selected.args["alias"], *_uses_of_alias(tree, selected)], original), new
            )
        if isinstance(selected, exp.Column) and (spans := _spans([selected.this], original)):
            _, end = spans[0]
            return f"{sql[:end]} as {new}{sql[end:]}"
    return None


def _uses_of_alias(tree: exp.Query, alias: exp.Alias) -> Iterable[exp.Expr]:
    """Where a statement sorts by a column of its result; and, where its tables have none of that name as far as the
    column's own expression tells, where it groups or filters by it."""
    name, order = alias.alias.lower(), tree.args.get("order")
    for key in order.expressions if order is not None else ():
        if isinstance(key.this, exp.Column) and not key.this.table and key.this.name.lower() == name:
            yield key.this.this
    if any(column.name.lower() == name for column in alias.this.find_all(exp.Column)):
        return
    for clause in ("group", "having", "qualify", "order"):
        held = tree.args.get(clause)
        for column in held.find_all(exp.Column) if held is not None else ():
            if not column.table and column.name.lower() == name:
                yield column.this


def source_column_spans(sql: str, table: str, column: str, dialect: str) -> list[TextRange]:
    """Where SQL names a column of one of its tables, qualified by that or its alias, or by itself where it is the only
    table."""
    tree, original = _tree(sql, dialect)
    if tree is None:
        return []
    tables = list(tree.find_all(exp.Table))
    names = {node.alias_or_name.lower() for node in tables if node.name.lower() == table.lower()}
    only = len(tables) == len(names) == 1
    return _spans(
        [
            node.this
            for node in tree.find_all(exp.Column)
            if node.name.lower() == column.lower() and (node.table.lower() in names if node.table else only)
        ],
        original,
    )


def _tokens(text: str) -> list[Token]:
    try:
        return list(sqlglot.tokenize(text, dialect=_ENGINE))
    except SqlglotError:
        return []


def _kind_at(tokens: list[Token], at: int) -> object:
    return tokens[at].token_type if 0 <= at < len(tokens) else None


def _tree(sql: str, dialect: str) -> tuple[exp.Expr | None, Callable[[int], int]]:
    """The tree of one statement, and from a place in the text that was parsed to that in the SQL."""
    marked = mark_placeholders(sql, dialect)
    try:
        trees = [tree for tree in sqlglot.parse(marked.sql, dialect=dialect) if tree is not None]
    except (SqlglotError, RecursionError):
        trees = []
    return (trees[0] if len(trees) == 1 else None), marked.original


def _spans(names: Iterable[exp.Expr | None], original: Callable[[int], int]) -> list[TextRange]:
    found = {
        (original(name.meta["start"]), original(name.meta["end"]) + 1)
        for name in names
        if name is not None and "start" in name.meta
    }
    return sorted(found)
