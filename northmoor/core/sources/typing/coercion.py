"""Loose values to typed Arrow columns; `decimals` has those of decimals.

SQLite stores any value in any column: decimals as floating point, dates as text, Julian days or Unix seconds (the three
forms of its documentation). Servers send decimals and moments as text. Here a column becomes one type, exactly, or a
message names the first value that does not fit.
"""

from collections.abc import Callable
from contextlib import suppress
from datetime import UTC, datetime, timedelta
from decimal import Decimal, InvalidOperation
from typing import Any, TypeVar
from zoneinfo import ZoneInfo

import pyarrow as pa
import pyarrow.compute as pc

from northmoor.core.base.lazy_exports import load_by_name
from northmoor.core.engine.arrow_types import arrow_type, cast_loose
from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME
from northmoor.core.model.kinds.value_types import ValueType

_T = TypeVar("_T")
_JULIAN_EPOCH = 2_440_587.5  # Julian day of 1970-01-01T00:00Z


class CoercionError(ValueError):
    """A value that is not of its column's type; `row` counts from 0."""

    def __init__(self, value: object, row: int) -> None:
        super().__init__(value)
        self.value, self.row = value, row


def coerce(raw: pa.Array, kind: ValueType, zone: ZoneInfo) -> pa.Array:
    """A column of loose values as the type. Raises CoercionError for the first value that does not fit."""
    typed: pa.Array = load_by_name(KIND_OF_NAME[kind.kind].coercer)(raw, kind, zone)
    return typed


def coerce_text(raw: pa.Array, _kind: ValueType, zone: ZoneInfo) -> pa.Array:
    """Values as texts. Raises CoercionError for the first that does not fit."""
    if pa.types.is_timestamp(raw.type):
        raw = _wall_time(raw, zone)
    if pa.types.is_temporal(raw.type) and not pa.types.is_duration(raw.type) and not _is_interval(raw.type):
        return raw.cast(pa.string())
    return raw if pa.types.is_string(raw.type) else cast_loose(raw, pa.string())


def _is_interval(kind: pa.DataType) -> bool:
    return bool(kind == pa.month_day_nano_interval())


def coerce_integer(raw: pa.Array, _kind: ValueType, _zone: ZoneInfo) -> pa.Array:
    """Values as whole numbers of 64 bits. Raises CoercionError for the first that does not fit."""
    if pa.types.is_integer(raw.type):
        return cast_whole(raw, lambda array: array.cast(pa.int64()))
    if pa.types.is_string(raw.type):
        with suppress(pa.ArrowInvalid):  # what is not plain digits is read one by one
            return raw.cast(pa.int64())

    def read(value: Any) -> int:
        number = Decimal(str(value))
        if number != number.to_integral_value() or not -(2**63) <= number < 2**63:
            raise ValueError(value)
        return int(number)

    return coerce_one_by_one(raw, read, pa.int64())


def cast_whole(raw: pa.Array, cast: Callable[[pa.Array], pa.Array]) -> pa.Array:
    """The whole array cast; where that fails, the first value that does not fit is found by halves."""
    try:
        return cast(raw)
    except pa.ArrowInvalid as error:
        low, high = 0, len(raw)
        while high - low > 1:
            middle = (low + high) // 2
            low, high = (middle, high) if _fits(raw[low:middle], cast) else (low, middle)
        raise CoercionError(str(raw[low].as_py()), low) from error


def _fits(raw: pa.Array, cast: Callable[[pa.Array], pa.Array]) -> bool:
    try:
        cast(raw)
    except pa.ArrowInvalid:
        return False
    return True


def coerce_float(raw: pa.Array, _kind: ValueType, _zone: ZoneInfo) -> pa.Array:
    """Values as doubles. Raises CoercionError for the first that does not fit."""
    if pa.types.is_integer(raw.type) or pa.types.is_floating(raw.type):
        return raw.cast(pa.float64(), safe=False)
    if pa.types.is_decimal(raw.type):
        return raw.cast(pa.float64())
    if pa.types.is_string(raw.type):
        with suppress(pa.ArrowInvalid):  # what is not plain digits is read one by one
            return raw.cast(pa.float64())
    return coerce_one_by_one(raw, float, pa.float64())


def coerce_boolean(raw: pa.Array, _kind: ValueType, _zone: ZoneInfo) -> pa.Array:
    """Values as yes and no. Raises CoercionError for the first that does not fit."""
    if pa.types.is_boolean(raw.type):
        return raw
    words = {"1": True, "true": True, "t": True, "yes": True, "0": False, "false": False, "f": False, "no": False,
             "1.0": True, "0.0": False}  # fmt: skip

    def read(value: Any) -> bool:
        word = str(value).strip().lower()
        if word not in words:
            raise ValueError(value)
        return words[word]

    return coerce_one_by_one(raw, read, pa.bool_())


def coerce_date(raw: pa.Array, kind: ValueType, zone: ZoneInfo) -> pa.Array:
    """Values as days. Raises CoercionError for the first that does not fit."""
    if pa.types.is_timestamp(raw.type):
        return pc.floor_temporal(_wall_time(raw, zone), unit="day").cast(pa.date32())
    if pa.types.is_date(raw.type):
        days = raw.cast(pa.date32())
        _in_calendar(days.cast(pa.int32()), 86_400_000_000)
        return days
    if pa.types.is_string(raw.type):
        with suppress(pa.ArrowInvalid):  # other ways to write days are read one by one
            return raw.cast(pa.date32())
    return coerce_one_by_one(raw, lambda value: _moment(value, zone).date(), arrow_type(kind))


def coerce_timestamp(raw: pa.Array, kind: ValueType, zone: ZoneInfo) -> pa.Array:
    """Values as wall time in the report's zone. Raises CoercionError for the first that does not fit."""
    if pa.types.is_timestamp(raw.type):
        return _wall_time(raw, zone)
    if pa.types.is_date(raw.type):
        return raw.cast(pa.timestamp("us"))
    if pa.types.is_string(raw.type) and not _any_offset(raw):
        with suppress(pa.ArrowInvalid):  # other ways to write moments are read one by one
            return raw.cast(pa.timestamp("us"))
    return coerce_one_by_one(raw, lambda value: _moment(value, zone), arrow_type(kind))


def _any_offset(texts: pa.Array) -> bool:
    return bool(pc.any(pc.match_substring_regex(texts, r"([zZ]|[0-9][+-][0-9]{2}:?[0-9]{0,2})$")).as_py())


def _wall_time(moments: pa.Array, zone: ZoneInfo) -> pa.Array:
    """Moments as wall time: those that know their zone are moved to the given one."""
    exact = moments.cast(pa.timestamp("us", moments.type.tz), safe=False)
    _in_calendar(exact.cast(pa.int64()), 1)
    if moments.type.tz is None:
        return exact
    return pc.local_timestamp(exact.cast(pa.timestamp("us", zone.key)))


_EARLIEST, _LATEST = -62_135_596_800_000_000, 253_402_300_800_000_000
"""Microseconds of the years 1 to 9999, which is what dates can be written for."""


def _in_calendar(numbers: pa.Array, unit: int) -> None:
    """Raise UnfitValue for the first moment outside the calendar, such as infinity."""
    bounds = pc.min_max(numbers)
    low, high = bounds["min"].as_py(), bounds["max"].as_py()
    if low is None or (low * unit >= _EARLIEST and high * unit < _LATEST):
        return
    outside = pc.or_(pc.less(numbers, _EARLIEST // unit), pc.greater_equal(numbers, _LATEST // unit))
    row = pc.index(outside, True).as_py()
    raise CoercionError("a day outside the years 1 to 9999", row)


def _moment(value: Any, zone: ZoneInfo) -> datetime:
    """Wall time in the zone. Texts without an offset are wall time already; numbers and offsets are moved from UTC."""
    if isinstance(value, str):
        text = value.strip()
        if len(text) < 8:
            raise ValueError(value)
        try:
            moment = datetime.fromisoformat(text)
        except ValueError:
            return _moment(float(text) if "." in text else int(text), zone)
        return moment if moment.tzinfo is None else moment.astimezone(zone).replace(tzinfo=None)
    seconds = (value - _JULIAN_EPOCH) * 86_400 if isinstance(value, float) else value
    moment = datetime.fromtimestamp(0, UTC) + timedelta(seconds=seconds)
    moment += timedelta(milliseconds=0 if isinstance(value, int) else 0.5)
    if isinstance(value, float):
        moment = moment.replace(microsecond=moment.microsecond // 1000 * 1000)  # a double holds days to a millisecond
    return moment.astimezone(zone).replace(tzinfo=None)


def coerce_one_by_one(raw: pa.Array, read: Callable[[Any], _T], wanted: pa.DataType) -> pa.Array:
    """Read each distinct value once."""
    encoded = raw.dictionary_encode() if not pa.types.is_null(raw.type) else None
    if encoded is None:
        return pa.nulls(len(raw), wanted)
    values: list[_T | None] = []
    for value in encoded.dictionary.to_pylist():
        try:
            values.append(read(value) if value != "" else None)
        except (ValueError, InvalidOperation, TypeError, OverflowError) as error:
            row = pc.index(raw, value).as_py()
            raise CoercionError(value, row) from error
    return pa.array(values, wanted).take(encoded.indices)
