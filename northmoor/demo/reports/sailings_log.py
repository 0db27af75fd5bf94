"""The example report of a long listing: N rows a page from a parameter, page totals, and what is carried forward."""

from northmoor.core.authoring.starters.starter_layouts import STYLES
from northmoor.core.model.blocks.table import Cell, Column, Level, OrderBy, Row, TableBlock
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.data.queries import Query, QueryColumn
from northmoor.core.model.parameters import Parameter
from northmoor.core.model.report import Edition, Report
from northmoor.core.model.styles import Style
from northmoor.demo.reports.shared_parts import footer

_SAILINGS_SQL = """\
select s.departs_at, r.code as route, v.name as vessel, s.status, s.delay_minutes,
  coalesce(sum(b.quantity) filter (where b.status = 'paid'), 0) as passengers,
  coalesce(sum(b.quantity * b.unit_price) filter (where b.status = 'paid'), 0) as fares
from sailings s
join routes r using (route_id)
join vessels v using (vessel_id)
left join bookings b using (sailing_id)
where s.departs_at >= :from and s.departs_at < date(:to, '+1 day')
group by s.sailing_id
"""


def sailings_log() -> Report:
    """Every sailing between two days, with totals of each page and what is carried forward."""
    parameters = (
        Parameter(name="from", label="From", kind="date", default="2025-07-01", hint="The first day of departure."),
        Parameter(name="to", label="To", kind="date", default="2025-07-07", hint="The last day of departure."),
        Parameter(
            name="rows_per_page", label="Rows a page", kind="integer", required=False, minimum_value=5,
            maximum_value=500, default=40, hint="The most sailings a page has; as many as fit when it is empty.",
        ),
    )  # fmt: skip
    query = Query(
        name="sailings",
        connection="tarrow",
        sql=_SAILINGS_SQL,
        columns=(
            QueryColumn(name="departs_at", type="timestamp", label="Departure", format="HH:mm"),
            QueryColumn(name="route", label="Route"),
            QueryColumn(name="vessel", label="Vessel"),
            QueryColumn(name="status", label="Status"),
            QueryColumn(name="delay_minutes", type="integer", label="Delay, min", total="avg"),
            QueryColumn(name="passengers", type="integer", label="Passengers", total="sum"),
            QueryColumn(name="fares", type="decimal(12,2)", label="Fares, €", total="sum"),
        ),
    )
    return Report(title="Log of sailings", parameters=parameters, queries=(query,), styles=STYLES, editions=(_full(),))


def _sums(label: str, style: str, cells: tuple[Cell, ...] = ()) -> Row:
    sums = (Cell(column=name, value=f"sum({name})") for name in ("passengers", "fares"))
    return Row(style=style, cells=(Cell(column="day", text=label, span=4), *cells, *sums))


def _table() -> TableBlock:
    day = "date_trunc('day', departs_at)"
    quiet = Style(color="#6B645A")
    return TableBlock(
        name="log",
        query="sailings",
        style="body",
        head_style="head",
        rows_per_page=":rows_per_page",
        columns=(
            Column(name="day", value=day, title="Day", format="EEE d MMM", blank_repeats=True, width=79_370),
            Column(name="departure", value="departs_at", title="Departs", format="HH:mm", width=56_693),
            Column(
                name="route",
                value="route",
                title="Route",
                link="fares-by-route.moor?year={year(departs_at)}",
                look=Style(color="#2F6B72"),
            ),
            Column(name="vessel", value="vessel", title="Vessel"),
            Column(
                name="delay",
                value="delay_minutes",
                title="Delay, min",
                format="#,##0",
                when_null="cancelled",
                when_zero="–",
                width=70_866,
            ),
            Column(name="passengers", value="passengers", title="Passengers", when_zero="–", width=73_701),
            Column(name="fares", value="fares", title="Fares, €", when_zero="–", width=79_370),
        ),
        levels=(Level(name="day", by=day),),
        order=(OrderBy(by="departs_at"), OrderBy(by="route")),
        page_total=_sums("On this page", "total"),
        brought_forward=_sums("Brought forward", "body").but(look=quiet),
        carried_forward=_sums("Carried forward", "body").but(look=quiet),
        total=_sums(
            "{count(*); #,##0} sailings, {count(*) filter (where status = 'cancelled')} of them cancelled",
            "grand-total",
        ),
    )


def _full() -> Edition:
    return Edition(
        name="full",
        footer=footer("{report_title()} · data as of {data_time(); d MMMM y, HH:mm}"),
        blocks=(
            TextBlock(name="title", text="{report_title()}", style="title"),
            TextBlock(name="scope", text="{:from; d MMMM y} to {:to; d MMMM y}", style="subtitle", space_after=10_000),
            _table(),
        ),
    )
