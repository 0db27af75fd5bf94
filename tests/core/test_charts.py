"""Charts: the geometry of their marks on the dump against straight SQL, over rows with gaps, nulls and negatives."""

import math
import sqlite3
from collections.abc import Callable
from io import BytesIO
from itertools import combinations, pairwise
from typing import Any

import numpy as np
import pypdfium2
import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.checks.trace import trace
from northmoor.core.document import Document
from northmoor.core.layout.chart.axes import category_labels, horizontal_labels
from northmoor.core.layout.chart.lines import line_steps, moving_average
from northmoor.core.layout.chart.ranges import whiskers
from northmoor.core.layout.context import Shapers
from northmoor.core.layout.graphics.painter import text_style
from northmoor.core.layout.page.hit_testing import hit_map
from northmoor.core.model.blocks.chart import Chart, ChartAxis, ChartBlock, ChartLevel, ChartMeasure, ReferenceLine
from northmoor.core.model.blocks.matrix import MatrixBlock, MatrixLevel, Measure
from northmoor.core.model.blocks.table import Cell, Row
from northmoor.core.model.data.queries import QueryColumn
from northmoor.core.model.styles import ResolvedStyle
from northmoor.core.sources.library import Library
from tests.helpers import dumped, examples, level_of, query, render, report_of, row_of, table_of

MakeLibrary = Callable[[str], Library]
ROWS = """
create table lines (route text, month integer, v integer, w integer);
insert into lines with recursive r(i) as (select 0 union all select i + 1 from r where i < 119)
select 'r' || (i * 7 % 5), 1 + i % 6, case when i % 11 = 3 then null else (i * 37) % 101 - 30 end, i % 4 from r
where not (i * 7 % 5 = 2 and i % 6 = 1);
"""
"""Five routes by six months: one pair has no rows, some values are null, a third of them is below zero."""


@pytest.fixture
def rows() -> sqlite3.Connection:
    connection = sqlite3.connect(":memory:")
    connection.executescript(ROWS)
    return connection


def chart(draw: str = "columns", value: str = "sum(v)", **more: Any) -> ChartBlock:
    """A chart ``chart`` over the query ``rows``, by route where nothing else is given."""
    made = {"category": level("route"), "measures": (ChartMeasure(name="m", value=value),), "legend": "none"} | more
    return ChartBlock(name="chart", query="rows", draw=draw, **made)


def level(by: str, **more: Any) -> ChartLevel:
    return ChartLevel(name=by, by=by, **more)


def items(document: Document, row: str = "mark", block: str = "chart", **of: Any) -> list[dict[str, Any]]:
    """What a chart draws of a kind."""
    found = [i for page in dumped(document)["pages"] for i in page["items"]]
    found = [i for i in found if i["origin"]["block"] == block and i["origin"]["row"] == row]
    return [i for i in found if all(i.get(name) == wanted for name, wanted in of.items())]


def by_key(found: list[dict[str, Any]]) -> dict[tuple[Any, ...], dict[str, Any]]:
    return {(*i["origin"]["keys"], *i["origin"]["across"]): i for i in found}


def straight(rows: sqlite3.Connection, sql: str) -> dict[tuple[Any, ...], float]:
    return {tuple(row[:-1]): row[-1] for row in rows.execute(sql) if row[-1] is not None}


def proportional(lengths: dict[Any, float], values: dict[Any, float]) -> None:
    """Each length is in proportion to its value, to the millipoint or so of each end."""
    assert lengths.keys() == values.keys()
    each = sum(lengths.values()) / sum(map(abs, values.values()))
    assert all(abs(lengths[key] - abs(values[key]) * each) < 0.02 for key in values), (lengths, values)


def test_columns_and_bars_are_as_long_as_values_are_great(library: MakeLibrary, rows: sqlite3.Connection) -> None:
    wanted = straight(rows, "select route, sum(v) from lines group by 1")
    made = library(ROWS)
    for draw, side in (("columns", "height"), ("bars", "width")):
        document = render(report_of(chart(draw)), made)
        found = by_key(items(document))
        proportional({key: item[side] for key, item in found.items()}, wanted)


def test_what_is_below_zero_hangs_from_the_line_at_zero(library: MakeLibrary, rows: sqlite3.Connection) -> None:
    wanted = straight(rows, "select route, month, sum(v) from lines group by 1, 2")
    document = render(report_of(chart(category=level("route"), series=level("month"))), library(ROWS))
    found = by_key(items(document))
    assert any(value < 0 for value in wanted.values())
    wanted = {key: value for key, value in wanted.items() if value}
    proportional({key: i["height"] for key, i in found.items()}, wanted)
    (axis,) = items(document, "axis")
    for key, item in found.items():
        edge = item["y"] + item["height"] if wanted[key] > 0 else item["y"]
        assert edge == pytest.approx(axis["y"], abs=0.01)
    assert ("r2", 2) not in found  # no rows, so no mark


def test_piles_add_up_and_shares_fill_the_height(library: MakeLibrary, rows: sqlite3.Connection) -> None:
    made = library(ROWS)
    piled = render(report_of(chart(value="count(v)", series=level("month"), stack="values")), made)
    heights: dict[str, float] = {}
    for item in items(piled):
        heights[item["origin"]["keys"][0]] = heights.get(item["origin"]["keys"][0], 0) + item["height"]
    wanted = straight(rows, "select route, count(v) from lines group by 1")
    proportional(heights, {key: value for (key,), value in wanted.items()})
    shares = render(report_of(chart(value="count(v)", series=level("month"), stack="shares")), made)
    tops = {round(min(i["y"] for i in items(shares) if i["origin"]["keys"] == [key]), 1) for key in heights}
    assert len(tops) == 1
    assert [i["text"] for i in items(shares, "tick")][-1] == "100 %"


def test_sectors_have_angles_in_proportion_and_close_the_circle(library: MakeLibrary, rows: sqlite3.Connection) -> None:
    wanted = straight(rows, "select route, count(v) from lines group by 1")
    whole = sum(wanted.values())
    for hole in (0.0, 0.5):
        found = items(render(report_of(chart("shares", "count(v)", hole=hole)), library(ROWS)))
        edges = [i["points"] for i in found]
        arcs = [points[1:] if not hole else points[: len(points) // 2] for points in edges]
        xs, ys = zip(*(point for arc in arcs for point in arc), strict=True)
        x, y = (min(xs) + max(xs)) / 2, (min(ys) + max(ys)) / 2
        turned = 0.0
        for item, arc in zip(found, arcs, strict=True):
            begin, end = (math.atan2(px - x, y - py) % math.tau for px, py in (arc[0], arc[-1]))
            share = wanted[tuple(item["origin"]["keys"])] / whole
            assert ((end - begin) % math.tau) == pytest.approx(share * math.tau, abs=0.02)
            turned += (end - begin) % math.tau
        assert turned == pytest.approx(math.tau, abs=0.01)


def test_points_are_where_their_values_are_and_bubbles_have_areas_in_proportion(
    library: MakeLibrary, rows: sqlite3.Connection
) -> None:
    block = chart("points", "avg(v)", along="sum(w)", bubble="count(*)")
    document = render(report_of(block), library(ROWS))
    found = by_key(items(document))
    wanted = {
        (r,): (a, s, n) for r, a, s, n in rows.execute("select route, avg(v), sum(w), count(*) from lines group by 1")
    }
    keys = sorted(wanted)
    middles = np.array([(found[k]["x"] + found[k]["width"] / 2, found[k]["y"] + found[k]["height"] / 2) for k in keys])
    values = np.array([wanted[k][:2] for k in keys])
    for side, value in ((0, values[:, 1]), (1, values[:, 0])):
        slope, foot = np.polyfit(value, middles[:, side], 1)
        assert np.abs(middles[:, side] - (foot + slope * value)).max() < 0.02
        assert (slope > 0) == (side == 0)
    areas = {k: found[k]["width"] ** 2 / wanted[k][2] for k in keys}
    assert max(areas.values()) == pytest.approx(min(areas.values()), rel=0.001)


def test_lines_stop_at_gaps_or_bridge_them(library: MakeLibrary) -> None:
    script = "create table lines (m integer, v integer); insert into lines values (1,5),(2,7),(3,null),(4,2),(5,9),(6,null),(7,1);"
    made = library(script)
    kept = items(render(report_of(chart("lines", category=level("m"))), made), kind="path")
    assert [len(i["points"]) for i in kept] == [2, 2]
    dots = items(render(report_of(chart("lines", category=level("m"))), made), kind="shape")
    assert [i["origin"]["keys"] for i in dots] == [[7]]  # alone between gaps, it has no line
    (bridged,) = items(render(report_of(chart("lines", category=level("m"), gaps="bridge")), made), kind="path")
    assert len(bridged["points"]) == 5


@given(st.lists(st.integers(-1000, 1000), min_size=3, max_size=30))
def test_smooth_lines_never_go_beyond_their_points(values: list[int]) -> None:
    points = [(1000 * at, value) for at, value in enumerate(values)]
    steps = line_steps(*np.array(points).T, "smooth")
    assert [step[-2:] for step in steps] == points
    for (_, y0), step in zip(points, steps[1:], strict=False):
        low, high = min(y0, step[-1]), max(y0, step[-1])
        assert low - 1 <= min(step[1], step[3])
        assert max(step[1], step[3]) <= high + 1


def test_histograms_count_every_value_once(library: MakeLibrary, rows: sqlite3.Connection) -> None:
    block = chart("histogram", "count(*)", category=level("v"), bins=20, keep_rows="v is not null")
    document = render(report_of(block), library(ROWS))
    wanted = straight(
        rows, "select cast(floor(v / 20.0) as integer), count(*) from lines where v is not null group by 1"
    )
    found = by_key(items(document))
    proportional({key: i["height"] for key, i in found.items()}, wanted)
    assert [i["text"] for i in items(document, "label")] == ["-40", "-20", "0", "20", "40", "60"]
    by_itself = render(
        report_of(chart("histogram", "count(*)", category=level("v"), keep_rows="v is not null")), library(ROWS)
    )
    count = sum(wanted.values())
    regions = [s for s in hit_map(by_itself.composition, 0).regions if s.row == "mark"]
    assert sum(trace(by_itself, 0, region, CancelToken()).figures[0].value for region in regions) == count


def test_boxes_have_their_quartiles_and_whiskers(library: MakeLibrary, rows: sqlite3.Connection) -> None:
    document = render(report_of(chart("boxes", "v")), library(ROWS))
    boxes = by_key(items(document, kind="fill"))
    spread = {}
    for (route,) in boxes:
        values = [v for (v,) in rows.execute("select v from lines where route = ? and v is not null", (route,))]
        low, high = np.quantile(values, [0.25, 0.75])
        spread[route,] = float(high - low)
    proportional({key: box["height"] for key, box in boxes.items()}, spread)
    assert whiskers(np.array([1.0, 2, 3, 4, 50]), 2, 4) == (1, 4, pytest.approx([50]))


def test_a_waterfall_goes_on_where_the_step_before_ended(library: MakeLibrary, rows: sqlite3.Connection) -> None:
    wanted = straight(rows, "select month, sum(v) from lines group by 1")
    document = render(report_of(chart("waterfall", category=level("month"))), library(ROWS))
    boxes = items(document, kind="fill")
    proportional({tuple(i["origin"]["keys"]): i["height"] for i in boxes}, wanted)
    for before, after in pairwise(boxes):
        ends = {key: (i["y"] + i["height"], i["y"]) for key, i in (("before", before), ("after", after))}
        up, was_up = wanted[tuple(after["origin"]["keys"])] > 0, wanted[tuple(before["origin"]["keys"])] > 0
        assert ends["before"][was_up] == pytest.approx(ends["after"][not up], abs=0.01)


def test_heat_and_spans_have_a_mark_for_each_value(library: MakeLibrary, rows: sqlite3.Connection) -> None:
    made = library(ROWS)
    heat = render(report_of(chart("heat", "sum(w)", series=level("month"))), made)
    wanted = straight(rows, "select route, month, sum(w) from lines group by 1, 2")
    found = by_key(items(heat))
    assert found.keys() == wanted.keys()
    colors: dict[float, set[str]] = {}
    for key, item in found.items():
        colors.setdefault(wanted[key], set()).add(item["color"])
    assert all(len(own) == 1 for own in colors.values())
    spans = ChartMeasure(name="m", value="w", until="w + month")
    lanes = render(report_of(chart("spans", measures=(spans,), keep_rows="route = 'r1' and w < 3")), made)
    lengths = [i["width"] for i in items(lanes)]
    months = [m for (m,) in rows.execute("select month from lines where route = 'r1' and w < 3")]
    proportional(dict(enumerate(sorted(lengths))), dict(enumerate(sorted(map(float, months)))))


def test_ticks_are_at_their_values(library: MakeLibrary, rows: sqlite3.Connection) -> None:
    document = render(
        report_of(chart("columns", "count(*)", first=ChartAxis(minimum="0", maximum="30"))), library(ROWS)
    )
    ticks = {float(i["text"]): i["y"] + i["height"] / 2 for i in items(document, "tick")}
    assert sorted(ticks) == [0, 5, 10, 15, 20, 25, 30]
    heights = {k: ticks[0] - y for k, y in ticks.items() if k}
    proportional(heights, {k: k for k in heights})
    (count,) = next(iter(rows.execute("select count(*) from lines where route = 'r0'")))
    assert items(document)[0]["height"] == pytest.approx(count * heights[30] / 30, abs=0.01)


def test_reference_lines_averages_and_trends(library: MakeLibrary) -> None:
    line = ReferenceLine(at="avg(month)", text="mean {avg(month); 0.0}")
    area = ReferenceLine(at="1", until="2")
    measure = ChartMeasure(name="m", value="avg(month)", average=2, trend=True)
    block = chart("lines", measures=(measure,), category=level("month"), references=(line, area))
    document = render(report_of(block), library(ROWS))
    texts = [i["text"] for i in items(document, "reference", kind="text")]
    assert texts == ["mean 3.6"]
    (mark,), (trend,) = items(document, kind="path"), items(document, "trend")
    assert trend["points"][0] == pytest.approx(mark["points"][0], abs=0.01)  # the values lie on a line
    assert trend["points"][-1] == pytest.approx(mark["points"][-1], abs=0.01)
    assert len(items(document, "average")[0]["points"]) == 5
    assert np.isnan(moving_average(np.array([1.0, np.nan, 5.0]), 2)[0])
    assert moving_average(np.array([1.0, np.nan, 5.0]), 2)[1:].tolist() == [1.0, 5.0]


def test_error_bars_go_from_one_end_to_the_other(library: MakeLibrary, rows: sqlite3.Connection) -> None:
    measure = ChartMeasure(name="m", value="avg(month)", error_low="min(month)", error_high="max(month)")
    document = render(report_of(chart(measures=(measure,))), library(ROWS))
    upright = [i for i in items(document, kind="path") if i["width"] < 0.01]
    spread = straight(rows, "select route, max(month) - min(month) from lines group by 1")
    proportional({tuple(i["origin"]["keys"]): i["height"] for i in upright}, spread)


def test_a_second_axis_has_a_scale_of_its_own(library: MakeLibrary) -> None:
    measures = (
        ChartMeasure(name="rows", value="count(*)"),
        ChartMeasure(name="many", value="count(*) * 1000", draw="lines", axis="second"),
    )
    document = render(report_of(chart(measures=measures, legend="above")), library(ROWS))
    numbers = [float(i["text"].replace(",", "")) for i in items(document, "tick")]
    assert max(numbers) >= 20_000
    assert {i["text"] for i in items(document, "legend", kind="text")} == {"rows", "many"}


def test_small_charts_share_their_scales(library: MakeLibrary, rows: sqlite3.Connection) -> None:
    block = chart(category=level("month"), panels=level("route"), value="sum(v)", height=300_000)
    document = render(report_of(block), library(ROWS))
    wanted = straight(rows, "select route, month, sum(v) from lines group by 1, 2")
    found = {tuple(i["origin"]["keys"]): i["height"] for i in items(document)}
    proportional(found, {key: value for key, value in wanted.items() if value})
    assert [i["text"] for i in items(document, "panel")] == ["r0", "r1", "r2", "r3", "r4"]


def test_charts_in_headings_show_their_groups_rows(library: MakeLibrary, rows: sqlite3.Connection) -> None:
    small = Chart(category=level("month"), measures=(ChartMeasure(name="m", value="count(*)"),), height=60_000)
    heading = (row_of(v="{route}"), Row(cells=(Cell(column="v", chart=small),)))
    total = Row(cells=(Cell(column="v", chart=small.but(height=80_000)),))
    by_route = level_of("route", heading=heading, keep_groups="route <> 'r3'", order="descending")
    table = table_of("v", levels=(by_route,), show_details=False, total=total, keep_rows="month > 1")
    document = render(report_of(table), library(ROWS))
    marks = items(document, block="table")
    wanted = straight(rows, "select route, month, count(*) from lines where month > 1 and route <> 'r3' group by 1, 2")
    heights: dict[str, dict[Any, float]] = {}
    for item in marks:
        *group, month = item["origin"]["keys"]
        heights.setdefault(group[0] if group else "", {})[month] = item["height"]
    assert list(heights) == ["r4", "r2", "r1", "r0", ""]
    for route, found in heights.items():
        own = {m: n for (r, m), n in wanted.items() if r == route} if route else {
            m: float(sum(n for (_, month), n in wanted.items() if month == m)) for m in range(2, 7)
        }  # fmt: skip
        proportional(found, own)
    regions = [s for s in hit_map(document.composition, 0).regions if s.row == "mark"]
    assert len(regions) == len(marks)
    for region in regions[::3]:
        found_rows = trace(document, 0, region, CancelToken())
        assert all(f.agrees for f in found_rows.figures), found_rows
        assert found_rows.rows is not None
        values = set(found_rows.rows.table.column("route").to_pylist())
        assert found_rows.scope.startswith(f"route = {min(values)}, month = ") or len(values) > 1


def test_a_chart_takes_the_groups_of_a_table_or_a_matrix(library: MakeLibrary, rows: sqlite3.Connection) -> None:
    by_route = level_of("route", order_by="sum(v)", first_groups=2, others="Rest")
    table = table_of("v", levels=(by_route,), keep_rows="month > 2", show_details=False)
    matrix = MatrixBlock(
        name="matrix", query="rows", rows=(MatrixLevel(name="month", by="month", title="Month"),),
        measures=(Measure(name="n", value="count(*)"),),
    )  # fmt: skip
    of_table = chart(category=ChartLevel(name="category", level="route"), groups_of="table", across=ChartAxis())
    of_matrix = of_table.but(
        name="other", category=ChartLevel(name="category", level="month"), groups_of="matrix"
    )  # fmt: skip
    document = render(report_of(table, matrix, of_table, of_matrix), library(ROWS))
    sums = straight(rows, "select route, sum(v) from lines where month > 2 group by 1")
    first = [key for (key,), _ in sorted(sums.items(), key=lambda each: each[1])][:2]
    assert [i["text"] for i in items(document, "label")] == [*first, "Rest"]
    assert [i["text"] for i in items(document, "label", "other")] == ["1", "2", "3", "4", "5", "6"]
    with pytest.raises(ValueError, match="a level that 'table' does not have"):
        report_of(table, of_table.but(category=ChartLevel(name="category", level="month")))


def test_every_mark_can_be_traced_and_linked(library: MakeLibrary) -> None:
    made = library(ROWS)
    link = "https://tarrow.example/{route}"
    blocks = [
        chart(series=level("month"), link=link), chart("boxes", "v", link=link), chart("shares", "count(*)", link=link),
        chart("points", "v", category=None, along="month", keep_rows="v is not null and route = 'r1'"),
        chart("lines", "sum(v) / sum(v) over series", series=level("month"), link=link),
    ]  # fmt: skip
    for block in blocks:
        document = render(report_of(block), made)
        regions = [s for s in hit_map(document.composition, 0).regions if s.row == "mark"]
        assert len(regions) > 4
        for region in regions[::5]:
            found = trace(document, 0, region, CancelToken())
            assert all(f.agrees for f in found.figures), found
            assert found.rows is not None
            assert found.rows.table.num_rows == found.figures[0].expected_rows > 0
            if block.link is not None:
                assert region.link == f"https://tarrow.example/{found.rows.table.column('route')[0]}"


def test_what_cannot_be_drawn_says_why_and_the_rest_stays(library: MakeLibrary) -> None:
    made = library(ROWS)
    empty = render(report_of(chart(keep_rows="false", empty_text="No route has any.")), made)
    assert [i["text"] for i in items(empty, "empty")] == ["No route has any."]
    assert not items(empty)
    assert [i["text"] for i in items(render(report_of(chart(keep_rows="v > 1000")), made), "empty")] == [
        "There are no values to draw."
    ]
    alone = render(report_of(chart("lines", category=level("month"), keep_rows="month = 2")), made)
    assert [i["text"] for i in items(alone, "single")] == ["There is one value only."]
    faulty = render(
        report_of(chart(measures=(ChartMeasure(name="a", value="sum(x)"), ChartMeasure(name="b", value="count(*)")))),
        made,
    )
    dumped(faulty)
    assert any("there is no field 'x'" in f.message for f in faulty.findings)
    assert {i["origin"]["column"] for i in items(faulty)} == {"b"}
    cut = render(report_of(chart(value="count(*)", first=ChartAxis(minimum="5"))), made)
    assert items(cut, "broken")
    assert any("do not begin at zero" in f.message for f in cut.findings)
    many = render(report_of(chart("histogram", "count(*)", category=level("v"), bins=0.0001)), made)
    assert any("make them wider" in f.message for f in many.findings)
    below = chart("lines", "-count(*)", series=level("month"), legend="direct", first=ChartAxis(scale="log"))
    assert not items(render(report_of(below), made))  # nothing on a logarithmic axis, and no names either
    with pytest.raises(ValueError, match="needs a category"):
        chart("shares", category=None)


ODD = """
create table lines (k text, d date, v real, w integer);
insert into lines values ('a', '0001-01-01', 1e308, 1), ('b', '9999-12-31', -9e999, 2), (null, null, null, null), ('c', '2025-01-01', 1e-300, 0);
"""


@pytest.mark.parametrize("draw", ["columns", "lines", "points", "histogram", "boxes", "waterfall", "heat", "shares"])
def test_odd_numbers_and_dates_stop_nothing(library: MakeLibrary, draw: str) -> None:
    columns = (QueryColumn(name="d", type="date"), QueryColumn(name="v", type="float"))
    value = "v" if draw == "boxes" else "sum(v)"
    by = "v" if draw == "histogram" else "d"
    measure = ChartMeasure(name="m", value=value, average=2, trend=True)
    for more in ({}, {"first": ChartAxis(scale="log")}, {"first": ChartAxis(minimum="5", maximum="1")}):
        block = chart(draw, category=level(by), measures=(measure,), along="sum(v)", bubble="sum(w)", **more)
        document = render(report_of(block, queries=[query("select * from lines", columns)]), library(ODD))
        assert dumped(document)["pages"][0]["items"]


words = st.text("abcdefghij mnop-", min_size=1, max_size=24)


@given(st.lists(words, min_size=1, max_size=40), st.integers(2_000, 90_000), st.booleans())
def test_labels_of_an_axis_never_overlap(texts: list[str], step: int, ordered: bool) -> None:
    how = text_style(ResolvedStyle(size=8000), Shapers())
    found = category_labels(texts, step, how, 60_000, ordered)
    ends: dict[int, int] = {}
    for at, lines in found.lines:
        half = how.leading // 2 if found.kind == "turned" else max(map(how.width, lines)) // 2
        middle = at * step
        assert middle - half >= ends.get(0, -(10**9))
        ends[0] = middle + half
        assert len(lines) * how.leading <= found.size or found.kind == "turned"
    beside = horizontal_labels(texts, step, how, 50_000)
    floor = -(10**9)
    for at, lines in beside.lines:
        assert at * step - len(lines) * how.leading // 2 >= floor - 1
        floor = at * step + len(lines) * how.leading // 2
        assert max(map(how.width, lines)) <= 50_000


KINDS = ("columns", "bars", "lines", "areas", "points", "shares", "histogram", "boxes", "waterfall", "heat", "spans")
WITH_SERIES = ("columns", "bars", "lines", "areas", "points", "heat")
TALLIES = "create table lines (route text, month integer, v real, w real);"


@st.composite
def drawn(draw: st.DrawFn, kind: str) -> ChartBlock:
    """A chart of a kind in some of the ways that its texts can be placed."""
    value, until = ("v", "w") if kind == "spans" else ("v" if kind == "boxes" else "sum(v)", None)
    by_month = kind in WITH_SERIES and draw(st.booleans())
    return chart(
        kind,
        category=level("v" if kind == "histogram" else "route"),
        series=level("month") if by_month else None,
        panels=level("w > 0") if draw(st.booleans()) and kind != "spans" else None,
        measures=(ChartMeasure(name="m", value=value, until=until, title="Tonnes {count(*)}"),),
        labels=draw(st.sampled_from(["none", "inside", "outside"])),
        legend=draw(st.sampled_from(["none", "above", "below", "right", "direct"])),
        title=draw(st.sampled_from(["", "Counted {count(*)}"])),
        width=draw(st.sampled_from([0.3, 1.0])),
        height=draw(st.integers(60_000, 250_000)),
    )


tallies = st.lists(
    st.tuples(words, st.integers(1, 9), st.none() | st.integers(-999, 99_999), st.integers(-50, 100_000)),
    min_size=1,
    max_size=25,
)


@pytest.mark.parametrize("kind", KINDS)
@settings(
    max_examples=examples(8), phases=[Phase.generate], suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(data=st.data(), rows_of=tallies)
@pytest.mark.variants
def test_no_two_texts_overlap_and_all_can_be_selected(
    library: MakeLibrary, kind: str, data: st.DataObject, rows_of: list[tuple[Any, ...]]
) -> None:
    block = data.draw(drawn(kind))
    values = (f"('{text}', {month}, {'null' if v is None else v}, {w})" for text, month, v, w in rows_of)
    document = render(report_of(block), library(f"{TALLIES} insert into lines values {', '.join(values)};"))
    found = [i for i in dumped(document)["pages"][0]["items"] if i["kind"] == "text"]
    for one, other in combinations(found, 2):
        apart = (
            one["x"] + one["width"] <= other["x"] + 0.01 or other["x"] + other["width"] <= one["x"] + 0.01
            or one["y"] + one["height"] <= other["y"] + 0.01 or other["y"] + other["height"] <= one["y"] + 0.01
        )  # fmt: skip
        assert apart, [(i["text"], i["origin"]["row"], i["x"], i["y"], i["width"]) for i in (one, other)]
    shown = letters(pypdfium2.PdfDocument(BytesIO(document.pdf()))[0].get_textpage().get_text_bounded())
    assert all(letters(i["text"]) in shown for i in found if "turn" not in i)


def letters(text: str) -> str:
    """A text without its spaces and hyphens, which a reader of PDFs may take for breaks of lines."""
    return "".join(filter(str.isalnum, text))


@pytest.mark.parametrize("kind", ["columns", "bars", "lines", "points"])
def test_a_legend_names_every_series(library: MakeLibrary, kind: str) -> None:
    document = render(report_of(chart(kind, "count(v)", series=level("month"), legend="right")), library(ROWS))
    assert {i["text"] for i in items(document, "legend", kind="text")} == {"1", "2", "3", "4", "5", "6"}


def test_a_legend_names_the_lines_about_a_line(library: MakeLibrary) -> None:
    measure = ChartMeasure(name="m", value="count(v)", title="Counted", average=3, trend=True, trend_title="course")
    document = render(report_of(chart("lines", measures=(measure,), legend="above")), library(ROWS))
    texts = [i["text"] for i in items(document, "legend", kind="text")]
    assert texts == ["Counted", "Counted, moving average", "Counted, course"]
    assert len(items(document, "legend", kind="path")) == 3
