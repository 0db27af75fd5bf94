"""The example report of a tree: cost centres in one another, with what was booked on each and on all within it."""

from northmoor.core.authoring.starters.starter_layouts import STYLES
from northmoor.core.model.blocks.table import Cell, Column, Level, Row, TableBlock
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.data.queries import Query, QueryColumn
from northmoor.core.model.pages import PageSetup
from northmoor.core.model.report import Edition, Report
from northmoor.demo.reports.shared_parts import footer

CENTRES_SQL = """\
select c.centre_id, c.parent_id, c.code, c.name,
  strftime('%Y', e.booked_on) as year, count(e.entry_id) as entries, sum(e.amount) as amount
from cost_centres c
left join ledger_entries e using (centre_id)
group by c.centre_id, year
"""


def cost_centres() -> Report:
    """The tree of cost centres with roll-up totals."""
    query = Query(
        name="centres",
        connection="tarrow",
        sql=CENTRES_SQL,
        columns=(
            QueryColumn(name="code", label="Code"),
            QueryColumn(name="name", label="Cost centre"),
            QueryColumn(name="entries", type="integer", label="Entries", total="sum"),
            QueryColumn(name="amount", type="decimal(14,2)", label="Amount, €", total="sum", format="#,##0.00"),
        ),
    )
    return Report(title="Cost centres", queries=(query,), styles=STYLES, editions=(_full(),))


def _table() -> TableBlock:
    years = {"y2024": "sum(amount) filter (where year = '2024')", "y2025": "sum(amount) filter (where year = '2025')"}
    money = "#,##0.00"
    figures = (
        Cell(column="entries", value="sum(entries)"),
        *(Cell(column=name, value=value, format=money, when_null="–") for name, value in years.items()),
        Cell(column="share", value="sum(amount) / sum(amount) over report", format="0.0 %", when_null="–"),
    )
    return TableBlock(
        name="centres",
        query="centres",
        style="body",
        head_style="head",
        show_details=False,
        columns=(
            Column(name="name", title="Cost centre"),
            Column(name="code", title="Code", width=68_031),
            Column(name="entries", value="entries", title="Entries", width=56_693),
            Column(name="y2024", value="amount", title="2024, €", width=85_039),
            Column(name="y2025", value="amount", title="2025, €", width=85_039),
            Column(name="share", value="amount", title="Share", width=51_024),
        ),
        levels=(
            Level(
                name="centre",
                by="centre_id",
                parent="parent_id",
                order_by="code",
                indent=14_000,
                heading=Row(
                    cells=(Cell(column="name", text="{name}"), Cell(column="code", value="code"), *figures),
                ),
            ),
        ),
        total=Row(style="grand-total", cells=(Cell(column="name", text="All cost centres"), *figures)),
    )


def _full() -> Edition:
    return Edition(
        name="full",
        page=PageSetup(margin_top=42_520, margin_bottom=42_520),
        footer=footer("{report_title()} · data as of {data_time(); d MMMM y, HH:mm}"),
        blocks=(
            TextBlock(name="title", text="{report_title()}", style="title"),
            TextBlock(
                name="scope",
                text="What was booked on each centre and on those within it",
                style="subtitle",
                space_after=10_000,
            ),
            _table(),
        ),
    )
