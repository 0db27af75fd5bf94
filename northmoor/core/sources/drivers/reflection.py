"""Tables, columns and keys of a database, read through SQLAlchemy."""

from collections.abc import Callable, Iterable
from typing import Any

import sqlalchemy as sa

from northmoor.core.sources.drivers.catalog import CatalogColumn, CatalogTable, ForeignKey

CountRows = Callable[[str], tuple[int | None, bool]]
"""Number of rows of a table, and whether it is an estimate."""


def reflected_tables(connection: sa.Connection, schemas: Iterable[str | None], rows: CountRows) -> list[CatalogTable]:
    """The tables and views of schemas through SQLAlchemy; tables outside the first schema are named with theirs."""
    inspector = sa.inspect(connection)
    tables: list[CatalogTable] = []
    for at, schema in enumerate(schemas):
        prefix = f"{schema}." if at and schema else ""
        names = inspector.get_table_names(schema)
        views = [*inspector.get_view_names(schema), *_materialized(inspector, schema)]
        columns: Any = inspector.get_multi_columns(schema, kind=sa.engine.reflection.ObjectKind.ANY)
        keys: Any = inspector.get_multi_pk_constraint(schema)
        foreign: Any = inspector.get_multi_foreign_keys(schema)
        comments: Any = inspector.get_multi_table_comment(schema, kind=sa.engine.reflection.ObjectKind.ANY)
        for name in (*names, *views):
            found = columns.get((schema, name), [])
            primary = (keys.get((schema, name)) or {}).get("constrained_columns") or []
            links = tuple(_foreign_key(entry, schema) for entry in foreign.get((schema, name), []))
            is_view = name in views
            count, is_estimate = (None, False) if is_view else rows(f"{prefix}{name}")
            made = tuple(_column(c, primary, links) for c in found)
            comment = (comments.get((schema, name)) or {}).get("text") or ""
            tables.append(CatalogTable(f"{prefix}{name}", made, count, is_view, is_estimate, links, comment=comment))
    return tables


def _materialized(inspector: sa.Inspector, schema: str | None) -> list[str]:
    try:
        return inspector.get_materialized_view_names(schema)
    except NotImplementedError:
        return []


def _foreign_key(entry: Any, schema: str | None) -> ForeignKey:
    other = entry["referred_table"]
    if entry.get("referred_schema") and entry["referred_schema"] != schema:
        other = f"{entry['referred_schema']}.{other}"
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
