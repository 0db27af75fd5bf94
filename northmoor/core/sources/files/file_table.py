"""A table that a file holds: either a view the engine reads from the file, or rows already read."""

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import pyarrow as pa

from northmoor.core.model.kinds.value_types import ValueType
from northmoor.core.sources.drivers.catalog import ForeignKey


@dataclass(frozen=True)
class TableColumn:
    """A column of a file's table."""

    name: str
    kind: ValueType


@dataclass(frozen=True, eq=False)
class FileTable:
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
    rows_held: Any = field(default=None, repr=False)
