"""Changes to a sentence: each a function from a sentence to a new one."""

import re
from collections.abc import Iterable
from dataclasses import replace

from sqlglot import exp

from northmoor.core.model.kinds.aggregates import AGGREGATE_BY_NAME, TOTALS
from northmoor.core.sources.builder.joins import JoinProposal
from northmoor.core.sources.builder.select_ast import (
    BooleanGroup,
    Comparison,
    Condition,
    FromItem,
    Joining,
    SelectItem,
    SelectModel,
    comparison_text,
    has_aggregate,
)
from northmoor.core.sources.drivers.catalog import Catalog, CatalogTable

ConditionPath = tuple[int, ...]
"""Where a condition is: its number among its group's parts, from the outermost group inward."""
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


def select_all(table: CatalogTable, dialect: str) -> SelectModel:
    """All columns of a table."""
    taken = FromItem(sql_name(table.name, dialect))
    return SelectModel((taken,), tuple(SelectItem(column) for column in column_texts(taken, table, dialect)))


def column_texts(taken: FromItem, table: CatalogTable, dialect: str) -> list[str]:
    """The expressions of a taken table's columns."""
    return [f"{taken.known_as}.{_quoted(column.name, dialect)}" for column in table.columns]


def all_columns(sentence: SelectModel, catalog: Catalog, dialect: str) -> list[str]:
    """The expressions of all columns of the taken tables."""
    found: list[str] = []
    for taken in sentence.from_items:
        table = catalog.table(_bare(taken.table))
        if table is not None:
            found += column_texts(taken, table, dialect)
    return found


def _bare(table: str) -> str:
    return re.sub(r"[\"`\[\]]", "", table)


def with_table(
    sentence: SelectModel, table: str, proposal: JoinProposal, dialect: str, join: str = "join"
) -> SelectModel:
    """Join a table the proposed way; a table that is taken already gets another name."""
    names = {taken.known_as for taken in sentence.from_items}
    written = sql_name(table, dialect)
    known_as, alias, count = FromItem(written).known_as, "", 2
    while (alias or known_as) in names:
        alias, count = f"{_bare(known_as)}_{count}", count + 1
    return replace(sentence, from_items=(*sentence.from_items, proposal.present_table(written, alias, join)))


def without_table(sentence: SelectModel, at: int) -> SelectModel:
    """Take a table out, and with it all that refers to its columns. The first one stays."""
    gone = sentence.from_items[at]
    mention = re.compile(rf"(?<![\w.]){re.escape(gone.known_as)}\.")
    left = replace(
        sentence,
        from_items=tuple(t for n, t in enumerate(sentence.from_items) if n != at and not mention.search(t.on)),
        select_items=tuple(k for k in sentence.select_items if not mention.search(k.expression)) or (SelectItem("*"),),
        where=_without_reference(sentence.where, mention),
        having=_without_reference(sentence.having, mention),
        groups=tuple(g for g in sentence.groups if not mention.search(g)),
        sorting=tuple(s for s in sentence.sorting if not mention.search(s.expression)),
    )
    dependents = [t for t in sentence.from_items if t not in left.from_items and t != gone]
    for taken in dependents:
        left = without_table(replace(left, from_items=(*left.from_items, taken)), len(left.from_items))
    return left


def _without_reference(condition: Condition | None, mention: re.Pattern[str]) -> Condition | None:
    if isinstance(condition, BooleanGroup):
        parts = [left for part in condition.parts if (left := _without_reference(part, mention)) is not None]
        return _joined(condition.joining, parts)
    return None if condition is None or mention.search(comparison_text(condition)) else condition


def _joined(joining: Joining, parts: Iterable[Condition]) -> Condition | None:
    """Parts as one condition: those joined in the same way become one group, a single one is alone."""
    flat: list[Condition] = []
    for part in parts:
        flat += part.parts if isinstance(part, BooleanGroup) and part.joining == joining else (part,)
    return None if not flat else flat[0] if len(flat) == 1 else BooleanGroup(joining, tuple(flat))


def with_condition(sentence: SelectModel, condition: Condition) -> SelectModel:
    """Let another condition hold too."""
    parts = [part for part in (sentence.where, condition) if part is not None]
    return replace(sentence, where=_joined("and", parts))


def condition_at(condition: Condition | None, path: ConditionPath) -> Condition | None:
    """The condition at a place."""
    for number in path:
        assert isinstance(condition, BooleanGroup)
        condition = condition.parts[number]
    return condition


def change_condition(condition: Condition | None, path: ConditionPath, changed: Condition | None) -> Condition | None:
    """Put another condition, or none, in a place."""
    if not path:
        return changed
    assert isinstance(condition, BooleanGroup)
    parts: list[Condition] = []
    for number, part in enumerate(condition.parts):
        kept = change_condition(part, path[1:], changed) if number == path[0] else part
        parts += [kept] if kept is not None else []
    return _joined(condition.joining, parts)


def add_operand(
    condition: Condition | None, path: ConditionPath, other: Comparison, joining: Joining
) -> Condition | None:
    """Join another condition to the one at a place."""
    found = condition_at(condition, path)
    assert found is not None
    return change_condition(condition, path, _joined(joining, (found, other)))


def toggle_connective(condition: Condition | None, path: ConditionPath) -> Condition | None:
    """Turn and into or, and back, in the group at a place."""
    found = condition_at(condition, path)
    assert isinstance(found, BooleanGroup)
    turned = _joined("or" if found.joining == "and" else "and", found.parts)
    return change_condition(condition, path, turned)


def project(sentence: SelectModel, kept: Iterable[SelectItem], dialect: str) -> SelectModel:
    """Keep these columns. With a total among them, the rows are grouped by all that are none.

    Columns that would have the same name are distinguished by their tables.
    """
    named: list[SelectItem] = []
    taken: set[str] = set()
    for column in kept:
        name = (column.name or _alias_of(column.expression)).lower()
        if name in taken and "." in column.expression:
            table, _, own = column.expression.rpartition(".")
            column = SelectItem(column.expression, sql_name(f"{_bare(table)}_{_bare(own)}".replace(".", "_"), dialect))
        taken.add((column.name or _alias_of(column.expression)).lower())
        named.append(column)
    totals = [has_aggregate(column.expression, dialect) for column in named]
    groups = [c.expression for c, is_total in zip(named, totals, strict=True) if not is_total] if any(totals) else []
    return replace(sentence, select_items=tuple(named), groups=tuple(g for g in groups if g != "*"))


def _alias_of(expression: str) -> str:
    return _bare(expression.rpartition(".")[2])


_VALUE = re.compile(r"[+-]?\d+(\.\d+)?|:[A-Za-z_]\w*|'([^']|'')*'|null|true|false|current_\w+", re.IGNORECASE)
_EXPRESSION = re.compile(r"[A-Za-z_]\w*\s*\(.*\)|.*(?<![\w:]):[A-Za-z_]\w*.*")


def literal_text(typed: str, columns: Iterable[str]) -> str:
    """What a typed value means as SQL: numbers, parameters, columns and calls stay as they are, the rest is text."""
    text = typed.strip()
    if _VALUE.fullmatch(text) or text in columns or _EXPRESSION.fullmatch(text):
        return text
    escaped = text.replace("'", "''")
    return f"'{escaped}'"


_OPERAND = r"((?:[^()]|\([^()]*\))*)"
_TOTALS = {
    name: re.compile(
        re.escape(AGGREGATE_BY_NAME[name].of("@")).replace(r"\ ", r"\s+").replace("@", _OPERAND), re.IGNORECASE
    )
    for name in TOTALS
}


def split_aggregate(expression: str) -> tuple[str, str]:
    """An expression as an aggregate of the model's list and what it totals; no aggregate for any other expression."""
    for name, pattern in _TOTALS.items():
        match = pattern.fullmatch(expression.strip())
        if match is not None and not match[1].lower().startswith("distinct "):
            return name, match[1].strip()
    return "", expression
