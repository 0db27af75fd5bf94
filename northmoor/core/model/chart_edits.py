"""Edits of charts, as `edits` are of tables.

They raise like those: pydantic.ValidationError when the result would be no sound report, KeyError for missing names.
"""

from collections.abc import Callable
from typing import Any

from northmoor.core.model.blocks import literal
from northmoor.core.model.charts import ChartBlock, ChartLevel, ChartMeasure
from northmoor.core.model.edits import (
    aggregate_of,
    block_of,
    change_edition,
    column_setting,
    put_block,
    unused_name,
)
from northmoor.core.model.report import Report

STEPS = ("category", "series", "panels")
"""What groups a chart's rows, in the order in which fields are taken for it."""


def chart_of(report: Report, edition: str, chart: str) -> ChartBlock:
    """A chart by name."""
    block = block_of(report, edition, chart)
    if not isinstance(block, ChartBlock):
        raise KeyError(chart)
    return block


def add_chart(
    report: Report, edition: str, query: str, expression: Callable[[str], str], after: str | None = None
) -> Report:
    """Add a chart over a query, after a block or at the end: columns for the first column that is not totalled, as high
    as the first that is. `expression` writes a column's name as one."""
    settings = report.query(query).columns
    plain = next((column for column in settings if column.total in (None, "none")), None)
    totalled = next((column for column in settings if column.total not in (None, "none")), None)
    found = report.edition(edition)
    assert found is not None
    category = None
    if plain is not None:
        category = ChartLevel(name="category", by=expression(plain.name), title=literal(plain.label or plain.name))
    measure = ChartMeasure(name="count", value="count(*)", title="Count")
    if totalled is not None:
        value = aggregate_of(str(totalled.total), expression(totalled.name))
        measure = ChartMeasure(name=totalled.name, value=value, title=literal(totalled.label or totalled.name))
    names = [block.name for block in found.blocks]
    chart = ChartBlock(
        name=unused_name("chart", names), query=query, category=category, measures=(measure,), space_after=12_000
    )
    at = names.index(after) + 1 if after in names else len(names)
    return change_edition(report, edition, blocks=(*found.blocks[:at], chart, *found.blocks[at:]))


def group_chart(report: Report, edition: str, chart: str, step: str, field: str, expression: str) -> Report:
    """Group a chart's categories, series or panels by a field."""
    block = chart_of(report, edition, chart)
    label = column_setting(report.query(block.query), field).label
    level = ChartLevel(name=step, by=expression, title=literal(label or field))
    return put_block(report, edition, block.but(**{step: level}))


def next_step(block: ChartBlock) -> str:
    """What the next field groups: the first step that has none, else the last."""
    return next((step for step in STEPS if getattr(block, step) is None), STEPS[-1])


def step_of(block: ChartBlock, level: str | None) -> str:
    """The step whose level has a name. Raises KeyError."""
    found = block.level(level)
    return next(step for step in STEPS if getattr(block, step) is found)


def change_chart_level(report: Report, edition: str, chart: str, step: str, **changes: Any) -> Report:
    """Change properties of what groups a chart's rows."""
    block = chart_of(report, edition, chart)
    return put_block(report, edition, block.but(**{step: getattr(block, step).but(**changes)}))


def add_chart_measure(report: Report, edition: str, chart: str, field: str, value: str) -> Report:
    """Draw one more value."""
    block = chart_of(report, edition, chart)
    label = column_setting(report.query(block.query), field).label
    name = unused_name(field, [measure.name for measure in block.measures])
    added = ChartMeasure(name=name, value=value, title=literal(label or field))
    return put_block(report, edition, block.but(measures=(*block.measures, added)))


def change_chart_measure(report: Report, edition: str, chart: str, measure: str, **changes: Any) -> Report:
    """Change properties of what is drawn."""
    block = chart_of(report, edition, chart)
    measures = tuple(own.but(**changes) if own.name == measure else own for own in block.measures)
    return put_block(report, edition, block.but(measures=measures))


def remove_chart_measure(report: Report, edition: str, chart: str, measure: str) -> Report:
    """Draw one value less."""
    block = chart_of(report, edition, chart)
    return put_block(report, edition, block.but(measures=tuple(m for m in block.measures if m.name != measure)))
