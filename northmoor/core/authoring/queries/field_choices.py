"""The fields of a query as they are offered wherever one is chosen: by the names that readers see."""

from collections.abc import Mapping

from msgspec import Struct

from northmoor.core.engine.rows import Rows
from northmoor.core.expr.language import column_expression
from northmoor.core.model.data.queries import Query, QueryColumn
from northmoor.core.model.edits import column_setting
from northmoor.core.model.kinds.aggregates import NO_TOTAL, aggregate_of, totals_of
from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME, KindName
from northmoor.core.model.report import Report


class FieldChoice(Struct, frozen=True):
    """A field: its name, what readers see instead of it, its kind, and the aggregate that totals it."""

    name: str
    shown_name: str
    kind: KindName
    total: str

    @property
    def expression(self) -> str:
        """The field in each row."""
        return column_expression(self.name)

    @property
    def total_value(self) -> str:
        """The total of the field as an expression."""
        return aggregate_of(self.total, self.expression)


def field_choices(query: Query, kinds: Mapping[str, KindName]) -> tuple[FieldChoice, ...]:
    """The fields of a query that are not hidden, of which the kinds are known. Each is totalled as the query says,
    else numbers are summed; what has no sum is counted."""
    settings = [(column_setting(query, name), kind) for name, kind in kinds.items()]
    return tuple(
        FieldChoice(own.name, own.shown_name, kind, _total(own.total, kind)) for own, kind in settings if not own.hidden
    )


def shown_names(rows: Rows, report: Report) -> list[str]:
    """What readers see of the columns of rows, one of the report's queries or none."""
    settings = {own.name: own for query in report.queries if query.name == rows.query for own in query.columns}
    return [settings.get(name, QueryColumn(name=name)).shown_name for name in rows.names]


def _total(own: str | None, kind: KindName) -> str:
    usual = "count" if own == NO_TOTAL else own or "sum"
    return totals_of(KIND_OF_NAME[kind].is_number, usual)[0]
