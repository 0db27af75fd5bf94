"""What can be done to a table by one of its columns: sort, group, filter, total, cross and draw it."""

import re
from collections.abc import Iterable
from datetime import date
from decimal import Decimal
from typing import Any, Literal

from northmoor.core.authoring.column_roles import default_aggregate
from northmoor.core.base.readable_names import readable_name
from northmoor.core.expr.identifiers import quoted
from northmoor.core.expr.language import bare_column, bracketed, column_expression
from northmoor.core.model import edits
from northmoor.core.model.blocks.chart import ChartBlock, ChartLevel, ChartMeasure
from northmoor.core.model.blocks.table import Cell, Column, Drawing, OrderBy, RowPlace, TableBlock
from northmoor.core.model.blocks.tree import walk
from northmoor.core.model.data.queries import Query
from northmoor.core.model.kinds.aggregates import aggregate_of
from northmoor.core.model.kinds.value_kinds import KindName
from northmoor.core.model.parameters import ChoicesFrom, Parameter
from northmoor.core.model.report import Report
from northmoor.core.model.styles import ConditionalFormat, Style

NEGATIVE_COLOR = "#B3402E"


def table_column(block: TableBlock, name: str) -> Column:
    """The column of a name. Raises KeyError."""
    for column in block.columns:
        if column.name == name:
            return column
    raise KeyError(name)


def sort_by_column(report: Report, edition: str, table: str, column: str, descending: bool) -> Report:
    """Sort a table by a column: the groups of the level whose key it shows, else the rows within their groups."""
    block = edits.table_of(report, edition, table)
    value = _value(block, column)
    level = next((each for each in block.levels if each.by == value), None)
    if level is not None:
        order = "descending" if descending else "ascending"
        return edits.change_level(report, edition, table, level.name, order=order, order_by=None)
    rest = tuple(key for key in block.order if key.by != value)
    return edits.change_block(report, edition, table, order=(OrderBy(by=value, descending=descending), *rest))


def sort_groups_by_total(
    report: Report, edition: str, table: str, column: str, descending: bool, level: str | None = None
) -> Report:
    """Sort the groups of a level, or of all levels, by the total of a column in them."""
    block = edits.table_of(report, edition, table)
    total = total_of(report, block, column)
    order = "descending" if descending else "ascending"
    for each in block.levels:
        if level in (None, each.name):
            report = edits.change_level(report, edition, table, each.name, order=order, order_by=total)
    return report


def total_of(report: Report, block: TableBlock, column: str) -> str:
    """The expression that totals a column: that of its total, where it has one, else the default of its field."""
    printed = printed_total(block, column)
    if printed is not None:
        return printed
    return aggregate_of(default_aggregate(report, block, table_column(block, column)), _value(block, column))


def printed_total(block: TableBlock, column: str) -> str | None:
    """The expression of a column's total, the first that it has."""
    cells = (cell for place, row in block.rows() if place.row == "total" for cell in row.cells)
    return next((cell.value for cell in cells if cell.column == column and cell.value is not None), None)


def total_everywhere(report: Report, edition: str, table: str, column: str, aggregate: str | None = None) -> Report:
    """Total a column at the end of each group and of the table."""
    for level in (*(each.name for each in edits.table_of(report, edition, table).levels), None):
        report = edits.add_total(report, edition, table, column, level, aggregate)
    return report


def group_by_column(report: Report, edition: str, table: str, column: str, at: int | None = 0) -> Report:
    """Group a table by what a column shows, outermost by default."""
    value = _value(edits.table_of(report, edition, table), column)
    return edits.add_level(report, edition, table, bare_column(value) or column, value, at)


def column_of_keys(block: TableBlock, level: str) -> Column | None:
    """The column that shows a level's keys beside the rows of its groups, once for each; None without one."""
    by = block.level(level).by
    return next((column for column in block.columns if column.value == by and column.blank_repeats), None)


def heading_beside(report: Report, edition: str, table: str, level: str, on: bool) -> Report:
    """Show a level's keys in a column beside the rows of its groups instead of a heading above them, or the other way
    round. The column comes after those of the levels around it."""
    block = edits.table_of(report, edition, table)
    own, present = block.level(level), column_of_keys(block, level)
    if not on:
        if present is not None:
            report = edits.remove_column(report, edition, table, present.name)
            block = edits.table_of(report, edition, table)
        heading = own.heading or (edits.heading_row(report, block, own.by),)
        return edits.change_level(report, edition, table, level, heading=heading)
    if present is None:
        outer = [column_of_keys(block, each.name) for each in block.levels[: block.levels.index(own)]]
        at = sum(column is not None for column in outer)
        column = Column(name=own.name, title=readable_name(own.name), value=own.by, blank_repeats=True)
        report = edits.insert_column(report, edition, table, column, at)
    return edits.change_level(report, edition, table, level, heading=())


def keep_value(report: Report, edition: str, block: str, expression: str, value: Any, is_kept: bool) -> Report:
    """Show in a block only the rows with a value of an expression, or only those without it."""
    own, expression = edits.block_of(report, edition, block), bracketed(expression)
    if value is None:
        condition = f"{expression} is {'' if is_kept else 'not '}null"
    elif is_kept:
        condition = f"{expression} = {literal(value)}"
    else:
        condition = f"{expression} is distinct from {literal(value)}"
    return edits.change_block(report, edition, block, keep_rows=_and(own.keep_rows, condition))


def filter_by_parameter(
    report: Report, edition: str, block: str, expression: str | None, kind: KindName, value: Any
) -> Report:
    """Let whoever runs the report choose the value of a field that the rows of a block are shown with, or all of them;
    the list has all that occur. The value given is the default.

    Raises ValueError for an expression that is more than a field.
    """
    own, field = edits.block_of(report, edition, block), bare_column(expression)
    if field is None:
        raise ValueError(f"{expression!r} computes its values; a list is made of a field of the query")
    name = parameter_name(field, report.value_names)
    listed = edits.unused_name(f"{name}_list", [query.name for query in report.queries])
    sql = f"select distinct {quoted(field)} from {own.query} where {quoted(field)} is not null order by 1\n"
    report = edits.add_query(report, Query(name=listed, sql=sql))
    parameter = Parameter(
        name=name,
        label=edits.column_setting(report.query(own.query), field).shown_name,
        kind=kind,
        required=False,
        default=value if isinstance(value, bool | int | str) or value is None else str(value),
        choices_from=ChoicesFrom(query=listed, value=field),
    )
    report = edits.add_parameter(report, parameter)
    condition = f"(:{name} is null or {column_expression(field)} = :{name})"
    return edits.change_block(report, edition, block, keep_rows=_and(own.keep_rows, condition))


def has_small_trend(block: TableBlock, column: str) -> bool:
    """Whether the headings of a table's innermost level draw the values of a column as a line."""
    cells = [cell for row in block.levels[-1].heading[:1] for cell in row.cells] if block.levels else []
    return any(cell.column == column and cell.draw is not None and cell.draw.kind == "spark" for cell in cells)


def small_trend(report: Report, edition: str, table: str, column: str, on: bool) -> Report:
    """Draw the values of a column as a small line in the headings of the innermost level, or no longer; what a heading
    has over several columns ends before it."""
    block = edits.table_of(report, edition, table)
    level, names = block.levels[-1], [each.name for each in block.columns]
    at, row = names.index(column), level.heading[0]
    kept = [cell for cell in row.cells if cell.column != column]
    if on:
        starts = [names.index(cell.column) for cell in kept]
        kept = [cell.but(span=at - start) if start < at < start + cell.span else cell
                for start, cell in zip(starts, kept, strict=True)]  # fmt: skip
        kept.append(Cell(column=column, value=f"list({_value(block, column)})", draw=Drawing(kind="spark")))
    cells = tuple(sorted(kept, key=lambda cell: names.index(cell.column)))
    return edits.change_level(report, edition, table, level.name, heading=(row.but(cells=cells), *level.heading[1:]))


def parameter_name(field: str, taken: Iterable[str]) -> str:
    """A name that a new parameter can have, from that of a field."""
    name = re.sub(r"\W+", "_", field, flags=re.ASCII).strip("_").lower() or "value"
    return edits.unused_name(name if name[0].isalpha() else f"value_{name}", list(taken))


def _and(kept: str | None, condition: str) -> str:
    return condition if kept is None else f"({kept}) and {condition}"


def literal(value: Any) -> str:
    """A value as an expression. Raises ValueError for a kind that has no form of its own."""
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, str):
        return "'" + value.replace("'", "''") + "'"
    if isinstance(value, int | Decimal):
        return str(value)
    if type(value) is date:
        return f"date '{value.isoformat()}'"
    raise ValueError(
        "Only texts, whole and decimal numbers, dates, and yes or no can be filtered by; write a condition."
    )


def is_literal(value: Any) -> bool:
    """Whether rows can be filtered by a value."""
    return value is None or isinstance(value, bool | str | int | Decimal) or type(value) is date


def negative_in_red(report: Report, edition: str, table: str, column: str, on: bool) -> Report:
    """Print a column's negative numbers in red, in its rows and totals, or no longer."""
    block = edits.table_of(report, edition, table)
    look = Style(color=NEGATIVE_COLOR)

    def rules(value: str, known: tuple[ConditionalFormat, ...]) -> tuple[ConditionalFormat, ...]:
        rule = ConditionalFormat(when=f"{value} < 0", look=look)
        return (*(each for each in known if each != rule), *((rule,) if on else ()))

    own = table_column(block, column)
    report = edits.change_column(report, edition, table, column, rules=rules(_value(block, column), own.rules))
    for place, row in block.rows():
        for cell in row.cells:
            if cell.column == column and cell.value is not None and place.row in ("heading", "total"):
                changed = rules(cell.value, cell.rules)
                report = edits.change_cell(report, edition, table, place, column, rules=changed)
    return report


def is_negative_red(block: TableBlock, column: str) -> bool:
    """Whether a column's negative numbers are printed in red."""
    own = table_column(block, column)
    return any(rule.when == f"{own.value} < 0" for rule in own.rules)


def cross_by_column(report: Report, edition: str, table: str, column: str) -> Report:
    """Turn a table into a matrix with what a column shows across, and its levels down the side."""
    block = edits.table_of(report, edition, table)
    value = _value(block, column)
    at = next((number for number, level in enumerate(block.levels) if level.by == value), None)
    if at is None:
        report = edits.add_level(report, edition, table, bare_column(value) or column, value)
    else:
        report = edits.move_level(report, edition, table, block.levels[at].name, len(block.levels) - 1 - at)
    crossed = edits.table_to_matrix(report, edition, table)
    matrix = edits.matrix_of(crossed, edition, table)
    return crossed if matrix.columns else edits.turn_matrix_level(crossed, edition, table, matrix.rows[0].name)


def chart_column(
    report: Report, edition: str, table: str, column: str, where: Literal["after", "beside"] = "after"
) -> Report:
    """Draw a column's totals below its table or beside it, for the groups of its outermost level or its first texts."""
    block = edits.table_of(report, edition, table)
    own = table_column(block, column)
    key = block.levels[0].by if block.levels else next(
        (each.value for each in block.columns if each.value is not None and each is not own), None
    )  # fmt: skip
    category = None
    if key is not None:
        titled = next((each.title for each in block.columns if each.value == key), "")
        category = ChartLevel(name="category", by=key, title=titled)
    measure = ChartMeasure(name=own.name, value=total_of(report, block, column), title=own.title)
    found = report.edition(edition)
    taken = [each.name for each in walk(found.blocks)] if found is not None else []
    name = edits.unused_name(f"{own.name}-chart", taken)
    chart = ChartBlock(name=name, query=block.query, category=category, measures=(measure,), space_after=12_000)
    return edits.insert_blocks(report, edition, [chart], edits.Target(table, where))


def insert_computed_column(report: Report, edition: str, table: str, column: str, after: bool = True) -> Report:
    """Put a new column beside another, which shows a first computed value to be changed."""
    block = edits.table_of(report, edition, table)
    at = [each.name for each in block.columns].index(column) + after
    own = table_column(block, column)
    name = edits.unused_name("computed", [each.name for each in block.columns])
    made = Column(name=name, title="Computed", value=own.value or "1")
    return edits.insert_column(report, edition, table, made, at)


def total_places(block: TableBlock, column: str) -> list[RowPlace]:
    """The totals that a column has."""
    return [
        place
        for place, row in block.rows()
        if place.row == "total" and any(c.column == column and c.value is not None for c in row.cells)
    ]


def _value(block: TableBlock, column: str) -> str:
    value = table_column(block, column).value
    if value is None:
        raise ValueError(f"The column {column!r} shows a text; it has no value.")
    return value
