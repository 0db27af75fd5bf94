"""Rules, colour scales and bars of tables as the spreadsheet's own, which go on when its figures are changed.

A kind of cell has them where all its conditions are formulas over the cells of a row, and spreadsheets can change what
its looks differ in; any other looks as it is printed.
"""

from collections.abc import Iterator, Sequence
from itertools import combinations
from typing import Any

import numpy as np
from xlsxwriter.utility import xl_range
from xlsxwriter.worksheet import Worksheet

from northmoor.core.base.arrays import AnyInts
from northmoor.core.compute.evaluate.scope_names import DETAIL
from northmoor.core.compute.evaluate.slots import scope_of
from northmoor.core.errors import ExpressionError
from northmoor.core.layout.context import LayoutContext
from northmoor.core.model.blocks.table import RowPlace
from northmoor.core.model.styles import ColorScale, ConditionalFormat, ResolvedStyle
from northmoor.core.output.content.table_rows import CellContent, TableContent
from northmoor.core.output.spreadsheet.cell_formats import CellFormats
from northmoor.core.output.spreadsheet.row_conditions import NotInCells, RowConditions

_MOST_RANGES = 500
"""Ranges of rows that a format may have: programs become slow with many more."""
_PROPERTIES = {"bold": "bold", "italic": "italic", "color": "font_color", "fill": "bg_color"}
"""What conditional formats can change of a look, as XlsxWriter names it."""


class NativeFormats:
    """The conditional formats of a table with printed `rows` that are on one sheet, the first of all at `base`."""

    def __init__(
        self, content: TableContent, rows: range, base: int, context: LayoutContext, formats: CellFormats
    ) -> None:
        self._content, self._context, self._formats = content, context, formats
        self._made: dict[int, tuple[list[dict[str, Any]], list[str]]] = {}
        kinds = content.layout.rows.kind[rows.start : rows.stop]
        for number in np.unique(kinds).tolist() if content.layout.data.crosstab is None else ():
            runs = _runs(np.flatnonzero(kinds == number) + base + rows.start)
            cells = content.kinds_of(number)
            conditions = RowConditions(cells, runs[0][0], context.locale)
            for cell in cells if len(runs) <= _MOST_RANGES else ():
                options = self._options(cell, self._rules(number, cell), conditions)
                if options:
                    ranges = [xl_range(first, cell.column, last, cell.column) for first, last in runs]
                    self._made[id(cell)] = options, ranges

    def has(self, kind: CellContent) -> bool:
        """Whether the sheet itself changes the look of a kind of cell."""
        return id(kind) in self._made

    def add_to(self, sheet: Worksheet) -> None:
        """Add them to the sheet of the rows."""
        for options, ranges in self._made.values():
            for option in options:
                sheet.conditional_format(ranges[0], {**option, "multi_range": " ".join(ranges)})

    def _rules(self, number: int, cell: CellContent) -> list[tuple[ConditionalFormat, tuple[str, ...]]]:
        """The rules of a cell, those of its row first, each with the conditions that keep it from being asked."""
        layout, table = self._content.layout, self._content.table
        place = layout.plans[layout.page_kinds + number].place
        of_details = table.rules if scope_of(table, place) == DETAIL else ()
        of_row = () if place == RowPlace("detail") else table.row_at(place).rules
        return [*_with_stops(of_details), *_with_stops(of_row), *_with_stops(cell.content.rules)]

    def _options(
        self, cell: CellContent, rules: Sequence[tuple[ConditionalFormat, tuple[str, ...]]], conditions: RowConditions
    ) -> list[dict[str, Any]]:
        """The formats of a kind of cell, what counts most first; none where it has to look as it is printed."""
        base, found = cell.layout.look, []
        try:
            for rule, stops in rules:
                tests = [conditions.formula(rule.when), *(f"NOT({conditions.formula(stop)})" for stop in stops)]
                criteria = f"={tests[0]}" if len(tests) == 1 else f"=AND({','.join(tests)})"
                changes = _changes(base, self._context.look(rule.style, rule.look, base))
                if changes:
                    look = self._formats.plain(**changes)
                    found.append({"type": "formula", "criteria": criteria, "format": look})
            self._check_layers(base, [rule for rule, _ in rules])
        except (NotInCells, ExpressionError):
            return []
        return [*found[::-1], *_of_values(cell)]  # later rules are laid over earlier ones

    def _check_layers(self, base: ResolvedStyle, rules: Sequence[ConditionalFormat]) -> None:
        """See that of two rules that hold the later takes nothing back. Raises NotInCells."""
        for one, two in combinations(rules, 2):
            look = self._context.look(one.style, one.look, base)
            both = self._context.look(two.style, two.look, look)
            if _changes(base, both) != _changes(base, look) | _changes(
                base, self._context.look(two.style, two.look, base)
            ):
                raise NotInCells


def _with_stops(rules: Sequence[ConditionalFormat]) -> Iterator[tuple[ConditionalFormat, tuple[str, ...]]]:
    stops: tuple[str, ...] = ()
    for rule in rules:
        yield rule, stops
        stops += (rule.when,) if rule.stop else ()


def _changes(base: ResolvedStyle, look: ResolvedStyle) -> dict[str, Any]:
    """What a look changes, as properties of a format. Raises NotInCells for what a spreadsheet cannot change."""
    names = [name for name in ResolvedStyle.__struct_fields__ if getattr(base, name) != getattr(look, name)]
    if any(name not in _PROPERTIES or not getattr(look, name) for name in names):
        raise NotInCells
    return {_PROPERTIES[name]: getattr(look, name) for name in names}


def _of_values(cell: CellContent) -> Iterator[dict[str, Any]]:
    """The colour scale of a kind of cell, and its bars."""
    scale, fills, drawing = cell.content.scale, cell.layout.fills, cell.layout.drawing
    if scale is not None and fills is not None:
        yield _scale(scale, fills.minimum, fills.maximum)
    if drawing is not None and drawing.drawing.kind == "bar" and not drawing.undrawn:
        yield {
            "type": "data_bar", "bar_only": True, "bar_solid": True, "min_type": "num", "max_type": "num",
            "min_value": drawing.minimum, "max_value": drawing.maximum,
            "bar_color": drawing.drawing.color, "bar_negative_color": drawing.drawing.negative,
        }  # fmt: skip


def _scale(scale: ColorScale, minimum: float, maximum: float) -> dict[str, Any]:
    found = {
        "type": "2_color_scale", "min_type": "num", "min_value": minimum, "min_color": scale.low,
        "max_type": "num", "max_value": maximum, "max_color": scale.high,
    }  # fmt: skip
    if scale.middle is None:
        return found
    middle = {"mid_type": "num", "mid_value": (minimum + maximum) / 2, "mid_color": scale.middle}
    return found | middle | {"type": "3_color_scale"}


def _runs(rows: AnyInts) -> list[tuple[int, int]]:
    """The first and the last of each run of adjacent rows."""
    breaks = np.flatnonzero(np.diff(rows) > 1)
    firsts, lasts = rows[np.append(0, breaks + 1)], rows[np.append(breaks, len(rows) - 1)]
    return list(zip(firsts.tolist(), lasts.tolist(), strict=True))
