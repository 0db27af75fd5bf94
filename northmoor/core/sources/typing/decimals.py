"""Loose numbers to exact decimals: from texts, doubles and whole numbers, of any length.

Arrow's and the engine's decimals hold 38 digits. Numbers that need more are rounded, half to even, to as many places as
the longest of their column leaves; where even its whole part has more than 38 digits, the column is of doubles. What is
no number (NaN, Infinity) is missing. `FittedDecimals.note` says which of that has happened: never is a digit dropped in
silence, and never is a number turned to text.
"""

from collections.abc import Callable, Sequence
from contextlib import suppress
from decimal import ROUND_HALF_EVEN, Context, Decimal, InvalidOperation
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from msgspec import Struct

from northmoor.core.engine.arrow_types import PRECISION, UNKNOWN_SCALE, arrow_type
from northmoor.core.model.kinds.value_types import MAX_PRECISION, TOO_LONG, ValueType
from northmoor.core.sources.typing.coercion import CoercionError, cast_whole, coerce_one_by_one

MOST_PLACES = 9
"""Places that are tried one after the other for numbers of which none are declared."""
_WIDE = Context(prec=20_000, rounding=ROUND_HALF_EVEN, Emax=999_999, Emin=-999_999)
_EXACT = 2.0**52  # below it, a double has a unit digit to spare
_NOISE = 1e-4  # share of the last decimal place that arithmetic on doubles may leave behind
_PLAIN = r"^[+-]?[0-9]+(\.[0-9]*)?$"
_UTC = ZoneInfo("UTC")


class FittedDecimals(Struct, frozen=True):
    """Decimals, or doubles, and what was lost in making them; an empty note where nothing was."""

    values: pa.Array
    note: str = ""


def coerce_decimal(raw: pa.Array, kind: ValueType, _zone: ZoneInfo) -> pa.Array:
    """Values as decimals with the digits of the type, or with as many as they have (see `fit_decimals`).

    Raises CoercionError for the first that does not fit.
    """
    if kind.scale == UNKNOWN_SCALE:
        return fit_decimals(raw).values
    if pa.types.is_floating(raw.type):
        return _decimal_of_doubles(raw, kind)
    if pa.types.is_uint64(raw.type):
        raw = raw.cast(pa.decimal128(20, 0))
    if pa.types.is_decimal(raw.type):
        wanted = arrow_type(kind)
        return raw if raw.type == wanted else cast_whole(raw, lambda array: array.cast(wanted))
    if pa.types.is_string(raw.type) and _is_cast_exactly(raw, kind.scale):
        with suppress(pa.ArrowInvalid):  # what is not plain digits is read one by one
            return raw.cast(arrow_type(kind))

    def read(value: Any) -> Decimal:
        number = Decimal(str(value).strip())
        exact = number.quantize(Decimal(1).scaleb(-kind.scale), context=_WIDE)
        if exact != number or exact.adjusted() >= kind.precision - kind.scale:
            raise ValueError(value)
        return exact

    if pa.types.is_integer(raw.type):
        return _decimal_of_integers(raw, kind, read)
    return coerce_one_by_one(raw, read, arrow_type(kind))


def fit_decimals(raw: pa.Array) -> FittedDecimals:
    """Numbers about whose digits nothing is declared, as the narrowest decimals that hold them.

    Raises CoercionError for the first value that is no number.
    """
    if pa.types.is_decimal(raw.type):
        raw = raw.cast(pa.string())
    if not pa.types.is_string(raw.type):
        return FittedDecimals(_narrowest(raw))
    if _longest(raw) + MOST_PLACES <= MAX_PRECISION:
        with suppress(CoercionError):
            return FittedDecimals(_narrowest(raw))
    if pc.all(pc.match_substring_regex(raw, _PLAIN)).as_py() is not False:
        whole, places = _digits(raw)
        if whole + places <= MAX_PRECISION:
            short = pc.replace_substring_regex(raw, r"(\.[0-9]*?)0*$", r"\1") if places else _without_places(raw)
            return FittedDecimals(short.cast(pa.decimal128(MAX_PRECISION, places)))
    return _rounded(raw)


def _narrowest(raw: pa.Array) -> pa.Array:
    """Decimals of the fewest places that hold all values."""
    for scale in range(MOST_PLACES + 1):
        try:
            return coerce_decimal(raw, ValueType("decimal", PRECISION, scale), _UTC)
        except CoercionError as fault:
            unfit = fault
    raise unfit


def _longest(texts: pa.Array) -> int:
    return pc.max(pc.utf8_length(texts)).as_py() or 0


def _is_cast_exactly(texts: pa.Array, scale: int) -> bool:
    """Whether Arrow casts texts or says why not: longer ones overflow unseen, tiny ones of an exponent become zero."""
    if _longest(texts) + scale > MAX_PRECISION:
        return False
    return pc.any(pc.match_substring(texts, "e", ignore_case=True)).as_py() is not True


def _without_places(texts: pa.Array) -> pa.Array:
    return pc.replace_substring_regex(texts, r"\..*$", "")


def _digits(texts: pa.Array) -> tuple[int, int]:
    """The most digits before and after the decimal sign among plain numbers; zeros at the ends do not count."""
    before = pc.replace_substring_regex(_without_places(texts), r"^[+-]?0*", "")
    after = pc.replace_substring_regex(texts, r"^[^.]*\.?", "")
    return _longest(before), _longest(pc.utf8_rtrim(after, "0"))


def _rounded(texts: pa.Array) -> FittedDecimals:
    """Numbers of any length or notation in 38 digits."""
    found = texts.dictionary_encode()
    numbers = [_read(text, texts) for text in found.dictionary.to_pylist()]
    finite = [number for number in numbers if number is not None and number.is_finite()]
    stripped = [number.normalize(_WIDE) for number in finite]
    whole = max((number.adjusted() + 1 for number in stripped), default=0)
    places = max((-int(number.as_tuple().exponent) for number in stripped), default=0)
    notes = []
    if len(finite) < sum(number is not None for number in numbers):
        odd = next(at for at, number in enumerate(numbers) if number is not None and not number.is_finite())
        row = pc.index(found.indices, odd).as_py() + 1
        notes.append(f"has values that are no number, such as {numbers[odd]} in row {row:,}; they are shown as missing")
    kept = min(max(places, 0), MAX_PRECISION - max(whole, 0))
    exact = _quantized(numbers, kept)
    if kept < places and any(n is not None and n and n.adjusted() + 1 + kept > MAX_PRECISION for n in exact):
        kept -= 1  # 9.99… became 10.00…
        exact = _quantized(numbers, kept)
    if kept < 0:
        notes.append(TOO_LONG)
        doubles = [float(n) if n is not None and n.is_finite() else None for n in numbers]
        return FittedDecimals(pa.array(doubles, pa.float64()).take(found.indices), "; it ".join(notes))
    if kept < places:
        notes.append(f"has numbers with more than {MAX_PRECISION} digits; they are rounded to {kept} places")
    return FittedDecimals(pa.array(exact, pa.decimal128(MAX_PRECISION, kept)).take(found.indices), "; it ".join(notes))


def _quantized(numbers: Sequence[Decimal | None], places: int) -> list[Decimal | None]:
    """Numbers with so many places; what is no number is missing."""
    step = Decimal(1).scaleb(-places)
    return [n.quantize(step, context=_WIDE) if n is not None and n.is_finite() else None for n in numbers]


def _read(text: str | None, texts: pa.Array) -> Decimal | None:
    if text is None or not text.strip():
        return None
    try:
        number = Decimal(text.strip())
    except InvalidOperation as error:
        raise CoercionError(text, pc.index(texts, text).as_py()) from error
    if number.is_finite() and not -400 < number.adjusted() < 400:  # beyond what a double holds as well
        raise CoercionError(text, pc.index(texts, text).as_py())
    return number


def _decimal_of_integers(raw: pa.Array, kind: ValueType, read: Callable[[Any], Decimal]) -> pa.Array:
    numbers = raw.fill_null(0).cast(pa.int64()).to_numpy()
    limit = 10 ** max(min(kind.precision, 18) - kind.scale, 0)
    if numbers.size and max(int(numbers.max()), -int(numbers.min())) >= limit:
        return coerce_one_by_one(raw, read, arrow_type(kind))
    return _from_unscaled(numbers * 10**kind.scale, raw, kind)


def _decimal_of_doubles(raw: pa.Array, kind: ValueType) -> pa.Array:
    """Doubles hold 15 digits exactly; the decimal nearest to each is the one that was stored."""
    numbers = raw.fill_null(0).to_numpy(zero_copy_only=False)
    scaled = numbers * 10.0**kind.scale
    unscaled = np.rint(scaled)
    unfit = ~(np.abs(scaled) < _EXACT) | (np.abs(scaled - unscaled) > _NOISE)
    if unfit.any():
        row = int(np.argmax(unfit))
        raise CoercionError(float(numbers[row]), row)
    if unscaled.size and np.abs(unscaled).max() >= 10.0 ** min(kind.precision, 18):
        row = int(np.argmax(np.abs(unscaled)))
        raise CoercionError(float(numbers[row]), row)
    return _from_unscaled(unscaled.astype(np.int64), raw, kind)


def _from_unscaled(unscaled: np.ndarray[Any, Any], raw: pa.Array, kind: ValueType) -> pa.Array:
    wide = np.zeros((len(unscaled), 2), np.int64)  # little-endian 128-bit: low word, sign word
    wide[:, 0] = unscaled
    wide[:, 1] = unscaled >> 63
    nulls = pc.is_valid(raw)
    buffers = [pc.cast(nulls, pa.bool_()).buffers()[1], pa.py_buffer(wide.tobytes())]
    return pa.Array.from_buffers(arrow_type(kind), len(unscaled), buffers)
