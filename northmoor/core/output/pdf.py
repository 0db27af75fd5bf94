"""Pages to PDF: own content streams, exact to the millipoint, in a container by pikepdf.

A page's coordinates are scaled once so that all numbers in its stream are whole millipoints. Text is written in reading
order with Unicode maps, so that it can be selected, searched and copied. There is no clock and no chance in the bytes.
"""

import io
import zlib
from collections import deque
from collections.abc import Iterable, Iterator, Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from math import cos, radians, sin

import numpy as np
import pikepdf
from pikepdf import Array, Dictionary, Name

from northmoor.core.layout.alphabet import alphabet_of
from northmoor.core.layout.display import (
    AnyPicture,
    Boxes,
    Links,
    OneOrigin,
    Origin,
    Page,
    Paths,
    Picture,
    Pictures,
    Texts,
    TurnedTexts,
    VectorPicture,
    layer_items,
)
from northmoor.core.layout.fonts import Font, open_font, subset
from northmoor.core.layout.hatching import hatch_lines
from northmoor.core.layout.text import Glyphs, Line, Shaper, shown_characters
from northmoor.core.model.links import place_named

COMPRESSION = 6
HATCH_COLOR, HATCH_THICKNESS = "1 1 1", 700
_QUICK = 1
_MOST_WAITING = 64


@dataclass(frozen=True)
class Metadata:
    """What the file says about itself: the title, and further entries of the document information."""

    title: str
    entries: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class FontParts:
    """What is embedded of a font: the subset file, the widths array and the Unicode map, as PDF source."""

    program: bytes
    widths: bytes
    unicode_map: bytes


@dataclass
class FontUse:
    """A font in a document: its resource name, the glyphs used so far, and the parts last made of them."""

    resource: str
    glyphs: set[int] = field(default_factory=set)
    characters: set[str] = field(default_factory=set)
    """Characters whose glyphs are used by themselves."""
    _parts: tuple[int, FontParts] | None = None

    def parts(self, font: Font) -> FontParts:
        """What to embed for the used glyphs, made anew only when glyphs have come in since."""
        size = len(self.glyphs) + len(self.characters)
        if self._parts is None or self._parts[0] != size:
            alone = alphabet_of(font.file).glyphs
            glyphs = frozenset(self.glyphs | {alone[char] for char in self.characters})
            made = FontParts(subset(font, glyphs), _widths(font, glyphs), _unicode_map(font, glyphs))
            self._parts = (size, made)
        return self._parts[1]


class PdfWriter:
    """Writes the content streams of pages and remembers what fonts and pictures they use.

    Encoded lines are kept by shaper, so that a writer which lives as long as its shapers encodes each line once.
    """

    def __init__(self) -> None:
        self._encoded: dict[int, dict[int, bytes]] = {}
        self.fonts: dict[str, FontUse] = {}
        self.pictures: dict[str, tuple[str, AnyPicture]] = {}

    def content(self, page: Page) -> bytes:
        """The content stream of a page, not yet compressed."""
        out: list[bytes] = [b"0.001 0 0 0.001 0 0 cm"]
        for layer in page.layers:
            if isinstance(layer, Texts):
                self._texts(layer, page.height, out)
            elif isinstance(layer, Boxes):
                _boxes(layer, page.height, out)
            elif isinstance(layer, Paths):
                _paths(layer, page.height, out)
            elif isinstance(layer, TurnedTexts):
                self._turned(layer, page.height, out)
            elif isinstance(layer, Pictures):
                self._pictures(layer, page.height, out)
        return b"\n".join(out)

    def font(self, file: str) -> FontUse:
        """The use of a font file, registered when it is first met."""
        if file not in self.fonts:
            self.fonts[file] = FontUse(f"F{len(self.fonts)}")
        return self.fonts[file]

    def _texts(self, layer: Texts, height: int, out: list[bytes]) -> None:
        out.append(b"BT")
        setups = [self._setup(face.font, face.size, face.color) for face in layer.faces]
        encodings = [self._encodings(shaper) for shaper in layer.shapers]
        current = -1
        x_before = y_before = 0
        rows = zip(
            layer.x.tolist(),
            (height - layer.baseline).tolist(),
            layer.face.tolist(),
            layer.line.tolist(),
            strict=True,
        )
        for x, y, face, line in rows:
            if face != current:
                out.append(setups[face])
                current = face
            encoded = encodings[face].get(line)
            if encoded is None:
                encoded = self._encode(layer.shapers[face], line, layer.faces[face].size)
            out.append(b"%d %d Td %b" % (x - x_before, y - y_before, encoded))
            x_before, y_before = x, y
        out.append(b"ET")

    def _turned(self, layer: TurnedTexts, height: int, out: list[bytes]) -> None:
        faces = zip(layer.begins, layer.angles, layer.line, layer.faces, layer.shapers, strict=True)
        for (x, y), angle, line, face, shaper in faces:
            along, up = round(cos(radians(angle)), 6), round(sin(radians(angle)), 6)
            matrix = b"%.6g %.6g %.6g %.6g" % (along, up, -up, along)
            setup = self._setup(face.font, face.size, face.color)
            encoded = self._encode(shaper, line, face.size)
            out.append(b"BT %b %b %d %d Tm %b ET" % (setup, matrix, x, height - y, encoded))

    def _setup(self, file: str, size: int, color: str) -> bytes:
        return b"/%b %d Tf %b rg" % (self.font(file).resource.encode(), size, _color(color))

    def _encodings(self, shaper: Shaper) -> dict[int, bytes]:
        return self._encoded.setdefault(id(shaper), {})

    def _encode(self, shaper: Shaper, number: int, size: int) -> bytes:
        if shaper.is_paired(number):
            encoded = self._encode_paired(shaper, number)
            if shaper.is_shared(number):
                self._encodings(shaper)[number] = encoded
            return encoded
        line = shaper.line(number)
        encoded, lasts = self._encode_line(line, shaper.font.file, size)
        if lasts:
            self._encodings(shaper)[number] = encoded
        return encoded

    def _encode_paired(self, shaper: Shaper, number: int) -> bytes:
        font = shaper.font
        text = shaper.text(number)
        alphabet = alphabet_of(font.file)
        self.font(font.file).characters.update(text)
        if shaper.is_plain(number):
            return f"<{text.translate(alphabet.hexes)}> Tj".encode()
        pieces = alphabet.pieces(text)
        kerned = "".join(f"<{hexes}> {-kern * 1000 / font.upem:.6g} " for hexes, kern in pieces[:-1])
        return f"[{kerned}<{pieces[-1][0]}>] TJ".encode()

    def _encode_line(self, line: Line, file: str, size: int) -> tuple[bytes, bool]:
        """The operators of a line, and whether they hold for any size (a change of font names its size)."""
        out: list[str] = []
        lasts = True
        for run in line.runs:
            self.font(run.font).glyphs.update(run.ids)
            if run.font != file:
                lasts = False
                out.append(f"/{self.font(run.font).resource} {size} Tf")
            shown = _show(run, open_font(run.font), size)
            out.append(shown if run.says_itself else f"/Span <</ActualText {_utf16(run.text)}>> BDC {shown} EMC")
            if run.font != file:
                out.append(f"/{self.font(file).resource} {size} Tf")
            lasts = lasts and not any(y for _, y in run.offsets)
        return " ".join(out).encode(), lasts

    def _pictures(self, layer: Pictures, height: int, out: list[bytes]) -> None:
        boxes = zip(layer.x.tolist(), layer.y.tolist(), layer.width.tolist(), layer.height.tolist(), strict=True)
        for seen, whole, picture in zip(boxes, layer.wholes or (None,) * len(layer), layer.pictures, strict=True):
            resource, _ = self.pictures.setdefault(picture.digest, (f"P{len(self.pictures)}", picture))
            x, y, wide, high = whole or seen
            across, down = (1, 1) if isinstance(picture, Picture) else picture.pixels
            clip = b""
            if whole is not None:
                clip = b"%d %d %d %d re W n " % (seen[0], height - seen[1] - seen[3], seen[2], seen[3])
            place = (wide / across, high / down, x, height - y - high, resource.encode())
            out.append(b"q " + clip + b"%.8g 0 0 %.8g %d %d cm /%b Do Q" % place)


def _boxes(layer: Boxes, height: int, out: list[bytes]) -> None:
    current = ""
    bottoms = height - layer.y - layer.height
    numbers = zip(layer.x.tolist(), bottoms.tolist(), layer.width.tolist(), layer.height.tolist(), strict=True)
    for (x, y, wide, high), color in zip(numbers, layer.color, strict=True):
        if color != current:
            out.append(_color(color) + b" rg")
            current = color
        out.append(b"%d %d %d %d re f" % (x, y, wide, high))


def _paths(layer: Paths, height: int, out: list[bytes]) -> None:
    """Paths; the joins and ends of strokes are round. Hatching is drawn within its path, over the fill."""
    for path in layer.paths:
        drawn = _drawn(path.steps, height, path.starts, path.closed)
        setup = f"{_color(path.fill).decode()} rg " if path.fill is not None else ""
        if path.stroke is not None:
            dash = f"[{' '.join(map(str, path.dash))}] 0 d "
            cap = path.cap if path.cap is not None else 0 if path.dash else 1
            setup += f"{_color(path.stroke).decode()} RG {path.thickness} w {path.join} j {cap} J {dash}"
        operator = "B" if path.fill and path.stroke else "f" if path.fill else "S"
        operator += "*" * (path.even_odd and path.fill is not None)
        if path.hatch:
            if path.fill is not None:
                out.append(f"{_color(path.fill).decode()} rg {drawn} f".encode())
            lines = " ".join(_drawn(line, height) for line in hatch_lines(path.hatch, path.box))
            out.append(f"q {drawn} W n {HATCH_COLOR} RG {HATCH_THICKNESS} w 0 J [] 0 d {lines} S Q".encode())
            operator = "S" if path.stroke is not None else ""
        if operator:
            out.append(f"{setup}{drawn} {operator}".encode())


def _drawn(steps: Sequence[tuple[int, ...]], height: int, starts: tuple[int, ...] = (), closed: bool = False) -> str:
    """The operators that draw a path's steps; `starts` are those at which further parts begin."""
    (x, y), *others = steps
    found = [f"{x} {height - y} m"]
    for number, step in enumerate(others, 1):
        if number in starts:
            x, y = step
            found.append(f"{'h ' * closed}{x} {height - y} m")
        elif len(step) == 2:
            x, y = step
            found.append(f"{x} {height - y} l")
        else:
            x1, y1, x2, y2, x, y = step
            found.append(f"{x1} {height - y1} {x2} {height - y2} {x} {height - y} c")
    return " ".join(found) + " h" * closed


def _links(page: Page) -> list[Dictionary]:
    """The annotations of a page's links."""
    found = []
    for layer in page.layers:
        for item in layer_items(layer) if isinstance(layer, Links) else ():
            corners = (item.x, page.height - item.y - item.height, item.x + item.width, page.height - item.y)
            address = item.target or ""
            place = place_named(address)
            if place is None:
                action = Dictionary(S=Name.URI, URI=pikepdf.String(address))
            else:
                action = Dictionary(S=Name.GoTo, D=_place_name(place))
            rectangle = Array([_points(corner) for corner in corners])
            found.append(
                Dictionary(Type=Name.Annot, Subtype=Name.Link, Rect=rectangle, Border=Array([0, 0, 0]), A=action)
            )
    return found


def _place_name(name: str) -> pikepdf.String:
    """A place's name as the tree of names holds it."""
    return pikepdf.String(name.encode())


def _color(color: str) -> bytes:
    parts = (int(color[at : at + 2], 16) / 255 for at in (1, 3, 5))
    return b" ".join(b"%.4g" % part for part in parts)


def _show(run: Glyphs, font: Font, size: int) -> str:
    """Glyphs with the corrections (thousandths of the size) that kerning and marks ask for."""
    if run.in_place:
        return f"<{''.join([f'{glyph:04x}' for glyph in run.ids])}> Tj"
    pieces: list[str] = []
    hexes: list[str] = []
    pending = 0

    def flush() -> None:
        if hexes:
            pieces.append(f"<{''.join(hexes)}>")
            hexes.clear()

    rise = 0
    parts: list[str] = []
    for glyph, advance, (dx, dy) in zip(run.ids, run.advances, run.offsets, strict=True):
        if dy != rise:
            flush()
            parts.append(f"[{' '.join(pieces)}] TJ {dy * size / font.upem:.3f} Ts")
            pieces.clear()
            rise = dy
        before = pending + dx
        if before:
            flush()
            pieces.append(f"{-before * 1000 / font.upem:.6g}")
        hexes.append(f"{glyph:04x}")
        pending = advance - font.advance(glyph) - dx
    flush()
    if pending:
        pieces.append(f"{-pending * 1000 / font.upem:.6g}")
    simple = len(pieces) == 1 and pieces[0][0] == "<"
    parts.append(f"{pieces[0]} Tj" if simple else f"[{' '.join(pieces)}] TJ")
    if rise:
        parts.append("0 Ts")
    return " ".join(parts)


def _utf16(text: str) -> str:
    return f"<feff{text.encode('utf-16-be').hex()}>"


def write_page_pdf(page: Page, metadata: Metadata, writer: PdfWriter) -> bytes:
    """One page as a PDF of its own, by a writer that is kept from page to page."""
    writer.pictures = {}
    return _assembled([(page, zlib.compress(writer.content(page), _QUICK))], metadata, writer)


def write_pdf(pages: Iterable[Page], metadata: Metadata) -> bytes:
    """A PDF file of pages."""
    writer = PdfWriter()
    return _assembled(_packed(pages, writer), metadata, writer)


def _assembled(packed_pages: Iterable[tuple[Page, bytes]], metadata: Metadata, own: PdfWriter) -> bytes:
    pdf = pikepdf.new()
    fonts, pictures = Dictionary(), Dictionary()
    resources = pdf.make_indirect(Dictionary(Font=fonts, XObject=pictures))
    outline = _Outline(pdf)
    kids = []
    places: dict[bytes, Array] = {}
    for page, packed in packed_pages:
        stream = pikepdf.Stream(pdf, packed, Filter=Name.FlateDecode)
        box = Array([0, 0, _points(page.width), _points(page.height)])
        entry = pdf.make_indirect(
            Dictionary(Type=Name.Page, Parent=pdf.Root.Pages, MediaBox=box, Resources=resources, Contents=stream)
        )
        if links := _links(page):
            entry.Annots = Array(links)
        kids.append(entry)
        outline.add(page, entry)
        for anchor in page.anchors:
            places[anchor.name.encode()] = _to_place(page, entry, anchor.y)
    pdf.Root.Pages.Kids, pdf.Root.Pages.Count = Array(kids), len(kids)
    for file, use in own.fonts.items():
        fonts[f"/{use.resource}"] = _font_object(pdf, open_font(file), use.parts(open_font(file)))
    for resource, picture in own.pictures.values():
        pictures[f"/{resource}"] = _picture_object(pdf, picture)
    outline.close()
    if places:  # one leaf of a tree of names (ISO 32000-1, 7.9.6), in the order of their bytes
        names = [part for name, place in sorted(places.items()) for part in (pikepdf.String(name), place)]
        pdf.Root.Names = Dictionary(Dests=Dictionary(Names=Array(names)))
    pdf.docinfo["/Title"] = metadata.title
    pdf.docinfo["/Producer"] = "Northmoor"
    for name, value in metadata.entries.items():
        pdf.docinfo[f"/{name}"] = value
    pdf.Root.ViewerPreferences = Dictionary(DisplayDocTitle=True)
    return _saved(pdf)


def _packed(pages: Iterable[Page], writer: PdfWriter) -> Iterator[tuple[Page, bytes]]:
    """Each page with its compressed content stream; one thread compresses while the next pages are written."""
    waiting: deque[tuple[Page, Future[bytes]]] = deque()
    with ThreadPoolExecutor(1) as pool:
        for page in pages:
            waiting.append((page, pool.submit(zlib.compress, writer.content(page), COMPRESSION)))
            if len(waiting) > _MOST_WAITING:
                done, packed = waiting.popleft()
                yield done, packed.result()
        for done, packed in waiting:
            yield done, packed.result()


def _saved(pdf: pikepdf.Pdf) -> bytes:
    target = io.BytesIO()
    pdf.save(
        target,
        deterministic_id=True,
        object_stream_mode=pikepdf.ObjectStreamMode.generate,
        compress_streams=True,
        min_version="1.7",
    )
    return target.getvalue()


def _points(length: int) -> float | int:
    whole, rest = divmod(length, 1000)
    return length / 1000 if rest else whole


def _to_place(page: Page, entry: pikepdf.Object, y: int) -> Array:
    """The destination of a place on a page."""
    return Array([entry, Name.XYZ, 0, _points(page.height - y), 0])


class _Outline:
    """The document's outline, built in order; each entry leads to its place on a page."""

    def __init__(self, pdf: pikepdf.Pdf) -> None:
        self.pdf = pdf
        self.open: list[pikepdf.OutlineItem] = []
        self.roots: list[pikepdf.OutlineItem] = []

    def add(self, page: Page, entry: pikepdf.Object) -> None:
        """Add a page's bookmarks."""
        for mark in page.bookmarks:
            item = pikepdf.OutlineItem(mark.title, _to_place(page, entry, mark.y))
            item.is_closed = True
            del self.open[mark.depth :]
            siblings = self.open[-1].children if self.open else self.roots
            siblings.append(item)
            self.open.append(item)

    def close(self) -> None:
        """Write the outline into the document."""
        if self.roots:
            with self.pdf.open_outline() as outline:
                outline.root.extend(self.roots)


def _font_object(pdf: pikepdf.Pdf, font: Font, parts: FontParts) -> pikepdf.Object:
    """A composite font (ISO 32000-1, 9.7) whose character codes are glyph ids."""
    name = Name(f"/{_subset_tag(parts.program)}+{font.file}")
    file = pikepdf.Stream(pdf, parts.program)
    file.Length1 = len(parts.program)
    scale = 1000 / font.upem
    descriptor = pdf.make_indirect(
        Dictionary(
            Type=Name.FontDescriptor,
            FontName=name,
            Flags=4,
            FontBBox=Array([round(v * scale) for v in font.bounds()]),
            ItalicAngle=-12 if "Italic" in font.file else 0,
            Ascent=round(font.ascender * scale),
            Descent=round(font.descender * scale),
            CapHeight=round(font.ascender * scale * 0.7),
            StemV=140 if "Bold" in font.file else 80,
            FontFile2=file,
        )
    )
    descendant = pdf.make_indirect(
        Dictionary(
            Type=Name.Font,
            Subtype=Name.CIDFontType2,
            BaseFont=name,
            CIDSystemInfo=Dictionary(
                Registry=pikepdf.String("Adobe"), Ordering=pikepdf.String("Identity"), Supplement=0
            ),
            FontDescriptor=descriptor,
            CIDToGIDMap=Name.Identity,
            W=pikepdf.Object.parse(parts.widths),
        )
    )
    return pdf.make_indirect(
        Dictionary(
            Type=Name.Font,
            Subtype=Name.Type0,
            BaseFont=name,
            Encoding=Name("/Identity-H"),
            DescendantFonts=Array([descendant]),
            ToUnicode=pikepdf.Stream(pdf, parts.unicode_map),
        )
    )


def _subset_tag(data: bytes) -> str:
    """Six letters that differ from subset to subset (ISO 32000-1, 9.6.4)."""
    number = zlib.crc32(data)
    return "".join(chr(65 + number // 26**i % 26) for i in range(6))


def _widths(font: Font, glyphs: frozenset[int]) -> bytes:
    pairs = ((glyph, font.advance(glyph) * 1000 / font.upem) for glyph in sorted(glyphs))
    return f"[{' '.join(f'{glyph} [{width:.8g}]' for glyph, width in pairs)}]".encode()


def _unicode_map(font: Font, glyphs: frozenset[int]) -> bytes:
    """The CMap from glyph ids to Unicode (ISO 32000-1, 9.10.3), in blocks of at most 100 entries."""
    shown = shown_characters(font.file)
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


def _drawing_object(pdf: pikepdf.Pdf, picture: VectorPicture) -> pikepdf.Object:
    """A drawing as a form (ISO 32000-1, 8.10), which may stand in many places."""
    width, height = picture.pixels
    opacities = list(dict.fromkeys(path.opacity for path in picture.paths))
    out: list[bytes] = []
    for path in picture.paths:
        box = (np.zeros(1, np.int64),) * 4
        out.append(b"q /G%d gs" % opacities.index(path.opacity))
        _paths(Paths(*box, (path,), OneOrigin(Origin("", ""))), height, out)
        out.append(b"Q")
    states = {f"/G{at}": Dictionary(ca=opacity, CA=opacity) for at, opacity in enumerate(opacities)}
    return pikepdf.Stream(
        pdf, b"\n".join(out), Type=Name.XObject, Subtype=Name.Form, BBox=Array([0, 0, width, height]),
        Resources=Dictionary(ExtGState=Dictionary(states)),
    )  # fmt: skip


def _picture_object(pdf: pikepdf.Pdf, picture: AnyPicture) -> pikepdf.Object:
    if isinstance(picture, VectorPicture):
        return _drawing_object(pdf, picture)
    space = Name.DeviceGray if picture.gray else Name.DeviceRGB
    image = _image(pdf, picture.data, picture.pixels, space, Name.DCTDecode if picture.is_jpeg else Name.FlateDecode)
    if picture.alpha is not None:
        image.SMask = _image(pdf, picture.alpha, picture.pixels, Name.DeviceGray, Name.FlateDecode)
    return image


def _image(pdf: pikepdf.Pdf, data: bytes, pixels: tuple[int, int], space: Name, packing: Name) -> pikepdf.Stream:
    image = pikepdf.Stream(pdf, data)
    image.Type, image.Subtype = Name.XObject, Name.Image
    image.Width, image.Height = pixels
    image.ColorSpace, image.BitsPerComponent, image.Filter = space, 8, packing
    return image
