"""What a connection holds: tables, views, their columns and keys, and routines that return rows."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

import sqlalchemy as sa


@dataclass(frozen=True)
class CatalogColumn:
    """A column as the database declares it; `references` is ``table.column`` for a foreign key."""

    name: str
    type: str
    is_key: bool = False
    references: str | None = None


@dataclass(frozen=True)
class CatalogTable:
    """A table or view with its columns and number of rows.

    `rows` is an estimate where `is_estimate`; None for views, which would have to be run, and where nothing is known.
    `keys` are foreign keys whole; `fault` says why a table cannot be read.
    """

    name: str
    columns: tuple[CatalogColumn, ...]
    rows: int | None
    is_view: bool = False
    is_estimate: bool = False
    keys: tuple["ForeignKey", ...] = ()
    fault: str | None = None


@dataclass(frozen=True)
class ForeignKey:
    """Columns that refer to the columns of another table."""

    columns: tuple[str, ...]
    table: str
    referred: tuple[str, ...]


@dataclass(frozen=True)
class Routine:
    """A stored procedure or table function that returns rows, and the names of its arguments."""

    name: str
    arguments: tuple[str, ...]
    is_procedure: bool


@dataclass(frozen=True)
class Catalog:
    """All that can be browsed in a connection."""

    tables: tuple[CatalogTable, ...] = ()
    routines: tuple[Routine, ...] = ()

    def table(self, name: str) -> CatalogTable | None:
        """The table of a name, in any case; None when there is none."""
        return next((t for t in self.tables if t.name.lower() == name.lower()), None)


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
        for name in (*names, *views):
            found = columns.get((schema, name), [])
            primary = (keys.get((schema, name)) or {}).get("constrained_columns") or []
            links = tuple(_foreign_key(entry, schema) for entry in foreign.get((schema, name), []))
            is_view = name in views
            count, is_estimate = (None, False) if is_view else rows(f"{prefix}{name}")
            made = tuple(_column(c, primary, links) for c in found)
            tables.append(CatalogTable(f"{prefix}{name}", made, count, is_view, is_estimate, links))
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
    return CatalogColumn(name, declared, name in primary, target)
