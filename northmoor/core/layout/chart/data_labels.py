"""Labels at marks: inside them or beside them, moved off one another; those that find no room are left out."""

from collections.abc import Iterable

from northmoor.core.layout.chart.palette import legible_on
from northmoor.core.layout.chart.plot_area import ChartCanvas, PlotArea
from northmoor.core.layout.geometry import Rect, contains
from northmoor.core.layout.graphics.display_list import SourceRef

_NEAR = 2_000
_MOST_LABELLED = 1_500
"""Marks from which no labels are written at them: there would be no room, and looking for it takes long."""


def label_in(canvas: ChartCanvas, box: Rect, text: str, color: str, origin: SourceRef) -> None:
    """Write a text in the middle of a mark, where it is large enough."""
    width, height = canvas.text_style.width(text), canvas.text_style.leading
    place = Rect(box.x + (box.width - width) // 2, box.y + (box.height - height) // 2, width, height)
    if not text:
        return
    if (
        canvas.mark_count > _MOST_LABELLED
        or width + _NEAR > box.width
        or height * 4 // 5 > box.height
        or not canvas.write(place.x, place.y, text, origin, canvas.text_style.in_color(legible_on(color)))
    ):
        canvas.left_out += 1


def label_at(
    canvas: ChartCanvas, candidates: Iterable[tuple[int, int]], within: Rect, text: str, origin: SourceRef
) -> None:
    """Write a text at the first place (left, top) that lies within an area and off all other labels."""
    width, height = canvas.text_style.width(text), canvas.text_style.leading
    for x, y in candidates if text and canvas.mark_count <= _MOST_LABELLED else ():
        place = Rect(x, y, width, height)
        free = contains(place, within) and canvas.solid().is_free(place)
        if free and canvas.write(x, y, text, origin):
            return
    canvas.left_out += bool(text)


def label_bar(
    canvas: ChartCanvas, plot: PlotArea, box: Rect, text: str, color: str, negative: bool, origin: SourceRef
) -> None:
    """Write a bar's value in it or at its end."""
    if canvas.view.chart.labels == "inside":
        label_in(canvas, box, text, color, origin)
        return
    width, height = canvas.text_style.width(text), canvas.text_style.leading
    middle = (box.x + (box.width - width) // 2, box.y + (box.height - height) // 2)
    if plot.is_horizontal:
        right, left = (box.x + box.width + _NEAR, middle[1]), (box.x - width - _NEAR, middle[1])
        candidates = (left, right) if negative else (right, left)
    else:
        above, below = (middle[0], box.y - height), (middle[0], box.y + box.height)
        candidates = (below, above) if negative else (above, below)
    label_at(canvas, candidates[:1], plot.room, text, origin)


def label_point(canvas: ChartCanvas, plot: PlotArea, x: int, y: int, away: int, text: str, origin: SourceRef) -> None:
    """Write a text above a point, else below it or beside it."""
    width, height = canvas.text_style.width(text), canvas.text_style.leading
    candidates = (
        (x - width // 2, y - away - height), (x - width // 2, y + away),
        (x + away + _NEAR, y - height // 2), (x - width - away - _NEAR, y - height // 2),
    )  # fmt: skip
    label_at(canvas, candidates, plot.room, text, origin)
