"""A letter to the shippers of a port about the winter's freight, and the labels for its envelopes: two editions."""

from northmoor.core.authoring.starters.starter_layouts import STYLES
from northmoor.core.model.blocks.containers import ForEachBlock, FrameBlock, FrameItem
from northmoor.core.model.blocks.picture import PictureBlock
from northmoor.core.model.blocks.text import TabStop, TextBlock, TextRun
from northmoor.core.model.data.queries import Query, QueryColumn
from northmoor.core.model.lengths import parse_length
from northmoor.core.model.pages import PageSetup, Watermark
from northmoor.core.model.parameters import ChoicesFrom, Parameter
from northmoor.core.model.report import Edition, Report
from northmoor.core.model.styles import Style
from northmoor.demo.reports.shared_parts import footer

SHIPPERS_SQL = """\
select s.shipper_id, s.name as shipper, p.name as port, p.island, s.terms_days, cast(s.since as text) as since,
  count(w.waybill_id) as waybills
from shippers s
join ports p using (port_id)
left join waybills w on w.shipper_id = s.shipper_id and w.status <> 'cancelled' and w.shipped_on >= '2025-01-01'
where p.code = :port
group by s.shipper_id, s.name, p.name, p.island, s.terms_days, s.since
"""
EMBLEM = """\
<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 240 240">
  <g fill="#2F7F86">
    <circle cx="120" cy="120" r="112" fill="none" stroke="#2F7F86" stroke-width="8"/>
    <path d="M52 112H188L166 146H74Z M92 84H150V106H92Z M120 58H134V80H120Z"/>
  </g>
  <g fill="none" stroke="#2F7F86" stroke-width="7" stroke-linecap="round">
    <path d="M56 168q14 -12 28 0t28 0t28 0t28 0"/><path d="M72 186q14 -12 28 0t28 0t28 0"/>
    <path d="M92 204q14 -12 28 0t28 0"/>
  </g>
</svg>
"""
"""The company's emblem as a drawing."""


def winter_letter() -> Report:
    """One letter for each shipper of a port; labels as a second edition."""
    port = Parameter(
        name="port", label="Port", default="SK", choices_from=ChoicesFrom(query="ports", value="code", label="name"),
        hint="Whose shippers are written to.",
    )  # fmt: skip
    draft = Parameter(
        name="draft", label="Draft", kind="boolean", default=False, hint="Marks the pages as not yet to be sent."
    )
    shippers = Query(
        name="shippers", connection="tarrow", sql=SHIPPERS_SQL,
        columns=(QueryColumn(name="since", type="date"), QueryColumn(name="shipper_id", type="integer")),
    )  # fmt: skip
    ports = Query(name="ports", connection="tarrow", sql="select code, name from ports order by name")
    return Report(
        title="Winter letter",
        parameters=(port, draft),
        queries=(ports, shippers),
        styles=STYLES,
        editions=(_letter(), _labels()),
    )


def _letter() -> Edition:
    letter = ForEachBlock(
        name="shipper", query="shippers", by="shipper_id", order_by="min(shipper)", bookmark="{shipper}",
        restart_page_number=True, blocks=(_head(), *_words()),
    )  # fmt: skip
    return Edition(
        name="letter", blocks=(letter,), footer=footer("Tarrow Sound Ferries · Freight desk, Tarrow Quay"),
        watermark=Watermark(text="Draft", visible=":draft"),
    )  # fmt: skip


def _head() -> FrameBlock:
    """The emblem, the company's name, the window for the address, and the date: all at exact places."""
    grey = Style(color="#6F675D", size=7_500)
    company = TextBlock(name="company", text="Tarrow Sound Ferries", style="title")
    desk = TextBlock(name="desk", text="Freight desk · Tarrow Quay", style="subtitle")
    sender = TextBlock(name="sender", text="Tarrow Sound Ferries · Freight desk · Tarrow Quay", look=grey)
    to = TextBlock(name="to", text="{shipper}\n{port}\n{island}")
    day = TextBlock(name="day", text="Tarrow Quay, 20 October 2025", look=Style(align="end"))

    def at(x: str, y: str, width: str, *blocks: TextBlock | PictureBlock, locked: bool = False) -> FrameItem:
        x_, y_, width_ = map(parse_length, (x, y, width))
        return FrameItem(x=x_, y=y_, width=width_, blocks=blocks, locked=locked)

    emblem = PictureBlock(name="emblem", file="pictures/emblem.svg", height=parse_length("18mm"), description="")
    return FrameBlock(
        name="head", height=parse_length("70mm"), space_after=18_000,
        items=(
            at("0mm", "0mm", "20mm", emblem, locked=True), at("24mm", "2mm", "100mm", company, desk),
            at("0mm", "28mm", "85mm", sender, locked=True), at("0mm", "34mm", "85mm", to, locked=True),
            at("95mm", "60mm", "75mm", day),
        ),
    )  # fmt: skip


def _words() -> tuple[TextBlock, ...]:
    bold = Style(bold=True)
    stops = (TabStop(at=parse_length("110mm"), align="end", leader="dots"),)
    return (
        TextBlock(name="subject", text="What changes for your freight this winter", style="heading", space_after=6_000),
        TextBlock(
            name="greeting", space_after=8_000, text="Dear partners at ",
            runs=(
                TextRun(text="{shipper}", look=bold),
                TextRun(text=",\n\nyou have sent freight with us since {since; MMMM y}, and "),
                TextRun(text="{waybills; #,##0} waybills", look=bold),
                TextRun(text=" of this year bear your number. From 1 November the winter timetable holds:"),
            ),
        ),
        TextBlock(
            name="changes", marker="bullet", space_after=10_000,
            text="Boxes are taken until two hours before a sailing, instead of one.\nFeed and timber sail on"
            " weekdays only.\n\tWhat arrives on a Saturday waits under cover, at no charge.\n\tFish always sails on"
            " the day.",
        ),
        TextBlock(
            name="rates", tabs=stops, space_after=10_000,
            text="Charge for each 100 kg of general cargo\t€ 14.20\nCharge for each 100 kg of feed\t€ 9.80\nLeast"
            " charge of a waybill\t€ 6.50",
        ),
        TextBlock(
            name="closing",
            text="Your terms stay as they are: {terms_days} days from the month's end. All rates are at ",
            runs=(
                TextRun(text="tarrow.example/winter", link="https://tarrow.example/winter?port={port}"),
                TextRun(text=", and we answer at the desk in Tarrow Quay.\n\nWith good wishes for calm crossings\n"),
                TextRun(text="Tarrow Sound Ferries", look=Style(italic=True)),
            ),
        ),
    )  # fmt: skip


def _labels() -> Edition:
    label = ForEachBlock(
        name="label", query="shippers", by="shipper_id", order_by="min(shipper)", page_break="column",
        blocks=(
            TextBlock(name="label-to", text="{shipper}\n{port} · {island}", look=Style(inset=12_000, padding=14_000)),
        ),
    )  # fmt: skip
    margin = parse_length("8mm")
    page = PageSetup(
        columns=3, rows=8, column_gap=0, fill_first="across", margin_top=margin, margin_bottom=margin,
        margin_left=0, margin_right=0,
    )  # fmt: skip
    return Edition(name="labels", title="Labels for the winter letter", page=page, blocks=(label,), formats=("pdf",))
