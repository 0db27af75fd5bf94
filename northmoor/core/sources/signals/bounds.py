"""The values that a query over a log names, and what its period and selections are with them."""

from collections.abc import Callable, Mapping
from datetime import date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from msgspec import Struct

from northmoor.core.errors import QueryError
from northmoor.core.model.data.signal_logs import SignalLog
from northmoor.core.model.data.signal_queries import LogQuery, SpansQuery
from northmoor.core.sources.signals.conditions import values_in
from northmoor.core.sources.signals.windows import instant
from northmoor.core.values.relative_periods import Clock, Span, is_relative, moment, period

_SHIFTS = ("this shift", "last full shift", "next full shift")


def names_of_values(query: LogQuery) -> frozenset[str]:
    """The names of parameters and computed values that a query's rows depend on. Raises ExpressionError."""
    texts = [*query.objects, query.start or "", query.end or ""]
    named: frozenset[str] = frozenset()
    if isinstance(query, SpansQuery):
        texts += query.ids
        conditions = [text for text in (query.condition, query.begins, query.ends) if text is not None]
        named = named.union(*map(values_in, conditions))
    return named | {text[1:] for text in texts if text.startswith(":")}


class Bounds(Struct, frozen=True):
    """What bounds a query over a log: the values by name, the zone they are in, and the moment that words refer to."""

    log: SignalLog
    values: Mapping[str, Any]
    zone: ZoneInfo
    clock: Callable[[], Clock]

    def start(self, query: LogQuery) -> int | None:
        """When the period begins, in microseconds since 1970 in UTC; None for the log's first reading.

        Raises QueryError for a text that is no moment.
        """
        return None if query.start is None else self._instant(query.start, is_end=False)

    def end(self, query: LogQuery) -> int | None:
        """When the period ends, likewise; None for the data time."""
        return None if query.end is None else self._instant(query.end, is_end=True)

    def selected(self, texts: tuple[str, ...]) -> tuple[str, ...] | None:
        """Selected objects or ids, those of parameters in their places; None where all are."""
        found: list[str] = []
        for text in texts:
            held = self._value(text) if text.startswith(":") else text
            if held is None or held == ():
                return None
            found += [str(each) for each in (held if isinstance(held, tuple) else (held,))]
        return tuple(dict.fromkeys(found)) or None

    def _value(self, text: str) -> Any:
        if text[1:] not in self.values:
            raise QueryError(f"No parameter or computed value is named {text}.")
        return self.values[text[1:]]

    def _instant(self, text: str, is_end: bool) -> int | None:
        held = self._value(text) if text.startswith(":") else self._read(text, is_end)
        if held is None:
            return None
        if isinstance(held, date) and not isinstance(held, datetime):
            held = datetime.combine(held + timedelta(days=int(is_end)), time.min)  # a day that ends a period is within
        if isinstance(held, str):
            held = self._read(held, is_end)
        if not isinstance(held, datetime):
            raise QueryError(f"{text} is {held}, which is no moment; name a value that holds one.")
        return instant(held, self.zone, is_end)

    def _read(self, text: str, is_end: bool) -> date | datetime:
        try:
            if not is_relative(text):
                return date.fromisoformat(text) if len(text.strip()) == 10 else datetime.fromisoformat(text.strip())
            span = self._period(" ".join(text.lower().split()))
            return moment(text, self.clock()) if span is None else span.end if is_end else span.start
        except ValueError as error:
            wanted = "write for example 2025-06-02 06:00, start of today, last full hour, or a value such as :departed"
            raise QueryError(f"{text!r} is no moment; {wanted}.") from error

    def _period(self, words: str) -> Span | None:
        """The period of words that name one; None for words that name a moment. Raises ValueError."""
        if words in _SHIFTS:
            return self._shift(_SHIFTS.index(words))
        if words.startswith(("start of ", "end of ")):
            edge, _, rest = words.partition(" of ")
            if rest not in _SHIFTS:
                return None
            span = self._shift(_SHIFTS.index(rest))
            at = span.start if edge == "start" else span.end
            return Span(at, at)
        return None if words == "now" else period(words, self.clock())

    def _shift(self, which: int) -> Span:
        if not self.log.shift_starts:
            raise QueryError(f"The log {self.log.name} does not say when shifts begin; set it in the log's properties.")
        now = self.clock().moment
        days = [now.date() + timedelta(days=offset) for offset in range(-2, 3)]
        edges = [datetime.combine(day, time.fromisoformat(at)) for day in days for at in self.log.shift_starts]
        current = max(place for place, edge in enumerate(edges) if edge <= now)
        first = current + (0, -1, 1)[which]
        return Span(edges[first], edges[first + 1])
