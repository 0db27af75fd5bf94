"""Aggregates over the figures of groups: in tables, pages, matrices and paragraphs, and asked again in plain SQL."""

import sqlite3
from collections.abc import Callable

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from northmoor.core.model.blocks.matrix import MatrixBlock, MatrixLevel, Measure
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.pages import PageSetup
from northmoor.core.sources.library import Library
from tests.core.test_charts import ROWS, by_key, chart, items, proportional, straight
from tests.core.test_levels import SALES
from tests.core.test_trace import cells_traced, check
from tests.helpers import dumped, examples, level_of, lines_of, render, report_of, row_of, table_of

MakeLibrary = Callable[[str], Library]
TAX = "round(sum(v) * month / 100)"
"""A tax of each month, rounded; the month is the rate."""


@pytest.fixture
def sales() -> sqlite3.Connection:
    connection = sqlite3.connect(":memory:")
    connection.executescript(SALES)
    return connection


def totals(document: object) -> list[str]:
    return [line.cells["v"] for line in lines_of(document) if line.kind == "total"]  # type: ignore[arg-type]


def test_a_total_of_rounded_taxes_is_the_sum_of_what_is_printed(
    library: MakeLibrary, sales: sqlite3.Connection
) -> None:
    month = level_of("month", total=row_of(v=TAX))
    route = level_of("route", total=row_of(v=f"sum({TAX} over month)"))
    document = render(
        report_of(table_of("v", total=row_of(v=f"sum({TAX} over month)"), levels=(route, month))), library(SALES)
    )
    assert document.findings == ()
    printed = [(line.level, float(line.cells["v"])) for line in lines_of(document) if line.kind == "total"]
    of_route: list[float] = []
    whole = 0.0
    for level, figure in printed:
        if level == "month":
            of_route.append(figure)
        elif level == "route":
            assert figure == pytest.approx(sum(of_route), abs=1e-9)
            whole, of_route = whole + figure, []
        else:
            assert figure == pytest.approx(whole, abs=1e-9)
    (once,) = sales.execute("select round(sum(v * month) / 100.0) from lines").fetchone()
    assert abs(once - whole) > 0.05  # rounded once it is another figure, or this test shows nothing


@pytest.mark.parametrize(
    ("value", "sql"),
    [
        ("max(sum(v) over month)", "select max(s) from (select sum(v) s, month from lines where {} group by month)"),
        ("count(case when sum(v) over (partition by month) > 250 then 1 end)",
         "select count(*) from (select sum(v) s from lines where {} group by month) where s > 250"),
        ("sum(month * count(*) over month)", "select sum(month * n) from (select month, count(*) n from lines where {} group by month)"),
        ("count(distinct sum(v) over (partition by month, v % 2))",
         "select count(distinct s) from (select sum(v) s from lines where {} group by month, v % 2)"),
        ("sum(sum(v) filter (where v > 50) over month) filter (where month < 4)",
         "select sum(s) from (select month, sum(v) filter (where v > 50) s from lines where {} group by month) where month < 4"),
        ("max(sum(v) over month) - max(sum(v) over month) over report",
         "select max(s) - (select max(s) from (select sum(v) s from lines group by route, month)) from (select sum(v) s from lines where {} group by month)"),
    ],
)  # fmt: skip
@pytest.mark.variants
def test_figures_of_figures_are_those_of_plain_sql(
    library: MakeLibrary, sales: sqlite3.Connection, value: str, sql: str
) -> None:
    levels = (level_of("route", total=row_of(v=value)), level_of("month", order="descending"))
    document = render(report_of(table_of("v", levels=levels)), library(SALES))
    assert document.findings == ()
    routes = [f"r{n}" for n in range(8)]
    wanted = [sales.execute(sql.format(f"route = '{route}'")).fetchone()[0] for route in routes]
    assert [int(text.replace("−", "-")) for text in totals(document)] == wanted
    assert check(document, every=7) > 5


@settings(max_examples=examples(15), suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(st.tuples(st.sampled_from("ab"), st.sampled_from("xyz"), st.integers(-9, 9) | st.none()), max_size=14))
def test_any_rows_agree_with_a_slow_reference(library: MakeLibrary, rows: list) -> None:
    listed = ", ".join(f"('{a}', '{b}', {'null' if v is None else v})" for a, b, v in rows)
    script = "create table lines (a text, b text, v integer);" + (f"insert into lines values {listed};" if rows else "")
    value = "coalesce(sum(greatest(abs(sum(v)) + 1, 0) over b), -1)"
    document = render(
        report_of(table_of("v", total=row_of(v=value), levels=(level_of("a", total=row_of(v=value)), level_of("b")))),
        library(script),
    )

    def reference(mine: list) -> int:
        groups = {(a, b): [v for x, y, v in mine if (x, y) == (a, b) and v is not None] for a, b, _ in mine}
        figures = [abs(sum(values)) + 1 if values else 0 for values in groups.values()]
        return sum(figures) if figures else -1

    wanted = [reference([row for row in rows if row[0] == a]) for a in sorted({a for a, _, _ in rows})]
    assert [int(t.replace("−", "-")) for t in totals(document)] == [*wanted, reference(rows)]


def test_matrices_paragraphs_and_page_totals_have_them_too(library: MakeLibrary, sales: sqlite3.Connection) -> None:
    route, month = MatrixLevel(name="route", by="route"), MatrixLevel(name="month", by="month")
    best = Measure(name="best", value="max(sum(v) over (partition by v % 2))")
    matrix = MatrixBlock(name="matrix", query="rows", rows=(route,), columns=(month,), measures=(best,))
    text = TextBlock(name="said", text="{max(sum(rows.v) over (partition by rows.route))}")
    table = table_of("v", page_total=row_of(v="count(sum(v) over (partition by route))"))
    page = PageSetup(size="A3", orientation="landscape")
    document = render(report_of(text, matrix, table, page=page), library(SALES))
    assert document.findings == ()
    (most,) = sales.execute("select max(s) from (select sum(v) s from lines group by route)").fetchone()
    found = list(cells_traced(document))
    assert found
    assert all(figure.agrees for each in found for figure in each.figures)
    texts = [item["text"] for page in dumped(document)["pages"] for item in page["items"] if item["kind"] == "text"]
    assert f"{most:,}" in texts
    of_page = next(line for line in lines_of(document) if line.kind == "total")
    assert (of_page.level, of_page.cells["v"]) == ("page", "8")


def test_charts_have_them(library: MakeLibrary) -> None:
    connection = sqlite3.connect(":memory:")
    connection.executescript(ROWS)
    wanted = straight(
        connection, "select route, max(s) from (select route, month, sum(abs(v)) s from lines group by 1, 2) group by 1"
    )
    value = "max(sum(abs(v)) over (partition by month))"
    document = render(report_of(chart(value=value)), library(ROWS))
    assert document.findings == ()
    proportional({key: item["height"] for key, item in by_key(items(document)).items()}, wanted)


def test_levels_of_expressions_and_kept_groups_count_as_they_are_printed(
    library: MakeLibrary, sales: sqlite3.Connection
) -> None:
    value = "sum((v % 3) * 1000 + greatest(count(*), 0) over class)"
    levels = (
        level_of("route", total=row_of(v=value), keep_groups="sum(v) > 1480"),
        level_of("v").but(name="class", by="v % 3"),
    )
    document = render(report_of(table_of("v", levels=levels, keep_rows="v > 9")), library(SALES))
    assert document.findings == ()
    wanted = sales.execute(
        "select route, sum(k * 1000 + n) from (select route, v % 3 k, count(*) n from lines where v > 9 group by 1, 2)"
        " where route in (select route from lines where v > 9 group by 1 having sum(v) > 1480) group by 1 order by 1"
    ).fetchall()
    assert 0 < len(wanted) < 8
    assert [int(text.replace(",", "")) for text in totals(document)] == [figure for _, figure in wanted]
    assert check(document, every=9) > 3


@pytest.mark.parametrize(
    ("value", "message"),
    [
        ("sum(sum(v))", "say over which groups the inner one runs"),
        ("sum(sum(v) over route)", "over route makes no groups inside another aggregate"),
        ("sum(v * sum(v) over month)", "v may have several values in a group of month"),
        ("sum(max(sum(v) over month) over (partition by month))", "once, not of those again"),
        ("sum((sum(v) over month) / (sum(v) over (partition by v)))", "run over the same groups"),
    ],
)  # fmt: skip
def test_what_has_no_meaning_says_so(library: MakeLibrary, value: str, message: str) -> None:
    levels = (level_of("route", total=row_of(v=value)), level_of("month"))
    (finding,) = render(report_of(table_of("v", levels=levels)), library(SALES)).findings
    assert message in finding.message
