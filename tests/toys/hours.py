"""A toy kind of value: hours of work, which are written as ``5 h`` and held as small whole numbers."""

from typing import Any

import pyarrow as pa


def read_hours(raw: Any) -> int:
    """Hours from a file or a field."""
    return int(str(raw).removesuffix("h"))


def coerce_hours(raw: pa.Array, kind: Any, zone: Any) -> pa.Array:
    """A column of hours."""
    return pa.array([read_hours(value) for value in raw.to_pylist()], pa.int16())
