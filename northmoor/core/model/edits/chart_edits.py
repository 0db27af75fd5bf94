"""Edits of charts, as `edits` are of tables.

They raise like those: pydantic.ValidationError when the result would be no sound report, KeyError for missing names.
"""

from collections.abc import Callable
from typing import Any

from msgspec import Struct

from northmoor.core.model.blocks.chart import Chart, ChartBlock, ChartLevel, ChartMeasure
from northmoor.core.model.blocks.table import RowPlace
from northmoor.core.model.blocks.text import literal_template
from northmoor.core.model.edits.block_edits import block_of, put_block, remove_blocks
from northmoor.core.model.edits.naming import doubled, unused_name
from northmoor.core.model.edits.query_edits import column_setting
from northmoor.core.model.edits.table_edits import change_cell, table_of
from northmoor.core.model.kinds.aggregates import aggregate_of
from northmoor.core.model.report import Report

CHART_STEPS = ("category", "series", "panels")
"""What groups a chart's rows, in the order in which fields are taken for it."""


class ChartPlace(Struct, frozen=True):
    """Where a chart is: a block of its own, or a cell of a table's row."""

    block: str
    row: RowPlace | None = None
    column: str = ""

    def chart(self, report: Report, edition: str) -> Chart:
        """The chart there. Raises KeyError where there is none."""
        block = block_of(report, edition, self.block)
        if self.row is not None:
            row = table_of(report, edition, self.block).row_at(self.row)
            block = next((cell.chart for cell in row.cells if cell.column == self.column), None)
        if not isinstance(block, Chart):
            raise KeyError(self.block)
        return block

    def query(self, report: Report, edition: str) -> str:
        """The query whose rows it draws."""
        return str(block_of(report, edition, self.block).query)

    def put(self, report: Report, edition: str, chart: Chart) -> Report:
        """Have another chart there."""
        if self.row is None:
            assert isinstance(chart, ChartBlock)
            return put_block(report, edition, chart)
        return change_cell(report, edition, self.block, self.row, self.column, chart=chart)

    def remove(self, report: Report, edition: str) -> Report:
        """Have no chart there."""
        if self.row is None:
            return remove_blocks(report, edition, [self.block])
        return change_cell(report, edition, self.block, self.row, self.column, chart=None)

    def change(self, **changes: Any) -> Callable[[Report, str], Report]:
        """What changes properties of the chart there."""
        return lambda report, edition: self.put(report, edition, self.chart(report, edition).but(**changes))


def new_chart(
    report: Report, query: str, expression: Callable[[str], str], grouped: frozenset[str] = frozenset()
) -> ChartBlock:
    """A chart over a query: columns for the first column that is not totalled, as high as the first that is; those by
    which rows are `grouped` around it come last. `expression` writes a column's name as one."""
    settings = report.query(query).columns
    plains = [column for column in settings if column.total in (None, "none")]
    plain = next(iter(sorted(plains, key=lambda column: expression(column.name) in grouped)), None)
    totalled = next((column for column in settings if column.total not in (None, "none")), None)
    category = None
    if plain is not None:
        category = ChartLevel(name="category", by=expression(plain.name), title=literal_template(plain.shown_name))
    measure = ChartMeasure(name="count", value="count(*)", title="Count")
    if totalled is not None:
        value = aggregate_of(str(totalled.total), expression(totalled.name))
        measure = ChartMeasure(name=totalled.name, value=value, title=literal_template(totalled.shown_name))
    return ChartBlock(name="chart", query=query, category=category, measures=(measure,), space_after=12_000)


def draw_in_cell(
    report: Report, edition: str, table: str, row: RowPlace, column: str, expression: Callable[[str], str]
) -> Report:
    """Draw a chart in a cell of a heading or a total, over the rows of its group; what the cell showed goes."""
    block = table_of(report, edition, table)
    found = new_chart(report, block.query, expression, frozenset(level.by for level in block.levels))
    chart = Chart(category=found.category, measures=found.measures, height=110_000)
    return change_cell(report, edition, table, row, column, chart=chart, value=None, text=None, draw=None)


def group_chart(report: Report, edition: str, place: ChartPlace, step: str, field: str, expression: str) -> Report:
    """Group a chart's categories, series or panels by a field."""
    chart = place.chart(report, edition)
    shown = column_setting(report.query(place.query(report, edition)), field).shown_name
    level = ChartLevel(name=step, by=expression, title=literal_template(shown))
    return place.put(report, edition, chart.but(**{step: level}))


def next_step(chart: Chart) -> str:
    """What the next field groups: the first step that has none, else the last."""
    return next((step for step in CHART_STEPS if getattr(chart, step) is None), CHART_STEPS[-1])


def steps_of(chart: Chart) -> list[tuple[str, ChartLevel]]:
    """What groups a chart's rows, step by step."""
    levels = ((step, getattr(chart, step)) for step in CHART_STEPS)
    return [(step, level) for step, level in levels if level is not None]


def step_of(chart: Chart, level: str | None) -> str:
    """The step whose level has a name. Raises KeyError."""
    found = chart.level(level)
    return next(step for step in CHART_STEPS if getattr(chart, step) is found)


def change_groups_of(place: ChartPlace, block: str | None) -> Callable[[Report, str], Report]:
    """What has a chart draw the rows of another table or matrix, or those of its query; its levels that were taken from
    the block before stay as groups by the same expressions."""

    def change(report: Report, edition: str) -> Report:
        chart = place.chart(report, edition)
        assert isinstance(chart, ChartBlock)
        changes: dict[str, Any] = {"groups_of": block}
        for step, level in steps_of(chart):
            if level.level is not None:
                by = block_of(report, edition, chart.groups_of or "").level(level.level).by
                changes[step] = level.but(level=None, by=by)
        if block is not None:
            changes["query"] = block_of(report, edition, block).query
        return place.put(report, edition, chart.but(**changes))

    return change


def change_chart_level(report: Report, edition: str, place: ChartPlace, step: str, /, **changes: Any) -> Report:
    """Change properties of what groups a chart's rows."""
    chart = place.chart(report, edition)
    return place.put(report, edition, chart.but(**{step: getattr(chart, step).but(**changes)}))


def add_chart_measure(report: Report, edition: str, place: ChartPlace, field: str, value: str) -> Report:
    """Draw one more value."""
    chart = place.chart(report, edition)
    shown = column_setting(report.query(place.query(report, edition)), field).shown_name
    name = unused_name(field, [measure.name for measure in chart.measures])
    added = ChartMeasure(name=name, value=value, title=literal_template(shown))
    return place.put(report, edition, chart.but(measures=(*chart.measures, added)))


def change_chart_measure(report: Report, edition: str, place: ChartPlace, measure: str, /, **changes: Any) -> Report:
    """Change properties of what is drawn."""
    chart = place.chart(report, edition)
    measures = tuple(own.but(**changes) if own.name == measure else own for own in chart.measures)
    return place.put(report, edition, chart.but(measures=measures))


def duplicate_chart_measure(report: Report, edition: str, place: ChartPlace, measure: str) -> Report:
    """Draw the same value once more."""
    chart = place.chart(report, edition)
    return place.put(report, edition, chart.but(measures=doubled(chart.measures, measure)))


def remove_chart_measure(report: Report, edition: str, place: ChartPlace, measure: str) -> Report:
    """Draw one value less."""
    chart = place.chart(report, edition)
    return place.put(report, edition, chart.but(measures=tuple(m for m in chart.measures if m.name != measure)))
