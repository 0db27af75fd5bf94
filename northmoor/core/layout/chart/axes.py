"""A chart's axes: the scale of each, the texts of its ticks, and labels that never overlap."""

from collections.abc import Iterator, Sequence
from typing import Literal

import numpy as np
import pyarrow as pa
from msgspec import Struct

from northmoor.core.base.arrays import Floats
from northmoor.core.compute.chart.evaluation import mark_texts
from northmoor.core.errors import ExpressionError, Place
from northmoor.core.expr.formats import format_values
from northmoor.core.layout.chart.facets import ChartView, Facet, SeriesMeasure
from northmoor.core.layout.chart.scales import AxisScale, decimals_of, log_scale, number_scale, time_scale
from northmoor.core.layout.graphics.painter import TextStyle
from northmoor.core.model.blocks.chart import ChartAxis

FIRST_GAP, LABEL_GAP = 4_000, 6_000
_TICKS_APART = 26_000
_MOMENTS_APART = 42_000
_MOST_LINES = 4
_TIME_PATTERNS = {
    "year": "y", "month": "MMM", "day": "d MMM", "hour": "HH:mm", "minute": "HH:mm", "second": "HH:mm:ss",
}  # fmt: skip


class Axes(Struct, frozen=True, eq=False):
    """The scales of a chart; those that it does not have are None. Without `across`, categories are evenly spread."""

    first: AxisScale | None
    second: AxisScale | None
    across: AxisScale | None

    def of(self, axis: str) -> AxisScale | None:
        """The scale of an axis by its name."""
        return {"first": self.first, "second": self.second, "across": self.across}[axis]


def stacked(view: ChartView, panel: Facet, axis: str) -> list[tuple[SeriesMeasure, Floats, Floats]]:
    """The stripes of an axis with where each begins and ends in every mark: from zero, or on those before it; what is
    above zero is piled up and what is below it is piled down."""
    key = (view.facets.index(panel), axis)
    if key not in view.stacks:
        view.stacks[key] = list(_stacked(view, panel, axis))
    return view.stacks[key]


def _stacked(view: ChartView, panel: Facet, axis: str) -> Iterator[tuple[SeriesMeasure, Floats, Floats]]:
    stripes = [s for s in view.series_measures if s.measure.axis == axis]
    values = [view.values_of(panel, s, mark_texts(view.chart, s.measure)[0]) for s in stripes]
    piled = [s.mark.stacks and view.chart.stack != "none" for s in stripes]
    whole = sum((np.abs(np.nan_to_num(v)) for v, p in zip(values, piled, strict=True) if p), np.zeros(len(panel.rows)))
    up, down = np.zeros(len(panel.rows)), np.zeros(len(panel.rows))
    for series_measure, value, is_piled in zip(stripes, values, piled, strict=True):
        if not is_piled:
            yield series_measure, np.zeros(len(value)), value
            continue
        if view.chart.stack == "shares":
            with np.errstate(divide="ignore", invalid="ignore"):
                value = np.where(whole > 0, value / whole, np.nan)
        known = np.nan_to_num(value)
        begin = np.where(known >= 0, up, down)
        yield series_measure, begin, np.where(np.isnan(value), np.nan, begin + known)
        up, down = up + np.maximum(known, 0), down + np.minimum(known, 0)


def axes_of(view: ChartView, width: int, height: int) -> Axes:
    """The scales of a chart whose marks have a width and a height."""
    chart = view.chart
    is_horizontal = chart.mark.is_horizontal
    along, up = (height, width) if is_horizontal else (width, height)
    if chart.mark.coordinates == "cells":
        return Axes(None, None, None)
    first, second = (_cached_scale(view, name, up, is_horizontal) for name in ("first", "second"))
    return Axes(first, second, _across(view, along))


def _extent(view: ChartView, axis: str) -> Floats:
    """The values that an axis has to hold, without those that are missing."""
    if axis not in view.extents:
        values = np.concatenate([np.zeros(0), *_measured(view, axis)])
        view.extents[axis] = values[np.isfinite(values)]
    return view.extents[axis]


def _measured(view: ChartView, axis: str) -> list[Floats]:
    chart, found = view.chart, []
    if axis == "across":
        along = _along(view)
        return [panel.numbers if along is None else view.values(panel, along).ravel() for panel in view.facets]
    for panel in view.facets:
        for series_measure, begin, end in stacked(view, panel, axis):
            measure = series_measure.measure
            if chart.mark.extent == "cumulative":
                found.append(np.concatenate([[0.0], np.cumsum(np.nan_to_num(end))]))
            elif chart.mark.extent == "values":
                found += view.lists(panel, series_measure, mark_texts(chart, measure)[-1])
            else:
                found.append(end)
                if series_measure.mark.from_zero:
                    found.append(begin)
            more = (measure.error_low, measure.error_high, measure.until)
            found += [view.values_of(panel, series_measure, text) for text in more if text is not None]
    for line in view.chart.references:
        if line.axis == axis and found:
            found.append(np.array(view.reference_ends(line), np.float64).ravel())
    return found


def _cached_scale(view: ChartView, name: str, up: int, is_horizontal: bool) -> AxisScale | None:
    """The scale of an axis of values, made once for a length."""
    key = (name, up)
    if key not in view.scales:
        view.scales[key] = _scale(view, name, getattr(view.chart, name), up, is_horizontal)
    return view.scales[key]


def _scale(view: ChartView, name: str, axis: ChartAxis, length: int, is_horizontal: bool) -> AxisScale | None:
    values = _extent(view, name)
    if not len(values):
        return None
    apart = 4 * _TICKS_APART if is_horizontal else _TICKS_APART
    minimum, maximum = view.number(axis.minimum), view.number(axis.maximum)
    if axis.scale == "log":
        values = values[values > 0]
    if not len(values):
        return None
    low = minimum if minimum is not None else float(values.min())
    high = maximum if maximum is not None else float(values.max())
    if is_time(view, name):
        return time_scale(low, high, length, _MOMENTS_APART)
    fixed = (minimum is not None, maximum is not None)
    if axis.scale == "log":
        return log_scale(max(low, 1e-300), max(high, low), length, apart, fixed)
    if minimum is None and any(s.mark.from_zero for s in view.series_measures if s.measure.axis == name):
        low, high = min(low, 0.0), max(high, 0.0)
    return number_scale(low, high, length, apart, fixed, is_whole=bool((values == np.rint(values)).all()))


def is_time(view: ChartView, name: str) -> bool:
    """Whether what is measured on an axis of values are moments."""
    for series_measure in view.series_measures:
        if series_measure.measure.axis == name:
            text = mark_texts(view.chart, series_measure.measure)[0]
            kind = view.data.computed(view.data.depths.marks, text).values.type
            return bool(pa.types.is_date(kind) or pa.types.is_timestamp(kind))
    return False


def _across(view: ChartView, length: int) -> AxisScale | None:
    """The scale that marks lie along; None where categories are at even distances."""
    chart, apart = view.chart, _MOMENTS_APART
    axis = chart.across
    along = _along(view)
    if along is not None:
        kind = view.data.computed(view.data.depths.marks, along).values.type
    elif has_places(view):
        kind = view.facets[0].keys.type
    else:
        return None
    values = _extent(view, "across")
    if axis.scale == "log":
        values = values[values > 0]
    if not len(values):
        return None
    minimum, maximum = view.number(axis.minimum), view.number(axis.maximum)
    low = minimum if minimum is not None else float(values.min())
    high = maximum if maximum is not None else float(values.max())
    if pa.types.is_date(kind) or pa.types.is_timestamp(kind):
        return time_scale(low, high, length, apart)
    fixed = (minimum is not None, maximum is not None)
    if axis.scale == "log":
        return log_scale(low, high, length, apart, fixed)
    return number_scale(low, high, length, apart, fixed)


def _along(view: ChartView) -> str | None:
    """The expression that says where each mark lies along, rather than its category."""
    return view.chart.along if any("along" in s.mark.options for s in view.series_measures) else None


def has_places(view: ChartView) -> bool:
    """Whether categories are where their date or number is."""
    chart = view.chart
    if (
        chart.category is None
        or chart.places == "even"
        or any(s.mark.category_scale != "point" for s in view.series_measures)
    ):
        return False
    kind = view.facets[0].keys.type if view.facets else pa.null()
    is_number = pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind)
    return bool(is_number or pa.types.is_date(kind) or pa.types.is_timestamp(kind))


def tick_texts(view: ChartView, scale: AxisScale, pattern: str | None, shares: bool = False) -> list[str]:
    """The texts of a scale's ticks."""
    key = ("ticks", scale.ticks, scale.unit, pattern, shares, view.context.locale)
    return view.context.cache.get(key, lambda: _tick_texts(view, scale, pattern, shares))


def _tick_texts(view: ChartView, scale: AxisScale, pattern: str | None, shares: bool) -> list[str]:
    format_locale = view.context.locale
    if scale.unit:
        micros = pa.array([round(day * 86_400e6) for day in scale.ticks], pa.int64())
        moments = micros.cast(pa.timestamp("us"))
        texts = _written(view, moments, pattern or _TIME_PATTERNS[scale.unit])
        if pattern is not None or scale.unit == "year":
            return texts
        outer = "y" if scale.unit in ("month", "day") else "d MMM"
        around = format_values(moments, outer, format_locale).to_pylist()
        return [
            f"{text}\n{outer_text}" if at == 0 or outer_text != around[at - 1] else text
            for at, (text, outer_text) in enumerate(zip(texts, around, strict=True))
        ]
    places = decimals_of(scale.ticks)
    if shares:
        pattern = pattern or "0 %"
    return _written(view, pa.array(scale.ticks, pa.float64()), pattern or f"#,##0{'.' * bool(places)}{'0' * places}")


def _written(view: ChartView, values: pa.Array, pattern: str) -> list[str]:
    try:
        return [text or "" for text in format_values(values, pattern, view.context.locale).to_pylist()]
    except ExpressionError as error:
        view.context.find("format", Place(block=view.origin.block), error.message)
        return ["⚠"] * len(values)


class AxisLabels(Struct, frozen=True):
    """Labels along an axis, as far as there is room: of which place each is, and its lines; turned ones read upward.
    `size` is how much room they take across the axis."""

    kind: Literal["level", "turned", "beside"]
    lines: tuple[tuple[int, tuple[str, ...]], ...]
    size: int


def category_labels(texts: Sequence[str], step: int, style: TextStyle, most: int, ordered: bool) -> AxisLabels:
    """Labels below places that are `step` apart: in one line, wrapped, turned, or only every so many of them. Those in
    an order that can be guessed (dates, numbers) are thinned rather than turned. `most` is the room for turned ones."""
    if not any(texts):
        return AxisLabels("level", (), 0)
    lines = [tuple(text.split("\n")) for text in texts]
    widths = [max(map(style.width, own)) for own in lines]
    leading = style.leading
    tall = max(map(len, lines)) * leading
    if max(widths) + LABEL_GAP <= step:
        return AxisLabels("level", tuple(enumerate(lines)), tall)
    if ordered:
        every = -(-(max(widths) + LABEL_GAP) // max(step, 1))
        return AxisLabels("level", tuple((at, lines[at]) for at in range(0, len(lines), every)), tall)
    longest_word = max(style.width(word) for text in texts for word in text.split() or [""])
    if longest_word + LABEL_GAP <= step:
        wrapped = [style.wrapped(text, step - LABEL_GAP) for text in texts]
        if max(map(len, wrapped)) <= _MOST_LINES:
            return AxisLabels("level", tuple(enumerate(wrapped)), max(map(len, wrapped)) * leading)
    cut = [style.cut(text, most) for text in texts]
    every = max(-(-leading // max(step, 1)), 1)
    chosen = tuple((at, (cut[at],)) for at in range(0, len(cut), every))
    return AxisLabels("turned", chosen, max(style.width(text) for _, (text,) in chosen))


def horizontal_labels(texts: Sequence[str], step: int, style: TextStyle, most: int) -> AxisLabels:
    """Labels beside places that are `step` apart, one below the other: wrapped where there is room for more lines, else
    cut; only every so many of them where there is not room for all."""
    leading = style.leading
    every = max(-(-leading // max(step, 1)), 1)
    found = []
    for at in range(0, len(texts), every):
        lines = style.wrapped(texts[at], most)
        room = max(step // leading, 1)
        found.append(
            (at, lines if len(lines) <= room else (*lines[: room - 1], style.cut(" ".join(lines[room - 1 :]), most)))
        )
    return AxisLabels("beside", tuple(found), max((style.width(line) for _, own in found for line in own), default=0))
