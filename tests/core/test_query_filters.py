"""Queries filtered by columns of their results: the condition is on what the column is made of."""

from collections.abc import Callable
from datetime import date, datetime
from decimal import Decimal

import pytest

from northmoor.core.authoring.queries.query_filters import (
    filter_query_by_parameter,
    filter_query_by_period,
    value_sql,
    with_value_kept,
)
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import QueryError
from northmoor.core.model.data.queries import Query
from northmoor.core.session import Session
from northmoor.core.sources.builder.select_parser import parse_select
from northmoor.core.sources.builder.select_writer import rewrite_select
from northmoor.core.sources.library import Library
from tests.core.test_levels import SALES
from tests.helpers import report_of

SQL = "select route, month as m, sum(v) as total -- all\nfrom lines\ngroup by route, month\n"


def kept(column: str, value: object, is_kept: bool = True, dialect: str = "sqlite") -> str:
    """The query with a value kept, or left out."""
    sentence = parse_select(SQL, dialect)
    assert sentence is not None
    return rewrite_select(SQL, with_value_kept(sentence, column, value, is_kept, dialect), dialect)


def test_a_value_is_compared_with_what_its_column_is_made_of() -> None:
    assert kept("m", 3) == SQL.replace("from lines\n", "from lines\nwhere month = 3\n")
    assert "where route <> 'r''1'" in kept("route", "r'1", is_kept=False)
    assert "where month is null" in kept("m", None)
    assert kept("total", 20).endswith("group by route, month\nhaving sum(v) = 20\n")
    assert "having round(sum(v), 2) = 12.50" in kept("total", Decimal("12.50"))
    assert "having sum(v) = 12.50" in kept("total", Decimal("12.50"), dialect="postgres")
    with pytest.raises(QueryError, match="does not say what nope is made of"):
        kept("nope", 1)


def test_values_are_written_as_each_database_reads_them() -> None:
    moment = datetime(2025, 3, 1, 6, 30)
    assert [value_sql(v, "postgres") for v in (True, date(2025, 3, 1), moment, "it's", Decimal("1E+2"), 7)] == [
        "true", "date '2025-03-01'", "timestamp '2025-03-01 06:30:00'", "'it''s'", "100", "7",
    ]  # fmt: skip
    assert [value_sql(v, "sqlite") for v in (False, date(2025, 3, 1))] == ["0", "'2025-03-01'"]


def test_a_parameter_a_list_and_a_condition_are_one_step(library: Callable[[str], Library]) -> None:
    report = report_of(queries=[Query(name="rows", connection="db", sql=SQL)])
    changed = filter_query_by_parameter(report, report.query("rows"), "m", "integer", "sqlite")
    assert "where :m is null or month = :m" in changed.query("rows").sql
    assert "-- all" in changed.query("rows").sql
    session, stop = Session(library(SALES)), CancelToken()

    def values(query: str, **given: object) -> list[int]:
        resolved = session.resolve_parameters(changed, given, stop)
        return session.rows(changed, query, resolved.complete_values(), stop).table.column("m").to_pylist()

    assert values("m_list") == [1, 2, 3, 4, 5, 6]
    assert set(values("rows", m=2)) == {2}
    assert set(values("rows")) == {1, 2, 3, 4, 5, 6}
    with pytest.raises(QueryError, match="total is a total"):
        filter_query_by_parameter(report, report.query("rows"), "total", "integer", "sqlite")
    shared = Query(name="rows", shared="rows")
    with pytest.raises(QueryError, match="query of the library"):
        filter_query_by_parameter(report, shared, "m", "integer", "sqlite")


@pytest.mark.parametrize("kind", ["date", "timestamp"])
def test_a_period_that_the_reader_chooses_holds_its_days_or_moments(
    library: Callable[[str], Library], kind: str
) -> None:
    moments = ["2025-02-28 23:59:59", "2025-03-01 00:00:00", "2025-03-31 23:59:59", "2025-04-01 00:00:00"]
    texts = [moment[:10] if kind == "date" else moment for moment in moments]
    made = library(
        f"create table calls (at {kind}); insert into calls values " + ", ".join(f"('{text}')" for text in texts)
    )
    report = report_of(queries=[Query(name="rows", connection="db", sql="select c.at from calls c\n")])
    changed = filter_query_by_period(report, report.query("rows"), "at", kind, "sqlite")  # type: ignore[arg-type]
    assert changed.parameter("at").default == "last full month"
    session, stop = Session(made), CancelToken()
    resolved = session.resolve_parameters(changed, {"data_time": "2025-04-15T12:00"}, stop)
    rows = session.rows(changed, "rows", resolved.complete_values(), stop).table.column("at").to_pylist()
    assert [str(value) for value in rows] == texts[1:3]
