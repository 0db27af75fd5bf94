"""A new report from SQL: the query is run once to learn its columns, and the listing is written from them."""

import re
from collections.abc import Collection, Mapping, Sequence
from pathlib import Path
from typing import Any

import pyarrow.compute as pc

from northmoor.core.authoring.queries.propose_parameters import proposed_parameter
from northmoor.core.authoring.starters.field_nesting import nested_fields
from northmoor.core.authoring.starters.field_roles import MOMENT, field_role, key_columns
from northmoor.core.authoring.starters.starter_layouts import (
    Field,
    listing,
)
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.readable_names import readable_name
from northmoor.core.base.replace import replace
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import Cancelled, NorthmoorError, Place, QueryError, ReportFileError, did_you_mean
from northmoor.core.expr.identifiers import name_parts
from northmoor.core.expr.language import column_expression
from northmoor.core.model.data.queries import Query, QueryColumn
from northmoor.core.model.edits import column_setting
from northmoor.core.model.kinds.aggregates import NO_TOTAL
from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME
from northmoor.core.model.parameters import Parameter
from northmoor.core.model.report import Report
from northmoor.core.sources.builder.edits import select_all
from northmoor.core.sources.builder.select_model import select_sql
from northmoor.core.sources.drivers.catalog import CatalogTable
from northmoor.core.sources.drivers.read_only import check_query
from northmoor.core.sources.fetch.query_resolution import dialect_of, resolve
from northmoor.core.sources.fetch.run_query import FetchRequest, fetch
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import save_report
from northmoor.core.values.parameter_values import Values
from northmoor.core.values.scalars import read_scalar

_FEW = 10
"""Rows of which no number of distinct values says that they are nearly unique."""


def new_report(
    path: Path,
    target: str,
    sql: str,
    levels: Sequence[str],
    totals: Sequence[str],
    title: str | None,
    replace: bool = False,
) -> Report:
    """Write a listing of a query's rows and return it.

    Raises ReportFileError when the file exists already (unless it is to be replaced), ConnectionFault, QueryError, and
    QueryError for a level or total that is no column of the query.
    """
    if path.exists() and not replace:
        raise ReportFileError(f"{path.name} exists already; choose another name, or give --replace.")
    if not path.parent.is_dir():
        raise ReportFileError(f"There is no folder {path.parent}; make it first.")
    library = Library.around(path)
    query = Query(name="rows", connection=library.connect(target), sql=sql.strip())
    checked = check_query(query.sql, dialect_of(query, library))
    catalog = library.catalog(library.connect(target), CancelToken(), counted=False)
    parameters = tuple(
        proposed_parameter(checked, catalog, name).but(default=None) for name in sorted(checked.parameters)
    )
    rows = _sample(query, parameters, library)
    columns = [(name, column_expression(name), readable_name(name)) for name in rows.names]
    chosen_levels = [_column(name, rows, "level") for name in levels]
    chosen_totals = [_column(name, rows, "total") for name in totals]
    for name in chosen_totals:
        if not rows.types[rows.names.index(name)].is_number:
            raise QueryError(f"Column {name} holds no numbers and cannot be totalled.", Place(query=query.name))
    totalled = dict.fromkeys(chosen_totals, "sum")
    keys = key_columns(checked.tables_in(catalog))
    query = query.but(columns=tuple(_settings(field, totalled) for field in fields_of(rows, query, keys)))
    report = listing(query, columns, chosen_levels, totalled, title or readable_name(path.stem), parameters)
    if replace:
        path.unlink(missing_ok=True)
    save_report(report, path)
    return report


def _sample(query: Query, parameters: tuple[Parameter, ...], library: Library) -> Rows:
    """The query's rows, with samples for its parameters: they show its columns."""
    samples: dict[str, Any] = {p.name: read_scalar(p.kind, KIND_OF_NAME[p.kind].sample) for p in parameters}
    samples |= {p.name: (samples[p.name],) for p in parameters if p.holds == "list"}
    values = Values(samples, kinds={p.name: p.kind for p in parameters})
    report = listing(query, [("column", "1", "")], [], {}, "sample", parameters)
    return fetch(FetchRequest(report, resolve(report, query.name, library), values, library, {}, CancelToken()))


def _settings(field: Field, totals: Mapping[str, str]) -> QueryColumn:
    total = totals.get(field.name)
    return QueryColumn(name=field.name, label=field.label, format=None if total else field.format, total=total)


def fields_of(rows: Rows, query: Query, keys: Collection[str] = ()) -> tuple[Field, ...]:
    """The fields of a query's rows: numbers are totalled as its settings say, or by what they are (see `field_roles`).

    `keys` are the names, in lower case, of columns that the catalogue has as keys.
    """
    found = []
    for name, kind in zip(rows.names, rows.types, strict=True):
        own, values = column_setting(query, name), rows.table[name]
        role = field_role(name, kind, values, name.lower() in keys)
        total = own.total if own.total is not None else role.total
        distinct = pc.count_distinct(values).as_py()
        repeats = len(values) < _FEW or 2 * distinct <= len(values)
        found.append(
            Field(
                name, column_expression(name), own.shown_name, None if total == NO_TOTAL else total, role is MOMENT,
                role.format if kind.kind == "integer" else None, repeats,
            )
        )  # fmt: skip
    plain = [field.name for field in found if field.total is None and field.repeats and not field.is_moment]
    nested = nested_fields(rows.table, plain) if len(rows.table) >= _FEW else {}
    return tuple(replace(field, nested=nested.get(field.name, ())) for field in found)


def keys_read(report: Report, query: Query, library: Library, stop: CancelToken) -> frozenset[str]:
    """The names of the keys of the tables that a query reads; none where no database can be asked. Raises Cancelled."""
    if query.connection is None or query.use_sample:
        return frozenset()
    try:
        catalog = library.catalog(query.connection, stop, counted=False)
        checked = resolve(report, query.name, library).checked
    except Cancelled:
        raise
    except NorthmoorError:
        return frozenset()  # names and values tell enough to begin with
    return key_columns(checked.tables_in(catalog))


def table_query(connection: str, table: CatalogTable, library: Library) -> Query:
    """A query that takes a table. Raises QueryError and ConnectionFault."""
    sql = select_sql(select_all(table, library.driver(connection).dialect))
    return Query(name=_identifier(table.name), connection=connection, sql=sql)


def _identifier(name: str) -> str:
    plain = re.sub(r"\W+", "_", name_parts(name)[-1]).strip("_").lower() or "rows"
    return plain if plain[0].isalpha() or plain[0] == "_" else f"rows_{plain}"


def first_rows(query: Query, most: int) -> Query:
    """The query with at most so many of its rows, to look at."""
    return query.but(sql=f"{query.sql.rstrip().rstrip(';')}\nlimit {most}")


def with_field_settings(query: Query, fields: Sequence[Field]) -> Query:
    """The query with settings for its fields: what readers call them, and how they are totalled."""
    own = {column.name for column in query.columns}
    more = (
        QueryColumn(name=f.name, label=f.label, total=f.total, format=f.format) for f in fields if f.name not in own
    )
    return query.but(columns=(*query.columns, *more))


def _column(name: str, rows: Rows, what: str) -> str:
    if name in rows.names:
        return name
    folded = {known.lower(): known for known in rows.names}
    if name.lower() in folded:
        return folded[name.lower()]
    raise QueryError(f"There is no column {name!r} for --{what}. {did_you_mean(name, rows.names)}", Place(query="rows"))
