"""Folding: groups of which only headings and totals are shown. What lies in them is left out of the printed rows."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from msgspec import Struct

from northmoor.core.base.arrays import Bools
from northmoor.core.base.replace import replace
from northmoor.core.compute.groups.boundaries import Groups
from northmoor.core.compute.table.evaluation import TableData
from northmoor.core.layout.table.row_sequence import DETAILS, RowSequence

GroupKeys = tuple[Any, ...]


class Fold(Struct, frozen=True):
    """What of a table is folded: all groups of a level (counted from 1; none: of no level), but for some, and others.

    Groups are named by the keys of their level and those around it.
    """

    level: int | None = None
    groups: frozenset[tuple[int, GroupKeys]] = frozenset()
    """Groups that are not as their level is: folded, or open in the level that is folded as a whole."""

    def toggled(self, level: int, keys: GroupKeys) -> "Fold":
        """With a group folded that was open, or opened that was folded."""
        return replace(self, groups=self.groups ^ {(level, keys)})

    def folds(self, level: int, keys: GroupKeys) -> bool:
        """Whether a group is folded."""
        return (self.level == level) != ((level, keys) in self.groups)


def column_folds(matrix: str) -> str:
    """The name by which the folds of a matrix's columns are kept, beside those of its rows."""
    return f"{matrix}/columns"


Folds = Mapping[str, Fold]
"""The folds of tables by name."""


def collapsed_rows(sequence: RowSequence, data: TableData, fold: Fold | None) -> RowSequence:
    """The flow without what lies in folded groups, and without rows that do not count."""
    hidden = np.zeros(len(sequence), bool)
    if data.counted is not None:
        hidden |= _uncounted(sequence, data, data.counted)
    if fold is not None and fold != Fold() and len(sequence) and data.rows:
        hidden |= _in_folds(sequence, data, fold)
    kept = np.flatnonzero(~hidden)
    if not len(kept) or len(kept) == len(sequence):
        return sequence
    done = sequence.done[np.append(kept[1:], len(sequence)) - 1]  # a folded group is done with what is shown of it
    return RowSequence(
        sequence.kinds,
        sequence.kind[kept],
        sequence.index[kept],
        sequence.position[kept],
        done,
        sequence.rows,
        is_folded=True,
    )


def _uncounted(sequence: RowSequence, data: TableData, counted: Bools) -> Bools:
    """The printed rows of data rows that do not count, and of groups with no others that are no way up a tree."""
    hidden = np.zeros(len(sequence), bool)
    for kind, printed in zip(sequence.kinds, sequence.of_kind, strict=True):
        if kind.kind == DETAILS:
            hidden[printed] = ~counted[sequence.index[printed]]
        elif kind.level and data.levels[kind.level - 1].tree is None:
            starts = data.levels[kind.level - 1].starts
            before = np.append(0, np.cumsum(counted))
            hidden[printed] = (before[starts[1:]] == before[starts[:-1]])[sequence.index[printed]]
    return hidden


def _in_folds(sequence: RowSequence, data: TableData, fold: Fold) -> Bools:
    hidden = np.zeros(len(sequence), bool)
    levels = np.array([kind.level for kind in sequence.kinds])[sequence.kind]
    is_detail = np.array([kind.kind == DETAILS for kind in sequence.kinds])[sequence.kind]
    at = np.minimum(sequence.position, data.rows - 1)
    inside = sequence.position < data.rows
    for number, groups in enumerate(data.levels, 1):
        is_folded = _folded_groups(number, groups, data, fold)
        if not is_folded.any():
            continue
        within, strictly = _within(groups, is_folded)
        hidden |= inside & (is_detail | (levels > number)) & within[data.group_of_row[number - 1][at]]
        own = np.flatnonzero((levels == number) & ~is_detail)
        hidden[own] |= strictly[sequence.index[own]]
    return hidden


def _folded_groups(number: int, groups: Groups, data: TableData, fold: Fold) -> Bools:
    is_folded = np.full(len(groups), fold.level == number)
    named = {keys for level, keys in fold.groups if level == number}
    if named:
        starts = groups.starts[:-1].tolist()
        for group, start in enumerate(starts):
            if data.keys(start, number) in named:
                is_folded[group] ^= True
    return is_folded


def _within(groups: Groups, is_folded: Bools) -> tuple[Bools, Bools]:
    """For each group, whether it or one around it is folded; and whether one around it is."""
    if groups.tree is None:
        return is_folded, np.zeros(len(groups), bool)
    strictly = np.zeros(len(groups), bool)
    for step in groups.tree.around[1:]:
        strictly |= (step >= 0) & is_folded[step]
    return is_folded | strictly, strictly
