"""A toy kind of mark: a thin stem from zero to each value."""

import numpy as np

from northmoor.core.layout.chart.axes import stacked
from northmoor.core.layout.chart.plot_area import ChartCanvas, PlotArea


def draw_stems(canvas: ChartCanvas, plot: PlotArea) -> None:
    """Draw the stems."""
    for each, _, end in stacked(canvas.view, plot.panel, "first"):
        tops, zero = plot.scale(each).place(end), plot.scale(each).at(0.0)
        for at in np.flatnonzero(np.isfinite(end)).tolist():
            middle = int(plot.centers[plot.panel.lane[at]])
            box = plot.box(middle - 500, middle + 500, zero, int(tops[at]))
            canvas.painter.box(box, each.color, canvas.view.mark_origin(int(plot.panel.rows[at]), each))
            canvas.mark(box, plot.panel, at, each)
