"""Parameters in SQL text: where each ``:name`` is, and the text as a driver wants it.

The text is never rebuilt from its parsed form, so that what is shown is what is run; only the placeholders change.
"""

import re
from collections.abc import Callable, Sequence
from itertools import pairwise
from typing import Any

import sqlglot
from msgspec import Struct
from sqlglot import exp
from sqlglot.errors import SqlglotError
from sqlglot.tokens import TokenType  # type: ignore[attr-defined]  # it is re-exported from a compiled module

_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]*")
_CALL = re.compile(r"^(\s*)call\b", re.IGNORECASE)
"""After this word sqlglot splits nothing more; another word of its length takes its place."""
_NOT_BEFORE = re.compile(r"[A-Za-z0-9_)\]'\"]")
"""What a colon of a slice, a struct or a cast is behind: ``a[1:n]``, ``{'a':b}``."""


class Placeholder(Struct, frozen=True):
    """A ``:name`` in a text: the offset of its colon, the offset after it, and the name.

    `is_listed` says whether it is alone in the brackets of ``in (:name)`` or ``any (:name)``, where a list may be;
    `is_argument` whether it is an argument of a function, where an array may be.
    """

    start: int
    end: int
    name: str
    is_listed: bool = False
    is_argument: bool = False


def placeholders(sql: str, dialect: str) -> tuple[Placeholder, ...]:
    """The placeholders of an SQL text in order; none in a text that cannot be split into words."""
    try:
        tokens = sqlglot.tokenize(_CALL.sub(r"\1some", sql), dialect=dialect)
    except SqlglotError:
        return ()
    found = []
    for at, (colon, word) in enumerate(pairwise(tokens)):
        is_pair = colon.token_type is TokenType.COLON and word.start == colon.end + 1
        if not is_pair or _NOT_BEFORE.match(sql[colon.start - 1 : colon.start]):
            continue
        if _NAME.fullmatch(sql[word.start : word.end + 1]):
            name = sql[word.start : word.end + 1]
            is_listed = _is_listed(tokens, at)
            is_argument = not is_listed and _is_argument(tokens, at)
            found.append(Placeholder(colon.start, word.end + 1, name, is_listed, is_argument))
    return tuple(found)


_BEFORE_LISTS = {TokenType.IN, TokenType.ANY, TokenType.ALL, TokenType.SOME}
_NO_FUNCTIONS = {"in", "any", "all", "some", "values", "and", "or", "not", "where", "on", "using", "as"}


def _is_listed(tokens: Sequence[Any], colon: int) -> bool:
    around = [token.token_type for token in (*tokens[max(colon - 2, 0) : colon], *tokens[colon + 2 : colon + 3])]
    return len(around) == 3 and around[0] in _BEFORE_LISTS and around[1:] == [TokenType.L_PAREN, TokenType.R_PAREN]


def _is_argument(tokens: Sequence[Any], colon: int) -> bool:
    """Whether all between two commas, or comma and bracket, of a function's arguments is the placeholder."""
    after = tokens[colon + 2].token_type if colon + 2 < len(tokens) else None
    before = tokens[colon - 1].token_type if colon else None
    if after not in (TokenType.COMMA, TokenType.R_PAREN) or before not in (TokenType.COMMA, TokenType.L_PAREN):
        return False
    depth = 1
    for at in range(colon - 1, 0, -1):
        depth += {TokenType.R_PAREN: 1, TokenType.L_PAREN: -1}.get(tokens[at].token_type, 0)
        if depth == 0:
            name = tokens[at - 1]
            return (
                name.end + 1 == tokens[at].start and name.text.lower() not in _NO_FUNCTIONS and name.text.isidentifier()
            )
    return False


class DriverSql(Struct, frozen=True):
    """SQL as a driver takes it: its text, and the parameters' names in the order in which they are in it."""

    sql: str
    names: tuple[str, ...]
    _shifts: tuple[tuple[int, int], ...] = ()

    def original(self, offset: int) -> int:
        """The offset in the text as the user wrote it, of an offset in this one."""
        moved = [shift for start, shift in self._shifts if start < offset]
        return offset + (moved[-1] if moved else 0)


_PREFIX = r"(?:\w+\.)*"
_NAMED = re.compile(
    rf"no such \w+: {_PREFIX}(\w+)|near \"(.+?)\"|Unknown column '{_PREFIX}(.+?)'|Table '{_PREFIX}(.+?)'"
    rf"|FUNCTION {_PREFIX}(\w+) does not"
)
"""What SQLite and MariaDB name in their messages, which have no position."""


def named_position(message: str, text: DriverSql) -> int | None:
    """Where the thing that a database's message names is in the text as the user wrote it; None if nowhere."""
    named = _NAMED.search(message)
    if named is None:
        return None
    at = word_position(next(part for part in named.groups() if part is not None), text.sql)
    return text.original(at) if at is not None else None


def word_position(word: str, sql: str) -> int | None:
    """Where a word, or several, is in a text, in capitals or not; None if nowhere."""
    found = re.search(rf"(?<!\w){re.escape(word)}(?!\w)", sql, re.IGNORECASE)
    return found.start() if found else None


def for_driver(sql: str, dialect: str, form: Callable[[Placeholder], str]) -> DriverSql:
    """The text with each placeholder in the form that the function gives it; closing semicolons go."""
    pieces, names, shifts = [], [], []
    at = length = 0
    for placeholder in placeholders(sql, dialect):
        made = form(placeholder)
        pieces += [sql[at : placeholder.start], made]
        length += placeholder.start - at + len(made)
        shifts.append((length - len(made), placeholder.end - length))
        names.append(placeholder.name)
        at = placeholder.end
    pieces.append(sql[at:])
    return DriverSql(without_end("".join(pieces), dialect), tuple(names), tuple(shifts))


MARK = "nm_"


def mark_placeholders(sql: str, dialect: str) -> DriverSql:
    """The text with each parameter's name marked: a reserved word may be one. `unmark` undoes it in the tree."""
    sign = "$" if dialect == "duckdb" else ":"
    return for_driver(sql, dialect, lambda found: f"{sign}{MARK}{found.name}")


def unmark_placeholders(tree: exp.Expr) -> None:
    """Give the parameters in a tree their own names again."""
    for node in tree.find_all(exp.Placeholder):
        node.set("this", node.name.removeprefix(MARK))


def without_end(sql: str, dialect: str) -> str:
    """The text without the semicolon that ends it, which no driver wants inside another statement."""
    try:
        tokens = sqlglot.tokenize(sql, dialect=dialect)
    except SqlglotError:
        return sql
    while tokens and tokens[-1].token_type is TokenType.SEMICOLON:
        last = tokens.pop()
        sql = f"{sql[: last.start]} {sql[last.end + 1 :]}"
    return sql
