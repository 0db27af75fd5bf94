"""Where the items of a table come from: for each its row, level, keys and column."""

from typing import Any

from msgspec import Struct

from northmoor.core.base.arrays import Ints
from northmoor.core.base.replace import replace
from northmoor.core.compute.evaluate.scope_names import DETAIL
from northmoor.core.layout.graphics.display_list import SourceRef
from northmoor.core.layout.table.layout import TableLayout


class TableOrigins(Struct, frozen=True, eq=False):
    """Origins of a table's items: for each, its printed row and its column's number (−1: the row)."""

    layout: TableLayout
    rows: Ints
    columns: Ints

    def origin(self, item: int) -> SourceRef:
        """The origin of an item."""
        row, column = int(self.rows[item]), int(self.columns[item])
        name = self.layout.table.columns[column].name if column >= 0 else None
        return row_origin(self.layout, row, name)


def row_origin(layout: TableLayout, row: int, column: str | None = None) -> SourceRef:
    """The origin of a printed row, or of its cell under a column."""
    crosstab, shown = layout.data.crosstab, layout.data.crosstab_column(column)
    if crosstab is None or shown is None:
        return _row_origin(layout, row, column)
    origin = _row_origin(layout, row, column)
    origin = replace(origin, column=shown.measure(origin.row, origin.number))
    across = shown.keys[: origin.number] if origin.row == "head" and origin.number else shown.keys
    keys, leaf = origin.keys, crosstab.leaf
    if origin.ordinal is not None and leaf is not None:
        keys = (*keys, *_plain_keys((leaf.key(origin.ordinal),)))
    return replace(origin, keys=keys, across=_plain_keys(across))


def _row_origin(layout: TableLayout, row: int, column: str | None) -> SourceRef:
    block = layout.table.name
    place = layout.plans[layout.plan_number(row)].place
    if row < 0:
        kind, level = _PAGE_ORIGINS.get(place.row, (place.row, None))
        return SourceRef(block, kind, level, (), None, column, place.number)
    position = int(layout.rows.position[row])
    if place.row == "detail":
        keys = _plain_keys(layout.data.keys(position, len(layout.table.levels)))
        ordinal = layout.data.first(DETAIL) + position
        return SourceRef(block, "detail", None, keys, ordinal, column, place.number)
    depth = layout.rows.kinds[layout.rows.kind[row]].level
    keys = layout.data.keys(position, depth)
    if depth:  # after a group of a tree is the last row of one in it
        keys = (*keys[:-1], layout.data.levels[depth - 1].key(int(layout.rows.index[row])))
    keys = _plain_keys(keys)
    return SourceRef(block, place.row, place.level, keys, None, column, place.number)


_PAGE_ORIGINS: dict[str, tuple[str, str | None]] = {
    "page_total": ("total", "page"),
    "brought_forward": ("carry", "pages_before"),
    "carried_forward": ("carry", "pages_to_here"),
}
"""How the dump tells of rows that belong to pages: as the totals of their windows."""


def _plain_keys(keys: tuple[Any, ...]) -> tuple[Any, ...]:
    """Keys as the dump can write them: texts, numbers and nulls."""
    return tuple(key if key is None or isinstance(key, str | int | float | bool) else str(key) for key in keys)
