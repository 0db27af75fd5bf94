"""Filters by a value that is seen: of a table's column, or of the category of a chart's mark."""

from functools import partial

from northmoor.app.language.translation import tr
from northmoor.app.pages.part_menu.entries import PartCommand
from northmoor.app.pages.part_menu.part_context import PartContext
from northmoor.core.authoring.table_commands import filter_by_parameter, is_literal, keep_value
from northmoor.core.expr.language import bare_column
from northmoor.core.model.blocks.containers import DataBlock


def filter_entries(
    context: PartContext, block: DataBlock, expression: str | None, shown: str
) -> tuple[PartCommand | None, ...]:
    """Only the rows with the value that was pointed at, all but them, or those of a value that readers choose; `shown`
    is the value as it is printed. Without an expression, only what takes a filter away."""
    found: list[PartCommand | None] = []
    pointed = context.pointed
    if expression is not None and pointed is not None:
        keep = partial(keep_value, block=block.name, expression=expression, value=pointed.value)
        reason = "" if is_literal(pointed.value) else tr("Moments are filtered by a condition.")
        for text, is_kept in (
            (tr("Only {shown}").format(shown=shown or tr("blank")), True),
            (tr("All but {shown}").format(shown=shown or tr("blank")), False),
        ):
            found.append(context.command(text, partial(keep, is_kept=is_kept), reason=reason))
        kind = context.field_kinds.get(bare_column(expression) or "")
        if kind is not None and not reason:
            ask = partial(filter_by_parameter, block=block.name, expression=expression, kind=kind, value=pointed.value)
            found.append(context.command(tr("By a parameter with a list"), ask, "sliders-horizontal"))
    if block.keep_rows is not None:
        found.append(context.command(tr("Clear the filter"), context.block_change(keep_rows=None), "x"))
    return tuple(found)
