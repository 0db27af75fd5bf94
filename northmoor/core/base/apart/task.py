"""What a child can be asked for, and what comes of it."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from msgspec import Struct

if TYPE_CHECKING:
    import pyarrow as pa  # a child that reads a drawing needs none of it


class Task(Struct, frozen=True):
    """A function of a module, which only the child loads: a generator of results, which may raise our errors."""

    module: str
    name: str


class Result(Struct, frozen=True):
    """One thing that comes of a task, as what JSON can hold, and rows that belong to it, if any."""

    header: Mapping[str, Any]
    table: "pa.Table | None" = None
