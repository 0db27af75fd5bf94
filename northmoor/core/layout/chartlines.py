"""Marks that are places: lines, areas, points and bubbles, with moving averages and trends."""

import math
from itertools import pairwise

import numpy as np

from northmoor.core.compute.chart import mark_texts
from northmoor.core.compute.chartdata import Floats
from northmoor.core.compute.groups import Ints
from northmoor.core.layout.chartaxes import stacked
from northmoor.core.layout.chartlabels import label_point
from northmoor.core.layout.chartplot import MarkDots, Plot, Sheet
from northmoor.core.layout.chartview import Stripe
from northmoor.core.layout.display import Origin, Path
from northmoor.core.layout.drawings import Area
from northmoor.core.layout.palette import mixed

_THICK = 1_400
STROKES: dict[str, tuple[int, tuple[int, ...]]] = {
    "lines": (_THICK, ()), "average": (900, ()), "trend": (900, (4_000, 2_000)),
}  # fmt: skip
"""How thick lines are, and their dashes."""
_DOT = 1_800
_LARGEST_BUBBLE = 14_000
CIRCLE = 0.5522847498307936
"""How far along its tangent the control points of a quarter circle lie: 4/3 (sqrt 2 - 1)."""
Steps = tuple[tuple[int, ...], ...]


def circle(x: int, y: int, radius: int) -> Steps:
    """A circle as four cubic curves."""
    k = round(radius * CIRCLE)
    return (
        (x + radius, y),
        (x + radius, y + k, x + k, y + radius, x, y + radius),
        (x - k, y + radius, x - radius, y + k, x - radius, y),
        (x - radius, y - k, x - k, y - radius, x, y - radius),
        (x + k, y - radius, x + radius, y - k, x + radius, y),
    )


def draw_lines(sheet: Sheet, plot: Plot) -> None:
    """Lines and areas, those before in the legend in front."""
    view, panel = sheet.view, plot.panel
    found = [each for axis in ("first", "second") for each in stacked(view, panel, axis)]
    for stripe, begin, end in reversed(found):
        if stripe.draw in ("lines", "areas") and plot.measures(stripe):
            _line(sheet, plot, stripe, begin, end)


def _line(sheet: Sheet, plot: Plot, stripe: Stripe, begin: Floats, end: Floats) -> None:
    view, panel, scale = sheet.view, plot.panel, plot.scale(stripe)
    along = plot.centers[panel.lane] if len(panel.lane) else np.zeros(0, np.int64)
    shown = np.isfinite(end) & ((end > 0) | np.full(len(end), not scale.is_log))
    x, y = plot.points(along, scale.place(end))
    texts = view.labels(panel, stripe) if view.chart.labels != "none" else []
    for run in _runs(shown, view.chart.gaps == "bridge"):
        origin = view.mark_origin(int(panel.rows[run[0]]), stripe)
        steps = line_steps(list(zip(x[run].tolist(), y[run].tolist(), strict=True)), view.chart.lines)
        if stripe.draw == "areas":
            feet_x, feet_y = (each[::-1].tolist() for each in plot.points(along[run], scale.place(begin[run])))
            back = line_steps(list(zip(feet_x, feet_y, strict=True)), view.chart.lines)
            fill = stripe.color if view.chart.stack != "none" else mixed(stripe.color, "#FFFFFF", 0.55)
            sheet.pen.path(Path((*steps, *back), fill=fill, hatch=stripe.hatch, closed=True), origin)
        if stripe.draw == "lines" or view.chart.stack == "none":
            dash = _DASHES[stripe.hatch % len(_DASHES)] if stripe.hatch else ()
            sheet.pen.path(Path(steps, stroke=stripe.color, thickness=_THICK, dash=dash), origin)
    for at in np.flatnonzero(shown if view.chart.markers else _alone(shown, view.chart.gaps == "bridge")).tolist():
        origin = view.mark_origin(int(panel.rows[at]), stripe)
        sheet.pen.path(Path(circle(int(x[at]), int(y[at]), _DOT), fill=stripe.color, closed=True), origin)
    sheet.mark_dots(MarkDots(x[shown], y[shown], 2 * _DOT, panel.rows[shown], stripe))
    for at in np.flatnonzero(shown).tolist() if texts else ():
        origin = view.mark_origin(int(panel.rows[at]), stripe)
        label_point(sheet, plot, int(x[at]), int(y[at]), 2 * _DOT, texts[at], origin)
    _more_lines(sheet, plot, stripe, along, np.where(shown, end, np.nan))


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


def line_steps(points: list[tuple[int, int]], how: str) -> Steps:
    """A line through points: straight, in steps half-way between them, or smooth."""
    if how == "steps":
        found = [points[0]]
        for (x0, y0), (x1, y1) in pairwise(points):
            found += [((x0 + x1) // 2, y0), ((x0 + x1) // 2, y1)]
        return (*found, points[-1])
    if how == "smooth" and len(points) > 2:
        return _smooth(points)
    return tuple(points)


def _smooth(points: list[tuple[int, int]]) -> Steps:
    """Cubic curves that are monotone wherever the points are, so that they never go beyond them (Fritsch and Carlson
    1980, with the harmonic mean of Fritsch and Butland 1984 as slopes)."""
    x, y = np.array(points, np.float64).T
    dx = np.where(np.diff(x) == 0, 1.0, np.diff(x))
    slope = np.diff(y) / dx
    inner = np.zeros(len(points))
    same = slope[:-1] * slope[1:] > 0
    with np.errstate(divide="ignore", invalid="ignore"):
        mean = 2 * slope[:-1] * slope[1:] / (slope[:-1] + slope[1:])
    inner[1:-1] = np.where(same, mean, 0.0)
    inner[0], inner[-1] = slope[0], slope[-1]
    found: list[tuple[int, ...]] = [points[0]]
    for at in range(len(points) - 1):
        third = dx[at] / 3
        controls = (x[at] + third, y[at] + inner[at] * third, x[at + 1] - third, y[at + 1] - inner[at + 1] * third)
        found.append((*(round(float(c)) for c in controls), *points[at + 1]))
    return tuple(found)


def _more_lines(sheet: Sheet, plot: Plot, stripe: Stripe, along: Ints, values: Floats) -> None:
    """A stripe's moving average and its trend."""
    measure, scale = stripe.measure, plot.scale(stripe)
    color = about_color(stripe)
    if measure.average is not None:
        means = moving_average(values, measure.average)
        for run in _runs(np.isfinite(means), True):
            x, y = plot.points(along[run], scale.place(means[run]))
            points = tuple(zip(x.tolist(), y.tolist(), strict=True))
            sheet.pen.path(Path(points, None, color, *STROKES["average"]), _of(sheet, stripe, "average"))
    if measure.trend:
        _trend(sheet, plot, stripe, along, values, color)


def about_color(stripe: Stripe) -> str:
    """The colour of a stripe's moving average and trend: its own, darker."""
    return mixed(stripe.color, "#1F1B16", 0.45)


def _of(sheet: Sheet, stripe: Stripe, row: str) -> Origin:
    origin = sheet.view.origin
    return Origin(
        origin.block, row, origin.level, origin.keys, None, stripe.measure.name, origin.number, (stripe.name,)
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


def _trend(sheet: Sheet, plot: Plot, stripe: Stripe, along: Ints, values: Floats, color: str) -> None:
    """The straight line with the least squares of distances, from the first mark to the last."""
    known, scale = np.isfinite(values), plot.scale(stripe)
    if known.sum() < 2 or len(np.unique(along[known])) < 2:
        return
    slope, foot = np.polyfit(along[known].astype(np.float64), values[known], 1)
    ends = (int(along[known].min()), int(along[known].max()))
    points = tuple(plot.point(end, scale.at(foot + slope * end)) for end in ends)
    sheet.pen.path(Path(points, None, color, *STROKES["trend"]), _of(sheet, stripe, "trend"))


def draw_points(sheet: Sheet, plot: Plot) -> None:
    """Points where their values are; bubbles have an area in proportion to one more value, the largest first."""
    view, panel, chart = sheet.view, plot.panel, sheet.view.chart
    if not any(stripe.draw == "points" for stripe in view.stripes):
        return
    greatest = _greatest_bubble(sheet)
    for stripe in view.stripes:
        if stripe.draw != "points" or not plot.measures(stripe):
            continue
        value = view.of_stripe(panel, stripe, mark_texts(chart, stripe.measure)[0])
        scale, across = plot.scale(stripe), plot.axes.across
        if chart.along is not None and across is not None:
            far = view.of_stripe(panel, stripe, chart.along)
            along, known = across.place(far), np.isfinite(far)
        else:
            along, known = plot.centers[panel.lane], np.full(len(value), True)
        known &= np.isfinite(value)
        sizes = view.of_stripe(panel, stripe, chart.bubble) if chart.bubble is not None else None
        if sizes is not None:
            known &= np.isfinite(sizes) & (sizes > 0)
        texts = view.labels(panel, stripe) if chart.labels != "none" else []
        places = np.flatnonzero(known)
        if sizes is not None:
            places = places[np.argsort(-sizes[places], kind="stable")]
        ups = scale.place(value)
        labelled = []
        for at in places.tolist():
            radius = _DOT if sizes is None else max(round(_LARGEST_BUBBLE * math.sqrt(sizes[at] / greatest)), 500)
            x, y = plot.point(int(along[at]), int(ups[at]))
            origin = view.mark_origin(int(panel.rows[at]), stripe)
            edge = "#FFFFFF" if sizes is not None else None
            sheet.pen.path(Path(circle(x, y, radius), stripe.color, edge, 500 if edge else 0, closed=True), origin)
            sheet.mark(Area(x - radius, y - radius, 2 * radius, 2 * radius), panel, at, stripe)
            labelled += [(x, y, radius + 500, texts[at], origin)] if texts else []
        for label in labelled:
            label_point(sheet, plot, *label)
        _more_lines(sheet, plot, stripe, along, np.where(known, value, np.nan))


def _greatest_bubble(sheet: Sheet) -> float:
    if sheet.view.chart.bubble is None:
        return 1.0
    found = np.concatenate([sheet.view.values(panel, sheet.view.chart.bubble).ravel() for panel in sheet.view.panels])
    found = found[np.isfinite(found)]
    return max(float(found.max(initial=0.0)), 1e-300)
