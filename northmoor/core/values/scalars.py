"""A single value of each kind, read from a file, the command line or a field."""

from collections.abc import Callable
from datetime import date, datetime
from decimal import Decimal, InvalidOperation
from typing import Any

from northmoor.core.model.kinds.value_types import KindName

Value = str | int | float | Decimal | date | datetime | bool | None
_TRUE, _FALSE = {"true", "yes", "on", "1"}, {"false", "no", "off", "0"}
_EXAMPLES: dict[KindName, str] = {
    "text": "a text without zero characters",
    "integer": "a whole number such as 12",
    "decimal": "a number such as 12.50",
    "float": "a number such as 12.5",
    "date": "year-month-day such as 2025-03-01",
    "timestamp": "a date and time such as 2025-03-01T06:30, in the report's time zone",
    "boolean": "yes or no",
}


def read_scalar(kind: KindName, raw: Any) -> Value:
    """A raw value as one of the kind. Raises ValueError with a sentence that says what to write."""
    try:
        return _READERS[kind](raw)
    except (ValueError, InvalidOperation, TypeError) as error:
        raise ValueError(f"{quoted_value(raw)} is no {kind}; write {_EXAMPLES[kind]}.") from error


def quoted_value(raw: Any) -> str:
    """A raw value in a message, cut where it is long."""
    text = repr(raw)
    return text if len(text) <= 80 else f"{text[:79]}…"


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
    if isinstance(raw, list | tuple | dict):
        raise ValueError(raw)
    text = str(raw)
    if "\x00" in text or any("\ud800" <= c <= "\udfff" for c in text):
        raise ValueError(raw)
    return text


_READERS: dict[KindName, Callable[[Any], Value]] = {
    "text": _text,
    "integer": _integer,
    "decimal": _decimal,
    "float": _float,
    "date": _date,
    "timestamp": _timestamp,
    "boolean": _boolean,
}
