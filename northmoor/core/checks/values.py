"""Preflight's rules about a report's values, which hold whether or not pages can be made of them."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial

from northmoor.core.compute.settling import Settled
from northmoor.core.errors import MissingValue, NorthmoorError, Place
from northmoor.core.model import edits
from northmoor.core.model.findings import Finding, Remedy
from northmoor.core.model.parameters import Parameter, Scalar
from northmoor.core.model.report import Report
from northmoor.core.sources.connections import Library
from northmoor.core.sources.proposing import missing_parameters
from northmoor.core.stopping import Stop
from northmoor.core.values.kinds import Value


@dataclass(frozen=True)
class Asked:
    """A report's values as they were settled, and its library."""

    settled: Settled
    library: Library

    @property
    def report(self) -> Report:
        """The report."""
        return self.settled.report


def faulty_values(asked: Asked) -> Iterator[Finding]:
    """Parameters and computed values that have no value, with why."""
    settled = asked.settled
    parameters = {p.name: p for p in asked.report.parameters}
    for name, fault in settled.faults.items():
        if name not in settled.strays:
            remedies = _other_value(settled, parameters[name]) if name in parameters else ()
            yield Finding("no value", fault.place, fault.message, remedies=remedies)


def _other_value(settled: Settled, parameter: Parameter) -> tuple[Remedy, ...]:
    remedies = []
    if parameter.name in settled.given:
        remedies.append(Remedy("Back to the default", values={parameter.name: None}))
    offers = settled.offers.get(parameter.name)
    if offers is not None and offers.entries:
        first = offers.entries[0]
        remedies.append(Remedy(f"Choose {first.label}", values={parameter.name: first.value}))
    if isinstance(settled.faults[parameter.name], MissingValue):
        optional = partial(edits.change_parameter, parameter=parameter.name, required=False)
        remedies.append(Remedy("Let it be left empty", edit=optional))
    return tuple(remedies)


def stray_defaults(asked: Asked) -> Iterator[Finding]:
    """Defaults that are not in their own list."""
    for name, values in asked.settled.strays.items():
        parameter, offers = asked.report.parameter(name), asked.settled.offers[name]
        told = ", ".join(str(value) for value in values[:6])
        remedies = [Remedy("No default", edit=partial(edits.change_parameter, parameter=name, default=None))]
        if offers.entries:
            first = offers.entries[0]
            remedies.insert(0, Remedy(f"Use {first.label}", edit=partial(_with_default, name=name, value=first.value)))
        yield Finding(
            "stray default",
            Place(parameter=name),
            f"Its default {told} is not in its list. {offers.told()}",
            is_error=name in asked.settled.faults and parameter.required,
            remedies=tuple(remedies),
        )


def _with_default(report: Report, name: str, value: Value) -> Report:
    parameter = report.parameter(name)
    default: Scalar = value if isinstance(value, str | int | float | bool) else str(value)
    return edits.change_parameter(report, name, default=(default,) if parameter.holds == "list" else default)


def missing_placeholders(asked: Asked) -> Iterator[Finding]:
    """Placeholders of queries that no parameter fills."""
    for query in asked.report.queries:
        try:
            proposals = missing_parameters(asked.report, query, asked.library, Stop())
        except NorthmoorError:
            continue  # the query itself tells what is wrong with it when it is run
        for proposal in proposals:
            kind = proposal.kind if proposal.holds == "one" else f"{proposal.kind} list"
            remedy = Remedy(f"Add :{proposal.name} ({kind})", edit=partial(edits.add_parameter, parameter=proposal))
            message = f"The SQL has :{proposal.name}, and the report has no such parameter."
            yield Finding("missing parameter", Place(query=query.name), message, remedies=(remedy,))


def sampled_values(asked: Asked) -> Iterator[Finding]:
    """Parameters that are shown with their sample values."""
    for name in sorted(asked.settled.sampled):
        message = "The pages show its sample value; whoever runs the report gives the real one."
        yield Finding("sample value", Place(parameter=name), message, is_error=False)


VALUE_RULES: tuple[Callable[[Asked], Iterator[Finding]], ...] = (
    faulty_values, stray_defaults, missing_placeholders, sampled_values,
)  # fmt: skip
