"""The example report that a calling program runs for selected records."""

from northmoor.core.authoring.starters.starter_layouts import STYLES
from northmoor.core.model.blocks.table import Cell, Column, Level, OrderBy, Row, TableBlock
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.data.queries import Query, QueryColumn
from northmoor.core.model.parameters import Choice, Parameter
from northmoor.core.model.report import Edition, Report
from northmoor.core.model.styles import Style
from northmoor.demo.reports.shared_parts import footer

_LINES_SQL = """\
select s.name as shipper, w.number, w.shipped_on, l.goods, l.pieces, l.weight_kg, l.charge
from waybills w
join shippers s using (shipper_id)
join waybill_lines l using (waybill_id)
where w.number in (:waybills)
order by case :sorted_by when 'shipper' then s.name else w.number end, w.number, l.line
"""


def selected_waybills() -> Report:
    """Lines of the waybills that someone has selected at the booking desk."""
    waybills = Parameter(
        name="waybills", label="Waybills", holds="list", pattern="W[0-9]{2}-[0-9]{5}",
        sample=("W25-05990", "W25-05991", "W25-05992", "W25-05995", "W25-05998"),
        hint="Numbers such as W25-05990, handed over by the booking desk.",
    )  # fmt: skip
    sorted_by = Parameter(
        name="sorted_by", label="Sorted by", default="shipper",
        choices=(Choice(value="shipper", label="Shipper"), Choice(value="number", label="Waybill")),
    )  # fmt: skip
    weights = Parameter(
        name="weights", label="Weights", kind="boolean", default=True, hint="Whether the weight of each line is shown."
    )
    rows = Parameter(
        name="rows_per_page", label="Rows a page", kind="integer", required=False, minimum_value=5, maximum_value=500,
        hint="The most lines a page has; as many as fit when it is empty.",
    )  # fmt: skip
    query = Query(
        name="lines",
        connection="tarrow",
        sql=_LINES_SQL,
        columns=(
            QueryColumn(name="shipper", label="Shipper"),
            QueryColumn(name="number", label="Waybill"),
            QueryColumn(name="shipped_on", type="date", label="Shipped"),
            QueryColumn(name="goods", label="Goods"),
            QueryColumn(name="pieces", type="integer", label="Pieces", total="sum"),
            QueryColumn(name="weight_kg", type="decimal(9,1)", label="Weight, kg", total="sum"),
            QueryColumn(name="charge", type="decimal(10,2)", label="Charge, €", total="sum"),
        ),
    )
    return Report(
        title="Selected waybills",
        parameters=(waybills, sorted_by, weights, rows),
        queries=(query,),
        styles=STYLES,
        editions=(_full(),),
    )


def _full() -> Edition:
    figures = ("pieces", "weight_kg", "charge")
    sums = tuple(Cell(column=name, value=f"sum({name})") for name in figures)
    indent = Style(inset=15_000)
    table = TableBlock(
        name="waybill-lines",
        query="lines",
        style="body",
        head_style="head",
        rows_per_page=":rows_per_page",
        columns=(
            Column(name="goods", value="goods", title="Waybill / goods", look=indent),
            Column(name="shipped_on", value="shipped_on", title="Shipped", width=85_000),
            Column(name="pieces", value="pieces", title="Pieces", width=65_000),
            Column(name="weight_kg", value="weight_kg", title="Weight, kg", width=80_000, visible=":weights"),
            Column(name="charge", value="charge", title="Charge, €", width=80_000),
        ),
        levels=(
            Level(
                name="number",
                by="number",
                order="as_given",
                keep_together=True,
                heading=Row(style="heading", cells=(Cell(column="goods", text="{number}, {shipper}", span=5),)),
                total=Row(style="total", cells=(Cell(column="goods", text="Total for {number}", look=indent), *sums)),
            ),
        ),
        order=(OrderBy(by="goods"),),
        total=Row(style="grand-total", cells=(Cell(column="goods", text="All selected"), *sums)),
    )
    return Edition(
        name="full",
        footer=footer("{report_title()} · {:waybills_count} waybills"),
        blocks=(
            TextBlock(name="title", text="{report_title()}", style="title"),
            TextBlock(name="scope", text="{label(:waybills)}", style="subtitle", space_after=10_000),
            table,
        ),
    )
