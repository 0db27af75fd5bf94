"""A readout: one value, large, with what it is above it and how it differs from another below."""

from collections.abc import Callable
from decimal import Decimal
from typing import Any

import pyarrow as pa

from northmoor.core.base.replace import replace
from northmoor.core.compute.evaluate.scope_cells import Computed
from northmoor.core.errors import Place
from northmoor.core.expr.formats import format_one
from northmoor.core.layout.context import FAULT_COLOR, LayoutContext
from northmoor.core.layout.flow.leaf_boxes import LeafBox, stacked_lines
from northmoor.core.layout.geometry import Rect
from northmoor.core.layout.graphics.display_list import Layer, SourceRef, VectorPath
from northmoor.core.layout.graphics.painter import DisplayListBuilder
from northmoor.core.layout.inline.cell_graphics import cell_graphic
from northmoor.core.layout.inline.paragraph import Paragraph, fault_paragraph, make_paragraph
from northmoor.core.model.blocks.simple import ReadoutBlock
from northmoor.core.model.blocks.table import Content, Drawing
from northmoor.core.model.styles import ResolvedStyle

_TREND_GAP = 2_000
_GOOD, _BAD, _QUIET = "#5E7F3A", FAULT_COLOR, "#6F675D"
Written = Callable[[Content, ResolvedStyle], Paragraph]
TextOf = Callable[[Content], tuple[str, bool]]
Valued = Callable[[str], tuple[pa.Scalar | None, str | None]]


def readout_box(
    block: ReadoutBlock,
    written: Written,
    text_of: TextOf,
    valued: Valued,
    width: int,
    origin: SourceRef,
    context: LayoutContext,
) -> LeafBox:
    """A readout in a width. `written` makes a paragraph of a content, `text_of` its text; `valued` computes an
    expression or says why it cannot."""
    base = context.base
    look = context.look(block.style, block.look)
    if block.style is None and (block.look is None or block.look.size is None):
        look = replace(look, size=round(base.size * 2.4), bold=True)
    small = replace(base, color=_QUIET)
    lines = [written(Content(text=block.caption), small)] if block.caption else []
    value, fault = valued(block.value)
    if fault is not None:
        return stacked_lines([*lines, fault_paragraph(fault, width, origin, context)], width)
    lines.append(written(Content(value=block.value, format=block.format), look))
    if block.against is not None:
        text, color = _difference(block, value, valued, context)
        after, _ = text_of(Content(text=block.difference_text))
        own: ResolvedStyle = replace(base, color=color)
        lines.append(make_paragraph(f"{text} {after}".strip(), own, width, origin, context))
    stacked = stacked_lines(lines, width)
    return stacked if block.trend is None else _with_trend(block, stacked, valued, origin, context)


def _with_trend(
    block: ReadoutBlock, above: LeafBox, valued: Valued, origin: SourceRef, context: LayoutContext
) -> LeafBox:
    """A readout with a small line or columns below; values that cannot be drawn are reported."""
    value, fault = valued(block.trend or "")
    how = Drawing(kind=block.trend_drawn, color=block.trend_color, height=block.trend_height)
    place = Place(block=block.name)
    if fault is not None:
        context.find("drawing", place, fault)
        return above
    one = pa.nulls(1) if value is None else pa.array([value.as_py()], value.type)
    drawing = cell_graphic(how, Computed(one), Computed(one), place, context)
    if drawing is None:
        return above
    inset = context.base.inset

    def draw(area: Rect) -> tuple[Layer, ...]:
        painter = DisplayListBuilder()
        top = area.y + above.height + _TREND_GAP
        for drawn in drawing.draw(0, Rect(area.x + inset, top, above.width - 2 * inset, block.trend_height)):
            if drawn.points:
                painter.path(VectorPath(drawn.points, stroke=drawn.color, thickness=drawn.thickness), origin)
            else:
                painter.box(drawn.area, drawn.color, origin)
        return (*above.draw(Rect(area.x, area.y, area.width, above.height)), *painter.layers())

    return LeafBox(above.width, above.height + block.trend_height + 2 * _TREND_GAP, draw)


def _difference(
    block: ReadoutBlock, value: pa.Scalar | None, valued: Valued, context: LayoutContext
) -> tuple[str, str]:
    """How the value differs from the other, with its sign, and the colour of that."""
    other, fault = valued(block.against or "")
    if fault is not None:
        return f"⚠ {fault}", FAULT_COLOR
    first, second = _number(value), _number(other)
    if first is None or second is None or (block.difference == "share" and not second):
        return "–", _QUIET
    change = (first - second) / abs(second) if block.difference == "share" else first - second
    pattern = "0.0 %" if block.difference == "share" else block.format
    sign = "+" if change > 0 else "−" if change < 0 else "±"
    text = sign + format_one(abs(change), pattern, context.locale)
    if not change or block.good == "neither":
        return text, _QUIET
    return text, _GOOD if (change > 0) == (block.good == "more") else _BAD


def _number(value: pa.Scalar | None) -> Decimal | None:
    found: Any = None if value is None else value.as_py()
    if isinstance(found, bool) or not isinstance(found, int | float | Decimal):
        return None
    number = Decimal(str(found))
    return number if number.is_finite() else None
