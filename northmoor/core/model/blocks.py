"""The blocks an edition is made of: text, picture and table."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from northmoor.core.model.lengths import Length
from northmoor.core.model.looks import Align, Look
from northmoor.core.model.part import Identifier, Name, Part, Title, unique_names

Gap = Annotated[Length, Field(ge=0, le=1_000_000)]


def literal(text: str) -> str:
    """The template that shows a text as it is."""
    return text.replace("{", "{{").replace("}", "}}")


class Content(Part):
    """What stands in a cell: a value with a format, or a text template."""

    value: str | None = None
    """An expression, such as sum(fare)."""
    text: str | None = None
    """A template, such as Total for {route_name}. Only one of value and text."""
    format: str | None = None
    """CLDR pattern for the value, or two words for yes and no, such as open;closed; without one, the column's, else one
    that suits the type."""
    when_null: str | None = None
    """Text in place of a value that is missing, such as –."""
    when_zero: str | None = None
    """Text in place of a value that is zero, such as –."""
    style: Name | None = None
    """A style of the report."""
    look: Look | None = None
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
    blank_repeats: bool = False
    """Leave its cell empty where it says the same as in the row above in the same group; a new page says it again."""
    visible: str | None = None
    """Expression that says whether it is shown, such as :detail = 'full'; without one, it always is."""


class Cell(Content):
    """A cell of a heading or total row."""

    column: Title
    """The column it stands under."""
    span: Annotated[int, Field(ge=1, le=1000)] = 1
    """How many columns it covers, from its own to the right."""


class Row(Part):
    """A heading or total row of a level, or the total of a table."""

    cells: tuple[Cell, ...] = ()
    """Its cells; columns that none covers stay empty."""
    style: Name | None = None
    """A style for the whole row."""
    look: Look | None = None
    """Own changes over the style."""


class OrderBy(Part):
    """One key of an order."""

    by: str
    """An expression over a row."""
    descending: bool = False
    """Largest first."""


class Level(Part):
    """One grouping step. Its order is its own; rows need not come sorted."""

    name: Title
    """Its name, which is also a window: sum(fare) over route."""
    by: str
    """The expression whose equal values make a group."""
    order: Literal["ascending", "descending", "as_given"] = "ascending"
    """Order of the groups: by their key, or as the query gives it."""
    order_by: str | None = None
    """Expression over a group's rows that orders the groups in place of their key, such as sum(fare)."""
    keep_groups: str | None = None
    """Condition over a group's rows; groups for which it does not hold are left out, such as count(*) > 10."""
    first_groups: Annotated[int, Field(ge=1, le=1_000_000)] | str | None = None
    """How many groups are kept at most in each group around them, the first in their order: a number, or an expression
    such as :top."""
    heading: Row | None = None
    """Row before the group."""
    total: Row | None = None
    """Row after the group."""
    page_break: Literal["none", "between", "before", "after"] = "none"
    """A new page between two groups, before each, or after each."""
    keep_together: bool = False
    """Move a group to the next page rather than split it, within what the largest gap allows."""
    largest_gap: Annotated[float, Field(ge=0, le=1)] = 0.4
    """How much of a page keeping together may leave empty, as a share of its height."""
    repeat_heading: bool = True
    """The heading stands again where the group goes on on another page."""
    restart_page_number: bool = False
    """Page numbers start at 1 with each group (with a page break only)."""
    rows_after_heading: Annotated[int, Field(ge=0, le=100)] = 1
    """So many rows stand with a heading; it is never left alone at the foot of a page."""
    rows_before_total: Annotated[int, Field(ge=0, le=100)] = 1
    """So many rows stand with a total; it never starts a page alone."""


class TextBlock(Part):
    """A paragraph."""

    kind: Literal["text"] = "text"
    name: Name
    """The name by which findings and origins speak of it."""
    text: str = ""
    """Template; a line break starts a new line."""
    style: Name | None = None
    """A style of the report."""
    look: Look | None = None
    """Own changes over the style."""
    space_after: Gap = 0
    """Space between it and the next block."""
    visible: str | None = None
    """Expression that says whether it is shown, such as :detail = 'full'; without one, it always is."""


class PictureBlock(Part):
    """A picture from the library."""

    kind: Literal["picture"] = "picture"
    name: Name
    """The name by which findings and origins speak of it."""
    file: str
    """Path of a PNG or JPEG file, from the library's folder; it cannot lead out of it."""
    height: Annotated[Length, Field(ge=1000, le=5_000_000)]
    """Height; the width follows from the picture's proportions."""
    align: Align = "start"
    """Horizontal place."""
    space_after: Gap = 0
    """Space between it and the next block."""
    visible: str | None = None
    """Expression that says whether it is shown, such as :detail = 'full'; without one, it always is."""


class TableBlock(Part):
    """A listing of a query's rows, grouped by levels, with totals."""

    kind: Literal["table"] = "table"
    name: Name
    """The name by which findings and origins speak of it."""
    query: Identifier
    """The query whose rows it lists."""
    columns: Annotated[tuple[Column, ...], Field(min_length=1)]
    """Its columns, left to right."""
    levels: tuple[Level, ...] = ()
    """Grouping steps, outermost first."""
    order: tuple[OrderBy, ...] = ()
    """Order of the rows within the innermost group; without one, as the query gives it."""
    keep_rows: str | None = None
    """Condition over a row; rows for which it does not hold are left out of the table, its groups and totals."""
    total: Row | None = None
    """Total row after all rows."""
    show_details: bool = True
    """Whether the rows themselves are shown, or only headings and totals."""
    repeat_head: bool = True
    """The head row stands on every page."""
    head_style: Name | None = None
    """Style of the head row."""
    style: Name | None = None
    """Style of the rows, on which the other styles lie."""
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
        for level in levels:
            if level in RESERVED_WINDOWS:
                raise ValueError(f"a level cannot be named {level!r}; that window has a meaning already")
        for row in self.rows():
            taken = 0
            for cell in sorted(row.cells, key=lambda c: names.index(c.column) if c.column in names else -1):
                if cell.column not in names:
                    raise ValueError(f"a cell stands under column {cell.column!r}, which the table does not have")
                start = names.index(cell.column)
                if start < taken or start + cell.span > len(names):
                    raise ValueError(f"the cell under column {cell.column!r} overlaps another or leaves the table")
                taken = start + cell.span
        return self

    def rows(self) -> tuple[Row, ...]:
        """All heading and total rows there are."""
        of_levels = [row for level in self.levels for row in (level.heading, level.total)]
        return tuple(row for row in (*of_levels, self.total) if row is not None)


RESERVED_WINDOWS = ("report", "page", "pages_before", "pages_to_here")

Block = Annotated[TextBlock | PictureBlock | TableBlock, Field(discriminator="kind")]
