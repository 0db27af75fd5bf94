"""Marks that go from one value to another: boxes of a distribution, and spans of time."""

import numpy as np

from northmoor.core.base.arrays import Floats
from northmoor.core.compute.chart.evaluation import mark_texts
from northmoor.core.layout.chart.data_labels import label_at, label_in
from northmoor.core.layout.chart.facets import SeriesMeasure
from northmoor.core.layout.chart.palette import mixed
from northmoor.core.layout.chart.plot_area import ChartCanvas, PlotArea
from northmoor.core.layout.graphics.display_list import VectorPath
from northmoor.core.layout.graphics.paths import circle

_DOT = 1_300


def whiskers(values: Floats, low: float, high: float) -> tuple[float, float, Floats]:
    """How far a box's whiskers go, and what lies beyond them: to the last value within one and a half times the
    distance of the quartiles (Tukey 1977)."""
    reach = 1.5 * (high - low)
    within = values[(values >= low - reach) & (values <= high + reach)]
    beyond = values[(values < low - reach) | (values > high + reach)]
    if not len(within):
        return low, high, beyond
    return min(float(within.min()), low), max(float(within.max()), high), beyond


def draw_boxes(canvas: ChartCanvas, plot: PlotArea) -> None:
    """A box from the lower to the upper quartile with a line at the median, whiskers, and dots for what lies beyond."""
    view, panel = canvas.view, plot.panel
    wide = max(round(plot.band * (1 - view.chart.gap)), 1)
    centers = plot.centers
    for number, series_measure in enumerate(view.series_measures):
        if not plot.measures(series_measure):
            continue
        median, low, high = (
            view.values_of(panel, series_measure, t) for t in mark_texts(view.chart, series_measure.measure)[:3]
        )
        lists = view.lists(panel, series_measure, mark_texts(view.chart, series_measure.measure)[3])
        for at in np.flatnonzero(np.isfinite(median)).tolist():
            left = int(centers[panel.lane[at]]) - wide // 2 + wide * number // len(view.series_measures)
            right = left + wide // len(view.series_measures) - 1_000
            _box(canvas, plot, series_measure, at, (left, right), (median[at], low[at], high[at], lists[at]))


def _box(
    canvas: ChartCanvas,
    plot: PlotArea,
    series_measure: SeriesMeasure,
    at: int,
    sides: tuple[int, int],
    of: tuple[float, float, float, Floats],
) -> None:
    view, panel, scale = canvas.view, plot.panel, plot.scale(series_measure)
    median, low, high, values = of
    least, greatest, beyond = whiskers(values, low, high)
    left, right = sides
    middle, origin = (left + right) // 2, view.mark_origin(int(panel.rows[at]), series_measure)
    box = plot.box(left, right, scale.at(low), scale.at(high))

    def stroke(one: tuple[int, float], other: tuple[int, float], thickness: int) -> None:
        ends = (plot.point(one[0], scale.at(one[1])), plot.point(other[0], scale.at(other[1])))
        canvas.painter.path(VectorPath(ends, stroke=series_measure.color, thickness=thickness), origin)

    stroke((middle, least), (middle, low), 700)
    stroke((middle, high), (middle, greatest), 700)
    for end in (least, greatest):
        stroke((middle - (right - left) // 4, end), (middle + (right - left) // 4, end), 700)
    canvas.painter.box(box, mixed(series_measure.color, "#FFFFFF", 0.6), origin, hatch=series_measure.hatch)
    stroke((left, median), (right, median), 1_600)
    for value in np.unique(beyond).tolist():
        x, y = plot.point(middle, scale.at(value))
        canvas.painter.path(
            VectorPath(circle(x, y, _DOT), stroke=series_measure.color, thickness=500, closed=True), origin
        )
    canvas.mark(box, panel, at, series_measure)
    if view.chart.labels != "none":
        text = view.labels(panel, series_measure)[at]
        x, y = plot.point(right, scale.at(median))
        label_at(canvas, ((x + 1_500, y - canvas.text_style.leading // 2),), plot.room, text, origin)


def draw_spans(canvas: ChartCanvas, plot: PlotArea) -> None:
    """A bar for each mark in its category's lane, from its beginning to its end."""
    view, panel = canvas.view, plot.panel
    wide = max(round(plot.band * (1 - view.chart.gap)), 1)
    tops = plot.centers - wide // 2
    for series_measure in filter(plot.measures, view.series_measures):
        begin = view.values_of(panel, series_measure, series_measure.measure.value)
        end = view.values_of(panel, series_measure, series_measure.measure.until)
        scale = plot.scale(series_measure)
        lows, highs = scale.place(begin), scale.place(end)
        texts = view.labels(panel, series_measure) if view.chart.labels != "none" else []
        for at in np.flatnonzero(np.isfinite(begin) & np.isfinite(end)).tolist():
            top = int(tops[panel.lane[at]])
            box = plot.box(top, top + wide, int(lows[at]), max(int(highs[at]), int(lows[at]) + 300))
            origin = view.mark_origin(int(panel.rows[at]), series_measure)
            canvas.painter.box(box, series_measure.color, origin, hatch=series_measure.hatch)
            canvas.mark(box, panel, at, series_measure)
            if texts:
                label_in(canvas, box, texts[at], series_measure.color, origin)
