"""Aggregates: each is one record, for expressions, totals of columns, type inference and aggregating in parts.

To add one, add its record to `AGGREGATES`.
"""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Literal

from msgspec import Struct


class Aggregate(Struct, frozen=True):
    """An aggregate function of the engine, or a use of one that a column can be totalled by."""

    name: str
    """Its name: as a function in expressions, or in the files of reports as a column's total."""
    label: str | None = None
    """What a reader calls it where a column's total is chosen; None for one that only expressions use."""
    sql: str | None = None
    """The SQL of a column's total, with ``{}`` for the column; None: a call by its name."""
    merged_by: str | None = None
    """The SQL that merges the results of parts, with ``{}`` for those; None where parts do not suffice."""
    keeps_scale: bool = False
    """Whether the result of decimals has as many places as they have."""
    of_numbers: bool = False
    """Whether it is of numbers alone; what is chosen for other values is not."""
    parsed_as: tuple[str, ...] = ()
    """Names of sqlglot's node classes for it, where those do not follow from its name."""

    @property
    def is_function(self) -> bool:
        """Whether expressions call it by its name."""
        return self.sql is None

    def of(self, expression: str) -> str:
        """The expression that aggregates another."""
        return (self.sql or f"{self.name}({{}})").replace("{}", expression)


AGGREGATES: tuple[Aggregate, ...] = (
    Aggregate("sum", "Sum", merged_by="sum({})", keeps_scale=True, of_numbers=True),
    Aggregate("avg", "Average", of_numbers=True),
    Aggregate("min", "Minimum", merged_by="min({})", keeps_scale=True),
    Aggregate("max", "Maximum", merged_by="max({})", keeps_scale=True),
    Aggregate("count", "Count", merged_by="cast(coalesce(sum({}), 0) as bigint)"),
    Aggregate("count_distinct", "Count distinct", sql="count(distinct {})"),
    Aggregate("median"),
    Aggregate("stddev_samp", parsed_as=("Stddev", "StddevSamp")),
    Aggregate("stddev_pop"),
    Aggregate("var_samp", parsed_as=("Variance",)),
    Aggregate("var_pop", parsed_as=("VariancePop",)),
    Aggregate("first"),
    Aggregate("last"),
    Aggregate("any_value"),
    Aggregate("bool_and", parsed_as=("LogicalAnd",)),
    Aggregate("bool_or", parsed_as=("LogicalOr",)),
    Aggregate("quantile_cont", parsed_as=("Quantile", "PercentileCont")),
    Aggregate("quantile_disc", parsed_as=("PercentileDisc",)),
    Aggregate("mode"),
    Aggregate("string_agg", parsed_as=("GroupConcat",)),
    Aggregate("list", parsed_as=("ArrayAgg", "List")),
    Aggregate("weighted_avg"),
)
"""All aggregates; those with a label in the order in which they are offered as totals."""
AGGREGATE_BY_NAME: Mapping[str, Aggregate] = {aggregate.name: aggregate for aggregate in AGGREGATES}
TOTALS: Mapping[str, str] = {a.name: a.label for a in AGGREGATES if a.label is not None}
"""Labels of the aggregates that a column can be totalled by."""
NO_TOTAL = "none"
"""What a column says that is not totalled, though it holds numbers."""

if TYPE_CHECKING:
    TotalName = str
else:
    TotalName = Literal[(*TOTALS, NO_TOTAL)]
"""How a column is totalled, as files of reports name it."""


def totals_of(is_number: bool, usual: str = "sum") -> tuple[str, ...]:
    """Names of the aggregates that can total numbers or other values, the usual one (else a count) first."""
    fitting = [name for name in TOTALS if is_number or not AGGREGATE_BY_NAME[name].of_numbers]
    first = usual if usual in fitting else "count"
    return (first, *(name for name in fitting if name != first))


def aggregate_of(name: str, expression: str) -> str:
    """The expression that aggregates another by the aggregate of a name. Raises KeyError for an unknown name."""
    return AGGREGATE_BY_NAME[name].of(expression)
