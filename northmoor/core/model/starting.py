"""Starting points: the styles a new report has, and a listing of a query's columns."""

from collections.abc import Sequence

from northmoor.core.model.data import Query
from northmoor.core.model.looks import Style
from northmoor.core.model.pages import Running, RunningLine, TextPiece
from northmoor.core.model.parameters import Parameter
from northmoor.core.model.report import Edition, Report
from northmoor.core.model.tables import Cell, Column, Level, Row, TableBlock
from northmoor.core.model.texts import TextBlock, literal

STYLES = (
    Style(name="body", font="Plex Sans", size=9000, padding=2000, inset=4000),
    Style(name="title", based_on="body", size=18_000, bold=True, padding=0, inset=0),
    Style(name="subtitle", based_on="body", size=10_000, color="#6B645A", padding=2000, inset=0),
    Style(name="head", based_on="body", bold=True, rule_below=750, padding=3000),
    Style(name="heading", based_on="body", bold=True, size=10_000, padding=6000),
    Style(name="total", based_on="body", bold=True, rule_above=500, padding=3000),
    Style(name="grand-total", based_on="total", rule_above=1000, rule_below=1000),
    Style(name="running", based_on="body", size=8000, color="#6B645A", padding=0, inset=0),
)
"""The styles of a new report: names that say what each is for."""


def listing(
    query: Query,
    columns: Sequence[tuple[str, str, str]],
    levels: Sequence[str],
    totals: Sequence[str],
    title: str,
    parameters: Sequence[Parameter] = (),
) -> Report:
    """A report that lists a query's rows, grouped by columns (outermost first) and totalled.

    `columns` are (name, expression, label) of each column; levels and totals are names among them. Columns that are
    levels stand in headings instead of in every row, unless nothing else would be left.
    """
    shown = [c for c in columns if c[0] not in levels] or list(columns)
    expressions = {name: expression for name, expression, _ in columns}
    table = TableBlock(
        name="table",
        query=query.name,
        style="body",
        head_style="head",
        columns=tuple(Column(name=n, value=e, title=literal(label)) for n, e, label in shown),
        levels=tuple(_level(name, expressions, shown, totals) for name in levels),
        total=total_row("Total", expressions, shown, totals, "grand-total") if totals else None,
    )
    heading = TextBlock(name="title", text="{report_title()}", style="title", space_after=14_000)
    edition = Edition(name="main", footer=running_footer(), blocks=(heading, table))
    return Report(title=title, queries=(query,), styles=STYLES, editions=(edition,), parameters=tuple(parameters))


def running_footer() -> Running:
    """The footer of a new report: its title, and the page."""
    return Running(
        lines=(
            RunningLine(
                start=TextPiece(text="{report_title()}", style="running"),
                end=TextPiece(text="Page {page_number(); 0} of {page_count(); 0}", style="running"),
            ),
        )
    )


def _level(
    name: str, expressions: dict[str, str], shown: Sequence[tuple[str, str, str]], totals: Sequence[str]
) -> Level:
    heading = Cell(column=shown[0][0], text=f"{{{expressions[name]}}}", span=len(shown))
    total = total_row(f"Total for {{{expressions[name]}}}", expressions, shown, totals, "total") if totals else None
    return Level(name=name, by=expressions[name], heading=Row(style="heading", cells=(heading,)), total=total)


def total_row(
    label: str,
    expressions: dict[str, str],
    shown: Sequence[tuple[str, str, str]],
    totals: Sequence[str],
    style: str,
) -> Row:
    """A row with a label, then sums under the columns they total."""
    names = [name for name, _, _ in shown]
    summed = [name for name in names if name in totals]
    sums = [Cell(column=name, value=f"sum({expressions[name]})") for name in summed]
    first = names.index(summed[0]) if summed else len(names)
    if first > 0:
        return Row(style=style, cells=(Cell(column=names[0], text=label, span=first), *sums))
    return Row(style=style, cells=tuple(sums))
