"""Sailings of earlier years as Parquet: a million rows, made only on request."""

from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from northmoor.demo.data.ferries import ROUTES, VESSELS

HISTORY_ROWS = 1_000_000
_SEED = 77


def make_history(path: Path, rows: int = HISTORY_ROWS) -> None:
    """Write the rows, in order of departure.

    NumPy guarantees the old generator's numbers, so that every
    machine has the same."""
    chance = np.random.RandomState(_SEED)
    route = chance.randint(0, len(ROUTES), rows)
    minute = np.sort(chance.randint(0, 44 * 365 * 24 * 60, rows))
    passengers = chance.randint(0, 400, rows)
    cents = passengers * np.array([r.adult for r in ROUTES])[route] // 2 + chance.randint(0, 50_000, rows)
    codes = pa.array([f"{r.start}-{r.end}" for r in ROUTES])
    vessels = pa.array([name for name, *_ in VESSELS])
    moments = np.datetime64("1980-01-01T00:00", "us") + minute.astype("timedelta64[m]")
    table = pa.table(
        {
            "sailing_id": pa.array(np.arange(1, rows + 1)),
            "route": codes.take(pa.array(route)),
            "vessel": vessels.take(pa.array(chance.randint(0, len(VESSELS), rows))),
            "departs_at": pa.array(moments),
            "passengers": pa.array(passengers),
            "cars": pa.array(chance.randint(0, 68, rows)),
            "delay_minutes": pa.array(chance.randint(0, 40, rows), mask=chance.randint(0, 50, rows) == 0),
            "takings": pa.array(np.round(cents / 100, 2)).cast(pa.decimal128(18, 2)),
        }
    )
    pq.write_table(table, path, compression="zstd")
