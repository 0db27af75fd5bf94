"""What is wrong with SQL that cannot be parsed: its place in the text as written, the likely cause, and what to write
instead where that can be guessed."""

import re
from collections.abc import Mapping, Sequence
from difflib import get_close_matches
from typing import Any

import sqlglot
from sqlglot.errors import SqlglotError
from sqlglot.tokens import TokenType  # type: ignore[attr-defined]  # it is re-exported from a compiled module

from northmoor.core.errors import RefusedQuery
from northmoor.core.expr.placeholders import MARK, DriverSql

_KEYWORDS = (
    "select", "distinct", "from", "where", "group", "having", "order", "limit", "offset", "join", "inner", "left",
    "union", "between", "exists", "case", "when", "then", "else", "end", "like", "with", "over", "partition", "desc",
)  # fmt: skip
_ENDLESS = re.compile(r"'(?:[^']|'')*'|\"(?:[^\"]|\"\")*\"|`[^`]*`|--[^\n]*|/\*.*?\*/|(?P<open>['\"`]|/\*)", re.DOTALL)
"""Texts, quoted names and comments; `open` is the beginning of one that never ends."""
_OPENED = {"'": ("text", "'"), '"': ("name", '"'), "`": ("name", "`"), "/*": ("comment", "*/")}
"""What begins with a sign, and what it ends with."""


def syntax_fault(text: DriverSql, dialect: str, error: SqlglotError) -> RefusedQuery:
    """The refusal of a text that cannot be parsed; its position is in the text as the user wrote it."""
    details: Mapping[str, Any] = (getattr(error, "errors", None) or [{}])[0]
    if not details:
        return _unsplit(text)
    highlight = str(details.get("highlight") or "")
    place = _offset(text.sql, details)
    if not highlight or place is None:
        return RefusedQuery("The SQL cannot be understood; write one select statement.")
    near = f"The SQL cannot be understood near {highlight.replace(MARK, '')!r} in line {details['line']}."
    words = [token for token in sqlglot.tokenize(text.sql, dialect=dialect) if token.start <= place]
    for word in (*words[-2:], *words[:1]):
        meant = _meant(word.text) if word.token_type is TokenType.VAR else None
        if meant is not None:
            at = text.original(word.start)
            return RefusedQuery(f"{near} Did you mean {meant}?", position=at, instead=meant)
    return RefusedQuery(f"{near} {_cause(str(details['description']), words)}", position=text.original(place))


def _unsplit(text: DriverSql) -> RefusedQuery:
    """The refusal of a text that cannot even be split into words."""
    found = next((match for match in _ENDLESS.finditer(text.sql) if match["open"]), None)
    if found is None:
        return RefusedQuery("The SQL cannot be understood; write one select statement.")
    line = text.sql.count("\n", 0, found.start()) + 1
    what, end = _OPENED[found["open"]]
    message = f"The {what} that begins in line {line} is not closed; write {end} at its end."
    return RefusedQuery(message, position=text.original(found.start()))


def _offset(sql: str, details: Mapping[str, Any]) -> int | None:
    """Where what an error names begins; None where it is not where the error says."""
    highlight, lines = str(details["highlight"]), sql.split("\n")
    if not 0 < details["line"] <= len(lines):
        return None
    start = sum(len(line) + 1 for line in lines[: details["line"] - 1]) + details["col"] - len(highlight)
    return start if sql.startswith(highlight, max(start, 0)) else None


def _meant(word: str) -> str | None:
    """The keyword that a word is a misspelling of."""
    near = get_close_matches(word.lower(), _KEYWORDS, 1, 0.75)
    return near[0] if near and near[0] != word.lower() else None


def _cause(description: str, words: Sequence[Any]) -> str:
    """What a parser's complaint about the last of some words comes from, and what to do."""
    before = words[-2] if len(words) > 1 else None
    if description == "Expecting )":
        return "A bracket that was opened is not closed."
    if description == "Expected END after CASE":
        return "A case has no end; write end behind its last value."
    if description.startswith("Required keyword"):
        return "Something is missing behind it."
    if before is not None and before.text.lower() in ("group", "order", "partition"):
        return f"Write {before.text} by instead of it."
    is_pair = before is not None and TokenType.VAR is words[-1].token_type is before.token_type
    return "If it is one more column, a comma is missing before it." if is_pair else "Write one select statement."
