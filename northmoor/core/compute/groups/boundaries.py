"""A table's groups: where each begins, and what decides it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
import pyarrow as pa
from msgspec import Struct

from northmoor.core.base.arrays import Bools, Ints
from northmoor.core.compute.groups.hierarchy import Tree, tree_of


class ScopedExpression(Struct, frozen=True):
    """An expression wanted in a scope: `DETAIL`, 0 for the report, or a level counted from 1."""

    scope: int
    expression: str


class Grouping(Struct, frozen=True):
    """What of a level decides which rows are in which group, in what order, and which groups are kept."""

    name: str
    key: str
    order: str
    order_by: str | None = None
    keep_groups: str | None = None
    first_groups: int | None = None
    parent: str | None = None
    first_keys: tuple[str, ...] = ()
    others: str | None = None
    count_ways: bool = False


@dataclass(frozen=True, eq=False)
class Groups:
    """A level's groups: group g holds rows ``starts[g]`` up to ``starts[g + 1]``; `keys` has one value a group. In a
    `tree`, these are a group's own rows; those of the groups in it follow."""

    starts: Ints
    keys: pa.Array
    tree: Tree | None = None
    labels: Mapping[int, str] = field(default_factory=dict)
    """What groups are called that are gathered from several, by their number."""

    def key(self, group: int) -> Any:
        """The key of a group, or what it is called."""
        return self.labels.get(group) or self.keys[group].as_py()

    def __len__(self) -> int:
        return len(self.starts) - 1

    @cached_property
    def ends(self) -> Ints:
        """The end (exclusive) of each group's rows, with those of the groups in it."""
        return self.starts[1:] if self.tree is None else self.starts[self.tree.ends]

    @cached_property
    def tops(self) -> Ints:
        """The numbers of the groups that lie in no other of the level."""
        return np.arange(len(self)) if self.tree is None else np.flatnonzero(self.tree.parent < 0)

    @cached_property
    def top_of(self) -> Ints:
        """For each group, the place among `tops` of the outermost one around it, or itself."""
        return np.arange(len(self)) if self.tree is None else np.searchsorted(self.tops, self.tree.path[0])

    @cached_property
    def edges(self) -> Ints:
        """Where the `tops` begin, and the end of the last."""
        return np.append(self.starts[self.tops], self.starts[-1])

    @cached_property
    def depth(self) -> Ints:
        """How many groups of the level lie around each."""
        return np.zeros(len(self), np.int64) if self.tree is None else self.tree.depth


class LevelRows(Struct, frozen=True, eq=False):
    """What a level's groups follow from: its key in each row; in a tree the key of the parent; where several groups
    are gathered, which rows those are and what the group is called."""

    key: pa.Array
    parent: pa.Array | None = None
    overflow: Bools | None = None
    others: str | None = None


def groups_of(given: Sequence[LevelRows]) -> tuple[Groups, ...]:
    """Where each level's groups begin: where its own key or an outer one changes. A null key is a key of its own."""
    levels: list[Groups] = []
    changes: Bools | None = None
    for level in given:
        codes = level.key.dictionary_encode(null_encoding="encode").indices.to_numpy(zero_copy_only=False)
        if level.overflow is not None:
            codes = np.where(level.overflow, -1, codes)
        own = np.ones(len(codes), bool)
        own[1:] = codes[1:] != codes[:-1]
        changes = own if changes is None else changes | own
        starts = np.append(np.flatnonzero(changes), len(codes)).astype(np.int64)
        first = pa.array(starts[:-1])
        keys, parent = level.key.take(first), level.parent
        tree = tree_of(keys, parent.take(first), outer_of(levels, starts)) if parent is not None else None
        gathered = np.flatnonzero(level.overflow[starts[:-1]]) if level.overflow is not None else ()
        words = {int(group): level.others or "" for group in gathered}
        levels.append(Groups(starts, keys, tree, words))
    return tuple(levels)


def outer_of(outer: Sequence[Groups], starts: Ints) -> Ints:
    """For each group that begins somewhere, the number of the group of the innermost of some outer levels."""
    if not outer:
        return np.zeros(len(starts) - 1, np.int64)
    found: Ints = np.searchsorted(outer[-1].starts, starts[:-1], "right") - 1
    return found
