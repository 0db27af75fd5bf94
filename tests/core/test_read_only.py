"""The guard on its own: what is read, what is refused and in which words, and what a checked query says of itself."""

import pytest
from sqlglot import exp

from northmoor.core.errors import RefusedQuery
from northmoor.core.sources.drivers.read_only import check_query


def refusal(sql: str, dialect: str = "sqlite") -> str:
    with pytest.raises(RefusedQuery) as caught:
        check_query(sql, dialect)
    return caught.value.message


@pytest.mark.parametrize(
    "sql",
    ["call totals(:year)", "CALL totals(2025, 'summer', null, true, -1)", "  call harbour.totals()"],
)
def test_a_procedure_is_called_with_values_and_is_known_as_a_call(sql: str) -> None:
    checked = check_query(sql, "mysql")
    assert checked.is_call
    assert isinstance(checked.tree, exp.Select)
    assert checked.sql == sql
    assert not check_query("select 1 as calls", "mysql").is_call
    assert not check_query("select 1", "postgres").is_call


@pytest.mark.parametrize(
    "sql",
    [
        "call totals((select max(year) from sailings))", "call totals(1), other(2)", "call totals", "call totals(1 + 1)",
        "call totals(now())", "call totals(1) union select 2", "call 1", "call harbour.totals(x)", "call sum(1)",
    ],
)  # fmt: skip
def test_a_call_of_anything_but_values_is_refused(sql: str) -> None:
    assert refusal(sql, "mysql") == "A call takes values and parameters only; write for example call totals(:year)."


def test_a_call_is_no_statement_of_other_servers() -> None:
    for dialect in ("sqlite", "postgres", "duckdb"):
        assert "Nothing was changed" in refusal("call totals(1)", dialect) or "cannot be understood" in refusal(
            "call totals(1)", dialect
        )


def test_parameters_and_tables_are_those_of_the_text() -> None:
    checked = check_query(
        "with late as (select * from sailings where delay > :least) "
        "select l.* from late l join Main.Ports p on p.port_id = l.port_id where p.code in (:ports) and ':no' <> ''"
    )
    assert checked.parameters == {"least", "ports"}
    assert sorted(table.name for table in checked.tables) == ["Ports", "sailings"]
    assert [table.name for table in check_query("select * from generate_series(1, 3) g, t", "postgres").tables] == ["t"]


@pytest.mark.parametrize(
    ("sql", "dialect", "message"),
    [
        ("", "sqlite", "There is no SQL yet; write a select statement."),
        ("-- nothing", "sqlite", "There is no SQL yet; write a select statement."),
        ("select 1; select 2", "sqlite", "One statement is wanted, here are 2; remove what follows the semicolon."),
        ("select 1; select 2; select 3", "sqlite", "here are 3"),
        ("select a\nfrom (t", "sqlite", "near 't' in line 2. A bracket that was opened is not closed."),
        ("delete from t", "sqlite", "Only select statements are run; this is delete. Nothing was changed."),
        ("with gone as (delete from t returning *) select * from gone", "postgres", "Only reading is allowed; delete"),
        ("select * into u from t", "postgres", "Only reading is allowed; into is in the SQL. Nothing was changed."),
        ("select * from t for update", "postgres", "remove what locks the rows"),
        ("select @@secure_file_priv", "mysql", "The server's settings are not for queries; remove @@secure_file_priv."),
        ("select /*! sleep(9) */ 1", "mysql", "Comments that the server runs"),
        ("select /*M! sleep(9) */ 1", "mysql", "Comments that the server runs"),
        ("select sleep(9)", "mysql", "The function sleep() is not allowed in queries."),
        ("select pg_sleep(9)", "postgres", "The function pg_sleep() is not allowed in queries."),
        ("select Load_Extension('x')", "sqlite", "The function load_extension() is not allowed in queries."),
        ("select * from read_csv('x')", "duckdb", "is not allowed in queries."),
        ("select ?", "sqlite", "Write parameters as :name;"),
        ("select @x", "mysql", "Write parameters as :name; @x is in the SQL."),
        ("select " + "(" * 4_000 + "1" + ")" * 4_000, "sqlite", "The SQL is nested too deeply."),
    ],
)  # fmt: skip
def test_what_is_refused_is_explained_in_one_sentence(sql: str, dialect: str, message: str) -> None:
    assert message in refusal(sql, dialect)


@pytest.mark.parametrize(
    ("sql", "dialect"),
    [
        ("select pg_typeof(1), pg_size_pretty(9::bigint), pg_get_viewdef('v')", "postgres"),
        ("select sleep from naps", "mysql"), ("select 'delete from t'", "sqlite"), ("select * from t for_update", "sqlite"),
        ("(select 1) union all (select 2) order by 1", "postgres"), ("select 1 /*! all of it */", "duckdb"),
    ],
)  # fmt: skip
def test_what_only_looks_like_more_is_read(sql: str, dialect: str) -> None:
    assert check_query(sql, dialect).sql == sql
