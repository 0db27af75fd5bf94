"""Folding: groups of which only headings and totals are shown. What lies in them is left out of the printed rows."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from northmoor.core.compute.groups import Groups
from northmoor.core.compute.table import ArrangedTable
from northmoor.core.layout.flow import DETAILS, Flow

Keys = tuple[Any, ...]
Bools = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class Fold:
    """What of a table is folded: all groups of a level (counted from 1; none: of no level), but for some, and others.

    Groups are told by the keys of their level and those around it.
    """

    level: int | None = None
    groups: frozenset[tuple[int, Keys]] = frozenset()
    """Groups that are not as their level is: folded, or open in the level that is folded as a whole."""

    def toggled(self, level: int, keys: Keys) -> "Fold":
        """With a group folded that was open, or opened that was folded."""
        return replace(self, groups=self.groups ^ {(level, keys)})

    def folds(self, level: int, keys: Keys) -> bool:
        """Whether a group is folded."""
        return (self.level == level) != ((level, keys) in self.groups)


def column_folds(matrix: str) -> str:
    """The name by which the folds of a matrix's columns are kept, beside those of its rows."""
    return f"{matrix}/columns"


Folds = Mapping[str, Fold]
"""The folds of tables by name."""


def folded(flow: Flow, arranged: ArrangedTable, fold: Fold | None) -> Flow:
    """The flow without what lies in folded groups."""
    if fold is None or fold == Fold() or not len(flow) or not arranged.rows:
        return flow
    hidden = np.zeros(len(flow), bool)
    levels = np.array([kind.level for kind in flow.kinds])[flow.kind]
    is_detail = np.array([kind.kind == DETAILS for kind in flow.kinds])[flow.kind]
    at = np.minimum(flow.position, arranged.rows - 1)
    inside = flow.position < arranged.rows
    for number, groups in enumerate(arranged.levels, 1):
        is_folded = _folded_groups(number, groups, arranged, fold)
        if not is_folded.any():
            continue
        within, strictly = _within(groups, is_folded)
        hidden |= inside & (is_detail | (levels > number)) & within[arranged.group_of_row[number - 1][at]]
        own = np.flatnonzero((levels == number) & ~is_detail)
        hidden[own] |= strictly[flow.index[own]]
    kept = np.flatnonzero(~hidden)
    if not len(kept):
        return flow
    done = flow.done[np.append(kept[1:], len(flow)) - 1]  # a folded group is done with what is shown of it
    return Flow(flow.kinds, flow.kind[kept], flow.index[kept], flow.position[kept], done, flow.rows, is_folded=True)


def _folded_groups(number: int, groups: Groups, arranged: ArrangedTable, fold: Fold) -> Bools:
    is_folded = np.full(len(groups), fold.level == number)
    named = {keys for level, keys in fold.groups if level == number}
    if named:
        starts = groups.starts[:-1].tolist()
        for group, start in enumerate(starts):
            if arranged.keys(start, number) in named:
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
