"""What is in each column of some rows, at a glance: blanks, distinct values, range, distribution, what is unusual."""

import math
from datetime import date, datetime, timedelta
from decimal import ROUND_FLOOR, Decimal
from itertools import pairwise
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from msgspec import Struct

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.compute.explore.outliers import outliers
from northmoor.core.compute.explore.written_forms import WrittenForm, written_forms
from northmoor.core.engine.rows import Rows

BARS, COMMONEST = 12, 8


class ProfilePart(Struct, frozen=True):
    """The rows that have one value, or a value from `low` on and below `high`; None is for blanks, and for an end of a
    range that is open."""

    low: Any
    high: Any
    count: int

    @property
    def is_range(self) -> bool:
        """Whether it is of more than one value."""
        return bool(self.low != self.high)


class ColumnProfile(Struct, frozen=True):
    """A column's profile.

    `low` and `high` are its least and greatest value (None without values); `bars` count values in equal steps of the
    range for numbers and moments, else the commonest values, the commonest first.
    """

    count: int
    blanks: int
    distinct: int
    low: Any
    high: Any
    bars: tuple[int, ...]
    commonest: tuple[tuple[Any, int], ...] = ()
    """The values that most rows have, with how many, where some value is in several rows."""
    ranges: tuple[ProfilePart, ...] = ()
    """The whole range in equal parts, for numbers, days and moments of which there are many."""
    far: tuple[ProfilePart, ...] = ()
    """Values that lie far below or above the others."""
    forms: tuple[WrittenForm, ...] = ()
    """How its texts are written, where there are many."""

    @property
    def parts(self) -> tuple[ProfilePart, ...]:
        """What the rows are made of: ranges and blanks, or else values."""
        if not self.ranges:
            return tuple(ProfilePart(value, value, count) for value, count in self.commonest)
        return (*self.ranges, *([ProfilePart(None, None, self.blanks)] if self.blanks else []))

    @property
    def is_unique(self) -> bool:
        """Whether no two rows have the same value, and none is blank."""
        return self.count > 1 and self.distinct == self.count


def profile(rows: Rows, stop: CancelToken) -> tuple[ColumnProfile, ...]:
    """The profile of each column. Raises Stopped."""
    made = []
    for column in rows.table.columns:
        stop.raise_if_cancelled()
        made.append(_profile(column))
    return tuple(made)


def _profile(column: pa.ChunkedArray) -> ColumnProfile:
    counted = pc.value_counts(column.combine_chunks())
    values, counts = counted.field("values"), counted.field("counts")
    distinct = len(values) - int(column.null_count > 0)
    bounds = pc.min_max(values) if distinct and not pa.types.is_null(column.type) else None
    low, high = (bounds["min"].as_py(), bounds["max"].as_py()) if bounds is not None else (None, None)
    bars = _bars(values, counts)
    commonest = _commonest(values, counts)
    if distinct <= COMMONEST:
        return ColumnProfile(len(column), column.null_count, distinct, low, high, bars, commonest)
    ranges, far = _ranges(values, counts, low, high), _far(values, counts, low)
    forms = written_forms(values, counts) if pa.types.is_string(values.type) else ()
    return ColumnProfile(len(column), column.null_count, distinct, low, high, bars, commonest, ranges, far, forms)


def _far(values: pa.Array, counts: pa.Array, low: Any) -> tuple[ProfilePart, ...]:
    """The values that lie far below the others, and those far above."""
    if not isinstance(low, int | float | Decimal | date) or isinstance(low, bool):
        return ()
    known = pc.is_valid(values)
    values, weights = values.filter(known), counts.filter(known).to_numpy(zero_copy_only=False)
    below, above = outliers(_as_numbers(values), weights)
    found = []
    if below.any():
        first_of_others = pc.min(values.filter(pa.array(~below))).as_py()
        found.append(ProfilePart(None, first_of_others, int(weights[below].sum())))
    if above.any():
        found.append(ProfilePart(pc.min(values.filter(pa.array(above))).as_py(), None, int(weights[above].sum())))
    return tuple(found)


def _commonest(values: pa.Array, counts: pa.Array) -> tuple[tuple[Any, int], ...]:
    """Those of which there are most, the first of the rows first among equals; empty where all are different."""
    numbers = counts.to_numpy(zero_copy_only=False)
    if not len(numbers) or numbers.max() < 2:
        return ()
    first = np.argsort(-numbers, kind="stable")[:COMMONEST]
    return tuple(zip(values.take(pa.array(first)).to_pylist(), numbers[first].tolist(), strict=True))


def _bars(values: pa.Array, counts: pa.Array) -> tuple[int, ...]:
    known = pc.is_valid(values)
    values, counts = values.filter(known), counts.filter(known).to_numpy(zero_copy_only=False)
    if not len(values):
        return ()
    if pa.types.is_string(values.type) or pa.types.is_boolean(values.type) or len(values) == 1:
        return tuple(int(n) for n in np.sort(counts)[::-1][:BARS])
    numbers = _as_numbers(values)
    finite = np.isfinite(numbers)
    if not finite.any():
        return ()
    try:
        found, _ = np.histogram(numbers[finite], bins=min(BARS, len(values)), weights=counts[finite])
    except ValueError:  # they are nearer to one another than doubles of their size are
        return (int(counts[finite].sum()),)
    return tuple(int(n) for n in found)


def _ranges(values: pa.Array, counts: pa.Array, low: Any, high: Any) -> tuple[ProfilePart, ...]:
    try:
        edges = _edges(low, high)
    except OverflowError:  # the calendar ends before the last part does
        return ()
    is_of_days = isinstance(low, date)
    bounds = _as_numbers(pa.array(edges, type=values.type)) if is_of_days else np.array(edges, dtype=float)
    if not edges or not np.isfinite(bounds).all() or (np.diff(bounds) <= 0).any():
        return ()
    known = pc.is_valid(values)
    weights = counts.filter(known).to_numpy(zero_copy_only=False)
    found, _ = np.histogram(_as_numbers(values.filter(known)), bins=bounds, weights=weights)
    parts = zip(pairwise(edges), found.astype(int).tolist(), strict=True)
    return tuple(ProfilePart(first, last, count) for (first, last), count in parts)


def _edges(low: Any, high: Any) -> list[Any]:
    """Bounds of equal parts around a range; none for what has no distances."""
    if isinstance(low, date):
        return _edges_in_days(low, high)
    is_number = isinstance(low, int | float | Decimal) and not isinstance(low, bool)
    if not is_number or not math.isfinite(low) or not math.isfinite(high):
        return []
    first, last = Decimal(str(low)), Decimal(str(high))
    step = _round_step(last - first)
    if not isinstance(low, float):
        step = max(step, Decimal(1).scaleb(int(first.as_tuple().exponent)))
    begin = (first / step).to_integral_value(ROUND_FLOOR)
    return [type(low)((begin + number) * step) for number in range(int((last / step - begin) // 1) + 2)]


def _edges_in_days(low: Any, high: Any) -> list[Any]:
    """Bounds of whole days, for days and moments."""
    first = low.replace(hour=0, minute=0, second=0, microsecond=0) if isinstance(low, datetime) else low
    step = timedelta(days=-(-((high - low).days + 1) // BARS))
    return [first + step * number for number in range((high - first) // step + 2)]


def _round_step(distance: Decimal) -> Decimal:
    """The least of 1, 2 and 5 by a power of ten of which the parts are few."""
    power = Decimal(10) ** (distance / BARS).adjusted()
    return next(power * factor for factor in (1, 2, 5, 10) if distance / (power * factor) <= BARS)


def _as_numbers(values: pa.Array) -> Any:
    if pa.types.is_date(values.type):
        values = values.cast(pa.int32())
    elif pa.types.is_timestamp(values.type):
        values = values.cast(pa.int64())
    return values.cast(pa.float64(), safe=False).to_numpy(zero_copy_only=False)
