"""Fonts as they are embedded in PDF files: the glyphs that are used, their widths, and what they read as."""

import zlib

from msgspec import Struct, field

from northmoor.core.layout.text.advances import advance_table
from northmoor.core.layout.text.fonts import Font, subset
from northmoor.core.layout.text.shaping import renderable_characters
from northmoor.core.output.pdf.deflate_streams import deflated
from northmoor.core.output.pdf.file_structure import PdfFile, dictionary, listed, reference


class FontParts(Struct, frozen=True):
    """What is embedded of a font: the subset file, packed, with its length and the tag of its name, the widths array,
    and the Unicode map, packed."""

    program: bytes
    length: int
    tag: str
    widths: bytes
    unicode_map: bytes


class FontUse(Struct):
    """A font in a document: its resource name, the glyphs used so far, and the parts last made of them."""

    resource: str
    glyphs: set[int] = field(default_factory=set)
    characters: set[str] = field(default_factory=set)
    """Characters whose glyphs are used by themselves."""
    _parts: tuple[int, FontParts] | None = None

    def parts(self, font: Font) -> FontParts:
        """What to embed for the used glyphs, made again only when glyphs have come in since."""
        size = len(self.glyphs) + len(self.characters)
        if self._parts is None or self._parts[0] != size:
            alone = advance_table(font.file).glyphs
            glyphs = frozenset(self.glyphs | {alone[char] for char in self.characters})
            program, read = subset(font, glyphs), deflated(_unicode_map(font, glyphs))
            packed = deflated(program)
            self._parts = (size, FontParts(packed, len(program), _subset_tag(program), _widths(font, glyphs), read))
        return self._parts[1]


def write_font(file: PdfFile, use: FontUse, font: Font) -> int:
    """Write a composite font (ISO 32000-1, 9.7) whose character codes are glyph ids; its number."""
    parts = use.parts(font)
    name = f"/{parts.tag}+{font.file}".encode()
    program = file.add_stream({"Length1": b"%d" % parts.length}, parts.program, is_packed=True)
    scale = 1000 / font.upem
    descriptor = file.add(
        dictionary(
            {
                "Type": b"/FontDescriptor",
                "FontName": name,
                "Flags": b"4",
                "FontBBox": listed(b"%d" % round(bound * scale) for bound in font.bounds()),
                "ItalicAngle": b"-12" if "Italic" in font.file else b"0",
                "Ascent": b"%d" % round(font.ascender * scale),
                "Descent": b"%d" % round(font.descender * scale),
                "CapHeight": b"%d" % round(font.ascender * scale * 0.7),
                "StemV": b"140" if "Bold" in font.file else b"80",
                "FontFile2": reference(program),
            }
        )
    )
    descendant = {
        "Type": b"/Font",
        "Subtype": b"/CIDFontType2",
        "BaseFont": name,
        "CIDSystemInfo": b"<</Registry (Adobe) /Ordering (Identity) /Supplement 0>>",
        "FontDescriptor": reference(descriptor),
        "CIDToGIDMap": b"/Identity",
        "W": parts.widths,
    }
    own = {
        "Type": b"/Font",
        "Subtype": b"/Type0",
        "BaseFont": name,
        "Encoding": b"/Identity-H",
        "DescendantFonts": listed([dictionary(descendant)]),
        "ToUnicode": reference(file.add_stream({}, parts.unicode_map, is_packed=True)),
    }
    return file.add(dictionary(own))


def _subset_tag(data: bytes) -> str:
    """Six letters that differ from subset to subset (ISO 32000-1, 9.6.4)."""
    number = zlib.crc32(data)
    return "".join(chr(65 + number // 26**i % 26) for i in range(6))


def _widths(font: Font, glyphs: frozenset[int]) -> bytes:
    pairs = ((glyph, font.advance(glyph) * 1000 / font.upem) for glyph in sorted(glyphs))
    return f"[{' '.join(f'{glyph} [{width:.8g}]' for glyph, width in pairs)}]".encode()


def _unicode_map(font: Font, glyphs: frozenset[int]) -> bytes:
    """The CMap from glyph ids to Unicode (ISO 32000-1, 9.10.3), in blocks of at most 100 entries."""
    shown = renderable_characters(font.file)
    pairs = [f"<{g:04x}> <{shown[g].encode('utf-16-be').hex()}>" for g in sorted(glyphs) if g in shown]
    blocks = [pairs[at : at + 100] for at in range(0, len(pairs), 100)]
    body = "\n".join(f"{len(block)} beginbfchar\n" + "\n".join(block) + "\nendbfchar" for block in blocks)
    return (
        "/CIDInit /ProcSet findresource begin\n12 dict begin\nbegincmap\n"
        "/CIDSystemInfo <</Registry (Adobe) /Ordering (UCS) /Supplement 0>> def\n"
        "/CMapName /Adobe-Identity-UCS def\n/CMapType 2 def\n"
        f"1 begincodespacerange\n<0000> <ffff>\nendcodespacerange\n{body}\n"
        "endcmap\nCMapName currentdict /CMap defineresource pop\nend\nend\n"
    ).encode()
