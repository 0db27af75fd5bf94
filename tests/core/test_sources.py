"""Queries: only reading, always bound, loose values coerced, faults reported, stoppable."""

import sqlite3
import threading
import time
from collections.abc import Callable
from contextlib import closing
from datetime import UTC, date, datetime
from decimal import Decimal
from pathlib import Path
from zoneinfo import ZoneInfo

import duckdb
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.engine.arrow_types import untyped_array
from northmoor.core.errors import Cancelled, ConnectionFault, NorthmoorError, QueryError, RefusedQuery, ReportFileError
from northmoor.core.model.data.connections import Connections, DuckdbConnection, SqliteConnection
from northmoor.core.model.data.queries import QueryColumn
from northmoor.core.session import Session
from northmoor.core.sources.drivers import sqlite
from northmoor.core.sources.drivers.protocol import QueryRequest, unique_column_names
from northmoor.core.sources.drivers.read_only import check_query
from northmoor.core.sources.fetch.snapshots import read_sample, write_sample
from northmoor.core.sources.library import Library
from tests.helpers import FREIGHT, bind, fetched, query, report_of

MakeLibrary = Callable[[str], Library]


@pytest.mark.parametrize(
    "sql",
    [
        "select 1", "select a from b where c = :d", "with x as (select 1 as a) select a from x",
        "select a from b union all select c from d", "select * from (select 1) -- ; drop table x",
        "with recursive n(i) as (select 1 union all select i + 1 from n where i < 9) select i from n", "select 1;",
    ],
)  # fmt: skip
def test_reading_statements_pass(sql: str) -> None:
    assert check_query(sql).sql == sql


@pytest.mark.parametrize(
    "sql",
    [
        "", "  -- nothing", "delete from lines", "update lines set pieces = 0", "insert into lines values (1)",
        "drop table lines", "create table x (a)", "create table x as select 1", "alter table lines add x", "pragma user_version",
        "attach database 'x' as y", "detach y", "vacuum", "reindex", "begin", "commit", "select 1; select 2",
        "select 1; drop table lines", "with x as (select 1) delete from lines", "replace into lines values (1)",
        "select load_extension('evil.so')", "select readfile('/etc/passwd')", "select writefile('/tmp/x', 'y')",
        "explain select 1", "select * from lines where a = ?", "select @a", "select (((", "not sql at all",
        "select 1 into outfile", "analyze", "vacuum into '/tmp/x'",
    ],
)  # fmt: skip
def test_anything_else_is_refused_before_it_reaches_the_database(sql: str) -> None:
    with pytest.raises(RefusedQuery):
        check_query(sql)


@pytest.mark.parametrize(
    "sql", ["delete from lines", "attach database ':memory:' as x", "pragma query_only = off", "create table x (a)"]
)
def test_the_connection_itself_refuses_what_the_guard_would_let_through(library: MakeLibrary, sql: str) -> None:
    made = library(FREIGHT)
    database = made.root / "db.sqlite"
    before = database.read_bytes()
    unchecked = replace(check_query("select 1"), sql=sql)
    with (
        pytest.raises(QueryError),
        made.driver("db").open_stream(QueryRequest(unchecked, {}, ZoneInfo("UTC"), CancelToken())) as stream,
    ):
        list(stream.batches)
    assert database.read_bytes() == before


@given(st.text())
def test_values_are_never_taken_for_sql(demo: Path, text: str) -> None:
    if "\x00" in text or any("\ud800" <= c <= "\udfff" for c in text):
        return
    rows = fetched_from(demo, "select :t as t, typeof(:t) as kind", t=text)
    assert rows.table.to_pylist() == [{"t": text, "kind": "text"}]


def fetched_from(demo: Path, sql: str, **values: object):
    library = Library.around(demo / "reports")
    report = report_of(
        queries=[query(sql).but(connection="tarrow")], parameters=[{"name": n, "kind": "text"} for n in values]
    )
    return Session(library).rows(report, "rows", bind(report, values), CancelToken())


def test_declared_types_are_followed_through_the_sql(library: MakeLibrary) -> None:
    rows = fetched(
        library(FREIGHT),
        "select route, day, pieces, charge, charge * pieces as worth, charge * 0.19 as tax, sum(charge) over () as total, "
        "avg(charge) over () as mean, date(day, 'start of month') as month, count(*) over () as n, max(day) over () as last "
        "from lines",
    )
    kinds = {name: str(kind) for name, kind in zip(rows.names, rows.types, strict=True)}
    assert kinds == {
        "route": "text", "day": "date", "pieces": "integer", "charge": "decimal(18,2)", "worth": "decimal(18,2)",
        "tax": "decimal(18,4)", "total": "decimal(18,2)", "mean": "float", "month": "date", "n": "integer", "last": "date",
    }  # fmt: skip


def test_money_is_exact_however_the_database_holds_it(library: MakeLibrary) -> None:
    script = "create table m (a decimal(10,2)); insert into m values (0.1), (0.2), ('0.30'), (4), (null), (1e9);"
    rows = fetched(library(script), "select a, a * 3 as b from m")
    assert rows.table.column("a").to_pylist()[:5] == [
        Decimal("0.10"),
        Decimal("0.20"),
        Decimal("0.30"),
        Decimal(4),
        None,
    ]
    assert rows.table.column("b").to_pylist()[:2] == [Decimal("0.30"), Decimal("0.60")]


@given(st.lists(st.decimals(-(10**9), 10**9, places=2) | st.none(), min_size=1, max_size=40))
def test_decimals_come_back_as_they_were_stored(tmp_path_factory: pytest.TempPathFactory, values: list) -> None:
    database = tmp_path_factory.mktemp("d") / "d.sqlite"
    connection = sqlite3.connect(database)
    connection.execute("create table m (a decimal(12,2))")
    connection.executemany("insert into m values (?)", [(None if v is None else float(v),) for v in values])
    connection.commit()
    connection.close()
    made = Library(database.parent)
    made.connections = made.connections.but(connections=({"name": "db", "database": "d.sqlite"},))
    assert fetched(made, "select a from m").table.column("a").to_pylist() == values


def test_loose_dates_are_corrected_by_the_columns_type(library: MakeLibrary) -> None:
    script = "create table t (at); insert into t values ('2025-03-30 02:30'), ('2025-07-01T12:00:00Z'), (1735689600), (2460676.5), ('');"
    rows = fetched(library(script), "select at from t", [QueryColumn(name="at", type="timestamp")])
    assert rows.table.column("at").to_pylist() == [
        datetime(2025, 3, 30, 2, 30),
        datetime(2025, 7, 1, 13),
        datetime(2025, 1, 1),
        datetime(2025, 1, 1),
        None,
    ]
    days = fetched(library(script), "select at from t", [QueryColumn(name="at", type="date")])
    assert days.table.column("at").to_pylist()[1] == date(2025, 7, 1)


@pytest.mark.parametrize(
    ("kind", "value", "message"),
    [
        ("integer", "'12x'", "no integer: '12x' in row 2"),
        ("decimal(6,2)", "1.239", "no decimal(6,2): '1.239' in row 2"),
        ("decimal(6,2)", "'12,5'", "no decimal(6,2): '12,5' in row 2"),
        ("date", "'soon'", "no date: 'soon' in row 2"),
        ("boolean", "7", "no boolean: '7' in row 2"),
    ],
)
def test_a_value_that_is_not_of_the_declared_type_is_reported_with_its_row(
    library: MakeLibrary, kind: str, value: str, message: str
) -> None:
    made = library(f"create table t (a); insert into t values (null), ({value});")
    with pytest.raises(QueryError) as caught:
        fetched(made, "select a from t", [QueryColumn(name="a", type=kind)])
    assert message in str(caught.value)
    assert str(caught.value).startswith("Query rows: ")


def test_what_is_declared_wrongly_is_typed_by_its_values(library: MakeLibrary) -> None:
    made = library(
        "create table t (a integer, b date, c decimal(5,2)); insert into t values ('x', 'never', 1.2345), (2, 'x', 1);"
    )
    rows = fetched(made, "select a, b, c from t")
    assert [str(kind) for kind in rows.types] == ["text", "text", "float"]


def test_a_query_settings_type_wins(library: MakeLibrary) -> None:
    rows = fetched(library(FREIGHT), "select pieces from lines", [QueryColumn(name="pieces", type="decimal(8,1)")])
    assert str(rows.types[0]) == "decimal(8,1)"


@pytest.mark.parametrize(
    ("sql", "message"),
    [
        ("select charg from lines", "no such column: charg"),
        ("select * from line", "no such table: line"),
        ("select * from lines where route = :rout", "no such parameter"),
    ],
)
def test_the_databases_own_words_are_shown_with_the_querys_name(library: MakeLibrary, sql: str, message: str) -> None:
    with pytest.raises(QueryError) as caught:
        fetched(library(FREIGHT), sql)
    assert message in str(caught.value)
    assert "Query rows" in str(caught.value)


def test_a_missing_or_foreign_database_is_reported(library: MakeLibrary, tmp_path: Path) -> None:
    made = library(FREIGHT)
    (tmp_path / "db.sqlite").unlink()
    with pytest.raises(ConnectionFault, match=r"Connection db.*There is no file"):
        fetched(made, "select 1")
    (tmp_path / "db.sqlite").write_text("a letter, not a database, long enough to be looked at")
    with pytest.raises(ConnectionFault, match="cannot be opened"):
        fetched(made, "select 1")


def test_an_unknown_connection_is_reported(library: MakeLibrary) -> None:
    made = library(FREIGHT)
    report = report_of(queries=[query("select 1").but(connection="dbb")])
    with pytest.raises(ConnectionFault, match="Did you mean db"):
        Session(made).rows(report, "rows", bind(report, {}), CancelToken())


def test_an_endless_query_can_be_stopped(library: MakeLibrary) -> None:
    made = library(FREIGHT)
    report = report_of(
        queries=[query("with recursive n(i) as (select 1 union all select i + 1 from n) select count(*) as c from n")]
    )
    stop = CancelToken()
    threading.Timer(0.3, stop.cancel).start()
    began = time.monotonic()
    with pytest.raises(Cancelled):
        Session(made).rows(report, "rows", bind(report, {}), stop)
    assert time.monotonic() - began < 10


def test_rows_are_fetched_once_for_the_same_values(library: MakeLibrary) -> None:
    made = library(FREIGHT)
    session = Session(made)
    report = report_of(
        sql="select * from lines where pieces > :n", parameters=[{"name": "n", "kind": "integer", "default": 1}]
    )
    first = session.rows(report, "rows", bind(report, {}), CancelToken())
    assert session.rows(report.but(title="Other"), "rows", bind(report, {}), CancelToken()) is first
    assert session.rows(report, "rows", bind(report, {"n": 3}), CancelToken()) is not first
    session.refresh()
    assert session.rows(report, "rows", bind(report, {}), CancelToken()) is not first


def test_repeated_column_names_are_numbered(library: MakeLibrary) -> None:
    assert unique_column_names(["a", "A", "a", "b"]) == ("a", "A_2", "a_3", "b")
    assert fetched(library(FREIGHT), "select pieces, pieces from lines").names == ("pieces", "pieces_2")


def test_an_empty_result_has_its_columns_and_types(library: MakeLibrary) -> None:
    rows = fetched(library(FREIGHT), "select route, charge from lines where 0")
    assert rows.table.num_rows == 0
    assert [str(kind) for kind in rows.types] == ["text", "decimal(18,2)"]


def test_blobs_and_mixed_values_become_text(library: MakeLibrary) -> None:
    rows = fetched(
        library("create table t (a); insert into t values (1), ('x'), (x'00ff'), (2.5), (null);"), "select a from t"
    )
    assert rows.table.column("a").to_pylist() == ["1", "x", "00ff", "2.5", None]


def test_the_catalog_reports_tables_keys_and_references(demo: Path) -> None:
    tables = {table.name: table for table in Library.around(demo).catalog("tarrow", CancelToken()).tables}
    columns = {column.name: column for column in tables["bookings"].columns}
    assert columns["booking_id"].is_key
    assert columns["sailing_id"].references == "sailings.sailing_id"
    assert columns["unit_price"].type == "DECIMAL(8, 2)"
    assert tables["routes"].rows == 9
    assert tables["paid_bookings"].is_view


def test_pictures_and_connections_cannot_lead_out_of_the_library(library: MakeLibrary, tmp_path: Path) -> None:
    made = library(FREIGHT)
    for file in ("../secret.png", "/etc/passwd", "a/../../b.png"):
        with pytest.raises(ReportFileError, match="outside the library"):
            made.resolve_path(file)
    assert made.resolve_path("pictures/a.png") == tmp_path / "pictures" / "a.png"


def test_connecting_gives_a_database_one_name(library: MakeLibrary, tmp_path: Path) -> None:
    made = library(FREIGHT)
    assert made.connect(str(tmp_path / "db.sqlite")) == "db"
    other = tmp_path / "9 lives.db"
    sqlite3.connect(other).executescript("create table t (a)")
    assert made.connect(f"sqlite:///{other}".replace(" ", "%20")) == "db_9_lives"
    assert [c.name for c in Library.around(tmp_path / "x.moor").connections.connections] == ["db", "db_9_lives"]
    (tmp_path / "notes.txt").write_text("no database")
    for wrong in (
        "postgresql://host/x",
        "oracle://u@h/x",
        "postgresql://u:secret@h/x",
        str(tmp_path / "none.db"),
        str(tmp_path / "notes.txt"),
    ):
        with pytest.raises(ConnectionFault):
            made.connect(wrong)


def test_a_database_that_another_program_keeps_locked_is_reported(
    library: MakeLibrary, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    made = library(FREIGHT)
    monkeypatch.setattr(sqlite, "WAIT", 0.1)
    other = sqlite3.connect(tmp_path / "db.sqlite", isolation_level=None)
    try:
        other.execute("begin exclusive")
        with pytest.raises(ConnectionFault, match="Another program has been writing to"):
            fetched(made, "select * from lines")
    finally:
        other.close()
    assert len(fetched(made, "select * from lines").table) == 6


PLAIN = st.sampled_from([st.integers(-(2**70), 2**70), st.floats(), st.text(), st.booleans(), st.binary()])


@given(PLAIN.flatmap(lambda values: st.lists(st.none() | values, max_size=8)))
def test_columns_of_one_kind_are_those_that_arrow_finds(column: list[object]) -> None:
    try:
        wanted = pa.array(column)
    except (pa.ArrowInvalid, OverflowError):  # no whole numbers of the machine's
        wanted = pa.array([None if value is None else Decimal(value) for value in column])
    assert untyped_array(column).type == wanted.type
    assert untyped_array(column).to_string() == wanted.to_string()


def test_a_duckdb_file_is_read_by_several_at_once_each_in_its_own_time_zone(tmp_path: Path) -> None:
    with duckdb.connect(tmp_path / "memory.duckdb") as engine:
        engine.execute(
            "create table sailings as select timestamptz '2025-07-01 12:00:00+00' as left_at, 1::uhugeint as n"
        )
    made = Library(tmp_path, Connections(connections=(DuckdbConnection(name="db", database="memory.duckdb"),)))
    driver = made.driver("db")
    sql = check_query("select left_at::varchar as left_at, n from main.sailings", "duckdb")
    zones = ("Europe/Dublin", "Asia/Tokyo")
    requests = [QueryRequest(sql, {}, ZoneInfo(zone), CancelToken()) for zone in zones]
    with driver.open_stream(requests[0]) as first, driver.open_stream(requests[1]) as second:
        assert [table.name for table in driver.catalog(CancelToken()).tables] == ["sailings"]
        hours = [next(stream.batches)[0][0].as_py()[11:13] for stream in (first, second)]
    assert hours == ["13", "21"]


def test_texts_of_sqlite_that_are_not_utf8_are_read_and_reported(tmp_path: Path) -> None:
    with closing(sqlite3.connect(tmp_path / "db.sqlite")) as database:
        database.execute("create table lines (n integer, t text)")
        database.executemany("insert into lines values (?, ?)", [(n, "plain") for n in range(1200)])
        database.execute("update lines set t = cast(x'46E465' as text) where n in (1100, 1150)")  # Fäe in Latin 1
        database.commit()
    made = Library(tmp_path, Connections(connections=(SqliteConnection(name="db", database="db.sqlite"),)))
    made.save()
    rows = fetched(made, "select * from lines order by n")
    assert rows.table[0].to_pylist() == list(range(1200))
    assert {n for n, text in zip(*(c.to_pylist() for c in rows.table), strict=True) if text == "Fäe"} == {1100, 1150}
    assert rows.notes == (
        "Row 1,101 has a text that is not in UTF-8; such texts are read as windows-1252. "
        "Set the encoding of its connection if they look wrong.",
    )
    dos = SqliteConnection(name="db", database="db.sqlite", encoding="cp850")
    rows = fetched(Library(tmp_path, Connections(connections=(dos,))), "select t from lines where n = 1100")
    assert (rows.table[0].to_pylist(), rows.notes) == (["Fõe"], ())
    wrong = Library(tmp_path, Connections(connections=(dos.but(encoding="klingon"),)))
    with pytest.raises(NorthmoorError, match="there is no character encoding klingon"):
        fetched(wrong, "select t from lines")


def test_damaged_saved_rows_are_one_sentence(tmp_path: Path) -> None:
    table = pa.table({"n": list(range(50_000)), "t": [f"text {n}" for n in range(50_000)]})
    write_sample(table, datetime(2026, 1, 2, tzinfo=UTC), tmp_path / "rows.parquet")
    data = bytearray((tmp_path / "rows.parquet").read_bytes())
    data[1000:1400] = bytes(400)
    (tmp_path / "rows.parquet").write_bytes(data)
    stream = read_sample(tmp_path / "rows.parquet", CancelToken())
    with pytest.raises(QueryError, match=r"Its saved rows rows\.parquet are damaged; save them again"):
        list(stream.batches)


def test_a_damaged_database_whose_fault_names_what_is_no_text_is_a_sentence(tmp_path: Path) -> None:
    file = tmp_path / "db.sqlite"
    with closing(sqlite3.connect(file)) as made:
        made.execute("create table lines (freight integer, waybill integer)")
        made.commit()
    file.write_bytes(file.read_bytes().replace(b"freight integer,", b"'\xe4\xe9ight integer,"))
    library = Library(tmp_path, Connections(connections=(SqliteConnection(name="db", database="db.sqlite"),)))
    for ask in (lambda: library.catalog("db", CancelToken()), lambda: fetched(library, "select 1 as n")):
        with pytest.raises(NorthmoorError, match="a name in it is no text in UTF-8"):
            ask()
