"""Pages of a table: from the rows of slices to layers of the display list, many pages at a time."""

from collections.abc import Hashable, Iterator, Sequence
from itertools import pairwise

import numpy as np
from msgspec import Struct

from northmoor.core.base.arrays import Ints
from northmoor.core.layout.geometry import Rect
from northmoor.core.layout.graphics.display_list import (
    Bookmark,
    Boxes,
    Layer,
    Links,
    PaintedFragment,
    Paths,
    Pictures,
    Texts,
    TurnedTexts,
    VectorPath,
)
from northmoor.core.layout.inline.cell_graphics import CellMark
from northmoor.core.layout.table.cell_layout import CellLayout, RowLayout
from northmoor.core.layout.table.cell_positions import CellPlacer, Cells
from northmoor.core.layout.table.layout import TableLayout, WrappedCell
from northmoor.core.layout.table.origins import TableOrigins, row_origin
from northmoor.core.layout.table.page_rows import RowsOnPage, RowsOnPages, rows_on_page, rows_on_pages
from northmoor.core.layout.table.pagination import TableFragment
from northmoor.core.model.styles import ResolvedStyle


class PlacedFragment(Struct, frozen=True):
    """A slice of a table at a place on its page."""

    fragment: TableFragment
    left: int
    top: int


def paint_fragments(layout: TableLayout, placer: CellPlacer, slices: Sequence[PlacedFragment]) -> list[PaintedFragment]:
    """Fills, rules, drawings and texts of each of some slices of a table. Kinds of rows that have no fills, rules or
    drawings cost nothing."""
    fragments = [each.fragment for each in slices]
    shown = rows_on_pages(layout, fragments, [each.top for each in slices])
    kinds = layout.plan_numbers(shown.rows)
    decorated, drawn = (
        set(shown.page_of(np.flatnonzero(is_any[kinds])).tolist()) for is_any in (layout.is_decorated, layout.is_drawn)
    )
    found: list[PaintedFragment] = []
    for number, texts in enumerate(_texts(layout, placer, slices, shown)):
        fragment, left = fragments[number], slices[number].left
        layers: list[Layer] = []
        if number in decorated:
            layers += decorated_layers(layout, placer.decorations, fragment, shown.page(number), left)
        if number in drawn:
            layers += drawn_layers(layout, fragment, shown.page(number), left)
        marks = _bookmarks(layout, fragment, shown.page(number)) if layout.rows.has_headings else ()
        found.append(PaintedFragment((*layers, texts) if len(texts) else tuple(layers), marks))
    return found


def _texts(
    layout: TableLayout, placer: CellPlacer, slices: Sequence[PlacedFragment], shown: RowsOnPages
) -> Iterator[Texts]:
    """The texts of each slice."""
    found = [*_row_lines(layout, placer, slices, shown), *_other_lines(placer, slices, shown)]
    lines, places = np.concatenate([lines for lines, _ in found], axis=1), np.concatenate([at for _, at in found])
    order = np.argsort(places * 10_000 + lines[1], kind="stable")
    places = places[order]
    row, column, x, y, baseline, width, face, line, drop = lines[:, order]
    ends = np.searchsorted(places, shown.begins)
    top = shown.tops[places] + drop
    x += np.repeat([each.left for each in slices], np.diff(ends))
    y += top
    baseline += top
    faces, shapers = tuple(face for face, _ in placer.faces), tuple(shaper for _, shaper in placer.faces)
    for start, end in pairwise(ends.tolist()):
        own = slice(start, end)
        origins = TableOrigins(layout, row[own], column[own])
        yield Texts(x[own], y[own], baseline[own], width[own], face[own], line[own], faces, shapers, origins)


Lines = tuple[Cells, Ints]
"""Placed lines, and for each the place of its row among those shown."""


def _row_lines(
    layout: TableLayout, placer: CellPlacer, slices: Sequence[PlacedFragment], shown: RowsOnPages
) -> Iterator[Lines]:
    """The lines of the rows of slices; of those that follow one another, together."""
    first = 0
    while first < len(slices):
        fragment = slices[first].fragment
        end = first + 1
        while end < len(slices) and _continues(slices[end - 1].fragment, slices[end].fragment):
            end += 1
        last = slices[end - 1].fragment.end
        own = [placer.rows(fragment.start, last)]
        if layout.blanks_repeats:
            own += [lines for each in slices[first:end] for lines in _repeats(layout, placer, each.fragment)]
        lines = own[0] if len(own) == 1 else np.concatenate(own, axis=1)
        if fragment.part is not None:
            lines = _lines_in_part(layout, lines, fragment.end - 1, fragment.part)
        yield lines, shown.own[shown.own_begins[first] + lines[0] - fragment.start]
        first = end


def _continues(fragment: TableFragment, following: TableFragment) -> bool:
    """Whether a slice begins where another ends, none of their rows being split."""
    return fragment.part is None and following.part is None and fragment.end == following.start


def _repeats(layout: TableLayout, placer: CellPlacer, fragment: TableFragment) -> Iterator[Cells]:
    """The lines that a page begins with though they repeat those of the page before."""
    for row in layout.repeating(fragment.start, fragment.end):
        yield from placer.repeated_heads(row)


def _other_lines(placer: CellPlacer, slices: Sequence[PlacedFragment], shown: RowsOnPages) -> Iterator[Lines]:
    """The lines of rows that belong to pages; those that are alike on many are placed once."""
    places: dict[tuple[int, int], list[int]] = {}
    others = shown.others
    columns = (each.tolist() for each in (others, shown.rows[others], shown.page_of(others)))
    for at, row, page in zip(*columns, strict=True):
        places.setdefault((row, placer.layout.instance(row, slices[page].fragment.number)), []).append(at)
    for (row, instance), own in places.items():
        lines = placer.page_row(row, instance) if row < 0 else placer.repeated(row)
        yield np.tile(lines, len(own)), np.repeat(own, lines.shape[1])


def _lines_in_part(layout: TableLayout, cells: Cells, row: int, part: tuple[int, int]) -> Cells:
    """All lines but those of a split row's other parts; those of this part are moved up to where it begins."""
    above, height = part
    moved = cells.copy()
    split = moved[0] == row
    moved[3:5, split] -= above
    moved[8, split] = 0
    leadings = {cell.column: cell.leading for cell in layout.plans[layout.plan_number(row)].cells}
    ends = moved[3, split] + np.array([leadings[c] for c in moved[1, split].tolist()], np.int64)
    inside = ~split
    inside[split] = (moved[3, split] >= 0) & (ends <= height)
    found: Cells = moved[:, inside]
    return found


def table_bookmarks(layout: TableLayout, fragment: TableFragment, top: int) -> tuple[Bookmark, ...]:
    """Outline entries for the headings that begin on a slice."""
    return _bookmarks(layout, fragment, rows_on_page(layout, fragment, top))


def _bookmarks(layout: TableLayout, fragment: TableFragment, shown: RowsOnPage) -> tuple[Bookmark, ...]:
    found = np.flatnonzero(layout.rows.is_heading[fragment.start : fragment.end])
    if fragment.part and fragment.part[0]:  # the rest of a split row: its heading was before
        return ()
    marks = []
    for at in found.tolist():
        row = fragment.start + at
        plan = layout.plans[layout.plan_number(row)]
        title = plan.cells[0].texts.text(int(layout.rows.index[row])).strip() if plan.cells else ""
        depth = layout.rows.kinds[layout.rows.kind[row]].level - 1
        marks.append(Bookmark(title or "–", depth, int(shown.tops[shown.own[at]])))
    return tuple(marks)


PlacedMark = tuple[int, int, CellMark]
"""A printed row, a column, and what is drawn there."""


def drawn_layers(layout: TableLayout, fragment: TableFragment, shown: RowsOnPage, left: int) -> list[Layer]:
    """What the cells of a page draw, and where its links are."""
    drawn: list[PlacedMark] = []
    links: list[tuple[int, int, Rect, str]] = []
    turned: list[tuple[int, CellLayout, int, Rect]] = []
    charts: list[Layer] = []
    kinds = layout.plan_numbers(shown.rows)
    for at in np.flatnonzero(layout.is_drawn[kinds]).tolist():
        row, plan, wrapped = int(shown.rows[at]), layout.plans[kinds[at]], layout.wrapped[kinds[at]]
        instance = layout.instance(row, fragment.number)
        for cell, placed in zip(plan.cells, wrapped, strict=True):
            height = int(shown.heights[at : at + cell.rows].sum())
            area = Rect(left + placed.left, int(shown.tops[at]), placed.width, height)
            if cell.drawing is not None:
                found = cell.drawing.draw(instance, content_box(cell, instance, area))
                drawn += [(row, cell.column, each) for each in found]
            if cell.chart is not None:
                origin = row_origin(layout, row, cell.name)
                laid = cell.chart.lay_out(instance, content_box(cell, instance, area), origin)
                charts += laid.layers if laid is not None else ()
            if cell.turned is not None:
                turned.append((row, cell.turned, instance, area))
            if (target := cell.link(instance)) is not None:
                links.append((row, cell.column, area, target))
    texts = [_turned_layer(layout, turned)] if turned else []
    return [*charts, *_layers(layout, drawn, links), *texts]


def _turned_layer(layout: TableLayout, turned: list[tuple[int, CellLayout, int, Rect]]) -> TurnedTexts:
    """Texts turned a quarter, in their cells as their looks say."""
    boxes, begins, lines = [], [], []
    for _, cell, instance, area in turned:
        line = int(cell.shaped.lines[instance])
        length, look = int(cell.shaper.widths(np.array([line]), cell.face.size)[0]), cell.look
        across = area.width - 2 * look.inset - cell.leading
        down = area.height - 2 * look.padding - length
        x = area.x + look.inset + {"start": 0, "center": across // 2, "end": across}[cell.align]
        y = area.y + look.padding + {"top": 0, "middle": down // 2, "bottom": down}[look.vertical_align]
        ascent = cell.shaper.font.ascent(cell.face.size)
        boxes.append((x, y, cell.leading, length))
        begins.append((x + ascent, y + length) if look.turn == "up" else (x + cell.leading - ascent, y))
        lines.append(line)
    left, top, width, height = np.array(boxes, np.int64).T
    plans = [cell for _, cell, _, _ in turned]
    faces = tuple(plan.fault_face if at in plan.texts.faulty else plan.face for (_, plan, at, _) in turned)
    origins = TableOrigins(
        layout, np.array([row for row, *_ in turned], np.int64), np.array([plan.column for plan in plans], np.int64)
    )
    angles = tuple(90 if plan.look.turn == "up" else 270 for plan in plans)
    shapers = tuple(plan.shaper for plan in plans)
    return TurnedTexts(left, top, width, height, tuple(begins), angles, tuple(lines), faces, shapers, origins)


def content_box(cell: CellLayout, instance: int, area: Rect) -> Rect:
    """The room inside a cell's padding and inset; what has a height of its own is at the top."""
    look = cell.look
    shift = 0 if cell.shift is None else int(cell.shift[instance])
    height = area.height - 2 * look.padding
    own = cell.drawing.drawing.height if cell.drawing is not None else None
    return Rect(
        area.x + look.inset + shift,
        area.y + look.padding,
        area.width - 2 * look.inset - shift,
        height if own is None else min(own, height),
    )


def _layers(layout: TableLayout, drawn: list[PlacedMark], links: list[tuple[int, int, Rect, str]]) -> list[Layer]:
    layers: list[Layer] = []
    boxes = [each for each in drawn if not each[2].points and each[2].picture is None]
    paths = [each for each in drawn if each[2].points]
    pictures = [each for each in drawn if each[2].picture is not None]
    if boxes:
        colors = tuple(drawn.color for _, _, drawn in boxes)
        layers.append(Boxes("fill", *_places(boxes), colors, _origins(layout, boxes)))
    if paths:
        found = tuple(VectorPath(d.points, stroke=d.color, thickness=d.thickness) for _, _, d in paths)
        layers.append(Paths(*_places(paths), found, _origins(layout, paths)))
    if pictures:
        images = tuple(drawn.picture for _, _, drawn in pictures if drawn.picture is not None)
        layers.append(Pictures(*_places(pictures), images, _origins(layout, pictures)))
    if links:
        placed = [(row, column, CellMark(area, "")) for row, column, area, _ in links]
        targets = tuple(target for *_, target in links)
        layers.append(Links(*_places(placed), targets, _origins(layout, placed)))
    return layers


def _places(placed: Sequence[PlacedMark]) -> tuple[Ints, Ints, Ints, Ints]:
    areas = [(d.area.x, d.area.y, d.area.width, d.area.height) for _, _, d in placed]
    x, y, width, height = np.array(areas, np.int64).T
    return x, y, width, height


def _origins(layout: TableLayout, placed: Sequence[PlacedMark]) -> TableOrigins:
    rows, columns = (np.array([each[i] for each in placed], np.int64) for i in (0, 1))
    return TableOrigins(layout, rows, columns)


class RowBox(Struct, frozen=True):
    """A rectangle from a row's left edge and its top, of a column (−1: of the row)."""

    x: int
    y: int
    width: int
    height: int
    color: str
    column: int


Decoration = tuple[tuple[RowBox, ...], tuple[RowBox, ...]]
"""The fills and the rules of a row."""


Decorations = dict[Hashable, Decoration]
"""Those of rows that have been looked at, by what they depend on."""


_Placed = tuple[int, int, int, int, str, int, int]
"""Left, top, width, height, colour, printed row and column."""


def decorated_layers(
    layout: TableLayout, known: Decorations, fragment: TableFragment, shown: RowsOnPage, left: int
) -> list[Layer]:
    """The fills and rules of a page's rows; `known` keeps what is found."""
    fills: list[_Placed] = []
    rules: list[_Placed] = []
    over: list[_Placed] = []  # fills of cells that cover rows below, over those rows' own
    kinds = layout.plan_numbers(shown.rows)
    at_rows = np.flatnonzero(layout.is_decorated[kinds])
    columns = (each[at_rows].tolist() for each in (kinds, shown.rows, shown.tops, shown.heights))
    for at, kind, row, top, height in zip(at_rows.tolist(), *columns, strict=True):
        instance = layout.instance(row, fragment.number)
        varying = tuple(int(numbers[instance]) for numbers in layout.varying[kind])
        key = (kind, height, *varying)
        if key not in known:
            known[key] = _decoration(layout.plans[kind], layout.wrapped[kind], layout.edges[-1], height, instance)
        for found, boxes in zip((fills, rules), known[key], strict=True):
            found += [(left + b.x, top + b.y, b.width, b.height, b.color, row, b.column) for b in boxes]
        for cell, placed in zip(layout.plans[kind].cells, layout.wrapped[kind], strict=True):
            if cell.rows > 1 and (fill := cell.look_of(instance).fill):
                down = int(shown.heights[at : at + cell.rows].sum())
                over.append((left + placed.left, top, placed.width, down, fill, row, cell.column))
    return [
        _layer(kind, boxes, layout) for kind, boxes in (("fill", [*fills, *over]), ("rule", rules)) if boxes
    ]  # fmt: skip


def _layer(kind: str, boxes: Sequence[_Placed], layout: TableLayout) -> Boxes:
    numbers = np.array([(x, y, width, height, row, column) for x, y, width, height, _, row, column in boxes], np.int64)
    x, y, width, height, row, column = numbers.T
    return Boxes(kind, x, y, width, height, tuple(box[4] for box in boxes), TableOrigins(layout, row, column))


def _decoration(
    plan: RowLayout, wrapped: tuple[WrappedCell, ...], width: int, height: int, instance: int
) -> Decoration:
    """The row's own fill and rules over its whole width, then what cells have of their own."""
    fills: list[RowBox] = []
    base = plan.look_of(instance)
    if base.fill:
        fills.append(RowBox(0, 0, width, height, base.fill, -1))
    rules = _edges(base, None, RowBox(0, 0, width, height, base.rule_color, -1))
    for cell, at in zip(plan.cells, wrapped, strict=True):
        look = cell.look_of(instance)
        if look.fill and look.fill != base.fill and cell.rows == 1:
            fills.append(RowBox(at.left, 0, at.width, height, look.fill, cell.column))
        rules += _edges(look, base, RowBox(at.left, 0, at.width, height, look.rule_color, cell.column))
    return tuple(fills), tuple(rules)


def _edges(look: ResolvedStyle, base: ResolvedStyle | None, box: RowBox) -> list[RowBox]:
    """The rules of a row, or those of a cell that its row does not have."""

    def own(name: str) -> int:
        thickness: int = getattr(look, name)
        return thickness if base is None or thickness != getattr(base, name) else 0

    sides = []
    if above := own("rule_above"):
        sides.append((box.x, 0, box.width, above))
    if below := own("rule_below"):
        sides.append((box.x, box.height - below, box.width, below))
    if edge := own("rule_left"):
        sides.append((box.x, 0, edge, box.height))
    if edge := own("rule_right"):
        sides.append((box.x + box.width - edge, 0, edge, box.height))
    return [RowBox(*dash, box.color, box.column) for side in sides for dash in _dashes(side, look.rule_dash)]


_DASHES = {"dashed": (4, 3), "dotted": (1, 1)}
"""How long a dash and the gap after it are, in thicknesses."""


def _dashes(side: tuple[int, int, int, int], dash: str) -> list[tuple[int, int, int, int]]:
    """A rule as one rectangle, or as many short ones."""
    x, y, width, height = side
    if dash not in _DASHES:
        return [side]
    thickness, length = min(width, height), max(width, height)
    on, off = (thickness * part for part in _DASHES[dash])
    starts = range(0, length, max(on + off, 1))
    if width >= height:
        return [(x + start, y, min(on, length - start), height) for start in starts]
    return [(x, y + start, width, min(on, length - start)) for start in starts]
