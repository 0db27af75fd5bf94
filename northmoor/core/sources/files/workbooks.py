"""XLSX and ODS workbooks to tables: one a sheet, heads of several rows joined, numbers exact where they can be."""

from datetime import date, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any

import pyarrow as pa
from python_calamine import CalamineError, CalamineWorkbook

from northmoor.core.engine.arrow_types import arrow_type, type_of_arrow
from northmoor.core.errors import QueryError
from northmoor.core.model.kinds.value_types import ValueType
from northmoor.core.sources.drivers.protocol import unique_column_names
from northmoor.core.sources.files.file_table import FileTable, TableColumn

_MOST_PLACES = 6
_EXACT_DIGITS = 15
"""Digits that a spreadsheet's numbers, which are doubles, hold exactly."""
_MOST_HEAD_ROWS = 5


def sheet_tables(path: Path, stem: str) -> list[FileTable]:
    """The tables of a workbook: named like the file, and like the sheet too when there are several.

    Raises QueryError when it cannot be read.
    """
    try:
        workbook = CalamineWorkbook.from_path(str(path))
        sheets = [workbook.get_sheet_by_name(name) for name in workbook.sheet_names]
    except (CalamineError, OSError) as error:
        raise QueryError(
            f"{path.name} cannot be read as a workbook ({error}); save it again as XLSX or ODS."
        ) from error
    filled = [sheet for sheet in sheets if sheet.height]
    if not filled:
        raise QueryError(f"{path.name} is empty: no sheet has rows.")
    names = [stem] if len(filled) == 1 else [f"{stem}_{sheet.name}" for sheet in filled]
    return [_table(path, name, sheet) for name, sheet in zip(names, filled, strict=True)]


def _table(path: Path, name: str, sheet: Any) -> FileTable:
    rows = sheet.to_python(skip_empty_area=False)
    first = next((n for n, row in enumerate(rows) if sum(_is_filled(cell) for cell in row) > 1), 0)
    merged = [((top, left), (bottom, right)) for (top, left), (bottom, right) in sheet.merged_cell_ranges or []]
    last = _last_head_row(first, merged, len(rows))
    names = unique_column_names(_heads(rows, first, last, merged))
    columns = {
        column: _column([row[at] for row in rows[last + 1 :]])
        for at, column in enumerate(names)
        if not column.startswith("\0")
    }
    notes = []
    if first:
        notes.append(f"{path.name}, sheet {sheet.name}: {first} row{'s' * (first > 1)} above the head passed over.")
    if last > first:
        notes.append(f"{path.name}, sheet {sheet.name}: its head spans {last - first + 1} rows; they were joined.")
    table = _without_empty_rows(pa.table(columns))
    described = tuple(TableColumn(n, type_of_arrow(c.type) or ValueType("text")) for n, c in columns.items())
    return FileTable(name, described, len(table), (path,), rows=table, notes=tuple(notes))


def _last_head_row(first: int, merged: list[Any], count: int) -> int:
    """A head goes on below a merged cell that spans columns, and to the foot of one that spans rows."""
    last = first
    for (top, left), (bottom, right) in sorted(merged):
        if first <= top <= last and bottom - first < _MOST_HEAD_ROWS:
            last = max(last, bottom, bottom + 1 if right > left else bottom)
    return min(last, count - 1)


def _heads(rows: list[list[Any]], first: int, last: int, merged: list[Any]) -> list[str]:
    """A name for each column, from the texts above it; a mark for one without a head and without values."""
    spread = {
        (row, column): rows[top][left]
        for (top, left), (bottom, right) in merged
        for row in range(top, bottom + 1)
        for column in range(left, right + 1)
    }
    heads = []
    for column in range(len(rows[first])):
        texts = [spread.get((row, column), rows[row][column]) for row in range(first, last + 1)]
        words = dict.fromkeys(_written(text) for text in texts if _is_filled(text))
        used = any(_is_filled(row[column]) for row in rows[last + 1 :])
        heads.append(" ".join(words) or (f"column_{column + 1}" if used else f"\0{column}"))
    return heads


def _written(value: Any) -> str:
    return str(int(value)) if isinstance(value, float) and value.is_integer() else str(value).strip()


def _is_filled(cell: Any) -> bool:
    return cell is not None and cell != ""


def _column(cells: list[Any]) -> pa.Array:
    values = [cell if _is_filled(cell) else None for cell in cells]
    kinds = {type(value) for value in values if value is not None}
    if kinds and kinds <= {int, float}:
        return _numbers(values)
    if kinds == {bool}:
        return pa.array(values, pa.bool_())
    if kinds == {date}:
        return pa.array(values, pa.date32())
    if kinds and kinds <= {date, datetime}:
        return pa.array([v and datetime(*v.timetuple()[:6]) for v in values], pa.timestamp("us"))
    return pa.array([None if value is None else _text(value) for value in values], pa.string())


def _numbers(values: list[Any]) -> pa.Array:
    exact = [None if value is None else Decimal(repr(value)) for value in values]
    places = max((-d.normalize().as_tuple().exponent for d in exact if d is not None), default=0)  # type: ignore[operator]
    digits = max((d.adjusted() + 1 for d in exact if d is not None), default=0)
    if places <= 0 and digits <= _EXACT_DIGITS:
        return pa.array([None if value is None else int(value) for value in values], pa.int64())
    if places <= _MOST_PLACES and digits + places <= _EXACT_DIGITS:
        return pa.array(exact, arrow_type(ValueType("decimal", 18, int(places))))
    return pa.array(values, pa.float64())


def _text(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return _written(value)
    return value.isoformat(" ") if isinstance(value, datetime) else str(value)


def _without_empty_rows(table: pa.Table) -> pa.Table:
    filled = [any(value is not None for value in row.values()) for row in table.to_pylist()]
    return table if all(filled) else table.filter(pa.array(filled))
