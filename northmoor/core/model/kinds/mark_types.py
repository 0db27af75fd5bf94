"""The kinds of marks that charts draw: to add one, write the function that draws it and add its record here."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Literal

from msgspec import Struct


class MarkType(Struct, frozen=True):
    """A kind of mark: how a chart of it is computed, laid out and explained."""

    name: str
    """Its name in files of reports."""
    label: str
    """What it is called where a kind is chosen."""
    drawer: str
    """The function that draws its marks on a `ChartCanvas` in a `PlotArea`: module and name, loaded on first use."""
    coordinates: Literal["axes", "round", "cells"] = "axes"
    """Axes of values; none, around a middle; or cells of categories by series."""
    is_horizontal: bool = False
    """Whether categories go downward and values to the right."""
    category_scale: Literal["band", "bin", "point"] = "band"
    """Categories with a width; ranges of numbers without gaps; or places, which may be at their date or number."""
    from_zero: bool = False
    """Whether its length is its value, so that its axis holds zero."""
    stacks: bool = False
    """Whether series can be piled on one another."""
    is_connected: bool = False
    """Whether a series is one line, at whose end its name may be."""
    legend: Literal["series", "categories", "gradient"] = "series"
    """What its colours represent."""
    combinable: bool = False
    """Whether one measure of another chart can be drawn as it."""
    hosts_others: bool = False
    """Whether measures of its charts can each be drawn otherwise."""
    needs_category: bool = False
    needs_end: bool = False
    """Whether a measure needs an end besides its value, which is its beginning."""
    each_row: Literal["never", "always", "without category"] = "never"
    """Whether each row is a mark of its own."""
    statistics: tuple[str, ...] = ("{}",)
    """What is computed of a measure's value, with ``{}`` for it."""
    extent: Literal["ends", "cumulative", "values"] = "ends"
    """What its axis has to hold: the ends of marks, their running total, or the values listed last in `statistics`."""
    options: tuple[str, ...] = ()
    """Properties of the chart that only charts of some kinds have."""
    axes: tuple[str, ...] = ("first", "second", "across")
    """Its axes; with those of values it has reference lines too."""


_CHART = "northmoor.core.layout.chart"
MARK_TYPES: tuple[MarkType, ...] = (
    MarkType(
        "columns", "Columns", f"{_CHART}.bars.draw_bars", from_zero=True, stacks=True, combinable=True,
        hosts_others=True, options=("stack", "gap"),
    ),
    MarkType(
        "bars", "Bars", f"{_CHART}.bars.draw_bars", is_horizontal=True, from_zero=True, stacks=True, hosts_others=True,
        options=("stack", "gap"),
    ),
    MarkType(
        "lines", "Lines", f"{_CHART}.lines.draw_lines", category_scale="point", is_connected=True, combinable=True,
        hosts_others=True, options=("lines", "gaps", "markers", "places"),
    ),
    MarkType(
        "areas", "Areas", f"{_CHART}.lines.draw_lines", category_scale="point", from_zero=True, stacks=True,
        is_connected=True, combinable=True, hosts_others=True, options=("stack", "lines", "gaps", "places"),
    ),
    MarkType(
        "points", "Scatter and bubble", f"{_CHART}.lines.draw_points", category_scale="point", combinable=True,
        hosts_others=True, each_row="without category", options=("along", "bubble"),
    ),
    MarkType(
        "shares", "Pie or ring", f"{_CHART}.pie.draw_shares", coordinates="round", legend="categories",
        needs_category=True, options=("hole",), axes=(),
    ),
    MarkType(
        "histogram", "Histogram", f"{_CHART}.bars.draw_bars", category_scale="bin", from_zero=True, needs_category=True,
        options=("bins",),
    ),
    MarkType(
        "boxes", "Box plot", f"{_CHART}.ranges.draw_boxes", extent="values", options=("gap",),
        statistics=("median({})", "quantile_cont({}, 0.25)", "quantile_cont({}, 0.75)", "list({})"),
    ),
    MarkType(
        "waterfall", "Waterfall", f"{_CHART}.bars.draw_waterfall", from_zero=True, needs_category=True,
        extent="cumulative", options=("gap",),
    ),
    MarkType(
        "heat", "Heat map", f"{_CHART}.bars.draw_heat", coordinates="cells", legend="gradient",
        options=("heat_low", "heat_high"), axes=("across",),
    ),
    MarkType(
        "spans", "Time spans", f"{_CHART}.ranges.draw_spans", is_horizontal=True, needs_end=True, each_row="always",
        options=("gap",),
    ),
)  # fmt: skip
"""All kinds, in the order in which they are offered, and in which those on the same axes are painted."""
MARK_OF_NAME: Mapping[str, MarkType] = {mark.name: mark for mark in MARK_TYPES}

if TYPE_CHECKING:
    MarkName = str
    CombinedMark = str
else:
    MarkName = Literal[tuple(MARK_OF_NAME)]
    CombinedMark = Literal[tuple(mark.name for mark in MARK_TYPES if mark.combinable)]
"""A kind of mark, and one that a single measure can be drawn as, as files of reports name them."""
