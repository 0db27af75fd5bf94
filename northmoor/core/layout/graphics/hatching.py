"""Hatching: fine lines across an area, so that areas can be distinguished in print without colour."""

from collections.abc import Callable, Iterator

HATCHINGS = 6
"""How many there are; they are counted from 1."""
_SPACE = 4_000
_KINDS = (("up",), ("level",), ("down",), ("upright",), ("up", "down"), ("level", "upright"))
_MOST_LINES = 2_000


def hatch_lines(number: int, box: tuple[int, int, int, int]) -> Iterator[tuple[tuple[int, int], tuple[int, int]]]:
    """The lines of a hatching across a rectangle (left, top, width, height). They lie on a grid of the page, so that
    areas side by side go on in one another."""
    for direction in _KINDS[(number - 1) % HATCHINGS]:
        yield from _lines(direction, *box)


def _lines(
    direction: str, x: int, y: int, width: int, height: int
) -> Iterator[tuple[tuple[int, int], tuple[int, int]]]:
    right, bottom = x + width, y + height
    ends: dict[str, tuple[int, int, Callable[[int], tuple[tuple[int, int], tuple[int, int]]]]] = {
        "level": (y, bottom, lambda at: ((x, at), (right, at))),
        "upright": (x, right, lambda at: ((at, y), (at, bottom))),
        "up": (x + y, right + bottom, lambda at: ((at - bottom, bottom), (at - y, y))),
        "down": (x - bottom, right - y, lambda at: ((at + y, y), (at + bottom, bottom))),
    }
    first, last, line = ends[direction]
    space = max(_SPACE if direction in ("level", "upright") else _SPACE * 7 // 5, (last - first) // _MOST_LINES)
    for at in range(first // space * space, last + 1, space):
        if at >= first:
            yield line(at)
