"""What is known of a table's column: the field that it shows, how that is totalled, and how it is written."""

from collections.abc import Mapping

from northmoor.core.analysis.expression_types import expression_type, type_words
from northmoor.core.errors import ExpressionError
from northmoor.core.expr.language import bare_column, parse
from northmoor.core.model import edits
from northmoor.core.model.blocks.table import Column, TableBlock
from northmoor.core.model.data.queries import QueryColumn
from northmoor.core.model.kinds.aggregates import NO_TOTAL, totals_of
from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME, KindName
from northmoor.core.model.report import Report


def field_setting(report: Report, block: TableBlock, column: Column) -> QueryColumn | None:
    """What the query says of the field that a column shows; None where the column computes something else."""
    bare = bare_column(column.value)
    return edits.column_setting(report.query(block.query), bare) if bare is not None else None


def default_aggregate(report: Report, block: TableBlock, column: Column) -> str:
    """The aggregate that a column is totalled by where nothing else is said."""
    setting = field_setting(report, block, column)
    total = setting.total if setting is not None else None
    return "sum" if total in (None, NO_TOTAL) else str(total)


def totals_of_value(value: str, kinds: Mapping[str, KindName], usual: str = "sum") -> tuple[str, ...]:
    """Names of the aggregates that can total an expression over fields of some kinds, the usual one first; all where
    its kind is not known."""
    return totals_of(kind_in_words(value, kinds) in (None, "a number", "a duration"), usual)


def kind_in_words(value: str, kinds: Mapping[str, KindName]) -> str | None:
    """What an expression over fields of some kinds is, in words such as *a number*; None where that is not known."""
    types = {field: KIND_OF_NAME[kind].sql.upper() for field, kind in kinds.items()}
    try:
        found = expression_type(parse(value), types)
    except ExpressionError:
        return None
    return type_words(found) if isinstance(found, str) else None


def column_format(report: Report, block: TableBlock, column: Column) -> str | None:
    """The pattern of a column's values: its own, else that of its field."""
    setting = field_setting(report, block, column)
    return column.format or (setting.format if setting is not None else None)
