"""An expression as on the pages has the same values in a query of every database."""

import sqlite3
from collections.abc import Iterator
from decimal import Decimal
from typing import Any

import duckdb
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from northmoor.core.engine.embedded import SETTINGS
from northmoor.core.errors import QueryError
from northmoor.core.sources.builder.page_expressions import expression_sql
from tests.core.test_computing import plain_value
from tests.core.test_sentence import DIALECTS
from tests.helpers import examples
from tests.servers import DATABASE, PrivateMariadb, PrivatePostgresql

pytestmark = pytest.mark.xdist_group("servers")
KINDS = {"n": "number", "m": "number", "amount": "number", "name": "text", "day": "date", "seen": "timestamp"}
ROWS = [
    (7, 2, "12.50", "Tarrow Quay", "2024-02-29", "2024-12-30 23:59:59"),
    (-7, 2, "-0.05", "tarrow quay", "2025-03-31", "2025-01-05 06:30:00"),
    (8, 0, "1.15", "Inverlang", "2025-12-31", "2025-08-31 07:00:00"),
    (0, -3, "2.25", "Åsay_ [1]*?%", "2025-01-01", "2025-05-15 18:45:00"),
    (None, 5, None, None, None, None),
]
TABLE = "create {temporary} table voyages (n integer, m integer, amount decimal(10,2), name {text}, day date, seen {moment})"

numbers = st.recursive(
    st.sampled_from(["n", "m", "amount", "3", "0.5", "length(name)", "year(day)", "month(seen)", "isodow(day)", "quarter(seen)",
                     "hour(seen)", "extract(year from day)", "date_diff('day', day, seen)"]),
    lambda inner: st.builds("({} {} {})".format, inner, st.sampled_from("+-*/"), inner)
    | st.builds("{}({})".format, st.sampled_from(["abs", "floor", "ceil", "-"]), inner)
    | st.builds("{}({}, {})".format, st.sampled_from(["greatest", "least", "coalesce", "nullif"]), inner, inner)
    | st.builds("case when {} > {} then {} else {} end".format, inner, inner, inner, inner),
    max_leaves=4,
)  # fmt: skip
texts = st.sampled_from(["name", "left(name, 3)", "right(name, 4)", "substring(name, 2, 3)", "name || '-' || name", "trim(name)",
                         "replace(name, 'r', 'x')", "concat(name, '!')", "coalesce(name, 'none')"])  # fmt: skip
conditions = (
    st.builds("{} {} {}".format, texts, st.sampled_from(["=", "<>", "<", ">="]), texts)
    | st.builds("name {}like '{}'".format, st.sampled_from(["", "not "]),
                st.sampled_from(["T%", "%quay", "%a__w%", "%[1]%", "%*?%", "tarrow quay"]))
    | st.builds("{} between {} and {}".format, numbers, numbers, numbers)
    | st.builds("name in ('Inverlang', {})".format, texts)
    | st.builds("day {} '2025-06-01'".format, st.sampled_from(["<", ">=", "="]))
    | st.builds("not ({} is null) and (day < date '2025-06-01' or {} >= 2)".format, texts, numbers)
)  # fmt: skip
days = st.sampled_from(["day", "cast(seen as date)", "date_trunc('month', day)", "date_trunc('week', day)",
                        "cast(date_trunc('quarter', seen) as date)", "if(n > 0, day, date '2025-02-01')"])  # fmt: skip


@pytest.fixture(scope="module")
def databases(postgresql: PrivatePostgresql, mariadb: PrivateMariadb) -> Iterator[dict[str, Any]]:
    """A cursor in each database with the same rows."""
    connections = {
        "sqlite": sqlite3.connect(":memory:"),
        "duckdb": duckdb.connect(config=SETTINGS),
        "postgres": postgresql.admin(DATABASE),
        "mysql": mariadb.admin(DATABASE),
    }
    found = {dialect: connection.cursor() for dialect, connection in connections.items()}
    for dialect, cursor in found.items():
        moment = "datetime" if dialect == "mysql" else "timestamp"
        text = "varchar(40) character set utf8mb4" if dialect == "mysql" else "text"
        cursor.execute(TABLE.format(temporary="temporary", text=text, moment=moment))
        for row in ROWS:
            values = ", ".join("null" if value is None else repr(value) for value in row)
            cursor.execute(f"insert into voyages values ({values})")
    yield found
    for connection in connections.values():
        connection.close()


def figures(cursor: Any, columns: list[str]) -> list[list[Any]]:
    """The values of expressions in each row, as all databases have them."""
    cursor.execute(f"select {', '.join(f'{sql} as c{at}' for at, sql in enumerate(columns))} from voyages order by m")
    return [[plain(value) for value in row] for row in cursor.fetchall()]


def plain(value: Any) -> Any:
    """A value to compare: numbers in twelve digits."""
    if isinstance(value, Decimal | float | int):
        return float(f"{float(value):.12g}") + 0.0
    return plain_value(value)


@settings(max_examples=examples(60), deadline=None)
@given(st.lists(numbers | texts | conditions | days, min_size=4, max_size=8))
def test_the_values_are_those_of_the_page(databases: dict[str, Any], written: list[str]) -> None:
    wanted = figures(databases["duckdb"], [f"({text})" for text in written])
    for dialect in ("sqlite", "postgres", "mysql"):
        made = [f"({expression_sql(text, dialect, KINDS)})" for text in written]  # type: ignore[arg-type]
        assert figures(databases[dialect], made) == wanted, (dialect, made)


@pytest.mark.parametrize("written", ["sum(n) / count(*)", "avg(n)", "sum(amount) filter (where n > 0)", "count(distinct m)",
                                     "round(sum(amount) / 3, 2)", "max(day)"])  # fmt: skip
def test_so_are_figures_of_the_rows(databases: dict[str, Any], written: str) -> None:
    found = {}
    for dialect, cursor in databases.items():
        cursor.execute(f"select {expression_sql(written, dialect, KINDS)} from voyages where m <> 0")  # type: ignore[arg-type]
        found[dialect] = plain(cursor.fetchone()[0])
    assert set(found.values()) == {found["duckdb"]}, found


@pytest.mark.parametrize("dialect", DIALECTS)
def test_what_only_pages_know_is_refused(dialect: str) -> None:
    with pytest.raises(QueryError, match=r"page_number\(\) is known on pages only"):
        expression_sql("page_number() + 1", dialect, {})


@pytest.mark.parametrize(
    ("written", "named"),
    [
        ("lower(name)", r"SQLite has no counterpart of lower\(\) with these values"),
        ("name || n", "numbers, days or moments joined to texts"),
        ("left(name, n)", r"left\(\) of other places than numbers"),
        ("date_trunc('month', seen)", r"of a moment \(write it in cast"),
        ("cast(n as double)", "cast to double"),
        ("n % 2", "n % 2"),
        ("sum(", "cannot be understood"),
    ],
)
def test_what_has_other_values_there_is_refused_by_name(written: str, named: str) -> None:
    with pytest.raises(QueryError, match=named):
        expression_sql(written, "sqlite", KINDS)  # type: ignore[arg-type]
