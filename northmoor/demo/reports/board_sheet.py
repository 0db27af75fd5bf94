"""One page for the board: the year's figures against the year before, and how they came about."""

from northmoor.core.authoring.starters.starter_layouts import STYLES
from northmoor.core.model.blocks.chart import ChartAxis, ChartBlock, ChartLevel, ChartMeasure
from northmoor.core.model.blocks.containers import GridBlock, GridCell, Track
from northmoor.core.model.blocks.simple import LineBlock, ReadoutBlock
from northmoor.core.model.blocks.table import Cell, Column, Level, Row, TableBlock
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.data.queries import Query, QueryColumn
from northmoor.core.model.pages import PageSetup
from northmoor.core.model.report import Edition, Report
from northmoor.core.model.styles import Style
from northmoor.demo.reports.shared_parts import YEAR, YEARS, footer

_SAILINGS_SQL = """\
select r.name as route, date(s.departs_at) as day, cast(strftime('%Y', s.departs_at) as integer) as year,
  s.status, s.delay_minutes as delay, count(b.booking_id) as bookings, sum(b.quantity * b.unit_price) as fares
from sailings s
join routes r using (route_id)
left join bookings b on b.sailing_id = s.sailing_id and b.status = 'paid'
where cast(strftime('%Y', s.departs_at) as integer) in (:year, :year - 1)
group by s.sailing_id
"""
GROUND = "#F3F1EC"
_NOW, _BEFORE = "filter (where sailings.year = :year)", "filter (where sailings.year = :year - 1)"


def board_sheet() -> Report:
    """The year on one page."""
    sailings = Query(
        name="sailings", connection="tarrow", sql=_SAILINGS_SQL,
        columns=(
            QueryColumn(name="day", type="date", label="Day"),
            QueryColumn(name="year", type="integer", label="Year", format="0"),
            QueryColumn(name="delay", type="integer", label="Delay, min"),
            QueryColumn(name="bookings", type="integer", label="Bookings", total="sum"),
            QueryColumn(name="fares", type="decimal(12,2)", label="Fares, €", total="sum"),
        ),
    )  # fmt: skip
    page = PageSetup(orientation="landscape", margin_top=36_000, margin_bottom=36_000, margin_left=42_000,
                     margin_right=42_000)  # fmt: skip
    blocks = (
        TextBlock(name="title", text="Tarrow Sound in {:year; 0}", style="title"),
        TextBlock(name="scope", text="Fares of paid bookings and sailings, against {:year - 1; 0}", style="subtitle"),
        LineBlock(name="rule", thickness=1_000, color="#2F7F86", space_after=12_000),
        _readouts(),
        _charts(),
    )
    sheet = Edition(name="sheet", page=page, blocks=blocks, footer=footer("Board sheet"))
    return Report(title="Board sheet", parameters=(YEAR,), queries=(sailings, YEARS), styles=STYLES, editions=(sheet,))


def _readouts() -> GridBlock:
    figures = (
        ("fares", "Fares", "sum(sailings.fares)", "¤#,##0", "more"),
        ("bookings", "Paid bookings", "sum(sailings.bookings)", "#,##0", "more"),
        ("cancelled", "Sailings cancelled", "count(sailings.day)", "#,##0", "less"),
        ("delay", "Average delay, min", "avg(sailings.delay)", "0.0", "less"),
    )
    cells = []
    for number, (name, caption, value, pattern, good) in enumerate(figures):
        only = " and sailings.status = 'cancelled')" if name == "cancelled" else ")"
        readout = ReadoutBlock(
            name=name, caption=caption, value=f"{value} {_NOW.removesuffix(')')}{only}", format=pattern, good=good,
            against=f"{value} {_BEFORE.removesuffix(')')}{only}", difference_text="on {:year - 1; 0}",
        )  # fmt: skip
        cells.append(GridCell(column=number, blocks=(readout,), fill=GROUND, padding=8_000))
    return GridBlock(name="figures", tracks=(Track(),) * 4, cells=tuple(cells), space_after=14_000)


def _charts() -> GridBlock:
    month = ChartLevel(name="category", by="date_trunc('month', day)", format="MMM")
    fares = ChartBlock(
        name="fares-by-month", query="sailings", keep_rows="year = :year", title="Fares by month, €", height=150_000,
        category=month, measures=(ChartMeasure(name="fares", value="sum(fares)"),),
        legend="none",
    )  # fmt: skip
    delay = ChartBlock(
        name="delay-by-month", query="sailings", keep_rows="year = :year", title="Average delay, minutes",
        height=130_000, draw="lines", markers=True, category=month,
        measures=(ChartMeasure(name="delay", value="avg(delay)"),),
        legend="none", first=ChartAxis(minimum="0"),
    )  # fmt: skip
    right = Style(align="end")
    money = {"width": 85_000, "format": "#,##0"}
    routes = TableBlock(
        name="routes", query="sailings", keep_rows="year = :year", style="body", head_style="head", show_details=False,
        columns=(
            Column(name="route", text="", title="Route"),
            Column(name="sailings", value="1", title="Sailings", width=60_000, look=right),
            Column(name="fares", value="fares", title="Fares, €", **money),
        ),
        levels=(
            Level(name="route", by="route", order_by="-sum(fares)", heading=(Row(cells=(
                Cell(column="route", text="{route}"), Cell(column="sailings", value="count(*)"),
                Cell(column="fares", value="sum(fares)", format="#,##0"),
            )),)),
        ),
        total=(Row(style="total", cells=(
            Cell(column="route", text="All routes"), Cell(column="sailings", value="count(*)"),
            Cell(column="fares", value="sum(fares)", format="#,##0"),
        )),),
    )  # fmt: skip
    return GridBlock(
        name="charts", tracks=(Track(share=1.4), Track()), gap=18_000,
        cells=(
            GridCell(row=0, column=0, blocks=(fares,)),
            GridCell(row=1, column=0, blocks=(delay,)),
            GridCell(row=0, column=1, rows=2, blocks=(routes,)),
        ),
    )  # fmt: skip
