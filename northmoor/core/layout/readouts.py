"""A readout: one value, large, with what it is above it and how it differs from another below."""

from collections.abc import Callable
from dataclasses import replace
from decimal import Decimal
from typing import Any

import pyarrow as pa

from northmoor.core.expr.formats import format_one
from northmoor.core.layout.context import FAULT_COLOR, Setting
from northmoor.core.layout.display import Origin
from northmoor.core.layout.leaves import Leaf, stacked_lines
from northmoor.core.layout.paragraph import Paragraph, fault_paragraph, make_paragraph
from northmoor.core.model.leaves import ReadoutBlock
from northmoor.core.model.looks import FullLook
from northmoor.core.model.tables import Content

_GOOD, _BAD, _QUIET = "#5E7F3A", FAULT_COLOR, "#6F675D"
Written = Callable[[Content, FullLook], Paragraph]
Said = Callable[[Content], tuple[str, bool]]
Valued = Callable[[str], tuple[pa.Scalar | None, str | None]]


def readout_leaf(
    block: ReadoutBlock, written: Written, said: Said, valued: Valued, width: int, origin: Origin, setting: Setting
) -> Leaf:
    """A readout in a width. `written` makes a paragraph of a content, `said` its text; `valued` computes an expression
    or says why it cannot."""
    base = setting.base
    look = setting.report.look(base, block.style, block.look)
    if block.style is None and (block.look is None or block.look.size is None):
        look = replace(look, size=round(base.size * 2.4), bold=True)
    small = replace(base, color=_QUIET)
    lines = [written(Content(text=block.caption), small)] if block.caption else []
    value, fault = valued(block.value)
    if fault is not None:
        return stacked_lines([*lines, fault_paragraph(fault, width, origin, setting)], width)
    lines.append(written(Content(value=block.value, format=block.format), look))
    if block.against is not None:
        text, color = _difference(block, value, valued, setting)
        after, _ = said(Content(text=block.difference_text))
        own: FullLook = replace(base, color=color)
        lines.append(make_paragraph(f"{text} {after}".strip(), own, width, origin, setting))
    return stacked_lines(lines, width)


def _difference(block: ReadoutBlock, value: pa.Scalar | None, valued: Valued, setting: Setting) -> tuple[str, str]:
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
    text = sign + format_one(abs(change), pattern, setting.customs)
    if not change or block.good == "neither":
        return text, _QUIET
    return text, _GOOD if (change > 0) == (block.good == "more") else _BAD


def _number(value: pa.Scalar | None) -> Decimal | None:
    found: Any = None if value is None else value.as_py()
    if isinstance(found, bool) or not isinstance(found, int | float | Decimal):
        return None
    number = Decimal(str(found))
    return number if number.is_finite() else None
