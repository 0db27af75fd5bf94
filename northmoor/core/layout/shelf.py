"""What the placing of blocks works on: what earlier stages made, and what is made once for all records."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from northmoor.core.compute.cells import Computed
from northmoor.core.compute.groups import Ints
from northmoor.core.compute.hosting import Hosted, groups_at, matched
from northmoor.core.compute.kinds import ArrangedBlock
from northmoor.core.compute.matrix import ArrangedMatrix
from northmoor.core.compute.table import ArrangedTable
from northmoor.core.errors import NorthmoorError
from northmoor.core.layout.context import Kept, Setting
from northmoor.core.layout.grids import cell_places
from northmoor.core.layout.matrix import lay_out_matrix
from northmoor.core.layout.paragraph import Paragraphs
from northmoor.core.layout.placed import Stand
from northmoor.core.layout.records import Records
from northmoor.core.layout.recordtables import RecordTable, makers
from northmoor.core.layout.table import Paged, TableLayout
from northmoor.core.model.blocks import ForEachBlock, GridBlock
from northmoor.core.model.matrices import MatrixBlock
from northmoor.core.model.tables import TableBlock

_BATCHES_HELD = 2
ENDLESS = 1 << 40
"""The height of what is measured without pages."""
Arranged = Mapping[str, ArrangedBlock | NorthmoorError]
"""The arrangement of each block over a query's rows by its name, or why there is none."""
Running = Callable[[list[str], Sequence[int], Sequence[int]], Mapping[str, Computed]]
"""Computes header and footer expressions from each page's number and count."""


@dataclass(frozen=True)
class Given:
    """What the stages before have made of an edition: each block over rows as it is arranged and that arrangement, the
    expressions of texts that stand in no record, and what computes headers and the rows of a table's pages."""

    arranged: Arranged
    hosted: Mapping[str, Hosted]
    texts: Mapping[str, Computed]
    running: Running
    paged: Paged
    missing: Mapping[str, str] = field(default_factory=dict)
    """Why blocks that include others could not, by their names."""


@dataclass(frozen=True)
class Room:
    """Where blocks stand: how far from the body's left edge, how wide, and how high until the page is full."""

    left: int
    width: int
    height: int
    areas: int = 1
    """How many columns or labels a page has: each is placed in as if it were a page."""
    first: int = 0
    """The index of its first page."""

    @property
    def is_endless(self) -> bool:
        """Whether it has no pages."""
        return self.height >= ENDLESS


@dataclass(frozen=True, eq=False)
class Scope:
    """Whose rows are shown: those of a record, among the records of a for-each, or all. `around` has the numbers of the
    records of all for-each blocks around, by their names."""

    records: Records | None = None
    index: int = 0
    around: Mapping[str, int] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Listed:
    """An entry of a list, with the number that its page has and the name by which links reach it."""

    title: str
    depth: int
    number: int
    anchor: str


Lists = Mapping[str, Sequence[Listed]]
"""The entries of contents and of captions."""


@dataclass(eq=False)
class Shelf:
    """What is made once for all records: the records of each for-each, and tables laid out for them. `page_heights` are
    those that the rows of pages are known to need, `lists` the entries that the document is known to have."""

    given: Given
    setting: Setting
    page_heights: Mapping[str, tuple[int, ...]]
    lists: Lists
    tables: dict[str, RecordTable] = field(default_factory=dict)
    groups: dict[str, Ints] = field(default_factory=dict)
    texts: dict[tuple[str, str, int], Paragraphs] = field(default_factory=dict)
    """What text blocks of one look say for each record (see `Telling`)."""
    parts_held: int = 0
    """How many parts are held of records that have been placed."""
    passed: dict[tuple[str, int], tuple[Stand, Mapping[str, int], bool]] = field(default_factory=dict)
    """By for-each blocks that were placed in batches, and the record around: where these ended, how many runs tables
    had then, and whether anything was printed."""
    recent: Kept = field(default_factory=lambda: Kept(_BATCHES_HELD))
    _records: dict[str, Records] = field(default_factory=dict)
    _tracks: dict[tuple[str, int, tuple[tuple[int, int], ...]], tuple[list[int], list[int]]] = field(
        default_factory=dict
    )

    def records(self, block: ForEachBlock) -> Records:
        """The records of a for-each. Raises NorthmoorError."""
        found = self.given.arranged[block.name]
        if isinstance(found, NorthmoorError):
            raise found
        assert isinstance(found, ArrangedTable)
        if block.name not in self._records:
            hosted = self.given.hosted[block.name]
            self._records[block.name] = Records(block, found, hosted.depth + 1, self.setting)
        return self._records[block.name]

    def groups_of(self, name: str) -> Ints:
        """For each record around a block, the group of the block's rows. Raises NorthmoorError."""
        if name not in self.groups:
            hosted, arranged = self.given.hosted[name], self.given.arranged[name]
            if isinstance(arranged, NorthmoorError):
                raise arranged
            host = self._records[str(hosted.host)]
            wanted = host.wanted(hosted.ties, name)
            if isinstance(arranged, ArrangedMatrix):
                axis = arranged.sides.rows
                keys = [axis.keys(hosted.depth, group) for group in range(axis.size(hosted.depth))]
            else:
                assert isinstance(arranged, ArrangedTable)
                keys = groups_at(arranged.levels, hosted.depth)
            self.groups[name] = matched(wanted, keys)
        return self.groups[name]

    def tracks(self, block: GridBlock, width: int, needed: Mapping[int, int]) -> tuple[list[int], list[int]]:
        """How far each cell of a grid is from its left edge, and how wide it is; the same for all records but where
        columns are as wide as their content."""
        key = (block.name, width, tuple(needed.items()))
        if key not in self._tracks:
            self._tracks[key] = cell_places(block, width, needed)
        return self._tracks[key]

    def table(self, name: str, room: Room) -> RecordTable:
        """A table for all records. Raises NorthmoorError."""
        if name not in self.tables:
            groups, hosted, arranged = self.groups_of(name), self.given.hosted[name], self.given.arranged[name]
            if isinstance(hosted.block, MatrixBlock):
                assert isinstance(arranged, ArrangedMatrix)
                layout = self._matrix(hosted, arranged, room)
                table, made = layout.table, [(0, lambda: layout)]
            else:
                assert isinstance(arranged, ArrangedTable)
                assert isinstance(hosted.block, TableBlock)
                table = hosted.block.but(foot_of_page=hosted.block.foot_of_page and not room.is_endless)
                made = makers(table, arranged, hosted.depth, groups, room.width, self.setting)
            heights = self.page_heights.get(name)
            self.tables[name] = RecordTable(table, hosted.depth, groups, made, self.setting, heights)
        return self.tables[name]

    def _matrix(self, hosted: Hosted, arranged: ArrangedMatrix, room: Room) -> TableLayout:
        """A matrix for all records, on one sheet: in smaller print where that is enough, else with narrower columns."""
        assert isinstance(hosted.block, MatrixBlock)
        for way in ("shrink", "narrow"):
            block = hosted.block.but(when_wide=way)
            _, sheets = lay_out_matrix(block, arranged, room.width, self.setting, hosted.unprinted)
            if len(sheets) == 1:
                break
        return sheets[0]

    def runs(self) -> dict[str, int]:
        """How many runs each table has been given."""
        return {name: table.at for name, table in self.tables.items()}

    def seek(self, runs: Mapping[str, int]) -> None:
        """Let each table go back to the run that it had then."""
        for name, table in self.tables.items():
            table.seek(runs.get(name, 0))
