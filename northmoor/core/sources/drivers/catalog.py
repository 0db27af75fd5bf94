"""What a connection holds: tables, views, their columns and keys, and routines that return rows."""

from dataclasses import dataclass, field

from msgspec import Struct

from northmoor.core.expr.identifiers import name_parts


class CatalogColumn(Struct, frozen=True):
    """A column as the database declares it; `references` is ``table.column`` for a foreign key; `comment` what its
    owner wrote about it there."""

    name: str
    type: str
    is_key: bool = False
    references: str | None = None
    comment: str = ""


class CatalogTable(Struct, frozen=True):
    """A table or view with its columns and number of rows. Its name is as `table_name` makes it.

    `rows` is an estimate where `is_estimate`; None for views, which would have to be run, and where nothing is known.
    `keys` are foreign keys whole; `fault` says why a table cannot be read; `comment` is what its owner wrote about it.
    """

    name: str
    columns: tuple[CatalogColumn, ...]
    rows: int | None
    is_view: bool = False
    is_estimate: bool = False
    keys: tuple["ForeignKey", ...] = ()
    fault: str | None = None
    comment: str = ""


class ForeignKey(Struct, frozen=True):
    """Columns that refer to the columns of another table."""

    columns: tuple[str, ...]
    table: str
    referred: tuple[str, ...]


class RoutineArgument(Struct, frozen=True):
    """An argument of a routine: its name, empty where it has none, and its type in the database's words, empty where
    any will do."""

    name: str
    type: str = ""


class Routine(Struct, frozen=True):
    """A stored procedure or table function that returns rows; several may have one name, with other arguments."""

    name: str
    arguments: tuple[RoutineArgument, ...]
    is_procedure: bool

    @property
    def signature(self) -> str:
        """Its name with its arguments, which no other routine has."""
        return f"{self.name}({', '.join(f'{each.name} {each.type}'.strip() for each in self.arguments)})"


@dataclass(frozen=True)
class Catalog:
    """All that can be browsed in a connection."""

    tables: tuple[CatalogTable, ...] = ()
    routines: tuple[Routine, ...] = ()
    asked_types: dict[tuple[str, str], str] = field(default_factory=dict, compare=False)
    """By table and column, types in the database's own words, where those above are too coarse and it was asked."""

    def table(self, name: str) -> CatalogTable | None:
        """The table of a name, from a catalogue or as SQL writes it, in any case; None when there is none."""
        wanted = name.lower()
        found = next((table for table in self.tables if table.name.lower() == wanted), None)
        if found is not None:
            return found
        parts = name_parts(wanted)
        return next((t for t in self.tables if parts in (name_parts(t.name.lower()), (t.name.lower(),))), None)
