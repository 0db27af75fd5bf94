"""Rows that belong to pages, several rows of a kind, further lines of rows: in their places, with their figures."""

import sqlite3
from collections.abc import Callable
from decimal import Decimal
from itertools import groupby, pairwise
from pathlib import Path

import pytest

from northmoor.core.document import Document
from northmoor.core.model.blocks.table import Cell, Column, HeadRow, Row
from northmoor.core.model.pages import PageSetup
from northmoor.core.model.styles import Style
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import load_report
from tests.helpers import FREIGHT, Line, column_of, dumped, level_of, lines_of, render, report_of, row_of, table_of

MakeLibrary = Callable[[str], Library]
MANY = """create table lines (k text, n integer, v decimal(8,2));
insert into lines with recursive r(i) as (select 0 union all select i + 1 from r where i < 179)
select 'g' || (i / 45), i, i * 1.25 from r;"""
SMALL = PageSetup(size="A5")


def by_page(lines: list[Line]) -> list[list[Line]]:
    return [list(own) for _, own in groupby(lines, key=lambda line: line.page)]


def test_the_log_of_sailings_carries_what_straight_sql_says(demo: Path, tarrow: sqlite3.Connection) -> None:
    path = demo / "reports" / "sailings-log.moor"
    document = Session(Library.around(path.parent)).render(load_report(path), {"rows_per_page": 30})
    (counts, fares) = zip(*tarrow.execute(
        "select coalesce(sum(quantity), 0), coalesce(sum(cast(round(quantity * unit_price * 100) as integer)), 0)"
        " from sailings s join routes using (route_id) left join bookings b on b.sailing_id = s.sailing_id and"
        " b.status = 'paid' where date(departs_at) between '2025-07-01' and '2025-07-07' group by s.sailing_id"
        " order by departs_at, code"
    ).fetchall(), strict=True)  # fmt: skip
    assert len(document) == len(counts) / 30 == 7

    def figures(line: Line) -> tuple[int, int]:
        return int(line.cells["passengers"].replace(",", "")), int(Decimal(line.cells["fares"].replace(",", "")) * 100)

    for page, lines in enumerate(by_page(lines_of(document, "log"))):
        start, end = page * 30, (page + 1) * 30
        found = {(line.kind, line.level): figures(line) for line in lines if line.kind in ("total", "carry")}
        assert found[("total", "page")] == (sum(counts[start:end]), sum(fares[start:end]))
        assert found.get(("carry", "pages_before")) == ((page and (sum(counts[:start]), sum(fares[:start]))) or None)
        assert found.get(("carry", "pages_to_here")) == ((sum(counts[:end]), sum(fares[:end])) if page < 6 else None)
    assert found[("total", None)] == (sum(counts), sum(fares))
    assert [line.level for line in lines[-2:]] == ["page", None]  # the page's total is before that of all


@pytest.mark.parametrize("value", ["median(n)", "count(distinct k)", "max(n) filter (where n % 2 = 0)", "first(k)"])
@pytest.mark.variants
def test_any_aggregate_runs_over_pages(library: MakeLibrary, value: str) -> None:
    """Each page's figure is that of the engine over the rows the page shows, asked for by themselves."""
    row = row_of(v=value)
    table = table_of("n", "v", page_total=row, brought_forward=row, carried_forward=row, rows_per_page=20)
    made = library(MANY)
    document = render(report_of(table, page=SMALL), made)
    for lines in by_page(lines_of(document)):
        shown = [int(line.cells["n"]) for line in lines if line.kind == "detail"]
        ranges = {
            "page": (min(shown), max(shown)),
            "pages_before": (0, min(shown) - 1),
            "pages_to_here": (0, max(shown)),
        }
        for line in lines:
            if line.kind in ("total", "carry"):
                first, last = ranges[line.level or ""]
                alone = table_of("n", "v", total=row, keep_rows=f"n between {first} and {last}")
                (wanted,) = [each for each in lines_of(render(report_of(alone), made)) if each.kind == "total"]
                assert line.cells == wanted.cells


def test_windows_of_pages_are_in_rows_of_pages(library: MakeLibrary) -> None:
    share = row_of(v="{sum(v) / sum(v) over report; 0.0 %} of all, {sum(v) over pages_to_here} so far")
    document = render(report_of(table_of("n", "v", page_total=share, rows_per_page=90), page=SMALL), library(MANY))
    totals = [line.cells["v"] for line in lines_of(document) if line.kind == "total"]
    assert totals[-1].endswith("20,137.50 so far")
    assert document.findings == ()
    for wrong, message in (
        ({"total": row_of(v="sum(v) over page")}, "over page belongs in page totals"),
        ({"page_total": row_of(v="v")}, "total it, as in first(v)"),
        ({"page_total": row_of(v="sum(w)")}, "there is no field 'w'"),
    ):
        (finding,) = render(report_of(table_of("v", **wrong), page=SMALL), library(MANY)).findings
        assert message in finding.message


def test_a_page_total_that_wraps_makes_room_for_itself(library: MakeLibrary) -> None:
    long = row_of(n="{sum(v)} in all the rows that are on this page, written at some length")
    table = table_of(Column(name="n", value="n", width=90_000), "v", page_total=long)
    document = render(report_of(table, page=SMALL), library(MANY))
    bottom = (595_276 - 56_693) / 1000
    for page in by_page(lines_of(document)):
        assert page[-1].level == "page"
        assert page[-1].y + 3 * 11 <= bottom
    assert column_of(document, "n") == [str(n) for n in range(180)]


def test_totals_are_at_the_foot_of_the_page_when_set(library: MakeLibrary) -> None:
    row = row_of(v="sum(v)")
    table = table_of("n", "v", page_total=row, carried_forward=row, rows_per_page=10, foot_of_page=True)
    document = render(report_of(table, page=SMALL), library(MANY))
    feet = {round(line.y, 2) for line in lines_of(document) if line.level == "page" and line.page < len(document)}
    assert len(feet) == 1
    assert feet.pop() > 500
    assert max(line.y for line in lines_of(document) if line.kind == "detail") < 300


def test_rows_of_the_head_differ_on_the_first_and_on_later_pages(library: MakeLibrary) -> None:
    head = tuple(
        HeadRow(cells=(Cell(column="n", text=text, span=2),), on=on)
        for on, text in (("first", "Once"), ("later", "Continued"), ("every", "Always"))
    )
    document = render(report_of(table_of("n", "v", head=head), page=SMALL), library(MANY))
    heads = [[line.cells["n"] for line in page if line.kind == "head"] for page in by_page(lines_of(document))]
    assert heads[0] == ["Once", "Always", "n"]
    assert set(map(tuple, heads[1:])) == {("Continued", "Always", "n")}


def test_headings_and_totals_are_several_and_are_on_either_side(library: MakeLibrary) -> None:
    level = level_of(
        "route",
        heading=(
            row_of(route="{route}"),
            row_of(route="{count(*)} lines"),
            row_of(route="{'end'}").but(position="after"),
        ),
        total=(row_of(pieces="sum(pieces)").but(position="before"), row_of(pieces="max(pieces)")),
    )
    total = (row_of(pieces="sum(pieces)"), row_of(pieces="avg(pieces)").but(position="before"))
    document = render(report_of(table_of("route", "pieces", levels=(level,), total=total)), library(FREIGHT))
    shown = [" ".join(line.cells.values()) for line in lines_of(document)[1:]]
    assert shown[:8] == ["3.5", "TQ-IL", "2 lines", "5", "TQ-IL 2", "TQ-IL 3", "end", "3"]
    assert shown[-1] == "21"


def test_lines_of_a_row_stay_together_and_totals_keep_their_place(library: MakeLibrary) -> None:
    second = Row(cells=(Cell(column="k", text="{k}, row {n}", span=2),))
    table = table_of("k", "n", detail=(second, row_of(n="n * 2")), total=row_of(n="sum(n)"))
    document = render(report_of(table, page=SMALL), library(MANY))
    for page in by_page(lines_of(document)):
        numbers = [line.number for line in page if line.kind == "detail"]
        assert numbers == [0, 1, 2] * (len(numbers) // 3)
    assert column_of(document, "k")[3:5] == ["g0", "g0, row 1"]
    assert column_of(document, "n", "total") == ["16,110"]


def test_a_key_in_a_column_is_shown_once_in_its_group_and_again_on_a_new_page(library: MakeLibrary) -> None:
    columns = (
        Column(name="k", value="k", blank_repeats=True),
        Column(name="n", value="floor(n / 15)", blank_repeats=True),
    )
    document = render(report_of(table_of(*columns, "v", levels=(level_of("k"),)), page=SMALL), library(MANY))
    for page in by_page(lines_of(document)):
        details = [line for line in page if line.kind == "detail"]
        keys = [line.keys[0] for line in details]
        wanted = [key if at == 0 or keys[at - 1] != key else "" for at, key in enumerate(keys)]
        assert [line.cells.get("k", "") for line in details] == wanted
    summary = table_of(
        "k", "v", show_details=False,
        levels=(level_of("k"), level_of("floor(n / 15)").but(name="n", total=Row(cells=(
            Cell(column="k", value="k", blank_repeats=True), Cell(column="v", value="sum(v)")
        )))),
    )  # fmt: skip
    assert column_of(render(report_of(summary), library(MANY)), "k", "total") == [
        "g0",
        "",
        "",
        "g1",
        "",
        "",
        "g2",
        "",
        "",
        "g3",
        "",
        "",
    ]


def test_a_group_begins_on_an_odd_page_after_a_blank_one(library: MakeLibrary) -> None:
    level = level_of("k", page_break="between", odd_page=True, heading=row_of(n="{k}"))
    document = render(report_of(table_of("n", "v", levels=(level,), rows_per_page=23), page=SMALL), library(MANY))
    firsts = {line.keys[0]: line.page for line in reversed(lines_of(document)) if line.kind == "heading"}
    assert firsts == {"g0": 1, "g1": 3, "g2": 5, "g3": 7}
    even = render(
        report_of(table_of("n", "v", levels=(level,), rows_per_page=45), page=PageSetup(size="A3")), library(MANY)
    )
    assert {line.page for line in lines_of(even)} == {1, 3, 5, 7}
    assert [len(even.page(n).layers) > 0 for n in range(len(even))] == [True, False] * 3 + [True]


def test_a_cell_covers_rows_below_and_the_last_makes_room(library: MakeLibrary) -> None:
    tall = Column(
        name="k", value="k || ' ' || k || ' ' || k || ' ' || k", width=22_000, rows=2, look=Style(fill="#EEEEEE")
    )
    table = table_of(tall, "n", detail=(row_of(n="n * 2"),), keep_rows="n < 6")
    spanned, plain = (
        render(report_of(t), library(MANY)) for t in (table, table.but(columns=(tall.but(rows=1), table.columns[1])))
    )

    def heights(document: Document) -> list[float]:
        tops = [line.y for line in lines_of(document) if line.number == 0 and line.kind == "detail"]
        return [round(b - a, 3) for a, b in pairwise(tops)]

    assert heights(spanned)[0] < heights(plain)[0]
    fills = [i for page in dumped(spanned)["pages"] for i in page["items"] if i["kind"] == "fill"]
    assert {i["height"] for i in fills} == {heights(spanned)[0]}
    assert heights(spanned)[0] == pytest.approx(4 * 11.7 + 4, abs=0.2)
    seconds = [line.y for line in lines_of(spanned) if line.number == 1]
    firsts = [line.y for line in lines_of(spanned) if line.number == 0 and line.kind == "detail"]
    assert all(0 < b - a < heights(spanned)[0] for a, b in zip(firsts, seconds, strict=True))
