"""How wide things need to be: the widest line of what has been placed in more room than that."""

import numpy as np

from northmoor.core.layout.paragraph import Paragraph
from northmoor.core.layout.parts import DrawnPart, FixedPart, Lines
from northmoor.core.layout.placed import Parts
from northmoor.core.layout.richtext import RichText


def natural_width(placed: Parts) -> int:
    """The width that texts, pictures and small blocks need; charts and tables take all there is."""
    if placed.tables:
        return max(run.layout.edges[-1] for run in placed.tables)
    return max((_width(part) for parts in placed.lines.values() for part in parts), default=0)


def _width(part: FixedPart) -> int:
    if isinstance(part, Lines):
        return part.left + _of_text(part.block)
    return part.left + part.width if isinstance(part, DrawnPart) and part.kind != "grid-cell" else part.width


def _of_text(text: Paragraph | RichText) -> int:
    inset = 2 * text.look.inset
    if isinstance(text, RichText):
        ends = [bit.x + bit.width - min(own.x for own in line.bits) for line in text.lines for bit in line.bits]
        return max(ends, default=0) + inset
    numbers = np.array(text.lines, np.int32)
    return int(text.shaper.widths(numbers, text.face.size).max(initial=0)) + inset
