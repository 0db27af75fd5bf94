"""Tables, columns and keys of a database, read through SQLAlchemy."""

from collections.abc import Callable, Iterable
from typing import Any

import sqlalchemy as sa

from northmoor.core.expr.identifiers import table_name
from northmoor.core.sources.drivers.catalog import CatalogColumn, CatalogTable, ForeignKey

CountRows = Callable[[str], tuple[int | None, bool]]
"""Number of rows of a table, and whether it is an estimate."""


def reflected_tables(connection: sa.Connection, schemas: Iterable[str | None], rows: CountRows) -> list[CatalogTable]:
    """The tables and views of schemas through SQLAlchemy; tables outside the first schema are named with theirs."""
    inspector = sa.inspect(connection)
    tables: list[CatalogTable] = []
    every = list(schemas)
    for schema in every:
        named = _shown_schema(schema, every[0])
        names = inspector.get_table_names(schema)
        views = [*inspector.get_view_names(schema), *_materialized(inspector, schema)]
        columns: Any = inspector.get_multi_columns(schema, kind=sa.engine.reflection.ObjectKind.ANY)
        keys: Any = inspector.get_multi_pk_constraint(schema)
        foreign: Any = inspector.get_multi_foreign_keys(schema)
        comments: Any = inspector.get_multi_table_comment(schema, kind=sa.engine.reflection.ObjectKind.ANY)
        for name in (*names, *views):
            found = columns.get((schema, name), [])
            primary = (keys.get((schema, name)) or {}).get("constrained_columns") or []
            links = tuple(_foreign_key(entry, every[0]) for entry in foreign.get((schema, name), []))
            is_view = name in views
            shown = table_name(name, named)
            count, is_estimate = (None, False) if is_view else rows(shown)
            made = tuple(_column(c, primary, links) for c in found)
            comment = (comments.get((schema, name)) or {}).get("text") or ""
            tables.append(CatalogTable(shown, made, count, is_view, is_estimate, links, comment=comment))
    return tables


def _materialized(inspector: sa.Inspector, schema: str | None) -> list[str]:
    try:
        return inspector.get_materialized_view_names(schema)
    except NotImplementedError:
        return []


def _shown_schema(schema: str | None, first: str | None) -> str:
    """The schema in the names of its tables: none for the first."""
    return schema if schema is not None and schema != first else ""


def _foreign_key(entry: Any, first: str | None) -> ForeignKey:
    other = table_name(entry["referred_table"], _shown_schema(entry.get("referred_schema"), first))
    return ForeignKey(tuple(entry["constrained_columns"]), other, tuple(entry["referred_columns"]))


def _column(entry: Any, primary: list[str], links: tuple[ForeignKey, ...]) -> CatalogColumn:
    name = entry["name"]
    target = next(
        (
            f"{link.table}.{link.referred[link.columns.index(name)] if link.referred else ''}"
            for link in links
            if name in link.columns
        ),
        None,
    )
    kind = entry["type"]
    declared = "" if isinstance(kind, sa.types.NullType) else str(kind)
    return CatalogColumn(name, declared, name in primary, target, entry.get("comment") or "")
