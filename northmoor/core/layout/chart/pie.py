"""Shares of a whole: a pie, or a ring."""

import math
from itertools import pairwise

import numpy as np

from northmoor.core.compute.chart.evaluation import mark_texts
from northmoor.core.layout.chart.data_labels import label_in
from northmoor.core.layout.chart.plot_area import ChartCanvas, PlotArea
from northmoor.core.layout.geometry import Rect, contains
from northmoor.core.layout.graphics.display_list import SourceRef, VectorPath
from northmoor.core.layout.graphics.hatching import HATCHINGS

_MOST_TURN = math.pi / 4
"""A curve goes at most so far around, so that it is as good as round."""


def draw_shares(canvas: ChartCanvas, plot: PlotArea) -> None:
    """Sectors clockwise from the top, each with an angle in proportion to its value; values below zero have none."""
    view, panel, chart = canvas.view, plot.panel, canvas.view.chart
    series_measure = view.series_measures[0]
    values = view.values_of(panel, series_measure, mark_texts(chart, series_measure.measure)[0])
    values = np.where(np.isfinite(values) & (values > 0), values, 0.0)
    total = float(values.sum())
    area = plot.area
    room = 2 * canvas.text_style.leading if chart.labels == "outside" or chart.legend == "direct" else 0
    radius = max(min(area.width, area.height) // 2 - room, 1_000)
    x, y = area.x + area.width // 2, area.y + area.height // 2
    ends = np.cumsum(values) / total * 2 * math.pi if total else values
    texts = view.labels(panel, series_measure) if chart.labels != "none" else [""] * len(values)
    edge = "#FFFFFF" if np.count_nonzero(values) > 1 else None
    for at in np.flatnonzero(values).tolist():
        begin = float(ends[at - 1]) if at else 0.0
        origin = view.mark_origin(int(panel.rows[at]), series_measure)
        color = view.category_color(panel, at)
        steps = sector((x, y), radius, round(radius * chart.hole), begin, float(ends[at]))
        hatch = (at % HATCHINGS + 1) * chart.patterns
        canvas.painter.path(VectorPath(steps, color, edge, 700 if edge else 0, (), hatch, closed=True), origin)
        canvas.mark(_middle_box((x, y), radius, chart.hole, begin, float(ends[at])), panel, at, series_measure)
        name = panel.texts[at] if chart.legend == "direct" else ""
        label = " ".join(filter(None, (name, texts[at])))
        _label(canvas, plot, (x, y, radius), (begin, float(ends[at])), label, color, origin)


def sector(center: tuple[int, int], radius: int, hole: int, begin: float, end: float) -> tuple[tuple[int, ...], ...]:
    """The outline of a sector between two angles, clockwise from the top in radians."""
    outer = _arc(center, radius, begin, end)
    if not hole:
        whole = end - begin >= 2 * math.pi - 1e-9
        return outer if whole else (center, *outer)
    return (*outer, *_arc(center, hole, end, begin))


def _arc(center: tuple[int, int], radius: int, begin: float, end: float) -> tuple[tuple[int, ...], ...]:
    """An arc as cubic curves, each at most an eighth of a turn."""

    def at(angle: float, along: float = 0.0) -> tuple[int, int]:
        x = center[0] + radius * (math.sin(angle) + along * math.cos(angle))
        return round(x), round(center[1] - radius * (math.cos(angle) - along * math.sin(angle)))

    count = max(math.ceil(abs(end - begin) / _MOST_TURN - 1e-9), 1)
    step = (end - begin) / count
    k = 4 / 3 * math.tan(step / 4)
    angles = [begin + step * number for number in range(count + 1)]
    curves = ((*at(a, k), *at(b, -k), *at(b)) for a, b in pairwise(angles))
    return (at(begin), *curves)


def _middle_box(center: tuple[int, int], radius: int, hole: float, begin: float, end: float) -> Rect:
    """A square in the middle of a sector, for pointing at."""
    middle, far = (begin + end) / 2, radius * (1 + max(hole, 0.3)) / 2
    side = max(round(min(radius * (1 - hole), far * (end - begin)) * 0.6), 2_000)
    x, y = center[0] + far * math.sin(middle), center[1] - far * math.cos(middle)
    return Rect(round(x) - side // 2, round(y) - side // 2, side, side)


def _label(
    canvas: ChartCanvas,
    plot: PlotArea,
    round_: tuple[int, int, int],
    turn: tuple[float, float],
    text: str,
    color: str,
    origin: SourceRef,
) -> None:
    """Write in a sector, or beside it off the circle and all other labels."""
    center, radius = round_[:2], round_[2]
    middle = (turn[0] + turn[1]) / 2
    if canvas.view.chart.labels == "inside":
        label_in(canvas, _middle_box(center, radius, canvas.view.chart.hole, *turn), text, color, origin)
        return
    width, height = canvas.text_style.width(text), canvas.text_style.leading
    far = radius + 4_000
    x, y = round(center[0] + far * math.sin(middle)), round(center[1] - far * math.cos(middle))
    left = x if math.sin(middle) >= 0 else x - width
    left = min(max(left, plot.area.x), max(plot.area.x + plot.area.width - width, plot.area.x))
    for step in (0, 1, -1, 2, -2):
        place = Rect(left, y - height // 2 + step * height, width, height)
        free = text and contains(place, plot.area) and _outside(place, center, radius)
        if free and canvas.write(place.x, place.y, text, origin):
            return
    canvas.left_out += bool(text)


def _outside(place: Rect, center: tuple[int, int], radius: int) -> bool:
    """Whether a rectangle lies off a circle."""
    x = min(max(center[0], place.x), place.x + place.width)
    y = min(max(center[1], place.y), place.y + place.height)
    return math.hypot(x - center[0], y - center[1]) >= radius
