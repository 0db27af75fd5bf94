"""Text outside tables: paragraphs of the body, pieces of headers and footers, and messages in place of faulty
blocks."""

from collections.abc import Hashable, Iterable, Iterator, Sequence

import numpy as np
import pyarrow.compute as pc
from msgspec import Struct

from northmoor.core.base.replace import replace
from northmoor.core.errors import Place
from northmoor.core.layout.context import FAULT_COLOR, FAULT_MARK, LEAST_INSET, LayoutContext
from northmoor.core.layout.graphics.display_list import Boxes, Layer, Links, SharedSourceRef, SourceRef, TextFace, Texts
from northmoor.core.layout.inline.formatting import CellTexts, decoded_texts
from northmoor.core.layout.text.fonts import font_file
from northmoor.core.layout.text.line_breaking import does_not_fit, hard_lines, wrap
from northmoor.core.layout.text.shaping import Shaper
from northmoor.core.model.styles import Align, ResolvedStyle


class Paragraph(Struct, frozen=True, eq=False):
    """Lines of one look within a width, unplaced."""

    lines: tuple[int, ...]
    face: TextFace
    shaper: Shaper
    look: ResolvedStyle
    align: Align
    width: int
    origin: SourceRef
    written: "str | tuple[CellTexts, int]" = ""
    """The text before it was broken into lines, or the texts of all records with the number of this one."""

    @property
    def text(self) -> str:
        """The text before it was broken into lines."""
        return self.written if isinstance(self.written, str) else self.written[0].text(self.written[1])

    @property
    def leading(self) -> int:
        """Distance between baselines."""
        return self.shaper.font.leading(self.face.size)

    @property
    def height(self) -> int:
        """Height of all its lines with the padding."""
        return self.height_of(0, None)

    def height_of(self, start: int, end: int | None) -> int:
        """The height of some of its lines with the padding."""
        return len(self.lines[start:end]) * self.leading + 2 * self.look.padding

    def fitting(self, start: int, room: int) -> int:
        """The end of the lines from `start` that fit a height; at least one."""
        return min(start + max((room - 2 * self.look.padding) // self.leading, 1), len(self.lines))

    def layers(self, x: int, y: int, start: int = 0, end: int | None = None) -> tuple[Layer, ...]:
        """Some of its lines, placed."""
        return paragraph_layers(self, x, y, start, end)


def make_paragraph(
    text: str,
    look: ResolvedStyle,
    width: int,
    origin: SourceRef,
    context: LayoutContext,
    is_faulty: bool = False,
    align: Align = "start",
) -> Paragraph:
    """Break a text into lines within a width."""
    file = font_file(look.font, look.bold, look.italic)
    shaper = context.shapers.of(file)
    wrapped = wrap(text, shaper, look.size, width - 2 * look.inset, context.breaking(look), context.stop)
    if wrapped.unfit and look.inset > LEAST_INSET:
        look = replace(look, inset=LEAST_INSET)
        wrapped = wrap(text, shaper, look.size, width - 2 * look.inset, context.breaking(look), context.stop)
    if wrapped.unfit:
        context.find("does not fit", Place(block=origin.block), does_not_fit(wrapped.unfit))
    numbers = shaper.add(wrapped.lines)
    context.note_missing(Place(block=origin.block), shaper.missing(numbers))
    lines = tuple(numbers.tolist())
    face = TextFace(file, look.size, FAULT_COLOR if is_faulty else look.color)
    return Paragraph(lines, face, shaper, look, look.side or align, width, origin, text)


class Paragraphs:
    """A text of each record, broken into lines for all of them at once: those that fit are measured by the column."""

    def __init__(self, texts: CellTexts, look: ResolvedStyle, width: int, context: LayoutContext) -> None:
        self._texts = texts
        self._empty = make_paragraph("", look, width, SourceRef("", ""), context)
        shaper = self._empty.shaper
        trimmed = pc.utf8_rtrim(decoded_texts(texts.texts), " ")
        lines, among = shaper.add_column(trimmed)
        self._room = max(width - 2 * look.inset, 1000)
        fits = shaper.widths(lines, look.size) <= self._room
        self._parted = self._fragments(shaper.broken(among))
        fits[list(texts.faulty)] = False
        self._lines, self._fits = lines.data, fits.data
        self._missing = shaper.missing(among)

    def _fragments(self, broken: Iterable[int]) -> dict[int, tuple[int, ...]]:
        """The lines of those with line breaks of their own, by the numbers of the whole ones; none where a part is
        too wide. They are measured together, since each by itself takes long."""
        shaper, look = self._empty.shaper, self._empty.look
        wholes = sorted(broken)
        parts = [[part.rstrip(" ") for part in hard_lines(shaper.text(number))] for number in wholes]
        numbers = shaper.add([part for own in parts for part in own])
        fits = shaper.widths(numbers, look.size) <= self._room
        ends = np.cumsum([len(own) for own in parts]).tolist()
        found = {}
        for whole, own, end in zip(wholes, parts, ends, strict=True):
            at = slice(end - len(own), end)
            found[whole] = tuple(numbers[at].tolist()) if fits[at].all() else ()
        return found

    def of(self, record: int, origin: SourceRef, context: LayoutContext) -> Paragraph:
        """The paragraph of a record."""
        own, line = self._empty, self._lines[record]
        context.note_missing(Place(block=origin.block), self._missing)
        lines = self._parted.get(line, (line,) if self._fits[record] else ())
        if lines and record not in self._texts.faulty:
            written = self._texts, record
            return Paragraph(lines, own.face, own.shaper, own.look, own.align, own.width, origin, written)
        text, is_faulty = self._texts.text(record), record in self._texts.faulty
        return make_paragraph(text, own.look, own.width, origin, context, is_faulty)


def fault_paragraph(message: str, width: int, origin: SourceRef, context: LayoutContext) -> Paragraph:
    """What replaces a block that cannot be made."""
    return make_paragraph(f"{FAULT_MARK} {message}", context.base, width, origin, context, is_faulty=True)


def paragraph_layers(paragraph: Paragraph, x: int, y: int, start: int = 0, end: int | None = None) -> tuple[Layer, ...]:
    """The layers of some of a paragraph's lines, placed."""
    return placed_paragraphs([PlacedLines(paragraph, x, y, start, end)])[0]


class PlacedLines(Struct, frozen=True):
    """Some lines of a paragraph at a place on their page."""

    paragraph: Paragraph
    x: int
    y: int
    start: int = 0
    end: int | None = None


def placed_paragraphs(placed: Sequence[PlacedLines]) -> list[tuple[Layer, ...]]:
    """The layers of each of some paragraphs; texts of those that are alike but for what they say are placed at once."""
    alike: dict[Hashable, list[int]] = {}
    for at, each in enumerate(placed):
        own = each.paragraph
        alike.setdefault((own.shaper, own.face, own.look, own.align, own.width), []).append(at)
    found: list[tuple[Layer, ...]] = [()] * len(placed)
    for places in alike.values():
        for at, texts in zip(places, _texts([placed[at] for at in places]), strict=True):
            each, own = placed[at], placed[at].paragraph
            box = (each.x, each.y, own.width, own.height_of(each.start, each.end))
            found[at] = (*look_boxes(own.look, box, own.origin), texts)
    return found


def _texts(alike: Sequence[PlacedLines]) -> Iterator[Texts]:
    own = alike[0].paragraph
    look, size, shaper = own.look, own.face.size, own.shaper
    lines = [each.paragraph.lines[each.start : each.end] for each in alike]
    counts = np.fromiter(map(len, lines), np.int64, len(lines))
    ends = np.cumsum(counts)
    numbers = np.fromiter((number for each in lines for number in each), np.int64, ends[-1])
    widths = shaper.widths(numbers, size)
    slack = own.width - 2 * look.inset - widths
    shift = {"start": slack * 0, "end": slack, "center": slack // 2}[own.align]
    x = np.repeat([each.x + look.inset for each in alike], counts) + shift
    place = np.arange(len(numbers)) - np.repeat(ends - counts, counts)
    tops = np.repeat([each.y + look.padding for each in alike], counts) + own.leading * place
    baselines, faces = tops + shaper.font.ascent(size), np.zeros(len(numbers), np.int64)
    of_faces = (own.face,), (shaper,)
    for each, end, count in zip(alike, ends.tolist(), counts.tolist(), strict=True):
        at = slice(end - count, end)
        origin = SharedSourceRef(each.paragraph.origin)
        yield Texts(x[at], tops[at], baselines[at], widths[at], faces[at], numbers[at], *of_faces, origin)


def look_boxes(look: ResolvedStyle, box: tuple[int, int, int, int], origin: SourceRef) -> Iterator[Layer]:
    """The fill and the rules of a look around a text in a box (left, top, width, height)."""
    x, y, width, height = box
    origins = SharedSourceRef(origin)
    if look.fill:
        yield box_layer("fill", x, y, width, height, look.fill, origins)
    for thickness, top in ((look.rule_above, y), (look.rule_below, y + height - look.rule_below)):
        if thickness:
            yield box_layer("rule", x, top, width, thickness, look.rule_color, origins)


def link_layer(target: str, box: tuple[int, int, int, int], origin: SourceRef) -> Links:
    """A layer of one rectangle (left, top, width, height) that opens an address."""
    left, top, across, down = (np.array([value], np.int64) for value in box)
    return Links(left, top, across, down, (target,), SharedSourceRef(origin))


def box_layer(kind: str, x: int, y: int, width: int, height: int, color: str, origins: SharedSourceRef) -> Boxes:
    """A layer of one filled rectangle."""
    left, top, across, down = (np.array([value], np.int64) for value in (x, y, width, height))
    return Boxes(kind, left, top, across, down, (color,), origins)
