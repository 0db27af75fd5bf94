"""Edits of matrices, as `edits` are of tables; and a table turned into a matrix and back.

They raise like those: pydantic.ValidationError when the result would be no sound report, KeyError for missing names.
"""

from typing import Any

from northmoor.core.model.base import GroupingLevel
from northmoor.core.model.blocks.matrix import MatrixBlock, MatrixLevel, Measure
from northmoor.core.model.blocks.table import Cell, Column, Level, Row, TableBlock
from northmoor.core.model.blocks.text import literal_template
from northmoor.core.model.edits.block_edits import block_of, put_block
from northmoor.core.model.edits.naming import doubled, known_style, unused_name
from northmoor.core.model.edits.query_edits import column_setting
from northmoor.core.model.kinds.aggregates import aggregate_of
from northmoor.core.model.report import Report

SIDES = ("rows", "columns")


def matrix_of(report: Report, edition: str, matrix: str) -> MatrixBlock:
    """A matrix by name."""
    block = block_of(report, edition, matrix)
    if not isinstance(block, MatrixBlock):
        raise KeyError(matrix)
    return block


def side_of(matrix: MatrixBlock, level: str) -> str:
    """The side that a level is on: rows or columns. Raises KeyError."""
    found = matrix.level(level)
    return "rows" if found in matrix.rows else "columns"


def change_matrix_level(report: Report, edition: str, matrix: str, level: str, /, **changes: Any) -> Report:
    """Change properties of a level."""
    block = matrix_of(report, edition, matrix)
    sides = {
        side: tuple(own.but(**changes) if own.name == level else own for own in getattr(block, side)) for side in SIDES
    }
    return put_block(report, edition, block.but(**sides))


def add_matrix_level(report: Report, edition: str, matrix: str, side: str, field: str, expression: str) -> Report:
    """Group a side by a field, inside its other levels; the groups around are totalled then."""
    block = matrix_of(report, edition, matrix)
    setting = column_setting(report.query(block.query), field)
    name = unused_name(field, [level.name for level in (*block.rows, *block.columns)])
    added = MatrixLevel(name=name, by=expression, title=literal_template(setting.shown_name))
    return put_block(report, edition, block.but(**{side: (*getattr(block, side), added)}))


def remove_matrix_level(report: Report, edition: str, matrix: str, level: str) -> Report:
    """Take a level out."""
    block = matrix_of(report, edition, matrix)
    sides = {side: tuple(own for own in getattr(block, side) if own.name != level) for side in SIDES}
    return put_block(report, edition, block.but(**sides))


def move_matrix_level(report: Report, edition: str, matrix: str, level: str, by: int) -> Report:
    """Move a level outward (negative) or inward on its side."""
    block = matrix_of(report, edition, matrix)
    side = side_of(block, level)
    levels = list(getattr(block, side))
    moved = levels.pop(levels.index(block.level(level)))
    at = [own.name for own in getattr(block, side)].index(level)
    levels.insert(max(0, min(at + by, len(levels))), moved)
    return put_block(report, edition, block.but(**{side: tuple(levels)}))


def turn_matrix_level(report: Report, edition: str, matrix: str, level: str) -> Report:
    """Move a level to the other side, innermost there."""
    block = matrix_of(report, edition, matrix)
    own = side_of(block, level)
    other = SIDES[1 - SIDES.index(own)]
    moved = block.level(level)
    left = tuple(each for each in getattr(block, own) if each is not moved)
    return put_block(report, edition, block.but(**{own: left, other: (*getattr(block, other), moved)}))


def swap_sides(report: Report, edition: str, matrix: str) -> Report:
    """Rows become columns, and columns rows, with their totals."""
    block = matrix_of(report, edition, matrix)
    swapped = block.but(
        rows=block.columns,
        columns=block.rows,
        row_total=block.column_total,
        column_total=block.row_total,
        row_total_text=block.column_total_text,
        column_total_text=block.row_total_text,
    )
    return put_block(report, edition, swapped)


def change_measure(report: Report, edition: str, matrix: str, measure: str, /, **changes: Any) -> Report:
    """Change properties of a measure."""
    block = matrix_of(report, edition, matrix)
    measures = tuple(own.but(**changes) if own.name == measure else own for own in block.measures)
    return put_block(report, edition, block.but(measures=measures))


def add_measure(report: Report, edition: str, matrix: str, field: str, value: str) -> Report:
    """Add a measure that totals a field, after the others."""
    block = matrix_of(report, edition, matrix)
    setting = column_setting(report.query(block.query), field)
    name = unused_name(field, [measure.name for measure in block.measures])
    added = Measure(name=name, value=value, title=literal_template(setting.shown_name))
    return put_block(report, edition, block.but(measures=(*block.measures, added)))


def duplicate_measure(report: Report, edition: str, matrix: str, measure: str) -> Report:
    """Add the same measure once more, after itself."""
    block = matrix_of(report, edition, matrix)
    return put_block(report, edition, block.but(measures=doubled(block.measures, measure)))


def remove_measure(report: Report, edition: str, matrix: str, measure: str) -> Report:
    """Take a measure out."""
    block = matrix_of(report, edition, matrix)
    return put_block(report, edition, block.but(measures=tuple(m for m in block.measures if m.name != measure)))


def move_measure(report: Report, edition: str, matrix: str, measure: str, by: int) -> Report:
    """Move a measure before (negative) or after others."""
    block = matrix_of(report, edition, matrix)
    measures = list(block.measures)
    at = measures.index(block.measure(measure))
    measures.insert(max(0, min(at + by, len(measures) - 1)), measures.pop(at))
    return put_block(report, edition, block.but(measures=tuple(measures)))


def table_to_matrix(report: Report, edition: str, table: str) -> Report:
    """Turn a table into a matrix: its levels become those of the rows, but the innermost of two or more that of the
    columns, and the totals of its columns the measures."""
    block = block_of(report, edition, table)
    if not isinstance(block, TableBlock):
        raise KeyError(table)
    levels = tuple(_crossed(level, report, block) for level in block.levels)
    rows, columns = (levels[:-1], levels[-1:]) if len(levels) > 1 else (levels, ())
    matrix = MatrixBlock(
        name=block.name,
        query=block.query,
        rows=tuple(row.but(subtotal="after", style=known_style(report, "total")) for row in rows[:-1]) + rows[-1:],
        columns=columns,
        measures=_measures(report, block),
        keep_rows=block.keep_rows,
        style=block.style,
        head_style=block.head_style,
        total_style=known_style(report, "grand-total"),
        space_after=block.space_after,
        when_empty=block.when_empty,
        visible=block.visible,
    )
    return put_block(report, edition, matrix)


def _crossed(level: Level, report: Report, block: TableBlock) -> MatrixLevel:
    own = {name: getattr(level, name) for name in GroupingLevel.model_fields}
    shown = next((cell.format for row in level.heading for cell in row.cells if cell.value == level.by), None)
    label = next((c.label for c in report.query(block.query).columns if c.name == level.by), None)
    return MatrixLevel(**own, title=literal_template(label or level.name), format=shown)


def _measures(report: Report, block: TableBlock) -> tuple[Measure, ...]:
    """The totals of a table's columns; where it has none, how many rows there are."""
    rows: list[Row] = [*block.total, *(row for level in block.levels for row in level.total)]
    titles = {column.name: column for column in block.columns}
    found: dict[str, Measure] = {}
    for cell in (cell for row in rows for cell in row.cells if cell.value is not None):
        column = titles[cell.column]
        pattern = cell.format or column.format
        found.setdefault(cell.column, Measure(name=cell.column, value=cell.value, title=column.title, format=pattern))
    for column in block.columns if not found else ():
        total = column_setting(report.query(block.query), column.value or "").total
        if column.value is not None and total not in (None, "none"):
            value = aggregate_of(str(total), column.value)
            found[column.name] = Measure(name=column.name, value=value, title=column.title, format=column.format)
    return tuple(found.values()) or (Measure(name="count", value="count(*)", title="Count"),)


def matrix_to_table(report: Report, edition: str, matrix: str) -> Report:
    """Turn a matrix into a table: all its levels one inside the other, its measures as the totals of each."""
    block = matrix_of(report, edition, matrix)
    keys = [*block.rows, *block.columns] or [MatrixLevel(name="all", by="1")]
    columns = [Column(name=level.name, title=level.title or literal_template(level.name), text="") for level in keys]
    columns += [
        Column(name=unused_name(m.name, [k.name for k in keys]), title=m.title, text="") for m in block.measures
    ]
    names = [column.name for column in columns[len(keys) :]]
    sums = tuple(
        Cell(column=name, value=measure.value, text=measure.text, format=measure.format, look=measure.look)
        for name, measure in zip(names, block.measures, strict=True)
    )
    levels = []
    for depth, level in enumerate(keys):
        own = {name: getattr(level, name) for name in Level.model_fields if hasattr(level, name)}
        key = Cell(column=level.name, value=level.by, format=level.format, blank_repeats=depth < len(keys) - 1)
        outer = tuple(
            Cell(column=around.name, value=around.by, format=around.format, blank_repeats=True)
            for around in keys[:depth]
        )
        is_shown = depth == len(keys) - 1 or level.subtotal != "none"
        cells = (*outer, key, *sums) if depth == len(keys) - 1 else (key, *sums)
        levels.append(Level(**own, total=(Row(cells=cells),) if is_shown else ()))
    total = Row(
        cells=(Cell(column=columns[0].name, text=block.row_total_text, span=len(keys)), *sums), style=block.total_style
    )
    table = TableBlock(
        name=block.name,
        query=block.query,
        columns=tuple(columns),
        levels=tuple(levels),
        show_details=False,
        total=(total,) if block.row_total != "none" else (),
        keep_rows=block.keep_rows,
        style=block.style,
        head_style=block.head_style,
        space_after=block.space_after,
        when_empty=block.when_empty,
        visible=block.visible,
    )
    return put_block(report, edition, table)
