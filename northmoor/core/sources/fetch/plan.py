"""What running a query means: where each step runs, what is sent there, and as whom."""

from dataclasses import dataclass

from sqlglot import exp

from northmoor.core.model.data.connections import KIND_OF_CONNECTION
from northmoor.core.model.report import Report
from northmoor.core.sources.fetch.query_resolution import ResolvedQuery, resolve
from northmoor.core.sources.library import Library

HERE = "here, in the engine"


@dataclass(frozen=True)
class Step:
    """A step of a plan.

    `where` it runs, `what` happens there in a sentence, the `sql` that is sent (None when nothing is), and the
    `identity` it runs as.
    """

    query: str
    where: str
    what: str
    sql: str | None
    identity: str


def plan(report: Report, query: str, library: Library) -> tuple[Step, ...]:
    """The steps of a query and of those it needs, in the order they run. Raises like `resolve`."""
    resolved = resolve(report, query, library)
    steps = [step for name in resolved.needs for step in plan(report, name, library)]
    steps += _steps_of_query(resolved, library)
    return tuple(dict.fromkeys(steps))


def _steps_of_query(resolved: ResolvedQuery, library: Library) -> list[Step]:
    query = resolved.query
    steps = []
    if query.use_sample and query.sample is not None:
        steps.append(Step(query.name, f"the file {query.sample}", "Saved rows are read.", None, "the file, read-only"))
    elif query.connection is not None:
        connection = library.connection(query.connection)
        driver = library.driver_for(connection)
        kind = KIND_OF_CONNECTION[connection.kind]
        where = f"{connection.name} ({kind.label})"
        if kind.runs_here:
            where = f"{HERE}, on files of {connection.name}"
        steps.append(Step(query.name, where, _shared_and_sample_notes(resolved), query.sql.strip(), driver.identity))
    else:
        message = f"The rows of {_listed(resolved.sources)} are combined." if resolved.sources else "Rows are computed."
        steps.append(Step(query.name, HERE, message, query.sql.strip(), "nobody: it reads only rows already fetched"))
    if query.detail_of is not None:
        pairs = " and ".join(f"{pair.own} = {pair.other}" for pair in query.detail_of.columns)
        message = f"Rows that belong to no record of {query.detail_of.query} are left out ({pairs})."
        steps.append(Step(query.name, HERE, message, None, "nobody: it reads only rows already fetched"))
    return steps


def _shared_and_sample_notes(resolved: ResolvedQuery) -> str:
    if resolved.checked.is_call:
        return "A procedure is called; its first result comes back."
    tree = resolved.checked.tree
    names = list(dict.fromkeys(table.name for table in resolved.checked.tables))
    done = [f"reads {_listed(names)}"] if names else ["computes rows"]
    if tree.find(exp.Group) or tree.find(exp.AggFunc):
        done.append("groups and totals")
    if tree.args.get("order"):
        done.append("sorts")
    values = sorted(resolved.parameters)
    bound = f", with {_listed([f':{name}' for name in values])} bound" if values else ""
    return f"It {', '.join(done)}{bound}, and sends the rows."


def _listed(names: list[str] | tuple[str, ...]) -> str:
    return ", ".join(names[:-1]) + (" and " if len(names) > 1 else "") + names[-1]
