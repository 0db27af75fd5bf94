"""The example report of a day: all voyages of all vessels, from the telemetry log, with their key figures."""

from northmoor.core.authoring.starters.starter_layouts import STYLES
from northmoor.core.model.blocks.chart import ChartAxis, ChartBlock, ChartLevel, ChartMeasure
from northmoor.core.model.blocks.table import Cell, Column, Level, Row, TableBlock
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.data.signal_queries import MeasurementsQuery, SpansQuery, StatisticColumn
from northmoor.core.model.parameters import Parameter
from northmoor.core.model.report import Edition, Report
from northmoor.core.model.styles import Style
from northmoor.demo.reports.shared_parts import footer
from northmoor.demo.reports.voyage_report import log_query

_END = Style(align="end")
_ARRIVED = "{case when open then 'under way' else strftime(\"end\", '%H:%M') end}"


def fleet_day() -> Report:
    """All voyages of a day, by vessel; by itself, of the day of the data."""
    day = Parameter(name="day", label="Day", kind="date", default="today", hint="The day whose voyages are listed.")
    voyages = SpansQuery(log="log", by="voyage_id", condition="underway = 1", start=":day", end=":day")
    statistics = ("mean", "max", "total", "known")
    figures = MeasurementsQuery(
        log="log", signals=("speed", "fuel_flow"), spans="voyages", wide=True,
        statistics=tuple(StatisticColumn(statistic=name) for name in statistics),
    )  # fmt: skip
    return Report(
        title="Fleet day",
        parameters=(day,),
        queries=(log_query("voyages", voyages), log_query("figures", figures)),
        styles=STYLES,
        editions=(_full(),),
    )


def _full() -> Edition:
    chart = ChartBlock(
        name="day", query="voyages", draw="spans", height=150_000, space_after=14_000,
        category=ChartLevel(name="category", by="object"),
        measures=(ChartMeasure(name="voyage", value='"start"', until='"end"', title="Voyages", format="HH:mm"),),
        first=ChartAxis(title=""), legend="none", label_text="{right(id, 4)}", labels="inside",
    )  # fmt: skip
    return Edition(
        name="full",
        footer=footer("{report_title()} · data as of {data_time(); d MMMM y, HH:mm}"),
        blocks=(
            TextBlock(name="title", text="Voyages of {:day; d MMMM y}", style="title"),
            TextBlock(
                name="scope",
                text="{count(voyages.id)} voyages, {count(voyages.id) filter (where voyages.open)} of them still under "
                "way; together {sum(voyages.duration) / 60; duration-minutes} h",
                style="subtitle",
                space_after=10_000,
            ),
            chart,
            _table(),
        ),
    )


def _table() -> TableBlock:
    columns = (
        Column(name="voyage", title="Voyage", value="id"),
        Column(name="start", title="Departed", value='"start"', format="HH:mm", width=54_000),
        Column(name="end", title="Arrived", text=_ARRIVED,
               width=60_000),
        Column(name="duration", title="Duration, h", value="duration / 60", format="duration-minutes", width=66_000,
               look=_END),
        Column(name="mean", title="Mean speed, kn", value="speed_mean", format="0.0", width=84_000, look=_END),
        Column(name="max", title="Top speed, kn", value="speed_max", format="0.0", width=76_000, look=_END),
        Column(name="fuel", title="Fuel, l", value="fuel_flow_total", format="#,##0", width=54_000, look=_END),
    )  # fmt: skip
    mean = "sum(speed_mean * duration) / sum(duration)"
    total = (
        Cell(column="voyage", text="{count(*)} voyages"),
        Cell(column="duration", value="sum(duration) / 60", format="duration-minutes", look=_END),
        Cell(column="mean", value=mean, format="0.0", look=_END),
        Cell(column="max", value="max(speed_max)", format="0.0", look=_END),
        Cell(column="fuel", value="sum(fuel_flow_total)", format="#,##0", look=_END),
    )
    vessel = Level(
        name="vessel", by="object", keep_together=True,
        heading=Row(cells=(Cell(column="voyage", value="object"),), style="heading"),
        total=Row(cells=total, style="total"),
    )  # fmt: skip
    grand = (Cell(column="voyage", text="All vessels: {count(*)} voyages"), *total[1:])
    return TableBlock(
        name="voyages", query="figures", style="body", head_style="head", columns=columns, levels=(vessel,),
        total=Row(cells=grand, style="grand-total"),
    )  # fmt: skip
