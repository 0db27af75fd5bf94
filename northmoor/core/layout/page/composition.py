"""An edition's blocks flowed down its pages: which part of which block is where, and pages made as they are
asked for."""

from bisect import bisect_right
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from itertools import islice

import numpy as np

from northmoor.core.base.gc_pause import gc_paused
from northmoor.core.compute.crosstab.chart_data import ChartData
from northmoor.core.compute.evaluate.scope_cells import Computed
from northmoor.core.compute.table.evaluation import TableData
from northmoor.core.compute.table.page_totals import PageRanges, single_run
from northmoor.core.errors import Place
from northmoor.core.layout.chart.palette import colors_of
from northmoor.core.layout.context import LayoutContext
from northmoor.core.layout.flow.fragments import (
    BodyBox,
    BoxFragment,
    ChartFragment,
    FixedPart,
    Fragment,
    TableFragmentOnPage,
    TableFragments,
    TableLayoutHandle,
    TextFragment,
)
from northmoor.core.layout.flow.layout_pass import Arranged, LayoutPass, Lists, RecordScope, Region, StageResults
from northmoor.core.layout.flow.placement import Placement
from northmoor.core.layout.flow.placer import BlockPlacer
from northmoor.core.layout.flow.toc import lists_of, outline_entries
from northmoor.core.layout.graphics.display_list import (
    Bookmark,
    Layer,
    Page,
    PagePart,
    PaintedFragment,
    Pictures,
    SharedSourceRef,
    SourceRef,
)
from northmoor.core.layout.graphics.images import picture_or_fault
from northmoor.core.layout.inline.paragraph import Paragraph, PlacedLines, link_layer, placed_paragraphs
from northmoor.core.layout.page.anchors import Anchors, has_anchors
from northmoor.core.layout.page.headers_footers import (
    RunningLayout,
    heights_of,
    lay_out_running,
    lines_on,
    running_height,
    running_texts,
    slots_of,
)
from northmoor.core.layout.page.page_sequences import PageSequence, area_size, column_of, impose, page_sequences
from northmoor.core.layout.page.running_groups import open_groups_by_page
from northmoor.core.layout.page.watermark import WatermarkLayout, lay_out_watermark, watermark_slots
from northmoor.core.layout.table.layout import ends_of_pages, last_rows_of_pages
from northmoor.core.layout.table.painting import PlacedFragment, paint_fragments
from northmoor.core.layout.table.per_record import RecordTable
from northmoor.core.model.blocks.chart import Chart, ChartBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.pages import PageSetup, Running
from northmoor.core.model.report import Edition

_MOST_PASSES = 50
"""How often a document is placed again at most, for rows of pages and lists to have the room they need."""


@dataclass
class Composition:
    """An edition on its pages: the parts of each page, and the numbers their headers print."""

    edition: Edition
    sections: tuple[PageSequence, ...]
    context: LayoutContext
    results: StageResults
    placed: Placement
    record_tables: Mapping[str, RecordTable]
    """The tables in for-each blocks, by their names."""
    numbers: tuple[int, ...] = ()
    counts: tuple[int, ...] = ()
    watermark: WatermarkLayout | None = None
    running: Mapping[str, Computed] = field(default_factory=dict)
    """The expressions of its header and footer, with one value a page."""
    _hit_maps: dict[tuple[str, bool, int, bool, int], RunningLayout | None] = field(default_factory=dict)

    def __len__(self) -> int:
        return self.placed.pages

    @property
    def frame(self) -> BodyBox:
        """Where the body of the first page lies; that of others begins at the same place."""
        return self.sections[0].frame

    def section(self, index: int) -> PageSequence:
        """The pages among which the one of an index is."""
        return self.sections[bisect_right(self._firsts, index) - 1]

    @cached_property
    def _firsts(self) -> list[int]:
        return [section.first for section in self.sections]

    def paper(self, index: int) -> tuple[int, int]:
        """Width and height of a page."""
        return self.section(index).page.paper

    @property
    def papers(self) -> tuple[tuple[int, tuple[int, int]], ...]:
        """The sizes of pages, each with the index of the first page that has it."""
        return tuple((section.first, section.page.paper) for section in self.sections)

    @property
    def data(self) -> Arranged:
        """The arrangement of each block over a query's rows by its name, or why there is none."""
        return self.results.data

    @property
    def evaluator(self) -> Mapping[str, Computed]:
        """The expressions of its texts that are in no record."""
        return self.results.texts

    def ranges(self, run: TableFragments) -> PageRanges:
        """The detail rows of each page of a table, or, in a for-each, of all its pages for all records."""
        found = self.record_tables.get(run.table.name)
        if found is not None:
            return found.ranges
        return single_run(ends_of_pages(run.layout.rows, last_rows_of_pages(run.whole or run.fragments)))

    @property
    def charts(self) -> Iterator[tuple[str, Chart, ChartData]]:
        """All its charts with the names of their blocks."""
        return _charts(self.data, self.edition)

    @cached_property
    def table_layouts(self) -> Sequence[TableLayoutHandle]:
        """All tables that have been laid out, those for records in their parts."""
        of_records = [part for table in self.record_tables.values() if table.is_printed for part in table.parts]
        return [*self.placed.layouts.values(), *of_records]

    def runs_of_tables(
        self, wanted: Callable[[TableBlock], bool]
    ) -> Mapping[TableLayoutHandle, Sequence[TableFragments]]:
        """The runs of some tables: one for each record, or for each column of pages."""
        found: dict[TableLayoutHandle, list[TableFragments]] = {}
        if any(wanted(laid.table) for laid in self.table_layouts):
            for run in self.placed.all_runs():
                if wanted(run.table):
                    found.setdefault(run.handle, []).append(run)
        return found

    @cached_property
    def anchors(self) -> Anchors:
        """The places that links go to: blocks, cells that have names, and what is listed."""
        listed = {}
        if self.placed.has_lists:
            listed = {f"entry-{at + 1}": (e.page, e.y) for at, e in enumerate(outline_entries(self.placed))}
        return Anchors(self.runs_of_tables(has_anchors), {**listed, **self.placed.blocks}, self.frame)

    def parts(self, index: int) -> list[Fragment]:
        """What is on the page of an index, from the top."""
        return self.parts_between(index, index + 1)[0]

    def parts_between(self, first: int, end: int) -> list[list[Fragment]]:
        """The same of each page from one index up to another."""
        found: list[list[Fragment]] = [[] for _ in range(first, end)]
        around = self.placed.on(first, end)
        for parts in around:
            for index in range(first, end):
                found[index - first] += parts.lines.get(index, ())
        for parts in around:
            for run in parts.runs(first, end):
                begin, last = run.first_page + run.fragments[0].page, run.first_page + run.fragments[-1].page
                for index in range(max(begin, first), min(last + 1, end)):
                    part = run.on_page(index)
                    found[index - first] += () if part is None else (part,)
        return [self._in_order(own, index) for index, own in enumerate(found, first)]

    def _in_order(self, parts: Sequence[Fragment], index: int) -> list[Fragment]:
        """The parts of a page from its top."""
        areas = self.section(index).areas if len(parts) > 1 else []

        def order(part: Fragment) -> tuple[int, int, int]:
            area = column_of(areas, part.left, part.y) if len(areas) > 1 else 0
            return area, part.y - part.depth.z_offset, part.depth.z_index

        return sorted(parts, key=order) if len(parts) > 1 else [*parts]

    @cached_property
    def _bookmarks_by_page(self) -> dict[int, list[Bookmark]]:
        found: dict[int, list[Bookmark]] = {}
        for entry in self.placed.entries:
            if entry.list == "contents":
                mark = Bookmark(entry.title, entry.depth, self.frame.top + entry.y)
                found.setdefault(entry.page, []).append(mark)
        return found

    def pages(self, first: int, end: int) -> list[Page]:
        """The finished pages from one index up to another; many at a time cost less each."""
        parts = self.parts_between(first, end)
        painted = iter(self.painted([part for own in parts for part in own]))
        return [self._page(index, own, list(islice(painted, len(own)))) for index, own in enumerate(parts, first)]

    def _page(self, index: int, parts: Sequence[Fragment], painted: Sequence[PaintedFragment]) -> Page:
        """A page with what its parts draw."""
        size = self.paper(index)
        if not painted and len(self) > 1:
            return Page(index + 1, *size, ())
        bookmarks = list(self._bookmarks_by_page.get(index, ()))
        layers: list[Layer] = [*self._background(index)]
        if self.watermark is not None:
            layers += self.watermark.layers(index, size)
        layers += self._running("header", index)
        placed: list[PagePart] = []
        for part, drawn in zip(parts, painted, strict=True):
            placed.append(PagePart(part, len(layers), len(layers) + len(drawn.layers)))
            layers += drawn.layers
            bookmarks += drawn.bookmarks
        layers += self._running("footer", index)
        anchors = self.anchors.on_page(index)
        return Page(index + 1, *size, tuple(layers), tuple(bookmarks), anchors, tuple(placed))

    def painted(self, parts: Sequence[Fragment]) -> list[PaintedFragment]:
        """What each of some parts draws; those of one table, and those of texts, are made together. Raises Stopped."""
        found = [PaintedFragment()] * len(parts)
        tables: dict[TableLayoutHandle, list[tuple[int, PlacedFragment]]] = {}
        texts: list[tuple[int, TextFragment, PlacedLines]] = []
        for at, part in enumerate(parts):
            left, top = self.frame.left + part.left, self.frame.top + part.y
            if isinstance(part, TableFragmentOnPage):
                tables.setdefault(part.run.handle, []).append((at, PlacedFragment(part.rows, left, top)))
            elif isinstance(part, TextFragment) and isinstance(part.block, Paragraph):
                texts.append((at, part, PlacedLines(part.block, left, top, part.start, part.end)))
            else:
                self.context.stop.raise_if_cancelled()
                found[at] = PaintedFragment(self._alone(part))
        for laid, fragments in tables.items():
            made = paint_fragments(laid.layout, laid.placer, [placed for _, placed in fragments])
            for (at, _), own in zip(fragments, made, strict=True):
                found[at] = own
        written = placed_paragraphs([placed for _, _, placed in texts])
        for (at, part, _), layers in zip(texts, written, strict=True):
            found[at] = PaintedFragment((*layers, *self._links(part)))
        return found

    def _alone(self, part: FixedPart) -> tuple[Layer, ...]:
        """The layers of what is drawn by itself."""
        frame = self.frame
        if isinstance(part, ChartFragment):
            return part.lay_out(frame).layers
        if isinstance(part, BoxFragment):
            area = part.area(frame)
            box = (area.x, area.y, area.width, area.height)
            links = (link_layer(part.link, box, SourceRef(part.name, part.kind)),) if part.link else ()
            return (*part.draw(area), *links)
        own = part.block.layers(frame.left + part.left, frame.top + part.y, part.start, part.end)
        return (*own, *self._links(part))

    def _links(self, part: TextFragment) -> tuple[Layer, ...]:
        """The link of a text, if it has one."""
        if not part.link:
            return ()
        box = (self.frame.left + part.left, self.frame.top + part.y, part.width,
               part.block.height_of(part.start, part.end))  # fmt: skip
        return (link_layer(part.link, box, part.block.origin),)

    def _running(self, name: str, index: int) -> tuple[Layer, ...]:
        laid = self.running_on(name, index)
        return laid.layers(index) if laid is not None else ()

    def running_on(self, name: str, index: int) -> RunningLayout | None:
        """The header or footer of a page, which all pages of its kind share."""
        number, count = self.numbers[index], self.counts[index]
        kind = (name, number == 1, number % 2, number == count, self.section(index).first)
        if kind not in self._hit_maps:
            self._hit_maps[kind] = self._lay_out_running(name, index)
        return self._hit_maps[kind]

    def page_of_each_kind(self) -> list[int]:
        """A page of each kind of those that share their header and footer."""
        numbers, counts = np.array(self.numbers), np.array(self.counts)
        section = np.searchsorted(self._firsts, np.arange(len(numbers)), "right")
        kinds = section * 8 + (numbers == 1) * 4 + numbers % 2 * 2 + (numbers == counts)
        found: list[int] = np.unique(kinds, return_index=True)[1].tolist()
        return found

    def _lay_out_running(self, name: str, index: int) -> RunningLayout | None:
        running: Running | None = getattr(self.edition, name)
        if running is None:
            return None
        lines = lines_on(running, self.numbers[index], self.counts[index])
        left, top, width = self.running_place(name, lines, index)
        return lay_out_running(running, lines, name, len(self), self._running_groups, left, top, width, self.context)

    def running_place(self, name: str, lines: tuple[int, ...], index: int) -> tuple[int, int, int]:
        """Where some lines of a page's header or footer begin: left, top and width. Those of a footer are at the
        foot."""
        section = self.section(index)
        page, frame = section.page, section.frame
        if name == "header":
            return frame.left, page.margin_top, frame.width
        assert self.edition.footer is not None
        _, height = heights_of(self.edition.footer, lines, self.context)
        return frame.left, page.paper[1] - page.margin_bottom - height, frame.width

    @cached_property
    def _running_groups(self) -> Mapping[str | None, Mapping[str, Computed]]:
        """What lines of headers and footers refer to, by the level that they belong to."""
        lines = [line for part in (self.edition.header, self.edition.footer) if part is not None for line in part.lines]
        spoken: dict[str | None, Mapping[str, Computed]] = {None: self.running}
        for name in {line.of for line in lines if line.of is not None}:
            spoken[name] = open_groups_by_page(name, len(self), self.results, self.placed) or {}
        return spoken

    def _background(self, index: int) -> tuple[Layer, ...]:
        """The picture behind a page, in its own proportions, as large as the paper holds."""
        page, is_first = self.edition.page, self.numbers[index] == 1
        if page.background is None or page.background_on == ("later" if is_first else "first"):
            return ()
        picture = picture_or_fault(page.background, "page", self.context)
        if isinstance(picture, str):
            return ()
        width, height = self.paper(index)
        wide, high = min((width, width * picture.pixels[1] // picture.pixels[0]),
                         (height * picture.pixels[0] // picture.pixels[1], height))  # fmt: skip
        place = ((width - wide) // 2, (height - high) // 2, wide, high)
        x, y, across, down = (np.array([length], np.int64) for length in place)
        return (Pictures(x, y, across, down, (picture,), SharedSourceRef(SourceRef("page", "background"))),)


def compose(edition: Edition, given: StageResults, context: LayoutContext) -> Composition:
    """Flow an edition's blocks down its pages."""
    with gc_paused():
        return _composed(edition, given, context)


def _composed(edition: Edition, given: StageResults, context: LayoutContext) -> Composition:
    context.colors = colors_of((chart, data) for _, chart, data in _charts(given.data, edition))
    if edition.page.background is not None:
        picture_or_fault(edition.page.background, "page", context)  # found now, not only when its page is drawn
    placed, sections, of_records = _placed(edition, given, context)
    numbers, counts = _page_numbers(placed.pages, frozenset(placed.restarts))
    composition = Composition(edition, sections, context, given, placed, of_records, numbers, counts)
    mark = edition.watermark
    wanted = slots_of(running_texts(edition.header) + running_texts(edition.footer)) + watermark_slots(mark)
    composition.running = given.running(list(dict.fromkeys(wanted)), numbers, counts)
    if mark is not None:
        composition.watermark = lay_out_watermark(mark, len(composition), composition.running, context)
    for index in composition.page_of_each_kind():
        for name in ("header", "footer"):
            composition.running_on(name, index)  # what is wrong with one is found now
    return composition


def _placed(
    edition: Edition, given: StageResults, context: LayoutContext
) -> tuple[Placement, tuple[PageSequence, ...], dict[str, RecordTable]]:
    """An edition's blocks on their pages.

    The rows of pages of tables for records follow from the breaks, and the breaks from their heights: where they take
    more room than was thought, everything is placed again with that room, which only grows. So it is with lists of
    entries, which are as long as what they list.
    """
    heights: dict[str, tuple[int, ...]] = {}
    lists: Lists = {}
    for passed in range(_MOST_PASSES):
        layout_pass = LayoutPass(given, context, heights, lists)
        placed, sections = _flowed(edition, layout_pass, context)
        tables = {
            name: table for name, table in layout_pass.tables.items() if table.is_printed and table.pages_have_rows
        }
        known = {name: table.parts[0].layout.page_heights for name, table in tables.items()}
        needed = {name: table.fill() for name, table in tables.items()}
        listed = _lists(placed) if placed.has_lists else lists
        if (needed == known and listed == lists) or passed == _MOST_PASSES - 1:
            return placed, sections, layout_pass.tables
        heights, lists = needed, listed
    raise AssertionError("the last pass returns")


def _lists(placed: Placement) -> Lists:
    numbers, _ = _page_numbers(placed.pages, frozenset(placed.restarts))
    return lists_of(outline_entries(placed), numbers)


def _flowed(
    edition: Edition, layout_pass: LayoutPass, context: LayoutContext
) -> tuple[Placement, tuple[PageSequence, ...]]:
    """An edition's blocks placed once: by stretches of pages of one orientation, area by area."""
    whole, sections = Placement(pages=0), []
    for page, blocks in page_sequences(edition.blocks, edition.page):
        section = PageSequence(whole.pages, page, _frame(edition, page, context))
        areas = section.areas
        flow = BlockPlacer(
            layout_pass, Region(0, *area_size(page, section.frame), len(areas), section.first), in_batches=True
        )
        flow.blocks(blocks, RecordScope())
        impose(flow.placement, areas, section.first, whole)
        sections.append(section)
    return whole, tuple(sections)


def _charts(data: Arranged, edition: Edition) -> Iterator[tuple[str, Chart, ChartData]]:
    """All charts of an edition with the names of their blocks, those in rows of its tables among them."""
    for block in edition.data_blocks:
        found = data[block.name]
        if isinstance(block, ChartBlock) and isinstance(found, ChartData):
            yield block.name, block, found
        elif isinstance(found, TableData):
            own = ((chart, each) for (_, chart), each in found.charts.items())
            yield from ((block.name, chart, each) for chart, each in own if isinstance(each, ChartData))


def _frame(edition: Edition, page: PageSetup, context: LayoutContext) -> BodyBox:
    width, height = page.paper
    top, bottom = page.margin_top, height - page.margin_bottom
    if edition.header:
        top += running_height(edition.header, context) + edition.header.gap
    if edition.footer:
        bottom -= running_height(edition.footer, context) + edition.footer.gap
    if bottom - top < 36_000:
        message = "Header and footer leave no room for the page's body; make them or the margins smaller."
        context.find("no room", Place(block="header"), message)
        bottom = top + 36_000
    return BodyBox(page.margin_left, top, width - page.margin_left - page.margin_right, bottom - top)


@lru_cache(maxsize=32)
def _page_numbers(pages: int, restarts: frozenset[int]) -> tuple[tuple[int, ...], tuple[int, ...]]:
    """Each page's number and count in its section; a section begins where numbers restart."""
    starts = sorted({0, *restarts})
    ends = [*starts[1:], pages]
    numbers = (n - s + 1 for s, e in zip(starts, ends, strict=True) for n in range(s, e))
    counts = (e - s for s, e in zip(starts, ends, strict=True) for _ in range(s, e))
    return tuple(numbers), tuple(counts)
