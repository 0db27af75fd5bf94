"""The content streams of pages (ISO 32000-1, 7.8.2), exact to the millipoint, texts of many pages at a time.

A page's coordinates are scaled once so that all numbers in its stream are whole millipoints. Text is written in reading
order, so that it can be selected, searched and copied.
"""

from collections.abc import Iterator, Mapping, Sequence
from functools import lru_cache
from math import cos, radians, sin
from weakref import WeakKeyDictionary

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from northmoor.core.base.arrays import Ints
from northmoor.core.expr.text_concat import concat, concat_lists
from northmoor.core.layout.graphics.display_list import (
    AnyPicture,
    Boxes,
    Layer,
    Page,
    Paths,
    Picture,
    Pictures,
    TextFace,
    Texts,
    TurnedTexts,
)
from northmoor.core.layout.graphics.hatching import hatch_lines
from northmoor.core.layout.text.advances import advance_table
from northmoor.core.layout.text.fonts import Font, open_font
from northmoor.core.layout.text.shaping import Glyphs, ShapedLine, Shaper
from northmoor.core.output.pdf.font_embedding import FontUse
from northmoor.core.output.pdf.page_tags import ARTIFACT, LayerMarks, PageTags
from northmoor.core.output.pdf.table_tags import GOES_ON, REPEATED

_ESCAPED = {0x0D: b"\\r", 0x28: b"\\(", 0x29: b"\\)", 0x5C: b"\\\\"}
HATCH_COLOR, HATCH_THICKNESS = "1 1 1", 700
_UNMARKED = LayerMarks()


class ContentWriter:
    """Writes the content streams of pages and remembers what fonts and pictures they use.

    Encoded lines are kept as long as their shaper lives, so that each is encoded once.
    """

    def __init__(self) -> None:
        self._kept: WeakKeyDictionary[Shaper, dict[int, _LineCache]] = WeakKeyDictionary()
        self.fonts: dict[str, FontUse] = {}
        self.pictures: dict[str, tuple[str, AnyPicture]] = {}

    def contents(self, pages: Sequence[Page], tags: Sequence[PageTags] = ()) -> list[bytes]:
        """The content stream of each page, not yet compressed; with the marks of its tags, if there are any."""
        marked = [each.marks for each in tags] or [dict[int, LayerMarks]()] * len(pages)
        layers = [
            (layer, page.height, marks.get(number, _UNMARKED))
            for page, marks in zip(pages, marked, strict=True)
            for number, layer in enumerate(page.layers)
            if isinstance(layer, Texts) and len(layer)
        ]
        texts = self._texts(layers)
        return [self._content(page, texts, marks) for page, marks in zip(pages, marked, strict=True)]

    def _content(self, page: Page, texts: Iterator[bytes], marked: Mapping[int, LayerMarks]) -> bytes:
        """A page's content; `texts` goes on with what its layers of texts draw."""
        out: list[bytes] = [b"0.001 0 0 0.001 0 0 cm"]
        for number, layer in enumerate(page.layers):
            marks = marked.get(number, _UNMARKED)
            if marks.before:
                out.append(marks.before)
            self._layer(layer, page.height, marks, texts, out)
            if marks.after:
                out.append(marks.after)
        return b"\n".join(out)

    def _layer(self, layer: Layer, height: int, marks: LayerMarks, texts: Iterator[bytes], out: list[bytes]) -> None:
        """What a layer draws."""
        if isinstance(layer, Texts):
            if len(layer):
                out.append(next(texts))
        elif isinstance(layer, Boxes):
            _boxes(layer, height, out)
        elif isinstance(layer, Paths):
            draw_paths(layer, height, out)
        elif isinstance(layer, TurnedTexts):
            self._turned(layer, height, marks, out)
        elif isinstance(layer, Pictures):
            self._pictures(layer, height, out)

    def font(self, file: str) -> FontUse:
        """The use of a font file, registered when it is first met."""
        if file not in self.fonts:
            self.fonts[file] = FontUse(f"F{len(self.fonts)}")
        return self.fonts[file]

    def _texts(self, layers: Sequence[tuple[Texts, int, LayerMarks]]) -> Iterator[bytes]:
        """What each of some layers of texts draws, on pages of some heights, with the marks before each text."""
        if not layers:
            return
        lengths = np.fromiter((len(layer) for layer, _, _ in layers), np.int64, len(layers))
        faces = _Faces([layer for layer, _, _ in layers], lengths)
        ends = np.cumsum(lengths)
        starts = ends - lengths
        x = np.concatenate([layer.x for layer, _, _ in layers])
        heights = np.fromiter((height for _, height, _ in layers), np.int64, len(layers))
        y = np.repeat(heights, lengths) - np.concatenate([layer.baseline for layer, _, _ in layers])
        right, up = np.diff(x, prepend=0), np.diff(y, prepend=0)
        right[starts], up[starts] = x[starts], y[starts]
        is_new = np.diff(faces.alike[faces.face], prepend=-1) != 0
        is_new[starts] = True
        setups = pa.array([b"", *(self._setup(face) for face in faces.faces)], pa.binary())
        is_marked = any(marks.each is not None for _, _, marks in layers)
        whole = concat(
            *([_marks([(layer, marks) for layer, _, marks in layers])] if is_marked else []),
            setups.take(pa.array(np.where(is_new, faces.face + 1, 0))),
            _digits(right),
            _digits(up),
            self._drawn(faces),
            separator=b" ",
        )
        offsets, data = np.frombuffer(whole.buffers()[1], np.int32), memoryview(whole.buffers()[2])
        for start, end, (_, _, marks) in zip(offsets[starts].tolist(), offsets[ends].tolist(), layers, strict=True):
            yield (b"BT%bET" if marks.each is None else b"BT %bEMC ET") % data[start:end].tobytes()

    def _drawn(self, faces: "_Faces") -> pa.BinaryArray:
        """The operators that draw each text at its place."""
        parts, order = [], []
        for number, (face, shaper) in enumerate(zip(faces.faces, faces.shapers, strict=True)):
            at = np.flatnonzero(faces.face == number)
            lines = faces.line[at]
            is_single = shaper.is_single(lines) & shaper.is_single_run(lines)
            parts += [
                self._alone(shaper.texts(lines[is_single]), face.font),
                self._cached_lines(shaper, lines[~is_single], face),
            ]
            order += [at[is_single], at[~is_single]]
        places = np.empty(len(faces.face), np.int64)
        places[np.concatenate(order)] = np.arange(len(places))
        return pa.concat_arrays(parts).take(pa.array(places))

    def _cached_lines(self, shaper: Shaper, lines: Ints, face: TextFace) -> pa.BinaryArray:
        """The operators of lines that may be in many places, made once for each at a size."""
        kept = self._kept.setdefault(shaper, {}).setdefault(face.size, _LineCache())
        new = kept.unknown(lines)
        if len(new):
            is_alone = shaper.is_single_run(new)
            alone, others = new[is_alone], new[~is_alone].tolist()
            texts = pa.array(map(shaper.text, alone.tolist()), pa.string())
            shaped = [b"Td %b\n" % self._shaped(shaper.line(number), face) for number in others]
            kept.add(alone, self._alone(texts, face.font))
            kept.add(new[~is_alone], pa.array(shaped, pa.binary()))
        return kept.of(lines)

    def _alone(self, texts: pa.StringArray, file: str) -> pa.BinaryArray:
        """The operators of texts in which each character is one glyph: arrays of glyphs with the corrections, in
        thousandths of the size, that kerning asks for (ISO 32000-1, 9.4.3). Texts that are alike are written once."""
        if not len(texts):
            return pa.array([], pa.binary())
        alphabet, upem = advance_table(file), open_font(file).upem
        encoded = texts.dictionary_encode()
        spelled = alphabet.glyph_sequence(encoded.dictionary)
        self.font(file).characters.update(map(chr, np.flatnonzero(np.bincount(spelled.points)).tolist()))
        shown = list(_literals(file))
        pieces = spelled.places.astype(np.int64)
        kerned = np.flatnonzero(spelled.kerning)
        pairs = np.stack([spelled.places[kerned], spelled.kerning[kerned]])
        distinct, of_each = np.unique(pairs, axis=1, return_inverse=True)
        pieces[kerned] = len(shown) + of_each.ravel()
        shown += [b"%b)%.6g(" % (shown[place], -kern * 1000 / upem) for place, kern in distinct.T.tolist()]
        offsets = pa.array(np.concatenate([[0], spelled.ends]).astype(np.int32))
        spelt = pa.ListArray.from_arrays(offsets, pa.array(shown, pa.binary()).take(pa.array(pieces)))
        drawn = concat(b"Td [(", concat_lists(spelt, b""), b")]TJ\n", separator=b"")
        return drawn.take(encoded.indices)

    def _setup(self, face: TextFace) -> bytes:
        return b"\n/%b %d Tf %b rg\n" % (self.font(face.font).resource.encode(), face.size, _color(face.color))

    def _shaped(self, line: ShapedLine, face: TextFace) -> bytes:
        """The operators of a line that is shaped as a whole, in runs of several fonts."""
        out: list[str] = []
        for run in line.runs:
            self.font(run.font).glyphs.update(run.ids)
            if run.font != face.font:
                out.append(f"/{self.font(run.font).resource} {face.size} Tf")
            shown = _show(run, open_font(run.font), face.size)
            out.append(shown if run.is_own_text else f"/Span <</ActualText {_utf16(run.text)}>> BDC {shown} EMC")
            if run.font != face.font:
                out.append(f"/{self.font(face.font).resource} {face.size} Tf")
        return " ".join(out).encode()

    def _turned(self, layer: TurnedTexts, height: int, marks: LayerMarks, out: list[bytes]) -> None:
        faces = zip(layer.begins, layer.angles, layer.line, layer.faces, layer.shapers, strict=True)
        for number, ((x, y), angle, line, face, shaper) in enumerate(faces):
            along, up = round(cos(radians(angle)), 6), round(sin(radians(angle)), 6)
            matrix = b"%.6g %.6g %.6g %.6g" % (along, up, -up, along)
            drawn = self._cached_lines(shaper, np.array([line]), face)[0].as_py()
            written = b"BT%b%b %d %d Tm 0 0 %bET" % (self._setup(face), matrix, x, height - y, drawn)
            out.append(written if marks.each is None else b"%b %b EMC" % (_mark(marks, number), written))

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


def _mark(marks: LayerMarks, number: int) -> bytes:
    """The mark before a text that begins a content of its own."""
    assert marks.each is not None
    content = int(marks.each[number])
    return ARTIFACT if content == REPEATED else b"/%b <</MCID %d>> BDC" % (marks.tag, content)


def _marks(layers: Sequence[tuple[Texts, LayerMarks]]) -> pa.BinaryArray:
    """The marks before each text of some layers: each ends the one before, but for the first of a layer. There are as
    many different ones as a page has contents, so they are written once each."""
    lengths = np.array([len(layer) for layer, _ in layers])
    contents = np.concatenate(
        [np.full(len(layer), GOES_ON, np.int64) if own.each is None else own.each for layer, own in layers]
    )
    most = int(contents.max(initial=0)) + 1
    tags = list(dict.fromkeys(own.tag for _, own in layers))
    written = [
        b"", ARTIFACT, b"EMC " + ARTIFACT,
        *(b"%b/%b <</MCID %d>> BDC" % (end, tag, n) for tag in tags for end in (b"", b"EMC ") for n in range(most)),
    ]  # fmt: skip
    begins = np.repeat([3 + 2 * most * tags.index(own.tag) for _, own in layers], lengths)
    choices = np.where(contents >= 0, begins + most + contents, np.where(contents == REPEATED, 2, 0))
    firsts = np.cumsum(lengths) - lengths
    choices[firsts] -= np.where(contents[firsts] >= 0, most, np.where(contents[firsts] == REPEATED, 1, 0))
    return pa.array(written, pa.binary()).take(pa.array(choices))


class _LineCache:
    """What draws lines that may be in many places, by the lines' numbers."""

    def __init__(self) -> None:
        self._places = np.full(1024, -1, np.int32)
        self._drawn = pa.array([], pa.binary())

    def unknown(self, lines: Ints) -> Ints:
        """Those of some lines that are not kept yet, each once."""
        highest = int(lines.max(initial=0))
        if highest >= len(self._places):
            more = np.full(2 * highest + 1 - len(self._places), -1, np.int32)
            self._places = np.concatenate([self._places, more])
        return np.unique(lines[self._places[lines] < 0])

    def add(self, lines: Ints, drawn: pa.BinaryArray) -> None:
        """Keep what draws some lines."""
        self._places[lines] = len(self._drawn) + np.arange(len(lines))
        self._drawn = pa.concat_arrays([self._drawn, drawn])

    def of(self, lines: Ints) -> pa.BinaryArray:
        """What draws some lines."""
        return self._drawn.take(pa.array(self._places[lines]))


class _Faces:
    """The faces of several layers of texts, each once with each shaper (`alike` is the first with the same face), and
    which each text has; and the texts' lines."""

    def __init__(self, layers: Sequence[Texts], lengths: Ints) -> None:
        known: dict[tuple[TextFace, int], int] = {}
        firsts: dict[tuple[int, int], int] = {}
        self.shapers: list[Shaper] = []
        numbers: list[int] = []
        first_of_layer = np.empty(len(layers), np.int64)
        for at, layer in enumerate(layers):
            key = (id(layer.faces), id(layer.shapers))  # layers made together share these
            if key not in firsts:
                firsts[key] = len(numbers)
                for face, shaper in zip(layer.faces, layer.shapers, strict=True):
                    if known.setdefault((face, id(shaper)), len(known)) == len(self.shapers):
                        self.shapers.append(shaper)
                    numbers.append(known[face, id(shaper)])
            first_of_layer[at] = firsts[key]
        self.faces = [face for face, _ in known]
        self.alike = np.array([self.faces.index(face) for face in self.faces], np.int64)
        own = np.concatenate([layer.face for layer in layers])
        self.face = np.array(numbers, np.int64)[np.repeat(first_of_layer, lengths) + own]
        self.line = np.concatenate([layer.line for layer in layers])


def _digits(numbers: Ints) -> pa.BinaryArray:
    return pc.cast(pa.array(numbers), pa.string()).cast(pa.binary())


def _boxes(layer: Boxes, height: int, out: list[bytes]) -> None:
    current = ""
    bottoms = height - layer.y - layer.height
    numbers = zip(layer.x.tolist(), bottoms.tolist(), layer.width.tolist(), layer.height.tolist(), strict=True)
    for (x, y, wide, high), color in zip(numbers, layer.color, strict=True):
        if color != current:
            out.append(_color(color) + b" rg")
            current = color
        out.append(b"%d %d %d %d re f" % (x, y, wide, high))


def draw_paths(layer: Paths, height: int, out: list[bytes]) -> None:
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


@lru_cache(maxsize=64)
def _literals(file: str) -> tuple[bytes, ...]:
    """The two bytes of each glyph of a font's alphabet, as literal strings hold them (ISO 32000-1, 7.3.4.2)."""
    glyphs = advance_table(file).glyphs.values()
    return tuple(b"".join(_ESCAPED.get(byte, bytes((byte,))) for byte in divmod(glyph, 256)) for glyph in glyphs)


def _utf16(text: str) -> str:
    return f"<feff{text.encode('utf-16-be').hex()}>"
