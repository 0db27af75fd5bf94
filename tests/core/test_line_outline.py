"""Outlines of lines: what is kept of each stretch, the same whether the database or we choose it, and nothing broken."""

import sqlite3
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.authoring.starters.signal_blocks import trends
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.model.data.connections import Connections, FilesConnection, SqliteConnection
from northmoor.core.model.data.queries import Query
from northmoor.core.model.data.signal_logs import Signal, SignalLog
from northmoor.core.model.data.signal_queries import MeasurementsQuery
from northmoor.core.session import Session
from northmoor.core.sources.fetch import log_reading
from northmoor.core.sources.fetch.log_reading import LogReader
from northmoor.core.sources.fetch.plan import log_sql
from northmoor.core.sources.library import Library
from northmoor.core.sources.signals import line_outline
from northmoor.core.sources.signals.line_outline import Stretches, outlined
from northmoor.core.sources.signals.recorded import ReadingRows
from northmoor.core.values.parameter_values import Values
from tests.helpers import report_of

SIGNALS = ("speed", "flow", "level")
BEGIN = datetime(2025, 6, 1, tzinfo=UTC)
READINGS = st.lists(st.tuples(st.integers(0, 60), st.one_of(st.none(), st.integers(-5, 5))), max_size=40)


@given(READINGS, st.integers(1, 25))
def test_of_each_stretch_the_ends_and_the_extremes_are_kept(readings: list[Any], width: int) -> None:
    rows = sorted(dict(readings).items())
    at = np.array([at for at, _ in rows], np.int64)
    valid = np.array([value is not None for _, value in rows], bool)
    values = np.array([value or 0 for _, value in rows], np.int64)
    window = at // 30  # two windows, whose readings are apart
    found = outlined(ReadingRows(window, at, values, valid, ~valid, 0), Stretches(3, 60, width))
    kept = dict(zip(found.at.tolist(), found.values.tolist(), strict=True))
    wanted: set[int] = set()
    for key in {(a // 30, (a - 3) // width) for a, _ in rows}:
        own = [(a, v) for a, v in rows if (a // 30, (a - 3) // width) == key]
        known = [(v, a) for a, v in own if v is not None]
        wanted |= {own[0][0], own[-1][0]}
        wanted |= {min(known)[1], max((v, -a) for v, a in known)[1] * -1} if known else set()
        wanted |= set([a for a, v in own if v is None][:1])
    assert set(kept) == wanted
    assert all(values[at.tolist().index(a)] == v for a, v in kept.items())


def log_rows(seed: int, count: int, distinct: bool) -> list[tuple[str, str, datetime, float | None, str]]:
    """Readings of two vessels at uneven seconds, some bad, some without a value; at a second once, or not."""
    rng = np.random.default_rng(seed)
    rows = []
    for vessel in ("Curlew", "Dunlin"):
        for signal in SIGNALS:
            seconds = rng.permutation(4 * count)[:count] if distinct else rng.integers(0, 2 * count, count)
            for second in np.sort(seconds).tolist():
                value = None if rng.random() < 0.01 else round(float(rng.normal()) * 10, 1)
                at = BEGIN + timedelta(seconds=second)
                rows.append((vessel, signal, at, value, "bad" if rng.random() < 0.01 else "good"))
    return rows


def libraries(folder: Path, rows: list[Any], counted: bool = False, **log: Any) -> tuple[Library, Library]:
    """The log as a Parquet file, with moments or with seconds since 1970; and in SQLite."""
    columns: list[Any] = list(zip(*rows, strict=True))
    if counted:
        columns[2] = [int(at.timestamp()) for at in columns[2]]
    names = ("vessel", "tag", "at", "value", "quality")
    pq.write_table(pa.table(dict(zip(names, columns, strict=True))), folder / "log.parquet")
    with sqlite3.connect(folder / "log.sqlite") as db:
        db.execute("create table log (vessel text, tag text, at text, value real, quality text)")
        db.executemany(
            "insert into log values (?, ?, ?, ?, ?)",
            [(o, s, f"{at:%Y-%m-%d %H:%M:%S}", v, q) for o, s, at, v, q in rows],
        )
    signals = (Signal(name="level", nature="linear"),)
    declared = SignalLog(name="log", table="log", time="at", signal="tag", object="vessel", values=("value",),
                         quality="quality", good=("good",), signals=signals, **log)  # fmt: skip
    in_text = declared.but(time_form="text", time_zone="UTC")
    declared = declared.but(time_form="seconds") if counted else declared
    return (
        Library(folder, Connections(connections=(FilesConnection(name="db", path="log.parquet", logs=(declared,)),))),
        Library(
            folder, Connections(connections=(SqliteConnection(name="db", database="log.sqlite", logs=(in_text,)),))
        ),
    )


def outline_of(library: Library, **changes: Any) -> list[dict[str, Any]]:
    query = Query(name="line", connection="db",
                  signals=MeasurementsQuery(**{"log": "log", "signals": SIGNALS, "give": "outline"} | changes))  # fmt: skip
    report = report_of(queries=(query,), time_zone="UTC")
    rows: list[dict[str, Any]] = Session(library).rows(report, "line", Values(), CancelToken()).table.to_pylist()
    return rows


def sql_of(library: Library) -> str:
    """The SQL that is shown beside the query."""
    signals = MeasurementsQuery(log="log", signals=SIGNALS, give="outline")
    query = Query(name="line", connection="db", signals=signals)
    return log_sql(report_of(queries=(query,)), "line", library)


@pytest.fixture
def few(monkeypatch: pytest.MonkeyPatch) -> None:
    """Outlines of so few readings that most are left out."""
    monkeypatch.setattr(line_outline, "_MOST_READINGS", 1_200)


@pytest.fixture
def fetched(monkeypatch: pytest.MonkeyPatch) -> list[int]:
    """How many rows each statement gave."""
    counts: list[int] = []
    fetch: Callable[..., Any] = LogReader._fetch

    def counted(self: LogReader, statement: Any) -> Any:
        found = fetch(self, statement)
        counts.append(found.table.num_rows)
        return found

    monkeypatch.setattr(LogReader, "_fetch", counted)
    return counts


@pytest.mark.usefixtures("few")
@pytest.mark.parametrize(("counted", "parts"), [(False, 3), (True, 2)])
@pytest.mark.parametrize("period", [{}, {"start": "2025-06-01 00:20", "end": "2025-06-01 01:00"}])
@pytest.mark.variants
def test_the_database_chooses_the_same_readings(
    tmp_path: Path, fetched: list[int], monkeypatch: pytest.MonkeyPatch, period: dict[str, str], counted: bool,
    parts: int,
) -> None:  # fmt: skip
    """In parts that run at once too; of several least readings of a stretch it is the first."""
    monkeypatch.setattr(log_reading, "PARTS", parts)
    rows = [(*series, value and round(value, -1), quality) for *series, value, quality in log_rows(7, 3_000, True)]
    ours, plain = libraries(tmp_path, rows, counted)
    found = outline_of(ours, **period)
    assert sum(fetched) < 2_500  # of 18,000
    assert "arg_max(read_at, known_value)" in sql_of(ours)
    assert "arg_max" not in sql_of(plain)
    assert found == outline_of(plain, **period)
    values = [row for row in found if row["value"] is not None]
    assert 500 < len(values) < len(found)


@pytest.mark.usefixtures("few")
@pytest.mark.parametrize(("distinct", "log"), [(False, {}), (True, {"unknown_after": 10_000_000})])
def test_all_is_read_where_a_time_comes_twice_or_values_lapse_sooner(
    tmp_path: Path, fetched: list[int], distinct: bool, log: dict[str, int]
) -> None:
    ours, plain = libraries(tmp_path, log_rows(8, 2_000, distinct), **log)
    found = outline_of(ours)
    assert max(fetched) == 12_000
    assert found == outline_of(plain)


@pytest.mark.usefixtures("few")
def test_no_line_breaks_where_only_another_signal_has_a_reading(tmp_path: Path) -> None:
    rows = [(o, s, at, v or 1.0, "good") for o, s, at, v, _ in log_rows(9, 2_000, distinct=True)]
    _, library = libraries(tmp_path, rows)
    for vessel in ("Curlew", "Dunlin"):
        found = outline_of(library, wide=True, objects=(vessel,))
        for name in SIGNALS:
            known = [row[name] is not None for row in found]
            assert known == sorted(known)  # from its first reading on, nothing is missing
            own = [value for o, s, _, value, _ in rows if (o, s) == (vessel, name)]
            assert (min(own), max(own)) == (min(r[name] for r in found if r[name] is not None),
                                            max(r[name] for r in found if r[name] is not None))  # fmt: skip


def test_many_signals_have_panels_by_unit_and_few_have_axes() -> None:
    known = tuple(Signal(name=f"s{n}", unit="kn" if n % 2 else "l/h") for n in range(20))
    log = SignalLog(name="log", table="log", time="at", signal="tag", values=("v",), signals=known)
    signals = MeasurementsQuery(log="log", signals=tuple(s.name for s in known), give="outline", wide=False)
    panels = trends(Query(name="line", connection="db", signals=signals), signals, log)
    assert [(chart.name, chart.keep_rows) for chart in panels] == [
        ("line-trend1", "unit = 'l/h'"), ("line-trend2", "unit = 'kn'")]  # fmt: skip
    few = signals.but(signals=("s0", "s1", "s2"), wide=True)
    (chart,) = trends(Query(name="line", connection="db", signals=few), few, log)
    assert [(m.name, m.axis) for m in chart.measures] == [("s0", "first"), ("s1", "second"), ("s2", "first")]
