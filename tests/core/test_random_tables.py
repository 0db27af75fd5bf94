"""Whole tables of random rows and rules, on the dump: each row once and in order, totals right, nothing outside."""

import sqlite3
from decimal import Decimal
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from northmoor.core.model.blocks import Column, TableBlock
from northmoor.core.model.report import PageSetup
from northmoor.core.sources.connections import Library
from tests.helpers import dumped, level_of, lines_of, render, report_of, row_of, table_of

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
    totals = {"heading": row_of(t="{j} of {k}"), "total": row_of(v="sum(v)", n="count(*)")}
    columns = (
        Column(name="t", value="t", width=draw(st.sampled_from([20_000, 60_000]))),
        Column(name="n", value="row_number()"),
        "v",
    )
    levels = (level_of("k", **totals | {"heading": row_of(t="{k}")}, **rules[0]), level_of("j", **totals, **rules[1]))
    return table_of(*columns, levels=levels, total=totals["total"], repeat_head=draw(st.booleans()))


@settings(max_examples=40)
@given(ROWS, tables())
def test_invariants_of_any_table(tmp_path_factory: pytest.TempPathFactory, rows: list, table: TableBlock) -> None:
    report = report_of(table, page=PageSetup(size="A5", margin_top=20_000, margin_bottom=150_000))
    document = render(report, library_of(tmp_path_factory.mktemp("t"), rows))
    lines = lines_of(document)

    details = [line for line in lines if line.kind == "detail" and "n" in line.cells]
    assert [line.ordinal for line in details] == list(range(len(rows)))
    assert [line.page for line in details] == sorted(line.page for line in details)

    figures = [Decimal(line.cells["v"]) for line in details]
    assert sum(figures) == sum(v for *_, v, _ in rows)
    for line in lines:
        if line.kind == "total":
            mine = [Decimal(d.cells["v"]) for d in details if d.keys[: len(line.keys)] == line.keys]
            assert (Decimal(line.cells["v"]), int(line.cells["n"])) == (sum(mine), len(mine))

    for page in dumped(document)["pages"]:
        bottom = page["height"] - 150.0
        for item in page["items"]:
            assert item["y"] >= 20.0
            assert item["y"] + item["height"] <= bottom + 0.001
            assert item["x"] >= 56.692
            assert item["x"] + item["width"] <= page["width"] - 56.692


@settings(max_examples=15)
@given(ROWS, tables())
def test_the_same_rows_give_the_same_bytes(
    tmp_path_factory: pytest.TempPathFactory, rows: list, table: TableBlock
) -> None:
    made = library_of(tmp_path_factory.mktemp("t"), rows)
    first, second = (render(report_of(table), made, data_time="2026-01-01") for _ in range(2))
    assert first.pdf() == second.pdf()


@settings(max_examples=25)
@given(ROWS, tables())
def test_level_breaks_begin_pages_and_no_page_is_empty(
    tmp_path_factory: pytest.TempPathFactory, rows: list, table: TableBlock
) -> None:
    document = render(report_of(table, page=PageSetup(size="A5")), library_of(tmp_path_factory.mktemp("t"), rows))
    lines = [line for line in lines_of(document) if line.kind != "head"]
    assert {line.page for line in lines} == set(range(1, len(document) + 1))
    if table.levels[0].page_break in ("between", "before"):
        headings = [line for line in lines if line.kind == "heading" and line.level == "k"]
        first_on_page = {}
        for line in lines:
            first_on_page.setdefault(line.page, line)
        firsts = {line.keys: line.page for line in reversed(headings)}
        for keys, page in list(firsts.items()):
            assert first_on_page[page].keys[:1] == keys
