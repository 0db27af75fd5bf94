"""A table block: its columns, its levels, and the rows printed for each of them."""

from collections.abc import Callable, Iterator, Sequence
from typing import Annotated, Literal

from msgspec import Struct
from pydantic import BeforeValidator, Field, PlainSerializer, model_validator

from northmoor.core.model.base import (
    RESERVED_WINDOWS,
    Color,
    GroupingLevel,
    Identifier,
    Name,
    Part,
    Title,
    unique_names,
)
from northmoor.core.model.blocks.chart import Chart
from northmoor.core.model.data.queries import LinkedColumns
from northmoor.core.model.lengths import Gap, Length
from northmoor.core.model.styles import ColorScale, Rules, Style


class Drawing(Part):
    """What a cell draws in place of its value's text."""

    kind: Literal["bar", "spark", "columns", "qr", "barcode", "picture"]
    """A bar as long as a number is great; a spark line or columns of a list of numbers, such as list(fares); the QR
    code or the barcode (Code 128) of a text; the picture at a path in the library."""
    color: Color = "#2F7F86"
    """Colour of what is drawn."""
    negative: Color = "#B3402E"
    """Colour of bars and columns below zero."""
    minimum: float | None = None
    """The number at which bars begin; without one, the smallest that is shown, or zero."""
    maximum: float | None = None
    """The number at which bars end; without one, the largest that is shown, or zero."""
    height: Annotated[Length, Field(ge=1000, le=500_000)] | None = None
    """Height of what is drawn; without one, that of a line of text."""


class Content(Part):
    """What is in a cell: a value with a format, or a text template."""

    value: str | None = None
    """An expression, such as sum(fare)."""
    text: str | None = None
    """A template, such as Total for {route_name}. Only one of value and text."""
    format: str | None = None
    """CLDR pattern for the value, or two words for yes and no, such as open;closed; without one, the column's, else one
    that suits the type."""
    currency: str | None = None
    """Expression for the ISO 4217 code of a value's currency, such as currency; without one, the report's."""
    when_null: str | None = None
    """Text in place of a value that is missing, such as –."""
    when_zero: str | None = None
    """Text in place of a value that is zero, such as –."""
    blank_repeats: bool = False
    """Leave the cell empty where it is the same as the one above it in the same group; a new page shows it again."""
    rows: Annotated[int, Field(ge=1, le=100)] = 1
    """How many rows of its kind it covers, from its own downward: lines of a row of the data, adjacent headings or
    totals, rows of the head. Covered cells stay empty."""
    rules: Rules = ()
    """Conditions that change its look, tried in order."""
    scale: ColorScale | None = None
    """A colour scale behind its numbers."""
    draw: Drawing | None = None
    """What is drawn in place of its value's text."""
    link: str | None = None
    """Template for what a click on the cell opens: an address such as https://tarrow.example/{number}, a place in the
    document such as #{route}, or a report with values, such as fares-by-route.moor?season={season}."""
    anchor: str | None = None
    """Template for the name by which links go here, such as {route}: #TQ-SK goes to the cell named TQ-SK."""
    style: Name | None = None
    """A style of the report."""
    look: Style | None = None
    """Own changes over the style."""

    @model_validator(mode="after")
    def _value_or_text(self) -> "Content":
        if self.value is not None and self.text is not None:
            raise ValueError("a cell has either a value or a text, not both")
        return self


class Column(Content):
    """A column of a table; its own content is that of the detail rows."""

    name: Title
    """The name by which rows place cells under it."""
    title: str = ""
    """Template for the table's head."""
    width: Annotated[Length, Field(ge=1000, le=5_000_000)] | None = None
    """Width; columns without one share what is left."""
    repeat_across: bool = False
    """It is repeated on each of the pages side by side that a wide table is printed across."""
    joined: bool = False
    """It stays on the same one of the pages side by side as the column before it, where both fit."""
    visible: str | None = None
    """Expression that says whether it is shown, such as :detail = 'full'; without one, it always is."""


class Cell(Content):
    """A cell of a heading or total row."""

    column: Title
    """The column it is under."""
    span: Annotated[int, Field(ge=1, le=1000)] = 1
    """How many columns it covers, from its own to the right."""
    chart: Chart | None = None
    """A chart of the rows of the group whose heading or total it is in, in place of a text."""


class Row(Part):
    """A printed row that is no row of the data: a heading, a total, or a further line of something."""

    cells: tuple[Cell, ...] = ()
    """Its cells; columns that none covers stay empty."""
    position: Literal["before", "after"] | None = None
    """Whether it is before or after its group; by default, headings are before and totals after."""
    rules: Rules = ()
    """Conditions that change the look of the whole row, tried in order."""
    style: Name | None = None
    """A style for the whole row."""
    look: Style | None = None
    """Own changes over the style."""


class HeadRow(Row):
    """A row of a table's head, above the columns' titles."""

    on: Literal["every", "first", "later"] = "every"
    """The pages of the table it is on."""


def _listed(value: object) -> object:
    """One row, or none, as a list of rows."""
    return () if value is None else (value,) if isinstance(value, Row | dict) else value


def _unlisted(rows: tuple[Row, ...]) -> object:
    """A single row is written by itself in a file, not in a list."""
    return rows[0] if len(rows) == 1 else rows


TableRows = Annotated[
    tuple[Row, ...], BeforeValidator(_listed, json_schema_input_type=Row | tuple[Row, ...]), PlainSerializer(_unlisted)
]
HeadRows = Annotated[
    tuple[HeadRow, ...],
    BeforeValidator(_listed, json_schema_input_type=HeadRow | tuple[HeadRow, ...]),
    PlainSerializer(_unlisted),
]


class OrderBy(Part):
    """One key of an order."""

    by: str
    """An expression over a row."""
    descending: bool = False
    """Largest first."""


class Level(GroupingLevel):
    """One grouping step of a table. Its order is its own; rows need not come sorted."""

    indent: Gap = 0
    """How far the first cell of what is in its groups is indented."""
    heading: TableRows = ()
    """Row, or rows, that begin the group."""
    total: TableRows = ()
    """Row, or rows, that total the group."""
    page_break: Literal["none", "between", "before", "after"] = "none"
    """A new page between two groups, before each, or after each."""
    odd_page: bool = False
    """A new page for a group has an odd number; a page stays blank where it needs to."""
    keep_together: bool = False
    """Move a group to the next page rather than split it, within what the largest gap allows."""
    largest_gap: Annotated[float, Field(ge=0, le=1)] = 0.4
    """How much of a page keeping together may leave empty, as a share of its height."""
    repeat_heading: bool = True
    """The heading is repeated where the group continues on another page."""
    continued: str | None = None
    """Text after the first text of a heading that is repeated, such as (continued)."""
    restart_page_number: bool = False
    """Page numbers start at 1 with each group (with a page break only)."""
    rows_after_heading: Annotated[int, Field(ge=0, le=100)] = 1
    """How many rows are kept with a heading, so that it is never alone at the foot of a page."""
    rows_before_total: Annotated[int, Field(ge=0, le=100)] = 1
    """How many rows are kept with a total, so that it never starts a page alone."""


class TableBlock(Part):
    """A listing of a query's rows, grouped by levels, with totals."""

    kind: Literal["table"] = "table"
    name: Name
    """The name by which findings and origins refer to it."""
    query: Identifier
    """The query whose rows it lists."""
    of_record: Annotated[tuple[LinkedColumns, ...], Field(max_length=8)] = ()
    """In a for-each: columns that are equal in its rows and in the record whose rows it shows; without them, those of
    the link between the two queries."""
    all_rows: bool = False
    """In a for-each: whether it shows all rows, not only those of the record."""
    columns: Annotated[tuple[Column, ...], Field(min_length=1)]
    """Its columns, left to right."""
    levels: tuple[Level, ...] = ()
    """Grouping steps, outermost first."""
    order: tuple[OrderBy, ...] = ()
    """Order of the rows within the innermost group; without one, as the query gives it."""
    keep_rows: str | None = None
    """Condition over a row; rows for which it does not hold are left out of the table, its groups and totals."""
    total: TableRows = ()
    """Row, or rows, that total all rows."""
    detail: TableRows = ()
    """Further lines of each row of the data, under the first; a row and its lines are always on one page."""
    head: HeadRows = ()
    """Rows of the head, above the columns' titles."""
    page_total: Row | None = None
    """Row after the last row of each page; sum(fare) in it totals the page's rows."""
    brought_forward: Row | None = None
    """Row before the first row of each page but the first; sum(fare) in it totals the rows of all pages before."""
    carried_forward: Row | None = None
    """Row at the end of each page but the last; sum(fare) in it totals the rows up to there."""
    foot_of_page: bool = False
    """Page totals and carried totals are at the foot of the page, however much room the rows leave."""
    show_details: bool = True
    """Whether the rows themselves are shown, or only headings and totals."""
    show_head: bool = True
    """Whether the columns' titles are shown."""
    repeat_head: bool = True
    """The head row is on every page."""
    rules: Rules = ()
    """Conditions that change the look of a row of the data, tried in order."""
    head_style: Name | None = None
    """Style of the head row."""
    style: Name | None = None
    """Style of the rows, under the other styles."""
    folded: Title | None = None
    """Level whose groups are printed folded: of each only its headings and totals."""
    when_wide: Literal["narrow", "across"] = "narrow"
    """What happens when its columns are wider than the page: all become narrower, or the table continues across further
    pages, those of a page side by side first. Where they cannot become narrow enough without breaking numbers and
    words, it is printed smaller, and where even that is not enough, it continues across pages as well."""
    minimum_scale: Annotated[float, Field(ge=0.3, le=1)] = 0.7
    """The smallest share of its size at which it is printed for lack of width."""
    keep_together: bool = False
    """Whether a table that fits on a page is kept on one."""
    rows_per_page: Annotated[int, Field(ge=1, le=100_000)] | str | None = None
    """How many rows a page has at most: a number, or an expression such as :rows_per_page. A page that holds fewer
    is filled to what it holds."""
    when_empty: str | None = None
    """Template printed below it when it has no rows; without one, a sentence that names the values."""
    space_after: Gap = 0
    """Space between it and the next block."""
    visible: str | None = None
    """Expression that says whether it is shown, such as :detail = 'full'; without one, it always is."""

    @model_validator(mode="after")
    def _names_are_known_and_unique(self) -> "TableBlock":
        names = [column.name for column in self.columns]
        unique_names(names, "column")
        levels = [level.name for level in self.levels]
        unique_names(levels, "level")
        if self.folded is not None and self.folded not in levels:
            raise ValueError(f"it is folded at the level {self.folded!r}, which it does not have")
        for level in levels:
            if level in RESERVED_WINDOWS:
                raise ValueError(f"a level cannot be named {level!r}; that window has a meaning already")
        for _, row in self.rows():
            _check_cells(row, names)
        return self

    def rows(self) -> Iterator[tuple["RowPlace", Row]]:
        """All rows it prints besides its columns' titles and first detail lines, each with its place."""
        for level in self.levels:
            yield from _placed("heading", level.name, level.heading)
            yield from _placed("total", level.name, level.total)
        yield from _placed("total", None, self.total)
        yield from _placed("detail", None, self.detail, 1)
        yield from _placed("head", None, self.head, 1)
        for name in PAGE_ROWS:
            yield from _placed(name, None, [row] if (row := getattr(self, name)) is not None else [])

    def cells(self) -> Iterator[Content]:
        """The cells of its columns, and those of its rows."""
        yield from self.columns
        yield from (cell for _, row in self.rows() for cell in row.cells)

    def level(self, name: str | None) -> Level:
        """The level of a name. Raises KeyError."""
        for level in self.levels:
            if level.name == name:
                return level
        raise KeyError(name)

    def row_at(self, place: "RowPlace") -> Row:
        """The row at a place. Raises KeyError where there is none."""
        for known, row in self.rows():
            if known == place:
                return row
        raise KeyError(place)

    def with_row(self, place: "RowPlace", row: Row | None) -> "TableBlock":
        """The table with another row, or none, at a place; a place after the last adds one. Raises KeyError."""
        if place.row in PAGE_ROWS:
            return self.but(**{place.row: row})
        return self._with_rows(place, 1, [] if row is None else [row])

    def with_row_after(self, place: "RowPlace", row: Row) -> "TableBlock":
        """The table with one more row after that of a place, of which there can be several. Raises KeyError."""
        return self._with_rows(place, 0, [row])

    def _with_rows(self, place: "RowPlace", replaced: int, put: list[Row]) -> "TableBlock":
        """The table with other rows in place of that of a place, or after it."""
        holder: TableBlock | Level = self if place.level is None else self.level(place.level)
        rows = list(getattr(holder, place.row))
        at = place.number - (place.row in ("head", "detail")) + (not replaced)
        rows[at : at + replaced] = put
        changed = holder.but(**{place.row: tuple(rows)})
        if isinstance(changed, TableBlock):
            return changed
        return self.but(levels=tuple(changed if level is holder else level for level in self.levels))

    def map_rows(self, change: Callable[[Row], Row | None]) -> "TableBlock":
        """The table with each of its rows changed, or taken out where nothing is left of it."""
        table = self
        for place, row in reversed(list(self.rows())):  # from the last, so that places before it stay
            changed = change(row)
            if changed is not row:
                table = table.with_row(place, changed)
        return table


PAGE_ROWS = ("brought_forward", "page_total", "carried_forward")
"""The rows of a table that belong to its pages."""


class RowPlace(Struct, frozen=True):
    """Which of a table's printed rows is meant: `row` is head, heading, detail, total or one of `PAGE_ROWS`, `level`
    the level of a heading or total, `number` counts where there are several. Number 0 of head and detail are the
    columns' titles and the columns themselves."""

    row: str
    level: str | None = None
    number: int = 0


def _placed(row: str, level: str | None, rows: Sequence[Row], first: int = 0) -> Iterator[tuple[RowPlace, Row]]:
    for number, each in enumerate(rows, first):
        yield RowPlace(row, level, number), each


def _check_cells(row: Row, names: list[str]) -> None:
    taken = 0
    for cell in sorted(row.cells, key=lambda c: names.index(c.column) if c.column in names else -1):
        if cell.column not in names:
            raise ValueError(f"a cell is under column {cell.column!r}, which the table does not have")
        start = names.index(cell.column)
        if start < taken or start + cell.span > len(names):
            raise ValueError(f"the cell under column {cell.column!r} overlaps another or leaves the table")
        taken = start + cell.span
