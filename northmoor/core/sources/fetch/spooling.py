"""Batches to one table. Past a size they go to a file that has no name, so that memory stays flat."""

import tempfile
from typing import Any

import pyarrow as pa

IN_MEMORY = 32 * 1024 * 1024
"""Bytes that are kept in memory."""


class BatchSpool:
    """Takes record batches of one schema and gives their table."""

    def __init__(self, schema: pa.Schema) -> None:
        self._schema = schema
        self._batches: list[pa.RecordBatch] = []
        self._size = 0
        self._file: Any = None
        self._writer: Any = None

    def add(self, arrays: list[pa.Array]) -> None:
        """Add a batch, one array a column."""
        batch = pa.record_batch(arrays, schema=self._schema)
        if self._writer is None:
            self._batches.append(batch)
            self._size += batch.nbytes
            if self._size > IN_MEMORY:
                self._go_to_file()
        else:
            self._writer.write_batch(batch)

    def table(self) -> pa.Table:
        """All rows. The file of a large table is freed with the table."""
        if self._writer is None:
            return pa.Table.from_batches(self._batches, self._schema).combine_chunks()
        self._writer.close()
        with self._file:
            return pa.ipc.open_file(pa.memory_map(self._path)).read_all()

    def close(self) -> None:
        """Let go of the rows; a table that was given keeps them."""
        self._batches = []
        if self._file is not None:
            self._file.close()

    @property
    def _path(self) -> str:
        return f"/proc/self/fd/{self._file.fileno()}"

    def _go_to_file(self) -> None:
        self._file = tempfile.TemporaryFile(prefix="northmoor-rows-")  # noqa: SIM115  # it lives as long as the table
        self._writer = pa.ipc.new_file(pa.OSFile(self._path, "wb"), self._schema)
        for batch in self._batches:
            self._writer.write_batch(batch)
        self._batches = []
