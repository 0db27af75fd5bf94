"""The example matrix: routes by the months of a year, with gaps where the summer routes do not sail."""

from northmoor.core.authoring.starters.starter_layouts import STYLES
from northmoor.core.model.blocks.matrix import MatrixBlock, MatrixLevel, Measure
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.data.queries import Query, QueryColumn
from northmoor.core.model.pages import PageSetup
from northmoor.core.model.report import Edition, Report
from northmoor.core.model.styles import ColorScale
from northmoor.demo.reports.shared_parts import YEAR, YEARS, footer

MONTHS_SQL = """\
select r.name as route, r.season, date(s.departs_at) as day, s.status = 'cancelled' as cancelled,
  coalesce(sum(b.quantity) filter (where b.status = 'paid'), 0) as passengers,
  coalesce(sum(b.quantity * b.unit_price) filter (where b.status = 'paid'), 0) as fares
from sailings s
join routes r using (route_id)
left join bookings b using (sailing_id)
where s.departs_at >= :year || '-01-01' and s.departs_at < (:year + 1) || '-01-01'
group by s.sailing_id
"""


def route_month_matrix() -> Report:
    """Fares of each route in each month of a year, and how many sailings were cancelled."""
    query = Query(
        name="sailings",
        connection="tarrow",
        sql=MONTHS_SQL,
        columns=(
            QueryColumn(name="route", label="Route"),
            QueryColumn(name="season", label="Season"),
            QueryColumn(name="day", type="date", label="Day"),
            QueryColumn(name="cancelled", type="boolean", label="Cancelled"),
            QueryColumn(name="passengers", type="integer", label="Passengers", total="sum"),
            QueryColumn(name="fares", type="decimal(12,2)", label="Fares, €", total="sum"),
        ),
    )
    return Report(
        title="Routes by month",
        parameters=(YEAR,),
        queries=(query, YEARS),
        styles=STYLES,
        editions=(_edition(),),
    )


def _edition() -> Edition:
    margins = {f"margin_{side}": 42_520 for side in ("top", "right", "bottom", "left")}
    return Edition(
        name="main",
        page=PageSetup(orientation="landscape", **margins),
        footer=footer("{report_title()} {label(:year)} · data as of {data_time(); d MMMM y, HH:mm}"),
        blocks=(
            TextBlock(name="title", text="Fares by route and month, {label(:year)}", style="title"),
            TextBlock(
                name="scope",
                text="In euro; – where a route did not sail. Colours compare the months of each route.",
                style="subtitle",
                space_after=10_000,
            ),
            _fares(),
            TextBlock(name="cancelled-title", text="Cancelled sailings", style="heading", listed="contents"),
            _cancelled(),
        ),
    )


def _months() -> tuple[MatrixLevel, ...]:
    quarter = MatrixLevel(
        name="quarter", by="date_trunc('quarter', day)", format="QQQ", subtotal="after", subtotal_text="Quarter",
        style="total",
    )  # fmt: skip
    return quarter, MatrixLevel(name="month", by="date_trunc('month', day)", format="LLL")


def _fares() -> MatrixBlock:
    fares = Measure(
        name="fares", value="sum(fares)", title="Fares", format="#,##0",
        scale=ColorScale(low="#FFFFFF", high="#9CC9C4"), scale_over="row",
    )  # fmt: skip
    return MatrixBlock(
        name="fares-matrix", query="sailings", style="body", head_style="head", total_style="grand-total",
        rows=(MatrixLevel(name="route", by="route", title="Route"),), columns=_months(), measures=(fares,),
        row_total_text="All routes", column_total_text="Year", no_rows="–", even_widths=True, when_wide="shrink",
        space_after=16_000,
    )  # fmt: skip


def _cancelled() -> MatrixBlock:
    count = Measure(
        name="cancelled", value="count(*) filter (where cancelled)", title="Cancelled", format="#,##0", when_zero="0"
    )
    share = Measure(
        name="share",
        value="avg(case when cancelled then 1.0 else 0 end)",
        title="of all",
        format="0.0 %",
        when_zero="–",
    )
    return MatrixBlock(
        name="cancelled-matrix", query="sailings", style="body", head_style="head", total_style="grand-total",
        rows=(MatrixLevel(name="season", by="season", title="Routes that sail"),),
        columns=(MatrixLevel(name="quarter", by="date_trunc('quarter', day)", format="QQQ"),),
        measures=(count, share), row_total_text="All routes", column_total_text="Year", no_rows="–",
    )  # fmt: skip
