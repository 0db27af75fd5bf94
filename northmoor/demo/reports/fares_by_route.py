"""The example reports."""

from northmoor.core.authoring.starters.starter_layouts import STYLES
from northmoor.core.model.blocks.table import Cell, Column, Level, OrderBy, Row, TableBlock
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.data.queries import Query, QueryColumn
from northmoor.core.model.pages import PicturePiece, Running, RunningLine, TextPiece
from northmoor.core.model.parameters import AllChoices, Choice, ChoicesFrom, Parameter
from northmoor.core.model.report import Edition, Report
from northmoor.core.model.styles import Style
from northmoor.demo.reports.shared_parts import YEAR, YEARS, footer

FARES_SQL = """\
select r.code as route, r.name as route_name, r.season,
  date(s.departs_at, 'start of month') as month,
  count(distinct s.sailing_id) as sailings,
  sum(b.quantity) as tickets,
  sum(b.quantity * b.unit_price) as fares
from bookings b
join sailings s using (sailing_id)
join routes r on r.route_id = s.route_id
join ports f on f.port_id = r.from_port_id
join ports t on t.port_id = r.to_port_id
where b.status = 'paid'
  and s.departs_at >= :year || '-01-01' and s.departs_at < (:year + 1) || '-01-01'
  and (:season = 'all' or r.season = :season)
  and (f.code in (:ports) or t.code in (:ports))
group by r.code, r.name, r.season, month
"""

PORTS_SQL = """\
select distinct p.code, p.name, p.port_id
from ports p
join routes r on p.port_id in (r.from_port_id, r.to_port_id)
where :season = 'all' or r.season = :season
order by p.port_id
"""


def fares_by_route() -> Report:
    """Bookings grouped by route and month with totals: the first report anyone opens."""
    query = Query(
        name="fares",
        connection="tarrow",
        sql=FARES_SQL,
        columns=(
            QueryColumn(name="route", label="Route"),
            QueryColumn(name="route_name", label="Route name"),
            QueryColumn(name="season", label="Season"),
            QueryColumn(name="month", type="date", label="Month", format="LLLL"),
            QueryColumn(name="sailings", type="integer", label="Sailings", total="sum"),
            QueryColumn(name="tickets", type="integer", label="Tickets", total="sum"),
            QueryColumn(name="fares", type="decimal(12,2)", label="Fares", total="sum", format="#,##0.00"),
        ),
    )
    season = Parameter(
        name="season", label="Season", default="all", control="drop_down",
        choices=(
            Choice(value="all", label="All routes"),
            Choice(value="all-year", label="All-year routes"),
            Choice(value="summer", label="Summer routes"),
        ),
        hint="Which routes to show, by when they sail.",
    )  # fmt: skip
    ports = Query(name="port_choices", connection="tarrow", sql=PORTS_SQL)
    called = Parameter(
        name="ports", label="Ports", holds="list",
        choices_from=ChoicesFrom(query="port_choices", value="code", label="name"), default=AllChoices(),
        hint="Routes that begin or end at one of these ports.",
    )  # fmt: skip
    return Report(
        title="Fares by route and month",
        parameters=(YEAR, season, called),
        queries=(query, YEARS, ports),
        styles=STYLES,
        editions=(_full(),),
    )


def _full() -> Edition:
    return Edition(
        name="full",
        header=Running(
            lines=(
                RunningLine(
                    start=PicturePiece(file="pictures/tarrow.png", height=26_000),
                    end=TextPiece(
                        text="Tarrow Sound Ferries",
                        style="running",
                        look=Style(bold=True, color="#2F7F86", size=9000),
                    ),
                ),
            ),
            gap=14_000,
        ),
        footer=footer("{report_title()} · data as of {data_time(); d MMMM y, HH:mm}"),
        blocks=(
            TextBlock(name="title", text="{report_title()}", style="title"),
            TextBlock(name="scope", text="{label(:season)}, {label(:year)}", style="subtitle", space_after=10_000),
            _table(),
        ),
    )


def _table() -> TableBlock:
    figures = ("sailings", "tickets", "fares")
    sums = tuple(Cell(column=name, value=f"sum({name})") for name in figures)
    indent = Style(inset=15_000)
    return TableBlock(
        name="fares-table",
        query="fares",
        style="body",
        head_style="head",
        columns=(
            Column(name="month", value="month", title="Route / month", look=indent),
            Column(name="sailings", value="sailings", title="Sailings", width=79_370),
            Column(name="tickets", value="tickets", title="Tickets", width=79_370),
            Column(name="fares", value="fares", title="Fares, €", width=107_717),
        ),
        levels=(
            Level(
                name="route",
                by="route",
                heading=Row(style="heading", cells=(Cell(column="month", text="{route_name}", span=4),)),
                total=Row(style="total", cells=(Cell(column="month", text="Total for {route}", look=indent), *sums)),
            ),
        ),
        order=(OrderBy(by="month"),),
        total=Row(style="grand-total", cells=(Cell(column="month", text="All routes shown"), *sums)),
    )
