"""Parameter values: from what was typed or handed over to typed, bound values."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal, InvalidOperation
from types import MappingProxyType
from typing import Any

from northmoor.core.errors import ParameterError, Place, did_you_mean
from northmoor.core.expr.formats import Customs, format_one
from northmoor.core.model.data import Parameter
from northmoor.core.model.report import Report

Value = str | int | float | Decimal | date | datetime | bool | None
DATA_TIME = "data_time"
_TRUE, _FALSE = {"true", "yes", "on", "1"}, {"false", "no", "off", "0"}


@dataclass(frozen=True)
class Values:
    """One value for each parameter of a report, typed.

    `labels` hold what the reader chose, as text. `data_time` is the moment the data are as of, in wall time of the
    report's zone, when whoever runs the report says so; otherwise it comes from the data's source.
    """

    by_name: Mapping[str, Value]
    labels: Mapping[str, str]
    data_time: datetime | None = None

    def key(self, names: frozenset[str]) -> tuple[tuple[str, Value], ...]:
        """The values of some parameters as a hashable key."""
        return tuple(sorted((n, self.by_name[n]) for n in names if n in self.by_name))


def bind(report: Report, given: Mapping[str, Any]) -> Values:
    """Values for all parameters of the report: the given ones, else the defaults.

    Given values are typed values or texts as a reader types them. Raises ParameterError for an unknown name, a text
    that is no value of the kind, a value that is not among the choices, or a missing one.
    """
    parameters = {p.name: p for p in report.parameters}
    for name in given:
        if name not in parameters and name != DATA_TIME:
            known = did_you_mean(name, parameters) or "The report has none."
            raise ParameterError(f"The report has no parameter {name!r}. {known}")
    customs = Customs(report.locale, report.currency, report.time_zone)
    by_name = {p.name: _value(p, given) for p in report.parameters}
    labels = {p.name: _label(p, by_name[p.name], customs) for p in report.parameters}
    moment = None
    if DATA_TIME not in parameters and DATA_TIME in given:
        moment = read_value(Parameter(name=DATA_TIME, kind="timestamp"), given[DATA_TIME])
    return Values(MappingProxyType(by_name), MappingProxyType(labels), moment)  # type: ignore[arg-type]  # a timestamp


def _value(parameter: Parameter, given: Mapping[str, Any]) -> Value:
    raw = given.get(parameter.name, parameter.default)
    if raw is None:
        raise ParameterError(
            f"A value is missing; give one with --set {parameter.name}=… or set a default.",
            Place(parameter=parameter.name),
        )
    value = read_value(parameter, raw)
    if parameter.choices and value not in [read_value(parameter, c.value) for c in parameter.choices]:
        listed = ", ".join(str(c.value) for c in parameter.choices[:12])
        raise ParameterError(f"{raw!r} is not in its list; choose one of {listed}.", Place(parameter=parameter.name))
    return value


def read_value(parameter: Parameter, raw: Any) -> Value:
    """A raw value (from a file, the command line or a field) as the parameter's kind. Raises ParameterError."""
    try:
        value: Value = _READERS[parameter.kind](raw)
        return value
    except (ValueError, InvalidOperation, TypeError) as error:
        message = f"{raw!r} is no {parameter.kind}; write {_EXAMPLES[parameter.kind]}."
        raise ParameterError(message, Place(parameter=parameter.name)) from error


def _integer(raw: Any) -> int:
    if isinstance(raw, float) and not raw.is_integer():
        raise ValueError(raw)
    value = int(raw.strip() if isinstance(raw, str) else raw)
    if not -(2**63) <= value < 2**63:
        raise ValueError(raw)
    return value


def _decimal(raw: Any) -> Decimal:
    value = Decimal(str(raw).strip())
    if not value.is_finite() or abs(value.adjusted()) > 30:
        raise ValueError(raw)
    return value


def _float(raw: Any) -> float:
    value = float(raw)
    if value - value != 0:
        raise ValueError(raw)
    return value


def _date(raw: Any) -> date:
    if isinstance(raw, datetime):
        return raw.date()
    return raw if isinstance(raw, date) else date.fromisoformat(str(raw).strip())


def _timestamp(raw: Any) -> datetime:
    value = raw if isinstance(raw, datetime) else datetime.fromisoformat(str(raw).strip())
    if value.tzinfo is not None:
        raise ValueError(raw)  # wall time of the report's zone is meant
    return value


def _boolean(raw: Any) -> bool:
    word = str(raw).strip().lower()
    if word not in _TRUE | _FALSE:
        raise ValueError(raw)
    return word in _TRUE


def _text(raw: Any) -> str:
    text = str(raw)
    if "\x00" in text:
        raise ValueError(raw)
    return text


_READERS: dict[str, Callable[[Any], Value]] = {
    "text": _text,
    "integer": _integer,
    "decimal": _decimal,
    "float": _float,
    "date": _date,
    "timestamp": _timestamp,
    "boolean": _boolean,
}
_EXAMPLES = {
    "text": "a text without zero characters",
    "integer": "a whole number such as 12",
    "decimal": "a number such as 12.50",
    "float": "a number such as 12.5",
    "date": "year-month-day such as 2025-03-01",
    "timestamp": "a date and time such as 2025-03-01T06:30, in the report's time zone",
    "boolean": "yes or no",
}


def _label(parameter: Parameter, value: Value, customs: Customs) -> str:
    for choice in parameter.choices:
        if read_value(parameter, choice.value) == value:
            return choice.label
    pattern = "0" if parameter.kind == "integer" else None
    return format_one(value, pattern, customs)
