"""The columns and rows of a grid: how wide and how high each is, and where a grid may be parted."""

from collections.abc import Iterator, Mapping, Sequence
from itertools import pairwise

import numpy as np

from northmoor.core.layout.flow.fragments import BoxFragment, FixedPart, TextFragment
from northmoor.core.layout.flow.placement import PlacedFragments
from northmoor.core.layout.inline.paragraph import Paragraph
from northmoor.core.layout.inline.rich_text import RichText
from northmoor.core.model.blocks.containers import GridBlock, GridCell


def track_widths(block: GridBlock, width: int, needed: Mapping[int, int] | None = None) -> list[int]:
    """The widths of a grid's columns: fixed ones as they are, those by content as wide as `needed` says, up to half of
    the grid, then the shares of what is left; all together as wide as the room."""
    known = needed or {}
    fixed = [
        min(known.get(at, 0), width // 2) if track.width is None and track.by_content else track.width
        for at, track in enumerate(block.tracks)
    ]
    free = width - (len(block.tracks) - 1) * block.gap - sum(own or 0 for own in fixed)
    shares = [0.0 if own is not None else track.share for own, track in zip(fixed, block.tracks, strict=True)]
    edges = np.rint(np.cumsum([0.0, *shares]) / (sum(shares) or 1.0) * max(free, 0)).astype(int).tolist()
    return [max(own if own is not None else edges[at + 1] - edges[at], 1000) for at, own in enumerate(fixed)]


def cell_places(block: GridBlock, width: int, needed: Mapping[int, int]) -> tuple[list[int], list[int]]:
    """How far each cell is from the grid's left edge, and how wide it is."""
    widths = track_widths(block, width, needed)
    lefts = [sum(widths[: cell.column]) + cell.column * block.gap for cell in block.cells]
    spans = [sum(widths[cell.column : cell.column + cell.columns]) + (cell.columns - 1) * block.gap
             for cell in block.cells]  # fmt: skip
    return lefts, spans


def columns_by_content(block: GridBlock) -> Iterator[tuple[int, GridCell]]:
    """The columns that are as wide as their content, each with every cell that is in it alone."""
    for cell in block.cells:
        track = block.tracks[cell.column]
        if track.by_content and track.width is None and cell.columns == 1:
            yield cell.column, cell


def row_heights(block: GridBlock, cells: Sequence[tuple[GridCell, int]]) -> list[int]:
    """The heights of a grid's rows: that of the highest cell, and the last of those that a cell spans is as high as it
    needs to be."""
    heights = [block.minimum_row_height] * max((cell.row + cell.rows for cell, _ in cells), default=0)
    for cell, height in sorted(cells, key=lambda each: each[0].rows):
        last = cell.row + cell.rows - 1
        others = sum(heights[cell.row : last]) + (cell.rows - 1) * block.gap
        heights[last] = max(heights[last], height + 2 * cell.padding - others)
    return heights


def spanned_rows(block: GridBlock, rows: int) -> Iterator[tuple[int, int]]:
    """Rows that no cell spans the edge of can be parted: the first and the end of each stretch."""
    joined = {row for cell in block.cells for row in range(cell.row + 1, cell.row + cell.rows)}
    edges = [row for row in range(rows) if row not in joined]
    yield from pairwise((*edges, rows))


def max_content_width(placed: PlacedFragments) -> int:
    """The width that texts, pictures and small blocks need; charts and tables take all there is."""
    if placed.tables:
        return max(run.layout.edges[-1] for run in placed.tables)
    return max((_width(part) for parts in placed.lines.values() for part in parts), default=0)


def _width(part: FixedPart) -> int:
    if isinstance(part, TextFragment):
        return part.left + _of_text(part.block)
    return part.left + part.width if isinstance(part, BoxFragment) and part.kind != "grid-cell" else part.width


def _of_text(text: Paragraph | RichText) -> int:
    inset = 2 * text.look.inset
    if isinstance(text, RichText):
        ends = [
            bit.x + bit.width - min(own.x for own in line.fragments) for line in text.lines for bit in line.fragments
        ]
        return max(ends, default=0) + inset
    numbers = np.array(text.lines, np.int32)
    return int(text.shaper.widths(numbers, text.face.size).max(initial=0)) + inset
