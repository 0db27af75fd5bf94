"""The rows of a table as a grid without holes: which cell, or empty place, is in each column, spans counted in."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from northmoor.core.output.content.table_rows import TableCell, TableRow


@dataclass(frozen=True, slots=True)
class GridPlace:
    """A cell of a row, or an empty place, with how many columns and rows it covers."""

    column: int
    span: int
    rows: int
    cell: TableCell | None


def grid_rows(rows: Iterable[TableRow], columns: int) -> Iterator[tuple[TableRow, list[GridPlace]]]:
    """Each row with its places from left to right, without those that cells of rows above cover."""
    covered = [0] * columns
    for row in rows:
        cells = {cell.kind.column: cell for cell in row.cells}
        places: list[GridPlace] = []
        column = 0
        while column < columns:
            if covered[column]:
                covered[column] -= 1
                column += 1
                continue
            cell = cells.get(column)
            span, down = (1, 1) if cell is None else (min(cell.kind.span, columns - column), cell.kind.rows)
            places.append(GridPlace(column, span, down, cell))
            covered[column : column + span] = [down - 1] * span
            column += span
        yield row, places
