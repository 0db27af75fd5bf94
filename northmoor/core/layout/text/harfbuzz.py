"""The one place that asks HarfBuzz to shape: tabular figures, and no ligatures or contextual forms, which would turn
business texts such as -> into other signs."""

import uharfbuzz as hb
from msgspec import Struct

from northmoor.core.layout.text.fonts import Font

_FEATURES = {"tnum": True, "calt": False, "liga": False}


class Run(Struct, frozen=True):
    """Shaped glyphs with the sum of their advances, in font units."""

    ids: tuple[int, ...]
    advance: int


def shape_text(font: Font, text: str) -> tuple[list[hb.GlyphInfo], list[hb.GlyphPosition]]:
    """A text's glyphs and their positions."""
    buffer = hb.Buffer()
    buffer.add_str(text)
    buffer.guess_segment_properties()
    hb.shape(font.hb, buffer, _FEATURES)
    return buffer.glyph_infos, buffer.glyph_positions


def shaped(font: Font, text: str) -> Run | None:
    """A text's glyphs; None where any is moved from its place, so that advances alone do not tell."""
    infos, positions = shape_text(font, text)
    if any(p.x_offset or p.y_offset for p in positions):
        return None
    return Run(tuple(i.codepoint for i in infos), sum(p.x_advance for p in positions))
