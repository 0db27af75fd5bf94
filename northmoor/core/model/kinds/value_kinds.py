"""The kinds of values: to add one, write the functions that read it and add its record and its name here."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Literal

from msgspec import Struct

ControlName = Literal[
    "field", "stepper", "calendar", "switch", "drop_down", "toggles", "ticks", "lines", "period", "ends"
]


class ValueKind(Struct, frozen=True):
    """A kind of value: how it is called, read, held and asked for."""

    name: str
    """Its name in files of reports."""
    label: str
    """What it is called where a kind is chosen."""
    example: str
    """What to write, for whoever wrote something else."""
    reader: str
    """The function that reads one value from a file, a field or the command line: module and name."""
    coercer: str
    """The function that makes a typed Arrow column of loose values: module and name."""
    arrow: str
    """The Arrow type in which it is held, by its alias; empty where that depends on digits."""
    sql: str
    """Its type in the embedded engine."""
    sample: str | int | bool
    """A value to try a query with whose parameter has none yet."""
    default: str | int | bool
    """What a proposed parameter has as its default."""
    first_choice: str | int | bool
    """The first choice of a new list."""
    controls: tuple[ControlName, ...] = ("field",)
    """The controls for one value without a list, the one used by itself first."""
    is_number: bool = False
    """Whether values can be added up."""
    is_moment: bool = False
    """Whether values are days or moments: they have periods, and can be relative to now."""
    is_ordered: bool = True
    """Whether values have a least and a greatest one, and so ranges."""
    pattern: str = ""
    """Its types as files write them, as a regular expression; empty for the name alone."""


_READ, _COERCE = "northmoor.core.values.scalars", "northmoor.core.sources.typing.coercion"
_DECIMALS = "northmoor.core.sources.typing.decimals"
_NUMBER: tuple[ControlName, ...] = ("field", "stepper")
_CALENDAR: tuple[ControlName, ...] = ("calendar", "field")

VALUE_KINDS: tuple[ValueKind, ...] = (
    ValueKind(
        "text", "Text", "a text without zero characters", f"{_READ}.read_text", f"{_COERCE}.coerce_text", "string",
        "varchar", sample="", default="", first_choice="a", is_ordered=False,
    ),
    ValueKind(
        "integer", "Whole number", "a whole number such as 12", f"{_READ}.read_integer", f"{_COERCE}.coerce_integer",
        "int64", "bigint", sample=0, default=0, first_choice=1, controls=("stepper", "field"), is_number=True,
    ),
    ValueKind(
        "decimal", "Decimal number", "a number such as 12.50", f"{_READ}.read_decimal", f"{_DECIMALS}.coerce_decimal",
        "", "decimal(38, 10)", sample=0, default=0, first_choice=1, controls=_NUMBER, is_number=True,
        pattern=r"decimal\(\d{1,2}, ?\d{1,2}\)",
    ),
    ValueKind(
        "float", "Number (approximate)", "a number such as 12.5", f"{_READ}.read_float", f"{_COERCE}.coerce_float",
        "double", "double", sample=0, default=0, first_choice=1, controls=_NUMBER, is_number=True,
    ),
    ValueKind(
        "date", "Date", "year-month-day such as 2025-03-01", f"{_READ}.read_date", f"{_COERCE}.coerce_date",
        "date32", "date", sample="2025-01-01", default="today", first_choice="2025-01-01", controls=_CALENDAR,
        is_moment=True,
    ),
    ValueKind(
        "timestamp", "Date and time", "a date and time such as 2025-03-01T06:30, in the report's time zone",
        f"{_READ}.read_timestamp", f"{_COERCE}.coerce_timestamp", "timestamp[us]", "timestamp",
        sample="2025-01-01", default="now", first_choice="2025-01-01 00:00", controls=_CALENDAR, is_moment=True,
    ),
    ValueKind(
        "boolean", "Yes or no", "yes or no", f"{_READ}.read_boolean", f"{_COERCE}.coerce_boolean", "bool", "boolean",
        sample=False, default=False, first_choice=True, controls=("switch", "toggles"), is_ordered=False,
    ),
)  # fmt: skip
"""All kinds, in the order in which they are offered."""
KIND_OF_NAME: Mapping[str, ValueKind] = {kind.name: kind for kind in VALUE_KINDS}

if TYPE_CHECKING:
    KindName = str
else:
    KindName = Literal[tuple(KIND_OF_NAME)]
"""A kind, as files of reports name it."""
