"""A chart's marks: its categories and series crossed, by the same steps as the two sides of a matrix.

Panels, categories and single marks are levels of the rows, series are the columns; a chart that is in a row of a
table has the groups of that row around them all.
"""

import math
from collections.abc import Iterator, Mapping

import numpy as np
import pyarrow as pa
from msgspec import Struct

from northmoor.core.base.arrays import Ints
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.compute.chart.reduction import LinePlan, is_in_time, line_plan, reduced
from northmoor.core.compute.crosstab.cell_values import CellLevel, CrosstabExpression
from northmoor.core.compute.crosstab.chart_data import LARGEST, ChartData, ChartLevels
from northmoor.core.compute.crosstab.evaluation import CrosstabData, CrosstabPlan, evaluate_matrix
from northmoor.core.compute.crosstab.group_axes import Fill
from northmoor.core.compute.evaluate.compiler import Compiler, EvaluationScope
from northmoor.core.compute.evaluate.slots import grouping_of, slots_in
from northmoor.core.compute.groups.boundaries import Grouping
from northmoor.core.compute.row_ordering import Order
from northmoor.core.compute.table.evaluation import TableData
from northmoor.core.engine.embedded import Engine, EngineError, engine_message
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import ExpressionError, LayoutError, Place
from northmoor.core.expr.language import parse
from northmoor.core.model.blocks.chart import Chart, ChartLevel, ChartMeasure
from northmoor.core.values.parameter_values import Values

MARK_NUMBER, HOST_NUMBER = "mark_number", "host_number"
"""Columns that are given to the rows: which row it is, and the group of a table in which the chart is."""
MOST_MARKS = 100_000
_MOST_BINS = 60


class ChartPlan(Struct, frozen=True):
    """All that the computation of a chart depends on, and nothing of its looks; usable as a cache key. `binned` is what
    a histogram counts in ranges, and how wide they are if that is given."""

    matrix: CrosstabPlan
    depths: ChartLevels
    each_row: bool
    binned: tuple[str, float | None] | None
    line: LinePlan | None = None


def chart_plan(chart: Chart, query: str, name: str, hosted: bool = False) -> ChartPlan:
    """What has to be computed for a chart over a query; `hosted` where it is in rows of a table."""
    alone = chart.category is None
    each_row = chart.mark.each_row == "always" or (alone and chart.mark.each_row == "without category")
    levels = [level for level in (chart.panels, chart.category) if level is not None]
    groupings = [Grouping("host", HOST_NUMBER, "ascending")] * hosted + [grouping_of(level) for level in levels]
    groupings += [Grouping("mark", MARK_NUMBER, "ascending")] * each_row
    fills = [Fill()] * hosted + [_fill(chart, level) for level in levels] + [Fill()] * each_row
    series = (chart.series,) if chart.series is not None else ()
    panel = hosted + (chart.panels is not None)
    depths = ChartLevels(hosted, panel, panel + (chart.category is not None), len(groupings), len(series))
    plan = CrosstabPlan(
        query,
        Order(name, tuple(groupings), ()),
        Order(name, tuple(map(grouping_of, series)), ()),
        tuple(fills),
        tuple(Fill(level.fill, level.members) for level in series),
        frozenset(_expressions(chart, depths)),
        frozenset({depths.marks}),
        chart.keep_rows,
        ("category", "series"),
    )
    binned = (
        (chart.category.by, chart.bins) if chart.mark.category_scale == "bin" and chart.category is not None else None
    )
    return ChartPlan(plan, depths, each_row, binned, line_plan(chart, hosted))


def _fill(chart: Chart, level: ChartLevel) -> Fill:
    """What keys a level is filled with: a histogram has all its ranges, and panels have the same categories."""
    if level is chart.category and level.fill == "none":
        if chart.mark.category_scale == "bin":
            return Fill("period")
        if chart.panels is not None and level.order_by is None and level.first_groups is None:
            return Fill("data")
    return Fill(level.fill, level.members)


def mark_texts(chart: Chart, measure: ChartMeasure) -> tuple[str, ...]:
    """The expressions of a measure's marks: what its kind draws of the value, ends of errors, place and size."""
    mark = chart.mark_of(measure)
    found: list[str | None] = [text.replace("{}", measure.value) for text in chart.mark.statistics]
    if chart.mark.statistics == ("{}",):
        found += [measure.error_low, measure.error_high, measure.until if chart.mark.needs_end else None]
        found += [getattr(chart, option) for option in ("along", "bubble") if option in mark.options]
    return tuple(text for text in found if text is not None)


def _expressions(chart: Chart, depths: ChartLevels) -> Iterator[CrosstabExpression]:
    for measure in chart.measures:
        yield from (CrosstabExpression(depths.marks, text) for text in mark_texts(chart, measure))
    for text in (chart.label_text, chart.link):
        yield from (CrosstabExpression(depths.marks, slot) for slot in slots_in(text or ""))
    if chart.category is not None:
        yield CrosstabExpression(CellLevel(depths.category, 0), chart.category.by)
    if chart.panels is not None:
        yield CrosstabExpression(CellLevel(depths.panel, 0), chart.panels.by)
    if chart.series is not None:
        yield CrosstabExpression(CellLevel(0, 1), chart.series.by)
    whole = CellLevel(depths.host, 0)
    axes = (chart.first, chart.second, chart.across)
    texts = (
        chart.title,
        chart.empty_text,
        chart.single_text,
        chart.description,
        *(level.title for level in chart.levels),
        *(text for m in chart.measures for text in (m.title, m.average_title, m.trend_title)),
        *(axis.title for axis in axes),
        *(line.text for line in chart.references),
    )
    yield from (CrosstabExpression(whole, slot) for text in texts for slot in slots_in(text or ""))
    ends = [end for axis in axes for end in (axis.minimum, axis.maximum)]
    ends += [end for line in chart.references for end in (line.at, line.until)]
    yield from (CrosstabExpression(whole, end) for end in ends if end is not None)


def evaluate_chart(plan: ChartPlan, rows: Mapping[str, Rows], values: Values, stop: CancelToken) -> ChartData:
    """Work out a chart's groups and values.

    Raises LayoutError when they cannot be worked out, or are too many; a faulty expression is its own fault.
    """
    given = rows_of(plan, rows, stop)
    matrix, width = chart_matrix(plan, given, values, stop)
    data = evaluate_matrix(matrix, given, values, stop)
    assert isinstance(data, CrosstabData)
    marks = int(np.prod(data.sides.shape(plan.depths.marks)))
    if marks > MOST_MARKS:
        message = f"It would have {marks:,} marks, and {MOST_MARKS:,} is the most; group the rows more coarsely."
        raise LayoutError(message, Place(block=matrix.rows.block))
    return ChartData(data.sides, data.crossings, plan.depths, width)


def rows_of(plan: ChartPlan, rows: Mapping[str, Rows], stop: CancelToken | None = None) -> Mapping[str, Rows]:
    """The report's rows: those that are drawn with their numbers where each is a mark, and without those of a line that
    could not be seen. Raises Cancelled."""
    own = rows[plan.matrix.query]
    if plan.line is not None:
        return reduced(plan.line, rows, plan.matrix.query, MOST_MARKS, stop or CancelToken())
    if not plan.each_row:
        return rows
    numbered = own.table.append_column(MARK_NUMBER, pa.array(np.arange(own.table.num_rows)))
    return {**rows, plan.matrix.query: replace(own, table=numbered)}


def chart_matrix(
    plan: ChartPlan, rows: Mapping[str, Rows], values: Values, stop: CancelToken
) -> tuple[CrosstabPlan, float | None]:
    """What is evaluated of a chart over some rows: lines in time have no moments but their own. With the ranges of a
    histogram, and how wide they are."""
    if plan.binned is None:
        fills = plan.matrix.row_fills
        if plan.line is not None and is_in_time(plan.line, rows[plan.matrix.query]):
            fills = tuple(Fill() if fill.kind == "data" else fill for fill in fills)
        return replace(plan.matrix, row_fills=fills), None
    text, given = plan.binned
    matrix, place = plan.matrix, Place(block=plan.matrix.rows.block, row="category")
    compiler, names = Compiler(values), rows[plan.matrix.query].names
    try:
        compiled = compiler.compile(parse(text), EvaluationScope(names))
        kept = compiler.compile(parse(matrix.keep_rows or "true"), EvaluationScope(names))
        with Engine(stop) as engine:
            engine.register("__nm_fetched", rows[matrix.query].table)
            number = f"select cast({compiled.sql} as double) as v from __nm_fetched where {kept.sql}"
            listed = "min(v), max(v), count(v), quantile_cont(v, 0.25), quantile_cont(v, 0.75)"
            found = engine.run(
                f"select {listed} from ({number}) where abs(v) <= {LARGEST}", {**compiled.bound, **kept.bound}
            )
    except ExpressionError as error:
        raise LayoutError(error.message, place) from error
    except EngineError as error:
        message = f"It cannot be counted in ranges: {engine_message(error)}. Choose a number as its categories."
        raise LayoutError(message, place) from error
    minimum, maximum, count, low, high = (column[0].as_py() for column in found.columns)
    width = given or _width(minimum, maximum, count, low, high)
    if count and (maximum - minimum) / width > 10_000:
        raise LayoutError(f"Ranges of {width:g} would be more than 10,000; make them wider.", place)
    by = f"cast(floor(round(({text}) / {width:.15g}, 9)) as bigint)"
    groupings = tuple(replace(g, key=by) if g.key == text else g for g in matrix.rows.groupings)
    at = CellLevel(plan.depths.category, 0)
    wanted = frozenset(
        CrosstabExpression(at, by) if want == CrosstabExpression(at, text) else want for want in matrix.expressions
    )
    return replace(matrix, rows=replace(matrix.rows, groupings=groupings), expressions=wanted), width


def _width(minimum: float | None, maximum: float | None, count: int, low: float, high: float) -> float:
    """A round width for ranges, by the rule of Freedman and Diaconis (1981): 2 IQR / cube root of n."""
    if minimum is None or maximum is None or maximum <= minimum:
        return 1.0
    wanted = 2 * (high - low) / count ** (1 / 3) or (maximum - minimum) / 20
    wanted = max(wanted, (maximum - minimum) / _MOST_BINS)
    power = 10.0 ** math.floor(math.log10(wanted))
    return min((step * power for step in (1, 2, 2.5, 5, 10) if step * power >= wanted * 0.999), default=10 * power)


class CellChartPlan(Struct, frozen=True):
    """The chart of a table's row: the scope of the row, and what has to be computed for all its groups at once."""

    scope: int
    plan_of_chart: Chart
    plan: ChartPlan


def evaluate_cell_charts(
    hosted: CellChartPlan, table: TableData, rows: Mapping[str, Rows], values: Values, stop: CancelToken
) -> ChartData:
    """The charts of all groups of a level of a table, or of the whole table. Raises LayoutError."""
    given, _ = rows_of_cell_charts(hosted, table, rows)
    return evaluate_chart(hosted.plan, given, values, stop)


def rows_of_cell_charts(
    hosted: CellChartPlan, table: TableData, rows: Mapping[str, Rows]
) -> tuple[Mapping[str, Rows], Ints]:
    """The report's rows, those that are drawn with the numbers of their groups; and which of the fetched each is."""
    own = rows[hosted.plan.matrix.query]
    numbers, hosts = _by_host_group(hosted.scope, table)
    taken = own.table.take(pa.array(numbers)).append_column(HOST_NUMBER, pa.array(hosts))
    return {**rows, hosted.plan.matrix.query: replace(own, table=taken)}, numbers


def _by_host_group(scope: int, table: TableData) -> tuple[Ints, Ints]:
    """The rows of each group, and the group's number; in a tree a row is in all groups around it."""
    places, hosts = np.arange(table.rows), np.zeros(table.rows, np.int64)
    if scope != 0:
        groups = table.levels[scope - 1]
        starts, counts = groups.starts[:-1], groups.ends - groups.starts[:-1]
        within = np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts)
        places, hosts = np.repeat(starts, counts) + within, np.repeat(np.arange(len(groups)), counts)
    if table.counted is not None:
        places, hosts = places[table.counted[places]], hosts[table.counted[places]]
    return table.fetched()[places], hosts
