"""A table's cell definitions with all their texts: how each looks, how it is aligned, and its lines, whatever its
width."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt
import pyarrow as pa
from babel import Locale
from msgspec import Struct

from northmoor.core.base.arrays import Bools, Ints
from northmoor.core.base.replace import replace
from northmoor.core.compute.evaluate.scope_cells import Computed
from northmoor.core.compute.evaluate.scope_names import DETAIL
from northmoor.core.compute.evaluate.slots import head_content, scope_of
from northmoor.core.compute.groups.boundaries import ScopedExpression
from northmoor.core.compute.table.evaluation import TableData
from northmoor.core.compute.table.page_totals import single_run
from northmoor.core.errors import LayoutError, Place
from northmoor.core.expr.lazy_texts import LazyTexts
from northmoor.core.layout.chart.in_cells import CellChart
from northmoor.core.layout.context import FAULT_COLOR, LayoutContext
from northmoor.core.layout.graphics.display_list import TextFace
from northmoor.core.layout.inline.cell_graphics import CellGraphic, cell_graphic
from northmoor.core.layout.inline.column_formats import column_pattern, even_column_pattern, inherited_pattern
from northmoor.core.layout.inline.formatting import (
    NO_TEXTS,
    CellTexts,
    PageTotalValues,
    Source,
    as_array,
    cell_texts,
    is_numeric,
    report_faults,
    with_suffix,
)
from northmoor.core.layout.inline.hyperlinks import address_texts, anchor_texts
from northmoor.core.layout.table.conditional_formats import (
    ColorScaleFills,
    MatchedFormats,
    color_scale_fills,
    combine,
    match_formats,
)
from northmoor.core.layout.table.row_sequence import RowSequence
from northmoor.core.layout.text.break_opportunities import Breaking
from northmoor.core.layout.text.fonts import font_file
from northmoor.core.layout.text.shaping import Shaper
from northmoor.core.model.blocks.chart import Chart
from northmoor.core.model.blocks.table import PAGE_ROWS, Cell, Content, Row, RowPlace, TableBlock
from northmoor.core.model.links import is_sound
from northmoor.core.model.styles import Align, ResolvedStyle


@dataclass(frozen=True, eq=False)
class ShapedTexts:
    """A cell's texts in a font: the line number of each, different ones `among` which the widest is (all of them, or
    only some), those of them with line breaks of their own, and the characters no font has."""

    lines: npt.NDArray[np.int32]
    among: npt.NDArray[np.int32]
    broken: frozenset[int]
    missing: str
    is_sampled: bool = False

    @cached_property
    def distinct(self) -> npt.NDArray[np.int32]:
        """The different lines."""
        return np.unique(self.lines) if self.is_sampled else self.among


class CellLayout(Struct, frozen=True, eq=False):
    """A cell definition laid out: where it is in its kind of row, how it looks, and its texts' lines."""

    name: str
    column: int
    span: int
    look: ResolvedStyle
    align: Align
    face: TextFace
    fault_face: TextFace
    shaper: Shaper
    texts: CellTexts
    shaped: ShapedTexts
    widest: int
    """Width of its longest line, with how much further right it begins."""
    breaking: Breaking
    """How its texts are broken into lines."""
    known_least: int | None = None
    """The least width at which nothing is broken in all parts of its table, where it is one of several."""
    repeats: Bools | None = None
    """For each instance, whether it says the same as the one above and is left empty; None where none is."""

    shift: Ints | None = None
    """For each instance, how much further right it begins than its column; None where none does."""
    variants: tuple["CellLayout", ...] = ()
    """The plans for instances that look otherwise, where there are any; `variant` tells each instance's."""
    variant: npt.NDArray[np.int32] | None = None
    fills: ColorScaleFills | None = None
    """The fills that a colour scale gives."""
    tails: Ints | None = None
    """For each instance, how far from the end its decimal sign is; None where signs are not aligned."""
    tail: int = 0
    """The longest of these: signs are so far from the end."""
    drawing: CellGraphic | None = None
    """What is drawn in place of texts."""
    chart: CellChart | None = None
    """The chart in place of texts."""
    rows: int = 1
    """How many rows it covers, from its own downward."""
    turned: "CellLayout | None" = None
    """The plan of texts that are turned; this one has none."""
    links: CellTexts | None = None
    """The addresses that its instances open."""
    anchors: CellTexts | None = None
    """The names by which links go to its instances."""

    @property
    def needed(self) -> int:
        """The width that its texts need."""
        return self.widest + self.tail

    @property
    def leading(self) -> int:
        """Distance between its baselines."""
        return self.shaper.font.leading(self.face.size)

    def link(self, instance: int) -> str | None:
        """The address that an instance opens, if it is one that a page may open."""
        address = self.links.text(instance) if self.links is not None else ""
        return address if address and is_sound(address) else None

    def look_of(self, instance: int) -> ResolvedStyle:
        """How an instance looks."""
        look = self.look if self.variant is None else self.variants[self.variant[instance]].look
        if self.fills is None or self.fills.number[instance] < 0:
            return look
        return replace(look, fill=self.fills.colors[self.fills.number[instance]])


class RowLayout(Struct, frozen=True, eq=False):
    """A kind of row laid out: its cells from left to right and the look of the row as a whole."""

    place: RowPlace
    cells: tuple[CellLayout, ...]
    look: ResolvedStyle
    looks: tuple[ResolvedStyle, ...] = ()
    """The looks of rows that look otherwise; `variant` tells each instance's."""
    variant: npt.NDArray[np.int32] | None = None

    def look_of(self, instance: int) -> ResolvedStyle:
        """How an instance looks as a whole."""
        return self.look if self.variant is None else self.looks[self.variant[instance]]


RowPlans = tuple[tuple[CellLayout, ...], tuple[RowLayout, ...]]
TextExtent = tuple[int, int, int]
"""How wide a cell's texts are: the longest line, the longest end after a decimal sign, and the least width at which
none is broken within a word or number (see `min_content.least_width`)."""


class RowScope(Struct, frozen=True):
    """Rows of one definition: their scope, how many there are, and where their values come from."""

    place: RowPlace
    scope: int
    count: int
    source: Source


def lay_out_rows(table: TableBlock, data: TableData, sequence: RowSequence, context: LayoutContext) -> RowPlans:
    """The columns' own cells; then the plans of rows that belong to pages, whose texts are not known yet but for the
    head's, and after them one for each kind of row of the flow."""
    base = context.look(table.style)
    ruled = _detail_formats(table, data, context)
    details = tuple(_detail_cell(table, i, base, ruled, data, context) for i in range(len(table.columns)))
    head_look = context.look(table.head_style, None, base)
    head = tuple(_head_cell(table, i, details[i], head_look, data, context) for i in range(len(details)))
    plans = [RowLayout(RowPlace("head"), head, head_look)]
    for number, row in enumerate(table.head, 1):
        kind = RowScope(RowPlace("head", number=number), 0, 1, data)
        plans.append(_lay_out_row(table, row, kind, head_look, details, context))
    cells, pages = _likely_page_totals(table, data, context)
    plans += lay_out_page_rows(table, cells, pages, details, context)
    for row_kind in sequence.kinds:
        place = row_kind.place(table)
        if place == RowPlace("detail"):
            plans.append(_with_formats(RowLayout(place, details, base), ruled, context))
            continue
        scope = scope_of(table, place)
        count = data.rows if scope == DETAIL else len(data.levels[scope - 1]) if scope else 1
        kind = RowScope(place, scope, count, data)
        plans.append(_lay_out_row(table, table.row_at(place), kind, base, details, context))
    for cell in (cell for plan in plans for cell in plan.cells):
        _note_missing(table, cell, context)
    return details, tuple(plans)


def _note_missing(table: TableBlock, cell: CellLayout, context: LayoutContext) -> None:
    for plan in (cell, *cell.variants, *((cell.turned,) if cell.turned is not None else ())):
        context.note_missing(Place(block=table.name, column=cell.name), plan.shaped.missing)


_STRETCHES = 32


def _likely_page_totals(table: TableBlock, data: TableData, context: LayoutContext) -> tuple[PageTotalValues, int]:
    """What rows that belong to pages would show on some pages, and on a last one after all rows: that tells how wide
    their columns have to be before pages are made."""
    rows = data.whole.rows
    if not rows or all(getattr(table, name) is None for name in PAGE_ROWS):
        return PageTotalValues({}), 0
    ends = np.unique(np.linspace(0, rows, _STRETCHES + 1).astype(np.int64))[1:]
    ends = np.append(ends, rows)
    return context.paged(table.name, single_run(ends)), len(ends)


def lay_out_page_rows(
    table: TableBlock, cells: PageTotalValues, pages: int, details: tuple[CellLayout, ...], context: LayoutContext
) -> list[RowLayout]:
    """The plans of what is brought forward, of page totals, and of what is carried forward; without cells where the
    table has no such row."""
    base = context.look(table.style)
    plans = []
    for name in PAGE_ROWS:
        place = RowPlace(name)
        row = getattr(table, name) or Row()
        plans.append(
            _lay_out_row(table, row, RowScope(place, scope_of(table, place), pages, cells), base, details, context)
        )
    return plans


def _lay_out_row(
    table: TableBlock,
    row: Row,
    kind: RowScope,
    base: ResolvedStyle,
    details: tuple[CellLayout, ...],
    context: LayoutContext,
) -> RowLayout:
    look = context.look(row.style, row.look, base)
    where = Place(block=table.name, row=name_of_row(kind.place))
    ruled = match_formats(row.rules, kind.scope, kind.source, kind.count, where, context) if kind.count else None
    if kind.scope == DETAIL and isinstance(kind.source, TableData):
        ruled = combine(_detail_formats(table, kind.source, context), ruled)
    cells = (_row_cell(table, cell, kind, look, ruled, details, context) for cell in ordered_cells(row, table))
    return _with_formats(RowLayout(kind.place, tuple(cells), look), ruled, context)


def _detail_formats(table: TableBlock, data: TableData, context: LayoutContext) -> MatchedFormats | None:
    if not table.rules or not table.show_details:
        return None
    return match_formats(table.rules, DETAIL, data, data.rows, Place(block=table.name, row="rows"), context)


def _with_formats(plan: RowLayout, ruled: MatchedFormats | None, context: LayoutContext) -> RowLayout:
    return plan if ruled is None else replace(plan, looks=ruled.looks(plan.look, context), variant=ruled.number)


def _formatted_cell(
    plan: CellLayout,
    content: Content,
    kind: RowScope,
    row_rules: MatchedFormats | None,
    align: Align | None,
    where: Place,
    context: LayoutContext,
) -> CellLayout:
    """The plan with variants where rules hold, and with the fills of a colour scale."""
    own = None
    if content.rules and kind.count:
        own = match_formats(content.rules, kind.scope, kind.source, kind.count, where, context)
    ruled = combine(row_rules, own)
    if ruled is not None:
        looks = ruled.looks(plan.look, context)
        made = (_lay_out_cell(plan.name, plan.column, plan.span, look, plan.texts, align, context) for look in looks)
        variants = tuple(replace(v, repeats=plan.repeats, shift=plan.shift) for v in made)
        widest = max(plan.widest, *(v.widest for v in variants))
        tail = max(plan.tail, *(v.tail for v in variants))
        plan = _with_widest(replace(plan, variants=variants, variant=ruled.number), widest, tail)
    plan = _with_links(_with_drawing(plan, content, kind, where, context), content, kind, where, context)
    if content.scale is not None and content.value is not None and kind.count:
        computed = kind.source.cells.get(ScopedExpression(kind.scope, content.value))
        if computed is not None:
            numbers, among = (
                each.values if each.scaled_by is None else each.scaled_by
                for each in (computed, _of_whole(kind, content.value, computed))
            )
            plan = replace(plan, fills=color_scale_fills(content.scale, numbers, among))
    return replace(_turned(plan, context), rows=content.rows)


def _of_whole(kind: RowScope, expression: str, computed: Computed) -> Computed:
    """An expression's values in the whole table, where `computed` are those of a part of it."""
    source = kind.source
    return source.whole.cells[ScopedExpression(kind.scope, expression)] if isinstance(source, TableData) else computed


def with_extent(cell: CellLayout, extent: TextExtent) -> CellLayout:
    """The plan for texts of a given width."""
    widest, tail, least = extent
    return replace(_with_widest(cell, widest, tail), known_least=least)


def _with_widest(cell: CellLayout, widest: int, tail: int) -> CellLayout:
    variants = tuple(replace(variant, tail=tail) for variant in cell.variants)
    return replace(cell, widest=widest, tail=tail, variants=variants)


def ordered_cells(row: Row, table: TableBlock) -> list[Cell]:
    """The cells of a row from left to right."""
    names = [column.name for column in table.columns]
    return sorted(row.cells, key=lambda cell: names.index(cell.column))


def _with_chart(
    plan: CellLayout, chart: Chart, query: str, kind: RowScope, where: Place, context: LayoutContext
) -> CellLayout:
    """The plan with a chart in place of its texts; rows that belong to pages or are rows of the data have none."""
    data = kind.source.charts.get((kind.scope, chart)) if isinstance(kind.source, TableData) else None
    if isinstance(data, LayoutError):
        context.find("chart", where, data.message)
    elif data is None:
        context.find("chart", where, "A chart belongs in headings and totals of levels or of the whole table.")
    else:
        return replace(_blank(plan, context), chart=CellChart(chart, data, query, context))
    return _blank(plan, context)


def _with_drawing(
    plan: CellLayout, content: Content, kind: RowScope, where: Place, context: LayoutContext
) -> CellLayout:
    """The plan with a drawing in place of its texts."""
    computed = kind.source.cells.get(ScopedExpression(kind.scope, content.value or ""))
    if content.draw is None or computed is None or computed.fault is not None or not kind.count:
        return plan
    drawing = cell_graphic(content.draw, computed, _of_whole(kind, content.value or "", computed), where, context)
    return replace(_blank(plan, context), drawing=drawing)


def _blank(plan: CellLayout, context: LayoutContext) -> CellLayout:
    """The plan without texts, with all else that it has."""
    blank = context.cache.get(("blank", plan.texts), lambda: CellTexts(pa.repeat("", len(plan.shaped.lines))))
    made = _lay_out_cell(plan.name, plan.column, plan.span, plan.look, blank, plan.align, context)
    variants = tuple(_blank(variant, context) for variant in plan.variants)
    return replace(
        made,
        variants=variants,
        variant=plan.variant,
        shift=plan.shift,
        fills=plan.fills,
        links=plan.links,
        anchors=plan.anchors,
    )


def _with_links(plan: CellLayout, content: Content, kind: RowScope, where: Place, context: LayoutContext) -> CellLayout:
    """The plan with the addresses that its instances open, and the names they have as places."""
    made: dict[str, CellTexts] = {}
    named = {"links": (content.link, address_texts), "anchors": (content.anchor, anchor_texts)}
    for name, (text, make) in named.items():
        if text is not None and kind.count:
            made[name] = make(text, kind.scope, kind.source, kind.count, context)
            report_faults(made[name], where, context)
    return replace(plan, links=made.get("links"), anchors=made.get("anchors"))


def _detail_cell(
    table: TableBlock,
    i: int,
    base: ResolvedStyle,
    ruled: MatchedFormats | None,
    data: TableData,
    context: LayoutContext,
) -> CellLayout:
    column = table.columns[i]
    look = context.look(column.style, column.look, base)
    count = data.rows if table.show_details else 0
    if count:
        pattern = column.format or look.format or column_pattern(table, column, context)
        pattern = pattern or even_column_pattern(table, column, column, DETAIL, data, context)
        texts = cell_texts(column, pattern, DETAIL, data, count, context)
        report_faults(texts, _place(table, "rows", column.name, data), context)
    else:
        texts = CellTexts(NO_TEXTS, _totals_are_numbers(table, column.name, data))
    plan = _lay_out_cell(column.name, i, 1, look, texts, None, context)
    plan = _shifted(_without_repeats(plan, column, table, DETAIL, data), table, DETAIL, data)
    kind = RowScope(RowPlace("detail"), DETAIL, count, data)
    where = _place(table, "rows", column.name, data)
    return _formatted_cell(plan, column, kind, ruled, None, where, context)


def _turned(plan: CellLayout, context: LayoutContext) -> CellLayout:
    """The plan without texts of its own where they are turned."""
    if plan.look.turn == "none" or plan.drawing is not None or not len(plan.shaped.lines):
        return plan
    return replace(_blank(plan, context), turned=plan, widest=plan.leading)


def _totals_are_numbers(table: TableBlock, column: str, data: TableData) -> bool:
    """Whether cells under a column whose details are not shown are numbers."""
    cells = [
        (scope_of(table, place), cell) for place, row in table.rows() for cell in row.cells if cell.column == column
    ]
    wanted = [ScopedExpression(scope, cell.value) for scope, cell in cells if cell.value is not None]
    return any(is_numeric(data.cells[want].values.type) for want in wanted if want in data.cells)


def _without_repeats(plan: CellLayout, content: Content, table: TableBlock, scope: int, data: TableData) -> CellLayout:
    """The plan with those instances marked whose line is that of the one above, in the same group.

    A cell that shows the key of a level says it once in each of that level's groups; others in the group around them.
    """
    lines = plan.shaped.lines
    if not content.blank_repeats or len(lines) < 2:
        return plan
    depth = len(table.levels) if scope == DETAIL else scope - 1
    keys = [level.by for level in table.levels[:depth]]
    around = keys.index(content.value) + 1 if content.value in keys else depth
    same = np.zeros(len(lines), bool)
    same[1:] = lines[1:] == lines[:-1]
    if around > 0:
        first_rows = data.levels[around - 1].starts[:-1]
        inner = data.levels[scope - 1].starts[:-1] if scope != DETAIL else None
        same[first_rows if inner is None else np.searchsorted(inner, first_rows)] = False
    return replace(plan, repeats=same)


def _shifted(plan: CellLayout, table: TableBlock, scope: int, data: TableData) -> CellLayout:
    """The plan with its instances indented by the levels, and depths of trees, that they lie in."""
    leaf = data.crosstab.leaf if data.crosstab is not None and plan.name == data.crosstab.leaf_column else None
    step = data.crosstab.leaf_indent if data.crosstab is not None else 0
    is_leaf = scope == DETAIL and step > 0 and leaf is not None
    is_inside = not plan.column and any(level.indent for level in table.levels)
    if not len(plan.shaped.lines) or not (is_leaf or is_inside):
        return plan
    shift = np.zeros(len(plan.shaped.lines), np.int64)
    if is_leaf and leaf is not None:
        shift += step * leaf.depth
    if not is_inside:
        return replace(plan, shift=shift, widest=plan.widest + int(shift.max()))
    own = data.levels[scope - 1] if scope != DETAIL else None
    for level, groups, of_row in zip(table.levels, data.levels, data.group_of_row, strict=True):
        if groups is own:
            shift += level.indent * groups.depth
            break
        around = of_row if own is None else of_row[own.starts[:-1]]
        shift += level.indent * (1 + groups.depth[around])
    return replace(plan, shift=shift, widest=plan.widest + int(shift.max()))


def _head_cell(
    table: TableBlock, i: int, detail: CellLayout, look: ResolvedStyle, data: TableData, context: LayoutContext
) -> CellLayout:
    column = table.columns[i]
    texts = cell_texts(head_content(column), None, 0, data, 1, context)
    report_faults(texts, _place(table, "head", column.name, data), context)
    return _turned(_lay_out_cell(column.name, i, 1, look, texts, detail.align, context), context)


def _row_cell(
    table: TableBlock,
    cell: Cell,
    kind: RowScope,
    row_look: ResolvedStyle,
    ruled: MatchedFormats | None,
    details: tuple[CellLayout, ...],
    context: LayoutContext,
) -> CellLayout:
    i = next(at for at, column in enumerate(table.columns) if column.name == cell.column)
    column = table.columns[i]
    look = context.look(cell.style, cell.look, row_look)
    pattern = cell.format or look.format or inherited_pattern(table, column, cell, context)
    pattern = pattern or even_column_pattern(table, column, cell, kind.scope, kind.source, context)
    where = _place(table, name_of_row(kind.place), cell.column, kind.source)
    if kind.count:
        texts = cell_texts(cell, pattern, kind.scope, kind.source, kind.count, context)
        report_faults(texts, where, context)
    else:
        texts = CellTexts(NO_TEXTS)
    align = details[i].align if texts.is_number or (cell.text is not None and cell.span == 1 and i) else None
    plan = _lay_out_cell(cell.column, i, cell.span, look, texts, align, context)
    if isinstance(kind.source, TableData) and kind.scope != 0:
        plan = _without_repeats(plan, cell, table, kind.scope, kind.source)
        plan = _shifted(plan, table, kind.scope, kind.source)
    if cell.chart is not None:
        return _with_chart(plan, cell.chart, table.query, kind, where, context)
    return _formatted_cell(plan, cell, kind, ruled, align, where, context)


def _place(table: TableBlock, row: str, column: str, source: Source) -> Place:
    """Where findings say that a cell is: in a matrix, by its measure."""
    shown = source.crosstab_column(column) if isinstance(source, TableData) else None
    return Place(block=table.name, row=row, column=shown.column if shown is not None else column)


def name_of_row(place: RowPlace) -> str:
    """A row as findings refer to it."""
    if place.row == "detail":
        return f"line {place.number + 1} of rows"
    name = place.row.replace("_", " ")
    name = f"{name} {place.number + 1}" if place.number else name
    return name if place.level is None else f"{name} of {place.level}"


def _lay_out_cell(
    name: str,
    column: int,
    span: int,
    look: ResolvedStyle,
    texts: CellTexts,
    align: Align | None,
    context: LayoutContext,
) -> CellLayout:
    file = font_file(look.font, look.bold, look.italic)
    shaper = context.shapers.of(file)
    face = TextFace(file, look.size, look.color)
    decided: Align = look.side or align or ("end" if texts.is_number else "start")
    shaped = context.cache.get(("lines", texts, file), lambda: _shaped(texts, shaper))
    widest = context.cache.get(
        ("widest", texts, file, look.size), lambda: int(max(shaper.widths(shaped.among, look.size), default=0))
    )
    fault_face = TextFace(file, look.size, FAULT_COLOR)
    breaking = context.breaking(look, texts.is_whole)
    plan = CellLayout(name, column, span, look, decided, face, fault_face, shaper, texts, shaped, widest, breaking)
    if look.align != "decimal" or not len(shaped.lines):
        return plan
    key = ("tails", texts, file, look.size, context.locale.locale)
    tails = context.cache.get(key, lambda: _tails(plan, context.locale.locale))
    return replace(plan, tails=tails, tail=int(tails.max()))


def _tails(plan: CellLayout, locale: str) -> Ints:
    """How far from the end each instance's decimal sign is; a number without one ends where others have it."""
    sign = Locale.parse(locale).number_symbols["latn"]["decimal"]
    shaper, size, distinct = plan.shaper, plan.face.size, plan.shaped.distinct
    heads = shaper.add([shaper.text(number).rpartition(sign)[0] or shaper.text(number) for number in distinct.tolist()])
    found = shaper.widths(distinct, size) - shaper.widths(heads, size)
    tails: Ints = found[np.searchsorted(distinct, plan.shaped.lines)]
    return tails


def _shaped(texts: CellTexts, shaper: Shaper) -> ShapedTexts:
    if isinstance(texts.texts, LazyTexts):
        found = shaper.add_deferred(texts.texts)
        if found is not None:
            lines, among = found
            return ShapedTexts(lines, among, shaper.broken(among), shaper.missing(among), True)
    lines, among = shaper.add_column(as_array(texts.texts))
    return ShapedTexts(lines, among, shaper.broken(among), shaper.missing(among))


def continued_rows(table: TableBlock, plans: tuple[RowLayout, ...], context: LayoutContext) -> dict[int, RowLayout]:
    """The plans of headings whose first text says, where they are repeated, that the group goes on; by the plan's
    number."""
    found = {}
    for number, plan in enumerate(plans):
        level = table.level(plan.place.level) if plan.place.row == "heading" else None
        if level is not None and level.continued and plan.cells:
            first = _with_suffix(plan.cells[0], f" {level.continued.strip()}", context)
            found[number] = replace(plan, cells=(first, *plan.cells[1:]))
    return found


def _with_suffix(cell: CellLayout, suffix: str, context: LayoutContext) -> CellLayout:
    texts = context.cache.get(("suffixed", cell.texts, suffix), lambda: with_suffix(cell.texts, suffix))
    made = _lay_out_cell(cell.name, cell.column, cell.span, cell.look, texts, cell.align, context)
    variants = tuple(_with_suffix(variant, suffix, context) for variant in cell.variants)
    return replace(made, shift=cell.shift, variants=variants, variant=cell.variant, fills=cell.fills)
