"""QR codes and barcodes as filled rectangles."""

from functools import lru_cache

import numpy as np

from northmoor.core.errors import LayoutError
from northmoor.core.layout.geometry import Rect
from northmoor.core.layout.graphics.code128 import bars_of

_LONGEST_CODE = 500
"""Characters of a QR code: more make squares too small to print."""


_NARROWEST_BAR, _WIDEST_BAR = 500, 1000
"""Widths of a barcode's module that readers can tell apart: 0.18 to 0.35 mm."""


@lru_cache(maxsize=512)
def _code(text: str) -> tuple[tuple[int, int, int], ...]:
    """A QR code's dark stretches (row, start, length), and first of all its side as the length of an empty one."""
    import segno  # loaded on first use: it reads half of the standard library

    rows = [bytes(row) for row in segno.make_qr(text, error="m").matrix]
    found = [(0, 0, len(rows))]
    for number, row in enumerate(rows):
        edges = np.flatnonzero(np.diff(np.concatenate([[0], np.frombuffer(row, np.uint8) & 1, [0]]))).tolist()
        found += [(number, start, end - start) for start, end in zip(edges[::2], edges[1::2], strict=True)]
    return tuple(found)


def qr_boxes(text: str, area: Rect) -> list[Rect]:
    """The dark rectangles of a text's QR code in an area. Raises LayoutError for a text that is too long."""
    if len(text) > _LONGEST_CODE:
        raise LayoutError(f"A QR code holds at most {_LONGEST_CODE} characters here; this text has {len(text):,}.")
    (_, _, side), *dark = _code(text)
    module = min(area.width, area.height) // side
    return [
        Rect(area.x + start * module, area.y + row * module, length * module, module) for row, start, length in dark
    ]


def bar_boxes(text: str, area: Rect) -> list[Rect]:
    """The bars of a text's barcode in an area. Raises LayoutError for a text that is none or finds no room."""
    modules, bars = bars_of(text)
    module = area.width // modules
    if module < _NARROWEST_BAR:
        needed = f"{modules * _NARROWEST_BAR / 1000:g} pt"
        raise LayoutError(f"The barcode of {text[:40]!r} needs {needed}; widen the column, or the barcode.")
    module = min(module, _WIDEST_BAR)
    return [Rect(area.x + place * module, area.y, width * module, area.height) for place, width in bars]
