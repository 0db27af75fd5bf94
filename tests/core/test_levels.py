"""What levels can be by and how their groups are ordered, gathered and compared; figures against straight SQL."""

import sqlite3
from collections.abc import Callable
from itertools import groupby

import pytest

from northmoor.core.layout.graphics.display_list import items as layout_items
from northmoor.core.model.blocks.table import Level
from northmoor.core.model.data.queries import QueryColumn
from northmoor.core.model.parameters import Parameter
from northmoor.core.sources.library import Library
from tests.helpers import FREIGHT, column_of, level_of, lines_of, query, render, report_of, row_of, table_of

MakeLibrary = Callable[[str], Library]
SALES = """
create table lines (route text, month integer, v integer);
insert into lines with recursive r(i) as (select 0 union all select i + 1 from r where i < 239)
select 'r' || (i * 7 % 8), 1 + i % 6, (i * 37) % 101 from r;
"""


@pytest.fixture
def sales() -> sqlite3.Connection:
    connection = sqlite3.connect(":memory:")
    connection.executescript(SALES)
    return connection


def texts(document: object, kind: str = "total") -> list[str]:
    return [" ".join(line.cells.values()) for line in lines_of(document) if line.kind == kind]  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("value", "sql"),
    [
        ("sum(sum(v)) over (route rows unbounded preceding)",
         "sum(sum(v)) over (partition by route order by month rows unbounded preceding)"),
        ("sum(v) - lag(sum(v)) over route", "sum(v) - lag(sum(v)) over (partition by route order by month)"),
        ("rank() over (route order by sum(v) desc)", "rank() over (partition by route order by sum(v) desc)"),
        ("avg(sum(v)) over route", "avg(sum(v)) over (partition by route)"),
        ("rank() over (report order by sum(v) desc, count(*))", "rank() over (order by sum(v) desc, count(*))"),
        ("sum(v) * 100 / sum(v) over route", "sum(v) * 100.0 / sum(sum(v)) over (partition by route)"),
    ],
)  # fmt: skip
def test_windows_run_over_the_groups_of_a_level(
    library: MakeLibrary, sales: sqlite3.Connection, value: str, sql: str
) -> None:
    inner = level_of("month", total=row_of(v=value).but(cells=({"column": "v", "value": value, "format": "0.####"},)))
    table = table_of("route", "month", "v", levels=(level_of("route"), inner), show_details=False)
    document = render(report_of(table), library(SALES))
    assert document.findings == ()
    wanted = [w for (w,) in sales.execute(f"select {sql} from lines group by route, month order by route, month")]
    shown = [f"{w:.4f}".rstrip("0").rstrip(".") if isinstance(w, float) else str(w or "") for w in wanted]
    assert [line.cells.get("v", "") for line in lines_of(document) if line.kind == "total"] == [s for s in shown if s]


def test_windows_that_make_no_sense_over_groups_say_so(library: MakeLibrary) -> None:
    for value, message in (
        ("sum(v) over (report rows unbounded preceding)", "as in sum(sum(v))"),
        ("rank() over (route order by sum(v))", "there is one group only"),
        ("row_block(4)", "can only be what a level groups by"),
    ):
        table = table_of("v", levels=(level_of("route", total=row_of(v=value)),))
        (finding,) = render(report_of(table), library(SALES)).findings
        assert message in finding.message


def test_blocks_of_rows_have_as_many_as_a_parameter_says(library: MakeLibrary) -> None:
    block = Level(name="block", by="row_block(:n)", total=row_of(v="{row_block(:n)}: {count(*)}, {min(v)} to {max(v)}"))
    table = table_of("v", levels=(level_of("route"), block), order=({"by": "v"},), show_details=False)
    report = report_of(table, parameters=[Parameter(name="n", kind="integer", default=4)])
    found = texts(render(report, library(SALES), n=12))
    assert [text.split(",")[0] for text in found] == ["1: 12", "2: 12", "3: 6"] * 8
    tops = [int(text.split(" to ")[1]) for text in found]
    assert tops[:3] == sorted(tops[:3])
    assert len(texts(render(report, library(SALES)))) == 64


def test_listed_keys_come_first_in_their_order(library: MakeLibrary) -> None:
    level = level_of("route", listed=("r5", "gone", "r2"), order="descending", total=row_of(v="{route}"))
    document = render(report_of(table_of("v", levels=(level,), show_details=False)), library(SALES))
    assert texts(document) == ["r5", "r2", "r7", "r6", "r4", "r3", "r1", "r0"]


def test_the_rest_is_gathered_in_one_group_with_its_own_inner_groups(
    library: MakeLibrary, sales: sqlite3.Connection
) -> None:
    outer = level_of(
        "route", order_by="sum(v)", order="descending", first_groups=3, others="Others",
        heading=row_of(route="{route}"), total=row_of(route="Total for {route}", v="sum(v)"),
    )  # fmt: skip
    inner = level_of("month", total=row_of(route="{month} in {route}", v="{sum(v)} of {sum(v) over route}"))
    table = table_of("route", "v", levels=(outer, inner), show_details=False, total=row_of(v="sum(v)"))
    document = render(report_of(table), library(SALES))
    assert document.findings == ()
    sums = sales.execute("select route, sum(v) from lines group by route order by 2 desc, 1").fetchall()
    rest = sum(v for _, v in sums[3:])
    totals = [line for line in lines_of(document) if line.kind == "total" and line.level == "route"]
    assert [(line.keys, line.cells["route"], line.cells["v"]) for line in totals] == [
        *(((name,), f"Total for {name}", f"{v:,}") for name, v in sums[:3]),
        (("Others",), "Total for Others", f"{rest:,}"),
    ]
    months = [line for line in lines_of(document) if line.level == "month" and line.keys[0] == "Others"]
    assert [line.keys[1] for line in months] == [1, 2, 3, 4, 5, 6]
    assert sum(int(line.cells["v"].split(" of ")[0].replace(",", "")) for line in months) == rest
    assert texts(document)[-1] == f"{sum(v for _, v in sums):,}"


def test_ranges_and_shifts_are_expressions(library: MakeLibrary) -> None:
    ranges = Level(name="range", by="floor(v / 25) * 25", total=row_of(v="{floor(v / 25) * 25; 0}: {count(*)}"))
    found = texts(render(report_of(table_of("v", levels=(ranges,), show_details=False)), library(SALES)))
    assert [text.split(":")[0] for text in found] == ["0", "25", "50", "75", "100"]
    script = """create table lines (at timestamp, v integer);
    insert into lines values ('2025-01-01 05:59', 1), ('2025-01-01 06:00', 2), ('2025-01-01 13:59', 3),
      ('2025-01-01 14:00', 4), ('2025-01-01 23:00', 5);"""
    by = "time_bucket(interval '8 hours', at, timestamp '2000-01-01 06:00:00')"
    shift = Level(name="shift", by=by, total=row_of(v=f"{{{by}; d.M. HH:mm}} {{sum(v)}}"))
    asked = query("select at, v from lines", (QueryColumn(name="at", type="timestamp"),))
    document = render(report_of(table_of("v", levels=(shift,), show_details=False), queries=[asked]), library(script))
    assert document.findings == ()
    assert texts(document) == ["31.12. 22:00 1", "1.1. 06:00 5", "1.1. 14:00 4", "1.1. 22:00 5"]


def test_null_keys_are_last_and_have_their_own_group(library: MakeLibrary) -> None:
    level = level_of("route", total=row_of(pieces="sum(pieces)"))
    document = render(report_of(table_of("pieces", levels=(level,))), library(FREIGHT))
    groups = [
        (key, len(list(own))) for key, own in groupby(line.keys for line in lines_of(document) if line.kind == "detail")
    ]
    assert groups == [(("TQ-IL",), 2), (("TQ-SK",), 3), ((None,), 1)]
    assert column_of(document, "pieces", "total")[-1] == "5"


@pytest.mark.parametrize("groups", [0, 1, 100_000])
def test_no_group_one_and_a_hundred_thousand(library: MakeLibrary, groups: int) -> None:
    script = f"""create table lines (k integer, v integer); insert into lines with recursive r(i) as
    (select 0 union all select i + 1 from r where i < {groups}) select i, i * 2 from r where i < {groups};"""
    level = level_of("k", heading=row_of(v="{k; 0}"), total=row_of(v="sum(v)"))
    table = table_of("v", levels=(level,), total=row_of(v="{count(distinct k); 0} of {sum(v); 0}"), show_details=False)
    document = render(report_of(table), library(script))
    last = document.page(len(document) - 1)
    shown = [item.text for item in layout_items(last) if item.text and item.origin.row in ("heading", "total")]
    assert shown[-1] == f"{groups} of {groups * (groups - 1) if groups else ''}"
    if groups:
        assert shown[-3:-1] == [str(groups - 1), f"{(groups - 1) * 2:,}"]
    assert (len(document) > 3_000) == (groups > 1)
