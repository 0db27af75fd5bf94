"""The pages of a document: stretches of one orientation, and the columns or labels that blocks flow through on each.

Blocks are placed area by area, as if each were a page of its own; here areas are put side by side onto pages.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import TypeVar

from northmoor.core.base.replace import replace
from northmoor.core.layout.flow.fragments import BodyBox, TableFragments
from northmoor.core.layout.flow.placement import OutlineEntry, PlacedFragments, Placement, RecordBatch, RecordStart
from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.simple import BreakBlock
from northmoor.core.model.pages import PageSetup

Listable = TypeVar("Listable", OutlineEntry, RecordStart)


@dataclass(frozen=True)
class PageSequence:
    """Pages of one paper, one after another: the index of the first, and where their body lies."""

    first: int
    page: PageSetup
    frame: BodyBox

    @cached_property
    def areas(self) -> list[tuple[int, int]]:
        """Where its columns or labels are."""
        return column_offsets(self.page, self.frame)


def page_sequences(blocks: Sequence[Block], page: PageSetup) -> Iterator[tuple[PageSetup, list[Block]]]:
    """An edition's blocks by the paper that they are on: a page break may turn it."""
    own: list[Block] = []
    for block in blocks:
        if isinstance(block, BreakBlock) and block.orientation not in (None, page.orientation):
            if own:
                yield page, own
            page, own = page.but(orientation=block.orientation), []
        else:
            own.append(block)
    yield page, own


def area_size(page: PageSetup, frame: BodyBox) -> tuple[int, int]:
    """Width and height of each column or label of a body."""
    width = (frame.width - (page.columns - 1) * page.column_gap) // page.columns
    height = (frame.height - (page.rows - 1) * page.row_gap) // page.rows
    return width, height


def column_offsets(page: PageSetup, frame: BodyBox) -> list[tuple[int, int]]:
    """How far each column or label is from the body's left edge and its top, in the order they are filled."""
    width, height = area_size(page, frame)
    lefts = [at * (width + page.column_gap) for at in range(page.columns)]
    tops = [at * (height + page.row_gap) for at in range(page.rows)]
    if page.fill_first == "down":
        return [(left, top) for left in lefts for top in tops]
    return [(left, top) for top in tops for left in lefts]


def column_of(areas: Sequence[tuple[int, int]], left: int, y: int) -> int:
    """The area that something is in, by its place in the body."""
    return max((at for at, (x, top) in enumerate(areas) if x <= left and top <= y), key=areas.__getitem__, default=0)


def impose(placed: Placement, areas: Sequence[tuple[int, int]], first: int, whole: Placement) -> None:
    """Add what has been placed area by area to a whole document, from a page on."""
    count = len(areas)
    is_moved = first > 0 or count > 1

    def page_of(area: int) -> int:
        return first + area // count

    def moved(each: Listable) -> Listable:
        y = each.y + areas[each.page % count][1]
        return replace(each, page=page_of(each.page), y=y) if is_moved else each

    put = _on_pages(placed, areas, first)
    for page, parts in put.lines.items():
        whole.lines.setdefault(page, []).extend(parts)
    whole.tables += put.tables
    whole.batches += [_batch(each, areas, first) if is_moved else each for each in placed.batches]
    for name, (area, y) in placed.blocks.items():
        whole.blocks.setdefault(name, (page_of(area), y + areas[area % count][1]))
    whole.layouts |= placed.layouts
    whole.restarts |= {page_of(area) for area in placed.restarts}
    whole.entries += map(moved, placed.entries)
    whole.record_starts += map(moved, placed.record_starts)
    whole.has_lists |= placed.has_lists
    whole.pages = page_of(placed.pages - 1) + 1


def _on_pages(placed: PlacedFragments, areas: Sequence[tuple[int, int]], first: int) -> PlacedFragments:
    """What is in areas, on the pages from one on."""
    put, count = PlacedFragments(), len(areas)
    for area, parts in placed.lines.items():
        left, top = areas[area % count]
        own = [part.moved(left, top, part.depth) for part in parts] if left or top else parts
        put.lines.setdefault(first + area // count, []).extend(own)
    for run in placed.tables:
        put.tables += _runs(run, areas, first)
    return put


def _batch(batch: RecordBatch, areas: Sequence[tuple[int, int]], first: int) -> RecordBatch:
    """Records that are in areas, on the pages from one on."""
    begin, last = (first + area // len(areas) for area in (batch.first, batch.last))
    held = None if batch.fragments_held is None else _on_pages(batch.fragments_held, areas, first)
    return RecordBatch(begin, last, lambda: _on_pages(batch.place(), areas, first), batch.recent, held)


def _runs(run: TableFragments, areas: Sequence[tuple[int, int]], first: int) -> Iterator[TableFragments]:
    """A table's slices by the column or label that they are in."""
    count = len(areas)
    if count == 1:
        yield replace(run, first_page=run.first_page + first) if first else run
        return
    for number, (left, top) in enumerate(areas):
        own = [
            replace(
                piece, page=(run.first_page + piece.page) // count, y=piece.y + top,
                foot=None if piece.foot is None else piece.foot + top,
            )
            for piece in run.fragments
            if (run.first_page + piece.page) % count == number
        ]  # fmt: skip
        if own:
            yield TableFragments(run.handle, own, first, run.left + left, run.whole or run.fragments, run.depth)
