"""Real servers: rows, values, decimals and moments exact, read-only at the server, each fault in one sentence."""

import sqlite3
import threading
import time
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import keyring
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from keyring.backend import KeyringBackend

from northmoor.core.authoring.queries.routine_calls import routine_call
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import Cancelled, ConnectionFault, OutOfMemory, QueryError, WrongPassword
from northmoor.core.expr.identifiers import sql_table
from northmoor.core.model.data.connections import Connections, PostgresqlConnection, SqliteConnection
from northmoor.core.model.data.queries import Query, SharedQuery
from northmoor.core.model.kinds.value_types import ValueType
from northmoor.core.model.parameters import Parameter
from northmoor.core.session import Session
from northmoor.core.sources.builder.edits import column_kinds, select_all
from northmoor.core.sources.builder.joins import join_proposals, joined, new_alias, proposed_pairs
from northmoor.core.sources.builder.select_model import Comparison, FromItem, select_sql
from northmoor.core.sources.drivers import mariadb, postgresql, postgresql_rows
from northmoor.core.sources.drivers.credentials import Credential, Secrets, address
from northmoor.core.sources.drivers.protocol import FIRST_ROWS, QueryRequest
from northmoor.core.sources.drivers.read_only import check_query
from northmoor.core.sources.fetch.snapshots import write_sample
from northmoor.core.sources.library import Library
from northmoor.core.sources.typing.inference import infer_parameter_kind
from northmoor.core.sources.typing.name_check import sql_faults
from tests.helpers import bind, examples, fetched, little_memory, report_of
from tests.servers import PASSWORD, PrivateMariadb, PrivatePostgresql, Server

pytestmark = pytest.mark.xdist_group("servers")
DUBLIN = ZoneInfo("Europe/Dublin")
CALLS = {"postgres": "select * from season_totals(:season)", "mysql": "call season_totals(:season)"}
ENDLESS = "select count(*) as n from bookings a cross join bookings b"


@pytest.fixture
def db(server: Server, tmp_path: Path) -> Library:
    """A library whose connection ``db`` is a server."""
    return server.library(tmp_path)


def asked(library: Library, sql: str, **values: Any) -> QueryRequest:
    dialect = library.driver("db").dialect
    return QueryRequest(check_query(sql, dialect), values, DUBLIN, CancelToken())


def test_tables_columns_keys_and_routines_can_be_browsed(db: Library) -> None:
    catalog = db.catalog("db", CancelToken())
    bookings = catalog.table("bookings")
    assert bookings is not None
    assert [c.name for c in bookings.columns if c.is_key] == ["booking_id"]
    assert {c.name: c.references for c in bookings.columns if c.references} == {
        "sailing_id": "sailings.sailing_id", "fare_id": "fares.fare_id",
    }  # fmt: skip
    assert bookings.is_estimate
    assert bookings.rows is not None
    assert 200_000 < bookings.rows < 300_000
    assert catalog.table("paid_bookings").is_view
    assert any(
        r.signature.startswith(("season_totals(wanted text)", "season_totals(wanted varchar")) for r in catalog.routines
    )
    odd = catalog.table("odd")
    assert (odd.comment, bookings.comment) == ("What is rarely seen", "")
    assert {c.name: c.comment for c in odd.columns if c.comment} == {"gap": "How long it took"}


def test_figures_are_those_of_straight_sql(db: Library, tarrow: sqlite3.Connection) -> None:
    rows = fetched(
        db,
        "select r.code, sum(b.quantity * b.unit_price) as fares, count(*) as n from bookings b join sailings s using (sailing_id) "
        "join routes r using (route_id) where b.status = 'paid' and s.departs_at >= :from and b.unit_price > :price "
        "group by r.code order by r.code",
        **{"from": datetime(2025, 6, 1, 12, 0), "price": Decimal("9.80")},
    )  # fmt: skip
    wanted = tarrow.execute(
        "select r.code, sum(b.quantity * cast(round(b.unit_price * 100) as integer)), count(*) from bookings b "
        "join sailings s using (sailing_id) join routes r using (route_id) where b.status = 'paid' "
        "and s.departs_at >= '2025-06-01 12:00:00' and b.unit_price > 9.80 group by r.code order by r.code"
    ).fetchall()  # fmt: skip
    assert [tuple(row.values()) for row in rows.table.to_pylist()] == [
        (c, Decimal(f).scaleb(-2), n) for c, f, n in wanted
    ]
    assert rows.types[1].kind == "decimal"
    assert rows.types[1].scale == 2


def test_decimals_moments_and_nulls_stay_what_they_are(db: Library) -> None:
    rows = fetched(db, "select n, at, big, note, doc, gap from odd order by n")
    first, second, third = rows.table.to_pylist()
    assert first["big"] == Decimal("1234567890123456789012345678.0123456789")
    assert first["note"] == "ö'\"; drop"
    assert rows.types[2] == ValueType("decimal", 38, 10)
    assert [r["at"] for r in (first, second, third)] == [
        datetime(2025, 3, 30, 0, 59, 59),
        datetime(2025, 3, 30, 2),
        datetime(2025, 10, 26, 1, 59, 59),
    ]
    assert {second[name] for name in ("big", "note", "doc", "gap")} == {None}
    assert third["note"] == ""


@settings(max_examples=examples(25))
@given(st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\0")), st.integers(-(2**63), 2**63 - 1), st.decimals(-(10**20), 10**20, places=4), st.dates(date(1000, 1, 1)), st.booleans())  # fmt: skip
def test_values_arrive_as_they_are_and_never_as_sql(
    postgresql: PrivatePostgresql,
    mariadb: PrivateMariadb,
    tmp_path: Path,
    text: str,
    number: int,
    money: Decimal,
    day: date,
    switch: bool,
) -> None:
    for server in (postgresql, mariadb):
        rows = fetched(
            server.library(tmp_path),
            "select :t as t, :n as n, :m as m, :d as d, :b as b",
            t=text,
            n=number,
            m=money,
            d=day,
            b=switch,
        )
        found = rows.table.to_pylist()[0]
        assert (found["t"], found["n"], found["m"], str(found["d"]), bool(found["b"])) == (
            text,
            number,
            money,
            str(day),
            switch,
        )


def test_a_routine_is_called_with_parameters_of_its_signature(postgresql: PrivatePostgresql, tmp_path: Path) -> None:
    postgresql.run(
        "create function calls(port integer, day date default null, out n bigint, codes text[] default null) "
        "returns setof bigint language sql as 'select port * 2::bigint';"
        "create function calls(timestamp without time zone) returns setof numeric language sql as 'select 1.5'"
    )
    made = postgresql.library(tmp_path)
    found = [routine for routine in made.catalog("db", CancelToken()).routines if routine.name == "calls"]
    assert [routine.signature for routine in found] == [
        "calls(port integer, day date, codes text[])", "calls(timestamp without time zone)",
    ]  # fmt: skip
    taken = report_of(
        parameters=[Parameter(name="port", kind="integer", default=5), Parameter(name="day", default="Monday")]
    )
    parameters, sql = routine_call(found[0], "postgres", taken)
    assert sql == "select * from calls(:port, :day_2, :codes)"
    assert [(p.name, p.kind, p.holds) for p in parameters] == [("day_2", "date", "one"), ("codes", "text", "list")]
    assert fetched(made, "select * from calls(:port)", port=21).table.column(0).to_pylist() == [42]
    parameters, sql = routine_call(found[1], "postgres", report_of())
    assert (sql, parameters[0].kind) == ("select * from calls(:argument_1)", "timestamp")
    (made_elsewhere,) = [each for each in made.catalog("db", CancelToken()).routines if "Doubled" in each.name]
    _, sql = routine_call(made_elsewhere, "postgres", taken)
    assert sql == 'select * from "old.books"."Doubled.port"(:port)'
    assert fetched(made, sql, port=21).table.column(0).to_pylist() == [42]


def test_routines_return_rows_with_their_arguments_bound(db: Library, tarrow: sqlite3.Connection) -> None:
    rows = fetched(db, CALLS[db.driver("db").dialect], season="summer")
    assert sorted(rows.table["route"].to_pylist()) == ["OX-SH", "TQ-SH"]
    total = tarrow.execute(
        "select sum(quantity * cast(round(unit_price * 100) as integer)) from bookings join sailings using (sailing_id) "
        "join routes using (route_id) where season = 'summer' and bookings.status = 'paid'"
    ).fetchone()[0]
    assert sum(rows.table["fares"].to_pylist()) == Decimal(total).scaleb(-2)


@pytest.mark.parametrize("sql", ["delete from odd", "create table stolen (a int)", "update odd set n = 0"])
def test_the_session_is_read_only_at_the_server(server: Server, tmp_path: Path, sql: str) -> None:
    owner = server.connection.but(user="postgres" if server.connection.kind == "postgresql" else "root")
    secrets = Secrets()
    secrets.remember(owner, "harbour" if server.connection.kind == "postgresql" else "")
    driver = Library(tmp_path, Connections(connections=(owner,)), secrets).driver("db")
    unchecked = replace(check_query("select 1", driver.dialect), sql=sql)
    with (
        pytest.raises((QueryError, ConnectionFault)),
        driver.open_stream(QueryRequest(unchecked, {}, DUBLIN, CancelToken())) as stream,
    ):
        list(stream.batches)


def test_a_procedure_that_writes_is_refused_by_the_server(mariadb: PrivateMariadb, tmp_path: Path) -> None:
    library = mariadb.library(tmp_path)
    with pytest.raises(QueryError, match="READ ONLY"):
        fetched(library, "call naughty()")
    assert fetched(library, "select count(*) as n from odd").table.to_pylist() == [{"n": 3}]


def test_what_is_wrong_with_a_connection_is_reported(server: Server, tmp_path: Path) -> None:
    def message(password: str = PASSWORD, **changes: Any) -> str:
        connection = server.connection.but(**changes)
        secrets = Secrets()
        secrets.remember(connection, password)
        with pytest.raises(ConnectionFault) as caught:
            Library(tmp_path, Connections(connections=(connection,)), secrets).catalog("db", CancelToken())
        assert "\n" not in caught.value.message
        assert isinstance(caught.value, WrongPassword) == (password != PASSWORD)
        return caught.value.message

    assert "password of reader" in message("wrong")
    assert "no database nowhere" in message(database="nowhere") or "does not let reader use nowhere" in message(
        database="nowhere"
    )
    assert "No " in message(port=1)
    assert "port 1" in message(port=1)
    assert "no host nowhere.invalid" in message(host="nowhere.invalid", encryption=None)


def test_a_query_is_checked_without_being_run(db: Library) -> None:
    driver = db.driver("db")
    driver.check(asked(db, "select sum(quantity) from bookings where status = :s", s="paid"))
    sql = "select :s as s,\n  nope from bookings"
    with pytest.raises(QueryError) as caught:
        driver.check(asked(db, sql, s="x"))
    assert "nope" in caught.value.message
    assert caught.value.position == sql.index("nope")


@pytest.mark.slow
def test_the_first_rows_are_there_before_the_rest(db: Library) -> None:
    shown: list[Rows] = []
    report = report_of(sql="select * from bookings order by booking_id")
    rows = Session(db).rows(report, "rows", bind(report, {}), CancelToken(), show=shown.append)
    assert [(len(r.table), r.is_whole) for r in shown] == [(FIRST_ROWS, False)]
    assert rows.table.slice(0, FIRST_ROWS).equals(shown[0].table)
    assert len(rows.table) == 257_079


def test_a_running_query_is_stopped_at_the_server(server: Server, db: Library) -> None:
    stop = CancelToken()
    threading.Timer(0.5, stop.cancel).start()
    began = time.monotonic()
    report = report_of(sql=ENDLESS)
    with pytest.raises(Cancelled):
        Session(db).rows(report, "rows", bind(report, {}), stop)
    assert time.monotonic() - began < 5
    assert _running(server) == 0


@pytest.mark.slow
@pytest.mark.parametrize("work", ["rows", "tables", "check"])
def test_a_server_that_does_not_answer_is_left_at_once(server: Server, db: Library, work: str) -> None:
    report, stop = report_of(sql="select 1 as n"), CancelToken()
    asking = {
        "rows": lambda: Session(db).rows(report, "rows", bind(report, {}), stop),
        "tables": lambda: db.catalog("db", stop),
        "check": lambda: Session(db).check(report, "rows", bind(report, {}), stop),
    }
    with server.frozen():
        threading.Timer(0.5, stop.cancel).start()
        began = time.monotonic()
        with pytest.raises(Cancelled):
            asking[work]()
        assert time.monotonic() - began < 5
    assert len(fetched(db, "select * from ports").table) == 7


@pytest.mark.slow
def test_a_server_that_falls_silent_in_a_query_is_left_at_once(server: Server, db: Library) -> None:
    report, stop, silent = report_of(sql=ENDLESS), CancelToken(), threading.Event()

    def freeze() -> None:
        with server.frozen():
            stop.cancel()
            silent.wait(20)

    freezing = threading.Timer(1, freeze)
    freezing.start()
    began = time.monotonic()
    with pytest.raises(Cancelled):
        Session(db).rows(report, "rows", bind(report, {}), stop)
    took = time.monotonic() - began
    silent.set()
    freezing.join()
    assert took < 6
    assert len(fetched(db, "select * from ports").table) == 7


def _running(server: Server) -> int:
    active = {
        "postgresql": "select count(*) from pg_stat_activity where state = 'active' and query like '%cross join%' and pid <> pg_backend_pid()",
        "mariadb": "select count(*) from information_schema.processlist where command = 'Query' and info like '%cross join%' and id <> connection_id()",
    }
    with server.admin() as connection, connection.cursor() as cursor:
        for _ in range(50):
            cursor.execute(active[server.connection.kind])
            count = int(cursor.fetchone()[0])
            if not count:
                break
            time.sleep(0.1)
    return count


@pytest.mark.slow
def test_rows_that_no_memory_holds_are_a_sentence(db: Library) -> None:
    """The limit is that of a process whose machine has little memory; it goes on working."""
    with little_memory(300_000_000), pytest.raises(OutOfMemory, match=r"not enough memory .* take fewer rows"):
        fetched(db, "select repeat('x', 1000000) as t, repeat('y', 1000000) as u from bookings")
    assert fetched(db, "select count(*) as n from ports").table[0].to_pylist() != []


def test_a_connection_dropped_in_the_middle_of_the_rows_is_reported(server: Server, db: Library) -> None:
    kill = {
        "postgresql": "select pg_terminate_backend(pid) from pg_stat_activity where usename = 'reader'",
        "mariadb": "select id from information_schema.processlist where user = 'reader'",
    }
    query = asked(db, "select a.*, b.name from bookings a cross join ports b")

    def read_while_it_is_killed() -> None:
        with db.driver("db").open_stream(query) as stream:
            next(stream.batches)
            kill_sessions()
            list(stream.batches)

    def kill_sessions() -> None:
        with server.admin() as connection, connection.cursor() as cursor:
            cursor.execute(kill[server.connection.kind])
            for (session,) in cursor.fetchall():
                if server.connection.kind == "mariadb":
                    cursor.execute(f"kill {session}")

    with pytest.raises(ConnectionFault, match="Nothing is lost"):
        read_while_it_is_killed()
    assert len(fetched(db, "select * from ports").table) == 7


def test_a_locked_table_is_waited_for_a_limited_time(
    server: Server, db: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    for module in (postgresql, mariadb):
        monkeypatch.setattr(module, "WAIT", 1)
    lock = {"postgresql": "begin; lock table ports in access exclusive mode", "mariadb": "lock tables ports write"}
    holder = server.admin("tarrow")
    try:
        with holder.cursor() as cursor:
            cursor.execute(lock[server.connection.kind])
        with pytest.raises(QueryError, match="holds a lock"):
            fetched(db, "select * from ports")
    finally:
        holder.close()


def test_a_server_that_was_stopped_is_reported_and_asked_again_later(server: Server, db: Library) -> None:
    server.stop()
    with pytest.raises(ConnectionFault, match=r"No .* server answers at"):
        fetched(db, "select 1 as one")
    server.start()
    assert fetched(db, "select 1 as one").table.to_pylist() == [{"one": 1}]


def test_a_moment_outside_the_calendar_names_its_column_and_row(db: Library) -> None:
    with pytest.raises(QueryError, match=r"Column day has a value that is no date: .* in row 2"):
        fetched(db, "select n, day from far order by n")
    assert fetched(db, "select n from far").table["n"].to_pylist() == [1, 2]


def test_queries_of_different_connections_are_combined_in_the_engine(
    db: Library, demo: Path, tarrow: sqlite3.Connection
) -> None:
    local = SqliteConnection(name="local", database=str(demo / "data" / "tarrow.sqlite"))
    library = Library(db.root, Connections(connections=(*db.connections.connections, local)), db.secrets)
    queries = [
        Query(name="there", connection="db", sql="select route_id, count(*) as n from sailings group by route_id"),
        Query(name="here", connection="local", sql="select route_id, code from routes where season = :season"),
        Query(name="rows", sql="select h.code, t.n from here h join there t using (route_id) order by h.code"),
    ]
    report = report_of(queries=queries, parameters=[{"name": "season", "kind": "text", "default": "summer"}])
    found = Session(library).rows(report, "rows", bind(report, {}), CancelToken()).table.to_pylist()
    wanted = tarrow.execute(
        "select code, count(*) from sailings join routes using (route_id) where season = 'summer' group by code order by code"
    )
    assert [tuple(row.values()) for row in found] == wanted.fetchall()


def test_a_password_belongs_to_the_address_it_was_given_for(
    postgresql: PrivatePostgresql, monkeypatch: pytest.MonkeyPatch
) -> None:
    secrets = Secrets()
    connection = postgresql.connection
    assert isinstance(connection, PostgresqlConnection)
    secrets.remember(connection, PASSWORD)
    assert secrets.credential(connection).password == PASSWORD
    for other in ({"host": "elsewhere.invalid"}, {"port": 1}, {"user": "owner"}, {"database": "books"}):
        assert secrets.credential(connection.but(**other)).password is None
    monkeypatch.setenv("NORTHMOOR_PASSWORD_DB", "by the name that a library gives")
    assert Secrets().credential(connection).password is None


def test_every_kind_of_query_runs_on_a_server(db: Library) -> None:
    dialect = db.driver("db").dialect
    sentence = select_all(db.catalog("db", CancelToken()).table("routes"), dialect)
    said = select_sql(replace(sentence, where=Comparison("routes.season", "=", (":season",)), first=":most"))
    db.save_shared_query(
        "fleet", SharedQuery(connection="db", sql="select vessel_id, name from vessels where built > 2005")
    )
    link = {"query": "said", "columns": [{"own": "route_id", "other": "route_id"}]}
    queries = [
        Query(name="said", connection="db", sql=said),
        Query(name="fleet", shared="fleet"),
        Query(name="detail", connection="db", sql="select route_id, category, price from fares", detail_of=link),
        Query(name="together", sql="select count(*) as n, sum(price) as prices from detail, fleet"),
    ]
    season, most = {"name": "season", "default": "summer"}, {"name": "most", "kind": "integer", "default": 1}
    report = report_of(queries=queries, parameters=[season, most])
    session = Session(db)
    values = bind(report, {})
    found = {q.name: session.rows(report, q.name, values, CancelToken()) for q in queries}
    assert [len(rows.table) for rows in found.values()] == [1, 3, 6, 1]
    prices = sum(found["detail"].table["price"].to_pylist())
    assert found["together"].table.to_pylist() == [{"n": 18, "prices": prices * 3}]
    write_sample(found["fleet"].table, datetime(2026, 1, 1, tzinfo=DUBLIN), db.root / "fleet.parquet")
    saved = report.but(queries=(queries[1].but(sample="fleet.parquet", use_sample=True),))
    assert session.rows(saved, "fleet", bind(saved, {}), CancelToken()).table.equals(found["fleet"].table)


def test_names_with_dots_are_taken_joined_and_compared(db: Library) -> None:
    catalog, dialect = db.catalog("db", CancelToken()), db.driver("db").dialect
    ways = [("ports", '"Port.log"', ("port_id", 1)), ('"old.books"."Port.s"', '"old.books".calls', ("port.id", 2))]
    for one, many, expected in ways if dialect == "postgres" else ways[:1]:
        sentence = select_all(catalog.table(one), dialect)
        (way,) = (way for way in join_proposals(catalog, sentence.from_items, many) if way.is_key)
        name = sql_table(many, dialect)
        pairs = proposed_pairs(new := FromItem(name, new_alias(sentence, name)), way, dialect)
        sentence = joined(sentence, new, "join", pairs, "")
        first = next(iter(column_kinds(sentence, catalog, dialect)))
        sql = select_sql(replace(sentence, where=Comparison(first, "<", (":below",))))
        checked = check_query(sql, dialect)
        assert sql_faults(sql, dialect, catalog, {"below"}) == ()
        assert infer_parameter_kind(checked, catalog, "below") == "integer"
        assert [table.name for table in checked.tables_in(catalog)] == [one, many]
        query = Query(name="found", connection="db", sql=sql)
        report = report_of(queries=[query], parameters=[{"name": "below", "kind": "integer", "default": 8}])
        rows = Session(db).rows(report, "found", bind(report, {}), CancelToken()).table
        assert (rows.column_names[0], rows.num_rows) == expected


def test_a_copy_and_a_cursor_give_the_same_rows(
    postgresql: PrivatePostgresql, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    library = postgresql.library(tmp_path)
    sql = "select b.*, gap, code, paid from bookings b left join odd on odd.n = b.booking_id order by booking_id"
    copied = fetched(library, sql)
    monkeypatch.setattr(postgresql_rows, "AT_ONCE", 0.0)
    by_cursor = fetched(library, sql)
    assert by_cursor.table.equals(copied.table)
    assert by_cursor.types == copied.types
    first = by_cursor.table.slice(0, 1).to_pylist()[0]
    assert (first["gap"], first["code"], first["paid"]) == (
        "1 day 02:00:00",
        "11111111-2222-3333-4444-555555555555",
        True,
    )


def test_passwords_are_kept_in_the_keyring_when_asked(
    postgresql: PrivatePostgresql, monkeypatch: pytest.MonkeyPatch
) -> None:
    kept: dict[tuple[str, str], str] = {}

    class Ring(KeyringBackend):
        priority = 1

        def get_password(self, service: str, username: str) -> str | None:
            return kept.get((service, username))

        def set_password(self, service: str, username: str, password: str) -> None:
            kept[service, username] = password

        def delete_password(self, service: str, username: str) -> None:
            del kept[service, username]

    before = keyring.get_keyring()
    keyring.set_keyring(Ring())
    try:
        connection = postgresql.connection
        assert Secrets().remember(connection, PASSWORD, keep=True)
        assert Secrets().credential(connection).password == PASSWORD
        assert list(kept) == [("Northmoor", address(connection))]
        Secrets().remember(connection, "another", keep=True, unencrypted=True)
        assert Secrets().credential(connection) == Credential("another", True)
        assert len(kept) == 1
        Secrets().forget(connection)
        assert Secrets().credential(connection).password is None
    finally:
        keyring.set_keyring(before)


@pytest.mark.parametrize("at_once", [0.3, 0.0])
@pytest.mark.variants
def test_a_value_that_does_not_fit_far_down_ends_the_fetch_and_the_server_is_free(
    postgresql: PrivatePostgresql, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, at_once: float
) -> None:
    monkeypatch.setattr(postgresql_rows, "AT_ONCE", at_once)
    library = postgresql.library(tmp_path)
    sql = "select case when b.booking_id = 60000 then date 'infinity' else date '2025-01-01' end as day, pg_typeof(a.name) as kind from bookings b cross join ports a order by b.booking_id"
    began = time.monotonic()
    with pytest.raises(QueryError, match="Column day has a value that is no date"):
        fetched(library, sql)
    assert time.monotonic() - began < 20
    assert len(fetched(library, "select * from ports").table) == 7
