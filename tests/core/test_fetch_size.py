"""How much a query would send is seen from its text and the rows of its tables."""

from collections.abc import Callable

import pytest

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.sources.drivers.catalog import Catalog, CatalogTable
from northmoor.core.sources.drivers.read_only import check_query
from northmoor.core.sources.fetch.fetch_size import FetchSize, counting_sql, fetched_at_most
from northmoor.core.sources.library import Library
from tests.helpers import FREIGHT, fetched

TABLES = Catalog((CatalogTable("bookings", (), 5_000), CatalogTable("ports", (), 7), CatalogTable("notes", (), None)))


@pytest.mark.parametrize(
    ("sql", "rows"),
    [
        ("select * from bookings", 5_000),
        ("select b.*, sum(n) over (order by n) from bookings b join ports p using (port_id) where n > :n", 5_000),
        ("select * from ports", 7),
        ("select * from notes", None),
        ("select * from elsewhere, ports", None),
        ("select port_id, count(*) from bookings group by port_id", None),
        ("select count(*) from bookings", None),
        ("select distinct port_id from bookings", None),
        ("select * from bookings limit 10", None),
        ("select 1 as a union all select 2", None),
    ],
)
def test_what_sends_a_table_row_by_row_is_as_large_as_it(sql: str, rows: int | None) -> None:
    found = fetched_at_most(check_query(sql), TABLES)
    assert (found.rows if found is not None else None) == rows


def test_its_bytes_are_about_those_that_arrive(library: Callable[[str], Library]) -> None:
    made, sql = library(FREIGHT), "select * from lines"
    catalog = made.catalog("db", CancelToken())
    size, rows = fetched_at_most(check_query(sql), catalog), fetched(made, sql).table
    assert size is not None
    assert (size.rows, size.bytes) == (rows.num_rows, size.rows * size.row_bytes)
    assert 0.5 < size.bytes / rows.nbytes < 2
    assert FetchSize(5, None).bytes is None


def test_rows_are_counted_where_they_are(library: Callable[[str], Library]) -> None:
    sql = counting_sql("select * from lines -- all of them\norder by day; -- the end", "sqlite")
    assert fetched(library(FREIGHT), sql).table["n"].to_pylist() == [6]
