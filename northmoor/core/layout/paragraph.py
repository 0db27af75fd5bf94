"""Text outside tables: paragraphs of the body, pieces of headers and footers, and messages in place of faulty
blocks."""

from dataclasses import dataclass

import numpy as np

from northmoor.core.layout.context import FAULT_COLOR, FAULT_MARK, Setting
from northmoor.core.layout.display import Boxes, Layer, OneOrigin, Origin, TextFace, Texts
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
        return len(self.lines) * self.leading + 2 * self.look.padding


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
    height = len(numbers) * paragraph.leading + 2 * look.padding
    origins = OneOrigin(paragraph.origin)
    layers: list[Layer] = []
    if look.fill:
        layers.append(box_layer("fill", x, y, paragraph.width, height, look.fill, origins))
    for thickness, top in ((look.rule_above, y), (look.rule_below, y + height - look.rule_below)):
        if thickness:
            layers.append(box_layer("rule", x, top, paragraph.width, thickness, look.rule_color, origins))
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


def box_layer(kind: str, x: int, y: int, width: int, height: int, color: str, origins: OneOrigin) -> Boxes:
    """A layer of one filled rectangle."""
    left, top, across, down = (np.array([value], np.int64) for value in (x, y, width, height))
    return Boxes(kind, left, top, across, down, (color,), origins)
