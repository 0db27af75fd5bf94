"""The inspector's forms for a matrix: the matrix, a level of either side, a measure."""

from functools import partial
from typing import Any

from northmoor.app.document_controller import ReportEdit, Selection
from northmoor.app.language.translation import tr
from northmoor.app.pages.field_texts import total_text
from northmoor.app.pages.inspector.block_forms import name_line
from northmoor.app.pages.inspector.form import InspectorForm
from northmoor.app.pages.inspector.grouping_editors import show_regrouping
from northmoor.core.authoring.queries.field_choices import FieldChoice, field_choices
from northmoor.core.authoring.rename import rename_level
from northmoor.core.base.readable_names import shown_title
from northmoor.core.model import edits
from northmoor.core.model.blocks.matrix import MatrixBlock, MatrixLevel, Measure
from northmoor.core.model.report import Report

SIDE_NAMES = {"rows": tr("Rows"), "columns": tr("Columns")}
_ADD_TO = {"rows": tr("Add a level of rows"), "columns": tr("Add a level of columns")}


def show_matrix(form: InspectorForm, report: Report, edition: str, selection: Selection) -> None:
    """A matrix as a whole."""
    matrix = edits.matrix_of(report, edition, selection.block)
    change = form.block_change(matrix.name)
    form.title(tr("Matrix · {name}").format(name=matrix.name))
    form.section(tr("Content"))
    name_line(form, matrix)
    queries = [query.name for query in report.queries]
    form.property(MatrixBlock, matrix, "query", lambda v: form.edit(tr("Change the query"), change(query=v)), queries)
    shown = ("keep_rows", "no_rows", "row_total", "row_total_text", "column_total", "column_total_text", "when_empty")
    form.properties(MatrixBlock, matrix, shown, tr("Change what is shown"), change)
    fields = field_choices(report.query(matrix.query), form.controller.kinds.get(matrix.query, {}))
    for side, text in _ADD_TO.items():
        form.choices(text, "plus", [(each.shown_name, partial(_add_level, matrix.name, side, each)) for each in fields])
    values = [(total_text(each), partial(_add_measure, matrix.name, each)) for each in fields]
    form.choices(tr("Add a value"), "sigma", values)
    form.action(tr("Swap rows and columns"), partial(_swap, matrix.name), "refresh-cw")
    form.section(tr("Layout"))
    names = ("stepped", "indent", "measures_in", "show_measures", "when_wide", "minimum_scale", "sheets",
             "even_widths", "space_after", "visible")  # fmt: skip
    form.properties(MatrixBlock, matrix, names, tr("Change the matrix"), change)
    form.section(tr("Appearance"))
    for name in ("style", "head_style", "key_style", "total_style"):
        form.style(report, matrix, name, tr("Change the style"), change)
    form.action(tr("Convert to table"), partial(_to_table, matrix.name), "table-2")
    form.take_out(matrix.name, tr("Remove the matrix"))


def show_matrix_level(form: InspectorForm, report: Report, edition: str, selection: Selection) -> None:
    """A level on a side of a matrix."""
    matrix = edits.matrix_of(report, edition, selection.block)
    level = matrix.level(selection.level)
    side = edits.side_of(matrix, level.name)
    is_inner = getattr(matrix, side)[-1] is level

    def change(**changes: Any) -> ReportEdit:
        if "name" in changes:
            return lambda r, e: rename_level(r, e, matrix.name, level.name, changes["name"])
        return lambda r, e: edits.change_matrix_level(r, e, matrix.name, level.name, **changes)

    form.title(f"{SIDE_NAMES[side]} · {shown_title(level)}")
    form.section(tr("Content"))
    form.properties(MatrixLevel, level, ("name", "by"), tr("Change the level"), change)
    kinds = form.controller.kinds.get(matrix.query, {})
    show_regrouping(form, kinds, level.by, change)
    names = ("title", "format") if side == "rows" else ("format",)
    form.properties(MatrixLevel, level, names, tr("Change the level"), change)
    form.properties(MatrixLevel, level, ("order", "order_by", "listed", "first_groups", "others", "keep_groups"),
                    tr("Change the order"), change)  # fmt: skip
    parent = ("parent", "count_ways") if level.parent else ("parent",)
    form.properties(MatrixLevel, level, ("fill", "members", *parent), tr("Change the level"), change)
    if not is_inner:
        form.properties(MatrixLevel, level, ("subtotal", "subtotal_text"), tr("Change the subtotals"), change)
    form.section(tr("Layout"))
    if side == "rows":
        placed = ("width",) if is_inner else ("width", "page_break", "keep_together")
        form.properties(MatrixLevel, level, placed, tr("Change the level"), change)
    other = "columns" if side == "rows" else "rows"
    where = (matrix.name, level.name)
    form.action(
        tr("Move to the {other}").format(other=other), lambda r, e: edits.turn_matrix_level(r, e, *where), "refresh-cw"
    )
    form.action(tr("Move outward"), lambda r, e: edits.move_matrix_level(r, e, *where, -1), "arrow-up")
    form.action(tr("Move inward"), lambda r, e: edits.move_matrix_level(r, e, *where, 1), "arrow-down")
    form.action(tr("Remove the level"), lambda r, e: edits.remove_matrix_level(r, e, *where))
    if not is_inner:
        form.section(tr("Appearance"))
        form.style(report, level, "style", tr("Change the style"), change)


def show_measure(form: InspectorForm, report: Report, edition: str, selection: Selection) -> None:
    """A measure, in all cells of a matrix."""
    matrix = edits.matrix_of(report, edition, selection.block)
    measure = matrix.measure(selection.column)

    def change(**changes: Any) -> ReportEdit:
        return lambda r, e: edits.change_measure(r, e, matrix.name, measure.name, **changes)

    form.title(tr("Value · {name}").format(name=shown_title(measure)))
    form.section(tr("Content"))
    own = ("text",) if measure.text is not None else ("value", "format", "currency", "when_null", "when_zero")
    form.properties(Measure, measure, ("name", "title", *own, "totals", "link"), tr("Change the measure"), change)
    form.section(tr("Layout"))
    form.properties(Measure, measure, ("width",), tr("Change the width"), change)
    for side, text in (("rows", tr("Sort rows by it")), ("columns", tr("Sort columns by it"))):
        if getattr(matrix, side) and measure.value is not None:
            form.action(text, partial(_order_by, matrix.name, side, measure.value), "arrow-down-a-z")
    form.action(tr("Move before"), lambda r, e: edits.move_measure(r, e, matrix.name, measure.name, -1), "arrow-up")
    form.action(tr("Move after"), lambda r, e: edits.move_measure(r, e, matrix.name, measure.name, 1), "arrow-down")
    form.action(tr("Remove the value"), lambda r, e: edits.remove_measure(r, e, matrix.name, measure.name))
    form.looks(report, measure, tr("Change the appearance"), change, (matrix.style,))
    if measure.scale is not None:
        form.properties(Measure, measure, ("scale_over",), tr("Change the scale"), change)


def _add_level(matrix: str, side: str, field: FieldChoice, report: Report, edition: str) -> Report:
    return edits.add_matrix_level(report, edition, matrix, side, field.name, field.expression)


def _add_measure(matrix: str, field: FieldChoice, report: Report, edition: str) -> Report:
    return edits.add_measure(report, edition, matrix, field.name, field.total_value)


def _order_by(matrix: str, side: str, value: str, report: Report, edition: str) -> Report:
    """Order a side's innermost groups by a measure, largest first."""
    inner = getattr(edits.matrix_of(report, edition, matrix), side)[-1]
    changes = {"order_by": value, "order": "descending"}
    return edits.change_matrix_level(report, edition, matrix, inner.name, **changes)


def _swap(matrix: str, report: Report, edition: str) -> Report:
    return edits.swap_sides(report, edition, matrix)


def _to_table(matrix: str, report: Report, edition: str) -> Report:
    return edits.matrix_to_table(report, edition, matrix)
