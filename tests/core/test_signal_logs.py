"""Signal logs in every kind of place: the same spans and figures, only what is needed read, each fault in a sentence."""

import csv
import re
import sqlite3
from collections.abc import Callable
from datetime import datetime, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import duckdb
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from northmoor.core.authoring.rename import rename_column, rename_query, rename_value
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import NorthmoorError, QueryError
from northmoor.core.model.blocks.containers import ForEachBlock
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.data.connections import (
    KIND_OF_CONNECTION,
    Connections,
    DuckdbConnection,
    FilesConnection,
    SqliteConnection,
)
from northmoor.core.model.data.queries import Link, LinkedColumns, Query
from northmoor.core.model.data.signal_logs import Signal, SignalLog
from northmoor.core.model.data.signal_queries import MeasurementsQuery, SpansQuery, StatisticColumn
from northmoor.core.model.parameters import Parameter
from northmoor.core.session import Session
from northmoor.core.sources.fetch import signal_rows
from northmoor.core.sources.fetch.log_reading import LogReader
from northmoor.core.sources.fetch.query_resolution import resolve
from northmoor.core.sources.fetch.run_query import FetchRequest
from northmoor.core.sources.library import Library
from northmoor.core.sources.signals.series import SeriesName
from northmoor.core.values.parameter_values import Values
from tests.helpers import lines_of, report_of, table_of
from tests.servers import PrivateMariadb, PrivatePostgresql

pytestmark = pytest.mark.xdist_group("servers")
STATISTICS = tuple(
    StatisticColumn(statistic=name) for name in ("first", "last", "min", "max", "mean", "total", "readings", "known",
                                                 "time_on", "times_on")
)  # fmt: skip
SIGNALS = ("speed", "fuel_flow", "fuel_level", "engine1.running")
VOYAGES = SpansQuery(log="log", by="voyage_id", condition="underway = 1", objects=("Curlew", "Dunlin"),
                     start="2025-06-03", end="2025-06-03")  # fmt: skip


def telemetry(**changes: Any) -> SignalLog:
    known = (Signal(name="voyage_id", nature="state", type="text"), Signal(name="fuel_flow", nature="rate", unit="l/h"),
             Signal(name="fuel_level", nature="linear", unit="l"))  # fmt: skip
    given = {"name": "log", "table": "log", "time": "at", "time_form": "text with T", "time_zone": "UTC",
             "signal": "tag", "separator": ".", "values": ("value",), "signals": known}  # fmt: skip
    return SignalLog(**given | changes)


@pytest.fixture(scope="session")
def readings(demo: Path) -> list[tuple[str, str, datetime, Any]]:
    """Two vessels' readings of two days: object, signal, time in UTC, value."""
    with sqlite3.connect(demo / "data" / "telemetry.sqlite") as db:
        rows = db.execute("select tag, at, value from log where at < '2025-06-05' and (tag like 'Curlew.%' or tag like "
                          "'Dunlin.%') order by rowid").fetchall()  # fmt: skip
    return [(*tag.split(".", 1), datetime.fromisoformat(at).replace(tzinfo=None), value) for tag, at, value in rows]


Place = Callable[[Path, list[Any]], tuple[Any, SignalLog]]


def _number(value: Any) -> float | None:
    return None if isinstance(value, str) else float(value)


def _text(value: Any) -> str | None:
    return value if isinstance(value, str) else None


def in_sqlite(folder: Path, readings: list[Any]) -> tuple[Any, SignalLog]:
    with sqlite3.connect(folder / "t.sqlite") as db:
        db.execute("create table log (tag text, at timestamp, value)")
        rows = [(f"{o}.{s}", f"{at:%Y-%m-%dT%H:%M:%SZ}", value) for o, s, at, value in readings]
        db.executemany("insert into log values (?, ?, ?)", rows)
    return SqliteConnection(name="db", database="t.sqlite"), telemetry()


def in_sqlite_counted(folder: Path, readings: list[Any]) -> tuple[Any, SignalLog]:
    with sqlite3.connect(folder / "t.sqlite") as db:
        db.execute("create table log (vessel text, tag text, at integer, num real, txt text)")
        epoch = datetime(1970, 1, 1)
        rows = [(o, s, int((at - epoch).total_seconds() * 1000), _number(v), _text(v)) for o, s, at, v in readings]
        db.executemany("insert into log values (?, ?, ?, ?, ?)", rows)
    log = telemetry(object="vessel", separator=None, values=("num", "txt"), time_form="milliseconds", time_zone=None)
    return SqliteConnection(name="db", database="t.sqlite"), log


def in_csv(folder: Path, readings: list[Any]) -> tuple[Any, SignalLog]:
    with (folder / "log.csv").open("w", newline="") as file:
        writer = csv.writer(file)
        writer.writerow(["tag", "at", "value"])
        writer.writerows((f"{o}.{s}", f"{at:%Y-%m-%d %H:%M:%S}", value) for o, s, at, value in readings)
    return FilesConnection(name="db", path="log.csv"), telemetry(time_form="moment")


def in_parquet(folder: Path, readings: list[Any]) -> tuple[Any, SignalLog]:
    wall = [at.replace(tzinfo=ZoneInfo("UTC")) for _, _, at, _ in readings]
    table = pa.table({
        "vessel": [o for o, *_ in readings], "tag": [s for _, s, *_ in readings],
        "at": pa.array(wall, pa.timestamp("us", "UTC")), "num": [_number(r[3]) for r in readings],
        "txt": [_text(r[3]) for r in readings],
    })  # fmt: skip
    pq.write_table(table, folder / "log.parquet")
    log = telemetry(object="vessel", separator=None, values=("num", "txt"), time_form="moment", time_zone=None)
    return FilesConnection(name="db", path="log.parquet"), log


def in_duckdb(folder: Path, readings: list[Any]) -> tuple[Any, SignalLog]:
    """In wall time of Oslo, without an offset."""
    oslo = [at.replace(tzinfo=ZoneInfo("UTC")).astimezone(ZoneInfo("Europe/Oslo")) for _, _, at, _ in readings]
    table = pa.table({
        "tag": [f"{o}.{s}" for o, s, *_ in readings], "at": pa.array([wall.replace(tzinfo=None) for wall in oslo]),
        "value": [str(value) for *_, value in readings],
    })  # fmt: skip
    with duckdb.connect(str(folder / "t.duckdb")) as db:
        db.register("readings", table)
        db.execute("create table log as select * from readings")
    return DuckdbConnection(name="db", database="t.duckdb"), telemetry(time_form="moment", time_zone="Europe/Oslo")


@pytest.fixture(params=["sqlite", "sqlite counted", "csv", "parquet", "duckdb", "postgresql", "mariadb"])
def library(request: Any, tmp_path: Path, readings: list[Any]) -> Library:
    """A library whose connection ``db`` has the readings as a signal log, in a different form each."""
    files: dict[str, Place] = {"sqlite": in_sqlite, "sqlite counted": in_sqlite_counted, "csv": in_csv,
                               "parquet": in_parquet, "duckdb": in_duckdb}  # fmt: skip
    if request.param in files:
        connection, log = files[request.param](tmp_path, readings)
        return Library(tmp_path, Connections(connections=(connection.but(logs=(log,)),)))
    server: PrivatePostgresql | PrivateMariadb = request.getfixturevalue(request.param)
    is_postgresql = request.param == "postgresql"
    kind = "timestamptz" if is_postgresql else "datetime(6)"
    server.run(f"drop table if exists log; create table log (signal varchar(40), object varchar(20), at {kind}, "
               "num double precision, txt varchar(40))") if is_postgresql else _run_each(server, [
        "drop table if exists log", f"create table log (`signal` varchar(40), object varchar(20), at {kind}, "
        "num double, txt varchar(40))"])  # fmt: skip
    quoted = ", ".join(
        f"('{s}', '{o}', '{at}{'+00' if is_postgresql else ''}', {'null' if isinstance(v, str) else v}, "
        f"{repr(v) if isinstance(v, str) else 'null'})" for o, s, at, v in readings
    )  # fmt: skip
    server.run(f"insert into log values {quoted}")
    if is_postgresql:
        server.run("grant select on log to reader")
    log = telemetry(signal="signal", object="object", separator=None, values=("num", "txt"), time_form="moment",
                    time_zone=None if is_postgresql else "UTC")  # fmt: skip
    return server.library(tmp_path, logs=(log,))


def _run_each(server: PrivateMariadb, statements: list[str]) -> None:
    for statement in statements:
        server.run(statement)


def rows_of(library: Library, *queries: Query, values: dict[str, Any] | None = None, **more: Any) -> dict[str, Rows]:
    report = report_of(queries=queries, **more)
    session = Session(library)
    known = session.resolve_parameters(report, values or {}).complete_values() if more else Values()
    return {query.name: session.rows(report, query.name, known, CancelToken()) for query in queries}


def measured(**changes: Any) -> MeasurementsQuery:
    given = {"log": "log", "signals": SIGNALS, "objects": ("Curlew", "Dunlin"), "statistics": STATISTICS}
    return MeasurementsQuery(**given | changes)


def over(signals: Any, name: str = "rows") -> Query:
    return Query(name=name, connection="db", signals=signals)


@pytest.mark.variants
def test_spans_and_statistics_are_the_same_wherever_the_log_is(library: Library, demo: Path) -> None:
    found = rows_of(library, over(VOYAGES, "voyages"), over(measured(spans="voyages"), "figures"))
    voyages, figures = found["voyages"].table.to_pylist(), found["figures"].table.to_pylist()
    with sqlite3.connect(demo / "data" / "telemetry.sqlite") as db:
        for voyage in voyages:
            begun = db.execute("select min(at) from log where tag = ? and value = ?",
                               (f"{voyage['object']}.voyage_id", voyage["id"])).fetchone()[0]  # fmt: skip
            tag = f"{voyage['object']}.underway"
            start = db.execute(
                "select min(at) from log where tag = ? and value = 1 and at >= ?", (tag, begun)
            ).fetchone()
            end = db.execute("select min(at) from log where tag = ? and value = 0 and at > ?", (tag, *start)).fetchone()
            assert (utc(voyage["start"]), utc(voyage["end"])) == (*start, *end)
            own = [row for row in figures if (row["object"], row["id"]) == (voyage["object"], voyage["id"])]
            assert [row["signal"] for row in own] == list(SIGNALS)
            for row in own[:2]:
                wanted = plain_mean(db, f"{voyage['object']}.{row['signal']}", *start, *end)
                assert row["mean"] == pytest.approx(wanted, rel=1e-12)
            hours = float(voyage["duration"]) / 3600
            assert own[1]["total"] == pytest.approx(own[1]["mean"] * hours, rel=1e-12)
            assert own[3]["time_on"] == voyage["duration"]
    assert len(voyages) == 14
    assert sum(row["readings"] for row in figures) > 1_000


def utc(wall: datetime) -> str:
    return f"{wall.replace(tzinfo=ZoneInfo('Europe/Dublin')).astimezone(ZoneInfo('UTC')):%Y-%m-%dT%H:%M:%SZ}"


def plain_mean(db: sqlite3.Connection, tag: str, start: str, end: str) -> float:
    """The mean over time with window functions: what held at the start, then each reading until the next."""
    sql = """
    with known as (
      select max(at, :start) as since, value,
        min(coalesce(lead(at) over (order by at, rowid), :end), :end) as until
      from log where tag = :tag and at < :end
        and at >= (select max(at) from log where tag = :tag and at <= :start)
    )
    select sum(1.0 * value * (unixepoch(until) - unixepoch(since))) / sum(unixepoch(until) - unixepoch(since)) from known
    """
    return float(db.execute(sql, {"tag": tag, "start": start, "end": end}).fetchone()[0])


def test_only_the_period_and_what_held_before_are_read(library: Library) -> None:
    query = over(measured(start="2025-06-03 12:00", end="2025-06-03 13:00"))
    report = report_of(queries=(query,))
    resolved = resolve(report, "rows", library)
    assert resolved.log is not None
    reader = LogReader(FetchRequest(report, resolved, Values(), library, {}, CancelToken()), resolved.log)
    names = [SeriesName(o, s) for o in ("Curlew", "Dunlin") for s in SIGNALS]
    noon = int(datetime(2025, 6, 3, 11, tzinfo=ZoneInfo("UTC")).timestamp() * 1_000_000)
    read = reader.rows(names, noon, noon + 3_600_000_000)
    margin = 3 * 3_600_000_000 if "duckdb" in str(library.connections) else 1_000_000
    held = [at for at in read.at.tolist() if at < noon - margin]
    after = [at for at in read.at.tolist() if at >= noon + 3_600_000_000 + margin]
    assert len(held) <= len(names)
    assert len(after) <= 2  # of lines, the next reading
    assert len({(s, t) for s, t in zip(read.series.tolist(), read.at.tolist(), strict=True)}) >= len(held) + 40


@pytest.mark.variants
def test_steps_calendar_and_readings(library: Library) -> None:
    found = rows_of(
        library,
        over(VOYAGES, "voyages"),
        over(measured(give="values", step="10 min", spans="voyages", wide=True), "steps"),
        over(measured(give="recorded", start="2025-06-03 08:00", end="2025-06-03 09:00", moving="5 min"), "recorded"),
        over(measured(calendar="day", start="2025-06-02", end="2025-06-04", statistics=STATISTICS[6:8]), "days"),
    )
    steps = found["steps"].table
    assert steps.column_names == [
        "object",
        "id",
        "ordinal",
        "time",
        "speed",
        "fuel_flow",
        "fuel_level",
        "engine1_running",
    ]
    first = [row for row in steps.to_pylist() if row["id"] == "CU2025-0008"]
    assert [row["time"].minute for row in first] == [15, 25, 35, 45, 55, 5, 15, 25]
    recorded = found["recorded"].table.to_pylist()
    assert all(datetime(2025, 6, 3, 8) <= row["time"] < datetime(2025, 6, 3, 9) for row in recorded)
    assert sum(row["held"] for row in recorded) == len({(row["object"], row["signal"]) for row in recorded})
    wide = rows_of(
        library, over(measured(give="recorded", start="2025-06-03 08:00", end="2025-06-03 09:00", wide=True))
    )
    at_any = {(row["object"], row["time"]) for row in recorded}
    rows = wide["rows"].table.to_pylist()
    assert len(rows) == len(at_any)
    for signal, name in (("speed", "speed"), ("engine1.running", "engine1_running")):
        assert [r[name] for r in rows if r[name] is not None] == [r["value"] for r in recorded if r["signal"] == signal]
    days = found["days"].table.to_pylist()
    assert {row["start"] for row in days} == {datetime(2025, 6, day) for day in (2, 3, 4)}


# in SQLite alone


@pytest.fixture
def sqlite(tmp_path: Path, readings: list[Any]) -> Callable[..., Library]:
    """Makes a library with the log in SQLite, with changes of what is declared of it."""
    connection, log = in_sqlite(tmp_path, readings)

    def make(**changes: Any) -> Library:
        return Library(tmp_path, Connections(connections=(connection.but(logs=(log.but(**changes),)),)))

    return make


def fault(library: Library, *queries: Query, **more: Any) -> str:
    with pytest.raises(NorthmoorError) as caught:
        rows_of(library, *queries, **more)
    return str(caught.value)


def test_each_fault_is_one_sentence_that_says_what_to_do(sqlite: Callable[..., Library]) -> None:
    library = sqlite()
    assert fault(library, over(measured(signals=("sped",)))) == (
        "Query rows: The log log has no signal sped. Did you mean speed?")  # fmt: skip
    assert fault(library, over(measured(log="lgo"))) == (
        "Query rows: The connection db has no signal log lgo. Did you mean log?")  # fmt: skip
    assert "has no column when. " in fault(sqlite(time="when"), over(measured()))
    assert "is the table lgo, which is not there. Did you mean log?" in fault(sqlite(table="lgo"), over(measured()))
    assert "'soon' is no moment; write for example" in fault(library, over(measured(start="soon")))
    assert "The period ends 2025-06-02 00:00:00, before it begins 2025-06-03 00:00:00." in fault(
        library, over(measured(start="2025-06-03 00:00", end="2025-06-02 00:00")))  # fmt: skip
    assert "No parameter or computed value is named :from_when." in fault(library, over(measured(start=":from_when")))
    assert "The report has no query voyage." in fault(library, over(measured(spans="voyage")))
    state = StatisticColumn(statistic="time_on", state="running")
    assert "The state 'running' of the signal speed is no number" in fault(
        library, over(measured(statistics=(state,), signals=("speed",))))  # fmt: skip
    ages = measured(start="0001-01-01", end="9999-12-30", statistics=STATISTICS[6:7], signals=("speed",))
    assert rows_of(library, over(ages))["rows"].table["readings"].to_pylist()[0] > 100
    assert "does not say when shifts begin" in fault(library, over(measured(start="this shift", end="this shift")))
    assert "would have 3,744,001 steps" in fault(
        library, over(measured(give="values", step="100 ms", start="2025-06-02", end="2025-06-06 08:00:00")))  # fmt: skip


def test_times_that_do_not_say_their_zone_need_one(tmp_path: Path) -> None:
    with sqlite3.connect(tmp_path / "t.sqlite") as db:
        db.execute("create table log (tag text, at text, value real)")
        db.execute("insert into log values ('Curlew.speed', '2025-10-26 00:30:00', 3)")
        db.execute("insert into log values ('Curlew.speed', 'noon', 3)")
    log = telemetry(time_form="text", time_zone=None)

    def ask(log: SignalLog) -> Rows:
        connection = SqliteConnection(name="db", database="t.sqlite", logs=(log,))
        return rows_of(Library(tmp_path, Connections(connections=(connection,))), over(measured(signals=("speed",),
                                                                                              objects=())))["rows"]  # fmt: skip

    with pytest.raises(QueryError, match=r"do not say their time zone: '2025-10-26 00:30:00'. Choose the time zone"):
        ask(log)
    with pytest.raises(QueryError, match="has 'noon' where a time should be; leave such rows out"):
        ask(log.but(time_zone="Europe/Dublin"))


@pytest.mark.parametrize("form", ["text", "moment"])
def test_after_the_clock_went_back_readings_are_of_the_second_hour(tmp_path: Path, form: str) -> None:
    shown = ["00:50", "01:10", "01:40", "01:30", "01:00", "01:20", "01:50", "02:10"]  # one was written late
    log = telemetry(time_form=form, time_zone="Europe/Dublin", separator=None, signals=())
    if form == "text":
        with sqlite3.connect(tmp_path / "t.sqlite") as db:
            db.execute("create table log (tag text, at text, value real)")
            db.executemany("insert into log values ('speed', ?, ?)",
                           [(f"2025-10-26 {at}:00", n) for n, at in enumerate(shown)])  # fmt: skip
        connection: Any = SqliteConnection(name="db", database="t.sqlite", logs=(log,))
    else:
        at = pa.array([datetime.fromisoformat(f"2025-10-26 {at}") for at in shown], pa.timestamp("us"))
        table = pa.table({"tag": ["speed"] * 8, "at": at, "value": pa.array(map(float, range(8)), pa.float64())})
        pq.write_table(table, tmp_path / "log.parquet")
        connection = FilesConnection(name="db", path="log.parquet", logs=(log,))
    library = Library(tmp_path, Connections(connections=(connection,)))
    query = measured(signals=("speed",), objects=(), give="recorded", start="2025-10-26", end="2025-10-26")
    report = report_of(queries=(over(query),), time_zone="UTC")
    rows = Session(library).rows(report, "rows", Values(), CancelToken()).table.to_pylist()
    found = [(f"{row['time']:%H:%M}", row["value"]) for row in rows if not row["held"]]
    assert found == [("00:10", 1), ("00:30", 3), ("00:40", 2), ("01:00", 4), ("01:20", 5), ("01:50", 6), ("02:10", 7)]


def test_what_is_odd_about_a_log_is_noted(sqlite: Callable[..., Library], tmp_path: Path) -> None:
    library = sqlite(unknown_after="5 min")
    with sqlite3.connect(tmp_path / "t.sqlite") as db:
        db.execute("insert into log values ('Curlew.speed', '2025-06-03T07:59:30Z', 'n/a')")
        db.execute("insert into log values ('Curlew.speed', '2025-06-03T07:59:30Z', 3)")
        db.execute("insert into log values ('Curlew.speed', '2025-06-03T07:59:10Z', 'n/a')")
        db.execute("insert into log values ('Curlew.speed', '2199-06-03T07:59:00Z', 1)")
    query = measured(signals=("speed",), objects=("Curlew",), start="2025-06-03 06:00", end="2025-06-03 12:00")
    notes = " ".join(rows_of(library, over(query))["rows"].notes)
    assert "Readings of speed at a time that has another: 1. The last written counts." in notes
    assert "Readings of speed that were written after a later one: 2. They are put in order." in notes
    assert "Texts where speed should be a number, such as 'n/a': 1. Nothing is known there." in notes
    assert re.search(r"speed is unknown for \d:\d\d:\d\d h in gaps that are longer than a value holds: \d\.", notes)
    late = rows_of(library, over(query.but(start=None, end=None)))["rows"].notes
    assert any("later than its data time" in note for note in late)


def test_two_logs_with_other_clocks_agree_or_it_is_reported(
    sqlite: Callable[..., Library], readings: list[Any], tmp_path: Path
) -> None:
    """One log is in UTC; the other one has the vessel's wall time, or was written by a clock that is years off."""
    (ours,) = sqlite().connections.connections
    rows = [(f"{o}.{signal}", at, value) for o, signal, at, value in readings if signal == "speed"]
    clocks = {"right": timedelta(hours=1), "wrong": timedelta(days=-900)}  # summer time in Dublin
    for name, ahead in clocks.items():
        with sqlite3.connect(tmp_path / f"{name}.sqlite") as db:
            db.execute("create table log (tag text, at text, value real)")
            shown = [(tag, (at + ahead).strftime("%Y-%m-%d %H:%M:%S"), value) for tag, at, value in rows]
            db.executemany("insert into log values (?, ?, ?)", shown)
    log = telemetry(time_form="text", time_zone="Europe/Dublin")
    others = [SqliteConnection(name=name, database=f"{name}.sqlite", logs=(log,)) for name in clocks]
    library = Library(tmp_path, Connections(connections=(ours, *others)))
    query = measured(spans="voyages", signals=("speed",))
    found = rows_of(library, over(VOYAGES, "voyages"), over(query, "own"),
                    *(Query(name=name, connection=name, signals=query) for name in clocks))  # fmt: skip
    assert found["right"].table == found["own"].table
    assert not any("outside the log" in note for note in found["right"].notes)
    (note,) = [note for note in found["wrong"].notes if "outside the log" in note]
    count = found["voyages"].table.num_rows
    ends = [f"{(f(at for _, at, _ in rows) + clocks['wrong']):%-d %b %Y %H:%M}" for f in (min, max)]
    assert note == (
        f"Spans of voyages outside the log, which has readings from {ends[0]} to {ends[1]}: {count} of {count}. Are the "
        "clocks and zones of both the same?"
    )


def test_spans_reach_as_far_beyond_the_period_as_they_last(tmp_path: Path) -> None:
    with sqlite3.connect(tmp_path / "t.sqlite") as db:
        db.execute("create table log (tag text, at text, value)")
        db.executemany("insert into log values ('underway', ?, ?)", [
            ("2025-01-01T00:00:00Z", 1), ("2025-01-20T00:00:00Z", 1), ("2025-06-01T00:00:00Z", 0),
            ("2025-06-02T00:00:00Z", 1), ("2025-06-03T00:00:00Z", 0), ("2025-06-04T00:00:00Z", 1)])  # fmt: skip
        db.execute("insert into log values ('speed', '2025-06-10T00:00:00Z', 1)")
    log = telemetry(separator=None, signals=())
    library = Library(
        tmp_path, Connections(connections=(SqliteConnection(name="db", database="t.sqlite", logs=(log,)),))
    )
    spans = SpansQuery(log="log", condition="underway = 1", start="2025-03-01 00:00", end="2025-03-02 00:00")
    (whole,) = rows_of(library, over(spans))["rows"].table.to_pylist()
    assert (whole["start"], whole["duration"], whole["open"]) == (datetime(2025, 1, 1), 151 * 86400, False)
    (cut,) = rows_of(library, over(spans.but(crossing="cut")))["rows"].table.to_pylist()
    assert (cut["start"], cut["end"], cut["cut"]) == (datetime(2025, 3, 1), datetime(2025, 3, 2), True)
    noted = rows_of(library, over(spans.but(start="2025-06-01", end=None)))["rows"]
    assert noted.table["open"].to_pylist() == [False, False, True]
    assert "Spans that cross the ends of the period are given whole: 1." in noted.notes
    assert any("Spans that have not ended are given up to" in note for note in noted.notes)
    never = rows_of(library, over(spans.but(condition="underway = 2")))["rows"]
    assert (never.table.num_rows, never.notes) == (
        0, ("No span was found: there is no time in the period at which underway = 2.",))  # fmt: skip
    ended = rows_of(library, over(spans.but(start="2025-06-01", end=None, open="left out")))["rows"]
    assert ended.table.num_rows == 2


def test_a_query_of_the_report_can_be_the_log(sqlite: Callable[..., Library]) -> None:
    raw = Query(
        name="raw", connection="db",
        sql="select substr(tag, 8) as what, at as moment, cast(value as real) as v from log where tag like 'Curlew.%'"
            " and tag <> 'Curlew.voyage_id'",
        columns=({"name": "moment", "type": "timestamp"}, {"name": "v", "type": "decimal(10, 1)"}),
        log=SignalLog(name="raw", time="moment", signal="what", values=("v",)),
    )  # fmt: skip
    figures = Query(name="figures", signals=MeasurementsQuery(
        log="raw", signals=("speed",), statistics=STATISTICS[:5], start="2025-06-03 07:15", end="2025-06-03 08:00"))  # fmt: skip
    own = rows_of(sqlite(), raw, figures)["figures"].table.to_pylist()[0]
    direct = over(measured(signals=("speed",), objects=("Curlew",), start="2025-06-03 07:15", end="2025-06-03 08:00"))
    other = rows_of(sqlite(), direct)["rows"].table.to_pylist()[0]
    assert isinstance(own["mean"], Decimal)
    assert float(own["mean"]) == pytest.approx(other["mean"], abs=1e-7)
    assert [float(own[name]) for name in ("first", "last", "min", "max")] == [
        other[name] for name in ("first", "last", "min", "max")]  # fmt: skip


def test_parameters_select_objects_ids_and_the_period(sqlite: Callable[..., Library]) -> None:
    spans = SpansQuery(log="log", by="voyage_id", condition="underway = :on", objects=(":vessels",), ids=(":voyage",))
    asked = (Parameter(name="vessels", holds="list", default=("Curlew",)), Parameter(name="voyage", default="CU2025-0008"),
             Parameter(name="on", kind="integer", default=1),
             Parameter(name="day", kind="date", holds="range", default="2025-06-03/2025-06-03"))  # fmt: skip
    period = over(measured(start=":day_from", end=":day_to", objects=(":vessels",), statistics=STATISTICS[6:7]), "day")
    library = sqlite()
    found = rows_of(library, over(spans), period, parameters=asked, values={"day": "2025-06-03/2025-06-04"})
    assert found["rows"].table["id"].to_pylist() == ["CU2025-0008"]
    assert {r["end"] for r in found["day"].table.to_pylist()} == {datetime(2025, 6, 5)}  # a last day is within
    other = rows_of(library, over(spans), parameters=asked, values={"voyage": "CU2025-0009"})
    assert other["rows"].table["id"].to_pylist() == ["CU2025-0009"]


def test_renaming_a_parameter_or_the_spans_is_followed(sqlite: Callable[..., Library]) -> None:
    spans = SpansQuery(log="log", condition="underway = :on", objects=(":vessel",), start=":day", end=":day")
    asked = (Parameter(name="vessel", default="Curlew"), Parameter(name="on", kind="integer", default=1),
             Parameter(name="day", kind="date", default="2025-06-03"))  # fmt: skip
    report = report_of(queries=(over(spans, "voyages"), over(measured(spans="voyages"), "figures")), parameters=asked)
    library = sqlite()
    for old, new in (("vessel", "ship"), ("on", "state"), ("day", "when_")):
        report = rename_value(report, old, new, library)
    report = rename_query(report, "voyages", "trips")
    renamed = report.query("trips").signals
    assert isinstance(renamed, SpansQuery)
    assert (renamed.objects, renamed.start, renamed.condition) == ((":ship",), ":when_", "underway = :state")
    assert report.query("figures").signals == measured(spans="trips")
    values = Session(library).resolve_parameters(report).complete_values()
    assert Session(library).rows(report, "figures", values, CancelToken()).table.num_rows == 24
    with pytest.raises(QueryError, match="give this one a label"):
        rename_column(report, "trips", "start", "departed", library)


def test_a_for_each_over_spans_shows_the_readings_of_each(sqlite: Callable[..., Library]) -> None:
    link = Link(query="rows", columns=(LinkedColumns(own="object", other="object"),
                                       LinkedColumns(own="ordinal", other="ordinal")))  # fmt: skip
    figures = Query(
        name="figures", connection="db", signals=measured(spans="rows", objects=("Curlew",)), detail_of=link
    )
    inner = table_of("signal", "mean").but(name="inner", query="figures")
    each = ForEachBlock(name="each", query="rows", by="ordinal", blocks=(TextBlock(name="t", text="{id}"), inner))
    report = report_of(each, queries=(over(VOYAGES.but(objects=("Curlew",))), figures))
    document = Session(sqlite()).render(report)
    own = document.rows["figures"].table.to_pylist()
    shown = [line.cells["mean"] for line in lines_of(document, "inner") if line.cells["mean"] not in (None, "mean")]
    assert len(shown) == len(own) == 24
    assert [float(text.replace(",", "")) for text in shown] == pytest.approx([row["mean"] for row in own], abs=0.001)


def test_a_slow_log_without_an_index_gets_a_note_that_names_it(
    library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(signal_rows, "SLOW", 0.0)
    query = over(measured(signals=("speed",), start="2025-06-03 08:00", end="2025-06-03 09:00"))
    notes = " ".join(rows_of(library, query)["rows"].notes)
    (connection,) = library.connections.connections
    seeks = KIND_OF_CONNECTION[connection.kind].dialect != "duckdb"
    assert ("has no index over" in notes) == seeks
    if connection.kind == "sqlite":
        with sqlite3.connect(library.root / "t.sqlite") as db:
            db.execute("create index by_tag on log (tag, at)")
        assert "has no index" not in " ".join(rows_of(library, query)["rows"].notes)


def test_shifts_begin_where_the_log_says(sqlite: Callable[..., Library]) -> None:
    library = sqlite(shift_starts=("06:00", "14:00", "22:00"))
    values = Values(data_time=datetime(2025, 6, 3, 15, 30))
    query = over(measured(start="last full shift", end="last full shift", statistics=STATISTICS[6:7]))
    report = report_of(queries=(query,))
    (row, *_) = Session(library).rows(report, "rows", values, CancelToken()).table.to_pylist()
    assert (row["start"], row["end"]) == (datetime(2025, 6, 3, 6), datetime(2025, 6, 3, 14))


def test_measurements_belong_to_the_records_of_their_spans(sqlite: Callable[..., Library]) -> None:
    link = Link(query="voyages", columns=(LinkedColumns(own="object", other="object"),
                                          LinkedColumns(own="ordinal", other="ordinal")))  # fmt: skip
    readings = Query(
        name="readings", connection="db", signals=measured(give="recorded", spans="voyages"), detail_of=link
    )
    found = rows_of(sqlite(), over(VOYAGES, "voyages"), readings)
    within = {(r["object"], r["ordinal"]): (r["start"], r["end"]) for r in found["voyages"].table.to_pylist()}
    for row in found["readings"].table.to_pylist():
        start, end = within[row["object"], row["ordinal"]]
        assert start <= row["time"] <= end


def test_a_wide_log_has_a_column_for_each_signal(tmp_path: Path) -> None:
    with sqlite3.connect(tmp_path / "t.sqlite") as db:
        db.execute("create table log (at text, vessel text, speed real, underway integer)")
        db.executemany("insert into log values (?, 'Curlew', ?, ?)", [
            ("2025-06-01 00:00:00", 1.5, 0), ("2025-06-01 01:00:00", None, 1), ("2025-06-01 03:00:00", 4.5, None)])  # fmt: skip
    log = SignalLog(name="log", table="log", time="at", time_form="text", time_zone="UTC", object="vessel",
                    values=("speed", "underway"))  # fmt: skip
    library = Library(
        tmp_path, Connections(connections=(SqliteConnection(name="db", database="t.sqlite", logs=(log,)),))
    )
    query = measured(signals=("speed", "underway"), objects=(), start="2025-06-01 03:00", end="2025-06-01 05:00",
                     statistics=STATISTICS[4:9])  # fmt: skip
    speed, underway = rows_of(library, over(query))["rows"].table.to_pylist()
    assert (speed["object"], speed["mean"], speed["readings"]) == ("Curlew", 3.0, 1)
    assert (underway["time_on"], underway["readings"]) == (7200, 0)
    assert "The log log has no signal heading." in fault(library, over(query.but(signals=("heading",))))


def test_an_empty_log_has_no_rows_and_all_columns(tmp_path: Path) -> None:
    with sqlite3.connect(tmp_path / "t.sqlite") as db:
        db.execute("create table log (tag text, at text, value)")
    library = Library(tmp_path, Connections(connections=(
        SqliteConnection(name="db", database="t.sqlite", logs=(telemetry(),)),)))  # fmt: skip
    for query, names in (
        (measured(objects=()), {"object", "mean", "start"}), (VOYAGES.but(objects=()), {"object", "id", "duration"}),
        (measured(objects=(), give="values", step="1 min", wide=True), {"time", "speed", "engine1_running"}),
        (measured(objects=(), give="recorded", moving="1 min"), {"time", "value", "text", "moving_mean"}),
        (measured(objects=("Curlew",), spans="rows"), {"mean"}),
    ):  # fmt: skip
        rows = rows_of(library, *((over(VOYAGES),) if getattr(query, "spans", None) else ()), over(query, "found"))
        assert rows["found"].table.num_rows == 0
        assert names <= set(rows["found"].names)


def test_a_reading_at_the_very_end_is_the_value_there(tmp_path: Path) -> None:
    with sqlite3.connect(tmp_path / "t.sqlite") as db:
        db.execute("create table log (tag text, at integer, value)")
        db.executemany("insert into log values ('speed', ?, ?)", [(1_748_736_000, 1), (1_748_736_060, 2)])
    log = telemetry(time_form="seconds", time_zone=None, separator=None, signals=())
    library = Library(
        tmp_path, Connections(connections=(SqliteConnection(name="db", database="t.sqlite", logs=(log,)),))
    )
    query = measured(objects=(), signals=("speed",), give="values", step="30 s", start="2025-06-01 01:00",
                     end="2025-06-01 01:01:00")  # fmt: skip
    assert rows_of(library, over(query))["rows"].table["value"].to_pylist() == [1, 1, 2]


def test_text_quality_of_other_kinds_makes_a_value_unknown(tmp_path: Path) -> None:
    with sqlite3.connect(tmp_path / "t.sqlite") as db:
        db.execute("create table log (tag text, at text, value real, state text)")
        db.executemany("insert into log values ('speed', ?, ?, ?)", [
            ("2025-06-01 00:00:00", 2, "ok"), ("2025-06-01 01:00:00", 99, "bad"), ("2025-06-01 02:00:00", 4, "ok")])  # fmt: skip
    log = SignalLog(name="log", table="log", time="at", time_form="text", time_zone="UTC", signal="tag",
                    values=("value",), quality="state", good=("ok", "good"))  # fmt: skip
    library = Library(
        tmp_path, Connections(connections=(SqliteConnection(name="db", database="t.sqlite", logs=(log,)),))
    )
    query = measured(signals=("speed",), objects=(), start="2025-06-01 01:00", end="2025-06-01 04:00")
    (row,) = rows_of(library, over(query))["rows"].table.to_pylist()
    assert (row["mean"], row["max"], row["known"], row["readings"]) == (3.0, 4.0, pytest.approx(2 / 3), 2)
