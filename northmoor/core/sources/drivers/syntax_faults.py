"""What is wrong with SQL that cannot be parsed: its place in the text as written, the likely cause, and what to write
instead where that can be guessed."""

import re
from collections.abc import Iterator, Mapping, Sequence
from difflib import get_close_matches
from typing import Any

import sqlglot
from sqlglot.errors import SqlglotError
from sqlglot.tokens import TokenType  # type: ignore[attr-defined]  # it is re-exported from a compiled module

from northmoor.core.errors import Correction, RefusedQuery
from northmoor.core.expr.placeholders import MARK, DriverSql

_KEYWORDS = (
    "select", "distinct", "from", "where", "group", "having", "order", "limit", "offset", "join", "inner", "left",
    "union", "between", "exists", "case", "when", "then", "else", "end", "like", "with", "over", "partition", "desc",
)  # fmt: skip
_ENDLESS = re.compile(r"'(?:[^']|'')*'|\"(?:[^\"]|\"\")*\"|`[^`]*`|--[^\n]*|/\*.*?\*/|(?P<open>['\"`]|/\*)", re.DOTALL)
"""Texts, quoted names and comments; `open` is the beginning of one that never ends."""
_BROKEN_TEXT = re.compile(r"('[^'\n]*')(\w[^'\n]*')")
"""A text in which a quote is meant as a letter, which ends it instead."""
_DOUBLED = "A quote within a text is written twice."
_COMMA = "If it is one more column, a comma is missing before it."
_AND = "If it is one more condition, and is missing before it."
_BRACKET = "A bracket that was opened is not closed."
_VALUES = (TokenType.VAR, TokenType.IDENTIFIER, TokenType.NUMBER, TokenType.STRING, TokenType.R_PAREN, TokenType.END)
"""What a column or a condition may end with."""
_ENDING = (TokenType.FROM, TokenType.WHERE, TokenType.GROUP_BY, TokenType.HAVING, TokenType.ORDER_BY, TokenType.LIMIT,
           TokenType.R_PAREN, TokenType.UNION, TokenType.SEMICOLON)  # fmt: skip
"""What no comma can be before."""
_OPENED = {"'": ("text", "'"), '"': ("name", '"'), "`": ("name", "`"), "/*": ("comment", "*/")}
"""What begins with a sign, and what it ends with."""


def syntax_fault(text: DriverSql, dialect: str, error: SqlglotError) -> RefusedQuery:
    """The refusal of a text that cannot be parsed; its position is in the text as the user wrote it."""
    details: Mapping[str, Any] = (getattr(error, "errors", None) or [{}])[0]
    if not details:
        return _unsplit(text, dialect)
    highlight = str(details.get("highlight") or "")
    place = _offset(text.sql, details)
    if not highlight or place is None:
        return RefusedQuery("The SQL cannot be understood; write one select statement.")
    near = f"The SQL cannot be understood near {highlight.replace(MARK, '')!r} in line {details['line']}."
    words = [token for token in sqlglot.tokenize(text.sql, dialect=dialect) if token.start <= place]
    for word in (*words[-2:], *words[:1]):
        meant = _meant(word.text) if word.token_type is TokenType.VAR else None
        if meant is not None:
            correction = _correction(text, word.start, word.end + 1, meant)
            return RefusedQuery(f"{near} Did you mean {meant}?", position=correction.position, correction=correction)
    cause, missing = _cause(str(details["description"])), None
    if cause is None:
        usual = _BRACKET if details["description"] == "Expecting )" else "Write one select statement."
        cause, missing = _recovered(text, words, dialect) or (usual, None)
    return RefusedQuery(f"{near} {cause}", position=text.original(place), correction=missing)


def extra_commas(text: DriverSql, dialect: str) -> Iterator[tuple[int, Correction]]:
    """Where a text that can be parsed has a comma with nothing behind it, and what is likely meant. DuckDB allows
    such commas."""
    tokens = sqlglot.tokenize(text.sql, dialect=dialect) if dialect != "duckdb" else []
    for before, comma, after in zip(tokens, tokens[1:], [*tokens[2:], None], strict=False):
        if comma.token_type is TokenType.COMMA and (after is None or after.token_type in _ENDING):
            correction = _correction(text, before.start, comma.end + 1, text.sql[before.start : before.end + 1])
            yield text.original(comma.start), correction


def _recovered(text: DriverSql, words: Sequence[Any], dialect: str) -> tuple[str, Correction] | None:
    """What is missing before the last of some words, at which parsing fails: the first of a few pieces with which all
    can be parsed, or else more of it, as a sentence and a correction."""
    words = words[:-1] if words[-1].token_type is TokenType.DOT else words  # it is the name before it that is one more
    if len(words) < 2:
        return None
    sql, (before, word) = text.sql, words[-2:]
    start, end = before.start, word.end + 1
    first, gap, last = sql[start : before.end + 1], sql[before.end + 1 : word.start], sql[word.start : end]
    tries = []
    if before.token_type in _VALUES:
        tries = [
            (_COMMA, f"{first},{gap}{last}"),
            (_AND, f"{first}{gap}and {last}"),
            (_BRACKET, f"{first}){gap}{last}"),
        ]
    if not sql[end:].strip():
        tries.append((_BRACKET, f"{first}{gap}{last})"))
    if first.lower() in ("group", "order", "partition"):
        tries[:0] = [(f"Write {first} by instead of it.", f"{first} by{gap}{last}")]
    for wanted in (len(sql), start):
        for cause, piece in tries:
            if _parsed_until(sql[:start] + piece + sql[end:], dialect) >= wanted + len(piece) - len(sql[start:end]):
                return cause, _correction(text, start, end, piece)
    return None


def _parsed_until(sql: str, dialect: str) -> int:
    """How far a text can be parsed."""
    try:
        sqlglot.parse_one(sql, dialect=dialect)
    except SqlglotError as error:
        details = (getattr(error, "errors", None) or [{}])[0]
        return (_offset(sql, details) or 0) if details.get("highlight") else 0
    return len(sql)


def _correction(text: DriverSql, start: int, end: int, instead: str) -> Correction:
    """A text in place of a piece, whose places are in the text as drivers take it."""
    begin = text.original(start)
    return Correction(begin, text.original(end) - begin, instead.replace(MARK, ""))


def _unsplit(text: DriverSql, dialect: str) -> RefusedQuery:
    """The refusal of a text that cannot even be split into words."""
    found = next((match for match in _ENDLESS.finditer(text.sql) if match["open"]), None)
    if found is None:
        return RefusedQuery("The SQL cannot be understood; write one select statement.")
    line = text.sql.count("\n", 0, found.start()) + 1
    what, end = _OPENED[found["open"]]
    message = f"The {what} that begins in line {line} is not closed; write {end} at its end."
    tries = [(*span, message) for span in _closings(text.sql, found.start(), end)]
    if what == "text":
        tries[:0] = [(*span, _DOUBLED) for span in _doublings(text.sql, found.start())]
    for start, stop, piece, cause in tries:
        if _parsed_until(text.sql[:start] + piece + text.sql[stop:], dialect) >= start + len(piece):
            correction = _correction(text, start, stop, piece)
            at = correction.position if cause is _DOUBLED else text.original(found.start())
            return RefusedQuery(cause, position=at, correction=correction)
    return RefusedQuery(message, position=text.original(found.start()))


def _closings(sql: str, at: int, end: str) -> Iterator[tuple[int, int, str]]:
    """Pieces that begin with what is not closed, with its end: behind the next word, or behind the last of its line."""
    rest = sql[at:].split("\n")[0].rstrip().rstrip(";")
    lengths = [len(rest)]
    if end != "*/":
        word = re.match(r"\W?[\w.-]+", rest)
        lengths.insert(0, word.end() if word is not None else len(rest))
    for length in dict.fromkeys(lengths):
        yield at, at + length, f"{rest[:length]}{end}"


def _doublings(sql: str, at: int) -> Iterator[tuple[int, int, str]]:
    """Texts before a quote that is not closed, with which each a letter goes on, joined with what follows."""
    for match in _BROKEN_TEXT.finditer(sql, 0, at + 1):
        yield match.start(), match.end(), f"{match[1]}'{match[2]}"


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


def _cause(description: str) -> str | None:
    """What some of a parser's complaints come from, and what to do."""
    if description == "Expected END after CASE":
        return "A case has no end; write end behind its last value."
    if description.startswith("Required keyword"):
        return "Something is missing behind it."
    return None
