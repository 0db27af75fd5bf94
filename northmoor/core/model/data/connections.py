"""The content of a library's connections file: which data there are and what they are called. It holds no secrets."""

from collections.abc import Callable, Mapping
from functools import reduce
from operator import or_
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Literal, Self

from msgspec import Struct
from pydantic import Field, StringConstraints, model_validator

from northmoor.core.model.base import Name, Part, Title, unique_names
from northmoor.core.model.data.signal_logs import SignalLog

CONNECTIONS_VERSION = 1
Host = Annotated[str, StringConstraints(pattern=r"^(/|[A-Za-z0-9\[])[A-Za-z0-9._:\-/\[\]]*$", max_length=255)]
"""A host name, an address, or the folder of a server's local socket."""
Port = Annotated[int, Field(ge=1, le=65_535)]
Encryption = Literal["off", "if offered", "required", "verified"]


class NamedConnection(Part):
    """What all connections have."""

    name: Name
    """The name that queries use."""
    kind: str
    logs: tuple[SignalLog, ...] = ()
    """Which of its tables are signal logs, and what is known of their signals."""

    @model_validator(mode="after")
    def _logs_have_names_and_tables(self) -> Self:
        unique_names([log.name for log in self.logs], "signal log")
        for log in self.logs:
            if log.table is None:
                raise ValueError(f"the signal log {log.name!r} of a connection needs a table")
        return self


class PathConnection(NamedConnection):
    """A connection to a file or folder."""

    @property
    def location(self) -> str:
        """The path of the file or folder; a relative one starts at the library's folder."""
        raise NotImplementedError

    def at(self, location: str) -> Self:
        """The connection to another place."""
        raise NotImplementedError


class DatabaseConnection(PathConnection):
    """A database that is a file."""

    database: str
    """Path of the database file; relative ones start at the library's folder."""

    @property
    def location(self) -> str:
        """The path of the database file."""
        return self.database

    def at(self, location: str) -> Self:
        """The database of another file."""
        return self.but(database=location)


Encoding = Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9_\-]{1,40}$")]
"""A character encoding by its name."""


class SqliteConnection(DatabaseConnection):
    """An SQLite database."""

    kind: Literal["sqlite"] = "sqlite"
    encoding: Encoding = "utf-8"
    """Character encoding of texts that another program has stored in it otherwise than in UTF-8."""


class DuckdbConnection(DatabaseConnection):
    """A DuckDB database."""

    kind: Literal["duckdb"] = "duckdb"


class ServerConnection(NamedConnection):
    """A database of a server."""

    host: Host = "localhost"
    """The server's host, or where its local socket is."""
    port: Port
    """The server's port."""
    database: Title
    """The database's name on the server."""
    user: Title
    """The user name on the server. Its password is never kept in the library."""
    encryption: Encryption | None = None
    """Whether the way to the server is encrypted, and its certificate verified. Without it, it is encrypted and
    verified to other machines, and encrypted if offered on this one."""


class PostgresqlConnection(ServerConnection):
    """A database of a PostgreSQL server."""

    kind: Literal["postgresql"] = "postgresql"
    port: Port = 5432
    """The server's port."""


class MariadbConnection(ServerConnection):
    """A database of a MariaDB or MySQL server."""

    kind: Literal["mariadb"] = "mariadb"
    port: Port = 3306
    """The server's port."""


class FilesConnection(PathConnection):
    """A file of rows (CSV, TSV, Parquet, JSON, XLSX, ODS, XML), or a folder of such files; each file is a table."""

    kind: Literal["files"] = "files"
    path: str
    """The file or folder; a relative path starts at the library's folder."""
    encoding: Encoding = "utf-8"
    """Character encoding of text files, such as utf-8 or windows-1252."""
    separator: Annotated[str, StringConstraints(min_length=1, max_length=1)] | None = None
    """What is between the fields of text files; without one it is recognised from the first line."""
    decimal_sign: Literal[".", ","] | None = None
    """The decimal sign of numbers in text files; without one it is recognised from the numbers."""

    @property
    def location(self) -> str:
        """The path of the file or folder."""
        return self.path

    def at(self, location: str) -> Self:
        """The files of another place."""
        return self.but(path=location)


FILE_SUFFIXES = (".csv", ".tsv", ".parquet", ".json", ".jsonl", ".xlsx", ".ods", ".xml")
"""Endings of files whose rows can be read."""


class ConnectionKind(Struct, frozen=True):
    """A kind of connection. To add one, write its driver, and its model and record here."""

    model: type[NamedConnection]
    label: str
    """What it is called in sentences and where a kind is chosen."""
    tag: str
    """What it is called in the narrow column beside connections."""
    icon: str
    dialect: str
    """The dialect of its SQL, as sqlglot names it."""
    driver_module: str
    """The module whose `open_driver` asks such connections, loaded when the first one is asked."""
    schemes: tuple[str, ...] = ()
    """Schemes of addresses that name such a connection."""
    sniff: Callable[[Path, bytes], bool] | None = None
    """Whether a file or folder is one, by its path and its first 16 bytes; None for servers."""
    runs_here: bool = False
    """Whether the engine of this program computes its queries."""
    choice_label: str | None = None
    """What it is called where a kind is chosen, if not by its label."""

    @property
    def name(self) -> str:
        """Its name in files."""
        return str(self.model.model_fields["kind"].default)

    @property
    def is_server(self) -> bool:
        """Whether a server answers, which may want a password."""
        return issubclass(self.model, ServerConnection)


CONNECTION_KINDS: tuple[ConnectionKind, ...] = (
    ConnectionKind(
        SqliteConnection, "SQLite", "SQLite", "database", "sqlite", "northmoor.core.sources.drivers.sqlite",
        schemes=("sqlite",), sniff=lambda path, head: path.is_file() and head in (b"", b"SQLite format 3\x00"),
    ),
    ConnectionKind(
        PostgresqlConnection, "PostgreSQL", "PostgreSQL", "server", "postgres",
        "northmoor.core.sources.drivers.postgresql", schemes=("postgresql", "postgres"),
    ),
    ConnectionKind(
        MariadbConnection, "MariaDB or MySQL", "MariaDB", "server", "mysql",
        "northmoor.core.sources.drivers.mariadb", schemes=("mariadb", "mysql"),
    ),
    ConnectionKind(
        DuckdbConnection, "DuckDB", "DuckDB", "database", "duckdb", "northmoor.core.sources.local.duckdb_file",
        schemes=("duckdb",), sniff=lambda _, head: head[8:12] == b"DUCK",
    ),
    ConnectionKind(
        FilesConnection, "Files", "files", "folder", "duckdb", "northmoor.core.sources.local.files_driver",
        sniff=lambda path, _: path.is_dir() or path.suffix.lower() in FILE_SUFFIXES, runs_here=True,
        choice_label="A data file (CSV, workbook, Parquet, JSON, XML), or a folder of them",
    ),
)  # fmt: skip
"""All kinds, in the order in which they are offered."""
KIND_OF_CONNECTION: Mapping[str, ConnectionKind] = {kind.name: kind for kind in CONNECTION_KINDS}

if TYPE_CHECKING:
    Connection = SqliteConnection | DuckdbConnection | PostgresqlConnection | MariadbConnection | FilesConnection
else:
    Connection = Annotated[reduce(or_, [kind.model for kind in CONNECTION_KINDS]), Field(discriminator="kind")]


class Connections(Part):
    """The content of a connections file."""

    northmoor_connections: int = CONNECTIONS_VERSION
    """Version of the file's form."""
    connections: tuple[Connection, ...] = ()
    """The connections."""

    @model_validator(mode="before")
    @classmethod
    def _kind_may_be_left_out(cls, entries: object) -> object:
        """The first files had databases of one kind only, and did not name it."""
        if isinstance(entries, dict) and isinstance(entries.get("connections"), list | tuple):
            listed = [{"kind": "sqlite"} | c if isinstance(c, dict) else c for c in entries["connections"]]
            return entries | {"connections": listed}
        return entries

    @model_validator(mode="after")
    def _names_are_unique(self) -> "Connections":
        unique_names([c.name for c in self.connections], "connection")
        return self
