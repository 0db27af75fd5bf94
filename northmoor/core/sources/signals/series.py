"""From the rows of a log to a series for each signal of each object: readings in order of time, and until when each
value is known."""

from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc
from msgspec import Struct, field

from northmoor.core.base.arrays import Bools, Floats, Ints
from northmoor.core.model.data.signal_logs import Signal, SignalLog

Numbers = npt.NDArray[Any]
"""Values of a series: doubles, whole numbers of 64 bits, or the numbers of texts."""
END_OF_TIME = 2**62
MISSING = ""
"""The object of logs that have none."""


class SeriesName(Struct, frozen=True):
    """A signal of an object."""

    object: str
    signal: str


class Series(Struct, frozen=True, eq=False):
    """The readings of one signal of one object: times in microseconds since 1970 in UTC, strictly ascending.

    `values` are doubles; or whole numbers, which count units of 10 ** -`scale`; or numbers of `texts`. Value number n
    is known from `at[n]` until `until[n]`, which is `at[n]` where nothing is known of it.
    """

    signal: Signal
    at: Ints
    values: Numbers
    is_known: Bools
    until: Ints
    scale: int | None = None
    texts: tuple[str, ...] | None = None

    @property
    def is_linear(self) -> bool:
        """Whether values in between lie on a line from reading to reading."""
        return self.signal.kind.is_interpolated and self.texts is None

    @property
    def next_at(self) -> Ints:
        """The time of the next reading; the end of time after the last."""
        return np.append(self.at[1:], END_OF_TIME)

    def doubles(self) -> Floats:
        """Its values as doubles."""
        values: Floats = self.values.astype(np.float64)
        return values / 10.0**self.scale if self.scale else values

    def is_contiguous(self) -> Bools:
        """Whether each reading follows on a known value without a gap."""
        follows = np.zeros(len(self.at), bool)
        follows[1:] = self.is_known[1:] & self.is_known[:-1] & (self.until[:-1] == self.at[1:])
        return follows


class LogNotes(Struct):
    """What was noticed about a log while its readings were put in order, by signal."""

    duplicates: dict[str, int] = field(default_factory=dict)
    """Readings that another one at the same time replaces."""
    unordered: dict[str, int] = field(default_factory=dict)
    """Readings that were written after a later one."""
    unreadable: dict[str, int] = field(default_factory=dict)
    """Texts where a number should be."""
    example: dict[str, str] = field(default_factory=dict)
    """The first of those texts."""


class LogRows(Struct, frozen=True, eq=False):
    """The rows of a log as they were written, column by column; `number` are doubles, whole numbers or decimals."""

    names: Sequence[SeriesName]
    """The series, to whose places `series` refers."""
    series: Ints
    at: Ints
    number: pa.Array
    text: pa.Array
    good: Bools
    order: Ints | None = None


def series_of(rows: LogRows, log: SignalLog, bound: int, notes: LogNotes | None = None) -> Mapping[SeriesName, Series]:
    """The series of a log's rows, empty ones too; nothing is known from `bound` on.

    Of several readings at one time the last written counts. `notes` takes what was noticed.
    """
    notes = notes or LogNotes()
    order = _order_of(rows)
    series, at = rows.series[order], rows.at[order]
    starts = np.searchsorted(series, np.arange(len(rows.names) + 1))
    numbers, scale = _whole_numbers(rows.number)
    found = {}
    for place, name in enumerate(rows.names):
        own = slice(starts[place], starts[place + 1])
        found[name] = _series(rows, log, name, order[own], at[own], (numbers, scale), bound, notes)
    return found


def _order_of(rows: LogRows) -> Ints:
    """The places of the rows by series, time, and order of writing."""
    order = np.arange(len(rows.at)) if rows.order is None else np.argsort(rows.order, kind="stable")
    order = order[np.argsort(rows.at[order], kind="stable")]
    narrow = rows.series.astype(np.int16) if len(rows.names) < 2**15 else rows.series  # short numbers sort by digits
    return order[np.argsort(narrow[order], kind="stable")]


def _whole_numbers(number: pa.Array) -> tuple[Numbers, int | None]:
    """The numbers as doubles, or as whole numbers with their scale where they are exact."""
    if pa.types.is_null(number.type):
        return np.zeros(len(number), np.int64), 0
    if pa.types.is_integer(number.type) or pa.types.is_boolean(number.type):
        return pc.fill_null(number.cast(pa.int64()), 0).to_numpy(zero_copy_only=False), 0
    if pa.types.is_decimal(number.type):
        scale = number.type.scale
        widest = pc.max(pc.abs(number)).as_py() or Decimal(0)
        if int(widest.scaleb(scale)) < 2**53:
            whole = pa.Array.from_buffers(pa.decimal128(38, 0), len(number), number.cast(pa.decimal128(38, scale))
                                          .buffers(), offset=number.offset)  # fmt: skip
            return pc.fill_null(whole.cast(pa.int64()), 0).to_numpy(zero_copy_only=False), scale
    return pc.fill_null(number.cast(pa.float64()), 0.0).to_numpy(zero_copy_only=False), None


def _series(
    rows: LogRows, log: SignalLog, name: SeriesName, places: Ints, at: Ints, numbers: tuple[Numbers, int | None],
    bound: int, notes: LogNotes,
) -> Series:  # fmt: skip
    signal = log.known(name.signal)
    is_last = np.append(at[1:] != at[:-1], True)[: len(at)]
    _count(notes.duplicates, name.signal, int(len(at) - is_last.sum()))
    _count(notes.unordered, name.signal, _written_late(rows, places))
    places, at = places[is_last], at[is_last]
    good = rows.good[places]
    if signal.type == "text":
        values, is_valid, texts = _text_values(rows, places)
        scale = None
    else:
        values, is_valid = _number_values(rows, places, numbers, name, notes)
        scale, texts = (numbers[1] if values.dtype == np.int64 else None), None
    is_known = good & is_valid
    until = _known_until(log, signal, at, is_known, bound)
    return Series(signal, at, values, is_known, until, scale, texts)


def _known_until(log: SignalLog, signal: Signal, at: Ints, is_known: Bools, bound: int) -> Ints:
    until = np.append(at[1:], max(bound, int(at[-1]))) if len(at) else at
    holds = log.holds_for(signal.name)
    if holds is not None:
        limit = at + holds
        if signal.kind.is_interpolated and signal.type == "number":  # no line goes over a gap; the last value holds
            limit[:-1] = np.where(until[:-1] <= limit[:-1], until[:-1], at[:-1])
        until = np.minimum(until, limit)
    if signal.kind.is_interpolated and signal.type == "number" and len(at):
        until = np.where(np.append(is_known[1:], True), until, at)  # nor to a value that is not known
    return np.where(is_known, np.maximum(until, at), at)


def _written_late(rows: LogRows, places: Ints) -> int:
    """How many of a series' rows were written after one of a later time."""
    written = rows.order[places] if rows.order is not None else places
    return int(np.sum(np.diff(written) < 0))


def _text_values(rows: LogRows, places: Ints) -> tuple[Ints, Bools, tuple[str, ...]]:
    texts = rows.text.take(pa.array(places))
    if rows.number.type != pa.null():
        written = rows.number.take(pa.array(places)).cast(pa.string())
        texts = pc.coalesce(texts.cast(pa.string()), written)
    encoded = texts.cast(pa.string()).dictionary_encode()
    codes = pc.fill_null(encoded.indices, -1).to_numpy(zero_copy_only=False).astype(np.int64)
    return codes, codes >= 0, tuple(encoded.dictionary.to_pylist())


def _number_values(
    rows: LogRows, places: Ints, numbers: tuple[Numbers, int | None], name: SeriesName, notes: LogNotes
) -> tuple[Numbers, Bools]:
    values, scale = numbers[0][places], numbers[1]
    is_valid = np.ones(len(places), bool)
    if rows.number.null_count:
        is_valid = rows.number.is_valid().to_numpy(zero_copy_only=False)[places]
    if values.dtype == np.float64:
        is_valid &= np.isfinite(values)
    missing = np.flatnonzero(~is_valid)
    if len(missing) and rows.text.null_count < len(rows.text):
        read = _numbers_in_texts(rows, places[missing], name, notes)
        is_number = ~np.isnan(read)
        if is_number.any():  # what is written as a text may have any digits
            values = values / 10.0**scale if scale else values.astype(np.float64)
            values[missing] = np.where(is_number, read, 0.0)
            is_valid = is_valid.copy()
            is_valid[missing] = is_number
    return values, is_valid


def _numbers_in_texts(rows: LogRows, places: Ints, name: SeriesName, notes: LogNotes) -> Floats:
    """Numbers that are written as texts; not a number for others, which are counted, and for no text."""
    encoded = rows.text.take(pa.array(places)).cast(pa.string()).dictionary_encode()
    read = np.array([_number_in(text) for text in encoded.dictionary.to_pylist()] or [np.nan], np.float64)
    codes = pc.fill_null(encoded.indices, -1).to_numpy(zero_copy_only=False)
    found: Floats = np.where(codes >= 0, read[codes], np.nan)
    bad = np.flatnonzero((codes >= 0) & np.isnan(found))
    if len(bad):
        _count(notes.unreadable, name.signal, len(bad))
        notes.example.setdefault(name.signal, encoded.dictionary[int(codes[bad[0]])].as_py())
    return found


def _number_in(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        return float("nan")
    return value if np.isfinite(value) else float("nan")


def _count(counts: dict[str, int], signal: str, count: int) -> None:
    if count:
        counts[signal] = counts.get(signal, 0) + count
