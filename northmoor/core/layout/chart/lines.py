"""Marks that are places: lines, areas, points and bubbles, with moving averages and trends."""

import math

import numpy as np

from northmoor.core.base.arrays import Floats, Ints
from northmoor.core.compute.chart.evaluation import mark_texts
from northmoor.core.layout.chart.axes import stacked
from northmoor.core.layout.chart.data_labels import label_point
from northmoor.core.layout.chart.facets import SeriesMeasure
from northmoor.core.layout.chart.palette import mixed
from northmoor.core.layout.chart.plot_area import ChartCanvas, PlotArea, PointMarks
from northmoor.core.layout.geometry import Rect
from northmoor.core.layout.graphics.display_list import SourceRef, VectorPath
from northmoor.core.layout.graphics.paths import Steps, circle
from northmoor.core.model.kinds.mark_types import MARK_OF_NAME

_THICK = 1_400
STROKES: dict[str, tuple[int, tuple[int, ...]]] = {
    "lines": (_THICK, ()), "average": (900, ()), "trend": (900, (4_000, 2_000)),
}  # fmt: skip
"""How thick lines are, and their dashes."""
_DOT = 1_800
_LARGEST_BUBBLE = 14_000
_LINES, _POINTS = MARK_OF_NAME["lines"].drawer, MARK_OF_NAME["points"].drawer


def draw_lines(canvas: ChartCanvas, plot: PlotArea) -> None:
    """Lines and areas, those before in the legend in front."""
    view, panel = canvas.view, plot.panel
    found = [each for axis in ("first", "second") for each in stacked(view, panel, axis)]
    for series_measure, begin, end in reversed(found):
        if series_measure.mark.drawer == _LINES and plot.measures(series_measure):
            _line(canvas, plot, series_measure, begin, end)


def _line(canvas: ChartCanvas, plot: PlotArea, series_measure: SeriesMeasure, begin: Floats, end: Floats) -> None:
    view, panel, scale = canvas.view, plot.panel, plot.scale(series_measure)
    along = plot.centers[panel.lane] if len(panel.lane) else np.zeros(0, np.int64)
    shown = np.isfinite(end) & ((end > 0) | np.full(len(end), not scale.is_log))
    x, y = plot.points(along, scale.place(end))
    texts = view.labels(panel, series_measure) if view.chart.labels != "none" else []
    for run in _runs(shown, view.chart.gaps == "bridge"):
        origin = view.mark_origin(int(panel.rows[run[0]]), series_measure)
        steps = line_steps(x[run], y[run], view.chart.lines)
        if series_measure.mark.stacks:
            feet_x, feet_y = (each[::-1] for each in plot.points(along[run], scale.place(begin[run])))
            back = line_steps(feet_x, feet_y, view.chart.lines)
            fill = series_measure.color if view.chart.stack != "none" else mixed(series_measure.color, "#FFFFFF", 0.55)
            canvas.painter.path(VectorPath((*steps, *back), fill=fill, hatch=series_measure.hatch, closed=True), origin)
        if not series_measure.mark.stacks or view.chart.stack == "none":
            dash = _DASHES[series_measure.hatch % len(_DASHES)] if series_measure.hatch else ()
            canvas.painter.path(VectorPath(steps, stroke=series_measure.color, thickness=_THICK, dash=dash), origin)
    for at in np.flatnonzero(shown if view.chart.markers else _alone(shown, view.chart.gaps == "bridge")).tolist():
        origin = view.mark_origin(int(panel.rows[at]), series_measure)
        canvas.painter.path(
            VectorPath(circle(int(x[at]), int(y[at]), _DOT), fill=series_measure.color, closed=True), origin
        )
    canvas.mark_dots(PointMarks(x[shown], y[shown], 2 * _DOT, panel.rows[shown], series_measure))
    for at in np.flatnonzero(shown).tolist() if texts else ():
        origin = view.mark_origin(int(panel.rows[at]), series_measure)
        label_point(canvas, plot, int(x[at]), int(y[at]), 2 * _DOT, texts[at], origin)
    _more_lines(canvas, plot, series_measure, along, np.where(shown, end, np.nan))


_DASHES = ((), (6_000, 3_000), (2_000, 2_000), (9_000, 3_000, 2_000, 3_000))


def _alone(shown: np.ndarray, bridged: bool) -> np.ndarray:
    """The marks that no line goes through, since there is none on either side of them."""
    around = np.concatenate([[False], shown, [False]])
    alone: np.ndarray = shown & ~around[:-2] & ~around[2:] & (not bridged)
    return alone


def _runs(shown: np.ndarray, bridged: bool) -> list[Ints]:
    """The marks that a line goes through without stopping."""
    known = np.flatnonzero(shown)
    if not len(known):
        return []
    if bridged:
        return [known]
    return np.split(known, np.flatnonzero(np.diff(known) > 1) + 1)


def line_steps(x: Ints, y: Ints, style: str) -> Steps:
    """A line through points: straight, in steps half-way between them or at the next one, or smooth."""
    if style == "smooth" and len(x) > 2:
        return _smooth(x, y)
    if style == "held":
        x, y = x.repeat(2)[1:], y.repeat(2)[:-1]
    elif style == "steps":
        middles = (x[:-1] + x[1:]) // 2
        x, y = np.concatenate([x[:1], middles.repeat(2), x[-1:]]), y.repeat(2)
    return tuple(zip(x.tolist(), y.tolist(), strict=True))


def _smooth(x: Ints, y: Ints) -> Steps:
    """Cubic curves that are monotone wherever the points are, so that they never go beyond them (Fritsch and Carlson
    1980, with the harmonic mean of Fritsch and Butland 1984 as slopes)."""
    dx = np.where(np.diff(x) == 0, 1.0, np.diff(x))
    slope = np.diff(y) / dx
    inner = np.zeros(len(x))
    same = slope[:-1] * slope[1:] > 0
    with np.errstate(divide="ignore", invalid="ignore"):
        mean = 2 * slope[:-1] * slope[1:] / (slope[:-1] + slope[1:])
    inner[1:-1] = np.where(same, mean, 0.0)
    inner[0], inner[-1] = slope[0], slope[-1]
    third = dx / 3
    controls = [x[:-1] + third, y[:-1] + inner[:-1] * third, x[1:] - third, y[1:] - inner[1:] * third]
    curves = np.column_stack([*map(np.rint, controls), x[1:], y[1:]]).astype(np.int64)
    return ((int(x[0]), int(y[0])), *map(tuple, curves.tolist()))


def _more_lines(
    canvas: ChartCanvas, plot: PlotArea, series_measure: SeriesMeasure, along: Ints, values: Floats
) -> None:
    """A stripe's moving average and its trend."""
    measure, scale = series_measure.measure, plot.scale(series_measure)
    color = about_color(series_measure)
    if measure.average is not None:
        means = moving_average(values, measure.average)
        for run in _runs(np.isfinite(means), True):
            x, y = plot.points(along[run], scale.place(means[run]))
            points = tuple(zip(x.tolist(), y.tolist(), strict=True))
            canvas.painter.path(
                VectorPath(points, None, color, *STROKES["average"]), _of(canvas, series_measure, "average")
            )
    if measure.trend:
        _trend(canvas, plot, series_measure, along, values, color)


def about_color(series_measure: SeriesMeasure) -> str:
    """The colour of a stripe's moving average and trend: its own, darker."""
    return mixed(series_measure.color, "#1F1B16", 0.45)


def _of(canvas: ChartCanvas, series_measure: SeriesMeasure, row: str) -> SourceRef:
    origin = canvas.view.origin
    return SourceRef(
        origin.block,
        row,
        origin.level,
        origin.keys,
        None,
        series_measure.measure.name,
        origin.number,
        (series_measure.name,),
    )


def moving_average(values: Floats, count: int) -> Floats:
    """The mean of each value and those before it, so many together; missing ones are left out, and there is none before
    so many marks have been."""
    known = np.isfinite(values)
    sums = np.concatenate([[0.0], np.cumsum(np.where(known, values, 0.0))])
    counts = np.concatenate([[0], np.cumsum(known)])
    found = np.full(len(values), np.nan)
    for at in range(count - 1, len(values)):
        number = counts[at + 1] - counts[at + 1 - count]
        if number:
            found[at] = (sums[at + 1] - sums[at + 1 - count]) / number
    return found


def _trend(
    canvas: ChartCanvas, plot: PlotArea, series_measure: SeriesMeasure, along: Ints, values: Floats, color: str
) -> None:
    """The straight line with the least squares of distances, from the first mark to the last."""
    known, scale = np.isfinite(values), plot.scale(series_measure)
    if known.sum() < 2 or len(np.unique(along[known])) < 2:
        return
    slope, foot = np.polyfit(along[known].astype(np.float64), values[known], 1)
    ends = (int(along[known].min()), int(along[known].max()))
    points = tuple(plot.point(end, scale.at(foot + slope * end)) for end in ends)
    canvas.painter.path(VectorPath(points, None, color, *STROKES["trend"]), _of(canvas, series_measure, "trend"))


def draw_points(canvas: ChartCanvas, plot: PlotArea) -> None:
    """Points where their values are; bubbles have an area in proportion to one more value, the largest first."""
    view, panel, chart = canvas.view, plot.panel, canvas.view.chart
    if not any(series_measure.mark.drawer == _POINTS for series_measure in view.series_measures):
        return
    greatest = _greatest_bubble(canvas)
    for series_measure in view.series_measures:
        if series_measure.mark.drawer != _POINTS or not plot.measures(series_measure):
            continue
        value = view.values_of(panel, series_measure, mark_texts(chart, series_measure.measure)[0])
        scale, across = plot.scale(series_measure), plot.axes.across
        if chart.along is not None and across is not None:
            far = view.values_of(panel, series_measure, chart.along)
            along, known = across.place(far), np.isfinite(far)
        else:
            along, known = plot.centers[panel.lane], np.full(len(value), True)
        known &= np.isfinite(value)
        sizes = view.values_of(panel, series_measure, chart.bubble) if chart.bubble is not None else None
        if sizes is not None:
            known &= np.isfinite(sizes) & (sizes > 0)
        texts = view.labels(panel, series_measure) if chart.labels != "none" else []
        places = np.flatnonzero(known)
        if sizes is not None:
            places = places[np.argsort(-sizes[places], kind="stable")]
        ups = scale.place(value)
        labelled = []
        for at in places.tolist():
            radius = _DOT if sizes is None else max(round(_LARGEST_BUBBLE * math.sqrt(sizes[at] / greatest)), 500)
            x, y = plot.point(int(along[at]), int(ups[at]))
            origin = view.mark_origin(int(panel.rows[at]), series_measure)
            edge = "#FFFFFF" if sizes is not None else None
            canvas.painter.path(
                VectorPath(circle(x, y, radius), series_measure.color, edge, 500 if edge else 0, closed=True), origin
            )
            canvas.mark(Rect(x - radius, y - radius, 2 * radius, 2 * radius), panel, at, series_measure)
            labelled += [(x, y, radius + 500, texts[at], origin)] if texts else []
        for label in labelled:
            label_point(canvas, plot, *label)
        _more_lines(canvas, plot, series_measure, along, np.where(known, value, np.nan))


def _greatest_bubble(canvas: ChartCanvas) -> float:
    if canvas.view.chart.bubble is None:
        return 1.0
    found = np.concatenate(
        [canvas.view.values(panel, canvas.view.chart.bubble).ravel() for panel in canvas.view.facets]
    )
    found = found[np.isfinite(found)]
    return max(float(found.max(initial=0.0)), 1e-300)
