"""What a field is for, from its name, its values and the catalogue: whether it may be added up, and how it is written.

Keys, codes, years and other ordinals, and coordinates are never added up; rates and prices are averaged.
"""

from collections.abc import Iterable

import pyarrow as pa
import pyarrow.compute as pc
from msgspec import Struct

from northmoor.core.expr.label_numbers import KEY_WORDS, LABEL_PATTERN, ORDINAL_WORDS, are_years, words_of
from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME
from northmoor.core.model.kinds.value_types import ValueType
from northmoor.core.sources.drivers.catalog import CatalogTable


class FieldRole(Struct, frozen=True):
    """What a field is: `total` is the aggregate that sums it up, `format` how its numbers are written."""

    name: str
    total: str | None = None
    format: str | None = None


LABEL = FieldRole("label")
MOMENT = FieldRole("moment")
KEY_FIELD = FieldRole("key", format=LABEL_PATTERN)
ORDINAL = FieldRole("ordinal", format=LABEL_PATTERN)
COORDINATE = FieldRole("coordinate")
RATE = FieldRole("rate", "avg")
AMOUNT = FieldRole("amount", "sum")

_LAST_WORDS = {
    COORDINATE: "lat latitude lon lng long longitude easting northing altitude elevation bearing heading",
    RATE: "rate percent percentage pct share ratio average avg mean median price fare temperature temp speed score "
    "rating age probability factor density pressure humidity voltage index",
}
_ROLE_OF_WORD = {word: role for role, words in _LAST_WORDS.items() for word in words.split()}
_ROLE_OF_WORD |= dict.fromkeys(KEY_WORDS, KEY_FIELD) | dict.fromkeys(ORDINAL_WORDS, ORDINAL)
_FIRST_WORDS = {"avg": RATE, "average": RATE, "mean": RATE, "median": RATE, "pct": RATE, "percent": RATE,
                "sum": AMOUNT, "total": AMOUNT, "count": AMOUNT}  # fmt: skip
_MANY = 20
"""Rows from which on values alone say that they are keys or rates."""


def field_role(name: str, kind: ValueType, values: pa.ChunkedArray | None = None, is_key: bool = False) -> FieldRole:
    """What a field of a name and type is. `values` are some of its rows; `is_key` says that the catalogue has it as
    part of a key."""
    known = KIND_OF_NAME[kind.kind]
    if known.is_moment:
        return MOMENT
    if not known.is_number:
        return LABEL
    if is_key:
        return KEY_FIELD
    words = words_of(name)
    named = _FIRST_WORDS.get(words[0]) or _ROLE_OF_WORD.get(words[-1]) if words else None
    return named or _role_of_values(kind, values) or AMOUNT


def _role_of_values(kind: ValueType, values: pa.ChunkedArray | None) -> FieldRole | None:
    if values is None or len(values) < _MANY:
        return None
    bounds = pc.min_max(values)
    low, high = bounds["min"].as_py(), bounds["max"].as_py()
    if low is None:
        return None
    if kind.kind == "integer":
        distinct = pc.count_distinct(values).as_py()
        if distinct == len(values) == high - low + 1:
            return KEY_FIELD  # rows counted through
        return ORDINAL if are_years(values) else None
    return RATE if low >= 0 and high <= 1 and pc.count_distinct(values).as_py() > 2 else None


def key_columns(tables: Iterable[CatalogTable]) -> frozenset[str]:
    """The names, in lower case, of columns that are part of a key of one of some tables, or refer to another one."""
    return frozenset(
        column.name.lower() for table in tables for column in table.columns if column.is_key or column.references
    )
