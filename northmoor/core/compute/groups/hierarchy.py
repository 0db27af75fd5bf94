"""Levels whose groups form a tree: each group names the one around it by its key."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import pyarrow as pa

from northmoor.core.base.arrays import Bools, Ints


@dataclass(frozen=True, eq=False)
class Tree:
    """How a level's groups lie in one another: `parent` is the number of the group around each (−1: none), `orphans`
    name a parent that is not there, and `opened` were in a circle and are taken out of it, so that it ends."""

    parent: Ints
    orphans: Ints
    opened: Ints

    def __len__(self) -> int:
        return len(self.parent)

    @cached_property
    def around(self) -> tuple[Ints, ...]:
        """Step by step outward, the group around each: first itself, then its parent, and so on (−1 past the top)."""
        steps = [np.arange(len(self))]
        while (steps[-1] >= 0).any():
            steps.append(np.where(steps[-1] >= 0, self.parent[steps[-1]], -1))
        return tuple(steps[:-1])

    @cached_property
    def depth(self) -> Ints:
        """How many groups lie around each."""
        found = np.full(len(self), -1, np.int64)
        for step in self.around:
            found += step >= 0
        return found

    @cached_property
    def path(self) -> tuple[Ints, ...]:
        """For each depth from the top, the group at that depth around each group, or itself; −1 below it."""
        levels = np.full((len(self.around), len(self)), -1, np.int64)
        for step in self.around:
            inside = np.flatnonzero(step >= 0)
            levels[self.depth[step[inside]], inside] = step[inside]
        return tuple(levels)

    @cached_property
    def ends(self) -> Ints:
        """The end (exclusive) of what lies in each group, where groups are in the order of `in_order`."""
        ends = np.arange(1, len(self) + 1)
        for group in range(len(self) - 1, -1, -1):
            if self.parent[group] >= 0:
                ends[self.parent[group]] = max(ends[self.parent[group]], ends[group])
        return ends

    def pairs(self) -> tuple[Ints, Ints]:
        """Every group with each that lies in it, itself included: (outer, inner)."""
        inside = [np.flatnonzero(step >= 0) for step in self.around]
        outer = [step[inner] for step, inner in zip(self.around, inside, strict=True)]
        none = np.zeros(0, np.int64)
        return np.concatenate([none, *outer]), np.concatenate([none, *inside])

    def with_ways(self, kept: Bools) -> Bools:
        """Some groups and those around them."""
        found = kept.copy()
        for step in self.around:
            up = step[kept]
            found[up[up >= 0]] = True
        return found

    def in_order(self, outer: Ints, rank: Ints, kept: Bools, first: int | None = None) -> Ints:
        """The kept groups in printing order: each followed by those in it, by rank; at most `first` in each."""
        order = np.lexsort((rank, self.parent, outer))
        order = order[kept[order]]
        below: dict[tuple[int, int], list[int]] = {}
        for group in order.tolist():
            parent = int(self.parent[group])
            below.setdefault((int(outer[group]) if parent < 0 else -1, parent), []).append(group)
        tops = sorted(key for key in below if key[1] < 0)
        waiting = [group for key in reversed(tops) for group in reversed(below[key][:first])]
        found = []
        while waiting:
            group = waiting.pop()
            found.append(group)
            waiting += reversed(below.get((-1, group), [])[:first])
        return np.array(found, np.int64)


def tree_of(keys: pa.Array, parents: pa.Array, outer: Ints) -> Tree:
    """The tree of a level's groups from each one's key and that of its parent, within the groups around the level."""
    places = {(at, key): group for group, (at, key) in enumerate(zip(outer.tolist(), keys.to_pylist(), strict=True))}
    named = parents.to_pylist()
    wanted = list(zip(outer.tolist(), named, strict=True))
    parent = np.array([-1 if w[1] is None else places.get(w, -1) for w in wanted], np.int64)
    orphans = [group for group, w in enumerate(wanted) if w[1] is not None and w not in places]
    opened = _circles(parent)
    parent[opened] = -1
    return Tree(parent, np.array(orphans, np.int64), opened)


def _circles(parent: Ints) -> Ints:
    """One group of each circle: the first."""
    state = np.zeros(len(parent), np.int8)  # 0 not seen, 1 on the way, 2 known to end
    opened = []
    for start in range(len(parent)):
        way = []
        at = start
        while at >= 0 and state[at] == 0:
            state[at] = 1
            way.append(at)
            at = int(parent[at])
        if at >= 0 and state[at] == 1:
            opened.append(min(way[way.index(at) :]))
        state[way] = 2
    return np.array(opened, np.int64)


def faults_of(tree: Tree, keys: pa.Array, level: str) -> tuple[str, ...]:
    """What is wrong with a tree, in sentences."""

    def count_and_first(groups: Ints) -> str:
        return f"{len(groups):,} {'group' if len(groups) == 1 else 'groups'} of {level} (first: {keys[int(groups[0])]})"

    found = []
    if len(tree.orphans):
        found.append(f"The parent of {count_and_first(tree.orphans)} is not among the rows; it is shown at the top.")
    if len(tree.opened):
        found.append(f"{count_and_first(tree.opened)} lies in itself by way of others; the circle is opened there.")
    return tuple(found)
