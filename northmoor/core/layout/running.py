"""Headers and footers: the same lines on every page, their templates computed for each."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from northmoor.core.compute.cells import Computed
from northmoor.core.errors import ExpressionError, LayoutError, Place, ReportFileError
from northmoor.core.expr.templates import Slot, Template, parse_template
from northmoor.core.layout.celltext import CellTexts, report_faults, template_texts, whole_fault
from northmoor.core.layout.context import Setting
from northmoor.core.layout.display import Layer, OneOrigin, Origin, Pictures
from northmoor.core.layout.fonts import font_file
from northmoor.core.layout.paragraph import box_layer, fault_paragraph, make_paragraph, paragraph_layers
from northmoor.core.layout.pictures import load_picture, width_at
from northmoor.core.model.looks import Align, FullLook
from northmoor.core.model.report import PicturePiece, Running, RunningLine, TextPiece

PLACES: tuple[Align, ...] = ("start", "center", "end")


@dataclass(frozen=True, eq=False)
class PlacedText:
    """A text piece: its look and its text on each page."""

    look: FullLook
    texts: CellTexts


def template_or_fault(text: str) -> Template | ExpressionError:
    """The template of a text, or why it is none."""
    try:
        return parse_template(text)
    except ExpressionError as error:
        return error


def slots_of(texts: Sequence[str]) -> list[str]:
    """The expressions in templates that parse, each once."""
    templates = [t for text in texts if not isinstance(t := template_or_fault(text), ExpressionError)]
    return list(dict.fromkeys(p.expression.text for t in templates for p in t if isinstance(p, Slot)))


def pieces(line: RunningLine) -> tuple[tuple[Align, TextPiece | PicturePiece], ...]:
    """The pieces of a line that there are, with their places."""
    found = zip(PLACES, (line.start, line.center, line.end), strict=True)
    return tuple((place, piece) for place, piece in found if piece is not None)


def running_texts(running: Running | None) -> list[str]:
    """The templates in a header or footer."""
    return [p.text for line in (running.lines if running else ()) for _, p in pieces(line) if isinstance(p, TextPiece)]


def running_height(running: Running | None, setting: Setting) -> int:
    """Height of a header or footer with its rule, without the gap to the body."""
    if running is None:
        return 0
    return sum(_line_height(line, setting) for line in running.lines) + running.rule


def _line_height(line: RunningLine, setting: Setting) -> int:
    heights = [0]
    for _, piece in pieces(line):
        if isinstance(piece, PicturePiece):
            heights.append(piece.height)
        else:
            look = _look(piece, setting)
            font = setting.shapers.of(font_file(look.font, look.bold, look.italic)).font
            heights.append(font.leading(look.size) * (piece.text.count("\n") + 1) + 2 * look.padding)
    return max(heights)


def _look(piece: TextPiece, setting: Setting) -> FullLook:
    return setting.report.look(setting.base, piece.style, piece.look)


def texts_by_page(
    text: str, computed: Mapping[str, Computed], count: int, place: Place, setting: Setting
) -> CellTexts:
    """A template's text on each page."""
    template = template_or_fault(text)
    texts = (
        whole_fault(count, template)
        if isinstance(template, ExpressionError)
        else template_texts(template, computed, None, count, setting)
    )
    report_faults(texts, place, setting)
    return texts


def running_layers(
    running: Running,
    name: str,
    page: int,
    count: int,
    computed: Mapping[str, Computed],
    left: int,
    top: int,
    width: int,
    setting: Setting,
) -> tuple[Layer, ...]:
    """The layers of a header or footer on a page (its index), its first line at `top`."""
    layers: list[Layer] = []
    origin = Origin(name, name)
    y = top + (running.rule if name == "footer" else 0)
    for line in running.lines:
        height = _line_height(line, setting)
        for place, piece in pieces(line):
            layers += _piece(piece, place, page, count, computed, (left, y, width, height), origin, setting)
        y += height
    if running.rule:
        layers += _rule(running, left, y if name == "header" else top, width, origin, setting)
    return tuple(layers)


def _piece(
    piece: TextPiece | PicturePiece,
    place: Align,
    page: int,
    count: int,
    computed: Mapping[str, Computed],
    box: tuple[int, int, int, int],
    origin: Origin,
    setting: Setting,
) -> tuple[Layer, ...]:
    left, y, width, height = box
    if isinstance(piece, PicturePiece):
        return picture_layers(piece.file, piece.height, place, (left, y, width), origin, setting)
    key = ("running", piece.text, tuple(computed.items()), count, setting.customs)
    texts = setting.kept.get(key, lambda: texts_by_page(piece.text, computed, count, Place(block=origin.block), setting))
    report_faults(texts, Place(block=origin.block), setting)
    paragraph = make_paragraph(
        texts.texts[page], _look(piece, setting), width, origin, setting, page in texts.faulty, place
    )
    lines = max((height - 2 * paragraph.look.padding) // paragraph.leading, 1)
    drop = height - min(paragraph.height, height)
    return paragraph_layers(paragraph, left, y + drop, 0, lines)


def picture_layers(
    file: str, height: int, align: Align, box: tuple[int, int, int], origin: Origin, setting: Setting
) -> tuple[Layer, ...]:
    """The layer of a picture in a box (left, top, width), or a message in its place."""
    left, y, width = box
    try:
        picture = load_picture(file, setting)
    except (LayoutError, ReportFileError) as error:
        setting.find("picture", Place(block=origin.block), error.message)
        return paragraph_layers(fault_paragraph(error.message, width, origin, setting), left, y)
    wide = width_at(picture, height)
    if wide > width:
        wide, height = width, height * width // wide
    slack = {"start": 0, "center": (width - wide) // 2, "end": width - wide}[align]
    numbers = [np.array([v], np.int64) for v in (left + slack, y, wide, height)]
    return (Pictures(*numbers, (picture,), OneOrigin(origin)),)


def _rule(running: Running, left: int, y: int, width: int, origin: Origin, setting: Setting) -> tuple[Layer, ...]:
    return (box_layer("rule", left, y, width, running.rule, setting.base.rule_color, OneOrigin(origin)),)
