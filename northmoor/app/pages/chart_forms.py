"""The inspector's forms for a chart: the chart and its axes, what groups its rows, what it draws."""

from functools import partial
from typing import Any

from northmoor.app.desk import Selection
from northmoor.app.pages.forms import Change, Form
from northmoor.app.pages.period_forms import show_regrouping
from northmoor.core.expr.language import column_expression
from northmoor.core.model import chart_edits, edits
from northmoor.core.model.charts import ChartAxis, ChartBlock, ChartLevel, ChartMeasure, ReferenceLine
from northmoor.core.model.report import Report

STEP_NAMES = {"category": "Categories", "series": "Series", "panels": "Small charts"}
_GROUP_BY = {"category": "Categories by", "series": "Series by", "panels": "Small charts by"}
_AXES = {"first": "Axis of values", "second": "Second axis", "across": "Axis across"}
_AXES_OF_KIND = {"shares": (), "heat": ("across",)}
"""The axes of kinds of charts that do not have the usual ones; they have no reference lines either."""
_COMBINED = ("columns", "bars", "lines", "areas", "points")
"""Kinds whose values can each be drawn in a way of its own."""
_OF_KIND = {
    "columns": ("stack", "gap"), "bars": ("stack", "gap"), "areas": ("stack", "lines", "gaps", "places"),
    "lines": ("lines", "gaps", "markers", "places"), "points": ("along", "bubble"), "shares": ("hole",),
    "histogram": ("bins",), "boxes": ("gap",), "waterfall": ("gap",), "heat": ("heat_low", "heat_high"),
    "spans": ("gap",),
}  # fmt: skip
"""What there is to choose only in some kinds of charts."""


def show_chart(form: Form, report: Report, edition: str, selection: Selection) -> None:
    """A chart as a whole."""
    chart = chart_edits.chart_of(report, edition, selection.block)
    change = form.block_change(chart.name)
    form.title(f"Chart · {chart.name}")
    form.section("What")
    form.properties(ChartBlock, chart, ("draw",), "Change the kind of chart", change)
    queries = [query.name for query in report.queries]
    form.property(ChartBlock, chart, "query", lambda v: form.edit("Change the query", change(query=v)), queries)
    form.properties(ChartBlock, chart, ("title", "keep_rows", *_OF_KIND[chart.draw]), "Change the chart", change)
    fields = tuple(form.desk.kinds.get(chart.query, {}))
    for step, text in _GROUP_BY.items():
        form.choices(text, "plus", [(field, partial(_group, chart.name, step, field)) for field in fields])
    form.choices("Draw one more value", "sigma", [(field, partial(_measure, chart.name, field)) for field in fields])
    form.section("Where")
    placed = ("height", "width", "columns", "space_after", "visible") if chart.panels else (
        "height", "width", "space_after", "visible"
    )  # fmt: skip
    form.properties(ChartBlock, chart, placed, "Change the chart", change)
    form.section("Look")
    names = ("labels", "label_text", "legend", "patterns", "link")
    form.properties(ChartBlock, chart, names, "Change the chart", change)
    for name in ("style", "title_style"):
        form.style(report, chart, name, "Change the style", change)
    has_second = any(measure.axis == "second" for measure in chart.measures)
    usual = ("first", "second", "across") if has_second else ("first", "across")
    for axis in _AXES_OF_KIND.get(chart.draw, usual):
        _axis(form, chart, axis)
    if chart.draw not in _AXES_OF_KIND:
        _references(form, chart)
    form.action("Take the chart out", lambda r, e: edits.remove_block(r, e, chart.name))


def _axis(form: Form, chart: ChartBlock, name: str) -> None:
    axis: ChartAxis = getattr(chart, name)

    def change(**changes: Any) -> Change:
        return lambda r, e: edits.change_block(r, e, chart.name, **{name: axis.but(**changes)})

    form.section(_AXES[name])
    form.properties(ChartAxis, axis, tuple(ChartAxis.model_fields), "Change the axis", change)


def _references(form: Form, chart: ChartBlock) -> None:
    for number, line in enumerate(chart.references):
        others = chart.references[:number], chart.references[number + 1 :]

        def put(*lines: ReferenceLine, others: Any = others) -> Change:
            return lambda r, e: edits.change_block(r, e, chart.name, references=(*others[0], *lines, *others[1]))

        def change(line: ReferenceLine = line, put: Any = put, **changes: Any) -> Any:
            return lambda r, e: put(line.but(**changes))(r, e)

        form.section(f"Reference {number + 1}")
        form.properties(ReferenceLine, line, tuple(ReferenceLine.model_fields), "Change the reference", change)
        form.action("Take the reference out", put())
    form.action(
        "Add a reference line",
        lambda r, e: edits.change_block(r, e, chart.name, references=(*chart.references, ReferenceLine(at="0"))),
        "plus",
    )


def show_chart_level(form: Form, report: Report, edition: str, selection: Selection) -> None:
    """What groups a chart's rows."""
    chart = chart_edits.chart_of(report, edition, selection.block)
    level = chart.level(selection.level)
    step = chart_edits.step_of(chart, selection.level)

    def change(**changes: Any) -> Change:
        return lambda r, e: chart_edits.change_chart_level(r, e, chart.name, step, **changes)

    form.title(f"{STEP_NAMES[step]} · {level.name}")
    form.section("What")
    form.properties(ChartLevel, level, ("name", "by"), "Change the groups", change)
    kinds = form.desk.kinds.get(chart.query, {})
    if chart.draw != "histogram":
        show_regrouping(form, kinds, level.by, change)
    names = (
        "title",
        "format",
        "order",
        "order_by",
        "listed",
        "first_groups",
        "others",
        "keep_groups",
        "fill",
        "members",
    )
    form.properties(ChartLevel, level, names, "Change the groups", change)
    form.action("Take the groups out", lambda r, e: edits.change_block(r, e, chart.name, **{step: None}))


def show_chart_measure(form: Form, report: Report, edition: str, selection: Selection) -> None:
    """What a chart draws."""
    chart = chart_edits.chart_of(report, edition, selection.block)
    measure = chart.measure(selection.column)

    def change(**changes: Any) -> Change:
        return lambda r, e: chart_edits.change_chart_measure(r, e, chart.name, measure.name, **changes)

    form.title(f"Drawn · {measure.name}")
    form.section("What")
    until = ("until",) if chart.draw == "spans" else ()
    errors = ("error_low", "error_high") if chart.draw in _COMBINED else ()
    beside = ("average", "trend") if (measure.draw or chart.draw) in ("lines", "areas", "points") else ()
    names = ("name", "value", *until, "title", "format", *errors, *beside)
    form.properties(ChartMeasure, measure, names, "Change what is drawn", change)
    form.section("Look")
    looks = ("draw", "axis", "color") if chart.draw in _COMBINED else ("color",)
    form.properties(ChartMeasure, measure, looks, "Change how it is drawn", change)
    form.action("Take it out", lambda r, e: chart_edits.remove_chart_measure(r, e, chart.name, measure.name))


def _group(chart: str, step: str, field: str, report: Report, edition: str) -> Report:
    return chart_edits.group_chart(report, edition, chart, step, field, column_expression(field))


def _measure(chart: str, field: str, report: Report, edition: str) -> Report:
    query = report.query(chart_edits.chart_of(report, edition, chart).query)
    total = edits.column_setting(query, field).total
    value = edits.aggregate_of(str(total) if total not in (None, "none") else "count", column_expression(field))
    return chart_edits.add_chart_measure(report, edition, chart, field, value)
