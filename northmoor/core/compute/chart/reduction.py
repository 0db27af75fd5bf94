"""Lines through more points than can be seen: of each stretch of time as narrow as a printer's dot, the first, the
last, the least and the greatest value. What is drawn is the same; nothing between is lost that reaches further.

The method is that of M4 (Jugel et al., VLDB 2014).
"""

from collections.abc import Mapping

import pyarrow as pa
from msgspec import Struct
from sqlglot import exp

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.engine.embedded import Engine
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import ExpressionError
from northmoor.core.expr.identifiers import quoted
from northmoor.core.expr.language import parse
from northmoor.core.model.blocks.chart import Chart, ChartLevel

STRETCHES = 4_000
"""Stretches of a line at most: more than a page is wide in dots of 600 to the inch."""
_SIMPLE = (exp.Max, exp.Min, exp.AnyValue, exp.Avg, exp.Sum)


class LinePlan(Struct, frozen=True):
    """Lines that can be drawn through fewer points: the column of time, those that make panels and series, and those of
    values; `is_on_scale` where moments are as far apart as they are in time, `has_condition` where only some rows
    count."""

    time: str
    series: tuple[str, ...]
    values: tuple[str, ...]
    is_on_scale: bool
    has_condition: bool


def line_plan(chart: Chart, hosted: bool) -> LinePlan | None:
    """Which columns a chart's lines are of; None for a chart whose marks cannot be fewer than its rows say."""
    category = chart.category
    is_line = chart.mark.is_connected and chart.stack == "none" and chart.labels == "none" and not hosted
    texts = (chart.label_text, chart.link)
    if not is_line or category is None or category.fill != "none" or any(text is not None for text in texts):
        return None
    levels = [level for level in (category, chart.panels, chart.series) if level is not None]
    columns = [_column(level) for level in levels]
    values = [_value(measure.value) for measure in chart.measures]
    is_plain = all(m.draw in (None, "lines", "areas") and m.average is None and not m.trend and m.error_low is None
                   and m.error_high is None for m in chart.measures)  # fmt: skip
    if not is_plain or None in columns or None in values:
        return None
    names = [name for name in columns if name is not None]
    return LinePlan(names[0], tuple(names[1:]), tuple(dict.fromkeys(v for v in values if v is not None)),
                    chart.places == "scale", chart.keep_rows is not None)  # fmt: skip


def is_in_time(plan: LinePlan, rows: Rows) -> bool:
    """Whether the lines lie along a scale of moments."""
    kind = rows.table.schema.field(plan.time).type if plan.time in rows.names else pa.null()
    return plan.is_on_scale and pa.types.is_timestamp(kind)


def _column(level: ChartLevel) -> str | None:
    """The column that a level's groups are the values of; None where it is more than that."""
    chosen = (level.order_by, level.first_groups, level.keep_groups, level.others)
    if level.level is not None or level.listed or any(each is not None for each in chosen):
        return None
    return _parsed_column(level.by)


def _parsed_column(text: str) -> str | None:
    try:
        return parse(text).column
    except ExpressionError:
        return None


def _value(text: str) -> str | None:
    """The column that a measure is the greatest, least, mean, sum or any value of."""
    try:
        tree = parse(text).tree
    except ExpressionError:
        return None
    inner = tree.this if isinstance(tree, _SIMPLE) else None
    return inner.name if isinstance(inner, exp.Column) and not inner.table else None


def reduced(plan: LinePlan, rows: Mapping[str, Rows], query: str, most: int, stop: CancelToken) -> Mapping[str, Rows]:
    """The rows without those that lines of so many marks at most do not need. Rows that are few stay as they are, and
    those of which a condition chooses some."""
    own = rows[query]
    names = (plan.time, *plan.series, *plan.values)
    if plan.has_condition or own.table.num_rows <= most or any(name not in own.names for name in names):
        return rows
    kind = own.table.schema.field(plan.time).type
    if not pa.types.is_timestamp(kind):
        return rows
    with Engine(stop) as engine:
        engine.register("__nm_fetched", own.table)
        series = _count(engine, plan.series)
        table = engine.run(_sql(plan, stretches_of(plan, series, most)))
    return {**rows, query: replace(own, table=table.select(list(own.names)))}


def stretches_of(plan: LinePlan, series: int, most: int) -> int:
    """How many stretches of time lines of so many series are drawn by: each has a mark at every moment that is kept for
    one of them, so that none breaks for want of a value."""
    moments = 2 + 3 * series * len(plan.values)  # first, last; of each line least, greatest, where nothing is known
    return max(min(STRETCHES, most // (moments * series)), 1)


def _count(engine: Engine, series: tuple[str, ...]) -> int:
    if not series:
        return 1
    listed = ", ".join(map(quoted, series))
    found = engine.run(f"select count(*) as n from (select distinct {listed} from __nm_fetched)")
    return int(found["n"][0].as_py())


def _sql(plan: LinePlan, stretches: int) -> str:
    time, keys = quoted(plan.time), [quoted(name) for name in plan.series]
    kept = [f"min({time})", f"max({time})"]
    for name in map(quoted, plan.values):
        kept += [f"arg_min({time}, {name})", f"arg_max({time}, {name})", f"min({time}) filter (where {name} is null)"]
    listed = "".join(f"{key}, " for key in keys)
    return f"""
with ends as (
  select epoch_us(min({time})) as low, greatest(epoch_us(max({time})) - epoch_us(min({time})), 1) as length
  from __nm_fetched
), kept as (
  select distinct unnest([{", ".join(kept)}]) as moment
  from (select *, (epoch_us({time}) - low) * {stretches} // (length + 1) as stretch from __nm_fetched, ends)
  group by {listed}stretch
)
select f.* from __nm_fetched f semi join kept k on f.{time} = k.moment
"""
