"""Tables, matrices and charts begun with chosen fields, each with its role: what a new block of rows is made of."""

from collections.abc import Callable, Mapping, Sequence

from msgspec import Struct

from northmoor.core.authoring.starters.starter_layouts import (
    MONTH_FORMAT,
    Field,
    group_key,
    matrix_level,
    table_of_fields,
)
from northmoor.core.base.replace import replace
from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.chart import ChartBlock, ChartLevel, ChartMeasure
from northmoor.core.model.blocks.matrix import MatrixBlock, Measure
from northmoor.core.model.blocks.table import Row, TableBlock
from northmoor.core.model.blocks.text import literal_template
from northmoor.core.model.edits.naming import known_style
from northmoor.core.model.kinds.aggregates import TOTALS, aggregate_of, totals_of
from northmoor.core.model.report import Report

_LISTED = 8
"""How many columns a table has at first."""


class ChosenField(Struct, frozen=True):
    """A field of a new block, and what it is there."""

    field: Field
    role: str


class RoleChoice(Struct, frozen=True):
    """A role that a field can have, with the aggregate of one that sums it up."""

    label: str
    role: str
    total: str | None = None

    def of(self, field: Field) -> ChosenField:
        """The field in this role."""
        return ChosenField(field if self.total is None else replace(field, total=self.total), self.role)


class BlockStarter(Struct, frozen=True):
    """A kind of block that is begun with fields. `roles` are what a field can be in it, with their labels; `propose`
    chooses likely fields of a query; `make` makes the block of a query's name and fields; `single` are roles that only
    one field can have."""

    name: str
    label: str
    roles: Mapping[str, str]
    summed: str
    """The role in which fields are summed up, each by an aggregate."""
    propose: Callable[[Sequence[Field]], list[ChosenField]]
    make: Callable[[str, Sequence[ChosenField]], Block]
    single: tuple[str, ...] = ()

    @property
    def lists_rows(self) -> bool:
        """Whether its fields are columns with a value in each row."""
        return "column" in self.roles

    def choices(self, is_number: bool) -> list[RoleChoice]:
        """What a field can be, with the aggregates that can sum up its values."""
        found = [RoleChoice(label, role) for role, label in self.roles.items() if role != self.summed]
        return found + [RoleChoice(TOTALS[name], self.summed, name) for name in totals_of(is_number)]

    def surplus(self, chosen: Sequence[ChosenField]) -> list[ChosenField]:
        """Fields that are not shown, as an earlier one has the role that only one can have."""
        roles = [each.role for each in chosen]
        return [each for at, each in enumerate(chosen) if each.role in self.single and each.role in roles[:at]]

    def propose_with(self, wanted: Sequence[Field], fields: Sequence[Field]) -> list[ChosenField]:
        """Likely fields of a query, of which some are wanted: a list has those alone, others what goes with them."""
        if not wanted:
            return self.propose(fields)
        return self.propose(wanted if self.lists_rows else sorted(fields, key=lambda each: each not in wanted))

    def role_of(self, field: Field, chosen: Sequence[ChosenField]) -> str:
        """What a field is likely to be beside those chosen already."""
        for fields in ([*(each.field for each in chosen), field], [field]):
            for each in self.propose(fields):
                if each.field == field:
                    return each.role
        return next(iter(self.roles))


def begin_block(report: Report, starter: BlockStarter, query: str, chosen: Sequence[ChosenField]) -> Block:
    """A new block of fields of a query, in those of the usual styles that a report has."""
    block = starter.make(query, chosen)
    styles = {
        name: known_style(report, str(getattr(block, name)))
        for name in ("style", "head_style", "total_style")
        if getattr(block, name, None) is not None
    }
    if isinstance(block, TableBlock):
        styles["levels"] = tuple(
            level.but(heading=_known_rows(report, level.heading), total=_known_rows(report, level.total))
            for level in block.levels
        )  # type: ignore[assignment]  # a table's levels
        styles["total"] = _known_rows(report, block.total)  # type: ignore[assignment]  # its total rows
    return block.but(**styles)


def _known_rows(report: Report, rows: Sequence[Row]) -> tuple[Row, ...]:
    return tuple(row.but(style=known_style(report, row.style) if row.style else None) for row in rows)


def _with_role(chosen: Sequence[ChosenField], *roles: str) -> list[Field]:
    return [each.field for each in chosen if each.role in roles]


def _aggregate(field: Field) -> str:
    return aggregate_of(field.total or "count", field.expression)


def _table_fields(fields: Sequence[Field]) -> list[ChosenField]:
    return [ChosenField(field, "column" if field.total is None else "total") for field in fields[:_LISTED]]


def _table(query: str, chosen: Sequence[ChosenField]) -> TableBlock:
    totals = {field.name: field.total or "count" for field in _with_role(chosen, "total")}
    groups = _with_role(chosen, "group")
    columns = [
        (field.name, group_key(field) if field in groups else field.expression, field.label)
        for field in (each.field for each in chosen)
    ]
    months = {field.name: MONTH_FORMAT for field in groups if field.is_moment}
    levels = [field.name for field in groups]
    return table_of_fields(query, columns, levels, totals, months).but(space_after=12_000)


def _crossed(fields: Sequence[Field], first: str, second: str) -> list[ChosenField]:
    """The first field whose values repeat has one role, the next that crosses it another; the first that is totalled
    is a value."""
    plain = [field for field in fields if field.total is None]
    plain.sort(key=lambda field: not (field.repeats or field.is_moment))
    plain[1:] = sorted(plain[1:], key=lambda field: field.name in plain[0].nested)
    found = [ChosenField(field, role) for field, role in zip(plain, (first, second), strict=False)]
    totalled = next((field for field in fields if field.total is not None), None)
    return found if totalled is None else [*found, ChosenField(totalled, "value")]


def _matrix(query: str, chosen: Sequence[ChosenField]) -> MatrixBlock:
    measures = [
        Measure(name=field.name, value=_aggregate(field), title=literal_template(field.label))
        for field in _with_role(chosen, "value")
    ]
    return MatrixBlock(
        name="matrix", query=query, rows=tuple(map(matrix_level, _with_role(chosen, "rows"))),
        columns=tuple(map(matrix_level, _with_role(chosen, "columns"))),
        measures=tuple(measures) or (Measure(name="count", value="count(*)", title="Count"),),
        style="body", head_style="head", total_style="grand-total", space_after=12_000,
    )  # fmt: skip


def _chart_fields(fields: Sequence[Field]) -> list[ChosenField]:
    return [each for each in _crossed(fields, "category", "") if each.role]


def _chart(query: str, chosen: Sequence[ChosenField]) -> ChartBlock:
    measures = [
        ChartMeasure(name=field.name, value=_aggregate(field), title=literal_template(field.label))
        for field in _with_role(chosen, "value")
    ]
    return ChartBlock(
        name="chart", query=query, category=_chart_level(chosen, "category"), series=_chart_level(chosen, "series"),
        measures=tuple(measures) or (ChartMeasure(name="count", value="count(*)", title="Count"),),
        space_after=12_000,
    )  # fmt: skip


def _chart_level(chosen: Sequence[ChosenField], role: str) -> ChartLevel | None:
    field = next(iter(_with_role(chosen, role)), None)
    if field is None:
        return None
    across = matrix_level(field)
    return ChartLevel(name=role, by=across.by, title=across.title, format=across.format)


BLOCK_STARTERS: Mapping[str, BlockStarter] = {
    starter.name: starter
    for starter in (
        BlockStarter(
            "table",
            "Table",
            {"column": "Column", "group": "Group", "total": "Total"},
            "total",
            _table_fields,
            _table,
        ),
        BlockStarter(
            "matrix",
            "Matrix",
            {"rows": "Rows", "columns": "Columns", "value": "Value"},
            "value",
            lambda fields: _crossed(fields, "rows", "columns"),
            _matrix,
        ),
        BlockStarter(
            "chart",
            "Chart",
            {"category": "Categories", "series": "Series", "value": "Value"},
            "value",
            _chart_fields,
            _chart,
            ("category", "series"),
        ),
    )
}
"""Kinds of blocks that are begun with fields, by name."""
