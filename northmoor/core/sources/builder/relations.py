"""What a table is related to: by its own keys, by keys of others, or by columns that are named alike, as keys are."""

from typing import Literal

from msgspec import Struct

from northmoor.core.sources.builder.joins import join_proposals, looks_like_key
from northmoor.core.sources.builder.select_model import FromItem
from northmoor.core.sources.drivers.catalog import Catalog

RelationKind = Literal["refers", "referred", "same names"]


class Relation(Struct, frozen=True):
    """Another table, how it is related, and the pairs of columns: of the table itself, of the other."""

    table: str
    kind: RelationKind
    pairs: tuple[tuple[str, str], ...]


def _leads_on(column: str) -> bool:
    """Whether a column's name refers to another table: `id` is each table's own."""
    return looks_like_key(column) and column.lower() != "id"


def relations(catalog: Catalog, name: str) -> list[Relation]:
    """The relations of a table, those by keys first; without one, two tables may have columns of one name and type."""
    table = catalog.table(name)
    if table is None:
        return []
    found = [
        Relation(key.table, "refers", tuple(zip(key.columns, key.referred or key.columns, strict=False)))
        for key in table.keys
        if catalog.table(key.table) is not None
    ]
    for other in catalog.tables:
        keys = [key for key in other.keys if key.table.lower() == table.name.lower() and other is not table]
        found += [
            Relation(other.name, "referred", tuple(zip(key.referred or key.columns, key.columns, strict=False)))
            for key in keys
        ]
    known = {relation.table.lower() for relation in found} | {table.name.lower()}
    for other in catalog.tables:
        ways = join_proposals(catalog, (FromItem(table.name),), other.name) if other.name.lower() not in known else []
        pairs = tuple((own, new) for way in ways[:1] for new, own in way.pairs if _leads_on(own))
        found += [Relation(other.name, "same names", pairs)] if pairs else []
    return found
