"""Changes to a sentence: each a function from a sentence to a new one."""

import re
from collections.abc import Iterable

from northmoor.core.base.replace import replace
from northmoor.core.errors import RefusedQuery
from northmoor.core.expr.identifiers import bare_or_quoted, name_parts, sql_table, unquoted_name
from northmoor.core.model.kinds.aggregates import AGGREGATE_BY_NAME, TOTALS
from northmoor.core.sources.builder.operands import OperandKind, operand_kind
from northmoor.core.sources.builder.select_model import (
    BooleanGroup,
    Condition,
    Connective,
    FromItem,
    GroupItem,
    OrderItem,
    SelectItem,
    SelectModel,
    comparison_text,
)
from northmoor.core.sources.builder.select_parser import has_aggregate, parse_select
from northmoor.core.sources.drivers.catalog import Catalog, CatalogColumn, CatalogTable
from northmoor.core.sources.typing.inference import declared_kind

ConditionPath = tuple[int, ...]
"""Where a condition is: its number among its group's parts, from the outermost group inward."""


def select_all(table: CatalogTable, dialect: str) -> SelectModel:
    """All columns of a table."""
    taken = FromItem(sql_table(table.name, dialect))
    return SelectModel((taken,), tuple(SelectItem(column) for column in column_texts(taken, table, dialect)))


def column_texts(taken: FromItem, table: CatalogTable, dialect: str) -> list[str]:
    """The expressions of a taken table's columns."""
    return [f"{taken.known_as}.{bare_or_quoted(column.name, dialect)}" for column in table.columns]


def catalog_with_steps(sentence: SelectModel, catalog: Catalog, dialect: str) -> Catalog:
    """A catalog that has the sentence's named steps and its queries in brackets as tables too."""
    queries = [(step.name.split("(")[0].strip(), step.sql) for step in sentence.steps]
    queries += [(taken.table, taken.table[1:-1]) for taken in sentence.from_items if taken.is_query]
    found = [CatalogTable(name, _columns_of(sql, dialect), None) for name, sql in queries]
    return replace(catalog, tables=(*found, *catalog.tables)) if found else catalog


def _columns_of(sql: str, dialect: str) -> tuple[CatalogColumn, ...]:
    try:
        read = parse_select(sql, dialect)
    except RefusedQuery:
        return ()
    items = read.select_items if read is not None else ()
    return tuple(CatalogColumn(item_name(item), "") for item in items if item.expression != "*")


def all_columns(sentence: SelectModel, catalog: Catalog, dialect: str) -> list[str]:
    """The expressions of all columns of the taken tables."""
    found: list[str] = []
    known = catalog_with_steps(sentence, catalog, dialect)
    for taken in sentence.from_items:
        table = known.table(taken.table)
        if table is not None:
            found += column_texts(taken, table, dialect)
    return found


def column_kinds(sentence: SelectModel, catalog: Catalog, dialect: str) -> dict[str, OperandKind]:
    """The expressions of all columns of the taken tables, each with the kind of value to compare it with."""
    found: dict[str, OperandKind] = {}
    known = catalog_with_steps(sentence, catalog, dialect)
    for taken in sentence.from_items:
        table = known.table(taken.table)
        for column, text in zip(table.columns, column_texts(taken, table, dialect), strict=True) if table else ():
            found[text] = operand_kind(declared_kind(column.type, dialect))
    return found


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
        groups=tuple(g for g in sentence.groups if not mention.search(g.expression)),
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


def _joined(joining: Connective, parts: Iterable[Condition]) -> Condition | None:
    """Parts as one condition; a single one is alone."""
    found = tuple(parts)
    return None if not found else found[0] if len(found) == 1 else BooleanGroup(joining, found)


def with_condition(sentence: SelectModel, condition: Condition) -> SelectModel:
    """Let another condition hold too."""
    return replace(sentence, where=_beside(sentence.where, condition))


def with_total_condition(sentence: SelectModel, condition: Condition) -> SelectModel:
    """Let another condition on totals hold too."""
    return replace(sentence, having=_beside(sentence.having, condition))


def _beside(condition: Condition | None, other: Condition) -> Condition:
    if condition is None:
        return other
    is_all = isinstance(condition, BooleanGroup) and condition.joining == "and"
    return BooleanGroup("and", (*(condition.parts if is_all else (condition,)), other))  # type: ignore[union-attr]


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
    condition: Condition | None, path: ConditionPath, other: Condition, joining: Connective
) -> Condition | None:
    """Join another condition to the one at a place; in a group of that kind it comes right after it."""
    found = condition_at(condition, path)
    assert found is not None
    group = condition_at(condition, path[:-1]) if path else None
    if isinstance(group, BooleanGroup) and group.joining == joining:
        at = path[-1] + 1
        widened = replace(group, parts=(*group.parts[:at], other, *group.parts[at:]))
        return change_condition(condition, path[:-1], widened)
    return change_condition(condition, path, BooleanGroup(joining, (found, other)))


def toggle_connective(condition: Condition | None, path: ConditionPath) -> Condition | None:
    """Turn and into or, and back, in the group at a place."""
    found = condition_at(condition, path)
    assert isinstance(found, BooleanGroup)
    turned: Connective = "or" if found.joining == "and" else "and"
    return change_condition(condition, path, replace(found, joining=turned))


def project(sentence: SelectModel, kept: Iterable[SelectItem], dialect: str) -> SelectModel:
    """Keep these columns. With a total among them, the rows are grouped by all that are none.

    New columns that would have the name of another are distinguished by their tables.
    """
    columns = _distinguished(tuple(kept), sentence.select_items, dialect)
    if columns == sentence.select_items:
        return sentence
    return replace(sentence, select_items=columns, groups=_groups(sentence, columns, dialect))


def _distinguished(
    kept: tuple[SelectItem, ...], before: tuple[SelectItem, ...], dialect: str
) -> tuple[SelectItem, ...]:
    named: list[SelectItem] = []
    taken: set[str] = set()
    for column in kept:
        own = (column.name or _alias_of(column.expression)).lower()
        if own in taken and "." in column.expression and column not in before:
            name = "_".join(name_parts(column.expression)).replace(".", "_")
            column = SelectItem(column.expression, bare_or_quoted(name, dialect))
        taken.add(own)
        named.append(column)
    return tuple(named)


def _groups(sentence: SelectModel, columns: tuple[SelectItem, ...], dialect: str) -> tuple[GroupItem, ...]:
    """What rows are grouped by with other columns: what it was as far as it stays, and the new columns."""
    before = sentence.select_items
    totals = [has_aggregate(column.expression, dialect) for column in columns]
    had_totals = any(has_aggregate(column.expression, dialect) for column in before)
    if not any(totals) and (had_totals or not sentence.groups):
        return ()
    plain = [c for c, is_total in zip(columns, totals, strict=True) if not is_total and c.expression != "*"]
    gone = {word for c in before if c not in columns for word in (c.expression, c.name) if word}
    found: list[GroupItem] = []
    covered: set[str] = set()
    for item in sentence.groups:
        number = int(item.expression) - 1 if item.expression.isdigit() else -1
        column = before[number] if 0 <= number < len(before) else None
        words = {item.expression} if column is None else {column.expression, column.name}
        if words & gone:
            continue
        is_moved = column is not None and column != (columns[number] if number < len(columns) else None)
        found.append(GroupItem(column.expression) if column is not None and is_moved else item)
        covered |= words
    added = [GroupItem(c.expression) for c in plain if not {c.expression, c.name} & covered]
    return (*found, *added)


_NAME = r"""(?:\w+|"(?:[^"]|"")*"|`(?:[^`]|``)*`|\[[^\]]*\])"""
_COLUMN = re.compile(rf"{_NAME}(\.{_NAME})*")


def item_name(item: SelectItem) -> str:
    """The name that a column of the result has, without quotes."""
    return unquoted_name(item.name) or _alias_of(item.expression)


def computed_item(sentence: SelectModel, column: str) -> int | None:
    """The number of the kept item that computes a column of the result; None for a column of a table."""
    items = enumerate(sentence.select_items)
    computed = ((at, item) for at, item in items if item.expression != "*" and not _COLUMN.fullmatch(item.expression))
    return next((at for at, item in computed if item_name(item) == column), None)


def _alias_of(expression: str) -> str:
    if _COLUMN.fullmatch(expression):
        return name_parts(expression)[-1]
    return re.sub(r"[\"`\[\]]", "", expression.rpartition(".")[2])


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


def random_order(dialect: str) -> tuple[OrderItem, ...]:
    """The order in which the first rows are a sample of all."""
    return (OrderItem("rand()" if dialect == "mysql" else "random()"),)


def is_sample(sentence: SelectModel) -> bool:
    """Whether a sentence keeps some rows at random."""
    only = sentence.sorting[0] if len(sentence.sorting) == 1 else None
    is_random = only is not None and only.expression.lower().replace(" ", "") in ("random()", "rand()")
    return is_random and bool(sentence.first) and not sentence.offset
