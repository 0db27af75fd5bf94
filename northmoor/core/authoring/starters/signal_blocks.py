"""Blocks of what signals measured: a table of statistics or readings, or trends with an axis for each unit."""

import math
from collections.abc import Iterator, Sequence

from northmoor.core.authoring.starters.starter_layouts import table_of_fields
from northmoor.core.authoring.table_commands import literal
from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.chart import ChartAxis, ChartBlock, ChartLevel, ChartMeasure, ReferenceLine
from northmoor.core.model.blocks.table import Column
from northmoor.core.model.blocks.text import literal_template
from northmoor.core.model.data.queries import Query, QueryColumn
from northmoor.core.model.data.signal_logs import Signal, SignalLog
from northmoor.core.model.data.signal_queries import MeasurementsQuery, StatisticColumn
from northmoor.core.model.edits.block_edits import Target, insert_blocks
from northmoor.core.model.edits.naming import known_style, unused_name
from northmoor.core.model.report import Report
from northmoor.core.model.styles import Style
from northmoor.core.sources.signals.results import column_name, column_settings

MOST_IN_ONE_TREND = 8
"""Signals in one chart at most: more lines could not be distinguished, and are drawn in panels."""
_PANEL_HEIGHT, _HIGHEST = 110_000, 440_000
USUAL_STATISTICS = tuple(
    StatisticColumn(statistic=name) for name in ("first", "last", "min", "max", "mean", "readings")
)
"""What is wanted of a signal unless others are chosen."""
_END = Style(align="end")
_TEXTS = ("object", "id", "signal", "label", "unit", "text", "first_text", "last_text")
_LEFT_OUT = ("signal", "ordinal", "held", "open", "cut", "start", "end", "duration", "text", "id")
"""Columns that a table does not begin with; they are among the fields."""


def with_blocks_of(report: Report, edition: str, query: Query, log: SignalLog, as_trend: bool) -> Report:
    """The report with blocks of a query's measurements at the end of an edition: trends, or a table."""
    signals = query.signals
    assert isinstance(signals, MeasurementsQuery)
    blocks: Sequence[Block] = trends(query, signals, log) if as_trend else [measured_table_block(report, query)]
    return insert_blocks(report, edition, blocks, Target())


def signals_of_fields(query: Query, fields: Sequence[str]) -> tuple[str, ...]:
    """The signals of which fields of a query are the readings or values at steps."""
    measured = query.signals
    if not isinstance(measured, MeasurementsQuery) or measured.give == "statistics":
        return ()
    if not measured.wide:
        return measured.signals if "value" in fields else ()
    return tuple(signal for signal in measured.signals if column_name(signal) in fields)


def measured_blocks(
    report: Report, edition: str, query: Query, log: SignalLog, signals: Sequence[str], as_trend: bool, target: Target
) -> Report:
    """The report with a trend of some signals of a query at a place, or with a table of their usual statistics over the
    same time."""
    measured = query.signals
    assert isinstance(measured, MeasurementsQuery)
    own = measured.but(signals=tuple(signals))
    if as_trend:
        return insert_blocks(report, edition, trends(query, own, log), target)
    asked = own.but(give="statistics", step=None, moving=None, wide=False, statistics=USUAL_STATISTICS)
    name = unused_name(f"{query.name}_statistics", [each.name for each in report.queries])
    added = query.but(name=name, signals=asked, columns=column_settings(asked, log))
    report = report.but(queries=(*report.queries, added))
    return insert_blocks(report, edition, [measured_table_block(report, added)], target)


def measured_table_block(report: Report, query: Query) -> Block:
    """A table of a query's columns, but for those that say the same in each row."""
    shown = [column for column in query.columns if column.name not in _LEFT_OUT and not column.hidden]
    shown = shown or list(query.columns)
    table = table_of_fields(query.name, [(c.name, f'"{c.name}"', c.shown_name) for c in shown], (), {})
    columns = tuple(map(_column, shown))
    styles = {name: known_style(report, str(getattr(table, name))) for name in ("style", "head_style")}
    return table.but(name=query.name, columns=columns, space_after=12_000, **styles)


def _column(column: QueryColumn) -> Column:
    title, value = literal_template(column.label or column.name), f'"{column.name}"'
    return Column(name=column.name, title=title, value=value, format=_format(column), look=_look(column))


def _look(column: QueryColumn) -> Style | None:
    is_moment = column.format is not None and ("H" in column.format or "y" in column.format)
    return None if column.name in _TEXTS or is_moment else _END


def _format(column: QueryColumn) -> str | None:
    return column.format or (None if column.name in _TEXTS else "#,##0.0")


def trends(query: Query, signals: MeasurementsQuery, log: SignalLog) -> list[ChartBlock]:
    """Charts over time; the spans that bound them are shaded. Signals with columns of their own: those of one unit on
    one axis, up to two units in one chart. Signals with rows of their own: a chart for each unit, with their panels."""
    known = [log.known(name) for name in signals.signals if log.known(name).type == "number"]
    units = list(dict.fromkeys(signal.unit for signal in known))
    groups = list(_pairs_of_units(known)) if signals.wide else [[unit] for unit in units]
    found = []
    for number, group in enumerate(groups):
        own = [signal for signal in known if signal.unit in group]
        named = f"{query.name}-trend{number + 1 if len(groups) > 1 else ''}"
        made = _columns_trend(query, own, group) if signals.wide else _panels_trend(query, own, len(units) > 1)
        found.append(made.but(name=named, references=_bands(signals), lines=_lines(own)))
    return found


def _pairs_of_units(signals: Sequence[Signal]) -> Iterator[list[str]]:
    """Units by twos, those of signals that change evenly apart from those whose values hold: lines of one chart go from
    mark to mark in one way."""
    held = {signal.unit for signal in signals if not signal.kind.is_interpolated}
    units = dict.fromkeys(signal.unit for signal in signals)
    for own in ([u for u in units if u in held], [u for u in units if u not in held]):
        yield from (own[at : at + 2] for at in range(0, len(own), 2))


def _bands(signals: MeasurementsQuery) -> tuple[ReferenceLine, ...]:
    """The spans that bound what is measured, shaded."""
    if signals.spans is None:
        return ()
    ends = {"at": f"list({signals.spans}.start)", "until": f"list({signals.spans}.end)"}
    return (ReferenceLine(axis="across", color="#5E7F3A", **ends),)


def _lines(signals: Sequence[Signal]) -> str:
    return "held" if any(not signal.kind.is_interpolated for signal in signals) else "straight"


def _trend(query: Query, measures: Sequence[ChartMeasure], **more: object) -> ChartBlock:
    return ChartBlock(
        name=query.name, query=query.name, draw="lines", space_after=12_000, measures=tuple(measures),
        category=ChartLevel(name="category", by="time"),
    ).but(**more)  # fmt: skip


def _columns_trend(query: Query, signals: Sequence[Signal], units: Sequence[str]) -> ChartBlock:
    """Lines of signals with columns of their own, of one unit or two."""
    measures = [_measure(signal, units.index(signal.unit)) for signal in signals]
    title = literal_template(signals[0].shown_name) if len(signals) == 1 else ""
    second = literal_template(units[1]) if len(units) > 1 else ""
    return _trend(
        query, measures, height=170_000, legend="above", title=title,
        first=ChartAxis(title=literal_template(units[0])), second=ChartAxis(title=second, grid=False),
    )  # fmt: skip


def _panels_trend(query: Query, signals: Sequence[Signal], is_one_of_several: bool) -> ChartBlock:
    """A small chart for each signal of a unit."""
    unit, count = signals[0].unit, len(signals)
    across = min(count, max(3, math.ceil(math.sqrt(count / 2))))
    return _trend(
        query, [ChartMeasure(name="value", value="max(value)", format="#,##0.##")], columns=across,
        height=40_000 + min(-(-count // across) * _PANEL_HEIGHT, _HIGHEST),
        panels=ChartLevel(name="panels", by="label"), first=ChartAxis(title=literal_template(unit)),
        keep_rows=f"unit = {literal(unit)}" if is_one_of_several else None,
    )  # fmt: skip


def _measure(signal: Signal, axis: int) -> ChartMeasure:
    title = f"{signal.shown_name}, {signal.unit}" if signal.unit else signal.shown_name
    return ChartMeasure(
        name=column_name(signal.name), value=f'max("{column_name(signal.name)}")', title=literal_template(title),
        format="#,##0.##", axis="second" if axis else "first",
    )  # fmt: skip
