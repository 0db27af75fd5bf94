"""The example report of the last hour before the data time: statistics, switched signals, and moving means."""

from northmoor.core.authoring.starters.starter_layouts import STYLES
from northmoor.core.model.blocks.chart import ChartAxis, ChartBlock, ChartLevel, ChartMeasure
from northmoor.core.model.blocks.table import Column, Level, TableBlock
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.data.signal_queries import MeasurementsQuery, StatisticColumn
from northmoor.core.model.parameters import Parameter
from northmoor.core.model.report import Edition, Report
from northmoor.core.model.styles import Style
from northmoor.demo.reports.shared_parts import footer
from northmoor.demo.reports.voyage_report import log_query

_END = Style(align="end")
_PERIOD = {"log": "log", "start": ":period_from", "end": ":period_to"}


def last_hour() -> Report:
    """What the vessels' signals were in the last hour, or in another period."""
    period = Parameter(
        name="period", label="Period", kind="timestamp", holds="range", default="last hour",
        hint="By itself the hour before the last reading.",
    )  # fmt: skip
    statistics = tuple(StatisticColumn(statistic=n) for n in ("first", "last", "min", "max", "mean", "readings"))
    switched = tuple(StatisticColumn(statistic=n) for n in ("times_on", "times_off", "time_on", "time_off", "share_on"))
    measured = MeasurementsQuery(signals=("speed", "fuel_flow", "fuel_level"), statistics=statistics, **_PERIOD)
    engines = MeasurementsQuery(
        signals=("underway", "doors", "engine1.running", "engine2.running"), statistics=switched, **_PERIOD
    )
    flow = MeasurementsQuery(signals=("fuel_flow",), give="values", step="1 min", moving="10 min", **_PERIOD)
    return Report(
        title="Last hour",
        parameters=(period,),
        queries=(log_query("measured", measured), log_query("switched", engines), log_query("flow", flow)),
        styles=STYLES,
        editions=(_full(),),
    )


def _full() -> Edition:
    flow = ChartBlock(
        name="flow", query="flow", draw="lines", height=170_000, space_after=14_000, legend="right", lines="straight",
        title="Fuel flow, mean of ten minutes, l/h",
        category=ChartLevel(name="category", by="time", format="HH:mm"), series=ChartLevel(name="series", by="object"),
        measures=(ChartMeasure(name="flow", value="max(moving_mean)", title="l/h", format="#,##0"),),
        first=ChartAxis(title="", minimum="0"),
    )  # fmt: skip
    return Edition(
        name="full",
        footer=footer("{report_title()} · data as of {data_time(); d MMMM y, HH:mm}"),
        blocks=(
            TextBlock(name="title", text="{report_title()}", style="title"),
            TextBlock(
                name="scope",
                text="From {:period_from; d MMMM y, HH:mm} to {:period_to; HH:mm}",
                style="subtitle",
                space_after=10_000,
            ),
            flow,
            _measured(),
            _switched(),
        ),
    )


def _measured() -> TableBlock:
    number = "#,##0.0"
    columns = [Column(name="signal", title="Signal", value="label || ', ' || unit")]
    columns += [
        Column(name=name, title=title, value=name, format=number, width=62_000, look=_END)
        for name, title in (("first", "First"), ("last", "Last"), ("min", "Minimum"), ("max", "Maximum"))
    ]
    columns += [
        Column(name="mean", title="Mean over time", value="mean", format=number, width=84_000, look=_END),
        Column(name="readings", title="Readings", value="readings", format="0", width=58_000, look=_END),
    ]
    return TableBlock(
        name="measured", query="measured", style="body", head_style="head", columns=tuple(columns), space_after=14_000,
        levels=(Level(name="vessel", by="object", keep_together=True, heading=_vessel("signal")),),
    )  # fmt: skip


def _vessel(column: str) -> dict[str, object]:
    return {"cells": [{"column": column, "value": "object"}], "style": "heading"}


def _switched() -> TableBlock:
    columns = (
        Column(name="signal", title="Switched", value="label"),
        Column(name="times_on", title="Times on", value="times_on", format="0", width=60_000, look=_END),
        Column(name="times_off", title="Times off", value="times_off", format="0", width=60_000, look=_END),
        Column(name="time_on", title="Time on", value="time_on", format="duration", width=66_000, look=_END),
        Column(name="time_off", title="Time off", value="time_off", format="duration", width=66_000, look=_END),
        Column(name="share", title="Share on", value="share_on", format="0.0 %", width=64_000, look=_END),
    )
    return TableBlock(
        name="switched", query="switched", style="body", head_style="head", columns=columns,
        levels=(Level(name="vessel", by="object", keep_together=True, heading=_vessel("signal")),),
    )  # fmt: skip
