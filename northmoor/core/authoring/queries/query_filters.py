"""A query filtered by one of its result's columns: by a value that it has, or by a parameter that offers all."""

from collections.abc import Iterable, Sequence
from datetime import date, datetime
from decimal import Decimal
from typing import Any

from northmoor.core.authoring.table_commands import parameter_name
from northmoor.core.base.readable_names import readable_name
from northmoor.core.errors import QueryError
from northmoor.core.expr.identifiers import bare_or_quoted
from northmoor.core.model import edits
from northmoor.core.model.data.queries import Query
from northmoor.core.model.kinds.value_kinds import KindName
from northmoor.core.model.parameters import ChoicesFrom, Parameter
from northmoor.core.model.report import Report
from northmoor.core.sources.builder.asides import tables
from northmoor.core.sources.builder.edits import item_name, with_condition, with_total_condition
from northmoor.core.sources.builder.operands import Operand, operand_sql
from northmoor.core.sources.builder.select_model import (
    BooleanGroup,
    Comparison,
    Condition,
    OrderItem,
    SelectItem,
    SelectModel,
    select_sql,
)
from northmoor.core.sources.builder.select_parser import has_aggregate, parse_select
from northmoor.core.sources.builder.select_writer import rewrite_select


def expression_of(sentence: SelectModel, column: str) -> str | None:
    """What a column of the result is made of, as SQL; None where the SQL does not say."""
    for kept in sentence.select_items:
        if item_name(kept).lower() == column.lower():
            return kept.expression
    return column if any(kept.expression == "*" for kept in sentence.select_items) else None


def with_value_kept(sentence: SelectModel, column: str, value: Any, is_kept: bool, dialect: str) -> SelectModel:
    """Only the rows that have a value in a column of the result, or all but those. Raises QueryError where the SQL does
    not say what the column is made of."""
    expression = _known_expression(sentence, column)
    if value is None:
        return with_comparison(sentence, Comparison(expression, "is null" if is_kept else "is not null"), dialect)
    if dialect == "sqlite" and isinstance(value, Decimal):  # it computes with doubles, which are seldom equal
        expression = f"round({expression}, {max(-int(value.as_tuple().exponent), 0)})"
    compared = Comparison(expression, "=" if is_kept else "<>", (value_sql(value, dialect),))
    return with_comparison(sentence, compared, dialect)


def with_range_kept(sentence: SelectModel, column: str, low: Any, high: Any, dialect: str) -> SelectModel:
    """Only the rows with a value from `low` on and below `high` in a column of the result; None for an end that is
    open. Raises QueryError where the SQL does not say what the column is made of."""
    expression = _known_expression(sentence, column)
    for operator, bound in ((">=", low), ("<", high)):
        if bound is not None:
            compared = Comparison(expression, operator, (value_sql(bound, dialect),))
            sentence = with_comparison(sentence, compared, dialect)
    return sentence


def with_values_kept(sentence: SelectModel, column: str, values: Sequence[Any], dialect: str) -> SelectModel:
    """Only the rows that have one of some values in a column of the result. Raises QueryError where the SQL does not
    say what the column is made of."""
    expression = _known_expression(sentence, column)
    texts = tuple(value_sql(value, dialect) for value in values)
    return with_comparison(sentence, Comparison(expression, "in", texts), dialect)


def with_comparison(sentence: SelectModel, comparison: Comparison, dialect: str) -> SelectModel:
    """A condition on rows, or on totals where it is about one."""
    is_total = has_aggregate(comparison.left, dialect)
    return (with_total_condition if is_total else with_condition)(sentence, comparison)


def value_sql(value: Any, dialect: str) -> str:
    """A value of a result as SQL."""
    if isinstance(value, bool):
        return str(int(value)) if dialect == "sqlite" else str(value).lower()
    if isinstance(value, int | float | Decimal):
        return f"{value:f}" if isinstance(value, Decimal) else repr(value)
    if isinstance(value, datetime):
        return operand_sql(Operand("timestamp", value.isoformat(" ")), dialect)
    if isinstance(value, date):
        return operand_sql(Operand("date", value.isoformat()), dialect)
    return operand_sql(Operand("text", str(value)), dialect)


def filter_query_by_parameter(report: Report, query: Query, column: str, kind: KindName, dialect: str) -> Report:
    """Let whoever runs the report choose the value of a column, or all: a condition, a parameter and its list in one.

    Raises QueryError for a total, and where the SQL does not say what the column is made of.
    """
    sentence = _own_sentence(query, dialect)
    expression = _known_expression(sentence, column)
    if has_aggregate(expression, dialect):
        raise QueryError(f"{column} is a total; filter it by a condition on totals.")
    name = parameter_name(column, report.value_names)
    listed = edits.unused_name(f"{name}_list", [each.name for each in report.queries])
    asked: Condition = BooleanGroup(
        "or", (Comparison(f":{name}", "is null"), Comparison(expression, "=", (f":{name}",)))
    )
    sql = rewrite_select(query.sql, with_condition(sentence, asked), dialect)
    own = bare_or_quoted(column, dialect)
    choices = SelectModel(
        tables(sentence),
        (SelectItem(expression, own),),
        where=Comparison(expression, "is not null"),
        sorting=(OrderItem("1"),),
        distinct=True,
        steps=sentence.steps,
    )
    report = edits.add_query(report, Query(name=listed, connection=query.connection, sql=select_sql(choices)))
    label = edits.column_setting(query, column).shown_name
    parameter = Parameter(
        name=name, label=label, kind=kind, required=False, choices_from=ChoicesFrom(query=listed, value=column)
    )
    return edits.change_query(edits.add_parameter(report, parameter), query.name, sql=sql)


def period_condition(expression: str, kind: KindName, name: str) -> Condition:
    """That a day or moment lies within a parameter that holds a period."""
    begin, end = f":{name}_from", f":{name}_to"
    if kind == "date":
        return Comparison(expression, "between", (begin, end))
    return BooleanGroup("and", (Comparison(expression, ">=", (begin,)), Comparison(expression, "<", (end,))))


def period_parameter(column: str, kind: KindName, words: str, taken: Iterable[str]) -> Parameter:
    """A parameter that holds a period, from its words on: `last full month`."""
    plain = column.rsplit(".", 1)[-1].strip('"`[]')
    name = parameter_name(plain, taken)
    return Parameter(name=name, label=readable_name(plain), kind=kind, holds="range", default=words)


def filter_query_by_period(report: Report, query: Query, column: str, kind: KindName, dialect: str) -> Report:
    """Let whoever runs the report choose the period of a column's days or moments: a condition and a parameter, at
    first the last full month. Raises QueryError like `filter_query_by_parameter`."""
    sentence = _own_sentence(query, dialect)
    expression = _known_expression(sentence, column)
    if has_aggregate(expression, dialect):
        raise QueryError(f"{column} is a total; filter it by a condition on totals.")
    parameter = period_parameter(column, kind, "last full month", report.value_names)
    changed = with_condition(sentence, period_condition(expression, kind, parameter.name))
    sql = rewrite_select(query.sql, changed, dialect)
    return edits.change_query(edits.add_parameter(report, parameter), query.name, sql=sql)


def _own_sentence(query: Query, dialect: str) -> SelectModel:
    if query.shared is not None:
        raise QueryError("This is a query of the library; make it this report's own first (⋯ beside its name).")
    sentence = parse_select(query.sql, dialect)
    if sentence is None:
        raise QueryError("This SQL says more than a sentence can; write the condition into it.")
    return sentence


def _known_expression(sentence: SelectModel, column: str) -> str:
    expression = expression_of(sentence, column)
    if expression is None:
        raise QueryError(f"The SQL does not say what {column} is made of; write the condition into it.")
    return expression
