"""Levels whose groups form a tree: roll-ups against straight recursive SQL, order, what is wrong with a tree."""

import sqlite3
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.compute.groups.boundaries import LevelRows, groups_of
from northmoor.core.compute.groups.hierarchy import tree_of
from northmoor.core.document import Document
from northmoor.core.model.blocks.matrix import MatrixBlock, MatrixLevel, Measure
from northmoor.core.model.blocks.table import Cell, Column, Level, Row
from northmoor.core.model.pages import PageSetup
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import load_report
from tests.helpers import level_of, lines_of, render, report_of, row_of, table_of

MakeLibrary = Callable[[str], Library]
CENTRES = """
create table lines (id integer, parent integer, name text, v integer);
insert into lines values
  (1, null, 'Ferries', 1), (2, 1, 'Crew', 20), (3, 1, 'Fuel', 30), (4, 3, 'Islands', 400), (4, 3, 'Islands', 4),
  (5, null, 'Office', 5000), (6, 5, 'Rent', 60000);
"""


def tree(**more: Any) -> Level:
    return Level(name="centre", by="id", parent="parent", **more)


def centres(library: Library, *rows: str, level: Level | None = None, **more: Any) -> Document:
    level = level or tree(order_by="name")
    heading = Row(cells=tuple(Cell(column=c, value=v) for c, v in zip("nabc", ("name", *rows), strict=False)))
    columns = [Column(name=name) for name in "nabc"[: len(rows) + 1]]
    return render(
        report_of(table_of(*columns, levels=(level.but(heading=heading),), show_details=False, **more)), library
    )


def shown(document: Document, kind: str = "heading") -> list[str]:
    return [" ".join(line.cells.values()) for line in lines_of(document) if line.kind == kind]


def test_a_heading_totals_its_own_rows_and_those_within(library: MakeLibrary) -> None:
    document = centres(library(CENTRES), "sum(v)", "coalesce(sum(v) over own, 0)", "depth()")
    assert shown(document) == [
        "Ferries 455 1 0", "Crew 20 20 1", "Fuel 434 30 1", "Islands 404 404 2", "Office 65,000 5,000 0",
        "Rent 60,000 60,000 1",
    ]  # fmt: skip
    assert document.findings == ()


def test_the_demo_rolls_up_as_recursive_sql_does(demo: Path, tarrow: sqlite3.Connection) -> None:
    path = demo / "reports" / "cost-centres.moor"
    document = Session(Library.around(path.parent)).render(load_report(path))
    wanted = tarrow.execute(
        "with recursive within(top, centre) as (select centre_id, centre_id from cost_centres union all"
        " select top, c.centre_id from within join cost_centres c on c.parent_id = centre)"
        " select t.code, t.name, count(*), sum(cast(round(amount * 100) as integer))"
        " filter (where booked_on < '2025-01-01') from within join ledger_entries e on e.centre_id = centre"
        " join cost_centres t on t.centre_id = top group by top order by t.code"
    ).fetchall()
    found = [line.cells for line in lines_of(document, "centres") if line.kind == "heading"]
    assert [(c["code"], c["name"], c["entries"], c["y2024"]) for c in found] == [
        (code, name, f"{count:,}", f"{Decimal(cents) / 100:,.2f}") for code, name, count, cents in wanted
    ]
    assert len(found) == 40
    assert document.findings == ()


def test_siblings_are_ordered_by_their_roll_up_and_counted(library: MakeLibrary) -> None:
    by_sum = tree(order_by="sum(v)", order="descending")
    assert shown(centres(library(CENTRES), "sum(v)", level=by_sum)) == [
        "Office 65,000", "Rent 60,000", "Ferries 455", "Fuel 434", "Islands 404", "Crew 20",
    ]  # fmt: skip
    first = tree(order_by="sum(v)", order="descending", first_groups=1)
    assert shown(centres(library(CENTRES), "sum(v)", level=first)) == ["Office 65,000", "Rent 60,000"]


def test_members_that_are_picked_keep_their_way_up(library: MakeLibrary) -> None:
    picked = tree(order_by="name", keep_groups="name = 'Islands'")
    counts = ("sum(v)", "count(*)", "sum(v) over own")
    document = centres(library(CENTRES), *counts, level=picked, total=row_of(a="sum(v)"))
    assert shown(document) == ["Ferries 404 2", "Fuel 404 2", "Islands 404 2 404"]
    assert shown(document, "total") == ["404"]
    all_of_them = picked.but(count_ways=True)
    document = centres(library(CENTRES), *counts, level=all_of_them, total=row_of(a="sum(v)"))
    assert shown(document) == ["Ferries 435 4 1", "Fuel 434 3 30", "Islands 404 2 404"]
    assert shown(document, "total") == ["435"]


def test_rows_of_the_way_up_to_a_picked_member_are_not_shown_nor_counted(library: MakeLibrary) -> None:
    """Neither as rows, running sums and numbers, nor in what a page totals, nor in groups within the tree."""
    picked = tree(order_by="name", keep_groups="name = 'Islands' or name = 'Rent'")
    columns = (Column(name="n", value="name"), Column(name="a", value="v"), Column(name="b", value="row_number()"),
               Column(name="c", value="sum(v) over (report order by v)"))  # fmt: skip
    inner = level_of("v", heading=row_of(n="v"))
    heading = row_of(n="name", a="sum(v)")
    wanted = [
        ("heading", "Ferries 404"), ("heading", "Fuel 404"), ("heading", "Islands 404"), ("heading", "4"),
        ("detail", "Islands 4 1 4"), ("heading", "400"), ("detail", "Islands 400 2 404"), ("heading", "Office 60,000"),
        ("heading", "Rent 60,000"), ("heading", "60,000"), ("detail", "Rent 60,000 3 60,404"),
    ]  # fmt: skip
    table = table_of(*columns, levels=(picked.but(heading=heading), inner), page_total=row_of(a="sum(v)"))
    document = render(report_of(table), library(CENTRES))
    assert document.findings == ()
    found = [(line.kind, " ".join(line.cells.values())) for line in lines_of(document)]
    assert [line for line in found if line[0] in ("heading", "detail")] == wanted
    assert found[-1][1] == "60,404"


def test_a_matrix_counts_what_is_picked_of_a_tree(library: MakeLibrary) -> None:
    level = MatrixLevel(name="centre", by="id", parent="parent", keep_groups="min(name) = 'Islands'")
    matrix = MatrixBlock(name="table", query="rows", rows=(level,), measures=(Measure(name="v", value="sum(v)"),))
    for counted, wanted in ((False, ["1 404", "3 404", "4 404"]), (True, ["1 435", "3 434", "4 404"])):
        document = render(report_of(matrix.but(rows=(level.but(count_ways=counted),))), library(CENTRES))
        lines = [" ".join(line.cells.values()) for line in lines_of(document) if line.kind != "head"]
        assert lines[:3] == wanted


def test_orphans_and_circles_are_reported_and_shown_at_the_top(library: MakeLibrary) -> None:
    script = (
        CENTRES + "insert into lines values (7, 99, 'Lost', 1), (8, 9, 'Egg', 2), (9, 8, 'Hen', 3), (10, 10, 'Own', 4);"
    )
    document = centres(library(script), "sum(v)", "depth()")
    assert shown(document)[:5] == ["Egg 5 0", "Hen 3 1", "Ferries 455 0", "Crew 20 1", "Fuel 434 1"]
    assert {"Lost 1 0", "Own 4 0"} < set(shown(document))
    assert [f.message for f in document.findings] == [
        "The parent of 1 group of centre (first: 7) is not among the rows; it is shown at the top.",
        "2 groups of centre (first: 8) lies in itself by way of others; the circle is opened there.",
    ]


def test_totals_follow_what_lies_within_and_deeper_ones_come_first(library: MakeLibrary) -> None:
    level = tree(order_by="name", indent=10_000, total=(row_of(v="sum(v)"), row_of(v="{count(*)} rows")))
    document = render(report_of(table_of(Column(name="t", value="name"), "v", levels=(level,))), library(CENTRES))
    lines = [(line.kind[0], line.keys, " ".join(line.cells.values())) for line in lines_of(document)[1:]]
    assert lines == [
        ("d", (1,), "Ferries 1"), ("d", (2,), "Crew 20"), ("t", (2,), "20"), ("t", (2,), "1 rows"),
        ("d", (3,), "Fuel 30"), ("d", (4,), "Islands 400"), ("d", (4,), "Islands 4"), ("t", (4,), "404"),
        ("t", (4,), "2 rows"), ("t", (3,), "434"), ("t", (3,), "3 rows"), ("t", (1,), "455"), ("t", (1,), "5 rows"),
        ("d", (5,), "Office 5,000"), ("d", (6,), "Rent 60,000"), ("t", (6,), "60,000"), ("t", (6,), "1 rows"),
        ("t", (5,), "65,000"), ("t", (5,), "2 rows"),
    ]  # fmt: skip


def test_each_depth_begins_further_right_and_wraps_in_its_own_room(library: MakeLibrary) -> None:
    level = tree(order_by="name", indent=20_000, heading=row_of(t="{name} and what lies in it, at some length"))
    table = table_of(Column(name="t", width=120_000), "v", levels=(level,), show_details=False)
    document = render(report_of(table), library(CENTRES))
    items = [i for layer in document.page(0).layers for i in _texts(layer)]
    left = {name: min(x for x, text, _ in items if text.startswith(name)) for name in ("Ferries", "Crew", "Islands")}
    assert left["Crew"] - left["Ferries"] == left["Islands"] - left["Crew"] == 20_000
    assert all(x + width <= 56_693 + 120_000 - 2_000 for x, _, width in items if x < 176_693)


def _texts(layer: Any) -> list[tuple[int, str, int]]:
    if not hasattr(layer, "shapers"):
        return []
    return [
        (int(layer.x[i]), layer.shapers[layer.face[i]].text(int(layer.line[i])), int(layer.width[i]))
        for i in range(len(layer))
    ]


def test_a_tree_is_in_levels_and_holds_levels(library: MakeLibrary) -> None:
    script = (
        CENTRES
        + "update lines set v = v + 0; alter table lines add column half text; update lines set half = case when v < 100 then 'a' else 'b' end;"
    )
    inner = level_of("half", total=row_of(v="{half}: {sum(v)} of {sum(v) over centre}"))
    document = render(
        report_of(table_of("v", levels=(tree(order_by="name", heading=row_of(v="{name}")), inner), show_details=False)),
        library(script),
    )
    found = [line.cells["v"] for line in lines_of(document)[1:]]
    assert found[:8] == [
        "Ferries",
        "a: 1 of 455",
        "Crew",
        "a: 20 of 20",
        "Fuel",
        "a: 30 of 434",
        "Islands",
        "a: 4 of 404",
    ]
    outer = render(
        report_of(
            table_of(
                "v",
                levels=(level_of("half", heading=row_of(v="{half}")), tree(heading=row_of(v="{name} {sum(v)}"))),
                show_details=False,
            )
        ),
        library(script),
    )
    assert [line.cells["v"] for line in lines_of(outer)[1:]] == [
        "a", "Ferries 55", "Crew 20", "Fuel 34", "Islands 4", "b", "Islands 400", "Office 65,000", "Rent 60,000",
    ]  # fmt: skip


def test_headings_of_all_groups_around_are_repeated(library: MakeLibrary) -> None:
    script = (
        CENTRES
        + "insert into lines with recursive r(i) as (select 1 union all select i + 1 from r where i < 90) select 4, 3, 'Islands', i from r;"
    )
    table = table_of("v", levels=(tree(order_by="name", heading=row_of(v="{name}")),))
    document = render(report_of(table, page=PageSetup(size="A5")), library(script))
    second = [line.cells["v"] for line in lines_of(document) if line.page == 2]
    assert second[:4] == ["v", "Ferries", "Fuel", "Islands"]


def test_own_and_depth_are_refused_where_there_is_no_tree(library: MakeLibrary) -> None:
    for value, message in (("sum(v) over own", "over own belongs in"), ("depth()", "depth() belongs in")):
        level = level_of("id", total=row_of(v=value))
        (finding,) = render(report_of(table_of("v", levels=(level,))), library(CENTRES)).findings
        assert message in finding.message


@given(st.lists(st.integers(-1, 12), min_size=1, max_size=13), st.randoms())
def test_every_group_is_in_the_tree_once_whatever_the_parents(parents: list[int], chance: Any) -> None:
    size = len(parents)
    named = [None if p < 0 else p for p in parents]
    tree = tree_of(pa.array(range(size)), pa.array(named, pa.int64()), np.zeros(size, np.int64))
    rank = np.array(chance.sample(range(size), size))
    order = tree.in_order(np.zeros(size, np.int64), rank, np.ones(size, bool))
    assert sorted(order.tolist()) == list(range(size))
    moved = groups_of([LevelRows(pa.array(order), pa.array([named[g] for g in order], pa.int64()))])[0]
    assert moved.tree is not None
    within = {(int(a), int(b)) for a, b in zip(*moved.tree.pairs(), strict=True)}
    for group in range(size):  # what lies in a group is the stretch from it to its end
        stretch = set(range(group, int(moved.tree.ends[group])))
        assert {b for a, b in within if a == group} == stretch
        if moved.tree.parent[group] >= 0:
            assert moved.tree.depth[group] == moved.tree.depth[moved.tree.parent[group]] + 1


def test_own_is_no_name_for_a_level() -> None:
    with pytest.raises(ValueError, match="has a meaning already"):
        table_of("v", levels=(level_of("own"),))
