"""What a parameter's list offers: its fixed choices, or a query's rows."""

from dataclasses import dataclass
from functools import cached_property

import pyarrow.compute as pc
from msgspec import Struct

from northmoor.core.engine.rows import Rows
from northmoor.core.errors import ParameterError, Place, did_you_mean
from northmoor.core.expr.formats import FormatLocale, format_values
from northmoor.core.model.parameters import Parameter
from northmoor.core.values.parameter_values import Held, NumberRange
from northmoor.core.values.relative_periods import Span
from northmoor.core.values.scalars import Value, quoted_value, read_scalar

MOST_OFFERED = 200_000
_NAMED = 12


class ChoiceEntry(Struct, frozen=True):
    """An entry of a list: the value that is used, and the label that is read."""

    value: Value
    label: str


@dataclass(frozen=True)
class Choices:
    """The entries of a parameter's list in order, each value once; `why_empty` says why there is none."""

    entries: tuple[ChoiceEntry, ...]
    why_empty: str = ""

    @cached_property
    def labels(self) -> dict[Value, str]:
        """Each value's label."""
        return {entry.value: entry.label for entry in self.entries}

    def missing(self, held: Held) -> tuple[Value, ...]:
        """The values held that the list does not have."""
        assert not isinstance(held, Span | NumberRange)  # ranges have no list
        values = held if isinstance(held, tuple) else () if held is None else (held,)
        return tuple(value for value in values if value not in self.labels)

    def message_when_missing(self) -> str:
        """A sentence that says what can be chosen."""
        if not self.entries:
            return f"There are no values. {self.why_empty}".strip()
        listed = ", ".join(str(entry.value) for entry in self.entries[:_NAMED])
        return f"Choose one of {listed}{' …' if len(self.entries) > _NAMED else ''}."


def fixed_choices(parameter: Parameter) -> Choices:
    """The choices that are in the report. Raises ParameterError for one that is no value of its kind."""
    try:
        return _each_once([ChoiceEntry(read_scalar(parameter.kind, c.value), c.label) for c in parameter.choices])
    except ValueError as error:
        raise ParameterError(f"In its list, {error}", Place(parameter=parameter.name)) from error


def choices_from_rows(parameter: Parameter, rows: Rows, format_locale: FormatLocale) -> Choices:
    """The choices that a query's rows make; rows without a value are passed over.

    Raises ParameterError for a column that is not there, a value that is none of the parameter's kind, and too many.
    """
    source = parameter.choices_from
    assert source is not None
    for column in (source.value, source.label):
        if column is not None and column not in rows.names:
            hint = did_you_mean(column, rows.names)
            raise ParameterError(f"The query {source.query}, which feeds its list, has no column {column!r}. {hint}")
    if rows.table.num_rows > MOST_OFFERED:
        raise ParameterError(
            f"The query {source.query} returns {rows.table.num_rows:,} rows for its list; "
            f"{MOST_OFFERED:,} are the most."
        )
    values = rows.table.column(source.value)
    pattern = "0" if parameter.kind == "integer" and source.label is None else None
    labels = format_values(rows.table.column(source.label or source.value), pattern, format_locale)
    present = pc.is_valid(values).to_pylist()
    entries = []
    for value, label, is_there in zip(values.to_pylist(), labels.to_pylist(), present, strict=True):
        if is_there:
            entries.append(ChoiceEntry(_read(parameter, source.value, value), label or str(value)))
    return _each_once(entries)


def _read(parameter: Parameter, column: str, value: object) -> Value:
    try:
        return read_scalar(parameter.kind, value)
    except ValueError as error:
        raise ParameterError(
            f"Column {column} of its list has {quoted_value(value)}, which is no {parameter.kind}. "
            "Change the parameter's kind, or the column's type."
        ) from error


def _each_once(entries: list[ChoiceEntry]) -> Choices:
    first: dict[Value, ChoiceEntry] = {}
    for entry in entries:
        first.setdefault(entry.value, entry)
    return Choices(tuple(first.values()))
