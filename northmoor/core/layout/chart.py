"""A chart laid out in a rectangle: title and legend, panels with their axes, and the marks."""

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from itertools import chain

import numpy as np

from northmoor.core.compute.chart import mark_texts
from northmoor.core.errors import Place
from northmoor.core.layout.chartaxes import (
    FIRST_GAP,
    LYING,
    Axes,
    Labels,
    axes_of,
    has_places,
    labels_below,
    labels_beside,
    tick_texts,
)
from northmoor.core.layout.chartbars import (
    LINE_COLOR,
    draw_bars,
    draw_error_bars,
    draw_heat,
    draw_waterfall,
    key_origin,
)
from northmoor.core.layout.chartlabels import label_at
from northmoor.core.layout.chartlegend import direct_names, draw_legend
from northmoor.core.layout.chartlines import draw_lines, draw_points
from northmoor.core.layout.chartplot import MarkPlace, Plot, Sheet
from northmoor.core.layout.chartshares import draw_shares
from northmoor.core.layout.chartspreads import draw_boxes, draw_spans
from northmoor.core.layout.chartview import Panel, Stripe, View
from northmoor.core.layout.display import Layer, Origin, Path
from northmoor.core.layout.drawings import Area
from northmoor.core.layout.palette import mixed
from northmoor.core.layout.pen import Lettering, Pen, lettering
from northmoor.core.layout.scales import Scale
from northmoor.core.model.looks import FullLook

GRID_COLOR = "#E7E3DA"
_PANEL_GAP = 12_000
_DRAWERS: dict[str, tuple[Callable[[Sheet, Plot], None], ...]] = {
    "shares": (draw_shares,), "heat": (draw_heat,), "spans": (draw_spans,), "boxes": (draw_boxes,),
    "waterfall": (draw_waterfall,),
}  # fmt: skip
_ON_AXES = (draw_bars, draw_lines, draw_points, draw_error_bars)


@dataclass(frozen=True, eq=False)
class LaidChart:
    """A chart in its place: what it draws, and where its marks are."""

    layers: tuple[Layer, ...]
    groups: tuple[Iterable[MarkPlace], ...]

    @property
    def marks(self) -> Iterator[MarkPlace]:
        """Where its marks stand."""
        return chain.from_iterable(self.groups)


def look_of(view: View) -> FullLook:
    """How a chart's texts look; a little smaller than the page's where nothing is said."""
    report, base = view.setting.report, view.setting.base
    look = report.look(base, view.chart.style, view.chart.look)
    own = view.chart.look is not None and view.chart.look.size is not None
    return look if own else FullLook(font=look.font, size=round(look.size * 8 / 9), color=look.color)


def lay_out_chart(view: View, area: Area) -> LaidChart:
    """Draw a chart in a rectangle of a page."""
    how = lettering(look_of(view), view.setting.shapers)
    sheet = Sheet(view, Pen(), how)
    area = _title(sheet, area)
    for text, reason in view.faults:
        view.setting.find("chart", Place(block=view.origin.block, column=text), reason)
    if not _has_values(view):
        _message(sheet, area, view.said(view.chart.empty_text))
    else:
        inner = draw_legend(sheet, area)
        _Frame(sheet, inner).draw()
        _link(sheet)
    if sheet.left_out:
        count = f"{sheet.left_out:,} label" + "s" * (sheet.left_out > 1)
        view.setting.find("labels", Place(block=view.origin.block), f"{count} found no room and stay out.", False)
    return LaidChart(sheet.pen.layers(), tuple(sheet.marks))


def _has_values(view: View) -> bool:
    values = (view.of_stripe(panel, stripe, text) for panel in view.panels for stripe in view.stripes
              for text in [_first_text(view, stripe)])  # fmt: skip
    return any(np.isfinite(each).any() for each in values)


def _first_text(view: View, stripe: Stripe) -> str:
    return mark_texts(view.chart, stripe.measure)[0]


def _title(sheet: Sheet, area: Area) -> Area:
    """Write the title; the rectangle below it."""
    view = sheet.view
    text = view.said(view.chart.title)
    if not text:
        return area
    look = view.setting.report.look(view.setting.base, view.chart.title_style)
    if view.chart.title_style is None:
        look = FullLook(font=look.font, size=look.size, color=look.color, bold=True)
    how, y = lettering(look, view.setting.shapers), area.y
    for line in how.wrapped(text, area.width)[:3]:
        sheet.write(area.x, y, line, key_origin(view, "title"), how)
        y += how.leading
    used = y - area.y + FIRST_GAP
    return Area(area.x, area.y + used, area.width, max(area.height - used, 1))


def _message(sheet: Sheet, area: Area, text: str) -> None:
    """Say in the middle why there are no marks."""
    lines = sheet.how.wrapped(text, area.width)
    y = area.y + (area.height - len(lines) * sheet.how.leading) // 2
    for line in lines:
        x = area.x + (area.width - sheet.how.width(line)) // 2
        sheet.write(x, y, line, key_origin(sheet.view, "empty"), sheet.how.in_color(LINE_COLOR))
        y += sheet.how.leading


def _link(sheet: Sheet) -> None:
    """What marks open."""
    view = sheet.view
    if view.chart.link is None:
        return
    targets = view.link_targets()
    stripes = {(stripe.series, stripe.measure.name): stripe for stripe in view.stripes}
    for mark in chain.from_iterable(sheet.marks):
        target = targets[view.cell(mark.row, mark.series)]
        if target:
            sheet.pen.link(mark.area, target, view.mark_origin(mark.row, stripes[mark.series, mark.measure]))


class _Frame:
    """The panels of a chart with their axes, in a rectangle."""

    def __init__(self, sheet: Sheet, area: Area) -> None:
        self.sheet, self.area, self.view = sheet, area, sheet.view
        self.how: Lettering = sheet.how
        self.ticks: dict[Scale, list[str]] = {}
        self.lying = self.view.chart.draw in LYING
        self.round = self.view.chart.draw == "shares"
        count = len(self.view.panels)
        self.columns = min(
            self.view.chart.columns or max(round((count * area.width / max(area.height, 1)) ** 0.5), 1), count
        )
        self.rows = -(-count // self.columns)
        self.titled = self.how.leading + 2_000 if self.view.chart.panels is not None else 0

    def draw(self) -> None:
        """Draw each panel: its grid, its marks, its axes."""
        if self.round:
            for number in range(len(self.view.panels)):
                self._panel(number, Axes(None, None, None), (0, 0, 0, 0))
            return
        insets, axes = self._insets()
        for number in range(len(self.view.panels)):
            self._panel(number, axes, insets)

    def _insets(self) -> tuple[tuple[int, int, int, int], Axes]:
        """What axes take at the left, above, at the right and below each panel, and the scales for what is left."""
        leading = self.how.leading
        above = leading + leading // 2 + FIRST_GAP if self._titles_above() else leading // 2
        if any(line.text for line in self.view.chart.references) or self.view.chart.labels == "outside":
            above = max(above, leading + FIRST_GAP)
        below = leading + FIRST_GAP // 2 + (leading // 2 if has_places(self.view) else FIRST_GAP // 2)
        insets = (leading // 2, above, leading // 2, below)
        axes = axes_of(self.view, *self._room(*insets))
        for _ in range(2):  # the ticks that fit follow from the room, and the room from the ticks
            left, right, below = self._sides(axes, *self._room(*insets))
            if (left, above, right, below) == insets:
                break
            insets = (left, above, right, below)
            axes = axes_of(self.view, *self._room(*insets))
        return insets, axes

    def _room(self, left: int, above: int, right: int, below: int) -> tuple[int, int]:
        """The size of each panel's marks."""
        width = (self.area.width - (self.columns - 1) * _PANEL_GAP) // self.columns - left - right
        height = (self.area.height - (self.rows - 1) * _PANEL_GAP) // self.rows - above - below - self.titled
        return max(width, 5_000), max(height, 5_000)

    def _titles_above(self) -> tuple[str, str] | None:
        """The titles of what goes upward, at the left and at the right."""
        view = self.view
        if view.chart.draw == "heat":
            level = view.chart.series
        elif self.lying:
            level = view.chart.category
        else:
            found = (self._axis_title("first"), self._axis_title("second"))
            return found if any(found) else None
        title = view.said(level.title) if level is not None else ""
        return (title, "") if title else None

    def _axis_title(self, name: str) -> str:
        """The title of an axis, or that of the one measure on it."""
        view = self.view
        axis = getattr(view.chart, name)
        if axis.title is not None:
            return view.said(axis.title)
        if name == "across":
            return view.said(view.chart.category.title) if view.chart.category is not None else ""
        titles = [m.title for m in view.chart.measures if m.axis == name]
        return view.said(titles[0]) if len(titles) == 1 else ""

    def _sides(self, axes: Axes, width: int, height: int) -> tuple[int, int, int]:
        """The room that labels need at the left, at the right and below."""
        half = self.how.leading // 2
        labels = self._category_labels(axes, width, height)
        right = max(half, self._names_width())
        second = axes.second
        if second is not None and self.view.chart.second.shown and not self.lying:
            right = max(map(self.how.width, self._texts(second, "second")), default=0) + FIRST_GAP
        title_below = self.how.leading if self._title_below() else 0
        if self.lying or self.view.chart.draw == "heat":
            left = (labels.size if self.lying else self._heat_labels(height).size) + FIRST_GAP
            ticks = self._texts(axes.first, "first") if axes.first is not None else []
            lines = max((text.count("\n") + 1 for text in ticks), default=1)
            below = self.how.leading * lines + FIRST_GAP if self.lying else labels.size + FIRST_GAP
            return left, max(right, half), below + title_below
        shown = self.view.chart.first.shown and axes.first is not None
        texts = self._texts(axes.first, "first") if shown and axes.first is not None else []
        left = max(map(self.how.width, texts), default=0) + FIRST_GAP
        return left, right, labels.size + FIRST_GAP // 2 + self._drop(axes) + title_below

    def _drop(self, axes: Axes) -> int:
        """How far below the marks labels begin; on a scale, the first stands below that of the lowest tick."""
        return FIRST_GAP // 2 if axes.across is None else self.how.leading // 2

    def _names_width(self) -> int:
        """The room at the right that names of lines need where they stand at their ends."""
        return max((self.how.width(n) for n in direct_names(self.view)), default=0) + FIRST_GAP

    def _title_below(self) -> str:
        if self.view.chart.draw == "heat":
            return self._axis_title("across")
        return self._axis_title("first" if self.lying else "across")

    def _texts(self, scale: Scale, name: str) -> list[str]:
        if scale not in self.ticks:
            self.ticks[scale] = self._written(scale, name)
        return self.ticks[scale]

    def _written(self, scale: Scale, name: str) -> list[str]:
        view = self.view
        axis = getattr(view.chart, name)
        pattern = axis.format
        if name != "across":
            measure = next(m for m in view.chart.measures if m.axis == name)
            pattern = pattern or (view.axis_pattern(measure) if not scale.unit and view.chart.draw != "boxes" else None)
            return tick_texts(
                view, scale, pattern if view.chart.stack != "shares" else axis.format, view.chart.stack == "shares"
            )
        if pattern is None and view.chart.category is not None and view.chart.along is None:
            pattern = view.key_pattern(view.chart.category) if not scale.unit else view.chart.category.format
        return tick_texts(view, scale, pattern)

    def _category_labels(self, axes: Axes, width: int, height: int) -> Labels:
        """The labels of the categories, or of the scale that they are on."""
        view = self.view
        if not view.chart.across.shown:
            return Labels("level", (), 0)
        panel = max(view.panels, key=lambda each: len(each.texts))
        count = max(len(panel.texts), 1)
        if self.lying:
            return labels_beside(panel.texts, height // count, self.how, self.area.width * 2 // 5)
        if axes.across is not None:
            texts = self._texts(axes.across, "across")
            step = _least_step(axes.across)
            return labels_below(texts, step, self.how, height, True)
        texts = self._edges(panel.texts) if view.chart.draw == "histogram" else list(panel.texts)
        step = width // count
        return labels_below(texts, step, self.how, self.area.height // 3, _is_ordered(panel))

    def _edges(self, numbers: tuple[str, ...]) -> list[str]:
        """The lower ends of a histogram's ranges."""
        width = self.view.arranged.bin_width or 1.0
        edges = tuple(int(number) * width for number in numbers)
        return tick_texts(self.view, Scale(0, 1, 1, ticks=edges), self.view.chart.across.format)

    def _heat_labels(self, height: int) -> Labels:
        texts = self.view.series_texts
        return labels_beside(texts, height // max(len(texts), 1), self.how, self.area.width * 2 // 5)

    def _panel(self, number: int, axes: Axes, insets: tuple[int, int, int, int]) -> None:
        view, panel = self.view, self.view.panels[number]
        left, above, right, below = insets
        width, height = self._room(*insets)
        row, column = divmod(number, self.columns)
        x = self.area.x + column * (width + left + right + _PANEL_GAP)
        y = self.area.y + row * (height + above + below + self.titled + _PANEL_GAP)
        if self.titled:
            text = self.how.cut(panel.title, width + left + right)
            self.sheet.write(x, y, text, key_origin(view, "panel"))
        area = Area(x + left, y + self.titled + above, width, height)
        free = 0 if axes.second is not None or direct_names(view) else right
        room = Area(area.x, area.y - above, area.width + free, area.height + above)
        plot = Plot(area, axes, panel, self.lying, room)
        if not self.round:
            self._titles(plot, insets, number == 0)  # labels of marks keep clear of what explains the axes
            self._axis_labels(plot)
            self._grid(plot)
        self._references(plot, behind=True)
        if not self.round:
            direct_names(view, self.sheet, plot)
        for draw in _DRAWERS.get(view.chart.draw, _ON_AXES):
            draw(self.sheet, plot)
        if not self.round:
            self._references(plot, behind=False)
            self._base_line(plot)
            self._single(plot)

    def _single(self, plot: Plot) -> None:
        """Say that a line has one place only, beside its dot."""
        view, area = self.view, plot.area
        if len(plot.panel.categories) != 1 or any(s.draw not in ("lines", "areas") for s in view.stripes):
            return
        text = self.how.cut(view.said(view.chart.single_text), area.width)
        x = area.x + (area.width - self.how.width(text)) // 2
        candidates = [(x, area.y + area.height * share // 8) for share in (1, 6, 0)]
        label_at(self.sheet, candidates, area, text, key_origin(view, "single"))

    def _grid(self, plot: Plot) -> None:
        """Fine lines at the ticks, and the line at zero or at the foot."""
        pen, area = self.sheet.pen, plot.area
        for name in ("second", "across", "first"):
            scale, axis = plot.axes.of(name), getattr(self.view.chart, name)
            upright = (name == "across") != self.lying
            if scale is None or not axis.grid:
                continue
            for at in scale.tick_places.tolist():
                line = Area(area.x + at, area.y, 400, area.height)
                if not upright:
                    line = Area(area.x, area.y + area.height - at, area.width, 400)
                pen.box(line, GRID_COLOR, key_origin(self.view, "grid"), "rule")

    def _titles(self, plot: Plot, insets: tuple[int, int, int, int], is_first: bool) -> None:
        """What is measured upward stands above the axis; what lies across, at the end below."""
        sheet, how, area = self.sheet, self.how.in_color(LINE_COLOR), plot.area
        origin = key_origin(self.view, "axis-title")
        titles = self._titles_above() if is_first else None
        if titles:
            y = area.y - insets[1]
            begin = area.x - insets[0]
            sheet.write(begin, y, how.cut(titles[0], area.width + insets[0]), origin, how)
            if titles[1]:
                sheet.write(area.x + area.width + insets[2] - how.width(titles[1]), y, titles[1], origin, how)
        below = self._title_below()
        if below:
            text = how.cut(below, area.width)
            x = area.x + area.width - how.width(text)
            sheet.write(x, area.y + area.height + insets[3] - how.leading, text, origin, how)

    def _axis_labels(self, plot: Plot) -> None:
        axes, area = plot.axes, plot.area
        view, how, sheet = self.view, self.how, self.sheet
        labels = self._category_labels(axes, area.width, area.height)
        places = axes.across.tick_places if axes.across is not None and not self.lying else plot.centers
        if view.chart.draw == "histogram":
            places = places - plot.band // 2
        if view.chart.draw == "heat":
            rows = len(view.series_texts)
            middles = (2 * np.arange(rows) + 1) * area.height // (2 * rows)
            self._beside(self._heat_labels(area.height), middles, area)
        if self.lying:
            self._beside(labels, places, area)
        else:
            self._below(labels, places, area, self._drop(axes))
        for name in ("first", "second"):
            scale = axes.of(name)
            if scale is None or not getattr(view.chart, name).shown:
                continue
            for tick, text in zip(scale.ticks, self._texts(scale, name), strict=True):
                at, origin = scale.at(tick), key_origin(view, "tick")
                if self.lying:
                    for line_number, line in enumerate(text.split("\n")):
                        y = area.y + area.height + FIRST_GAP // 2 + line_number * how.leading
                        self._level(line, area.x + at, y, origin)
                elif name == "first":
                    x, y = area.x - FIRST_GAP - how.width(text), area.y + area.height - at - how.leading // 2
                    sheet.write(x, y, text, origin)
                else:
                    x, y = area.x + area.width + FIRST_GAP, area.y + area.height - at - how.leading // 2
                    sheet.write(x, y, text, origin)

    def _level(self, text: str, middle: int, y: int, origin: Origin) -> None:
        """A line of text about a place, kept within the chart and off those before it."""
        width = self.how.width(text)
        left = min(max(middle - width // 2, self.area.x), max(self.area.x + self.area.width - width, self.area.x))
        self.sheet.write(left, y, text, origin)

    def _below(self, labels: Labels, places: np.ndarray, area: Area, drop: int) -> None:
        top = area.y + area.height + drop
        origin = key_origin(self.view, "label")
        for at, lines in labels.lines:
            middle = area.x + int(places[at])
            if labels.kind == "turned":
                self.sheet.write(middle - self.how.leading // 2, top, lines[0], origin, turned=True)
                continue
            for number, line in enumerate(lines):
                self._level(line, middle, top + number * self.how.leading, origin)

    def _beside(self, labels: Labels, places: np.ndarray, area: Area) -> None:
        origin = key_origin(self.view, "label")
        for at, lines in labels.lines:
            y = area.y + int(places[at]) - len(lines) * self.how.leading // 2
            for number, line in enumerate(lines):
                x = area.x - FIRST_GAP - self.how.width(line)
                self.sheet.write(x, y + number * self.how.leading, line, origin)

    def _base_line(self, plot: Plot) -> None:
        """The line that marks stand on: at zero where that is on the axis, else at the foot, and then it is said."""
        area, scale, view = plot.area, plot.axes.first, self.view
        if view.chart.draw == "heat":
            return
        at = scale.at(0.0) if scale is not None and not scale.is_log and not scale.unit and scale.holds(0.0) else 0
        line = (
            Area(area.x + at, area.y, 700, area.height)
            if self.lying
            else Area(area.x, area.y + area.height - at, area.width, 700)
        )
        self.sheet.pen.box(line, LINE_COLOR, key_origin(view, "axis"), "rule")
        cut = scale is not None and not scale.holds(0.0) and not scale.unit
        if cut and any(
            s.draw in ("columns", "bars", "areas", "waterfall") and s.measure.axis == "first" for s in view.stripes
        ):
            x, y = plot.point(0, 0)
            zigzag = tuple((x - 3_000 + 2_000 * step, y - 3_000 + 2_000 * (step % 2)) for step in range(4))
            self.sheet.pen.path(Path(zigzag, stroke=LINE_COLOR, thickness=700), key_origin(view, "broken"))
            view.setting.find(
                "broken axis", Place(block=view.origin.block),
                "Its bars do not begin at zero, so their lengths are not in proportion; see where the axis begins.",
                is_error=False,
            )  # fmt: skip

    def _references(self, plot: Plot, behind: bool) -> None:
        """Ranges lie behind the marks, lines before them."""
        view, area = self.view, plot.area
        for line in view.chart.references:
            scale = plot.axes.of(line.axis)
            begin, end = view.number(line.at), view.number(line.until)
            if scale is None or begin is None or (line.until is not None) != behind:
                continue
            ends = sorted((begin, begin if end is None else end))
            if not (scale.holds(ends[0]) or scale.holds(ends[1])):
                continue
            low, high = scale.at(ends[0]), scale.at(ends[1])
            upright = (line.axis == "across") != self.lying
            box = Area(area.x + low, area.y, max(high - low, 900), area.height)
            if not upright:
                box = Area(area.x, area.y + area.height - high, area.width, max(high - low, 900))
            color = mixed(line.color, "#FFFFFF", 0.85) if behind else line.color
            origin = key_origin(view, "reference")
            self.sheet.pen.box(box, color, origin)
            text = view.said(line.text)
            how = self.how
            if upright:
                candidates = [(box.x + (box.width - how.width(text)) // 2, area.y - how.leading)]
            else:
                right = area.x + area.width - how.width(text)
                above = box.y - how.leading
                candidates = [(right, above), (right, box.y + box.height), (area.x, above)]
            label_at(self.sheet, candidates, plot.room, text, origin)


def _least_step(scale: Scale) -> int:
    """The least distance between two ticks."""
    places = scale.tick_places
    return int(np.diff(places).min()) if len(places) > 1 else scale.length


def _is_ordered(panel: Panel) -> bool:
    """Whether what is left out between two keys can be guessed: they are dates or numbers."""
    return len(panel.keys) > 0 and not np.isnan(panel.numbers).all()
