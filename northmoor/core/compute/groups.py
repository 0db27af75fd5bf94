"""A table's groups: where each begins, and what decides it."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
import pyarrow as pa

Ints = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Wanted:
    """An expression wanted in a scope: `DETAIL`, 0 for the report, or a level counted from 1."""

    scope: int
    expression: str


@dataclass(frozen=True)
class Grouping:
    """What of a level decides which rows stand in which group, in what order, and which groups are kept."""

    name: str
    by: str
    order: str
    order_by: str | None = None
    keep_groups: str | None = None
    first_groups: int | None = None


@dataclass(frozen=True, eq=False)
class Groups:
    """A level's groups: group g holds rows ``starts[g]`` up to ``starts[g + 1]``; `keys` has one value a group."""

    starts: Ints
    keys: pa.Array

    def __len__(self) -> int:
        return len(self.starts) - 1


def groups_of(keys: list[pa.Array]) -> tuple[Groups, ...]:
    """Where each level's groups begin: where its own key or an outer one changes. A null key is a key of its own."""
    levels = []
    changes: npt.NDArray[np.bool_] | None = None
    for key in keys:
        codes = key.dictionary_encode(null_encoding="encode").indices.to_numpy(zero_copy_only=False)
        own = np.ones(len(codes), bool)
        own[1:] = codes[1:] != codes[:-1]
        changes = own if changes is None else changes | own
        starts = np.append(np.flatnonzero(changes), len(codes)).astype(np.int64)
        levels.append(Groups(starts, key.take(pa.array(starts[:-1]))))
    return tuple(levels)
