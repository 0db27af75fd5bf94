"""The example report of one voyage, from the telemetry log: its start and end are computed and bound the readings."""

from northmoor.core.authoring.starter_layouts import STYLES
from northmoor.core.model.blocks.table import Cell, Column, Level, Row, TableBlock
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.data.queries import Query, QueryColumn
from northmoor.core.model.parameters import ChoicesFrom, FromQuery, NamedValue, Parameter
from northmoor.core.model.report import Edition, Report
from northmoor.core.model.styles import Style
from northmoor.demo.reports.shared_parts import footer

VESSELS_SQL = """\
select distinct substr(tag, 1, instr(tag, '.') - 1) as vessel
from log
where tag like '%.voyage_id'
order by vessel
"""
VOYAGES_SQL = """\
select distinct value as voyage
from log
where tag = :vessel || '.voyage_id'
order by voyage desc
"""
# `underway` goes to 1 some minutes after the id changes, and back to 0 before the next id
SPAN_SQL = """\
with began as (
  select min(at) as at from log where tag = :vessel || '.voyage_id' and value = :voyage
), left_berth as (
  select min(at) as at from log
  where tag = :vessel || '.underway' and value = 1 and at >= (select at from began)
)
select (select at from left_berth) as departed, min(at) as arrived
from log
where tag = :vessel || '.underway' and value = 0 and at > (select at from left_berth)
"""
READINGS_SQL = """\
select substr(tag, instr(tag, '.') + 1) as signal, at, cast(value as real) as value
from log
where tag in (:vessel || '.speed', :vessel || '.fuel_flow', :vessel || '.fuel_level', :vessel || '.heading')
  and at between :departed and :arrived
order by signal, at
"""


def voyage_report() -> Report:
    """What the signals of one voyage of a vessel were; by itself, of the last."""
    vessel = Parameter(
        name="vessel", label="Vessel", choices_from=ChoicesFrom(query="vessels", value="vessel"),
        default=FromQuery(query="vessels", column="vessel"),
    )  # fmt: skip
    voyage = Parameter(
        name="voyage", label="Voyage", choices_from=ChoicesFrom(query="voyages", value="voyage"), control="ticks",
        default=FromQuery(query="voyages", column="voyage"), hint="The vessel's voyages; the last one by itself.",
    )  # fmt: skip
    as_text = tuple(QueryColumn(name=name, type="text") for name in ("departed", "arrived"))
    named = tuple(NamedValue(name=n, value=FromQuery(query="span", column=n)) for n in ("departed", "arrived"))
    return Report(
        title="Voyage report",
        parameters=(vessel, voyage),
        named_values=named,
        queries=(
            Query(name="vessels", connection="telemetry", sql=VESSELS_SQL),
            Query(name="voyages", connection="telemetry", sql=VOYAGES_SQL),
            Query(name="span", connection="telemetry", sql=SPAN_SQL, columns=as_text),
            Query(
                name="readings",
                connection="telemetry",
                sql=READINGS_SQL,
                columns=(
                    QueryColumn(name="signal", type="text", label="Signal"),
                    QueryColumn(name="at", type="timestamp", label="Time", format="HH:mm"),
                    QueryColumn(name="value", type="float", label="Value", format="#,##0.0"),
                ),
            ),
        ),
        styles=STYLES,
        editions=(_full(),),
    )


_NAMES = """\
{case signal when 'fuel_flow' then 'Fuel flow, l/h' when 'fuel_level' then 'Fuel level, l'
when 'heading' then 'Heading, °' else 'Speed, kn' end}"""


def _signals() -> TableBlock:
    """A line for each signal: its first and last reading, how many there are, the least and the greatest."""
    figures = {
        "readings": ("count(*)", "0"),
        "least": ("min(value)", "#,##0.0"),
        "greatest": ("max(value)", "#,##0.0"),
    }
    end = Style(align="end")
    cells = (
        Cell(column="signal", text=_NAMES),
        Cell(column="first", value="min(at)", format="HH:mm"),
        Cell(column="last", value="max(at)", format="HH:mm"),
        *(Cell(column=name, value=value, format=shown, look=end) for name, (value, shown) in figures.items()),
    )
    titles = {"signal": "Signal", "first": "First", "last": "Last", "readings": "Readings", "least": "Least"}
    return TableBlock(
        name="signals",
        query="readings",
        style="body",
        head_style="head",
        show_details=False,
        columns=tuple(
            Column(
                name=name,
                title=title,
                value="value",
                width=None if name == "signal" else 70_000,
                look=end if name in figures else Style(align="start"),
            )
            for name, title in (titles | {"greatest": "Greatest"}).items()
        ),
        levels=(Level(name="signal", by="signal", total=Row(cells=cells)),),
    )


def _full() -> Edition:
    return Edition(
        name="full",
        footer=footer("{report_title()} · {:voyage}"),
        blocks=(
            TextBlock(name="title", text="{:vessel}, voyage {:voyage}", style="title"),
            TextBlock(
                name="scope",
                text="Under way from {min(readings.at); d MMMM y, HH:mm} to {max(readings.at); HH:mm}",
                style="subtitle",
                space_after=10_000,
            ),
            _signals(),
        ),
    )
