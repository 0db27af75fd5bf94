"""SQL read into a sentence: each piece with its text as written and its place.

The SQL is taken apart by its words. A clause that a sentence has no word for is kept as it is; a reading counts only if
the sentence, printed, is the same query.
"""

from collections.abc import Callable, Iterator
from functools import lru_cache
from typing import Any, cast

import sqlglot
from sqlglot import exp
from sqlglot.errors import SqlglotError
from sqlglot.tokens import TokenType  # type: ignore[attr-defined]  # it is re-exported from a compiled module

from northmoor.core.base.replace import replace
from northmoor.core.errors import QueryError
from northmoor.core.sources.builder.select_model import (
    AS_OPERATOR,
    BooleanGroup,
    ClausePlaces,
    Comparison,
    Condition,
    FromItem,
    GroupItem,
    NamedStep,
    OrderItem,
    SelectItem,
    SelectModel,
    SourceSpan,
    StackedSelect,
    select_sql,
)
from northmoor.core.sources.drivers.read_only import check_query

_LONGEST = 20_000
"""Characters of a text that is read into a sentence while the window waits."""


@lru_cache(maxsize=64)
def parse_select(sql: str, dialect: str) -> SelectModel | None:
    """The sentence that says what the SQL says; None when a sentence cannot, or would be as long as a book. Raises
    RefusedQuery for no query."""
    if len(sql) > _LONGEST:
        return None
    tree = check_query(sql, dialect).tree
    try:
        sentence = _SelectParser(sql, dialect, tree).sentence()
        return sentence if is_equivalent(sql, select_sql(sentence), dialect) else None
    except (_NotExpressible, QueryError):
        return None


def is_equivalent(sql: str, other: str, dialect: str) -> bool:
    """Whether two texts are the same query but for spaces, comments and needless brackets. Raises RefusedQuery."""
    trees = [_without_brackets(check_query(text, dialect).tree) for text in (sql, other)]
    return bool(trees[0] == trees[1])


def _without_brackets(tree: exp.Expr) -> exp.Expr:
    """A copy without brackets; how things belong together is in the tree's form already."""
    bare = tree.copy()
    for bracket in list(bare.find_all(exp.Paren)):
        bracket.replace(bracket.this)
    return bare


class _NotExpressible(Exception):
    """The SQL says more than a sentence can."""


_OPEN = {TokenType.L_PAREN, TokenType.L_BRACKET, TokenType.L_BRACE, TokenType.CASE}
_CLOSE = {TokenType.R_PAREN, TokenType.R_BRACKET, TokenType.R_BRACE, TokenType.END}
_COMPARISONS = {"=", "<>", "<", "<=", ">", ">=", *AS_OPERATOR}
_CLAUSES = ("with", "select", "from", "where", "group by", "having", "order by", "limit", "offset")
_STACKING = ("union", "intersect", "except")
_OTHER_CLAUSES = ("window", "qualify", "fetch", "for")
_JOIN_KINDS = {"left", "right", "full", "inner", "outer", "cross", "natural", "asof", "positional", "semi", "anti"}
_JOINS = {"join", "straight_join"}


class _SelectParser:
    """Takes the words of an SQL text apart. Depth 0 is outside all brackets."""

    def __init__(self, sql: str, dialect: str, tree: exp.Query) -> None:
        self._sql = sql
        self._names = [node.alias for node in tree.selects]
        self._tokens = [t for t in sqlglot.tokenize(sql, dialect=dialect) if t.token_type is not TokenType.SEMICOLON]
        self._word = [" ".join(sql[t.start : t.end + 1].lower().split()) for t in self._tokens]
        self._depth = list(_depths(self._tokens))
        if any(t.token_type is TokenType.HINT for t in self._tokens):
            raise _NotExpressible

    def sentence(self) -> SelectModel:
        heads = self._heads()
        clauses = {name: (at + 1, end) for name, at, end in heads if name in _CLAUSES}
        if "select" not in clauses or "from" not in clauses or self._word[0] not in ("select", "with"):
            raise _NotExpressible
        start, end = clauses["select"]
        distinct = start < end and self._word[start] == "distinct"
        if start < end and (self._word[start] in ("all", "top") or self._word[start : start + 2] == ["distinct", "on"]):
            raise _NotExpressible
        return SelectModel(
            from_items=tuple(self._tables(*clauses["from"])),
            select_items=tuple(self._columns(start + distinct, end)),
            where=self._condition(*clauses["where"]) if "where" in clauses else None,
            groups=tuple(self._group(*s) for s in self._split(*clauses.get("group by", (0, 0)), _is_comma)),
            having=self._condition(*clauses["having"]) if "having" in clauses else None,
            sorting=tuple(self._sorting(*s) for s in self._split(*clauses.get("order by", (0, 0)), _is_comma)),
            distinct=distinct,
            first=self._amount(*clauses["limit"]) if "limit" in clauses else "",
            offset=self._amount(*clauses["offset"]) if "offset" in clauses else "",
            steps=tuple(self._steps(*clauses["with"])) if "with" in clauses else (),
            stacked=tuple(self._stacked(at, end) for name, at, end in heads if name in _STACKING),
            others=tuple(self._text(at, end) for name, at, end in heads if name in _OTHER_CLAUSES),
            places=ClausePlaces(
                {name: self._span(at, end) for name, at, end in heads},
                self._span(start, start + 1) if distinct else None,
            ),
        )  # fmt: skip

    def _heads(self) -> list[tuple[str, int, int]]:
        """Each clause: its keyword, the number of its first word, and the number after its last."""
        found: list[tuple[str, int]] = []
        is_stacked = False
        for at, word in enumerate(self._word):
            if self._depth[at] != 0 or self._is_placeholder(at) or self._is_part_of_name(at):
                continue
            if word in _STACKING:
                is_stacked = True
            elif is_stacked and word not in ("order by", "limit", "offset"):
                continue
            if word in _CLAUSES or word in _STACKING or word in _OTHER_CLAUSES:
                found.append((word, at))
        names = [name for name, _ in found if name not in _STACKING]
        if len(set(names)) < len(names):
            raise _NotExpressible
        ends = [*(at for _, at in found[1:]), len(self._tokens)]
        return [(name, at, end) for (name, at), end in zip(found, ends, strict=True)]

    def _is_placeholder(self, at: int) -> bool:
        before = self._tokens[at - 1] if at else None
        return bool(before and before.token_type is TokenType.COLON and before.end + 1 == self._tokens[at].start)

    def _is_part_of_name(self, at: int) -> bool:
        return bool(at and self._word[at - 1] == ".")

    def _span(self, start: int, end: int) -> SourceSpan:
        if start >= end:
            raise _NotExpressible
        return self._tokens[start].start, self._tokens[end - 1].end + 1

    def _text(self, start: int, end: int) -> str:
        """The text of some words, as written."""
        first, last = self._span(start, end)
        return self._sql[first:last]

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

    def _columns(self, start: int, end: int) -> Iterator[SelectItem]:
        for number, (first, last) in enumerate(self._split(start, end, _is_comma)):
            name = self._names[number] if number < len(self._names) else ""
            at, name_at = self._span(first, last), self._span(last - 1, last)
            if not name or self._sql[slice(*name_at)].strip("\"`[]'") != name or last - first < 2:
                yield SelectItem(self._text(first, last), "", at, (at,))
                continue
            expression_end = last - 1 - (self._word[last - 2] == "as")
            parts = (self._span(first, expression_end), name_at)
            yield SelectItem(self._text(first, expression_end), self._text(last - 1, last), at, parts)

    def _group(self, start: int, end: int) -> GroupItem:
        return GroupItem(self._text(start, end), self._span(start, end))

    def _steps(self, start: int, end: int) -> Iterator[NamedStep]:
        for first, last in self._split(start, end, _is_comma):
            as_at = next((n for n in range(first, last) if self._word[n] == "as" and self._depth[n] == 0), -1)
            if (
                as_at < 0
                or self._word[as_at + 1] != "("
                or self._word[last - 1] != ")"
                or self._word[first] == "recursive"
            ):
                raise _NotExpressible
            opened, closed = self._tokens[as_at + 1].end + 1, self._tokens[last - 1].start
            sql_at = (opened, closed)
            yield NamedStep(self._text(first, as_at), self._sql[opened:closed], self._span(first, last), sql_at)

    def _stacked(self, start: int, end: int) -> StackedSelect:
        words = start + 1 + (self._word[start + 1] in ("all", "distinct"))
        return StackedSelect(" ".join(self._word[start:words]), self._text(words, end), self._span(start, end))

    # tables

    def _tables(self, start: int, end: int) -> Iterator[FromItem]:
        borders = [start]
        for at in range(start + 1, end):
            if self._depth[at] == 0 and (_is_comma(self._tokens[at]) or self._begins_join(at)):
                borders.append(at)
        for first, last in zip(borders, [*borders[1:], end], strict=True):
            yield self._table(first, last, first == start)

    def _begins_join(self, at: int) -> bool:
        if self._word[at - 1] in _JOIN_KINDS and self._end_of_join(at - 1) > at:
            return False
        return self._end_of_join(at) > at

    def _end_of_join(self, at: int) -> int:
        """The number after the words of a join that begin here; the same number where none begins."""
        words = at
        while words < len(self._word) and self._word[words] in _JOIN_KINDS:
            words += 1
        return words + 1 if words < len(self._word) and self._word[words] in _JOINS else at

    def _table(self, start: int, end: int, is_first: bool) -> FromItem:
        words = start if is_first else start + 1 if _is_comma(self._tokens[start]) else self._end_of_join(start)
        at = next((n for n in range(words, end) if self._depth[n] == 0 and self._word[n] in ("on", "using")), end)
        name_end = self._end_of_name(words, at)
        alias_at = name_end + (name_end < at and self._word[name_end] == "as")
        alias_end = alias_at + 1 if alias_at < at else alias_at
        if alias_end < at and (self._word[alias_end] != "(" or self._closes(alias_end) != at - 1):
            raise _NotExpressible
        using = self._split(at + 2, end - 1, _is_comma) if at < end and self._word[at] == "using" else ()
        return FromItem(
            self._text(words, name_end),
            self._text(alias_at, at) if alias_at < at else "",
            " ".join(self._word[start:words]),
            tuple(self._text(*span) for span in using),
            self._text(at + 1, end) if at < end and self._word[at] == "on" else "",
            self._span(start, end),
            (
                self._span(start, words) if words > start else None,
                self._span(words, name_end),
                self._span(alias_at, at) if alias_at < at else None,
                self._span(at, end) if at < end else None,
            ),
        )

    def _end_of_name(self, start: int, end: int) -> int:
        at = start + (start < end and self._word[start] == "lateral")
        if at >= end:
            raise _NotExpressible
        if self._word[at] == "(":
            return self._closes(at) + 1
        at += 1
        while at < end and self._word[at] == ".":
            at += 2
        if at < end and self._word[at] == "(":  # a table function with its arguments
            return self._closes(at) + 1
        return at

    def _sorting(self, start: int, end: int) -> OrderItem:
        at, last, nulls = self._span(start, end), end, ""
        if end - start > 2 and self._word[end - 2] == "nulls":
            nulls, last = self._word[end - 1], end - 2
        has_direction = self._word[last - 1] in ("asc", "desc")
        text = self._text(start, last - has_direction)
        return OrderItem(text, self._word[last - 1] == "desc", cast(Any, nulls), at)

    def _amount(self, start: int, end: int) -> str:
        if any(_is_comma(token) for token in self._tokens[start:end]):
            raise _NotExpressible
        return self._text(start, end)

    # conditions

    def _condition(self, start: int, end: int) -> Condition:
        for joining in ("or", "and"):
            parts = list(self._parts(start, end, joining))
            if len(parts) > 1:
                inner = tuple(self._condition(*part) for part in parts)
                return BooleanGroup(cast(Any, joining), inner, self._span(start, end))
        if self._word[start] == "(" and self._closes(start) == end - 1 and self._word[start + 1] != "select":
            return replace(self._condition(start + 1, end - 1), at=self._span(start, end))
        return self._comparison(start, end)

    def _closes(self, start: int) -> int:
        depth = self._depth[start]
        return next(n for n in range(start + 1, len(self._tokens)) if self._depth[n] == depth)

    def _parts(self, start: int, end: int, joining: str) -> Iterator[tuple[int, int]]:
        if start >= end:
            raise _NotExpressible
        depth, first, in_between = self._depth[start], start, False
        for at in range(start, end):
            if self._depth[at] != depth or self._is_placeholder(at):
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
        for at in range(start + 1, end if self._word[start] != "not" else start):
            if self._depth[at] != depth or self._is_placeholder(at):
                continue
            if self._word[at] in _COMPARISONS and self._tokens[at].token_type is not TokenType.STRING:
                word = self._word[at]
                return self._compared((start, at), AS_OPERATOR.get(word, word), (at, at + 1), [(at + 1, end)])
            found = self._worded(start, at, end)
            if found is not None:
                return found
        return Comparison(self._text(start, end), at=self._span(start, end), left_at=self._span(start, end))

    def _compared(
        self, left: tuple[int, int], operator: str, operator_at: tuple[int, int], right: list[tuple[int, int]]
    ) -> Comparison:
        end = right[-1][1] if right else operator_at[1]
        if operator.endswith("in") and right:
            end += 1  # its closing bracket
        return Comparison(
            self._text(*left),
            operator,
            tuple(self._text(*part) for part in right),
            self._span(left[0], end),
            self._span(*left),
            self._span(*operator_at),
            tuple(self._span(*part) for part in right),
        )

    def _worded(self, start: int, at: int, end: int) -> Comparison | None:
        """A test whose operator is made of words that begin here."""
        negated = self._word[at] == "not"
        word = self._word[at + negated] if at + negated < end else ""
        after = at + negated + 1
        prefix = "not " if negated else ""
        left = (start, at)
        if word == "is" and not negated and self._word[after:end] in (["null"], ["not", "null"]):
            return self._compared(left, f"is {' '.join(self._word[after:end])}", (at, end), [])
        if word == "like" and "escape" not in self._word[after:end]:
            return self._compared(left, f"{prefix}like", (at, after), [(after, end)])
        if word == "between":
            middle = next(n for n in range(after, end) if self._word[n] == "and" and self._depth[n] == self._depth[at])
            return self._compared(left, f"{prefix}between", (at, after), [(after, middle), (middle + 1, end)])
        if (
            word == "in"
            and after < end
            and self._word[after] == "("
            and self._word[after + 1] not in ("select", "with")
        ):
            if self._closes(after) != end - 1 or after + 2 == end:
                return None
            return self._compared(left, f"{prefix}in", (at, after), list(self._split(after + 1, end - 1, _is_comma)))
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


def comment_runs(sql: str, dialect: str) -> list[SourceSpan]:
    """Where a text's comments are: what is neither a word nor a space."""
    tokens = sqlglot.tokenize(sql, dialect=dialect)
    runs: list[SourceSpan] = []
    last = 0
    for token in tokens:
        runs += _visible(sql, last, token.start)
        last = token.end + 1
    return runs + _visible(sql, last, len(sql))


def _visible(sql: str, start: int, end: int) -> list[SourceSpan]:
    text = sql[start:end]
    if not text.strip():
        return []
    return [(start + len(text) - len(text.lstrip()), end - len(text) + len(text.rstrip()))]


def has_aggregate(expression: str, dialect: str) -> bool:
    """Whether an expression makes one value of many rows."""
    try:
        tree = sqlglot.parse_one(check_query(f"select {expression} from t", dialect).sql, dialect=dialect)
    except (QueryError, SqlglotError):
        return False
    return any(
        isinstance(node, exp.AggFunc) and not isinstance(node.parent, exp.Window) for node in tree.find_all(exp.AggFunc)
    )
