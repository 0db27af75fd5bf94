"""What can be done to a grid at one of its cells: rows and columns beside it, and without it."""

from collections.abc import Callable
from functools import partial

from northmoor.app.document_controller import ReportEdit
from northmoor.app.language.translation import tr
from northmoor.core.model import edits
from northmoor.core.model.blocks.containers import GridBlock, GridCell
from northmoor.core.model.edits import grid_edits

GridStep = Callable[[GridBlock], GridBlock]


def grid_change(name: str, step: GridStep) -> ReportEdit:
    """The edit that a step of a grid is."""
    return lambda report, edition: edits.put_block(report, edition, step(edits.block_of(report, edition, name)))


def grid_steps(grid: GridBlock, cell: GridCell) -> list[tuple[str, GridStep, str]]:
    """What each step is called, what it makes of the grid, and its icon."""
    below, right = cell.row + cell.rows, cell.column + cell.columns
    steps: list[tuple[str, GridStep, str]] = [
        (tr("Add a row above"), partial(grid_edits.insert_row, at=cell.row), "plus"),
        (tr("Add a row below"), partial(grid_edits.insert_row, at=below), "plus"),
        (tr("Add a column before it"), partial(grid_edits.insert_track, at=cell.column), "plus"),
        (tr("Add a column after it"), partial(grid_edits.insert_track, at=right), "plus"),
    ]
    if max(each.row + each.rows for each in grid.cells) > 1:
        steps.append((tr("Remove its row"), partial(grid_edits.remove_row, at=cell.row), "trash-2"))
    if len(grid.tracks) > 1:
        steps.append((tr("Remove its column"), partial(grid_edits.remove_track, at=cell.column), "trash-2"))
    return steps
