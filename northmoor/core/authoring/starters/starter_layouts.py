"""Layouts a new report may begin with: its styles, and a listing, groups, a matrix or statements of chosen fields."""

from collections.abc import Mapping, Sequence
from types import MappingProxyType

from msgspec import Struct

from northmoor.core.model.blocks.matrix import MatrixLevel
from northmoor.core.model.blocks.table import Cell, Column, Level, Row, TableBlock
from northmoor.core.model.blocks.text import TextBlock, literal_template
from northmoor.core.model.data.queries import Query
from northmoor.core.model.kinds.aggregates import aggregate_of
from northmoor.core.model.pages import Running, RunningLine, TextPiece
from northmoor.core.model.parameters import Parameter
from northmoor.core.model.report import Edition, Report
from northmoor.core.model.styles import NamedStyle

STYLES = (
    NamedStyle(name="body", font="Plex Sans", size=9000, padding=2000, inset=4000),
    NamedStyle(name="title", based_on="body", size=18_000, bold=True, padding=0, inset=0),
    NamedStyle(name="subtitle", based_on="body", size=10_000, color="#6B645A", padding=2000, inset=0),
    NamedStyle(name="head", based_on="body", bold=True, rule_below=750, padding=3000),
    NamedStyle(name="heading", based_on="body", bold=True, size=10_000, padding=6000),
    NamedStyle(name="total", based_on="body", bold=True, rule_above=500, padding=3000),
    NamedStyle(name="grand-total", based_on="total", rule_above=1000, rule_below=1000),
    NamedStyle(name="running", based_on="body", size=8000, color="#6B645A", padding=0, inset=0),
)
"""The styles of a new report: names that say what each is for."""


def listing(
    query: Query,
    columns: Sequence[tuple[str, str, str]],
    levels: Sequence[str],
    totals: Mapping[str, str],
    title: str,
    parameters: Sequence[Parameter] = (),
) -> Report:
    """A report that lists a query's rows, grouped by columns (outermost first) and totalled.

    `columns` are (name, expression, label) of each column; levels are names among them, and totals the aggregates of
    some. Columns that are
    levels are in headings instead of in every row, unless nothing else would be left.
    """
    table = table_of_fields(query.name, columns, levels, totals)
    heading = TextBlock(name="title", text="{report_title()}", style="title", space_after=14_000)
    edition = Edition(name="main", footer=running_footer(), blocks=(heading, table))
    return Report(title=title, queries=(query,), styles=STYLES, editions=(edition,), parameters=tuple(parameters))


def table_of_fields(
    query: str,
    columns: Sequence[tuple[str, str, str]],
    levels: Sequence[str],
    totals: Mapping[str, str],
    formats: Mapping[str, str] = MappingProxyType({}),
) -> TableBlock:
    """The table of a listing; see `listing`. `formats` are those of the keys of some levels."""
    shown = [c for c in columns if c[0] not in levels] or list(columns)
    expressions = {name: expression for name, expression, _ in columns}
    return TableBlock(
        name="table",
        query=query,
        style="body",
        head_style="head",
        columns=tuple(Column(name=n, value=e, title=literal_template(label)) for n, e, label in shown),
        levels=tuple(_level(name, expressions, shown, totals, formats.get(name)) for name in levels),
        total=listing_total_row("Total", expressions, shown, totals, "grand-total") if totals else None,
    )


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
    name: str,
    expressions: dict[str, str],
    shown: Sequence[tuple[str, str, str]],
    totals: Mapping[str, str],
    key_format: str | None,
) -> Level:
    key = f"{{{expressions[name]}{f'; {key_format}' if key_format else ''}}}"
    heading = Cell(column=shown[0][0], text=key, span=len(shown))
    total = listing_total_row(f"Total for {key}", expressions, shown, totals, "total") if totals else None
    return Level(name=name, by=expressions[name], heading=Row(style="heading", cells=(heading,)), total=total)


def listing_total_row(
    label: str,
    expressions: dict[str, str],
    shown: Sequence[tuple[str, str, str]],
    totals: Mapping[str, str],
    style: str,
) -> Row:
    """A row with a label, then aggregates under the columns they total."""
    names = [name for name, _, _ in shown]
    summed = [name for name in names if name in totals]
    sums = [Cell(column=name, value=aggregate_of(totals[name], expressions[name])) for name in summed]
    first = names.index(summed[0]) if summed else len(names)
    if first > 0:
        return Row(style=style, cells=(Cell(column=names[0], text=label, span=first), *sums))
    return Row(style=style, cells=tuple(sums))


class Field(Struct, frozen=True):
    """A field of a query: its name, the expression that means it, what readers call it, and how it is totalled, if at
    all. `is_moment`: its months make better groups than its days; `format`: how its numbers are written; `repeats`: it
    has so few values that they make groups of several rows; `nested`: the fields that it has no crossing with, as each
    of its values goes with one of theirs, or each of theirs with one of its."""

    name: str
    expression: str
    label: str
    total: str | None = None
    is_moment: bool = False
    format: str | None = None
    repeats: bool = True
    nested: tuple[str, ...] = ()


def empty_report(title: str) -> Report:
    """A report with a title, a footer and nothing else."""
    heading = TextBlock(name="title", text="{report_title()}", style="title", space_after=14_000)
    return Report(
        title=title, styles=STYLES, editions=(Edition(name="main", footer=running_footer(), blocks=(heading,)),)
    )


MONTH_FORMAT = "MMM y"
"""How the months are written that moments are grouped by."""


def group_key(field: Field) -> str:
    """The expression that groups by a field: moments by their months."""
    return f"date_trunc('month', {field.expression})" if field.is_moment else field.expression


def matrix_level(field: Field) -> MatrixLevel:
    """A level that groups by a field."""
    return MatrixLevel(
        name=field.name, by=group_key(field), title=literal_template(field.label),
        format=MONTH_FORMAT if field.is_moment else None,
    )  # fmt: skip
