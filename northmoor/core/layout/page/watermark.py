"""A watermark: one line of large pale text behind what is on a page, from corner to corner or level."""

from collections.abc import Mapping
from math import atan2, cos, degrees, hypot, radians, sin

import numpy as np
from msgspec import Struct

from northmoor.core.base.replace import replace
from northmoor.core.compute.evaluate.scope_cells import Computed
from northmoor.core.errors import ExpressionError, Place, ended
from northmoor.core.expr.language import parse
from northmoor.core.layout.context import LayoutContext
from northmoor.core.layout.graphics.display_list import Layer, SharedSourceRef, SourceRef, TurnedTexts
from northmoor.core.layout.graphics.painter import TextStyle, text_style
from northmoor.core.layout.inline.formatting import CellTexts, report_faults
from northmoor.core.layout.page.headers_footers import slots_of, template_by_page
from northmoor.core.model.pages import Watermark
from northmoor.core.model.styles import ResolvedStyle

_PALE = "#E7E3DA"
_TRIAL = 10_000
_LARGEST = 140_000
_ORIGIN = SourceRef("watermark", "watermark")


class WatermarkLayout(Struct, frozen=True, eq=False):
    """A watermark on all pages: what it says on each, and on which of them it is shown."""

    watermark: Watermark
    texts: CellTexts
    shown: tuple[bool, ...]
    context: LayoutContext

    def layers(self, page: int, paper: tuple[int, int]) -> tuple[Layer, ...]:
        """Its layer on a page of a size."""
        text = " ".join(self.texts.text(page).split())
        if not self.shown[page] or not text:
            return ()
        width, height = paper
        angle = degrees(atan2(height, width)) if self.watermark.turned else 0.0
        own = self._lettering(text, hypot(width, height) if self.watermark.turned else width)
        return (_centred(text, own, round(angle), width // 2, height // 2),)

    def _lettering(self, text: str, room: float) -> TextStyle:
        """How it is written: as large as set, or so that it takes most of the room."""
        base: ResolvedStyle = replace(self.context.base, color=_PALE, bold=True)
        look = self.context.report.look(base, None, self.watermark.look)
        if self.watermark.look is None or self.watermark.look.size is None:
            trial = text_style(replace(look, size=_TRIAL), self.context.shapers)
            look = replace(look, size=min(round(room * 0.7 * _TRIAL / max(trial.width(text), 1)), _LARGEST))
        return text_style(look, self.context.shapers)


def watermark_slots(watermark: Watermark | None) -> list[str]:
    """The expressions of a watermark's text and of its condition, those that can be read."""
    if watermark is None:
        return []
    condition = "" if watermark.visible is None else f"{{{watermark.visible}}}"
    return slots_of([watermark.text, condition])


def lay_out_watermark(
    watermark: Watermark, pages: int, computed: Mapping[str, Computed], context: LayoutContext
) -> WatermarkLayout:
    """A watermark for a number of pages; one whose condition cannot be decided is shown, and that is reported."""
    texts = template_by_page(watermark.text, computed, pages, context)
    report_faults(texts, Place(block="watermark"), context)
    shown = (True,) * pages
    if watermark.visible is not None:
        try:
            shown = _shown(computed[parse(watermark.visible).text])
        except ExpressionError as error:
            message = f"Whether it is visible cannot be decided: {ended(error.message)}"
            context.find("undecided", Place(block="watermark"), message)
    return WatermarkLayout(watermark, texts, shown, context)


def _shown(found: Computed) -> tuple[bool, ...]:
    """On which pages a condition holds. Raises ExpressionError."""
    fault = found.fault or next(iter(found.faults.values()), None)
    if fault is not None:
        raise ExpressionError(fault.message, 0)
    return tuple(map(bool, found.values.to_pylist()))


def _centred(text: str, style: TextStyle, angle: int, x: int, y: int) -> TurnedTexts:
    """A line at an angle, its middle at a point."""
    length, ascent = style.width(text), style.ascent * 7 // 10
    along, up = cos(radians(angle)), sin(radians(angle))
    begin = (round(x - length / 2 * along + ascent / 2 * up), round(y + length / 2 * up + ascent / 2 * along))
    wide, high = length * along + style.leading * up, length * up + style.leading * along
    left, top, across, down = (np.array([round(v)], np.int64) for v in (x - wide / 2, y - high / 2, wide, high))
    number = int(style.shaper.add([text])[0])
    return TurnedTexts(
        left, top, across, down, (begin,), (angle,), (number,), (style.face,), (style.shaper,), SharedSourceRef(_ORIGIN)
    )  # fmt: skip
