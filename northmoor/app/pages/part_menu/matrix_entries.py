"""What is done to a matrix, and to a measure in its cells."""

from functools import partial

from northmoor.app.language.translation import tr
from northmoor.app.pages.field_texts import total_text
from northmoor.app.pages.part_menu.entries import PartCommand, PartEntry, PartGroup
from northmoor.app.pages.part_menu.format_target import format_group, highlight_command
from northmoor.app.pages.part_menu.part_context import PartContext
from northmoor.core.expr.language import bracketed, is_one_aggregate
from northmoor.core.expr.named_patterns import percent_pattern
from northmoor.core.model import edits
from northmoor.core.model.blocks.matrix import MatrixBlock, Measure
from northmoor.core.model.blocks.table import Drawing
from northmoor.core.model.kinds.aggregates import TOTALS, aggregate_of
from northmoor.core.model.report import Report
from northmoor.core.model.styles import ColorScale
from northmoor.core.sources.builder.edits import split_aggregate


def matrix_entries(context: PartContext) -> list[PartEntry]:
    """The commands of a matrix as a whole."""
    matrix = edits.matrix_of(context.report, context.edition.name, context.selection.block)

    grand, side = matrix.row_total != "none", matrix.column_total != "none"
    return [
        PartGroup(tr("Add row group"), _levels(context, matrix, "rows"), "brackets"),
        PartGroup(tr("Add column group"), _levels(context, matrix, "columns"), "brackets"),
        PartGroup(tr("Add value"), _measures(context, matrix), "sigma"),
        None,
        context.command(
            tr("Grand total row"), context.block_change(row_total="none" if grand else "after"), is_on=grand
        ),
        context.command(tr("Total column"), context.block_change(column_total="none" if side else "after"), is_on=side),
        context.command(
            tr("Group headings in one column"),
            context.block_change(stepped=not matrix.stepped),
            "indent-increase",
            is_on=matrix.stepped,
        ),
        None,
        context.command(tr("Swap rows and columns"), partial(edits.swap_sides, matrix=matrix.name), "arrow-left-right"),
        context.command(tr("Convert to table"), partial(edits.matrix_to_table, matrix=matrix.name), "table-2"),
    ]


def measure_entries(context: PartContext) -> list[PartEntry]:
    """The commands of a measure, in all its cells."""
    matrix = edits.matrix_of(context.report, context.edition.name, context.selection.block)
    measure = matrix.measure(context.selection.column)

    def changing(**changes: object) -> partial[Report]:
        return partial(_change_measure, matrix=matrix.name, measure=measure.name, changes=changes)

    bars = measure.draw is not None and measure.draw.kind == "bar"
    move = partial(edits.move_measure, matrix=matrix.name, measure=measure.name)
    return [
        format_group(context),
        PartGroup(tr("Show"), _aggregates(context, matrix, measure), "sigma"),
        PartGroup(tr("Sort"), _sorting(context, matrix, measure), "arrow-up-down"),
        PartGroup(tr("Compute beside it"), _derived(context, matrix, measure), "percent"),
        PartGroup(tr("Add value"), _measures(context, matrix), "sigma"),
        None,
        context.command(
            tr("Colour scale"),
            changing(scale=None if measure.scale else ColorScale(high="#7FA7C9")),
            "palette",
            is_on=measure.scale is not None,
        ),
        context.command(
            tr("Bars in cells"), changing(draw=None if bars else Drawing(kind="bar")), "chart-bar", is_on=bars
        ),
        *highlight_command(context),
        context.command(
            tr("Width by its content"), changing(width=None), "move-horizontal", is_on=measure.width is None
        ),
        None,
        context.command(tr("Move before"), partial(move, by=-1), "arrow-up"),
        context.command(tr("Move after"), partial(move, by=1), "arrow-down"),
        context.command(tr("Swap rows and columns"), partial(edits.swap_sides, matrix=matrix.name), "arrow-left-right"),
        context.command(tr("Convert to table"), partial(edits.matrix_to_table, matrix=matrix.name), "table-2"),
        PartCommand(
            tr("Trace"), context.tools.trace_selected, "search", shortcut="F8", help=tr("Where the figure comes from")
        ),
    ]


def _change_measure(report: Report, edition: str, matrix: str, measure: str, changes: dict[str, object]) -> Report:
    return edits.change_measure(report, edition, matrix, measure, **changes)


def _levels(context: PartContext, matrix: MatrixBlock, side: str) -> tuple[PartCommand | None, ...]:
    add = partial(edits.add_matrix_level, matrix=matrix.name, side=side)
    return tuple(
        context.field_command(each, partial(add, field=each.name, expression=each.expression))
        for each in context.fields
    )


def _measures(context: PartContext, matrix: MatrixBlock) -> tuple[PartCommand | None, ...]:
    add = partial(edits.add_measure, matrix=matrix.name)
    return tuple(
        context.field_command(each, partial(add, field=each.name, value=each.total_value), total_text(each))
        for each in context.fields
    )


def _aggregates(context: PartContext, matrix: MatrixBlock, measure: Measure) -> tuple[PartCommand, ...]:
    """Other totals of what a measure totals; nothing for one that is no single total."""
    if measure.value is None or not is_one_aggregate(measure.value):
        return ()
    now, totalled = split_aggregate(measure.value)
    if now not in TOTALS or totalled == "*":
        return ()
    return tuple(
        context.command(
            tr(TOTALS[name]),
            partial(_show_total, matrix=matrix.name, measure=measure.name, value=aggregate_of(name, totalled)),
            is_on=name == now,
        )
        for name in context.totals_of(totalled)
    )


def _show_total(report: Report, edition: str, matrix: str, measure: str, value: str) -> Report:
    """Show another total; levels that are ordered by the measure stay so."""
    block = edits.matrix_of(report, edition, matrix)
    before = block.measure(measure).value
    report = edits.change_measure(report, edition, matrix, measure, value=value)
    for level in (*block.rows, *block.columns):
        if before is not None and level.order_by == before:
            report = edits.change_matrix_level(report, edition, matrix, level.name, order_by=value)
    return report


def _sorting(context: PartContext, matrix: MatrixBlock, measure: Measure) -> tuple[PartCommand | None, ...]:
    found = []
    for side, what in (("rows", tr("Rows")), ("columns", tr("Columns"))):
        levels = getattr(matrix, side)
        for order, words in (("descending", tr("largest first")), ("ascending", tr("smallest first"))):
            if levels and measure.value is not None:
                change = partial(
                    _sort_side, matrix=matrix.name, level=levels[-1].name, order=order, value=measure.value
                )
                found.append(context.command(tr("{what} by it, {words}").format(what=what, words=words), change))
    return tuple(found)


def _sort_side(report: Report, edition: str, matrix: str, level: str, order: str, value: str) -> Report:
    return edits.change_matrix_level(report, edition, matrix, level, order=order, order_by=value)


_DERIVED = (
    (tr("Share of all"), "{x} / nullif({x} over report, 0)", True),
    (tr("Share of its row"), "{x} / nullif({x} over row, 0)", True),
    (tr("Share of its column"), "{x} / nullif({x} over column, 0)", True),
    (tr("Running total along the row"), "sum({x}) over (row rows unbounded preceding)", False),
    (tr("Running total down the column"), "sum({x}) over (column rows unbounded preceding)", False),
    (tr("Difference from the column before"), "{x} - lag({x}) over row", False),
    (tr("Difference from the row before"), "{x} - lag({x}) over column", False),
    (tr("Rank in its column"), "rank() over (column order by {x} desc)", False),
)


def _derived(context: PartContext, matrix: MatrixBlock, measure: Measure) -> tuple[PartCommand | None, ...]:
    if measure.value is None:
        return ()
    found = []
    for label, value, is_percent in _DERIVED:
        if "{x} over" in value and not is_one_aggregate(measure.value):
            continue  # a share of a quotient cannot be said by the quotient's own expression
        add = partial(
            _add_derived, matrix=matrix.name, measure=measure, title=label,
            value=value.replace("{x}", bracketed(measure.value)), is_percent=is_percent,
        )  # fmt: skip
        found.append(context.command(label, add))
    return tuple(found)


def _add_derived(
    report: Report, edition: str, matrix: str, measure: Measure, title: str, value: str, is_percent: bool
) -> Report:
    report = edits.duplicate_measure(report, edition, matrix, measure.name)
    measures = edits.matrix_of(report, edition, matrix).measures
    at = next(number for number, each in enumerate(measures) if each.name == measure.name) + 1
    pattern = percent_pattern(report.locale, 1) if is_percent else None if "rank()" in value else measure.format
    return edits.change_measure(
        report, edition, matrix, measures[at].name, value=value, title=title, format=pattern, scale=None, draw=None
    )
