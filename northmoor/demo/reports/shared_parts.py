"""What the example reports have in common."""

from northmoor.core.model.data.queries import Query, QueryColumn
from northmoor.core.model.pages import Running, RunningLine, TextPiece
from northmoor.core.model.parameters import ChoicesFrom, FromQuery, Parameter

YEARS = Query(
    name="years",
    connection="tarrow",
    sql="select distinct cast(strftime('%Y', departs_at) as integer) as year from sailings order by year desc",
    columns=(QueryColumn(name="year", type="integer", label="Year", format="0"),),
)
"""The years that have sailings, the newest first."""

YEAR = Parameter(
    name="year", label="Year", kind="integer", choices_from=ChoicesFrom(query="years", value="year"),
    default=FromQuery(query="years", column="year"), hint="Calendar year of departure; the newest by itself.",
)  # fmt: skip
"""Which of them a report is of."""


def footer(text: str) -> Running:
    """A footer with a text at its start and the page's number at its end."""
    page = TextPiece(text="Page {page_number()} of {page_count()}", style="running")
    return Running(lines=(RunningLine(start=TextPiece(text=text, style="running"), end=page),))
