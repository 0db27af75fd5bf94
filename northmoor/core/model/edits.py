"""Edits: each a function from a report to a new one, as the window and scripts make them.

All raise pydantic.ValidationError when the result would be no sound report, and KeyError for names that are not there.
"""

from bisect import bisect_left
from collections.abc import Mapping
from typing import Any, TypeVar

from northmoor.core.model.blocks import Block, DataBlock, ForEachBlock
from northmoor.core.model.charts import ChartBlock, ChartLevel
from northmoor.core.model.data import Query, QueryColumn
from northmoor.core.model.looks import Look
from northmoor.core.model.matrices import MatrixBlock, MatrixLevel
from northmoor.core.model.nesting import Blocks, in_every_list, replaced, walk
from northmoor.core.model.pages import Running, RunningLine, TextPiece
from northmoor.core.model.parameters import Assignment, NamedValue, Parameter, ValueSet
from northmoor.core.model.part import Part
from northmoor.core.model.report import Edition, Report
from northmoor.core.model.tables import Cell, Column, Level, Row, RowPlace, TableBlock
from northmoor.core.model.texts import literal


def change_edition(report: Report, edition: str, **changes: Any) -> Report:
    """Change properties of an edition."""
    changed = tuple(e.but(**changes) if e.name == edition else e for e in report.editions)
    return report.but(editions=changed)


def block_of(report: Report, edition: str, block: str) -> Any:
    """A block by name."""
    for candidate in walk(_edition(report, edition).blocks):
        if candidate.name == block:
            return candidate
    raise KeyError(block)


def table_of(report: Report, edition: str, table: str) -> TableBlock:
    """A table by name."""
    block = block_of(report, edition, table)
    if not isinstance(block, TableBlock):
        raise KeyError(table)
    return block


def change_block(report: Report, edition: str, block: str, **changes: Any) -> Report:
    """Change properties of a block."""
    return put_block(report, edition, block_of(report, edition, block).but(**changes))


def put_block(report: Report, edition: str, changed: Block) -> Report:
    """Put a block in the place of the one of its name."""
    blocks = replaced(_edition(report, edition).blocks, changed.name, lambda _: (changed,))
    return change_edition(report, edition, blocks=blocks)


def change_column(report: Report, edition: str, table: str, column: str, **changes: Any) -> Report:
    """Change properties of a table's column."""
    columns = tuple(c.but(**changes) if c.name == column else c for c in table_of(report, edition, table).columns)
    return change_block(report, edition, table, columns=columns)


def add_column(report: Report, edition: str, table: str, field: str, expression: str, at: int | None = None) -> Report:
    """Add a column that shows a field of the table's query, before the column at a place, or at the end."""
    block = table_of(report, edition, table)
    setting = column_setting(report.query(block.query), field)
    name = unused_name(field, [c.name for c in block.columns])
    column = Column(name=name, value=expression, title=literal(setting.label or field))
    place = len(block.columns) if at is None else at
    return change_block(report, edition, table, columns=(*block.columns[:place], column, *block.columns[place:]))


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

    The level stands before the one at a place (0 is outermost), or innermost.
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


def aggregate_of(aggregate: str, expression: str) -> str:
    """The expression that totals another by an aggregate of the model's list."""
    return f"count(distinct {expression})" if aggregate == "count_distinct" else f"{aggregate}({expression})"


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


def change_level(report: Report, edition: str, table: str, level: str, **changes: Any) -> Report:
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


def change_cell(report: Report, edition: str, table: str, place: RowPlace, column: str, **changes: Any) -> Report:
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


def changed_look(look: Look | None, **changes: Any) -> Look | None:
    """A look with some properties changed; None when nothing is left of it."""
    changed = (look or Look()).but(**changes)
    return None if changed == Look() else changed


def change_piece(report: Report, edition: str, running: str, at: str, piece: Part | None) -> Report:
    """Put another piece, or none, at a line of a header or footer and a place in it, such as 0.end."""
    found: Running = getattr(_edition(report, edition), running)
    line, _, place = at.partition(".")
    lines = tuple(ln.but(**{place: piece}) if i == int(line) else ln for i, ln in enumerate(found.lines))
    kept = tuple(ln for ln in lines if ln.start or ln.center or ln.end)
    return change_edition(report, edition, **{running: found.but(lines=kept) if kept else None})


def change_running_line(report: Report, edition: str, running: str, number: int, **changes: Any) -> Report:
    """Change properties of a line of the header or footer."""
    found = getattr(_edition(report, edition), running)
    lines = tuple(line.but(**changes) if at == number else line for at, line in enumerate(found.lines))
    return change_edition(report, edition, **{running: found.but(lines=lines)})


def add_running_line(report: Report, edition: str, running: str, text: str) -> Report:
    """Add a line with a text at its start to the header or footer, which is made where there is none."""
    found = getattr(_edition(report, edition), running) or Running()
    style = known_style(report, "running")
    line = RunningLine(start=TextPiece(text=text, style=style))
    return change_edition(report, edition, **{running: found.but(lines=(*found.lines, line))})


def change_query(report: Report, query: str, **changes: Any) -> Report:
    """Change properties of a query."""
    return report.but(queries=tuple(q.but(**changes) if q.name == query else q for q in report.queries))


def add_query(report: Report, query: Query) -> Report:
    """Add a query."""
    return report.but(queries=(*report.queries, query))


def remove_query(report: Report, query: str) -> Report:
    """Take a query out. Raises ValidationError when something of the report needs it."""
    return report.but(queries=tuple(q for q in report.queries if q.name != query))


def rename_query(report: Report, query: str, name: str) -> Report:
    """Give a query another name, in the tables and links that use it too; SQL and expressions are left as they are."""

    def renamed(blocks: Blocks) -> Blocks:
        return tuple(_with_query(block, query, name) for block in blocks)

    queries = tuple(_with_new_name(q, query, name) for q in report.queries)
    editions = tuple(e.but(blocks=in_every_list(e.blocks, renamed)) for e in report.editions)
    return report.but(queries=queries, editions=editions)


def _with_query(block: Block, old: str, name: str) -> Block:
    """A block with another name for a query that it is over, or that it takes keys from."""
    if isinstance(block, ChartBlock):
        sides = {side: getattr(block, side) for side in ("panels", "category", "series")}
        block = block.but(**{s: _with_members(level, old, name) for s, level in sides.items() if level is not None})
    if isinstance(block, MatrixBlock):
        rows, columns = (tuple(_with_members(each, old, name) for each in side) for side in (block.rows, block.columns))
        block = block.but(rows=rows, columns=columns)
    return block.but(query=name) if isinstance(block, DataBlock | ForEachBlock) and block.query == old else block


L = TypeVar("L", ChartLevel, MatrixLevel)


def _with_members(level: L, old: str, name: str) -> L:
    query, _, column = (level.members or "").partition(".")
    return level.but(members=f"{name}.{column}") if query == old else level


def _with_new_name(query: Query, old: str, name: str) -> Query:
    if query.detail_of is not None and query.detail_of.query == old:
        query = query.but(detail_of=query.detail_of.but(query=name))
    return query.but(name=name) if query.name == old else query


def change_query_column(report: Report, query: str, column: str, **changes: Any) -> Report:
    """Change what a query says of a column; a setting that says nothing any more is taken out."""
    found = report.query(query)
    changed = column_setting(found, column).but(**changes)
    others = [c for c in found.columns if c.name != column]
    if changed == QueryColumn(name=column):
        return change_query(report, query, columns=tuple(others))
    names = [c.name for c in found.columns]
    at = names.index(column) if column in names else len(names)
    return change_query(report, query, columns=(*others[:at], changed, *others[at:]))


def add_parameter(report: Report, parameter: Parameter) -> Report:
    """Add a parameter."""
    return report.but(parameters=(*report.parameters, parameter))


def change_parameter(report: Report, parameter: str, **changes: Any) -> Report:
    """Change properties of a parameter."""
    return report.but(parameters=tuple(p.but(**changes) if p.name == parameter else p for p in report.parameters))


def remove_parameter(report: Report, parameter: str) -> Report:
    """Take a parameter out, and its values out of the sets."""
    kept = tuple(p for p in report.parameters if p.name != parameter)
    sets = tuple(s.but(values=tuple(v for v in s.values if v.parameter != parameter)) for s in report.value_sets)
    return report.but(parameters=kept, value_sets=sets)


def move_parameter(report: Report, parameter: str, by: int) -> Report:
    """Move a parameter forward (negative) or back in the bar."""
    parameters = list(report.parameters)
    at = next(i for i, p in enumerate(parameters) if p.name == parameter)
    moved = parameters.pop(at)
    parameters.insert(max(0, min(at + by, len(parameters))), moved)
    return report.but(parameters=tuple(parameters))


def add_named_value(report: Report, value: NamedValue) -> Report:
    """Add a computed value."""
    return report.but(named_values=(*report.named_values, value))


def change_named_value(report: Report, name: str, **changes: Any) -> Report:
    """Change properties of a computed value."""
    return report.but(named_values=tuple(v.but(**changes) if v.name == name else v for v in report.named_values))


def remove_named_value(report: Report, name: str) -> Report:
    """Take a computed value out."""
    return report.but(named_values=tuple(v for v in report.named_values if v.name != name))


def keep_value_set(report: Report, name: str, values: Mapping[str, Any]) -> Report:
    """Keep values under a name; a set of that name is replaced."""
    made = ValueSet(name=name, values=tuple(Assignment(parameter=p, value=v) for p, v in values.items()))
    others = [s for s in report.value_sets if s.name != name]
    return report.but(value_sets=(*others, made))


def remove_value_set(report: Report, name: str) -> Report:
    """Forget a set of values."""
    return report.but(value_sets=tuple(s for s in report.value_sets if s.name != name))


def column_setting(query: Query, column: str) -> QueryColumn:
    """What a query says of a column, or a setting that says nothing."""
    return next((c for c in query.columns if c.name == column), QueryColumn(name=column))


def _edition(report: Report, name: str) -> Edition:
    found = report.edition(name)
    if found is None:
        raise KeyError(name)
    return found


def known_style(report: Report, name: str) -> str | None:
    """The name of a style, if the report has it."""
    return name if any(style.name == name for style in report.styles) else None


def unused_name(name: str, taken: list[str]) -> str:
    """A name, with a number where it is taken."""
    candidate, count = name, 2
    while candidate in taken:
        candidate, count = f"{name}_{count}", count + 1
    return candidate
