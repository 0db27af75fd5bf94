"""The list of what can be done, by what is selected. A kind of part is one entry of `_ENTRIES`."""

from collections.abc import Callable

from northmoor.app.pages.part_menu.block_entries import (
    MENU_OF_KIND,
    block_commands,
    for_each_entries,
    grid_cell_entries,
    grid_entries,
    property_entries,
    table_entries,
    table_row_entries,
    text_entries,
)
from northmoor.app.pages.part_menu.chart_entries import chart_entries
from northmoor.app.pages.part_menu.column_entries import column_entries
from northmoor.app.pages.part_menu.entries import PartEntry
from northmoor.app.pages.part_menu.level_entries import level_entries
from northmoor.app.pages.part_menu.matrix_entries import matrix_entries, measure_entries
from northmoor.app.pages.part_menu.page_entries import page_entries, running_entries
from northmoor.app.pages.part_menu.part_context import PartContext
from northmoor.app.pages.part_menu.total_entries import total_entries


def part_entries(context: PartContext) -> list[PartEntry]:
    """What can be done to the selected part, the likeliest first; what the window's own commands do to it comes
    last."""
    selection = context.selection
    find = _ENTRIES.get(selection.kind)
    try:
        own = find(context) if find is not None else []
    except (LookupError, StopIteration):  # a part that is no longer there
        own = []
    if selection.kind == "page":
        return own
    return [*own, *([None] if own else []), *block_commands(context)]


def _cell_entries(context: PartContext) -> list[PartEntry]:
    selection = context.selection
    is_column = selection.row in ("head", "detail") and not selection.number
    return column_entries(context) if is_column else total_entries(context)


def _level_entries(context: PartContext) -> list[PartEntry]:
    block = next((each for each in context.edition.data_blocks if each.name == context.selection.block), None)
    return chart_entries(context) if block is not None and block.kind == "chart" else level_entries(context)


_ENTRIES: dict[str, Callable[[PartContext], list[PartEntry]]] = {
    "cell": _cell_entries,
    "row": table_row_entries,
    "table": table_entries,
    "level": _level_entries,
    "matrix": matrix_entries,
    "measure": measure_entries,
    "chart": chart_entries,
    "mark": chart_entries,
    "groups": chart_entries,
    "text": text_entries,
    "for-each": for_each_entries,
    "grid": grid_entries,
    "grid-cell": grid_cell_entries,
    **dict.fromkeys(MENU_OF_KIND, property_entries),
    "page": page_entries,
    "header": running_entries,
    "footer": running_entries,
}
