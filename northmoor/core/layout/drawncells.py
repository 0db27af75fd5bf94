"""A page's drawn cells and links as layers of the display list."""

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from northmoor.core.layout.display import Boxes, Layer, Links, Path, Paths, Pictures, TurnedTexts
from northmoor.core.layout.drawings import Area, Drawn
from northmoor.core.layout.origins import TableOrigins, row_origin
from northmoor.core.layout.paginate import Slice
from northmoor.core.layout.plans import CellPlan
from northmoor.core.layout.rowsonpage import RowsOnPage
from northmoor.core.layout.table import TableLayout

Ints = npt.NDArray[np.int64]
Placed = tuple[int, int, Drawn]
"""A printed row, a column, and what is drawn there."""


def drawn_layers(layout: TableLayout, piece: Slice, shown: RowsOnPage, left: int) -> list[Layer]:
    """What the cells of a page draw, and where its links are."""
    drawn: list[Placed] = []
    links: list[tuple[int, int, Area, str]] = []
    turned: list[tuple[int, CellPlan, int, Area]] = []
    charts: list[Layer] = []
    kinds = layout.plan_numbers(shown.rows)
    for at in np.flatnonzero(layout.is_drawn[kinds]).tolist():
        row, plan, wrapped = int(shown.rows[at]), layout.plans[kinds[at]], layout.wrapped[kinds[at]]
        instance = layout.instance(row, piece.number)
        for cell, placed in zip(plan.cells, wrapped, strict=True):
            height = int(shown.heights[at : at + cell.rows].sum())
            area = Area(left + placed.left, int(shown.tops[at]), placed.width, height)
            if cell.drawing is not None:
                found = cell.drawing.draw(instance, inside(cell, instance, area))
                drawn += [(row, cell.column, each) for each in found]
            if cell.chart is not None:
                origin = row_origin(layout, row, cell.name)
                laid = cell.chart.laid(instance, inside(cell, instance, area), origin)
                charts += laid.layers if laid is not None else ()
            if cell.turned is not None:
                turned.append((row, cell.turned, instance, area))
            if (target := cell.link(instance)) is not None:
                links.append((row, cell.column, area, target))
    texts = [_turned_layer(layout, turned)] if turned else []
    return [*charts, *_layers(layout, drawn, links), *texts]


def _turned_layer(layout: TableLayout, turned: list[tuple[int, CellPlan, int, Area]]) -> TurnedTexts:
    """Texts turned a quarter, in their cells as their looks say."""
    boxes, begins, lines = [], [], []
    for _, cell, instance, area in turned:
        line = int(cell.shaped.lines[instance])
        length, look = int(cell.shaper.widths(np.array([line]), cell.face.size)[0]), cell.look
        across = area.width - 2 * look.inset - cell.leading
        down = area.height - 2 * look.padding - length
        x = area.x + look.inset + {"start": 0, "center": across // 2, "end": across}[cell.align]
        y = area.y + look.padding + {"top": 0, "middle": down // 2, "bottom": down}[look.stands]
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


def inside(cell: CellPlan, instance: int, area: Area) -> Area:
    """The room inside a cell's padding and inset; what has a height of its own stands at the top."""
    look = cell.look
    shift = 0 if cell.shift is None else int(cell.shift[instance])
    height = area.height - 2 * look.padding
    own = cell.drawing.how.height if cell.drawing is not None else None
    return Area(
        area.x + look.inset + shift,
        area.y + look.padding,
        area.width - 2 * look.inset - shift,
        height if own is None else min(own, height),
    )


def _layers(layout: TableLayout, drawn: list[Placed], links: list[tuple[int, int, Area, str]]) -> list[Layer]:
    layers: list[Layer] = []
    boxes = [each for each in drawn if not each[2].points and each[2].picture is None]
    paths = [each for each in drawn if each[2].points]
    pictures = [each for each in drawn if each[2].picture is not None]
    if boxes:
        colors = tuple(drawn.color for _, _, drawn in boxes)
        layers.append(Boxes("fill", *_places(boxes), colors, _origins(layout, boxes)))
    if paths:
        found = tuple(Path(d.points, stroke=d.color, thickness=d.thickness) for _, _, d in paths)
        layers.append(Paths(*_places(paths), found, _origins(layout, paths)))
    if pictures:
        images = tuple(drawn.picture for _, _, drawn in pictures if drawn.picture is not None)
        layers.append(Pictures(*_places(pictures), images, _origins(layout, pictures)))
    if links:
        placed = [(row, column, Drawn(area, "")) for row, column, area, _ in links]
        targets = tuple(target for *_, target in links)
        layers.append(Links(*_places(placed), targets, _origins(layout, placed)))
    return layers


def _places(placed: Sequence[Placed]) -> tuple[Ints, Ints, Ints, Ints]:
    areas = [(d.area.x, d.area.y, d.area.width, d.area.height) for _, _, d in placed]
    x, y, width, height = np.array(areas, np.int64).T
    return x, y, width, height


def _origins(layout: TableLayout, placed: Sequence[Placed]) -> TableOrigins:
    rows, columns = (np.array([each[i] for each in placed], np.int64) for i in (0, 1))
    return TableOrigins(layout, rows, columns)
