"""A query as a sentence: what is taken, joined, kept, compared, grouped and sorted, two-way with its SQL.

The SQL text is the only truth. It is read into a sentence by its own words, so that every expression keeps the form in
which it was written; what a sentence cannot say stays SQL. A reading counts only if writing it gives the same query.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any, Literal

import sqlglot
from sqlglot import exp
from sqlglot.tokens import TokenType  # type: ignore[attr-defined]  # it is re-exported from a compiled module

from northmoor.core.errors import QueryError
from northmoor.core.sources.drivers.read_only import check_query

Joining = Literal["and", "or"]
OPERATORS = ("=", "<>", "<", "<=", ">", ">=", "between", "not between", "in", "not in", "like", "not like", "is null",
             "is not null")  # fmt: skip


@dataclass(frozen=True)
class FromItem:
    """A table in a sentence: its name and alias as written, and how it is joined to those before it.

    `join` is the words of the join (empty for the first table); `using` are columns that both sides have, `on` any
    other condition.
    """

    table: str
    alias: str = ""
    join: str = ""
    using: tuple[str, ...] = ()
    on: str = ""

    @property
    def known_as(self) -> str:
        """The name its columns are called by."""
        return self.alias or self.table.rsplit(".", 1)[-1]


@dataclass(frozen=True)
class SelectItem:
    """A column of the result: an expression, and its name when it has its own."""

    expression: str
    name: str = ""


@dataclass(frozen=True)
class Comparison:
    """A condition: an expression, an operator and what it is compared with; without an operator, any condition."""

    left: str
    operator: str = ""
    right: tuple[str, ...] = ()


@dataclass(frozen=True)
class BooleanGroup:
    """Conditions of which all (and) or at least one (or) must hold."""

    joining: Joining
    parts: tuple["Condition", ...]


Condition = Comparison | BooleanGroup


@dataclass(frozen=True)
class OrderItem:
    """An expression to sort by."""

    expression: str
    descending: bool = False


@dataclass(frozen=True)
class SelectModel:
    """A query as a sentence."""

    from_items: tuple[FromItem, ...]
    select_items: tuple[SelectItem, ...]
    where: Condition | None = None
    groups: tuple[str, ...] = ()
    having: Condition | None = None
    sorting: tuple[OrderItem, ...] = ()
    distinct: bool = False
    first: str = ""


def select_sql(sentence: SelectModel) -> str:
    """The sentence's SQL."""
    kept = ",\n  ".join(f"{k.expression} as {k.name}" if k.name else k.expression for k in sentence.select_items)
    lines = [f"select {'distinct ' if sentence.distinct else ''}{kept}"]
    for taken in sentence.from_items:
        named = f"{taken.table} {taken.alias}".strip()
        by = f" using ({', '.join(taken.using)})" if taken.using else f" on {taken.on}" if taken.on else ""
        lines.append(f"{taken.join or 'from'} {named}{by}")
    if sentence.where is not None:
        lines.append(f"where {_condition_text(sentence.where, outermost=True)}")
    if sentence.groups:
        lines.append(f"group by {', '.join(sentence.groups)}")
    if sentence.having is not None:
        lines.append(f"having {_condition_text(sentence.having, outermost=True)}")
    if sentence.sorting:
        listed = (f"{s.expression} desc" if s.descending else s.expression for s in sentence.sorting)
        lines.append(f"order by {', '.join(listed)}")
    if sentence.first:
        lines.append(f"limit {sentence.first}")
    return "\n".join(lines) + "\n"


def _condition_text(condition: Condition, outermost: bool = False) -> str:
    if isinstance(condition, Comparison):
        return comparison_text(condition)
    line = f"\n  {condition.joining} " if outermost else f" {condition.joining} "
    text = line.join(_condition_text(part) for part in condition.parts)
    return text if outermost else f"({text})"


def comparison_text(test: Comparison) -> str:
    """A single condition as SQL."""
    if test.operator in ("between", "not between"):
        return f"{test.left} {test.operator} {test.right[0]} and {test.right[1]}"
    if test.operator in ("in", "not in"):
        return f"{test.left} {test.operator} ({', '.join(test.right)})"
    return " ".join((test.left, test.operator, *test.right)).strip()


_LONGEST = 20_000
"""Characters of a text that is read into a sentence while the window waits."""


@lru_cache(maxsize=64)
def parse_select(sql: str, dialect: str) -> SelectModel | None:
    """The sentence that says what the SQL says; None when a sentence cannot, or would be as long as a book. Raises
    RefusedQuery for no query."""
    if len(sql) > _LONGEST:
        return None
    tree = check_query(sql, dialect).tree
    if not isinstance(tree, exp.Select) or tree.args.get("with_") or tree.args.get("with"):
        return None
    try:
        sentence = _SelectParser(sql, dialect).sentence()
        return sentence if is_equivalent(sql, select_sql(sentence), dialect) else None
    except (_NotExpressible, QueryError):
        return None


def is_equivalent(sql: str, other: str, dialect: str) -> bool:
    """Whether two texts are the same query but for spaces and needless brackets. Raises RefusedQuery."""
    trees = [_without_brackets(check_query(text, dialect).tree) for text in (sql, other)]
    return bool(trees[0] == trees[1])


def _without_brackets(tree: exp.Expr) -> exp.Expr:
    """A copy without brackets; how things belong together is in the tree's form already."""
    return tree.transform(lambda node: node.unnest() if isinstance(node, exp.Paren) else node)


class _NotExpressible(Exception):
    """The SQL says more than a sentence can."""


_OPEN = {TokenType.L_PAREN, TokenType.L_BRACKET, TokenType.L_BRACE, TokenType.CASE}
_CLOSE = {TokenType.R_PAREN, TokenType.R_BRACKET, TokenType.R_BRACE, TokenType.END}
_COMPARISONS = {
    TokenType.EQ: "=",
    TokenType.NEQ: "<>",
    TokenType.LT: "<",
    TokenType.LTE: "<=",
    TokenType.GT: ">",
    TokenType.GTE: ">=",
}
_CLAUSES = ("select", "from", "where", "group by", "having", "order by", "limit")
_JOIN_WORDS = {"left", "right", "full", "inner", "outer", "join"}
_FOREIGN = {"union", "intersect", "except", "window", "qualify", "offset", "fetch", "for", "natural", "cross",
            "lateral", "straight_join", "asof", "positional", "semi", "anti"}  # fmt: skip


class _SelectParser:
    """Takes the words of an SQL text apart. Depth 0 is outside all brackets."""

    def __init__(self, sql: str, dialect: str) -> None:
        self._sql = sql
        self._tokens = [t for t in sqlglot.tokenize(sql, dialect=dialect) if t.token_type is not TokenType.SEMICOLON]
        self._word = [sql[t.start : t.end + 1].lower() for t in self._tokens]
        self._depth = list(_depths(self._tokens))

    def sentence(self) -> SelectModel:
        clauses = self._clauses()
        start, end = clauses["select"]
        distinct = start < end and self._word[start] == "distinct"
        if start < end and self._word[start] in ("all", "top"):
            raise _NotExpressible
        start += distinct
        return SelectModel(
            from_items=tuple(self._tables(*clauses["from"])),
            select_items=tuple(self._kept(*span) for span in self._split(start, end, _is_comma)),
            where=self._condition(*clauses["where"]) if "where" in clauses else None,
            groups=tuple(self._text(*s) for s in self._split(*clauses.get("group by", (0, 0)), _is_comma)),
            having=self._condition(*clauses["having"]) if "having" in clauses else None,
            sorting=tuple(self._sorting(*s) for s in self._split(*clauses.get("order by", (0, 0)), _is_comma)),
            distinct=distinct,
            first=self._first(*clauses["limit"]) if "limit" in clauses else "",
        )

    def _clauses(self) -> dict[str, tuple[int, int]]:
        """From where to where each clause's content goes."""
        heads = []
        for at, word in enumerate(self._word):
            if self._depth[at] == 0 and not self._is_placeholder(at):
                if word in _FOREIGN:
                    raise _NotExpressible
                if word in _CLAUSES:
                    heads.append((word, at))
        names = [name for name, _ in heads]
        if names != [name for name in _CLAUSES if name in names] or names[:2] != ["select", "from"]:
            raise _NotExpressible
        ends = [*(at for _, at in heads[1:]), len(self._tokens)]
        return {name: (at + 1, end) for (name, at), end in zip(heads, ends, strict=True)}

    def _is_placeholder(self, at: int) -> bool:
        before = self._tokens[at - 1] if at else None
        return bool(before and before.token_type is TokenType.COLON and before.end + 1 == self._tokens[at].start)

    def _text(self, start: int, end: int) -> str:
        """The text of some words, as written but for its line breaks."""
        if start >= end:
            raise _NotExpressible
        pieces = [self._tokens[start]]
        text = self._raw(pieces[0])
        for token in self._tokens[start + 1 : end]:
            between = self._sql[pieces[-1].end + 1 : token.start]
            if between.strip():  # a comment would be lost
                raise _NotExpressible
            text += (" " if between else "") + self._raw(token)
            pieces.append(token)
        return text

    def _raw(self, token: Any) -> str:
        return self._sql[token.start : token.end + 1]

    def _split(self, start: int, end: int, is_border: Callable[[Any], bool]) -> Iterator[tuple[int, int]]:
        """The parts of a span between borders at its own depth."""
        if start >= end:
            return
        depth, first = self._depth[start], start
        for at in range(start, end):
            if self._depth[at] == depth and is_border(self._tokens[at]):
                yield first, at
                first = at + 1
        yield first, end

    def _kept(self, start: int, end: int) -> SelectItem:
        if end - start > 2 and self._word[end - 2] == "as":
            return SelectItem(self._text(start, end - 2), self._raw(self._tokens[end - 1]))
        return SelectItem(self._text(start, end))

    def _tables(self, start: int, end: int) -> Iterator[FromItem]:
        if any(_is_comma(self._tokens[at]) and self._depth[at] == 0 for at in range(start, end)):
            raise _NotExpressible
        borders = [start]
        for at in range(start, end):
            is_joining = self._depth[at] == 0 and self._word[at] in _JOIN_WORDS
            if is_joining and (at == start or self._word[at - 1] not in _JOIN_WORDS):
                borders.append(at)
        for first, last in zip(borders, [*borders[1:], end], strict=True):
            yield self._table(first, last)

    def _table(self, start: int, end: int) -> FromItem:
        words = start
        while words < end and self._word[words] in _JOIN_WORDS:
            words += 1
        join = " ".join(self._word[start:words])
        at = next((n for n in range(words, end) if self._depth[n] == 0 and self._word[n] in ("on", "using")), end)
        name_end = self._end_of_name(words, at)
        alias = [n for n in range(name_end, at) if self._word[n] != "as"]
        if len(alias) > 1 or self._word[words] in ("(", "select"):
            raise _NotExpressible
        taken = FromItem(self._text(words, name_end), self._raw(self._tokens[alias[0]]) if alias else "", join)
        if at == end:
            return taken
        if self._word[at] == "on":
            return replace(taken, on=self._text(at + 1, end))
        return replace(taken, using=tuple(self._text(*span) for span in self._split(at + 2, end - 1, _is_comma)))

    def _end_of_name(self, start: int, end: int) -> int:
        at = start + 1
        while at < end and self._word[at] == ".":
            at += 2
        if at < end and self._word[at] == "(":  # a table function with its arguments
            return next(n for n in range(at + 1, end + 1) if n == end or self._depth[n] == self._depth[start])
        return at

    def _sorting(self, start: int, end: int) -> OrderItem:
        last = self._word[end - 1]
        if "nulls" in self._word[start:end]:
            raise _NotExpressible
        has_direction = last in ("asc", "desc")
        return OrderItem(self._text(start, end - has_direction), last == "desc")

    def _first(self, start: int, end: int) -> str:
        if any(_is_comma(token) for token in self._tokens[start:end]):
            raise _NotExpressible
        return self._text(start, end)

    def _condition(self, start: int, end: int) -> Condition:
        for joining in ("or", "and"):
            parts = list(self._parts(start, end, joining))
            if len(parts) > 1:
                return BooleanGroup(joining, tuple(self._condition(*part) for part in parts))
        if self._word[start] == "(" and self._closes(start) == end - 1:
            inner = self._condition(start + 1, end - 1)
            return inner if isinstance(inner, BooleanGroup) else Comparison(self._text(start, end))
        return self._comparison(start, end)

    def _closes(self, start: int) -> int:
        depth = self._depth[start]
        return next(n for n in range(start + 1, len(self._tokens)) if self._depth[n] == depth)

    def _parts(self, start: int, end: int, joining: str) -> Iterator[tuple[int, int]]:
        if start >= end:
            raise _NotExpressible
        depth, first, in_between = self._depth[start], start, False
        for at in range(start, end):
            if self._depth[at] != depth:
                continue
            if self._word[at] == "between":
                in_between = True
            elif self._word[at] == "and" and in_between:
                in_between = False
            elif self._word[at] == joining:
                yield first, at
                first = at + 1
        yield first, end

    def _comparison(self, start: int, end: int) -> Comparison:
        depth = self._depth[start]
        for at in range(start + 1, end):
            if self._depth[at] != depth:
                continue
            kind = self._tokens[at].token_type
            if kind in _COMPARISONS:
                return Comparison(self._text(start, at), _COMPARISONS[kind], (self._text(at + 1, end),))
            found = self._worded(start, at, end)
            if found is not None:
                return found
        return Comparison(self._text(start, end))

    def _worded(self, start: int, at: int, end: int) -> Comparison | None:
        """A test whose operator is made of words that begin here."""
        negated = self._word[at] == "not"
        word = self._word[at + negated] if at + negated < end else ""
        after = at + negated + 1
        prefix = "not " if negated else ""
        if word == "is" and not negated and self._word[after:end] in (["null"], ["not", "null"]):
            return Comparison(self._text(start, at), f"is {' '.join(self._word[after:end])}")
        if word == "like" and "escape" not in self._word[after:end]:
            return Comparison(self._text(start, at), f"{prefix}like", (self._text(after, end),))
        if word == "between":
            middle = next(n for n in range(after, end) if self._word[n] == "and" and self._depth[n] == self._depth[at])
            return Comparison(
                self._text(start, at), f"{prefix}between", (self._text(after, middle), self._text(middle + 1, end))
            )
        if word == "in" and after < end and self._word[after] == "(" and self._word[after + 1] != "select":
            listed = tuple(self._text(*span) for span in self._split(after + 1, end - 1, _is_comma))
            return Comparison(self._text(start, at), f"{prefix}in", listed)
        return None


def _is_comma(token: Any) -> bool:
    return bool(token.token_type is TokenType.COMMA)


def _depths(tokens: list[Any]) -> Iterator[int]:
    """How many brackets each token is in; a bracket itself is outside of it."""
    depth = 0
    for token in tokens:
        if token.token_type in _CLOSE:
            depth -= 1
        yield depth
        if token.token_type in _OPEN:
            depth += 1


def has_aggregate(expression: str, dialect: str) -> bool:
    """Whether an expression makes one value of many rows."""
    try:
        tree = sqlglot.parse_one(check_query(f"select {expression} from t", dialect).sql, dialect=dialect)
    except (QueryError, sqlglot.errors.SqlglotError):
        return False
    return any(
        isinstance(node, exp.AggFunc) and not isinstance(node.parent, exp.Window) for node in tree.find_all(exp.AggFunc)
    )
