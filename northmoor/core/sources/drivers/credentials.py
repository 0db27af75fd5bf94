"""Passwords of connections, mail servers and PDF files: from the environment, the keyring, or asked for in a session.

A password belongs to an address: a kind of server, its host and port, a database and a user. So a library from a
stranger, whatever it calls its connections, can have none sent elsewhere than where it was given for.
"""

import json
import os
import stat
import threading
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any
from urllib.parse import quote

from msgspec import Struct

from northmoor.core.errors import ConnectionFault
from northmoor.core.model.data.connections import ServerConnection

SERVICE = "Northmoor"
VARIABLE = "NORTHMOOR_PASSWORDS"
"""The environment variable that has passwords by their addresses, as JSON, or the path of a JSON file."""
PDF_ADDRESS = "pdf://"
"""What the addresses of passwords of PDF files begin with; their names follow."""
_IN_CLEAR = " (may go unencrypted)"


class Credential(Struct, frozen=True):
    """A password, and whether whoever gave it lets it go to another machine unencrypted."""

    password: str | None = None
    unencrypted: bool = False


class Secrets:
    """Finds and keeps passwords."""

    def __init__(self) -> None:
        self._asked: dict[str, Credential] = {}
        self._lock = threading.Lock()

    def credential(self, connection: ServerConnection) -> Credential:
        """What is known for a connection's address. Raises ConnectionFault for passwords that cannot be read."""
        own = address(connection)
        with self._lock:
            asked = self._asked.get(own)
        found = asked or _in_environment().get(own)
        if found is not None:
            return found
        for name, unencrypted in ((own, False), (own + _IN_CLEAR, True)):
            kept = _in_keyring(lambda ring, name=name: ring.get_password(SERVICE, name))  # type: ignore[misc]
            if kept is not None:
                return Credential(kept, unencrypted)
        return Credential()

    def password_of(self, own: str) -> str | None:
        """What is known for the address of something that is no connection, such as a mail server.

        Raises ConnectionFault for passwords that cannot be read.
        """
        with self._lock:
            asked = self._asked.get(own)
        found = asked or _in_environment().get(own)
        if found is not None:
            return found.password
        return _in_keyring(lambda ring: ring.get_password(SERVICE, own))

    def remember_password(self, own: str, password: str, keep: bool = False) -> bool:
        """Know the password of an address in this session, and keep it in the keyring if asked; whether it was kept."""
        with self._lock:
            self._asked[own] = Credential(password)
        if not keep:
            return False
        _in_keyring(lambda ring: ring.set_password(SERVICE, own, password))
        return _in_keyring(lambda ring: ring.get_password(SERVICE, own)) == password

    def remember(
        self, connection: ServerConnection, password: str, keep: bool = False, unencrypted: bool = False
    ) -> bool:
        """Know a password for this session, and keep it in the keyring if asked; whether it was kept there."""
        with self._lock:
            self._asked[address(connection)] = Credential(password, unencrypted)
        if not keep:
            return False
        name, other = address(connection), address(connection) + _IN_CLEAR
        if unencrypted:
            name, other = other, name
        _drop(other)
        _in_keyring(lambda ring: ring.set_password(SERVICE, name, password))
        return _in_keyring(lambda ring: ring.get_password(SERVICE, name)) == password

    def forget(self, connection: ServerConnection) -> None:
        """Forget a password, in the keyring too."""
        with self._lock:
            self._asked.pop(address(connection), None)
        _drop(address(connection))
        _drop(address(connection) + _IN_CLEAR)


def _drop(name: str) -> None:
    """Take a password out of the keyring, if it is there."""
    if _in_keyring(lambda ring: ring.get_password(SERVICE, name)) is not None:
        _in_keyring(lambda ring: ring.delete_password(SERVICE, name))


def _in_keyring(do: Callable[[Any], str | None]) -> str | None:
    """What the system's keyring answers; None where there is none, or nothing in it."""
    import keyring  # slow to load, and only servers need passwords
    from keyring.errors import KeyringError

    with suppress(KeyringError):
        return do(keyring)
    return None


def _in_environment() -> dict[str, Credential]:
    """The passwords of the environment by their addresses. Raises ConnectionFault."""
    given = os.environ.get(VARIABLE, "").strip()
    if not given:
        return {}
    text = given if given.startswith("{") else _private_text(Path(given).expanduser())
    try:
        found = {own: _credential_of(entry) for own, entry in json.loads(text).items()}
    except (ValueError, AttributeError, KeyError, TypeError, RecursionError) as error:
        example = '{"postgresql://reader@localhost:5432/tarrow": "password"}'
        raise ConnectionFault(f"{VARIABLE} holds no passwords by address; write for example {example}.") from error
    return found


def _private_text(path: Path) -> str:
    """The text of a file that nobody else can read. Raises ConnectionFault."""
    try:
        mode = path.stat().st_mode
        if not stat.S_ISREG(mode):
            raise ConnectionFault(f"{VARIABLE} names {path}, which is no file.")
        if mode & 0o077:
            raise ConnectionFault(f"Others can read the passwords in {path}; run chmod 600 {path}, then try again.")
        return path.read_text(encoding="utf-8")
    except (OSError, UnicodeError) as error:
        raise ConnectionFault(f"The file {path} that {VARIABLE} names cannot be read ({error}).") from error


def _credential_of(entry: Any) -> Credential:
    if isinstance(entry, str):
        return Credential(entry)
    if set(entry) - {"password", "unencrypted"} or not isinstance(entry["password"], str):
        raise ValueError(entry)
    return Credential(entry["password"], entry.get("unencrypted", False) is True)


def address(connection: ServerConnection) -> str:
    """What a password belongs to: a user of a database at a server. No two addresses are written alike."""
    user, host, database = (quote(part, safe="") for part in (connection.user, connection.host, connection.database))
    return f"{connection.kind}://{user}@{host}:{connection.port}/{database}"
