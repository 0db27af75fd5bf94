"""A chart laid out in a rectangle: title and legend, panels with their axes, and the marks."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import chain

import numpy as np
from msgspec import Struct

from northmoor.core.base.lazy_exports import load_by_name
from northmoor.core.compute.chart.evaluation import mark_texts
from northmoor.core.errors import Place
from northmoor.core.layout.chart.axes import (
    FIRST_GAP,
    Axes,
    AxisLabels,
    axes_of,
    category_labels,
    has_places,
    horizontal_labels,
    tick_texts,
)
from northmoor.core.layout.chart.bars import (
    LINE_COLOR,
    draw_error_bars,
    key_origin,
)
from northmoor.core.layout.chart.data_labels import label_at
from northmoor.core.layout.chart.facets import ChartView, Facet, SeriesMeasure
from northmoor.core.layout.chart.legend import direct_names, draw_legend
from northmoor.core.layout.chart.palette import mixed
from northmoor.core.layout.chart.plot_area import ChartCanvas, MarkBox, PlotArea
from northmoor.core.layout.chart.scales import AxisScale
from northmoor.core.layout.geometry import Rect
from northmoor.core.layout.graphics.display_list import Layer, SourceRef, VectorPath
from northmoor.core.layout.graphics.painter import DisplayListBuilder, TextStyle, text_style
from northmoor.core.model.kinds.mark_types import MARK_TYPES
from northmoor.core.model.styles import ResolvedStyle

GRID_COLOR = "#E7E3DA"
_PANEL_GAP = 12_000


class ChartLayout(Struct, frozen=True, eq=False):
    """A chart in its place: what it draws, and where its marks are."""

    layers: tuple[Layer, ...]
    groups: tuple[Iterable[MarkBox], ...]

    @property
    def marks(self) -> Iterator[MarkBox]:
        """Where its marks are."""
        return chain.from_iterable(self.groups)


def look_of(view: ChartView) -> ResolvedStyle:
    """How a chart's texts look; a little smaller than the page's where nothing is given."""
    report, base = view.context.report, view.context.base
    look = report.look(base, view.chart.style, view.chart.look)
    own = view.chart.look is not None and view.chart.look.size is not None
    return look if own else ResolvedStyle(font=look.font, size=round(look.size * 8 / 9), color=look.color)


def lay_out_chart(view: ChartView, area: Rect) -> ChartLayout:
    """Draw a chart in a rectangle of a page."""
    style = text_style(look_of(view), view.context.shapers)
    canvas = ChartCanvas(view, DisplayListBuilder(), style)
    area = _title(canvas, area)
    for text, reason in view.faults:
        view.context.find("chart", Place(block=view.origin.block, column=text), reason)
    if not _has_values(view):
        _message(canvas, area, view.text_of(view.chart.empty_text))
    else:
        inner = draw_legend(canvas, area)
        _Frame(canvas, inner).draw()
        _link(canvas)
    if canvas.left_out:
        count = f"{canvas.left_out:,} label" + "s" * (canvas.left_out > 1)
        view.context.find("labels", Place(block=view.origin.block), f"{count} found no room and stay out.", False)
    return ChartLayout(canvas.painter.layers(), tuple(canvas.marks))


def _has_values(view: ChartView) -> bool:
    values = (
        view.values_of(panel, series_measure, text)
        for panel in view.facets
        for series_measure in view.series_measures
        for text in [_first_text(view, series_measure)]
    )
    return any(np.isfinite(each).any() for each in values)


def _first_text(view: ChartView, series_measure: SeriesMeasure) -> str:
    return mark_texts(view.chart, series_measure.measure)[0]


def _title(canvas: ChartCanvas, area: Rect) -> Rect:
    """Write the title; the rectangle below it."""
    view = canvas.view
    text = view.text_of(view.chart.title)
    if not text:
        return area
    look = view.context.report.look(view.context.base, view.chart.title_style)
    if view.chart.title_style is None:
        look = ResolvedStyle(font=look.font, size=look.size, color=look.color, bold=True)
    style, y = text_style(look, view.context.shapers), area.y
    for line in style.wrapped(text, area.width)[:3]:
        canvas.write(area.x, y, line, key_origin(view, "title"), style)
        y += style.leading
    used = y - area.y + FIRST_GAP
    return Rect(area.x, area.y + used, area.width, max(area.height - used, 1))


def _message(canvas: ChartCanvas, area: Rect, text: str) -> None:
    """Say in the middle why there are no marks."""
    lines = canvas.text_style.wrapped(text, area.width)
    y = area.y + (area.height - len(lines) * canvas.text_style.leading) // 2
    for line in lines:
        x = area.x + (area.width - canvas.text_style.width(line)) // 2
        canvas.write(x, y, line, key_origin(canvas.view, "empty"), canvas.text_style.in_color(LINE_COLOR))
        y += canvas.text_style.leading


def _link(canvas: ChartCanvas) -> None:
    """What marks open."""
    view = canvas.view
    if view.chart.link is None:
        return
    targets = view.link_targets()
    stripes = {
        (series_measure.series, series_measure.measure.name): series_measure for series_measure in view.series_measures
    }
    for mark in chain.from_iterable(canvas.marks):
        target = targets[view.cell(mark.row, mark.series)]
        if target:
            canvas.painter.link(mark.area, target, view.mark_origin(mark.row, stripes[mark.series, mark.measure]))


class _Frame:
    """The panels of a chart with their axes, in a rectangle."""

    def __init__(self, canvas: ChartCanvas, area: Rect) -> None:
        self.canvas, self.area, self.view = canvas, area, canvas.view
        self.style: TextStyle = canvas.text_style
        self.ticks: dict[AxisScale, list[str]] = {}
        self.is_horizontal = self.view.chart.mark.is_horizontal
        self.round = self.view.chart.mark.coordinates == "round"
        count = len(self.view.facets)
        self.columns = min(
            self.view.chart.columns or max(round((count * area.width / max(area.height, 1)) ** 0.5), 1), count
        )
        self.rows = -(-count // self.columns)
        self.titled = self.style.leading + 2_000 if self.view.chart.panels is not None else 0

    def draw(self) -> None:
        """Draw each panel: its grid, its marks, its axes."""
        if self.round:
            for number in range(len(self.view.facets)):
                self._panel(number, Axes(None, None, None), (0, 0, 0, 0))
            return
        insets, axes = self._insets()
        for number in range(len(self.view.facets)):
            self._panel(number, axes, insets)

    def _insets(self) -> tuple[tuple[int, int, int, int], Axes]:
        """What axes take at the left, above, at the right and below each panel, and the scales for what is left."""
        leading = self.style.leading
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
        if view.chart.mark.coordinates == "cells":
            level = view.chart.series
        elif self.is_horizontal:
            level = view.chart.category
        else:
            found = (self._axis_title("first"), self._axis_title("second"))
            return found if any(found) else None
        title = view.text_of(level.title) if level is not None else ""
        return (title, "") if title else None

    def _axis_title(self, name: str) -> str:
        """The title of an axis, or that of the one measure on it."""
        view = self.view
        axis = getattr(view.chart, name)
        if axis.title is not None:
            return view.text_of(axis.title)
        if name == "across":
            return view.text_of(view.chart.category.title) if view.chart.category is not None else ""
        titles = [m.title for m in view.chart.measures if m.axis == name]
        return view.text_of(titles[0]) if len(titles) == 1 else ""

    def _sides(self, axes: Axes, width: int, height: int) -> tuple[int, int, int]:
        """The room that labels need at the left, at the right and below."""
        half = self.style.leading // 2
        labels = self._category_labels(axes, width, height)
        right = max(half, self._names_width())
        second = axes.second
        if second is not None and self.view.chart.second.shown and not self.is_horizontal:
            right = max(map(self.style.width, self._texts(second, "second")), default=0) + FIRST_GAP
        title_below = self.style.leading if self._title_below() else 0
        if self.is_horizontal or self.view.chart.mark.coordinates == "cells":
            left = (labels.size if self.is_horizontal else self._heat_labels(height).size) + FIRST_GAP
            ticks = self._texts(axes.first, "first") if axes.first is not None else []
            lines = max((text.count("\n") + 1 for text in ticks), default=1)
            below = self.style.leading * lines + FIRST_GAP if self.is_horizontal else labels.size + FIRST_GAP
            return left, max(right, half), below + title_below
        shown = self.view.chart.first.shown and axes.first is not None
        texts = self._texts(axes.first, "first") if shown and axes.first is not None else []
        left = max(map(self.style.width, texts), default=0) + FIRST_GAP
        return left, right, labels.size + FIRST_GAP // 2 + self._drop(axes) + title_below

    def _drop(self, axes: Axes) -> int:
        """How far below the marks labels begin; on a scale, the first is below that of the lowest tick."""
        return FIRST_GAP // 2 if axes.across is None else self.style.leading // 2

    def _names_width(self) -> int:
        """The room at the right that names of lines need where they are at their ends."""
        return max((self.style.width(n) for n in direct_names(self.view)), default=0) + FIRST_GAP

    def _title_below(self) -> str:
        if self.view.chart.mark.coordinates == "cells":
            return self._axis_title("across")
        return self._axis_title("first" if self.is_horizontal else "across")

    def _texts(self, scale: AxisScale, name: str) -> list[str]:
        if scale not in self.ticks:
            self.ticks[scale] = self._written(scale, name)
        return self.ticks[scale]

    def _written(self, scale: AxisScale, name: str) -> list[str]:
        view = self.view
        axis = getattr(view.chart, name)
        pattern = axis.format
        if name != "across":
            measure = next(m for m in view.chart.measures if m.axis == name)
            pattern = pattern or (
                view.axis_pattern(measure) if not scale.unit and len(view.chart.mark.statistics) == 1 else None
            )
            return tick_texts(
                view, scale, pattern if view.chart.stack != "shares" else axis.format, view.chart.stack == "shares"
            )
        if pattern is None and view.chart.category is not None and view.chart.along is None:
            pattern = view.key_pattern(view.chart.category) if not scale.unit else view.chart.category.format
        return tick_texts(view, scale, pattern)

    def _category_labels(self, axes: Axes, width: int, height: int) -> AxisLabels:
        """The labels of the categories, or of the scale that they are on."""
        view = self.view
        if not view.chart.across.shown:
            return AxisLabels("level", (), 0)
        panel = max(view.facets, key=lambda each: len(each.categories))
        count = max(len(panel.categories), 1)
        if self.is_horizontal:
            return horizontal_labels(panel.texts, height // count, self.style, self.area.width * 2 // 5)
        if axes.across is not None:
            texts = self._texts(axes.across, "across")
            step = _least_step(axes.across)
            return category_labels(texts, step, self.style, height, True)
        texts = self._edges(panel.texts) if view.chart.mark.category_scale == "bin" else list(panel.texts)
        step = width // count
        return category_labels(texts, step, self.style, self.area.height // 3, _is_ordered(panel))

    def _edges(self, numbers: Sequence[str]) -> list[str]:
        """The lower ends of a histogram's ranges."""
        width = self.view.data.bin_width or 1.0
        edges = tuple(int(number) * width for number in numbers)
        return tick_texts(self.view, AxisScale(0, 1, 1, ticks=edges), self.view.chart.across.format)

    def _heat_labels(self, height: int) -> AxisLabels:
        texts = self.view.series_texts
        return horizontal_labels(texts, height // max(len(texts), 1), self.style, self.area.width * 2 // 5)

    def _panel(self, number: int, axes: Axes, insets: tuple[int, int, int, int]) -> None:
        view, panel = self.view, self.view.facets[number]
        left, above, right, below = insets
        width, height = self._room(*insets)
        row, column = divmod(number, self.columns)
        x = self.area.x + column * (width + left + right + _PANEL_GAP)
        y = self.area.y + row * (height + above + below + self.titled + _PANEL_GAP)
        if self.titled:
            text = self.style.cut(panel.title, width + left + right)
            self.canvas.write(x, y, text, key_origin(view, "panel"))
        area = Rect(x + left, y + self.titled + above, width, height)
        free = 0 if axes.second is not None or direct_names(view) else right
        room = Rect(area.x, area.y - above, area.width + free, area.height + above)
        plot = PlotArea(area, axes, panel, self.is_horizontal, room)
        if not self.round:
            self._titles(plot, insets, number == 0)  # labels of marks keep clear of what explains the axes
            self._axis_labels(plot)
            self._grid(plot)
        self._references(plot, behind=True)
        if not self.round:
            direct_names(view, self.canvas, plot)
        for draw in _drawers(view):
            draw(self.canvas, plot)
        if not self.round:
            self._references(plot, behind=False)
            self._base_line(plot)
            self._single(plot)

    def _single(self, plot: PlotArea) -> None:
        """Say that a line has one place only, beside its dot."""
        view, area = self.view, plot.area
        if len(plot.panel.categories) != 1 or not all(s.mark.is_connected for s in view.series_measures):
            return
        text = self.style.cut(view.text_of(view.chart.single_text), area.width)
        x = area.x + (area.width - self.style.width(text)) // 2
        candidates = [(x, area.y + area.height * share // 8) for share in (1, 6, 0)]
        label_at(self.canvas, candidates, area, text, key_origin(view, "single"))

    def _grid(self, plot: PlotArea) -> None:
        """Fine lines at the ticks, and the line at zero or at the foot."""
        painter, area = self.canvas.painter, plot.area
        for name in ("second", "across", "first"):
            scale, axis = plot.axes.of(name), getattr(self.view.chart, name)
            upright = (name == "across") != self.is_horizontal
            if scale is None or not axis.grid:
                continue
            for at in scale.tick_places.tolist():
                line = Rect(area.x + at, area.y, 400, area.height)
                if not upright:
                    line = Rect(area.x, area.y + area.height - at, area.width, 400)
                painter.box(line, GRID_COLOR, key_origin(self.view, "grid"), "rule")

    def _titles(self, plot: PlotArea, insets: tuple[int, int, int, int], is_first: bool) -> None:
        """What is measured upward is above the axis; what lies across, at the end below."""
        canvas, style, area = self.canvas, self.style.in_color(LINE_COLOR), plot.area
        origin = key_origin(self.view, "axis-title")
        titles = self._titles_above() if is_first else None
        if titles:
            y = area.y - insets[1]
            begin = area.x - insets[0]
            canvas.write(begin, y, style.cut(titles[0], area.width + insets[0]), origin, style)
            if titles[1]:
                canvas.write(area.x + area.width + insets[2] - style.width(titles[1]), y, titles[1], origin, style)
        below = self._title_below()
        if below:
            text = style.cut(below, area.width)
            x = area.x + area.width - style.width(text)
            canvas.write(x, area.y + area.height + insets[3] - style.leading, text, origin, style)

    def _axis_labels(self, plot: PlotArea) -> None:
        axes, area = plot.axes, plot.area
        view, style, canvas = self.view, self.style, self.canvas
        labels = self._category_labels(axes, area.width, area.height)
        places = axes.across.tick_places if axes.across is not None and not self.is_horizontal else plot.centers
        if view.chart.mark.category_scale == "bin":
            places = places - plot.band // 2
        if view.chart.mark.coordinates == "cells":
            rows = len(view.series_texts)
            middles = (2 * np.arange(rows) + 1) * area.height // (2 * rows)
            self._labels_beside(self._heat_labels(area.height), middles, area)
        if self.is_horizontal:
            self._labels_beside(labels, places, area)
        else:
            self._labels_below(labels, places, area, self._drop(axes))
        for name in ("first", "second"):
            scale = axes.of(name)
            if scale is None or not getattr(view.chart, name).shown:
                continue
            for tick, text in zip(scale.ticks, self._texts(scale, name), strict=True):
                at, origin = scale.at(tick), key_origin(view, "tick")
                if self.is_horizontal:
                    for line_number, line in enumerate(text.split("\n")):
                        y = area.y + area.height + FIRST_GAP // 2 + line_number * style.leading
                        self._level(line, area.x + at, y, origin)
                elif name == "first":
                    x, y = area.x - FIRST_GAP - style.width(text), area.y + area.height - at - style.leading // 2
                    canvas.write(x, y, text, origin)
                else:
                    x, y = area.x + area.width + FIRST_GAP, area.y + area.height - at - style.leading // 2
                    canvas.write(x, y, text, origin)

    def _level(self, text: str, middle: int, y: int, origin: SourceRef) -> None:
        """A line of text about a place, kept within the chart and off those before it."""
        width = self.style.width(text)
        left = min(max(middle - width // 2, self.area.x), max(self.area.x + self.area.width - width, self.area.x))
        self.canvas.write(left, y, text, origin)

    def _labels_below(self, labels: AxisLabels, places: np.ndarray, area: Rect, drop: int) -> None:
        top = area.y + area.height + drop
        origin = key_origin(self.view, "label")
        for at, lines in labels.lines:
            middle = area.x + int(places[at])
            if labels.kind == "turned":
                self.canvas.write(middle - self.style.leading // 2, top, lines[0], origin, turned=True)
                continue
            for number, line in enumerate(lines):
                self._level(line, middle, top + number * self.style.leading, origin)

    def _labels_beside(self, labels: AxisLabels, places: np.ndarray, area: Rect) -> None:
        origin = key_origin(self.view, "label")
        for at, lines in labels.lines:
            y = area.y + int(places[at]) - len(lines) * self.style.leading // 2
            for number, line in enumerate(lines):
                x = area.x - FIRST_GAP - self.style.width(line)
                self.canvas.write(x, y + number * self.style.leading, line, origin)

    def _base_line(self, plot: PlotArea) -> None:
        """The line that marks are on: at zero where that is on the axis, else at the foot, and then a note says so."""
        area, scale, view = plot.area, plot.axes.first, self.view
        if view.chart.mark.coordinates == "cells":
            return
        at = scale.at(0.0) if scale is not None and not scale.is_log and not scale.unit and scale.holds(0.0) else 0
        line = (
            Rect(area.x + at, area.y, 700, area.height)
            if self.is_horizontal
            else Rect(area.x, area.y + area.height - at, area.width, 700)
        )
        self.canvas.painter.box(line, LINE_COLOR, key_origin(view, "axis"), "rule")
        cut = scale is not None and not scale.holds(0.0) and not scale.unit
        if cut and any(
            s.mark.from_zero and s.mark.category_scale != "bin" and s.measure.axis == "first"
            for s in view.series_measures
        ):
            x, y = plot.point(0, 0)
            zigzag = tuple((x - 3_000 + 2_000 * step, y - 3_000 + 2_000 * (step % 2)) for step in range(4))
            self.canvas.painter.path(VectorPath(zigzag, stroke=LINE_COLOR, thickness=700), key_origin(view, "broken"))
            view.context.find(
                "broken axis", Place(block=view.origin.block),
                "Its bars do not begin at zero, so their lengths are not in proportion; see where the axis begins.",
                is_error=False,
            )  # fmt: skip

    def _references(self, plot: PlotArea, behind: bool) -> None:
        """Ranges lie behind the marks, lines before them."""
        view, area = self.view, plot.area
        for line in view.chart.references:
            scale = plot.axes.of(line.axis)
            if scale is None or (line.until is not None) != behind:
                continue
            upright = (line.axis == "across") != self.is_horizontal
            text, origin = view.text_of(line.text), key_origin(view, "reference")
            for low, high in view.reference_ends(line):
                if high < scale.low or low > scale.high:
                    continue
                begin, length = scale.at(low), max(scale.at(high) - scale.at(low), 900)
                box = Rect(area.x + begin, area.y, length, area.height)
                if not upright:
                    box = Rect(area.x, area.y + area.height - scale.at(high), area.width, length)
                self.canvas.painter.box(box, mixed(line.color, "#FFFFFF", 0.85) if behind else line.color, origin)
                self._reference_label(plot, box, text, upright, origin)
                text = ""  # written once, at the first of several

    def _reference_label(self, plot: PlotArea, box: Rect, text: str, upright: bool, origin: SourceRef) -> None:
        area, style = plot.area, self.style
        if upright:
            candidates = [(box.x + (box.width - style.width(text)) // 2, area.y - style.leading)]
        else:
            right = area.x + area.width - style.width(text)
            above = box.y - style.leading
            candidates = [(right, above), (right, box.y + box.height), (area.x, above)]
        label_at(self.canvas, candidates, plot.room, text, origin)


def _drawers(view: ChartView) -> list[Callable[[ChartCanvas, PlotArea], None]]:
    """What draws the marks: the functions of their kinds in the order of these, and error bars over all."""
    used = {view.chart.mark.name, *(each.mark.name for each in view.series_measures)}
    wanted = dict.fromkeys(mark.drawer for mark in MARK_TYPES if mark.name in used)
    found = [load_by_name(drawer) for drawer in wanted]
    return [*found, draw_error_bars] if view.chart.mark.hosts_others else found


def _least_step(scale: AxisScale) -> int:
    """The least distance between two ticks."""
    places = scale.tick_places
    return int(np.diff(places).min()) if len(places) > 1 else scale.length


def _is_ordered(panel: Facet) -> bool:
    """Whether what is left out between two keys can be guessed: they are dates or numbers."""
    return len(panel.keys) > 0 and not np.isnan(panel.numbers).all()
