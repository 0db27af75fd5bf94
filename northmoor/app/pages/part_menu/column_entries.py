"""What is done to a column of a table, at its title or in its rows."""

from functools import partial

from northmoor.app.document_controller import Selection
from northmoor.app.language.translation import in_sentence, tr
from northmoor.app.pages.part_menu.entries import PartCommand, PartEntry, PartGroup
from northmoor.app.pages.part_menu.filter_entries import filter_entries
from northmoor.app.pages.part_menu.format_target import format_group, highlight_command
from northmoor.app.pages.part_menu.part_context import PartContext
from northmoor.core.authoring import table_commands
from northmoor.core.authoring.column_roles import column_format, default_aggregate
from northmoor.core.authoring.derived_columns import DERIVED_COLUMNS, REPORT, add_derived_column
from northmoor.core.authoring.format_choices import sample_text
from northmoor.core.model import edits
from northmoor.core.model.blocks.table import Column, Drawing, TableBlock
from northmoor.core.model.edits.style_edits import changed_style
from northmoor.core.model.kinds.aggregates import TOTALS
from northmoor.core.model.report import Report
from northmoor.core.model.styles import TextAlign

_NO_VALUE = tr("The column shows a text, not a value; it cannot be computed with.")
_ALIGNMENTS: tuple[tuple[str, TextAlign | None, str], ...] = (
    (tr("Automatic"), None, "move-horizontal"),
    (tr("Left"), "start", "text-align-start"),
    (tr("Centre"), "center", "text-align-center"),
    (tr("Right"), "end", "text-align-end"),
    (tr("On the decimal sign"), "decimal", "decimals-arrow-right"),
)


def column_entries(context: PartContext) -> list[PartEntry]:
    """The commands of a column, the likeliest first."""
    table = edits.table_of(context.report, context.edition.name, context.selection.block)
    column = table_commands.table_column(table, context.selection.column or "")
    is_title = context.selection.row == "head"
    edit = PartCommand(
        tr("Rename title") if is_title else tr("Edit"), context.tools.edit_in_place, "pencil", shortcut="Enter"
    )
    return [
        edit,
        format_group(context),
        PartGroup(tr("Total"), _totals(context, table, column), "sigma"),
        PartGroup(tr("Sort"), _sorting(context, table, column), "arrow-up-down"),
        *_grouping(context, table, column),
        PartGroup(tr("Filter"), _filters(context, table, column), "funnel"),
        None,
        PartGroup(tr("Insert column left"), _insertions(context, table, column, after=False), "between-vertical-start"),
        PartGroup(tr("Insert column right"), _insertions(context, table, column, after=True), "between-vertical-start"),
        PartGroup(tr("Compute beside it"), _derived(context, table, column), "percent"),
        None,
        *_appearance(context, table, column),
        None,
        *_conversions(context, table, column),
    ]


def _needs_value(column: Column) -> str:
    return "" if column.value is not None else _NO_VALUE


def _totals(context: PartContext, table: TableBlock, column: Column) -> tuple[PartCommand | None, ...]:
    name, reason = column.name, _needs_value(column)
    if reason:
        return ()
    assert column.value is not None
    totals = context.totals_of(column.value, default_aggregate(context.report, table, column))
    everywhere = [
        context.command(
            tr("{total} in all levels and at the end").format(total=tr(TOTALS[known]))
            if table.levels
            else tr("{total} at the end").format(total=tr(TOTALS[known])),
            partial(table_commands.total_everywhere, table=table.name, column=name, aggregate=known),
        )
        for known in totals
    ]
    places: list[tuple[str, str | None]] = [
        (tr("For each {name}").format(name=level.name), level.name) for level in table.levels
    ]
    total = in_sentence(tr(TOTALS[totals[0]]))
    add = partial(edits.add_total, table=table.name, column=name, aggregate=totals[0])
    single = [
        context.command(f"{text}: {total}", partial(add, level=level))
        for text, level in (*places, (tr("Grand total"), None))
    ] if table.levels else []  # fmt: skip
    return (*everywhere, *((None, *single) if single else ()))


def _sorting(context: PartContext, table: TableBlock, column: Column) -> tuple[PartCommand | None, ...]:
    if column.value is None:
        return ()
    sort = partial(table_commands.sort_by_column, table=table.name, column=column.name)
    by_total = partial(table_commands.sort_groups_by_total, table=table.name, column=column.name)
    first = (
        context.command(tr("Ascending"), partial(sort, descending=False), "arrow-up-narrow-wide"),
        context.command(tr("Descending"), partial(sort, descending=True), "arrow-down-wide-narrow"),
    )
    if not table.levels or not context.has_total(table, column):
        return first
    return (
        *first,
        None,
        context.command(tr("Groups by its total, largest first"), partial(by_total, descending=True)),
        context.command(tr("Groups by its total, smallest first"), partial(by_total, descending=False)),
    )


def _grouping(context: PartContext, table: TableBlock, column: Column) -> list[PartEntry]:
    group = partial(table_commands.group_by_column, table=table.name, column=column.name)
    reason = _needs_value(column)
    outermost = context.command(tr("Group by it"), group, "brackets", reason=reason, help=tr("As the outermost group"))
    innermost = context.command(tr("Group by it, innermost"), partial(group, at=None), reason=reason)
    return [outermost, innermost] if table.levels else [outermost]


def _filters(context: PartContext, table: TableBlock, column: Column) -> tuple[PartCommand | None, ...]:
    pointed = context.pointed
    if pointed is None or context.selection.row != "detail":
        return filter_entries(context, table, None, "")
    shown = sample_text(pointed.value, column_format(context.report, table, column), context.format_locale)
    return filter_entries(context, table, column.value, shown)


def _insertions(context: PartContext, table: TableBlock, column: Column, after: bool) -> tuple[PartCommand | None, ...]:
    at = [each.name for each in table.columns].index(column.name) + after
    computed = partial(table_commands.insert_computed_column, table=table.name, column=column.name, after=after)

    def compute() -> None:
        if context.controller.edit(tr("Insert a computed column"), computed):
            changed = edits.table_of(_report(context), context.edition.name, table.name)
            context.tools.select(Selection("cell", table.name, "detail", None, changed.columns[at].name))
            context.tools.edit_in_place()

    add = partial(edits.add_column, table=table.name, at=at)
    fields = [
        context.field_command(each, partial(add, field=each.name, expression=each.expression))
        for each in context.fields
    ]
    return (PartCommand(tr("Computed column…"), compute, "square-function"), None, *fields)


def _report(context: PartContext) -> Report:
    report = context.controller.report
    assert report is not None  # a menu is of an open report
    return report


def _derived(context: PartContext, table: TableBlock, column: Column) -> tuple[PartCommand | None, ...]:
    if column.value is None or not context.is_number(column.value):
        return ()
    found: list[PartCommand | None] = []
    for derived in DERIVED_COLUMNS:
        for window in (REPORT, *(level.name for level in table.levels)):
            where = tr("of all") if window == REPORT else tr("within each {window}").format(window=window)
            text = f"{tr(derived.label)}, {where}" if table.levels else tr(derived.label)
            add = partial(add_derived_column, table=table.name, column=column.name, derived=derived, window=window)
            found.append(context.command(text, add, help=tr(derived.help)))
    return tuple(found)


def _small_trend(context: PartContext, table: TableBlock, column: Column) -> PartCommand:
    on = table_commands.has_small_trend(table, column.name)
    draw = partial(table_commands.small_trend, table=table.name, column=column.name, on=not on)
    reason = ""
    if not table.levels or not table.levels[-1].heading:
        reason = tr("Group it by something that has headings first.")
    elif column.name == table.columns[0].name:
        reason = tr("What the group is called is there.")
    return context.command(tr("Sparkline in headings"), draw, "chart-line", is_on=on, reason=reason)


def _appearance(context: PartContext, table: TableBlock, column: Column) -> list[PartEntry]:
    def changing(**changes: object) -> partial[Report]:
        return partial(_change_column, table=table.name, column=column.name, changes=changes)

    now = column.look.align if column.look is not None else None
    aligned = tuple(
        context.command(text, changing(look=changed_style(column.look, align=side)), drawing, is_on=now == side)
        for text, side, drawing in _ALIGNMENTS
    )
    found: list[PartEntry] = [PartGroup(tr("Align"), aligned, "text-align-start")]
    if column.value is not None and context.is_number(column.value):
        red = table_commands.is_negative_red(table, column.name)
        negative = partial(table_commands.negative_in_red, table=table.name, column=column.name, on=not red)
        bars = column.draw is not None and column.draw.kind == "bar"
        found += [
            context.command(tr("Negative in red"), negative, "paint-bucket", is_on=red),
            context.command(
                tr("Bars in cells"), changing(draw=None if bars else Drawing(kind="bar")), "chart-bar", is_on=bars
            ),
            _small_trend(context, table, column),
        ]
    found += highlight_command(context)
    repeats = changing(blank_repeats=not column.blank_repeats)
    width = context.command(
        tr("Width by its content"), changing(width=None), "move-horizontal", is_on=column.width is None
    )
    hide = context.command(tr("Hide column"), changing(visible="false"), "eye-off")
    values = context.command(tr("Hide repeated values"), repeats, "eraser", is_on=column.blank_repeats)
    return [*found, PartGroup(tr("Column"), (width, values, hide), "columns-3")]


def _change_column(report: Report, edition: str, table: str, column: str, changes: dict[str, object]) -> Report:
    return edits.change_column(report, edition, table, column, **changes)


def _conversions(context: PartContext, table: TableBlock, column: Column) -> list[PartEntry]:
    reason = _needs_value(column)
    cross = partial(table_commands.cross_by_column, table=table.name, column=column.name)
    chart = partial(table_commands.chart_column, table=table.name, column=column.name)
    return [
        PartGroup(
            tr("Chart of it"),
            (
                context.command(tr("Below the table"), chart, reason=reason),
                context.command(tr("Beside the table"), partial(chart, where="beside"), reason=reason),
            ),
            "chart-column",
        ),
        context.command(tr("Matrix with it across"), cross, "grid-3x3", reason=reason),
        PartCommand(
            tr("Copy values"),
            context.tools.copy_values,
            "copy",
            reason=reason,
            is_of_all=True,
            help=tr("All values of the column, for a spreadsheet"),
        ),
        PartCommand(
            tr("Trace"), context.tools.trace_selected, "search", shortcut="F8", help=tr("Where the figure comes from")
        ),
    ]
