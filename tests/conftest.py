"""Shared fixtures: the demo library, small databases, and a real window."""

import gc
import os
import sqlite3
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

from northmoor.core.model.data.connections import Connections, SqliteConnection
from northmoor.core.sources.library import Library
from northmoor.demo.demo_library import make_library
from tests.helpers import examples
from tests.servers import PrivateMariadb, PrivatePostgresql, Server, running

settings.register_profile(
    "suite",
    max_examples=examples(60),
    deadline=None,
    derandomize=True,
    suppress_health_check=[HealthCheck.function_scoped_fixture],
)
settings.load_profile("suite")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Where one waits for the result, what takes long is left to CI, and so are more than one of many variants."""
    if os.environ.get("CI"):
        return
    begun: set[str] = set()
    for item in items:
        name = item.nodeid.partition("[")[0]
        is_further = item.get_closest_marker("variants") is not None and name in begun
        if is_further or item.get_closest_marker("slow") is not None:
            item.add_marker(pytest.mark.skip(reason="slow: it runs with CI=true"))
        begun.add(name)


def pytest_collection_finish() -> None:
    """What is there before the first test stays: looking through it again for cycles takes a tenth of the time."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 20, 50)


@pytest.fixture(scope="session")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo library's folder, made once; tests that change anything copy what they need."""
    folder = tmp_path_factory.mktemp("demo")
    make_library(folder)
    return folder


@pytest.fixture(scope="session")
def tarrow(demo: Path) -> Iterator[sqlite3.Connection]:
    """The demo database, for straight SQL."""
    connection = sqlite3.connect(demo / "data" / "tarrow.sqlite")
    yield connection
    connection.close()


@pytest.fixture
def library(tmp_path: Path) -> Callable[[str], Library]:
    """Makes a library whose connection ``db`` holds what an SQL script makes."""

    def make(script: str) -> Library:
        database = tmp_path / "db.sqlite"
        database.unlink(missing_ok=True)
        connection = sqlite3.connect(database)
        connection.executescript(script)
        connection.commit()
        connection.close()
        made = Library(tmp_path, Connections(connections=(SqliteConnection(name="db", database="db.sqlite"),)))
        made.save()
        return made

    return make


@pytest.fixture(scope="session")
def postgresql(tarrow: sqlite3.Connection) -> Iterator[PrivatePostgresql]:
    """A private PostgreSQL with the demo's tables."""
    with running(PrivatePostgresql(), tarrow) as server:
        yield server


@pytest.fixture(scope="session")
def mariadb(tarrow: sqlite3.Connection) -> Iterator[PrivateMariadb]:
    """A private MariaDB with the demo's tables."""
    with running(PrivateMariadb(), tarrow) as server:
        yield server


@pytest.fixture(params=["postgresql", "mariadb"])
def server(request: pytest.FixtureRequest) -> Server:
    """Each of the private servers in turn."""
    found: Server = request.getfixturevalue(request.param)
    return found
