"""Decimals computed in SQLite decide about rows as decimals do, and nothing else of a query's text changes."""

import re
import sqlite3
from decimal import Decimal

import duckdb
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import QueryError
from northmoor.core.model.data.connections import Connections, SqliteConnection
from northmoor.core.model.data.queries import Query
from northmoor.core.sources.drivers.read_only import check_query
from northmoor.core.sources.fetch.plan import plan
from northmoor.core.sources.library import Library
from northmoor.core.sources.typing.exact_decimals import exact_sql
from tests.helpers import examples, fetched, report_of

TABLE = "create table lines (id integer, qty integer, net decimal(10,2), tax decimal(10,2), gross decimal(12,2))"
VALUES = [Decimal(n) / 100 for n in (10, 20, 30, 70, 110, 115, 230, 575, 1999, 100_000_030)]
LINES = [
    (at, at % 4 + 1, net, tax, net + tax + (at % 3 == 2) * Decimal("0.01"))
    for at, (net, tax) in enumerate((net, tax) for net in VALUES for tax in VALUES)
]

decimals = st.recursive(
    st.sampled_from(["net", "tax", "gross", "l.net", "qty", "0.1", "0.3"]),
    lambda inner: (
        st.builds("({} {} {})".format, inner, st.sampled_from("+-"), inner)
        | st.builds("({} * {})".format, inner, st.sampled_from(["qty", "0.19"]))
        | st.builds("{} {} {}".format, inner, st.sampled_from("+-"), inner)
        | st.builds("{}({})".format, st.just("abs"), inner)
        | st.builds("coalesce({}, 0)".format, inner)
    ),
    max_leaves=3,
).filter(lambda text: any(column in text for column in ("net", "tax", "gross")))
queries = (
    st.builds("select id as n from lines l where {} {} {}".format, decimals, st.sampled_from(["=", "<>", "<", ">="]), decimals)
    | st.builds("select id as n from lines l where {} between {} and {}".format, decimals, decimals, decimals)
    | st.builds("select count(*) as n from lines l group by {}".format, decimals)
    | st.builds("select count(*) as n, {} from lines l group by 2".format, decimals)
    | st.builds("select count(*) as n, {} as total from lines l where total > 0.3 group by total".format, decimals)
    | st.builds("select count(*) as n from (select distinct {} from lines l) d".format, decimals)
    | st.builds("select qty as n from lines l group by qty having sum({}) = sum({}) + 0.1 * count(*)".format, decimals, decimals)
    | st.builds("with s as (select id, {} as total from lines l) select id as n from s where total = 0.3".format, decimals)
)  # fmt: skip


@pytest.fixture(scope="module")
def ledger(tmp_path_factory: pytest.TempPathFactory) -> Library:
    """A library over lines of an invoice whose gross is net and tax, but for a third of them."""
    folder = tmp_path_factory.mktemp("ledger")
    with sqlite3.connect(folder / "db.sqlite") as made:
        made.execute(TABLE)
        made.executemany("insert into lines values (?, ?, ?, ?, ?)", [(a, b, *map(float, c)) for a, b, *c in LINES])
    made.close()
    return Library(folder, Connections(connections=(SqliteConnection(name="db", database="db.sqlite"),)))


@pytest.fixture(scope="module")
def exactly() -> duckdb.DuckDBPyConnection:
    """The same lines where decimals are decimals."""
    made = duckdb.connect()
    made.execute(TABLE)
    made.executemany("insert into lines values (?, ?, ?, ?, ?)", LINES)
    return made


@settings(max_examples=examples(150), deadline=None)
@given(queries)
def test_rows_are_those_of_exact_decimals(ledger: Library, exactly: duckdb.DuckDBPyConnection, sql: str) -> None:
    wanted = sorted(n for n, *_ in exactly.execute(sql).fetchall())
    assert sorted(fetched(ledger, sql).table["n"].to_pylist()) == wanted


def test_an_invoice_is_checked(ledger: Library) -> None:
    rows = fetched(ledger, "select id from lines where net + tax <> gross and id < :most", most=50)
    assert rows.table["id"].to_pylist() == [at for at, *_ in LINES if at % 3 == 2 and at < 50]


@pytest.mark.parametrize(
    ("sql", "sent"),
    [
        ("select net+tax, id from lines\nwhere ( net +tax ) * 2 > :x -- all", "select net+tax, id from lines\n"
         "where round(( net +tax ) * 2, 4) > :x -- all"),
        ("select distinct net  + tax from lines", 'select distinct round(net  + tax, 4) as "net  + tax" from lines'),
        ("select net + tax from lines order by 1", None),
        ("select qty, sum(net * qty) as paid from lines group by qty", None),
        ("select id from lines where qty + 1 = id and net > 0.3 and :rate * net > 1", None),
        ("select id from lines where qty * 1.5e0 > 3", None),
    ],
)  # fmt: skip
def test_only_what_decides_is_rounded(ledger: Library, sql: str, sent: str | None) -> None:
    assert exact_sql(check_query(sql), lambda: ledger.catalog("db", CancelToken())) == (sent or sql)


def test_the_plan_shows_what_is_sent(ledger: Library) -> None:
    (step,) = plan(
        report_of(queries=[Query(name="q", connection="db", sql="select 1 from lines where net + tax = 0.3")]),
        "q",
        ledger,
    )
    assert step.sql == "select 1 from lines where round(net + tax, 4) = 0.3"
    assert "rounded where they are compared" in step.what


def test_a_fault_keeps_its_place_in_what_was_written(ledger: Library) -> None:
    sql = "select id from lines where net + tax = gross and nett > 1"
    with pytest.raises(QueryError, match="nett") as fault:
        fetched(ledger, sql)
    assert fault.value.position == re.search("nett", sql).start()  # type: ignore[union-attr]
