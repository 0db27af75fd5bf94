"""Whole tables of random rows and rules, on the dump: each row once and in order, totals right, nothing outside."""

import sqlite3
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from northmoor.core.model.blocks.table import PAGE_ROWS, Column, Row, TableBlock
from northmoor.core.model.data.connections import Connections, SqliteConnection
from northmoor.core.model.pages import PageSetup
from northmoor.core.model.parameters import Parameter
from northmoor.core.sources.library import Library
from tests.helpers import Line, dumped, examples, level_of, lines_of, render, report_of, row_of, table_of

TEXT = st.text(alphabet="ab –\nWé", max_size=120) | st.none()
ROWS = st.lists(
    st.tuples(st.sampled_from("abc"), st.integers(0, 3), st.decimals(-99, 99, places=2), TEXT), min_size=1, max_size=90
)
BREAKS = st.sampled_from(["none", "between", "before", "after"])


def library_of(folder: Path, rows: list) -> Library:
    connection = sqlite3.connect(folder / "db.sqlite")
    connection.execute("create table lines (k text, j integer, v decimal(8,2), t text)")
    connection.executemany("insert into lines values (?, ?, ?, ?)", [(k, j, float(v), t) for k, j, v, t in rows])
    connection.commit()
    connection.close()
    made = Library(folder)
    made.connections = made.connections.but(connections=({"name": "db", "database": "db.sqlite"},))
    return made


@st.composite
def tables(draw: st.DrawFn) -> TableBlock:
    """Tables with any rules about breaks; the narrow column makes rows of very different heights."""
    rules = [
        {
            "page_break": draw(BREAKS), "keep_together": draw(st.booleans()), "largest_gap": draw(st.sampled_from([0.1, 0.5, 1.0])),
            "repeat_heading": draw(st.booleans()), "rows_after_heading": draw(st.integers(0, 3)),
            "rows_before_total": draw(st.integers(0, 3)),
        }
        for _ in range(2)
    ]  # fmt: skip
    sums = row_of(v="sum(v)", n="count(*)")
    heading, total = row_of(t="{j} of {k}"), draw(rows(sums))
    columns = (
        Column(name="t", value="t", width=draw(st.sampled_from([20_000, 60_000]))),
        Column(name="n", value="row_number()"),
        "v",
    )
    levels = (
        level_of("k", heading=draw(rows(row_of(t="{k}"))), total=draw(rows(sums)), **rules[0]),
        level_of("j", heading=draw(rows(heading)), total=total, **rules[1]),
    )
    of_pages = {name: draw(st.sampled_from([None, sums])) for name in PAGE_ROWS}
    lines = draw(st.sampled_from([(), row_of(t="{t}, again"), (row_of(t="2"), row_of(t="3"))]))
    return table_of(
        *columns, levels=levels, total=draw(rows(sums)), repeat_head=draw(st.booleans()), detail=lines,
        foot_of_page=draw(st.booleans()), show_details=draw(st.sampled_from([True, True, True, False])), **of_pages,
    )  # fmt: skip


@st.composite
def rows(draw: st.DrawFn, row: Row) -> tuple[Row, ...]:
    """None, one or two rows, on any side of their group."""
    sides = draw(st.lists(st.sampled_from([None, "before", "after"]), max_size=2))
    return tuple(row.but(position=side) for side in sides)


@settings(max_examples=examples(40))
@given(ROWS, tables())
def test_invariants_of_any_table(tmp_path_factory: pytest.TempPathFactory, rows: list, table: TableBlock) -> None:
    report = report_of(table, page=PageSetup(size="A5", margin_top=20_000, margin_bottom=150_000))
    document = render(report, library_of(tmp_path_factory.mktemp("t"), rows))
    lines = lines_of(document)

    details = [line for line in lines if line.kind == "detail" and "n" in line.cells]
    if table.show_details:
        assert [line.ordinal for line in details] == list(range(len(rows)))
        assert [line.page for line in details] == sorted(line.page for line in details)
        assert sum(Decimal(line.cells["v"]) for line in details) == sum(v for *_, v, _ in rows)

    for line in lines:
        if line.kind == "total" and (line.level != "page" or table.show_details):
            mine = [v for (k, j, v), page in _with_pages(rows, details, table) if _is_under(line, k, j, page)]
            assert (Decimal(line.cells.get("v") or 0), int(line.cells["n"])) == (sum(mine), len(mine))
        if line.kind == "carry" and table.show_details:
            mine = [v for (k, j, v), page in _with_pages(rows, details, table) if _is_under(line, k, j, page)]
            assert (Decimal(line.cells.get("v") or 0), int(line.cells["n"])) == (sum(mine), len(mine))

    for page in dumped(document)["pages"]:
        bottom = page["height"] - 150.0
        for item in page["items"]:
            assert item["y"] >= 20.0
            assert item["y"] + item["height"] <= bottom + 0.001
            assert item["x"] >= 56.692
            assert item["x"] + item["width"] <= page["width"] - 56.692


def _with_pages(rows: list, details: list[Line], table: TableBlock) -> list[tuple[tuple[str, int, Any], int | None]]:
    """The rows in their printed order with the page each is on (none where details are not shown)."""
    ordered = sorted(((k, j, v) for k, j, v, _ in rows), key=lambda row: row[:2])
    ends: dict[int, int] = {}
    for line in details:
        assert line.ordinal is not None
        ends[line.ordinal] = line.page
    return [(row, ends[at] if table.show_details else None) for at, row in enumerate(ordered)]


def _is_under(total: Line, k: str, j: int, page: int | None) -> bool:
    """Whether a row is among those a printed total represents; of pages only where details show where they are."""
    if total.level == "page":
        return page == total.page
    if total.kind == "carry":
        return page is not None and (page < total.page if total.level == "pages_before" else page <= total.page)
    return total.keys == (k, j)[: len(total.keys)]


@pytest.mark.slow
@settings(max_examples=examples(10))
@given(ROWS, tables())
def test_the_same_rows_give_the_same_bytes(
    tmp_path_factory: pytest.TempPathFactory, rows: list, table: TableBlock
) -> None:
    made = library_of(tmp_path_factory.mktemp("t"), rows)
    first, second = (render(report_of(table), made, data_time="2026-01-01") for _ in range(2))
    assert first.pdf() == second.pdf()


@settings(max_examples=examples(15))
@given(ROWS, tables())
def test_level_breaks_begin_pages_and_no_page_is_empty(
    tmp_path_factory: pytest.TempPathFactory, rows: list, table: TableBlock
) -> None:
    document = render(report_of(table, page=PageSetup(size="A5")), library_of(tmp_path_factory.mktemp("t"), rows))
    lines = [line for line in lines_of(document) if line.kind != "head"]
    assert {line.page for line in lines} == set(range(1, len(document) + 1)) or not lines
    lines = [line for line in lines if line.keys]
    if table.levels[0].page_break in ("between", "before"):
        headings = [line for line in lines if line.kind == "heading" and line.level == "k"]
        first_on_page = {}
        for line in lines:
            first_on_page.setdefault(line.page, line)
        firsts = {line.keys: line.page for line in reversed(headings)}
        for keys, page in list(firsts.items()):
            assert first_on_page[page].keys[:1] == keys


ROW = st.tuples(st.sampled_from(["a", "b", "c", None]), st.integers(0, 4), st.integers(-20, 20))


@settings(max_examples=examples(30))
@given(st.lists(ROW, max_size=40), st.booleans(), st.integers(1, 4), st.integers(0, 3), st.integers(-10, 10))
def test_groups_are_kept_ordered_and_counted_as_a_plain_reference_does(
    tmp_path_factory: pytest.TempPathFactory, rows: list[Any], descending: bool, first: int, least: int, over: int
) -> None:
    made = _database(tmp_path_factory, rows)
    direction = "descending" if descending else "ascending"
    inner = level_of("b", order=direction, order_by="sum(n)", keep_groups="count(*) > :least", first_groups=":first")
    outer = level_of("a", order=direction, order_by="sum(n) + 0.5", keep_groups="sum(n) >= :over").but(
        total=row_of(n="sum(n)")
    )
    table = table_of("a", "b", "n", levels=(outer, inner), keep_rows="n <> 7")
    parameters = [Parameter(name=name, kind="integer", default=value) for name, value in
                  (("least", least), ("first", first), ("over", over))]  # fmt: skip
    document = render(report_of(table, parameters=parameters), made)
    assert document.findings == ()
    shown = [tuple(line.cells.get(c, "") for c in "abn") for line in lines_of(document) if line.kind == "detail"]
    wanted, totals = _plain(rows, descending, first, least, over)
    assert shown == [(a or "", str(b), str(n)) for a, b, n in wanted]
    assert [line.cells.get("n", "") for line in lines_of(document) if line.kind == "total"] == [str(t) for t in totals]


def _database(factory: pytest.TempPathFactory, rows: list[Any]) -> Library:
    """A library whose connection ``db`` has the rows."""
    folder = factory.mktemp("groups")
    connection = sqlite3.connect(folder / "db.sqlite")
    connection.execute("create table lines (a text, b integer, n integer)")
    connection.executemany("insert into lines values (?, ?, ?)", rows)
    connection.commit()
    connection.close()
    return Library(folder, Connections(connections=(SqliteConnection(name="db", database="db.sqlite"),)))


def _plain(rows: list[Any], descending: bool, first: int, least: int, over: int) -> tuple[list[Any], list[int]]:
    """The rows that are left, in order, and the totals of the outer groups: slowly, group by group."""

    def by_key(key: Any) -> tuple[bool, Any]:
        return (key is None, key)

    def ordered(groups: dict[Any, list[Any]]) -> list[list[Any]]:
        keys = sorted((k for k in groups if k is not None), reverse=descending) + [k for k in groups if k is None]
        in_order = sorted((sum(r[2] for r in groups[k]) * (-1 if descending else 1), at) for at, k in enumerate(keys))
        return [groups[keys[at]] for _, at in in_order]

    def grouped(part: list[Any], column: int) -> dict[Any, list[Any]]:
        return {key: [r for r in part if r[column] == key] for key in dict.fromkeys(r[column] for r in part)}

    left = [row for row in rows if row[2] != 7]
    outer = {}
    for key, part in grouped(left, 0).items():
        inner = [g for g in ordered(grouped(part, 1)) if len(g) > least][:first]
        kept = [row for group in inner for row in group]
        if kept and sum(r[2] for r in kept) >= over:
            outer[key] = kept
    result = ordered(outer)
    return [row for group in result for row in group], [sum(r[2] for r in group) for group in result]
