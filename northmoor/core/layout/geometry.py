"""Rectangles on the page."""

from msgspec import Struct, field


class Rect(Struct, frozen=True):
    """The room of a cell, inside its padding and inset, in millipoints on the page."""

    x: int
    y: int
    width: int
    height: int


def overlaps(one: Rect, other: Rect) -> bool:
    """Whether two rectangles have room in common."""
    return (
        one.x < other.x + other.width and other.x < one.x + one.width
        and one.y < other.y + other.height and other.y < one.y + one.height
    )  # fmt: skip


def contains(one: Rect, other: Rect) -> bool:
    """Whether a rectangle lies in another."""
    return (
        one.x >= other.x and one.y >= other.y
        and one.x + one.width <= other.x + other.width and one.y + one.height <= other.y + other.height
    )  # fmt: skip


_BAND = 20_000


class TakenRoom(Struct, eq=False):
    """Rectangles that are taken, by bands across the page, so that only those near another one are looked at."""

    _bands: dict[int, list[Rect]] = field(default_factory=dict)

    def add(self, taken: Rect) -> None:
        """Take the room of a rectangle."""
        for band in _bands_of(taken):
            self._bands.setdefault(band, []).append(taken)

    def is_free(self, room: Rect) -> bool:
        """Whether nothing that is taken has room in common with a rectangle."""
        return not any(overlaps(room, other) for band in _bands_of(room) for other in self._bands.get(band, ()))


def _bands_of(area: Rect) -> range:
    return range(area.y // _BAND, (area.y + area.height) // _BAND + 1)
