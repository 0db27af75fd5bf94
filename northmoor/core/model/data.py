"""What a report asks its data for: queries, their columns, and parameters."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from northmoor.core.model.part import Identifier, Name, Part
from northmoor.core.model.types import Kind, TypeName

Aggregate = Literal["sum", "avg", "min", "max", "count", "count_distinct", "none"]
Scalar = str | int | float | bool


class QueryColumn(Part):
    """What is known of one column of a query beyond what the database says."""

    name: str
    """The column's name in the query's result."""
    type: TypeName | None = None
    """Type of its values. Without one it follows from the database's own declarations."""
    label: str | None = None
    """What readers see instead of the name."""
    total: Aggregate | None = None
    """How new levels total it; without one, they do not."""
    format: str | None = None
    """CLDR pattern for its values, such as #,##0.00."""


class Query(Part):
    """Rows for the report: SQL run on one connection."""

    name: Identifier
    """The name by which blocks use it."""
    connection: Name
    """A name from the library's connections file."""
    sql: Annotated[str, Field(max_length=1_000_000)]
    """One select statement in the connection's dialect; :name stands for the value of a parameter."""
    columns: tuple[QueryColumn, ...] = ()
    """Settings for some or all of its columns."""


class Choice(Part):
    """One entry of a parameter's list."""

    value: Scalar
    """The value that queries and expressions get."""
    label: str
    """What readers choose."""


class Parameter(Part):
    """A value asked of whoever runs the report, used as :name in queries and expressions."""

    name: Identifier
    """The name, without the colon."""
    label: str | None = None
    """What stands beside it in the parameter bar."""
    kind: Kind = "text"
    """Kind of value."""
    default: Scalar | None = None
    """The value used when none is given; without one, a value must be given."""
    choices: tuple[Choice, ...] = ()
    """A fixed list to choose from; empty when any value of the kind will do."""
    hint: str | None = None
    """A sentence shown to whoever fills it in."""

    @model_validator(mode="after")
    def _default_is_a_choice(self) -> "Parameter":
        if self.choices and self.default is not None and self.default not in {c.value for c in self.choices}:
            raise ValueError(f"the default {self.default!r} is not one of the choices")
        return self
