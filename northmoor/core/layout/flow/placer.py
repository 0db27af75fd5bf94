"""Blocks placed down pages, one after another: which page each begins on and how far down, for-each blocks record by
record and grids row by row.

Everything that takes part in it has been computed and, for tables, laid out for many records at once; what is done here
for a record is only to place it.
"""

from collections.abc import Sequence
from functools import cache
from itertools import groupby
from typing import Any

from northmoor.core.base.lazy_exports import load_by_name
from northmoor.core.base.replace import replace
from northmoor.core.compute.table.evaluation import TableData
from northmoor.core.errors import Cancelled, NorthmoorError, Place, mistakes_caught
from northmoor.core.layout.flow.cursor import Cursor
from northmoor.core.layout.flow.fragments import (
    BoxFragment,
    PaintOrder,
    TextFragment,
)
from northmoor.core.layout.flow.layout_pass import ENDLESS, LayoutPass, PlaceBlock, RecordScope, Region
from northmoor.core.layout.flow.leaf_boxes import (
    LeafBox,
    alignment_offset,
)
from northmoor.core.layout.flow.placement import PagePosition
from northmoor.core.layout.flow.text_evaluation import TextEvaluator, content_of
from northmoor.core.layout.geometry import Rect
from northmoor.core.layout.graphics.display_list import Layer, SourceRef
from northmoor.core.layout.inline.paragraph import Paragraph, fault_paragraph
from northmoor.core.layout.inline.rich_text import RichText
from northmoor.core.layout.table.horizontal_split import lay_out_split
from northmoor.core.model.blocks.block_types import BLOCK_TYPE_OF_KIND, Block
from northmoor.core.model.blocks.containers import ForEachBlock, FrameBlock, GridBlock
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.blocks.text import TextBlock


@cache
def placer_of(kind: str) -> PlaceBlock:
    """The function that places blocks of a kind."""
    place: PlaceBlock = load_by_name(BLOCK_TYPE_OF_KIND[kind].placer)
    return place


class BlockPlacer(Cursor):
    """Places blocks one after another."""

    def __init__(self, layout_pass: LayoutPass, room: Region, in_batches: bool = False) -> None:
        super().__init__(room)
        self.layout_pass, self.context, self.results = layout_pass, layout_pass.context, layout_pass.results
        self.evaluator = TextEvaluator(layout_pass.results, layout_pass.context, layout_pass.texts)
        self.in_batches = in_batches
        """Whether records of outermost for-each blocks, and many in one of those, are placed in batches."""

    def blocks(self, blocks: Sequence[Block], scope: RecordScope) -> None:
        """Place some blocks, one after another."""
        for at, block in enumerate(blocks):
            self.context.stop.raise_if_cancelled()
            if not self.evaluator.visible(block, scope):
                continue
            if isinstance(block, TextBlock) and block.stays_with_next:
                self.reserve(min(self._least(blocks[at:], scope), self.region.height))
            try:
                with mistakes_caught("laying it out"):
                    self._block(block, scope)
            except Cancelled:
                raise
            except NorthmoorError as error:
                self._fault(block.name, error)
            self._bottom = self.used if self.used else self._bottom
            self.used += block.space_after if not isinstance(block, ForEachBlock) else 0

    def _block(self, block: Block, scope: RecordScope) -> None:
        placer_of(block.kind)(self, block, scope)

    def _fault(self, block: str, error: NorthmoorError) -> None:
        """Say in a block's place why it is not there."""
        place = Place(error.place.connection, error.place.query, block=block)
        self.context.find("faulty block", place, error.message)
        self.add_paragraph(fault_paragraph(str(error), self.region.width, SourceRef(block, "fault"), self.context))

    def _least(self, blocks: Sequence[Block], scope: RecordScope) -> int:
        """The height of a text with as much of what follows as must be on its page."""
        sub = BlockPlacer(self.layout_pass, Region(0, self.region.width, ENDLESS))
        first, rest = blocks[0], blocks[1:]
        sub.blocks([first.but(stays_with_next=False)], scope)
        below = next((block for block in rest if self.evaluator.visible(block, scope)), None)
        if below is None:
            return sub.height
        if isinstance(below, TextBlock) and below.stays_with_next:
            return sub.used + self._least(rest[rest.index(below) :], scope)
        if isinstance(below, TableBlock):
            return sub.used + self._least_of_table(below, scope)
        if isinstance(below, MatrixBlock | ForEachBlock | GridBlock | FrameBlock):
            return sub.used + 3 * self.context.base.size
        sub.blocks([below], scope)
        return sub.height

    def _least_of_table(self, block: TableBlock, scope: RecordScope) -> int:
        """The height of a table's head with the first rows that stay together, or of all of it."""
        correlated, found = self.results.correlated[block.name], self.results.data[block.name]
        if not isinstance(found, TableData):
            return 0
        if correlated.join_keys:
            table = self.layout_pass.table(block.name, self.region)
            record = scope.around[str(correlated.host)]
            if not table.has_rows(record):
                return 0
            if block.keep_together:
                return table.height(record)
            layout, (start, _) = table.part(record).layout, table.stretch(record)
        else:
            layout, start = lay_out_split(block, found, self.region.width, self.context)[0], 0
            if block.keep_together:
                return layout.height_of(layout.head_rows(True)) + int(layout.metrics.heights.sum())
        stay = int(layout.metrics.keep_with_next[start]) if len(layout.metrics) else 0
        first = layout.metrics.heights[start : start + stay + 1]
        return layout.height_of(layout.head_rows(True)) + int(first.sum())

    # what is printed

    def add_template(self, template: str, block: str, style: str | None, row: str) -> None:
        """Place a template's text as a paragraph."""
        look = self.context.look(style)
        self.add_paragraph(
            self.evaluator.paragraph(content_of(template), look, self.region.width, block, row, RecordScope())
        )

    def add_paragraph(self, paragraph: Paragraph | RichText, link: str = "", left: int = 0) -> None:
        height, own = self.region.height, paragraph.height
        left, width = self.region.left + left, self.region.width - left
        if own <= height:
            self.reserve(own)
            self.add(TextFragment(paragraph, self.used, left=left, width=width, link=link))
            self.used += own
            return
        start = 0
        while start < len(paragraph.lines):
            self.reserve(height)
            end = paragraph.fitting(start, height)
            self.add(TextFragment(paragraph, self.used, start, end, left, width, link))
            self.used = paragraph.height_of(start, end)
            start = end

    # what is drawn

    def add_box(
        self, block: Any, leaf: LeafBox | Paragraph, scope: RecordScope, link: str = "", words: str | None = None
    ) -> None:
        if isinstance(leaf, Paragraph):
            self.add_paragraph(leaf)
            return
        height = min(leaf.height, self.region.height)
        self.reserve(height)
        record = None if scope.records is None else scope.index
        left = self.region.left + alignment_offset(self.region.width, leaf.width, getattr(block, "align", "start"))
        part = BoxFragment(
            block.name, self.used, leaf.width, height, leaf.draw, left, block.kind, record, link=link, words=words
        )
        self.add(part)
        self.used += height

    # blocks over rows

    # blocks that hold others

    def measured(self, blocks: Sequence[Block], scope: RecordScope, width: int) -> "BlockPlacer":
        """Blocks placed in a room without pages."""
        sub = BlockPlacer(self.layout_pass, Region(0, width, ENDLESS))
        sub.blocks(blocks, scope)
        return sub

    def placed_from(
        self, blocks: Sequence[Block], scope: RecordScope, left: int, width: int, at: PagePosition
    ) -> "BlockPlacer":
        """Blocks placed down the pages of this room, from a place on, in a part of its width."""
        room = replace(self.region, left=self.region.left + left, width=max(width, 1000))
        sub = BlockPlacer(self.layout_pass, room)
        sub.page, sub.used = at.page + at.y // room.height, at.y % room.height
        sub.blocks(blocks, scope)
        return sub

    def absorb(self, sub: "BlockPlacer", at: PagePosition, z_index: int | None = None) -> None:
        """Take over what has been placed down the pages: where it is, or, of a frame that begins at a place, with that
        in front of items of lower indices."""

        def depth(page: int, y: int, own: PaintOrder) -> PaintOrder:
            return own if z_index is None else PaintOrder(y - (at.y if page == at.page else 0), z_index)

        for page, parts in sub.placement.lines.items():
            for part in parts:
                self.add(part.moved(0, 0, depth(page, part.y, part.depth)), page)
        for run in sub.placement.tables:
            for page, own in groupby(run.fragments, key=lambda piece: piece.page):
                here = [*own]
                deep = depth(run.first_page + page, here[0].y, run.depth)
                self.add_run(replace(run, fragments=here, whole=run.whole or run.fragments, depth=deep))
        noted = sub.placement
        noted.lines, noted.tables = {}, []
        self.placement.note(noted)

    def take(self, sub: "BlockPlacer", left: int, y: int, depth: PaintOrder | None = None) -> None:
        """Place what has been measured at a place on this page, in a frame of a given depth."""

        def sunk(part: Any, down: int) -> PaintOrder:
            own: PaintOrder = part.depth
            return own if depth is None else PaintOrder(depth.z_offset + down, depth.z_index)

        self.resolve_awaited(self.page, y)
        for name, (_, down) in sub.placement.blocks.items():
            self.placement.blocks.setdefault(name, (self.page, y + down))
        for part in sub.placement.lines.get(0, ()):
            self.add(part.moved(left, y, sunk(part, part.y)))
        for run in sub.placement.tables:
            fragments = [
                replace(s, y=s.y + y, foot=None if s.foot is None else s.foot + y) for s in run.fragments
                if run.first_page + s.page == 0
            ]  # fmt: skip
            if fragments:
                deep = sunk(run, run.fragments[0].y)
                run = replace(run, fragments=fragments, first_page=self.page, left=run.left + left, depth=deep)
                self.add_run(run)
        self.placement.entries += [replace(e, page=self.page, y=y + e.y) for e in sub.placement.entries if e.page == 0]
        self.placement.record_starts += [
            replace(b, page=self.page, y=y + b.y) for b in sub.placement.record_starts if b.page == 0
        ]
        self.placement.has_lists |= sub.placement.has_lists


def no_layers(_: Rect) -> tuple[Layer, ...]:
    return ()
