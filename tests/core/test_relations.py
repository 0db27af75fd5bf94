"""A table's relations are those of the keys that the database has, and of columns named alike."""

from pathlib import Path

import pytest

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.model.data.connections import Connections, SqliteConnection
from northmoor.core.sources.builder.relations import relations
from northmoor.core.sources.drivers.catalog import Catalog
from northmoor.core.sources.library import Library


@pytest.fixture(scope="module")
def tarrow_catalog(demo: Path) -> Catalog:
    """The tables of the demo's database."""
    connection = SqliteConnection(name="db", database="data/tarrow.sqlite")
    return Library(demo, Connections(connections=(connection,))).catalog("db", CancelToken(), counted=False)


def test_keys_lead_both_ways_and_names_where_there_is_none(tarrow_catalog: Catalog) -> None:
    found = {(each.table, each.kind): each.pairs for each in relations(tarrow_catalog, "sailings")}
    assert found["routes", "refers"] == (("route_id", "route_id"),)
    assert found["vessels", "refers"] == (("vessel_id", "vessel_id"),)
    assert found["bookings", "referred"] == (("sailing_id", "sailing_id"),)
    assert found["paid_bookings", "same names"] == (("sailing_id", "sailing_id"),)
    assert ("routes", "same names") not in found
    assert not [pairs for pairs in found.values() if ("status", "status") in pairs]
    assert relations(tarrow_catalog, "nowhere") == []


def test_each_relation_is_one_of_the_other_table_too(tarrow_catalog: Catalog) -> None:
    turned = {"refers": "referred", "referred": "refers", "same names": "same names"}
    for table in tarrow_catalog.tables:
        for each in (found for found in relations(tarrow_catalog, table.name) if found.table != table.name):
            back = [(other.table, other.kind, other.pairs) for other in relations(tarrow_catalog, each.table)]
            pairs = tuple((theirs, own) for own, theirs in each.pairs)
            assert (table.name, turned[each.kind], pairs) in back
