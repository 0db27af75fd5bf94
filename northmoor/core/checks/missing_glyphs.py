"""Characters that no shipped font has, in all texts of a document: where they are, and which.

Texts of the body were measured when they were placed (`LayoutContext.missing`); headers, footers, watermarks and charts
are drawn page by page, so that their texts are looked at here, whatever pages have been drawn.
"""

from collections.abc import Iterator, Mapping
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from northmoor.core.compute.crosstab.chart_data import ChartData
from northmoor.core.document import Document
from northmoor.core.errors import Place
from northmoor.core.layout.inline.formatting import decoded_texts
from northmoor.core.layout.text.fonts import font_file, missing_from
from northmoor.core.model.findings import Finding

_SHOWN = 8


def missing_glyphs(document: Document) -> Iterator[Finding]:
    """A finding for each place with characters in whose stead a box is printed."""
    found: dict[Place, dict[str, None]] = {
        place: dict(own) for place, own in document.composition.context.missing.items()
    }
    for place, characters in (*_of_headers(document), *_of_charts(document)):
        if characters:
            found.setdefault(place, {}).update(dict.fromkeys(characters))
    for place, own in found.items():
        yield Finding("missing character", place, _message(list(own)))


def _message(characters: list[str]) -> str:
    named = ", ".join(f"{char} (U+{ord(char):04X})" for char in characters[:_SHOWN])
    more = f" and {len(characters) - _SHOWN:,} more" if len(characters) > _SHOWN else ""
    return f"No font has a glyph for {named}{more}; a box is printed instead. Replace it in the text or the data."


def _of_headers(document: Document) -> Iterator[tuple[Place, str]]:
    """What is missing in headers, footers and the watermark."""
    composition = document.composition
    for index in composition.page_of_each_kind():
        for name in ("header", "footer"):
            laid = composition.running_on(name, index)
            for text in laid.texts if laid is not None else ():
                yield (
                    Place(block=name),
                    missing_from(text.paragraph.face.font, _joined(decoded_texts(text.texts.texts))),
                )
    if composition.watermark is not None:
        base = composition.context.base
        texts = _joined(decoded_texts(composition.watermark.texts.texts))
        yield Place(block="watermark"), missing_from(font_file(base.font, True, base.italic), texts)


def _of_charts(document: Document) -> Iterator[tuple[Place, str]]:
    """What is missing in the texts that charts are made with, and in the names of their groups."""
    context = document.composition.context
    for block, chart, data in document.composition.charts:
        look = context.look(chart.style, chart.look)
        texts = "".join({*_strings(chart.model_dump()), *map(_joined, _arrays(data))})
        yield Place(block=block), missing_from(font_file(look.font, look.bold, look.italic), texts)


def _arrays(data: ChartData) -> Iterator[pa.Array]:
    """The texts among a chart's groups and values."""
    groups = (*data.sides.rows.groups, *data.sides.columns.groups)
    arrays = (*(group.keys for group in groups), *(each.values for each in data.crossings.values.values()))
    for array in arrays:
        values = array.dictionary if pa.types.is_dictionary(array.type) else array
        if pa.types.is_string(values.type):
            yield values


def _joined(texts: pa.Array) -> str:
    """The different texts of an array in one."""
    return "".join(text for text in pc.unique(texts).to_pylist() if text)


def _strings(part: Any) -> Iterator[str]:
    """All texts that a part of a report is made of."""
    if isinstance(part, str):
        yield part
    elif isinstance(part, Mapping):
        yield from (text for value in part.values() for text in _strings(value))
    elif isinstance(part, tuple | list):
        yield from (text for value in part for text in _strings(value))
