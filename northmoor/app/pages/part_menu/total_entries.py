"""What is done to a cell of a heading or total, and to the whole row."""

from functools import partial

from northmoor.app.language.translation import tr
from northmoor.app.pages.part_menu.entries import PartCommand, PartEntry, PartGroup
from northmoor.app.pages.part_menu.format_target import format_group, highlight_command
from northmoor.app.pages.part_menu.level_entries import level_groups, level_placement
from northmoor.app.pages.part_menu.part_context import PartContext
from northmoor.core.authoring import table_commands
from northmoor.core.authoring.column_roles import default_aggregate
from northmoor.core.authoring.derived_columns import DERIVED_COLUMNS, REPORT, add_derived_column
from northmoor.core.model import edits
from northmoor.core.model.blocks.table import PAGE_ROWS, Column, RowPlace, TableBlock
from northmoor.core.model.kinds.aggregates import TOTALS, aggregate_of
from northmoor.core.model.report import Report


def total_entries(context: PartContext) -> list[PartEntry]:
    """The commands of a cell of a heading or total, the likeliest first."""
    table = edits.table_of(context.report, context.edition.name, context.selection.block)
    column = table_commands.table_column(table, context.selection.column or "")
    place = context.selection.place
    return [
        PartCommand(tr("Edit"), context.tools.edit_in_place, "pencil", shortcut="Enter"),
        format_group(context),
        PartGroup(tr("Show"), _aggregates(context, table, column, place), "sigma"),
        *_groups(context, table, column, place),
        PartGroup(tr("Compute beside it"), _derived(context, table, column), "percent"),
        *highlight_command(context),
        None,
        *row_entries(context, table, place),
        None,
        PartCommand(
            tr("Trace"), context.tools.trace_selected, "search", shortcut="F8", help=tr("Where the figure comes from")
        ),
    ]


def _aggregates(
    context: PartContext, table: TableBlock, column: Column, place: RowPlace
) -> tuple[PartCommand | None, ...]:
    if column.value is None or place.row not in ("total", "heading"):
        return ()
    cell = next((each for each in table.row_at(place).cells if each.column == column.name), None)
    now = cell.value if cell is not None else None
    found = []
    for name in context.totals_of(column.value, default_aggregate(context.report, table, column)):
        value = aggregate_of(name, column.value)
        change = partial(_with_value, table=table.name, place=place, column=column.name, value=value)
        found.append(context.command(tr(TOTALS[name]), change, is_on=value == now))
    return tuple(found)


def _with_value(report: Report, edition: str, table: str, place: RowPlace, column: str, value: str) -> Report:
    return edits.change_cell(report, edition, table, place, column, value=value, text=None)


def _groups(context: PartContext, table: TableBlock, column: Column, place: RowPlace) -> list[PartEntry]:
    """The order of the groups that a row belongs to, and how many there are."""
    if place.row == "heading" and place.level is not None:
        return list(level_groups(context, table, place.level))
    return [PartGroup(tr("Sort"), _sorting(context, table, column, place), "arrow-up-down")]


def _sorting(
    context: PartContext, table: TableBlock, column: Column, place: RowPlace
) -> tuple[PartCommand | None, ...]:
    if not table.levels or not context.has_total(table, column):
        return ()
    by_total = partial(table_commands.sort_groups_by_total, table=table.name, column=column.name, level=place.level)
    which = tr("Each {level}").format(level=place.level) if place.level is not None else tr("All groups")
    return (
        context.command(
            tr("{which} by it, largest first").format(which=which),
            partial(by_total, descending=True),
            "arrow-down-wide-narrow",
        ),
        context.command(
            tr("{which} by it, smallest first").format(which=which),
            partial(by_total, descending=False),
            "arrow-up-narrow-wide",
        ),
    )


def _derived(context: PartContext, table: TableBlock, column: Column) -> tuple[PartCommand | None, ...]:
    if not context.has_total(table, column):
        return ()
    names = [level.name for level in table.levels]
    place = context.selection.place
    outer = names[: names.index(place.level)] if place.level in names else []
    found = []
    for derived in DERIVED_COLUMNS:
        for window in (REPORT, *outer):
            where = tr("of all") if window == REPORT else tr("within each {window}").format(window=window)
            add = partial(add_derived_column, table=table.name, column=column.name, derived=derived, window=window)
            found.append(context.command(f"{tr(derived.label)}, {where}" if outer else tr(derived.label), add))
    return tuple(found)


def row_entries(context: PartContext, table: TableBlock, place: RowPlace) -> list[PartEntry]:
    """The commands of a heading or total as a whole."""
    found: list[PartEntry] = []
    if place.row == "total" and place.level is None:
        for name, text in (("page_total", tr("Total of each page")), ("brought_forward", tr("Total brought forward")),
                           ("carried_forward", tr("Total carried forward"))):  # fmt: skip
            row = getattr(table, name)
            change = partial(_toggle_page_row, table=table.name, name=name)
            found.append(context.command(text, change, is_on=row is not None))
    if place.row in ("heading", "total") and place.level is not None:
        found += [*level_placement(context, table, place.level), context.window_command("fold")]
    if place.row in ("heading", "total"):
        number = {"heading": tr("Another heading row"), "total": tr("Another total row")}[place.row]
        row = table.row_at(place)
        found.append(context.command(number, partial(edits.add_row, table=table.name, place=place, row=row), "plus"))
    return found


def _toggle_page_row(report: Report, edition: str, table: str, name: str) -> Report:
    block = edits.table_of(report, edition, table)
    if getattr(block, name) is not None:
        return edits.change_row(report, edition, table, RowPlace(name), None)
    labels = dict(zip(PAGE_ROWS, (tr("Brought forward"), tr("Page total"), tr("Carried forward")), strict=True))
    row = edits.total_row(report, block, labels[name], "total")
    sums = tuple(cell for cell in block.total[0].cells if cell.value is not None) if block.total else ()
    return edits.change_row(report, edition, table, RowPlace(name), row if row.cells else row.but(cells=sums))
