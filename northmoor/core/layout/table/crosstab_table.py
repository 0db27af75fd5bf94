"""A matrix as the table that prints it: a column for each key across the top and each measure, a row for each key down.

What a table is laid out with then holds for matrices, too: heads on every page, rows that stay together, sheets side by
side, rules, formats. Every cell shows a value that has been computed where its row and column cross.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from itertools import groupby

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from northmoor.core.base.arrays import Floats
from northmoor.core.base.replace import replace
from northmoor.core.compute.crosstab.cell_values import CellLevel, CrosstabExpression
from northmoor.core.compute.crosstab.evaluation import CrosstabData
from northmoor.core.compute.evaluate.scope_cells import Computed
from northmoor.core.compute.evaluate.scope_names import DETAIL
from northmoor.core.compute.evaluate.slots import slots_in, with_renamed_columns
from northmoor.core.compute.groups.boundaries import Groups, ScopedExpression
from northmoor.core.compute.table.evaluation import CrosstabColumn, CrosstabPrint, TableData
from northmoor.core.expr.language import bare_column, columns_in
from northmoor.core.layout.inline.formatting import is_numeric, label_pattern
from northmoor.core.layout.table.collapsing import Fold
from northmoor.core.layout.table.crosstab_columns import PrintedColumn, columns_of
from northmoor.core.model.blocks.matrix import MatrixBlock, MatrixLevel, Measure
from northmoor.core.model.blocks.table import Cell, Column, Content, HeadRow, Level, Row, TableBlock
from northmoor.core.model.blocks.text import literal_template
from northmoor.core.model.report import Report
from northmoor.core.model.styles import ResolvedStyle, Style

_CONTENT = tuple(Content.model_fields)
_EMPHASIS = ("bold", "italic", "color", "fill")


@dataclass(eq=False)
class CrosstabTableBuilder:
    """Makes the table that prints a matrix."""

    matrix: MatrixBlock
    data: CrosstabData
    report: Report
    fold: Fold | None = None
    """What of the rows is folded: folded groups show their totals even where the matrix prints none."""
    column_fold: Fold | None = None
    hidden: int = 0
    """How many of its outermost row levels are not printed: the keys of the records around it, or all."""
    cells: dict[ScopedExpression, Computed] = field(default_factory=dict)
    across: dict[str, CrosstabColumn] = field(default_factory=dict)

    @cached_property
    def columns(self) -> tuple[PrintedColumn, ...]:
        """The printed columns."""
        return columns_of(self.matrix, self.data, self.column_fold)

    def table(self) -> tuple[TableBlock, TableData]:
        """The table, and its rows with the values of its cells."""
        matrix, axis = self.matrix, self.data.sides.rows
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
            minimum_scale=matrix.minimum_scale,
        )
        rows = axis.size(axis.depth)
        levels = tuple(self._groups(depth) for depth in range(1, axis.depth))
        return table, TableData(
            rows, levels, self.cells, None, notes=self.data.notes, crosstab=CrosstabPrint(
                columns=self.across, leaf=axis.groups[-1] if axis.depth > self.hidden else None,
                leaf_column=_key_name(axis.depth), leaf_indent=matrix.indent, heads=self._head_levels,
            ),
        )  # fmt: skip

    @property
    def _stacked(self) -> bool:
        return self.matrix.measures_in == "rows" and len(self.matrix.measures) > 1

    @property
    def _rows_deep(self) -> int:
        return len(self.matrix.rows)

    def _groups(self, depth: int) -> Groups:
        """The groups of a row level over the innermost groups, which are the printed rows."""
        axis = self.data.sides.rows
        own = axis.groups[depth - 1]
        starts = np.searchsorted(axis.around(axis.depth, depth), np.arange(len(own) + 1))
        return Groups(starts.astype(np.int64), own.keys, None, own.labels)

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
            self.across["measures"] = CrosstabColumn(self.matrix.measures[0].name, (), None, *self._lines)
            title = self._measure_title(self.matrix.measures[0])
            found.append(Column(name="measures", text=title, repeat_across=True, style=self.matrix.key_style))
        return tuple(found)

    def _key_column(self, depth: int) -> Column:
        level = self.matrix.rows[depth - 1]
        name = _key_name(depth)
        self._give(DETAIL, f"key{depth}", self._keys_at(depth, self._rows_deep))
        self.across[name] = CrosstabColumn(level.name, is_measure=False)
        return Column(
            name=name,
            value=f"key{depth}",
            format=self._key_pattern(level),
            title=self._text(level.title, CellLevel(0, 0), 0, f"title{depth}"),
            width=level.width,
            blank_repeats=depth < self._rows_deep,
            repeat_across=True,
            style=self.matrix.key_style,
        )

    def _keys_at(self, depth: int, inner: int) -> Computed:
        """The keys of a row level's groups, for each group at an inner depth."""
        computed = self.data.crossings.values[CrosstabExpression(CellLevel(depth, 0), self.matrix.rows[depth - 1].by)]
        around = self.data.sides.rows.around(inner, depth)
        words = {at: computed.labels[group] for at, group in enumerate(around.tolist()) if group in computed.labels}
        return Computed(computed.values.take(pa.array(around)), labels=words)

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
        """The row that begins a group where the keys of all levels are in one column."""
        self._give(depth, f"key{depth}", self._keys_at(depth, depth))
        pattern = self._key_pattern(self.matrix.rows[depth - 1])
        key = Cell(column=_key_name(self._rows_deep), value=f"key{depth}", format=pattern)
        return (Row(cells=(key,), style=self.matrix.key_style),)

    def _key_pattern(self, level: MatrixLevel) -> str | None:
        """The format of a level's keys: its own, or that of the column it groups by."""
        matrix, sides = self.matrix, self.data.sides
        levels = zip((*matrix.rows, *matrix.columns), (*sides.rows.groups, *sides.columns.groups), strict=True)
        keys = next(groups.keys for own, groups in levels if own is level)
        return level.format or self._patterns.get(bare_column(level.by) or "") or label_pattern(level.by, keys, True)

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
        self.across[name] = CrosstabColumn(measure.name, keys, level, *self._lines)
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
        return self.data.sides.columns.keys(printed.depth, printed.group)

    def _column_level(self, printed: PrintedColumn) -> str | None:
        return self.matrix.columns[printed.depth - 1].name if printed.depth else None

    def _content(self, measure: Measure, i: int, depth: int, scope: int) -> dict[str, object]:
        """What a measure's cells say under a printed column, in rows at a depth."""
        printed = self.columns[i]
        at = CellLevel(depth, printed.depth)
        named = {text: f"v{self._numbers[text]}_{i}" for text in slots_in(measure)}
        is_total = at != CellLevel(self._rows_deep, len(self.matrix.columns))
        for text, name in named.items():
            self._give(scope, name, self._values(measure, text, at, printed.group))
        own = with_renamed_columns(measure, named)
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

    def _total_style(self, at: CellLevel) -> str | None:
        """The style of a column of totals."""
        return self.matrix.columns[at.columns - 1].style if at.columns else self.matrix.total_style

    def _emphasis(self, style: str | None, own: Style | None) -> Style | None:
        """What of a style makes a column stand out from others whose rows it shares: rules and padding stay theirs."""
        if style is None:
            return own
        full, plain = self.report.look(ResolvedStyle(), style), self.report.look(ResolvedStyle(), self.matrix.style)
        found = {n: getattr(full, n) for n in _EMPHASIS if getattr(full, n) != getattr(plain, n)}
        return (own or Style()).but(**found)

    def _values(self, measure: Measure, text: str, at: CellLevel, group: int) -> Computed:
        """An expression's values down a printed column, empty where no rows are behind."""
        crossings = self.data.crossings
        computed, has_rows = crossings.values[CrosstabExpression(at, text)], crossings.has_rows[at]
        if computed.fault is not None:
            return Computed(pa.nulls(self.data.sides.shape(at)[0], pa.string()), fault=computed.fault)
        rows, columns = self.data.sides.shape(at)
        cells = group + columns * np.arange(rows)
        there = has_rows[cells]
        values = computed.values.take(pa.array(cells, mask=~there))
        faults = {cell // columns: f for cell, f in computed.faults.items() if cell % columns == group}
        words = {int(row): self.matrix.no_rows for row in np.flatnonzero(~there)}
        scaled_by = None
        if measure.scale is not None and measure.scale_over == "row" and is_numeric(values.type):
            scaled_by = pa.array(_shares(computed.values, (rows, columns))[cells])
        return Computed(values, {row: f for row, f in faults.items() if there[row]}, words, scaled_by=scaled_by)

    def _scale(self, measure: Measure, at: CellLevel) -> object:
        """A measure's colour scale, from the minimum to the maximum of the cells that it goes over."""
        scale = measure.scale
        assert scale is not None
        if measure.scale_over == "row":
            return scale.but(minimum=0.0, maximum=1.0)
        if measure.scale_over == "column" or measure.value is None:
            return scale
        values = self.data.crossings.values[
            CrosstabExpression(at, next(iter(slots_in(Content(value=measure.value)))))
        ].values
        if not is_numeric(values.type):
            return scale
        ends = pc.min_max(pc.cast(values, pa.float64())).as_py()
        minimum = scale.minimum if scale.minimum is not None else ends["min"]
        return scale.but(minimum=minimum, maximum=scale.maximum if scale.maximum is not None else ends["max"])

    def _total_rows(self, depth: int) -> tuple[Row, ...]:
        """The row that totals the groups of a row level, or all; several where measures are stacked."""
        matrix = self.matrix
        level = matrix.rows[depth - 1] if depth else None
        shown = self._totalled
        position = level.subtotal if level is not None else matrix.row_total
        position = "after" if position == "none" else position
        style = (level.style if level is not None else None) or (matrix.total_style if level is None else None)
        text = level.subtotal_text if level is not None else matrix.row_total_text
        if level is not None and self._is_folded(depth):
            text = f"{{{level.by}}}"  # its key is nowhere else
        label = self._text(text, CellLevel(depth, 0), depth, f"label{depth}")
        rows = []
        for line, measure in enumerate(shown if self._stacked else matrix.measures[:1]):
            cells = [self._label(label, depth)] if not line else []
            if self._stacked:
                cells.append(Cell(column="measures", text=self._measure_title(measure)))
            for i, printed in enumerate(self.columns):
                own = measure if self._stacked else printed.measures[0]
                if own in shown and own in printed.measures:
                    cells.append(Cell(**self._content(own, i, depth, depth), column=f"c{i}"))
            rows.append(Row(cells=tuple(cells), style=style, position=position))
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
        """A further line of each row, for a measure that is below the first."""
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
            look = Style(align="center", rule_below=500) if len(found) > 1 else Style(align="end")
            if text:
                cells.append(Cell(column=f"c{found[0][0]}", span=len(found), text=text, look=look))
        return HeadRow(cells=tuple(cells), style=self.matrix.head_style, look=Style(rule_below=0))

    def _head_group(self, printed: PrintedColumn, depth: int) -> tuple[int, int]:
        """Which group's key is over a printed column in a row of the head: its depth and number."""
        if printed.depth < depth:
            return printed.depth, printed.group
        return depth, int(self.data.sides.columns.around(printed.depth, depth)[printed.group])

    def _head_text(self, printed: PrintedColumn, depth: int) -> str:
        """What is over a printed column in a row of the head: a key, what a total is called, or nothing."""
        matrix = self.matrix
        own, group = self._head_group(printed, depth)
        if own == depth:
            level = matrix.columns[depth - 1]
            name = f"head{depth}_{group}"
            computed = self.data.crossings.values[CrosstabExpression(CellLevel(0, depth), level.by)]
            words = {0: computed.labels[group]} if group in computed.labels else {}
            self._give(0, name, Computed(computed.values.slice(group, 1), labels=words))
            pattern = self._key_pattern(level)
            return f"{{{name}; {pattern}}}" if pattern else f"{{{name}}}"
        if own != depth - 1:
            return ""
        text = matrix.columns[own - 1].subtotal_text if own else matrix.column_total_text
        return self._text(text, CellLevel(0, own), 0, f"over{own}_{group}", group)

    def _measure_title(self, measure: Measure) -> str:
        """A measure's title, or its name."""
        if not measure.title:
            return literal_template(measure.name)
        return self._text(measure.title, CellLevel(0, 0), 0, f"measure_{self.matrix.measures.index(measure)}")

    # names for what is computed

    def _text(self, text: str, at: CellLevel, scope: int, name: str, group: int | None = None) -> str:
        """A template with the values it shows given under names of their own; of one group, if given."""
        named = {slot: f"{name}_{number}" for number, slot in enumerate(dict.fromkeys(slots_in(text)))}
        for slot, own in named.items():
            computed = self.data.crossings.values[CrosstabExpression(at, slot)]
            if group is not None and computed.fault is None:
                words = {0: computed.labels[group]} if group in computed.labels else {}
                faults = {0: computed.faults[group]} if group in computed.faults else {}
                computed = Computed(computed.values.slice(group, 1), faults, words)
            self._give(scope, own, computed)
            if scope == 0:  # it may be in the head as well as in a detail's line
                self._give(DETAIL, own, _repeated(computed, self.data.sides.rows.size(self._rows_deep)))
        return with_renamed_columns(Content(text=text), named).text or ""

    def _give(self, scope: int, name: str, computed: Computed) -> None:
        self.cells[ScopedExpression(scope, name)] = computed


def _key_name(depth: int) -> str:
    """The column of the printed table that shows the keys of a row level."""
    return f"row {depth}"


def _repeated(computed: Computed, count: int) -> Computed:
    """One value for each of so many rows."""
    if len(computed.values) != 1 or computed.fault is not None:
        return replace(computed, values=pa.nulls(count)) if computed.fault is not None else computed
    return Computed(computed.values.take(pa.array(np.zeros(count, np.int64))))


def _shares(values: pa.Array, shape: tuple[int, int]) -> Floats:
    """Where each value lies between the minimum and the maximum of its row, from 0 to 1."""
    grid = pc.cast(values, pa.float64()).to_numpy(zero_copy_only=False).reshape(shape)
    with np.errstate(all="ignore"):
        minimum, maximum = (
            reduce(grid, axis=1, keepdims=True, initial=np.nan) for reduce in (np.fmin.reduce, np.fmax.reduce)
        )  # they leave out what is missing, and warn of no row where all is
        found: Floats = np.where(maximum > minimum, (grid - minimum) / (maximum - minimum), 1.0)
    return found.reshape(-1)
