"""The content of a library's connections file: which data there are and what they are called. It holds no secrets."""

from typing import Annotated, Literal

from pydantic import Field, StringConstraints, model_validator

from northmoor.core.model.base import Name, Part, Title, unique_names

CONNECTIONS_VERSION = 1
Host = Annotated[str, StringConstraints(pattern=r"^(/|[A-Za-z0-9\[])[A-Za-z0-9._:\-/\[\]]*$", max_length=255)]
"""A host name, an address, or the folder of a server's local socket."""
Port = Annotated[int, Field(ge=1, le=65_535)]
Encryption = Literal["off", "if offered", "required", "verified"]


class _Database(Part):
    name: Name
    """The name that queries use."""
    kind: str
    database: str
    """Path of the database file; relative ones start at the library's folder."""


class SqliteConnection(_Database):
    """An SQLite database."""

    kind: Literal["sqlite"] = "sqlite"


class DuckdbConnection(_Database):
    """A DuckDB database."""

    kind: Literal["duckdb"] = "duckdb"


class _Server(Part):
    name: Name
    """The name that queries use."""
    kind: str
    host: Host = "localhost"
    """The server's host, or where its local socket is."""
    port: Port
    """The server's port."""
    database: Title
    """The database's name on the server."""
    user: Title
    """The name under which the server is asked. Its password is never kept in the library."""
    encryption: Encryption = "if offered"
    """Whether the way to the server is encrypted, and its certificate verified."""


class PostgresqlConnection(_Server):
    """A database of a PostgreSQL server."""

    kind: Literal["postgresql"] = "postgresql"
    port: Port = 5432
    """The server's port."""


class MariadbConnection(_Server):
    """A database of a MariaDB or MySQL server."""

    kind: Literal["mariadb"] = "mariadb"
    port: Port = 3306
    """The server's port."""


class FilesConnection(Part):
    """A file of rows (CSV, TSV, Parquet, JSON, XLSX, ODS, XML), or a folder of such files; each file is a table."""

    name: Name
    """The name that queries use."""
    kind: Literal["files"] = "files"
    path: str
    """The file or folder; a relative path starts at the library's folder."""
    encoding: Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9_\-]{1,40}$")] = "utf-8"
    """Character encoding of text files, such as utf-8 or windows-1252."""
    separator: Annotated[str, StringConstraints(min_length=1, max_length=1)] | None = None
    """What stands between the fields of text files; without one it is seen from the first line."""
    decimal_sign: Literal[".", ","] | None = None
    """The decimal sign of numbers in text files; without one it is seen from the numbers."""


Connection = Annotated[
    SqliteConnection | DuckdbConnection | PostgresqlConnection | MariadbConnection | FilesConnection,
    Field(discriminator="kind"),
]
ServerConnection = PostgresqlConnection | MariadbConnection
CONNECTION_LABELS = {
    "sqlite": "SQLite",
    "duckdb": "DuckDB",
    "postgresql": "PostgreSQL",
    "mariadb": "MariaDB or MySQL",
    "files": "Files",
}


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
