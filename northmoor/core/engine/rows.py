"""A query's result."""

from datetime import datetime

import pyarrow as pa
from msgspec import Struct

from northmoor.core.model.kinds.value_types import ValueType


class Rows(Struct, frozen=True, eq=False):
    """A query's result.

    `table` has one Arrow column a result column, types as in `types`; `data_time` is the moment the data are as of, in
    wall time of the report's zone: for files, when they were last written; for servers, when they were asked. `notes`
    are sentences about the data; `is_whole` is false for the first rows of a query that still runs.
    """

    query: str
    table: pa.Table
    types: tuple[ValueType, ...]
    data_time: datetime
    seconds: float = 0.0
    notes: tuple[str, ...] = ()
    is_whole: bool = True

    @property
    def names(self) -> tuple[str, ...]:
        """Names of its columns."""
        return tuple(self.table.column_names)
