"""Edits: each a function from a report to a new one, as the window and scripts make them.

All raise pydantic.ValidationError when the result would be no sound report, and KeyError for names that are not there.
"""

from bisect import bisect_left
from collections.abc import Sequence
from functools import reduce
from itertools import takewhile
from typing import Any

from northmoor.core.model.blocks.table import Cell, Column, Level, Row, RowPlace, TableBlock
from northmoor.core.model.blocks.text import literal_template
from northmoor.core.model.data.queries import Query
from northmoor.core.model.edits.block_edits import block_of, change_block, put_block
from northmoor.core.model.edits.naming import known_style, unused_name
from northmoor.core.model.edits.query_edits import (
    column_setting,
)
from northmoor.core.model.kinds.aggregates import aggregate_of
from northmoor.core.model.report import Report


def table_of(report: Report, edition: str, table: str) -> TableBlock:
    """A table by name."""
    block = block_of(report, edition, table)
    if not isinstance(block, TableBlock):
        raise KeyError(table)
    return block


def change_column(report: Report, edition: str, table: str, column: str, /, **changes: Any) -> Report:
    """Change properties of a table's column."""
    columns = tuple(c.but(**changes) if c.name == column else c for c in table_of(report, edition, table).columns)
    return change_block(report, edition, table, columns=columns)


def change_columns(report: Report, edition: str, table: str, columns: Sequence[str], /, **changes: Any) -> Report:
    """Change properties of several columns of a table."""
    return reduce(lambda made, name: change_column(made, edition, table, name, **changes), columns, report)


def add_column(report: Report, edition: str, table: str, field: str, expression: str, at: int | None = None) -> Report:
    """Add a column that shows a field of the table's query, before the column at a place, or at the end."""
    block = table_of(report, edition, table)
    setting = column_setting(report.query(block.query), field)
    name = unused_name(field, [c.name for c in block.columns])
    column = Column(name=name, value=expression, title=literal_template(setting.shown_name))
    place = len(block.columns) if at is None else at
    return change_block(report, edition, table, columns=(*block.columns[:place], column, *block.columns[place:]))


def insert_column(report: Report, edition: str, table: str, column: Column, at: int) -> Report:
    """Put a column that was made elsewhere before the column at a place, under a name of its own."""
    columns = table_of(report, edition, table).columns
    own = column.but(name=unused_name(column.name, [each.name for each in columns]))
    return change_block(report, edition, table, columns=(*columns[:at], own, *columns[at:]))


def move_column(report: Report, edition: str, table: str, column: str, to: int) -> Report:
    """Move a column of a table before the one at a place, counted as they are now. A cell that covers several columns
    covers those of them that are still side by side, or have only empty ones between them."""
    block = table_of(report, edition, table)
    before = [each.name for each in block.columns]
    after = [name for name in before if name != column]
    after.insert(to - (to > before.index(column)), column)

    def moved(row: Row) -> Row:
        spans = [before[(at := before.index(cell.column)) : at + cell.span] for cell in row.cells]
        taken = {name for span in spans for name in span}
        cells = []
        for cell, span in zip(row.cells, spans, strict=True):
            places = sorted(map(after.index, span))
            run = list(takewhile((set(after) - taken | set(span)).__contains__, after[places[0] : places[-1] + 1]))
            cells.append(cell.but(column=after[places[0]], span=len(run)))
        return row.but(cells=tuple(cells))

    columns = {each.name: each for each in block.columns}
    bare = block.map_rows(lambda row: row.but(cells=()))  # what covers columns fits neither the old nor the new order
    changed = bare.but(columns=tuple(columns[name] for name in after))
    for place, row in block.rows():
        changed = changed.with_row(place, moved(row))
    return put_block(report, edition, changed)


def remove_column(report: Report, edition: str, table: str, column: str) -> Report:
    """Take a column and the cells under it out of a table."""
    return put_block(report, edition, without_column(table_of(report, edition, table), column))


def without_column(block: TableBlock, column: str) -> TableBlock:
    """A table without a column and the cells under it; cells that span it become narrower."""
    return with_columns(block, tuple(c for c in block.columns if c.name != column))


def with_columns(block: TableBlock, columns: tuple[Column, ...]) -> TableBlock:
    """A table with only some of its columns, in their order, each as given; cells that span others become narrower."""
    places = {column.name: at for at, column in enumerate(block.columns)}
    kept = [column.name for column in columns]
    at = [places[name] for name in kept]

    def narrower(row: Row) -> Row:
        cells = []
        for cell in row.cells:
            first = bisect_left(at, places[cell.column])
            span = bisect_left(at, places[cell.column] + cell.span) - first
            if span == cell.span:
                cells.append(cell)
            elif span:
                cells.append(cell.but(column=kept[first], span=span))
        return row.but(cells=tuple(cells))

    return block.map_rows(narrower).but(columns=columns)


def add_level(report: Report, edition: str, table: str, field: str, expression: str, at: int | None = None) -> Report:
    """Group a table by a field, with a heading, and with a total under each column whose field is totalled.

    The level is before the one at a place (0 is outermost), or innermost.
    """
    block = table_of(report, edition, table)
    total = total_row(report, block, f"Total for {{{expression}}}", "total")
    level = Level(
        name=unused_name(field, [lv.name for lv in block.levels]),
        by=expression,
        heading=(heading_row(report, block, expression),),
        total=(total,) if total.cells else (),
    )
    place = len(block.levels) if at is None else at
    return change_block(report, edition, table, levels=(*block.levels[:place], level, *block.levels[place:]))


def heading_row(report: Report, table: TableBlock, by: str) -> Row:
    """A heading that shows the key of a level over the whole width."""
    cell = Cell(column=table.columns[0].name, text=f"{{{by}}}", span=len(table.columns))
    return Row(style=known_style(report, "heading"), cells=(cell,))


def total_row(report: Report, table: TableBlock, label: str, style: str = "grand-total") -> Row:
    """A row with a label that totals each column whose field is totalled."""
    return Row(style=known_style(report, style), cells=_total_cells(report.query(table.query), table.columns, label))


def _total_cells(query: Query, columns: tuple[Column, ...], label: str) -> tuple[Cell, ...]:
    """A label, then the default aggregate of each column's field; empty when no field is totalled."""
    cells = []
    for column in columns:
        aggregate = next((c.total for c in query.columns if c.name == column.value), None)
        if aggregate and aggregate != "none":
            cells.append(Cell(column=column.name, value=aggregate_of(aggregate, str(column.value))))
    if not cells:
        return ()
    names = [c.name for c in columns]
    first = names.index(cells[0].column)
    return (Cell(column=names[0], text=label, span=first), *cells) if first else tuple(cells)


def show_rows(report: Report, edition: str, table: str, shown: bool) -> Report:
    """Show a table's rows or only their groups. Then the innermost group is one line: where its heading says nothing
    but what the label of its total does, that takes the heading's place."""
    found = table_of(report, edition, table)
    changes: dict[str, Any] = {"show_details": shown}
    if not shown and found.levels and (joined := _on_one_line(found.levels[-1])) is not None:
        changes["levels"] = (*found.levels[:-1], joined)
    return change_block(report, edition, table, **changes)


def _on_one_line(level: Level) -> Level | None:
    """A level with the text of its heading as the label of its total, if they say the same of its groups."""
    if level.parent is not None or len(level.heading) != 1 or not level.total or level.total[0].position == "before":
        return None
    texts = [cell.text or f"{{{cell.value}}}" for cell in level.heading[0].cells]
    key, total = f"{{{level.by}}}", level.total[0]
    labels = [cell for cell in total.cells if key in (cell.text or f"{{{cell.value}}}")]
    if texts != [key] or not labels:
        return None
    label = labels[0].but(text=key, value=None)
    cells = tuple(label if cell is labels[0] else cell for cell in total.cells)
    return level.but(heading=(), total=(total.but(cells=cells), *level.total[1:]))


def remove_level(report: Report, edition: str, table: str, level: str, columns: bool = False) -> Report:
    """Take a level out; its rows join the level around it. With its columns, those that show its key go too."""
    block = table_of(report, edition, table)
    by = block.level(level).by
    for column in block.columns if columns else ():
        if column.value == by and len(table_of(report, edition, table).columns) > 1:
            report = remove_column(report, edition, table, column.name)
    found = table_of(report, edition, table)
    levels = tuple(lv for lv in found.levels if lv.name != level)
    return change_block(report, edition, table, levels=levels, folded=None if found.folded == level else found.folded)


def change_level(report: Report, edition: str, table: str, level: str, /, **changes: Any) -> Report:
    """Change properties of a level."""
    found = table_of(report, edition, table)
    levels = tuple(lv.but(**changes) if lv.name == level else lv for lv in found.levels)
    kept = changes.get("name", level) if found.folded == level else found.folded
    return change_block(report, edition, table, levels=levels, folded=kept)


def move_level(report: Report, edition: str, table: str, level: str, by: int) -> Report:
    """Move a level outward (negative) or inward."""
    levels = list(table_of(report, edition, table).levels)
    at = next(i for i, lv in enumerate(levels) if lv.name == level)
    moved = levels.pop(at)
    levels.insert(max(0, min(at + by, len(levels))), moved)
    return change_block(report, edition, table, levels=tuple(levels))


def change_row(report: Report, edition: str, table: str, place: RowPlace, row: Row | None) -> Report:
    """Put another row, or none, at a place of a table."""
    changed = table_of(report, edition, table).with_row(place, row)
    return put_block(report, edition, changed)


def add_row(report: Report, edition: str, table: str, place: RowPlace, row: Row) -> Report:
    """Put one more row after that at a place of a table."""
    return put_block(report, edition, table_of(report, edition, table).with_row_after(place, row))


def change_cell(report: Report, edition: str, table: str, place: RowPlace, column: str, /, **changes: Any) -> Report:
    """Change properties of a cell of a row; a cell that is not there yet is made."""
    found = table_of(report, edition, table).row_at(place)
    if any(cell.column == column for cell in found.cells):
        cells = tuple(c.but(**changes) if c.column == column else c for c in found.cells)
    else:
        cells = (*found.cells, Cell(column=column, **changes))
    return change_row(report, edition, table, place, found.but(cells=cells))


def add_total(
    report: Report, edition: str, table: str, column: str, level: str | None, aggregate: str | None = None
) -> Report:
    """Total a column at the end of each group of a level, or of the table: in the first total row there, which is made
    where there is none. Without an aggregate, by the one its query says of the field, or a sum."""
    block = table_of(report, edition, table)
    own = next(c for c in block.columns if c.name == column)
    if own.value is None:
        raise ValueError(f"the column {column!r} shows a text, which cannot be totalled")
    default = column_setting(report.query(block.query), own.value).total
    chosen = aggregate or (default if default not in (None, "none") else "sum")
    place = RowPlace("total", level)
    rows = block.total if level is None else block.level(level).total
    if not rows:
        key = "Total" if level is None else f"Total for {{{block.level(level).by}}}"
        style = known_style(report, "total" if level is not None else "grand-total")
        label = Cell(column=block.columns[0].name, text=key)
        cells = () if own is block.columns[0] else (label,)
        report = change_row(report, edition, table, place, Row(style=style, cells=cells))
    return change_cell(report, edition, table, place, column, value=aggregate_of(str(chosen), own.value), text=None)


def remove_cell(report: Report, edition: str, table: str, place: RowPlace, column: str) -> Report:
    """Empty a cell of a row."""
    found = table_of(report, edition, table).row_at(place)
    cells = tuple(c for c in found.cells if c.column != column)
    return change_row(report, edition, table, place, found.but(cells=cells))
