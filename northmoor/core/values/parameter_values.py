"""The values of a report's parameters: read as their kinds, checked against their limits, and bound by name."""

from collections.abc import Callable, Mapping, Sequence
from datetime import date, datetime, timedelta
from types import MappingProxyType
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc
from msgspec import Struct, field

from northmoor.core.errors import ParameterError, Place
from northmoor.core.expr.formats import FormatLocale, format_one
from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME, KindName
from northmoor.core.model.parameters import Parameter
from northmoor.core.values.relative_periods import Clock, Span, day, is_relative, moment, period
from northmoor.core.values.scalars import Value, quoted_value, read_scalar

DATA_TIME = "data_time"
Listed = tuple[Value, ...]


class NumberRange(Struct, frozen=True):
    """Numbers from a least to a greatest one, both within it."""

    least: Value
    greatest: Value


Held = Value | Listed | Span | NumberRange
"""What a parameter holds: a value, several, or a range."""
AskClock = Callable[[], Clock]
"""Tells the moment that relative values refer to. It is asked only when there is one."""
_SHOWN = 12  # labels printed of a list before it is cut
MOST_LISTED = 1_000_000


class Values(Struct, frozen=True):
    """One value for each name that queries and expressions can use, typed.

    A list is a tuple. `labels` hold what the reader chose of each parameter, as text; `kinds` the kind of each value,
    or of a list's entries. `data_time` is the moment the data are as of, in wall time of the report's zone, when
    whoever runs the report says so; otherwise it comes from the data's source. `of_document` is what the document knows
    of itself once its rows are there: what `report_title()` and `data_time()` say.
    """

    by_name: Mapping[str, Value | Listed] = field(default_factory=dict)
    labels: Mapping[str, str] = field(default_factory=dict)
    kinds: Mapping[str, KindName] = field(default_factory=dict)
    data_time: datetime | None = None
    of_document: Mapping[str, Any] = field(default_factory=dict)

    def key(self, names: frozenset[str]) -> tuple[tuple[str, Value | Listed], ...]:
        """The values of some names as a hashable key."""
        return tuple(sorted((n, self.by_name[n]) for n in names if n in self.by_name))

    def with_value(
        self, bound: Mapping[str, Value | Listed], kinds: Mapping[str, KindName], labels: Mapping[str, str]
    ) -> "Values":
        """These and some more."""
        return Values(
            MappingProxyType({**self.by_name, **bound}),
            MappingProxyType({**self.labels, **labels}),
            MappingProxyType({**self.kinds, **kinds}),
            self.data_time,
            self.of_document,
        )


def kinds_of(parameter: Parameter) -> dict[str, KindName]:
    """The kind of each of a parameter's names."""
    kinds: dict[str, KindName] = dict.fromkeys(parameter.names, parameter.kind)
    return kinds | ({parameter.names[1]: "integer"} if parameter.holds == "list" else {})


def bound_names(parameter: Parameter, held: Held) -> dict[str, Value | Listed]:
    """What a parameter's names represent."""
    if parameter.holds == "range":
        first, last = ends_of(parameter, held) if isinstance(held, Span | NumberRange) else (None, None)
        return dict(zip(parameter.names, (first, last), strict=True))
    if parameter.holds == "list":
        assert isinstance(held, tuple)
        return dict(zip(parameter.names, (held, len(held)), strict=True))
    assert not isinstance(held, tuple | Span | NumberRange)
    return {parameter.name: held}


def ends_of(parameter: Parameter, span: Span | NumberRange) -> tuple[Value, Value]:
    """A range's two values: its least and greatest number, its first and last day; for moments its first, and the one
    after its end."""
    if isinstance(span, NumberRange):
        return span.least, span.greatest
    return span.days if parameter.kind == "date" else (span.start, span.end)


def read_value(parameter: Parameter, raw: Any, ask_clock: AskClock) -> Held:
    """A raw value (from a file, the command line or a field) as what the parameter holds, within its limits.

    None is what an optional parameter holds when nothing is given. Raises ParameterError.
    """
    try:
        if parameter.holds == "range":
            held: Held = _range(parameter, raw, ask_clock)
        elif parameter.holds == "list":
            held = _list(parameter, raw, ask_clock)
        else:
            held = None if _is_empty(parameter, raw) else _one(parameter.kind, raw, ask_clock)
        if held in (None, ()):
            if parameter.required:
                raise ValueError(_missing_value(parameter))
        else:
            _check_limits(parameter, held, ask_clock)
    except ValueError as error:
        raise ParameterError(str(error), Place(parameter=parameter.name)) from error
    return held


def _missing_value(parameter: Parameter) -> str:
    wanted = "Choose" if parameter.has_list else "Give"
    return f"{wanted} {'at least one value' if parameter.holds == 'list' else 'a value'}; it must have one."


def _is_empty(parameter: Parameter, raw: Any) -> bool:
    """Whether a raw value says that there is none. An empty text is a value only of a text that must be given."""
    return raw is None or (raw == "" and not (parameter.kind == "text" and parameter.required))


def _one(kind: KindName, raw: Any, ask_clock: AskClock) -> Value:
    if KIND_OF_NAME[kind].is_moment and isinstance(raw, str) and is_relative(raw):
        return day(raw, ask_clock()) if kind == "date" else moment(raw, ask_clock())
    return read_scalar(kind, raw)


def _list(parameter: Parameter, raw: Any, ask_clock: AskClock) -> Listed:
    if raw is None or (isinstance(raw, str) and raw == ""):
        return ()
    entries = raw if isinstance(raw, list | tuple) else [raw]
    if len(entries) > MOST_LISTED:
        raise ValueError(f"It is given {len(entries):,} values; {MOST_LISTED:,} are the most.")
    return tuple(dict.fromkeys(_one(parameter.kind, entry, ask_clock) for entry in entries))


def _range(parameter: Parameter, raw: Any, ask_clock: AskClock) -> Span | NumberRange | None:
    if raw is None or raw == "":
        return None
    if isinstance(raw, Span | NumberRange):
        return raw
    is_date, is_moment = parameter.kind == "date", KIND_OF_NAME[parameter.kind].is_moment
    if is_moment and isinstance(raw, str) and "/" not in raw and is_relative(raw):
        return period(raw, ask_clock(), whole_days=is_date)
    pair = raw.split("/") if isinstance(raw, str) else raw
    if not isinstance(pair, list | tuple) or len(pair) != 2:
        if is_moment:
            raise ValueError(
                f"{quoted_value(raw)} is no range; write its two ends with / between them, or words such as this month."
            )
        raise ValueError(f"{quoted_value(raw)} is no range; write its two ends with / between them, such as 10/20.")
    first, last = (_one(parameter.kind, end.strip() if isinstance(end, str) else end, ask_clock) for end in pair)
    if first is None or last is None:
        raise ValueError("A range needs both of its ends.")
    if last < first:  # type: ignore[operator]  # both are of one ordered kind
        raise ValueError(f"The range ends ({last}) before it begins ({first}); exchange them.")
    if not is_moment:
        return NumberRange(first, last)
    assert isinstance(first, date)
    assert isinstance(last, date)
    return day_span(first, last) if is_date else Span(first, last)  # type: ignore[arg-type]  # they are moments


def day_span(first: date, last: date) -> Span:
    """The period from a first to a last day, both within it."""
    begin, end = (datetime(d.year, d.month, d.day) for d in (first, last))
    return Span(begin, end + timedelta(days=1) if end.date() < date.max else datetime.max)


def _check_limits(parameter: Parameter, held: Held, ask_clock: AskClock) -> None:
    """See that every value is within limits, length and pattern. Raises ValueError."""
    if isinstance(held, Span | NumberRange):
        entries: Sequence[Any] = ends_of(parameter, held)
    else:
        entries = held if isinstance(held, tuple) else (held,)
    for limit, is_minimum in ((parameter.minimum_value, True), (parameter.maximum_value, False)):
        if limit is None:
            continue
        bound: Any = _one(parameter.kind, limit, ask_clock)
        beyond = min(entries) if is_minimum else max(entries)
        if beyond < bound if is_minimum else beyond > bound:
            raise ValueError(
                f"{beyond} is below the minimum, {bound}." if is_minimum else f"{beyond} is above the maximum, {bound}."
            )
    if parameter.kind == "text":
        _check_texts(parameter, [str(entry) for entry in entries])


def _check_texts(parameter: Parameter, texts: list[str]) -> None:
    minimum, maximum = parameter.minimum_length or 0, parameter.maximum_length
    for text in texts:
        if len(text) < minimum:
            raise ValueError(f"{quoted_value(text)} has a length of {len(text):,}; the minimum is {minimum:,}.")
        if maximum is not None and len(text) > maximum:
            raise ValueError(f"{quoted_value(text)} has a length of {len(text):,}; the maximum is {maximum:,}.")
    if parameter.pattern is not None:
        whole = rf"\A(?:{parameter.pattern})\z"
        try:  # RE2 takes time in proportion to the text, whatever the pattern: one from a stranger cannot hang it
            fits = pc.match_substring_regex(pa.array(texts, pa.string()), whole).to_pylist()
        except pa.ArrowInvalid as error:
            raise ValueError(f"Its pattern {parameter.pattern!r} is no regular expression ({error}).") from error
        if not all(fits):
            example = f" {parameter.hint}" if parameter.hint else ""
            raise ValueError(
                f"{quoted_value(texts[fits.index(False)])} does not match the pattern {parameter.pattern}.{example}"
            )


def value_label(parameter: Parameter, held: Held, labels: Mapping[Value, str], format_locale: FormatLocale) -> str:
    """What the reader chose, as text. `labels` are those of the parameter's list by value."""
    if isinstance(held, Span | NumberRange):
        first, last = ends_of(parameter, held)
        ends = [_text(parameter, end, {}, format_locale) for end in (first, last)]
        return ends[0] if first == last else " – ".join(ends)
    if isinstance(held, tuple):
        listed = [_text(parameter, value, labels, format_locale) for value in held[:_SHOWN]]
        more = f" … ({_text(Parameter(name='n', kind='integer'), len(held), {}, format_locale)})"
        return ", ".join(listed) + (more if len(held) > _SHOWN else "")
    return _text(parameter, held, labels, format_locale)


def _text(parameter: Parameter, value: Value, labels: Mapping[Value, str], format_locale: FormatLocale) -> str:
    if value in labels:
        return labels[value]
    return "" if value is None else format_one(value, "0" if parameter.kind == "integer" else None, format_locale)
