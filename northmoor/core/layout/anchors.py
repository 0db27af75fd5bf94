"""Where links within a document lead: cells that have a name as their anchor, and blocks by their own names."""

from bisect import bisect_right
from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property

import numpy as np

from northmoor.core.layout.celltext import as_array
from northmoor.core.layout.display import Anchor
from northmoor.core.layout.parts import Frame, TableRun
from northmoor.core.layout.rowsonpage import rows_on_page
from northmoor.core.layout.table import TableLayout


class Anchors:
    """The places of a document's names; where several have the same name, the first."""

    def __init__(self, tables: Sequence[TableRun], blocks: Mapping[str, tuple[int, int]], frame: Frame) -> None:
        self._tables, self._blocks, self._frame = tables, blocks, frame

    @cached_property
    def _rows(self) -> dict[str, tuple[int, int, int]]:
        """For each name of a cell: the index of its page, that of its table's run, and its printed row."""
        runs: dict[TableLayout, list[int]] = {}
        for number, run in enumerate(self._tables):
            runs.setdefault(run.layout, []).append(number)
        found: dict[str, tuple[int, int, int]] = {}
        for layout, numbers in runs.items():
            for name, place in self._places(layout, numbers):
                found[name] = min(place, found.get(name, place))
        return found

    def _places(self, layout: TableLayout, numbers: Sequence[int]) -> Iterator[tuple[str, tuple[int, int, int]]]:
        """The names of a table's cells with their places, in some runs of it."""
        names = list(_named_rows(layout))
        if not names:
            return
        runs = [(number, self._tables[number]) for number in numbers]
        pieces = sorted((s.start, s.end, run.first_page + s.page, n) for n, run in runs for s in run.slices)
        for name, row in names:
            at = bisect_right(pieces, row, key=lambda piece: piece[0]) - 1
            while at > 0 and pieces[at - 1][1] > row:
                at -= 1  # the row is split, and this is a later part of it
            if at >= 0 and row < pieces[at][1]:
                _, _, page, number = pieces[at]
                yield name, (page, number, row)

    @cached_property
    def _by_page(self) -> dict[int, list[str]]:
        """The names on each page."""
        found: dict[int, list[str]] = {}
        for name, (page, _, _) in self._rows.items():
            found.setdefault(page, []).append(name)
        for name, (page, _) in self._blocks.items():
            if name not in self._rows:
                found.setdefault(page, []).append(name)
        return found

    def __contains__(self, name: str) -> bool:
        return name in self._rows or name in self._blocks

    def place(self, name: str) -> tuple[int, int] | None:
        """The index of the page that a name stands on, and how far down."""
        if name in self._rows:
            page, number, row = self._rows[name]
            part = self._tables[number].on_page(page)
            assert part is not None  # its row is there
            shown = rows_on_page(part.layout, part.piece, self._frame.top + part.piece.y)
            return page, int(shown.tops[shown.own[row - part.piece.start]])
        if name in self._blocks:
            page, y = self._blocks[name]
            return page, self._frame.top + y
        return None

    def on_page(self, index: int) -> tuple[Anchor, ...]:
        """The names on the page of an index."""
        names = self._by_page.get(index)
        if names is None:
            return ()
        places = ((name, self.place(name)) for name in names)
        return tuple(Anchor(name, place[1]) for name, place in places if place is not None)


def _named_rows(layout: TableLayout) -> Iterator[tuple[str, int]]:
    """The names of a table's cells with their first printed rows, in the order they are printed."""
    found: list[tuple[int, str]] = []
    for number, plan in enumerate(layout.plans[layout.page_kinds :]):
        printed = layout.flow.of_kind[number]
        for cell in plan.cells if len(printed) else ():
            if cell.anchors is None:
                continue
            encoded = as_array(cell.anchors.texts).take(layout.flow.index[printed]).dictionary_encode()
            names, first = np.unique(encoded.indices.to_numpy(zero_copy_only=False), return_index=True)
            texts = encoded.dictionary.to_pylist()
            found += [(int(printed[at]), texts[name]) for name, at in zip(names, first, strict=True) if texts[name]]
    for row, name in sorted(found):
        yield name, row
