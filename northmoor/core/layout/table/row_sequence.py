"""The rows of a table in the order they are printed: headings, details and totals, with the rules about breaks."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from northmoor.core.base.arrays import AnyInts, Bools
from northmoor.core.compute.groups.boundaries import Groups
from northmoor.core.compute.table.evaluation import TableData
from northmoor.core.layout.table.pagination import RowMetrics
from northmoor.core.model.blocks.table import Level, Row, RowPlace, TableBlock

Counts = npt.NDArray[np.int32]
"""Numbers of rows, kept for each of them: half as wide as others."""
HEADING, DETAILS, TOTAL = 0, 1, 2
_NAMES = ("heading", "detail", "total")


class RowKind(Struct, frozen=True):
    """A kind of printed row: details, or a heading or total of a level (0: the report).

    `number` counts where there are several of a kind; `after` tells that it is after its group.
    """

    kind: int
    level: int = 0
    number: int = 0
    after: bool = False

    def closes(self, outer: int) -> bool:
        """Whether it is a total after all rows; where some outer levels are those of records, after those of one."""
        return self.kind == TOTAL and self.level <= outer and self.after

    def place(self, table: TableBlock) -> RowPlace:
        """Where its definition is in the table."""
        level = table.levels[self.level - 1].name if self.level else None
        return RowPlace(_NAMES[self.kind], level, self.number)


@dataclass(frozen=True, eq=False)
class RowSequence:
    """A table's printed rows. For each: its kind (an index of `kinds`), the detail row or group it shows, the detail
    row at which it is (for what is after a group, the group's last), and how many detail rows are `done` once
    it is printed."""

    kinds: tuple[RowKind, ...]
    kind: npt.NDArray[np.int8]
    index: Counts
    position: Counts
    done: Counts
    rows: int
    is_folded: bool = False
    """Whether some rows are left out."""

    def __len__(self) -> int:
        return len(self.kind)

    @cached_property
    def of_kind(self) -> tuple[Counts, ...]:
        """For each kind, its printed rows in order."""
        return tuple(np.flatnonzero(self.kind == k).astype(np.int32) for k in range(len(self.kinds)))

    @cached_property
    def is_heading(self) -> Bools:
        """For each printed row, whether it is the first heading of a group."""
        first = [kind.kind == HEADING and not kind.number and not kind.after for kind in self.kinds]
        return np.array(first or [False], bool)[self.kind]

    @cached_property
    def has_headings(self) -> bool:
        """Whether any groups have headings."""
        return bool(self.is_heading.any())

    def first_at(self, positions: AnyInts) -> AnyInts:
        """The first printed row that is at each detail row."""
        return np.searchsorted(self.position, positions.astype(np.int32), "left")

    def printed(self, kind: RowKind) -> Counts:
        """The printed rows of a kind, empty when there is none."""
        return self.of_kind[self.kinds.index(kind)] if kind in self.kinds else np.zeros(0, np.int32)

    def details(self, line: int = 0) -> Counts:
        """The printed rows that are a line of the details."""
        return self.printed(RowKind(DETAILS, number=line))

    def kinds_of(self, level: int, after: bool) -> list[RowKind]:
        """The headings and totals of a level on one side of its groups."""
        return [k for k in self.kinds if k.kind != DETAILS and (k.level, k.after) == (level, after)]


def kinds_of_table(table: TableBlock) -> tuple[RowKind, ...]:
    """The kinds of rows a table prints, in their order at one place: outer ones first before groups, last after."""
    around: list[tuple[tuple[int, tuple[Row, ...]], ...]] = [((TOTAL, table.total),)]
    around += [((HEADING, level.heading), (TOTAL, level.total)) for level in table.levels]
    before: list[RowKind] = []
    after: list[RowKind] = []
    for level, sides in enumerate(around):
        own = [
            RowKind(kind, level, number, _follows_details(kind, row))
            for kind, rows in sides
            for number, row in enumerate(rows)
        ]
        before += [kind for kind in own if not kind.after]
        after = [*(kind for kind in own if kind.after), *after]
    lines = range(1 + len(table.detail)) if table.show_details else ()
    return (*before, *(RowKind(DETAILS, number=line) for line in lines), *after)


def _follows_details(kind: int, row: Row) -> bool:
    return row.position == "after" if row.position else kind == TOTAL


def row_sequence(table: TableBlock, data: TableData) -> RowSequence:
    """Put rows in their order: what is before groups, outer first; details; what is after, inner first."""
    kinds = kinds_of_table(table)
    if not kinds:
        empty = np.zeros(0, np.int32)
        return RowSequence((), empty.astype(np.int8), empty, empty, empty, data.rows)
    keys, indexes, done = [], [], []
    for slot, kind in enumerate(kinds):
        positions, finished = _places(kind, kinds, data)
        keys.append(_Key(positions, *_slot(kind, slot, kinds, data)))
        indexes.append(np.arange(len(positions), dtype=np.int32))
        done.append(finished)
    position = np.concatenate([key.position for key in keys])
    order = _order(keys, len(kinds))
    kind_of = np.repeat(np.arange(len(kinds), dtype=np.int8), [len(k) for k in indexes])[order]
    index, ready = np.concatenate(indexes)[order], np.concatenate(done)[order]
    return RowSequence(kinds, kind_of, index, position[order], ready, data.rows)


class _Key(Struct, frozen=True, eq=False):
    """What orders the rows of a kind: the detail row they are at, the kind's slot there, and, for what is after
    the groups of a tree, deeper ones first and the rows of one group together."""

    position: Counts
    slot: int
    is_nested: bool
    number: int


def _slot(kind: RowKind, slot: int, kinds: tuple[RowKind, ...], data: TableData) -> tuple[int, bool, int]:
    if not (kind.after and kind.level and data.levels[kind.level - 1].tree is not None):
        return slot, False, 0
    first = next(at for at, other in enumerate(kinds) if other.after and other.level == kind.level)
    return first, True, slot - first


def _order(keys: list[_Key], slots: int) -> npt.NDArray[np.intp]:
    main = np.concatenate([key.position * np.int64(slots) + key.slot for key in keys])
    if not any(key.is_nested for key in keys):
        return np.argsort(main, kind="stable")
    nested = [
        -np.arange(len(key.position)) * slots + key.number if key.is_nested else np.zeros(len(key.position), np.int64)
        for key in keys
    ]
    return np.lexsort((np.concatenate(nested), main))


def _places(kind: RowKind, kinds: tuple[RowKind, ...], data: TableData) -> tuple[Counts, Counts]:
    """The detail row at which each row of a kind is, and how many are done once it is printed."""
    if kind.kind == DETAILS:
        positions = np.arange(data.rows, dtype=np.int32)
        return positions, positions + 1
    if kind.level == 0:
        at = np.array([data.rows if kind.after else 0], np.int32)
        return at, at
    groups = data.levels[kind.level - 1]
    starts, ends = groups.starts.astype(np.int32), groups.ends.astype(np.int32)
    if kind.after:
        return ends - 1, ends
    inner = [k for k in kinds if k.kind == DETAILS or k.level >= kind.level]
    return starts[:-1], starts[1:] if inner[-1] == kind else starts[:-1]  # nothing else is printed of the group's rows


def row_metrics(table: TableBlock, data: TableData, sequence: RowSequence, heights: AnyInts) -> RowMetrics:
    """The printed rows as pagination sees them."""
    size = len(sequence)
    breaks = np.zeros(size, bool)
    keep_with_next, keep_with_previous = np.zeros((2, size), np.int32)
    keep_end, gap = np.broadcast_to(np.int64(0), size), np.broadcast_to(np.float64(1), size)
    if any(level.keep_together for level in table.levels):
        keep_end, gap = keep_end.copy(), gap.copy()
    for number, level in enumerate(table.levels, 1):
        groups = data.levels[number - 1]
        starts = groups.edges
        _break(sequence, level, starts, breaks)
        _keep_groups_together(sequence, number, level, groups, keep_with_next, keep_with_previous)
        if level.keep_together and len(starts) > 1 and size:
            first, end = sequence.first_at(starts[:-1]), _end_of_groups(sequence, starts)
            outer_first = keep_end[first] == 0
            keep_end[first[outer_first]] = end[outer_first]
            gap[first[outer_first]] = level.largest_gap
    _keep_rows_before_totals(data, sequence, keep_with_next, keep_with_previous)
    for line in range(len(table.detail)):
        printed = sequence.details(line)
        keep_with_next[printed] = len(table.detail) - line
    odd = np.zeros(size, bool)
    for number, level in enumerate(table.levels, 1):
        if level.odd_page and level.page_break != "none":
            odd[sequence.first_at(data.levels[number - 1].edges[:-1])] = True
    opened = _open_headings(table, data, sequence)
    details = None
    if table.rows_per_page is not None:
        details = np.zeros(size + 1, np.int32)
        details[1 + sequence.details()] = 1
        np.cumsum(details, out=details)
    keep_with_next, keep_with_previous = (
        each.astype(np.min_scalar_type(each.max(initial=0))) for each in (keep_with_next, keep_with_previous)
    )
    return RowMetrics(
        heights, breaks, keep_with_next, keep_with_previous, opened, keep_end, gap, details, odd if odd.any() else None
    )


def _break(sequence: RowSequence, level: Level, starts: AnyInts, breaks: Bools) -> None:
    wanted = {"none": starts[:0], "between": starts[1:-1], "before": starts[:-1], "after": starts[1:]}[level.page_break]
    at = sequence.first_at(wanted)
    breaks[at[at < len(breaks)]] = True


def _end_of_groups(sequence: RowSequence, starts: AnyInts) -> AnyInts:
    return sequence.first_at(starts[1:])


def _keep_groups_together(
    sequence: RowSequence, number: int, level: Level, groups: Groups, keep_with_next: Counts, keep_with_previous: Counts
) -> None:
    starts = groups.starts
    for kind in sequence.kinds_of(number, after=False) if level.rows_after_heading else ():
        printed = sequence.printed(kind)
        group = sequence.index[printed]
        last = np.minimum(starts[group] + level.rows_after_heading, starts[group + 1]) - 1
        keep_with_next[printed] = np.maximum(_printed_at(sequence, last, last_line=True) - printed, 0)
    for kind in sequence.kinds_of(number, after=True) if level.rows_before_total else ():
        printed = sequence.printed(kind)
        group = sequence.index[printed]
        first = np.maximum(groups.ends[group] - level.rows_before_total, starts[group])
        keep_with_previous[printed] = np.maximum(printed - _printed_at(sequence, first), 0)


def _keep_rows_before_totals(
    data: TableData, sequence: RowSequence, keep_with_next: Counts, keep_with_previous: Counts
) -> None:
    """Totals of all rows stay with a row, and with one another."""
    if not data.rows or len(sequence) < 2:
        return
    for kind in sequence.kinds_of(0, after=False):
        keep_with_next[sequence.printed(kind)] = len(sequence.kinds_of(0, after=False)) - kind.number
    for kind in sequence.kinds_of(0, after=True):
        printed = sequence.printed(kind)
        keep_with_previous[printed] = np.maximum(printed - _printed_at(sequence, np.array([data.rows - 1])), 0)


def _printed_at(sequence: RowSequence, positions: AnyInts, last_line: bool = False) -> AnyInts:
    """The printed row of a detail row, or, where details are not shown, the first row printed in its place."""
    lines = sum(kind.kind == DETAILS for kind in sequence.kinds)
    if not lines or sequence.is_folded:
        first = np.minimum(sequence.first_at(positions), len(sequence) - 1)
        before = np.maximum(np.searchsorted(sequence.position, positions, "right") - 1, 0)
        return np.where(sequence.position[first] == positions, first, before)
    shown: AnyInts = sequence.details(lines - 1 if last_line else 0)[positions]
    return shown


def _open_headings(table: TableBlock, data: TableData, sequence: RowSequence) -> AnyInts:
    repeated = [
        kind
        for kind in sequence.kinds
        if kind.kind == HEADING and not kind.after and table.levels[kind.level - 1].repeat_heading
    ]
    opened = []
    if not data.rows or not repeated:
        return np.broadcast_to(np.int64(-1), (len(sequence), 1))
    order = {kind: at for at, kind in enumerate(sequence.kinds)}
    levels = np.array([k.level for k in sequence.kinds])[sequence.kind]
    is_detail = np.array([k.kind == DETAILS for k in sequence.kinds])[sequence.kind]
    is_after = np.array([k.after for k in sequence.kinds])[sequence.kind]
    inside = sequence.position < data.rows
    for kind in repeated:
        groups, own = data.levels[kind.level - 1], levels == kind.level
        at = np.minimum(sequence.position, data.rows - 1)
        group = np.where(
            own & ~is_detail, np.minimum(sequence.index, len(groups) - 1), data.group_of_row[kind.level - 1][at]
        )
        after_it = ~is_after & (sequence.kind > order[kind])  # rows that are later at the same place
        is_open = inside & (is_detail | (is_after & (levels >= kind.level)) | (after_it & (levels >= kind.level)))
        headings = np.full(len(groups), -1, np.int64)
        headings[sequence.index[sequence.printed(kind)]] = sequence.printed(kind)
        opened.append(np.where(is_open, headings[group], -1))
        if groups.tree is not None:
            is_below = inside & (is_detail | (levels >= kind.level))
            for ways in groups.tree.path:  # the headings of all groups around it, the outermost first
                way = np.where((ways != np.arange(len(ways))) & (ways >= 0), ways, -1)[group]
                opened.insert(len(opened) - 1, np.where(is_below & (way >= 0), headings[way], -1))
    return np.stack(opened, axis=1)
