"""Traces of cells of matrices."""

import pyarrow as pa

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.checks.trace.figures import Figure, Trace, text_on_page
from northmoor.core.compute.crosstab.cell_values import CellLevel, CrosstabExpression
from northmoor.core.compute.crosstab.evaluation import CrosstabData, crosstab_plan
from northmoor.core.compute.evaluate.slots import template_of
from northmoor.core.compute.explain.crosstab_query import CellAddress, crosstab_verifier
from northmoor.core.compute.explain.table_query import Verification
from northmoor.core.document import Document
from northmoor.core.errors import LayoutError, Place
from northmoor.core.expr.formats import format_one
from northmoor.core.expr.language import columns_in
from northmoor.core.expr.templates import Slot
from northmoor.core.layout.flow.fragments import TableFragmentOnPage
from northmoor.core.layout.page.hit_testing import HitRegion
from northmoor.core.model.blocks.matrix import MatrixBlock


def trace_matrix(document: Document, part: TableFragmentOnPage, region: HitRegion, stop: CancelToken) -> Trace:
    matrix = document.composition.results.correlated[region.block].block
    assert isinstance(matrix, MatrixBlock)  # its cell is on the page
    data = part.layout.data
    shown = data.crosstab_column(region.under)
    if region.part != "measure" or region.row == "head" or shown is None or region.printed is None:
        raise LayoutError("There is no figure here; choose a cell of a measure.", Place(block=region.block))
    asking = crosstab_verifier(crosstab_plan(matrix), document.rows, document.resolved.complete_values(), stop)
    sides = asking.sides
    row_level = [level.name for level in matrix.rows]
    rows = (
        row_level.index(region.level) + 1
        if region.level is not None
        else 0
        if region.row == "total"
        else len(row_level)
    )
    at = CellLevel(rows, len(shown.keys))
    row = int(part.layout.rows.index[region.printed])
    groups = range(sides.columns.size(at.columns))
    column = next(group for group in groups if sides.columns.keys(at.columns, group) == shown.keys)
    cell = CellAddress(at, row, column)
    behind = asking.rows_behind(cell)
    measure = matrix.measure(region.column)
    made = document.composition.data[matrix.name]
    assert isinstance(made, CrosstabData)  # its cell is on the page
    figures = []
    for text in dict.fromkeys(s.expression.text for s in template_of(measure) if isinstance(s, Slot)):
        found = made.crossings.values[CrosstabExpression(at, text)]
        number = row * sides.columns.size(at.columns) + column
        fault = found.fault or found.faults.get(number)
        answer = Verification(why_not=fault.message) if fault is not None else asking.verify(text, cell, stop)
        value = None if fault is not None else found.values[number].as_py()
        figures.append(Figure(text, value, answer, len(behind)))
    own = document.rows[matrix.query]
    keys = (*sides.rows.keys(at.rows, row), *shown.keys)
    levels = (*matrix.rows[: at.rows], *matrix.columns[: at.columns])
    format_locale = document.composition.context.locale
    keys_of_scope = [
        f"{level.name} = {format_one(key, level.format, format_locale) or 'blank'}"
        for level, key in zip(levels, keys, strict=True)
        if columns_in(level.by)  # not that of a matrix without levels down its side
    ]
    return Trace(
        text_on_page(part, region),
        ", ".join(keys_of_scope) or "all rows of the matrix",
        tuple(figures),
        replace(own, table=own.table.take(pa.array(behind))),
    )
