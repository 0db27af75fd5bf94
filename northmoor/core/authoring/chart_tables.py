"""The figures of a chart as a table that can be printed beside it."""

from northmoor.core.model import edits
from northmoor.core.model.base import GroupingLevel
from northmoor.core.model.blocks.chart import Chart, ChartBlock, ChartLevel
from northmoor.core.model.blocks.matrix import MatrixBlock, MatrixLevel, Measure
from northmoor.core.model.edits import Target
from northmoor.core.model.report import Report


def has_figures(chart: Chart) -> bool:
    """Whether a chart draws totals of groups of its own, so that a matrix has the same figures."""
    kind = chart.mark
    is_of_groups = kind.each_row != "always" and kind.statistics == ("{}",) and kind.category_scale != "bin"
    return isinstance(chart, ChartBlock) and chart.groups_of is None and chart.category is not None and is_of_groups


def insert_figures(report: Report, edition: str, chart: str) -> Report:
    """Put a matrix of a chart's figures below it: its panels and categories down the side, its series across."""
    own = edits.block_of(report, edition, chart)
    assert isinstance(own, ChartBlock)
    across = (own.series,) if own.series is not None else ()
    down = [level for level in (own.panels, own.category) if level is not None]
    matrix = MatrixBlock(
        name=f"{own.name}-figures", query=own.query, of_record=own.of_record, all_rows=own.all_rows,
        rows=tuple(map(_level, down)), columns=tuple(map(_level, across)), keep_rows=own.keep_rows,
        measures=tuple(
            Measure(name=each.name, value=each.value, title=each.title or each.name, format=each.format)
            for each in own.measures
        ),
        row_total="none", column_total="none", space_after=own.space_after,
    )  # fmt: skip
    return edits.insert_blocks(report, edition, [matrix], Target(chart))


def _level(level: ChartLevel) -> MatrixLevel:
    own = {name: getattr(level, name) for name in GroupingLevel.model_fields}
    return MatrixLevel(**own | {"by": level.by}, title=level.title, format=level.format, fill=level.fill,
                       members=level.members)  # fmt: skip
