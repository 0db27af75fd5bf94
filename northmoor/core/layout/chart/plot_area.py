"""Where a chart's marks are: a panel's rectangle with its scales, and the marks with their places."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from msgspec import Struct, field

from northmoor.core.base.arrays import Ints
from northmoor.core.layout.chart.axes import Axes
from northmoor.core.layout.chart.facets import ChartView, Facet, SeriesMeasure
from northmoor.core.layout.chart.scales import AxisScale
from northmoor.core.layout.geometry import Rect, TakenRoom
from northmoor.core.layout.graphics.display_list import SourceRef
from northmoor.core.layout.graphics.painter import DisplayListBuilder, TextStyle


class MarkBox(Struct, frozen=True):
    """Where a mark is: its rectangle, its row, series and measure."""

    area: Rect
    row: int
    series: int
    measure: str


class PointMarks(Struct, frozen=True, eq=False):
    """Marks of one size with their middles: as many places, made when they are asked for."""

    x: Ints
    y: Ints
    half: int
    rows: Ints
    series_measure: SeriesMeasure

    def __iter__(self) -> Iterator[MarkBox]:
        size, series, measure = 2 * self.half, self.series_measure.series, self.series_measure.measure.name
        for x, y, row in zip(self.x.tolist(), self.y.tolist(), self.rows.tolist(), strict=True):
            yield MarkBox(Rect(x - self.half, y - self.half, size, size), row, series, measure)

    def __len__(self) -> int:
        return len(self.x)


class ChartCanvas(Struct, eq=False):
    """What a chart is drawn on: the pen, how its texts are written, and the marks drawn so far."""

    view: ChartView
    painter: DisplayListBuilder
    text_style: TextStyle
    marks: list[tuple[MarkBox] | PointMarks] = field(default_factory=list)
    mark_count: int = 0
    labels: TakenRoom = field(default_factory=TakenRoom)
    """Where labels are already."""
    left_out: int = 0
    """Labels that found no room."""
    _solid: TakenRoom = field(default_factory=TakenRoom)
    _solid_groups: int = 0

    def write(
        self, x: int, y: int, text: str, origin: SourceRef, style: TextStyle | None = None, turned: bool = False
    ) -> bool:
        """Write a line with its left edge and its top, unless another text is in its way; whether it was written. A
        turned one reads upward, from y + its width."""
        style = style or self.text_style
        width = style.width(text)
        place = Rect(x, y, style.leading, width) if turned else Rect(x, y, width, style.leading)
        if not self.labels.is_free(place):
            return False
        self.labels.add(place)
        if turned:
            self.painter.turned(x, y + width, text, style, origin)
        else:
            self.painter.text(x, y, text, style, origin)
        return True

    def mark(self, area: Rect, panel: Facet, place: int, series_measure: SeriesMeasure) -> None:
        """Note where a mark is."""
        self.marks.append((MarkBox(area, int(panel.rows[place]), series_measure.series, series_measure.measure.name),))
        self.mark_count += 1

    def mark_dots(self, dots: PointMarks) -> None:
        """Note where marks are."""
        self.marks.append(dots)
        self.mark_count += len(dots)

    def solid(self) -> TakenRoom:
        """Where marks are already."""
        for group in self.marks[self._solid_groups :]:
            for mark in group:
                self._solid.add(mark.area)
        self._solid_groups = len(self.marks)
        return self._solid


@dataclass(frozen=True, eq=False)
class PlotArea:
    """The rectangle of a panel's marks. Where it lies, categories go downward and values to the right."""

    area: Rect
    axes: Axes
    panel: Facet
    is_horizontal: bool
    room: Rect
    """Where labels of its marks may be: the rectangle and what is free around it."""

    @property
    def along(self) -> int:
        """The length on which categories are."""
        return self.area.height if self.is_horizontal else self.area.width

    @property
    def band(self) -> int:
        """The length that each category has, where they are at even distances."""
        return max(self.along // max(len(self.panel.categories), 1), 1)

    @cached_property
    def centers(self) -> Ints:
        """How far along the middle of each category is."""
        if self.axes.across is not None and len(self.panel.keys):
            return self.axes.across.place(self.panel.numbers)
        count = max(len(self.panel.categories), 1)
        return (2 * np.arange(count) + 1) * self.along // (2 * count)

    def point(self, along: int, up: int) -> tuple[int, int]:
        """The point on the page that is so far along and so far up."""
        if self.is_horizontal:
            return self.area.x + up, self.area.y + along
        return self.area.x + along, self.area.y + self.area.height - up

    def points(self, along: Ints, up: Ints) -> tuple[Ints, Ints]:
        """The points on the page that are so far along and so far up: from the left, and from the top."""
        if self.is_horizontal:
            return self.area.x + up, self.area.y + along
        return self.area.x + along, self.area.y + self.area.height - up

    def box(self, begin: int, end: int, low: int, high: int) -> Rect:
        """The rectangle between two places along and two up."""
        low, high = min(low, high), max(low, high)
        if self.is_horizontal:
            return Rect(self.area.x + low, self.area.y + begin, high - low, end - begin)
        return Rect(self.area.x + begin, self.area.y + self.area.height - high, end - begin, high - low)

    def measures(self, series_measure: SeriesMeasure) -> bool:
        """Whether there is a scale for a stripe; there is none where nothing on its axis has a value."""
        return self.axes.of(series_measure.measure.axis) is not None

    def scale(self, series_measure: SeriesMeasure) -> AxisScale:
        """The scale that a stripe is measured on."""
        found = self.axes.of(series_measure.measure.axis)
        assert found is not None  # asked before
        return found
