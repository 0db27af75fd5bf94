"""The example report of one voyage, from the telemetry log: two pages that the voyage's span bounds."""

from northmoor.core.authoring.starters.starter_layouts import STYLES
from northmoor.core.model.blocks.chart import ChartAxis, ChartBlock, ChartLevel, ChartMeasure, ReferenceLine
from northmoor.core.model.blocks.table import Column, TableBlock
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.data.queries import Query
from northmoor.core.model.data.signal_queries import MeasurementsQuery, SpansQuery, StatisticColumn
from northmoor.core.model.parameters import ChoicesFrom, FromQuery, Parameter
from northmoor.core.model.report import Edition, Report
from northmoor.core.model.styles import Style
from northmoor.core.sources.signals.results import column_settings
from northmoor.demo.data.telemetry import telemetry_log
from northmoor.demo.reports.shared_parts import footer

VESSELS_SQL = """\
select distinct substr(tag, 1, instr(tag, '.') - 1) as vessel
from log
where tag glob '*.voyage_id'
order by vessel
"""
VOYAGES_SQL = "select id as voyage from ended where not open order by start desc"
_VESSEL, _VOYAGE = (":vessel",), (":voyage",)
_END = Style(align="end")


def log_query(name: str, signals: SpansQuery | MeasurementsQuery) -> Query:
    """A query over the telemetry log, its columns with labels and formats."""
    return Query(name=name, connection="telemetry", signals=signals, columns=column_settings(signals, telemetry_log()))


def _measured(signals: tuple[str, ...], spans: str = "voyage", **more: object) -> MeasurementsQuery:
    given = {"log": "log", "objects": _VESSEL, "signals": signals, "spans": spans} | more
    return MeasurementsQuery.model_validate(given)


def _queries() -> tuple[Query, ...]:
    under_way = SpansQuery(log="log", by="voyage_id", condition="underway = 1", objects=_VESSEL)
    figures = ("readings", "first", "last", "min", "max", "mean", "total", "change")
    engines = ("times_on", "times_off", "time_on", "time_off", "share_on", "longest_on")
    shown = ("speed", "speed_order", "heading", "engine1.rpm", "engine2.rpm", "fuel_flow", "fuel_level", "doors")
    return (
        Query(name="vessels", connection="telemetry", sql=VESSELS_SQL),
        log_query("ended", under_way),
        Query(name="voyages", sql=VOYAGES_SQL),
        log_query("voyage", under_way.but(ids=_VOYAGE)),
        # an id stays set until the next voyage's: the engines' running before and after the voyage is within
        log_query("turn", SpansQuery(log="log", by="voyage_id", objects=_VESSEL, ids=_VOYAGE)),
        log_query("figures", _measured(shown, statistics=[{"statistic": name} for name in figures])),
        log_query(
            "engines",
            _measured(("engine1.running", "engine2.running"), "turn",
                      statistics=[StatisticColumn(statistic=name) for name in engines]),
        ),
        log_query("course", _measured(("speed", "speed_order", "fuel_flow"), "turn", give="values", step="1 min",
                                      wide=True)),
        log_query("events", _measured(("voyage_id", "underway", "doors", "engine1.running", "engine2.running"), "turn",
                                      give="recorded")),
        log_query("readings", _measured(("speed", "speed_order", "heading", "fuel_flow", "fuel_level"), give="values",
                                        step="10 min", wide=True)),
    )  # fmt: skip


def voyage_report() -> Report:
    """What the signals of one voyage of a vessel were; by itself, of the last that has ended."""
    vessel = Parameter(
        name="vessel", label="Vessel", choices_from=ChoicesFrom(query="vessels", value="vessel"),
        default=FromQuery(query="vessels", column="vessel"),
    )  # fmt: skip
    voyage = Parameter(
        name="voyage", label="Voyage", choices_from=ChoicesFrom(query="voyages", value="voyage"), control="ticks",
        default=FromQuery(query="voyages", column="voyage"), hint="The vessel's voyages; the last one by itself.",
    )  # fmt: skip
    return Report(
        title="Voyage report", parameters=(vessel, voyage), queries=_queries(), styles=STYLES, editions=(_full(),)
    )


_FUEL = "sum(figures.total) filter (where figures.signal = 'fuel_flow')"
_TANK = "-sum(figures.change) filter (where figures.signal = 'fuel_level')"
_LASTED = "max(voyage.duration)"


def _table(name: str, query: str, columns: tuple[tuple[str, str, str, str | None, int | None], ...]) -> TableBlock:
    """A listing: of each column its name, title, expression, format and width."""
    return TableBlock(
        name=name, query=query, style="body", head_style="head", space_after=12_000,
        columns=tuple(
            Column(name=n, title=title, value=value, format=shown, width=width,
                   look=_END if shown and ":" not in shown and "H" not in shown else None)
            for n, title, value, shown, width in columns
        ),
    )  # fmt: skip


def _figures() -> TableBlock:
    number, narrow = "#,##0.0", 48_000
    columns = (("signal", "Signal", "label", None, None), ("unit", "Unit", "unit", None, 34_000),
               ("readings", "Readings", "readings", "0", 54_000), ("first", "First", "first", number, narrow),
               ("last", "Last", "last", number, narrow), ("min", "Minimum", "min", number, 54_000),
               ("max", "Maximum", "max", number, 56_000),
               ("mean", "Mean over time", "case when unit <> '°' then mean end", number, 80_000))  # fmt: skip
    return _table("figures", "figures", columns)


def _engines() -> TableBlock:
    columns = (("signal", "Engine", "label", None, None), ("times_on", "Times on", "times_on", "0", 56_000),
               ("times_off", "Times off", "times_off", "0", 56_000),
               ("time_on", "Time on", "time_on", "duration", 62_000),
               ("time_off", "Time off", "time_off", "duration", 62_000),
               ("share", "Share on", "share_on", "0.0 %", 58_000),
               ("longest", "Longest on", "longest_on", "duration", 66_000))  # fmt: skip
    return _table("engines", "engines", columns)


def _course() -> ChartBlock:
    measures = (
        ChartMeasure(name="speed", value="max(speed)", title="Speed, kn", format="0", color="#2F7F86"),
        ChartMeasure(name="order", value="max(speed_order)", title="Speed ordered, kn", format="0", color="#B0612B"),
        ChartMeasure(name="flow", value="max(fuel_flow)", title="Fuel flow, l/h", format="#,##0", axis="second",
                     color="#8B8378"),
    )  # fmt: skip
    return ChartBlock(
        name="course", query="course", draw="lines", lines="held", height=190_000, legend="above", space_after=12_000,
        category=ChartLevel(name="category", by="time", format="HH:mm"), measures=measures,
        first=ChartAxis(title="kn", minimum="0"), second=ChartAxis(title="l/h", minimum="0", grid=False),
        references=(
            ReferenceLine(at="list(voyage.start)", until="list(voyage.end)", axis="across", color="#5E7F3A",
                          text="under way"),
        ),
    )  # fmt: skip


def _events() -> TableBlock:
    what = "case when text is not null then text when value <> 0 then 'on' else 'off' end"
    columns = (("time", "Time", "time", "HH:mm:ss", 70_000), ("signal", "Signal", "label", None, 120_000),
               ("what", "Became", what, None, None))  # fmt: skip
    return _table("events", "events", columns).but(keep_rows="not held", order=({"by": "time"},))


def _readings() -> TableBlock:
    number = "#,##0.0"
    columns = (("time", "Time", "time", "HH:mm", None), ("speed", "Speed, kn", "speed", number, 80_000),
               ("order", "Ordered, kn", "speed_order", number, 80_000),
               ("heading", "Heading, °", "heading", "0", 80_000),
               ("flow", "Fuel flow, l/h", "fuel_flow", "#,##0", 90_000),
               ("level", "Fuel level, l", "fuel_level", number, 90_000))  # fmt: skip
    return _table("readings", "readings", columns)


def _heading(name: str, text: str) -> TextBlock:
    return TextBlock(name=name, text=text, style="heading", listed="contents")


def _full() -> Edition:
    used = (
        f"Fuel used: {{{_FUEL}; #,##0}} l by the flow, {{{_TANK}; #,##0}} l by the level of the tank; they differ by "
        f"{{abs({_FUEL} - ({_TANK})) / ({_FUEL}); 0.0 %}}."
    )
    return Edition(
        name="full",
        footer=footer("{report_title()} · {:voyage}"),
        blocks=(
            TextBlock(name="title", text="{:vessel}, voyage {:voyage}", style="title"),
            TextBlock(
                name="scope",
                text="Under way from {min(voyage.start); d MMMM y, HH:mm} to {max(voyage.end); HH:mm}, "
                f"{{{_LASTED}; duration}} h",
                style="subtitle",
                space_after=10_000,
            ),
            _figures(),
            TextBlock(name="fuel", text=used, style="body", space_after=12_000),
            _heading("speed-title", "Speed against order, and fuel flow"),
            _course(),
            _heading("engines-title", "Engines, from the voyage's id to the next one's"),
            _engines(),
            _heading("events-title", "Events"),
            _events(),
            _heading("readings-title", "Readings each ten minutes"),
            _readings(),
        ),
    )
