"""What an edition is made of, as entries of a tree: their texts, icons, and what each selects."""

from collections.abc import Callable, Iterator, Sequence

from msgspec import Struct

from northmoor.app.document_controller import WHOLE_PAGE, Selection
from northmoor.app.language.translation import tr
from northmoor.app.pages.inspector.chart_forms import STEP_NAMES
from northmoor.app.pages.inspector.table_forms import row_name
from northmoor.app.widgets.theme import RAILS
from northmoor.core.base.readable_names import shown_title
from northmoor.core.base.replace import replace
from northmoor.core.layout.page.headers_footers import pieces
from northmoor.core.model.blocks.block_types import BLOCK_TYPE_OF_KIND, Block
from northmoor.core.model.blocks.chart import Chart, ChartBlock
from northmoor.core.model.blocks.containers import ForEachBlock, FrameBlock, GridBlock
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.table import PAGE_ROWS, Row, RowPlace, TableBlock
from northmoor.core.model.edits import steps_of
from northmoor.core.model.pages import Running, TextPiece
from northmoor.core.model.report import Edition

_DRAWINGS = {"heading": "heading", "total": "sigma", **dict.fromkeys(PAGE_ROWS, "sigma")}
Select = Callable[[str], Selection]
"""What selects a part, by its name."""
_RUNNING_ICONS = {"header": "panel-top", "footer": "panel-bottom"}


class TreeEntry(Struct, frozen=True):
    """An entry: its text, its icon (and the colour of that, where it is not the usual one), what it selects, and the
    entries below it."""

    text: str
    drawing: str | None
    selection: Selection
    color: str | None = None
    below: tuple["TreeEntry", ...] = ()


def edition_tree(edition: Edition) -> tuple[TreeEntry, ...]:
    """The entries of an edition, from the page to its footer."""
    found = [TreeEntry(tr("Page"), "file-text", WHOLE_PAGE)]
    found += [_running(edition.header, "header")] if edition.header else []
    if edition.watermark:
        found.append(TreeEntry(tr("Watermark"), "stamp", Selection("watermark", "watermark")))
    found += _blocks(edition.blocks)
    found += [_running(edition.footer, "footer")] if edition.footer else []
    return tuple(found)


def _running(running: Running, name: str) -> TreeEntry:
    below = []
    for number, line in enumerate(running.lines):
        for place, piece in pieces(line):
            is_text = isinstance(piece, TextPiece)
            shown = _short(piece.text) if isinstance(piece, TextPiece) else piece.file.rpartition("/")[2]
            selection = Selection(name, name, column=f"{number}.{place}")
            below.append(TreeEntry(shown, "type" if is_text else "image", selection))
    shown = tr("Page {name}").format(name=tr(name))
    return TreeEntry(shown, _RUNNING_ICONS[name], Selection(name, name), below=tuple(below))


def _short(text: str) -> str:
    return text if len(text) <= 28 else text[:27] + "…"


def _blocks(blocks: Sequence[Block]) -> Iterator[TreeEntry]:
    for block in blocks:
        if isinstance(block, TableBlock):
            yield _table(block)
        elif isinstance(block, MatrixBlock):
            yield _matrix(block)
        elif isinstance(block, ChartBlock):
            yield _chart_block(block)
        else:
            kind = BLOCK_TYPE_OF_KIND[block.kind]
            shown = f"{tr(kind.label)} · {block.name}"
            yield TreeEntry(shown, kind.icon, Selection(block.kind, block.name), below=tuple(_inside(block)))


def _chart_block(chart: ChartBlock) -> TreeEntry:
    below = _chart(
        chart,
        lambda name: Selection("level", chart.name, level=name),
        lambda name: Selection("mark", chart.name, column=name),
    )
    shown = tr("Chart · {name}").format(name=chart.name)
    return TreeEntry(shown, "chart-column", Selection("chart", chart.name), below=tuple(below))


def _inside(block: Block) -> Iterator[TreeEntry]:
    """The entries of what a block holds."""
    if isinstance(block, ForEachBlock):
        yield from _blocks(block.blocks)
    elif isinstance(block, GridBlock):
        for number, cell in enumerate(block.cells):
            shown = tr("Row {row}, column {column}").format(row=cell.row + 1, column=cell.column + 1)
            own = Selection("grid-cell", block.name, number=number)
            yield TreeEntry(shown, "square", own, below=tuple(_blocks(cell.blocks)))
    elif isinstance(block, FrameBlock):
        for item in block.items:
            yield from _blocks(item.blocks)


def _table(table: TableBlock) -> TreeEntry:
    rows = list(table.rows())
    below = [_row(table, place, row) for place, row in rows if place.row == "head"]
    below.append(_row(table, RowPlace("head")))
    for depth, level in enumerate(table.levels):
        shown = tr("Level {depth} · {name}").format(depth=depth + 1, name=level.name)
        own = Selection("level", table.name, level=level.name)
        inside = tuple(_row(table, place, row) for place, row in rows if place.level == level.name)
        below.append(TreeEntry(shown, "brackets", own, RAILS[depth % 4], inside))
    if table.show_details:
        below.append(_row(table, RowPlace("detail")))
    for name in ("detail", "total", *PAGE_ROWS):
        for place, row in rows:
            if place.row == name and place.level is None and (name != "detail" or table.show_details):
                below.append(_row(table, place, row))
    shown = tr("Table · {name}").format(name=table.name)
    return TreeEntry(shown, "table-2", Selection("table", table.name), below=tuple(below))


def _row(table: TableBlock, place: RowPlace, made: Row | None = None) -> TreeEntry:
    shown = row_name(place)
    if place.level is not None:
        shown = shown.removesuffix(tr(" of {level}").format(level=place.level))
    selection = Selection("row", table.name, place.row, place.level, None, place.number)
    titles = {column.name: shown_title(column) for column in table.columns}
    names = list(titles) if made is None else [c.column for c in made.cells]
    charts = {} if made is None else {cell.column: cell.chart for cell in made.cells}
    below = []
    for name in names:
        cell, chart = replace(selection, kind="cell", column=name), charts.get(name)
        inside = (_chart_in_cell(chart, cell),) if chart is not None else ()
        below.append(TreeEntry(titles.get(name, name), None, cell, below=inside))
    return TreeEntry(shown, _DRAWINGS.get(place.row, "rows-3"), selection, below=tuple(below))


def _chart_in_cell(chart: Chart, cell: Selection) -> TreeEntry:
    below = _chart(
        chart,
        lambda name: replace(cell, kind="groups", part=name),
        lambda name: replace(cell, kind="mark", part=name),
    )
    return TreeEntry(tr("Chart"), "chart-column", replace(cell, kind="chart"), below=tuple(below))


def _chart(chart: Chart, of_level: Select, of_measure: Select) -> Iterator[TreeEntry]:
    """The entries of a chart's levels and measures, with what selects each of them by its name."""
    for step, level in steps_of(chart):
        yield TreeEntry(f"{STEP_NAMES[step]} · {shown_title(level)}", "brackets", of_level(level.name))
    for measure in chart.measures:
        yield TreeEntry(tr("Value · {name}").format(name=shown_title(measure)), "sigma", of_measure(measure.name))


def _matrix(matrix: MatrixBlock) -> TreeEntry:
    below = []
    for side, levels in ((tr("Rows"), matrix.rows), (tr("Columns"), matrix.columns)):
        for depth, level in enumerate(levels):
            own = Selection("level", matrix.name, level=level.name)
            below.append(TreeEntry(f"{side} {depth + 1} · {shown_title(level)}", "brackets", own, RAILS[depth % 4]))
    for measure in matrix.measures:
        own = Selection("measure", matrix.name, column=measure.name)
        below.append(TreeEntry(tr("Value · {name}").format(name=shown_title(measure)), "sigma", own))
    shown = tr("Matrix · {name}").format(name=matrix.name)
    return TreeEntry(shown, "grid-3x3", Selection("matrix", matrix.name), below=tuple(below))
