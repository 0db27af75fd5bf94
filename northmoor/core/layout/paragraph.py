"""Text outside tables: paragraphs of the body, pieces of headers and footers, and messages in place of faulty
blocks."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from northmoor.core.layout.context import FAULT_COLOR, FAULT_MARK, Setting
from northmoor.core.layout.display import Boxes, Layer, Links, OneOrigin, Origin, TextFace, Texts
from northmoor.core.layout.fonts import font_file
from northmoor.core.layout.text import Shaper
from northmoor.core.layout.wrap import wrap
from northmoor.core.model.looks import Align, FullLook


@dataclass(frozen=True, eq=False)
class Paragraph:
    """Lines of one look within a width, unplaced."""

    lines: tuple[int, ...]
    face: TextFace
    shaper: Shaper
    look: FullLook
    align: Align
    width: int
    origin: Origin

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
    look: FullLook,
    width: int,
    origin: Origin,
    setting: Setting,
    is_faulty: bool = False,
    align: Align = "start",
) -> Paragraph:
    """Break a text into lines within a width."""
    file = font_file(look.font, look.bold, look.italic)
    shaper = setting.shapers.of(file)
    room = max(width - 2 * look.inset, 1000)
    lines = tuple(shaper.add(wrap(text, shaper, look.size, room)).tolist())
    face = TextFace(file, look.size, FAULT_COLOR if is_faulty else look.color)
    return Paragraph(lines, face, shaper, look, look.side or align, width, origin)


def fault_paragraph(message: str, width: int, origin: Origin, setting: Setting) -> Paragraph:
    """What stands in the place of a block that cannot be made."""
    return make_paragraph(f"{FAULT_MARK} {message}", setting.base, width, origin, setting, is_faulty=True)


def paragraph_layers(paragraph: Paragraph, x: int, y: int, start: int = 0, end: int | None = None) -> tuple[Layer, ...]:
    """The layers of some of a paragraph's lines, placed."""
    numbers = np.array(paragraph.lines[start:end], np.int32)
    look, size = paragraph.look, paragraph.face.size
    origins = OneOrigin(paragraph.origin)
    box = (x, y, paragraph.width, paragraph.height_of(start, end))
    layers = list(look_boxes(look, box, paragraph.origin))
    widths = paragraph.shaper.widths(numbers, size)
    slack = paragraph.width - 2 * look.inset - widths
    shift = {"start": slack * 0, "end": slack, "center": slack // 2}[paragraph.align]
    tops = y + look.padding + paragraph.leading * np.arange(len(numbers), dtype=np.int64)
    faces = np.zeros(len(numbers), np.int64)
    baselines = tops + paragraph.shaper.font.ascent(size)
    layers.append(
        Texts(
            x + look.inset + shift, tops, baselines, widths, faces, numbers.astype(np.int64),
            (paragraph.face,), (paragraph.shaper,), origins,
        )
    )  # fmt: skip
    return tuple(layers)


def look_boxes(look: FullLook, box: tuple[int, int, int, int], origin: Origin) -> Iterator[Layer]:
    """The fill and the rules of a look around a text in a box (left, top, width, height)."""
    x, y, width, height = box
    origins = OneOrigin(origin)
    if look.fill:
        yield box_layer("fill", x, y, width, height, look.fill, origins)
    for thickness, top in ((look.rule_above, y), (look.rule_below, y + height - look.rule_below)):
        if thickness:
            yield box_layer("rule", x, top, width, thickness, look.rule_color, origins)


def link_layer(target: str, box: tuple[int, int, int, int], origin: Origin) -> Links:
    """A layer of one rectangle (left, top, width, height) that opens an address."""
    left, top, across, down = (np.array([value], np.int64) for value in box)
    return Links(left, top, across, down, (target,), OneOrigin(origin))


def box_layer(kind: str, x: int, y: int, width: int, height: int, color: str, origins: OneOrigin) -> Boxes:
    """A layer of one filled rectangle."""
    left, top, across, down = (np.array([value], np.int64) for value in (x, y, width, height))
    return Boxes(kind, left, top, across, down, (color,), origins)
