"""Where links within a document lead: cells that have a name as their anchor, and blocks by their own names."""

from bisect import bisect_right
from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property

import numpy as np
from msgspec import Struct

from northmoor.core.layout.flow.fragments import BodyBox, TableFragments, TableLayoutHandle
from northmoor.core.layout.graphics.display_list import Anchor
from northmoor.core.layout.inline.formatting import as_array
from northmoor.core.layout.table.layout import TableLayout
from northmoor.core.layout.table.page_rows import rows_on_page
from northmoor.core.layout.table.pagination import TableFragment
from northmoor.core.model.blocks.table import TableBlock


class _Row(Struct, frozen=True):
    """A printed row of a table, the slice that it is in, and the index of its page."""

    page: int
    handle: TableLayoutHandle
    fragment: TableFragment
    row: int


class Anchors:
    """The places of a document's names; where several have the same name, the first."""

    def __init__(
        self,
        tables: Mapping[TableLayoutHandle, Sequence[TableFragments]],
        blocks: Mapping[str, tuple[int, int]],
        frame: BodyBox,
    ) -> None:
        self._tables, self._blocks, self._frame = tables, blocks, frame

    @cached_property
    def _rows(self) -> dict[str, _Row]:
        """Where each name of a cell is first."""
        found: dict[str, _Row] = {}
        for laid, runs in self._tables.items():
            for name, place in _places(laid, runs):
                if name not in found or place.page < found[name].page:
                    found[name] = place
        return found

    @cached_property
    def _by_page(self) -> dict[int, list[str]]:
        """The names on each page."""
        found: dict[int, list[str]] = {}
        for name, place in self._rows.items():
            found.setdefault(place.page, []).append(name)
        for name, (page, _) in self._blocks.items():
            if name not in self._rows:
                found.setdefault(page, []).append(name)
        return found

    def __contains__(self, name: str) -> bool:
        return name in self._rows or name in self._blocks

    def place(self, name: str) -> tuple[int, int] | None:
        """The index of the page that a name is on, and how far down."""
        if name in self._rows:
            place = self._rows[name]
            shown = rows_on_page(place.handle.layout, place.fragment, self._frame.top + place.fragment.y)
            return place.page, int(shown.tops[shown.own[place.row - place.fragment.start]])
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


def _places(laid: TableLayoutHandle, runs: Sequence[TableFragments]) -> Iterator[tuple[str, _Row]]:
    """The names of a table's cells with where they are, in the order they are printed."""
    names = list(_named_rows(laid.layout))
    pieces = [(fragment, run.first_page + fragment.page) for run in runs for fragment in run.fragments] if names else []
    pieces.sort(key=lambda each: (each[0].start, each[0].end, each[1]))
    for name, row in names:
        at = bisect_right(pieces, row, key=lambda each: each[0].start) - 1
        while at > 0 and pieces[at - 1][0].end > row:
            at -= 1  # the row is split, and this is a later part of it
        if at >= 0 and row < pieces[at][0].end:
            fragment, page = pieces[at]
            yield name, _Row(page, laid, fragment, row)


def _named_rows(layout: TableLayout) -> Iterator[tuple[str, int]]:
    """The names of a table's cells with their first printed rows, in the order they are printed."""
    found: list[tuple[int, str]] = []
    for number, plan in enumerate(layout.plans[layout.page_kinds :]):
        printed = layout.rows.of_kind[number]
        for cell in plan.cells if len(printed) else ():
            if cell.anchors is None:
                continue
            encoded = as_array(cell.anchors.texts).take(layout.rows.index[printed]).dictionary_encode()
            names, first = np.unique(encoded.indices.to_numpy(zero_copy_only=False), return_index=True)
            texts = encoded.dictionary.to_pylist()
            found += [(int(printed[at]), texts[name]) for name, at in zip(names, first, strict=True) if texts[name]]
    for row, name in sorted(found):
        yield name, row


def has_anchors(table: TableBlock) -> bool:
    """Whether any of a table's cells have names."""
    return any(cell.anchor is not None for cell in table.cells())
