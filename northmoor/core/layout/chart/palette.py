"""Colours of marks: a palette whose colours can be distinguished by colour-blind readers too, the same colour for
the same value in all charts of a report, and what is legible on a colour."""

from collections.abc import Iterable
from typing import Any

from northmoor.core.compute.crosstab.chart_data import ChartData
from northmoor.core.compute.groups.boundaries import Groups
from northmoor.core.expr.language import bare_column
from northmoor.core.layout.context import Colors
from northmoor.core.model.blocks.chart import Chart

PALETTE = ("#2F7F86", "#7B4B94", "#B96305", "#B0AF37", "#56BAD0", "#942210", "#9179E0", "#065A51")
"""Chosen so that any two differ for full colour vision and for each of the three kinds of colour blindness, by at least
0.07 in Oklab (simulated after Machado, Oliveira and Fernandes 2009)."""
OTHERS_COLOR = "#A79F93"
DARK, LIGHT = "#1F1B16", "#FFFFFF"


def color_of(number: int) -> str:
    """The colour of a number; past the end of the palette they come again, lighter each time."""
    turn, place = divmod(number, len(PALETTE))
    return mixed(PALETTE[place], LIGHT, 1 - 0.6**turn)


def colors_of(charts: Iterable[tuple[Chart, ChartData]]) -> Colors:
    """The number of each value's colour, in the order of the values of a field in all charts together."""
    found: dict[str, dict[str, Any]] = {}
    for chart, data in charts:
        for by, groups in _colored(chart, data):
            keys = groups.keys.to_pylist()
            own = {str(key): key for group, key in enumerate(keys) if group not in groups.labels}
            found.setdefault(color_field(by), {}).update(own)
    return {(field, name): number for field, keys in found.items() for number, name in enumerate(sorted(keys, key=str))}


def color_field(by: str) -> str:
    """What values are values of: a column, whatever its case, or an expression."""
    return (bare_column(by) or by).lower()


def _colored(chart: Chart, data: ChartData) -> Iterable[tuple[str, Groups]]:
    """What a chart's colours represent."""
    if chart.series is not None:
        yield chart.series.by, data.sides.columns.groups[0]
    elif chart.mark.legend == "categories" and chart.category is not None:
        yield chart.category.by, data.sides.rows.groups[data.depths.category - 1]


def mixed(one: str, other: str, share: float) -> str:
    """A colour with a share of another in it."""
    first, second = (tuple(int(color[at : at + 2], 16) for at in (1, 3, 5)) for color in (one, other))
    parts = (round(a + (b - a) * share) for a, b in zip(first, second, strict=True))
    return "#" + "".join(f"{part:02X}" for part in parts)


def legible_on(color: str) -> str:
    """Dark or light, whichever stands out more from a colour."""
    return LIGHT if contrast(color, "#FFFFFF") > contrast(color, DARK) else DARK


def contrast(one: str, other: str) -> float:
    """The contrast ratio of two colours, from 1 to 21 (WCAG 2.2)."""
    dark, light = sorted((_luminance(one), _luminance(other)))
    return (light + 0.05) / (dark + 0.05)


def _luminance(color: str) -> float:
    parts = (int(color[at : at + 2], 16) / 255 for at in (1, 3, 5))
    red, green, blue = (part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue
