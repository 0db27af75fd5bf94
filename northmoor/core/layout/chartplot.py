"""Where a chart's marks stand: a panel's rectangle with its scales, and the marks with their places."""

from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from northmoor.core.compute.groups import Ints
from northmoor.core.layout.chartaxes import Axes
from northmoor.core.layout.chartview import Panel, Stripe, View
from northmoor.core.layout.display import Origin
from northmoor.core.layout.drawings import Area, overlaps
from northmoor.core.layout.pen import Lettering, Pen
from northmoor.core.layout.scales import Scale


@dataclass(frozen=True, slots=True)
class MarkPlace:
    """Where a mark stands: its rectangle, its row, series and measure."""

    area: Area
    row: int
    series: int
    measure: str


@dataclass(frozen=True, eq=False)
class MarkDots:
    """Marks of one size with their middles: as many places, made when they are asked for."""

    x: Ints
    y: Ints
    half: int
    rows: Ints
    stripe: Stripe

    def __iter__(self) -> Iterator[MarkPlace]:
        size, series, measure = 2 * self.half, self.stripe.series, self.stripe.measure.name
        for x, y, row in zip(self.x.tolist(), self.y.tolist(), self.rows.tolist(), strict=True):
            yield MarkPlace(Area(x - self.half, y - self.half, size, size), row, series, measure)

    def __len__(self) -> int:
        return len(self.x)


@dataclass(eq=False)
class Sheet:
    """What a chart is drawn on: the pen, how its texts are written, and the marks drawn so far."""

    view: View
    pen: Pen
    how: Lettering
    marks: list[tuple[MarkPlace] | MarkDots] = field(default_factory=list)
    mark_count: int = 0
    taken: list[Area] = field(default_factory=list)
    """Where labels stand already."""
    left_out: int = 0
    """Labels that found no room."""
    _solid: list[Area] = field(default_factory=list)
    _solid_groups: int = 0

    def write(
        self, x: int, y: int, text: str, origin: Origin, how: Lettering | None = None, turned: bool = False
    ) -> bool:
        """Write a line with its left edge and its top, unless another text is in its way; whether it was written. A
        turned one reads upward, from y + its width."""
        how = how or self.how
        width = how.width(text)
        place = Area(x, y, how.leading, width) if turned else Area(x, y, width, how.leading)
        if any(overlaps(place, other) for other in self.taken):
            return False
        self.taken.append(place)
        if turned:
            self.pen.turned(x, y + width, text, how, origin)
        else:
            self.pen.text(x, y, text, how, origin)
        return True

    def mark(self, area: Area, panel: Panel, place: int, stripe: Stripe) -> None:
        """Note where a mark stands."""
        self.marks.append((MarkPlace(area, int(panel.rows[place]), stripe.series, stripe.measure.name),))
        self.mark_count += 1

    def mark_dots(self, dots: MarkDots) -> None:
        """Note where marks stand."""
        self.marks.append(dots)
        self.mark_count += len(dots)

    def solid(self) -> list[Area]:
        """Where marks stand already."""
        for group in self.marks[self._solid_groups :]:
            self._solid += [mark.area for mark in group]
        self._solid_groups = len(self.marks)
        return self._solid


@dataclass(frozen=True, eq=False)
class Plot:
    """The rectangle of a panel's marks. Where it lies, categories go downward and values to the right."""

    area: Area
    axes: Axes
    panel: Panel
    lying: bool
    room: Area
    """Where labels of its marks may stand: the rectangle and what is free around it."""

    @property
    def along(self) -> int:
        """The length on which categories stand."""
        return self.area.height if self.lying else self.area.width

    @property
    def band(self) -> int:
        """The length that each category has, where they stand evenly."""
        return max(self.along // max(len(self.panel.categories), 1), 1)

    @cached_property
    def centers(self) -> Ints:
        """How far along the middle of each category stands."""
        if self.axes.across is not None and len(self.panel.keys):
            return self.axes.across.place(self.panel.numbers)
        count = max(len(self.panel.categories), 1)
        return (2 * np.arange(count) + 1) * self.along // (2 * count)

    def point(self, along: int, up: int) -> tuple[int, int]:
        """The point on the page that is so far along and so far up."""
        if self.lying:
            return self.area.x + up, self.area.y + along
        return self.area.x + along, self.area.y + self.area.height - up

    def points(self, along: Ints, up: Ints) -> tuple[Ints, Ints]:
        """The points on the page that are so far along and so far up: from the left, and from the top."""
        if self.lying:
            return self.area.x + up, self.area.y + along
        return self.area.x + along, self.area.y + self.area.height - up

    def box(self, begin: int, end: int, low: int, high: int) -> Area:
        """The rectangle between two places along and two up."""
        low, high = min(low, high), max(low, high)
        if self.lying:
            return Area(self.area.x + low, self.area.y + begin, high - low, end - begin)
        return Area(self.area.x + begin, self.area.y + self.area.height - high, end - begin, high - low)

    def measures(self, stripe: Stripe) -> bool:
        """Whether there is a scale for a stripe; there is none where nothing on its axis has a value."""
        return self.axes.of(stripe.measure.axis) is not None

    def scale(self, stripe: Stripe) -> Scale:
        """The scale that a stripe is measured on."""
        found = self.axes.of(stripe.measure.axis)
        assert found is not None  # asked before
        return found
