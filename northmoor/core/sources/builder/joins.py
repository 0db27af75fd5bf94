"""How tables may be joined: by foreign keys between them, else by columns of the same name and type."""

from dataclasses import dataclass

from northmoor.core.sources.builder.select_ast import FromItem
from northmoor.core.sources.drivers.catalog import Catalog, CatalogTable


@dataclass(frozen=True)
class JoinProposal:
    """A way to join a table: to a table already taken, by pairs of columns (of the new table, of the other)."""

    to: str
    pairs: tuple[tuple[str, str], ...]
    is_key: bool

    def present_table(self, table: str, alias: str, join: str = "join") -> FromItem:
        """The joined table in a sentence."""
        if all(new == other for new, other in self.pairs):
            return FromItem(table, alias, join, using=tuple(new for new, _ in self.pairs))
        known_as = alias or table.rsplit(".", 1)[-1]
        on = " and ".join(f"{known_as}.{new} = {self.to}.{other}" for new, other in self.pairs)
        return FromItem(table, alias, join, on=on)


def join_proposals(catalog: Catalog, taken: tuple[FromItem, ...], table: str) -> list[JoinProposal]:
    """Ways to join a table to those already taken, the likeliest first."""
    new = catalog.table(table)
    if new is None:
        return []
    found: list[JoinProposal] = []
    for present in taken:
        other = catalog.table(present.table)
        if other is not None:
            found += _by_keys(present, other, new)
    if found:
        return found
    for present in taken:
        other = catalog.table(present.table)
        shared = _shared(other, new) if other is not None else ()
        if shared:
            found.append(JoinProposal(present.known_as, tuple((name, name) for name in shared), is_key=False))
    return found


def _by_keys(present: FromItem, other: CatalogTable, new: CatalogTable) -> list[JoinProposal]:
    to = present.known_as
    found = [
        JoinProposal(to, tuple(zip(key.columns, key.referred or key.columns, strict=False)), is_key=True)
        for key in new.keys
        if key.table.lower() == other.name.lower()
    ]
    return found + [
        JoinProposal(to, tuple(zip(key.referred or key.columns, key.columns, strict=False)), is_key=True)
        for key in other.keys
        if key.table.lower() == new.name.lower()
    ]


def _shared(other: CatalogTable, new: CatalogTable) -> tuple[str, ...]:
    """Columns both tables have with the same type; those that look like keys if there are any."""
    types = {column.name.lower(): column.type.lower() for column in other.columns}
    same = [c.name for c in new.columns if types.get(c.name.lower()) == c.type.lower()]
    keys = [
        name for name in same if name.lower().endswith(("_id", "_key", "_no", "_nr", "_code")) or name.lower() == "id"
    ]
    return tuple(keys or same[:1])
