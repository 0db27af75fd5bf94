"""A call of a database's routine as SQL, with a parameter for each of its arguments."""

from northmoor.core.authoring.table_commands import parameter_name
from northmoor.core.base.readable_names import readable_name
from northmoor.core.expr.identifiers import sql_table
from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME
from northmoor.core.model.parameters import Parameter
from northmoor.core.model.report import Report
from northmoor.core.sources.drivers.catalog import Routine, RoutineArgument
from northmoor.core.sources.typing.inference import declared_kind


def routine_call(routine: Routine, dialect: str, report: Report) -> tuple[list[Parameter], str]:
    """The parameters that the report does not have yet, and the SQL of the call.

    A parameter of the report that has an argument's name, kind and form is used for it. One whose type the database
    does not say is left to be added when the query is looked at.
    """
    added: list[Parameter] = []
    names = []
    for number, argument in enumerate(routine.arguments, 1):
        wanted = _parameter(argument, number, dialect)
        there = {each.name: each for each in report.parameters}.get(wanted.name)
        is_same = there is not None and (there.kind, there.holds) == (wanted.kind, wanted.holds)
        if not is_same and argument.type:
            taken = [*report.value_names, *(each.name for each in added)]
            wanted = wanted.but(name=parameter_name(wanted.name, taken))
            added.append(wanted)
        names.append(f":{wanted.name}")
    begin = "call" if routine.is_procedure else "select * from"
    return added, f"{begin} {sql_table(routine.name, dialect)}({', '.join(names)})"


def _parameter(argument: RoutineArgument, number: int, dialect: str) -> Parameter:
    name = parameter_name(argument.name or f"argument_{number}", ())
    label = readable_name(argument.name) if argument.name else None
    kind = declared_kind(argument.type.removesuffix("[]"), dialect) or "text"
    if argument.type.endswith("[]"):
        return Parameter(name=name, label=label, kind=kind, holds="list", required=False)
    return Parameter(name=name, label=label, kind=kind, default=KIND_OF_NAME[kind].default)
