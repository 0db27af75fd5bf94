"""Values of a column as columns of their own, and columns as rows: steps that other words of SQL are made of.

A column for each value is a total over the rows that have it; a row for each column is a query for each, one after
another. Both are the same in every dialect, and each piece can be changed by itself afterwards.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from northmoor.core.errors import QueryError
from northmoor.core.expr.identifiers import bare_or_quoted
from northmoor.core.model.edits.naming import unused_name
from northmoor.core.model.kinds.aggregates import aggregate_of
from northmoor.core.sources.builder.edits import item_name, project
from northmoor.core.sources.builder.operands import Operand, operand_sql
from northmoor.core.sources.builder.select_model import SelectItem, SelectModel, StackedSelect
from northmoor.core.sources.builder.select_parser import has_aggregate, parse_select
from northmoor.core.sources.builder.select_writer import rewrite_select, wrap_select

_WHOLE = "total"


@dataclass(frozen=True)
class PivotValue:
    """A value that becomes a column: the column's name, and the value as SQL; None for blanks."""

    name: str
    sql: str | None


@dataclass(frozen=True)
class Pivot:
    """A column for each of some values of `across`, with a total of `value` over the rows that have it."""

    across: str
    values: tuple[PivotValue, ...]
    value: str
    total: str
    has_whole: bool = False
    """Whether a column with the total over all rows comes after them."""


def pivot(sentence: SelectModel, wanted: Pivot, dialect: str) -> SelectModel:
    """The sentence with its own columns but those that are turned, and one for each value. Raises QueryError without
    values."""
    if not wanted.values:
        raise QueryError("Choose the values that become columns.")
    turned = {wanted.across, wanted.value}
    kept = [item for item in sentence.select_items if not {item.expression, item_name(item)} & {*turned, "*"}]
    plain = [item for item in kept if not has_aggregate(item.expression, dialect)]
    totals = [(value.name, _of_one(wanted, value)) for value in wanted.values]
    totals += [(_WHOLE, wanted.value)] if wanted.has_whole else []
    names = [item_name(item) for item in plain]
    columns = []
    for wished, expression in totals:
        names.append(unused_name(wished, names))
        columns.append(SelectItem(aggregate_of(wanted.total, expression), bare_or_quoted(names[-1], dialect)))
    return project(sentence, [*plain, *columns], dialect)


def _of_one(wanted: Pivot, value: PivotValue) -> str:
    """What is totalled, in rows that have a value; nothing in others."""
    test = "is null" if value.sql is None else f"= {value.sql}"
    return f"case when {wanted.across} {test} then {wanted.value} end"


def unpivot(sql: str, dialect: str, columns: Sequence[str], name: str, value: str) -> str:
    """The query with a row for each of some of its columns: the column's name in one, its value in another.

    Raises QueryError for a query whose columns are not known, fewer than two columns, or names that are taken.
    """
    sentence = parse_select(sql, dialect)
    names = [item_name(item) for item in sentence.select_items] if sentence is not None else ["*"]
    if "*" in names:
        raise QueryError("Choose the query's columns first; then turn some of them into rows.")
    kept = [each for each in names if each not in columns]
    if len(columns) < 2:
        raise QueryError("Choose two or more columns that become rows.")
    taken = next((each for each in (name, value) if not each or each in kept), None)
    if taken is not None or name == value:
        raise QueryError(f"{taken or name or 'Nothing'} cannot name the new column; choose another name.")
    wrapped = wrap_select(sql, "wide", dialect)
    outer = parse_select(wrapped, dialect)
    assert outer is not None
    same = [SelectItem(bare_or_quoted(each, dialect)) for each in kept]
    texts = [(operand_sql(Operand("text", each), dialect), bare_or_quoted(each, dialect)) for each in columns]
    (first, first_column), others = texts[0], texts[1:]
    own = (
        *same,
        SelectItem(first, bare_or_quoted(name, dialect)),
        SelectItem(first_column, bare_or_quoted(value, dialect)),
    )
    listed = "".join(f"{item.expression}, " for item in same)
    stacked = tuple(StackedSelect("union all", f"select {listed}{text}, {column} from wide") for text, column in others)
    return rewrite_select(wrapped, replace(outer, select_items=own, stacked=stacked), dialect)
