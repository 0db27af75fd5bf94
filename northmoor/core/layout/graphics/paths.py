"""Outlines of shapes."""

CIRCLE = 0.5522847498307936
"""How far along its tangent the control points of a quarter circle lie: 4/3 (sqrt 2 - 1)."""


Steps = tuple[tuple[int, ...], ...]


def circle(x: int, y: int, radius: int) -> Steps:
    """A circle as four cubic curves."""
    k = round(radius * CIRCLE)
    return (
        (x + radius, y),
        (x + radius, y + k, x + k, y + radius, x, y + radius),
        (x - k, y + radius, x - radius, y + k, x - radius, y),
        (x - radius, y - k, x - k, y - radius, x, y - radius),
        (x + k, y - radius, x + radius, y - k, x + radius, y),
    )
