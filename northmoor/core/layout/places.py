"""What stands where on a page, for pointing at: cells, column edges, and the extents of groups.

The canvas lights up and drags by these; they come from the same rows and widths as the page itself.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from northmoor.core.compute.table import ArrangedTable
from northmoor.core.layout.compose import Composition
from northmoor.core.layout.drawings import Area
from northmoor.core.layout.drawncells import inside
from northmoor.core.layout.flow import DETAILS, RowKind
from northmoor.core.layout.folding import Fold
from northmoor.core.layout.origins import row_origin
from northmoor.core.layout.parts import ChartPart, DrawnPart, Frame, Lines, TablePart
from northmoor.core.layout.plans import CellPlan
from northmoor.core.layout.richtext import RichText
from northmoor.core.layout.rowsonpage import RowsOnPage, rows_on_page
from northmoor.core.layout.running import heights_of, lines_on, pieces
from northmoor.core.layout.table import TableLayout
from northmoor.core.model.tables import RowPlace


@dataclass(frozen=True, slots=True)
class Spot:
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
    """The column of the printed table that it stands under; of an item, its frame; of a cell, its grid."""
    keys: tuple[Any, ...] = ()
    """In the head of a matrix, the keys of the group of columns that it stands over, outermost first."""
    of_record: bool = False
    """Whether its level is that of the records around its table, and so none of the table's own."""

    @property
    def own_level(self) -> str | None:
        """The level of its table that it belongs to."""
        return None if self.of_record else self.level

    def holds(self, x: int, y: int) -> bool:
        """Whether a point lies in it."""
        return self.x <= x < self.x + self.width and self.y <= y < self.y + self.height


@dataclass(frozen=True, slots=True)
class Edge:
    """The right edge of a table's column, from `top` to `bottom`; `width` is the column's own."""

    block: str
    column: str
    x: int
    top: int
    bottom: int
    width: int


@dataclass(frozen=True, slots=True)
class Bracket:
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


@dataclass(frozen=True, slots=True)
class Places:
    """All that can be pointed at on a page."""

    spots: tuple[Spot, ...]
    edges: tuple[Edge, ...]
    brackets: tuple[Bracket, ...]

    def spot_at(self, x: int, y: int) -> Spot | None:
        """The innermost spot at a point."""
        found = [spot for spot in self.spots if spot.holds(x, y)]
        return min(
            found,
            key=lambda spot: (spot.width * spot.height, spot.column is None, spot.part in ("item", "grid-cell")),
            default=None,
        )


def page_places(composition: Composition, index: int) -> Places:
    """What stands where on the page of an index from 0."""
    spots: list[Spot] = []
    edges: list[Edge] = []
    brackets: list[Bracket] = []
    frame = composition.frame
    for part in composition.parts(index):
        if isinstance(part, TablePart):
            left, top = frame.left + part.left, frame.top + part.piece.y
            shown = rows_on_page(part.layout, part.piece, top)
            spots += _cells(part, shown, left)
            edges += _edges(part, shown, left)
            brackets += _brackets(part, shown)
        elif isinstance(part, ChartPart):
            spots += _chart_spots(part, frame)
        elif isinstance(part, DrawnPart):
            area = part.area(frame)
            owner, number = part.item or (None, 0)
            kind = "cell" if owner is None else "grid-cell" if part.kind == "grid-cell" else "item"
            spots.append(Spot(part.name, part.kind, None, None, area.x, area.y, area.width, area.height, number,
                              part.record, part.link or None, kind, owner))  # fmt: skip
        else:
            spots += _line_spots(part, frame)
    return Places((*spots, *_running_spots(composition, index)), tuple(edges), tuple(brackets))


def _chart_spots(part: ChartPart, frame: Frame) -> list[Spot]:
    """A chart as a whole, and its marks: `printed` is a mark's row, `number` its series."""
    found = [
        Spot(
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
    for mark in part.laid(frame).marks:
        area, link = mark.area, targets[part.view.cell(mark.row, mark.series)] if targets is not None else ""
        found.append(
            Spot(part.name, "mark", None, mark.measure, area.x, area.y, area.width, area.height, mark.series, mark.row,
                 link or None, "chart")
        )  # fmt: skip
    return found


def _line_spots(part: Lines, frame: Frame) -> Iterator[Spot]:
    """A text, and its runs that open addresses."""
    block, left, y, width = part.block, frame.left + part.left, frame.top + part.y, part.width
    link = part.link or None
    height, origin = block.height_of(part.start, part.end), block.origin
    yield Spot(origin.block, origin.row, None, None, left, y, width, height, printed=origin.ordinal, link=link)
    if isinstance(block, RichText):
        for x, top, wide, high, own in block.links(left, y, part.start, part.end):
            yield Spot(origin.block, origin.row, None, None, x, top, wide, high, printed=origin.ordinal, link=own,
                       part="run")  # fmt: skip


def _running_spots(composition: Composition, index: int) -> list[Spot]:
    """The pieces of header and footer; `column` tells the line and place, as ``0.end``."""
    spots = []
    for name, running in (("header", composition.edition.header), ("footer", composition.edition.footer)):
        if running is None:
            continue
        lines = lines_on(running, composition.numbers[index], composition.counts[index])
        heights, _ = heights_of(running, lines, composition.setting)
        left, top, width = composition.running_place(name, lines, index)
        top += running.rule if name == "footer" else 0
        for number, height in zip(lines, heights, strict=True):
            for place, _ in pieces(running.lines[number]):
                x = left + {"start": 0, "center": 1, "end": 2}[place] * width // 3
                spots.append(Spot(name, name, None, f"{number}.{place}", x, top, width // 3, height))
            top += height
    return spots


def _cells(part: TablePart, shown: RowsOnPage, left: int) -> list[Spot]:
    layout = part.layout
    name, width = layout.table.name, layout.edges[-1]
    spots = []
    for row, y, height in zip(shown.rows.tolist(), shown.tops.tolist(), shown.heights.tolist(), strict=True):
        plan = layout.plans[layout.plan_number(row)]
        place, instance = plan.place, layout.instance(row, part.piece.number)
        whole = "matrix" if layout.arranged.across else "cell"
        outer = place.level in [level.name for level in layout.table.levels[: layout.outer]]
        spots.append(
            Spot(name, place.row, place.level, None, left, y, width, height, place.number, row, part=whole,
                 of_record=outer)
        )  # fmt: skip
        for cell in plan.cells:
            x, right = layout.edges[cell.column], layout.edges[cell.column + cell.span]
            box = (left + x, y, right - x, height)
            shown_part, column = _part_of_cell(layout.arranged, place, cell.name)
            link = cell.link(instance)
            keys = _keys_over(layout.arranged, place, cell.name) if shown_part == "level" else ()
            spots.append(
                Spot(
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
                spots += _hosted_marks(layout, row, instance, cell, Area(*box))
    return spots


def _hosted_marks(layout: TableLayout, row: int, instance: int, cell: CellPlan, area: Area) -> list[Spot]:
    """The marks of a chart in a cell; `keys` say which printed row it is in, of what kind, and the number of that."""
    assert cell.chart is not None
    laid = cell.chart.laid(instance, inside(cell, instance, area), row_origin(layout, row, cell.name))
    place = layout.plans[layout.plan_number(row)].place
    return [
        Spot(layout.table.name, "mark", place.level, mark.measure, mark.area.x, mark.area.y, mark.area.width,
             mark.area.height, mark.series, mark.row, None, "chart", cell.name, (row, place.row, place.number))
        for mark in (laid.marks if laid is not None else ())
    ]  # fmt: skip


def _part_of_cell(arranged: ArrangedTable, place: RowPlace, column: str) -> tuple[str, str]:
    """What a cell belongs to, and the name of that: in a matrix a measure, a level, or the matrix as a whole."""
    shown = arranged.across.get(column)
    if shown is None:
        return "cell", column
    if not shown.is_measure:
        if place.row == "total" and place.level is None:
            return "matrix", column
        return "level", place.level or shown.column
    head = arranged.heads[place.number] if place.row == "head" else None
    return ("level", head) if head is not None else ("measure", shown.measure(place.row, place.number))


def _keys_over(arranged: ArrangedTable, place: RowPlace, column: str) -> tuple[Any, ...]:
    """The keys of the group of several columns that a cell of a matrix's head stands over; none elsewhere."""
    shown = arranged.across.get(column)
    if shown is None or place.row != "head" or not shown.is_measure:
        return ()
    levels = sum(head is not None for head in arranged.heads)
    return shown.keys[: place.number] if 0 < place.number < levels and len(shown.keys) >= place.number else ()


def _edges(part: TablePart, shown: RowsOnPage, left: int) -> list[Edge]:
    if not len(shown.rows):
        return []
    top, bottom = int(shown.tops[0]), int(shown.tops[-1] + shown.heights[-1])
    table, edges = part.layout.table, part.layout.edges
    return [
        Edge(table.name, _width_of(part, column.name), left + edges[i + 1], top, bottom, edges[i + 1] - edges[i])
        for i, column in enumerate(table.columns)
    ]


def _width_of(part: TablePart, column: str) -> str:
    """Whose width a column has: in a matrix that of its measure, or of its level."""
    shown = part.layout.arranged.across.get(column)
    return shown.column if shown is not None else column


def _brackets(part: TablePart, shown: RowsOnPage) -> list[Bracket]:
    layout = part.layout
    flow, arranged = layout.flow, layout.arranged
    own = shown.rows[shown.own]
    if not len(own) or not arranged.rows:
        return []
    brackets = []
    headed = int(np.sum(shown.rows[: shown.own[0]] < 0))
    first_y = int(shown.tops[min(headed, len(shown.tops) - 1)])
    for depth, level in enumerate(layout.table.levels):
        if depth < layout.outer:
            continue  # the records around it are told of by what is repeated for them
        inside = _inside(part, own, depth)
        positions = np.minimum(flow.position[own], arranged.rows - 1)
        groups = arranged.levels[depth]
        numbers = np.where(inside, groups.top_of[arranged.group_of_row[depth][positions]], -1)
        for group in np.unique(numbers[numbers >= 0]).tolist():
            at = np.flatnonzero(numbers == group)
            begins = bool(own[at[0]] == _first_of_group(part, group, depth))
            ends = _closes(part, int(own[at[-1]]), depth)
            top = int(shown.tops[shown.own[at[0]]]) if begins else first_y
            bottom = int(shown.tops[shown.own[at[-1]]] + shown.heights[shown.own[at[-1]]])
            keys = arranged.keys(int(groups.edges[group]), depth + 1)
            is_folded = _is_folded(part, depth, keys)
            brackets.append(
                Bracket(layout.table.name, level.name, depth - layout.outer, top, bottom, begins, ends, keys, is_folded)
            )
    return brackets


def _is_folded(part: TablePart, depth: int, keys: tuple[Any, ...]) -> bool:
    fold: Fold | None = part.layout.fold
    return fold is not None and fold.folds(depth + 1, keys)


def _inside(part: TablePart, rows: npt.NDArray[np.int64], depth: int) -> npt.NDArray[np.bool_]:
    """Which printed rows belong to a group of a level, its headings and totals included."""
    kinds = [part.layout.flow.kinds[k] for k in part.layout.flow.kind[rows]]
    return np.array([k.kind == DETAILS or k.level > depth for k in kinds], bool)


def _first_of_group(part: TablePart, group: int, depth: int) -> int:
    flow = part.layout.flow
    start = int(part.layout.arranged.levels[depth].edges[group])
    row = int(flow.first_at(np.array([start]))[0])
    while row < len(flow) and _is_around(flow.kinds[flow.kind[row]], depth):
        row += 1
    return row


def _is_around(kind: RowKind, depth: int) -> bool:
    """Whether a row of a kind stands outside the groups of a level."""
    return kind.kind != DETAILS and kind.level <= depth


def _closes(part: TablePart, row: int, depth: int) -> bool:
    """Whether a printed row is the last of its group: the next one belongs to an outer level or another group."""
    flow = part.layout.flow
    if row + 1 >= len(flow):
        return True
    groups = part.layout.arranged.levels[depth].top_of[part.layout.arranged.group_of_row[depth]]
    here, there = int(flow.position[row]), int(flow.position[row + 1])
    if there >= len(groups) or bool(groups[here] != groups[there]):
        return True
    following = flow.kinds[flow.kind[row + 1]]
    return following.after and _is_around(following, depth)
