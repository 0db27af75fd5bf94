"""Blocks of what signals measured: a table of statistics or readings, or trends with an axis for each unit."""

from collections.abc import Sequence

from northmoor.core.authoring.starters.starter_layouts import table_of_fields
from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.chart import ChartAxis, ChartBlock, ChartLevel, ChartMeasure, ReferenceLine
from northmoor.core.model.blocks.table import Column
from northmoor.core.model.blocks.text import literal_template
from northmoor.core.model.data.queries import Query, QueryColumn
from northmoor.core.model.data.signal_logs import Signal, SignalLog
from northmoor.core.model.data.signal_queries import MeasurementsQuery
from northmoor.core.model.edits.block_edits import Target, insert_blocks
from northmoor.core.model.edits.naming import known_style
from northmoor.core.model.report import Report
from northmoor.core.model.styles import Style
from northmoor.core.sources.signals.results import column_name

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


def measured_table_block(report: Report, query: Query) -> Block:
    """A table of a query's columns, but for those that say the same in each row."""
    shown = [column for column in query.columns if column.name not in _LEFT_OUT and not column.hidden]
    shown = shown or list(query.columns)
    table = table_of_fields(query.name, [(c.name, f'"{c.name}"', c.label or c.name) for c in shown], (), {})
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
    """Charts over time: signals of one unit on one axis, two units in one chart, further ones in charts of their own;
    the spans that bound them are shaded."""
    known = [log.known(name) for name in signals.signals if log.known(name).type == "number"]
    units = list(dict.fromkeys(signal.unit for signal in known))
    pairs = [units[at : at + 2] for at in range(0, len(units), 2)]
    found = []
    for number, pair in enumerate(pairs):
        own = [signal for signal in known if signal.unit in pair]
        is_held = any(not signal.kind.is_interpolated for signal in own)
        bands = (ReferenceLine(at=f"list({signals.spans}.start)", until=f"list({signals.spans}.end)", axis="across",
                               color="#5E7F3A"),) if signals.spans else ()  # fmt: skip
        found.append(ChartBlock(
            name=f"{query.name}-trend{number + 1 if len(pairs) > 1 else ''}", query=query.name, draw="lines",
            lines="held" if is_held else "straight", height=170_000, legend="above", space_after=12_000,
            title=literal_template(own[0].shown_name) if len(own) == 1 else "",
            category=ChartLevel(name="category", by="time", format="HH:mm"),
            measures=tuple(_measure(signal, pair.index(signal.unit)) for signal in own),
            first=ChartAxis(title=literal_template(pair[0])),
            second=ChartAxis(title=literal_template(pair[1]) if len(pair) > 1 else "", grid=False), references=bands,
        ))  # fmt: skip
    return found


def _measure(signal: Signal, axis: int) -> ChartMeasure:
    title = f"{signal.shown_name}, {signal.unit}" if signal.unit else signal.shown_name
    return ChartMeasure(
        name=column_name(signal.name), value=f'max("{column_name(signal.name)}")', title=literal_template(title),
        format="#,##0.##", axis="second" if axis else "first",
    )  # fmt: skip
