"""Columns that are computed from another column of a table, in its rows, headings and totals alike: the share, the
running total, the difference from the one before, and the rank.

To add one, add its record to `DERIVED_COLUMNS`.
"""

from collections.abc import Callable

from msgspec import Struct

from northmoor.core.authoring.column_roles import column_format, default_aggregate
from northmoor.core.expr.language import bracketed, column_expression, is_one_aggregate
from northmoor.core.expr.named_patterns import percent_pattern
from northmoor.core.model import edits
from northmoor.core.model.blocks.table import Cell, Column, RowPlace, TableBlock
from northmoor.core.model.kinds.aggregates import aggregate_of
from northmoor.core.model.report import Report

REPORT = "report"
"""The window of all rows."""


class DerivedColumn(Struct, frozen=True):
    """How a column follows from another. `value` is the expression for a figure `{x}` whose aggregate over rows is
    `{sum}`, within a window `{window}`."""

    name: str
    label: str
    title: str
    value: str
    help: str
    """The same in other words."""
    is_percent: bool = False
    of_grand_total: bool = False
    """Whether the grand total has a figure too."""


DERIVED_COLUMNS: tuple[DerivedColumn, ...] = (
    DerivedColumn("share", "Share", "Share", "{x} / nullif({sum} over {window}, 0)",
                  "Its part of the total, in percent", True, True),
    DerivedColumn("running", "Running total", "Running total", "sum({x}) over ({window} rows unbounded preceding)",
                  "Added up from row to row, cumulated"),
    DerivedColumn("difference", "Difference from the one before", "Difference", "{x} - lag({x}) over {window}",
                  "How much more or less than in the row before"),
    DerivedColumn(
        "change", "Change from the one before, %", "Change", "{x} / nullif(lag({x}) over {window}, 0) - 1",
        "The difference to the row before, in percent", True,
    ),
    DerivedColumn("rank", "Rank", "Rank", "rank() over ({window} order by {x} desc)",
                  "The place among the others, the largest first"),
)  # fmt: skip
DERIVED_BY_NAME = {derived.name: derived for derived in DERIVED_COLUMNS}


def add_derived_column(
    report: Report, edition: str, table: str, column: str, derived: DerivedColumn, window: str = REPORT
) -> Report:
    """Put a column that is derived from another beside it, within all rows or each group of a level.

    Raises ValueError for a column that shows a text.
    """
    block = edits.table_of(report, edition, table)
    own = next(each for each in block.columns if each.name == column)
    if own.value is None:
        raise ValueError(f"the column {column!r} shows a text, from which nothing can be computed")
    name = edits.unused_name(f"{column}_{derived.name}", [each.name for each in block.columns])
    total = aggregate_of(default_aggregate(report, block, own), own.value)
    made = Column(
        name=name,
        title=derived.title,
        value=_filled(derived, own.value, total, window),
        format=_format(report, block, own, derived),
    )
    at = block.columns.index(own) + 1
    report = edits.insert_column(report, edition, table, made, at)
    for place, figure in _figures_within(block, column, window, derived):
        if "{sum}" in derived.value and not is_one_aggregate(figure):
            continue  # what it is a share of cannot be said by its own expression
        cell = _filled(derived, figure, figure, window)
        report = edits.change_cell(report, edition, table, place, name, value=cell)
    return report


def _filled(derived: DerivedColumn, figure: str, total: str, window: str) -> str:
    named = window if window == REPORT else column_expression(window)
    return derived.value.replace("{x}", bracketed(figure)).replace("{sum}", total).replace("{window}", named)


def _format(report: Report, block: TableBlock, column: Column, derived: DerivedColumn) -> str | None:
    if derived.is_percent:
        return percent_pattern(report.locale, 1)
    return None if derived.name == "rank" else column_format(report, block, column)


def _figures_within(block: TableBlock, column: str, window: str, derived: DerivedColumn) -> list[tuple[RowPlace, str]]:
    """The figures under a column in headings and totals, of groups that lie in a window."""
    names = [level.name for level in block.levels]
    outermost = -1 if window == REPORT else names.index(window)
    is_whole: Callable[[Cell], bool] = lambda cell: cell.column == column and cell.value is not None  # noqa: E731
    found = []
    for place, row in block.rows():
        depth = names.index(place.level) if place.level is not None else -1
        is_inside = depth > outermost or (derived.of_grand_total and depth == outermost)
        if place.row in ("heading", "total") and is_inside and (place.level is not None or derived.of_grand_total):
            found += [(place, str(cell.value)) for cell in row.cells if is_whole(cell)]
    return found
