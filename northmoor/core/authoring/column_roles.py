"""What is known of a table's column: the field that it shows, how that is totalled, and how it is written."""

from collections.abc import Mapping

from northmoor.core.expr.language import bare_column
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
    kind = kinds.get(bare_column(value) or "")
    return totals_of(kind is None or KIND_OF_NAME[kind].is_number, usual)


def column_format(report: Report, block: TableBlock, column: Column) -> str | None:
    """The pattern of a column's values: its own, else that of its field."""
    setting = field_setting(report, block, column)
    return column.format or (setting.format if setting is not None else None)
