"""The statement that each shipper is sent: letterhead, waybills with their lines, tax summary, amount due."""

from northmoor.core.authoring.starters.starter_layouts import STYLES
from northmoor.core.model.blocks.containers import ForEachBlock, GridBlock, GridCell, Track
from northmoor.core.model.blocks.picture import PictureBlock
from northmoor.core.model.blocks.simple import LineBlock, ReadoutBlock
from northmoor.core.model.blocks.table import Cell, Column, Level, OrderBy, Row, TableBlock
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.data.queries import LinkedColumns, Query, QueryColumn
from northmoor.core.model.parameters import AllChoices, ChoicesFrom, Parameter
from northmoor.core.model.report import Edition, Report
from northmoor.core.model.styles import Style
from northmoor.demo.reports.shared_parts import footer

FREIGHT_SQL = """\
select s.shipper_id, s.name as shipper, p.name as port, s.terms_days, w.number, w.shipped_on,
  r.name as route, l.line, l.goods, l.pieces, l.weight_kg, l.charge, l.tax_code, l.tax_rate
from waybills w
join waybill_lines l using (waybill_id)
join shippers s using (shipper_id)
join ports p using (port_id)
join routes r using (route_id)
where w.status <> 'cancelled' and s.shipper_id in (:shippers)
  and strftime('%Y-%m', w.shipped_on) = strftime('%Y-%m', :month)
"""
TAXES_SQL = """\
select shipper_id, tax_code, tax_rate, sum(charge) as net, round(sum(charge) * tax_rate / 100, 2) as tax
from freight
group by shipper_id, tax_code, tax_rate
"""
_LINES_SQL = """\
select *
from freight
join (select shipper_id, sum(net) as net, sum(tax) as tax from taxes group by shipper_id) using (shipper_id)
"""
MONEY = "¤#,##0.00"


def freight_statement() -> Report:
    """One statement for each shipper."""
    shippers = Parameter(
        name="shippers", label="Shippers", holds="list", kind="integer", default=AllChoices(),
        choices_from=ChoicesFrom(query="shipper_choices", value="shipper_id", label="name"),
        hint="Whose statements are printed.",
    )  # fmt: skip
    month = Parameter(
        name="month",
        label="Month",
        kind="date",
        default="2025-10-01",
        hint="Any day of the month that is charged.",
    )
    return Report(
        title="Freight statements",
        parameters=(shippers, month),
        queries=_queries(),
        styles=STYLES,
        editions=(
            Edition(
                name="statement",
                title="Freight statement",
                blocks=(_statement(),),
                footer=footer("Tarrow Sound Ferries · Freight desk, Tarrow Quay"),
            ),
        ),
    )


def _queries() -> tuple[Query, ...]:
    choices = Query(
        name="shipper_choices", connection="tarrow", sql="select shipper_id, name from shippers order by name",
        columns=(QueryColumn(name="shipper_id", type="integer"),),
    )  # fmt: skip
    freight = Query(
        name="freight", connection="tarrow", sql=FREIGHT_SQL,
        columns=(
            QueryColumn(name="shipper_id", type="integer"),
            QueryColumn(name="shipped_on", type="date", label="Shipped"),
            QueryColumn(name="pieces", type="integer", total="sum"),
            QueryColumn(name="weight_kg", type="decimal(9,1)", label="Weight, kg", total="sum"),
            QueryColumn(name="charge", type="decimal(10,2)", label="Charge, €", total="sum"),
            QueryColumn(name="tax_rate", type="decimal(5,2)", format="0.##"),
        ),
    )  # fmt: skip
    return (
        choices,
        freight,
        Query(name="taxes", sql=TAXES_SQL),
        Query(name="lines", sql=_LINES_SQL, columns=(QueryColumn(name="weight_kg", format="#,##0.0"),)),
    )


def _statement() -> ForEachBlock:
    return ForEachBlock(
        name="shipper",
        query="lines",
        by="shipper_id",
        order_by="min(shipper)",
        restart_page_number=True,
        bookmark="{shipper}",
        file_name="Freight statement {shipper} {:month; yyyy-MM}",
        address="shipper{shipper_id; 0}@freight.tarrow.example",
        listed_total="{net + tax; ¤#,##0.00}",
        blocks=(
            _letterhead(),
            TextBlock(name="heading", text="Freight statement, {:month; MMMM y}", style="title", space_after=8_000),
            _addressee(),
            _lines(),
            TextBlock(name="tax-heading", text="Tax summary", style="heading", stays_with_next=True),
            _taxes(),
            _due(),
            TextBlock(
                name="terms", style="subtitle",
                text="Payable within {terms_days} days of the month's end, at the freight desk in Tarrow Quay, or by"
                " transfer with the number {shipper_id; 0000}. Ask us about any line within that time.",
            ),
        ),
    )  # fmt: skip


def _letterhead() -> GridBlock:
    name = TextBlock(name="company", text="Tarrow Sound Ferries", style="title")
    words = TextBlock(name="words", text="Freight desk · Tarrow Quay · open every sailing day", style="subtitle")
    emblem = PictureBlock(name="emblem", file="pictures/tarrow.png", height=42_000, description="")
    line = LineBlock(name="letterhead-rule", thickness=1_000, color="#2F7F86")
    return GridBlock(
        name="letterhead", tracks=(Track(width=56_000), Track()), gap=6_000, space_after=18_000,
        cells=(
            GridCell(row=0, column=0, blocks=(emblem,)),
            GridCell(row=0, column=1, blocks=(name, words)),
            GridCell(row=1, column=0, columns=2, blocks=(line,)),
        ),
    )  # fmt: skip


def _addressee() -> GridBlock:
    to = TextBlock(name="to", text="{shipper}\n{port}")
    facts = TextBlock(
        name="facts", look=Style(align="end"),
        text="Shipper {shipper_id; 0000}\nWaybills: {count(distinct number)} · lines: {count(*)}",
    )  # fmt: skip
    return GridBlock(
        name="addressee", space_after=16_000,
        cells=(GridCell(row=0, column=0, blocks=(to,)), GridCell(row=0, column=1, blocks=(facts,))),
    )  # fmt: skip


def _lines() -> TableBlock:
    indent = Style(inset=15_000)
    number = "{number} · {shipped_on; d MMM y} · {route}"
    waybill = Level(
        name="waybill", by="number", repeat_heading=True, continued=" (continued)",
        heading=(Row(style="heading", cells=(Cell(column="goods", text=number, span=5),)),),
    )  # fmt: skip
    forward = Style(italic=True)
    return TableBlock(
        name="lines",
        query="lines",
        style="body",
        head_style="head",
        space_after=18_000,
        order=(OrderBy(by="line"),),
        columns=(
            Column(name="goods", value="goods", title="Waybill / goods", look=indent),
            Column(name="pieces", value="pieces", title="Pieces", width=55_000),
            Column(name="weight_kg", value="weight_kg", title="Weight, kg", width=75_000, format="#,##0.0"),
            Column(name="tax_rate", value="tax_rate", title="Tax, %", width=55_000, format="0.##"),
            Column(name="charge", value="charge", title="Charge, €", width=85_000, format="#,##0.00"),
        ),
        levels=(waybill,),
        brought_forward=_carried("Brought forward", "sum(charge) over pages_before", forward),
        carried_forward=_carried("Carried forward", "sum(charge) over pages_to_here", forward),
        total=(Row(style="total", cells=(
            Cell(column="goods", text="Charges before tax"), Cell(column="weight_kg", value="sum(weight_kg)"),
            Cell(column="charge", value="sum(charge)"),
        )),),
    )  # fmt: skip


def _carried(text: str, value: str, look: Style) -> Row:
    cells = (Cell(column="goods", text=text), Cell(column="charge", value=value, format="#,##0.00"))
    return Row(cells=cells, look=look)


def _taxes() -> TableBlock:
    return TableBlock(
        name="taxes",
        query="taxes",
        of_record=(LinkedColumns(own="shipper_id", other="shipper_id"),),
        style="body",
        head_style="head",
        space_after=14_000,
        keep_together=True,
        order=(OrderBy(by="tax_rate", descending=True),),
        columns=(
            Column(name="tax_code", value="tax_code", title="Tax"),
            Column(name="tax_rate", value="tax_rate", title="Rate, %", width=65_000, format="0.##"),
            Column(name="net", value="net", title="Charges, €", width=95_000, format="#,##0.00"),
            Column(name="tax", value="tax", title="Tax, €", width=85_000, format="#,##0.00"),
            Column(name="gross", value="net + tax", title="Together, €", width=95_000, format="#,##0.00"),
        ),
        total=(Row(style="total", cells=(
            Cell(column="tax_code", text="Total"), Cell(column="net", value="sum(net)", format="#,##0.00"),
            Cell(column="tax", value="sum(tax)", format="#,##0.00"),
            Cell(column="gross", value="sum(net + tax)", format="#,##0.00"),
        )),),
    )  # fmt: skip


def _due() -> GridBlock:
    due = ReadoutBlock(name="amount", caption="Amount due", value="net + tax", format=MONEY)
    words = TextBlock(
        name="due-by",
        text="Due by\n{last_day(:month) + cast(terms_days as integer); d MMMM y}",
        look=Style(align="end"),
    )
    ground = "#F3F1EC"
    return GridBlock(
        name="due",
        gap=0,
        space_after=10_000,
        cells=(
            GridCell(row=0, column=0, blocks=(due,), fill=ground, padding=8_000),
            GridCell(row=0, column=1, blocks=(words,), fill=ground, padding=8_000),
        ),
    )
