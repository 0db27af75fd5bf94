"""SQL of one database as another writes it, and what changes in meaning on the way."""

import re

import sqlglot
from msgspec import Struct
from sqlglot import exp
from sqlglot.errors import SqlglotError

from northmoor.core.errors import QueryError, RefusedQuery
from northmoor.core.expr.placeholders import MARK, mark_placeholders
from northmoor.core.sources.drivers.read_only import check_query
from northmoor.core.sources.typing.dialect_notes import DIALECT_NAMES, LIKE_ANY_CASE, WHOLE_DIVISION

_ANY_CASE = {"mysql"}


class TranslatedSql(Struct, frozen=True):
    """SQL for another database; `is_kept` says that it is the same text. `notes` are what may be other figures."""

    sql: str
    is_kept: bool
    notes: tuple[str, ...]


def translate_sql(sql: str, dialect: str, to: str) -> TranslatedSql:
    """The SQL as another database writes it; its bytes stay where that is written alike.

    Raises QueryError for what cannot be written there.
    """
    tree = check_query(sql, dialect).tree
    notes = tuple(_notes(tree, dialect, to))
    written = _written(sql, dialect, to)
    try:
        check_query(written, to)
    except RefusedQuery as error:
        raise QueryError(f"{DIALECT_NAMES[to]} cannot say it: {error.message}") from error
    is_kept = _plain_words(sql, dialect) == _plain_words(written, to)
    return TranslatedSql(sql if is_kept else written, is_kept, notes)


def _plain_words(sql: str, dialect: str) -> list[str]:
    """The words of a text without those that may as well not be there."""
    words = [sql[t.start : t.end + 1].lower() for t in sqlglot.tokenize(sql, dialect=dialect)]
    return [{"!=": "<>", "==": "="}.get(word, word) for word in words if word not in ("as", "inner", "outer", ";")]


def _written(sql: str, dialect: str, to: str) -> str:
    try:
        tree = sqlglot.parse_one(mark_placeholders(sql, dialect).sql, read=dialect)
        text = tree.sql(dialect=to, pretty=True, unsupported_level=sqlglot.ErrorLevel.RAISE)
    except SqlglotError as error:
        reason = str(error).partition("\n")[0].rstrip(". ")
        raise QueryError(f"{DIALECT_NAMES[to]} cannot say it ({reason}); write it by hand.") from error
    return re.sub(rf"[:$]{MARK}(\w+)|%\({MARK}(\w+)\)s", lambda found: f":{found[1] or found[2]}", text) + "\n"


def _notes(tree: exp.Query, dialect: str, to: str) -> list[str]:
    """What the two databases do in another way, of what the query has."""
    found = []
    here, there = DIALECT_NAMES[dialect], DIALECT_NAMES[to]
    if tree.find(exp.Div) is not None and (dialect in WHOLE_DIVISION) != (to in WHOLE_DIVISION):
        whole = here if dialect in WHOLE_DIVISION else there
        found.append(f"Whole numbers divided give a whole number in {whole} only: 7 / 2 is 3 there, and 3.5 otherwise.")
    compared = tree.find(exp.EQ, exp.NEQ, exp.In, exp.Group, exp.Distinct)
    if compared is not None and (dialect in _ANY_CASE) != (to in _ANY_CASE):
        found.append("MariaDB and MySQL mostly compare texts without regard to capitals; other databases do not.")
    if tree.find(exp.Like) is not None and (dialect in LIKE_ANY_CASE) != (to in LIKE_ANY_CASE):
        found.append(f"like does not regard capitals in {here if dialect in LIKE_ANY_CASE else there}.")
    unknown = {node.name.lower() for node in tree.find_all(exp.Anonymous)}
    unknown |= {"date"} if any(len(node.args) > 1 for node in tree.find_all(exp.Date)) else set()
    if unknown:
        listed = ", ".join(f"{name}()" for name in sorted(unknown))
        found.append(f"Whether {there} has {listed} in this form is not known here; run both and compare.")
    if "sqlite" in (dialect, to):
        found.append("SQLite computes decimals with doubles, and keeps days and moments as texts.")
    return found
