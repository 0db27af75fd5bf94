"""The query of a new report: a table, those that are joined to it by their keys, and a condition."""

from collections.abc import Sequence

from msgspec import Struct

from northmoor.core.authoring.queries.query_filters import (
    expression_of,
    filter_query_by_parameter,
    value_sql,
    with_comparison,
    with_value_kept,
)
from northmoor.core.authoring.starters.new_report import table_query
from northmoor.core.base.replace import replace
from northmoor.core.errors import Place, QueryError
from northmoor.core.expr.identifiers import sql_table
from northmoor.core.model import edits
from northmoor.core.model.data.queries import Query
from northmoor.core.model.kinds.value_kinds import KindName
from northmoor.core.model.report import Report
from northmoor.core.sources.builder.edits import column_texts, project, select_all
from northmoor.core.sources.builder.joins import JoinProposal, join_proposals, joined, new_alias, proposed_pairs
from northmoor.core.sources.builder.select_model import Comparison, FromItem, SelectItem, SelectModel, select_sql
from northmoor.core.sources.builder.select_parser import parse_select
from northmoor.core.sources.builder.select_writer import rewrite_select
from northmoor.core.sources.drivers.catalog import Catalog, CatalogTable
from northmoor.core.sources.fetch.query_resolution import dialect_of
from northmoor.core.sources.library import Library
from northmoor.core.values.scalars import read_scalar


class JoinedTable(Struct, frozen=True):
    """A table and how it is joined. `is_lookup`: each row finds at most one of its rows, so that none is repeated."""

    table: CatalogTable
    way: JoinProposal
    is_lookup: bool


class StarterSource(Struct, frozen=True):
    """A connection's table, with the tables that are joined to it in their order."""

    connection: str
    table: CatalogTable
    joined: tuple[JoinedTable, ...] = ()

    @property
    def rows(self) -> int | None:
        """How many rows it has, if that is known: those of its table, unless a join repeats some."""
        return self.table.rows if all(each.is_lookup for each in self.joined) else None


def starter_query(source: StarterSource, library: Library) -> Query:
    """The query that takes a source's columns. Raises QueryError and ConnectionFault."""
    query = table_query(source.connection, source.table, library)
    if not source.joined:
        return query
    return query.but(sql=select_sql(_sentence(source, library.driver(source.connection).dialect)))


def _sentence(source: StarterSource, dialect: str) -> SelectModel:
    sentence = select_all(source.table, dialect)
    for each in source.joined:
        name = sql_table(each.table.name, dialect)
        new = FromItem(name, new_alias(sentence, name))
        sentence = joined(sentence, new, "left join", proposed_pairs(new, each.way, dialect), "")
        known = {own.lower() for own, _ in each.way.pairs}
        shown = zip(each.table.columns, column_texts(new, each.table, dialect), strict=True)
        columns = [SelectItem(text) for column, text in shown if column.name.lower() not in known]
        sentence = project(sentence, (*sentence.select_items, *columns), dialect)
    return sentence


def joinable(catalog: Catalog, source: StarterSource, dialect: str) -> list[JoinedTable]:
    """The tables that can be joined to a source by keys, those first of which each row finds at most one row."""
    taken = _sentence(source, dialect).from_items
    found = [
        JoinedTable(table, way, _is_lookup(table, way))
        for table in catalog.tables
        if table.fault is None
        for way in join_proposals(catalog, taken, table.name)
        if way.is_key and all(way.to != each.way.to or table != each.table for each in source.joined)
    ]
    return sorted(found, key=lambda each: not each.is_lookup)


def _is_lookup(table: CatalogTable, way: JoinProposal) -> bool:
    """Whether the columns that a table is joined by are all of its key."""
    keys = {column.name.lower() for column in table.columns if column.is_key}
    return bool(keys) and keys <= {own.lower() for own, _ in way.pairs}


OPERATOR_WORDS = {
    "=": "is", "<>": "is not", ">=": "at least", "<=": "at most", "contains": "contains", "is null": "has no value",
    "is not null": "has a value",
}  # fmt: skip
"""The conditions that a new report is begun with."""
_WITHOUT_ORDER = ("text", "boolean")
"""Kinds whose values are not asked to be at least or at most something."""


def operators_of(kind: KindName) -> Sequence[str]:
    """The operators that values of a kind can be compared by."""
    left_out = (">=", "<=") if kind in _WITHOUT_ORDER else ()
    return [each for each in OPERATOR_WORDS if each not in left_out and (each != "contains" or kind == "text")]


class StarterFilter(Struct, frozen=True):
    """Which rows a new report has: those whose column compares with a value, as typed; or, where `is_asked`, those that
    whoever runs it chooses from the column's values."""

    column: str
    kind: KindName
    operator: str = "="
    value: str = ""
    is_asked: bool = False


def filtered_report(report: Report, query: Query, wanted: StarterFilter, library: Library) -> Report:
    """The report with its query filtered. Raises QueryError for a value that is none of the kind, and where the SQL
    does not say what the column is made of."""
    dialect = dialect_of(query, library)
    if wanted.is_asked:
        return filter_query_by_parameter(report, query, wanted.column, wanted.kind, dialect)
    sentence = parse_select(query.sql, dialect)
    expression = expression_of(sentence, wanted.column) if sentence is not None else None
    if sentence is None or expression is None:
        raise QueryError(f"The SQL does not say what {wanted.column} is made of; filter it in Data.", _place(query))
    if wanted.operator.endswith("null"):
        kept = with_comparison(sentence, Comparison(expression, wanted.operator), dialect)
    else:
        kept = _compared(sentence, wanted, expression, dialect, query)
    return edits.change_query(report, query.name, sql=rewrite_select(query.sql, kept, dialect))


def _compared(sentence: SelectModel, wanted: StarterFilter, expression: str, dialect: str, query: Query) -> SelectModel:
    try:
        value = read_scalar(wanted.kind, wanted.value)
    except ValueError as error:
        raise QueryError(f"{wanted.column}: {error}", _place(query)) from error
    if wanted.operator in ("=", "<>"):
        return with_value_kept(sentence, wanted.column, value, wanted.operator == "=", dialect)
    text = value_sql(f"%{value}%" if wanted.operator == "contains" else value, dialect)
    compared = Comparison(expression, "like" if wanted.operator == "contains" else wanted.operator, (text,))
    return with_comparison(sentence, compared, dialect)


def _place(query: Query) -> Place:
    return Place(query=query.name)


def without_join(source: StarterSource, at: int, dialect: str) -> StarterSource:
    """The source without a joined table, and without those that are joined to it."""
    names = [taken.known_as for taken in _sentence(source, dialect).from_items[1:]]
    gone = {names[at]}
    kept = []
    for number, each in enumerate(source.joined):
        if number == at or each.way.to in gone:
            gone.add(names[number])
        else:
            kept.append(each)
    return replace(source, joined=tuple(kept))
