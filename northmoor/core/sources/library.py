"""The library: a folder whose ``connections.json`` gives data names; reports know only the names.

A report from a stranger can thus reach nothing that the owner of the library has not connected.
"""

import os
import re
import threading
from collections.abc import Callable, Iterator
from importlib import import_module
from itertools import islice
from pathlib import Path
from typing import Any, TypeVar

from northmoor.core.base.atomic_write import locked_folder, write_atomically
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import ConnectionFault, NorthmoorError, Place, ReportFileError, did_you_mean
from northmoor.core.model.data.connections import (
    CONNECTIONS_VERSION,
    KIND_OF_CONNECTION,
    Connection,
    Connections,
    PathConnection,
)
from northmoor.core.model.data.queries import SharedQuery
from northmoor.core.model.serialization import part_text
from northmoor.core.sources.drivers.catalog import Catalog
from northmoor.core.sources.drivers.credentials import Secrets
from northmoor.core.sources.drivers.protocol import Driver
from northmoor.core.sources.targets import connection_to
from northmoor.core.store.report_files import load_part, load_report

CONNECTIONS_FILE = "connections.json"
QUERIES_FOLDER = "queries"
REPORTS_FOLDER = "reports"
PICTURES_FOLDER = "pictures"
_MOST_REPORTS = 5_000
_LONGEST_NAME = 255
"""Bytes that file systems allow for the name of a file or folder."""

_D = TypeVar("_D")


_Known = tuple[Connection, ...]


def _connections_in(root: Path) -> Connections:
    kind = "a connections file"
    return load_part(root / CONNECTIONS_FILE, Connections, "northmoor_connections", CONNECTIONS_VERSION, kind)


class Library:
    """A folder with connections, shared queries, reports, data and pictures."""

    def __init__(self, root: Path, connections: Connections | None = None, secrets: Secrets | None = None) -> None:
        self.root = root
        self.connections = connections or Connections()
        self.secrets = secrets or Secrets()
        self._catalogs: dict[tuple[Connection, float, bool], Catalog] = {}
        self._drivers: dict[Connection, Any] = {}
        self._lock = threading.Lock()

    @classmethod
    def around(cls, path: Path, secrets: Secrets | None = None) -> "Library":
        """The library that a file lies in: the nearest folder above it with a connections file, else its own folder.

        Raises ReportFileError when the connections file cannot be read.
        """
        folder = path.resolve() if path.is_dir() else path.resolve().parent
        for root in (folder, *folder.parents):
            if (root / CONNECTIONS_FILE).is_file():
                return cls(root, _connections_in(root), secrets)
        return cls(folder, None, secrets)

    # connections

    def connection(self, name: str) -> Connection:
        """The connection of that name. Raises ConnectionFault when there is none."""
        for connection in self.connections.connections:
            if connection.name == name:
                return connection
        known = did_you_mean(name, [c.name for c in self.connections.connections])
        raise ConnectionFault(
            f"The library has no connection of that name. {known or f'Add it to {CONNECTIONS_FILE}.'}",
            Place(connection=name),
        )

    def driver(self, name: str) -> Driver:
        """The way to ask a connection. Raises ConnectionFault when there is none of that name."""
        return self.driver_for(self.connection(name))

    def driver_for(self, connection: Connection) -> Driver:
        """The way to ask a connection that need not be in the library yet."""
        driver: Driver = import_module(KIND_OF_CONNECTION[connection.kind].driver_module).open_driver(self, connection)
        return driver

    def kept_driver(self, connection: Connection, make: Callable[[], _D]) -> _D:
        """The driver of a connection that is the same each time, since it knows what it has read."""
        with self._lock:
            if connection not in self._drivers:
                self._drivers[connection] = make()
            kept: _D = self._drivers[connection]
            return kept

    def path(self, connection: PathConnection) -> Path:
        """The full path of a connection's file or folder. Raises ConnectionFault for what can be none."""
        path = _path_in(self.root, connection.location)
        if path is None:
            raise ConnectionFault(f"{connection.location[:80]!r} is no path of a file; choose one for the connection.")
        return path

    def catalog(self, name: str, stop: CancelToken, refresh: bool = False, counted: bool = True) -> Catalog:
        """What a connection holds, as last read, or again; unless `counted`, perhaps without numbers of rows.

        Raises ConnectionFault or Cancelled.
        """
        connection = self.connection(name)
        keys = [(connection, self._stamp(connection), is_counted) for is_counted in (True, counted)]
        with self._lock:
            known = None if refresh else next((self._catalogs[key] for key in keys if key in self._catalogs), None)
        if known is None:
            known = self.driver_for(connection).catalog(stop, counted)
            with self._lock:
                self._catalogs[keys[-1]] = known
        return known

    def _stamp(self, connection: Connection) -> float:
        """Changes when a file does; a server's catalog is read again only when asked for."""
        if not isinstance(connection, PathConnection):
            return 0.0
        path = self.path(connection)
        return path.stat().st_mtime if path.exists() else 0.0

    def connect(self, target: str) -> str:
        """The name of the connection to a file, folder or address; added to the library if it is new.

        An address is ``sqlite:///PATH``, ``duckdb:///PATH``, ``postgresql://USER@HOST:PORT/DATABASE`` or
        ``mariadb://…``. Raises ConnectionFault when the target is none of these, ReportFileError when the library
        cannot be written.
        """
        found = connection_to(target)
        for connection in self.connections.connections:
            if self._same(connection, found):
                return connection.name
        named = found.location if isinstance(found, PathConnection) else found.database
        return self.add(found.but(name=self.free_name(named)))

    def _same(self, one: Connection, other: Connection) -> bool:
        if one.kind != other.kind:
            return False
        if isinstance(one, PathConnection) and isinstance(other, PathConnection):
            return self.path(one) == self.path(other)
        return bool(one.but(name="new", logs=()) == other.but(name="new", logs=()))

    def free_name(self, target: str) -> str:
        """A name for a new connection to a file or database."""
        stem = re.sub(r"[^A-Za-z0-9]+", "_", Path(target).stem).strip("_").lower()
        name = base = (stem if stem[:1].isalpha() else f"db_{stem}")[:50]
        taken = {c.name for c in self.connections.connections}
        count = 2
        while name in taken:
            name, count = f"{base}_{count}", count + 1
        return name

    def add(self, connection: Connection, instead_of: str | None = None) -> str:
        """Add a connection, or put it in the place of one; its name. Paths inside the library are kept relative.

        Raises ReportFileError when the name is taken or the library cannot be written; nothing is changed then.
        """
        kept = self._inside(connection)

        def change(known: _Known) -> _Known:
            if any(c.name == kept.name != instead_of for c in known):
                raise ReportFileError(f"The library has a connection {kept.name} already; choose another name.")
            if any(c.name == instead_of for c in known):
                return tuple(kept if c.name == instead_of else c for c in known)
            return (*known, kept)

        self._change(change)
        return kept.name

    def remove(self, name: str) -> None:
        """Take a connection out; the data stay. Raises ReportFileError."""
        self._change(lambda known: tuple(c for c in known if c.name != name))

    def _inside(self, connection: Connection) -> Connection:
        if not isinstance(connection, PathConnection):
            return connection
        path, root = self.path(connection), self.root.resolve()
        stored = str(path.relative_to(root) if path.is_relative_to(root) else path)
        return connection.at(stored)

    def _change(self, change: Callable[[_Known], _Known]) -> None:
        """Change the connections as the file has them now, which another program may have changed meanwhile."""
        with locked_folder(self.root):
            known = _connections_in(self.root) if (self.root / CONNECTIONS_FILE).is_file() else self.connections
            self.connections = Connections(connections=change(known.connections))
            self.save()

    def save(self) -> None:
        """Write the connections file as it is here. Raises ReportFileError."""
        text = part_text(self.connections, "northmoor_connections", CONNECTIONS_VERSION)
        write_atomically(self.root / CONNECTIONS_FILE, lambda part: part.write_text(text, encoding="utf-8"))

    # files

    def resolve_path(self, file: str) -> Path:
        """The path of a file that a report names.

        Raises ReportFileError when it leads out of the library, or can be no path.
        """
        path = _path_in(self.root, file)
        if path is None:
            raise ReportFileError(f"{file[:80]!r} is no path of a file; write one from the library's folder on.")
        if Path(file).is_absolute() or not path.is_relative_to(self.root.resolve()):
            raise ReportFileError(f"The file {file!r} lies outside the library; copy it into the library's folder.")
        return path

    def copy_in(self, file: Path, folder: str) -> str:
        """The path of a file from the library's folder; one from elsewhere is copied into a folder of it, without
        replacing another. Raises OSError and ReportFileError."""
        root = self.root.resolve()
        if file.resolve().is_relative_to(root):
            return file.resolve().relative_to(root).as_posix()
        data = file.read_bytes()
        target, count = root / folder / file.name, 2
        target.parent.mkdir(exist_ok=True)
        while target.exists() and target.read_bytes() != data:
            target, count = target.with_name(f"{file.stem}-{count}{file.suffix}"), count + 1
        write_atomically(target, lambda part: part.write_bytes(data))
        return target.relative_to(root).as_posix()

    def report_path(self, file: str) -> Path:
        """The path of a report that another names: by its place in the library, or as one of those in reports/.

        Raises ReportFileError when there is none.
        """
        found = next(
            (path for name in (file, f"{REPORTS_FOLDER}/{file}") if (path := self.resolve_path(name)).is_file()), None
        )
        if found is None or found.suffix != ".moor":
            raise ReportFileError(f"The library has no report {file!r}.")
        return found

    # shared queries

    def shared_query(self, name: str) -> SharedQuery:
        """A query of the library. Raises ReportFileError when it is missing or cannot be read."""
        path = self.shared_path(name)
        if not path.is_file():
            known = did_you_mean(name, self.shared_queries())
            raise ReportFileError(f"The library has no shared query {name}. {known}".strip())
        return load_part(path, SharedQuery, "northmoor_query", 1, "a shared query")

    def shared_queries(self) -> list[str]:
        """Names of the library's queries."""
        folder = self.root / QUERIES_FOLDER
        return sorted(path.stem for path in folder.glob("*.json")) if folder.is_dir() else []

    def save_shared_query(self, name: str, query: SharedQuery) -> None:
        """Write a query of the library. Raises ReportFileError."""
        path = self.shared_path(name)
        text = part_text(query, "northmoor_query", 1)
        path.parent.mkdir(exist_ok=True)
        write_atomically(path, lambda part: part.write_text(text, encoding="utf-8"))

    def shared_path(self, name: str) -> Path:
        """The file of a shared query."""
        return self.resolve_path(f"{QUERIES_FOLDER}/{name}.json")

    def reports_with(self, shared: str, stop: CancelToken) -> list[Path]:
        """The library's reports that use a shared query; files that cannot be read are passed over. Raises
        Cancelled."""
        return [path for path, report in self._reports(stop) if any(q.shared == shared for q in report.queries)]

    def _reports(self, stop: CancelToken) -> Iterator[tuple[Path, Any]]:
        for path in islice(sorted(self.root.rglob("*.moor")), _MOST_REPORTS):
            stop.raise_if_cancelled()
            try:
                yield path, load_report(path)
            except NorthmoorError:
                continue  # it is reported when that report is opened


def _path_in(root: Path, text: str) -> Path | None:
    """The full path that a text names from a folder on; None where no system has such a path."""
    if "\0" in text or any(len(os.fsencode(part)) > _LONGEST_NAME for part in text.split("/")):
        return None
    try:
        return (root / Path(text).expanduser()).resolve()
    except (RuntimeError, OSError):  # a home folder of nobody, links in a circle, or a path that is too long
        return None
