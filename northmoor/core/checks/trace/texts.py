"""Traces of texts: paragraphs, readouts, headers and footers."""

import numpy as np
import pyarrow as pa

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.phrases import phrase
from northmoor.core.base.replace import replace
from northmoor.core.checks.trace.figures import Figure, Trace, figure_of, scope_words
from northmoor.core.compute.evaluate.slots import slots_in
from northmoor.core.compute.explain.table_query import FigureAddress, TableVerifier, Verification, verify_outside_tables
from northmoor.core.compute.table.evaluation import TableData, table_plan
from northmoor.core.compute.table.page_totals import single_run
from northmoor.core.document import Document
from northmoor.core.errors import LayoutError, Place
from northmoor.core.layout.flow.records import Records, formatted
from northmoor.core.layout.page.hit_testing import HitRegion
from northmoor.core.model.blocks.block_types import BLOCK_TYPE_OF_KIND, TRACED_KINDS
from northmoor.core.model.blocks.table import Content, TableBlock
from northmoor.core.model.blocks.tree import for_each_around, walk
from northmoor.core.model.pages import TextPiece


def traced_content(document: Document, region: HitRegion) -> Content:
    """What a text, a readout or the like is made of."""
    block = next(block for block in walk(document.edition.blocks) if block.name == region.block)
    traced = BLOCK_TYPE_OF_KIND[block.kind].traced
    assert traced is not None  # the region is one of those kinds
    return traced(block)


def trace_text_of_record(document: Document, region: HitRegion, stop: CancelToken) -> Trace:
    """A text or readout in a for-each: its figures are over the rows of a record."""
    composition, host = document.composition, for_each_around(document.edition.blocks, region.block)
    assert host is not None
    hosted, data = composition.results.correlated[host.name], composition.data[host.name]
    assert isinstance(hosted.block, TableBlock)
    assert isinstance(data, TableData)
    assert region.printed is not None
    none = single_run(np.zeros(1, np.int64))
    order, query = table_plan(hosted.block).order, hosted.block.query
    asking = TableVerifier(order, data, document.rows, query, document.resolved.complete_values(), none)
    standpoint = FigureAddress(hosted.depth + 1, region.printed)
    behind = asking.rows_behind(standpoint)
    content = traced_content(document, region)
    figures = tuple(
        figure_of(expression, data.cells, standpoint, asking, len(behind), stop) for expression in slots_in(content)
    )
    records = Records(host, data, hosted.depth + 1, composition.context)
    own = document.rows[query]
    shown = records.texts(content, region.block).text(region.printed)
    rows = replace(own, table=own.table.take(pa.array(behind)))
    return Trace(shown, scope_words(document, asking, standpoint), figures, rows)


def trace_text(document: Document, page: int, region: HitRegion, stop: CancelToken) -> Trace:
    composition = document.composition
    edition = composition.edition
    if region.row in TRACED_KINDS:
        content, computed, at = traced_content(document, region), composition.evaluator, 0
    else:
        running = edition.header if region.row == "header" else edition.footer
        piece = running.piece_at(region.column) if running is not None and region.column is not None else None
        if not isinstance(piece, TextPiece):
            raise LayoutError("A picture has no figures; choose a text or a cell.", Place(block=region.block))
        content, computed, at = Content(text=piece.text), composition.running, page
    figures, queries = [], set()
    for expression in slots_in(content):
        found = computed[expression]
        if (fault := found.fault or found.faults.get(at)) is not None:
            figures.append(Figure(expression, None, Verification(why_not=fault.message), 0))
            continue
        answer, query = verify_outside_tables(expression, document.rows, document.resolved.complete_values(), stop)
        rows = document.rows[query].table.num_rows if query else 0
        figures.append(Figure(expression, found.values[at].as_py(), answer, rows))
        queries |= {query} if query else set()
    pages = len(composition) if region.row in ("header", "footer") else 1
    shown = formatted(content, computed, pages, composition.context)
    behind = document.rows[min(queries)] if len(queries) == 1 else None
    scope = phrase(f"all rows of {min(queries)}") if behind is not None else phrase("the document")
    return Trace(shown.text(at), scope, tuple(figures), behind)
