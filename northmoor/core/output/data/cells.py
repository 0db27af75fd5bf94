"""The computed cells of a table, matrix or chart as columns, with what each row is.

`row` is the kind of row (heading, detail, total), `level` the level that a heading or total is of, and a column for
each level holds the key of the group. The others are the columns of the block.
"""

import re
from datetime import datetime, time
from typing import Any

import pyarrow as pa
from msgspec import Struct, field

from northmoor.core.compute.chart.evaluation import mark_texts
from northmoor.core.expr.language import bare_column
from northmoor.core.layout.chart.facets import ChartView, Facet, SeriesMeasure
from northmoor.core.layout.table.layout import TableLayout
from northmoor.core.layout.table.row_sequence import DETAILS
from northmoor.core.model.blocks.chart import ChartLevel
from northmoor.core.output.content.nodes import ChartNode, TableNode
from northmoor.core.output.content.table_rows import TableContent, cell_text

ROW, LEVEL, TEXT = "row", "level", "text"
"""The columns that say what a row is; `text` has what is written in cells that are no values."""


class CellColumns(Struct):
    """The cells of one block, gathered from all places where it is printed."""

    columns: dict[str, list[Any]] = field(default_factory=dict)
    rows: int = 0
    expected: tuple[str, ...] = ()
    """The columns of a block without any rows."""

    def add(self, values: dict[str, Any]) -> None:
        """Add a row; what it does not have is missing."""
        for name, value in values.items():
            if name not in self.columns:
                self.columns[name] = [None] * self.rows
            self.columns[name].append(value)
        self.rows += 1
        for own in self.columns.values():
            if len(own) < self.rows:
                own.append(None)

    def table(self) -> pa.Table:
        """The rows as a table: columns of one kind of value keep it, others are texts."""
        if not self.rows:
            return pa.table({name: pa.array([], pa.string()) for name in self.expected})
        return pa.table({name: _column(values) for name, values in self.columns.items()})


def table_cells(node: TableNode, printed: bool, found: CellColumns) -> None:
    """Add the rows of a table to the cells of its block."""
    layout = node.layout
    content = TableContent(layout)
    names = column_names(content)
    levels = [f"{name}_" if name in (ROW, LEVEL, TEXT) else name for name in _level_names(layout)]
    found.expected = tuple(dict.fromkeys((ROW, LEVEL, *levels, *names)))
    for row in content.rows(node.start, node.end):
        kind = row.kind
        assert kind is not None
        depth = len(levels) if kind.kind == DETAILS else kind.level
        own: dict[str, Any] = {ROW: row.place.row, LEVEL: row.place.level}
        own |= dict(zip(levels, _keys(layout, row.number, depth), strict=False))
        for cell in row.cells:
            name = names[cell.kind.column]
            if name in levels and kind.kind != DETAILS:
                name += "_"  # a figure under the column of a key does not replace the key
            is_figure = cell.kind.expression is not None
            if is_figure and not printed:
                own[name] = cell.whole_value
            elif text := cell_text(cell):
                own[name if is_figure or kind.kind == DETAILS else _text_column(own)] = text
        found.add(own)


def chart_cells(node: ChartNode, printed: bool, found: CellColumns) -> None:
    """Add the marks of a chart to the cells of its block."""
    view: ChartView = node.fragment.view
    category = _level_name(view.chart.category) or "mark"
    panels = _level_name(view.chart.panels)
    for facet in view.facets:
        shown = {series.name: _values(view, facet, series, printed) for series in view.series_measures}
        for at, lane in enumerate(facet.lane.tolist()):
            own: dict[str, Any] = {ROW: "mark"}
            if panels is not None:
                own[panels] = facet.title
            own[category] = facet.texts[lane] if printed or facet.keys.null_count else facet.keys[lane].as_py()
            own |= {name: values[at] for name, values in shown.items()}
            found.add(own)


def _level_name(level: ChartLevel | None) -> str | None:
    """What a column of a level's keys is called: as the column is that they are from."""
    return None if level is None else bare_column(level.by) or level.name


def _values(view: ChartView, facet: Facet, series: SeriesMeasure, printed: bool) -> list[Any]:
    expression = mark_texts(view.chart, series.measure)[0]
    if printed:
        return view.shown(facet, series, expression, series.measure.format or view.axis_pattern(series.measure))
    return view.exact(facet, series, expression)


def _text_column(own: dict[str, Any]) -> str:
    """Where the next text of a heading or total goes."""
    number = 1
    while (name := TEXT if number == 1 else f"{TEXT}_{number}") in own:
        number += 1
    return name


def column_names(content: TableContent) -> list[str]:
    """The names of a table's columns, all different; those of a matrix by its keys and measures."""
    crosstab = content.layout.data.crosstab
    names: list[str] = []
    for column in content.table.columns:
        shown = crosstab.columns[column.name] if crosstab is not None else None
        name = column.name if shown is None else " ".join([*map(_key_text, shown.keys), shown.column])
        if shown is not None and shown.is_measure and shown.level is None:
            name = f"total {name}"
        name = re.sub(r"\s+", " ", name).strip()
        while name in (*names, ROW, LEVEL, TEXT):
            name += "_"
        names.append(name)
    return names


def _level_names(layout: TableLayout) -> list[str]:
    return [level.name for level in layout.table.levels]


def _key_text(key: Any) -> str:
    """A key as part of a name; a moment that is a day as that."""
    is_day = isinstance(key, datetime) and key.time() == time()
    return key.date().isoformat() if is_day else str(key)


def _keys(layout: TableLayout, row: int, depth: int) -> tuple[Any, ...]:
    """The keys of the groups that a printed row is in."""
    if not depth or not layout.data.rows:
        return ()
    position = min(int(layout.rows.position[row]), layout.data.rows - 1)
    keys = layout.data.keys(position, depth)
    kind = layout.rows.kinds[layout.rows.kind[row]]
    if kind.kind != DETAILS:  # after a group of a tree is the last row of one in it
        keys = (*keys[:-1], layout.data.levels[depth - 1].key(int(layout.rows.index[row])))
    return keys


def _column(values: list[Any]) -> pa.Array:
    """Values as a column of their kind; of several kinds, as texts."""
    try:
        return pa.array(values)
    except (pa.ArrowInvalid, pa.ArrowTypeError, pa.ArrowNotImplementedError):
        return pa.array([None if value is None else str(value) for value in values], pa.string())
