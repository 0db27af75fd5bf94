"""Where the items of a table come from: for each its row, level, keys and column."""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from northmoor.core.compute.scopes import DETAIL
from northmoor.core.layout.display import Origin
from northmoor.core.layout.table import TableLayout

Ints = npt.NDArray[np.int64]


@dataclass(frozen=True, slots=True, eq=False)
class TableOrigins:
    """Origins of a table's items: for each, its printed row and its column's number (−1: the row)."""

    layout: TableLayout
    rows: Ints
    columns: Ints

    def origin(self, item: int) -> Origin:
        """The origin of an item."""
        row, column = int(self.rows[item]), int(self.columns[item])
        name = self.layout.table.columns[column].name if column >= 0 else None
        return row_origin(self.layout, row, name)


def row_origin(layout: TableLayout, row: int, column: str | None = None) -> Origin:
    """The origin of a printed row, or of its cell under a column."""
    shown = layout.arranged.across.get(column or "")
    if shown is None:
        return _row_origin(layout, row, column)
    origin = _row_origin(layout, row, column)
    origin = replace(origin, column=shown.measure(origin.row, origin.number))
    across = shown.keys[: origin.number] if origin.row == "head" and origin.number else shown.keys
    keys, leaf = origin.keys, layout.arranged.leaf
    if origin.ordinal is not None and leaf is not None:
        keys = (*keys, *_plain_keys((leaf.key(origin.ordinal),)))
    return replace(origin, keys=keys, across=_plain_keys(across))


def _row_origin(layout: TableLayout, row: int, column: str | None) -> Origin:
    block = layout.table.name
    place = layout.plans[layout.plan_number(row)].place
    if row < 0:
        kind, level = _PAGE_ORIGINS.get(place.row, (place.row, None))
        return Origin(block, kind, level, (), None, column, place.number)
    position = int(layout.flow.position[row])
    if place.row == "detail":
        keys = _plain_keys(layout.arranged.keys(position, len(layout.table.levels)))
        ordinal = layout.arranged.first(DETAIL) + position
        return Origin(block, "detail", None, keys, ordinal, column, place.number)
    depth = layout.flow.kinds[layout.flow.kind[row]].level
    keys = layout.arranged.keys(position, depth)
    if depth:  # after a group of a tree stands the last row of one in it
        keys = (*keys[:-1], layout.arranged.levels[depth - 1].key(int(layout.flow.index[row])))
    keys = _plain_keys(keys)
    return Origin(block, place.row, place.level, keys, None, column, place.number)


_PAGE_ORIGINS: dict[str, tuple[str, str | None]] = {
    "page_total": ("total", "page"),
    "brought_forward": ("carry", "pages_before"),
    "carried_forward": ("carry", "pages_to_here"),
}
"""How the dump tells of rows that belong to pages: as the totals of their windows."""


def _plain_keys(keys: tuple[Any, ...]) -> tuple[Any, ...]:
    """Keys as the dump can write them: texts, numbers and nulls."""
    return tuple(key if key is None or isinstance(key, str | int | float | bool) else str(key) for key in keys)
