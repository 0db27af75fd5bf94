"""What is where on a page, for pointing at: cells, column edges, and the extents of groups.

The canvas lights up and drags by these; they come from the same rows and widths as the page itself.
"""

from collections.abc import Iterator
from typing import Any

import numpy as np
from msgspec import Struct

from northmoor.core.base.arrays import Bools, Ints
from northmoor.core.compute.table.evaluation import TableData
from northmoor.core.layout.flow.fragments import BodyBox, BoxFragment, ChartFragment, TableFragmentOnPage, TextFragment
from northmoor.core.layout.geometry import Rect
from northmoor.core.layout.inline.rich_text import RichText
from northmoor.core.layout.page.composition import Composition
from northmoor.core.layout.page.headers_footers import heights_of, lines_on, pieces
from northmoor.core.layout.table.cell_layout import CellLayout
from northmoor.core.layout.table.collapsing import Fold
from northmoor.core.layout.table.layout import TableLayout
from northmoor.core.layout.table.origins import row_origin
from northmoor.core.layout.table.page_rows import RowsOnPage, rows_on_page
from northmoor.core.layout.table.painting import content_box
from northmoor.core.layout.table.row_sequence import DETAILS, RowKind
from northmoor.core.model.blocks.table import RowPlace


class HitRegion(Struct, frozen=True):
    """A rectangle on a page and the definition it shows: a block, or a table's row kind, level and column."""

    block: str
    row: str
    level: str | None
    column: str | None
    x: int
    y: int
    width: int
    height: int
    number: int = 0
    printed: int | None = None
    """The printed row it is an instance of; rows that belong to pages have negative numbers."""
    link: str | None = None
    """The address that it opens."""
    part: str = "cell"
    """What it belongs to: a cell; in a matrix a measure or a level, whose name is `column`, or all of it; an item of a
    frame is the extent of its first block, a cell of a grid that of the cell; a run
    is a piece of a text that opens an address."""
    under: str | None = None
    """The column of the printed table that it is under; of an item, its frame; of a cell, its grid."""
    keys: tuple[Any, ...] = ()
    """In the head of a matrix, the keys of the group of columns that it is over, outermost first."""
    of_record: bool = False
    """Whether its level is that of the records around its table, and so none of the table's own."""

    @property
    def own_level(self) -> str | None:
        """The level of its table that it belongs to."""
        return None if self.of_record else self.level

    def holds(self, x: int, y: int) -> bool:
        """Whether a point lies in it."""
        return self.x <= x < self.x + self.width and self.y <= y < self.y + self.height


class ColumnEdge(Struct, frozen=True):
    """The right edge of a table's column, from `top` to `bottom`; `width` is the column's own."""

    block: str
    column: str
    x: int
    top: int
    bottom: int
    width: int


class GroupBracket(Struct, frozen=True):
    """The extent of one group of a level (`depth` from 0) on a page; open where it goes on before or after it."""

    block: str
    level: str
    depth: int
    top: int
    bottom: int
    begins: bool
    ends: bool
    keys: tuple[Any, ...] = ()
    """The keys of the group and of those around it."""
    is_folded: bool = False


class HitMap(Struct, frozen=True):
    """All that can be pointed at on a page."""

    regions: tuple[HitRegion, ...]
    edges: tuple[ColumnEdge, ...]
    brackets: tuple[GroupBracket, ...]

    def region_at(self, x: int, y: int) -> HitRegion | None:
        """The innermost spot at a point."""
        found = [region for region in self.regions if region.holds(x, y)]
        return min(
            found,
            key=lambda region: (
                region.width * region.height,
                region.column is None,
                region.part in ("item", "grid-cell"),
            ),
            default=None,
        )


def hit_map(composition: Composition, index: int) -> HitMap:
    """What is where on the page of an index from 0."""
    regions: list[HitRegion] = []
    edges: list[ColumnEdge] = []
    brackets: list[GroupBracket] = []
    frame = composition.frame
    for part in composition.parts(index):
        if isinstance(part, TableFragmentOnPage):
            left, top = frame.left + part.left, frame.top + part.rows.y
            shown = rows_on_page(part.layout, part.rows, top)
            regions += _cell_regions(part, shown, left)
            edges += _edges(part, shown, left)
            brackets += _brackets(part, shown)
        elif isinstance(part, ChartFragment):
            regions += _chart_regions(part, frame)
        elif isinstance(part, BoxFragment):
            area = part.area(frame)
            owner, number = part.item or (None, 0)
            kind = "cell" if owner is None else "grid-cell" if part.kind == "grid-cell" else "item"
            regions.append(HitRegion(part.name, part.kind, None, None, area.x, area.y, area.width, area.height, number,
                              part.record, part.link or None, kind, owner))  # fmt: skip
        else:
            regions += _text_regions(part, frame)
    return HitMap((*regions, *_running_regions(composition, index)), tuple(edges), tuple(brackets))


def _chart_regions(part: ChartFragment, frame: BodyBox) -> list[HitRegion]:
    """A chart as a whole, and its marks: `printed` is a mark's row, `number` its series."""
    found = [
        HitRegion(
            part.name,
            "chart",
            None,
            None,
            frame.left + part.left,
            frame.top + part.y,
            part.width,
            part.height,
            part="chart",
        )
    ]
    targets = part.view.link_targets() if part.view.chart.link is not None else None
    for mark in part.lay_out(frame).marks:
        area, link = mark.area, targets[part.view.cell(mark.row, mark.series)] if targets is not None else ""
        found.append(
            HitRegion(
                part.name,
                "mark",
                None,
                mark.measure,
                area.x,
                area.y,
                area.width,
                area.height,
                mark.series,
                mark.row,
                link or None,
                "chart",
            )
        )
    return found


def _text_regions(part: TextFragment, frame: BodyBox) -> Iterator[HitRegion]:
    """A text, and its runs that open addresses."""
    block, left, y, width = part.block, frame.left + part.left, frame.top + part.y, part.width
    link = part.link or None
    height, origin = block.height_of(part.start, part.end), block.origin
    yield HitRegion(origin.block, origin.row, None, None, left, y, width, height, printed=origin.ordinal, link=link)
    if isinstance(block, RichText):
        for x, top, wide, high, own in block.links(left, y, part.start, part.end):
            yield HitRegion(origin.block, origin.row, None, None, x, top, wide, high, printed=origin.ordinal, link=own,
                       part="run")  # fmt: skip


def _running_regions(composition: Composition, index: int) -> list[HitRegion]:
    """The pieces of header and footer; `column` tells the line and place, as ``0.end``."""
    regions = []
    for name, running in (("header", composition.edition.header), ("footer", composition.edition.footer)):
        if running is None:
            continue
        lines = lines_on(running, composition.numbers[index], composition.counts[index])
        heights, _ = heights_of(running, lines, composition.context)
        left, top, width = composition.running_place(name, lines, index)
        top += running.rule if name == "footer" else 0
        for number, height in zip(lines, heights, strict=True):
            for place, _ in pieces(running.lines[number]):
                x = left + {"start": 0, "center": 1, "end": 2}[place] * width // 3
                regions.append(HitRegion(name, name, None, f"{number}.{place}", x, top, width // 3, height))
            top += height
    return regions


def _cell_regions(part: TableFragmentOnPage, shown: RowsOnPage, left: int) -> list[HitRegion]:
    layout = part.layout
    name, width = layout.table.name, layout.edges[-1]
    regions = []
    for row, y, height in zip(shown.rows.tolist(), shown.tops.tolist(), shown.heights.tolist(), strict=True):
        plan = layout.plans[layout.plan_number(row)]
        place, instance = plan.place, layout.instance(row, part.rows.number)
        whole = "matrix" if layout.data.crosstab is not None else "cell"
        outer = place.level in [level.name for level in layout.table.levels[: layout.outer]]
        regions.append(
            HitRegion(name, place.row, place.level, None, left, y, width, height, place.number, row, part=whole,
                 of_record=outer)
        )  # fmt: skip
        for cell in plan.cells:
            x, right = layout.edges[cell.column], layout.edges[cell.column + cell.span]
            box = (left + x, y, right - x, height)
            shown_part, column = _part_of_cell(layout.data, place, cell.name)
            link = cell.link(instance)
            keys = _keys_over(layout.data, place, cell.name) if shown_part == "level" else ()
            regions.append(
                HitRegion(
                    name,
                    place.row,
                    place.level,
                    column,
                    *box,
                    place.number,
                    row,
                    link,
                    shown_part,
                    cell.name,
                    keys,
                    outer,
                )
            )
            if cell.chart is not None:
                regions += _marks_in_cell(layout, row, instance, cell, Rect(*box))
    return regions


def _marks_in_cell(layout: TableLayout, row: int, instance: int, cell: CellLayout, area: Rect) -> list[HitRegion]:
    """The marks of a chart in a cell; `keys` say which printed row it is in, of what kind, and the number of that."""
    assert cell.chart is not None
    laid = cell.chart.lay_out(instance, content_box(cell, instance, area), row_origin(layout, row, cell.name))
    place = layout.plans[layout.plan_number(row)].place
    return [
        HitRegion(layout.table.name, "mark", place.level, mark.measure, mark.area.x, mark.area.y, mark.area.width,
             mark.area.height, mark.series, mark.row, None, "chart", cell.name, (row, place.row, place.number))
        for mark in (laid.marks if laid is not None else ())
    ]  # fmt: skip


def _part_of_cell(data: TableData, place: RowPlace, column: str) -> tuple[str, str]:
    """What a cell belongs to, and the name of that: in a matrix a measure, a level, or the matrix as a whole."""
    crosstab, shown = data.crosstab, data.crosstab_column(column)
    if crosstab is None or shown is None:
        return "cell", column
    if not shown.is_measure:
        if place.row == "total" and place.level is None:
            return "matrix", column
        return "level", place.level or shown.column
    head = crosstab.heads[place.number] if place.row == "head" else None
    return ("level", head) if head is not None else ("measure", shown.measure(place.row, place.number))


def _keys_over(data: TableData, place: RowPlace, column: str) -> tuple[Any, ...]:
    """The keys of the group of several columns that a cell of a matrix's head is over; none elsewhere."""
    crosstab, shown = data.crosstab, data.crosstab_column(column)
    if crosstab is None or shown is None or place.row != "head" or not shown.is_measure:
        return ()
    levels = sum(head is not None for head in crosstab.heads)
    return shown.keys[: place.number] if 0 < place.number < levels and len(shown.keys) >= place.number else ()


def _edges(part: TableFragmentOnPage, shown: RowsOnPage, left: int) -> list[ColumnEdge]:
    if not len(shown.rows):
        return []
    top, bottom = int(shown.tops[0]), int(shown.tops[-1] + shown.heights[-1])
    table, edges = part.layout.table, part.layout.edges
    return [
        ColumnEdge(table.name, _width_of(part, column.name), left + edges[i + 1], top, bottom, edges[i + 1] - edges[i])
        for i, column in enumerate(table.columns)
    ]


def _width_of(part: TableFragmentOnPage, column: str) -> str:
    """Whose width a column has: in a matrix that of its measure, or of its level."""
    shown = part.layout.data.crosstab_column(column)
    return shown.column if shown is not None else column


def _brackets(part: TableFragmentOnPage, shown: RowsOnPage) -> list[GroupBracket]:
    layout = part.layout
    flow, data = layout.rows, layout.data
    own = shown.rows[shown.own]
    if not len(own) or not data.rows:
        return []
    brackets = []
    headed = int(np.sum(shown.rows[: shown.own[0]] < 0))
    first_y = int(shown.tops[min(headed, len(shown.tops) - 1)])
    for depth, level in enumerate(layout.table.levels):
        if depth < layout.outer:
            continue  # the records around it are reported by what is repeated for them
        inside = _inside(part, own, depth)
        positions = np.minimum(flow.position[own], data.rows - 1)
        groups = data.levels[depth]
        numbers = np.where(inside, groups.top_of[data.group_of_row[depth][positions]], -1)
        for group in np.unique(numbers[numbers >= 0]).tolist():
            at = np.flatnonzero(numbers == group)
            begins = bool(own[at[0]] == _first_of_group(part, group, depth))
            ends = _closes(part, int(own[at[-1]]), depth)
            top = int(shown.tops[shown.own[at[0]]]) if begins else first_y
            bottom = int(shown.tops[shown.own[at[-1]]] + shown.heights[shown.own[at[-1]]])
            keys = data.keys(int(groups.edges[group]), depth + 1)
            is_folded = _is_folded(part, depth, keys)
            brackets.append(
                GroupBracket(
                    layout.table.name, level.name, depth - layout.outer, top, bottom, begins, ends, keys, is_folded
                )
            )
    return brackets


def _is_folded(part: TableFragmentOnPage, depth: int, keys: tuple[Any, ...]) -> bool:
    fold: Fold | None = part.layout.fold
    return fold is not None and fold.folds(depth + 1, keys)


def _inside(part: TableFragmentOnPage, rows: Ints, depth: int) -> Bools:
    """Which printed rows belong to a group of a level, its headings and totals included."""
    kinds = [part.layout.rows.kinds[k] for k in part.layout.rows.kind[rows]]
    return np.array([k.kind == DETAILS or k.level > depth for k in kinds], bool)


def _first_of_group(part: TableFragmentOnPage, group: int, depth: int) -> int:
    flow = part.layout.rows
    start = int(part.layout.data.levels[depth].edges[group])
    row = int(flow.first_at(np.array([start]))[0])
    while row < len(flow) and _is_around(flow.kinds[flow.kind[row]], depth):
        row += 1
    return row


def _is_around(kind: RowKind, depth: int) -> bool:
    """Whether a row of a kind is outside the groups of a level."""
    return kind.kind != DETAILS and kind.level <= depth


def _closes(part: TableFragmentOnPage, row: int, depth: int) -> bool:
    """Whether a printed row is the last of its group: the next one belongs to an outer level or another group."""
    flow = part.layout.rows
    if row + 1 >= len(flow):
        return True
    data = part.layout.data
    here, there = int(flow.position[row]), int(flow.position[row + 1])
    if there >= data.rows:
        return True
    inner = data.group_of_row[depth][[here, there]]
    own, following_group = data.levels[depth].top_of[inner]
    if own != following_group:
        return True
    following = flow.kinds[flow.kind[row + 1]]
    return following.after and _is_around(following, depth)
