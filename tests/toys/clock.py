"""A toy kind of connection: a clock whose one table has a row for each hour."""

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime

import pyarrow as pa

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.sources.drivers.catalog import Catalog, CatalogColumn, CatalogTable
from northmoor.core.sources.drivers.protocol import QueryRequest, ResultStream


class ClockDriver:
    """Asks the clock."""

    dialect = "duckdb"
    identity = "nobody"

    def catalog(self, stop: CancelToken, counted: bool = True) -> Catalog:
        """The hours."""
        return Catalog((CatalogTable("hours", (CatalogColumn("hour", "BIGINT"),), 24),))

    def data_time(self) -> datetime:
        """Always the same."""
        return datetime(2026, 1, 1)

    @contextmanager
    def open_stream(self, request: QueryRequest) -> Iterator[ResultStream]:
        """Every query is answered with all hours."""
        yield ResultStream(("hour",), (None,), iter([[pa.array(range(24))]]), self.data_time())

    def check(self, request: QueryRequest) -> None:
        """Every query would run."""


def open_driver(library: object, connection: object) -> ClockDriver:
    """The clock's driver."""
    return ClockDriver()
