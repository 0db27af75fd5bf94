"""The rows of a table in the order they are printed: headings, details and totals, with the rules about breaks."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from northmoor.core.compute.table import ArrangedTable
from northmoor.core.layout.paginate import Strip
from northmoor.core.model.blocks import Level, TableBlock

Ints = npt.NDArray[np.int64]
HEADING, DETAILS, TOTAL = 0, 1, 2


@dataclass(frozen=True)
class RowKind:
    """A kind of printed row: details, or the heading or total of a level (0: the report)."""

    kind: int
    level: int = 0


@dataclass(frozen=True, eq=False)
class Flow:
    """A table's printed rows. For each: its kind (an index of `kinds`), the detail row or group it shows, and the
    detail row at which it stands (for a total, the last of its group)."""

    kinds: tuple[RowKind, ...]
    kind: npt.NDArray[np.int8]
    index: Ints
    position: Ints
    rows: int

    def __len__(self) -> int:
        return len(self.kind)

    @cached_property
    def of_kind(self) -> tuple[Ints, ...]:
        """For each kind, its printed rows in order."""
        return tuple(np.flatnonzero(self.kind == k) for k in range(len(self.kinds)))

    @cached_property
    def is_heading(self) -> npt.NDArray[np.bool_]:
        """For each printed row, whether it is a heading."""
        return np.array([kind.kind == HEADING for kind in self.kinds] or [False], bool)[self.kind]

    def first_at(self, positions: Ints) -> Ints:
        """The first printed row that stands at each detail row."""
        return np.searchsorted(self.position, positions, "left")

    def printed(self, kind: RowKind) -> Ints:
        """The printed rows of a kind, empty when there is none."""
        return self.of_kind[self.kinds.index(kind)] if kind in self.kinds else np.zeros(0, np.int64)


def make_flow(table: TableBlock, arranged: ArrangedTable) -> Flow:
    """Put headings before their groups, outer first, and totals after them, inner first."""
    depth = len(table.levels)
    slots = 2 * depth + 1
    kinds: list[RowKind] = []
    keys: list[Ints] = []
    indexes: list[Ints] = []

    def add(kind: RowKind, positions: Ints, slot: int) -> None:
        kinds.append(kind)
        keys.append(positions * slots + slot)
        indexes.append(np.arange(len(positions), dtype=np.int64))

    if table.show_details:
        add(RowKind(DETAILS), np.arange(arranged.rows, dtype=np.int64), depth)
    for number, (level, groups) in enumerate(zip(table.levels, arranged.levels, strict=True), 1):
        if level.heading:
            add(RowKind(HEADING, number), groups.starts[:-1], number - 1)
        if level.total:
            add(RowKind(TOTAL, number), groups.starts[1:] - 1, 2 * depth + 1 - number)
    if table.total:
        kinds.append(RowKind(TOTAL, 0))
        keys.append(np.array([arranged.rows * slots], np.int64))
        indexes.append(np.zeros(1, np.int64))
    if not kinds:
        empty = np.zeros(0, np.int64)
        return Flow((), empty.astype(np.int8), empty, empty, arranged.rows)
    all_keys = np.concatenate(keys)
    order = np.argsort(all_keys, kind="stable")
    kind = np.repeat(np.arange(len(kinds), dtype=np.int8), [len(k) for k in keys])
    return Flow(tuple(kinds), kind[order], np.concatenate(indexes)[order], all_keys[order] // slots, arranged.rows)


def make_strip(table: TableBlock, arranged: ArrangedTable, flow: Flow, heights: Ints) -> Strip:
    """The printed rows as pagination sees them."""
    size = len(flow)
    breaks = np.zeros(size, bool)
    stay, stay_before, keep_end = np.zeros((3, size), np.int64)
    gap = np.full(size, 1.0)
    for number, level in enumerate(table.levels, 1):
        starts = arranged.levels[number - 1].starts
        _break(flow, level, starts, breaks)
        _hold_together(flow, number, level, starts, stay, stay_before)
        if level.keep_together and len(starts) > 1:
            first, end = flow.first_at(starts[:-1]), _end_of_groups(flow, starts)
            outer_first = keep_end[first] == 0
            keep_end[first[outer_first]] = end[outer_first]
            gap[first[outer_first]] = level.largest_gap
    if table.total and size > 1 and arranged.rows:
        stay_before[-1] = _rows_back(flow, np.array([size - 1]), np.array([max(arranged.rows - 1, 0)]))[0]
    opened = _open_headings(table, arranged, flow)
    is_detail = np.zeros(size, np.int64)
    is_detail[flow.printed(RowKind(DETAILS))] = 1
    details = np.concatenate([[0], np.cumsum(is_detail)])
    return Strip(heights, breaks, stay, stay_before, opened, keep_end, gap, details)


def _break(flow: Flow, level: Level, starts: Ints, breaks: npt.NDArray[np.bool_]) -> None:
    wanted = {"none": starts[:0], "between": starts[1:-1], "before": starts[:-1], "after": starts[1:]}[level.page_break]
    at = flow.first_at(wanted)
    breaks[at[at < len(breaks)]] = True


def _end_of_groups(flow: Flow, starts: Ints) -> Ints:
    return flow.first_at(starts[1:])


def _hold_together(flow: Flow, number: int, level: Level, starts: Ints, stay: Ints, stay_before: Ints) -> None:
    headings = flow.printed(RowKind(HEADING, number))
    if len(headings) and level.rows_after_heading:
        last = np.minimum(starts[:-1] + level.rows_after_heading, starts[1:]) - 1
        stay[headings] = np.maximum(_shown_at(flow, last) - headings, 0)
    totals = flow.printed(RowKind(TOTAL, number))
    if len(totals) and level.rows_before_total:
        first = np.maximum(starts[1:] - level.rows_before_total, starts[:-1])
        stay_before[totals] = _rows_back(flow, totals, first)


def _rows_back(flow: Flow, totals: Ints, first: Ints) -> Ints:
    back: Ints = np.maximum(totals - _shown_at(flow, first), 0)
    return back


def _shown_at(flow: Flow, positions: Ints) -> Ints:
    """The printed row of a detail row, or, where details are not shown, the first row printed in its place."""
    details = flow.printed(RowKind(DETAILS))
    return details[positions] if len(details) else np.minimum(flow.first_at(positions), len(flow) - 1)


def _open_headings(table: TableBlock, arranged: ArrangedTable, flow: Flow) -> Ints:
    opened = np.full((len(flow), len(table.levels)), -1, np.int64)
    if not arranged.rows:
        return opened
    kinds = np.array([k.kind for k in flow.kinds])[flow.kind]
    levels = np.array([k.level for k in flow.kinds])[flow.kind]
    inside = flow.position < arranged.rows
    for number, level in enumerate(table.levels, 1):
        headings = flow.printed(RowKind(HEADING, number))
        if not len(headings) or not level.repeat_heading:
            continue
        is_open = (
            (kinds == DETAILS) | ((kinds == HEADING) & (levels > number)) | ((kinds == TOTAL) & (levels >= number))
        )
        at = np.minimum(flow.position, arranged.rows - 1)
        opened[:, number - 1] = np.where(is_open & inside, headings[arranged.group_of_row[number - 1][at]], -1)
    return opened
