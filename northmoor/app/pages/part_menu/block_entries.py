"""What is done to a whole block: to a table, to a text, and to any other."""

from collections.abc import Callable, Iterator, Mapping
from functools import partial
from typing import Any, get_args

from northmoor.app.language.translation import tr
from northmoor.app.pages.field_texts import total_text
from northmoor.app.pages.grid_steps import GridStep, grid_change, grid_steps
from northmoor.app.pages.part_menu.entries import PartCommand, PartEntry, PartGroup
from northmoor.app.pages.part_menu.format_target import format_group
from northmoor.app.pages.part_menu.part_context import PartContext
from northmoor.app.pages.part_menu.total_entries import row_entries
from northmoor.app.widgets.kind_looks import kind_text
from northmoor.app.widgets.property_editors import property_label, property_text
from northmoor.core.authoring.queries.field_choices import field_choices
from northmoor.core.model import edits
from northmoor.core.model.base import Part
from northmoor.core.model.blocks.containers import GridBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.blocks.text import TextRun
from northmoor.core.model.blocks.tree import for_each_around
from northmoor.core.model.edits import TABLE_LOOKS, grid_edits
from northmoor.core.model.kinds.aggregates import TOTALS, aggregate_of
from northmoor.core.model.kinds.value_kinds import KindName
from northmoor.core.model.report import Report

_PIECES = ((tr("Page number"), "{page_number(); 0}"), (tr("Page count"), "{page_count(); 0}"),
           (tr("Report title"), "{report_title()}"), (tr("Data time"), "{data_time()}"))  # fmt: skip
_OF_RUNNING = tr("Pages are numbered in a header or footer.")


def table_entries(context: PartContext) -> list[PartEntry]:
    """The commands of a table as a whole."""
    table = edits.table_of(context.report, context.edition.name, context.selection.block)

    looks = tuple(
        context.command(tr(look.title), partial(edits.take_table_look, table=table.name, name=name))
        for name, look in TABLE_LOOKS.items()
    )
    rows = partial(edits.show_rows, table=table.name, shown=not table.show_details)
    return [
        PartGroup(tr("Group by"), _levels(context, table), "brackets"),
        PartGroup(tr("Add column"), _columns(context, table), "columns-3"),
        PartGroup(tr("Table style"), looks, "palette"),
        None,
        context.command(
            tr("Show rows"),
            rows,
            "rows-3",
            is_on=table.show_details,
            help=tr("Without its rows, a table shows only groups and totals"),
        ),
        context.command(
            tr("Column titles"), context.block_change(show_head=not table.show_head), is_on=table.show_head
        ),
        context.command(
            tr("Repeat titles on each page"),
            context.block_change(repeat_head=not table.repeat_head),
            "repeat",
            is_on=table.repeat_head,
        ),
        context.command(
            tr("Keep on one page"),
            context.block_change(keep_together=not table.keep_together),
            "group",
            is_on=table.keep_together,
        ),
        context.command(
            tr("Convert to matrix"),
            partial(edits.table_to_matrix, table=table.name),
            "grid-3x3",
            reason="" if table.levels else tr("Group it first."),
        ),
    ]


def _levels(context: PartContext, table: TableBlock) -> tuple[PartCommand, ...]:
    add = partial(edits.add_level, table=table.name)
    return tuple(
        context.field_command(each, partial(add, field=each.name, expression=each.expression))
        for each in context.fields
    )


def _columns(context: PartContext, table: TableBlock) -> tuple[PartCommand, ...]:
    add = partial(edits.add_column, table=table.name)
    return tuple(
        context.field_command(each, partial(add, field=each.name, expression=each.expression))
        for each in context.fields
    )


def table_row_entries(context: PartContext) -> list[PartEntry]:
    """The commands of a row of a table as a whole."""
    table = edits.table_of(context.report, context.edition.name, context.selection.block)
    if context.selection.row in ("head", "detail"):
        return table_entries(context)
    return row_entries(context, table, context.selection.place)


def for_each_entries(context: PartContext) -> list[PartEntry]:
    """The commands of a for-each."""
    block = edits.block_of(context.report, context.edition.name, context.selection.block)
    breaks = block.page_break == "between"
    inserted = tuple(context.window_command(f"add_{kind}") for kind in ("text", "table", "matrix", "chart", "picture"))
    return [
        context.command(
            tr("New page for each record"),
            context.block_change(page_break="none" if breaks else "between"),
            "file-text",
            is_on=breaks,
        ),
        context.command(
            tr("Restart page numbers"),
            context.block_change(restart_page_number=not block.restart_page_number),
            is_on=block.restart_page_number,
        ),
        context.command(
            tr("Keep each record on one page"),
            context.block_change(keep_together=not block.keep_together),
            "group",
            is_on=block.keep_together,
        ),
        PartGroup(tr("Insert"), inserted, "plus"),
    ]


MENU_OF_KIND: Mapping[str, tuple[tuple[str, ...], tuple[str, ...]]] = {
    "picture": (("file", "link", "description"), ("align", "fit")),
    "readout": (("value", "caption", "against"), ("difference", "good")),
    "shape": (("fill", "stroke", "thickness"), ("draw", "align")),
    "barcode": (("text",), ("draw", "align")),
    "contents": (("depth",), ("lists", "leader")),
    "rule": (("thickness", "color"), ()),
    "spacer": (("height",), ()),
    "break": ((), ("on",)),
    "frame": (("width", "height", "fill"), ("align", "when_full")),
}
"""Of each kind of simple block, the properties that its menu goes to in the inspector, and those whose choices it
offers."""
_APPLIES: Mapping[str, Callable[[Any], bool]] = {
    "file": lambda picture: picture.value is None,
    "fit": lambda picture: picture.width is not None,
}
"""When a block has a property that it has not always."""


def property_entries(context: PartContext) -> list[PartEntry]:
    """The commands of a block that is no more than its properties."""
    block = edits.block_of(context.report, context.edition.name, context.selection.block)
    edited, chosen = MENU_OF_KIND[block.kind]
    kind, applies = type(block), lambda field: _APPLIES.get(field, lambda _: True)(block)
    return [
        format_group(context),
        *(
            PartCommand(f"{property_label(field, kind)}…", partial(context.tools.edit_property, field))
            for field in filter(applies, edited)
        ),
        *(_choice_group(context, block, field) for field in filter(applies, chosen)),
    ]


def _choice_group(context: PartContext, block: Part, field: str) -> PartGroup:
    kind, now = type(block), getattr(block, field)
    choices = tuple(
        context.command(property_text(kind, field, value), context.block_change(**{field: value}), is_on=value == now)
        for value in get_args(kind.model_fields[field].annotation)
    )
    return PartGroup(property_label(field, kind), choices)


def grid_entries(context: PartContext) -> list[PartEntry]:
    """The commands of a grid as a whole."""
    grid: GridBlock = edits.block_of(context.report, context.edition.name, context.selection.block)
    rows = max((cell.row + cell.rows for cell in grid.cells), default=0)
    return [
        _grid_step(context, tr("Add a row"), partial(grid_edits.insert_row, at=rows), "plus"),
        _grid_step(context, tr("Add a column"), partial(grid_edits.insert_track, at=len(grid.tracks)), "plus"),
        PartCommand(f"{property_label('gap', GridBlock)}…", partial(context.tools.edit_property, "gap")),
    ]


def grid_cell_entries(context: PartContext) -> list[PartEntry]:
    """The commands of a cell of a grid."""
    inserted = [context.window_command(f"add_{kind}") for kind in ("text", "table", "matrix", "chart", "picture")]
    grid: GridBlock = edits.block_of(context.report, context.edition.name, context.selection.block)
    steps = grid_steps(grid, grid.cells[context.selection.number])
    return [*inserted, None, *(_grid_step(context, *step) for step in steps)]


def _grid_step(context: PartContext, text: str, step: GridStep, drawing: str) -> PartCommand:
    return context.command(text, grid_change(context.selection.block, step), drawing)


def text_entries(context: PartContext) -> list[PartEntry]:
    """The commands of a text."""
    insert = partial(_with_slot, block=context.selection.block)
    parameters = tuple(
        context.command(parameter.shown_name, partial(insert, slot=f"{{label(:{parameter.name})}}"))
        for parameter in context.report.parameters
    )
    fields = tuple(
        context.command(text, partial(insert, slot=f"{{{value}}}"), sample=kind_text(kind))
        for text, value, kind in _field_values(context)
    )
    pieces = tuple(
        context.command(text, partial(insert, slot=slot), reason=_OF_RUNNING if "page_" in slot else "")
        for text, slot in _PIECES
    )
    return [
        PartCommand(tr("Edit"), context.tools.edit_in_place, "pencil", shortcut="Enter"),
        PartGroup(tr("Insert field"), fields, "braces"),
        PartGroup(tr("Insert parameter"), parameters, "sliders-horizontal"),
        PartGroup(tr("Insert"), pieces, "hash"),
        PartCommand(tr("Link to…"), partial(context.tools.edit_property, "link"), "link"),
    ]


def _field_values(context: PartContext) -> Iterator[tuple[str, str, KindName]]:
    """The fields as a text shows them, which is once for all rows: within a record its totals and what all its rows
    have, else totals of the report's queries."""
    record = for_each_around(context.edition.blocks, context.selection.block)
    around = record.query if record is not None else None
    kinds = context.controller.kinds
    queries = [own for own in context.report.queries if own.name in kinds and around in (None, own.name)]
    for query in queries:
        begins = "" if around is not None else f"{query.name}."
        for field in field_choices(query, kinds[query.name]):
            value = f"{begins}{field.expression}"
            if edits.column_setting(query, field.name).total in TOTALS:
                text = f"{total_text(field)} ({query.name})" if len(queries) > 1 else total_text(field)
                yield text, aggregate_of(field.total, value), field.kind
            elif around is not None:
                yield field.shown_name, value, field.kind


def _with_slot(report: Report, edition: str, block: str, slot: str) -> Report:
    """The report with a text that goes on with what a slot says, after a space."""
    own = edits.block_of(report, edition, block)
    before = own.runs[-1].text if own.runs else own.text
    after = slot if not before or before[-1].isspace() else f" {slot}"
    if own.runs:
        return edits.change_block(report, edition, block, runs=(*own.runs, TextRun(text=after)))
    return edits.change_block(report, edition, block, text=own.text + after)


_PARTS = ("cell", "row", "level", "measure", "mark", "groups", "header", "footer", "watermark")


def block_commands(context: PartContext) -> list[PartEntry]:
    """What is done to the selected part by the window's own commands; a whole block can be moved, repeated and shared
    too."""
    names: tuple[str | None, ...] = ("cut", "copy", "paste", "duplicate", "remove")
    if context.selection.kind not in _PARTS:
        names = (*names, None, "move_up", "move_down", None, "repeat", "share")
    return [context.window_command(name) if name is not None else None for name in names]
