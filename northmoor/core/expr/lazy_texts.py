"""Texts of a column with many different numbers or moments, written only where they are looked at.

A page shows some dozens of a million rows; what a table needs of the others is how wide the widest text is. Where a
font's digits are all as wide, that follows from a few of the values.
"""

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from msgspec import Struct

from northmoor.core.expr.formats import FormatLocale, format_values, has_even_shape, moment_fields

_FEW = 20_000
"""Columns of at most so many rows are written at once, and widths are found from at most so many texts."""
_LOOKED_AT = 10_000
"""Rows from which it is decided whether a column has many different values."""
_SINGLE = ("m", "s")
"""Fields whose texts have one digit or two, by the minute or second."""
_HOURS = ("HH", "KK", "hh", "kk", "mm", "ss")
"""Fields whose texts have two digits at every time."""
_BY_TIME = "ahHkKms"
_KNOWN = frozenset("GyYuUQqMLwWdDEec" + _BY_TIME)


class LazyTexts(Struct, frozen=True, eq=False):
    """Values, how they are written, and texts among which is the widest where all digits are as wide."""

    values: pa.Array
    pattern: str | None
    format_locale: FormatLocale
    samples: pa.StringArray

    def __len__(self) -> int:
        return len(self.values)

    def slice(self, start: int, length: int) -> pa.StringArray:
        """The texts of some rows."""
        return _written(self.values.slice(start, length), self.pattern, self.format_locale)

    def text(self, row: int) -> str:
        """The text of a row."""
        return str(self.slice(row, 1)[0].as_py())


def lazy_texts(values: pa.Array, pattern: str | None, format_locale: FormatLocale) -> LazyTexts | None:
    """The texts of values, to be written later; None where they are few, or where the widest is not known so.

    Raises ExpressionError when the pattern does not fit the values' type.
    """
    if len(values) <= _FEW or isinstance(values, pa.ChunkedArray) or not _has_many(values):
        return None
    samples = _samples(values, pattern, format_locale)
    return (
        None
        if samples is None
        else LazyTexts(values, pattern, format_locale, _written(samples, pattern, format_locale))
    )


def _written(values: pa.Array, pattern: str | None, format_locale: FormatLocale) -> pa.StringArray:
    texts = format_values(values, pattern, format_locale)
    return texts.dictionary_decode() if isinstance(texts, pa.DictionaryArray) else texts


def _has_many(values: pa.Array) -> bool:
    """Whether values differ in most rows, as far as some rows tell that are evenly spread."""
    some = values.take(pa.array(np.arange(0, len(values), max(len(values) // _LOOKED_AT, 1))))
    return bool(pc.count_distinct(some, mode="all").as_py() > len(some) // 2)


def _samples(values: pa.Array, pattern: str | None, format_locale: FormatLocale) -> pa.Array | None:
    """Values among whose texts is the widest: of numbers the ends, of moments one in each day, or hour."""
    kind = values.type
    if pa.types.is_integer(kind) or pa.types.is_decimal(kind):
        if not has_even_shape(kind, pattern, format_locale):
            return None
        ends = pc.min_max(values)
        return pa.array([ends["min"].as_py(), ends["max"].as_py()], kind)
    if not pa.types.is_timestamp(kind):
        return None
    fields = moment_fields(pattern, format_locale.locale)
    if any(field[0] not in _KNOWN or field in _SINGLE for field in fields):
        return None
    is_even = all(field in _HOURS for field in fields if field[0] in _BY_TIME)
    found = pc.unique(pc.floor_temporal(values, unit="day" if is_even else "hour"))
    return found if len(found) <= _FEW else None
