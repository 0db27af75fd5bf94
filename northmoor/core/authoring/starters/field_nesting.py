"""Which fields of a query are nested, as a code is with its name and a town with its country: a crossing of two such
fields is blank but for one cell a row."""

from collections.abc import Sequence
from itertools import combinations

import numpy as np
import pyarrow as pa

_MOST_FIELDS = 8
_MOST_ROWS = 5_000
"""Rows, from all over the table, that are looked at."""


def nested_fields(table: pa.Table, names: Sequence[str]) -> dict[str, tuple[str, ...]]:
    """The fields that each of some fields is nested with: every value of one of the two occurs with a single value of
    the other. Of many fields the first are looked at."""
    names = names[:_MOST_FIELDS]
    rows = np.unique(np.linspace(0, max(table.num_rows - 1, 0), _MOST_ROWS, dtype=np.int64))
    sample = table.select(names).take(rows[: table.num_rows])
    counts = {name: _combinations(sample, [name]) for name in names}
    nested: dict[str, tuple[str, ...]] = dict.fromkeys(names, ())
    for one, other in combinations(names, 2):
        if _combinations(sample, [one, other]) == max(counts[one], counts[other]):
            nested[one] += (other,)
            nested[other] += (one,)
    return nested


def _combinations(table: pa.Table, names: list[str]) -> int:
    """How many different combinations of values some columns have."""
    return int(table.group_by(names).aggregate([]).num_rows)
