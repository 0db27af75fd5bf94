"""Changes to sentences: the SQL stays sound."""

import sqlite3
from collections.abc import Callable
from contextlib import closing
from typing import Any

import duckdb
import pytest

from northmoor.core.base.replace import replace
from northmoor.core.errors import QueryError
from northmoor.core.expr.identifiers import sql_table
from northmoor.core.sources.builder.asides import JoinPair, match_sql
from northmoor.core.sources.builder.computed_forms import FirstOfEach, read_first_of_each, with_first_of_each
from northmoor.core.sources.builder.computing import first_of_each
from northmoor.core.sources.builder.edits import (
    add_operand,
    change_condition,
    project,
    select_all,
    split_aggregate,
    toggle_connective,
    with_condition,
    without_table,
)  # fmt: skip
from northmoor.core.sources.builder.joins import JoinProposal, joined, new_alias, proposed_pairs
from northmoor.core.sources.builder.pivoting import Pivot, PivotValue, change_pivot, pivot, read_pivots, unpivot
from northmoor.core.sources.builder.select_model import (
    BooleanGroup,
    Comparison,
    FromItem,
    OrderItem,
    SelectItem,
    SelectModel,
    select_sql,
)
from northmoor.core.sources.builder.select_parser import parse_select
from northmoor.core.sources.builder.select_writer import rewrite_select
from northmoor.core.sources.drivers.catalog import Catalog, CatalogColumn, CatalogTable

PORTS = CatalogTable("ports", (CatalogColumn("port_id", "integer"), CatalogColumn("name", "text")), 7)
ROUTES = CatalogTable("routes", (CatalogColumn("from_port_id", "integer"), CatalogColumn("name", "text")), 9)
CATALOG = Catalog((PORTS, ROUTES))


def test_names_are_quoted_only_where_they_must_be() -> None:
    assert [sql_table(n, "mysql") for n in ("ports", "Ports", "order", "two words", "archive.old ports")] == [
        "ports",
        "`Ports`",
        "`order`",
        "`two words`",
        "archive.`old ports`",
    ]
    assert sql_table('a"b', "postgres") == '"a""b"'
    assert [sql_table("old.ports", dialect) for dialect in ("sqlite", "postgres")] == ['"old.ports"', "old.ports"]


@pytest.mark.parametrize("connect", [sqlite3.connect, duckdb.connect])
def test_names_with_dots_are_taken_joined_and_given(connect: Callable[[str], Any]) -> None:
    dialect = "sqlite" if connect is sqlite3.connect else "duckdb"
    with closing(connect(":memory:")) as connection:
        connection.execute('create table "old.ports" ("port.id" integer, name text)')
        connection.execute('create table "calls.2025" ("port.id" integer, "paid.in" integer)')
        connection.execute("""insert into "old.ports" values (1, 'Tarrow Quay')""")
        connection.execute('insert into "calls.2025" values (1, 7), (1, 8)')
        key, calls = CatalogColumn("port.id", "integer"), CatalogColumn("paid.in", "integer")
        ports = CatalogTable("old.ports", (key, CatalogColumn("name", "text")), 1)
        sentence = select_all(ports, dialect)
        assert sentence.from_items[0].known_as == '"old.ports"'
        new = FromItem(sql_table("calls.2025", dialect))
        way = JoinProposal(sentence.from_items[0].known_as, (("port.id", "port.id"),), is_key=True)
        sentence = joined(sentence, new, "join", proposed_pairs(new, way, dialect), "")
        items = (*sentence.select_items, SelectItem(f'{new.known_as}."paid.in"', "paid"), SelectItem("1", '"a.b"'))
        sql = select_sql(project(sentence, items, dialect))
        assert sorted(connection.execute(sql).fetchall()) == [(1, "Tarrow Quay", 7, 1), (1, "Tarrow Quay", 8, 1)]
        assert parse_select(sql, dialect) == project(sentence, items, dialect)
        assert calls.name in sql
        assert new_alias(sentence, '"calls.2025"') == "calls_2025_2"


def test_a_sentence_begins_with_a_table_and_grows_by_joins() -> None:
    sentence = select_all(ROUTES, "sqlite")
    assert select_sql(sentence) == "select routes.from_port_id,\n  routes.name\nfrom routes\n"
    pairs = [JoinPair("routes.from_port_id", "=", "ports.port_id")]
    once = joined(sentence, FromItem("ports"), "join", pairs, "")
    assert new_alias(once, "ports") == "ports_2"
    twice = joined(once, FromItem("ports", "ports_2"), "left join", [], "ports_2.port_id = routes.from_port_id")
    assert [(t.known_as, t.join, t.on) for t in twice.from_items[1:]] == [
        ("ports", "join", "routes.from_port_id = ports.port_id"), ("ports_2", "left join", "ports_2.port_id = routes.from_port_id"),
    ]  # fmt: skip
    kept = project(
        twice, [SelectItem("routes.name"), SelectItem("ports.name"), SelectItem("ports_2.name", "target")], "sqlite"
    )
    assert [k.name for k in kept.select_items] == ["", "ports_name", "target"]
    assert parse_select(select_sql(kept), "sqlite") == kept


def test_a_table_goes_with_all_that_refers_to_it() -> None:
    sentence = SelectModel(
        (FromItem("routes"), FromItem("ports", "", "join", on="ports.port_id = routes.from_port_id"), FromItem("islands", "", "join", on="islands.id = ports.island_id")),
        (SelectItem("routes.name"), SelectItem("upper(ports.name)", "port"), SelectItem("my_ports.x")),
        BooleanGroup("and", (Comparison("ports.name", "=", ("'a'",)), Comparison("routes.name", "is not null"))),
        sorting=(OrderItem("islands.name"), OrderItem("routes.name")),
    )  # fmt: skip
    left = without_table(sentence, 1)
    assert left == SelectModel(
        (FromItem("routes"),),
        (SelectItem("routes.name"), SelectItem("my_ports.x")),
        Comparison("routes.name", "is not null"),
        sorting=(OrderItem("routes.name"),),
    )


def test_conditions_are_joined_turned_and_taken_out() -> None:
    a, b, c = (Comparison(name, "=", ("1",)) for name in "abc")
    one = with_condition(SelectModel((FromItem("t"),), (SelectItem("*"),)), a)
    assert one.where == a
    two = with_condition(one, b).where
    assert two == BooleanGroup("and", (a, b))
    nested = add_operand(two, (1,), c, "or")
    assert nested == BooleanGroup("and", (a, BooleanGroup("or", (b, c))))
    assert toggle_connective(nested, (1,)) == BooleanGroup("and", (a, BooleanGroup("and", (b, c))))
    assert add_operand(nested, (1, 0), a, "or") == BooleanGroup("and", (a, BooleanGroup("or", (b, a, c))))
    assert change_condition(nested, (1, 0), None) == BooleanGroup("and", (a, c))
    assert change_condition(change_condition(nested, (1,), None), (), None) is None


def test_totals_group_by_all_that_is_no_total() -> None:
    sentence = SelectModel((FromItem("t"),), (SelectItem("*"),))
    grouped = project(sentence, [SelectItem("a"), SelectItem("b + 1", "c"), SelectItem("sum(d)", "total")], "postgres")
    assert [g.expression for g in grouped.groups] == ["a", "b + 1"]
    assert project(grouped, [SelectItem("a")], "postgres").groups == ()
    assert project(grouped, [SelectItem("count(*)", "n")], "postgres").groups == ()


def test_totals_are_distinguished_from_what_they_total() -> None:
    assert [split_aggregate(e) for e in ("sum(a * (b + 1))", "COUNT(distinct x)", "sum(a) + sum(b)", "a", "count(*)")] == [
        ("sum", "a * (b + 1)"), ("count_distinct", "x"), ("", "sum(a) + sum(b)"), ("", "a"), ("count", "*"),
    ]  # fmt: skip


@pytest.mark.parametrize("dialect", ["sqlite", "duckdb"])
def test_values_become_columns_and_columns_rows_again(dialect: str) -> None:
    rows = [("TQ", "late", 3), ("TQ", None, 5), ("SK", "it's", 2), ("SK", "late", 4), ("SK", "late", 1)]
    sql = "SELECT port, how, n -- as counted\nFROM lines\n"
    sentence = parse_select(sql, dialect)
    assert sentence is not None
    values = (PivotValue("it's", "'it''s'"), PivotValue("late", "'late'"), PivotValue("blank", None))
    wanted = Pivot("how", values, "n", "sum", has_whole=True)
    wide = rewrite_select(sql, pivot(sentence, wanted, dialect), dialect)
    assert "-- as counted" in wide
    long = unpivot(wide, dialect, ["it's", "late", "blank"], "how", "n")
    with duckdb.connect() if dialect == "duckdb" else closing(sqlite3.connect(":memory:")) as engine:
        engine.execute("create table lines (port varchar, how varchar, n integer)")
        engine.executemany("insert into lines values (?, ?, ?)", rows)
        assert sorted(engine.execute(wide).fetchall()) == [("SK", 2, 5, None, 7), ("TQ", None, 3, 5, 8)]
        found = {(port, how): n for port, _, how, n in engine.execute(long).fetchall() if n is not None}
    assert found == {("SK", "it's"): 2, ("SK", "late"): 5, ("TQ", "late"): 3, ("TQ", "blank"): 5}


@pytest.mark.parametrize("dialect", ["sqlite", "duckdb", "postgres", "mysql"])
def test_columns_for_values_are_read_back(dialect: str) -> None:
    written = parse_select("SELECT port, n, how FROM lines", dialect)
    assert written is not None
    values = tuple(PivotValue(name, sql) for name, sql in (("late", "'late'"), ("it's", "'it''s'"), ("blank", None)))
    wanted = Pivot("how", values, "n + 1", "avg", has_whole=True)
    made = parse_select(select_sql(pivot(written, wanted, dialect, str.upper)), dialect)
    assert made is not None
    (found,) = read_pivots(made, dialect)
    assert found.pivot == wanted
    assert change_pivot(made, found, wanted, dialect, str.upper) == made


def test_columns_for_values_that_somebody_wrote_are_changed_where_they_differ() -> None:
    sql = (
        "SELECT port, COUNT(*) AS calls, -- all of them\n  SUM(CASE WHEN how='late' THEN n END) AS too_late,\n"
        "  sum(case when how = 'early' then n end) as early, sum(n), max(case when day > :d then n end) as newest\n"
        "FROM lines GROUP BY port"
    )
    sentence = parse_select(sql, "sqlite")
    assert sentence is not None
    (found,) = read_pivots(sentence, "sqlite")
    assert (found.pivot.across, found.pivot.value, found.pivot.total, found.pivot.has_whole) == (
        "how",
        "n",
        "sum",
        True,
    )
    values = (found.pivot.values[0], PivotValue("on time", "'on time'"))
    changed = change_pivot(sentence, found, replace(found.pivot, values=values), "sqlite", str.upper)
    assert rewrite_select(sql, changed, "sqlite") == sql.replace(
        "sum(case when how = 'early' then n end) as early", "sum(CASE WHEN how = 'on time' THEN n END) as \"on time\""
    )
    with pytest.raises(QueryError, match="Choose the values"):
        change_pivot(sentence, found, replace(found.pivot, values=()), "sqlite")


@pytest.mark.parametrize(
    "totals",
    [
        "sum(case when a = 1 then n end) as x",
        "sum(case when a = 1 then n end) as x, max(case when a = 2 then n end) as y",
        "sum(case when a = 1 then n else 0 end) as x, sum(case when a = 2 then n else 0 end) as y",
        "sum(case when a = b then n end) as x, sum(case when a = c then n end) as y",
        "sum(case when a = 1 then n end) as x, sum(case when a = 2 and b = 3 then n end) as y",
    ],
)
def test_other_totals_are_no_columns_for_values(totals: str) -> None:
    sentence = parse_select(f"select k, {totals} from t group by k", "sqlite")
    assert sentence is not None
    assert read_pivots(sentence, "sqlite") == ()


@pytest.mark.parametrize("dialect", ["sqlite", "duckdb", "postgres", "mysql"])
def test_the_first_rows_of_each_are_read_back_and_changed(dialect: str) -> None:
    plain = "SELECT port, day, n -- as counted\nFROM lines"
    sql = first_of_each(plain, dialect, "port", OrderItem("day", True), "3", "numbered")
    sentence = parse_select(sql, dialect)
    assert sentence is not None
    assert isinstance(sentence.where, Comparison)
    found = read_first_of_each(sentence, sentence.where, dialect)
    assert found == FirstOfEach(0, 3, "port", OrderItem("day", True), "3")
    assert with_first_of_each(sentence, found, found, dialect) == sentence
    wanted = replace(found, within="day", order=OrderItem("n"))
    changed = rewrite_select(sql, with_first_of_each(sentence, found, wanted, dialect), dialect)
    assert changed == sql.replace("PARTITION BY port ORDER BY day DESC", "PARTITION BY day ORDER BY n") != sql
    assert "-- as counted" in changed
    other = parse_select(sql.replace("row_number()", "rank()"), dialect)
    assert other is not None
    assert read_first_of_each(other, sentence.where, dialect) is None
    assert read_first_of_each(sentence, Comparison("n", "<=", ("3",)), dialect) is None


def test_a_value_that_is_named_like_a_column_gets_a_name_of_its_own() -> None:
    sentence = parse_select("select port, how, n from lines", "sqlite")
    assert sentence is not None
    values = (PivotValue("port", "'port'"), PivotValue("total", "'total'"))
    turned = pivot(sentence, Pivot("how", values, "n", "sum", has_whole=True), "sqlite")
    assert [item.name or item.expression for item in turned.select_items] == ["port", "port_2", "total", "total_2"]


@pytest.mark.parametrize(
    ("sql", "columns", "name", "message"),
    [
        ("select * from t", ["a", "b"], "item", "Choose the query's columns first"),
        ("select a, b from t", ["a"], "item", "two or more columns"),
        ("select a, b, c from t", ["a", "b"], "c", "c cannot name the new column"),
        ("select a, b, c from t", ["a", "b"], "value", "value cannot name the new column"),
    ],
)
def test_columns_that_cannot_become_rows_say_why(sql: str, columns: list[str], name: str, message: str) -> None:
    with pytest.raises(QueryError, match=message):
        unpivot(sql, "sqlite", columns, name, "value")


@pytest.mark.parametrize(
    ("where", "figures"),
    [
        ("", [4, 3, 4, 3, 0]),
        (" where b.paid = 1 -- only these", [2, 2, 3, 3, 0]),
        (" where b.port = 1 or b.paid = 0", [3, 2, 2, 3, 2]),
    ],
)
def test_what_a_join_matches_is_counted_among_the_rows_that_are_kept(where: str, figures: list[int]) -> None:
    connection = sqlite3.connect(":memory:")
    connection.executescript(
        "create table bookings (port integer, paid integer); create table ports (port integer, name text);"
        "insert into bookings values (1, 1), (2, 1), (1, 0), (9, 0);"
        "insert into ports values (1, 'Tarrow Quay'), (2, 'Inverlang'), (2, 'Inverlang Pier')"
    )
    sentence = parse_select(f"select b.port from bookings b{where}\n", "sqlite")
    assert sentence is not None
    sql = match_sql(sentence, FromItem("ports", "p", "join"), "p.port = b.port")
    wanted = connection.execute(
        "select count(*), count(distinct case when p.port is not null then b.rowid end), count(p.port) "
        f"from bookings b left join ports p on p.port = b.port{where}"
    ).fetchone()
    found = list(connection.execute(sql).fetchone())
    connection.close()
    assert found[1:3] == list(wanted[1:])
    assert found == figures
