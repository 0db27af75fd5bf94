"""Blocks placed down pages, one after another: which page each begins on and how far down, for-each blocks record by
record and grids row by row.

Everything that takes part in it has been computed and, for tables, laid out for many records at once; what is done here
for a record is only to place it.
"""

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from northmoor.core.compute.chartdata import ArrangedChart
from northmoor.core.compute.kinds import ArrangedBlock
from northmoor.core.compute.matrix import ArrangedMatrix
from northmoor.core.compute.table import ArrangedTable
from northmoor.core.errors import LayoutError, NorthmoorError, Place, Stopped
from northmoor.core.layout.chartview import View
from northmoor.core.layout.cursor import Cursor
from northmoor.core.layout.display import Layer, Origin
from northmoor.core.layout.drawings import Area
from northmoor.core.layout.grids import columns_by_content, joined_rows, row_heights
from northmoor.core.layout.leaves import Leaf, aligned, barcode_leaf, picture_leaf, rule_leaf, shape_leaf
from northmoor.core.layout.listing import listed_lines
from northmoor.core.layout.matrix import lay_out_matrix
from northmoor.core.layout.natural import natural_width
from northmoor.core.layout.paginate import Slice
from northmoor.core.layout.paragraph import Paragraph, fault_paragraph
from northmoor.core.layout.parts import ChartPart, Depth, DrawnPart, LaidTable, Lines, TableRun
from northmoor.core.layout.placed import Batch, Begun, Entry, Parts, Placed
from northmoor.core.layout.readouts import readout_leaf
from northmoor.core.layout.records import Records
from northmoor.core.layout.richtext import RichText, make_rich_text
from northmoor.core.layout.sheets import lay_out_sheets, sheets_on_pages
from northmoor.core.layout.shelf import ENDLESS, Room, Scope, Shelf
from northmoor.core.layout.table import TableLayout
from northmoor.core.layout.telling import Telling, content_of
from northmoor.core.model.blocks import Block, DataBlock, ForEachBlock, FrameBlock, GridBlock
from northmoor.core.model.charts import Chart, ChartBlock
from northmoor.core.model.leaves import (
    BarcodeBlock,
    BreakBlock,
    ContentsBlock,
    IncludeBlock,
    ReadoutBlock,
    RuleBlock,
    ShapeBlock,
    SpacerBlock,
)
from northmoor.core.model.matrices import MatrixBlock
from northmoor.core.model.pictures import PictureBlock
from northmoor.core.model.tables import TableBlock
from northmoor.core.model.texts import TextBlock

PARTS_OF_BATCH = 1_000
"""How many parts the records of a batch have together, or somewhat more."""
MANY_RECORDS = 50
"""How many records in another one are placed in batches of their own."""
PARTS_HELD = 50_000
"""How many parts of records are held, about 500 bytes each; records after those are placed again."""


class Flow(Cursor):
    """Places blocks one after another."""

    def __init__(self, shelf: Shelf, room: Room, in_batches: bool = False) -> None:
        super().__init__(room)
        self.shelf, self.setting, self.given = shelf, shelf.setting, shelf.given
        self.telling = Telling(shelf.given, shelf.setting, shelf.texts)
        self._in_batches = in_batches
        """Whether records of outermost for-each blocks, and many in one of those, are placed in batches."""

    def blocks(self, blocks: Sequence[Block], scope: Scope) -> None:
        """Place some blocks, one after another."""
        for at, block in enumerate(blocks):
            self.setting.stop.check()
            if not self.telling.visible(block, scope):
                continue
            if isinstance(block, TextBlock) and block.stays_with_next:
                self._make_room(min(self._least(blocks[at:], scope), self.room.height))
            try:
                self._block(block, scope)
            except Stopped:
                raise
            except NorthmoorError as error:
                self._fault(block.name, error)
            self._bottom = self.used if self.used else self._bottom
            self.used += block.space_after if not isinstance(block, ForEachBlock) else 0

    def _block(self, block: Block, scope: Scope) -> None:
        placer = _PLACERS.get(type(block), Flow._leaf)
        placer(self, block, scope)

    def _fault(self, block: str, error: NorthmoorError) -> None:
        """Say in a block's place why it is not there."""
        place = Place(error.place.connection, error.place.query, block=block)
        self.setting.find("faulty block", place, error.message)
        self._paragraph(fault_paragraph(str(error), self.room.width, Origin(block, "fault"), self.setting))

    def _least(self, blocks: Sequence[Block], scope: Scope) -> int:
        """The height of a text with as much of what follows as must stand on its page."""
        sub = Flow(self.shelf, Room(0, self.room.width, ENDLESS))
        first, rest = blocks[0], blocks[1:]
        sub.blocks([first.but(stays_with_next=False)], scope)
        below = next((block for block in rest if self.telling.visible(block, scope)), None)
        if below is None:
            return sub.height
        if isinstance(below, TextBlock) and below.stays_with_next:
            return sub.used + self._least(rest[rest.index(below) :], scope)
        if isinstance(below, TableBlock):
            return sub.used + self._least_of_table(below, scope)
        if isinstance(below, MatrixBlock | ForEachBlock | GridBlock | FrameBlock):
            return sub.used + 3 * self.setting.base.size
        sub.blocks([below], scope)
        return sub.height

    def _least_of_table(self, block: TableBlock, scope: Scope) -> int:
        """The height of a table's head with the first rows that stay together, or of all of it."""
        hosted, found = self.given.hosted[block.name], self.given.arranged[block.name]
        if not isinstance(found, ArrangedTable):
            return 0
        if hosted.ties:
            table = self.shelf.table(block.name, self.room)
            record = scope.around[str(hosted.host)]
            if not table.has_rows(record):
                return 0
            if block.keep_together:
                return table.height(record)
            layout, (start, _) = table.part(record).layout, table.stretch(record)
        else:
            layout, start = lay_out_sheets(block, found, self.room.width, self.setting)[0], 0
            if block.keep_together:
                return layout.height_of(layout.head_rows(True)) + int(layout.strip.heights.sum())
        stay = int(layout.strip.stay[start]) if len(layout.strip) else 0
        first = layout.strip.heights[start : start + stay + 1]
        return layout.height_of(layout.head_rows(True)) + int(first.sum())

    # what is said

    def _text(self, block: TextBlock, scope: Scope) -> None:
        link = self.telling.address(block.link, scope)
        if block.listed != "none":
            said, _ = self.telling.said(content_of(block.template), block.name, scope)
            title = " ".join(said.split()) or "–"
            self._awaited.append(Entry(0, 0, title, block.heading - 1 + len(scope.around), block.listed))
        if not block.is_rich:
            self._paragraph(self.telling.text(block, self.room.width, scope), link)
            return
        look = self.setting.look(block.style, block.look)
        runs = [self.telling.run(block.name, block.text, look, link, scope)]
        for run in block.runs:
            own = self.setting.look(run.style, run.look, look)
            runs.append(
                self.telling.run(block.name, run.text, own, self.telling.address(run.link, scope) or link, scope)
            )
        origin = self.telling.origin(block.name, "text", scope)
        width = self.room.width
        self._paragraph(make_rich_text(runs, look, block.marker, block.tabs, width, origin, self.setting))

    def _write(self, template: str, block: str, style: str | None, row: str) -> None:
        """Place a template's text as a paragraph."""
        look = self.setting.look(style)
        self._paragraph(self.telling.paragraph(content_of(template), look, self.room.width, block, row, Scope()))

    def _paragraph(self, paragraph: Paragraph | RichText, link: str = "", left: int = 0) -> None:
        height, own = self.room.height, paragraph.height
        left, width = self.room.left + left, self.room.width - left
        if own <= height:
            self._make_room(own)
            self._add(Lines(paragraph, self.used, left=left, width=width, link=link))
            self.used += own
            return
        start = 0
        while start < len(paragraph.lines):
            self._make_room(height)
            end = paragraph.fitting(start, height)
            self._add(Lines(paragraph, self.used, start, end, left, width, link))
            self.used = paragraph.height_of(start, end)
            start = end

    # what is drawn

    def _picture(self, block: PictureBlock, scope: Scope) -> None:
        """Place a picture whole; one that cannot be read is found now, not only when its page is drawn."""
        value, fault = (None, None) if block.value is None else self.telling.value(block.value, scope)
        if fault is not None:
            raise LayoutError(fault)
        shown = None if value is None else value.as_py()
        if block.value is not None and shown is None:
            return
        origin = self.telling.origin(block.name, "picture", scope)
        leaf = picture_leaf(block, shown, self.room.width, origin, self.setting)
        self._placed_leaf(block, leaf, scope, self.telling.address(block.link, scope))

    def _leaf(self, block: Any, scope: Scope) -> None:
        self._placed_leaf(block, self._made(block, scope), scope)

    def _placed_leaf(self, block: Any, leaf: Leaf | Paragraph, scope: Scope, link: str = "") -> None:
        if isinstance(leaf, Paragraph):
            self._paragraph(leaf)
            return
        height = min(leaf.height, self.room.height)
        self._make_room(height)
        record = None if scope.records is None else scope.index
        left = self.room.left + aligned(self.room.width, leaf.width, getattr(block, "align", "start"))
        part = DrawnPart(block.name, self.used, leaf.width, height, leaf.draw, left, block.kind, record, link=link)
        self._add(part)
        self.used += height

    def _made(self, block: Any, scope: Scope) -> Leaf | Paragraph:
        width = self.room.width
        if isinstance(block, RuleBlock):
            return rule_leaf(block, width)
        if isinstance(block, ShapeBlock):
            return shape_leaf(block, width)
        if isinstance(block, BarcodeBlock):
            text, is_faulty = self.telling.said(content_of(block.text), block.name, scope)
            if is_faulty:
                return fault_paragraph(text, width, self.telling.origin(block.name, "barcode", scope), self.setting)
            return barcode_leaf(block, text, width, self.setting)
        assert isinstance(block, ReadoutBlock)
        telling, name = self.telling, block.name
        return readout_leaf(
            block, lambda text, look: telling.paragraph(text, look, width, name, "readout", scope),
            lambda text: telling.said(text, name, scope), lambda text: telling.value(text, scope), width,
            telling.origin(name, "readout", scope), self.setting,
        )  # fmt: skip

    def _include(self, block: IncludeBlock, _: Scope) -> None:
        """What is still there could not be included; why is among the findings."""
        fault = self.given.missing.get(block.name, "It cannot be included.")
        raise LayoutError(fault, Place(block=block.name))

    def _contents(self, block: ContentsBlock, scope: Scope) -> None:
        self.placed.has_lists = True
        origin = self.telling.origin(block.name, "contents", scope)
        for left, line in listed_lines(block, self.shelf.lists, self.room.width, origin, self.setting):
            self._paragraph(line, left=left)

    def _spacer(self, block: SpacerBlock, _: Scope) -> None:
        if self.used and self.used + block.height <= self.room.height:
            self.used += block.height

    def _break(self, block: BreakBlock, _: Scope) -> None:
        if self.room.is_endless:
            return
        self._go_on(block.on == "column")
        wanted = {"odd": 0, "even": 1}.get(block.on)
        if wanted is not None and self.index % 2 != wanted:
            self.page += self.room.areas
        self.placed.pages = max(self.placed.pages, self.page + 1)

    # blocks over rows

    def _data(self, block: DataBlock, scope: Scope) -> None:
        arranged = self.given.arranged[block.name]
        if isinstance(arranged, NorthmoorError):
            raise arranged
        hosted = self.given.hosted[block.name]
        for note in getattr(arranged, "notes", ()):
            self.setting.find("tree", Place(block=block.name), note, is_error=False)
        if hosted.ties:
            record = scope.around[str(hosted.host)]
            has_rows = bool(self.shelf.groups_of(block.name)[record] >= 0)
            if has_rows or isinstance(block, ChartBlock):
                self._of_record(block, record, scope)
        else:
            has_rows = arranged.has_rows
            self._whole(block, arranged, scope)
        when_empty = getattr(block, "when_empty", None)
        if not has_rows and when_empty:
            self._write(when_empty, block.name, block.style, "empty")

    def _whole(self, block: DataBlock, arranged: ArrangedBlock, scope: Scope) -> None:
        """Place a block that shows the same rows wherever it stands."""
        if isinstance(block, MatrixBlock) and isinstance(arranged, ArrangedMatrix):
            table, sheets = lay_out_matrix(block, arranged, self.room.width, self.setting)
            self._sheets(table, sheets, block.sheets == "down")
        elif isinstance(block, ChartBlock) and isinstance(arranged, ArrangedChart):
            self._chart(block, arranged, 0, self.telling.origin(block.name, "chart", scope))
        elif isinstance(block, TableBlock) and isinstance(arranged, ArrangedTable):
            if self.room.is_endless:
                block = block.but(foot_of_page=False, when_wide="narrow")
            self._sheets(block, lay_out_sheets(block, arranged, self.room.width, self.setting))

    def _of_record(self, block: DataBlock, record: int, scope: Scope) -> None:
        """Place a record's rows of a block."""
        if isinstance(block, TableBlock | MatrixBlock):
            self._stretch(block, record)
            return
        arranged, hosted = self.given.arranged[block.name], self.given.hosted[block.name]
        assert isinstance(arranged, ArrangedTable)
        ((_, chart),) = arranged.charts
        found = arranged.charts[hosted.depth, chart]
        if isinstance(found, NorthmoorError):
            raise found
        group = int(self.shelf.groups_of(block.name)[record])
        host = found.host_of.get(group)
        if host is not None:
            self._chart(block, found, host, self.telling.origin(block.name, "chart", scope), chart)

    def _stretch(self, block: TableBlock | MatrixBlock, record: int) -> None:
        table = self.shelf.table(block.name, self.room)
        if isinstance(block, TableBlock) and block.keep_together:
            height = table.height(record)
            if height <= self.room.height:
                self._make_room(height)
        slices, after = table.pages(record, self.body)
        first = self.page
        self._mark(first + slices[0].page, slices[0].y)
        self.placed.blocks.setdefault(block.name, (first + slices[0].page, slices[0].y))
        self._add_run(TableRun(table.part(record), slices, first, self.room.left))
        self._go_to(first + slices[-1].page, after.used)

    def _chart(
        self, block: ChartBlock, arranged: ArrangedChart, host: int, origin: Origin, chart: Chart | None = None
    ) -> None:
        """Place a chart whole; one that is taller than the body becomes as tall as that."""
        height = min(block.height, self.room.height)
        self._make_room(height)
        view = View(chart or block, arranged, block.query, host, origin, self.setting)
        width = round(self.room.width * block.width)
        self._add(ChartPart(block.name, view, self.used, width, height, self.room.left))
        self.used += height

    def _sheets(self, block: TableBlock, sheets: list[TableLayout], down_first: bool = False) -> None:
        if block.keep_together:
            height = sheets[0].height_of(sheets[0].head_rows(True)) + int(sheets[0].strip.heights.sum())
            self._make_room(height if height <= self.room.height else 0)
        sheets, slices, after = sheets_on_pages(sheets, self.body, self.given.paged, self.setting)
        across, down = len(sheets), slices[-1].page + 1

        def page_of(piece: Slice, sheet: int) -> int:
            return sheet * down + piece.page if down_first else piece.page * across + sheet

        for number, layout in enumerate(sheets):
            own = slices if across == 1 else [replace(s, page=page_of(s, number)) for s in slices]
            self._add_run(TableRun(LaidTable(layout), own, self.page, self.room.left))
        self._mark(self.page + page_of(slices[0], 0), slices[0].y)
        self.placed.blocks.setdefault(block.name, (self.page + page_of(slices[0], 0), slices[0].y))
        restarting = _restarting_rows(block, sheets[0])
        for piece in slices if restarting else ():
            if piece.start in restarting and piece.y == 0:
                self.placed.restarts.add(self.page + page_of(piece, 0))
        self._go_to(self.page + across * down - 1, after.used)

    # blocks that hold others

    def _for_each(self, block: ForEachBlock, scope: Scope) -> None:
        here = self._records_here(block, self.shelf.records(block), scope)
        if self._in_batches and (scope.records is None or len(here) >= MANY_RECORDS):
            is_printed = self._batches(block, here, scope)
        else:
            is_printed, _ = self._records(block, here, scope, False)
        if not is_printed:
            message = "It has no records, so nothing of it is printed."
            self.setting.find("no records", Place(block=block.name), message, is_error=False)

    def _batches(self, block: ForEachBlock, here: range, scope: Scope) -> bool:
        """Place records in batches; whether any has been printed.

        Where the record around them is placed again, its batches are not: what follows begins where they ended.
        """
        passed, key = self.shelf.passed, (block.name, scope.index)
        if key in passed:
            stand, runs, is_printed = passed[key]
            self.begin_at(stand)
            self.shelf.seek(runs)
            return is_printed
        is_printed = False
        while len(here):
            is_printed, here = self._batch(block, here, scope, is_printed)
        passed[key] = self.stand, self.shelf.runs(), is_printed
        return is_printed

    def _batch(self, block: ForEachBlock, here: range, scope: Scope, is_printed: bool) -> tuple[bool, range]:
        """Place the first of some records as a batch; whether any has been printed then, and those that are left.

        What is not held of it is placed again by another flow that begins where this one is now.
        """
        stand, runs = self.stand, self.shelf.runs()

        def place() -> Parts:
            self.shelf.seek(runs)
            again = Flow(self.shelf, self.room, in_batches=True)
            again.begin_at(stand)
            again._records(block, range(here.start, rest.start), scope, is_printed)
            return again.placed.parts

        whole = self.placed
        self.placed = own = Placed()
        is_now, rest = self._records(block, here, scope, is_printed, PARTS_OF_BATCH)
        self.placed = whole
        whole.note(own)
        self.shelf.parts_held += len(own.parts)
        held = own.parts if self.shelf.parts_held <= PARTS_HELD else None
        whole.batches.append(Batch(stand.page, self.page, place, self.shelf.recent, held))
        return is_now, rest

    def _records(
        self, block: ForEachBlock, here: range, scope: Scope, is_printed: bool, most: int | None = None
    ) -> tuple[bool, range]:
        """Place some records one after another, until there are so many parts; whether any has been printed then, and
        the records that are left."""
        records, before = self.shelf.records(block), self._count
        for index in here:
            self.setting.stop.check()
            if most is not None and self._count - before >= most:
                return is_printed, range(index, here.stop)
            inner = Scope(records, index, {**scope.around, block.name: index})
            if block.without_rows == "left_out" and not self._has_rows(block, index):
                continue
            if is_printed and block.page_break != "none":
                self._go_on(block.page_break == "column")
            if block.restart_page_number and not self.used and not self.room.is_endless:
                self.placed.restarts.add(self.page)
            if block.bookmark is not None:
                title, _ = self.telling.said(content_of(block.bookmark), block.name, inner)
                self._awaited.append(Entry(0, 0, title.strip() or "–", len(scope.around)))
            self._awaited.append(Begun(block.name, index))
            self._record(block, inner)
            is_printed = True
        return is_printed, range(here.stop, here.stop)

    def _records_here(self, block: ForEachBlock, records: Records, scope: Scope) -> range:
        """The records that belong to the record around, or all."""
        hosted = self.given.hosted[block.name]
        if not hosted.ties:
            return range(len(records))
        group = int(self.shelf.groups_of(block.name)[scope.around[str(hosted.host)]])
        if group < 0:
            return range(0)
        ends = records.arranged.levels[hosted.depth - 1].starts[group : group + 2]
        begin, end = np.searchsorted(records.groups.starts, ends).tolist()
        return range(begin, end)

    def _has_rows(self, block: ForEachBlock, index: int) -> bool:
        """Whether a record has rows in any block over its details; a for-each without such blocks has them."""
        own = [name for name, hosted in self.given.hosted.items() if hosted.host == block.name]
        return not own or any(self.shelf.groups_of(name)[index] >= 0 for name in own)

    def _record(self, block: ForEachBlock, scope: Scope) -> None:
        if block.keep_together and not self.room.is_endless:
            sub = self._measured(block.blocks, scope, self.room.width)
            if sub.height <= self.room.height:
                self._make_room(sub.height)
                self._take(sub, self.room.left, self.used)
                self.used += sub.height + block.space_after
                return
        self.blocks(block.blocks, scope)
        self.used += block.space_after if self.used else 0

    def _measured(self, blocks: Sequence[Block], scope: Scope, width: int) -> "Flow":
        """Blocks placed in a room without pages."""
        sub = Flow(self.shelf, Room(0, width, ENDLESS))
        sub.blocks(blocks, scope)
        return sub

    def _grid(self, block: GridBlock, scope: Scope) -> None:
        needed: dict[int, int] = {}
        for column, cell in columns_by_content(block):
            sub = self._measured(cell.blocks, scope, self.room.width // 2)
            needed[column] = max(needed.get(column, 0), natural_width(sub.placed) + 2 * cell.padding)
        tracks = self.shelf.tracks(block, self.room.width, needed)
        cells = []
        for cell, left, width in zip(block.cells, *tracks, strict=True):
            sub = self._measured(cell.blocks, scope, max(width - 2 * cell.padding, 1000))
            cells.append((cell, left, width, sub))
        heights = row_heights(block, [(cell, sub.height) for cell, _, _, sub in cells])
        for first, end in joined_rows(block, len(heights)):
            height = sum(heights[first:end]) + (end - first - 1) * block.gap
            if height > self.room.height:
                message = "A row of it is higher than a page, and its foot is cut off; part what stands in it."
                self.setting.find("cut off", Place(block=block.name), message)
            self._make_room(min(height, self.room.height))
            tops = [self.used + sum(heights[first:at]) + (at - first) * block.gap for at in range(first, end + 1)]
            for number, (cell, left, width, sub) in enumerate(cells):
                if not first <= cell.row < end:
                    continue
                top = tops[cell.row - first]
                tall = sum(heights[cell.row : cell.row + cell.rows]) + (cell.rows - 1) * block.gap
                if cell.fill is not None:
                    ground = shape_leaf(_ground(block.name, cell.fill), width)
                    part = DrawnPart(block.name, top, width, tall, ground.draw, self.room.left + left, "grid")
                    self._add(part)
                self._add(DrawnPart(block.name, top, width, tall, _nothing, self.room.left + left, "grid-cell",
                                    item=(block.name, number)))  # fmt: skip
                self._take(sub, self.room.left + left + cell.padding, top + cell.padding)
            self.placed.blocks.setdefault(block.name, (self.page, self.used))
            self.used += height + (block.gap if end < len(heights) else 0)

    def _frame(self, block: FrameBlock, scope: Scope) -> None:
        width = min(block.width or self.room.width, self.room.width)
        subs = [self._of_item(block, number, width, scope) for number in range(len(block.items))]
        grows = block.when_full == "grow"
        extents = [
            max(item.height or 0, sub.height) if grows or item.height is None else item.height
            for item, sub in zip(block.items, subs, strict=True)
        ]
        ends = [item.y + extent for item, extent in zip(block.items, extents, strict=True)] if grows else []
        height = max([block.height, *ends])
        if height > self.room.height:
            message = "It is higher than a page, and its foot is cut off; make it lower, or part it."
            self.setting.find("cut off", Place(block=block.name), message)
        self._make_room(min(height, self.room.height))
        left, top = self.room.left + aligned(self.room.width, width, block.align), self.used
        ground = shape_leaf(_edged(block, height), width)
        self._add(DrawnPart(block.name, top, width, height, ground.draw, left, "frame"))
        for number, (item, sub, extent) in enumerate(zip(block.items, subs, extents, strict=True)):
            depth = Depth(item.y, number + 1)
            for first in item.blocks[:1]:
                self._add(DrawnPart(first.name, top + item.y, min(item.width, width), extent, _nothing, left + item.x,
                                    first.kind, item=(block.name, number), depth=depth))  # fmt: skip
            self._take(sub, left + item.x, top + item.y, depth)
        self.used += height

    def _of_item(self, block: FrameBlock, number: int, width: int, scope: Scope) -> "Flow":
        """What stands in an item of a frame; of a frame that cuts, only as much as there is room for."""
        item = block.items[number]
        room = min(item.height or ENDLESS, block.height - item.y) if block.when_full == "cut" else ENDLESS
        sub = Flow(self.shelf, Room(0, min(item.width, width), max(room, 1000)))
        sub.blocks(item.blocks, scope)
        if sub.height > max(room, 1000):
            sub.placed.tables.clear()  # not even its first row has room
        if sub.placed.pages > 1 or sub.height > max(room, 1000):
            message = f"What stands in item {number + 1} is higher than its place, and its foot is left out."
            self.setting.find("cut off", Place(block=block.name), message)
        return sub

    def _take(self, sub: "Flow", left: int, y: int, depth: Depth | None = None) -> None:
        """Place what has been measured at a place on this page, in a frame as deep as told."""

        def sunk(part: Any, down: int) -> Depth:
            own: Depth = part.depth
            return own if depth is None else Depth(depth.lift + down, depth.layer)

        self._mark(self.page, y)
        for name, (_, down) in sub.placed.blocks.items():
            self.placed.blocks.setdefault(name, (self.page, y + down))
        for part in sub.placed.lines.get(0, ()):
            self._add(part.moved(left, y, sunk(part, part.y)))
        for run in sub.placed.tables:
            slices = [
                replace(s, y=s.y + y, foot=None if s.foot is None else s.foot + y) for s in run.slices
                if run.first_page + s.page == 0
            ]  # fmt: skip
            if slices:
                deep = sunk(run, run.slices[0].y)
                run = replace(run, slices=slices, first_page=self.page, left=run.left + left, depth=deep)
                self._add_run(run)
        self.placed.entries += [replace(e, page=self.page, y=y + e.y) for e in sub.placed.entries if e.page == 0]
        self.placed.begun += [replace(b, page=self.page, y=y + b.y) for b in sub.placed.begun if b.page == 0]
        self.placed.has_lists |= sub.placed.has_lists


_PLACERS: dict[type, Callable[[Flow, Any, Scope], None]] = {
    TextBlock: Flow._text, PictureBlock: Flow._picture, SpacerBlock: Flow._spacer, BreakBlock: Flow._break,
    TableBlock: Flow._data, MatrixBlock: Flow._data, ChartBlock: Flow._data, ForEachBlock: Flow._for_each,
    ContentsBlock: Flow._contents, IncludeBlock: Flow._include, GridBlock: Flow._grid, FrameBlock: Flow._frame,
}  # fmt: skip


def _ground(name: str, fill: str) -> ShapeBlock:
    return ShapeBlock(name=name, fill=fill, stroke=None)


def _edged(block: FrameBlock, height: int) -> ShapeBlock:
    """The ground and the edge of a frame."""
    own = {"fill": block.fill, "stroke": block.stroke, "thickness": block.thickness}
    return ShapeBlock(name=block.name, height=min(height, 5_000_000), **own)


def _nothing(_: Area) -> tuple[Layer, ...]:
    return ()


def _restarting_rows(block: TableBlock, layout: TableLayout) -> set[int]:
    """Printed rows that begin a group of a level at which page numbers restart."""
    rows: set[int] = set()
    for level, groups in zip(block.levels, layout.arranged.levels, strict=True):
        if level.restart_page_number and level.page_break != "none":
            rows |= set(np.asarray(layout.flow.first_at(groups.starts[:-1])).tolist())
    return rows
