"""From a file, a folder or an address to the connection that it represents."""

from pathlib import Path
from typing import Any
from urllib.parse import SplitResult, unquote, urlsplit

from pydantic import ValidationError

from northmoor.core.errors import ConnectionFault
from northmoor.core.model.base import refusal
from northmoor.core.model.data.connections import (
    CONNECTION_KINDS,
    FILE_SUFFIXES,
    Connection,
    ConnectionKind,
)

_KIND_OF_SCHEME = {scheme: kind for kind in CONNECTION_KINDS for scheme in kind.schemes}
_HEAD = 16
UNNAMED = "new"
"""The name of a connection that is not in a library yet."""


def connection_to(target: str) -> Connection:
    """The connection, by the name `UNNAMED`, to a file, folder or address. Raises ConnectionFault."""
    if "://" in target:
        address = urlsplit(target)
        kind = _KIND_OF_SCHEME.get(address.scheme)
        if kind is None:
            *first, last = (kind.schemes[0] for kind in CONNECTION_KINDS if kind.schemes)
            known = f"{', '.join(first)} or {last}"
            raise ConnectionFault(f"{address.scheme} is no kind of connection; the address begins with {known}.")
        if kind.is_server:
            return _made(kind, _server(address))
        target = unquote(address.path[1:])
    path = Path(target).expanduser().resolve()
    if not path.exists():
        raise ConnectionFault(f"There is no file {target}; name a database, a file of rows, or a folder of such files.")
    kind = kind_of_path(path)
    field = next(name for name in ("database", "path") if name in kind.model.model_fields)
    return _made(kind, {field: str(path)})


def kind_of_path(path: Path) -> ConnectionKind:
    """The kind of connection to a file or folder, from its first bytes and its ending. Raises ConnectionFault."""
    head = b""
    if path.is_file():
        try:
            with path.open("rb") as file:
                head = file.read(_HEAD)
        except OSError as error:
            raise ConnectionFault(f"{path} cannot be read: {error.strerror}.") from error
    files_first = sorted(CONNECTION_KINDS, key=lambda kind: not kind.runs_here)
    for kind in files_first:
        if kind.sniff is not None and kind.sniff(path, head):
            return kind
    known = ", ".join(sorted(ending[1:].upper() for ending in FILE_SUFFIXES))
    raise ConnectionFault(f"{path} is no SQLite or DuckDB database, and no file of rows ({known}).")


def _made(kind: ConnectionKind, entries: dict[str, Any]) -> Connection:
    try:
        made: Any = kind.model.model_validate({"kind": kind.name, "name": UNNAMED, **entries})
        connection: Connection = made
        return connection
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        raise ConnectionFault(f"The address has a fault at {first['loc'][0]}. {refusal(error)}") from error


def _server(address: SplitResult) -> dict[str, Any]:
    if address.password:
        raise ConnectionFault("Leave the password out of the address; it is asked for, or taken from the keyring.")
    try:
        port = {"port": address.port} if address.port else {}
    except ValueError as error:
        raise ConnectionFault("The port in the address is no number from 1 to 65535.") from error
    return {
        "host": address.hostname or "localhost",
        "database": unquote(address.path[1:]),
        "user": unquote(address.username or ""),
    } | port
