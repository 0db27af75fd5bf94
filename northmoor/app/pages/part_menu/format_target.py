"""What a format is chosen for: a column of a table, a cell of a heading or total, a measure or a level of a matrix,
or a key figure."""

from collections.abc import Callable, Mapping
from functools import partial
from typing import Any

from msgspec import Struct

from northmoor.app.document_controller import ReportEdit
from northmoor.app.language.translation import tr
from northmoor.app.pages.part_menu.entries import PartCommand, PartGroup
from northmoor.app.pages.part_menu.part_context import PartContext
from northmoor.core.authoring import table_commands
from northmoor.core.authoring.column_roles import column_format
from northmoor.core.authoring.format_choices import likely_formats, sample_text
from northmoor.core.base.readable_names import shown_title
from northmoor.core.model import edits
from northmoor.core.model.styles import Rules

CHANGE_FORMAT = tr("Change the format")
_LONGEST = 32


class FormatTarget(Struct, frozen=True):
    """`name` is what its values are called, `pattern` how they are written now, `change` what changes properties of
    it, and `negative` whether its negative numbers are red, with what changes that (None where it cannot be).
    `has_texts`: it can have texts in place of zero and of missing values. `expression` is its value and `rules` are its
    conditions, each None where it has none."""

    name: str
    pattern: str | None
    when_zero: str | None
    when_null: str | None
    change: Callable[..., ReportEdit]
    negative: tuple[bool, Callable[[bool], ReportEdit]] | None = None
    has_texts: bool = True
    expression: str | None = None
    rules: Rules | None = None


def format_target(context: PartContext) -> FormatTarget | None:
    """What a format would be chosen for; None where what is selected has no value."""
    find = _TARGETS.get(context.selection.kind)
    return find(context) if find is not None else None


def _of_cell(context: PartContext) -> FormatTarget | None:
    report, edition, selection = context.report, context.edition.name, context.selection
    table = edits.table_of(report, edition, selection.block)
    column = table_commands.table_column(table, selection.column or "")
    if selection.row in ("detail", "head") and not selection.number:
        if column.value is None:
            return None
        red = partial(table_commands.negative_in_red, table=table.name, column=column.name)
        return FormatTarget(
            shown_title(column),
            column_format(report, table, column),
            column.when_zero,
            column.when_null,
            partial(_changing_column, table.name, column.name),
            (table_commands.is_negative_red(table, column.name), lambda on: partial(red, on=on)),
            expression=column.value,
            rules=column.rules,
        )
    cell = next((each for each in table.row_at(selection.place).cells if each.column == column.name), None)
    if cell is None or cell.value is None:
        return None
    pattern = cell.format or column_format(report, table, column)
    change = partial(_changing_cell, table.name, selection.place, column.name)
    return FormatTarget(
        shown_title(column), pattern, cell.when_zero, cell.when_null, change,
        expression=cell.value, rules=cell.rules,
    )  # fmt: skip


def _changing_column(table: str, column: str, **changes: Any) -> ReportEdit:
    return lambda report, edition: edits.change_column(report, edition, table, column, **changes)


def _changing_cell(table: str, place: Any, column: str, **changes: Any) -> ReportEdit:
    return lambda report, edition: edits.change_cell(report, edition, table, place, column, **changes)


def _of_measure(context: PartContext) -> FormatTarget | None:
    matrix = edits.matrix_of(context.report, context.edition.name, context.selection.block)
    measure = matrix.measure(context.selection.column)

    def change(**changes: Any) -> ReportEdit:
        return lambda r, e: edits.change_measure(r, e, matrix.name, measure.name, **changes)

    title = shown_title(measure)
    return FormatTarget(
        title, measure.format, measure.when_zero, measure.when_null, change,
        expression=measure.value, rules=measure.rules,
    )  # fmt: skip


def _of_level(context: PartContext) -> FormatTarget | None:
    block = edits.block_of(context.report, context.edition.name, context.selection.block)
    if block.kind != "matrix":
        return None
    level = block.level(context.selection.level)

    def change(**changes: Any) -> ReportEdit:
        return lambda r, e: edits.change_matrix_level(r, e, block.name, level.name, **changes)

    return FormatTarget(shown_title(level), level.format, None, None, change, has_texts=False)


def _of_readout(context: PartContext) -> FormatTarget:
    block = edits.block_of(context.report, context.edition.name, context.selection.block)
    return FormatTarget(block.caption or block.name, block.format, None, None, context.block_change, has_texts=False)


_TARGETS: Mapping[str, Callable[[PartContext], FormatTarget | None]] = {
    "cell": _of_cell,
    "measure": _of_measure,
    "level": _of_level,
    "readout": _of_readout,
}


def figure_title(context: PartContext, target: FormatTarget) -> str:
    """What was pointed at: the name of its column, and its value as it is written."""
    assert context.pointed is not None
    shown = sample_text(context.pointed.value, target.pattern, context.format_locale)
    name = target.name if len(target.name) <= _LONGEST else target.name[: _LONGEST - 1] + "…"
    return f"{name} · {shown if len(shown) <= _LONGEST else shown[: _LONGEST - 1] + '…'}" if shown else name


def highlight_command(context: PartContext) -> list[PartCommand]:
    """What asks when the selected values look otherwise; nothing where no condition can be over them."""
    target = format_target(context)
    if target is None or target.rules is None or target.expression is None:
        return []
    return [PartCommand(tr("Highlight when…"), context.tools.ask_highlight, "highlighter")]


def format_group(context: PartContext) -> PartGroup:
    """The formats that suit the selected values best, with what they make of the figure that was pointed at."""
    target, pointed = format_target(context), context.pointed
    if target is None or pointed is None:
        return PartGroup(tr("Format"), (), "hash")
    locale = context.format_locale
    choices = tuple(
        PartCommand(
            tr(choice.label),
            context.edit(CHANGE_FORMAT, change),
            sample=sample_text(pointed.value, choice.pattern, locale),
            is_on=choice.pattern == target.pattern,
            change=change,
        )
        for choice in likely_formats(pointed.values.type, target.name, locale.locale)
        for change in (target.change(format=choice.pattern),)
    )
    if not choices:
        return PartGroup(tr("Format"), (), "hash")
    more = PartCommand(
        tr("More…"), context.tools.pick_format, help=tr("All formats, each with a sample"), shortcut=PICK_FORMAT
    )
    return PartGroup(tr("Format"), (*choices, None, more), "hash")


PICK_FORMAT = "Ctrl+Shift+O"
"""The keys that open the formats of the selected cell."""
