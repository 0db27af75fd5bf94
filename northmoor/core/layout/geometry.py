"""Rectangles on the page."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Rect:
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
