"""Values reach every source as values: quotes, Unicode, nulls, empty and huge lists, and nothing is ever read as SQL."""

import json
import sqlite3
from collections.abc import Callable
from datetime import date, datetime
from decimal import Decimal
from typing import Any

import duckdb
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import QueryError
from northmoor.core.model.data.connections import Connections, DuckdbConnection, FilesConnection, SqliteConnection
from northmoor.core.model.data.queries import Query
from northmoor.core.model.parameters import Parameter
from northmoor.core.session import Session
from northmoor.core.sources.builder.computing import DATE_PARTS, bins_sql, date_part_sql, text_sql, window_sql
from northmoor.core.sources.library import Library
from tests.core.test_computing import expected, plain_value
from tests.helpers import bind, column_of, examples, render, report_of, row_of, table_of
from tests.servers import PrivateMariadb, PrivatePostgresql

pytestmark = pytest.mark.xdist_group("servers")
TEXTS = st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\0"), max_size=20) | st.sampled_from(
    ["'", "''", "\\", "\\'", "') or 1=1 --", "'; drop table ports; --", "$1", ":port", "?", "%s", "{}", "x'41'", "null",
     "/*", "\N{ZERO WIDTH JOINER}", "ß", "é", "é", "𝔘", "[1]", '"', "\n"]
)  # fmt: skip
KINDS: dict[str, tuple[str, Any]] = {
    "text": ("text", TEXTS),
    "integer": ("bigint", st.integers(-(2**63), 2**63 - 1)),
    "decimal": ("decimal(20,4)", st.decimals(-(10**12), 10**12, places=4)),
    "date": ("date", st.dates(date(1000, 1, 1), date(9999, 12, 30))),
    "timestamp": ("timestamp", st.datetimes(datetime(1971, 1, 1), datetime(2037, 1, 1))),
    "boolean": ("boolean", st.booleans()),
}
PORTS = ["Tarrow Quay", "Inverlang"]
"""The first two ports, as every source has them."""


@pytest.fixture(scope="module")
def sources(
    postgresql: PrivatePostgresql, mariadb: PrivateMariadb, tmp_path_factory: pytest.TempPathFactory
) -> dict[str, Library]:
    """A library for each kind of source; its connection ``db`` has a table of ports."""
    folder = tmp_path_factory.mktemp("sources")
    sqlite = sqlite3.connect(folder / "ports.sqlite")
    duck = duckdb.connect(str(folder / "ports.duckdb"))
    for connection in (sqlite, duck):
        connection.execute("create table ports (port_id integer, name text)")
        connection.execute("insert into ports values (1, 'Tarrow Quay'), (2, 'Inverlang')")
        connection.execute("create table days (day date, moment timestamp)")
        for day in range(1, 5):
            for hour in ("00:00:00", "06:30:00"):
                connection.execute(f"insert into days values ('2025-03-0{day}', '2025-03-0{day} {hour}')")
        connection.commit()
        connection.close()
    (folder / "ports.json").write_text(json.dumps([{"port_id": n, "name": name} for n, name in enumerate(PORTS, 1)]))
    kinds = (
        SqliteConnection(name="db", database="ports.sqlite"),
        DuckdbConnection(name="db", database="ports.duckdb"),
        FilesConnection(name="db", path="ports.json"),
    )
    found = {kind.kind: Library(folder, Connections(connections=(kind,))) for kind in kinds}
    return found | {"postgresql": postgresql.library(folder), "mariadb": mariadb.library(folder)}


SOURCES = ["sqlite", "duckdb", "files", "postgresql", "mariadb"]


def ask(library: Library, sql: str, *parameters: Parameter, **values: Any) -> list[dict[str, Any]]:
    """The rows of some SQL on the connection ``db``."""
    report = report_of(queries=[Query(name="rows", connection="db", sql=sql)], parameters=parameters)
    return Session(library).rows(report, "rows", bind(report, values), CancelToken()).table.to_pylist()


def texts(name: str = "given", **more: Any) -> Parameter:
    """A list of texts."""
    return Parameter(name=name, holds="list", required=False, **more)


@pytest.mark.slow
@pytest.mark.parametrize("source", SOURCES)
@settings(max_examples=examples(25))
@given(given_texts=st.lists(TEXTS, max_size=8))
def test_a_list_holds_its_values_and_nothing_else(
    sources: dict[str, Library], source: str, given_texts: list[str]
) -> None:
    sql = (
        "select port_id, case when name in (:given) then 1 else 0 end as inside, :given_count as n, "
        "case when 'x' not in (:given) then 1 else 0 end as x_outside from ports where port_id in (1, 2) order by port_id"
    )
    rows = ask(sources[source], sql, texts(), given=[*given_texts, "Inverlang"])
    wanted = list(dict.fromkeys([*given_texts, "Inverlang"]))
    seen = [text.casefold().rstrip(" ") for text in wanted] if source == "mariadb" else wanted  # as its collation does
    tarrow, x = ("tarrow quay", "x") if source == "mariadb" else ("Tarrow Quay", "x")
    assert [row["inside"] for row in rows] == [tarrow in seen, 1]
    assert {(row["n"], row["x_outside"]) for row in rows} == {(len(wanted), x not in seen)}


@pytest.mark.parametrize("source", SOURCES)
@pytest.mark.parametrize("kind", KINDS)
def test_lists_of_every_kind_are_compared_as_that_kind(sources: dict[str, Library], source: str, kind: str) -> None:
    if (source, kind) == ("sqlite", "boolean"):
        pytest.skip("SQLite has no booleans; 1 and 0 are compared in the next test")
    declared, strategy = KINDS[kind]
    declared = {"mysql": {"text": "char", "bigint": "signed", "timestamp": "datetime(6)", "boolean": "signed"}}.get(
        sources[source].driver("db").dialect, {}
    ).get(declared, declared)
    parameter = Parameter(name="given", kind=kind, holds="list", required=False)

    names = ("all", "others", "none")
    parameters = [parameter.but(name=name) for name in names]
    left = ":one" if source == "sqlite" else f"cast(:one as {declared})"
    tests = [f"case when {left} in (:{name}) then 1 else 0 end as {name}_hold" for name in names]
    sql = f"select {', '.join(tests)} {'from ports where port_id = 1' if source == 'files' else ''}"

    @settings(max_examples=examples(12))
    @given(st.lists(strategy, min_size=1, max_size=5, unique=True))
    def holds(values: list[Any]) -> None:
        given_values = {"all": values, "others": values[1:], "none": [], "one": values[0]}
        (found,) = ask(sources[source], sql, *parameters, Parameter(name="one", kind=kind), **given_values)
        assert list(found.values()) == [1, 0, 0]

    holds()


@pytest.mark.parametrize("source", SOURCES)
@pytest.mark.parametrize("kind", KINDS)
def test_nulls_of_every_kind_are_nulls(sources: dict[str, Library], source: str, kind: str) -> None:
    optional = Parameter(name="given", kind=kind, required=False)
    sql = "select count(*) as n from ports where :given is null or port_id = 1"
    (found,) = ask(sources[source], sql, optional)
    assert found["n"] >= 2


@pytest.mark.parametrize("source", SOURCES)
def test_fifty_thousand_values_are_bound_at_once(sources: dict[str, Library], source: str) -> None:
    ids = Parameter(name="ids", kind="integer", holds="list")
    names = texts("names")
    sql = "select port_id from ports where port_id in (:ids) and name in (:names) order by port_id"
    found = ask(
        sources[source], sql, ids, names, ids=list(range(2, 50_002)), names=[f"port {n}'" for n in range(5_000)] + PORTS
    )
    assert found == [{"port_id": 2}]


def test_more_values_than_a_server_takes_are_reported(sources: dict[str, Library]) -> None:
    ids = Parameter(name="ids", kind="integer", holds="list")
    with pytest.raises(QueryError, match="takes 65,535 values in a query, and here are 70,000; choose fewer"):
        ask(sources["mariadb"], "select * from ports where port_id in (:ids)", ids, ids=list(range(70_000)))


@pytest.mark.parametrize("source", SOURCES)
def test_how_many_rows_come_can_be_a_value(sources: dict[str, Library], source: str) -> None:
    top = Parameter(name="top", kind="integer")
    assert len(ask(sources[source], "select port_id from ports order by port_id limit :top", top, top=2)) == 2


@pytest.mark.parametrize("source", SOURCES)
def test_a_list_or_range_in_a_wrong_place_is_reported(sources: dict[str, Library], source: str) -> None:
    period = Parameter(name="when", kind="date", holds="range")
    with pytest.raises(QueryError, match=r"Query rows: :given is a list; write in \(:given\), or :given_count"):
        ask(sources[source], "select name from ports where name = :given", texts(), given=["a"])
    with pytest.raises(QueryError, match=":when is a range; write :when_from and :when_to"):
        ask(sources[source], "select name from ports where :when is null", period, when="2025-01-01/2025-01-31")


def test_lists_in_expressions_select_what_they_hold(library: Callable[[str], Library]) -> None:
    made = library(
        "create table lines (port text, pieces integer); insert into lines values ('TQ', 1), ('O''x', 2), (null, 4);"
    )
    table = table_of("pieces", total=row_of(pieces="sum(pieces) filter (where port in (:ports))")).but(
        columns=[*table_of("pieces").columns, {"name": "in", "value": "port in (:ports)", "format": None}]
    )
    report = report_of(table, parameters=[texts("ports")])
    document = render(report, made, ports=["O'x"])
    assert (column_of(document, "in"), column_of(document, "pieces", "total")) == (["no", "yes", ""], ["2"])
    assert column_of(render(report, made), "pieces", "total") == []


@given(given_texts=st.lists(TEXTS, min_size=1, max_size=6, unique=True))
def test_texts_in_expressions_stay_texts(tmp_path_factory: pytest.TempPathFactory, given_texts: list[str]) -> None:
    folder = tmp_path_factory.mktemp("texts", numbered=True)
    connection = sqlite3.connect(folder / "db.sqlite")
    connection.execute("create table lines (t text)")
    connection.executemany("insert into lines values (?)", [(text,) for text in given_texts])
    connection.commit()
    connection.close()
    made = Library(folder, Connections(connections=(SqliteConnection(name="db", database="db.sqlite"),)))
    table = table_of("t", total=row_of(t="count(*) filter (where t in (:listed) and t <> :first)"))
    report = report_of(table, parameters=[texts("listed"), Parameter(name="first")])
    document = render(report, made, listed=given_texts, first=given_texts[0])
    assert column_of(document, "t", "total") == [str(len(given_texts) - 1)]


def test_money_in_lists_is_exact(sources: dict[str, Library]) -> None:
    amounts = Parameter(name="amounts", kind="decimal", holds="list")
    for source in ("duckdb", "postgresql", "mariadb"):
        sql = "select case when cast('0.10' as decimal(10,2)) + cast('0.20' as decimal(10,2)) in (:amounts) then 1 else 0 end as n"
        assert ask(sources[source], sql, amounts, amounts=[Decimal("0.30"), "12.5"]) == [{"n": 1}]
        assert ask(sources[source], sql, amounts, amounts=[Decimal("0.3000001")]) == [{"n": 0}]


DAYS_OR_MOMENTS = st.tuples(st.sampled_from(["date", "timestamp"]), st.integers(1, 4), st.sampled_from([0, 6, 12]))


@settings(max_examples=examples(40))
@given(
    st.sampled_from(["day", "moment"]),
    st.sampled_from(["<", "<=", "=", "<>", ">=", ">", "in", "between"]),
    DAYS_OR_MOMENTS,
)
def test_days_and_moments_compare_in_sqlite_as_in_other_databases(
    sources: dict[str, Library], column: str, operator: str, given_value: tuple[str, int, int]
) -> None:
    kind, day, hour = given_value
    moment = datetime(2025, 3, day, hour)
    value = moment.date() if kind == "date" else moment
    tests = {"in": f"{column} in (:many)", "between": f"{column} between :one and :one or not :one < {column}"}
    sql = f"select count(*) as n from days d where {tests.get(operator, f'd.{column} {operator} :one')}"
    parameters = [Parameter(name="one", kind=kind), Parameter(name="many", kind=kind, holds="list", required=False)]
    found = {name: ask(sources[name], sql, *parameters, one=value, many=[value]) for name in ("sqlite", "duckdb")}
    assert found["sqlite"] == found["duckdb"]


@pytest.mark.parametrize("source", ["postgresql", "mariadb", "duckdb"])
def test_computed_columns_are_the_same_at_servers(sources: dict[str, Library], source: str) -> None:
    moment = datetime(2025, 5, 15, 18, 45)
    dialect = sources[source].driver("db").dialect
    parts = [date_part_sql(f"timestamp '{moment}'", part, dialect) for part in DATE_PARTS]
    texts = [
        text_sql("joined", ["name", "name"], "-", dialect),
        text_sql("first", ["name"], "2", dialect),
        text_sql("length", ["name"], "", dialect),
    ]
    figures = [
        bins_sql("port_id", "2", dialect),
        window_sql("running", "port_id", "", "port_id"),
        window_sql("rank", "port_id", "", ""),
    ]
    listed = ", ".join(f"{sql} as c{number}" for number, sql in enumerate([*parts, *texts, *figures]))
    found = ask(sources[source], f"select {listed} from ports where port_id in (1, 2) order by port_id")[1]
    plain = [expected(part, moment) for part in DATE_PARTS]
    assert [plain_value(value) for value in found.values()] == [*plain, "Inverlang-Inverlang", "In", 9.0, 2.0, 3.0, 1.0]


@pytest.mark.parametrize("source", SOURCES)
def test_a_query_with_lists_can_be_checked_without_running_it(sources: dict[str, Library], source: str) -> None:
    report = report_of(
        queries=[Query(name="rows", connection="db", sql="select name from ports where name in (:given)")],
        parameters=[texts()],
    )
    for given_texts in ([], ["a", "b'"]):
        message = Session(sources[source]).check(report, "rows", bind(report, {"given": given_texts}), CancelToken())
        assert message == "db"


@pytest.mark.parametrize("source", SOURCES)
@pytest.mark.parametrize(
    "sql",
    [
        "select port_id,\n  :given as given, «nope» from ports",
        "select port_id, :given as given\nfrom ports where «misspelt»(name) = 'x'",
        "select p.port_id, :given as given from ports p\njoin «harbours» h on h.port_id = p.port_id",
        "select p.port_id, :given as given, 'a long text that takes much of this line' as a, upper(lower(p.name)) as b, "
        "upper(«nope») as c, 'another long text at its end' as d from ports p",
    ],
)
def test_a_fault_of_a_run_has_its_place_in_what_was_written(sources: dict[str, Library], source: str, sql: str) -> None:
    written = sql.replace("«", "").replace("»", "")
    with pytest.raises(QueryError) as caught:
        ask(sources[source], written, Parameter(name="given"), given="a value that is longer than its name")
    assert caught.value.position is not None
    assert written[caught.value.position :].startswith(sql.partition("«")[2].partition("»")[0])


@pytest.mark.parametrize("source", ["postgresql", "duckdb"])
def test_whole_numbers_and_lists_are_arguments_of_functions(sources: dict[str, Library], source: str) -> None:
    whole = [Parameter(name=name, kind="integer", holds=holds) for name, holds in (("n", "one"), ("ids", "list"))]
    day = Parameter(name="day", kind="date")
    length = "cardinality(:ids)" if source == "postgresql" else "len(:ids)"
    sql = (
        f"select left(name, :n) as a, make_date(2025, :n, 1) as b, :day + :n as c, {length} as d "
        "from ports where port_id = any(:ids)"
    )
    (row,) = ask(sources[source], sql, *whole, day, n=2, ids=[1, 99], day=date(2025, 1, 30))
    assert row == {"a": "Ta", "b": date(2025, 2, 1), "c": date(2025, 2, 1), "d": 2}
    large = 2**40
    (row,) = ask(sources[source], "select :n + 1 as a from ports where port_id = 1", *whole, n=large, ids=[1])
    assert row["a"] == large + 1


def test_what_a_server_takes_no_list_in_is_reported(sources: dict[str, Library]) -> None:
    with pytest.raises(QueryError, match=r":given is a list; write in \(:given\)"):
        ask(sources["postgresql"], "select name from ports where name = :given", texts(), given=["a"])
    with pytest.raises(QueryError, match=r":given is a list; write in \(:given\)"):
        ask(sources["sqlite"], "select lower(:given) from ports", texts(), given=["a"])
