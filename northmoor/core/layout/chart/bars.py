"""Marks whose length is a value: columns, bars, histograms and waterfalls; heat grids, whose colour is one."""

from collections.abc import Iterator

import numpy as np

from northmoor.core.compute.chart.evaluation import mark_texts
from northmoor.core.layout.chart.axes import stacked
from northmoor.core.layout.chart.data_labels import label_bar, label_in
from northmoor.core.layout.chart.facets import ChartView, Facet, SeriesMeasure
from northmoor.core.layout.chart.palette import mixed
from northmoor.core.layout.chart.plot_area import ChartCanvas, PlotArea
from northmoor.core.layout.geometry import Rect
from northmoor.core.layout.graphics.display_list import SourceRef, VectorPath
from northmoor.core.model.blocks.chart import ChartMeasure
from northmoor.core.model.kinds.mark_types import MARK_OF_NAME

LINE_COLOR = "#8B8378"
_BARS = MARK_OF_NAME["bars"].drawer


def draw_bars(canvas: ChartCanvas, plot: PlotArea) -> None:
    """Columns or bars, side by side or piled up, with error bars."""
    view, panel = canvas.view, plot.panel
    stripes = [each for each in view.series_measures if each.mark.drawer == _BARS]
    is_binned = view.chart.mark.category_scale == "bin"
    piled = view.chart.stack != "none"
    wide = plot.band if is_binned else max(round(plot.band * (1 - view.chart.gap)), 1)
    centers = plot.centers
    for axis in ("first", "second"):
        for series_measure, begin, end in stacked(view, panel, axis):
            if series_measure not in stripes or not plot.measures(series_measure):
                continue
            place, of = (0, 1) if piled else (stripes.index(series_measure), len(stripes))
            lefts = centers - wide // 2 + wide * place // of
            rights = centers - wide // 2 + wide * (place + 1) // of
            _bars(canvas, plot, series_measure, (lefts, rights, begin, end))


def _bars(canvas: ChartCanvas, plot: PlotArea, series_measure: SeriesMeasure, places: tuple[np.ndarray, ...]) -> None:
    lefts, rights, begin, end = places
    view, panel, scale = canvas.view, plot.panel, plot.scale(series_measure)
    lows, highs = scale.place(begin if not scale.is_log else np.full(len(begin), scale.low)), scale.place(end)
    texts = view.labels(panel, series_measure) if view.chart.labels != "none" else []
    is_histogram = view.chart.mark.category_scale == "bin"
    for at in np.flatnonzero(np.isfinite(end)).tolist():
        lane = int(panel.lane[at])
        left, right = int(lefts[lane]), int(rights[lane])
        gap = 300 if is_histogram and right - left > 1200 else 0
        box = plot.box(left, max(right - gap, left + 1), int(lows[at]), int(highs[at]))
        origin = view.mark_origin(int(panel.rows[at]), series_measure)
        canvas.painter.box(box, series_measure.color, origin, hatch=series_measure.hatch)
        canvas.mark(box, panel, at, series_measure)
        if texts:
            label_bar(canvas, plot, box, texts[at], series_measure.color, end[at] < begin[at], origin)
    _error_bars(canvas, plot, series_measure, (lefts + rights) // 2)


def _error_bars(canvas: ChartCanvas, plot: PlotArea, series_measure: SeriesMeasure, middles: np.ndarray) -> None:
    """Thin lines from the lower to the upper end, with a stroke across each end."""
    view, panel, measure = canvas.view, plot.panel, series_measure.measure
    if measure.error_low is None or measure.error_high is None:
        return
    low, high = (view.values_of(panel, series_measure, text) for text in (measure.error_low, measure.error_high))
    scale, half = plot.scale(series_measure), 2_500
    for at in np.flatnonzero(np.isfinite(low) & np.isfinite(high)).tolist():
        origin = view.mark_origin(int(panel.rows[at]), series_measure)
        middle, ends = int(middles[panel.lane[at]]), (scale.at(low[at]), scale.at(high[at]))
        strokes = [((middle, ends[0]), (middle, ends[1]))]
        strokes += [((middle - half, end), (middle + half, end)) for end in ends]
        for one, other in strokes:
            canvas.painter.path(
                VectorPath((plot.point(*one), plot.point(*other)), stroke=view.context.base.color, thickness=700),
                origin,
            )


def draw_error_bars(canvas: ChartCanvas, plot: PlotArea) -> None:
    """Error bars of lines and points at their categories."""
    for series_measure in canvas.view.series_measures:
        if (
            series_measure.mark.category_scale == "point"
            and plot.measures(series_measure)
            and series_measure.measure.error_low
        ):
            _error_bars(canvas, plot, series_measure, plot.centers)


def draw_waterfall(canvas: ChartCanvas, plot: PlotArea) -> None:
    """Each value as a step from where the one before it ended; thin lines lead from one to the next."""
    view, panel = canvas.view, plot.panel
    series_measure = view.series_measures[0]
    if not plot.measures(series_measure):
        return
    scale, centers = plot.scale(series_measure), plot.centers
    values = view.values_of(panel, series_measure, mark_texts(view.chart, series_measure.measure)[0])
    ends = np.cumsum(np.nan_to_num(values))
    begins = np.concatenate([[0.0], ends[:-1]])
    half = max(round(plot.band * (1 - view.chart.gap)) // 2, 1)
    lows, highs = scale.place(begins), scale.place(ends)
    texts = view.labels(panel, series_measure) if view.chart.labels != "none" else []
    for at in range(len(values)):
        origin = view.mark_origin(int(panel.rows[at]), series_measure)
        middle = int(centers[at])
        box = plot.box(middle - half, middle + half, int(lows[at]), int(highs[at]))
        color = series_measure.color if not values[at] < 0 else FALL_COLOR
        canvas.painter.box(box, color, origin, hatch=series_measure.hatch)
        canvas.mark(box, panel, at, series_measure)
        if at + 1 < len(values):
            line = (plot.point(middle + half, int(highs[at])), plot.point(int(centers[at + 1]) - half, int(highs[at])))
            canvas.painter.path(VectorPath(line, stroke=LINE_COLOR, thickness=500), origin)
        if texts:
            label_bar(canvas, plot, box, texts[at], color, values[at] < 0, origin)


FALL_COLOR = "#B3402E"
"""Steps downward."""


def heat_values(view: ChartView) -> Iterator[tuple[Facet, np.ndarray]]:
    """The values of a heat grid's panels: categories by series."""
    measure: ChartMeasure = view.chart.measures[0]
    for panel in view.facets:
        yield panel, view.values(panel, mark_texts(view.chart, measure)[0])


def draw_heat(canvas: ChartCanvas, plot: PlotArea) -> None:
    """A grid of categories by series, each cell in the colour of its value; one without a value stays empty."""
    view, panel = canvas.view, plot.panel
    low, high = heat_range(view)
    values = next(found for own, found in heat_values(view) if own is panel)
    rows = len(view.series_texts)
    for series in range(rows):
        series_measure = view.series_measures[series]
        texts = view.labels(panel, series_measure) if view.chart.labels != "none" else []
        for at in np.flatnonzero(np.isfinite(values[:, series])).tolist():
            share = (values[at, series] - low) / (high - low) if high > low else 1.0
            color = mixed(view.chart.heat_low, view.chart.heat_high, float(share))
            area = plot.area
            left, right = (area.width * step // len(values) for step in (at, at + 1))
            top, bottom = (area.height * step // rows for step in (series, series + 1))
            box = Rect(area.x + left, area.y + top, right - left - 500, bottom - top - 500)
            origin = view.mark_origin(int(panel.rows[at]), series_measure)
            canvas.painter.box(box, color, origin)
            canvas.mark(box, panel, at, series_measure)
            if texts:
                label_in(canvas, box, texts[at], color, origin)


def heat_range(view: ChartView) -> tuple[float, float]:
    """The least and the greatest value of a heat grid, in all its panels."""
    found = np.concatenate([values.ravel() for _, values in heat_values(view)])
    found = found[np.isfinite(found)]
    return (float(found.min()), float(found.max())) if len(found) else (0.0, 0.0)


def key_origin(view: ChartView, row: str) -> SourceRef:
    """The origin of what explains a chart: a tick, a label, an entry of the legend."""
    origin = view.origin
    return SourceRef(origin.block, row, origin.level, origin.keys, None, None, origin.number)
