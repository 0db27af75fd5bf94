"""Tables: order, groups, scopes and totals, against straight SQL."""

import random
import re
import sqlite3
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from typing import Any

import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.compute.row_ordering import is_sorted
from northmoor.core.engine.embedded import Engine
from northmoor.core.expr.binning import group_by_period
from northmoor.core.model.blocks.table import Cell, Column, OrderBy, Row
from northmoor.core.model.data.queries import Query
from northmoor.core.model.parameters import Parameter
from northmoor.core.sources.library import Library
from tests.helpers import FREIGHT, column_of, dumped, examples, level_of, lines_of, render, report_of, row_of, table_of

MakeLibrary = Callable[[str], Library]


def cell(library: Library, value: str, kind: str = "total", **more: Any) -> list[str]:
    """The texts of a cell with a value, in a table by route and vessel: in rows, or in totals of a level or all."""
    levels = [level_of("route"), level_of("vessel")]
    totals = {"route": 0, "vessel": 1}
    if kind in totals:
        levels[totals[kind]] = levels[totals[kind]].but(total=row_of(x=value))
    column = Column(name="x", value=value if kind == "detail" else "pieces", format="0.##")
    total = Row(cells=(Cell(column="x", value=value, format="0.##"),)) if kind == "total" else None
    document = render(report_of(table_of(column, levels=tuple(levels), total=total), **more), library)
    lines = [line for line in lines_of(document) if line.kind == ("detail" if kind == "detail" else "total")]
    return [line.cells.get("x", "") for line in lines]


def test_levels_order_and_group_rows_whatever_the_querys_order(library: MakeLibrary) -> None:
    table = table_of(
        "day", "pieces",
        levels=(level_of("route", heading=row_of(day="{route}"), total=row_of(pieces="sum(pieces)")),),
        total=row_of(pieces="sum(pieces)"),
    )  # fmt: skip
    lines = lines_of(render(report_of(table), library(FREIGHT)))
    shown = [(line.kind, line.keys, line.cells.get("pieces", "")) for line in lines if line.kind != "head"]
    assert shown == [
        ("heading", ("TQ-IL",), ""), ("detail", ("TQ-IL",), "2"), ("detail", ("TQ-IL",), "3"), ("total", ("TQ-IL",), "5"),
        ("heading", ("TQ-SK",), ""), ("detail", ("TQ-SK",), "4"), ("detail", ("TQ-SK",), "1"), ("detail", ("TQ-SK",), "6"),
        ("total", ("TQ-SK",), "11"), ("detail", (None,), "5"), ("total", (None,), "5"), ("total", (), "21"),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("order", "keys"),
    [
        ("ascending", ["TQ-IL", "TQ-SK", None]),
        ("descending", ["TQ-SK", "TQ-IL", None]),
        ("as_given", ["TQ-SK", "TQ-IL", None]),
    ],
)
def test_each_level_has_its_own_order(library: MakeLibrary, order: str, keys: list) -> None:
    table = table_of("pieces", levels=(level_of("route", order=order, total=row_of(pieces="sum(pieces)")),))
    lines = lines_of(render(report_of(table), library(FREIGHT)))
    assert [line.keys[0] for line in lines if line.kind == "total"] == keys


def test_rows_are_in_the_tables_order(library: MakeLibrary) -> None:
    made = library(FREIGHT)
    by_charge = table_of("charge", order=(OrderBy(by="charge", descending=True),))
    assert column_of(render(report_of(by_charge), made), "charge") == [
        "100.05",
        "38.50",
        "12.10",
        "9.90",
        "7.00",
        "0.35",
    ]
    as_given = table_of("charge")
    assert column_of(render(report_of(as_given), made), "charge")[0] == "38.50"


@pytest.mark.parametrize(
    ("value", "kind", "texts"),
    [
        ("sum(charge)", "total", ["167.9"]),
        ("count(*)", "route", ["2", "3", "1"]),
        ("sum(pieces)", "vessel", ["3", "2", "10", "1", "5"]),
        ("count(distinct vessel)", "route", ["2", "2", "1"]),
        ("sum(pieces) * 100 / sum(pieces) over report", "route", ["23.81", "52.38", "23.81"]),
        ("sum(pieces) over route", "vessel", ["5", "5", "11", "11", "5"]),
        ("sum(pieces) over route", "detail", ["5", "5", "11", "11", "11", "5"]),
        ("pieces * 10 / sum(pieces) over vessel", "detail", ["10", "10", "4", "6", "10", "10"]),
        ("row_number()", "detail", ["1", "2", "3", "4", "5", "6"]),
        ("sum(pieces) over (report rows 1 preceding)", "detail", ["3", "5", "6", "10", "7", "6"]),
        ("sum(pieces) over (route rows unbounded preceding)", "detail", ["3", "5", "4", "10", "11", "5"]),
        ("rank() over (report order by charge desc)", "detail", ["6", "3", "2", "1", "4", "5"]),
        ("sum(pieces) filter (where vessel = 'Curlew')", "total", ["13"]),
        ("max(case when note is null then 1 else 0 end)", "route", ["1", "0", "0"]),
        ("route", "route", ["TQ-IL", "TQ-SK"]),
        ("avg(pieces)", "total", ["3.5"]),
    ],
)
def test_where_an_expression_is_decides_its_scope(
    library: MakeLibrary, value: str, kind: str, texts: list[str]
) -> None:
    assert cell(library(FREIGHT), value, kind) == texts


def test_parameters_and_other_queries_can_be_used_in_cells(library: MakeLibrary) -> None:
    made = library(FREIGHT + "create table targets (t integer); insert into targets values (20), (30);")
    queries = [
        Query(name="rows", connection="db", sql="select * from lines"),
        Query(name="targets", connection="db", sql="select t from targets where t > :least"),
    ]
    parameters = [
        Parameter(name="least", kind="integer", default=0),
        Parameter(name="rate", kind="decimal", default="1.5"),
    ]
    more = {"queries": queries, "parameters": parameters}
    assert cell(made, "sum(pieces) * 100 / max(targets.t)", **more) == ["70"]
    assert cell(made, "sum(pieces) * :rate", **more) == ["31.5"]
    assert cell(made, "pieces * :rate + sum(targets.t)", "detail", **more)[0] == "54.5"
    assert cell(made, "label(:rate)", **more) == ["1.5"]


@pytest.mark.parametrize(
    ("value", "kind", "message"),
    [
        ("charg", "detail", "there is no field 'charg'. Did you mean charge?"),
        ("sum(charge)", "detail", "needs a scope in a row"),
        ("sum(charge) over rout", "route", "there is no scope 'rout'. Did you mean route?"),
        ("sum(charge) over vessel", "route", "vessel lies inside this row's group"),
        ("sum(sum(charge))", "total", "one aggregate is inside another"),
        ("targets.t", "total", "comes from another query"),
        ("max(target.t)", "total", "there is no query 'target'"),
        (":year", "total", "there is no parameter :year"),
        ("page_number()", "total", "belongs in a header or footer"),
        ("charge + 'x'", "detail", "Could not convert string 'x'"),
        ("100 * sum(note)", "total", "at character 11: note is a text, which sum(x) does not take"),
        ("lag(charge) over report", "total", "belong in rows"),
    ],
)
def test_a_faulty_cell_says_why_and_the_rest_is_computed(
    library: MakeLibrary, value: str, kind: str, message: str
) -> None:
    made = library(FREIGHT)
    column = Column(name="x", value=value if kind == "detail" else "pieces")
    total = Row(cells=(Cell(column="x", value=value),))
    level = level_of("route", total=total if kind == "route" else None)
    table = table_of("pieces", column, levels=(level, level_of("vessel")), total=total if kind == "total" else None)
    document = render(report_of(table), made)
    (finding,) = document.findings
    assert message in str(finding)
    assert "Block table" in str(finding)
    assert "column x" in str(finding)
    marked = [
        line.cells.get("x", "")
        for line in lines_of(document)
        if line.kind == ("detail" if kind == "detail" else "total")
    ]
    assert set(marked) == {"⚠ error"}
    assert column_of(document, "pieces") == ["3", "2", "4", "6", "1", "5"]


def test_a_cell_that_fails_in_one_row_fails_there_only(library: MakeLibrary) -> None:
    made = library("create table lines (a text); insert into lines values ('1'), ('x'), (null), ('3');")
    document = render(report_of(table_of(Column(name="x", value="cast(a as integer) * 2"), "a")), made)
    assert column_of(document, "x") == ["2", "⚠ error", "6"]
    assert "Could not convert string 'x'" in str(document.findings[0])


def test_a_bare_column_in_a_total_is_never_silently_the_first(library: MakeLibrary) -> None:
    made = library(FREIGHT)
    table = table_of("note", levels=(level_of("route", total=row_of(note="vessel")),))
    document = render(report_of(table), made)
    totals = [line.cells["note"] for line in lines_of(document) if line.kind == "total"]
    assert totals == ["⚠ 2 values", "⚠ 2 values", "Dunlin"]
    assert "total it, or group by it" in str(document.findings[0])


def test_a_column_that_follows_from_the_key_is_no_fault(demo: Path) -> None:
    from northmoor import render as render_file

    assert render_file(demo / "reports" / "fares-by-route.moor").findings == ()


def test_a_level_that_cannot_be_computed_shows_its_fault_in_the_tables_place(library: MakeLibrary) -> None:
    for by in ("rout", "sum(charge)", "charge +", "read_csv(1)", "row_number()"):
        table = table_of("pieces", levels=(level_of("route").but(by=by),))
        document = render(report_of(table), library(FREIGHT))
        (finding,) = document.findings
        assert finding.rule == "faulty block"
        assert "level route" in str(dumped(document))


def test_an_empty_query_gives_a_head_a_total_and_a_sentence(library: MakeLibrary) -> None:
    table = table_of(
        "route", "pieces", levels=(level_of("route", heading=row_of(route="{route}")),), total=row_of(pieces="count(*)")
    )
    lines = lines_of(render(report_of(table, sql="select * from lines where 0"), library(FREIGHT)))
    assert [(line.kind, line.cells.get("pieces")) for line in lines[:2]] == [("head", "pieces"), ("total", "0")]
    assert [(line.kind, line.cells) for line in lines[2:]] == [("empty", {None: "There are no rows."})]


def test_hidden_rows_leave_headings_and_totals(library: MakeLibrary) -> None:
    table = table_of("pieces", show_details=False, levels=(level_of("route", total=row_of(pieces="sum(pieces)")),))
    lines = lines_of(render(report_of(table), library(FREIGHT)))
    assert [line.cells["pieces"] for line in lines if line.kind != "head"] == ["5", "11", "5"]


def test_a_million_cents_add_up_to_the_cent(library: MakeLibrary) -> None:
    script = "create table lines (a decimal(12,2)); insert into lines with recursive n(i) as (select 1 union all select i+1 from n where i < 50000) select 0.01 + (i % 100) / 100.0 from n;"
    document = render(report_of(table_of("a", show_details=False, total=row_of(a="sum(a)"))), library(script))
    assert column_of(document, "a", "total") == ["25,250.00"]


ROWS = st.lists(
    st.tuples(
        st.sampled_from(["a", "b", "ç", "", None]), st.sampled_from([1, 2, None]), st.decimals(-1000, 1000, places=2)
    ),
    max_size=60,
)


@given(ROWS)
def test_totals_of_random_rows_equal_straight_sql(tmp_path_factory: pytest.TempPathFactory, rows: list) -> None:
    folder = tmp_path_factory.mktemp("r")
    connection = sqlite3.connect(folder / "db.sqlite")
    connection.execute("create table lines (k text, j integer, v decimal(8,2))")
    random.Random(len(rows)).shuffle(rows)
    connection.executemany("insert into lines values (?, ?, ?)", [(k, j, float(v)) for k, j, v in rows])
    connection.commit()
    made = Library(folder)
    made.connections = made.connections.but(connections=({"name": "db", "database": "db.sqlite"},))
    level = {"total": row_of(v="sum(v)", n="count(*)")}
    columns = (Column(name="v", value="v", format="0.00"), Column(name="n", value="1"))
    table = table_of(
        *columns, levels=(level_of("k", **level), level_of("j", **level)), total=row_of(v="sum(v)", n="count(*)")
    )
    lines = lines_of(render(report_of(table), made))
    for depth, by in ((0, []), (1, ["k"]), (2, ["k", "j"])):
        grouped = f"group by {', '.join(by)}" if by else ""
        listed = ", ".join([*by, "sum(cast(round(v * 100) as integer))", "count(*)"])
        straight = {
            tuple(r[:-2]): (Decimal(r[-2] or 0) / 100, r[-1])
            for r in connection.execute(f"select {listed} from lines {grouped}")
        }
        ours = {
            line.keys: (Decimal(line.cells.get("v") or 0), int(line.cells["n"]))
            for line in lines
            if line.kind == "total" and len(line.keys) == depth
        }
        assert ours == straight
    assert sum(line.kind == "detail" for line in lines) == len(rows)
    connection.close()


def test_a_bare_column_is_still_checked_when_another_cell_of_its_row_fails(library: MakeLibrary) -> None:
    table = table_of(
        "pieces",
        "note",
        levels=(level_of("route", total=row_of(pieces="cast(max(vessel) as integer)", note="vessel")),),
    )
    document = render(report_of(table), library(FREIGHT))
    totals = [line.cells["note"] for line in lines_of(document) if line.kind == "total"]
    assert totals == ["⚠ 2 values", "⚠ 2 values", "Dunlin"]


def test_a_column_whose_name_has_spaces_says_its_count_too(library: MakeLibrary) -> None:
    made = library(
        'create table lines (k text, "of the vessel" text); insert into lines values (1, 2), (1, 3), (1, 4);'
    )
    table = table_of("k", levels=(level_of("k", total=row_of(k='"of the vessel"')),))
    assert [line.cells["k"] for line in lines_of(render(report_of(table), made)) if line.kind == "total"] == [
        "⚠ 3 values"
    ]


@pytest.mark.parametrize(
    ("changes", "message"),
    [
        ({"order_by": "pieces"}, "level route: .*pieces has .* values"),
        ({"order_by": "sum(nix)"}, "level route: .*there is no field 'nix'"),
        ({"keep_groups": "sum(pieces)"}, "level route: .*says neither yes nor no of a group"),
        ({"keep_groups": "cast('x' as integer) > 1"}, "level route: "),
    ],
)
def test_groups_that_cannot_be_ordered_or_kept_leave_no_table(
    library: MakeLibrary, changes: dict, message: str
) -> None:
    table = table_of("pieces", levels=(level_of("route", **changes),))
    (finding,) = render(report_of(table), library(FREIGHT)).findings
    assert finding.rule == "faulty block"
    assert re.search(message, str(dumped(render(report_of(table), library(FREIGHT)))))


def test_rows_that_are_not_kept_count_nowhere(library: MakeLibrary) -> None:
    table = table_of("pieces", keep_rows="vessel = 'Curlew'", total=row_of(pieces="count(*)"))
    document = render(report_of(table), library(FREIGHT))
    assert (column_of(document, "pieces"), column_of(document, "pieces", "total")) == (["4", "6", "3"], ["3"])
    faulty = render(report_of(table.but(keep_rows="sum(pieces) > 1")), library(FREIGHT))
    assert [finding.rule for finding in faulty.findings] == ["faulty block"]


def test_a_level_by_a_period_prints_the_period(library: MakeLibrary) -> None:
    made = library("create table lines (day date, n integer); insert into lines values ('2025-03-30', 1), ('2025-03-31', 2), "
                   "('2025-04-01', 3), (null, 4), ('2024-12-30', 5), ('2025-01-02', 6);")  # fmt: skip
    total = row_of(n="sum(n)").but(
        cells=({"column": "day", "text": "Total for {day}"}, {"column": "n", "value": "sum(n)"})
    )
    table = table_of("day", "n", levels=(level_of("day", heading=row_of(day="{day; d.M.} ({count(*)})"), total=total),))
    report = report_of(table)

    def printed(period: str) -> list[tuple[str, str]]:
        changed = group_by_period(report, "main", "table", "day", period)
        document = render(changed, made)
        assert document.findings == ()
        heads = column_of(document, "day", "heading")
        sums = [line.cells["n"] for line in lines_of(document) if line.kind == "total"]
        assert (
            group_by_period(changed, "main", "table", "day", "month").editions[0].blocks[0].levels[0].by
            == "date_trunc('month', day)"
        )
        return list(zip(heads, sums, strict=True))

    assert printed("year") == [("2024 (1)", "5"), ("2025 (4)", "12"), ("(1)", "4")]
    assert printed("quarter")[1:3] == [("Q1 2025 (3)", "9"), ("Q2 2025 (1)", "3")]
    assert printed("month")[2] == ("March 2025 (2)", "3")
    assert printed("week")[0] == ("30 Dec 2024 (2)", "11")
    assert len(printed("day")) == 6
    assert (
        group_by_period(group_by_period(report, "main", "table", "day", "year"), "main", "table", "day", "value")
        .editions[0]
        .blocks[0]
        .levels[0]
        .by
        == "day"
    )


def test_a_computed_key_is_one_value_anywhere_in_a_heading(library: MakeLibrary) -> None:
    level = level_of("route").but(
        name="size", by="pieces % 2 + :more", heading=row_of(pieces="{(pieces % 2 + :more) * 10} of {sum(pieces)}")
    )
    table = table_of("pieces", levels=(level,), total=row_of(pieces="{max(pieces % 2 + :more)}"))
    document = render(
        report_of(table, parameters=[Parameter(name="more", kind="integer", default=1)]), library(FREIGHT)
    )
    assert document.findings == ()
    assert column_of(document, "pieces", "heading") == ["10 of 12", "20 of 9"]
    wrong = render(report_of(table.but(levels=(level.but(heading=row_of(pieces="{pieces % 3}")),)),
                             parameters=[Parameter(name="more", kind="integer", default=1)]), library(FREIGHT))  # fmt: skip
    assert "pieces has" in wrong.findings[0].message


def test_missing_values_and_zeros_have_words_of_their_own(library: MakeLibrary) -> None:
    made = library(
        "create table lines (n decimal(8,2), open boolean); insert into lines values (0, 1), (1.5, 0), (null, null), (-0.001, 1);"
    )
    columns = (
        Column(name="n", value="n", when_null="–", when_zero="nil"),
        Column(name="open", value="open", format="open;closed", when_null="unknown"),
        Column(name="faulty", value="cast('x' || n as integer)", when_null="–"),
    )
    table = table_of(
        *columns,
        total=row_of(n="sum(n) - 1.5").but(cells=({"column": "n", "value": "sum(n) - 1.5", "when_zero": "even"},)),
    )
    document = render(report_of(table, sql="select * from lines where n is null or n >= 0"), made)
    assert column_of(document, "n") == ["nil", "1.50", "–"]
    assert column_of(document, "n", "total") == ["even"]
    assert column_of(document, "open") == ["open", "closed", "unknown"]
    assert [text[:1] for text in column_of(document, "faulty")] == ["⚠", "⚠", "–"]
    (finding, _) = render(report_of(table_of(columns[1].but(format="open"), columns[2])), made).findings
    assert "'open' does not fit yes and no; write two words, such as open;closed" in finding.message


def test_repeats_are_left_empty_but_not_on_a_new_page_or_in_a_new_group(library: MakeLibrary) -> None:
    made = library(
        "create table lines (k text, t text); insert into lines values ('a', 'x'), ('a', 'x'), ('a', 'x'), ('a', 'y'), ('b', 'y'), ('b', 'y'), ('b', null), ('b', null);"
    )
    level = level_of("k", heading=row_of(t="{k}"))
    table = table_of(
        Column(name="t", value="t", blank_repeats=True), Column(name="u", value="t"), levels=(level,), rows_per_page=2
    )
    document = render(report_of(table), made)
    assert column_of(document, "t") == ["x", "", "x", "y", "y", "", "", ""][:6]
    assert column_of(document, "u") == ["x", "x", "x", "y", "y", "y"]
    assert [line.page for line in lines_of(document) if line.kind == "detail"] == [1, 1, 2, 2, 3, 3]
    whole = render(report_of(table.but(rows_per_page=None)), made)
    assert column_of(whole, "t") == ["x", "", "", "y", "y", ""]


@pytest.mark.parametrize(("order", "is_once"), [("route nulls last", True), ("route desc", False)])
def test_rows_that_come_in_the_tables_order_are_held_once(library: MakeLibrary, order: str, is_once: bool) -> None:
    made = library(FREIGHT)
    report = report_of(table_of("charge", levels=(level_of("route"),)), sql=f"select * from lines order by {order}")
    document = render(report, made)
    fetched = document.rows["rows"].table.column("charge").chunk(0)
    (shown,) = [
        computed.values for want, computed in document.composition.placed.tables[0].layout.data.cells.items()
        if want.expression == "charge"
    ]  # fmt: skip
    assert (shown.buffers()[-1].address == fetched.buffers()[-1].address) == is_once
    assert sorted(shown.to_pylist()) == sorted(fetched.to_pylist())


@settings(max_examples=examples(60))
@given(
    st.lists(st.tuples(st.none() | st.integers(0, 2), st.none() | st.sampled_from(["", "a", "B", "é"]), st.booleans())),
    st.tuples(st.booleans(), st.booleans(), st.booleans()),
)
def test_rows_are_known_to_be_in_order_as_the_engine_orders_them(
    rows: list[tuple[int | None, str | None, bool]], downward: tuple[bool, bool, bool]
) -> None:
    kinds = {"n": pa.int64(), "t": pa.string(), "b": pa.bool_()}
    columns = {name: pa.array([row[at] for row in rows], kind) for at, (name, kind) in enumerate(kinds.items())}
    table = pa.table({**columns, "place": pa.array(range(len(rows)), pa.int64())})
    terms = [f"{name} {'desc' if down else 'asc'} nulls last" for name, down in zip(kinds, downward, strict=True)]
    with Engine(CancelToken()) as engine:
        engine.register("given", table)
        ordered = engine.run(f"select * from given order by {', '.join([*terms, 'place'])}")
    assert is_sorted(ordered, [*terms, "place"])
    assert is_sorted(table, [*terms, "place"]) == (ordered.to_pylist() == table.to_pylist())


@pytest.mark.parametrize("by", ["null", "cast(charge as double)", "vessel is null", "1 > 2"])
def test_rows_are_grouped_by_values_of_any_type(library: MakeLibrary, by: str) -> None:
    made = library(FREIGHT)
    grouped = render(report_of(table_of("charge", levels=(level_of("vessel").but(by=by),))), made)
    plain = render(report_of(table_of("charge")), made)
    assert not grouped.findings
    assert sorted(column_of(grouped, "charge")) == sorted(column_of(plain, "charge"))
