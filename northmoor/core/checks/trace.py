"""Trace: why a figure is what it is. Its formula, what it is over, the very rows, and what plain SQL says of them."""

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Any

import numpy as np
import pyarrow as pa

from northmoor.core.compute.cells import Computed
from northmoor.core.compute.chart import (
    ChartPlan,
    HostedPlan,
    chart_plan_of,
    hosted_rows,
    mark_texts,
    rows_of,
    sized,
)
from northmoor.core.compute.crossed import Crossed, Crossing
from northmoor.core.compute.groups import Ints, Wanted
from northmoor.core.compute.matrix import ArrangedMatrix, matrix_plan_of
from northmoor.core.compute.paging import one_run
from northmoor.core.compute.plaincross import Cell, asking_cross
from northmoor.core.compute.plainly import Answer, Asking, Standpoint, ask_queries
from northmoor.core.compute.scopes import DETAIL, PAGE_SCOPES
from northmoor.core.compute.table import ArrangedTable, head_content, plan_of, scope_of, slots_in, template_of
from northmoor.core.document import Document
from northmoor.core.errors import ExpressionError, LayoutError, Place
from northmoor.core.expr.formats import format_one
from northmoor.core.expr.language import columns_in
from northmoor.core.expr.templates import Slot
from northmoor.core.layout.chartview import View
from northmoor.core.layout.origins import row_origin
from northmoor.core.layout.parts import ChartPart, TablePart
from northmoor.core.layout.places import Spot
from northmoor.core.layout.records import Records, written
from northmoor.core.model.leaves import ReadoutBlock
from northmoor.core.model.matrices import MatrixBlock
from northmoor.core.model.nesting import for_each_around, walk
from northmoor.core.model.pages import TextPiece
from northmoor.core.model.tables import Content, RowPlace, TableBlock
from northmoor.core.model.texts import TextBlock
from northmoor.core.sources.fetch import Rows
from northmoor.core.stopping import Stop


@dataclass(frozen=True)
class Figure:
    """One value of a cell: its formula, the value that was computed, and what plain SQL says."""

    formula: str
    value: Any
    answer: Answer
    expected_rows: int

    @property
    def agrees(self) -> bool | None:
        """Whether both ways give the same value over as many rows; None where it was asked one way only."""
        if self.answer.reason is not None:
            return None
        return self.answer.rows == self.expected_rows and _same(self.value, self.answer.value)


@dataclass(frozen=True, eq=False)
class Trace:
    """Why a cell shows what it shows: the text, what its rows are in words, its figures, and the rows behind them."""

    shown: str
    scope: str
    figures: tuple[Figure, ...]
    rows: Rows | None
    """None where there are no rows behind it, or those of several queries."""


def trace(document: Document, page: int, spot: Spot, stop: Stop) -> Trace:
    """Trace what is at a spot of a page (its index): the cell of a table, a paragraph, a piece of header or footer.

    Raises LayoutError where there is nothing to trace.
    """
    if spot.row in ("text", "readout") and spot.printed is not None:
        return _trace_of_record(document, spot, stop)
    if spot.row in ("text", "readout", "header", "footer"):
        return _trace_text(document, page, spot, stop)
    if spot.part == "chart":
        return _trace_mark(document, page, spot, stop)
    part = _part(document, page, spot)
    layout = part.layout
    if layout.arranged.across:
        return _trace_matrix(document, part, spot, stop)
    table, arranged = layout.table, layout.arranged.whole
    assert spot.printed is not None
    place = RowPlace(spot.row, spot.level, spot.number)
    content = _content(table, place, spot.column)
    pages = document.composition.ranges(part.run)
    order = plan_of(table).order
    asking = Asking(order, arranged, document.rows, table.query, document.settled.whole(), pages)
    standpoint = _standpoint(part, place, spot.printed)
    behind = asking.rows_behind(standpoint)
    cells = arranged.cells if standpoint.scope not in PAGE_SCOPES.values() else layout.paged.cells
    figures = tuple(
        _figure(slot.expression.text, cells, standpoint, asking, len(behind), stop)
        for slot in template_of(content)
        if isinstance(slot, Slot)
    )
    own = document.rows[table.query]
    rows = replace(own, table=own.table.take(pa.array(behind)))
    return Trace(_shown(part, spot), _in_words(document, asking, standpoint), figures, rows)


def _said(document: Document, spot: Spot) -> Content:
    """What a text or a readout says."""
    block = next(block for block in walk(document.edition.blocks) if block.name == spot.block)
    if isinstance(block, ReadoutBlock):
        return Content(value=block.value, format=block.format)
    assert isinstance(block, TextBlock)
    return Content(text=block.template)


def _trace_of_record(document: Document, spot: Spot, stop: Stop) -> Trace:
    """A text or readout in a for-each: its figures are over the rows of a record."""
    composition, host = document.composition, for_each_around(document.edition.blocks, spot.block)
    assert host is not None
    hosted, arranged = composition.given.hosted[host.name], composition.arranged[host.name]
    assert isinstance(hosted.block, TableBlock)
    assert isinstance(arranged, ArrangedTable)
    assert spot.printed is not None
    none = one_run(np.zeros(1, np.int64))
    order, query = plan_of(hosted.block).order, hosted.block.query
    asking = Asking(order, arranged, document.rows, query, document.settled.whole(), none)
    standpoint = Standpoint(hosted.depth + 1, spot.printed)
    behind = asking.rows_behind(standpoint)
    content = _said(document, spot)
    figures = tuple(
        _figure(expression, arranged.cells, standpoint, asking, len(behind), stop) for expression in slots_in(content)
    )
    records = Records(host, arranged, hosted.depth + 1, composition.setting)
    own = document.rows[query]
    shown = records.texts(content, spot.block).text(spot.printed)
    rows = replace(own, table=own.table.take(pa.array(behind)))
    return Trace(shown, _in_words(document, asking, standpoint), figures, rows)


def _trace_text(document: Document, page: int, spot: Spot, stop: Stop) -> Trace:
    composition = document.composition
    edition = composition.edition
    if spot.row in ("text", "readout"):
        content, computed, at = _said(document, spot), composition.said, 0
    else:
        running = edition.header if spot.row == "header" else edition.footer
        piece = running.piece_at(spot.column) if running is not None and spot.column is not None else None
        if not isinstance(piece, TextPiece):
            raise LayoutError("A picture has no figures; choose a text or a cell.", Place(block=spot.block))
        content, computed, at = Content(text=piece.text), composition.running, page
    figures, queries = [], set()
    for expression in slots_in(content):
        found = computed[expression]
        if (fault := found.fault or found.faults.get(at)) is not None:
            figures.append(Figure(expression, None, Answer(reason=fault.message), 0))
            continue
        answer, query = ask_queries(expression, document.rows, document.settled.whole(), stop)
        rows = document.rows[query].table.num_rows if query else 0
        figures.append(Figure(expression, found.values[at].as_py(), answer, rows))
        queries |= {query} if query else set()
    pages = len(composition) if spot.row in ("header", "footer") else 1
    shown = written(content, computed, pages, composition.setting)
    behind = document.rows[min(queries)] if len(queries) == 1 else None
    scope = f"all rows of {min(queries)}" if behind is not None else "the document"
    return Trace(shown.text(at), scope, tuple(figures), behind)


def _trace_matrix(document: Document, part: TablePart, spot: Spot, stop: Stop) -> Trace:
    matrix = document.composition.given.hosted[spot.block].block
    assert isinstance(matrix, MatrixBlock)  # its cell is on the page
    arranged = part.layout.arranged
    shown = arranged.across.get(spot.under or "")
    if spot.part != "measure" or spot.row == "head" or shown is None or spot.printed is None:
        raise LayoutError("There is no figure here; choose a cell of a measure.", Place(block=spot.block))
    asking = asking_cross(matrix_plan_of(matrix), document.rows, document.settled.whole(), stop)
    sides = asking.sides
    row_level = [level.name for level in matrix.rows]
    rows = row_level.index(spot.level) + 1 if spot.level is not None else 0 if spot.row == "total" else len(row_level)
    at = Crossing(rows, len(shown.keys))
    row = int(part.layout.flow.index[spot.printed])
    groups = range(sides.columns.size(at.columns))
    column = next(group for group in groups if sides.columns.keys(at.columns, group) == shown.keys)
    cell = Cell(at, row, column)
    behind = asking.rows_behind(cell)
    measure = matrix.measure(spot.column)
    made = document.composition.arranged[matrix.name]
    assert isinstance(made, ArrangedMatrix)  # its cell is on the page
    figures = []
    for text in dict.fromkeys(s.expression.text for s in template_of(measure) if isinstance(s, Slot)):
        found = made.crossings.values[Crossed(at, text)]
        number = row * sides.columns.size(at.columns) + column
        fault = found.fault or found.faults.get(number)
        answer = Answer(reason=fault.message) if fault is not None else asking.ask(text, cell, stop)
        value = None if fault is not None else found.values[number].as_py()
        figures.append(Figure(text, value, answer, len(behind)))
    own = document.rows[matrix.query]
    keys = (*sides.rows.keys(at.rows, row), *shown.keys)
    levels = (*matrix.rows[: at.rows], *matrix.columns[: at.columns])
    customs = document.composition.setting.customs
    said = [
        f"{level.name} = {format_one(key, level.format, customs) or 'blank'}"
        for level, key in zip(levels, keys, strict=True)
        if columns_in(level.by)  # not that of a matrix without levels down its side
    ]
    return Trace(_shown(part, spot), ", ".join(said) or "all rows of the matrix", tuple(figures),
                 replace(own, table=own.table.take(pa.array(behind))))  # fmt: skip


def _trace_mark(document: Document, page: int, spot: Spot, stop: Stop) -> Trace:
    """A mark of a chart: the values that its place and size are made of."""
    if spot.row != "mark" or spot.printed is None:
        raise LayoutError("There is no figure here; choose a mark of the chart.", Place(block=spot.block))
    view, plan, given, numbers = _drawn_from(document, page, spot)
    chart, values = view.chart, document.settled.whole()
    rows = rows_of(plan, given)
    matrix, _ = sized(plan, rows, values, stop)
    cell = Cell(plan.depths.marks, spot.printed, spot.number)
    asking = asking_cross(matrix, rows, values, stop)
    behind = asking.rows_behind(cell)
    number, figures = view.cell(spot.printed, spot.number), []
    for text in dict.fromkeys(mark_texts(chart, chart.measure(spot.column))):
        found = view.arranged.computed(plan.depths.marks, text)
        fault = found.fault or found.faults.get(number)
        answer = Answer(reason=fault.message) if fault is not None else asking.ask(text, cell, stop)
        figures.append(Figure(text, None if fault is not None else found.values[number].as_py(), answer, len(behind)))
    said = [f"{level.name} = {text}" for level, text in view.mark_texts(spot.printed, spot.number)]
    said = [f"{level} = {key}" for level, key in _hosts(document, spot, view)] + said
    own = document.rows[view.query]
    fetched = own.table.take(pa.array(behind if numbers is None else numbers[behind]))
    scope = ", ".join(said) or "all rows of the chart"
    return Trace(view.said(chart.title) or spot.block, scope, tuple(figures), replace(own, table=fetched))


def _drawn_from(document: Document, page: int, spot: Spot) -> tuple[View, ChartPlan, Mapping[str, Rows], Ints | None]:
    """The chart of a mark, its plan, the rows it is drawn from, and where that is not all, which of the fetched they
    are."""
    for part in document.composition.parts(page):
        if isinstance(part, ChartPart) and part.name == spot.block:
            return _drawn_alone(document, part)
        if isinstance(part, TablePart) and part.layout.table.name == spot.block and spot.keys:
            layout, row = part.layout, spot.keys[0]
            plan = layout.plans[layout.plan_number(row)]
            cell = next(cell for cell in plan.cells if cell.name == spot.under)
            origin = row_origin(layout, row, cell.name)
            view = cell.chart.view(layout.instance(row, part.piece.number), origin) if cell.chart is not None else None
            if view is not None:
                table = layout.table
                chart_plan = chart_plan_of(view.chart, table.query, table.name, True)
                hosted = HostedPlan(scope_of(table, plan.place), view.chart, chart_plan)
                return view, chart_plan, *hosted_rows(hosted, layout.arranged, document.rows)
    raise LayoutError("There is no figure here; choose a mark of a chart.", Place(block=spot.block))


def _drawn_alone(document: Document, part: ChartPart) -> tuple[View, ChartPlan, Mapping[str, Rows], Ints | None]:
    """What a chart of its own is drawn from; in a for-each, the rows of all records."""
    view, hosted = part.view, document.composition.given.hosted[part.name]
    if not hosted.ties:
        return view, chart_plan_of(view.chart, view.query, part.name), document.rows, None
    arranged = document.composition.arranged[part.name]
    assert isinstance(arranged, ArrangedTable)
    plan = chart_plan_of(view.chart, view.query, part.name, True)
    return view, plan, *hosted_rows(HostedPlan(hosted.depth, view.chart, plan), arranged, document.rows)


def _hosts(document: Document, spot: Spot, view: View) -> Iterator[tuple[str, Any]]:
    """The groups of a table in whose row a chart stands, or the record that it is of."""
    hosted = document.composition.given.hosted[spot.block]
    if spot.under is None and hosted.host is not None:
        yield from zip([hosted.host], view.origin.keys[-1:], strict=False)
    if spot.under is not None:
        levels = document.edition.table(spot.block).levels
        yield from ((level.name, key) for level, key in zip(levels, view.origin.keys, strict=False))


def _part(document: Document, page: int, spot: Spot) -> TablePart:
    for part in document.composition.parts(page):
        if isinstance(part, TablePart) and part.layout.table.name == spot.block:
            if spot.column is None or spot.printed is None or _is_plain_title(part.layout.table, spot):
                break
            return part
    raise LayoutError("There is no figure here; choose a cell of a table's rows, or a text.", Place(block=spot.block))


def _is_plain_title(table: TableBlock, spot: Spot) -> bool:
    """Whether a spot is the title of a column without figures."""
    if (spot.row, spot.number) != ("head", 0) or spot.part != "cell":
        return False
    content = _content(table, RowPlace("head"), spot.column)
    return not any(isinstance(slot, Slot) for slot in template_of(content))


def _content(table: TableBlock, place: RowPlace, column: str | None) -> Content:
    titles, details = place == RowPlace("head"), place == RowPlace("detail")
    cells: tuple[Any, ...] = table.columns if titles or details else table.row_at(place).cells
    names = {getattr(cell, "column", None) or getattr(cell, "name", None): cell for cell in cells}
    content: Content = head_content(names[column]) if titles else names[column]
    try:
        template_of(content)
    except ExpressionError as error:
        raise LayoutError(error.message, Place(block=table.name, column=column)) from error
    return content


def _standpoint(part: TablePart, place: RowPlace, printed: int) -> Standpoint:
    layout = part.layout
    scope = scope_of(layout.table, place)
    if scope in PAGE_SCOPES.values():
        return Standpoint(scope, part.piece.number)
    return Standpoint(scope, layout.arranged.first(scope) + int(layout.flow.index[printed]) if printed >= 0 else 0)


def _figure(text: str, cells: Any, standpoint: Standpoint, asking: Asking, rows: int, stop: Stop) -> Figure:
    computed: Computed = cells[Wanted(standpoint.scope, text)]
    fault = computed.fault or computed.faults.get(standpoint.at)
    if fault is not None:
        return Figure(text, None, Answer(reason=fault.message), rows)
    return Figure(text, computed.values[standpoint.at].as_py(), asking.ask(text, standpoint, stop), rows)


def _shown(part: TablePart, spot: Spot) -> str:
    layout = part.layout
    assert spot.printed is not None
    plan = layout.plans[layout.plan_number(spot.printed)]
    cell = next(cell for cell in plan.cells if cell.name == (spot.under or spot.column))
    if spot.printed >= 0:
        return cell.texts.text(int(layout.flow.index[spot.printed]))
    return cell.texts.text(part.piece.number if len(cell.texts.texts) > 1 else 0)


def _in_words(document: Document, asking: Asking, standpoint: Standpoint) -> str:
    """What the rows behind a figure have in common."""
    scope, at = standpoint.scope, standpoint.at
    if scope == DETAIL:
        return f"row {at + 1:,} of the table"
    if scope in PAGE_SCOPES.values():
        window = next(name for name, known in PAGE_SCOPES.items() if known == scope)
        return {
            "page": "the rows on this page",
            "pages_before": "the rows on all pages before",
            "pages_to_here": "the rows on all pages up to this one",
        }[window]
    if scope == 0:
        return "all rows of the table"
    customs = document.composition.setting.customs
    start = int(asking.arranged.levels[scope - 1].starts[at])
    words = []
    for level in range(1, scope + 1):
        groups = asking.arranged.levels[level - 1]
        group = at if level == scope else int(asking.arranged.group_of_row[level - 1][start])
        key = groups.words.get(group) or format_one(groups.keys[group].as_py(), None, customs) or "blank"
        within = " and what lies in it" if groups.tree is not None else ""
        words.append(f"{asking.order.groupings[level - 1].name} = {key}{within}")
    return ", ".join(words)


def _same(one: Any, other: Any) -> bool:
    if isinstance(one, float) or isinstance(other, float):
        if one is None or other is None:
            return one is other
        return math.isclose(float(one), float(other), rel_tol=1e-9, abs_tol=1e-12) or (one != one and other != other)
    if isinstance(one, Decimal) or isinstance(other, Decimal):
        return one == other if one is None or other is None else Decimal(one) == Decimal(other)
    return bool(one == other)
