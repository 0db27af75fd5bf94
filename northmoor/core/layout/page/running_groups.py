"""Which group of a level is open on each page: what lines of headers and footers that belong to a level refer to."""

from collections.abc import Mapping, Sequence

import pyarrow as pa

from northmoor.core.compute.evaluate.scope_cells import Computed
from northmoor.core.compute.groups.boundaries import Groups
from northmoor.core.compute.table.evaluation import TableData
from northmoor.core.errors import ExpressionError
from northmoor.core.expr.language import parse
from northmoor.core.layout.flow.fragments import TableFragments
from northmoor.core.layout.flow.layout_pass import StageResults
from northmoor.core.layout.flow.placement import Placement, RecordStart
from northmoor.core.model.blocks.table import Level, TableBlock

LevelKeys = tuple[object, ...]


def open_groups_by_page(name: str, pages: int, given: StageResults, placed: Placement) -> Mapping[str, Computed] | None:
    """The keys of a level, and of those around it, on each page by the texts of their expressions; null where none of
    its groups is open. None where there is no level or for-each of that name."""
    of_level = (run for run in placed.all_runs() if any(level.name == name for level in run.table.levels))
    run = next(of_level, None)
    correlated = given.correlated.get(name)
    if run is None and correlated is not None and isinstance(correlated.block, TableBlock):
        found = given.data[name]
        if not isinstance(found, TableData):
            return None
        depth = correlated.depth + 1
        return _columns(
            found, correlated.block.levels, depth, _of_records(name, found, depth, pages, placed.record_starts)
        )
    if run is None:
        return None
    depth = 1 + next(at for at, level in enumerate(run.table.levels) if level.name == name)
    keys: list[LevelKeys | None] = [None] * pages
    for own in (each for each in placed.all_runs() if each.table.name == run.table.name):
        for page, found_keys in _of_slices(own, depth):
            keys[page] = keys[page] or found_keys
    return _columns(run.layout.data.whole, run.table.levels, depth, keys)


def _of_slices(run: TableFragments, depth: int) -> list[tuple[int, LevelKeys]]:
    """The keys of the group that is open where each slice of a table begins."""
    flow, data = run.layout.rows, run.layout.data
    found = []
    for piece in run.fragments:
        if piece.end > piece.start and data.rows:
            row = min(int(flow.position[piece.start]), data.rows - 1)
            found.append((run.first_page + piece.page, data.keys(row, depth)))
    return found


def _of_records(
    name: str, data: TableData, depth: int, pages: int, record_starts: Sequence[RecordStart]
) -> list[LevelKeys | None]:
    """The keys of the record that is open at the top of each page, or of the first that begins on it."""
    starts = data.levels[depth - 1].starts
    own = sorted((each for each in record_starts if each.name == name), key=lambda each: (each.page, each.y))
    keys: list[LevelKeys | None] = [None] * pages
    open_one: LevelKeys | None = None
    at = 0
    for page in range(pages):
        while at < len(own) and own[at].page == page and (own[at].y == 0 or open_one is None):
            open_one = data.keys(int(starts[own[at].record]), depth)
            at += 1
        keys[page] = open_one
        while at < len(own) and own[at].page == page:
            open_one = data.keys(int(starts[own[at].record]), depth)
            at += 1
    return keys


def _columns(
    data: TableData, levels: Sequence[Level], depth: int, keys: Sequence[LevelKeys | None]
) -> dict[str, Computed]:
    """A column of keys for each level, by the text of its expression and by its name."""
    found: dict[str, Computed] = {}
    for at, (level, groups) in enumerate(zip(levels[:depth], data.levels, strict=False)):
        computed = Computed(_column([None if own is None else own[at] for own in keys], groups))
        for text in (level.name, level.by):
            try:
                found[parse(text).text] = computed
            except ExpressionError:
                continue  # a name that is no expression
    return found


def _column(values: list[object], groups: Groups) -> pa.Array:
    """Keys as a column of their own type; as texts where words represent some of them."""
    if groups.labels:
        return pa.array([None if value is None else str(value) for value in values], pa.string())
    return pa.array(values, groups.keys.type)
