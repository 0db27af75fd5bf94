"""What the placing of blocks works on: what earlier stages made, and what is made once for all records."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from msgspec import Struct, field

from northmoor.core.base.arrays import Ints
from northmoor.core.base.cache import GenerationalCache
from northmoor.core.compute.crosstab.evaluation import CrosstabData
from northmoor.core.compute.evaluate.scope_cells import Computed
from northmoor.core.compute.report.correlation import CorrelatedBlock, group_keys, match_groups
from northmoor.core.compute.report.registry import BlockData
from northmoor.core.compute.table.evaluation import TableData
from northmoor.core.errors import NorthmoorError
from northmoor.core.layout.context import LayoutContext
from northmoor.core.layout.flow.grid_tracks import cell_places
from northmoor.core.layout.flow.placement import CursorState
from northmoor.core.layout.flow.records import Records
from northmoor.core.layout.inline.paragraph import Paragraphs
from northmoor.core.layout.table.crosstab_layout import lay_out_matrix
from northmoor.core.layout.table.layout import TableLayout
from northmoor.core.layout.table.per_record import RecordTable, record_table_layouts
from northmoor.core.model.blocks.containers import ForEachBlock, GridBlock
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.table import TableBlock

_BATCHES_HELD = 2
ENDLESS = 1 << 40
"""The height of what is measured without pages."""
Arranged = Mapping[str, BlockData | NorthmoorError]
"""The arrangement of each block over a query's rows by its name, or why there is none."""
ComputePageExpressions = Callable[[list[str], Sequence[int], Sequence[int]], Mapping[str, Computed]]
"""Computes header and footer expressions from each page's number and count."""

PlaceBlock = Callable[[Any, Any, "RecordScope"], None]
"""Places a block for a record's scope with a `BlockPlacer`; its arguments are placer, block and scope."""


class StageResults(Struct, frozen=True):
    """What the stages before have made of an edition: each block over rows as it is arranged and that arrangement, the
    expressions of texts that are in no record, and what computes headers and the rows of a table's pages."""

    data: Arranged
    correlated: Mapping[str, CorrelatedBlock]
    texts: Mapping[str, Computed]
    running: ComputePageExpressions
    missing: Mapping[str, str] = field(default_factory=dict)
    """Why blocks that include others could not, by their names."""


class Region(Struct, frozen=True):
    """Where blocks are: how far from the body's left edge, how wide, and how high until the page is full."""

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


class RecordScope(Struct, frozen=True, eq=False):
    """Whose rows are shown: those of a record, among the records of a for-each, or all. `around` has the numbers of the
    records of all for-each blocks around, by their names."""

    records: Records | None = None
    index: int = 0
    around: Mapping[str, int] = field(default_factory=dict)


class TocLine(Struct, frozen=True):
    """An entry of a list, with the number that its page has and the name by which links reach it."""

    title: str
    depth: int
    number: int
    anchor: str


Lists = Mapping[str, Sequence[TocLine]]
"""The entries of contents and of captions."""


class LayoutPass(Struct, eq=False):
    """What is made once for all records: the records of each for-each, and tables laid out for them. `page_heights` are
    those that the rows of pages are known to need, `lists` the entries that the document is known to have."""

    results: StageResults
    context: LayoutContext
    page_heights: Mapping[str, tuple[int, ...]]
    lists: Lists
    tables: dict[str, RecordTable] = field(default_factory=dict)
    groups: dict[str, Ints] = field(default_factory=dict)
    texts: dict[tuple[str, str, int], Paragraphs] = field(default_factory=dict)
    """What text blocks of one look say for each record (see `Telling`)."""
    parts_held: int = 0
    """How many parts are held of records that have been placed."""
    batch_starts: dict[tuple[str, int], tuple[CursorState, Mapping[str, int], bool]] = field(default_factory=dict)
    """By for-each blocks that were placed in batches, and the record around: where these ended, how many runs tables
    had then, and whether anything was printed."""
    recent: GenerationalCache = field(default_factory=lambda: GenerationalCache(_BATCHES_HELD))
    _records: dict[str, Records] = field(default_factory=dict)
    _tracks: dict[tuple[str, int, tuple[tuple[int, int], ...]], tuple[list[int], list[int]]] = field(
        default_factory=dict
    )

    def records(self, block: ForEachBlock) -> Records:
        """The records of a for-each. Raises NorthmoorError."""
        found = self.results.data[block.name]
        if isinstance(found, NorthmoorError):
            raise found
        assert isinstance(found, TableData)
        if block.name not in self._records:
            correlated = self.results.correlated[block.name]
            self._records[block.name] = Records(block, found, correlated.depth + 1, self.context)
        return self._records[block.name]

    def groups_of(self, name: str) -> Ints:
        """For each record around a block, the group of the block's rows. Raises NorthmoorError."""
        if name not in self.groups:
            correlated, data = self.results.correlated[name], self.results.data[name]
            if isinstance(data, NorthmoorError):
                raise data
            host = self._records[str(correlated.host)]
            wanted = host.expressions(correlated.join_keys, name)
            if isinstance(data, CrosstabData):
                axis = data.sides.rows
                keys = [axis.keys(correlated.depth, group) for group in range(axis.size(correlated.depth))]
            else:
                assert isinstance(data, TableData)
                keys = group_keys(data.levels, correlated.depth)
            self.groups[name] = match_groups(wanted, keys)
        return self.groups[name]

    def tracks(self, block: GridBlock, width: int, needed: Mapping[int, int]) -> tuple[list[int], list[int]]:
        """How far each cell of a grid is from its left edge, and how wide it is; the same for all records but where
        columns are as wide as their content."""
        key = (block.name, width, tuple(needed.items()))
        if key not in self._tracks:
            self._tracks[key] = cell_places(block, width, needed)
        return self._tracks[key]

    def table(self, name: str, room: Region) -> RecordTable:
        """A table for all records. Raises NorthmoorError."""
        if name not in self.tables:
            groups, correlated, data = self.groups_of(name), self.results.correlated[name], self.results.data[name]
            if isinstance(correlated.block, MatrixBlock):
                assert isinstance(data, CrosstabData)
                layout = self._matrix(correlated, data, room)
                table, made = layout.table, [(0, lambda: layout)]
            else:
                assert isinstance(data, TableData)
                assert isinstance(correlated.block, TableBlock)
                table = correlated.block.but(foot_of_page=correlated.block.foot_of_page and not room.is_endless)
                made = record_table_layouts(table, data, correlated.depth, groups, room.width, self.context)
            heights = self.page_heights.get(name)
            self.tables[name] = RecordTable(table, correlated.depth, groups, made, self.context, heights)
        return self.tables[name]

    def _matrix(self, correlated: CorrelatedBlock, data: CrosstabData, room: Region) -> TableLayout:
        """A matrix for all records, on one sheet: in smaller print where that is enough, else with narrower columns."""
        assert isinstance(correlated.block, MatrixBlock)
        block, hidden = correlated.block.but(when_wide="shrink"), correlated.hidden_levels
        _, sheets = lay_out_matrix(block, data, room.width, self.context, hidden, on_one_sheet=True)
        return sheets[0]

    def runs(self) -> dict[str, int]:
        """How many runs each table has been given."""
        return {name: table.at for name, table in self.tables.items()}

    def seek(self, runs: Mapping[str, int]) -> None:
        """Let each table go back to the run that it had then."""
        for name, table in self.tables.items():
            table.seek(runs.get(name, 0))
