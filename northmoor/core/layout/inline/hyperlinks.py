"""The addresses that cells open, and the names by which links reach cells: one text for each row or group.

Values in an address are written plainly, whatever the report's locale, and percent-encoded (RFC 3986), so that any text
may be in them; an address that is one value as a whole is taken as it is.
"""

import re
from collections.abc import Callable
from typing import Any
from urllib.parse import quote

import pyarrow as pa
import pyarrow.compute as pc

from northmoor.core.base.replace import replace
from northmoor.core.compute.evaluate.scope_cells import Fault
from northmoor.core.compute.groups.boundaries import ScopedExpression
from northmoor.core.errors import ExpressionError
from northmoor.core.expr.formats import FormatLocale, format_values
from northmoor.core.expr.templates import Slot, Template, parse_template
from northmoor.core.expr.text_concat import scalar
from northmoor.core.layout.context import LayoutContext
from northmoor.core.layout.inline.formatting import (
    CellTexts,
    Source,
    as_array,
    concatenated,
    whole_fault,
    with_faults_marked,
)

_NAMED = re.compile(r"[?&](\w+)=$")
"""What is before a list that is written out as one value after the other."""


def address_texts(text: str, scope: int, source: Source, count: int, context: LayoutContext) -> CellTexts:
    """The addresses that a cell's instances open; those that cannot be computed are empty."""
    return _encoded_texts("addresses", text, scope, source, count, context, _encoded)


def anchor_texts(text: str, scope: int, source: Source, count: int, context: LayoutContext) -> CellTexts:
    """The names that a cell's instances have as places; those that cannot be computed are empty."""
    return _encoded_texts("anchors", text, scope, source, count, context, lambda value, _: value)


Encode = Callable[[str, bool], str]
"""A value as it is in a text, which it may be as a whole."""


def address_of(
    text: str, valued: Callable[[str], tuple[pa.Scalar | None, str | None]], format_locale: FormatLocale
) -> str:
    """The address that a template makes of single values; empty where one cannot be computed."""
    try:
        template = parse_template(text)
        pieces = []
        for number, part in enumerate(template):
            if isinstance(part, str):
                pieces.append(part)
                continue
            value, fault = valued(part.expression.text)
            if fault is not None or value is None:
                return ""
            one = pa.array([value.as_py()], value.type)
            written = _written(one, part.pattern, _before(template, number), format_locale, _encoded)
            pieces.append(written[0].as_py() or "")
    except ExpressionError:
        return ""
    return "".join(pieces)


def _encoded_texts(
    what: str, text: str, scope: int, source: Source, count: int, context: LayoutContext, encode: Encode
) -> CellTexts:
    key = (what, source, text, scope, context.locale)
    return context.cache.get(key, lambda: _texts(text, scope, source, count, context.locale, encode))


def _texts(text: str, scope: int, source: Source, count: int, format_locale: FormatLocale, encode: Encode) -> CellTexts:
    try:
        template = parse_template(text)
        pieces: list[pa.Array | pa.Scalar] = []
        faults: dict[int, Fault] = {}
        for number, part in enumerate(template):
            if isinstance(part, str):
                pieces.append(scalar(part))
                continue
            computed = source.cells[ScopedExpression(scope, part.expression.text)]
            if computed.fault is not None:
                return _emptied(whole_fault(count, computed.fault))
            faults |= computed.faults
            pieces.append(_written(computed.values, part.pattern, _before(template, number), format_locale, encode))
    except ExpressionError as error:
        return _emptied(whole_fault(count, error))
    return _emptied(with_faults_marked(CellTexts(concatenated(pieces, count)), faults))


def _emptied(cell: CellTexts) -> CellTexts:
    """The texts without those that show a fault."""
    if not cell.faulty:
        return cell
    texts = as_array(cell.texts).to_pylist()
    return replace(cell, texts=pa.array(["" if at in cell.faulty else t for at, t in enumerate(texts)], pa.string()))


def _before(template: Template, number: int) -> str | None:
    """The text before a slot; None where the slot is the whole template."""
    before = template[number - 1] if number else ""
    return None if len(template) == 1 else before if not isinstance(before, Slot) else ""


def _written(
    values: pa.Array, pattern: str | None, before: str | None, format_locale: FormatLocale, encode: Encode
) -> pa.Array:
    """Values as they are in an address after a text."""
    if pa.types.is_list(values.type):
        return pa.array([_listed(value or [], before, encode) for value in values.to_pylist()], pa.string())
    texts = format_values(values, pattern, format_locale) if pattern else _unformatted(values)
    encoded = texts if isinstance(texts, pa.DictionaryArray) else texts.dictionary_encode()
    made = [encode(text, before is None) for text in encoded.dictionary.to_pylist()]
    return pa.array(made, pa.string()).take(encoded.indices)


def _listed(values: list[Any], before: str | None, encode: Encode) -> str:
    """A list as ``1&name=2`` after ``?name=``, elsewhere with commas."""
    named = _NAMED.search(before or "")
    parts = [encode(text, False) for text in _unformatted(pa.array(values)).to_pylist()]
    return (f"&{named[1]}=" if named else ",").join(parts)


def _unformatted(values: pa.Array) -> pa.Array:
    """Values as texts that are read back as the same values; the empty text for null."""
    if pa.types.is_null(values.type):
        return pa.repeat("", len(values))
    return pc.fill_null(values.cast(pa.string()), "")


def _encoded(value: str, is_whole: bool) -> str:
    return value if is_whole else quote(value, safe="")
