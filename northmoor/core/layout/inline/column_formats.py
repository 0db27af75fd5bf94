"""How the numbers of a table's column are written where its cells say nothing: rows and totals alike."""

import pyarrow as pa

from northmoor.core.compute.evaluate.scope_names import DETAIL
from northmoor.core.compute.evaluate.slots import scope_of
from northmoor.core.compute.groups.boundaries import ScopedExpression
from northmoor.core.compute.table.evaluation import TableData
from northmoor.core.errors import ExpressionError
from northmoor.core.expr.formats import default_number_pattern, even_pattern
from northmoor.core.expr.language import bare_column, columns_in, is_aggregate, parse
from northmoor.core.layout.context import LayoutContext
from northmoor.core.layout.inline.formatting import Source
from northmoor.core.model.blocks.table import Cell, Column, Content, TableBlock


def column_pattern(table: TableBlock, column: Column, context: LayoutContext) -> str | None:
    """The format that the query's settings give to the column a table's column shows."""
    query = context.report.query(table.query)
    bare = bare_column(column.value)
    return next((c.format for c in query.columns if c.name == bare), None)


def inherited_pattern(table: TableBlock, column: Column, cell: Cell, context: LayoutContext) -> str | None:
    """A total of a column is written like the column, unless it counts."""
    if cell.value is None or not _is_of_column(cell.value, column):
        return None
    return column.format or column_pattern(table, column, context)


def _is_of_column(value: str, column: Column) -> bool:
    if "count(" in value.replace(" ", "").lower() or column.value is None:
        return False
    return bool(columns_in(column.value) & columns_in(value))


def even_column_pattern(
    table: TableBlock, column: Column, content: Content, scope: int, source: Source, context: LayoutContext
) -> str | None:
    """The pattern by which a cell of doubles without a format has as many decimals as all others of its column, so that
    their decimal signs are below one another: those of its rows where they are exact decimals that it is an aggregate
    of, such as amounts and their average; else as many as any of the doubles needs, at most three."""
    if not isinstance(source, TableData) or not _is_double(source, content, scope):
        return None
    cells = source.whole.cells
    rows = cells.get(ScopedExpression(DETAIL, column.value or ""))
    if rows is not None and pa.types.is_decimal(rows.values.type) and _aggregates(content.value or "", column):
        return default_number_pattern(rows.values.type)
    own: list[tuple[int, Content]] = [(DETAIL, column)]
    own += [(scope_of(table, place), c) for place, row in table.rows() for c in row.cells if c.column == column.name]
    doubles = tuple(ScopedExpression(at, c.value or "") for at, c in own if _is_double(source, c, at))
    key = ("even", source.whole, doubles)
    return context.cache.get(key, lambda: even_pattern([cells[each].values for each in doubles]))


def _is_double(data: TableData, content: Content, scope: int) -> bool:
    if content.value is None or content.format is not None or content.currency is not None:
        return False
    found = data.whole.cells.get(ScopedExpression(scope, content.value))
    return found is not None and pa.types.is_floating(found.values.type)


def _aggregates(value: str, column: Column) -> bool:
    try:
        return is_aggregate(parse(value).tree) and _is_of_column(value, column)
    except ExpressionError:
        return False  # it is reported where it is computed
