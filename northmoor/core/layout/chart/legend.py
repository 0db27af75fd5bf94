"""What colours represent: a legend around the chart, or names at the marks themselves."""

import numpy as np

from northmoor.core.layout.chart.axes import FIRST_GAP, stacked, tick_texts
from northmoor.core.layout.chart.bars import heat_range, key_origin
from northmoor.core.layout.chart.facets import ChartView, SeriesMeasure
from northmoor.core.layout.chart.lines import STROKES, about_color
from northmoor.core.layout.chart.palette import mixed
from northmoor.core.layout.chart.plot_area import ChartCanvas, PlotArea
from northmoor.core.layout.chart.scales import AxisScale
from northmoor.core.layout.geometry import Rect
from northmoor.core.layout.graphics.display_list import VectorPath
from northmoor.core.layout.graphics.hatching import HATCHINGS

_SWATCH, _NEAR, _BETWEEN = 7_000, 3_000, 10_000
Entry = tuple[str, str, int, str]
"""A name, its colour, its hatching, and how it is drawn."""


def entries(view: ChartView) -> list[Entry]:
    """What the legend explains; nothing where there is only one thing."""
    if view.chart.mark.legend == "gradient":
        return []
    if view.chart.mark.legend == "categories":
        found: dict[str, Entry] = {}
        for panel in view.facets:
            for at, text in enumerate(panel.texts):
                hatch = (at % HATCHINGS + 1) * view.chart.patterns
                found.setdefault(text, (text, view.category_color(panel, at), hatch, view.chart.draw))
        return list(found.values())
    named = [entry for series_measure in view.series_measures for entry in _of_stripe(view, series_measure)]
    return named if len(named) > 1 else []


def _of_stripe(view: ChartView, series_measure: SeriesMeasure) -> list[Entry]:
    """A stripe's entry, and those of the lines about it."""
    measure, mark = series_measure.measure, series_measure.mark
    found = [(series_measure.name, series_measure.color, series_measure.hatch, mark.name)]
    if mark.category_scale == "point":
        lines = (("average", measure.average, measure.average_title), ("trend", measure.trend, measure.trend_title))
        titles = ((kind, view.text_of(title)) for kind, is_drawn, title in lines if is_drawn)
        found += [
            (f"{series_measure.name}, {title}", about_color(series_measure), 0, kind) for kind, title in titles if title
        ]
    return found


def is_direct(view: ChartView) -> bool:
    """Whether names are at the marks."""
    return view.chart.legend == "direct" and any(s.mark.is_connected for s in view.series_measures)


def draw_legend(canvas: ChartCanvas, area: Rect) -> Rect:
    """Draw the legend; the rectangle that it leaves."""
    view, where = canvas.view, canvas.view.chart.legend
    if view.chart.mark.legend == "gradient" and where != "none":
        return _heat_legend(canvas, area)
    found = entries(view)
    if (
        not found
        or where == "none"
        or is_direct(view)
        or (where == "direct" and view.chart.mark.legend == "categories")
    ):
        return area
    if where == "right":
        return _column(canvas, area, found)
    return _rows(canvas, area, found, below=where == "below")


def _column(canvas: ChartCanvas, area: Rect, found: list[Entry]) -> Rect:
    """One below the other at the right, in at most a third of the width; in rows below where there is no room."""
    style, leading = canvas.text_style, canvas.text_style.leading
    most = area.width // 3 - _SWATCH - _NEAR
    lines = [style.wrapped(name, most) for name, *_ in found]
    if sum(map(len, lines)) * leading > area.height:
        return _rows(canvas, area, found, below=True)
    width = max(style.width(line) for own in lines for line in own) + _SWATCH + _NEAR
    x, y = area.x + area.width - width, area.y + leading // 2
    for entry, own in zip(found, lines, strict=True):
        _swatch(canvas, x, y, entry)
        for line in own:
            canvas.write(x + _SWATCH + _NEAR, y, line, key_origin(canvas.view, "legend"))
            y += leading
    return Rect(area.x, area.y, max(area.width - width - _BETWEEN, 1), area.height)


def _rows(canvas: ChartCanvas, area: Rect, found: list[Entry], below: bool) -> Rect:
    """Side by side in as many rows as it takes."""
    style, used = canvas.text_style, 0
    rows: list[list[tuple[int, str, Entry]]] = [[]]
    for entry in found:
        name = style.cut(entry[0], area.width - _SWATCH - _NEAR)
        width = _SWATCH + _NEAR + style.width(name) + _BETWEEN
        if rows[-1] and used + width - _BETWEEN > area.width:
            rows.append([])
            used = 0
        rows[-1].append((used, name, entry))
        used += width
    height = len(rows) * style.leading + FIRST_GAP
    y = area.y + area.height - height + FIRST_GAP if below else area.y
    for row in rows:
        for x, name, entry in row:
            _swatch(canvas, area.x + x, y, entry)
            canvas.write(area.x + x + _SWATCH + _NEAR, y, name, key_origin(canvas.view, "legend"))
        y += style.leading
    return Rect(area.x, area.y if below else area.y + height, area.width, max(area.height - height, 1))


def _swatch(canvas: ChartCanvas, x: int, y: int, entry: Entry) -> None:
    """A small piece of what is explained: a line for lines, a square for the rest."""
    _, color, hatch, draw = entry
    origin, middle = key_origin(canvas.view, "legend"), y + canvas.text_style.leading // 2
    if draw in STROKES:
        thickness, dash = STROKES[draw]
        canvas.painter.path(VectorPath(((x, middle), (x + _SWATCH, middle)), None, color, thickness, dash), origin)
    else:
        canvas.painter.box(Rect(x, middle - _SWATCH // 2, _SWATCH, _SWATCH), color, origin, hatch=hatch)


def _heat_legend(canvas: ChartCanvas, area: Rect) -> Rect:
    """A bar from the least to the greatest colour, with the values of its ends."""
    view, style = canvas.view, canvas.text_style
    low, high = heat_range(view)
    measure = view.chart.measures[0]
    texts = tick_texts(
        view, AxisScale(low, high, 1, ticks=(low, high)), measure.format or view.column_pattern(measure.value)
    )
    origin, y = key_origin(view, "legend"), area.y
    x = area.x + area.width - sum(map(style.width, texts)) - 60_000 - 2 * _NEAR
    canvas.write(x, y, texts[0], origin)
    x += style.width(texts[0]) + _NEAR
    steps = 24
    for step in range(steps):
        color = mixed(view.chart.heat_low, view.chart.heat_high, step / (steps - 1))
        left, right = (60_000 * each // steps for each in (step, step + 1))
        canvas.painter.box(Rect(x + left, y + style.leading // 4, right - left, style.leading // 2), color, origin)
    canvas.write(x + 60_000 + _NEAR, y, texts[1], origin)
    used = style.leading + FIRST_GAP
    return Rect(area.x, area.y + used, area.width, max(area.height - used, 1))


def direct_names(view: ChartView, canvas: ChartCanvas | None = None, plot: PlotArea | None = None) -> list[str]:
    """The names that are at the ends of lines; with a sheet, they are written there, off one another."""
    if not is_direct(view) or len(view.series_measures) < 2:
        return []
    names = [series_measure.name for series_measure in view.series_measures]
    if canvas is None or plot is None:
        return names
    wanted = []
    for axis in ("first", "second"):
        for series_measure, begin, end in stacked(view, plot.panel, axis):
            known = np.flatnonzero(np.isfinite(end))
            if len(known) and plot.measures(series_measure):
                last = int(known[-1])
                value = (
                    (begin[last] + end[last]) / 2
                    if series_measure.mark.stacks and view.chart.stack != "none"
                    else end[last]
                )
                wanted.append((-plot.scale(series_measure).at(value), series_measure))
    leading, floor = canvas.text_style.leading, -(1 << 60)
    for up, series_measure in sorted(wanted, key=lambda each: each[0]):
        y = max(plot.area.y + plot.area.height + up - leading // 2, floor)
        x, style = plot.area.x + plot.area.width + FIRST_GAP, canvas.text_style.in_color(series_measure.color)
        canvas.write(x, y, series_measure.name, key_origin(view, "legend"), style)
        floor = y + leading
    return names
