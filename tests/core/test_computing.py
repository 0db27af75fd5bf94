"""Computed columns by choosing: each form gives the same values in every database, and is read back as one column."""

import sqlite3
from datetime import date, datetime

import duckdb
import pytest

from northmoor.core.errors import QueryError
from northmoor.core.sources.builder.computing import (
    DATE_PARTS,
    WhenThen,
    bins_sql,
    case_sql,
    date_part_sql,
    first_of_each,
    text_sql,
    window_sql,
)
from northmoor.core.sources.builder.select_model import OrderItem
from northmoor.core.sources.builder.select_parser import parse_select
from tests.core.test_sentence import DIALECTS

MOMENTS = ["2024-12-30 23:59:59", "2025-01-01 00:00:00", "2025-01-05 06:30:00", "2025-02-28 12:00:00", "2024-02-29 01:00:00",
           "2025-05-15 18:45:00", "2025-08-31 07:00:00", "2025-12-31 22:00:00"]  # fmt: skip
NUMBERS = [-21, -20, -1, 0, 7, 10, 19, 20]


@pytest.fixture(scope="module")
def databases() -> dict[str, object]:
    """The same rows in the two databases that need no server."""
    found = {"sqlite": sqlite3.connect(":memory:"), "duckdb": duckdb.connect()}
    for connection in found.values():
        connection.execute("create table t (n integer, x integer, k text, at_time timestamp)")
        for n, (x, moment) in enumerate(zip(NUMBERS, MOMENTS, strict=True)):
            connection.execute(f"insert into t values ({n}, {x}, '{'ab'[n % 2]}', '{moment}')")
    return found


def values(databases: dict[str, object], made: object) -> list[list[object]]:
    """The values of a column in each database, in the order of the rows."""
    found = []
    for dialect, connection in databases.items():
        rows = connection.execute(f"select {made(dialect)} from t order by n").fetchall()  # type: ignore[operator,attr-defined]
        found.append([plain_value(value) for (value,) in rows])
    return found


def plain_value(value: object) -> object:
    """A value as all databases have it: numbers as doubles, days as texts."""
    value = value.date() if isinstance(value, datetime) else value
    value = value.isoformat() if isinstance(value, date) else value
    return round(float(value), 9) if isinstance(value, int | float) else value


def expected(part: str, moment: datetime) -> object:
    """The part of a moment by the standard library."""
    day = moment.date()
    quarter = (day.month - 1) // 3
    return plain_value(
        {
            "day": day,
            "week": date.fromordinal(day.toordinal() - day.weekday()),
            "month": day.replace(day=1),
            "quarter_start": date(day.year, quarter * 3 + 1, 1),
            "year_start": date(day.year, 1, 1),
            "year": day.year,
            "quarter": quarter + 1,
            "month_number": day.month,
            "weekday": day.isoweekday(),
            "hour": moment.hour,
        }[part]
    )


@pytest.mark.parametrize("part", DATE_PARTS)
def test_parts_of_moments_are_those_of_the_calendar(databases: dict[str, object], part: str) -> None:
    wanted = [expected(part, datetime.fromisoformat(moment)) for moment in MOMENTS]
    for found in values(databases, lambda dialect: date_part_sql("at_time", part, dialect)):
        assert found == wanted


def test_bins_begin_below_each_number(databases: dict[str, object]) -> None:
    for found in values(databases, lambda dialect: bins_sql("x", "10", dialect)):
        assert found == [-30.0, -20.0, -10.0, 0.0, 0.0, 10.0, 10.0, 20.0]
    for found in values(databases, lambda dialect: bins_sql("x", "2.5", dialect)):
        assert found == [-22.5, -20.0, -2.5, 0.0, 5.0, 10.0, 17.5, 20.0]
    for width in ("", "0", "-1", "ten"):
        with pytest.raises(QueryError, match="no width of bins"):
            bins_sql("x", width, "sqlite")


def test_cases_texts_and_windows(databases: dict[str, object]) -> None:
    cases = [WhenThen("x < 0", "'low'"), WhenThen("x < 10", "'middle'")]
    for found in values(databases, lambda _: case_sql(cases, "'high'")):
        assert found == ["low", "low", "low", "middle", "middle", "high", "high", "high"]
    for found in values(databases, lambda dialect: text_sql("joined", ["k", "k"], " - ", dialect)):
        assert found == ["a - a", "b - b"] * 4
    for found in values(databases, lambda dialect: text_sql("first", ["k || 'xyz'"], "2", dialect)):
        assert found == ["ax", "bx"] * 4
    running = [-21, -20, -22, -20, -15, -10, 4, 10]
    for found in values(databases, lambda _: window_sql("running", "x", "k", "n")):
        assert found == running
    for found in values(databases, lambda _: window_sql("difference", "x", "", "n")):
        assert found == [None, 1.0, 19.0, 1.0, 7.0, 3.0, 9.0, 1.0]
    for found in values(databases, lambda _: window_sql("rank", "x", "k", "")):
        assert found == [4.0, 4.0, 3.0, 3.0, 2.0, 2.0, 1.0, 1.0]
    for found in values(databases, lambda _: window_sql("last", "x", "k", "n")):
        assert found == [19.0, 20.0] * 4
    with pytest.raises(QueryError, match="which row comes before"):
        window_sql("running", "x", "", "")


@pytest.mark.parametrize("dialect", DIALECTS)
def test_each_form_is_read_back_as_one_column(dialect: str) -> None:
    made = [date_part_sql("t.at_time", part, dialect) for part in DATE_PARTS]
    made += [
        bins_sql("t.x", "10", dialect),
        text_sql("joined", ["t.k", "t.k"], ", ", dialect),
        text_sql("length", ["t.k"], "", dialect),
    ]
    made += [
        window_sql(form, "t.x", "t.k", "t.n") for form in ("running", "share", "rank", "moving", "first", "number")
    ]
    for expression in made:
        sentence = parse_select(f"select {expression} as c, t.k from t", dialect)
        assert sentence is not None, expression
        assert [(item.expression, item.name) for item in sentence.select_items] == [(expression, "c"), ("t.k", "")]


def test_the_first_rows_of_each_are_numbered_in_a_step(databases: dict[str, object]) -> None:
    sql = "select k, x -- the figure\nfrom t\n"
    made = first_of_each(sql, "sqlite", "k", OrderItem("x", True), "2", "ranked")
    assert "-- the figure" in made
    for connection in databases.values():
        rows = connection.execute(f"{made} order by k, x desc").fetchall()  # type: ignore[attr-defined]
        assert rows == [("a", 19), ("a", 7), ("b", 20), ("b", 10)]
    with pytest.raises(QueryError, match="Use the result as a table"):
        first_of_each("select k from t union select k from t", "sqlite", "k", OrderItem("x"), "2", "ranked")
