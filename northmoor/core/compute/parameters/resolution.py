"""The values of a report's parameters settled in the order in which they need one another.

A parameter's list, its default and a computed value may each depend on others, by way of expressions and queries.
"""

from collections.abc import Callable, Mapping
from datetime import datetime
from functools import cached_property, partial
from typing import Any

from babel import Locale
from msgspec import Struct, field

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.compute.evaluate.per_page import compute_page_expressions
from northmoor.core.compute.parameters.choices import Choices, choices_from_rows, fixed_choices
from northmoor.core.engine.arrow_types import type_of_arrow
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import (
    Cancelled,
    MissingValue,
    NorthmoorError,
    ParameterError,
    Place,
    did_you_mean,
    mistakes_caught,
)
from northmoor.core.expr.formats import FormatLocale
from northmoor.core.expr.language import parse
from northmoor.core.model.kinds.value_kinds import KindName
from northmoor.core.model.parameters import AllChoices, FromExpression, FromQuery, NamedValue, Parameter
from northmoor.core.model.report import Report
from northmoor.core.values.parameter_values import (
    DATA_TIME,
    Held,
    Values,
    bound_names,
    kinds_of,
    read_value,
    value_label,
)
from northmoor.core.values.relative_periods import Clock
from northmoor.core.values.scalars import Value, quoted_value


class ParameterSources(Struct, frozen=True):
    """What settling asks of its surroundings.

    rows: a query's rows with the values settled so far.
    names_in: the names of values that a query's rows depend on.
    data_time: the moment that relative values refer to when none is given, wall time of the report's zone.
    """

    rows: Callable[[str, Values], Rows]
    names_in: Callable[[str], frozenset[str]]
    data_time: Callable[[], datetime]
    stop: CancelToken = field(default_factory=CancelToken)


class ResolvedValues(Struct, frozen=True):
    """A report's values, as far as they could be settled.

    held: what each parameter holds; offers: the lists to choose from; faults: why a parameter or named value has no
    value; dropped: chosen values that its list does not have any more, as text; strays: values of its
    default that its list does not have; sampled: parameters that have their sample value; given: those that were given
    one; unused: parameters without a value that nothing uses, which stop nothing.
    """

    report: Report
    values: Values = field(default_factory=Values)
    chosen: Mapping[str, Held] = field(default_factory=dict)
    choices: Mapping[str, Choices] = field(default_factory=dict)
    faults: Mapping[str, NorthmoorError] = field(default_factory=dict)
    dropped: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    outside_choices: Mapping[str, tuple[Value, ...]] = field(default_factory=dict)
    from_samples: frozenset[str] = frozenset()
    given: frozenset[str] = frozenset()
    unused: frozenset[str] = frozenset()

    @property
    def stopping(self) -> Mapping[str, NorthmoorError]:
        """The faults with which no page can be made."""
        return {name: fault for name, fault in self.faults.items() if name not in self.unused}

    def complete_values(self) -> Values:
        """All values that anything uses. Raises the first fault among theirs, if there is one."""
        return self.values_for(frozenset(self.stopping))

    def values_for(self, names: frozenset[str]) -> Values:
        """The values for whatever uses some names. Raises the first fault among theirs."""
        named = parameter_of_name(self.report)
        wanted = {named.get(name, name) for name in names}
        for name, fault in self.faults.items():
            if name in wanted:
                raise fault
        return self.values


def resolve_parameters(
    report: Report, given: Mapping[str, Any], asker: ParameterSources, designing: bool = False, forgiving: bool = False
) -> ResolvedValues:
    """Settle the values of all parameters: the given ones, else the samples (when designing), else the defaults.

    Given values are typed values or texts as a reader types them. Each fault is that of its parameter. When
    `forgiving`, given values that a list does not have (any more) are dropped instead of being a fault.

    Raises ParameterError for a name the report does not have, and Stopped.
    """
    _names_are_known(report, given)
    return _Resolution(report, given, asker, designing, forgiving).run()


def _names_are_known(report: Report, given: Mapping[str, Any]) -> None:
    names = {p.name for p in report.parameters}
    for name in given:
        if name in names or name == DATA_TIME:
            continue
        if any(value.name == name for value in report.named_values):
            raise ParameterError(f"{name!r} is computed and cannot be given; give what it is computed from.")
        known = did_you_mean(name, names) or "The report has none."
        raise ParameterError(f"The report has no parameter {name!r}. {known}")


def parameter_of_name(report: Report) -> dict[str, str]:
    """The parameter or named value that each name belongs to: ``when_from`` to ``when``."""
    found = {name: p.name for p in report.parameters for name in (*p.names, p.name)}
    return found | {value.name: value.name for value in report.named_values}


class _Resolution:
    def __init__(
        self, report: Report, given: Mapping[str, Any], asker: ParameterSources, designing: bool, forgiving: bool
    ) -> None:
        self.report, self.given, self.asker = report, given, asker
        self.designing, self.forgiving = designing, forgiving
        self.format_locale = FormatLocale(report.locale, report.currency, report.time_zone)
        self.parts: dict[str, Parameter | NamedValue] = {p.name: p for p in report.parameters}
        self.parts |= {value.name: value for value in report.named_values}
        self.values = Values()
        self.held: dict[str, Held] = {}
        self.offers: dict[str, Choices] = {}
        self.faults: dict[str, NorthmoorError] = {}
        self.dropped: dict[str, tuple[str, ...]] = {}
        self.strays: dict[str, tuple[Value, ...]] = {}
        self.sampled: set[str] = set()

    def run(self) -> ResolvedValues:
        if DATA_TIME in self.given and DATA_TIME not in self.parts:
            self.values = replace(self.values, data_time=self.clock.moment)
        needs = {name: self._guarded(name, partial(self._needs, part)) for name, part in self.parts.items()}
        for name in _in_order({name: found or frozenset() for name, found in needs.items()}, self.faults):
            self._resolve(name, needs[name] or frozenset())
        ordered = {name: self.faults[name] for name in self.parts if name in self.faults}
        return ResolvedValues(
            self.report,
            self.values,
            self.held,
            self.offers,
            ordered,
            self.dropped,
            self.strays,
            frozenset(self.sampled),
            frozenset(self.given),
        )

    @cached_property
    def clock(self) -> Clock:
        """The moment that relative values refer to: a given one, or that of the data."""
        if DATA_TIME in self.given and DATA_TIME not in self.parts:
            raw = self.given[DATA_TIME]
            given: Any = read_value(Parameter(name=DATA_TIME, kind="timestamp"), raw, self._clock_of_data)
            return self._clock_of_data(given)
        return self._clock_of_data()

    def _clock_of_data(self, moment: datetime | None = None) -> Clock:
        first_weekday = Locale.parse(self.report.locale).first_week_day
        return Clock(moment or self.asker.data_time(), self.report.zone, first_weekday)

    def _guarded(self, name: str, work: Callable[[], Any]) -> Any:
        """The result of work on a part; a fault is that part's."""
        try:
            with mistakes_caught("settling its value"):
                return work()
        except Cancelled:
            raise
        except ParameterError as error:
            self.faults[name] = error if error.place.parameter else error.at(Place(parameter=name))
        except NorthmoorError as error:
            self.faults[name] = ParameterError(str(error), Place(parameter=name))
        return None

    # what needs what

    def _needs(self, part: Parameter | NamedValue) -> frozenset[str]:
        """The parameters and named values that must be settled before a part."""
        names: set[str] = set()
        source = part.value if isinstance(part, NamedValue) else part.default
        if isinstance(part, Parameter) and part.choices_from is not None:
            names |= self._names_in(part.choices_from.query)
        if isinstance(source, FromQuery):
            names |= self._names_in(source.query)
        elif isinstance(source, FromExpression):
            expression = parse(source.expression)
            names |= expression.parameters
            for query in expression.queries:
                names |= self._names_in(query)
        known = parameter_of_name(self.report)
        return frozenset(known[name] for name in names if name in known)

    def _names_in(self, query: str) -> frozenset[str]:
        if not any(q.name == query for q in self.report.queries):
            raise ParameterError(
                f"The report has no query {query!r}. {did_you_mean(query, [q.name for q in self.report.queries])}"
            )
        return self.asker.names_in(query)

    def _resolve(self, name: str, needs: frozenset[str]) -> None:
        part = self.parts[name]
        waits = [self.parts[need] for need in self.parts if need in needs and need in self.faults]
        if name in self.faults:
            return
        if waits:
            message = ", ".join(w.shown_name if isinstance(w, Parameter) else w.name for w in waits)
            self.faults[name] = ParameterError(f"It needs {message} first.", Place(parameter=name))
        elif isinstance(part, Parameter):
            self._guarded(name, lambda: self._resolve_parameter(part))
        else:
            self._guarded(name, lambda: self._resolve_named(part))

    # parameters

    def _resolve_parameter(self, parameter: Parameter) -> None:
        offers = self._choices(parameter)
        if offers is not None:
            self.offers[parameter.name] = offers
        held = self._held(parameter, offers)
        self.held[parameter.name] = held
        label = value_label(parameter, held, offers.labels if offers is not None else {}, self.format_locale)
        self.values = self.values.with_value(bound_names(parameter, held), kinds_of(parameter), {parameter.name: label})

    def _choices(self, parameter: Parameter) -> Choices | None:
        if parameter.choices:
            return fixed_choices(parameter)
        if parameter.choices_from is None:
            return None
        source = parameter.choices_from
        offers = choices_from_rows(parameter, self.asker.rows(source.query, self.values), self.format_locale)
        return offers if offers.entries else replace(offers, why_empty=self._why_empty(source.query))

    def _why_empty(self, query: str) -> str:
        known = parameter_of_name(self.report)
        upper = dict.fromkeys(known[name] for name in sorted(self.asker.names_in(query)) if name in known)
        labels = self.values.labels
        chosen = ", ".join(f"{self._name(name)} = {labels[name] or 'none'}" for name in upper if name in labels)
        return f"The query {query} returns no rows for {chosen}." if chosen else f"The query {query} returns no rows."

    def _name(self, name: str) -> str:
        part = self.parts[name]
        return part.shown_name if isinstance(part, Parameter) else name

    def _held(self, parameter: Parameter, offers: Choices | None) -> Held:
        name = parameter.name
        is_sampled = self.designing and parameter.sample is not None and name not in self.given
        if name in self.given or is_sampled:
            held = self._given(parameter, parameter.sample if is_sampled else self.given[name], offers)
            if held is not None or name not in self.dropped:
                self.sampled |= {name} if is_sampled else set()
                return held
        return self._default(parameter, offers)

    def _given(self, parameter: Parameter, raw: Any, offers: Choices | None) -> Held:
        held = read_value(parameter, raw, lambda: self.clock)
        missing = offers.missing(held) if offers is not None else ()
        if not missing or offers is None:
            return held
        if not self.forgiving:
            raise ParameterError(
                f"{quoted_value(missing[0])} is not in its list. {offers.message_when_missing()}",
                Place(parameter=parameter.name),
            )
        self.dropped[parameter.name] = tuple(str(value) for value in missing)
        if not isinstance(held, tuple):
            return None
        kept = tuple(value for value in held if value not in missing)
        return kept if kept or not parameter.required else None

    def _default(self, parameter: Parameter, offers: Choices | None) -> Held:
        raw = self._raw_default(parameter, offers)
        if raw in (None, [], ()) and parameter.required:
            raise self._missing_value(parameter, offers)
        held = read_value(parameter, raw, lambda: self.clock)
        missing = offers.missing(held) if offers is not None else ()
        if missing and offers is not None:
            self.strays[parameter.name] = missing
            kept = tuple(v for v in held if v not in missing) if isinstance(held, tuple) else ()
            if not kept:
                raise ParameterError(
                    f"Its default {quoted_value(missing[0])} is not in its list. {offers.message_when_missing()}",
                    Place(parameter=parameter.name),
                )
            return kept
        return held

    def _missing_value(self, parameter: Parameter, offers: Choices | None) -> ParameterError:
        """Why a parameter has no value."""
        place = Place(parameter=parameter.name)
        if offers is not None and not offers.entries:
            return ParameterError(f"There are no values. {offers.why_empty}", place)
        if parameter.name in self.dropped:
            gone = ", ".join(self.dropped[parameter.name])
            return ParameterError(f"Choose again: {gone} is not in its list any more.", place)
        return MissingValue(parameter.name)

    def _raw_default(self, parameter: Parameter, offers: Choices | None) -> Any:
        default = parameter.default
        if isinstance(default, AllChoices):
            return [entry.value for entry in offers.entries] if offers is not None else []
        if isinstance(default, FromExpression):
            value, _ = self._computed(default)
            return value
        if isinstance(default, FromQuery):
            column = self._column(default)
            return column.to_pylist() if parameter.holds == "list" else (column[0].as_py() if len(column) else None)
        return default

    # computed values

    def _resolve_named(self, part: NamedValue) -> None:
        value, kind = self._computed(part.value) if isinstance(part.value, FromExpression) else self._only(part.value)
        label = value_label(Parameter(name=part.name, kind=kind), value, {}, self.format_locale)
        self.values = self.values.with_value({part.name: value}, {part.name: kind}, {part.name: label})

    def _computed(self, source: FromExpression) -> tuple[Value, KindName]:
        text = source.expression
        expression = parse(text)
        rows = {query: self.asker.rows(query, self.values) for query in sorted(expression.queries)}
        named = {DATA_TIME: self.clock.moment} if f"{DATA_TIME}(" in text.replace(" ", "") else {}
        computed = compute_page_expressions([text], rows, self.values, named, (1,), (1,), self.asker.stop)[text]
        fault = computed.fault or (next(iter(computed.faults.values())).message if computed.faults else None)
        if fault is not None:
            raise ParameterError(str(fault))
        return computed.values[0].as_py(), _kind(computed.values)

    def _only(self, source: FromQuery) -> tuple[Value, KindName]:
        column = self._column(source)
        if len(column) > 1:
            raise ParameterError(
                f"The query {source.query} returns {len(column):,} rows, and one is wanted; narrow it in its SQL."
            )
        return (column[0].as_py() if len(column) else None), _kind(column)

    def _column(self, source: FromQuery) -> Any:
        rows = self.asker.rows(source.query, self.values)
        if source.column not in rows.names:
            raise ParameterError(
                f"The query {source.query} has no column {source.column!r}. {did_you_mean(source.column, rows.names)}"
            )
        return rows.table.column(source.column)


def _kind(column: Any) -> KindName:
    found = type_of_arrow(column.type)
    return found.kind if found is not None else "text"


def _in_order(needs: Mapping[str, frozenset[str]], faults: dict[str, NorthmoorError]) -> list[str]:
    """The names, each after those it needs; those that need one another in a circle are noted as faults."""
    order: list[str] = []
    trail: list[str] = []

    def visit(name: str) -> None:
        if name in order:
            return
        if name in trail:
            circle = trail[trail.index(name) :]
            message = (
                f"Circular reference: {' → '.join([*circle, name])}. Remove one of them from what another is made of."
            )
            for member in circle:
                faults.setdefault(member, ParameterError(message, Place(parameter=member)))
            return
        trail.append(name)
        for need in sorted(needs[name]):
            visit(need)
        trail.pop()
        order.append(name)

    for name in needs:
        visit(name)
    return order
