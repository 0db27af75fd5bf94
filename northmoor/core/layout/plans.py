"""A table's cell definitions with all their texts: how each looks, how it is aligned, and its lines, whatever its
width."""

from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from northmoor.core.compute.scopes import DETAIL
from northmoor.core.compute.table import ArrangedTable, head_content
from northmoor.core.errors import Place
from northmoor.core.expr.language import bare_column, columns_in
from northmoor.core.layout.celltext import CellTexts, cell_texts, report_faults
from northmoor.core.layout.context import FAULT_COLOR, Setting
from northmoor.core.layout.display import TextFace
from northmoor.core.layout.flow import DETAILS, HEADING, Flow, RowKind
from northmoor.core.layout.fonts import font_file
from northmoor.core.layout.text import Shaper
from northmoor.core.model.blocks import Cell, Column, Row, TableBlock
from northmoor.core.model.looks import Align, FullLook


@dataclass(frozen=True, eq=False)
class ShapedTexts:
    """A cell's texts in a font: the line number of each, the distinct ones, those of them with line breaks of their
    own, and the characters no font has."""

    lines: npt.NDArray[np.int32]
    distinct: npt.NDArray[np.int32]
    broken: frozenset[int]
    missing: str


@dataclass(frozen=True, eq=False)
class CellPlan:
    """A cell definition laid out: where it stands in its kind of row, how it looks, and its texts' lines."""

    name: str
    column: int
    span: int
    look: FullLook
    align: Align
    face: TextFace
    fault_face: TextFace
    shaper: Shaper
    texts: CellTexts
    shaped: ShapedTexts
    widest: int
    """Width of its longest line."""
    repeats: npt.NDArray[np.bool_] | None = None
    """For each instance, whether it says the same as the row above and is left empty; None where none is."""

    @property
    def leading(self) -> int:
        """Distance between its baselines."""
        return self.shaper.font.leading(self.face.size)


@dataclass(frozen=True, eq=False)
class RowPlan:
    """A kind of row laid out: its cells from left to right and the look of the row as a whole."""

    kind: RowKind | None
    cells: tuple[CellPlan, ...]
    look: FullLook


def make_row_plans(table: TableBlock, arranged: ArrangedTable, flow: Flow, setting: Setting) -> tuple[RowPlan, ...]:
    """The head row's plan, then one for each kind of row of the flow."""
    report = setting.report
    base = report.look(setting.base, table.style)
    details = tuple(_detail_cell(table, i, base, arranged, setting) for i in range(len(table.columns)))
    head_look = report.look(base, table.head_style)
    head = tuple(_head_cell(table, i, details[i], head_look, arranged, setting) for i in range(len(details)))
    plans = [RowPlan(None, head, head_look)]
    for kind in flow.kinds:
        if kind.kind == DETAILS:
            plans.append(RowPlan(kind, details, base))
            continue
        row, name = _row_of(table, kind)
        look = report.look(base, row.style, row.look)
        cells = tuple(
            _group_cell(table, cell, kind, name, look, details, arranged, setting) for cell in _ordered(row, table)
        )
        plans.append(RowPlan(kind, cells, look))
    return tuple(plans)


def _row_of(table: TableBlock, kind: RowKind) -> tuple[Row, str]:
    if kind.level == 0:
        row, name = table.total, "total"
    else:
        level = table.levels[kind.level - 1]
        row = level.heading if kind.kind == HEADING else level.total
        name = f"{'heading' if kind.kind == HEADING else 'total'} of {level.name}"
    assert row is not None
    return row, name


def _ordered(row: Row, table: TableBlock) -> list[Cell]:
    names = [column.name for column in table.columns]
    return sorted(row.cells, key=lambda cell: names.index(cell.column))


def _detail_cell(table: TableBlock, i: int, base: FullLook, arranged: ArrangedTable, setting: Setting) -> CellPlan:
    column = table.columns[i]
    look = setting.report.look(base, column.style, column.look)
    count = arranged.rows if table.show_details else 0
    if count:
        pattern = column.format or column_pattern(table, column, setting)
        texts = cell_texts(column, pattern, DETAIL, arranged, count, setting)
        report_faults(texts, Place(block=table.name, row="rows", column=column.name), setting)
    else:
        texts = CellTexts([])
    plan = _cell_plan(column.name, i, 1, look, texts, None, setting)
    return replace(plan, repeats=_repeats(plan, arranged)) if column.blank_repeats and count else plan


def _repeats(plan: CellPlan, arranged: ArrangedTable) -> npt.NDArray[np.bool_]:
    """Rows whose line is that of the row above in the same innermost group."""
    lines = plan.shaped.lines
    same = np.zeros(len(lines), bool)
    same[1:] = lines[1:] == lines[:-1]
    if arranged.levels:
        starts = arranged.levels[-1].starts[:-1]
        same[starts[starts < len(same)]] = False
    return same


def _head_cell(
    table: TableBlock, i: int, detail: CellPlan, look: FullLook, arranged: ArrangedTable, setting: Setting
) -> CellPlan:
    column = table.columns[i]
    texts = cell_texts(head_content(column), None, 0, arranged, 1, setting)
    report_faults(texts, Place(block=table.name, row="head", column=column.name), setting)
    return _cell_plan(column.name, i, 1, look, texts, detail.align, setting)


def _group_cell(
    table: TableBlock,
    cell: Cell,
    kind: RowKind,
    name: str,
    row_look: FullLook,
    details: tuple[CellPlan, ...],
    arranged: ArrangedTable,
    setting: Setting,
) -> CellPlan:
    i = next(at for at, column in enumerate(table.columns) if column.name == cell.column)
    column = table.columns[i]
    look = setting.report.look(row_look, cell.style, cell.look)
    count = len(arranged.levels[kind.level - 1]) if kind.level else 1
    pattern = cell.format or _inherited_pattern(table, column, cell, setting)
    texts = cell_texts(cell, pattern, kind.level, arranged, count, setting)
    report_faults(texts, Place(block=table.name, row=name, column=cell.column), setting)
    align = details[i].align if texts.is_number or (cell.text is not None and cell.span == 1 and i) else None
    return _cell_plan(cell.column, i, cell.span, look, texts, align, setting)


def _inherited_pattern(table: TableBlock, column: Column, cell: Cell, setting: Setting) -> str | None:
    """A total of a column is written like the column, unless it counts."""
    if cell.value is None or "count(" in cell.value.replace(" ", "").lower() or column.value is None:
        return None
    if not columns_in(column.value) & columns_in(cell.value):
        return None
    return column.format or column_pattern(table, column, setting)


def column_pattern(table: TableBlock, column: Column, setting: Setting) -> str | None:
    """The format that the query's settings give to the column a table's column shows."""
    query = setting.report.query(table.query)
    bare = bare_column(column.value)
    return next((c.format for c in query.columns if c.name == bare), None)


def _cell_plan(
    name: str, column: int, span: int, look: FullLook, texts: CellTexts, align: Align | None, setting: Setting
) -> CellPlan:
    file = font_file(look.font, look.bold, look.italic)
    shaper = setting.shapers.of(file)
    face = TextFace(file, look.size, look.color)
    decided: Align = look.align or align or ("end" if texts.is_number else "start")
    shaped = setting.kept.get(("lines", texts, file), lambda: _shaped(texts, shaper))
    widest = setting.kept.get(
        ("widest", texts, file, look.size), lambda: int(max(shaper.widths(shaped.distinct, look.size), default=0))
    )
    fault_face = TextFace(file, look.size, FAULT_COLOR)
    return CellPlan(name, column, span, look, decided, face, fault_face, shaper, texts, shaped, widest)


def _shaped(texts: CellTexts, shaper: Shaper) -> ShapedTexts:
    lines = shaper.add(texts.texts)
    distinct = np.unique(lines)
    broken = (n for n in distinct.tolist() if "\n" in shaper.texts[n] or "\r" in shaper.texts[n])
    return ShapedTexts(lines, distinct, frozenset(broken), shaper.missing(distinct.tolist()))
