"""Lists of parameters that depend on other parameters: what readers can choose goes by what they chose before."""

from collections.abc import Callable, Mapping, Sequence

from northmoor.core.authoring.queries.query_filters import expression_of
from northmoor.core.errors import NorthmoorError
from northmoor.core.expr.identifiers import bare_or_quoted
from northmoor.core.model import edits
from northmoor.core.model.data.queries import Query
from northmoor.core.model.parameters import Parameter
from northmoor.core.model.report import Report
from northmoor.core.sources.builder.asides import tables
from northmoor.core.sources.builder.edits import with_condition
from northmoor.core.sources.builder.select_model import BooleanGroup, Comparison, Condition, SelectModel
from northmoor.core.sources.builder.select_parser import parse_select
from northmoor.core.sources.builder.select_writer import rewrite_select
from northmoor.core.sources.fetch.query_resolution import parameters_of, resolve
from northmoor.core.sources.library import Library


def narrowing_columns(
    report: Report, parameter: Parameter, library: Library, columns: Callable[[str], Sequence[str]]
) -> Mapping[str, str]:
    """The other parameters that a parameter's list could depend on, each with the SQL of the column that it chooses
    from; `columns` gives the columns of a query of the report. None that the list depends on already."""
    query, sentence, used = _list_of(report, parameter, library)
    if query is None or sentence is None:
        return {}
    read = tables(sentence)
    own = {each.name for each in report.queries}
    known = set(columns(read[0].table)) if len(read) == 1 and read[0].table in own else set()
    found = {}
    for other in report.parameters:
        if other.name in (parameter.name, *used) or other.holds == "range":
            continue
        names = [other.choices_from.value] if other.choices_from is not None else [other.name]
        column = next((name for name in names if name in known), None)
        expression = bare_or_quoted(column, "duckdb") if column is not None else _made_of(sentence, names)
        goes_by_this = expression is not None and parameter.name in _list_of(report, other, library)[2]
        if expression is not None and not goes_by_this:
            found[other.name] = expression
    return found


def narrow_list(report: Report, parameter: str, other: str, column: str, library: Library) -> Report:
    """Let a parameter's list have only what goes with the value of another one, where that has one."""
    own, by = (next(each for each in report.parameters if each.name == name) for name in (parameter, other))
    query, sentence, _ = _list_of(report, own, library)
    if query is None or sentence is None:
        return report
    is_list = by.holds == "list"
    wanted = Comparison(column, "in" if is_list else "=", (f":{other}",))
    none = Comparison(f":{by.names[1]}", "=", ("0",)) if is_list else Comparison(f":{other}", "is null")
    asked: Condition = wanted if by.required else BooleanGroup("or", (none, wanted))
    dialect = resolve(report, query.name, library).checked.dialect
    return edits.change_query(
        report, query.name, sql=rewrite_select(query.sql, with_condition(sentence, asked), dialect)
    )


def _list_of(
    report: Report, parameter: Parameter, library: Library
) -> tuple[Query | None, SelectModel | None, frozenset[str]]:
    """The query of a parameter's list, the SQL as a sentence, and the parameters that its rows go by, also those of the
    queries it is over; none where no condition can be added to it."""
    name = parameter.choices_from.query if parameter.choices_from is not None else None
    query = next((each for each in report.queries if each.name == name), None)
    if query is None or query.shared is not None or query.signals is not None:
        return None, None, frozenset()
    try:
        resolved = resolve(report, query.name, library)
        bound = parameters_of(report, query.name, library)
    except NorthmoorError:
        return None, None, frozenset()
    used = frozenset(each.name for each in report.parameters if not bound.isdisjoint(each.names))
    return query, parse_select(query.sql, resolved.checked.dialect), used


def _made_of(sentence: SelectModel, names: Sequence[str]) -> str | None:
    """What a column of the list itself is made of."""
    if all(item.expression == "*" for item in sentence.select_items):
        return None
    return next((made for name in names if (made := expression_of(sentence, name)) is not None), None)
