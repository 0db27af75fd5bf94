"""What removing, copying and duplicating mean for a selected part of a block: that part, never the block around it."""

from collections.abc import Callable

from msgspec import Struct

from northmoor.app.document_controller import WHOLE_PAGE, ReportEdit, Selection
from northmoor.app.language.translation import tr
from northmoor.core.base.readable_names import shown_title
from northmoor.core.base.replace import replace
from northmoor.core.model import clipboard, edits
from northmoor.core.model.blocks.chart import ChartBlock
from northmoor.core.model.blocks.containers import GridBlock
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.table import PAGE_ROWS, RowPlace
from northmoor.core.model.report import Report

HEAD, DETAIL = RowPlace("head"), RowPlace("detail")


class SelectedPart(Struct, frozen=True):
    """A part, as sentences call it; what removes it and, where it can be doubled, what does that.

    `text` is what the clipboard carries of it, and `left` what is selected when it is gone.
    """

    name: str
    remove: ReportEdit
    left: Selection
    duplicate: ReportEdit | None = None
    text: str | None = None


def selected_part(selection: Selection, report: Report, edition: str) -> SelectedPart | None:
    """The selected part of a block or page; None where a block is selected.

    Raises KeyError or StopIteration where it is no longer there.
    """
    if selection.kind == "chart" and selection.row is None:
        return None
    found = _PARTS.get(selection.kind)
    return found(selection, report, edition) if found is not None else None


def _cell(selection: Selection, report: Report, edition: str) -> SelectedPart:
    """A cell of a column's title or rows is the column; one of a heading or total is that cell alone."""
    table = edits.table_of(report, edition, selection.block)
    column = next(each for each in table.columns if each.name == selection.column)
    place = selection.place
    if place not in (HEAD, DETAIL):
        label = tr("the total “{name}”") if place.row == "total" else tr("the cell “{name}”")
        return SelectedPart(
            label.format(name=shown_title(column)),
            lambda r, e: edits.remove_cell(r, e, table.name, place, column.name),
            Selection("row", table.name, place.row, place.level, None, place.number),
        )
    at = table.columns.index(column)
    rest = [each.name for each in (*table.columns[at + 1 :], *reversed(table.columns[:at]))]
    left = Selection("cell", table.name, place.row, None, rest[0], place.number) if rest else None
    return SelectedPart(
        tr("the column “{name}”").format(name=shown_title(column)),
        lambda r, e: edits.remove_column(r, e, table.name, column.name),
        left or Selection("table", table.name),
        lambda r, e: edits.insert_column(r, e, table.name, column, at + 1),
        clipboard.column_text(report, column),
    )


def _row(selection: Selection, report: Report, edition: str) -> SelectedPart:
    table, place = edits.table_of(report, edition, selection.block), selection.place
    left = Selection("table", table.name)
    if place == HEAD:
        return SelectedPart(tr("the titles"), lambda r, e: edits.change_block(r, e, table.name, show_head=False), left)
    if place == DETAIL:
        return SelectedPart(tr("the rows"), lambda r, e: edits.show_rows(r, e, table.name, False), left)
    row = table.row_at(place)
    return SelectedPart(
        tr("the {row}").format(row=place.row) + (tr(" of {level}").format(level=place.level) if place.level else ""),
        lambda r, e: edits.change_row(r, e, table.name, place, None),
        left,
        None if place.row in PAGE_ROWS else lambda r, e: edits.add_row(r, e, table.name, place, row),
    )


def _level(selection: Selection, report: Report, edition: str) -> SelectedPart:
    block = edits.block_of(report, edition, selection.block)
    name = selection.level or ""
    left = Selection(block.kind, block.name)
    if isinstance(block, ChartBlock):
        step = edits.step_of(block, name)
        return SelectedPart(
            tr("the groups “{name}”").format(name=name), edits.ChartPlace(block.name).change(**{step: None}), left
        )
    block.level(name)
    remove = edits.remove_matrix_level if isinstance(block, MatrixBlock) else edits.remove_level
    return SelectedPart(tr("the level “{name}”").format(name=name), lambda r, e: remove(r, e, block.name, name), left)


def _measure(selection: Selection, report: Report, edition: str) -> SelectedPart:
    matrix = edits.matrix_of(report, edition, selection.block)
    measure = matrix.measure(selection.column)
    return SelectedPart(
        tr("the value “{name}”").format(name=shown_title(measure)),
        lambda r, e: edits.remove_measure(r, e, matrix.name, measure.name),
        Selection("matrix", matrix.name),
        lambda r, e: edits.duplicate_measure(r, e, matrix.name, measure.name),
    )


def _chart_part(selection: Selection, report: Report, edition: str) -> SelectedPart:
    """What a chart draws, what groups its rows, or the whole of a chart in a cell."""
    place = selection.chart_place
    chart = place.chart(report, edition)
    left = Selection("chart", selection.block)
    if selection.row is not None:
        left = replace(selection, kind="chart", part=None)
    if selection.kind == "mark":
        measure = chart.measure(selection.part or selection.column)
        return SelectedPart(
            tr("the series “{name}”").format(name=shown_title(measure)),
            lambda r, e: edits.remove_chart_measure(r, e, place, measure.name),
            left,
            lambda r, e: edits.duplicate_chart_measure(r, e, place, measure.name),
        )
    if selection.kind == "groups":
        level = chart.level(selection.part or selection.level)
        step = edits.step_of(chart, level.name)
        label = tr("the groups “{name}”").format(name=shown_title(level))
        return SelectedPart(label, place.change(**{step: None}), left)
    return SelectedPart(tr("the chart in the cell"), place.remove, Selection("table", selection.block))


_PAGE_PARTS = {"header": tr("the header"), "footer": tr("the footer"), "watermark": tr("the watermark")}


def _page_part(selection: Selection, report: Report, edition: str) -> SelectedPart:
    """A header, a footer, what is in one, or the watermark."""
    kind, at = selection.kind, selection.column
    if getattr(report.edition(edition), kind) is None:
        raise KeyError(kind)
    if at is None:
        return SelectedPart(_PAGE_PARTS[kind], lambda r, e: edits.change_edition(r, e, **{kind: None}), WHOLE_PAGE)
    return SelectedPart(
        tr("this part of {whole}").format(whole=_PAGE_PARTS[kind]),
        lambda r, e: edits.change_piece(r, e, kind, at, None),
        Selection(kind, kind),
    )


def _grid_cell(selection: Selection, report: Report, edition: str) -> SelectedPart:
    grid = edits.block_of(report, edition, selection.block)
    assert isinstance(grid, GridBlock)
    names = [block.name for block in grid.cells[selection.number].blocks]
    return SelectedPart(tr("what is in the cell"), lambda r, e: edits.remove_blocks(r, e, names), selection)


_PARTS: dict[str, Callable[[Selection, Report, str], SelectedPart]] = {
    "cell": _cell,
    "row": _row,
    "level": _level,
    "measure": _measure,
    "mark": _chart_part,
    "groups": _chart_part,
    "chart": _chart_part,
    "header": _page_part,
    "footer": _page_part,
    "watermark": _page_part,
    "grid-cell": _grid_cell,
}
