"""Values asked of whoever runs a report, values computed from them, and named sets of them."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from northmoor.core.model.base import Identifier, Part, Title, unique_names
from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME, ControlName, KindName

Scalar = str | int | float | bool
Given = Scalar | tuple[Scalar, ...] | None
"""A value as files hold it: one, several, or none. Dates are written as 2025-03-01; a range of them as
2025-03-01/2025-03-31 or in words, such as last full quarter, one of numbers as 10/20."""
Holds = Literal["one", "list", "range"]


class Choice(Part):
    """One entry of a parameter's list."""

    value: Scalar
    """The value that queries and expressions get."""
    label: str
    """What readers choose."""


class ChoicesFrom(Part):
    """A list that a query feeds. It depends on the parameters that the query uses."""

    query: Identifier
    """The query whose rows are the choices, in its order."""
    value: str
    """Column with the values that queries and expressions get."""
    label: str | None = None
    """Column with what readers choose; without one, the values themselves."""


class FromExpression(Part):
    """A value computed from others."""

    expression: str
    """An expression over parameters, such as make_date(:year, 1, 1), or totals of queries, such as max(fares.month)."""


class FromQuery(Part):
    """A value taken from a query's rows."""

    query: Identifier
    """The query."""
    column: str
    """Its column: the value in the first row, or, for a list, the values in all rows."""


class AllChoices(Part):
    """Every value of the parameter's list."""

    all: Literal[True] = True
    """Says so."""


Default = FromExpression | FromQuery | AllChoices | Scalar | tuple[Scalar, ...] | None


class Parameter(Part):
    """A value asked of whoever runs the report, used as :name in queries and expressions.

    A list is used in `in (:name)`, and :name_count is how many values it has. A range is used as :name_from and
    :name_to: its least and greatest number, its first and last day, or for moments its first one and the one after its
    end.
    """

    name: Identifier
    """The name, without the colon."""
    label: str | None = None
    """What is written beside it in the parameter bar."""
    hint: str | None = None
    """A sentence shown to whoever fills it in."""
    kind: KindName = "text"
    """Kind of value."""
    holds: Holds = "one"
    """One value, a list of any number of them, or a range from one to another (of numbers, dates or moments)."""
    control: ControlName | None = None
    """How it is filled in; without one, what suits its kind."""
    required: bool = True
    """Whether a value must be given. One that need not be may be null, and a list empty."""
    default: Default = None
    """The value used when none is given: one, several, computed, from a query, or all of the list."""
    sample: Given = None
    """The value used in the window in place of one that the calling program will give."""
    choices: tuple[Choice, ...] = ()
    """A fixed list to choose from; empty when any value of the kind will do."""
    choices_from: ChoicesFrom | None = None
    """A query that feeds the list to choose from."""
    minimum_value: Scalar | None = None
    """The smallest value allowed, or the earliest."""
    maximum_value: Scalar | None = None
    """The largest value allowed, or the latest."""
    pattern: Annotated[str, Field(max_length=1000)] | None = None
    """Regular expression (RE2) that a text must match as a whole."""
    minimum_length: Annotated[int, Field(ge=0)] | None = None
    """The smallest number of characters of a text."""
    maximum_length: Annotated[int, Field(ge=1)] | None = None
    """The largest number of characters of a text."""

    @property
    def has_list(self) -> bool:
        """Whether values are chosen from a list."""
        return bool(self.choices) or self.choices_from is not None

    @property
    def shown_name(self) -> str:
        """Its name as readers see it."""
        return self.label or self.name

    @property
    def names(self) -> tuple[str, ...]:
        """The names under which queries and expressions find its value."""
        return {
            "one": (self.name,),
            "list": (self.name, f"{self.name}_count"),
            "range": (f"{self.name}_from", f"{self.name}_to"),
        }[self.holds]

    @property
    def controls(self) -> tuple[ControlName, ...]:
        """The controls that suit it, the one used by itself first."""
        if self.holds == "range":
            return ("period",) if KIND_OF_NAME[self.kind].is_moment else ("ends",)
        if self.holds == "list":
            return ("ticks", "toggles", "lines") if self.has_list else ("lines",)
        if self.has_list:
            few = 0 < len(self.choices) <= 4
            return ("toggles", "drop_down", "ticks") if few else ("drop_down", "ticks", "toggles")
        return KIND_OF_NAME[self.kind].controls

    @model_validator(mode="after")
    def _parts_fit_together(self) -> "Parameter":
        if self.holds == "range" and not KIND_OF_NAME[self.kind].is_ordered:
            raise ValueError(
                f"a range is of numbers, dates or moments, and parameter {self.name!r} is of kind {self.kind}"
            )
        if self.holds == "range" and self.has_list:
            raise ValueError(f"a range has no list to choose from, and parameter {self.name!r} has one")
        if self.choices and self.choices_from is not None:
            raise ValueError(f"parameter {self.name!r} has a fixed list and one from a query; keep one of them")
        if isinstance(self.default, AllChoices) and not (self.holds == "list" and self.has_list):
            raise ValueError(f"the default of parameter {self.name!r} is all of its list, and it chooses from none")
        if self.control is not None and self.control not in self.controls:
            raise ValueError(f"the control of parameter {self.name!r} can be {' or '.join(self.controls)}")
        if self.kind != "text" and (self.pattern, self.minimum_length, self.maximum_length) != (None, None, None):
            raise ValueError(f"only texts have a pattern and a length, and parameter {self.name!r} is no text")
        if not KIND_OF_NAME[self.kind].is_ordered and (self.minimum_value, self.maximum_value) != (None, None):
            raise ValueError(f"only numbers, dates and moments have limits, and parameter {self.name!r} is none")
        return self


class NamedValue(Part):
    """A value computed from others, usable as :name wherever a parameter is."""

    name: Identifier
    """The name, without the colon."""
    value: FromExpression | FromQuery
    """The expression, or the query of one row, that yields it."""
    hint: str | None = None
    """What it is, for whoever works on the report."""


class Assignment(Part):
    """What a set says of one parameter."""

    parameter: Identifier
    """The parameter."""
    value: Given = None
    """Its value; null for none."""


class ValueSet(Part):
    """Values under a name, to be recalled together."""

    name: Title
    """Its name."""
    values: tuple[Assignment, ...] = ()
    """What it sets; other parameters have their defaults."""

    @model_validator(mode="after")
    def _sets_each_once(self) -> "ValueSet":
        unique_names([assigned.parameter for assigned in self.values], "value")
        return self
