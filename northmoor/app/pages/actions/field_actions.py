"""What adding a field or setting a width means in each kind of block over a query's rows."""

from collections.abc import Callable, Mapping

from msgspec import Struct

from northmoor.app.document_controller import Selection
from northmoor.core.expr.language import column_expression
from northmoor.core.model import edits
from northmoor.core.model.blocks.chart import ChartBlock
from northmoor.core.model.blocks.containers import DataBlock
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.table import RowPlace, TableBlock
from northmoor.core.model.edits import ChartPlace
from northmoor.core.model.report import Report

BlockEdit = Callable[[Report, str], Report]


class BlockFieldEdits(Struct, frozen=True):
    """Edits of one kind of block. `add_column` takes the block's name, a field, its aggregate and the place of the
    column it goes before; `add_level` a field and the place of the level; `drop` a row's place, a column, a field and
    its aggregate; `set_width` the name of a column, or of what gives columns their width, where there are columns;
    `level_names` the levels that have brackets beside the page; `move_level` moves one of them inward by a number."""

    add_column: Callable[[str, str, str, int | None], BlockEdit]
    add_level: Callable[[str, str, int | None], BlockEdit]
    drop: Callable[[str, RowPlace, str, str, str], BlockEdit]
    set_width: Callable[[str, str, int], BlockEdit] | None
    level_names: Callable[[DataBlock], list[str]]
    move_level: Callable[[str, str, int], BlockEdit]


def _table_level_names(block: DataBlock) -> list[str]:
    assert isinstance(block, TableBlock)
    return [level.name for level in block.levels]


def _matrix_level_names(block: DataBlock) -> list[str]:
    assert isinstance(block, MatrixBlock)
    return [level.name for level in block.rows]


def _matrix_width(block: str, name: str, width: int) -> BlockEdit:
    def change(report: Report, edition: str) -> Report:
        names = [measure.name for measure in edits.matrix_of(report, edition, block).measures]
        made = edits.change_measure if name in names else edits.change_matrix_level
        return made(report, edition, block, name, width=width)

    return change


_TABLE = BlockFieldEdits(
    add_column=lambda block, field, _, at: (
        lambda r, e: edits.add_column(r, e, block, field, column_expression(field), at)
    ),
    add_level=lambda block, field, at: lambda r, e: edits.add_level(r, e, block, field, column_expression(field), at),
    drop=lambda block, place, column, _, value: (
        lambda r, e: edits.change_cell(r, e, block, place, column, value=value, text=None)
    ),
    set_width=lambda block, column, width: lambda r, e: edits.change_column(r, e, block, column, width=width),
    level_names=_table_level_names,
    move_level=lambda block, level, by: lambda r, e: edits.move_level(r, e, block, level, by),
)
_MATRIX = BlockFieldEdits(
    add_column=lambda block, field, value, _: lambda r, e: edits.add_measure(r, e, block, field, value),
    add_level=lambda block, field, _: (
        lambda r, e: edits.add_matrix_level(r, e, block, "rows", field, column_expression(field))
    ),
    drop=lambda block, _place, _column, field, value: lambda r, e: edits.add_measure(r, e, block, field, value),
    set_width=_matrix_width,
    level_names=_matrix_level_names,
    move_level=lambda block, level, by: lambda r, e: edits.move_matrix_level(r, e, block, level, by),
)


def _group_next(block: str, field: str, _: int | None) -> BlockEdit:
    def change(report: Report, edition: str) -> Report:
        place = ChartPlace(block)
        step = edits.next_step(place.chart(report, edition))
        return edits.group_chart(report, edition, place, step, field, column_expression(field))

    return change


_CHART = BlockFieldEdits(
    add_column=lambda block, field, value, _: (
        lambda r, e: edits.add_chart_measure(r, e, ChartPlace(block), field, value)
    ),
    add_level=_group_next,
    drop=lambda block, _place, _column, field, value: (
        lambda r, e: edits.add_chart_measure(r, e, ChartPlace(block), field, value)
    ),
    set_width=None,
    level_names=lambda _: [],
    move_level=lambda *_: lambda report, _: report,
)
FIELD_WORK: Mapping[type, BlockFieldEdits] = {TableBlock: _TABLE, MatrixBlock: _MATRIX, ChartBlock: _CHART}


def block_of_selection(blocks: tuple[DataBlock, ...], selection: Selection) -> DataBlock | None:
    """The selected block, or the first."""
    chosen = [block for block in blocks if block.name == selection.block]
    return next(iter((*chosen, *blocks)), None)
