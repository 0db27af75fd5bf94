"""The matrix block: levels of rows crossed with levels of columns, and in each cell one or more measures."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from northmoor.core.model.base import RESERVED_WINDOWS, GroupingLevel, Identifier, Name, Part, Title, unique_names
from northmoor.core.model.blocks.table import Content
from northmoor.core.model.data.queries import LinkedColumns
from northmoor.core.model.lengths import Gap, Length

MOST_LEVELS = 8
"""Levels on one side of a matrix."""
MATRIX_WINDOWS = ("row", "column", "report")
"""Windows of every matrix: the whole row of a cell, its whole column, and all cells."""
TotalPosition = Literal["none", "before", "after"]


class MatrixLevel(GroupingLevel):
    """One grouping step on a side of a matrix."""

    title: str = ""
    """Template over its keys, where they have a column of their own."""
    format: str | None = None
    """CLDR pattern for its keys; without one, that of the query's column, else one that suits the type."""
    fill: Literal["none", "data", "period", "list"] = "none"
    """Which keys are shown in every group around them although no rows have them there: all that occur anywhere in the
    data (or in `members`), all periods from the first to the last, or those that are listed."""
    members: str | None = None
    """Column of another query that has all keys, such as ports.name, for filling from the data."""
    subtotal: TotalPosition = "none"
    """Whether each of its groups is totalled, before what lies in it or after; the innermost level has no subtotals."""
    subtotal_text: str = "Total"
    """Template for what a subtotal is called, such as Total for {region}."""
    style: Name | None = None
    """Style of its subtotals."""
    width: Annotated[Length, Field(ge=1000, le=5_000_000)] | None = None
    """Width of the column of its keys; without one, by content."""
    page_break: Literal["none", "between", "before", "after"] = "none"
    """On the side of the rows: a new page between two groups, before each, or after each."""
    keep_together: bool = False
    """On the side of the rows: move a group to the next page rather than split it."""


class Measure(Content):
    """What is in each cell, and, over more rows, in totals."""

    name: Title
    """Its name."""
    title: str = ""
    """Template over its cells."""
    width: Annotated[Length, Field(ge=1000, le=5_000_000)] | None = None
    """Width of each of its columns; without one, by content."""
    totals: Literal["both", "rows", "columns", "none"] = "both"
    """Whether it is in totals of rows, of columns, in both or in none."""
    scale_over: Literal["all", "row", "column"] = "all"
    """Over which cells its colour scale goes from the smallest value to the largest: all, those of a row, or of a
    column."""


class MatrixBlock(Part):
    """A query's rows, totalled by row levels and column levels crossed."""

    kind: Literal["matrix"] = "matrix"
    name: Name
    """The name by which findings and origins refer to it."""
    query: Identifier
    """The query whose rows it totals."""
    of_record: Annotated[tuple[LinkedColumns, ...], Field(max_length=8)] = ()
    """In a for-each: columns that are equal in its rows and in the record whose rows it shows; without them, those of
    the link between the two queries."""
    all_rows: bool = False
    """In a for-each: whether it shows all rows, not only those of the record."""
    rows: Annotated[tuple[MatrixLevel, ...], Field(max_length=MOST_LEVELS)] = ()
    """Grouping steps down the side, outermost first."""
    columns: Annotated[tuple[MatrixLevel, ...], Field(max_length=MOST_LEVELS)] = ()
    """Grouping steps across the top, outermost first."""
    measures: Annotated[tuple[Measure, ...], Field(min_length=1, max_length=20)]
    """The values in the cells."""
    measures_in: Literal["columns", "rows"] = "columns"
    """Whether several measures are side by side or one below the other."""
    show_measures: bool = False
    """Whether a single measure's title is shown, too."""
    keep_rows: str | None = None
    """Condition over a row of the data; others are left out of all cells and totals."""
    row_total: TotalPosition = "after"
    """Whether a row totals all rows, before or after them."""
    row_total_text: str = "Total"
    """Template for what the row of totals is called."""
    column_total: TotalPosition = "after"
    """Whether a column totals all columns, before or after them."""
    column_total_text: str = "Total"
    """Template for what the column of totals is called."""
    no_rows: str = ""
    """Text of cells without any rows, as distinct from those that are zero."""
    stepped: bool = False
    """Keys of all row levels are in one column, inner ones indented, instead of a column each."""
    indent: Gap = 10_000
    """How far each step, and each depth of a tree, is indented."""
    style: Name | None = None
    """Style of the cells, under the other styles."""
    head_style: Name | None = None
    """Style of the head."""
    key_style: Name | None = None
    """Style of the keys of rows."""
    total_style: Name | None = None
    """Style of the row and the column of totals."""
    even_widths: bool = False
    """All columns of a measure are as wide as the widest of them."""
    when_wide: Literal["narrow", "across", "shrink"] = "narrow"
    """What happens when it is wider than the page: columns become narrower; it continues across further pages with the
    keys of its rows repeated; or it is printed smaller, and continues across pages where that is not enough."""
    minimum_scale: Annotated[float, Field(ge=0.3, le=1)] = 0.7
    """How small it may be printed, as a share of its size."""
    sheets: Literal["across", "down"] = "across"
    """Whether pages side by side follow one another, or first those below."""
    when_empty: str | None = None
    """Template printed below it when it has no rows; without one, a sentence that names the values."""
    space_after: Gap = 0
    """Space between it and the next block."""
    visible: str | None = None
    """Expression that says whether it is shown, such as :detail = 'full'; without one, it always is."""

    @model_validator(mode="after")
    def _names_are_unique(self) -> "MatrixBlock":
        unique_names([measure.name for measure in self.measures], "measure")
        names = [level.name for level in (*self.rows, *self.columns)]
        unique_names(names, "level")
        for name in names:
            if name in (*MATRIX_WINDOWS, *RESERVED_WINDOWS):
                raise ValueError(f"a level cannot be named {name!r}; that window has a meaning already")
        for side in (self.rows, self.columns):
            if any(level.parent is not None for level in side[:-1]):
                raise ValueError("only the innermost level of a side can be a tree")
        return self

    def level(self, name: str | None) -> MatrixLevel:
        """The level of a name. Raises KeyError."""
        for level in (*self.rows, *self.columns):
            if level.name == name:
                return level
        raise KeyError(name)

    def measure(self, name: str | None) -> Measure:
        """The measure of a name. Raises KeyError."""
        for measure in self.measures:
            if measure.name == name:
                return measure
        raise KeyError(name)
