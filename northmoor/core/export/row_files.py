"""A query's rows as open data: CSV or Parquet."""

from pathlib import Path

import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as pcsv
import pyarrow.parquet as pq

from northmoor.core.base.atomic_write import write_atomically
from northmoor.core.errors import OutputError, ReportFileError

ROW_SUFFIXES = (".csv", ".parquet")


def write_table(table: pa.Table, path: Path) -> Path:
    """Write rows by the path's ending, `.csv` or `.parquet`. Raises OutputError; nothing is left half-written."""
    ending = path.suffix.lower()
    if ending not in ROW_SUFFIXES:
        raise OutputError(f"Rows are written as {' or '.join(ROW_SUFFIXES)}; {path.name} ends in neither.")

    def write(part: Path) -> None:
        if ending == ".csv":
            pcsv.write_csv(_plain(table), part)
        else:
            pq.write_table(table, part, compression="zstd")

    try:
        write_atomically(path, write)
    except ReportFileError as error:
        raise OutputError(error.message) from error
    return path


def _plain(table: pa.Table) -> pa.Table:
    """The table with moments to the second where they have no finer part, as other programs read them."""
    columns = []
    for column in table.columns:
        if pa.types.is_timestamp(column.type) and not pc.any(pc.greater(pc.subsecond(column), 0)).as_py():
            column = column.cast(pa.timestamp("s"))
        columns.append(column)
    return pa.table(columns, names=table.column_names)
