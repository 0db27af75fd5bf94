"""Preflight's rules about a report's values, which hold whether or not pages can be made of them."""

from collections.abc import Callable, Iterator
from functools import partial
from typing import Any

from msgspec import Struct, field

from northmoor.core.authoring.queries.propose_parameters import missing_parameters
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.compute.parameters.resolution import ResolvedValues
from northmoor.core.errors import Cancelled, MissingValue, NorthmoorError, Place
from northmoor.core.model import edits
from northmoor.core.model.findings import Finding, Remedy
from northmoor.core.model.parameters import Parameter, Scalar
from northmoor.core.model.report import Report
from northmoor.core.sources.library import Library
from northmoor.core.values.scalars import Value


class ValuesToCheck(Struct, frozen=True):
    """A report's values as they were settled, its library, and what stops the checking."""

    resolved: ResolvedValues
    library: Library
    stop: CancelToken = field(default_factory=CancelToken)

    @property
    def report(self) -> Report:
        """The report."""
        return self.resolved.report


def faulty_values(asked: ValuesToCheck) -> Iterator[Finding]:
    """Parameters and computed values that have no value, with why."""
    resolved = asked.resolved
    parameters = {p.name: p for p in asked.report.parameters}
    for name, fault in resolved.stopping.items():
        if name not in resolved.outside_choices:
            remedies = _other_value(resolved, parameters[name]) if name in parameters else ()
            yield Finding("no value", fault.place, fault.message, remedies=remedies)


def _other_value(resolved: ResolvedValues, parameter: Parameter) -> tuple[Remedy, ...]:
    remedies = []
    if parameter.name in resolved.given:
        remedies.append(Remedy("Back to the default", values={parameter.name: None}))
    offers = resolved.choices.get(parameter.name)
    if offers is not None and offers.entries:
        first = offers.entries[0]
        remedies.append(Remedy(f"Choose {first.label}", values={parameter.name: first.value}))
    if isinstance(resolved.faults[parameter.name], MissingValue):
        remedies.append(Remedy("Let it be left empty", edit=_change(parameter.name, required=False)))
    return tuple(remedies)


def _change(parameter: str, **changes: Any) -> Callable[[Report], Report]:
    return lambda report: edits.change_parameter(report, parameter, **changes)


def stray_defaults(asked: ValuesToCheck) -> Iterator[Finding]:
    """Defaults that are not in their own list."""
    for name, values in asked.resolved.outside_choices.items():
        parameter, offers = asked.report.parameter(name), asked.resolved.choices[name]
        shown = ", ".join(str(value) for value in values[:6])
        remedies = [Remedy("No default", edit=_change(name, default=None))]
        if offers.entries:
            first = offers.entries[0]
            remedies.insert(0, Remedy(f"Use {first.label}", edit=partial(_with_default, name=name, value=first.value)))
        yield Finding(
            "stray default",
            Place(parameter=name),
            f"Its default {shown} is not in its list. {offers.message_when_missing()}",
            is_error=name in asked.resolved.stopping and parameter.required,
            remedies=tuple(remedies),
        )


def _with_default(report: Report, name: str, value: Value) -> Report:
    parameter = report.parameter(name)
    default: Scalar = value if isinstance(value, str | int | float | bool) else str(value)
    return edits.change_parameter(report, name, default=(default,) if parameter.holds == "list" else default)


def missing_placeholders(asked: ValuesToCheck) -> Iterator[Finding]:
    """Placeholders of queries that no parameter fills."""
    for query in asked.report.queries:
        try:
            proposals = missing_parameters(asked.report, query, asked.library, asked.stop)
        except Cancelled:
            raise
        except NorthmoorError:
            continue  # the query itself tells what is wrong with it when it is run
        for proposal in proposals:
            kind = proposal.kind if proposal.holds == "one" else f"{proposal.kind} list"
            remedy = Remedy(f"Add :{proposal.name} ({kind})", edit=partial(edits.add_parameter, parameter=proposal))
            message = f"The SQL has :{proposal.name}, and the report has no such parameter."
            yield Finding("missing parameter", Place(query=query.name), message, remedies=(remedy,))


def sampled_values(asked: ValuesToCheck) -> Iterator[Finding]:
    """Parameters that are shown with their sample values."""
    for name in sorted(asked.resolved.from_samples):
        message = "The pages show its sample value; whoever runs the report gives the real one."
        yield Finding("sample value", Place(parameter=name), message, is_error=False)


VALUE_RULES: tuple[Callable[[ValuesToCheck], Iterator[Finding]], ...] = (
    faulty_values, stray_defaults, missing_placeholders, sampled_values,
)  # fmt: skip
