"""A query's rows as open data."""

from pathlib import Path

import pyarrow as pa

from northmoor.core.base.atomic_write import write_atomically
from northmoor.core.errors import OutputError, ReportFileError
from northmoor.core.output.data.table_files import FORMATS


def write_table(table: pa.Table, path: Path) -> Path:
    """Write rows by the path's ending. Raises OutputError; nothing is left half-written."""
    write = FORMATS.get(path.suffix.lower().removeprefix("."))
    if write is None:
        endings = ", ".join(f".{each}" for each in FORMATS)
        raise OutputError(f"Rows are written as {endings}; {path.name} ends in none of them.")

    def write_part(part: Path) -> None:
        with part.open("wb") as target:
            write(table, target)

    try:
        write_atomically(path, write_part)
    except ReportFileError as error:
        raise OutputError(error.message) from error
    return path
