"""Labels at marks: inside them or beside them, moved off one another; those that find no room are left out."""

from collections.abc import Iterable

from northmoor.core.layout.chartplot import Plot, Sheet
from northmoor.core.layout.display import Origin
from northmoor.core.layout.drawings import Area, inside, overlaps
from northmoor.core.layout.palette import legible_on

_NEAR = 2_000
_MOST_LABELLED = 1_500
"""Marks from which no labels are written at them: there would be no room, and looking for it takes long."""


def label_in(sheet: Sheet, box: Area, text: str, color: str, origin: Origin) -> None:
    """Write a text in the middle of a mark, where it is large enough."""
    width, height = sheet.how.width(text), sheet.how.leading
    place = Area(box.x + (box.width - width) // 2, box.y + (box.height - height) // 2, width, height)
    if not text:
        return
    if (
        sheet.mark_count > _MOST_LABELLED
        or width + _NEAR > box.width
        or height * 4 // 5 > box.height
        or not sheet.write(place.x, place.y, text, origin, sheet.how.in_color(legible_on(color)))
    ):
        sheet.left_out += 1


def label_at(sheet: Sheet, candidates: Iterable[tuple[int, int]], within: Area, text: str, origin: Origin) -> None:
    """Write a text at the first place (left, top) that lies within an area and off all other labels."""
    width, height = sheet.how.width(text), sheet.how.leading
    for x, y in candidates if text and sheet.mark_count <= _MOST_LABELLED else ():
        place = Area(x, y, width, height)
        free = inside(place, within) and not any(overlaps(place, other) for other in sheet.solid())
        if free and sheet.write(x, y, text, origin):
            return
    sheet.left_out += bool(text)


def label_bar(sheet: Sheet, plot: Plot, box: Area, text: str, color: str, negative: bool, origin: Origin) -> None:
    """Write a bar's value in it or at its end."""
    if sheet.view.chart.labels == "inside":
        label_in(sheet, box, text, color, origin)
        return
    width, height = sheet.how.width(text), sheet.how.leading
    middle = (box.x + (box.width - width) // 2, box.y + (box.height - height) // 2)
    if plot.lying:
        right, left = (box.x + box.width + _NEAR, middle[1]), (box.x - width - _NEAR, middle[1])
        candidates = (left, right) if negative else (right, left)
    else:
        above, below = (middle[0], box.y - height), (middle[0], box.y + box.height)
        candidates = (below, above) if negative else (above, below)
    label_at(sheet, candidates[:1], plot.room, text, origin)


def label_point(sheet: Sheet, plot: Plot, x: int, y: int, away: int, text: str, origin: Origin) -> None:
    """Write a text above a point, else below it or beside it."""
    width, height = sheet.how.width(text), sheet.how.leading
    candidates = (
        (x - width // 2, y - away - height), (x - width // 2, y + away),
        (x + away + _NEAR, y - height // 2), (x - width - away - _NEAR, y - height // 2),
    )  # fmt: skip
    label_at(sheet, candidates, plot.room, text, origin)
