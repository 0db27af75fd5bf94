"""What cells draw in place of text: bars, spark lines, QR codes and pictures, from their values.

Everything is drawn within the cell's own room. What cannot be drawn is left empty and reported once.
"""

from collections.abc import Callable, Container, Iterator
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from msgspec import Struct

from northmoor.core.compute.evaluate.scope_cells import Computed
from northmoor.core.errors import LayoutError, Place, ReportFileError
from northmoor.core.layout.context import LayoutContext
from northmoor.core.layout.geometry import Rect
from northmoor.core.layout.graphics.codes import bar_boxes, qr_boxes
from northmoor.core.layout.graphics.display_list import AnyPicture
from northmoor.core.layout.graphics.images import load_picture, report_omissions, width_at
from northmoor.core.layout.inline.formatting import is_numeric
from northmoor.core.model.blocks.table import Drawing

_MOST_POINTS = 2_000
_MOST_CHECKED = 1_000
"""Different values looked at before their pages are drawn."""


class CellMark(Struct, frozen=True):
    """Something drawn: a filled rectangle (`points` and `picture` unset), a line through points, or a picture."""

    area: Rect
    color: str
    points: tuple[tuple[int, int], ...] = ()
    thickness: int = 0
    picture: AnyPicture | None = None


class CellGraphic(Struct, frozen=True, eq=False):
    """A cell definition's drawing: how, the value of each instance, and for bars the ends they are measured by."""

    drawing: Drawing
    values: pa.Array
    minimum: float
    maximum: float
    place: Place
    context: LayoutContext
    undrawn: Container[int] = ()
    """Instances that have no value of their own: groups gathered from several, and faults."""

    def draw(self, instance: int, area: Rect) -> Iterator[CellMark]:
        """What an instance draws in its room."""
        value = self.values[instance].as_py()
        if value is None or instance in self.undrawn or area.width <= 0 or area.height <= 0:
            return
        try:
            yield from _DRAWERS[self.drawing.kind](self, value, area)
        except (LayoutError, ReportFileError) as error:
            self.context.find("drawing", self.place, error.message)

    def first_fault(self, width: int) -> str | None:
        """Why one of its values cannot be drawn in a width; None where all can, as far as they are looked at."""
        check = _CHECKS.get(self.drawing.kind)
        for value in pc.unique(self.values).to_pylist()[:_MOST_CHECKED] if check is not None else ():
            self.context.stop.raise_if_cancelled()
            try:
                if value is not None and check is not None:
                    check(self, value, width)
            except (LayoutError, ReportFileError) as error:
                return error.message
        return None


def cell_graphic(
    how: Drawing, computed: Computed, among: Computed, place: Place, context: LayoutContext
) -> CellGraphic | None:
    """A cell's drawing, `among` the values that bars are measured by; None, and reported, where its values are not of
    the kind that is drawn."""
    values = computed.values
    fits = {
        "bar": is_numeric(values.type),
        "spark": pa.types.is_list(values.type) and is_numeric(values.type.value_type),
        "columns": pa.types.is_list(values.type) and is_numeric(values.type.value_type),
        "qr": pa.types.is_string(values.type),
        "barcode": pa.types.is_string(values.type),
        "picture": pa.types.is_string(values.type),
    }[how.kind]
    if not fits and not pa.types.is_null(values.type):
        context.find("drawing", place, _WANTED[how.kind])
        return None
    numbers = among.values if how.kind == "bar" else pa.array([0.0])
    known = pc.min_max(pc.cast(numbers, pa.float64())).as_py() if len(numbers) else {"min": 0, "max": 0}
    minimum = how.minimum if how.minimum is not None else min(float(known["min"] or 0), 0.0)
    maximum = how.maximum if how.maximum is not None else max(float(known["max"] or 0), 0.0)
    return CellGraphic(how, values, minimum, maximum, place, context, {*computed.labels, *computed.faults})


_WANTED = {
    "bar": "A bar is drawn from a number; give the cell a value that is one.",
    "spark": "A spark line is drawn from a list of numbers; write list(fares), or another column in it.",
    "columns": "Spark columns are drawn from a list of numbers; write list(fares), or another column in it.",
    "qr": "A QR code is made from a text; give the cell a value that is one, such as an address.",
    "barcode": "A barcode is made from a text; give the cell a value that is one, such as a number cast to text.",
    "picture": "A picture is named by its path in the library; give the cell a value that is one.",
}


def _bar(drawing: CellGraphic, value: Any, area: Rect) -> Iterator[CellMark]:
    """A bar from zero to the value; negative ones go to the left."""
    span = (drawing.maximum - drawing.minimum) or 1.0

    def at(number: float) -> int:
        return area.x + round(area.width * min(max((number - drawing.minimum) / span, 0.0), 1.0))

    zero, end = at(0.0), at(float(value))
    left, right = min(zero, end), max(zero, end)
    color = drawing.drawing.color if value >= 0 else drawing.drawing.negative
    if right > left:
        yield CellMark(Rect(left, area.y, right - left, area.height), color)


def _numbers(value: Any) -> list[float]:
    return [float(number) for number in value if number is not None][:_MOST_POINTS]


def _spark(drawing: CellGraphic, value: Any, area: Rect) -> Iterator[CellMark]:
    """A line through a group's values, from the minimum to the maximum of them, and a point at the last."""
    numbers = _numbers(value)
    if len(numbers) < 2:
        return
    minimum, maximum = min(numbers), max(numbers)
    xs = np.round(area.x + area.width * np.arange(len(numbers)) / (len(numbers) - 1)).astype(int).tolist()
    span = (maximum - minimum) or 1.0
    ys = [area.y + round(area.height * (1 - (number - minimum) / span)) for number in numbers]
    yield CellMark(area, drawing.drawing.color, tuple(zip(xs, ys, strict=True)), 750)
    side = 2200
    x = min(max(xs[-1] - side // 2, area.x), area.x + area.width - side)
    yield CellMark(Rect(x, ys[-1] - side // 2, side, side), drawing.drawing.color)


def _columns(drawing: CellGraphic, value: Any, area: Rect) -> Iterator[CellMark]:
    """A small column for each of a group's values, from zero."""
    numbers = _numbers(value)
    if not numbers:
        return
    minimum, maximum = min(0.0, *numbers), max(0.0, *numbers)
    span = (maximum - minimum) or 1.0
    zero = area.y + round(area.height * maximum / span)
    for at, number in enumerate(numbers):
        left = area.x + area.width * at // len(numbers)
        right = area.x + area.width * (at + 1) // len(numbers)
        gap = min((right - left) // 5, 1000)
        end = area.y + round(area.height * (maximum - number) / span)
        color = drawing.drawing.color if number >= 0 else drawing.drawing.negative
        if end != zero:
            yield CellMark(Rect(left, min(zero, end), max(right - left - gap, 1), abs(end - zero)), color)


def _check_qr(_drawing: CellGraphic, value: Any, width: int) -> None:
    qr_boxes(value, Rect(0, 0, width, width))


def _qr(drawing: CellGraphic, value: Any, area: Rect) -> Iterator[CellMark]:
    yield from (CellMark(box, drawing.drawing.color) for box in qr_boxes(value, area))


def _check_barcode(_drawing: CellGraphic, value: Any, width: int) -> None:
    bar_boxes(value, Rect(0, 0, width, 1))


def _barcode(drawing: CellGraphic, value: Any, area: Rect) -> Iterator[CellMark]:
    yield from (CellMark(box, drawing.drawing.color) for box in bar_boxes(value, area))


def _check_picture(drawing: CellGraphic, value: Any, _width: int) -> None:
    report_omissions(load_picture(value, drawing.context), drawing.place, drawing.context)


def _picture(drawing: CellGraphic, value: Any, area: Rect) -> Iterator[CellMark]:
    picture = load_picture(value, drawing.context)
    wide, high = width_at(picture, area.height), area.height
    if wide > area.width:
        wide, high = area.width, area.height * area.width // wide
    yield CellMark(Rect(area.x, area.y, wide, high), "", picture=picture)


_CHECKS: dict[str, Callable[[CellGraphic, Any, int], object]] = {
    "qr": _check_qr,
    "barcode": _check_barcode,
    "picture": _check_picture,
}
_DRAWERS = {"bar": _bar, "spark": _spark, "columns": _columns, "qr": _qr, "barcode": _barcode, "picture": _picture}
