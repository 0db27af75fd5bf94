"""What colours stand for: a legend around the chart, or names at the marks themselves."""

import numpy as np

from northmoor.core.layout.chartaxes import FIRST_GAP, stacked, tick_texts
from northmoor.core.layout.chartbars import heat_range, key_origin
from northmoor.core.layout.chartlines import STROKES, about_color
from northmoor.core.layout.chartplot import Plot, Sheet
from northmoor.core.layout.chartview import Stripe, View
from northmoor.core.layout.display import Path
from northmoor.core.layout.drawings import Area
from northmoor.core.layout.hatching import HATCHINGS
from northmoor.core.layout.palette import mixed
from northmoor.core.layout.scales import Scale

_SWATCH, _NEAR, _BETWEEN = 7_000, 3_000, 10_000
Entry = tuple[str, str, int, str]
"""A name, its colour, its hatching, and how it is drawn."""


def entries(view: View) -> list[Entry]:
    """What the legend explains; nothing where there is only one thing."""
    if view.chart.draw == "heat":
        return []
    if view.chart.draw == "shares":
        found: dict[str, Entry] = {}
        for panel in view.panels:
            for at, text in enumerate(panel.texts):
                hatch = (at % HATCHINGS + 1) * view.chart.patterns
                found.setdefault(text, (text, view.category_color(panel, at), hatch, "shares"))
        return list(found.values())
    named = [entry for stripe in view.stripes for entry in _of_stripe(view, stripe)]
    return named if len(named) > 1 else []


def _of_stripe(view: View, stripe: Stripe) -> list[Entry]:
    """A stripe's entry, and those of the lines about it."""
    measure, found = stripe.measure, [(stripe.name, stripe.color, stripe.hatch, stripe.draw)]
    if stripe.draw in ("lines", "areas", "points"):
        lines = (("average", measure.average, measure.average_title), ("trend", measure.trend, measure.trend_title))
        titles = ((kind, view.said(title)) for kind, is_drawn, title in lines if is_drawn)
        found += [(f"{stripe.name}, {title}", about_color(stripe), 0, kind) for kind, title in titles if title]
    return found


def is_direct(view: View) -> bool:
    """Whether names stand at the marks."""
    return view.chart.legend == "direct" and any(s.draw in ("lines", "areas") for s in view.stripes)


def draw_legend(sheet: Sheet, area: Area) -> Area:
    """Draw the legend; the rectangle that it leaves."""
    view, where = sheet.view, sheet.view.chart.legend
    if view.chart.draw == "heat" and where != "none":
        return _heat_legend(sheet, area)
    found = entries(view)
    if not found or where == "none" or is_direct(view) or (where == "direct" and view.chart.draw == "shares"):
        return area
    if where == "right":
        return _column(sheet, area, found)
    return _rows(sheet, area, found, below=where == "below")


def _column(sheet: Sheet, area: Area, found: list[Entry]) -> Area:
    """One below the other at the right, in at most a third of the width; in rows below where there is no room."""
    how, leading = sheet.how, sheet.how.leading
    most = area.width // 3 - _SWATCH - _NEAR
    lines = [how.wrapped(name, most) for name, *_ in found]
    if sum(map(len, lines)) * leading > area.height:
        return _rows(sheet, area, found, below=True)
    width = max(how.width(line) for own in lines for line in own) + _SWATCH + _NEAR
    x, y = area.x + area.width - width, area.y + leading // 2
    for entry, own in zip(found, lines, strict=True):
        _swatch(sheet, x, y, entry)
        for line in own:
            sheet.write(x + _SWATCH + _NEAR, y, line, key_origin(sheet.view, "legend"))
            y += leading
    return Area(area.x, area.y, max(area.width - width - _BETWEEN, 1), area.height)


def _rows(sheet: Sheet, area: Area, found: list[Entry], below: bool) -> Area:
    """Side by side in as many rows as it takes."""
    how, used = sheet.how, 0
    rows: list[list[tuple[int, str, Entry]]] = [[]]
    for entry in found:
        name = how.cut(entry[0], area.width - _SWATCH - _NEAR)
        width = _SWATCH + _NEAR + how.width(name) + _BETWEEN
        if rows[-1] and used + width - _BETWEEN > area.width:
            rows.append([])
            used = 0
        rows[-1].append((used, name, entry))
        used += width
    height = len(rows) * how.leading + FIRST_GAP
    y = area.y + area.height - height + FIRST_GAP if below else area.y
    for row in rows:
        for x, name, entry in row:
            _swatch(sheet, area.x + x, y, entry)
            sheet.write(area.x + x + _SWATCH + _NEAR, y, name, key_origin(sheet.view, "legend"))
        y += how.leading
    return Area(area.x, area.y if below else area.y + height, area.width, max(area.height - height, 1))


def _swatch(sheet: Sheet, x: int, y: int, entry: Entry) -> None:
    """A small piece of what is explained: a line for lines, a square for the rest."""
    _, color, hatch, draw = entry
    origin, middle = key_origin(sheet.view, "legend"), y + sheet.how.leading // 2
    if draw in STROKES:
        thickness, dash = STROKES[draw]
        sheet.pen.path(Path(((x, middle), (x + _SWATCH, middle)), None, color, thickness, dash), origin)
    else:
        sheet.pen.box(Area(x, middle - _SWATCH // 2, _SWATCH, _SWATCH), color, origin, hatch=hatch)


def _heat_legend(sheet: Sheet, area: Area) -> Area:
    """A bar from the least to the greatest colour, with the values of its ends."""
    view, how = sheet.view, sheet.how
    low, high = heat_range(view)
    measure = view.chart.measures[0]
    texts = tick_texts(
        view, Scale(low, high, 1, ticks=(low, high)), measure.format or view.column_pattern(measure.value)
    )
    origin, y = key_origin(view, "legend"), area.y
    x = area.x + area.width - sum(map(how.width, texts)) - 60_000 - 2 * _NEAR
    sheet.write(x, y, texts[0], origin)
    x += how.width(texts[0]) + _NEAR
    steps = 24
    for step in range(steps):
        color = mixed(view.chart.heat_low, view.chart.heat_high, step / (steps - 1))
        left, right = (60_000 * each // steps for each in (step, step + 1))
        sheet.pen.box(Area(x + left, y + how.leading // 4, right - left, how.leading // 2), color, origin)
    sheet.write(x + 60_000 + _NEAR, y, texts[1], origin)
    used = how.leading + FIRST_GAP
    return Area(area.x, area.y + used, area.width, max(area.height - used, 1))


def direct_names(view: View, sheet: Sheet | None = None, plot: Plot | None = None) -> list[str]:
    """The names that stand at the ends of lines; with a sheet, they are written there, off one another."""
    if not is_direct(view) or len(view.stripes) < 2:
        return []
    names = [stripe.name for stripe in view.stripes]
    if sheet is None or plot is None:
        return names
    wanted = []
    for axis in ("first", "second"):
        for stripe, begin, end in stacked(view, plot.panel, axis):
            known = np.flatnonzero(np.isfinite(end))
            if len(known) and plot.measures(stripe):
                last = int(known[-1])
                value = (
                    (begin[last] + end[last]) / 2
                    if stripe.draw == "areas" and view.chart.stack != "none"
                    else end[last]
                )
                wanted.append((-plot.scale(stripe).at(value), stripe))
    leading, floor = sheet.how.leading, -(1 << 60)
    for up, stripe in sorted(wanted, key=lambda each: each[0]):
        y = max(plot.area.y + plot.area.height + up - leading // 2, floor)
        x, how = plot.area.x + plot.area.width + FIRST_GAP, sheet.how.in_color(stripe.color)
        sheet.write(x, y, stripe.name, key_origin(view, "legend"), how)
        floor = y + leading
    return names
