"""What running a query means: where each step runs, what is sent there, and as whom."""

from collections.abc import Mapping
from types import MappingProxyType

from msgspec import Struct
from sqlglot import exp

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.phrases import phrase
from northmoor.core.errors import NorthmoorError
from northmoor.core.model.data.connections import KIND_OF_CONNECTION
from northmoor.core.model.data.signal_queries import MeasurementsQuery, SpansQuery
from northmoor.core.model.report import Report
from northmoor.core.sources.drivers.catalog import Catalog
from northmoor.core.sources.drivers.read_only import CheckedQuery
from northmoor.core.sources.fetch.fetch_size import FetchSize, fetched_at_most
from northmoor.core.sources.fetch.log_reading import LogReader
from northmoor.core.sources.fetch.query_resolution import ResolvedQuery, resolve
from northmoor.core.sources.fetch.run_query import FetchRequest
from northmoor.core.sources.library import Library
from northmoor.core.sources.signals.line_outline import Stretches
from northmoor.core.sources.signals.series import SeriesName
from northmoor.core.sources.signals.spans import signals_of
from northmoor.core.sources.typing.exact_decimals import exact_sql
from northmoor.core.values.parameter_values import Values

NOTHING_KNOWN: Mapping[str, Catalog] = MappingProxyType({})
HERE = phrase("here, in the engine")
_NOBODY = "nobody: it reads only rows already fetched"


class Step(Struct, frozen=True):
    """A step of a plan.

    `where` it runs, `what` happens there in a sentence, the `sql` that is sent (None when nothing is), the `identity`
    it runs as, and what it fetches at most, where that is known.
    """

    query: str
    where: str
    what: str
    sql: str | None
    identity: str
    at_most: FetchSize | None = None


def plan(
    report: Report, query: str, library: Library, known: Mapping[str, Catalog] = NOTHING_KNOWN
) -> tuple[Step, ...]:
    """The steps of a query and of those it needs, in the order they run, with the rows of tables where the catalogue of
    a connection is `known`. Raises like `resolve`."""
    resolved = resolve(report, query, library)
    steps = [step for name in resolved.needs for step in plan(report, name, library, known)]
    if resolved.log is not None:
        steps += _steps_of_log(resolved, library, log_sql(report, query, library))
    else:
        steps += _steps_of_query(resolved, library, known)
    return tuple(dict.fromkeys(steps))


def log_sql(report: Report, query: str, library: Library) -> str:
    """The SQL that a query over a signal log sends to where that is, with names for the values that are bound; a
    sentence where none can be made yet."""
    try:
        resolved = resolve(report, query, library)
        return _log_statement(report, resolved, library)
    except NorthmoorError as error:
        return f"-- {error.message}"


def _log_statement(report: Report, resolved: ResolvedQuery, library: Library) -> str:
    signals, place = resolved.query.signals, resolved.log
    assert signals is not None
    assert place is not None
    if place.connection is None:
        return f"-- the rows of {place.table} are read as they are"
    request = FetchRequest(report, resolved, Values(), library, {}, CancelToken())
    wanted = signals_of(signals) if isinstance(signals, SpansQuery) else signals.signals
    names = [SeriesName(name, signal) for name in (signals.objects or ("all",)) for signal in wanted]
    spans = isinstance(signals, MeasurementsQuery) and signals.spans is not None
    since = 0 if signals.start is not None or spans else None
    until = 0 if signals.end is not None or spans else None
    reader, stretches = LogReader(request, place), Stretches(0, 0, 1)  # the SQL only names them
    is_thinned = isinstance(signals, MeasurementsQuery) and signals.wants_kept_only
    is_thinned = is_thinned and reader.can_outline(wanted, stretches)
    statements = reader.statements(names, since, until, stretches if is_thinned else None)
    return ";\n\n".join(statement.sql for statement in statements)


def _steps_of_log(resolved: ResolvedQuery, library: Library, sql: str) -> list[Step]:
    query, place = resolved.query, resolved.log
    assert place is not None
    assert query.signals is not None
    what = "Signals are measured, each value weighted by how long it held."
    if isinstance(query.signals, SpansQuery):
        what = "Spans are cut where what they depend on changes."
    here = Step(query.name, HERE, what, None, _NOBODY)
    if place.connection is None:
        return [here]
    connection = library.connection(place.connection)
    where = f"{connection.name} ({KIND_OF_CONNECTION[connection.kind].label})"
    message = "Only the period is read, and of each signal the last reading before it."
    return [Step(query.name, where, message, sql, library.driver_for(connection).identity), here]


def _steps_of_query(resolved: ResolvedQuery, library: Library, known: Mapping[str, Catalog]) -> list[Step]:
    query = resolved.query
    steps = []
    if query.use_sample and query.sample is not None:
        where = phrase(f"the file {query.sample}")
        steps.append(Step(query.name, where, "Saved rows are read.", None, phrase("the file, read-only")))
    elif query.connection is not None:
        connection = library.connection(query.connection)
        driver = library.driver_for(connection)
        kind = KIND_OF_CONNECTION[connection.kind]
        where = f"{connection.name} ({kind.label})"
        if kind.runs_here:
            where = phrase(f"{HERE}, on files of {connection.name}")
        sql = exact_sql(
            resolved.checked, lambda: library.catalog(connection.name, CancelToken(), counted=False)
        ).strip()
        catalog = known.get(connection.name, Catalog())
        what, at_most = _work_there(resolved, catalog), fetched_at_most(resolved.checked, catalog)
        if sql != query.sql.strip():
            what += " Computed decimals are rounded where they are compared, since SQLite computes with doubles."
        steps.append(Step(query.name, where, what, sql, driver.identity, at_most))
    else:
        names = ", ".join(resolved.sources)
        message = f"The rows of {names} are combined." if names else "Rows are computed."
        steps.append(Step(query.name, HERE, message, query.sql.strip(), _NOBODY))
    if query.detail_of is not None:
        pairs = " and ".join(f"{pair.own} = {pair.other}" for pair in query.detail_of.columns)
        message = f"Rows that belong to no record of {query.detail_of.query} are left out ({pairs})."
        steps.append(Step(query.name, HERE, message, None, _NOBODY))
    return steps


def _work_there(resolved: ResolvedQuery, catalog: Catalog) -> str:
    if resolved.checked.is_call:
        return "A procedure is called; its first result comes back."
    tree = resolved.checked.tree
    names = list(dict.fromkeys(table.name for table in resolved.checked.tables))
    done = [f"Reads {', '.join(names)}, and sends the rows." if names else "Rows are computed and sent."]
    done += _largest(resolved.checked, catalog)
    if tree.find(exp.Group) or any(not isinstance(f.parent, exp.Window) for f in tree.find_all(exp.AggFunc)):
        done.append("Rows are grouped and added up there.")
    if tree.args.get("order"):
        done.append("Rows are sorted there.")
    if resolved.parameters:
        bound = ", ".join(f":{name}" for name in sorted(resolved.parameters))
        done.append(f"Bound are the values of {bound}.")
    return " ".join(done)


def _largest(query: CheckedQuery, catalog: Catalog) -> list[str]:
    """How many rows the largest of some tables has, as far as that is known."""
    known = [table for table in query.tables_in(catalog) if table.rows is not None]
    largest = max(known, key=lambda table: table.rows or 0, default=None)
    if largest is None:
        return []
    if largest.is_estimate:
        return [f"The largest table, {largest.name}, has about {largest.rows:,} rows."]
    return [f"The largest table, {largest.name}, has {largest.rows:,} rows."]
