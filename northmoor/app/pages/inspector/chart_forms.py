"""The inspector's forms for a chart: the chart and its axes, what groups its rows, what it draws."""

from collections.abc import Callable
from functools import partial
from typing import Any

from northmoor.app.document_controller import ReportEdit, Selection
from northmoor.app.language.translation import tr
from northmoor.app.pages.field_texts import total_text
from northmoor.app.pages.inspector.block_forms import name_line
from northmoor.app.pages.inspector.form import InspectorForm
from northmoor.app.pages.inspector.grouping_editors import show_regrouping
from northmoor.app.pages.inspector.table_forms import row_name
from northmoor.core.authoring.queries.field_choices import FieldChoice, field_choices
from northmoor.core.authoring.table_commands import table_column
from northmoor.core.base.readable_names import shown_title
from northmoor.core.model import edits
from northmoor.core.model.blocks.chart import Chart, ChartAxis, ChartBlock, ChartLevel, ChartMeasure, ReferenceLine
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.edits import ChartPlace
from northmoor.core.model.report import Report

STEP_NAMES = {"category": tr("Categories"), "series": tr("Series"), "panels": tr("Small multiples")}
_GROUP_BY = {"category": tr("Categories by"), "series": tr("Series by"), "panels": tr("Small multiples by")}
_AXES = {"first": tr("Value axis"), "second": tr("Second axis"), "across": tr("Category axis")}
_OF_SCALE = ("scale", "minimum", "maximum")
"""Properties of an axis that categories at even distances do not have."""


def show_chart(form: InspectorForm, report: Report, edition: str, selection: Selection) -> None:
    """A chart as a whole."""
    place = selection.chart_place
    chart, query = place.chart(report, edition), place.query(report, edition)
    own = isinstance(chart, ChartBlock)
    whole = tr("Chart · {block}").format(block=selection.block)
    form.title(whole if own else _title_in_cell(report, edition, selection))
    form.section(tr("Content"))
    if own:
        name_line(form, chart)
    form.properties(Chart, chart, ("draw",), tr("Change the kind of chart"), place.change)
    if own:
        _source(form, report, edition, place)
    form.properties(Chart, chart, ("title", "keep_rows", *chart.mark.options), tr("Change the chart"), place.change)
    fields = field_choices(report.query(query), form.controller.kinds.get(query, {}))
    for step, text in _GROUP_BY.items():
        form.choices(text, "plus", [(each.shown_name, partial(_group, place, step, each)) for each in fields])
    form.choices(tr("Add a value"), "sigma", [(total_text(each), partial(_measure, place, each)) for each in fields])
    form.section(tr("Layout"))
    placed = ("height", *(("width",) if own else ()), *(("columns",) if chart.panels else ()))
    form.properties(type(chart), chart, placed, tr("Change the chart"), place.change)
    if own:
        form.properties(ChartBlock, chart, ("space_after", "visible"), tr("Change the chart"), place.change)
    form.section(tr("Appearance"))
    names = ("labels", "label_text", "legend", "patterns", "link", "description")
    form.properties(Chart, chart, names, tr("Change the chart"), place.change)
    for name in ("style", "title_style"):
        form.style(report, chart, name, tr("Change the style"), place.change)
    has_second = any(measure.axis == "second" for measure in chart.measures)
    usual = ("first", "second", "across") if has_second else ("first", "across")
    for axis in usual:
        if axis in chart.mark.axes:
            _axis(form, chart, place, axis)
    if "first" in chart.mark.axes:
        _references(form, chart, place)
    form.action(tr("Remove the chart"), place.remove)


def _source(form: InspectorForm, report: Report, edition: str, place: ChartPlace) -> None:
    """Which rows a chart of its own draws."""
    chart, found = place.chart(report, edition), report.edition(edition)
    assert isinstance(chart, ChartBlock)
    assert found is not None
    queries = [query.name for query in report.queries]
    form.property(
        ChartBlock, chart, "query", lambda v: form.edit(tr("Change the query"), place.change(query=v)), queries
    )
    grouped = [block.name for block in found.blocks if isinstance(block, TableBlock | MatrixBlock)]
    if grouped:
        form.property(
            ChartBlock, chart, "groups_of",
            lambda v: form.edit(tr("Change whose groups it draws"), edits.change_groups_of(place, v)), grouped,
        )  # fmt: skip


def _axis(form: InspectorForm, chart: Chart, place: ChartPlace, name: str) -> None:
    axis: ChartAxis = getattr(chart, name)

    def change(**changes: Any) -> ReportEdit:
        return lambda r, e: place.change(**{name: axis.but(**changes)})(r, e)

    form.section(_AXES[name])
    on_scale = (
        name != "across"
        or chart.along is not None
        or (chart.mark.category_scale == "point" and chart.places == "scale")
    )
    names = tuple(field for field in ChartAxis.model_fields if on_scale or field not in _OF_SCALE)
    form.properties(ChartAxis, axis, names, tr("Change the axis"), change)


def _references(form: InspectorForm, chart: Chart, place: ChartPlace) -> None:
    for number, line in enumerate(chart.references):
        others = chart.references[:number], chart.references[number + 1 :]

        def put(*lines: ReferenceLine, others: Any = others) -> ReportEdit:
            return place.change(references=(*others[0], *lines, *others[1]))

        def change(line: ReferenceLine = line, put: Any = put, **changes: Any) -> Any:
            return lambda r, e: put(line.but(**changes))(r, e)

        form.section(tr("Reference {number}").format(number=number + 1))
        form.properties(ReferenceLine, line, tuple(ReferenceLine.model_fields), tr("Change the reference"), change)
        form.action(tr("Remove the reference line"), put())
    form.action(
        tr("Add a reference line"),
        place.change(references=(*chart.references, ReferenceLine(at="0"))),
        "plus",
    )


def show_chart_level(form: InspectorForm, report: Report, edition: str, selection: Selection) -> None:
    """What groups a chart's rows."""
    place = selection.chart_place
    chart = place.chart(report, edition)
    level = chart.level(selection.part or selection.level)
    step = edits.step_of(chart, level.name)

    def change(**changes: Any) -> ReportEdit:
        return lambda r, e: edits.change_chart_level(r, e, place, step, **changes)

    form.title(f"{STEP_NAMES[step]} · {shown_title(level)}")
    form.section(tr("Content"))
    form.properties(
        ChartLevel, level, ("name", "by") if level.level is None else ("name",), tr("Change the groups"), change
    )
    _level_of_block(form, report, edition, place, level, change)
    kinds = form.controller.kinds.get(place.query(report, edition), {})
    if level.level is None and chart.mark.category_scale != "bin":
        show_regrouping(form, kinds, level.by, change)
    names: tuple[str, ...] = ("title", "format")
    if level.level is None:
        names += ("order", "order_by", "listed", "first_groups", "others", "keep_groups", "fill", "members")
    form.properties(ChartLevel, level, names, tr("Change the groups"), change)
    form.action(tr("Remove the groups"), place.change(**{step: None}))


def _level_of_block(
    form: InspectorForm,
    report: Report,
    edition: str,
    place: ChartPlace,
    level: ChartLevel,
    change: Callable[..., ReportEdit],
) -> None:
    """Whose groups a level of a chart takes, where the chart draws those of a table or matrix."""
    chart = place.chart(report, edition)
    source = chart.groups_of if isinstance(chart, ChartBlock) else None
    if source is None:
        return
    found = edits.block_of(report, edition, source)
    own_by = found.level(level.level).by if level.level is not None else level.by

    def commit(name: str | None) -> None:
        form.edit(tr("Change the groups"), change(level=name, by="" if name is not None else own_by))

    form.property(ChartLevel, level, "level", commit, [each.name for each in found.levels])


def show_chart_measure(form: InspectorForm, report: Report, edition: str, selection: Selection) -> None:
    """What a chart draws."""
    place = selection.chart_place
    chart = place.chart(report, edition)
    measure = chart.measure(selection.part or selection.column)

    def change(**changes: Any) -> ReportEdit:
        return lambda r, e: edits.change_chart_measure(r, e, place, measure.name, **changes)

    form.title(tr("Value · {name}").format(name=shown_title(measure)))
    form.section(tr("Content"))
    until = ("until",) if chart.mark.needs_end else ()
    errors = ("error_low", "error_high") if chart.mark.hosts_others else ()
    beside = _label_place(measure) if chart.mark_of(measure).category_scale == "point" else ()
    names = ("name", "value", *until, "title", "format", *errors, *beside)
    form.properties(ChartMeasure, measure, names, tr("Change what is drawn"), change)
    form.section(tr("Appearance"))
    looks = ("draw", "axis", "color") if chart.mark.hosts_others else ("color",)
    form.properties(ChartMeasure, measure, looks, tr("Change how it is drawn"), change)
    form.action(tr("Remove"), lambda r, e: edits.remove_chart_measure(r, e, place, measure.name))


def _label_place(measure: ChartMeasure) -> tuple[str, ...]:
    """What there is to say of the lines about a measure's own."""
    average = ("average", "average_title") if measure.average is not None else ("average",)
    return (*average, "trend", "trend_title") if measure.trend else (*average, "trend")


def _title_in_cell(report: Report, edition: str, selection: Selection) -> str:
    column = table_column(edits.table_of(report, edition, selection.block), selection.column or "")
    return tr("Chart in {name} · {column}").format(name=row_name(selection.place), column=shown_title(column))


def _group(place: ChartPlace, step: str, field: FieldChoice, report: Report, edition: str) -> Report:
    return edits.group_chart(report, edition, place, step, field.name, field.expression)


def _measure(place: ChartPlace, field: FieldChoice, report: Report, edition: str) -> Report:
    return edits.add_chart_measure(report, edition, place, field.name, field.total_value)
