"""An edition's blocks flowed down its pages: which part of which block stands where, and pages made as they are
asked for."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache

import numpy as np

from northmoor.core.compute.cells import Computed
from northmoor.core.compute.chartdata import ArrangedChart
from northmoor.core.compute.kinds import ArrangedBlock
from northmoor.core.compute.matrix import ArrangedMatrix
from northmoor.core.compute.table import ArrangedTable
from northmoor.core.errors import NorthmoorError, Place
from northmoor.core.layout.anchors import Anchors
from northmoor.core.layout.celltext import report_faults
from northmoor.core.layout.chartview import View
from northmoor.core.layout.context import Setting
from northmoor.core.layout.display import Bookmark, Layer, Origin, Page
from northmoor.core.layout.matrix import lay_out_matrix
from northmoor.core.layout.paginate import Body, Slice
from northmoor.core.layout.palette import colors_of
from northmoor.core.layout.paragraph import Paragraph, fault_paragraph, make_paragraph, paragraph_layers
from northmoor.core.layout.parts import ChartPart, Frame, Lines, Part, TablePart, TableRun
from northmoor.core.layout.placedcells import CellPlacer
from northmoor.core.layout.running import (
    RunningLayout,
    lay_out_running,
    picture_layers,
    picture_or_fault,
    running_height,
    running_texts,
    slots_of,
    template_by_page,
)
from northmoor.core.layout.sheets import lay_out_sheets, sheets_on_pages
from northmoor.core.layout.table import Paged, TableLayout
from northmoor.core.layout.tablepage import table_bookmarks, table_layers
from northmoor.core.model.blocks import DataBlock, PictureBlock, TextBlock
from northmoor.core.model.charts import Chart, ChartBlock
from northmoor.core.model.looks import Look
from northmoor.core.model.matrices import MatrixBlock
from northmoor.core.model.report import Edition
from northmoor.core.model.tables import TableBlock

Arranged = Mapping[str, ArrangedBlock | NorthmoorError]
"""The arrangement of each block over a query's rows by its name, or why there is none."""
Running = Callable[[list[str], Sequence[int], Sequence[int]], Mapping[str, Computed]]
"""Computes header and footer expressions from each page's number and count."""


@dataclass
class Composition:
    """An edition on its pages: the parts of each page, and the numbers their headers print."""

    edition: Edition
    frame: Frame
    setting: Setting
    arranged: Arranged = field(default_factory=dict)
    pages: int = 1
    lines: dict[int, list[Lines | ChartPart]] = field(default_factory=dict)
    tables: list[TableRun] = field(default_factory=list)
    numbers: tuple[int, ...] = ()
    counts: tuple[int, ...] = ()
    blocks: dict[str, tuple[int, int]] = field(default_factory=dict)
    """Where each block begins: the index of its page, and how far down the body."""
    said: Mapping[str, Computed] = field(default_factory=dict)
    """The expressions of its paragraphs."""
    running: Mapping[str, Computed] = field(default_factory=dict)
    """The expressions of its header and footer, with one value a page."""
    header: RunningLayout = field(init=False)
    footer: RunningLayout = field(init=False)

    def __len__(self) -> int:
        return self.pages

    @cached_property
    def anchors(self) -> Anchors:
        """The places that links go to."""
        return Anchors(self.tables, self.blocks, self.frame)

    def parts(self, index: int) -> list[Part]:
        """What stands on the page of an index, from the top."""
        tables = [part for run in self.tables if (part := run.on_page(index)) is not None]
        found: list[tuple[int, Part]] = [(part.piece.y, part) for part in tables]
        own: list[Lines | ChartPart] = self.lines.get(index, [])
        found += [(part.y, part) for part in own]
        return [part for _, part in sorted(found, key=lambda each: each[0])]

    def page(self, index: int) -> Page:
        """The finished page of an index from 0."""
        layers: list[Layer] = []
        bookmarks: list[Bookmark] = []
        frame = self.frame
        parts = self.parts(index)
        if not parts and self.pages > 1:
            return Page(index + 1, *self.edition.page.paper, ())
        layers += self.header.layers(index)
        for part in parts:
            if isinstance(part, TablePart):
                top = frame.top + part.piece.y
                layers += table_layers(part.layout, part.placer, part.piece, frame.left, top, self.setting.shapers)
                bookmarks += table_bookmarks(part.layout, part.piece, top)
            elif isinstance(part, ChartPart):
                layers += part.laid(frame).layers
            else:
                layers += self._lines(part)
        layers += self.footer.layers(index)
        width, height = self.edition.page.paper
        return Page(index + 1, width, height, tuple(layers), tuple(bookmarks), self.anchors.on_page(index))

    def _lines(self, part: Lines) -> tuple[Layer, ...]:
        left, y = self.frame.left, self.frame.top + part.y
        if isinstance(part.block, Paragraph):
            return paragraph_layers(part.block, left, y, part.start, part.end)
        block, width = part.block, self.frame.width
        origin = Origin(block.name, "picture")
        return picture_layers(block.file, block.height, block.align, (left, y, width), origin, self.setting)


def compose(
    edition: Edition,
    arranged: Arranged,
    texts: Mapping[str, Computed],
    running: Running,
    paged: Paged,
    setting: Setting,
) -> Composition:
    """Flow an edition's blocks down its pages.

    `texts` are the computed expressions of its paragraphs, `running` computes those of header and footer once the
    number of pages is known, and `paged` those of a table's pages once its breaks are known.
    """
    composition = Composition(edition, _frame(edition, setting), setting, arranged)
    setting.colors = colors_of(_charts(edition, arranged))
    flow = _Flow(composition, paged)
    for block in edition.blocks:
        setting.stop.check()
        if isinstance(block, DataBlock):
            flow.data(block, arranged[block.name], texts)
        elif isinstance(block, TextBlock):
            flow.text(block, texts)
        else:
            flow.picture(block)
    composition.numbers, composition.counts = _page_numbers(len(composition), frozenset(flow.restarts))
    wanted = slots_of(running_texts(edition.header) + running_texts(edition.footer))
    composition.said = texts
    composition.running = running(wanted, composition.numbers, composition.counts)
    _lay_out_running(composition)
    return composition


def _charts(edition: Edition, arranged: Arranged) -> Iterator[tuple[Chart, ArrangedChart]]:
    """All charts of an edition, those in rows of its tables among them."""
    for block in edition.data_blocks:
        found = arranged[block.name]
        if isinstance(block, ChartBlock) and isinstance(found, ArrangedChart):
            yield block, found
        elif isinstance(found, ArrangedTable):
            yield from ((chart, own) for (_, chart), own in found.charts.items() if isinstance(own, ArrangedChart))


def _lay_out_running(composition: Composition) -> None:
    edition, frame, setting = composition.edition, composition.frame, composition.setting
    page, count = edition.page, len(composition)
    bottom = page.paper[1] - page.margin_bottom - running_height(edition.footer, setting)
    for name, running, top in (("header", edition.header, page.margin_top), ("footer", edition.footer, bottom)):
        laid_out = lay_out_running(running, name, count, composition.running, frame.left, top, frame.width, setting)
        setattr(composition, name, laid_out)


def _frame(edition: Edition, setting: Setting) -> Frame:
    page = edition.page
    width, height = page.paper
    top, bottom = page.margin_top, height - page.margin_bottom
    if edition.header:
        top += running_height(edition.header, setting) + edition.header.gap
    if edition.footer:
        bottom -= running_height(edition.footer, setting) + edition.footer.gap
    if bottom - top < 36_000:
        message = "Header and footer leave no room for the page's body; make them or the margins smaller."
        setting.find("no room", Place(block="header"), message)
        bottom = top + 36_000
    return Frame(page.margin_left, top, width - page.margin_left - page.margin_right, bottom - top)


@lru_cache(maxsize=32)
def _page_numbers(pages: int, restarts: frozenset[int]) -> tuple[tuple[int, ...], tuple[int, ...]]:
    """Each page's number and count in its section; a section begins where numbers restart."""
    starts = sorted({0, *restarts})
    ends = [*starts[1:], pages]
    numbers = (n - s + 1 for s, e in zip(starts, ends, strict=True) for n in range(s, e))
    counts = (e - s for s, e in zip(starts, ends, strict=True) for _ in range(s, e))
    return tuple(numbers), tuple(counts)


class _Flow:
    """Where the next block begins: the page and what is used of its body."""

    def __init__(self, composition: Composition, paged: Paged) -> None:
        self.composition = composition
        self.paged = paged
        self.setting = composition.setting
        self.frame = composition.frame
        self.page = 0
        self.used = 0
        self.restarts: set[int] = set()

    def text(self, block: TextBlock, computed: Mapping[str, Computed]) -> None:
        """Place a paragraph."""
        self._said(block.text, block.name, block.style, block.look, "text", computed)
        self.used += block.space_after

    def _said(
        self, template: str, block: str, style: str | None, own: Look | None, row: str, computed: Mapping[str, Computed]
    ) -> None:
        """Place a template's text as a paragraph."""
        texts = template_by_page(template, computed, 1, self.setting)
        report_faults(texts, Place(block=block), self.setting)
        look = self.setting.report.look(self.setting.base, style, own)
        is_faulty = bool(texts.faulty)
        origin = Origin(block, row)
        self._paragraph(make_paragraph(texts.text(0), look, self.frame.width, origin, self.setting, is_faulty))

    def picture(self, block: PictureBlock) -> None:
        """Place a picture whole; one that cannot be read is found now, not only when its page is drawn."""
        picture_or_fault(block.file, block.name, self.setting)
        self._make_room(min(block.height, self.frame.height))
        self._add(Lines(block, self.used))
        self.used += block.height + block.space_after

    def data(self, block: DataBlock, arranged: ArrangedBlock | NorthmoorError, texts: Mapping[str, Computed]) -> None:
        """Place a block over a query's rows, or the reason why there is none."""
        if isinstance(arranged, NorthmoorError):
            place = Place(arranged.place.connection, arranged.place.query, block=block.name)
            self.setting.find("faulty block", place, arranged.message)
            origin = Origin(block.name, "fault")
            self._paragraph(fault_paragraph(str(arranged), self.frame.width, origin, self.setting))
        else:
            for note in arranged.notes:
                self.setting.find("tree", Place(block=block.name), note, is_error=False)
            if isinstance(block, MatrixBlock) and isinstance(arranged, ArrangedMatrix):
                table, sheets = lay_out_matrix(block, arranged, self.frame.width, self.setting)
                self._table(table, sheets, block.sheets == "down")
            elif isinstance(block, ChartBlock) and isinstance(arranged, ArrangedChart):
                self._chart(block, arranged)
            elif isinstance(block, TableBlock) and isinstance(arranged, ArrangedTable):
                self._table(block, lay_out_sheets(block, arranged, self.frame.width, self.setting))
            if not isinstance(block, ChartBlock) and not arranged.has_rows and block.when_empty:
                self._said(block.when_empty, block.name, block.style, None, "empty", texts)
        self.used += block.space_after

    def _chart(self, block: ChartBlock, arranged: ArrangedChart) -> None:
        """Place a chart whole; one that is taller than the body becomes as tall as that."""
        height = min(block.height, self.frame.height)
        self._make_room(height)
        view = View(block, arranged, block.query, 0, Origin(block.name, "chart"), self.setting)
        width = round(self.frame.width * block.width)
        self._add(ChartPart(block.name, view, self.used, width, height))
        self.used += height

    def _table(self, block: TableBlock, sheets: list[TableLayout], down_first: bool = False) -> None:
        body = Body(self.frame.height, self.used, self.page + 1)
        sheets, slices, after = sheets_on_pages(sheets, body, self.paged, self.setting)
        across, down = len(sheets), slices[-1].page + 1

        def page_of(piece: Slice, sheet: int) -> int:
            return sheet * down + piece.page if down_first else piece.page * across + sheet

        for number, layout in enumerate(sheets):
            own = slices if across == 1 else [replace(s, page=page_of(s, number)) for s in slices]
            self.composition.tables.append(TableRun(layout, CellPlacer(layout), own, self.page))
        self.composition.blocks.setdefault(block.name, (self.page + page_of(slices[0], 0), slices[0].y))
        restarting = _restarting_rows(block, sheets[0])
        for piece in slices if restarting else ():
            if piece.start in restarting and piece.y == 0:
                self.restarts.add(self.page + page_of(piece, 0))
        self.page, self.used = self.page + across * down - 1, after.used
        self.composition.pages = max(self.composition.pages, self.page + 1)

    def _paragraph(self, paragraph: Paragraph) -> None:
        height = self.frame.height
        if paragraph.height <= height:
            self._make_room(paragraph.height)
            self._add(Lines(paragraph, self.used))
            self.used += paragraph.height
            return
        self._make_room(height)
        per_page = max((height - 2 * paragraph.look.padding) // paragraph.leading, 1)
        for start in range(0, len(paragraph.lines), per_page):
            self._make_room(height)
            end = min(start + per_page, len(paragraph.lines))
            self._add(Lines(paragraph, self.used, start, end))
            self.used = (end - start) * paragraph.leading + 2 * paragraph.look.padding

    def _make_room(self, height: int) -> None:
        if self.used and self.used + height > self.frame.height:
            self.page, self.used = self.page + 1, 0

    def _add(self, part: Lines | ChartPart) -> None:
        self.composition.lines.setdefault(self.page, []).append(part)
        name = part.name
        self.composition.blocks.setdefault(name, (self.page, self.used))
        self.composition.pages = max(self.composition.pages, self.page + 1)


def _restarting_rows(block: TableBlock, layout: TableLayout) -> set[int]:
    """Printed rows that begin a group of a level at which page numbers restart."""
    rows: set[int] = set()
    for level, groups in zip(block.levels, layout.arranged.levels, strict=True):
        if level.restart_page_number and level.page_break != "none":
            rows |= set(np.asarray(layout.flow.first_at(groups.starts[:-1])).tolist())
    return rows
