"""Rules: which of a kind's rows look otherwise, and how. Colour scales: which fill each number has."""

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc
from msgspec import Struct

from northmoor.core.base.arrays import Bools
from northmoor.core.base.phrases import phrase
from northmoor.core.compute.groups.boundaries import ScopedExpression
from northmoor.core.errors import ExpressionError, Place, ended
from northmoor.core.expr.language import parse
from northmoor.core.layout.context import LayoutContext
from northmoor.core.layout.inline.formatting import Source, is_numeric
from northmoor.core.model.styles import ColorScale, ConditionalFormat, ResolvedStyle

COLOR_STEPS = 32
"""Colours of a scale between its ends."""


class MatchedFormats(Struct, frozen=True, eq=False):
    """For each instance of a row, which rules hold, as the number of one of some `choices` of rules; the first choice
    is that none does."""

    number: npt.NDArray[np.int32]
    choices: tuple[tuple[ConditionalFormat, ...], ...]

    def looks(self, look: ResolvedStyle, context: LayoutContext) -> tuple[ResolvedStyle, ...]:
        """A look under each choice of rules."""
        found = []
        for rules in self.choices:
            ruled = look
            for rule in rules:
                ruled = context.look(rule.style, rule.look, ruled)
            found.append(ruled)
        return tuple(found)


def match_formats(
    rules: Sequence[ConditionalFormat], scope: int, source: Source, count: int, place: Place, context: LayoutContext
) -> MatchedFormats | None:
    """Ask rules in order for each instance; None where there are none, or none ever holds."""
    held = np.zeros(count, np.int64)
    going = np.ones(count, bool)
    for number, rule in enumerate(rules):
        holds = _is_matched(rule, scope, source, count, place, context) & going
        held |= np.where(holds, 1 << number, 0)
        if rule.stop:
            going &= ~holds
    if not held.any():
        return None
    codes, numbers = np.unique(np.append(0, held), return_inverse=True)
    choices = tuple(tuple(r for n, r in enumerate(rules) if code >> n & 1) for code in codes.tolist())
    return MatchedFormats(numbers[1:].astype(np.int32), choices)


def combine(rows: MatchedFormats | None, cells: MatchedFormats | None) -> MatchedFormats | None:
    """The rules of a row and those of a cell in it, one after the other."""
    if rows is None or cells is None:
        return rows or cells
    pairs = rows.number.astype(np.int64) * len(cells.choices) + cells.number
    codes, numbers = np.unique(np.append(0, pairs), return_inverse=True)
    size = len(cells.choices)
    choices = tuple(rows.choices[code // size] + cells.choices[code % size] for code in codes.tolist())
    return MatchedFormats(numbers[1:].astype(np.int32), choices)


def _is_matched(
    rule: ConditionalFormat, scope: int, source: Source, count: int, place: Place, context: LayoutContext
) -> Bools:
    """Where a condition holds; one that cannot be decided holds nowhere and is reported."""
    try:
        parse(rule.when)
    except ExpressionError as error:
        context.find("faulty condition", place, error.message)
        return np.zeros(count, bool)
    computed = source.cells[ScopedExpression(scope, rule.when)]
    fault = computed.fault.message if computed.fault else next((f.message for f in computed.faults.values()), None)
    if fault is None and not pa.types.is_boolean(computed.values.type):
        fault = f"{rule.when!r} says neither yes nor no; write a comparison"
    if fault is not None:
        context.find(
            "faulty condition", place, phrase(f"The condition of its format cannot be decided: {ended(fault)}")
        )
    if computed.fault or not pa.types.is_boolean(computed.values.type):
        return np.zeros(count, bool)
    return np.asarray(pc.fill_null(computed.values, False).to_numpy(zero_copy_only=False), bool)


class ColorScaleFills(Struct, frozen=True, eq=False):
    """The fill of each instance: the place of its colour among `colors`, −1 for none; and the numbers that have the
    first and the last of them."""

    number: npt.NDArray[np.int16]
    colors: tuple[str, ...]
    minimum: float
    maximum: float


def color_scale_fills(scale: ColorScale, values: pa.Array, among: pa.Array) -> ColorScaleFills | None:
    """The fills of numbers, among others that are their scale, by a colour scale; None for values that are none."""
    if not is_numeric(values.type):
        return None
    numbers = pc.cast(values, pa.float64()).to_numpy(zero_copy_only=False)
    known = np.isfinite(numbers)
    if not known.any():
        return None
    ends = pc.cast(among, pa.float64()).to_numpy(zero_copy_only=False)
    ends = ends[np.isfinite(ends)]
    minimum = scale.minimum if scale.minimum is not None else float(ends.min())
    maximum = scale.maximum if scale.maximum is not None else float(ends.max())
    share = np.clip((np.where(known, numbers, minimum) - minimum) / ((maximum - minimum) or 1.0), 0, 1)
    place = np.where(known, np.round(share * COLOR_STEPS), -1).astype(np.int16)
    colors = tuple(_between(scale, step / COLOR_STEPS) for step in range(COLOR_STEPS + 1))
    return ColorScaleFills(place, colors, minimum, maximum)


def _between(scale: ColorScale, share: float) -> str:
    ends = (scale.low, scale.high)
    if scale.middle is not None:
        ends = (scale.low, scale.middle) if share < 0.5 else (scale.middle, scale.high)
        share = share * 2 if share < 0.5 else share * 2 - 1
    parts = ([int(color[at : at + 2], 16) for at in (1, 3, 5)] for color in ends)
    return "#" + "".join(f"{round(a + (b - a) * share):02x}" for a, b in zip(*parts, strict=True))
