"""Every statistic of a signal against the plain SQL by which Trace asks it again, over random readings."""

import math
from collections.abc import Iterator
from decimal import Decimal
from typing import Any

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.checks.trace.statistic_sql import statistic_sql
from northmoor.core.engine.embedded import Engine
from northmoor.core.model.data.signal_queries import StatisticColumn
from northmoor.core.model.kinds.signal_statistics import SIGNAL_STATISTICS
from northmoor.core.sources.signals.pieces import Pieces, pieces_of
from northmoor.core.sources.signals.statistics import is_on, statistic_of
from tests.core.test_signal_statistics import END, HOLDS, READINGS, series, windows
from tests.signal_reference import Reading

NUMBERS = [kind for kind in SIGNAL_STATISTICS if kind.result != "text"]
GIVEN: dict[str, dict[str, Any]] = {"limit": {"limit": "1.2"}, "share": {"share": "0.7"}, "state": {}, "nothing": {}}


def computed(pieces: Pieces, wanted: StatisticColumn) -> float | None:
    found = statistic_of(pieces, wanted)
    if not found.is_valid[0]:
        return None
    value = found.values[0]
    if not isinstance(value, Decimal) and found.scale:
        value = value / 10.0**found.scale
    return round(float(value)) / 1e6 if wanted.kind.result == "duration" else float(value)


@pytest.fixture(scope="module")
def engine() -> Iterator[Engine]:
    with Engine(CancelToken()) as made:
        yield made


def asked(engine: Engine, pieces: Pieces, wanted: StatisticColumn, hold: int | None) -> float | None:
    one = pieces.series
    values = is_on(pieces, wanted).astype(np.float64) if wanted.kind.wants == "state" else one.doubles()
    engine.register("log", pa.table({"written": one.at, "value": pa.array(values, mask=~one.is_known)}))
    found = engine.run(statistic_sql(wanted, pieces, hold))
    assert found["readings"][0].as_py() == int((pieces.is_within & pieces.is_known).sum())
    value = found["figure"][0].as_py()
    return None if value is None else float(value)


@pytest.mark.slow
@given(
    READINGS, HOLDS, st.integers(-4, END), st.integers(1, 20), st.sampled_from(["held", "linear", "counter", "rate"])
)
def test_plain_sql_says_the_same(
    engine: Engine, readings: list[Reading], hold: int | None, start: int, length: int, nature: str
) -> None:
    pieces = pieces_of(series(readings, hold, nature=nature), windows([(start, length)]))
    values = [reading.value for reading in readings if reading.value is not None]
    limit = {"limit": str(float(values[len(values) // 2]))} if values else GIVEN["limit"]
    for kind in NUMBERS:
        if kind.name == "total" and nature != "rate":
            continue
        wanted = StatisticColumn(statistic=kind.name, **(limit if kind.wants == "limit" else GIVEN[kind.wants]))
        ours, plain = computed(pieces, wanted), asked(engine, pieces, wanted, hold)
        assert (ours is None) == (plain is None), (kind.name, ours, plain)
        assert ours is None or math.isclose(ours, float(plain or 0), rel_tol=1e-6, abs_tol=1e-6), (
            kind.name,
            ours,
            plain,
        )
