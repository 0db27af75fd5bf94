"""Headers and footers: the same lines on every page, their templates computed for each."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import pyarrow as pa
from msgspec import Struct

from northmoor.core.base.arrays import Bools, Ints
from northmoor.core.base.replace import replace
from northmoor.core.compute.evaluate.scope_cells import Computed
from northmoor.core.errors import ExpressionError, Place
from northmoor.core.expr.templates import Slot, Template, parse_template
from northmoor.core.layout.context import LayoutContext
from northmoor.core.layout.graphics.display_list import Layer, Pictures, SharedSourceRef, SourceRef, TextFace, Texts
from northmoor.core.layout.graphics.images import picture_or_fault, width_at
from northmoor.core.layout.inline.formatting import CellTexts, report_faults, template_texts, whole_fault
from northmoor.core.layout.inline.paragraph import (
    Paragraph,
    box_layer,
    fault_paragraph,
    make_paragraph,
    paragraph_layers,
)
from northmoor.core.layout.text.fonts import font_file
from northmoor.core.layout.text.shaping import Shaper
from northmoor.core.model.pages import PicturePiece, Running, RunningLine, TextPiece
from northmoor.core.model.styles import Align, ResolvedStyle

PLACES: tuple[Align, ...] = ("start", "center", "end")
_FIRST = np.zeros(1, np.int64)


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
    """The templates in a header or footer, without those that refer to a level."""
    lines = [line for line in (running.lines if running else ()) if line.of is None]
    return [piece.text for line in lines for _, piece in pieces(line) if isinstance(piece, TextPiece)]


_KINDS_OF_PAGES = ((1, 1), (1, 9), (2, 9), (3, 9), (8, 8), (9, 9))
"""A page's number and count of each kind: first, later, odd, even, last."""


def lines_on(running: Running, number: int, count: int) -> tuple[int, ...]:
    """The numbers of the lines that are on the page of a number, of so many."""
    is_shown = {
        "every": True, "first": number == 1, "later": number > 1, "odd": number % 2 == 1, "even": number % 2 == 0,
        "last": number == count,
    }  # fmt: skip
    return tuple(at for at, line in enumerate(running.lines) if is_shown[line.on])


def running_height(running: Running | None, context: LayoutContext) -> int:
    """Height of a header or footer with its rule, without the gap to the body: where the most of its lines are."""
    if running is None:
        return 0
    return max(heights_of(running, lines_on(running, *kind), context)[1] for kind in _KINDS_OF_PAGES)


def heights_of(running: Running, lines: tuple[int, ...], context: LayoutContext) -> tuple[tuple[int, ...], int]:
    """The height of each of some lines, and of all with the rule; nothing where there are none."""
    heights = tuple(_line_height(running.lines[at], context) for at in lines)
    return heights, sum(heights) + (running.rule if lines or not running.lines else 0)


def _line_height(line: RunningLine, context: LayoutContext) -> int:
    heights = [0]
    for _, piece in pieces(line):
        if isinstance(piece, PicturePiece):
            heights.append(piece.height)
        else:
            look = _look(piece, context)
            font = context.shapers.of(font_file(look.font, look.bold, look.italic)).font
            heights.append(font.leading(look.size) * (piece.text.count("\n") + 1) + 2 * look.padding)
    return max(heights)


def _look(piece: TextPiece, context: LayoutContext) -> ResolvedStyle:
    return context.look(piece.style, piece.look)


def template_by_page(text: str, computed: Mapping[str, Computed], count: int, context: LayoutContext) -> CellTexts:
    """A template's text on each page."""
    template = template_or_fault(text)
    if isinstance(template, ExpressionError):
        return whole_fault(count, template)
    return template_texts(template, computed, None, count, context)


def _texts_on_pages(
    text: str, computed: Mapping[str, Computed], pages: int, context: LayoutContext, level: str | None
) -> CellTexts:
    """A template's text on each page; one that refers to a level is empty where no group of it is open."""
    if level is None:
        return template_by_page(text, computed, pages, context)
    unknown = [slot for slot in slots_of([text]) if slot not in computed]
    if unknown or not computed:
        known = ", ".join(computed) or "nothing"
        what = f"{unknown[0]!r} is not known here" if computed else f"there is no level {level!r}"
        message = f"In a line of {level!r}, {what}; it can say {known}."
        return whole_fault(pages, ExpressionError(message, 0))
    texts = template_by_page(text, computed, pages, context)
    is_open = next(iter(computed.values())).values.is_valid().to_pylist()
    shown = [texts.text(page) if is_open[page] else "" for page in range(pages)]
    return replace(texts, texts=pa.array(shown, pa.string()))


@dataclass(frozen=True, eq=False)
class RunningText:
    """A text piece of a header or footer on every page, placed: arrays by page, but for `y` and `baseline`, which are
    alike on all."""

    texts: CellTexts
    paragraph: Paragraph
    left: int
    top: int
    lines: Ints
    x: Ints
    y: Ints
    baseline: Ints
    widths: Ints
    fits: Bools
    height: int

    @cached_property
    def faces(self) -> tuple[TextFace, ...]:
        """The face of its texts, as layers have it."""
        return (self.paragraph.face,)

    @cached_property
    def shapers(self) -> tuple[Shaper, ...]:
        """The shaper of its texts."""
        return (self.paragraph.shaper,)

    @cached_property
    def origins(self) -> SharedSourceRef:
        """Where its texts come from."""
        return SharedSourceRef(self.paragraph.origin)


class RunningLayout(Struct, frozen=True, eq=False):
    """A header or footer laid out for all pages of a document."""

    texts: tuple[RunningText, ...]
    fixed: tuple[Layer, ...]
    context: LayoutContext

    def layers(self, page: int) -> tuple[Layer, ...]:
        """Its layers on a page (its index)."""
        found = list(self.fixed)
        for text in self.texts:
            found += self._text(text, page)
        return tuple(found)

    def _text(self, text: RunningText, page: int) -> tuple[Layer, ...]:
        if page in text.texts.faulty or not text.fits[page]:
            return self._broken(text, page)
        at = slice(page, page + 1)
        placed = (text.x[at], text.y, text.baseline, text.widths[at], _FIRST, text.lines[at])
        return (Texts(*placed, text.faces, text.shapers, text.origins),)

    def _broken(self, text: RunningText, page: int) -> tuple[Layer, ...]:
        """A text of several lines, or one that shows a fault: as many lines as the header or footer has room for."""
        own, is_faulty = text.paragraph, page in text.texts.faulty
        paragraph = make_paragraph(
            text.texts.text(page), own.look, own.width, own.origin, self.context, is_faulty, own.align
        )
        lines = max((text.height - 2 * own.look.padding) // own.leading, 1)
        drop = text.height - min(paragraph.height, text.height)
        return paragraph_layers(paragraph, text.left, text.top + drop, 0, lines)


def lay_out_running(
    running: Running,
    lines: tuple[int, ...],
    name: str,
    pages: int,
    computed: Mapping[str | None, Mapping[str, Computed]],
    left: int,
    top: int,
    width: int,
    context: LayoutContext,
) -> RunningLayout:
    """Lay some lines of a header or footer out for a number of pages, the first at `top`. `computed` has the values of
    expressions on each page by the level that they refer to; none for the report."""
    texts: list[RunningText] = []
    fixed: list[Layer] = []
    if running.lines and not lines:
        return RunningLayout((), (), context)
    origin = SourceRef(name, name)
    y = top + (running.rule if name == "footer" else 0)
    for line in (running.lines[at] for at in lines):
        height = _line_height(line, context)
        for place, piece in pieces(line):
            if isinstance(piece, PicturePiece):
                fixed += picture_layers(piece.file, piece.height, place, (left, y, width), origin, context)
            else:
                box = (left, y, width, height)
                values = computed[line.of]
                texts.append(_kept_text(piece, place, box, origin, values, pages, context, line.of))
        y += height
    if running.rule:
        rule_top = y if name == "header" else top
        fixed.append(
            box_layer("rule", left, rule_top, width, running.rule, context.base.rule_color, SharedSourceRef(origin))
        )
    return RunningLayout(tuple(texts), tuple(fixed), context)


def _kept_text(
    piece: TextPiece,
    place: Align,
    box: tuple[int, int, int, int],
    origin: SourceRef,
    computed: Mapping[str, Computed],
    pages: int,
    context: LayoutContext,
    level: str | None,
) -> RunningText:
    key = ("running texts", piece.text, tuple(computed.items()), pages, context.locale)
    texts = context.cache.get(key, lambda: _texts_on_pages(piece.text, computed, pages, context, level))
    report_faults(texts, Place(block=origin.block), context)
    look = _look(piece, context)
    return context.cache.get(
        ("running text", texts, look, place, box), lambda: _running_text(texts, look, place, box, origin, context)
    )


def _running_text(
    texts: CellTexts,
    look: ResolvedStyle,
    place: Align,
    box: tuple[int, int, int, int],
    origin: SourceRef,
    context: LayoutContext,
) -> RunningText:
    left, top, width, height = box
    empty = make_paragraph("", look, width, origin, context, align=place)
    lines, _ = empty.shaper.add_column(texts.texts)
    widths = empty.shaper.widths(lines, look.size)
    slack = width - 2 * look.inset - widths
    shift = {"start": slack * 0, "end": slack, "center": slack // 2}[empty.align]
    fits = (slack >= 0) & ~np.isin(lines, list(empty.shaper.broken(lines)))
    y = top + height - min(empty.height, height) + look.padding
    x, down = left + look.inset + shift, np.array([y], np.int64)
    baseline = down + empty.shaper.font.ascent(look.size)
    return RunningText(texts, empty, left, top, lines.astype(np.int64), x, down, baseline, widths, fits, height)


def picture_layers(
    file: str, height: int, align: Align, box: tuple[int, int, int], origin: SourceRef, context: LayoutContext
) -> tuple[Layer, ...]:
    """The layer of a picture in a box (left, top, width), or a message in its place."""
    left, y, width = box
    picture = picture_or_fault(file, origin.block, context)
    if isinstance(picture, str):
        return paragraph_layers(fault_paragraph(picture, width, origin, context), left, y)
    wide = width_at(picture, height)
    if wide > width:
        wide, height = width, height * width // wide
    slack = {"start": 0, "center": (width - wide) // 2, "end": width - wide}[align]
    x, top, across, down = (np.array([v], np.int64) for v in (left + slack, y, wide, height))
    return (Pictures(x, top, across, down, (picture,), SharedSourceRef(origin)),)
