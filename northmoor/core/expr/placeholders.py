"""Parameters in SQL text: where each ``:name`` is, and the text as a driver wants it.

The text is never rebuilt from its parsed form, so that what is shown is what is run; only the placeholders change.
"""

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import sqlglot
from sqlglot import exp
from sqlglot.errors import SqlglotError
from sqlglot.tokens import TokenType  # type: ignore[attr-defined]  # it is re-exported from a compiled module

_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]*")
_CALL = re.compile(r"^(\s*)call\b", re.IGNORECASE)
"""After this word sqlglot splits nothing more; another word of its length takes its place."""
_NOT_BEFORE = re.compile(r"[A-Za-z0-9_)\]'\"]")
"""What a colon of a slice, a struct or a cast is behind: ``a[1:n]``, ``{'a':b}``."""


@dataclass(frozen=True)
class Placeholder:
    """A ``:name`` in a text: the offset of its colon, the offset after it, and the name.

    `is_listed` says whether it is alone in the brackets of ``in (:name)``, where a list may be.
    """

    start: int
    end: int
    name: str
    is_listed: bool = False


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
            found.append(Placeholder(colon.start, word.end + 1, name, _is_listed(tokens, at)))
    return tuple(found)


def _is_listed(tokens: Sequence[Any], colon: int) -> bool:
    around = (*tokens[max(colon - 2, 0) : colon], *tokens[colon + 2 : colon + 3])
    return [t.token_type for t in around] == [TokenType.IN, TokenType.L_PAREN, TokenType.R_PAREN]


@dataclass(frozen=True)
class DriverSql:
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
    name = next(part for part in named.groups() if part is not None)
    found = re.search(rf"(?<!\w){re.escape(name)}(?!\w)", text.sql, re.IGNORECASE)
    return text.original(found.start()) if found else None


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
    return DriverSql(_without_end("".join(pieces), dialect), tuple(names), tuple(shifts))


MARK = "nm_"


def mark_placeholders(sql: str, dialect: str) -> DriverSql:
    """The text with each parameter's name marked: a reserved word may be one. `unmark` undoes it in the tree."""
    sign = "$" if dialect == "duckdb" else ":"
    return for_driver(sql, dialect, lambda found: f"{sign}{MARK}{found.name}")


def unmark_placeholders(tree: exp.Expr) -> None:
    """Give the parameters in a tree their own names again."""
    for node in tree.find_all(exp.Placeholder):
        node.set("this", node.name.removeprefix(MARK))


def _without_end(sql: str, dialect: str) -> str:
    """The text without the semicolon that ends it, which no driver wants inside another statement."""
    try:
        tokens = sqlglot.tokenize(sql, dialect=dialect)
    except SqlglotError:
        return sql
    while tokens and tokens[-1].token_type is TokenType.SEMICOLON:
        last = tokens.pop()
        sql = f"{sql[: last.start]} {sql[last.end + 1 :]}"
    return sql
