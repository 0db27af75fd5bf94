"""Parameters in SQL text: found where they are, nowhere else, and faults placed where the user wrote them."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.errors import RefusedQuery
from northmoor.core.expr.placeholders import for_driver, named_position, placeholders
from northmoor.core.sources.drivers.read_only import check_query

DIALECTS = ("sqlite", "postgres", "mysql", "duckdb")


@pytest.mark.parametrize("dialect", DIALECTS)
@pytest.mark.parametrize(
    ("sql", "names"),
    [
        ("select :a, :a + :b_2 from t", ["a", "a", "b_2"]),
        ("select ':no' as x, \"y\" from t -- :no either\nwhere a = :yes /* :nor here */", ["yes"]),
        ("select x from t where d between :from and :to limit :first", ["from", "to", "first"]),
        ("select (:a)", ["a"]),
        ("select 'it''s :no', :yes", ["yes"]),
    ],
)
def test_parameters_are_found_outside_texts_and_comments(sql: str, names: list[str], dialect: str) -> None:
    assert [p.name for p in placeholders(sql, dialect)] == names
    assert check_query(sql, dialect).parameters == set(names)


def test_casts_and_slices_are_no_parameters() -> None:
    assert placeholders("select x::int, a[1:n], b[lo:hi] from t", "postgres") == ()
    assert [p.name for p in placeholders("select x::int + :n", "postgres")] == ["n"]
    assert [p.name for p in placeholders("call totals(:season, :year)", "mysql")] == ["season", "year"]


@given(st.lists(st.sampled_from(["a", ":year", "'t:x'", ",", " ", "\n", ":s"]), max_size=30))
def test_every_offset_leads_back_to_where_it_was_written(parts: list[str]) -> None:
    sql = "select " + " ".join(parts)
    made = for_driver(sql, "postgres", lambda found: f"$<{found.name * 3}>")
    for number, letter in enumerate(made.sql):
        at = made.original(number)
        inside = made.sql.rfind("$<", 0, number + 1) > made.sql.rfind(">", 0, number)
        if not inside and letter not in "$<>":
            assert sql[at] == letter
    assert list(made.names) == [p.name for p in placeholders(sql, "postgres")]


def test_what_ends_a_statement_is_left_out() -> None:
    assert for_driver("select 1 ;; ", "sqlite", str).sql.strip() == "select 1"
    assert for_driver("select ';' as x", "sqlite", str).sql == "select ';' as x"


@pytest.mark.parametrize(
    ("dialect", "sql"),
    [
        ("postgres", "select pg_read_file('/etc/passwd')"), ("postgres", "select pg_catalog.pg_sleep(9)"),
        ("postgres", "select lo_import('/etc/passwd')"), ("postgres", "select * from dblink('x', 'y') as t(a int)"),
        ("postgres", "select set_config('transaction_read_only', 'off', false)"), ("postgres", "select nextval('s')"),
        ("postgres", "select query_to_xml('delete from t', true, true, '')"), ("postgres", "select * from t for update"),
        ("postgres", "select 1 into stolen"), ("postgres", "copy t to '/tmp/x'"), ("postgres", "with d as (delete from t returning *) select * from d"),
        ("postgres", "select $1"), ("mysql", "select load_file('/etc/passwd')"), ("mysql", "select sleep(9)"),
        ("mysql", "select 1 /*! into outfile '/tmp/x' */"), ("mysql", "select 1 /*M! into outfile '/tmp/x' */"),
        ("mysql", "select * from t into outfile '/tmp/x'"), ("mysql", "select @@datadir"), ("mysql", "set @a = 1"),
        ("mysql", "call totals((select 1))"), ("mysql", "call totals(1); drop table t"), ("mysql", "call totals(now())"),
        ("mysql", "select benchmark(1000000000, md5('x'))"), ("mysql", "lock tables t write"),
        ("duckdb", "select * from read_parquet('x')"), ("duckdb", "select getenv('HOME')"), ("duckdb", "attach 'x'"),
        ("duckdb", "from query_table('t')"), ("duckdb", "copy t to 'x'"), ("duckdb", "call pragma_version()"),
        ("duckdb", "install httpfs"), ("duckdb", "select * from sniff_csv('x')"), ("duckdb", "set threads = 9"),
    ],
)  # fmt: skip
def test_each_dialects_ways_out_are_refused(dialect: str, sql: str) -> None:
    with pytest.raises(RefusedQuery):
        check_query(sql, dialect)


@pytest.mark.parametrize(
    ("dialect", "sql"),
    [
        ("postgres", "select pg_typeof(a), a->>'b', a::numeric(9,2) from t where a @> '{}' limit 5"),
        ("postgres", "select * from season_totals(:season) where fares > 10"),
        ("mysql", "select date_format(`day`, '%Y-%m') as m, group_concat(distinct code) from t group by m"),
        ("mysql", "call totals(:season, -1, 'x', null)"),
        ("duckdb", "select * exclude (a), list(b) from t qualify row_number() over (partition by a) = 1"),
        ("duckdb", "select * from fees_above(:low)"),
    ],
)  # fmt: skip
def test_each_dialects_own_reading_passes(dialect: str, sql: str) -> None:
    assert check_query(sql, dialect).sql == sql


@pytest.mark.parametrize(
    ("message", "word"),
    [
        ("no such column: b.nix", "nix"), ('near "frm": syntax error', "frm"), ("no such table: lost", "lost"),
        ("Unknown column 'b.nix' in 'SELECT'", "nix"), ("Table 'tarrow.lost' doesn't exist", "lost"), ("out of memory", None),
    ],
)  # fmt: skip
def test_what_a_message_names_is_found_in_the_text(message: str, word: str | None) -> None:
    sql = "select :a_long_name, b.nix, frm\nfrom lost b"
    made = for_driver(sql, "mysql", lambda _: "?")
    assert named_position(message, made) == (sql.index(word) if word else None)
