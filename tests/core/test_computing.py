"""Computed columns by choosing: each form gives the same values in every database, and is read back as one column."""

import sqlite3
from datetime import date, datetime

import duckdb
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from northmoor.core.errors import QueryError
from northmoor.core.sources.builder.computed_forms import (
    Bins,
    Cases,
    ComputedForm,
    MadeText,
    PartOfDate,
    WindowFigure,
    computed_form,
    form_sql,
    with_keywords,
)
from northmoor.core.sources.builder.computing import (
    DATE_PARTS,
    WINDOW_FORMS,
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
from tests.helpers import examples

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


def test_expressions_in_a_figure_are_parts_of_it(databases: dict[str, object]) -> None:
    """Once x + 1 as a share was x plus a share of one."""
    whole = sum(x + 1 for x in NUMBERS)
    for found in values(databases, lambda _: window_sql("share", "x + 1", "", "")):
        assert found == [round((x + 1) / whole, 9) for x in NUMBERS]
    for found in values(databases, lambda dialect: bins_sql("x - 3", "10", dialect)):
        assert found == [(x - 3) // 10 * 10 for x in NUMBERS]
    for found in values(databases, lambda dialect: text_sql("joined", ["k", "1 + 1"], "-", dialect)):
        assert found == ["a-2", "b-2"] * 4


PIECES = st.sampled_from(
    [
        "x",
        "t.x",
        "x + 1",
        "(x)",
        "coalesce(x, 0)",
        "case when x > 1 then 2 else 3 end",
        "'a, b('",
        "sum(x) over ()",
        ":p",
    ]
)
LISTS = st.sampled_from(["", "k", "k, t.n", "coalesce(k, 'x, y')", "n desc"])
FORMS = st.one_of(
    st.builds(Cases, st.lists(st.builds(WhenThen, PIECES, PIECES), min_size=1, max_size=3).map(tuple), PIECES | st.just("")),
    st.builds(Bins, PIECES, st.sampled_from(["10", "2.5"])),
    st.builds(PartOfDate, PIECES, st.sampled_from(list(DATE_PARTS))),
    st.builds(MadeText, st.sampled_from(["upper", "lower", "trim", "length"]), PIECES.map(lambda p: (p,)), st.just("")),
    st.builds(MadeText, st.just("first"), PIECES.map(lambda p: (p,)), st.just("3")),
    st.builds(MadeText, st.just("joined"), st.tuples(PIECES, PIECES), st.sampled_from(["", " ", "it's", ", "])),
    st.builds(WindowFigure, st.sampled_from(list(WINDOW_FORMS)), PIECES, LISTS, LISTS, st.integers(1, 30)),
)  # fmt: skip


@settings(max_examples=examples(400), deadline=None)
@given(FORMS, st.sampled_from(DIALECTS))
def test_what_a_form_wrote_is_read_back_to_the_same_sql(form: ComputedForm, dialect: str) -> None:
    try:
        sql = form_sql(form, dialect)
    except QueryError:
        return
    found = computed_form(sql, dialect)
    assert found is not None
    assert form_sql(found, dialect) == sql


@pytest.mark.parametrize(
    ("sql", "form"),
    [
        ("SUM( t.x )OVER(ORDER BY n DESC ROWS BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW)", WindowFigure("running", "t.x", "", "n DESC")),
        ("(x + 1) * 1.0 / sum(x + 1) over (partition by k)", WindowFigure("share", "x + 1", "k", "")),
        ("CASE WHEN x<0 THEN 'low' END", Cases((WhenThen("x<0", "'low'"),), "")),
        ("CASE WHEN x<0 /* below */ THEN 'low' END", None),
        ("avg(x) over (order by n rows between 6 preceding and current row)", WindowFigure("moving", "x", "", "n", 7)),
        ("Date( at_time )", PartOfDate("at_time", "day")),
        ("x + 1 * 1.0 / sum(x + 1) over ()", None),
        ("sum(x) over (order by n)", None),
        ("rank() over (order by x)", None),
        ("case x when 1 then 2 end", None),
        ("x", None),
        ("'unended", None),
    ],
)  # fmt: skip
def test_hand_written_expressions_are_read_where_they_have_a_form(sql: str, form: ComputedForm | None) -> None:
    assert computed_form(sql, "sqlite") == form


def test_keywords_are_written_as_the_query_writes_them_and_pieces_stay() -> None:
    written = window_sql("running", "case when a then b end", "k", "n desc")
    assert with_keywords(written, "sqlite", str) == written
    assert with_keywords(written, "sqlite", str.upper) == (
        "sum(case when a then b end) OVER (PARTITION BY k ORDER BY n desc "
        "ROWS BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW)"
    )
    cases = case_sql([WhenThen("a and b", "'then'")], "case when c then d end")
    assert with_keywords(cases, "sqlite", str.upper) == "CASE WHEN a and b THEN 'then' ELSE case when c then d end END"
    assert with_keywords("a + b", "sqlite", str.upper) == "a + b"


def test_the_first_rows_of_each_are_numbered_in_a_step(databases: dict[str, object]) -> None:
    sql = "select k, x -- the figure\nfrom t\n"
    made = first_of_each(sql, "sqlite", "k", OrderItem("x", True), "2", "ranked")
    assert "-- the figure" in made
    for connection in databases.values():
        rows = connection.execute(f"{made} order by k, x desc").fetchall()  # type: ignore[attr-defined]
        assert rows == [("a", 19), ("a", 7), ("b", 20), ("b", 10)]
    with pytest.raises(QueryError, match="Use the result as a table"):
        first_of_each("select k from t union select k from t", "sqlite", "k", OrderItem("x"), "2", "ranked")
