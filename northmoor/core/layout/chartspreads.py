"""Marks that go from one value to another: boxes of a distribution, and spans of time."""

import numpy as np

from northmoor.core.compute.chart import mark_texts
from northmoor.core.compute.chartdata import Floats
from northmoor.core.layout.chartlabels import label_at, label_in
from northmoor.core.layout.chartlines import circle
from northmoor.core.layout.chartplot import Plot, Sheet
from northmoor.core.layout.chartview import Stripe
from northmoor.core.layout.display import Path
from northmoor.core.layout.palette import mixed

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


def draw_boxes(sheet: Sheet, plot: Plot) -> None:
    """A box from the lower to the upper quartile with a line at the median, whiskers, and dots for what lies beyond."""
    view, panel = sheet.view, plot.panel
    wide = max(round(plot.band * (1 - view.chart.gap)), 1)
    centers = plot.centers
    for number, stripe in enumerate(view.stripes):
        if not plot.measures(stripe):
            continue
        median, low, high = (view.of_stripe(panel, stripe, t) for t in mark_texts(view.chart, stripe.measure)[:3])
        lists = view.lists(panel, stripe, mark_texts(view.chart, stripe.measure)[3])
        for at in np.flatnonzero(np.isfinite(median)).tolist():
            left = int(centers[panel.lane[at]]) - wide // 2 + wide * number // len(view.stripes)
            right = left + wide // len(view.stripes) - 1_000
            _box(sheet, plot, stripe, at, (left, right), (median[at], low[at], high[at], lists[at]))


def _box(
    sheet: Sheet, plot: Plot, stripe: Stripe, at: int, sides: tuple[int, int], of: tuple[float, float, float, Floats]
) -> None:
    view, panel, scale = sheet.view, plot.panel, plot.scale(stripe)
    median, low, high, values = of
    least, greatest, beyond = whiskers(values, low, high)
    left, right = sides
    middle, origin = (left + right) // 2, view.mark_origin(int(panel.rows[at]), stripe)
    box = plot.box(left, right, scale.at(low), scale.at(high))

    def stroke(one: tuple[int, float], other: tuple[int, float], thickness: int) -> None:
        ends = (plot.point(one[0], scale.at(one[1])), plot.point(other[0], scale.at(other[1])))
        sheet.pen.path(Path(ends, stroke=stripe.color, thickness=thickness), origin)

    stroke((middle, least), (middle, low), 700)
    stroke((middle, high), (middle, greatest), 700)
    for end in (least, greatest):
        stroke((middle - (right - left) // 4, end), (middle + (right - left) // 4, end), 700)
    sheet.pen.box(box, mixed(stripe.color, "#FFFFFF", 0.6), origin, hatch=stripe.hatch)
    stroke((left, median), (right, median), 1_600)
    for value in np.unique(beyond).tolist():
        x, y = plot.point(middle, scale.at(value))
        sheet.pen.path(Path(circle(x, y, _DOT), stroke=stripe.color, thickness=500, closed=True), origin)
    sheet.mark(box, panel, at, stripe)
    if view.chart.labels != "none":
        text = view.labels(panel, stripe)[at]
        x, y = plot.point(right, scale.at(median))
        label_at(sheet, ((x + 1_500, y - sheet.how.leading // 2),), plot.room, text, origin)


def draw_spans(sheet: Sheet, plot: Plot) -> None:
    """A bar for each mark in its category's lane, from its beginning to its end."""
    view, panel = sheet.view, plot.panel
    wide = max(round(plot.band * (1 - view.chart.gap)), 1)
    tops = plot.centers - wide // 2
    for stripe in filter(plot.measures, view.stripes):
        begin = view.of_stripe(panel, stripe, stripe.measure.value)
        end = view.of_stripe(panel, stripe, stripe.measure.until)
        scale = plot.scale(stripe)
        lows, highs = scale.place(begin), scale.place(end)
        texts = view.labels(panel, stripe) if view.chart.labels != "none" else []
        for at in np.flatnonzero(np.isfinite(begin) & np.isfinite(end)).tolist():
            top = int(tops[panel.lane[at]])
            box = plot.box(top, top + wide, int(lows[at]), max(int(highs[at]), int(lows[at]) + 300))
            origin = view.mark_origin(int(panel.rows[at]), stripe)
            sheet.pen.box(box, stripe.color, origin, hatch=stripe.hatch)
            sheet.mark(box, panel, at, stripe)
            if texts:
                label_in(sheet, box, texts[at], stripe.color, origin)
