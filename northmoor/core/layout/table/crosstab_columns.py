"""The columns of a printed matrix from left to right: groups, and subtotals before or after what they total."""

from collections.abc import Iterator

import numpy as np
from msgspec import Struct

from northmoor.core.compute.crosstab.evaluation import CrosstabData
from northmoor.core.layout.table.collapsing import Fold
from northmoor.core.model.blocks.matrix import MatrixBlock, Measure


class PrintedColumn(Struct, frozen=True):
    """A column of the printed matrix: at which depth of the column levels it is, for which group there, and which
    measures it shows (one, or all where they are one below the other)."""

    depth: int
    group: int
    measures: tuple[Measure, ...]


def columns_of(matrix: MatrixBlock, data: CrosstabData, fold: Fold | None = None) -> tuple[PrintedColumn, ...]:
    """The printed columns from left to right; of groups that are folded, their totals only."""
    stacked, axis = matrix.measures_in == "rows", data.sides.columns
    found = []
    for depth, group in _order(matrix, data, fold):
        is_folded = depth > 0 and fold is not None and fold.folds(depth, axis.keys(depth, group))
        is_total = depth < len(matrix.columns) and not is_folded
        shown = tuple(m for m in matrix.measures if not is_total or m.totals in ("both", "columns"))
        parts = [shown] if stacked else [(measure,) for measure in shown]
        found += [PrintedColumn(depth, group, part) for part in parts if part]
    return tuple(found)


def _order(matrix: MatrixBlock, data: CrosstabData, fold: Fold | None) -> Iterator[tuple[int, int]]:
    """The groups of columns in order, with subtotals before or after what they total."""
    axis, whole = data.sides.columns, len(matrix.columns)
    if not whole:
        yield 0, 0
        return
    children = {d: np.searchsorted(axis.around(d + 1, d), np.arange(axis.size(d) + 1)) for d in range(whole)}

    def inside(depth: int, group: int) -> Iterator[tuple[int, int]]:
        if depth == whole or (depth and fold is not None and fold.folds(depth, axis.keys(depth, group))):
            yield depth, group
            return
        total = matrix.columns[depth - 1].subtotal if depth else matrix.column_total
        if total == "before":
            yield depth, group
        for child in range(int(children[depth][group]), int(children[depth][group + 1])):
            yield from inside(depth + 1, child)
        if total == "after":
            yield depth, group

    yield from inside(0, 0)
