"""The library: connections are found, added, changed and kept without secrets."""

import json
from collections.abc import Callable
from pathlib import Path

import duckdb
import pytest

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import ConnectionFault, ReportFileError
from northmoor.core.model.data.connections import (
    DuckdbConnection,
    FilesConnection,
    MariadbConnection,
    PostgresqlConnection,
    SqliteConnection,
)  # fmt: skip
from northmoor.core.sources.library import Library
from northmoor.core.sources.targets import kind_of_path
from tests.helpers import FREIGHT

MakeLibrary = Callable[[str], Library]


@pytest.mark.parametrize(
    ("target", "wanted"),
    [
        ("postgresql://reader@db.example:5433/tarrow", PostgresqlConnection(name="tarrow", host="db.example", port=5433, database="tarrow", user="reader")),
        ("postgres://reader@h/two%20words", PostgresqlConnection(name="two_words", host="h", database="two words", user="reader")),
        ("mariadb://reader@h/tarrow", MariadbConnection(name="tarrow", host="h", database="tarrow", user="reader")),
        ("mysql://reader@h:3307/tarrow", MariadbConnection(name="tarrow", host="h", port=3307, database="tarrow", user="reader")),
    ],
)  # fmt: skip
def test_addresses_become_connections(tmp_path: Path, target: str, wanted: PostgresqlConnection) -> None:
    library = Library(tmp_path)
    assert library.connect(target) == wanted.name
    assert library.connections.connections == (wanted,)
    assert library.connect(target) == wanted.name
    assert Library.around(tmp_path / "x.moor").connections == library.connections


def test_files_are_known_by_their_first_bytes_and_endings(library: MakeLibrary, tmp_path: Path) -> None:
    made = library(FREIGHT)
    duckdb.connect(str(tmp_path / "marts.db")).close()
    (tmp_path / "targets.csv").write_text("a\n1\n")
    (tmp_path / "exports").mkdir()
    names = [made.connect(str(tmp_path / name)) for name in ("marts.db", "targets.csv", "exports")]
    assert names == ["marts", "targets", "exports"]
    assert [(type(c), c.kind) for c in made.connections.connections[1:]] == [
        (DuckdbConnection, "duckdb"), (FilesConnection, "files"), (FilesConnection, "files"),
    ]  # fmt: skip
    assert [getattr(c, "path", "") for c in made.connections.connections[2:]] == ["targets.csv", "exports"]
    assert kind_of_path(tmp_path / "db.sqlite").name == "sqlite"


def test_connections_keep_their_place_when_changed_and_names_stay_unique(library: MakeLibrary, tmp_path: Path) -> None:
    made = library(FREIGHT)
    server = PostgresqlConnection(name="freight", database="freight", user="reader")
    made.add(server)
    made.add(SqliteConnection(name="tarrow", database=str(tmp_path / "db.sqlite")), instead_of="db")
    assert [c.name for c in made.connections.connections] == ["tarrow", "freight"]
    assert made.connection("tarrow").database == "db.sqlite"
    with pytest.raises(ReportFileError, match="has a connection freight already"):
        made.add(server)
    with pytest.raises(ReportFileError, match="has a connection freight already"):
        made.add(server, instead_of="tarrow")
    made.remove("tarrow")
    assert [c.name for c in Library.around(tmp_path / "x").connections.connections] == ["freight"]
    with pytest.raises(ConnectionFault, match="Did you mean freight"):
        made.connection("frieght")


def test_the_file_of_the_first_version_is_still_read_and_reports_what_is_wrong(tmp_path: Path) -> None:
    path = tmp_path / "connections.json"
    path.write_text(
        '{"northmoor_connections": 1, "connections": [{"name": "tarrow", "database": "data/tarrow.sqlite"}]}'
    )
    assert Library.around(tmp_path / "x").connection("tarrow") == SqliteConnection(
        name="tarrow", database="data/tarrow.sqlite"
    )
    faulty = [
        ({"name": "a", "kind": "oracle"}, "kind"), ({"name": "a", "kind": "postgresql", "database": "b"}, "user"),
        ({"name": "a", "kind": "mariadb", "database": "b", "user": "c", "port": 0}, "port"),
        ({"name": "a", "kind": "mariadb", "database": "b", "user": "c", "password": "x"}, "password"),
        ({"name": "a", "kind": "postgresql", "database": "b", "user": "c", "host": "-oProxyCommand=x"}, "host"),
    ]  # fmt: skip
    for entry, named in faulty:
        path.write_text(json.dumps({"northmoor_connections": 1, "connections": [entry]}))
        with pytest.raises(ReportFileError) as caught:
            Library.around(tmp_path / "x")
        assert "connections.json" in str(caught.value)
        assert named in str(caught.value) or "kind" in str(caught.value)


def test_a_catalog_is_read_again_when_the_file_changed_or_when_asked(library: MakeLibrary) -> None:
    made = library("create table t (a)")
    first = made.catalog("db", CancelToken())
    assert made.catalog("db", CancelToken()) is first
    assert made.catalog("db", CancelToken(), refresh=True) is not first
    Path(made.root / "db.sqlite").touch()
    assert made.catalog("db", CancelToken()) == first


def test_two_programs_that_each_add_a_connection_keep_both(tmp_path: Path) -> None:
    Library(tmp_path, None).save()
    mine, theirs = Library.around(tmp_path), Library.around(tmp_path)
    mine.add(SqliteConnection(name="mine", database="a.sqlite"))
    theirs.add(SqliteConnection(name="theirs", database="b.sqlite"))
    assert [c.name for c in Library.around(tmp_path).connections.connections] == ["mine", "theirs"]
    with pytest.raises(ReportFileError, match="has a connection mine already"):
        theirs.add(SqliteConnection(name="mine", database="c.sqlite"))
    mine.remove("mine")
    assert [c.name for c in Library.around(tmp_path).connections.connections] == ["theirs"]


def test_saving_through_a_link_keeps_the_link(tmp_path: Path) -> None:
    (tmp_path / "far").mkdir()
    link, file = tmp_path / "connections.json", tmp_path / "far" / "connections.json"
    Library(tmp_path / "far", None).save()
    link.symlink_to(file)
    Library.around(tmp_path).add(SqliteConnection(name="db", database="a.sqlite"))
    assert link.is_symlink()
    assert '"db"' in file.read_text()
    assert [path.name for path in (tmp_path / "far").iterdir()] == ["connections.json"]
