"""The library's connections: a folder's ``connections.json`` gives databases names; reports know only the names.

A report from a stranger can thus reach nothing that the owner of the library has not connected.
"""

from pathlib import Path
from typing import Literal
from urllib.parse import unquote, urlsplit

from pydantic import model_validator

from northmoor.core.errors import ConnectionFault, Place, ReportFileError, did_you_mean
from northmoor.core.model.files import load_part, part_text, write_atomically
from northmoor.core.model.part import Name, Part, unique_names

FILE = "connections.json"
FORMAT = 1


class Connection(Part):
    """A database and the name it goes by."""

    name: Name
    """The name that queries use."""
    kind: Literal["sqlite"] = "sqlite"
    """Kind of database."""
    database: str
    """Path of the database file; relative ones start at the library's folder."""


class Connections(Part):
    """The content of a connections file."""

    northmoor_connections: int = FORMAT
    """Version of the file's form."""
    connections: tuple[Connection, ...] = ()
    """The databases."""

    @model_validator(mode="after")
    def _names_are_unique(self) -> "Connections":
        unique_names([c.name for c in self.connections], "connection")
        return self


class Library:
    """A folder with connections, reports, data and pictures."""

    def __init__(self, root: Path, connections: Connections | None = None) -> None:
        self.root = root
        self.connections = connections or Connections()

    @classmethod
    def around(cls, path: Path) -> "Library":
        """The library that a file lies in: the nearest folder above it with a connections file, else its own folder.

        Raises ReportFileError when the connections file cannot be read.
        """
        folder = path.resolve() if path.is_dir() else path.resolve().parent
        for root in (folder, *folder.parents):
            if (root / FILE).is_file():
                return cls(
                    root,
                    load_part(root / FILE, Connections, "northmoor_connections", FORMAT, "a connections file"),
                )
        return cls(folder)

    def connection(self, name: str) -> Connection:
        """The connection of that name. Raises ConnectionFault when there is none."""
        for connection in self.connections.connections:
            if connection.name == name:
                return connection
        known = did_you_mean(name, [c.name for c in self.connections.connections])
        raise ConnectionFault(
            f"The library has no connection of that name. {known or f'Add it to {FILE}.'}", Place(name)
        )

    def database(self, connection: Connection) -> Path:
        """The full path of a connection's database file."""
        return (self.root / connection.database).resolve()

    def connect(self, target: str) -> str:
        """The name of the connection to a file or ``sqlite:///`` address; added to the library if it is new.

        Raises ConnectionFault when the target is no SQLite database, ReportFileError when the library cannot be
        written.
        """
        database = _database_path(target)
        for connection in self.connections.connections:
            if self.database(connection) == database:
                return connection.name
        stem = "".join(c if c.isascii() and c.isalnum() else "_" for c in database.stem).strip("_").lower()
        name = base = stem if stem[:1].isalpha() else f"db_{stem}"
        taken = {c.name for c in self.connections.connections}
        count = 2
        while name in taken:
            name, count = f"{base}_{count}", count + 1
        inside = database.is_relative_to(self.root)
        stored = database.relative_to(self.root) if inside else database
        added = Connection(name=name[:63], database=str(stored))
        self.connections = Connections(connections=(*self.connections.connections, added))
        self.save()
        return added.name

    def save(self) -> None:
        """Write the connections file. Raises ReportFileError."""
        text = part_text(self.connections, "northmoor_connections", FORMAT)
        write_atomically(self.root / FILE, lambda part: part.write_text(text, encoding="utf-8"))

    def picture(self, file: str) -> Path:
        """The path of a picture named in a report. Raises ReportFileError when it leads out of the library."""
        path = (self.root / file).resolve()
        if Path(file).is_absolute() or not path.is_relative_to(self.root.resolve()):
            raise ReportFileError(f"The picture {file!r} lies outside the library; copy it into the library's folder.")
        return path


def _database_path(target: str) -> Path:
    if "://" in target:
        address = urlsplit(target)
        if address.scheme != "sqlite":
            raise ConnectionFault(
                f"{address.scheme} databases cannot be connected; name an SQLite file or sqlite:///PATH."
            )
        target = unquote(address.path[1:])
    path = Path(target).expanduser().resolve()
    if not path.is_file():
        raise ConnectionFault(f"There is no file {target}; name an SQLite database.")
    with path.open("rb") as file:
        head = file.read(16)
    if head and head != b"SQLite format 3\x00":
        raise ConnectionFault(f"{target} is not an SQLite database.")
    return path
