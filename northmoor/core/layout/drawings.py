"""What cells draw in place of text: bars, spark lines, QR codes and pictures, from their values.

Everything is drawn within the cell's own room. What cannot be drawn is left empty and told once.
"""

from collections.abc import Callable, Container, Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import segno

from northmoor.core.compute.cells import Computed
from northmoor.core.errors import LayoutError, Place, ReportFileError
from northmoor.core.layout.barcode import bars_of
from northmoor.core.layout.celltext import is_numeric
from northmoor.core.layout.context import Setting
from northmoor.core.layout.display import AnyPicture
from northmoor.core.layout.pictures import load_picture, width_at
from northmoor.core.model.tables import Drawing

_LONGEST_CODE = 500
"""Characters of a QR code: more make squares too small to print."""
_MOST_POINTS = 2_000
_MOST_CHECKED = 1_000
"""Different values looked at before their pages are drawn."""
_NARROWEST_BAR, _WIDEST_BAR = 500, 1000
"""Widths of a barcode's module that readers can tell apart: 0.18 to 0.35 mm."""


@dataclass(frozen=True, slots=True)
class Area:
    """The room of a cell, inside its padding and inset, in millipoints on the page."""

    x: int
    y: int
    width: int
    height: int


def overlaps(one: Area, other: Area) -> bool:
    """Whether two rectangles have room in common."""
    return (
        one.x < other.x + other.width and other.x < one.x + one.width
        and one.y < other.y + other.height and other.y < one.y + one.height
    )  # fmt: skip


def inside(one: Area, other: Area) -> bool:
    """Whether a rectangle lies in another."""
    return (
        one.x >= other.x and one.y >= other.y
        and one.x + one.width <= other.x + other.width and one.y + one.height <= other.y + other.height
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Drawn:
    """Something drawn: a filled rectangle (`points` and `picture` unset), a line through points, or a picture."""

    area: Area
    color: str
    points: tuple[tuple[int, int], ...] = ()
    thickness: int = 0
    picture: AnyPicture | None = None


@dataclass(frozen=True, eq=False)
class CellDrawing:
    """A cell definition's drawing: how, the value of each instance, and for bars the ends they are measured by."""

    how: Drawing
    values: pa.Array
    least: float
    greatest: float
    place: Place
    setting: Setting
    undrawn: Container[int] = ()
    """Instances that have no value of their own: groups gathered from several, and faults."""

    def draw(self, instance: int, area: Area) -> Iterator[Drawn]:
        """What an instance draws in its room."""
        value = self.values[instance].as_py()
        if value is None or instance in self.undrawn or area.width <= 0 or area.height <= 0:
            return
        try:
            yield from _DRAWERS[self.how.kind](self, value, area)
        except (LayoutError, ReportFileError) as error:
            self.setting.find("drawing", self.place, error.message)

    def first_fault(self, width: int) -> str | None:
        """Why one of its values cannot be drawn in a width; None where all can, as far as they are looked at."""
        check = _CHECKS.get(self.how.kind)
        for value in pc.unique(self.values).to_pylist()[:_MOST_CHECKED] if check is not None else ():
            try:
                if value is not None and check is not None:
                    check(self, value, width)
            except (LayoutError, ReportFileError) as error:
                return error.message
        return None


def make_drawing(
    how: Drawing, computed: Computed, among: Computed, place: Place, setting: Setting
) -> CellDrawing | None:
    """A cell's drawing, `among` the values that bars are measured by; None, and told, where its values are not of the
    kind that is drawn."""
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
        setting.find("drawing", place, _WANTED[how.kind])
        return None
    numbers = among.values if how.kind == "bar" else pa.array([0.0])
    known = pc.min_max(pc.cast(numbers, pa.float64())).as_py() if len(numbers) else {"min": 0, "max": 0}
    least = how.least if how.least is not None else min(float(known["min"] or 0), 0.0)
    greatest = how.greatest if how.greatest is not None else max(float(known["max"] or 0), 0.0)
    return CellDrawing(how, values, least, greatest, place, setting, {*computed.words, *computed.faults})


_WANTED = {
    "bar": "A bar is drawn from a number; give the cell a value that is one.",
    "spark": "A spark line is drawn from a list of numbers; write list(fares), or another column in it.",
    "columns": "Spark columns are drawn from a list of numbers; write list(fares), or another column in it.",
    "qr": "A QR code is made from a text; give the cell a value that is one, such as an address.",
    "barcode": "A barcode is made from a text; give the cell a value that is one, such as a number cast to text.",
    "picture": "A picture is named by its path in the library; give the cell a value that is one.",
}


def _bar(drawing: CellDrawing, value: Any, area: Area) -> Iterator[Drawn]:
    """A bar from zero to the value; negative ones go to the left."""
    span = (drawing.greatest - drawing.least) or 1.0

    def at(number: float) -> int:
        return area.x + round(area.width * min(max((number - drawing.least) / span, 0.0), 1.0))

    zero, end = at(0.0), at(float(value))
    left, right = min(zero, end), max(zero, end)
    color = drawing.how.color if value >= 0 else drawing.how.negative
    if right > left:
        yield Drawn(Area(left, area.y, right - left, area.height), color)


def _numbers(value: Any) -> list[float]:
    return [float(number) for number in value if number is not None][:_MOST_POINTS]


def _spark(drawing: CellDrawing, value: Any, area: Area) -> Iterator[Drawn]:
    """A line through a group's values, from the least to the greatest of them, and a point at the last."""
    numbers = _numbers(value)
    if len(numbers) < 2:
        return
    least, greatest = min(numbers), max(numbers)
    xs = np.round(area.x + area.width * np.arange(len(numbers)) / (len(numbers) - 1)).astype(int).tolist()
    span = (greatest - least) or 1.0
    ys = [area.y + round(area.height * (1 - (number - least) / span)) for number in numbers]
    yield Drawn(area, drawing.how.color, tuple(zip(xs, ys, strict=True)), 750)
    side = 2200
    x = min(max(xs[-1] - side // 2, area.x), area.x + area.width - side)
    yield Drawn(Area(x, ys[-1] - side // 2, side, side), drawing.how.color)


def _columns(drawing: CellDrawing, value: Any, area: Area) -> Iterator[Drawn]:
    """A small column for each of a group's values, from zero."""
    numbers = _numbers(value)
    if not numbers:
        return
    least, greatest = min(0.0, *numbers), max(0.0, *numbers)
    span = (greatest - least) or 1.0
    zero = area.y + round(area.height * greatest / span)
    for at, number in enumerate(numbers):
        left = area.x + area.width * at // len(numbers)
        right = area.x + area.width * (at + 1) // len(numbers)
        gap = min((right - left) // 5, 1000)
        end = area.y + round(area.height * (greatest - number) / span)
        color = drawing.how.color if number >= 0 else drawing.how.negative
        if end != zero:
            yield Drawn(Area(left, min(zero, end), max(right - left - gap, 1), abs(end - zero)), color)


@lru_cache(maxsize=512)
def _code(text: str) -> tuple[tuple[int, int, int], ...]:
    """A QR code's dark stretches (row, start, length), and first of all its side as the length of an empty one."""
    rows = [bytes(row) for row in segno.make_qr(text, error="m").matrix]
    found = [(0, 0, len(rows))]
    for number, row in enumerate(rows):
        edges = np.flatnonzero(np.diff(np.concatenate([[0], np.frombuffer(row, np.uint8) & 1, [0]]))).tolist()
        found += [(number, start, end - start) for start, end in zip(edges[::2], edges[1::2], strict=True)]
    return tuple(found)


def qr_boxes(text: str, area: Area) -> list[Area]:
    """The dark rectangles of a text's QR code in an area. Raises LayoutError for a text that is too long."""
    if len(text) > _LONGEST_CODE:
        raise LayoutError(f"A QR code holds at most {_LONGEST_CODE} characters here; this text has {len(text):,}.")
    (_, _, side), *dark = _code(text)
    module = min(area.width, area.height) // side
    return [
        Area(area.x + start * module, area.y + row * module, length * module, module) for row, start, length in dark
    ]


def _check_qr(_drawing: CellDrawing, value: Any, width: int) -> None:
    qr_boxes(value, Area(0, 0, width, width))


def _qr(drawing: CellDrawing, value: Any, area: Area) -> Iterator[Drawn]:
    yield from (Drawn(box, drawing.how.color) for box in qr_boxes(value, area))


def bar_boxes(text: str, area: Area) -> list[Area]:
    """The bars of a text's barcode in an area. Raises LayoutError for a text that is none or finds no room."""
    modules, bars = bars_of(text)
    module = area.width // modules
    if module < _NARROWEST_BAR:
        needed = f"{modules * _NARROWEST_BAR / 1000:g} pt"
        raise LayoutError(f"The barcode of {text[:40]!r} needs {needed}; widen the column, or the barcode.")
    module = min(module, _WIDEST_BAR)
    return [Area(area.x + place * module, area.y, width * module, area.height) for place, width in bars]


def _check_barcode(_drawing: CellDrawing, value: Any, width: int) -> None:
    bar_boxes(value, Area(0, 0, width, 1))


def _barcode(drawing: CellDrawing, value: Any, area: Area) -> Iterator[Drawn]:
    yield from (Drawn(box, drawing.how.color) for box in bar_boxes(value, area))


def _check_picture(drawing: CellDrawing, value: Any, _width: int) -> None:
    load_picture(value, drawing.setting)


def _picture(drawing: CellDrawing, value: Any, area: Area) -> Iterator[Drawn]:
    picture = load_picture(value, drawing.setting)
    wide, high = width_at(picture, area.height), area.height
    if wide > area.width:
        wide, high = area.width, area.height * area.width // wide
    yield Drawn(Area(area.x, area.y, wide, high), "", picture=picture)


_CHECKS: dict[str, Callable[[CellDrawing, Any, int], object]] = {
    "qr": _check_qr,
    "barcode": _check_barcode,
    "picture": _check_picture,
}
_DRAWERS = {"bar": _bar, "spark": _spark, "columns": _columns, "qr": _qr, "barcode": _barcode, "picture": _picture}
