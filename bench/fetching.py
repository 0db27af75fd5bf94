"""One fetch in a process of its own: prints the seconds it took and the peak memory in MB.

Usage: fetching.py ours|adbc ADDRESS SQL, or fetching.py ours|duckdb FILE SQL
"""

import sys
import time
from pathlib import Path

ROWS = 1_000_000
SQL = "select * from history"
MAKE = f"""
create table history as select i as sailing_id, 'TQ-SK ' || (i % 9) as route, 'vessel ' || (i % 5) as vessel,
  timestamp '1980-01-01' + i * interval '23 minutes' as departs_at, i % 400 as passengers, i % 68 as cars,
  nullif(i % 40, 39) as delay_minutes, ((i * 37) % 900000 / 100.0)::numeric(18,2) as takings
from generate_series(1, {ROWS}) i
"""


def plain_adbc(address: str, sql: str) -> int:
    """The driver alone: every batch is fetched and let go."""
    import adbc_driver_postgresql.dbapi as adbc

    with adbc.connect(address) as connection, connection.cursor() as cursor:
        cursor.execute(sql)
        return sum(batch.num_rows for batch in cursor.fetch_record_batch())


def plain_duckdb(path: str, sql: str) -> int:
    """The engine alone, with its own settings, to an Arrow table."""
    import duckdb

    return len(duckdb.sql(sql.replace("history", f"'{path}'")).to_arrow_table())


def ours(target: str, sql: str) -> int:
    """The product's road from the query to rows."""
    from northmoor.core.base.cancellation import CancelToken
    from northmoor.core.model.data.connections import Connections
    from northmoor.core.model.data.queries import Query
    from northmoor.core.model.report import Edition, Report
    from northmoor.core.session import Session
    from northmoor.core.sources.library import Library
    from northmoor.core.sources.targets import connection_to
    from northmoor.core.values.parameter_values import Values

    connection = connection_to(target).but(name="source")
    library = Library(
        Path(target).parent if "://" not in target else Path.cwd(), Connections(connections=(connection,))
    )
    report = Report(queries=(Query(name="rows", connection="source", sql=sql),), editions=(Edition(name="main"),))
    library.catalog("source", CancelToken())  # the process that reads files has started, as it has in the window
    began = time.perf_counter()
    rows = Session(library).rows(report, "rows", Values(), CancelToken())
    print(time.perf_counter() - began, peak())
    return len(rows.table)


def peak() -> float:
    """The process's own peak memory in MB; what the process that began it had is not counted."""
    found = next(line for line in Path("/proc/self/status").read_text().splitlines() if line.startswith("VmHWM"))
    return int(found.split()[1]) / 1024


def main() -> None:
    """Fetch once."""
    who, target, sql = sys.argv[1:4]
    if who == "ours":
        assert ours(target, sql) == ROWS
        return
    import pyarrow  # noqa: F401  # loading it is not part of a fetch

    plain = plain_adbc if who == "adbc" else plain_duckdb
    began = time.perf_counter()
    assert plain(target, sql) == ROWS
    print(time.perf_counter() - began, peak())


if __name__ == "__main__":
    main()
