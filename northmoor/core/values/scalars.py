"""A single value of each kind, read from a file, the command line or a field."""

from collections.abc import Callable
from datetime import date, datetime
from decimal import Decimal, InvalidOperation
from functools import cache
from typing import Any

from northmoor.core.base.lazy_exports import load_by_name
from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME, KindName

Value = str | int | float | Decimal | date | datetime | bool | None
_TRUE, _FALSE = {"true", "yes", "on", "1"}, {"false", "no", "off", "0"}


def read_scalar(kind: KindName, raw: Any) -> Value:
    """A raw value as one of the kind. Raises ValueError with a sentence that says what to write."""
    try:
        return _reader(kind)(raw)
    except (ValueError, InvalidOperation, TypeError) as error:
        raise ValueError(f"{quoted_value(raw)} is no {kind}; write {KIND_OF_NAME[kind].example}.") from error


@cache
def _reader(kind: KindName) -> Callable[[Any], Value]:
    found: Callable[[Any], Value] = load_by_name(KIND_OF_NAME[kind].reader)
    return found


def quoted_value(raw: Any) -> str:
    """A raw value in a message, cut where it is long."""
    text = repr(raw)
    return text if len(text) <= 80 else f"{text[:79]}…"


def read_integer(raw: Any) -> int:
    """A whole number of 64 bits. Raises ValueError, TypeError or InvalidOperation for anything else."""
    if isinstance(raw, float) and not raw.is_integer():
        raise ValueError(raw)
    value = int(raw.strip() if isinstance(raw, str) else raw)
    if not -(2**63) <= value < 2**63:
        raise ValueError(raw)
    return value


def read_decimal(raw: Any) -> Decimal:
    """An exact number. Raises ValueError, TypeError or InvalidOperation for anything else."""
    value = Decimal(str(raw).strip())
    if not value.is_finite() or abs(value.adjusted()) > 30:
        raise ValueError(raw)
    return value


def read_float(raw: Any) -> float:
    """A finite double. Raises ValueError, TypeError or InvalidOperation for anything else."""
    value = float(raw)
    if value - value != 0:
        raise ValueError(raw)
    return value


def read_date(raw: Any) -> date:
    """A day. Raises ValueError, TypeError or InvalidOperation for anything else."""
    if isinstance(raw, datetime):
        return raw.date()
    return raw if isinstance(raw, date) else date.fromisoformat(str(raw).strip())


def read_timestamp(raw: Any) -> datetime:
    """Wall time in the report's zone. Raises ValueError, TypeError or InvalidOperation for anything else."""
    value = raw if isinstance(raw, datetime) else datetime.fromisoformat(str(raw).strip())
    if value.tzinfo is not None:
        raise ValueError(raw)  # wall time of the report's zone is meant
    return value


def read_boolean(raw: Any) -> bool:
    """Yes or no. Raises ValueError, TypeError or InvalidOperation for anything else."""
    word = str(raw).strip().lower()
    if word not in _TRUE | _FALSE:
        raise ValueError(raw)
    return word in _TRUE


def read_text(raw: Any) -> str:
    """A text that every file and database can hold. Raises ValueError for anything else."""
    if isinstance(raw, list | tuple | dict):
        raise ValueError(raw)
    text = str(raw)
    if "\x00" in text or any("\ud800" <= c <= "\udfff" for c in text):
        raise ValueError(raw)
    return text
