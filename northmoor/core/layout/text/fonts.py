"""The shipped fonts: families, metrics, and what a page needs to know of a font file."""

from functools import cached_property, lru_cache
from importlib.resources import files

import uharfbuzz as hb

FAMILIES = {
    "Plex Sans": "IBMPlexSans",
    "Plex Serif": "IBMPlexSerif",
    "Plex Mono": "IBMPlexMono",
    "Office Sans": "LiberationSans",
    "Office Serif": "LiberationSerif",
    "Office Mono": "LiberationMono",
}
FALLBACK = ("DejaVuSans", "DejaVuSans-Bold")
"""Regular and bold font for characters that a family lacks."""


class Font:
    """An opened font file. Advances and metrics are in font units; `upem` of them make the size."""

    def __init__(self, file: str) -> None:
        self.file = file
        self.data = (files("northmoor") / "assets" / "fonts" / f"{file}.ttf").read_bytes()
        self.face = hb.Face(self.data)
        self.hb = hb.Font(self.face)
        self.upem: int = self.face.upem
        extents = self.hb.get_font_extents("ltr")
        self.ascender: int = extents.ascender
        self.descender: int = extents.descender
        self.line_gap: int = extents.line_gap

    def ascent(self, size: int) -> int:
        """Distance from the top of a line to its baseline, in millipoints."""
        return round(self.ascender * size / self.upem)

    def leading(self, size: int) -> int:
        """Distance between baselines of a paragraph, in millipoints."""
        return round((self.ascender - self.descender + self.line_gap) * size / self.upem)

    @cached_property
    def characters(self) -> frozenset[int]:
        """The code points the font has glyphs for."""
        return frozenset(self.face.unicodes)

    @cached_property
    def unicode_of_glyph(self) -> dict[int, str]:
        """The character each glyph represents by itself, the lowest code point where several share one."""
        pairs = ((self.hb.get_nominal_glyph(point), point) for point in sorted(self.characters, reverse=True))
        return {glyph: chr(point) for glyph, point in pairs if glyph is not None}

    @cached_property
    def advances(self) -> tuple[int, ...]:
        """Each glyph's own advance, in font units."""
        return tuple(self.hb.get_glyph_h_advance(glyph) for glyph in range(self.face.glyph_count))

    def advance(self, glyph: int) -> int:
        """A glyph's own advance, in font units."""
        return self.advances[glyph]

    def bounds(self) -> tuple[int, int, int, int]:
        """The font's bounding box (x min, y min, x max, y max) in font units, from its head table."""
        head = bytes(self.face.reference_table("head").data)
        values = [int.from_bytes(head[at : at + 2], "big", signed=True) for at in (36, 38, 40, 42)]
        return values[0], values[1], values[2], values[3]


@lru_cache(maxsize=64)
def open_font(file: str) -> Font:
    """The font of a shipped file."""
    return Font(file)


def font_file(family: str, bold: bool, italic: bool) -> str:
    """The file of a family's weight and shape."""
    shape = {
        (False, False): "Regular",
        (True, False): "Bold",
        (False, True): "Italic",
        (True, True): "BoldItalic",
    }
    return f"{FAMILIES[family]}-{shape[bold, italic]}"


def fallback_file(file: str) -> str:
    """The font that replaces characters a font lacks."""
    return FALLBACK["Bold" in file]


IGNORED = frozenset({0x9, 0xA, 0xD, 0xFE0E, 0xFE0F, 0x200B, 0x200C, 0x200D, 0x2060, 0xFEFF, 0xAD})
"""Code points that nothing is drawn for."""


def missing_from(file: str, text: str) -> str:
    """Characters of a text that neither a font nor the one that replaces what it lacks has, each once."""
    known = open_font(file).characters | open_font(fallback_file(file)).characters | IGNORED
    return "".join(char for char in dict.fromkeys(text) if ord(char) not in known)


def subset(font: Font, glyphs: frozenset[int]) -> bytes:
    """The font file with only these glyphs' outlines, their numbers kept, so that pages may be written first."""
    wanted = hb.SubsetInput()
    wanted.glyph_set.update(glyphs)
    wanted.flags = hb.SubsetFlags.RETAIN_GIDS | hb.SubsetFlags.NO_HINTING | hb.SubsetFlags.NOTDEF_OUTLINE
    for table in ("GSUB", "GPOS", "GDEF", "cmap", "name", "OS/2", "post"):
        wanted.drop_table_tag_set.add(int.from_bytes(table.encode(), "big"))
    return bytes(hb.subset(font.face, wanted).blob.data)
