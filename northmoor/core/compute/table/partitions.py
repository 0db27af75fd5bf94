"""Parts of an arranged table: some groups of a level that follow one another, as if they were all.

What is made of a part takes memory for its own rows only, so that a table for many records need not be laid out for all
of them at once. A part shares its columns with the whole.
"""

from collections.abc import Mapping, Sequence
from typing import TypeVar

import numpy as np

from northmoor.core.base.arrays import Ints
from northmoor.core.compute.evaluate.scope_cells import Computed
from northmoor.core.compute.evaluate.scope_names import DETAIL
from northmoor.core.compute.groups.boundaries import Groups, ScopedExpression
from northmoor.core.compute.table.evaluation import PartOrigin, TableData

_T = TypeVar("_T")


def partition_bounds(starts: Ints, rows: int) -> list[int]:
    """The groups before which to cut, from 0 on, for parts of about so many rows; none has less than one group."""
    wanted = np.arange(0, int(starts[-1]), rows)
    found: list[int] = np.unique(np.searchsorted(starts[:-1], wanted)).tolist()
    return [group for group in found if group < len(starts) - 1]  # no part begins after the last group


def can_be_partitioned(data: TableData) -> bool:
    """Whether a table has only what can be computed part by part: no trees, no charts, and it is no printed matrix."""
    return not (data.crosstab is not None or data.charts or any(level.tree is not None for level in data.levels))


def partition(data: TableData, depth: int, first: int, end: int) -> TableData:
    """The groups from `first` up to `end` of the level at a depth, counted from 1, with all rows and groups in them;
    of the groups around them, what of these lies in the part."""
    start, stop = data.levels[depth - 1].starts[[first, end]].tolist()
    spans = [_span(level.starts, start, stop) for level in data.levels]
    scopes = {DETAIL: (start, stop), **dict(enumerate(spans, 1))}
    return TableData(
        stop - start,
        tuple(_groups(level, *span, start, stop) for level, span in zip(data.levels, spans, strict=True)),
        _cells(data.cells, scopes),
        data.fetched(start, stop),
        part_of=PartOrigin(data, start, tuple(begin for begin, _ in spans)),
    )


def _span(starts: Ints, start: int, stop: int) -> tuple[int, int]:
    """The groups that some rows lie in: the first, and the end."""
    first, end = int(np.searchsorted(starts, start, "right")) - 1, int(np.searchsorted(starts[:-1], stop))
    return first, end


def _groups(level: Groups, first: int, end: int, start: int, stop: int) -> Groups:
    starts = np.clip(level.starts[first : end + 1], start, stop) - start
    return Groups(starts, level.keys[first:end], None, _between(level.labels, first, end))


def _cells(
    cells: Mapping[ScopedExpression, Computed], scopes: Mapping[int, Sequence[int]]
) -> dict[ScopedExpression, Computed]:
    return {
        want: _computed(computed, *scopes[want.scope]) if want.scope in scopes else computed
        for want, computed in cells.items()
    }


def _computed(computed: Computed, first: int, end: int) -> Computed:
    """The values of some rows."""
    scaled_by = computed.scaled_by
    return Computed(
        computed.values[first:end],
        _between(computed.faults, first, end),
        _between(computed.labels, first, end),
        computed.fault,
        None if scaled_by is None else scaled_by[first:end],
    )


def _between(numbered: Mapping[int, _T], first: int, end: int) -> dict[int, _T]:
    """What is numbered from `first` up to `end`, counted from there."""
    return {number - first: each for number, each in numbered.items() if first <= number < end}
