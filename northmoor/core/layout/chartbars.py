"""Marks whose length is a value: columns, bars, histograms and waterfalls; heat grids, whose colour is one."""

from collections.abc import Iterator

import numpy as np

from northmoor.core.compute.chart import mark_texts
from northmoor.core.layout.chartaxes import stacked
from northmoor.core.layout.chartlabels import label_bar, label_in
from northmoor.core.layout.chartplot import Plot, Sheet
from northmoor.core.layout.chartview import Panel, Stripe, View
from northmoor.core.layout.display import Origin, Path
from northmoor.core.layout.drawings import Area
from northmoor.core.layout.palette import mixed
from northmoor.core.model.charts import ChartMeasure

_BAR_KINDS = ("columns", "bars", "histogram")
LINE_COLOR = "#8B8378"


def draw_bars(sheet: Sheet, plot: Plot) -> None:
    """Columns or bars, side by side or piled up, with error bars."""
    view, panel = sheet.view, plot.panel
    stripes = [stripe for stripe in view.stripes if stripe.draw in _BAR_KINDS]
    piled = view.chart.stack != "none"
    wide = plot.band if view.chart.draw == "histogram" else max(round(plot.band * (1 - view.chart.gap)), 1)
    centers = plot.centers
    for axis in ("first", "second"):
        for stripe, begin, end in stacked(view, panel, axis):
            if stripe not in stripes or not plot.measures(stripe):
                continue
            place, of = (0, 1) if piled else (stripes.index(stripe), len(stripes))
            lefts = centers - wide // 2 + wide * place // of
            rights = centers - wide // 2 + wide * (place + 1) // of
            _bars(sheet, plot, stripe, (lefts, rights, begin, end))


def _bars(sheet: Sheet, plot: Plot, stripe: Stripe, places: tuple[np.ndarray, ...]) -> None:
    lefts, rights, begin, end = places
    view, panel, scale = sheet.view, plot.panel, plot.scale(stripe)
    lows, highs = scale.place(begin if not scale.is_log else np.full(len(begin), scale.low)), scale.place(end)
    texts = view.labels(panel, stripe) if view.chart.labels != "none" else []
    is_histogram = view.chart.draw == "histogram"
    for at in np.flatnonzero(np.isfinite(end)).tolist():
        lane = int(panel.lane[at])
        left, right = int(lefts[lane]), int(rights[lane])
        gap = 300 if is_histogram and right - left > 1200 else 0
        box = plot.box(left, max(right - gap, left + 1), int(lows[at]), int(highs[at]))
        origin = view.mark_origin(int(panel.rows[at]), stripe)
        sheet.pen.box(box, stripe.color, origin, hatch=stripe.hatch)
        sheet.mark(box, panel, at, stripe)
        if texts:
            label_bar(sheet, plot, box, texts[at], stripe.color, end[at] < begin[at], origin)
    _error_bars(sheet, plot, stripe, (lefts + rights) // 2)


def _error_bars(sheet: Sheet, plot: Plot, stripe: Stripe, middles: np.ndarray) -> None:
    """Thin lines from the lower to the upper end, with a stroke across each end."""
    view, panel, measure = sheet.view, plot.panel, stripe.measure
    if measure.error_low is None or measure.error_high is None:
        return
    low, high = (view.of_stripe(panel, stripe, text) for text in (measure.error_low, measure.error_high))
    scale, half = plot.scale(stripe), 2_500
    for at in np.flatnonzero(np.isfinite(low) & np.isfinite(high)).tolist():
        origin = view.mark_origin(int(panel.rows[at]), stripe)
        middle, ends = int(middles[panel.lane[at]]), (scale.at(low[at]), scale.at(high[at]))
        strokes = [((middle, ends[0]), (middle, ends[1]))]
        strokes += [((middle - half, end), (middle + half, end)) for end in ends]
        for one, other in strokes:
            sheet.pen.path(
                Path((plot.point(*one), plot.point(*other)), stroke=view.setting.base.color, thickness=700), origin
            )


def draw_error_bars(sheet: Sheet, plot: Plot) -> None:
    """Error bars of lines and points at their categories."""
    for stripe in sheet.view.stripes:
        if stripe.draw in ("lines", "points", "areas") and plot.measures(stripe) and stripe.measure.error_low:
            _error_bars(sheet, plot, stripe, plot.centers)


def draw_waterfall(sheet: Sheet, plot: Plot) -> None:
    """Each value as a step from where the one before it ended; thin lines lead from one to the next."""
    view, panel = sheet.view, plot.panel
    stripe = view.stripes[0]
    if not plot.measures(stripe):
        return
    scale, centers = plot.scale(stripe), plot.centers
    values = view.of_stripe(panel, stripe, mark_texts(view.chart, stripe.measure)[0])
    ends = np.cumsum(np.nan_to_num(values))
    begins = np.concatenate([[0.0], ends[:-1]])
    half = max(round(plot.band * (1 - view.chart.gap)) // 2, 1)
    lows, highs = scale.place(begins), scale.place(ends)
    texts = view.labels(panel, stripe) if view.chart.labels != "none" else []
    for at in range(len(values)):
        origin = view.mark_origin(int(panel.rows[at]), stripe)
        middle = int(centers[at])
        box = plot.box(middle - half, middle + half, int(lows[at]), int(highs[at]))
        color = stripe.color if not values[at] < 0 else FALL_COLOR
        sheet.pen.box(box, color, origin, hatch=stripe.hatch)
        sheet.mark(box, panel, at, stripe)
        if at + 1 < len(values):
            line = (plot.point(middle + half, int(highs[at])), plot.point(int(centers[at + 1]) - half, int(highs[at])))
            sheet.pen.path(Path(line, stroke=LINE_COLOR, thickness=500), origin)
        if texts:
            label_bar(sheet, plot, box, texts[at], color, values[at] < 0, origin)


FALL_COLOR = "#B3402E"
"""Steps downward."""


def heat_values(view: View) -> Iterator[tuple[Panel, np.ndarray]]:
    """The values of a heat grid's panels: categories by series."""
    measure: ChartMeasure = view.chart.measures[0]
    for panel in view.panels:
        yield panel, view.values(panel, mark_texts(view.chart, measure)[0])


def draw_heat(sheet: Sheet, plot: Plot) -> None:
    """A grid of categories by series, each cell in the colour of its value; one without a value stays empty."""
    view, panel = sheet.view, plot.panel
    low, high = heat_range(view)
    values = next(found for own, found in heat_values(view) if own is panel)
    rows = len(view.series_texts)
    for series in range(rows):
        stripe = view.stripes[series]
        texts = view.labels(panel, stripe) if view.chart.labels != "none" else []
        for at in np.flatnonzero(np.isfinite(values[:, series])).tolist():
            share = (values[at, series] - low) / (high - low) if high > low else 1.0
            color = mixed(view.chart.heat_low, view.chart.heat_high, float(share))
            area = plot.area
            left, right = (area.width * step // len(values) for step in (at, at + 1))
            top, bottom = (area.height * step // rows for step in (series, series + 1))
            box = Area(area.x + left, area.y + top, right - left - 500, bottom - top - 500)
            origin = view.mark_origin(int(panel.rows[at]), stripe)
            sheet.pen.box(box, color, origin)
            sheet.mark(box, panel, at, stripe)
            if texts:
                label_in(sheet, box, texts[at], color, origin)


def heat_range(view: View) -> tuple[float, float]:
    """The least and the greatest value of a heat grid, in all its panels."""
    found = np.concatenate([values.ravel() for _, values in heat_values(view)])
    found = found[np.isfinite(found)]
    return (float(found.min()), float(found.max())) if len(found) else (0.0, 0.0)


def key_origin(view: View, row: str) -> Origin:
    """The origin of what explains a chart: a tick, a label, an entry of the legend."""
    origin = view.origin
    return Origin(origin.block, row, origin.level, origin.keys, None, None, origin.number)
