"""Colours: distinguished by colour-blind readers, the same for the same value everywhere, legible where written on."""

from collections.abc import Callable
from itertools import combinations

import numpy as np

from northmoor.core.base.arrays import Floats
from northmoor.core.layout.chart.palette import DARK, LIGHT, PALETTE, color_of, legible_on, mixed
from northmoor.core.layout.graphics.hatching import HATCHINGS, hatch_lines
from northmoor.core.model.blocks.chart import ChartBlock, ChartLevel, ChartMeasure
from northmoor.core.sources.library import Library
from tests.core.test_levels import SALES
from tests.helpers import dumped, render, report_of

MakeLibrary = Callable[[str], Library]
Matrix = Floats
SEEN_AS = {
    "all": np.eye(3),
    "no red": np.array([[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]]),
    "no green": np.array([[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.011820, 0.042940, 0.968881]]),
    "no blue": np.array([[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.303900]]),
}  # fmt: skip
"""Linear light as it is seen with each kind of colour blindness (Machado, Oliveira and Fernandes 2009)."""
TO_CONES = np.array([[0.4122214708, 0.5363325363, 0.0514459929], [0.2119034982, 0.6806995451, 0.1073969566],
                     [0.0883024619, 0.2817188376, 0.6299787005]])  # fmt: skip
TO_LAB = np.array([[0.2104542553, 0.7936177850, -0.0040720468], [1.9779984951, -2.4285922050, 0.4505937099],
                   [0.0259040371, 0.7827717662, -0.8086757660]])  # fmt: skip


def linear(color: str) -> Matrix:
    parts = np.array([int(color[at : at + 2], 16) / 255 for at in (1, 3, 5)])
    return np.where(parts <= 0.04045, parts / 12.92, ((parts + 0.055) / 1.055) ** 2.4)


def oklab(light: Matrix) -> Matrix:
    found: Matrix = TO_LAB @ np.cbrt(TO_CONES @ np.clip(light, 0, 1))
    return found


def contrast(one: str, other: str) -> float:
    weights = np.array([0.2126, 0.7152, 0.0722])
    bright, dark = sorted((float(linear(color) @ weights) for color in (one, other)), reverse=True)
    return (bright + 0.05) / (dark + 0.05)


def test_any_two_colours_differ_for_every_kind_of_sight() -> None:
    for sight in SEEN_AS.values():
        seen = [oklab(sight @ linear(color)) for color in PALETTE]
        assert min(float(np.linalg.norm(a - b)) for a, b in combinations(seen, 2)) >= 0.07
    assert min(contrast(color, "#FFFFFF") for color in PALETTE) >= 2.2


def test_texts_on_a_colour_are_legible() -> None:
    for color in (*PALETTE, "#FFFFFF", "#000000", mixed("#7B4B94", "#FFFFFF", 0.5)):
        assert contrast(color, legible_on(color)) >= 4.2
    assert (legible_on("#FFFFFF"), legible_on("#000000")) == (DARK, LIGHT)


def test_after_the_palette_colours_come_again_lighter() -> None:
    assert color_of(0) == PALETTE[0]
    assert contrast(color_of(len(PALETTE)), "#FFFFFF") < contrast(PALETTE[0], "#FFFFFF")
    assert len({color_of(number) for number in range(24)}) == 24


def test_a_value_has_the_same_colour_in_all_charts_of_a_report(library: MakeLibrary) -> None:
    measure = ChartMeasure(name="v", value="sum(v)")
    route = ChartLevel(name="series", by="route")
    some = ChartBlock(
        name="some", query="rows", category=ChartLevel(name="category", by="month"), series=route, measures=(measure,),
        keep_rows="route in ('r5', 'r2')",
    )  # fmt: skip
    shares = ChartBlock(
        name="all", query="rows", draw="shares", category=ChartLevel(name="category", by="Route"), measures=(measure,)
    )
    document = render(report_of(some, shares), library(SALES))
    found: dict[str, set[str]] = {}
    for item in dumped(document)["pages"][0]["items"]:
        origin = item["origin"]
        if origin["row"] == "mark" and item["kind"] in ("fill", "shape"):
            key = origin["across"][0] if origin["block"] == "some" else origin["keys"][0]
            found.setdefault(key, set()).add(item["color"])
    assert len(found) == 8
    assert all(len(colors) == 1 for colors in found.values())
    assert len(set.union(*found.values())) == 8


def test_hatching_lies_within_what_it_is_drawn_in_and_differs() -> None:
    box = (10_000, 20_000, 30_000, 25_000)
    drawn = [tuple(hatch_lines(number, box)) for number in range(1, HATCHINGS + 1)]
    assert len(set(drawn)) == HATCHINGS
    for lines in drawn:
        assert 4 < len(lines) < 100
