"""What has been placed on the pages of a document: parts by page, tables, and what is known of records and titles.

The records of an outermost for-each are placed in batches. A document may have very many of them, so only the first
batches are held: others are placed again, from the same beginning to the same places, when their pages are asked for.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from msgspec import Struct

from northmoor.core.base.arrays import Ints
from northmoor.core.base.cache import GenerationalCache
from northmoor.core.layout.flow.fragments import FixedPart, FixedTableLayout, TableFragments, TableLayoutHandle


class PagePosition(Struct, frozen=True, order=True):
    """A place down the pages: the index of the page, or column or label, and how far down its body."""

    page: int
    y: int


class OutlineEntry(Struct, frozen=True):
    """A title that can be listed: the index of its page, how far down the body it is, its depth from 0, and the
    list that it is in: that of contents, which is the outline too, or of captions."""

    page: int
    y: int
    title: str
    depth: int
    list: str = "contents"


class RecordStart(Struct, frozen=True):
    """Where a record of a for-each begins: its number, the index of the page, how far down the body, and what a bundle
    knows of it; a text that could not be made is None."""

    name: str
    record: int
    page: int = 0
    y: int = 0
    texts: tuple[str | None, ...] = ()


class CursorState(Struct, frozen=True):
    """Where one thing after another is placed next, and the titles and records that wait for what is placed next."""

    page: int
    used: int
    bottom: int
    awaited: tuple[OutlineEntry | RecordStart, ...]


@dataclass(eq=False)
class PlacedFragments:
    """What is on pages: fixed parts by the index of their page, and the runs of tables."""

    lines: dict[int, list[FixedPart]] = field(default_factory=dict)
    tables: list[TableFragments] = field(default_factory=list)

    def __len__(self) -> int:
        return sum(map(len, self.lines.values())) + len(self.tables)

    def runs(self, first: int, end: int) -> list[TableFragments]:
        """The runs of tables that are on any page from one index up to another, once all are there."""
        begins, lasts = self._extents
        return [self.tables[at] for at in np.flatnonzero((begins < end) & (lasts >= first)).tolist()]

    @cached_property
    def _extents(self) -> tuple[Ints, Ints]:
        """The first and the last page of each run of a table."""
        pages = [
            (run.first_page + run.fragments[0].page, run.first_page + run.fragments[-1].page) for run in self.tables
        ]
        begins, lasts = np.array(pages, np.int64).reshape(-1, 2).T
        return begins, lasts


class RecordBatch(Struct, eq=False):
    """Records that were placed one after another, from the page `first` to the page `last`; `place` places them again,
    and what it placed is held among the `recent` ones, unless it is `held` for good."""

    first: int
    last: int
    place: Callable[[], PlacedFragments]
    recent: GenerationalCache
    fragments_held: PlacedFragments | None = None

    @property
    def parts(self) -> PlacedFragments:
        """What is on their pages."""
        return self.fragments_held if self.fragments_held is not None else self.recent.get(self, self.place)


@dataclass(eq=False)
class Placement(PlacedFragments):
    """All that has been placed: what is on pages, some of it in batches, and what has been noted about it."""

    batches: list[RecordBatch] = field(default_factory=list)
    blocks: dict[str, tuple[int, int]] = field(default_factory=dict)
    """Where each block first begins: the index of its page, and how far down the body."""
    restarts: set[int] = field(default_factory=set)
    """Pages on which numbers begin again."""
    entries: list[OutlineEntry] = field(default_factory=list)
    """Titles of texts and of records."""
    record_starts: list[RecordStart] = field(default_factory=list)
    """Where records begin."""
    layouts: dict[tuple[str, ...], TableLayoutHandle] = field(default_factory=dict)
    """The tables that are laid out by themselves, by their names and those of their columns."""
    has_lists: bool = False
    """Whether there is a list of entries."""
    pages: int = 1

    @property
    def parts(self) -> PlacedFragments:
        """What is on pages, but for batches, by itself."""
        return PlacedFragments(self.lines, self.tables)

    def add_run(self, run: TableFragments) -> None:
        """Add a table."""
        self.tables.append(run)
        if isinstance(run.handle, FixedTableLayout):
            self.layouts[run.table.name, *(column.name for column in run.table.columns)] = run.handle

    def note(self, other: "Placement") -> None:
        """Take over the batches of other things that have been placed, and what has been noted of all."""
        for name, place in other.blocks.items():
            self.blocks.setdefault(name, place)
        self.batches += other.batches
        self.restarts |= other.restarts
        self.entries += other.entries
        self.record_starts += other.record_starts
        self.layouts |= other.layouts
        self.has_lists |= other.has_lists
        self.pages = max(self.pages, other.pages)

    def on(self, first: int, end: int) -> list[PlacedFragments]:
        """Where to look for what is on the pages from one index up to another."""
        return [self, *(batch.parts for batch in self.batches if batch.first < end and batch.last >= first)]

    def everything(self) -> Iterator[PlacedFragments]:
        """All that is on pages, batch by batch."""
        yield self
        yield from (batch.parts for batch in self.batches)

    def all_runs(self) -> Iterator[TableFragments]:
        """The runs of all tables."""
        yield from (run for parts in self.everything() for run in parts.tables)
