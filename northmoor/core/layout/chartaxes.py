"""A chart's axes: the scale of each, the texts of its ticks, and labels that never overlap."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import pyarrow as pa

from northmoor.core.compute.chart import mark_texts
from northmoor.core.compute.chartdata import Floats
from northmoor.core.errors import ExpressionError, Place
from northmoor.core.expr.formats import format_values
from northmoor.core.layout.chartview import Panel, Stripe, View
from northmoor.core.layout.pen import Lettering
from northmoor.core.layout.scales import Scale, decimals_of, log_scale, number_scale, time_scale
from northmoor.core.model.charts import ChartAxis

FIRST_GAP, LABEL_GAP = 4_000, 6_000
_TICKS_APART = 26_000
_MOMENTS_APART = 42_000
_MOST_LINES = 4
_TIME_PATTERNS = {
    "year": "y", "month": "MMM", "day": "d MMM", "hour": "HH:mm", "minute": "HH:mm", "second": "HH:mm:ss",
}  # fmt: skip
FROM_ZERO = ("columns", "bars", "areas", "histogram", "waterfall")
"""What is drawn from zero, since its length is what is compared."""
LYING = ("bars", "spans")
"""What has its categories one below the other."""


@dataclass(frozen=True, eq=False)
class Axes:
    """The scales of a chart; those that it does not have are None. Without `across`, categories stand evenly."""

    first: Scale | None
    second: Scale | None
    across: Scale | None

    def of(self, axis: str) -> Scale | None:
        """The scale of an axis by its name."""
        return {"first": self.first, "second": self.second, "across": self.across}[axis]


def stacked(view: View, panel: Panel, axis: str) -> list[tuple[Stripe, Floats, Floats]]:
    """The stripes of an axis with where each begins and ends in every mark: from zero, or on those before it; what is
    above zero is piled up and what is below it is piled down."""
    key = (view.panels.index(panel), axis)
    if key not in view.piles:
        view.piles[key] = list(_stacked(view, panel, axis))
    return view.piles[key]


def _stacked(view: View, panel: Panel, axis: str) -> Iterator[tuple[Stripe, Floats, Floats]]:
    stripes = [s for s in view.stripes if s.measure.axis == axis]
    values = [view.of_stripe(panel, s, mark_texts(view.chart, s.measure)[0]) for s in stripes]
    piled = [s.draw in ("columns", "bars", "areas") and view.chart.stack != "none" for s in stripes]
    whole = sum((np.abs(np.nan_to_num(v)) for v, p in zip(values, piled, strict=True) if p), np.zeros(len(panel.rows)))
    up, down = np.zeros(len(panel.rows)), np.zeros(len(panel.rows))
    for stripe, value, is_piled in zip(stripes, values, piled, strict=True):
        if not is_piled:
            yield stripe, np.zeros(len(value)), value
            continue
        if view.chart.stack == "shares":
            with np.errstate(divide="ignore", invalid="ignore"):
                value = np.where(whole > 0, value / whole, np.nan)
        known = np.nan_to_num(value)
        begin = np.where(known >= 0, up, down)
        yield stripe, begin, np.where(np.isnan(value), np.nan, begin + known)
        up, down = up + np.maximum(known, 0), down + np.minimum(known, 0)


def axes_of(view: View, width: int, height: int) -> Axes:
    """The scales of a chart whose marks have a width and a height."""
    chart = view.chart
    lying = chart.draw in LYING
    along, up = (height, width) if lying else (width, height)
    if chart.draw == "heat":
        return Axes(None, None, None)
    first, second = (_kept_scale(view, name, up, lying) for name in ("first", "second"))
    return Axes(first, second, _across(view, along))


def _extent(view: View, axis: str) -> Floats:
    """The values that an axis has to hold, without those that are missing."""
    if axis not in view.extents:
        values = np.concatenate([np.zeros(0), *_measured(view, axis)])
        view.extents[axis] = values[np.isfinite(values)]
    return view.extents[axis]


def _measured(view: View, axis: str) -> list[Floats]:
    chart, found = view.chart, []
    if axis == "across":
        along = _along(view)
        return [panel.numbers if along is None else view.values(panel, along).ravel() for panel in view.panels]
    for panel in view.panels:
        for stripe, begin, end in stacked(view, panel, axis):
            measure = stripe.measure
            if chart.draw == "waterfall":
                found.append(np.concatenate([[0.0], np.cumsum(np.nan_to_num(end))]))
            elif chart.draw == "boxes":
                found += view.lists(panel, stripe, mark_texts(chart, measure)[3])
            else:
                found.append(end)
                if stripe.draw in FROM_ZERO:
                    found.append(begin)
            more = (measure.error_low, measure.error_high, measure.until)
            found += [view.of_stripe(panel, stripe, text) for text in more if text is not None]
    for line in view.chart.references:
        if line.axis == axis and found:
            ends = (view.number(line.at), view.number(line.until))
            found.append(np.array([end for end in ends if end is not None], np.float64))
    return found


def _kept_scale(view: View, name: str, up: int, lying: bool) -> Scale | None:
    """The scale of an axis of values, made once for a length."""
    key = (name, up)
    if key not in view.scales:
        view.scales[key] = _scale(view, name, getattr(view.chart, name), up, lying)
    return view.scales[key]


def _scale(view: View, name: str, axis: ChartAxis, length: int, lying: bool) -> Scale | None:
    values = _extent(view, name)
    if not len(values):
        return None
    apart = 4 * _TICKS_APART if lying else _TICKS_APART
    least, greatest = view.number(axis.least), view.number(axis.greatest)
    if axis.scale == "log":
        values = values[values > 0]
    if not len(values):
        return None
    low = least if least is not None else float(values.min())
    high = greatest if greatest is not None else float(values.max())
    if is_time(view, name):
        return time_scale(low, high, length, _MOMENTS_APART)
    fixed = (least is not None, greatest is not None)
    if axis.scale == "log":
        return log_scale(max(low, 1e-300), max(high, low), length, apart, fixed)
    if least is None and any(s.draw in FROM_ZERO for s in view.stripes if s.measure.axis == name):
        low, high = min(low, 0.0), max(high, 0.0)
    return number_scale(low, high, length, apart, fixed)


def is_time(view: View, name: str) -> bool:
    """Whether what is measured on an axis of values are moments."""
    for stripe in view.stripes:
        if stripe.measure.axis == name:
            text = mark_texts(view.chart, stripe.measure)[0]
            kind = view.arranged.computed(view.arranged.depths.marks, text).values.type
            return bool(pa.types.is_date(kind) or pa.types.is_timestamp(kind))
    return False


def _across(view: View, length: int) -> Scale | None:
    """The scale of what marks lie along; None where categories stand evenly."""
    chart, apart = view.chart, _MOMENTS_APART
    axis = chart.across
    along = _along(view)
    if along is not None:
        kind = view.arranged.computed(view.arranged.depths.marks, along).values.type
    elif has_places(view):
        kind = view.panels[0].keys.type
    else:
        return None
    values = _extent(view, "across")
    if axis.scale == "log":
        values = values[values > 0]
    if not len(values):
        return None
    least, greatest = view.number(axis.least), view.number(axis.greatest)
    low = least if least is not None else float(values.min())
    high = greatest if greatest is not None else float(values.max())
    if pa.types.is_date(kind) or pa.types.is_timestamp(kind):
        return time_scale(low, high, length, apart)
    fixed = (least is not None, greatest is not None)
    if axis.scale == "log":
        return log_scale(low, high, length, apart, fixed)
    return number_scale(low, high, length, apart, fixed)


def _along(view: View) -> str | None:
    """The expression that says where each mark lies along, rather than its category."""
    return view.chart.along if any(s.draw == "points" for s in view.stripes) else None


def has_places(view: View) -> bool:
    """Whether categories stand where their date or number is."""
    chart = view.chart
    if (
        chart.category is None
        or chart.places == "even"
        or any(s.draw not in ("lines", "areas", "points") for s in view.stripes)
    ):
        return False
    kind = view.panels[0].keys.type if view.panels else pa.null()
    is_number = pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind)
    return bool(is_number or pa.types.is_date(kind) or pa.types.is_timestamp(kind))


def tick_texts(view: View, scale: Scale, pattern: str | None, shares: bool = False) -> list[str]:
    """The texts of a scale's ticks."""
    key = ("ticks", scale.ticks, scale.unit, pattern, shares, view.setting.customs)
    return view.setting.kept.get(key, lambda: _tick_texts(view, scale, pattern, shares))


def _tick_texts(view: View, scale: Scale, pattern: str | None, shares: bool) -> list[str]:
    customs = view.setting.customs
    if scale.unit:
        micros = pa.array([round(day * 86_400e6) for day in scale.ticks], pa.int64())
        moments = micros.cast(pa.timestamp("us"))
        texts = _written(view, moments, pattern or _TIME_PATTERNS[scale.unit])
        if pattern is not None or scale.unit == "year":
            return texts
        outer = "y" if scale.unit in ("month", "day") else "d MMM"
        around = format_values(moments, outer, customs).to_pylist()
        return [
            f"{text}\n{outer_text}" if at == 0 or outer_text != around[at - 1] else text
            for at, (text, outer_text) in enumerate(zip(texts, around, strict=True))
        ]
    places = decimals_of(scale.ticks)
    if shares:
        pattern = pattern or "0 %"
    return _written(view, pa.array(scale.ticks, pa.float64()), pattern or f"#,##0{'.' * bool(places)}{'0' * places}")


def _written(view: View, values: pa.Array, pattern: str) -> list[str]:
    try:
        return [text or "" for text in format_values(values, pattern, view.setting.customs).to_pylist()]
    except ExpressionError as error:
        view.setting.find("format", Place(block=view.origin.block), error.message)
        return ["⚠"] * len(values)


@dataclass(frozen=True)
class Labels:
    """Labels along an axis, as far as there is room: of which place each is, and its lines; turned ones read upward.
    `size` is how much room they take across the axis."""

    kind: Literal["level", "turned", "beside"]
    lines: tuple[tuple[int, tuple[str, ...]], ...]
    size: int


def labels_below(texts: Sequence[str], step: int, how: Lettering, most: int, ordered: bool) -> Labels:
    """Labels below places that are `step` apart: in one line, wrapped, turned, or only every so many of them. Those in
    an order that can be guessed (dates, numbers) are thinned rather than turned. `most` is the room for turned ones."""
    if not any(texts):
        return Labels("level", (), 0)
    lines = [tuple(text.split("\n")) for text in texts]
    widths = [max(map(how.width, own)) for own in lines]
    leading = how.leading
    tall = max(map(len, lines)) * leading
    if max(widths) + LABEL_GAP <= step:
        return Labels("level", tuple(enumerate(lines)), tall)
    if ordered:
        every = -(-(max(widths) + LABEL_GAP) // max(step, 1))
        return Labels("level", tuple((at, lines[at]) for at in range(0, len(lines), every)), tall)
    longest_word = max(how.width(word) for text in texts for word in text.split() or [""])
    if longest_word + LABEL_GAP <= step:
        wrapped = [how.wrapped(text, step - LABEL_GAP) for text in texts]
        if max(map(len, wrapped)) <= _MOST_LINES:
            return Labels("level", tuple(enumerate(wrapped)), max(map(len, wrapped)) * leading)
    cut = [how.cut(text, most) for text in texts]
    every = max(-(-leading // max(step, 1)), 1)
    chosen = tuple((at, (cut[at],)) for at in range(0, len(cut), every))
    return Labels("turned", chosen, max(how.width(text) for _, (text,) in chosen))


def labels_beside(texts: Sequence[str], step: int, how: Lettering, most: int) -> Labels:
    """Labels beside places that are `step` apart, one below the other: wrapped where there is room for more lines, else
    cut; only every so many of them where there is not room for all."""
    leading = how.leading
    every = max(-(-leading // max(step, 1)), 1)
    found = []
    for at in range(0, len(texts), every):
        lines = how.wrapped(texts[at], most)
        room = max(step // leading, 1)
        found.append(
            (at, lines if len(lines) <= room else (*lines[: room - 1], how.cut(" ".join(lines[room - 1 :]), most)))
        )
    return Labels("beside", tuple(found), max((how.width(line) for _, own in found for line in own), default=0))
