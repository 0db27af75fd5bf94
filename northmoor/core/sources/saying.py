"""Changes to a sentence: each a function from a sentence to a new one."""

import re
from collections.abc import Iterable
from dataclasses import replace

from sqlglot import exp

from northmoor.core.sources.catalog import Catalog, CatalogTable
from northmoor.core.sources.joins import Proposal
from northmoor.core.sources.sentence import (
    Comparison,
    Condition,
    Joining,
    Kept,
    Sentence,
    Taken,
    Together,
    comparison_text,
    is_aggregate,
)

Path = tuple[int, ...]
"""Where a condition stands: its number among its group's parts, from the outermost group inward."""
_PLAIN = re.compile(r"[a-z_][a-z0-9_]*")
_RESERVED = frozenset(
    [
        "all",
        "and",
        "as",
        "asc",
        "between",
        "by",
        "case",
        "cross",
        "desc",
        "distinct",
        "end",
        "exists",
        "false",
        "from",
        "full",
        "group",
        "having",
        "in",
        "inner",
        "is",
        "join",
        "left",
        "like",
        "limit",
        "natural",
        "not",
        "null",
        "offset",
        "on",
        "or",
        "order",
        "outer",
        "right",
        "select",
        "set",
        "table",
        "then",
        "true",
        "union",
        "using",
        "user",
        "values",
        "when",
        "where",
        "window",
        "with",
    ]
)


def sql_name(name: str, dialect: str) -> str:
    """A name (with its schema before a dot, if any) as SQL writes it: bare where that can be read back."""
    parts = name.split(".", 1)
    return ".".join(_quoted(part, dialect) for part in parts)


def _quoted(name: str, dialect: str) -> str:
    if _PLAIN.fullmatch(name) and name not in _RESERVED:
        return name
    return exp.to_identifier(name, quoted=True).sql(dialect)


def begun(table: CatalogTable, dialect: str) -> Sentence:
    """All columns of a table."""
    taken = Taken(sql_name(table.name, dialect))
    return Sentence((taken,), tuple(Kept(column) for column in column_texts(taken, table, dialect)))


def column_texts(taken: Taken, table: CatalogTable, dialect: str) -> list[str]:
    """The expressions of a taken table's columns."""
    return [f"{taken.known_as}.{_quoted(column.name, dialect)}" for column in table.columns]


def all_columns(sentence: Sentence, catalog: Catalog, dialect: str) -> list[str]:
    """The expressions of all columns of the taken tables."""
    found: list[str] = []
    for taken in sentence.taken:
        table = catalog.table(_bare(taken.table))
        if table is not None:
            found += column_texts(taken, table, dialect)
    return found


def _bare(table: str) -> str:
    return re.sub(r"[\"`\[\]]", "", table)


def with_table(sentence: Sentence, table: str, proposal: Proposal, dialect: str, join: str = "join") -> Sentence:
    """Join a table the proposed way; a table that is taken already gets another name."""
    names = {taken.known_as for taken in sentence.taken}
    written = sql_name(table, dialect)
    known_as, alias, count = Taken(written).known_as, "", 2
    while (alias or known_as) in names:
        alias, count = f"{_bare(known_as)}_{count}", count + 1
    return replace(sentence, taken=(*sentence.taken, proposal.taken(written, alias, join)))


def without_table(sentence: Sentence, at: int) -> Sentence:
    """Take a table out, and with it all that is said of its columns. The first one stays."""
    gone = sentence.taken[at]
    mention = re.compile(rf"(?<![\w.]){re.escape(gone.known_as)}\.")
    left = replace(
        sentence,
        taken=tuple(t for n, t in enumerate(sentence.taken) if n != at and not mention.search(t.on)),
        kept=tuple(k for k in sentence.kept if not mention.search(k.expression)) or (Kept("*"),),
        where=_without_mention(sentence.where, mention),
        having=_without_mention(sentence.having, mention),
        groups=tuple(g for g in sentence.groups if not mention.search(g)),
        sorting=tuple(s for s in sentence.sorting if not mention.search(s.expression)),
    )
    dependents = [t for t in sentence.taken if t not in left.taken and t != gone]
    for taken in dependents:
        left = without_table(replace(left, taken=(*left.taken, taken)), len(left.taken))
    return left


def _without_mention(condition: Condition | None, mention: re.Pattern[str]) -> Condition | None:
    if isinstance(condition, Together):
        parts = [left for part in condition.parts if (left := _without_mention(part, mention)) is not None]
        return _joined(condition.joining, parts)
    return None if condition is None or mention.search(comparison_text(condition)) else condition


def _joined(joining: Joining, parts: Iterable[Condition]) -> Condition | None:
    """Parts as one condition: those joined in the same way become one group, a single one stands alone."""
    flat: list[Condition] = []
    for part in parts:
        flat += part.parts if isinstance(part, Together) and part.joining == joining else (part,)
    return None if not flat else flat[0] if len(flat) == 1 else Together(joining, tuple(flat))


def with_condition(sentence: Sentence, condition: Condition) -> Sentence:
    """Let another condition hold too."""
    parts = [part for part in (sentence.where, condition) if part is not None]
    return replace(sentence, where=_joined("and", parts))


def condition_at(condition: Condition | None, path: Path) -> Condition | None:
    """The condition at a place."""
    for number in path:
        assert isinstance(condition, Together)
        condition = condition.parts[number]
    return condition


def change_condition(condition: Condition | None, path: Path, changed: Condition | None) -> Condition | None:
    """Put another condition, or none, in a place."""
    if not path:
        return changed
    assert isinstance(condition, Together)
    parts: list[Condition] = []
    for number, part in enumerate(condition.parts):
        kept = change_condition(part, path[1:], changed) if number == path[0] else part
        parts += [kept] if kept is not None else []
    return _joined(condition.joining, parts)


def beside(condition: Condition | None, path: Path, other: Comparison, joining: Joining) -> Condition | None:
    """Join another condition to the one at a place."""
    found = condition_at(condition, path)
    assert found is not None
    return change_condition(condition, path, _joined(joining, (found, other)))


def other_joining(condition: Condition | None, path: Path) -> Condition | None:
    """Turn and into or, and back, in the group at a place."""
    found = condition_at(condition, path)
    assert isinstance(found, Together)
    turned = _joined("or" if found.joining == "and" else "and", found.parts)
    return change_condition(condition, path, turned)


def keeping(sentence: Sentence, kept: Iterable[Kept], dialect: str) -> Sentence:
    """Keep these columns. With a total among them, the rows are grouped by all that are none.

    Columns that would have the same name are told apart by their tables.
    """
    named: list[Kept] = []
    taken: set[str] = set()
    for column in kept:
        name = (column.name or _own_name(column.expression)).lower()
        if name in taken and "." in column.expression:
            table, _, own = column.expression.rpartition(".")
            column = Kept(column.expression, sql_name(f"{_bare(table)}_{_bare(own)}".replace(".", "_"), dialect))
        taken.add((column.name or _own_name(column.expression)).lower())
        named.append(column)
    totals = [is_aggregate(column.expression, dialect) for column in named]
    groups = [c.expression for c, is_total in zip(named, totals, strict=True) if not is_total] if any(totals) else []
    return replace(sentence, kept=tuple(named), groups=tuple(g for g in groups if g != "*"))


def _own_name(expression: str) -> str:
    return _bare(expression.rpartition(".")[2])


_VALUE = re.compile(r"[+-]?\d+(\.\d+)?|:[A-Za-z_]\w*|'([^']|'')*'|null|true|false|current_\w+", re.IGNORECASE)
_EXPRESSION = re.compile(r"[A-Za-z_]\w*\s*\(.*\)|.*(?<![\w:]):[A-Za-z_]\w*.*")


def value_text(typed: str, columns: Iterable[str]) -> str:
    """What a typed value means as SQL: numbers, parameters, columns and calls stand as they are, the rest is text."""
    text = typed.strip()
    if _VALUE.fullmatch(text) or text in columns or _EXPRESSION.fullmatch(text):
        return text
    escaped = text.replace("'", "''")
    return f"'{escaped}'"


_TOTAL = re.compile(r"(sum|avg|min|max|count)\((distinct\s+)?((?:[^()]|\([^()]*\))*)\)", re.IGNORECASE)


def total_of(expression: str) -> tuple[str, str]:
    """An expression as an aggregate of the model's list and what it totals; no aggregate for any other expression."""
    match = _TOTAL.fullmatch(expression.strip())
    if match is None or (match[2] and match[1].lower() != "count"):
        return "", expression
    return (match[1].lower() + ("_distinct" if match[2] else "")), match[3].strip()
