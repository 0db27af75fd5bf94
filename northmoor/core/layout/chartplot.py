"""Where a chart's marks stand: a panel's rectangle with its scales, and the marks with their places."""

from dataclasses import dataclass, field

import numpy as np

from northmoor.core.compute.chartdata import as_numbers
from northmoor.core.compute.groups import Ints
from northmoor.core.layout.chartaxes import Axes
from northmoor.core.layout.chartview import Panel, Stripe, View
from northmoor.core.layout.drawings import Area
from northmoor.core.layout.pen import Lettering, Pen
from northmoor.core.layout.scales import Scale


@dataclass(frozen=True, slots=True)
class MarkPlace:
    """Where a mark stands: its rectangle, its row, series and measure."""

    area: Area
    row: int
    series: int
    measure: str


@dataclass(eq=False)
class Sheet:
    """What a chart is drawn on: the pen, how its texts are written, and the marks drawn so far."""

    view: View
    pen: Pen
    how: Lettering
    marks: list[MarkPlace] = field(default_factory=list)
    taken: list[Area] = field(default_factory=list)
    """Where labels stand already."""
    left_out: int = 0
    """Labels that found no room."""

    def mark(self, area: Area, panel: Panel, place: int, stripe: Stripe) -> None:
        """Note where a mark stands."""
        self.marks.append(MarkPlace(area, int(panel.rows[place]), stripe.series, stripe.measure.name))


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

    def centers(self) -> Ints:
        """How far along the middle of each category stands."""
        if self.axes.across is not None and len(self.panel.keys):
            return self.axes.across.place(as_numbers(self.panel.keys))
        count = max(len(self.panel.categories), 1)
        return (2 * np.arange(count) + 1) * self.along // (2 * count)

    def point(self, along: int, up: int) -> tuple[int, int]:
        """The point on the page that is so far along and so far up."""
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
