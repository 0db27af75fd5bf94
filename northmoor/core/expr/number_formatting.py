"""Whole columns of numbers to texts by the usual CLDR patterns, with Arrow and NumPy and no loop over values.

A number is its digits before the point, in groups of three, and those after it; both are looked up in tables of short
texts and joined. What one value would be written as by `formats.number_writer`, a column of them is written as here.
"""

from functools import lru_cache

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from msgspec import Struct

from northmoor.core.base.arrays import Ints
from northmoor.core.expr.text_concat import concat, scalar

_DIGITS = 18
"""Digits that fit the machine's integers."""


class DecimalPattern(Struct, frozen=True):
    """A usual number pattern, taken apart: the fewest and most digits after the point, the signs in their locale, and
    what is before and after a number and a negative one."""

    fewest: int
    most: int
    group: str
    point: str
    before: str
    after: str
    before_negative: str
    after_negative: str


def format_decimals(values: pa.Array, usual: DecimalPattern) -> pa.StringArray | None:
    """The texts of numbers without nulls; None where they do not fit the machine's integers or are floating."""
    scaled = _scaled(values, usual.most)
    if scaled is None:
        return None
    magnitude = np.abs(scaled)
    whole, fraction = np.divmod(magnitude, 10**usual.most)
    texts = _grouped(whole, usual.group)
    if usual.most:
        texts = concat(texts, _fractions(fraction, usual))
    negative = pa.array((scaled < 0) & (magnitude > 0))
    signed = [
        concat(before, texts, after) if before or after else texts
        for before, after in ((usual.before, usual.after), (usual.before_negative, usual.after_negative))
    ]
    return pc.if_else(negative, signed[1], signed[0]) if pc.any(negative).as_py() else signed[0]


def _scaled(values: pa.Array, places: int) -> Ints | None:
    """The values times a power of ten, rounded half to even, as integers."""
    if pa.types.is_integer(values.type):
        limit = 10 ** (_DIGITS - places)
        found: Ints = values.to_numpy().astype(np.int64)
        return found * 10**places if len(found) == 0 or int(np.abs(found).max()) < limit else None
    if not pa.types.is_decimal128(values.type) or values.type.precision - values.type.scale + places > _DIGITS:
        return None
    if values.type.scale > places:
        values = pc.round(values, places, round_mode="half_to_even")
    fitted = values.cast(pa.decimal128(38, places))
    words = np.frombuffer(fitted.buffers()[1], np.int64).reshape(-1, 2)
    return words[fitted.offset : fitted.offset + len(fitted), 0].copy()


def _grouped(whole: Ints, separator: str) -> pa.StringArray:
    """Digits in groups of three, from the numbers before the point."""
    if not separator:
        return pa.array(whole).cast(pa.string())
    first, rest = _table()
    sizes = np.searchsorted(10 ** (3 * np.arange(1, 6)), whole, "right")  # how many groups follow the first
    order = np.argsort(sizes, kind="stable")
    parts = []
    for size in np.unique(sizes).tolist():
        own = whole[order][np.searchsorted(sizes[order], size) : np.searchsorted(sizes[order], size, "right")]
        groups = [first.take(pa.array(own // 1000**size))]
        groups += [rest.take(pa.array(own // 1000**at % 1000)) for at in reversed(range(size))]
        parts.append(concat(*groups, separator=separator) if size else groups[0])
    back = np.empty(len(order), np.int64)
    back[order] = np.arange(len(order))
    return pa.concat_arrays(parts).take(pa.array(back)) if parts else pa.array([], pa.string())


def _fractions(fraction: Ints, usual: DecimalPattern) -> pa.StringArray:
    """The point and the digits after it; zeros beyond the fewest are left out."""
    places, at = np.unique(fraction, return_inverse=True)
    digits = pc.utf8_lpad(pa.array(places).cast(pa.string()), usual.most, "0")
    if usual.fewest < usual.most:
        fixed = pc.utf8_slice_codeunits(digits, 0, usual.fewest)
        loose = pc.utf8_rtrim(pc.utf8_slice_codeunits(digits, usual.fewest), "0")
        digits = concat(fixed, loose)
    pointed = pc.if_else(pc.equal(digits, scalar("")), scalar(""), concat(usual.point, digits))
    return pointed.take(pa.array(at))


@lru_cache(maxsize=1)
def _table() -> tuple[pa.StringArray, pa.StringArray]:
    numbers = range(1000)
    return pa.array([str(n) for n in numbers]), pa.array([f"{n:03}" for n in numbers])
