"""A table that a file holds: either a view the engine reads from the file, or rows already read."""

from pathlib import Path
from typing import Any

import pyarrow as pa
from msgspec import Struct

from northmoor.core.model.kinds.value_types import ValueType
from northmoor.core.sources.drivers.catalog import ForeignKey


class TableColumn(Struct, frozen=True):
    """A column of a file's table."""

    name: str
    kind: ValueType


class FileTable(Struct, frozen=True, eq=False):
    """A file's table.

    `files` are those it is read from. It is `view`, SQL for the engine, or `rows`. `notes` tell what its reader should
    know; `key` names the column that its detail tables refer to; `kept` lives as long as the table.
    """

    name: str
    columns: tuple[TableColumn, ...]
    count: int
    files: tuple[Path, ...]
    view: str | None = None
    rows: pa.Table | None = None
    notes: tuple[str, ...] = ()
    key: str | None = None
    links: tuple[ForeignKey, ...] = ()
    rows_held: Any = None
