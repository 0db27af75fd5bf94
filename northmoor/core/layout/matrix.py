"""A matrix as the table that prints it: a column for each key across the top and each measure, a row for each key down.

What a table is laid out with then holds for matrices, too: heads on every page, rows that stay together, sheets side by
side, rules, formats. Every cell shows a value that has been computed where its row and column cross.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from itertools import groupby
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from northmoor.core.compute.cells import Computed
from northmoor.core.compute.crossed import Crossed, Crossing
from northmoor.core.compute.groups import Groups, Wanted
from northmoor.core.compute.matrix import ArrangedMatrix
from northmoor.core.compute.scopes import DETAIL
from northmoor.core.compute.table import Across, ArrangedTable, renamed, slots_in
from northmoor.core.expr.language import bare_column, columns_in
from northmoor.core.layout.celltext import is_numeric
from northmoor.core.layout.context import Setting
from northmoor.core.layout.flow import kinds_of_table, make_flow
from northmoor.core.layout.folding import Fold, column_folds
from northmoor.core.layout.plans import make_row_plans
from northmoor.core.layout.sheets import parted_sheets
from northmoor.core.layout.table import TableLayout, lay_out_table
from northmoor.core.layout.widths import natural_widths
from northmoor.core.model.looks import FullLook, Look
from northmoor.core.model.matrices import MatrixBlock, MatrixLevel, Measure
from northmoor.core.model.report import Report
from northmoor.core.model.tables import Cell, Column, Content, HeadRow, Level, Row, TableBlock
from northmoor.core.model.texts import literal

_CONTENT = tuple(Content.model_fields)
_EMPHASIS = ("bold", "italic", "color", "fill")


@dataclass(frozen=True)
class PrintedColumn:
    """A column of the printed matrix: at which depth of the column levels it stands, for which group there, and which
    measures it shows (one, or all where they stand one below the other)."""

    depth: int
    group: int
    measures: tuple[Measure, ...]


def columns_of(matrix: MatrixBlock, arranged: ArrangedMatrix, fold: Fold | None = None) -> tuple[PrintedColumn, ...]:
    """The printed columns from left to right; of groups that are folded, their totals only."""
    stacked, axis = matrix.measures_stand == "down", arranged.sides.columns
    found = []
    for depth, group in _order(matrix, arranged, fold):
        is_folded = depth > 0 and fold is not None and fold.folds(depth, axis.keys(depth, group))
        is_total = depth < len(matrix.columns) and not is_folded
        shown = tuple(m for m in matrix.measures if not is_total or m.totals in ("both", "columns"))
        parts = [shown] if stacked else [(measure,) for measure in shown]
        found += [PrintedColumn(depth, group, part) for part in parts if part]
    return tuple(found)


def _order(matrix: MatrixBlock, arranged: ArrangedMatrix, fold: Fold | None) -> Iterator[tuple[int, int]]:
    """The groups of columns in order, with subtotals before or after what they total."""
    axis, whole = arranged.sides.columns, len(matrix.columns)
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


@dataclass(eq=False)
class Spreading:
    """Makes the table that prints a matrix."""

    matrix: MatrixBlock
    arranged: ArrangedMatrix
    report: Report
    fold: Fold | None = None
    """What of the rows is folded: folded groups show their totals even where the matrix prints none."""
    column_fold: Fold | None = None
    hidden: int = 0
    """How many of its outermost row levels are not printed: the keys of the records around it, or all."""
    cells: dict[Wanted, Computed] = field(default_factory=dict)
    across: dict[str, Across] = field(default_factory=dict)

    @cached_property
    def columns(self) -> tuple[PrintedColumn, ...]:
        """The printed columns."""
        return columns_of(self.matrix, self.arranged, self.column_fold)

    def table(self) -> tuple[TableBlock, ArrangedTable]:
        """The table, and its rows with the values of its cells."""
        matrix, axis = self.matrix, self.arranged.sides.rows
        heads, titles = self._heads()
        columns = (*self._key_columns(), *(self._column(i, title) for i, title in enumerate(titles)))
        table = TableBlock(
            name=matrix.name,
            query=matrix.query,
            columns=columns,
            levels=tuple(self._level(depth) for depth in range(1, axis.depth)),
            total=self._total_rows(0) if axis.depth and matrix.row_total != "none" else (),
            detail=tuple(self._line(m) for m in range(1, len(matrix.measures))) if self._stacked else (),
            head=heads,
            head_style=matrix.head_style,
            style=matrix.style,
            when_empty=matrix.when_empty,
            space_after=matrix.space_after,
        )
        rows = axis.size(axis.depth)
        levels = tuple(self._groups(depth) for depth in range(1, axis.depth))
        return table, ArrangedTable(
            rows, levels, self.cells, None, notes=self.arranged.notes, across=self.across,
            leaf=axis.groups[-1] if axis.depth > self.hidden else None,
            leaf_indent=(_key_name(axis.depth), matrix.indent),
            heads=self._head_levels,
        )  # fmt: skip

    @property
    def _stacked(self) -> bool:
        return self.matrix.measures_stand == "down" and len(self.matrix.measures) > 1

    @property
    def _rows_deep(self) -> int:
        return len(self.matrix.rows)

    def _groups(self, depth: int) -> Groups:
        """The groups of a row level over the innermost groups, which are the printed rows."""
        axis = self.arranged.sides.rows
        own = axis.groups[depth - 1]
        starts = np.searchsorted(axis.around(axis.depth, depth), np.arange(len(own) + 1))
        return Groups(starts.astype(np.int64), own.keys, None, own.words)

    @cached_property
    def _patterns(self) -> Mapping[str, str]:
        """The formats that the query's settings give to columns."""
        columns = self.report.query(self.matrix.query).columns
        return {column.name: column.format for column in columns if column.format is not None}

    # the keys of rows

    def _key_columns(self) -> tuple[Column, ...]:
        """The columns at the left: one for each row level, or one for all of them, and one for the names of stacked
        measures."""
        depths = range(self.hidden + 1, self._rows_deep + 1)
        found = [self._key_column(depth) for depth in depths if depth == self._rows_deep or not self.matrix.stepped]
        if self._stacked:
            self.across["measures"] = Across(self.matrix.measures[0].name, (), None, *self._lines)
            title = self._measure_title(self.matrix.measures[0])
            found.append(Column(name="measures", text=title, repeat_across=True, style=self.matrix.key_style))
        return tuple(found)

    def _key_column(self, depth: int) -> Column:
        level = self.matrix.rows[depth - 1]
        name = _key_name(depth)
        self._give(DETAIL, f"key{depth}", self._keys_at(depth, self._rows_deep))
        self.across[name] = Across(level.name, is_measure=False)
        return Column(
            name=name,
            value=f"key{depth}",
            format=self._key_pattern(level),
            title=self._text(level.title, Crossing(0, 0), 0, f"title{depth}"),
            width=level.width,
            blank_repeats=depth < self._rows_deep,
            repeat_across=True,
            style=self.matrix.key_style,
        )

    def _keys_at(self, depth: int, inner: int) -> Computed:
        """The keys of a row level's groups, for each group at an inner depth."""
        computed = self.arranged.crossings.values[Crossed(Crossing(depth, 0), self.matrix.rows[depth - 1].by)]
        around = self.arranged.sides.rows.around(inner, depth)
        words = {at: computed.words[group] for at, group in enumerate(around.tolist()) if group in computed.words}
        return Computed(computed.values.take(pa.array(around)), words=words)

    def _level(self, depth: int) -> Level:
        level = self.matrix.rows[depth - 1]
        return Level(
            name=level.name,
            by=f"key{depth}",
            indent=self.matrix.indent if self.matrix.stepped and depth > self.hidden else 0,
            heading=self._heading(depth) if self.matrix.stepped and depth > self.hidden else (),
            total=self._total_rows(depth) if level.subtotal != "none" or self._is_folded(depth) else (),
            page_break=level.page_break,
            keep_together=level.keep_together,
        )

    def _heading(self, depth: int) -> tuple[Row, ...]:
        """The row that begins a group where the keys of all levels stand in one column."""
        self._give(depth, f"key{depth}", self._keys_at(depth, depth))
        pattern = self._key_pattern(self.matrix.rows[depth - 1])
        key = Cell(column=_key_name(self._rows_deep), value=f"key{depth}", format=pattern)
        return (Row(cells=(key,), style=self.matrix.key_style),)

    def _key_pattern(self, level: MatrixLevel) -> str | None:
        """The format of a level's keys: its own, or that of the column it groups by."""
        return level.format or self._patterns.get(bare_column(level.by) or "")

    def _is_folded(self, depth: int) -> bool:
        """Whether groups of a row level are folded."""
        fold = self.fold
        return fold is not None and (fold.level == depth or any(level == depth for level, _ in fold.groups))

    # the cells

    def _column(self, i: int, title: str) -> Column:
        """A printed column, as it is in the rows of the innermost groups."""
        printed = self.columns[i]
        measure = printed.measures[0]
        name = f"c{i}"
        keys, level = self._column_keys(printed), self._column_level(printed)
        self.across[name] = Across(measure.name, keys, level, *self._lines)
        return Column(
            **self._content(measure, i, self._rows_deep, DETAIL),
            name=name,
            title=title,
            width=measure.width,
            joined=self._is_joined(i),
        )

    def _is_joined(self, at: int) -> bool:
        """Whether a printed column stays with the one before it: a total with what it totals, measures of one group."""
        if not at:
            return False
        before, own = self.columns[at - 1], self.columns[at]
        if (before.depth, before.group) == (own.depth, own.group):
            return True
        return own.depth < before.depth if self._total_stands(own.depth) == "after" else before.depth < own.depth

    def _total_stands(self, depth: int) -> str:
        if depth == len(self.matrix.columns):
            return "none"
        return self.matrix.columns[depth - 1].subtotal if depth else self.matrix.column_total

    def _column_keys(self, printed: PrintedColumn) -> tuple[object, ...]:
        return self.arranged.sides.columns.keys(printed.depth, printed.group)

    def _column_level(self, printed: PrintedColumn) -> str | None:
        return self.matrix.columns[printed.depth - 1].name if printed.depth else None

    def _content(self, measure: Measure, i: int, depth: int, scope: int) -> dict[str, object]:
        """What a measure's cells say under a printed column, in rows at a depth."""
        printed = self.columns[i]
        at = Crossing(depth, printed.depth)
        named = {text: f"v{self._numbers[text]}_{i}" for text in slots_in(measure)}
        is_total = at != Crossing(self._rows_deep, len(self.matrix.columns))
        for text, name in named.items():
            self._give(scope, name, self._values(measure, text, at, printed.group))
        own = renamed(measure, named)
        made: dict[str, object] = {name: getattr(own, name) for name in _CONTENT}
        made["format"] = measure.format or self._measure_pattern(measure)
        if depth < self._rows_deep:
            made |= {"scale": None, "style": None}  # the look of the row of totals
        elif is_total:
            made |= {"scale": None, "look": self._emphasis(self._total_style(at), measure.look)}
        elif measure.scale is not None:
            made["scale"] = self._scale(measure, at)
        return made

    def _measure_pattern(self, measure: Measure) -> str | None:
        """A total of a column is written like the column, unless it counts."""
        used = columns_in(measure.value) if measure.value is not None else frozenset()
        found = [pattern for name, pattern in sorted(self._patterns.items()) if name.lower() in used]
        counts = "count(" in (measure.value or "").lower().replace(" ", "")
        return found[0] if len(found) == 1 and not counts else None

    @cached_property
    def _numbers(self) -> Mapping[str, int]:
        """A number for each expression of the measures."""
        texts = dict.fromkeys(text for measure in self.matrix.measures for text in slots_in(measure))
        return {text: number for number, text in enumerate(texts)}

    def _total_style(self, at: Crossing) -> str | None:
        """The style of a column of totals."""
        return self.matrix.columns[at.columns - 1].style if at.columns else self.matrix.total_style

    def _emphasis(self, style: str | None, own: Look | None) -> Look | None:
        """What of a style makes a column stand out from others whose rows it shares: rules and padding stay theirs."""
        if style is None:
            return own
        full, plain = self.report.look(FullLook(), style), self.report.look(FullLook(), self.matrix.style)
        found = {n: getattr(full, n) for n in _EMPHASIS if getattr(full, n) != getattr(plain, n)}
        return (own or Look()).but(**found)

    def _values(self, measure: Measure, text: str, at: Crossing, group: int) -> Computed:
        """An expression's values down a printed column, empty where no rows are behind."""
        crossings = self.arranged.crossings
        computed, has_rows = crossings.values[Crossed(at, text)], crossings.has_rows[at]
        if computed.fault is not None:
            return Computed(pa.nulls(self.arranged.sides.shape(at)[0], pa.string()), fault=computed.fault)
        rows, columns = self.arranged.sides.shape(at)
        cells = group + columns * np.arange(rows)
        there = has_rows[cells]
        values = computed.values.take(pa.array(cells, mask=~there))
        faults = {cell // columns: f for cell, f in computed.faults.items() if cell % columns == group}
        words = {int(row): self.matrix.no_rows for row in np.flatnonzero(~there)}
        scaled_by = None
        if measure.scale is not None and measure.scale_over == "row" and is_numeric(values.type):
            scaled_by = pa.array(_shares(computed.values, (rows, columns))[cells])
        return Computed(values, {row: f for row, f in faults.items() if there[row]}, words, scaled_by=scaled_by)

    def _scale(self, measure: Measure, at: Crossing) -> object:
        """A measure's colour scale, from the least to the greatest of the cells that it goes over."""
        scale = measure.scale
        assert scale is not None
        if measure.scale_over == "row":
            return scale.but(least=0.0, greatest=1.0)
        if measure.scale_over == "column" or measure.value is None:
            return scale
        values = self.arranged.crossings.values[Crossed(at, next(iter(slots_in(Content(value=measure.value)))))].values
        if not is_numeric(values.type):
            return scale
        ends = pc.min_max(pc.cast(values, pa.float64())).as_py()
        least = scale.least if scale.least is not None else ends["min"]
        return scale.but(least=least, greatest=scale.greatest if scale.greatest is not None else ends["max"])

    def _total_rows(self, depth: int) -> tuple[Row, ...]:
        """The row that totals the groups of a row level, or all; several where measures are stacked."""
        matrix = self.matrix
        level = matrix.rows[depth - 1] if depth else None
        shown = self._totalled
        stands = level.subtotal if level is not None else matrix.row_total
        stands = "after" if stands == "none" else stands
        style = (level.style if level is not None else None) or (matrix.total_style if level is None else None)
        text = level.subtotal_text if level is not None else matrix.row_total_text
        if level is not None and self._is_folded(depth):
            text = f"{{{level.by}}}"  # its key stands nowhere else
        label = self._text(text, Crossing(depth, 0), depth, f"label{depth}")
        rows = []
        for line, measure in enumerate(shown if self._stacked else matrix.measures[:1]):
            cells = [self._label(label, depth)] if not line else []
            if self._stacked:
                cells.append(Cell(column="measures", text=self._measure_title(measure)))
            for i, printed in enumerate(self.columns):
                own = measure if self._stacked else printed.measures[0]
                if own in shown and own in printed.measures:
                    cells.append(Cell(**self._content(own, i, depth, depth), column=f"c{i}"))
            rows.append(Row(cells=tuple(cells), style=style, stands=stands))
        return tuple(rows)

    @cached_property
    def _lines(self) -> tuple[tuple[str, ...], tuple[str, ...]]:
        """Where measures are stacked, the names of those that a row shows, and a row of totals."""
        if not self._stacked:
            return (), ()
        return tuple(m.name for m in self.matrix.measures), tuple(m.name for m in self._totalled)

    @cached_property
    def _totalled(self) -> tuple[Measure, ...]:
        """The measures that rows of totals show."""
        return tuple(m for m in self.matrix.measures if m.totals in ("both", "rows"))

    def _label(self, text: str, depth: int) -> Cell:
        """What a total is called, under the keys of its level and of those in it."""
        at = self._rows_deep if self.matrix.stepped else max(depth, self.hidden + 1)
        return Cell(column=_key_name(at), text=text, span=self._rows_deep - at + 1)

    def _line(self, number: int) -> Row:
        """A further line of each row, for a measure that stands below the first."""
        measure = self.matrix.measures[number]
        cells = [Cell(column="measures", text=self._measure_title(measure))]
        for i, printed in enumerate(self.columns):
            if measure in printed.measures:
                cells.append(Cell(**self._content(measure, i, self._rows_deep, DETAIL), column=f"c{i}"))
        return Row(cells=tuple(cells))

    # the head

    @cached_property
    def _shows_measures(self) -> bool:
        """Whether the last row of the head has the measures' titles."""
        matrix = self.matrix
        return (len(matrix.measures) > 1 and not self._stacked) or matrix.show_measures or not matrix.columns

    @cached_property
    def _head_levels(self) -> tuple[str | None, ...]:
        names = [level.name for level in self.matrix.columns]
        return (None, *names) if self._shows_measures else (names[-1], *names[:-1])

    def _heads(self) -> tuple[tuple[HeadRow, ...], list[str]]:
        """The rows of the head above the titles, and the title of each printed column."""
        matrix = self.matrix
        deep = len(matrix.columns)
        rows = [self._head_row(depth) for depth in range(1, deep + self._shows_measures)]
        if self._shows_measures:
            return tuple(rows), [self._measure_title(printed.measures[0]) for printed in self.columns]
        return tuple(rows), [self._head_text(printed, deep) for printed in self.columns]

    def _head_row(self, depth: int) -> HeadRow:
        """The keys of a column level, each over all columns of its group."""
        cells = []
        numbered = enumerate(self.columns)
        for _, run in groupby(numbered, key=lambda each: self._head_group(each[1], depth)):
            found = list(run)
            text = self._head_text(found[0][1], depth)
            look = Look(align="center", rule_below=500) if len(found) > 1 else Look(align="end")
            if text:
                cells.append(Cell(column=f"c{found[0][0]}", span=len(found), text=text, look=look))
        return HeadRow(cells=tuple(cells), style=self.matrix.head_style, look=Look(rule_below=0))

    def _head_group(self, printed: PrintedColumn, depth: int) -> tuple[int, int]:
        """Which group's key stands over a printed column in a row of the head: its depth and number."""
        if printed.depth < depth:
            return printed.depth, printed.group
        return depth, int(self.arranged.sides.columns.around(printed.depth, depth)[printed.group])

    def _head_text(self, printed: PrintedColumn, depth: int) -> str:
        """What stands over a printed column in a row of the head: a key, what a total is called, or nothing."""
        matrix = self.matrix
        own, group = self._head_group(printed, depth)
        if own == depth:
            level = matrix.columns[depth - 1]
            name = f"head{depth}_{group}"
            computed = self.arranged.crossings.values[Crossed(Crossing(0, depth), level.by)]
            words = {0: computed.words[group]} if group in computed.words else {}
            self._give(0, name, Computed(computed.values.slice(group, 1), words=words))
            pattern = self._key_pattern(level)
            return f"{{{name}; {pattern}}}" if pattern else f"{{{name}}}"
        if own != depth - 1:
            return ""
        text = matrix.columns[own - 1].subtotal_text if own else matrix.column_total_text
        return self._text(text, Crossing(0, own), 0, f"over{own}_{group}", group)

    def _measure_title(self, measure: Measure) -> str:
        """A measure's title, or its name."""
        if not measure.title:
            return literal(measure.name)
        return self._text(measure.title, Crossing(0, 0), 0, f"measure_{self.matrix.measures.index(measure)}")

    # names for what is computed

    def _text(self, text: str, at: Crossing, scope: int, name: str, group: int | None = None) -> str:
        """A template with the values it shows given under names of their own; of one group, if told."""
        named = {slot: f"{name}_{number}" for number, slot in enumerate(dict.fromkeys(slots_in(text)))}
        for slot, own in named.items():
            computed = self.arranged.crossings.values[Crossed(at, slot)]
            if group is not None and computed.fault is None:
                words = {0: computed.words[group]} if group in computed.words else {}
                faults = {0: computed.faults[group]} if group in computed.faults else {}
                computed = Computed(computed.values.slice(group, 1), faults, words)
            self._give(scope, own, computed)
            if scope == 0:  # it may stand in the head as well as in a detail's line
                self._give(DETAIL, own, _repeated(computed, self.arranged.sides.rows.size(self._rows_deep)))
        return renamed(Content(text=text), named).text or ""

    def _give(self, scope: int, name: str, computed: Computed) -> None:
        self.cells[Wanted(scope, name)] = computed


def _key_name(depth: int) -> str:
    """The column of the printed table that shows the keys of a row level."""
    return f"row {depth}"


def _repeated(computed: Computed, count: int) -> Computed:
    """One value for each of so many rows."""
    if len(computed.values) != 1 or computed.fault is not None:
        return replace(computed, values=pa.nulls(count)) if computed.fault is not None else computed
    return Computed(computed.values.take(pa.array(np.zeros(count, np.int64))))


def _shares(values: pa.Array, shape: tuple[int, int]) -> npt.NDArray[np.float64]:
    """Where each value lies between the least and the greatest of its row, from 0 to 1."""
    grid = pc.cast(values, pa.float64()).to_numpy(zero_copy_only=False).reshape(shape)
    with np.errstate(all="ignore"):
        least, greatest = np.nanmin(grid, axis=1, keepdims=True), np.nanmax(grid, axis=1, keepdims=True)
        found: npt.NDArray[np.float64] = np.where(greatest > least, (grid - least) / (greatest - least), 1.0)
    return found.reshape(-1)


def lay_out_matrix(
    matrix: MatrixBlock, arranged: ArrangedMatrix, width: int, setting: Setting, hidden: int = 0
) -> tuple[TableBlock, list[TableLayout]]:
    """The table that prints a matrix, and its sheets from left to right; `hidden` row levels are not printed, since
    they are the keys of the records around it."""
    folds = setting.folds.get(matrix.name), setting.folds.get(column_folds(matrix.name))
    key = ("spread", matrix, arranged, setting.report.styles, setting.report.query(matrix.query), folds, hidden)
    made = Spreading(matrix, arranged, setting.report, *folds, hidden)
    table, spread = setting.kept.get(key, made.table)
    widths = _natural(matrix, table, spread, setting)
    if sum(widths) <= width:
        return table, [lay_out_table(_with_widths(table, widths), spread, width, setting)]
    if matrix.when_wide == "narrow":
        return table, [lay_out_table(table, spread, width, setting)]
    if matrix.when_wide == "shrink":
        setting = _scaled_setting(setting, max(width / sum(widths), matrix.smallest))
        widths = _natural(matrix, table, spread, setting)
        if sum(widths) <= width + len(widths) * _ROUNDING:
            return table, [lay_out_table(table, spread, width, setting)]
    return table, parted_sheets(_with_widths(table, widths), spread, widths, width, setting)


_ROUNDING = 200
"""How much a column may be wider than its share after its look has been made smaller, for rounded sizes."""


_LENGTHS = ("size", "padding", "inset", "rule_above", "rule_below", "rule_left", "rule_right")


def _natural(matrix: MatrixBlock, table: TableBlock, spread: ArrangedTable, setting: Setting) -> list[int]:
    """The widths of the printed columns by their content, those of a measure as wide as its widest if told."""
    flow = setting.kept.get(("flow", spread, kinds_of_table(table)), lambda: make_flow(table, spread))
    _, plans = make_row_plans(table, spread, flow, setting)
    widths = natural_widths(table, plans)
    if not matrix.even_widths:
        return widths
    shown = [spread.across[column.name].column for column in table.columns]
    widest = {name: max(w for w, own in zip(widths, shown, strict=True) if own == name) for name in set(shown)}
    keys = {column.name for column in table.columns if column.repeat_across}
    named = zip(widths, table.columns, shown, strict=True)
    return [width if column.name in keys else widest[own] for width, column, own in named]


def _with_widths(table: TableBlock, widths: list[int]) -> TableBlock:
    return table.but(columns=tuple(c.but(width=w) for c, w in zip(table.columns, widths, strict=True)))


def _scaled_setting(setting: Setting, share: float) -> Setting:
    """The setting with all looks made smaller."""

    def smaller(look: Any) -> dict[str, Any]:
        lengths = {name: getattr(look, name) for name in _LENGTHS}
        return {name: round(length * share) for name, length in lengths.items() if length is not None}

    styles = tuple(style.but(**smaller(style)) for style in setting.report.styles)
    base = replace(setting.base, **smaller(setting.base))
    return replace(setting, report=setting.report.but(styles=styles), base=base)
