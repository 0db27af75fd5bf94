"""The rows of a table as a grid without holes: which cell, or empty place, is in each column, spans counted in."""

from collections.abc import Iterable, Iterator, Mapping
from typing import Generic, Protocol, TypeVar

from msgspec import Struct

from northmoor.core.output.content.table_rows import TableCell, TableRow


class Spanning(Protocol):
    """A cell that covers columns and rows."""

    @property
    def span(self) -> int:
        """How many columns it covers."""

    @property
    def rows(self) -> int:
        """How many rows it covers."""


CellT = TypeVar("CellT", bound=Spanning)


class GridPlace(Struct, Generic[CellT], frozen=True):
    """A cell of a row, or an empty place, with how many columns and rows it covers."""

    column: int
    span: int
    rows: int
    cell: CellT | None


def row_places(cells: Mapping[int, CellT], covered: list[int]) -> list[GridPlace[CellT]]:
    """The places of a row from left to right, without those that cells of rows above cover; `covered` says for how many
    rows more each column is, and is brought up to date."""
    places: list[GridPlace[CellT]] = []
    column, columns = 0, len(covered)
    while column < columns:
        if covered[column]:
            covered[column] -= 1
            column += 1
            continue
        cell = cells.get(column)
        span, down = (1, 1) if cell is None else (min(cell.span, columns - column), cell.rows)
        places.append(GridPlace(column, span, down, cell))
        covered[column : column + span] = [down - 1] * span
        column += span
    return places


def grid_rows(rows: Iterable[TableRow], columns: int) -> Iterator[tuple[TableRow, list[GridPlace[TableCell]]]]:
    """Each row with its places."""
    covered = [0] * columns
    for row in rows:
        yield row, row_places({cell.kind.column: cell for cell in row.cells}, covered)
