"""Which figures of a table are formulas in a spreadsheet: those that SUBTOTAL computes from rows of the sheet.

A figure is one if it is an aggregate of a column that the table's details show, in the same column of the sheet, and if
the formula would give what is printed in every group. SUBTOTAL leaves out other SUBTOTALs among its rows, but not plain
figures: where any are among the details of a column, that column has no formulas.
"""

from collections.abc import Mapping
from typing import Any

import numpy as np
import pyarrow as pa
from msgspec import Struct
from sqlglot import exp

from northmoor.core.base.arrays import Floats
from northmoor.core.compute.table.evaluation import TableData
from northmoor.core.errors import ExpressionError
from northmoor.core.expr.language import parse
from northmoor.core.layout.table.row_sequence import DETAILS, RowKind
from northmoor.core.output.content.table_rows import CellContent, TableContent

_FUNCTIONS: Mapping[type[exp.Expr], int] = {exp.Sum: 9, exp.Avg: 1, exp.Min: 5, exp.Max: 4, exp.Count: 2}
_CLOSE = 1e-9
"""How far, as a share, a sum of doubles may be from an exact one."""


class SubtotalRange(Struct, frozen=True):
    """A figure as a formula: the number of the function, and the printed rows it is over, the last included."""

    function: int
    first: int
    last: int


class TableFormulas:
    """The formulas of a table."""

    def __init__(self, content: TableContent) -> None:
        self._content = content
        layout = content.layout
        self._details = layout.rows.details() if content.table.show_details else np.zeros(0, np.int32)
        self._functions: dict[tuple[RowKind, int], int] = {}
        if self._can_have_any():
            self._find()

    def at(self, kind: RowKind, column: int, group: int) -> SubtotalRange | None:
        """The formula of a figure in a column of a row of a kind for a group; None where it is a plain figure."""
        function = self._functions.get((kind, column))
        if function is None:
            return None
        start, end = (int(each[group]) for each in self._bounds(kind))
        if start >= end:
            return None
        return SubtotalRange(function, int(self._details[start]), int(self._details[end - 1]))

    def _can_have_any(self) -> bool:
        """Whether all details are rows of the sheet, and all of them count."""
        layout = self._content.layout
        return not (layout.rows.is_folded or layout.data.counted is not None or not len(self._details))

    def _find(self) -> None:
        sequence = self._content.layout.rows
        details = {
            cell.column: cell
            for number, kind in enumerate(sequence.kinds)
            if kind == RowKind(DETAILS)
            for cell in self._content.kinds_of(number)
        }
        spoiled: set[int] = set()
        for number, kind in enumerate(sequence.kinds):
            if kind == RowKind(DETAILS):
                continue
            for cell in self._content.kinds_of(number):
                if cell.computed is None or not _is_number(cell.computed.values.type):
                    continue
                function = self._function(kind, cell, details.get(cell.column))
                if function is None:
                    spoiled.add(cell.column)
                else:
                    self._functions[kind, cell.column] = function
        self._functions = {key: value for key, value in self._functions.items() if key[1] not in spoiled}

    def _function(self, kind: RowKind, cell: CellContent, detail: CellContent | None) -> int | None:
        if kind.kind == DETAILS or detail is None or detail.computed is None or cell.expression is None:
            return None
        found = _aggregate(cell.expression)
        if found is None or detail.expression is None or detail.computed.faults or cell.computed is None:
            return None
        function, column = found
        own = _column_of(detail.expression)
        if own is None or own != column or not _is_number(detail.computed.values.type) or cell.computed.faults:
            return None
        values = _doubles(detail.computed.values)
        return function if self._agrees(kind, function, values, _doubles(cell.computed.values)) else None

    def _agrees(self, kind: RowKind, function: int, values: Floats, wanted: Floats) -> bool:
        """Whether the formula gives what is printed, in all groups."""
        starts, ends = self._bounds(kind)
        has_rows = ends > starts
        if len(starts) != len(wanted) or not has_rows.any():
            return False
        known = np.isfinite(values)
        counts = _sums(known.astype(float), starts, ends)
        with np.errstate(divide="ignore", invalid="ignore"):
            if function in (4, 5):
                made = _extremes(values, starts, ends, np.fmax if function == 4 else np.fmin)
            else:
                sums = _sums(np.where(known, values, 0.0), starts, ends)
                made = counts if function == 2 else sums if function == 9 else sums / counts
        compared = has_rows & (counts > 0)
        sizes = _sums(np.where(known, np.abs(values), 0.0), starts, ends)
        room = _CLOSE * np.maximum(np.abs(wanted), sizes if function != 2 else 1.0) + 1e-12
        is_close = np.abs(made - wanted) <= room
        return bool((is_close | ~compared).all()) and bool(np.isfinite(wanted[compared]).all())

    def _bounds(self, kind: RowKind) -> tuple[Any, Any]:
        """The detail rows that each group of a kind of row begins with, and those it ends before."""
        data: TableData = self._content.layout.data
        if not kind.level:
            return np.zeros(1, np.int64), np.array([data.rows])
        groups = data.levels[kind.level - 1]
        return groups.starts[:-1], groups.ends


def _aggregate(expression: str) -> tuple[int, str] | None:
    """The function of SUBTOTAL and the column of an aggregate of one column."""
    try:
        tree = parse(expression).tree
    except ExpressionError:
        return None
    function = _FUNCTIONS.get(type(tree))
    column = tree.this
    if function is None or not isinstance(column, exp.Column) or column.table:
        return None
    return function, column.name.lower()


def _column_of(expression: str) -> str | None:
    try:
        column = parse(expression).column
    except ExpressionError:
        return None
    return column.lower() if column is not None else None


def _is_number(kind: pa.DataType) -> bool:
    return bool(pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind))


def _doubles(values: pa.Array) -> Floats:
    found: Floats = values.cast(pa.float64(), safe=False).to_numpy(zero_copy_only=False)
    return found


def _sums(values: Floats, starts: Any, ends: Any) -> Floats:
    sums = np.concatenate([[0.0], np.cumsum(values)])
    found: Floats = sums[ends] - sums[starts]
    return found


def _extremes(values: Floats, starts: Any, ends: Any, reduce: Any) -> Floats:
    return np.array(
        [reduce.reduce(values[a:b]) if b > a else np.nan for a, b in zip(starts.tolist(), ends.tolist(), strict=True)]
    )
