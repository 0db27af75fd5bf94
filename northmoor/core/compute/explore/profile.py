"""What is in each column of some rows, at a glance: blanks, distinct values, range, distribution."""

from dataclasses import dataclass
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.engine.rows import Rows

BARS, COMMONEST = 12, 8


@dataclass(frozen=True)
class ColumnProfile:
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
    return ColumnProfile(len(column), column.null_count, distinct, low, high, bars, _commonest(values, counts))


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
    found, _ = np.histogram(numbers[finite], bins=min(BARS, len(values)), weights=counts[finite])
    return tuple(int(n) for n in found)


def _as_numbers(values: pa.Array) -> Any:
    if pa.types.is_date(values.type):
        values = values.cast(pa.int32())
    elif pa.types.is_timestamp(values.type):
        values = values.cast(pa.int64())
    return values.cast(pa.float64(), safe=False).to_numpy(zero_copy_only=False)
