"""A matrix laid out: the table that prints it, at its widths, smaller, or over sheets side by side."""

from northmoor.core.compute.crosstab.evaluation import CrosstabData
from northmoor.core.compute.table.evaluation import TableData
from northmoor.core.layout.context import LayoutContext, TextFit
from northmoor.core.layout.table.cell_layout import lay_out_rows
from northmoor.core.layout.table.collapsing import column_folds
from northmoor.core.layout.table.column_widths import max_content_widths
from northmoor.core.layout.table.crosstab_table import CrosstabTableBuilder
from northmoor.core.layout.table.horizontal_split import lay_out_split, split_sheets
from northmoor.core.layout.table.layout import TableLayout, lay_out_table
from northmoor.core.layout.table.row_sequence import kinds_of_table, row_sequence
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.table import TableBlock


def lay_out_matrix(
    matrix: MatrixBlock,
    data: CrosstabData,
    width: int,
    context: LayoutContext,
    hidden: int = 0,
    on_one_sheet: bool = False,
) -> tuple[TableBlock, list[TableLayout]]:
    """The table that prints a matrix, and its sheets from left to right; `hidden` row levels are not printed, since
    they are the keys of the records around it."""
    folds = context.folds.get(matrix.name), context.folds.get(column_folds(matrix.name))
    key = ("spread", matrix, data, context.report.styles, context.report.query(matrix.query), folds, hidden)
    made = CrosstabTableBuilder(matrix, data, context.report, *folds, hidden)
    table, spread = context.cache.get(key, made.table)
    widths = _max_content_widths(matrix, table, spread, context)
    if sum(widths) <= width:
        return table, [lay_out_table(_with_widths(table, widths), spread, width, context)]
    if matrix.when_wide == "shrink":
        context = context.fitted(TextFit(max(width / sum(widths), matrix.minimum_scale)))
        widths = _max_content_widths(matrix, table, spread, context)
        if sum(widths) <= width + len(widths) * _ROUNDING:
            return table, [lay_out_table(table, spread, width, context)]
    if on_one_sheet:
        return table, [lay_out_table(table, spread, width, context)]
    if matrix.when_wide == "narrow":
        return table, lay_out_split(table, spread, width, context)
    widths = [min(each, width) for each in widths]
    return table, split_sheets(_with_widths(table, widths), spread, widths, width, context)


_ROUNDING = 200
"""How much a column may be wider than its share after its look has been made smaller, for rounded sizes."""


def _max_content_widths(matrix: MatrixBlock, table: TableBlock, spread: TableData, context: LayoutContext) -> list[int]:
    """The widths of the printed columns by their content, those of a measure as wide as its widest if given."""
    sequence = context.cache.get(("flow", spread, kinds_of_table(table)), lambda: row_sequence(table, spread))
    _, plans = lay_out_rows(table, spread, sequence, context)
    widths = max_content_widths(table, plans, context)
    if not matrix.even_widths:
        return widths
    assert spread.crosstab is not None  # it prints a matrix
    shown = [spread.crosstab.columns[column.name].column for column in table.columns]
    widest = {name: max(w for w, own in zip(widths, shown, strict=True) if own == name) for name in set(shown)}
    keys = {column.name for column in table.columns if column.repeat_across}
    named = zip(widths, table.columns, shown, strict=True)
    return [width if column.name in keys else widest[own] for width, column, own in named]


def _with_widths(table: TableBlock, widths: list[int]) -> TableBlock:
    return table.but(columns=tuple(c.but(width=w) for c, w in zip(table.columns, widths, strict=True)))
