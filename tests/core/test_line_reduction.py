"""Lines through very many points: what can be seen of them stays, the rest is not drawn."""

from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Any

import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.compute.chart.evaluation import chart_plan, evaluate_chart
from northmoor.core.compute.chart.reduction import LinePlan, line_plan, reduced, stretches_of
from northmoor.core.engine.arrow_types import type_of_arrow
from northmoor.core.engine.rows import Rows
from northmoor.core.model.blocks.chart import Chart, ChartBlock, ChartLevel, ChartMeasure
from northmoor.core.model.data.queries import QueryColumn
from northmoor.core.sources.library import Library
from northmoor.core.values.parameter_values import Values
from tests.core.test_charts import items
from tests.helpers import query, render, report_of

BEGIN = datetime(2025, 6, 2)
POINTS = st.lists(
    st.tuples(st.integers(0, 999), st.sampled_from("ab"), st.one_of(st.none(), st.integers(-50, 50))),
    min_size=1, max_size=120,
)  # fmt: skip
PLAN = LinePlan("time", ("of",), ("value",), is_on_scale=True, has_condition=False)


@given(POINTS)
def test_the_first_last_least_and_greatest_of_each_stretch_stay(points: list[tuple[int, str, int | None]]) -> None:
    most = 60
    table = pa.table({
        "time": pa.array([BEGIN + timedelta(seconds=at) for at, _, _ in points], pa.timestamp("us")),
        "of": [name for _, name, _ in points], "value": pa.array([value for *_, value in points], pa.int64()),
    })  # fmt: skip
    found = reduced(PLAN, {"q": Rows("q", table, (), BEGIN)}, "q", most, CancelToken())["q"].table
    kept = [((row["time"] - BEGIN).seconds, row["of"], row["value"]) for row in found.to_pylist()]
    if len(points) <= most:
        assert kept == points
        return
    assert set(kept) <= set(points)
    names = {name for _, name, _ in points}
    stretches = stretches_of(PLAN, len(names), most)
    assert {p for p in points if p[0] in {k[0] for k in kept}} == set(kept)  # no line breaks at another's moment
    low, high = min(at for at, *_ in points), max(at for at, *_ in points)
    for name in names:
        for stretch in range(stretches):
            before = seen(points, name, low, high, stretches, stretch)
            after = seen(kept, name, low, high, stretches, stretch)
            assert before == after


def seen(points: Any, name: str, low: int, high: int, stretches: int, stretch: int) -> Any:
    """What can be seen of a line in a stretch."""
    length = max((high - low) * 1_000_000, 1) + 1
    own = [(at, v) for at, n, v in points if n == name and (at - low) * 1_000_000 * stretches // length == stretch]
    values = [v for _, v in own if v is not None]
    ends = (min(at for at, _ in own), max(at for at, _ in own)) if own else None
    return ends, (min(values), max(values)) if values else None, any(v is None for _, v in own)


LINE = Chart(draw="lines", category=ChartLevel(name="category", by="time"),
             measures=(ChartMeasure(name="v", value="max(value)"),))  # fmt: skip


@pytest.mark.parametrize(
    ("changes", "is_one"),
    [
        ({}, True), ({"series": ChartLevel(name="series", by="of")}, True),
        ({"series": ChartLevel(name="series", by="of", first_groups=3)}, False),
        ({"category": ChartLevel(name="category", by="date_trunc('day', time)")}, False),
        ({"measures": (ChartMeasure(name="v", value="count(*)"),)}, False),
        ({"measures": (ChartMeasure(name="v", value="max(value)", average=5),)}, False),
        ({"draw": "columns"}, False), ({"keep_rows": "value > 0"}, False), ({"labels": "inside"}, False),
    ],
)  # fmt: skip
def test_only_plain_lines_are_drawn_through_fewer_points(changes: dict[str, Any], is_one: bool) -> None:
    plan = line_plan(LINE.but(**changes), hosted=False)
    assert (plan is not None and not plan.has_condition) == is_one


def test_a_line_of_very_many_readings_is_drawn_with_its_extremes(library: Callable[[str], Library]) -> None:
    sql = """
    with recursive n(i) as (select 1 union all select i + 1 from n where i < 130000)
    select datetime(1735689600 + i, 'unixepoch') as time, case when i = 77777 then 9999 else i * 7919 % 1000 end as value
    from n
    """
    many = query(sql, (QueryColumn(name="time", type="timestamp"),))
    chart = ChartBlock(name="chart", query="rows", **{n: getattr(LINE, n) for n in ("draw", "category", "measures")})
    document = render(report_of(chart, queries=(many,)), library("create table t (a);"))
    assert document.findings == ()
    (path,) = items(document, kind="path")
    steps = [y for _, y in path["points"]]
    assert 8_000 < len(steps) < 25_000
    assert steps.count(min(steps)) == 1  # the one high reading


def test_panels_of_lines_in_time_have_moments_of_their_own() -> None:
    chart = LINE.but(panels=ChartLevel(name="panels", by="of"), keep_rows="value is not null")
    times = [BEGIN + timedelta(seconds=at) for at in (0, 2, 4, 1, 3)]
    rows = pa.table({"time": pa.array(times, pa.timestamp("us")), "of": list("aaabb"), "value": [1, 2, 3, 4, 5]})
    fetched = {"q": Rows("q", rows, tuple(type_of_arrow(entry.type) for entry in rows.schema), BEGIN)}
    for places, marks in (("scale", 5), ("even", 10)):  # evenly spread categories are the same in all panels
        data = evaluate_chart(chart_plan(chart.but(places=places), "q", "chart"), fetched, Values(), CancelToken())
        assert data.sides.shape(data.depths.marks) == (marks, 1)
