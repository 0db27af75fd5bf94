"""What a chart's marks are made of: the groups it has, and the values of its expressions where they cross."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from msgspec import Struct

from northmoor.core.base.arrays import Floats, Ints
from northmoor.core.compute.crosstab.cell_values import CellLevel, CellValues, CrosstabExpression, Sides
from northmoor.core.compute.evaluate.scope_cells import Computed

LARGEST = 1e30
"""Numbers further from zero are not drawn: nothing could be seen in them, and sums of them overflow."""


class ChartLevels(Struct, frozen=True):
    """How many levels of a chart's rows are open at its steps: the group of a table in which it is, a panel, a
    category, a mark; a step that it does not have is as deep as the one around it. `series` is 1 where it has series.
    """

    host: int
    panel: int
    category: int
    mark: int
    series: int

    @property
    def marks(self) -> CellLevel:
        """Where marks are."""
        return CellLevel(self.mark, self.series)


@dataclass(frozen=True, eq=False)
class ChartData:
    """A chart's groups and values. `bin_width` is the width of a histogram's ranges."""

    sides: Sides
    crossings: CellValues
    depths: ChartLevels
    bin_width: float | None = None
    _numbers: dict[CrosstabExpression, Floats] = field(default_factory=dict)
    _around: dict[tuple[int, int], Ints] = field(default_factory=dict)

    @property
    def has_rows(self) -> bool:
        """Whether there are any rows behind it."""
        return bool((self.sides.rows.leaf_of_row >= 0).any())

    @property
    def notes(self) -> tuple[str, ...]:
        """What is wrong with its groups; those of charts form no trees."""
        return ()

    @cached_property
    def host_of(self) -> Mapping[Any, int]:
        """The number of each host's group, by the host's own number; 0 for a chart that is by itself."""
        if not self.depths.host:
            return {0: 0}
        keys = self.sides.rows.groups[0].keys.to_pylist()
        return {key: group for group, key in enumerate(keys)}

    def inside(self, depth: int, outer: int, group: int) -> Ints:
        """The groups at a depth that lie in one at an outer depth."""
        if depth == outer:
            return np.array([group], np.int64)
        numbers = self.around(depth, outer)  # in order, so that those of a group lie together
        first, last = np.searchsorted(numbers, [group, group + 1])
        return np.arange(first, last)

    def around(self, depth: int, outer: int) -> Ints:
        """For each group of the rows at a depth, the group at an outer depth that it lies in."""
        if (depth, outer) not in self._around:
            self._around[depth, outer] = self.sides.rows.around(depth, outer)
        return self._around[depth, outer]

    def keys(self, row: int) -> tuple[Any, ...]:
        """The keys of a mark's panel and category."""
        depths, groups = self.depths, self.sides.rows.groups
        outer = range(depths.host + 1, depths.category + 1)
        return tuple(groups[depth - 1].key(int(self.around(depths.mark, depth)[row])) for depth in outer)

    def computed(self, at: CellLevel, text: str) -> Computed:
        """An expression's values at a crossing."""
        return self.crossings.values[CrosstabExpression(at, text)]

    def numbers(self, at: CellLevel, text: str) -> Floats:
        """An expression's values as numbers, rows by columns; nan for those that are missing or no numbers. Days since
        1970 represent dates and timestamps."""
        want = CrosstabExpression(at, text)
        if want not in self._numbers:
            self._numbers[want] = as_numbers(self.crossings.values[want].values).reshape(self.sides.shape(at))
        return self._numbers[want]


def as_numbers(values: pa.Array) -> Floats:
    """Values as floats; nan where there is none, or none that can be drawn. Dates and timestamps become days since
    1970."""
    kind = values.type
    if pa.types.is_date(kind) or pa.types.is_timestamp(kind):
        moments = values.cast(pa.timestamp("us"), safe=False).cast(pa.int64()).cast(pa.float64(), safe=False)
        values = pc.divide(moments, 86_400e6)
    elif pa.types.is_boolean(kind):
        values = values.cast(pa.int8())
    elif not (pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind)):
        return np.full(len(values), np.nan)
    found: Floats = values.cast(pa.float64(), safe=False).to_numpy(zero_copy_only=False)
    return np.where(np.abs(found) <= LARGEST, found, np.nan)
