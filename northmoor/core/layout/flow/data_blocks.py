"""Places tables, matrices and charts: over all rows, or over those of a record."""

import numpy as np

from northmoor.core.base.replace import replace
from northmoor.core.compute.crosstab.chart_data import ChartData
from northmoor.core.compute.crosstab.evaluation import CrosstabData
from northmoor.core.compute.report.registry import BlockData
from northmoor.core.compute.table.evaluation import TableData
from northmoor.core.errors import NorthmoorError, Place
from northmoor.core.layout.chart.facets import ChartView
from northmoor.core.layout.flow.fragments import (
    ChartFragment,
    FixedTableLayout,
    TableFragments,
)
from northmoor.core.layout.flow.layout_pass import RecordScope
from northmoor.core.layout.flow.placer import BlockPlacer
from northmoor.core.layout.graphics.display_list import SourceRef
from northmoor.core.layout.table.crosstab_layout import lay_out_matrix
from northmoor.core.layout.table.horizontal_split import lay_out_split, sheets_on_pages
from northmoor.core.layout.table.layout import TableLayout, lay_out_table
from northmoor.core.layout.table.pagination import TableFragment
from northmoor.core.model.blocks.chart import Chart, ChartBlock
from northmoor.core.model.blocks.containers import DataBlock
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.table import TableBlock


def place_data_block(placer: BlockPlacer, block: DataBlock, scope: RecordScope) -> None:
    data = placer.results.data[block.name]
    if isinstance(data, NorthmoorError):
        raise data
    correlated = placer.results.correlated[block.name]
    for note in getattr(data, "notes", ()):
        placer.context.find("tree", Place(block=block.name), note, is_error=False)
    if correlated.join_keys:
        record = scope.around[str(correlated.host)]
        has_rows = bool(placer.layout_pass.groups_of(block.name)[record] >= 0)
        if has_rows or isinstance(block, ChartBlock):
            _place_of_record(placer, block, record, scope)
    else:
        has_rows = data.has_rows
        _place_whole(placer, block, data, scope)
    when_empty = getattr(block, "when_empty", None)
    if not has_rows and when_empty:
        placer.add_template(when_empty, block.name, block.style, "empty")


def _place_whole(placer: BlockPlacer, block: DataBlock, data: BlockData, scope: RecordScope) -> None:
    """Place a block that shows the same rows wherever it is."""
    if isinstance(block, MatrixBlock) and isinstance(data, CrosstabData):
        is_endless = placer.region.is_endless
        table, sheets = lay_out_matrix(
            block, data, placer.region.width, placer.context, on_one_sheet=is_endless and block.when_wide == "narrow"
        )
        _place_sheets(placer, table, sheets, block.sheets == "down")
    elif isinstance(block, ChartBlock) and isinstance(data, ChartData):
        _place_chart(placer, block, data, 0, placer.evaluator.origin(block.name, "chart", scope))
    elif isinstance(block, TableBlock) and isinstance(data, TableData):
        width, context = placer.region.width, placer.context
        if placer.region.is_endless:
            block = block.but(foot_of_page=False)
            sheets = [lay_out_table(block, data, width, context)]
        else:
            sheets = lay_out_split(block, data, width, context)
        _place_sheets(placer, block, sheets)


def _place_of_record(placer: BlockPlacer, block: DataBlock, record: int, scope: RecordScope) -> None:
    """Place a record's rows of a block."""
    if isinstance(block, TableBlock | MatrixBlock):
        _place_rows_of_record(placer, block, record)
        return
    data, correlated = placer.results.data[block.name], placer.results.correlated[block.name]
    assert isinstance(data, TableData)
    ((_, chart),) = data.charts
    found = data.charts[correlated.depth, chart]
    if isinstance(found, NorthmoorError):
        raise found
    group = int(placer.layout_pass.groups_of(block.name)[record])
    host = found.host_of.get(group)
    if host is not None:
        _place_chart(placer, block, found, host, placer.evaluator.origin(block.name, "chart", scope), chart)


def _place_rows_of_record(placer: BlockPlacer, block: TableBlock | MatrixBlock, record: int) -> None:
    table = placer.layout_pass.table(block.name, placer.region)
    if isinstance(block, TableBlock) and block.keep_together:
        height = table.height(record)
        if height <= placer.region.height:
            placer.reserve(height)
    fragments, after = table.pages(record, placer.body)
    first = placer.page
    placer.resolve_awaited(first + fragments[0].page, fragments[0].y)
    placer.placement.blocks.setdefault(block.name, (first + fragments[0].page, fragments[0].y))
    placer.add_run(TableFragments(table.part(record), fragments, first, placer.region.left))
    placer.go_to(first + fragments[-1].page, after.used)


def _place_chart(
    placer: BlockPlacer, block: ChartBlock, data: ChartData, host: int, origin: SourceRef, chart: Chart | None = None
) -> None:
    """Place a chart whole; one that is taller than the body becomes as tall as that."""
    height = min(block.height, placer.region.height)
    placer.reserve(height)
    view = ChartView(chart or block, data, block.query, host, origin, placer.context)
    width = round(placer.region.width * block.width)
    placer.add(ChartFragment(block.name, view, placer.used, width, height, placer.region.left))
    placer.used += height


def _place_sheets(placer: BlockPlacer, block: TableBlock, sheets: list[TableLayout], down_first: bool = False) -> None:
    if block.keep_together:
        height = sheets[0].height_of(sheets[0].head_rows(True)) + int(sheets[0].metrics.heights.sum())
        placer.reserve(height if height <= placer.region.height else 0)
    sheets, fragments, after = sheets_on_pages(sheets, placer.body, placer.context)
    across, down = len(sheets), fragments[-1].page + 1

    def page_of(piece: TableFragment, sheet: int) -> int:
        return sheet * down + piece.page if down_first else piece.page * across + sheet

    for number, layout in enumerate(sheets):
        own = fragments if across == 1 else [replace(s, page=page_of(s, number)) for s in fragments]
        placer.add_run(TableFragments(FixedTableLayout(layout), own, placer.page, placer.region.left))
    placer.resolve_awaited(placer.page + page_of(fragments[0], 0), fragments[0].y)
    placer.placement.blocks.setdefault(block.name, (placer.page + page_of(fragments[0], 0), fragments[0].y))
    restarting = _restarting_rows(block, sheets[0])
    for piece in fragments if restarting else ():
        if piece.start in restarting and piece.y == 0:
            placer.placement.restarts.add(placer.page + page_of(piece, 0))
    placer.go_to(placer.page + across * down - 1, after.used)


def _restarting_rows(block: TableBlock, layout: TableLayout) -> set[int]:
    """Printed rows that begin a group of a level at which page numbers restart."""
    rows: set[int] = set()
    for level, groups in zip(block.levels, layout.data.levels, strict=True):
        if level.restart_page_number and level.page_break != "none":
            rows |= set(np.asarray(layout.rows.first_at(groups.starts[:-1])).tolist())
    return rows
