"""Edits of a grid: rows and columns put in and taken out around a cell."""

from typing import Any

from northmoor.core.model.blocks.containers import GridBlock, GridCell, Track


def insert_track(grid: GridBlock, at: int) -> GridBlock:
    """A grid with one more column before the one of a number; cells that go over it become wider."""
    cells = tuple(
        cell.but(column=cell.column + 1) if cell.column >= at
        else cell.but(columns=cell.columns + 1) if cell.column + cell.columns > at
        else cell
        for cell in grid.cells
    )  # fmt: skip
    return GridBlock.model_validate(
        _fields(grid) | {"tracks": (*grid.tracks[:at], Track(), *grid.tracks[at:]), "cells": cells}
    )


def remove_track(grid: GridBlock, at: int) -> GridBlock:
    """A grid without a column; blocks that are in it alone go with it."""
    kept = []
    for cell in grid.cells:
        covers = cell.column <= at < cell.column + cell.columns
        if covers and cell.columns == 1:
            continue
        column = cell.column - (cell.column > at)
        kept.append(cell.but(column=column, columns=cell.columns - covers))
    return GridBlock.model_validate(
        _fields(grid) | {"tracks": (*grid.tracks[:at], *grid.tracks[at + 1 :]), "cells": tuple(kept)}
    )


def insert_row(grid: GridBlock, at: int) -> GridBlock:
    """A grid with an empty row before the one of a number, with a cell in each column."""
    moved = [
        cell.but(row=cell.row + 1) if cell.row >= at
        else cell.but(rows=cell.rows + 1) if cell.row + cell.rows > at
        else cell
        for cell in grid.cells
    ]  # fmt: skip
    covered = {
        column for cell in moved if cell.row < at < cell.row + cell.rows
        for column in range(cell.column, cell.column + cell.columns)
    }  # fmt: skip
    added = [
        GridCell(row=at, column=column, padding=4_000) for column in range(len(grid.tracks)) if column not in covered
    ]
    return grid.but(cells=(*moved, *added))


def remove_row(grid: GridBlock, at: int) -> GridBlock:
    """A grid without a row; blocks that are in it alone go with it."""
    kept = []
    for cell in grid.cells:
        covers = cell.row <= at < cell.row + cell.rows
        if covers and cell.rows == 1:
            continue
        kept.append(cell.but(row=cell.row - (cell.row > at), rows=cell.rows - covers))
    return grid.but(cells=tuple(kept))


def _fields(grid: GridBlock) -> dict[str, Any]:
    return {name: getattr(grid, name) for name in GridBlock.model_fields}
