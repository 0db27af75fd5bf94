"""What drawn things say and draw by themselves: the texts among what they draw, and the drawings of cells."""

from collections.abc import Iterable

import numpy as np

from northmoor.core.layout.geometry import Rect
from northmoor.core.layout.graphics.display_list import (
    Item,
    Layer,
    Pictures,
    SharedSourceRef,
    SourceRef,
    Texts,
    TurnedTexts,
    VectorPath,
    layer_items,
)
from northmoor.core.layout.graphics.painter import DisplayListBuilder
from northmoor.core.layout.table.layout import TableLayout
from northmoor.core.layout.table.painting import content_box
from northmoor.core.layout.text.fonts import FAMILIES
from northmoor.core.model.styles import ResolvedStyle
from northmoor.core.output.content.table_rows import TableCell

_NOWHERE = SourceRef("", "")


def drawn_lines(layers: Iterable[Layer]) -> list[Item]:
    """The texts that layers draw, in order."""
    return [item for layer in layers if isinstance(layer, Texts | TurnedTexts) for item in layer_items(layer)]


def line_look(line: Item) -> ResolvedStyle:
    """The look of a line that is drawn, as far as its face tells."""
    face = line.face
    assert face is not None  # it is a text
    family = next((name for name, begin in FAMILIES.items() if face.font.startswith(f"{begin}-")), "Plex Sans")
    return ResolvedStyle(family, face.size, "Bold" in face.font, "Italic" in face.font, face.color)


def cell_layers(cell: TableCell, row: int, table: TableLayout) -> tuple[tuple[Layer, ...], Rect]:
    """What a cell of a printed row draws in place of a text, and the room it has for that, from its own corner."""
    layout = cell.kind.layout
    if row < 0 or (layout.drawing is None and layout.chart is None):
        return (), Rect(0, 0, 0, 0)
    width = table.edges[layout.column + layout.span] - table.edges[layout.column]
    height = int(table.heights[row : row + layout.rows].sum())
    box = content_box(layout, cell.instance, Rect(0, 0, width, height))
    area = Rect(0, 0, box.width, box.height)
    if layout.chart is not None:
        laid = layout.chart.lay_out(cell.instance, area, _NOWHERE)
        return (laid.layers if laid is not None else ()), area
    assert layout.drawing is not None
    painter = DisplayListBuilder()
    pictures: list[Layer] = []
    for mark in layout.drawing.draw(cell.instance, area):
        if mark.picture is not None:
            place = (mark.area.x, mark.area.y, mark.area.width, mark.area.height)
            x, y, wide, high = (np.array([length], np.int64) for length in place)
            pictures.append(Pictures(x, y, wide, high, (mark.picture,), SharedSourceRef(_NOWHERE)))
        elif mark.points:
            painter.path(VectorPath(mark.points, stroke=mark.color, thickness=mark.thickness), _NOWHERE)
        else:
            painter.box(mark.area, mark.color, _NOWHERE)
    return (*painter.layers(), *pictures), area
