"""SQL written by hand means what its database says; where that is another figure than on the page, a note says so."""

from collections.abc import Callable

import pytest

from northmoor.core.sources.drivers.catalog import Catalog, CatalogColumn, CatalogTable
from northmoor.core.sources.drivers.read_only import check_query
from northmoor.core.sources.library import Library
from northmoor.core.sources.typing.dialect_notes import dialect_notes
from tests.helpers import fetched

COLUMNS = (("minutes", "INTEGER"), ("trips", "BIGINT"), ("fare", "DECIMAL(10,2)"), ("name", "TEXT"))
SAILINGS = Catalog(
    (CatalogTable("sailings", tuple(CatalogColumn(name, kind, False, None) for name, kind in COLUMNS), 2),)
)


@pytest.mark.parametrize("dialect", ["sqlite", "postgres", "mysql", "duckdb"])
@pytest.mark.parametrize(
    ("written", "is_cut"),
    [
        ("minutes / 60", True),
        ("s.minutes / (trips + 1)", True),
        ("sum(minutes) / count(*)", True),
        ("minutes * 1.0 / 60", False),
        ("fare / 60", False),
        ("cast(minutes / 60 as integer)", False),
        ("minutes * 60", False),
    ],
)
def test_a_quotient_that_is_cut_is_noted_where_the_database_cuts_it(dialect: str, written: str, is_cut: bool) -> None:
    query = check_query(f"select {written} as hours from sailings s", dialect)
    notes = dialect_notes(query, lambda: SAILINGS)
    assert len(notes) == (is_cut and dialect in ("sqlite", "postgres"))
    assert all("divides whole numbers" in note and "7 / 2 is 3" in note for note in notes)


@pytest.mark.parametrize(("dialect", "count"), [("sqlite", 1), ("mysql", 1), ("postgres", 0), ("duckdb", 0)])
def test_a_like_that_does_not_regard_capitals_is_noted(dialect: str, count: int) -> None:
    sql = "select minutes from sailings where name like 'Tarrow%' and lower(name) like 'a%' and name like '%12%'"
    notes = dialect_notes(check_query(sql, dialect), Catalog)
    assert [note.partition(" does not regard capitals")[0] for note in notes] == ["name LIKE 'Tarrow%'"] * count


def test_the_note_comes_with_the_rows(library: Callable[[str], Library]) -> None:
    db = library("create table sailings (minutes integer); insert into sailings values (90)")
    rows = fetched(db, "select minutes / 60 as hours from sailings")
    assert rows.table["hours"].to_pylist() == [1]
    assert [note.partition(" divides")[0] for note in rows.notes] == ["minutes / 60"]
