"""A report's queries as they are run: shared ones filled in, and what each needs of the others."""

from msgspec import Struct

from northmoor.core.errors import NorthmoorError, Place, QueryError, did_you_mean
from northmoor.core.model.data.connections import KIND_OF_CONNECTION
from northmoor.core.model.data.queries import Query, QueryColumn
from northmoor.core.model.data.signal_logs import SignalLog
from northmoor.core.model.data.signal_queries import LogQuery, MeasurementsQuery
from northmoor.core.model.report import Report
from northmoor.core.sources.drivers.read_only import CheckedQuery, check_query
from northmoor.core.sources.library import Library
from northmoor.core.sources.signals.bounds import names_of_values

ENGINE_DIALECT = "duckdb"


class LogPlace(Struct, frozen=True):
    """A signal log, and where it is: a table of a connection, or the rows of a query of the report."""

    log: SignalLog
    connection: str | None
    table: str
    dialect: str


class ResolvedQuery(Struct, frozen=True):
    """A query ready to be run: `query` with what it shares filled in, its checked SQL, the other queries it is over;
    for one over a signal log, where that is."""

    query: Query
    checked: CheckedQuery
    sources: tuple[str, ...]
    log: LogPlace | None = None

    @property
    def parameters(self) -> frozenset[str]:
        """The names of values that its own rows depend on. Raises ExpressionError."""
        own = names_of_values(self.query.signals) if self.query.signals is not None and self.log is not None else ()
        return self.checked.parameters.union(own)

    @property
    def needs(self) -> tuple[str, ...]:
        """Other queries that must be fetched first."""
        owner = (self.query.detail_of.query,) if self.query.detail_of else ()
        return tuple(dict.fromkeys((*self.sources, *owner)))


def dialect_of(query: Query, library: Library) -> str:
    """The dialect of a query's SQL. Raises ConnectionFault for an unknown connection."""
    filled = fill_shared(query, library)
    if not filled.connection:
        return ENGINE_DIALECT
    return KIND_OF_CONNECTION[library.connection(filled.connection).kind].dialect


def fill_shared(query: Query, library: Library) -> Query:
    """A shared query with connection, SQL and column settings from the library; others as they are.

    Raises ReportFileError when the library's query cannot be read.
    """
    if query.shared is None:
        return query
    shared = library.shared_query(query.shared)
    own = {column.name: column for column in query.columns}
    merged = [_merged(column, own.pop(column.name, None)) for column in shared.columns]
    return query.but(connection=shared.connection, sql=shared.sql, columns=(*merged, *own.values()))


def _merged(base: QueryColumn, own: QueryColumn | None) -> QueryColumn:
    return base if own is None else base.but(**{name: getattr(own, name) for name in own.model_fields_set})


def written_column_names(query: Query, library: Library) -> tuple[str, ...]:
    """The columns of a query as its SQL names them; empty where only its result can tell, as for select *."""
    try:
        filled = fill_shared(query, library)
        names = check_query(filled.sql, dialect_of(query, library)).tree.named_selects
    except NorthmoorError:
        return ()
    return () if "*" in names else tuple(name for name in names if name)


def resolve(report: Report, name: str, library: Library) -> ResolvedQuery:
    """A query of the report, ready to be run.

    Raises QueryError (RefusedQuery) for SQL that does more than read, names no query, or leads in a circle;
    ConnectionFault for an unknown connection; ReportFileError for a shared query that cannot be read.
    """
    found = _resolve(report, name, library)
    _check_no_cycle(report, library, found, (name,))
    return found


def _resolve(report: Report, name: str, library: Library) -> ResolvedQuery:
    query = report.query(name)
    if query.use_sample:  # its SQL is not run, and its connection may be gone
        return ResolvedQuery(query, check_query("select 1", ENGINE_DIALECT), ())
    query = fill_shared(query, library)
    place = Place(query=name)
    if query.signals is not None:
        log = _log_of(query, query.signals, report, library)
        sources: tuple[str, ...] = (log.table,) if log.connection is None else ()
        if isinstance(query.signals, MeasurementsQuery) and query.signals.spans is not None:
            sources = (*sources, _query_named(query.signals.spans, report, place))
        return ResolvedQuery(query, check_query("select 1", ENGINE_DIALECT), tuple(dict.fromkeys(sources)), log)
    try:
        checked = check_query(query.sql, dialect_of(query, library))
        sources = _sources(checked, report) if query.is_combined else ()
    except QueryError as error:
        raise error.at(place) from None
    return ResolvedQuery(query, checked, sources)


def _log_of(query: Query, signals: LogQuery, report: Report, library: Library) -> LogPlace:
    """The log that a query is over. Raises QueryError where there is none of its name."""
    place = Place(query=query.name)
    if query.connection is None:
        owner = report.query(_query_named(signals.log, report, place))
        if owner.log is None:
            raise QueryError(
                f"The query {owner.name} is no signal log; say in its settings what its columns mean.", place
            )
        return LogPlace(owner.log, None, owner.name, ENGINE_DIALECT)
    connection = library.connection(query.connection)
    log = next((log for log in connection.logs if log.name == signals.log), None)
    if log is None or log.table is None:
        hint = did_you_mean(signals.log, [log.name for log in connection.logs])
        hint = hint or "Declare one: choose Signal log for a table in Data."
        raise QueryError(f"The connection {connection.name} has no signal log {signals.log}. {hint}", place)
    return LogPlace(log, connection.name, log.table, KIND_OF_CONNECTION[connection.kind].dialect)


def _query_named(name: str, report: Report, place: Place) -> str:
    known = {query.name.lower(): query.name for query in report.queries}
    if name.lower() not in known:
        raise QueryError(f"The report has no query {name}. {did_you_mean(name, known.values())}", place)
    return known[name.lower()]


def _sources(checked: CheckedQuery, report: Report) -> tuple[str, ...]:
    known = {query.name.lower(): query.name for query in report.queries}
    found = []
    for table in checked.tables:
        if table.name.lower() not in known or table.db:
            hint = did_you_mean(table.name, known.values())
            raise QueryError(f"The report has no query {table.sql(ENGINE_DIALECT)}. {hint}")
        found.append(known[table.name.lower()])
    return tuple(dict.fromkeys(found))


def _check_no_cycle(report: Report, library: Library, resolved: ResolvedQuery, trail: tuple[str, ...]) -> None:
    for name in resolved.needs:
        if name in trail:
            circle = " → ".join((*trail[trail.index(name) :], name))
            raise QueryError(f"The queries need one another in a circle: {circle}.", Place(query=trail[0]))
        _check_no_cycle(report, library, _resolve(report, name, library), (*trail, name))


def parameters_of(report: Report, name: str, library: Library) -> frozenset[str]:
    """Parameters that a query's rows depend on, its own and those of the queries it needs. Raises like `resolve`."""
    resolved = resolve(report, name, library)
    own = resolved.parameters
    return own.union(*(parameters_of(report, other, library) for other in resolved.needs))
