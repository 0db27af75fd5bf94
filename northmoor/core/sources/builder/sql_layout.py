"""SQL reformatted: a clause, a column, a join, a condition in each line. No word and no comment changes."""

from itertools import pairwise
from typing import Any

import sqlglot
from sqlglot.errors import SqlglotError
from sqlglot.tokens import TokenType  # type: ignore[attr-defined]  # it is re-exported from a compiled module

from northmoor.core.errors import QueryError
from northmoor.core.sources.builder.source_text import is_line_comment

_CLAUSES = frozenset(
    ("with", "select", "from", "where", "group by", "having", "order by", "limit", "offset", "union", "intersect",
     "except", "window", "qualify", "fetch")
)  # fmt: skip
_JOINS = {"join", "left", "right", "full", "inner", "cross", "natural", "asof"}
_LISTED = {"select", "with"}
"""Clauses whose list has a line for each piece."""
_INDENT = "  "


def format_sql(sql: str, dialect: str) -> str:
    """The SQL with line breaks and indents of its own. Raises QueryError for what cannot be split into words."""
    try:
        tokens = sqlglot.tokenize(sql, dialect=dialect)
    except SqlglotError as error:
        raise QueryError("The SQL cannot be split into words; look for a quote that is not closed.") from error
    return _Layout(sql, tokens).text() if tokens else sql


class _Layout:
    """Writes the words one after the other, with what belongs between them."""

    def __init__(self, sql: str, tokens: list[Any]) -> None:
        self._sql, self._tokens = sql, tokens
        self._clauses = [""]
        """The clause at each depth of brackets; empty where brackets hold no query."""
        self._is_between = False

    def text(self) -> str:
        first = self._tokens[0]
        text = self._comments(0, first.start, "")
        text += self._word(first)
        self._enter(first, None)
        for before, token in pairwise(self._tokens):
            separator = self._separator(before, token)
            text += self._comments(before.end + 1, token.start, separator) + self._word(token)
            self._enter(token, before)
        tail = self._sql[self._tokens[-1].end + 1 :].strip()
        return f"{text}{' ' if tail else ''}{tail}\n"

    def _word(self, token: Any) -> str:
        return self._sql[token.start : token.end + 1]

    def _lower(self, token: Any) -> str:
        return " ".join(self._word(token).lower().split())

    def _comments(self, start: int, end: int, separator: str) -> str:
        """The comments between two words, and what separates these."""
        gap = self._sql[start:end]
        comments = gap.strip()
        if not comments:
            return separator
        before = "" if start == 0 else "\n" + separator.lstrip("\n") if "\n" in gap.split(comments[:2])[0] else " "
        after = separator if "\n" in separator or not is_line_comment(comments) else f"\n{_INDENT * len(self._clauses)}"
        return f"{before}{comments}{after or ' '}"

    def _separator(self, before: Any, token: Any) -> str:
        word, last = self._lower(token), self._lower(before)
        depth, clause = len(self._clauses) - 1, self._clauses[-1]
        line = "\n" + _INDENT * depth
        is_name = last in (".", ":") or before.token_type is TokenType.COLON
        if not is_name and (clause or depth == 0) and word in _CLAUSES and last not in ("(", "distinct"):
            return line
        if not is_name and clause == "from" and word in _JOINS and last not in _JOINS | {"outer"}:
            return line
        if not is_name and clause in ("where", "having") and word in ("and", "or") and not self._is_between:
            return line + _INDENT
        if last == "," and clause in _LISTED:
            return line + _INDENT
        return " " if before.end + 1 < token.start else ""

    def _enter(self, token: Any, before: Any | None) -> None:
        """Follow the clauses and the brackets."""
        word = self._lower(token)
        is_name = before is not None and self._lower(before) in (".", ":")
        if token.token_type in (TokenType.L_PAREN, TokenType.CASE):
            self._clauses.append("")
        elif token.token_type in (TokenType.R_PAREN, TokenType.END) and len(self._clauses) > 1:
            self._clauses.pop()
        elif not is_name and word in _CLAUSES and (self._clauses[-1] or len(self._clauses) == 1 or word in _LISTED):
            self._clauses[-1] = word
        if word == "between":
            self._is_between = True
        elif word == "and":
            self._is_between = False
