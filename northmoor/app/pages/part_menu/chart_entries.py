"""What is done to a chart, to what it draws, and to what groups its rows."""

from functools import partial
from typing import Any

from northmoor.app.language.translation import tr
from northmoor.app.pages.field_texts import total_text
from northmoor.app.pages.part_menu.entries import PartCommand, PartEntry, PartGroup
from northmoor.app.pages.part_menu.filter_entries import filter_entries
from northmoor.app.pages.part_menu.part_context import PartContext
from northmoor.core.authoring.chart_tables import has_figures, insert_figures
from northmoor.core.authoring.format_choices import sample_text
from northmoor.core.expr.language import bare_column, is_one_aggregate
from northmoor.core.model import edits
from northmoor.core.model.blocks.chart import (
    Chart,
    ChartAxis,
    ChartBlock,
    ChartLevel,
    ChartMeasure,
    ReferenceLine,
)
from northmoor.core.model.blocks.text import literal_template
from northmoor.core.model.edits import ChartPlace
from northmoor.core.model.kinds.mark_types import MARK_TYPES, MarkType
from northmoor.core.model.report import Report
from northmoor.core.sources.builder.edits import split_aggregate

_LEGENDS = (
    (tr("Right"), "right"), (tr("Above"), "above"), (tr("Below"), "below"), (tr("At the marks"), "direct"),
    (tr("None"), "none"),
)  # fmt: skip
_LABELS = ((tr("None"), "none"), (tr("Inside"), "inside"), (tr("Outside"), "outside"))
_STACKS = ((tr("Side by side"), "none"), (tr("Stacked"), "values"), (tr("Stacked to 100 %"), "shares"))
_AXES = (
    ("first", tr("Value axis"), "unfold-vertical"), ("second", tr("Second axis"), "unfold-vertical"),
    ("across", tr("Category axis"), "move-horizontal"),
)  # fmt: skip
_GROUPS = ((tr("Categories by"), "category"), (tr("Series by"), "series"), (tr("Small multiples by"), "panels"))


def chart_entries(context: PartContext) -> list[PartEntry]:
    """The commands of a chart, whatever part of it is selected."""
    place = context.selection.chart_place
    chart = place.chart(context.report, context.edition.name)
    legends = _choices(context, place, chart, "legend", _LEGENDS)
    labels = _choices(context, place, chart, "labels", _LABELS)
    stacks = _choices(context, place, chart, "stack", _STACKS) if "stack" in chart.mark.options else ()
    return [
        *_filters(context, chart),
        PartGroup(tr("Chart type"), _types(context, place, chart), "chart-column"),
        *(PartGroup(text, _groups(context, place, step), "brackets") for text, step in _GROUPS),
        PartGroup(tr("Add value"), _values(context, place), "sigma"),
        None,
        PartGroup(tr("Series are"), stacks, "layers"),
        PartGroup(tr("Value labels"), labels, "type"),
        PartGroup(tr("Legend"), legends, "list"),
        *_axes(context, place, chart),
        PartGroup(tr("Reference line"), _references(context, place, chart), "minus"),
        context.command(
            tr("Pattern fills"),
            place.change(patterns=not chart.patterns),
            is_on=chart.patterns,
            help=tr("Areas have hatching besides their colour, for print in grey"),
        ),
        *_axis(context, place, chart),
        None,
        PartCommand(tr("Colours…"), partial(context.tools.edit_property, "color"), "paint-bucket"),
        context.command(
            tr("Table of its figures, below"),
            partial(insert_figures, chart=context.selection.block),
            "grid-3x3",
            reason="" if has_figures(chart) else tr("It draws no totals of groups of its own."),
        ),
    ]


def _filters(context: PartContext, chart: Chart) -> list[PartEntry]:
    """Filters by the category of the mark that was pointed at, in a chart of its own."""
    if not isinstance(chart, ChartBlock) or chart.category is None or context.selection.kind != "mark":
        return []
    if chart.mark.category_scale == "bin" or chart.groups_of is not None:
        return []  # its categories are ranges, or groups of another block
    pointed, columns = context.pointed, context.report.query(chart.query).columns if chart.query else ()
    settings = {column.name: column.format for column in columns}
    pattern = chart.category.format or settings.get(bare_column(chart.category.by) or "")
    shown = sample_text(pointed.value, pattern, context.format_locale) if pointed is not None else ""
    expression = chart.category.by if pointed is not None else None
    return [PartGroup(tr("Filter"), filter_entries(context, chart, expression, shown), "funnel"), None]


def _axis(context: PartContext, place: ChartPlace, chart: Chart) -> list[PartEntry]:
    """Which axis what a mark shows is measured on."""
    name = context.selection.column
    measure = next((each for each in chart.measures if each.name == name), None)
    if measure is None or context.selection.kind != "mark" or "second" not in chart.mark.axes:
        return []
    is_second = measure.axis == "second"
    other = measure.but(axis="first" if is_second else "second")
    measures = tuple(other if each is measure else each for each in chart.measures)
    return [context.command(tr("On the second axis"), place.change(measures=measures), is_on=is_second)]


def _axes(context: PartContext, place: ChartPlace, chart: Chart) -> list[PartGroup]:
    """How the axes are drawn that the chart has, and what those of values begin with."""
    used = {"first", "across", *(measure.axis for measure in chart.measures)}
    return [
        PartGroup(text, _axis_choices(context, place, chart, name), drawing)
        for name, text, drawing in _AXES
        if name in used and name in chart.mark.axes
    ]


def _axis_choices(context: PartContext, place: ChartPlace, chart: Chart, name: str) -> tuple[PartCommand, ...]:
    axis: ChartAxis = getattr(chart, name)

    def choice(text: str, is_on: bool, **changes: object) -> PartCommand:
        return context.command(text, place.change(**{name: axis.but(**changes)}), is_on=is_on)

    from_zero, is_log = axis.minimum == "0", axis.scale == "log"
    of_values = (
        choice(tr("From zero"), from_zero, minimum=None if from_zero else "0", scale="linear"),
        choice(
            tr("Logarithmic"), is_log, scale="linear" if is_log else "log", minimum=None if from_zero else axis.minimum
        ),
    )
    return (
        *(of_values if name != "across" else ()),
        choice(tr("Grid lines"), axis.grid, grid=not axis.grid),
        choice(tr("Line and labels"), axis.shown, shown=not axis.shown),
    )


def _types(context: PartContext, place: ChartPlace, chart: Chart) -> tuple[PartCommand, ...]:
    return tuple(_type(context, place, chart, kind) for kind in MARK_TYPES)


def _type(context: PartContext, place: ChartPlace, chart: Chart, kind: MarkType) -> PartCommand:
    reason, counted = "", {}
    if kind.needs_category and chart.category is None:
        reason = tr("It needs categories; choose them first.")
    elif kind.needs_end:
        reason = tr("It needs an end for each value; give one in the inspector.")
    elif kind.category_scale == "bin" and chart.category is not None and context.is_number(chart.category.by) is False:
        counted = _counted(context, place, chart, chart.category)
        reason = "" if counted else tr("It counts numbers in ranges; choose a number as its categories first.")
    return context.command(
        tr(kind.label), place.change(draw=kind.name, **counted), is_on=chart.draw == kind.name, reason=reason
    )


def _counted(context: PartContext, place: ChartPlace, chart: Chart, category: ChartLevel) -> dict[str, Any]:
    """What makes a chart count the first number that it totals, in ranges; nothing where it totals none."""
    totals = [split_aggregate(each.value) for each in chart.measures]
    number = next((value for name, value in totals if (name or bare_column(value)) and context.is_number(value)), None)
    if number is None:
        return {}
    query = context.report.query(place.query(context.report, context.edition.name))
    label = edits.column_setting(query, bare_column(number) or number).label
    category = ChartLevel(name=category.name, by=number, title=literal_template(label or number))
    return {"category": category, "measures": (ChartMeasure(name="count", value="count(*)", title=tr("Count")),)}


def _choices(
    context: PartContext, place: ChartPlace, chart: Chart, name: str, offered: tuple[tuple[str, str], ...]
) -> tuple[PartCommand, ...]:
    now = getattr(chart, name)
    return tuple(context.command(text, place.change(**{name: value}), is_on=value == now) for text, value in offered)


def _groups(context: PartContext, place: ChartPlace, step: str) -> tuple[PartCommand | None, ...]:
    chart = place.chart(context.report, context.edition.name)
    found: list[PartCommand | None] = []
    level = getattr(chart, step)
    for each in context.fields:
        group = partial(edits.group_chart, place=place, step=step, field=each.name, expression=each.expression)
        is_on = level is not None and level.by == each.expression
        found.append(context.field_command(each, group, is_on=is_on))
    if getattr(chart, step) is not None and not (step == "category" and chart.mark.needs_category):
        found += [None, context.command(tr("None"), place.change(**{step: None}), "x")]
    return tuple(found)


def _values(context: PartContext, place: ChartPlace) -> tuple[PartCommand, ...]:
    add = partial(edits.add_chart_measure, place=place)
    return tuple(
        context.field_command(each, partial(add, field=each.name, value=each.total_value), total_text(each))
        for each in context.fields
    )


def _references(context: PartContext, place: ChartPlace, chart: Chart) -> tuple[PartCommand | None, ...]:
    value = next((measure.value for measure in chart.measures if measure.value is not None), None)
    if value is None or "first" not in chart.mark.axes or chart.category is None:
        return ()
    by = chart.category.by

    def adding(text: str, at: str) -> partial[Report]:
        return partial(_add_reference, place=place, line=ReferenceLine(at=at, text=text))

    zero = context.command(tr("At zero"), adding("", "0"))
    mean = context.command(
        tr("At the mean of the categories"), adding(tr("Mean"), f"({value}) / nullif(count(distinct {by}), 0)")
    )
    clear = context.command(tr("Remove all"), place.change(references=()), "x") if chart.references else None
    additive = is_one_aggregate(value) and value.lower().startswith(("sum(", "count("))
    return (*((mean,) if additive else ()), zero, *((None, clear) if clear is not None else ()))


def _add_reference(report: Report, edition: str, place: ChartPlace, line: ReferenceLine) -> Report:
    chart = place.chart(report, edition)
    return place.change(references=(*chart.references, line))(report, edition)
