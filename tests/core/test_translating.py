"""A query that moves to another database: the same bytes where they mean the same, the same rows where they do not."""

import sqlite3

import duckdb
import pytest

from northmoor.core.errors import QueryError
from northmoor.core.expr.placeholders import placeholders
from northmoor.core.sources.builder.translating import translate_sql
from tests.core.test_sentence import DIALECTS


@pytest.mark.parametrize("to", DIALECTS)
def test_what_both_write_alike_keeps_its_bytes(to: str) -> None:
    sql = "SELECT a, -- why\n  count(*) n\nfrom t\nwhere b in (:list) and c > :from\ngroup by a"
    assert translate_sql(sql, "sqlite", to).sql == sql
    assert translate_sql(sql, "sqlite", to).is_kept


def test_a_function_that_only_one_has_is_translated() -> None:
    made = translate_sql("select ifnull(a, 0) as a from t", "sqlite", "postgres")
    assert (made.is_kept, " ".join(made.sql.split())) == (False, "SELECT COALESCE(a, 0) AS a FROM t")


def test_functions_that_may_not_be_there_are_named() -> None:
    made = translate_sql("select date(d, 'start of month') as m, my_own(a) as b from t", "sqlite", "duckdb")
    assert "Whether DuckDB has date(), my_own() in this form is not known here" in " ".join(made.notes)


def test_what_is_written_otherwise_is_translated_and_gives_the_same_rows() -> None:
    rows = [(n, f"2025-0{1 + n % 9}-1{n % 3}", "ab"[n % 2] * 3) for n in range(20)]
    lite, duck = sqlite3.connect(":memory:"), duckdb.connect()
    for connection in (lite, duck):
        connection.execute("create table t (n integer, d date, k text)")
        connection.executemany("insert into t values (?, ?, ?)", rows)
    sql = "select ifnull(k, '-') as k, strftime('%Y', d) as year, sum(n) as total, group_concat(k, '+') as all_k from t group by 1, 2 order by 1"
    made = translate_sql(sql, "sqlite", "duckdb")
    assert not made.is_kept
    assert [tuple(map(str, row)) for row in lite.execute(sql)] == [
        tuple(map(str, row)) for row in duck.execute(made.sql).fetchall()
    ]


def test_parameters_stay_and_what_changes_is_reported() -> None:
    sql = "select a / b as r from t where date_trunc('month', d) = :month and k like :pattern order by a"
    made = translate_sql(sql, "postgres", "mysql")
    assert [p.name for p in placeholders(made.sql, "mysql")] == ["month", "pattern"]
    notes = " ".join(made.notes)
    for words in ("7 / 2 is 3", "without regard to capitals", "like does not regard"):
        assert words in notes
    assert "NULLS FIRST" not in sql
    assert "NULLS FIRST" in translate_sql("select a from t order by a", "sqlite", "postgres").sql
    assert translate_sql("select a from t", "postgres", "duckdb").notes == ()
    with pytest.raises(QueryError):
        translate_sql("drop table t", "postgres", "duckdb")
