"""What is done to a level of a table or matrix, and so to all groups of it."""

from functools import partial

from northmoor.app.document_controller import Selection
from northmoor.app.language.translation import tr
from northmoor.app.pages.part_menu.entries import PartCommand, PartEntry, PartGroup
from northmoor.app.pages.part_menu.format_target import format_group
from northmoor.app.pages.part_menu.part_context import PartContext
from northmoor.core.authoring import table_commands
from northmoor.core.base.readable_names import shown_title
from northmoor.core.base.replace import replace
from northmoor.core.model import edits
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.report import Report

_FIRST = (3, 5, 10, 20)


def level_entries(context: PartContext) -> list[PartEntry]:
    """The commands of a level, the likeliest first."""
    block = edits.block_of(context.report, context.edition.name, context.selection.block)
    name = context.selection.level or ""
    if isinstance(block, TableBlock):
        return _of_table(context, block, name)
    return _of_matrix(context, block, name) if isinstance(block, MatrixBlock) else []


def _of_table(context: PartContext, table: TableBlock, name: str) -> list[PartEntry]:
    level, names = table.level(name), [each.name for each in table.levels]
    at = names.index(name)
    heading = edits.heading_row(context.report, table, level.by)
    total = edits.total_row(context.report, table, f"Total for {{{level.by}}}", "total")

    def changing(**changes: object) -> partial[Report]:
        return partial(_change_level, table=table.name, level=name, changes=changes)

    return [
        *level_groups(context, table, name),
        PartGroup(tr("Add group"), _additions(context, table, at), "brackets"),
        None,
        *level_placement(context, table, name),
        None,
        context.command(
            tr("Heading row"), changing(heading=() if level.heading else (heading,)), is_on=bool(level.heading)
        ),
        context.command(tr("Total row"), changing(total=() if level.total else (total,)), is_on=bool(level.total)),
        None,
        context.command(
            tr("Move outward"),
            partial(edits.move_level, table=table.name, level=name, by=-1),
            "arrow-up",
            reason="" if at else tr("It is the outermost."),
        ),
        context.command(
            tr("Move inward"),
            partial(edits.move_level, table=table.name, level=name, by=1),
            "arrow-down",
            reason="" if at < len(names) - 1 else tr("It is the innermost."),
        ),
        context.window_command("fold"),
        context.window_command("open_all"),
    ]


def level_groups(context: PartContext, table: TableBlock, name: str) -> tuple[PartGroup, PartGroup]:
    """The order of a level's groups, and how many of them there are."""
    return (
        PartGroup(tr("Sort groups"), _sorting(context, table, name), "arrow-up-down"),
        PartGroup(tr("First groups"), _first_groups(context, table, name), "list-ordered"),
    )


def level_placement(context: PartContext, table: TableBlock, name: str) -> list[PartEntry]:
    """Page breaks and repetition of a level's groups, and where their headings are."""
    level = table.level(name)

    def changing(**changes: object) -> partial[Report]:
        return partial(_change_level, table=table.name, level=name, changes=changes)

    breaks = level.page_break != "none"
    return [
        context.command(
            tr("New page for each {name}").format(name=name), changing(page_break="none" if breaks else "between"),
            "separator-horizontal", is_on=breaks,
        ),
        context.command(
            tr("Keep together"), changing(keep_together=not level.keep_together), "group", is_on=level.keep_together
        ),
        context.command(
            tr("Repeat heading on each page"), changing(repeat_heading=not level.repeat_heading), "repeat",
            is_on=level.repeat_heading,
        ),
        context.command(
            tr("Restart page numbers"),
            changing(restart_page_number=not level.restart_page_number, page_break="between"),
            is_on=level.restart_page_number,
        ),
        _heading_place(context, table, name),
    ]  # fmt: skip


def _heading_place(context: PartContext, table: TableBlock, name: str) -> PartCommand:
    """Whether a level's keys are beside the rows or above them; the level is selected then, as its heading may be
    gone."""
    is_beside = table_commands.column_of_keys(table, name) is not None
    change = partial(table_commands.heading_beside, table=table.name, level=name, on=not is_beside)
    made = context.command(tr("Heading beside its rows"), change, is_on=is_beside)

    def run() -> None:
        if made.run():
            context.tools.select(Selection("level", table.name, level=name))

    return replace(made, run=run)


def _change_level(report: Report, edition: str, table: str, level: str, changes: dict[str, object]) -> Report:
    return edits.change_level(report, edition, table, level, **changes)


def _sorting(context: PartContext, table: TableBlock, name: str) -> tuple[PartCommand | None, ...]:
    level = table.level(name)

    def changing(order: str, by: str | None) -> partial[Report]:
        return partial(_change_level, table=table.name, level=name, changes={"order": order, "order_by": by})

    now = level.order, level.order_by
    found: list[PartCommand | None] = [
        context.command(tr("Ascending"), changing("ascending", None), is_on=now == ("ascending", None)),
        context.command(tr("Descending"), changing("descending", None), is_on=now == ("descending", None)),
        context.command(tr("As in the data"), changing("as_given", None), is_on=level.order == "as_given"),
    ]
    totalled = [column for column in table.columns if table_commands.total_places(table, column.name)]
    for column in totalled:
        by = table_commands.total_of(context.report, table, column.name)
        shown = shown_title(column)
        found += [
            context.command(
                tr("By {shown}, {words}").format(shown=shown, words=words),
                changing(order, by),
                is_on=now == (order, by),
            )
            for order, words in (("descending", tr("largest first")), ("ascending", tr("smallest first")))
        ]
    if totalled:
        found.insert(3, None)
    return tuple(found)


def _first_groups(context: PartContext, table: TableBlock, name: str) -> tuple[PartCommand | None, ...]:
    level = table.level(name)

    def changing(**changes: object) -> partial[Report]:
        return partial(_change_level, table=table.name, level=name, changes=changes)

    counts = [
        context.command(
            tr("First {count}").format(count=count), changing(first_groups=count), is_on=level.first_groups == count
        )
        for count in _FIRST
    ]
    rest = [
        context.command(
            tr("First {count}, others in one row").format(count=count),
            changing(first_groups=count, others=tr("Others")),
        )
        for count in _FIRST
    ]
    every = context.command(tr("All"), changing(first_groups=None, others=None), is_on=level.first_groups is None)
    return (every, *counts, None, *rest)


def _additions(context: PartContext, table: TableBlock, at: int) -> tuple[PartCommand | None, ...]:
    found: list[PartCommand | None] = []
    for place, where in ((at, tr("around it")), (at + 1, tr("inside it"))):
        for each in context.fields:
            add = partial(edits.add_level, table=table.name, field=each.name, expression=each.expression, at=place)
            found.append(context.command(f"{each.shown_name}, {where}", add))
        found.append(None)
    return tuple(found[:-1])


def _of_matrix(context: PartContext, matrix: MatrixBlock, name: str) -> list[PartEntry]:
    level = matrix.level(name)
    side = edits.side_of(matrix, name)
    is_inner = getattr(matrix, side)[-1] is level
    other = "columns" if side == "rows" else "rows"

    def changing(**changes: object) -> partial[Report]:
        return partial(_change_matrix_level, matrix=matrix.name, level=name, changes=changes)

    sorting: list[PartCommand | None] = [
        context.command(tr("Ascending"), changing(order="ascending", order_by=None)),
        context.command(tr("Descending"), changing(order="descending", order_by=None)),
        None,
    ]
    for measure in matrix.measures:
        if measure.value is not None:
            shown = shown_title(measure)
            by = changing(order="descending", order_by=measure.value)
            sorting.append(context.command(tr("By {shown}, largest first").format(shown=shown), by))
    first = [
        context.command(tr("All"), changing(first_groups=None, others=None)),
        *(
            context.command(
                tr("First {count}, others in one").format(count=count),
                changing(first_groups=count, others=tr("Others")),
            )
            for count in _FIRST
        ),
    ]
    turn = partial(edits.turn_matrix_level, matrix=matrix.name, level=name)
    move = partial(edits.move_matrix_level, matrix=matrix.name, level=name)
    subtotal = "none" if level.subtotal != "none" else "after"
    return [
        format_group(context),
        PartGroup(tr("Sort"), tuple(sorting), "arrow-up-down"),
        PartGroup(tr("First groups"), tuple(first), "list-ordered"),
        context.command(
            tr("Subtotals"),
            changing(subtotal=subtotal),
            "sigma",
            is_on=level.subtotal != "none",
            reason=tr("The innermost level has no subtotals.") if is_inner else "",
        ),
        None,
        context.command(tr("Move to the {other}").format(other=other), turn, "rotate-cw"),
        context.command(tr("Move outward"), partial(move, by=-1), "arrow-up"),
        context.command(tr("Move inward"), partial(move, by=1), "arrow-down"),
        context.window_command("fold"),
        context.window_command("open_all"),
    ]


def _change_matrix_level(report: Report, edition: str, matrix: str, level: str, changes: dict[str, object]) -> Report:
    return edits.change_matrix_level(report, edition, matrix, level, **changes)
