"""The example of charts: how punctual the ferries are, as a page for the board and in full by route."""

from northmoor.core.authoring.starters.starter_layouts import STYLES
from northmoor.core.model.blocks.chart import Chart, ChartAxis, ChartBlock, ChartLevel, ChartMeasure, ReferenceLine
from northmoor.core.model.blocks.table import Cell, Column, Level, Row, TableBlock
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.data.queries import Query, QueryColumn
from northmoor.core.model.report import Edition, Report
from northmoor.demo.reports.shared_parts import YEAR, YEARS, footer

DELAYS_SQL = """\
select r.name as route, v.name as vessel, date(s.departs_at) as day, s.status = 'cancelled' as cancelled,
  s.delay_minutes as delay
from sailings s
join routes r using (route_id)
join vessels v using (vessel_id)
where s.departs_at >= :year || '-01-01' and s.departs_at < (:year + 1) || '-01-01'
"""
_ON_TIME = "count(*) filter (where delay <= 5) / count(*) filter (where not cancelled)"


def punctuality() -> Report:
    """Delays and cancellations of a year, as a page for the board and in full."""
    query = Query(
        name="sailings",
        connection="tarrow",
        sql=DELAYS_SQL,
        columns=(
            QueryColumn(name="route", label="Route"),
            QueryColumn(name="vessel", label="Vessel"),
            QueryColumn(name="day", type="date", label="Day"),
            QueryColumn(name="cancelled", type="boolean", label="Cancelled"),
            QueryColumn(name="delay", type="integer", label="Delay, min"),
        ),
    )
    return Report(
        title="Punctuality",
        parameters=(YEAR,),
        queries=(query, YEARS),
        styles=STYLES,
        editions=(_board(), _full()),
    )


def _title(text: str) -> tuple[TextBlock, TextBlock]:
    said = "A sailing is on time that leaves at most five minutes late. Cancelled ones have no delay."
    return (
        TextBlock(name="title", text=text, style="title"),
        TextBlock(name="scope", text=said, style="subtitle", space_after=8_000),
    )


def _months(format_: str | None = None) -> ChartLevel:
    return ChartLevel(name="category", by="date_trunc('month', day)", format=format_, fill="period")


def _board() -> Edition:
    """One page: the year's course, the routes, and what was cancelled."""
    share = ChartMeasure(name="on time", value=_ON_TIME, title="On time", format="0 %")
    course = ChartBlock(
        name="course", query="sailings", draw="lines", title="On time by month", height=170_000,
        category=_months("MMM"), series=ChartLevel(name="series", by="vessel"), measures=(share,), places="even",
        legend="direct", markers=True, space_after=14_000,
        references=(ReferenceLine(at="0.8", text="target 80 %", color="#5E7F3A"),),
    )  # fmt: skip
    routes = ChartBlock(
        name="routes", query="sailings", draw="bars", title="On time by route, the best first", height=180_000,
        category=ChartLevel(name="category", by="route", order_by=_ON_TIME, order="descending"),
        measures=(share,), labels="outside", first=ChartAxis(title="", maximum="1"), space_after=14_000,
    )  # fmt: skip
    cancelled = ChartBlock(
        name="cancelled", query="sailings", draw="columns", title="Cancelled sailings and mean delay", height=170_000,
        category=_months("MMM"), legend="above",
        measures=(
            ChartMeasure(name="cancelled", value="count(*) filter (where cancelled)", title="Cancelled"),
            ChartMeasure(
                name="delay", value="avg(delay)", title="Mean delay, min", format="0.0", draw="lines", axis="second"
            ),
        ),
        second=ChartAxis(minimum="0", grid=False),
    )  # fmt: skip
    return Edition(
        name="board",
        footer=footer("{report_title()} {label(:year)} · data as of {data_time(); d MMMM y, HH:mm}"),
        blocks=(*_title("Punctuality {label(:year)}"), course, routes, cancelled),
    )


def _full() -> Edition:
    """The figures of each route by vessel, each with a chart of its own, and how delays are spread."""
    small = Chart(
        draw="columns", height=70_000, category=_months("MMM"),
        measures=(ChartMeasure(name="delay", value="avg(delay)", title="Mean delay, min", format="0"),),
        first=ChartAxis(maximum="8"),
    )  # fmt: skip
    vessel = Level(
        name="vessel",
        by="vessel",
        heading=Row(
            cells=(
                Cell(column="name", value="vessel"),
                Cell(column="sailings", value="count(*)", format="#,##0"),
                Cell(column="on_time", value=_ON_TIME, format="0.0 %"),
                Cell(column="delay", value="avg(delay)", format="0.0"),
                Cell(column="cancelled", value="count(*) filter (where cancelled)", when_zero="–"),
            )
        ),
    )
    route = Level(
        name="route",
        by="route",
        keep_together=True,
        heading=(
            Row(cells=(Cell(column="name", value="route", span=5),), style="heading"),
            Row(cells=(Cell(column="name", span=5, chart=small),)),
        ),
    )
    columns = (
        Column(name="name", title="Vessel"), Column(name="sailings", title="Sailings", width=70_000),
        Column(name="on_time", title="On time", width=70_000),
        Column(name="delay", title="Mean delay, min", width=80_000),
        Column(name="cancelled", title="Cancelled", width=70_000),
    )  # fmt: skip
    table = TableBlock(
        name="routes", query="sailings", columns=columns, levels=(route, vessel), show_details=False,
        style="body", head_style="head", space_after=16_000,
    )  # fmt: skip
    spread = ChartBlock(
        name="spread", query="sailings", draw="boxes", title="How delays are spread, minutes", height=200_000,
        category=ChartLevel(name="category", by="route"),
        measures=(ChartMeasure(name="delay", value="delay", format="0"),), space_after=14_000,
    )  # fmt: skip
    grid = ChartBlock(
        name="grid", query="sailings", draw="heat", title="Mean delay by route and month, minutes", height=200_000,
        category=_months("MMM"), series=ChartLevel(name="series", by="route"), labels="inside",
        measures=(ChartMeasure(name="delay", value="avg(delay)", format="0.0"),), heat_high="#B3402E",
    )  # fmt: skip
    return Edition(
        name="full",
        title="Punctuality in full",
        footer=footer("{report_title()} {label(:year)} · data as of {data_time(); d MMMM y, HH:mm}"),
        blocks=(*_title("Punctuality in full, {label(:year)}"), table, spread, grid),
    )
