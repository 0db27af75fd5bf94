"""Arrow types of kinds of values, and the other way round; loose arrays and chunks as arrays of one type."""

from collections.abc import Callable, Sequence
from contextlib import suppress
from decimal import Decimal
from types import NoneType
from typing import Any

import pyarrow as pa

from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME, KindName
from northmoor.core.model.kinds.value_types import MAX_PRECISION, ValueType

PRECISION = 18
"""Digits of inferred decimals: what fits a machine word; sums are made with 38."""
UNKNOWN_SCALE = -1
"""Scale of a decimal whose places can only be seen from its values."""


def arrow_type(kind: ValueType) -> pa.DataType:
    """The Arrow type in which values of a type are held."""
    if kind.kind == "decimal":
        return pa.decimal128(kind.precision, kind.scale)
    return pa.type_for_alias(KIND_OF_NAME[kind.kind].arrow)


_ARROW_OF_PYTHON = {int: pa.int64(), float: pa.float64(), str: pa.string(), bool: pa.bool_(), bytes: pa.binary()}


def untyped_array(column: Sequence[Any]) -> pa.Array:
    """Values as the driver gives them, as the narrowest Arrow array that holds them all; mixed ones become text."""
    kinds = set(map(type, column)) - {NoneType}
    known = (
        _ARROW_OF_PYTHON.get(next(iter(kinds))) if len(kinds) == 1 else None
    )  # what Arrow would find, but not as fast
    try:
        return pa.array(column, type=known, from_pandas=False)
    except (pa.ArrowInvalid, pa.ArrowTypeError, OverflowError):
        if kinds and kinds <= {int, float, Decimal}:
            return _numbers(column, kinds)
        return pa.array([_as_text(value) for value in column], pa.string())


def _numbers(column: Sequence[Any], kinds: set[type]) -> pa.Array:
    """Numbers that Arrow takes for no one type: as decimals of up to 76 digits, or as doubles."""
    if float not in kinds:
        with suppress(pa.ArrowInvalid):
            return pa.array([None if value is None else Decimal(value) for value in column])
    return pa.array([None if value is None else float(Decimal(value)) for value in column], pa.float64())


def concat_chunks(chunks: list[pa.Array]) -> pa.Array:
    """The chunks of a column as one array of one type."""
    types = {c.type for c in chunks if not pa.types.is_null(c.type)}
    if len(types) > 1:
        numbers = all(pa.types.is_integer(t) or pa.types.is_floating(t) for t in types)
        wanted = pa.float64() if numbers else pa.string()
        chunks = [cast_loose(c, wanted) for c in chunks]
    elif types:
        chunks = [c.cast(next(iter(types))) for c in chunks]
    return pa.chunked_array(chunks).combine_chunks() if chunks else pa.nulls(0)


def type_of_values(raw: pa.Array) -> ValueType:
    """The type of values about which nothing is declared."""
    if pa.types.is_decimal256(raw.type):
        return ValueType("decimal", MAX_PRECISION, UNKNOWN_SCALE)
    return type_of_arrow(raw.type) or ValueType("text")


def type_of_arrow(kind: pa.DataType) -> ValueType | None:
    """The type that an Arrow type represents; None for those that only their values can tell."""
    if pa.types.is_decimal(kind):
        return ValueType("decimal", min(kind.precision, MAX_PRECISION), kind.scale)
    if pa.types.is_uint64(kind):
        return ValueType("decimal", 20, 0)
    for matches, name in _KINDS_OF_ARROW:
        if matches(kind):
            return ValueType(name)
    return None if pa.types.is_null(kind) else ValueType("text")


_KINDS_OF_ARROW: tuple[tuple[Callable[[pa.DataType], bool], KindName], ...] = (
    (pa.types.is_integer, "integer"),
    (pa.types.is_floating, "float"),
    (pa.types.is_boolean, "boolean"),
    (pa.types.is_date, "date"),
    (pa.types.is_timestamp, "timestamp"),
)


def cast_loose(values: pa.Array, wanted: pa.DataType) -> pa.Array:
    """Values as another type, which may lose digits or be text."""
    if values.null_count == len(values):
        return pa.nulls(len(values), wanted)
    if pa.types.is_string(wanted):
        return pa.array([_as_text(v) for v in values.to_pylist()], pa.string())
    return values.cast(wanted, safe=False)


def _as_text(value: Any) -> str | None:
    if value is None or isinstance(value, str):
        return value
    return value.hex() if isinstance(value, bytes) else str(value)
