"""A matrix over a million rows, 50 × 36 cells with all totals, and what DuckDB alone needs to pivot them.

Run by itself it prints the median seconds of both, each with an engine of its own over the same rows in memory.
"""

import statistics
import time
from datetime import UTC, datetime

import duckdb
import numpy as np
import pyarrow as pa

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.compute.crosstab.evaluation import crosstab_plan, evaluate_matrix
from northmoor.core.engine.rows import Rows
from northmoor.core.model.blocks.matrix import MatrixBlock, MatrixLevel, Measure
from northmoor.core.values.parameter_values import Values

ROWS, ROUTES, MONTHS, RUNS = 1_000_000, 50, 36, 9


def table() -> pa.Table:
    """The rows: a route, a month and fares, from a fixed seed."""
    chance = np.random.default_rng(7)
    routes = pa.array([f"route {number:02}" for number in range(ROUTES)])
    months = pa.array([f"month {number:02}" for number in range(MONTHS)])
    fares = pa.array(chance.integers(0, 100_000, ROWS)).cast(pa.decimal128(38, 2)).cast(pa.decimal128(12, 2))
    return pa.table(
        {
            "route": routes.take(pa.array(chance.integers(0, ROUTES, ROWS))),
            "month": months.take(pa.array(chance.integers(0, MONTHS, ROWS))),
            "fares": fares,
        }
    )


def pivoted(rows: pa.Table) -> float:
    """Seconds that DuckDB's own pivot takes."""
    began = time.perf_counter()
    with duckdb.connect() as alone:
        alone.register("rows", rows)
        alone.sql("pivot rows on month using sum(fares) group by route order by route").to_arrow_table()
    return time.perf_counter() - began


def crossed(rows: Rows) -> float:
    """Seconds that the matrix takes."""
    matrix = MatrixBlock(
        name="matrix",
        query="rows",
        rows=(MatrixLevel(name="route", by="route"),),
        columns=(MatrixLevel(name="month", by="month"),),
        measures=(Measure(name="fares", value="sum(fares)"),),
    )
    began = time.perf_counter()
    evaluate_matrix(crosstab_plan(matrix), {"rows": rows}, Values({}, {}), CancelToken())
    return time.perf_counter() - began


def main() -> None:
    """Time both in turn."""
    rows = Rows("rows", table(), (), datetime(2025, 12, 31, tzinfo=UTC))
    pairs = [(crossed(rows), pivoted(rows.table)) for _ in range(RUNS)]
    print(statistics.median(pair[0] for pair in pairs), statistics.median(pair[1] for pair in pairs))


if __name__ == "__main__":
    main()
