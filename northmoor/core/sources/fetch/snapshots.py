"""Saved rows: a query's result as open data beside the report, on which it can be designed with no connection."""

from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

import pyarrow as pa

from northmoor.core.base.atomic_write import write_atomically
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.engine.arrow_types import type_of_arrow
from northmoor.core.errors import QueryError
from northmoor.core.sources.drivers.protocol import BATCH, ResultStream, enforce_limits, modified_at

if TYPE_CHECKING:
    import pyarrow.parquet as pq

_MOMENT = b"northmoor_data_time"


def write_sample(table: pa.Table, data_time: datetime, path: Path) -> None:
    """Save rows as Parquet, with the moment they are as of (it has its zone). Raises ReportFileError."""
    import pyarrow.parquet as pq

    kept = table.replace_schema_metadata({_MOMENT: data_time.isoformat().encode()})

    def write(part: Path) -> None:
        pq.write_table(kept, part, compression="zstd", write_page_checksum=True)

    path.parent.mkdir(parents=True, exist_ok=True)
    write_atomically(path, write)


def read_sample(path: Path, stop: CancelToken) -> ResultStream:
    """Saved rows as a stream. Raises QueryError when the file is missing or no Parquet."""
    import pyarrow.parquet as pq

    if not path.is_file():
        raise QueryError(f"Its saved rows {path.name} are missing; save them again, or let it use its connection.")
    try:
        file = pq.ParquetFile(path, page_checksum_verification=True)
        schema = file.schema_arrow
    except (pa.ArrowException, OSError) as error:
        raise QueryError(f"Its saved rows {path.name} cannot be read; save them again.") from error
    message = (schema.metadata or {}).get(_MOMENT, b"").decode()
    try:
        moment = datetime.fromisoformat(message) if message else modified_at(path)
    except ValueError:
        moment = modified_at(path)
    kinds = tuple(type_of_arrow(entry.type) for entry in schema)
    note = f"These are saved rows, as of {moment:%Y-%m-%d %H:%M}; its connection was not asked."
    batches = enforce_limits(_batches(file, path.name), schema.names, stop)
    return ResultStream(tuple(schema.names), kinds, batches, moment, (note,))


def _batches(file: "pq.ParquetFile", name: str) -> Iterator[list[pa.Array]]:
    try:
        for batch in file.iter_batches(BATCH):
            yield list(batch.columns)
    except (pa.ArrowException, OSError) as error:
        raise QueryError(f"Its saved rows {name} are damaged; save them again.") from error
