"""The inspector's forms for a table: the table, its levels, its rows and their cells."""

from collections.abc import Callable
from functools import partial
from typing import Any

from northmoor.app.document_controller import ReportEdit, Selection
from northmoor.app.language.translation import tr
from northmoor.app.pages.inspector.block_forms import name_line
from northmoor.app.pages.inspector.form import InspectorForm
from northmoor.app.pages.inspector.form_rows import choice_row, line_row
from northmoor.app.pages.inspector.grouping_editors import show_period, show_range
from northmoor.core.authoring.column_roles import default_aggregate, totals_of_value
from northmoor.core.authoring.queries.field_choices import FieldChoice, field_choices
from northmoor.core.authoring.rename import rename_level
from northmoor.core.base.readable_names import shown_title
from northmoor.core.expr.binning import group_by_period, group_by_range
from northmoor.core.expr.language import column_expression
from northmoor.core.expr.order_by import format_order_by, parse_order_by
from northmoor.core.model import edits
from northmoor.core.model.blocks.table import (
    PAGE_ROWS,
    Cell,
    Column,
    Drawing,
    HeadRow,
    Level,
    Row,
    RowPlace,
    TableBlock,
)
from northmoor.core.model.edits import TABLE_LOOKS, table_to_matrix, take_table_look
from northmoor.core.model.report import Report

PAGE_ROW_NAMES = {
    "page_total": tr("Page total"),
    "brought_forward": tr("Brought forward"),
    "carried_forward": tr("Carried forward"),
}
"""The rows of a table that belong to its pages, as they are called."""


def row_name(place: RowPlace) -> str:
    """A row as the window calls it."""
    if place.row in PAGE_ROW_NAMES:
        return PAGE_ROW_NAMES[place.row]
    if place.row == "head":
        return tr("Column titles, row {number}").format(number=place.number) if place.number else tr("Column titles")
    if place.row == "detail":
        return tr("Rows, line {number}").format(number=place.number + 1) if place.number else tr("Rows")
    if place.row == "total" and place.level is None:
        return tr("Grand total {number}").format(number=place.number + 1) if place.number else tr("Grand total")
    row = tr("Heading") if place.row == "heading" else tr("Total")
    what = f"{row} {place.number + 1}" if place.number else row
    return tr("{what} of {level}").format(what=what, level=place.level)


def show_table(form: InspectorForm, report: Report, edition: str, selection: Selection) -> None:
    """A table as a whole."""
    table = edits.table_of(report, edition, selection.block)
    change = form.block_change(selection.block)
    form.title(tr("Table · {name}").format(name=table.name))
    form.section(tr("Content"))
    name_line(form, table)
    queries = [q.name for q in report.queries]
    form.property(TableBlock, table, "query", lambda v: form.edit(tr("Change the query"), change(query=v)), queries)
    _row_order(form, table, change)

    def show_rows(shown: bool) -> None:
        form.edit(tr("Show or hide the rows"), lambda r, e: edits.show_rows(r, e, table.name, shown))

    form.property(TableBlock, table, "show_details", show_rows)
    form.properties(TableBlock, table, ("keep_rows", "when_empty"), tr("Change what is shown"), change)
    form.section(tr("Layout"))
    if table.levels:
        levels = [level.name for level in table.levels]
        form.property(
            TableBlock, table, "folded", lambda v: form.edit(tr("Change the folding"), change(folded=v)), levels
        )
    names = ("when_wide", "minimum_scale", "show_head", "repeat_head", "rows_per_page", "foot_of_page")
    form.properties(TableBlock, table, (*names, "space_after", "visible"), tr("Change the table"), change)
    form.section(tr("Appearance"))
    for name in ("style", "head_style"):
        form.style(report, table, name, tr("Change the style"), change)
    looks = [(tr(look.title), partial(_take_look, table.name, name)) for name, look in TABLE_LOOKS.items()]
    form.choices(tr("Table style"), "type", looks)
    form.choices(tr("Add a row"), "plus", _table_rows(report, table))
    if table.levels:
        form.action(tr("Convert to matrix"), partial(_to_matrix, table.name), "grid-3x3")


def _to_matrix(table: str, report: Report, edition: str) -> Report:
    return table_to_matrix(report, edition, table)


def _take_look(table: str, name: str, report: Report, edition: str) -> Report:
    return take_table_look(report, edition, table, name)


def _add_level(table: str, field: FieldChoice, at: int, report: Report, edition: str) -> Report:
    return edits.add_level(report, edition, table, field.name, field.expression, at)


def _table_rows(report: Report, table: TableBlock) -> list[tuple[str, ReportEdit]]:
    """The rows a table could have besides those it has."""

    def adding(place: RowPlace, row: Row) -> ReportEdit:
        return lambda r, e: edits.change_row(r, e, table.name, place, row)

    plain = Row(cells=(Cell(column=table.columns[0].name, text=""),))
    head = HeadRow(cells=(Cell(column=table.columns[0].name, text="", span=len(table.columns)),))
    found = [
        (tr("Grand total"), adding(RowPlace("total", None, len(table.total)), edits.total_row(report, table, "Total")))
    ]
    for name in PAGE_ROWS:
        if getattr(table, name) is None:
            row = edits.total_row(report, table, PAGE_ROW_NAMES[name], "total")
            found.append((PAGE_ROW_NAMES[name], adding(RowPlace(name), row)))
    found.append((tr("Second line of each row"), adding(RowPlace("detail", None, 1 + len(table.detail)), plain)))
    found.append((tr("Another row of column titles"), adding(RowPlace("head", None, 1 + len(table.head)), head)))
    return found


def show_level(form: InspectorForm, report: Report, edition: str, selection: Selection) -> None:
    """A level."""
    table = edits.table_of(report, edition, selection.block)
    level = table.level(selection.level)

    def change(**changes: Any) -> ReportEdit:
        if "name" in changes:
            return lambda r, e: rename_level(r, e, table.name, level.name, changes["name"])
        return lambda r, e: edits.change_level(r, e, table.name, level.name, **changes)

    form.title(tr("Level {index} · {name}").format(index=table.levels.index(level) + 1, name=level.name))
    form.section(tr("Content"))
    form.properties(Level, level, ("name", "by"), tr("Change the grouping"), change)
    kinds = form.controller.kinds.get(table.query, {})
    show_period(
        form,
        kinds,
        level.by,
        lambda chosen: form.edit(
            tr("Change the period"), lambda r, e: group_by_period(r, e, table.name, level.name, chosen)
        ),
    )
    show_range(
        form,
        kinds,
        level.by,
        lambda size: form.edit(tr("Change the range"), lambda r, e: group_by_range(r, e, table.name, level.name, size)),
    )
    fields: tuple[str, ...] = ("order", "order_by", "listed", "first_groups", "others", "keep_groups", "parent")
    fields += ("count_ways",) if level.parent else ()
    form.properties(Level, level, fields, tr("Change the grouping"), change)
    form.section(tr("Layout"))
    names = (
        "indent",
        "page_break",
        "odd_page",
        "keep_together",
        "largest_gap",
        "repeat_heading",
        "continued",
        "rows_after_heading",
        "rows_before_total",
        "restart_page_number",
    )
    form.properties(Level, level, names, tr("Change the breaks"), change)
    heading = edits.heading_row(report, table, level.by)
    total = edits.total_row(report, table, f"Total for {{{level.by}}}", "total")
    form.action(
        tr("Add another heading row") if level.heading else tr("Add a heading row"),
        change(heading=(*level.heading, heading)),
        "heading",
    )
    form.action(
        tr("Add another total row") if level.total else tr("Add a total row"),
        change(total=(*level.total, total)),
        "sigma",
    )
    at = table.levels.index(level)
    added_fields = field_choices(report.query(table.query), form.controller.kinds.get(table.query, {}))
    for where, place in ((tr("around it"), at), (tr("inside it"), at + 1)):
        added = [(each.shown_name, partial(_add_level, table.name, each, place)) for each in added_fields]
        form.choices(tr("Add a level {where}").format(where=where), "brackets", added)
    form.action(tr("Move outward"), lambda r, e: edits.move_level(r, e, table.name, level.name, -1), "arrow-up")
    form.action(tr("Move inward"), lambda r, e: edits.move_level(r, e, table.name, level.name, 1), "arrow-down")
    form.action(tr("Remove the level"), lambda r, e: edits.remove_level(r, e, table.name, level.name))
    if any(column.value == level.by for column in table.columns):
        form.action(
            tr("Remove the level with its columns"),
            lambda r, e: edits.remove_level(r, e, table.name, level.name, columns=True),
        )


def _row_order(form: InspectorForm, table: TableBlock, change: Callable[..., ReportEdit]) -> None:
    """The order of the rows within the innermost group, as one line."""

    def commit(text: str) -> None:
        form.edit(tr("Change the order of rows"), lambda r, e: change(order=parse_order_by(text))(r, e))

    tip = tr("Expressions over a row, with commas between them; desc after one: the largest first")
    row = line_row("order", format_order_by(table.order), commit, tip, tr("as in the data"), is_code=True)
    form.labelled(tr("Sort rows by"), row)


def show_row(form: InspectorForm, report: Report, edition: str, selection: Selection) -> None:
    """A kind of row of a table."""
    table = edits.table_of(report, edition, selection.block)
    place = selection.place
    form.title(row_name(place))
    if place in (RowPlace("head"), RowPlace("detail")):
        form.section(tr("Appearance"))
        name = "head_style" if place.row == "head" else "style"
        form.style(report, table, name, tr("Change the style"), form.block_change(table.name))
        if place.row == "detail":
            form.rules(report, table.rules, form.block_change(table.name))
        return
    row = table.row_at(place)

    def change(**changes: Any) -> ReportEdit:
        return lambda r, e: edits.change_row(r, e, table.name, place, row.but(**changes))

    if isinstance(row, HeadRow):
        form.section(tr("Layout"))
        form.properties(HeadRow, row, ("on",), tr("Change its position"), change)
    elif place.row in ("heading", "total"):
        form.section(tr("Layout"))
        form.properties(Row, row, ("position",), tr("Change its position"), change)
    form.looks(report, row, tr("Change the appearance"), change, (table.style,))
    form.action(tr("Remove the row"), lambda r, e: edits.change_row(r, e, table.name, place, None))


def show_cell(form: InspectorForm, report: Report, edition: str, selection: Selection) -> None:
    """A cell of a table, in every row of its kind."""
    table = edits.table_of(report, edition, selection.block)
    column = next(c for c in table.columns if c.name == selection.column)
    place = selection.place
    form.title(f"{row_name(place)} · {shown_title(column)}")

    def change_column(**changes: Any) -> ReportEdit:
        return lambda r, e: edits.change_column(r, e, table.name, column.name, **changes)

    form.section(tr("Content"))
    if place == RowPlace("head"):
        form.properties(Column, column, ("title",), tr("Change the cell"), change_column)
        _column_place(form, column, change_column)
        _column_actions(form, table, column)
    elif place == RowPlace("detail"):
        form.properties(Column, column, _content_fields(column), tr("Change the cell"), change_column)
        _drawing(form, column, change_column)
        _column_place(form, column, change_column)
        if table.detail:
            form.properties(Column, column, ("rows",), tr("Change the span"), change_column)
        form.looks(report, column, tr("Change the appearance"), change_column, (table.style,))
        _totals(form, table, column)
        _column_actions(form, table, column)
    else:
        _row_cell(form, report, table, place, column)


def _drawing(form: InspectorForm, part: Cell | Column, change: Callable[..., ReportEdit]) -> None:
    """What a cell draws in place of text, and how."""
    kinds = {
        "bar": tr("Bar"),
        "spark": tr("Sparkline"),
        "columns": tr("Sparkline columns"),
        "qr": tr("QR code"),
        "barcode": tr("Barcode"),
        "picture": tr("Picture"),
    }

    def choose(kind: str | None) -> None:
        drawing = None if kind is None else (part.draw or Drawing(kind="bar")).but(kind=kind)
        form.edit(tr("Change what is drawn"), change(draw=drawing))

    tip = tr("What the cell shows: its value as text, or a drawing of it")
    now = part.draw.kind if part.draw else None
    form.labelled(tr("Display as"), choice_row("drawn", kinds, now, choose, tip, unset=tr("Text")))
    drawing = part.draw
    if drawing is not None:
        names = ("color", "negative", "minimum", "maximum", "height")
        form.properties(
            Drawing, drawing, names, tr("Change the drawing"), lambda **changes: change(draw=drawing.but(**changes))
        )


def _row_cell(form: InspectorForm, report: Report, table: TableBlock, place: RowPlace, column: Column) -> None:
    row = table.row_at(place)
    cell = next((c for c in row.cells if c.column == column.name), None) or Cell(column=column.name)

    def change(**changes: Any) -> ReportEdit:
        return lambda r, e: edits.change_cell(r, e, table.name, place, column.name, **changes)

    def change_column(**changes: Any) -> ReportEdit:
        return lambda r, e: edits.change_column(r, e, table.name, column.name, **changes)

    if cell.chart is None:
        form.properties(Cell, cell, _content_fields(cell), tr("Change the cell"), change)
        _drawing(form, cell, change)
    else:
        form.note(tr("This cell has a chart. Click it on the page, or select it in Contents, to change it."))
    _column_place(form, column, change_column)
    form.properties(Cell, cell, ("span", "rows"), tr("Change the span"), change)
    form.looks(report, cell, tr("Change the appearance"), change, (row.style, table.style))
    if cell.chart is None and place.row in ("heading", "total"):
        form.action(tr("Draw a chart here"), partial(_draw_in_cell, table.name, place, column.name), "chart-column")
    form.action(tr("Clear the cell"), lambda r, e: edits.remove_cell(r, e, table.name, place, column.name))


def _draw_in_cell(table: str, place: RowPlace, column: str, report: Report, edition: str) -> Report:
    return edits.draw_in_cell(report, edition, table, place, column, column_expression)


def _column_place(form: InspectorForm, column: Column, change: Callable[..., ReportEdit]) -> None:
    form.section(tr("Layout"))
    form.properties(Column, column, ("width", "visible", "repeat_across"), tr("Change the column"), change)


def _totals(form: InspectorForm, table: TableBlock, column: Column) -> None:
    """Offer totals of a column at each level, with the column's own format."""
    if column.value is None:
        return
    places = [
        *((tr("each {name}").format(name=level.name), level.name) for level in table.levels),
        (tr("all rows"), None),
    ]
    kinds, report = form.controller.kinds.get(table.query, {}), form.controller.report
    assert report is not None
    usual = totals_of_value(column.value, kinds, default_aggregate(report, table, column))[0]
    add = partial(edits.add_total, table=table.name, column=column.name, aggregate=usual)
    changes = [(text, partial(add, level=level)) for text, level in places]
    form.choices(tr("Add a total"), "sigma", changes)


def _column_actions(form: InspectorForm, table: TableBlock, column: Column) -> None:
    form.action(tr("Remove the column"), lambda r, e: edits.remove_column(r, e, table.name, column.name))


def _content_fields(part: Cell | Column) -> tuple[str, ...]:
    own = ("text",) if part.text is not None else ("value", "format", "currency", "when_null", "when_zero")
    return (*own, "blank_repeats", "link", "anchor")
