"""Values of a column as columns of their own, and columns as rows: steps that other words of SQL are made of.

A column for each value is a total over the rows that have it; a row for each column is a query for each, one after
another. Both are the same in every dialect, and each piece can be changed by itself afterwards. Columns for values are
read back from the SQL, whoever wrote it.
"""

from collections.abc import Sequence
from itertools import groupby

import sqlglot
from msgspec import Struct
from sqlglot import exp
from sqlglot.errors import SqlglotError

from northmoor.core.base.replace import replace
from northmoor.core.errors import QueryError
from northmoor.core.expr.identifiers import bare_or_quoted
from northmoor.core.model.edits.naming import unused_name
from northmoor.core.model.kinds.aggregates import TOTALS, aggregate_of
from northmoor.core.sources.builder.computed_forms import Cases, are_alike, computed_form, pieces_in, with_keywords
from northmoor.core.sources.builder.edits import item_name, project
from northmoor.core.sources.builder.operands import Operand, operand_sql
from northmoor.core.sources.builder.select_model import Keyword, SelectItem, SelectModel, StackedSelect
from northmoor.core.sources.builder.select_parser import has_aggregate, parse_select
from northmoor.core.sources.builder.select_writer import rewrite_select, wrap_select
from northmoor.core.sources.builder.source_text import keyword_of

_WHOLE = "total"


class PivotValue(Struct, frozen=True):
    """A value that becomes a column: the column's name, and the value as SQL; None for blanks."""

    name: str
    sql: str | None


class Pivot(Struct, frozen=True):
    """A column for each of some values of `across`, with a total of `value` over the rows that have it."""

    across: str
    values: tuple[PivotValue, ...]
    value: str
    total: str
    has_whole: bool = False
    """Whether a column with the total over all rows comes after them."""


class PivotInSelect(Struct, frozen=True):
    """A pivot as a query has it: its columns are the kept items from `first` up to `end`."""

    pivot: Pivot
    first: int
    end: int


def read_pivots(sentence: SelectModel, dialect: str) -> tuple[PivotInSelect, ...]:
    """The pivots of a query: two or more neighbouring totals of one column, each over the rows with another value."""
    items = sentence.select_items
    totals = [_read_total(item, dialect) if "case" in item.expression.lower() else None for item in items]
    found, at = [], 0
    for own, run in groupby(totals, lambda total: total[0] if total is not None else None):
        of_run = list(run)
        values = tuple(total[1] for total in of_run if total is not None)
        first, at = at, at + len(of_run)
        if own is not None and len(values) > 1:
            whole = aggregate_of(own.total, own.value)
            has_whole = at < len(items) and are_alike(items[at].expression, whole, dialect)
            found.append(PivotInSelect(replace(own, values=values, has_whole=has_whole), first, at + has_whole))
    return tuple(found)


def change_pivot(
    sentence: SelectModel, present: PivotInSelect, wanted: Pivot, dialect: str, keyword: Keyword = str
) -> SelectModel:
    """The sentence with another pivot in place of one that it has; columns of both stay as they are written.

    Raises QueryError without values.
    """
    items = sentence.select_items
    before, own, after = items[: present.first], items[present.first : present.end], items[present.end :]
    names = [item_name(item) for item in (*before, *after)]
    columns = []
    for name, expression in _totals(wanted, dialect, keyword):
        there = next((item for item in own if are_alike(item.expression, expression, dialect)), None)
        columns.append(there or _named(expression, name, names, dialect))
        names.append(item_name(columns[-1]))
    return project(sentence, (*before, *columns, *after), dialect)


def _read_total(item: SelectItem, dialect: str) -> tuple[Pivot, PivotValue] | None:
    """A total over the rows that have a value: the pivot of this one column, without its values, and the value."""
    for total in TOTALS:
        counted = pieces_in(item.expression, dialect, lambda value, _, total=total: aggregate_of(total, value))  # type: ignore[misc]
        form = computed_form(counted[0], dialect) if counted is not None else None
        if isinstance(form, Cases) and len(form.cases) == 1 and not form.otherwise:
            case = form.cases[0]
            compared = pieces_in(case.when, dialect, "{} = {}".format)
            blank = pieces_in(case.when, dialect, "{0} is null".format)
            if blank is not None:
                return Pivot(blank[0], (), case.then, total), PivotValue(item_name(item), None)
            if compared is not None and _is_constant(compared[1], dialect):
                return Pivot(compared[0], (), case.then, total), PivotValue(item_name(item), compared[1])
    return None


def _is_constant(sql: str, dialect: str) -> bool:
    try:
        tree = sqlglot.parse_one(sql, dialect=dialect)
    except SqlglotError:
        return False
    return tree.find(exp.Column, exp.Placeholder, exp.Query, exp.Binary) is None


def pivot(sentence: SelectModel, wanted: Pivot, dialect: str, keyword: Keyword = str) -> SelectModel:
    """The sentence with its own columns but those that are turned, and one for each value. Raises QueryError without
    values."""
    totals = _totals(wanted, dialect, keyword)
    turned = {wanted.across, wanted.value}
    kept = [item for item in sentence.select_items if not {item.expression, item_name(item)} & {*turned, "*"}]
    plain = [item for item in kept if not has_aggregate(item.expression, dialect)]
    names = [item_name(item) for item in plain]
    columns = []
    for name, expression in totals:
        columns.append(_named(expression, name, names, dialect))
        names.append(item_name(columns[-1]))
    return project(sentence, [*plain, *columns], dialect)


def _named(expression: str, name: str, taken: list[str], dialect: str) -> SelectItem:
    return SelectItem(expression, bare_or_quoted(unused_name(name, taken), dialect))


def _totals(wanted: Pivot, dialect: str, keyword: Keyword) -> list[tuple[str, str]]:
    """The names and the expressions of a pivot's columns. Raises QueryError without values."""
    if not wanted.values:
        raise QueryError("Choose the values that become columns.")
    found = [(value.name, with_keywords(_of_one(wanted, value), dialect, keyword)) for value in wanted.values]
    found += [(_WHOLE, wanted.value)] if wanted.has_whole else []
    return [(name, aggregate_of(wanted.total, counted)) for name, counted in found]


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
    keyword = keyword_of(sql)
    begin, end = keyword("select"), keyword("from")
    stacked = tuple(
        StackedSelect("union all", f"{begin} {listed}{text}, {column} {end} wide") for text, column in others
    )
    return rewrite_select(wrapped, replace(outer, select_items=own, stacked=stacked), dialect)
