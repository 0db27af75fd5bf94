"""The chart block: a query's rows drawn as marks, by category and series, on axes."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

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
from northmoor.core.model.data.queries import LinkedColumns
from northmoor.core.model.kinds.mark_types import MARK_OF_NAME, CombinedMark, MarkName, MarkType
from northmoor.core.model.lengths import Gap, Length
from northmoor.core.model.styles import Style

CHART_WINDOWS = ("category", "series", "report")
"""Windows of every chart: all marks of a category, of a series, and all."""


class ChartLevel(GroupingLevel):
    """A grouping of a chart's rows: its categories, its series, or small charts of their own."""

    by: str = ""
    """The expression whose equal values make a group; empty where `level` names one."""
    level: str | None = None
    """A level of the block in `groups_of`, whose groups these are, in its order."""
    title: str = ""
    """Template for what the groups are, at the axis or the legend."""
    format: str | None = None
    """CLDR pattern for its keys; without one, that of the query's column, else one that suits the type."""
    fill: Literal["none", "data", "period", "list"] = "none"
    """Which keys are shown even without rows: all that occur anywhere in the data (or in `members`), all periods from
    the first to the last, or those that are listed."""
    members: str | None = None
    """Column of another query that has all keys, such as ports.name, for filling from the data."""

    @model_validator(mode="after")
    def _has_groups(self) -> "ChartLevel":
        if not self.by and self.level is None:
            raise ValueError(f"{self.name!r} needs an expression whose equal values make a group")
        return self


class ChartMeasure(Part):
    """What is drawn: a value over the rows of each mark."""

    name: Title
    """Its name."""
    value: str
    """Expression over the rows of a mark, such as sum(fare); for boxes and spans, over a row of the data."""
    title: str = ""
    """Template for the legend, or for the axis where it is alone."""
    format: str | None = None
    """CLDR pattern for its labels."""
    draw: CombinedMark | None = None
    """How it is drawn where that is not the chart's own way: columns with a line over them, for instance."""
    axis: Literal["first", "second"] = "first"
    """Which axis it is measured on."""
    until: str | None = None
    """Expression for the end of spans, which begin at the value."""
    error_low: str | None = None
    """Expression for the lower end of an error bar."""
    error_high: str | None = None
    """Expression for the upper end of an error bar."""
    average: Annotated[int, Field(ge=2, le=1000)] | None = None
    """Beside lines, areas and points, a line for the moving average over so many marks, each with those before it."""
    average_title: str = "moving average"
    """Template for the legend's entry of that line, after the name of what it is the average of; empty for none."""
    trend: bool = False
    """Beside lines, areas and points, a straight line fitted by least squares."""
    trend_title: str = "trend"
    """Template for the legend's entry of the trend, after the name of what it is the trend of; empty for none."""
    color: Color | None = None
    """Its colour, where there are no series; without one, that of its place."""


class ChartAxis(Part):
    """An axis."""

    title: str | None = None
    """Template; without one, the title of what is measured on it."""
    format: str | None = None
    """CLDR pattern for its labels."""
    scale: Literal["linear", "log"] = "linear"
    """Whether equal steps are equal differences, or equal ratios."""
    minimum: str | None = None
    """Expression for where it begins; without one, below the smallest value, or at zero for bars."""
    maximum: str | None = None
    """Expression for where it ends; without one, above the largest value."""
    grid: bool = True
    """Whether fine lines go across the chart at its ticks."""
    shown: bool = True
    """Whether its line and labels are shown."""


class ReferenceLine(Part):
    """A line across a chart at a value, or a range between two."""

    at: str
    """Expression over all rows for the value, such as avg(delay_minutes) or :target; a list, such as
    list(voyages.start), makes a line or a range for each."""
    until: str | None = None
    """Expression for the other end of a range; without one, it is a line."""
    text: str = ""
    """Template for what is written at it."""
    axis: Literal["first", "second", "across"] = "first"
    """The axis that the value is on."""
    color: Color = "#33291F"
    """Its colour; ranges are lightened."""


class Chart(Part):
    """What a chart shows and how it is drawn."""

    draw: MarkName = "columns"
    """What the marks are: columns, bars, lines, areas, points, shares of a whole, a histogram, boxes, a waterfall, a
    heat grid, or spans of time."""
    category: ChartLevel | None = None
    """What makes a mark: a column for each group, for instance. For a histogram, what is counted in ranges; points and
    spans without one have a mark for each row of the data."""
    series: ChartLevel | None = None
    """Groups drawn side by side, stacked or as separate lines, each in one colour."""
    panels: ChartLevel | None = None
    """Groups that each have a small chart of their own, all on the same scales."""
    measures: Annotated[tuple[ChartMeasure, ...], Field(min_length=1, max_length=20)]
    """What is drawn of each mark."""
    keep_rows: str | None = None
    """Condition over a row of the data; others are left out."""
    title: str = ""
    """Template printed above it."""
    description: str | None = None
    """Template for what it shows, read out in its place; without one, its kind, its axis, and the smallest and largest
    value of each series."""
    height: Annotated[Length, Field(ge=20_000, le=3_000_000)] = 200_000
    """Height with its title, legend and axes."""
    stack: Literal["none", "values", "shares"] = "none"
    """Whether series are side by side, stacked, or stacked to 100 %."""
    along: str | None = None
    """Expression for a point's position along the axis; without one, points are at their categories."""
    bubble: str | None = None
    """Expression for the area of a point, which makes bubbles."""
    lines: Literal["straight", "steps", "held", "smooth"] = "straight"
    """How lines go from mark to mark: straight, in steps half-way, held until the next, or smooth, which never goes
    beyond the marks."""
    gaps: Literal["keep", "bridge"] = "keep"
    """Whether a line stops where a value is missing, or continues to the next."""
    markers: bool = False
    """Whether each mark of a line has a dot."""
    hole: Annotated[float, Field(ge=0, le=0.9)] = 0.0
    """How large the hole of shares is, as a share of the radius: a ring."""
    bins: Annotated[float, Field(gt=0)] | None = None
    """How wide the ranges of a histogram are; without it, a round width that suits the data."""
    gap: Annotated[float, Field(ge=0, le=0.9)] = 0.25
    """Space between columns, as a share of what a category has."""
    places: Literal["scale", "even"] = "scale"
    """Whether lines, areas and points over dates and numbers are to scale, or at even distances like other
    categories."""
    columns: Annotated[int, Field(ge=1, le=20)] | None = None
    """How many small charts are side by side."""
    labels: Literal["none", "inside", "outside"] = "none"
    """Whether values are written in their marks or beside them; those without room are left out."""
    label_text: str | None = None
    """Template for those labels over the rows of a mark; without one, the value."""
    legend: Literal["none", "above", "below", "right", "direct"] = "right"
    """Where colours are explained: around the chart, or at the marks themselves."""
    patterns: bool = False
    """Areas have hatching besides their colour, for print in grey."""
    heat_low: Color = "#F3F1EC"
    """Colour of the smallest value of a heat grid."""
    heat_high: Color = "#7B4B94"
    """Colour of the largest value of a heat grid."""
    first: ChartAxis = ChartAxis()
    """The axis of values."""
    second: ChartAxis = ChartAxis(grid=False)
    """A second axis of values at the other side."""
    across: ChartAxis = ChartAxis(grid=False)
    """The axis of categories, or of the positions of points."""
    references: Annotated[tuple[ReferenceLine, ...], Field(max_length=20)] = ()
    """Lines and ranges behind the marks."""
    link: str | None = None
    """Template for what a click on a mark opens, over the mark's rows."""
    empty_text: str = "There are no values to draw."
    """Template shown in place of marks where there are none."""
    single_text: str = "There is one value only."
    """Template shown beside a line or an area that has a single place, and so goes nowhere."""
    style: Name | None = None
    """Style of its texts."""
    title_style: Name | None = None
    """Style of its title."""
    look: Style | None = None
    """Own changes of its texts over the style."""

    @model_validator(mode="after")
    def _names_are_unique(self) -> "Chart":
        unique_names([measure.name for measure in self.measures], "measure")
        names = [level.name for level in self.levels]
        unique_names(names, "level")
        for level in self.levels:
            if level.name in (*RESERVED_WINDOWS, "row", "column") or (
                level.name in CHART_WINDOWS and level is not getattr(self, level.name, None)
            ):
                raise ValueError(f"a level cannot be named {level.name!r}; that window has a meaning already")
            if level.parent is not None:
                raise ValueError("the groups of a chart form no tree; remove the parent")
        if self.mark.needs_category and self.category is None:
            raise ValueError(f"a chart of kind {self.draw} needs a category")
        if self.mark.needs_end and any(measure.until is None for measure in self.measures):
            raise ValueError("spans need an expression for their end besides the value, which is their beginning")
        return self

    @property
    def mark(self) -> MarkType:
        """The kind of its marks."""
        return MARK_OF_NAME[self.draw]

    def mark_of(self, measure: ChartMeasure) -> MarkType:
        """The kind of a measure's marks: its own, or the chart's."""
        return MARK_OF_NAME[measure.draw or self.draw]

    @property
    def levels(self) -> tuple[ChartLevel, ...]:
        """Its panels, category and series, as far as there are any."""
        return tuple(level for level in (self.panels, self.category, self.series) if level is not None)

    def level(self, name: str | None) -> ChartLevel:
        """The level of a name. Raises KeyError."""
        for level in self.levels:
            if level.name == name:
                return level
        raise KeyError(name)

    def measure(self, name: str | None) -> ChartMeasure:
        """The measure of a name. Raises KeyError."""
        for measure in self.measures:
            if measure.name == name:
                return measure
        raise KeyError(name)


class ChartBlock(Chart):
    """A chart by itself."""

    kind: Literal["chart"] = "chart"
    name: Name
    """The name by which findings and origins refer to it."""
    query: Identifier
    """The query whose rows it draws."""
    of_record: Annotated[tuple[LinkedColumns, ...], Field(max_length=8)] = ()
    """In a for-each: columns that are equal in its rows and in the record whose rows it shows; without them, those of
    the link between the two queries."""
    all_rows: bool = False
    """In a for-each: whether it shows all rows, not only those of the record."""
    groups_of: Name | None = None
    """A table or matrix of the same edition: its rows are drawn, and its levels can be the chart's."""
    width: Annotated[float, Field(ge=0.1, le=1)] = 1.0
    """Width as a share of the page's body; narrow charts and pictures are at the left."""
    space_after: Gap = 0
    """Space between it and the next block."""
    visible: str | None = None
    """Expression that says whether it is shown, such as :detail = 'full'; without one, it always is."""
