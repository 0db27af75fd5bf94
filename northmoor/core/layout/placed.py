"""What has been placed on the pages of a document: parts by page, tables, and what is known of records and titles.

The records of an outermost for-each are placed in batches. A document may have very many of them, so only the first
batches are held: others are placed again, from the same beginning to the same places, when their pages are asked for.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
import numpy.typing as npt

from northmoor.core.layout.context import Kept
from northmoor.core.layout.parts import FixedPart, Laid, LaidTable, TableRun


@dataclass(frozen=True, slots=True)
class Entry:
    """A title that can be listed: the index of its page, how far down the body it stands, its depth from 0, and the
    list that it is in: that of contents, which is the outline too, or of captions."""

    page: int
    y: int
    title: str
    depth: int
    list: str = "contents"


@dataclass(frozen=True, slots=True)
class Begun:
    """Where a record of a for-each begins: its number, the index of the page, and how far down the body."""

    name: str
    record: int
    page: int = 0
    y: int = 0


@dataclass(frozen=True)
class Stand:
    """Where one thing after another is placed next, and the titles and records that wait for what is placed next."""

    page: int
    used: int
    bottom: int
    awaited: tuple[Entry | Begun, ...]


@dataclass(eq=False)
class Parts:
    """What stands on pages: fixed parts by the index of their page, and the runs of tables."""

    lines: dict[int, list[FixedPart]] = field(default_factory=dict)
    tables: list[TableRun] = field(default_factory=list)

    def __len__(self) -> int:
        return sum(map(len, self.lines.values())) + len(self.tables)

    def runs(self, first: int, end: int) -> list[TableRun]:
        """The runs of tables that stand on any page from one index up to another, once all are there."""
        begins, lasts = self._extents
        return [self.tables[at] for at in np.flatnonzero((begins < end) & (lasts >= first)).tolist()]

    @cached_property
    def _extents(self) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
        """The first and the last page of each run of a table."""
        pages = [(run.first_page + run.slices[0].page, run.first_page + run.slices[-1].page) for run in self.tables]
        begins, lasts = np.array(pages, np.int64).reshape(-1, 2).T
        return begins, lasts


@dataclass(eq=False)
class Batch:
    """Records that were placed one after another, from the page `first` to the page `last`; `place` places them again,
    and what it placed is held among the `recent` ones, unless it is `held` for good."""

    first: int
    last: int
    place: Callable[[], Parts]
    recent: Kept
    held: Parts | None = None

    @property
    def parts(self) -> Parts:
        """What stands on their pages."""
        return self.held if self.held is not None else self.recent.get(self, self.place)


@dataclass(eq=False)
class Placed(Parts):
    """All that has been placed: what stands on pages, some of it in batches, and what has been noted about it."""

    batches: list[Batch] = field(default_factory=list)
    blocks: dict[str, tuple[int, int]] = field(default_factory=dict)
    """Where each block first begins: the index of its page, and how far down the body."""
    restarts: set[int] = field(default_factory=set)
    """Pages on which numbers begin anew."""
    entries: list[Entry] = field(default_factory=list)
    """Titles of texts and of records."""
    begun: list[Begun] = field(default_factory=list)
    """Where records begin."""
    laid: dict[tuple[str, ...], Laid] = field(default_factory=dict)
    """The tables that are laid out by themselves, by their names and those of their columns."""
    has_lists: bool = False
    """Whether there is a list of entries."""
    pages: int = 1

    @property
    def parts(self) -> Parts:
        """What stands on pages, but for batches, by itself."""
        return Parts(self.lines, self.tables)

    def add_run(self, run: TableRun) -> None:
        """Add a table."""
        self.tables.append(run)
        if isinstance(run.laid, LaidTable):
            self.laid[run.table.name, *(column.name for column in run.table.columns)] = run.laid

    def note(self, other: "Placed") -> None:
        """Take over the batches of other things that have been placed, and what has been noted of all."""
        for name, place in other.blocks.items():
            self.blocks.setdefault(name, place)
        self.batches += other.batches
        self.restarts |= other.restarts
        self.entries += other.entries
        self.begun += other.begun
        self.laid |= other.laid
        self.has_lists |= other.has_lists
        self.pages = max(self.pages, other.pages)

    def on(self, first: int, end: int) -> list[Parts]:
        """Where to look for what stands on the pages from one index up to another."""
        return [self, *(batch.parts for batch in self.batches if batch.first < end and batch.last >= first)]

    def everything(self) -> Iterator[Parts]:
        """All that stands on pages, batch by batch."""
        yield self
        yield from (batch.parts for batch in self.batches)

    def all_runs(self) -> Iterator[TableRun]:
        """The runs of all tables."""
        yield from (run for parts in self.everything() for run in parts.tables)
