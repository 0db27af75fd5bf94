"""Proposals: the parameter that a placeholder wants, and the condition by which a query uses a parameter."""

from northmoor.core.authoring.queries.query_filters import expression_of
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import NorthmoorError, QueryError
from northmoor.core.expr.placeholders import placeholders
from northmoor.core.model import edits
from northmoor.core.model.data.queries import Query
from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME
from northmoor.core.model.parameters import Parameter
from northmoor.core.model.report import Report
from northmoor.core.sources.builder.edits import with_condition
from northmoor.core.sources.builder.select_model import Comparison
from northmoor.core.sources.builder.select_parser import has_aggregate, parse_select
from northmoor.core.sources.builder.select_writer import rewrite_select
from northmoor.core.sources.drivers.catalog import Catalog
from northmoor.core.sources.drivers.read_only import CheckedQuery, check_query
from northmoor.core.sources.fetch.query_resolution import dialect_of, fill_shared
from northmoor.core.sources.library import Library
from northmoor.core.sources.typing.inference import infer_parameter_kind


def proposed_parameter(query: CheckedQuery, catalog: Catalog, name: str) -> Parameter:
    """A parameter for a placeholder: of the kind it is compared with, a list where it is in brackets."""
    kind = infer_parameter_kind(query, catalog, name)
    if all(p.is_listed for p in placeholders(query.sql, query.dialect) if p.name == name):
        return Parameter(name=name, kind=kind, holds="list", required=False)
    return Parameter(name=name, kind=kind, default=KIND_OF_NAME[kind].default)


def missing_parameters(report: Report, query: Query, library: Library, stop: CancelToken) -> list[Parameter]:
    """Proposals for the placeholders of a query that no parameter fills. Raises NorthmoorError when it is no query."""
    filled = fill_shared(query, library)
    checked = check_query(filled.sql, dialect_of(query, library))
    missing = sorted(checked.parameters - set(report.value_names) - {p.name for p in report.parameters})
    catalog = Catalog()
    if missing and filled.connection is not None:
        catalog = library.catalog(filled.connection, stop, counted=False)
    return [proposed_parameter(checked, catalog, name) for name in missing]


def sql_using(query: Query, parameter: Parameter, column: str, library: Library) -> str | None:
    """A query's SQL with a condition on a column of its result by a parameter; None where none can be written."""
    if query.shared is not None or query.use_sample:
        return None
    try:
        dialect = dialect_of(query, library)
        sentence = parse_select(query.sql, dialect)
    except (NorthmoorError, QueryError):
        return None
    expression = expression_of(sentence, column) if sentence is not None else None
    if sentence is None or expression is None or has_aggregate(expression, dialect):
        return None
    try:
        return rewrite_select(query.sql, with_condition(sentence, _comparison(parameter, expression)), dialect)
    except QueryError:
        return None


def _comparison(parameter: Parameter, expression: str) -> Comparison:
    names = tuple(f":{name}" for name in parameter.names)
    if parameter.holds == "range":
        return Comparison(expression, "between", names)
    return Comparison(expression, "in" if parameter.holds == "list" else "=", names[:1])


def with_use(report: Report, query: str, sql: str) -> Report:
    """The report with a query's SQL changed."""
    return edits.change_query(report, query, sql=sql)
