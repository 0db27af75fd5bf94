"""Passwords of connections: from an environment variable, the system's keyring, or asked for in this session.

They are kept by the address they belong to, so that a library from a stranger cannot have one sent to another server.
"""

import os
import threading
from collections.abc import Callable
from contextlib import suppress
from typing import Any

from northmoor.core.model.connections import ServerConnection

SERVICE = "Northmoor"


class Secrets:
    """Finds and keeps passwords."""

    def __init__(self) -> None:
        self._asked: dict[str, str] = {}
        self._lock = threading.Lock()

    def password(self, connection: ServerConnection) -> str | None:
        """The password of a connection; None when none is known."""
        with self._lock:
            request = self._asked.get(address(connection))
        if request is not None:
            return request
        given = os.environ.get(variable(connection))
        if given is not None:
            return given
        return _in_keyring(lambda ring: ring.get_password(SERVICE, address(connection)))

    def remember(self, connection: ServerConnection, password: str, keep: bool = False) -> bool:
        """Know a password for this session, and keep it in the keyring if asked; whether it was kept there."""
        with self._lock:
            self._asked[address(connection)] = password
        if not keep:
            return False
        _in_keyring(lambda ring: ring.set_password(SERVICE, address(connection), password))
        return _in_keyring(lambda ring: ring.get_password(SERVICE, address(connection))) == password

    def forget(self, connection: ServerConnection) -> None:
        """Forget a password, in the keyring too."""
        with self._lock:
            self._asked.pop(address(connection), None)
        _in_keyring(lambda ring: ring.delete_password(SERVICE, address(connection)))


def _in_keyring(do: Callable[[Any], str | None]) -> str | None:
    """What the system's keyring answers; None where there is none, or nothing in it."""
    import keyring  # slow to load, and only servers need passwords
    from keyring.errors import KeyringError

    with suppress(KeyringError):
        return do(keyring)
    return None


def address(connection: ServerConnection) -> str:
    """What a password belongs to: a user at a server."""
    return f"{connection.kind}://{connection.user}@{connection.host}:{connection.port}"


def variable(connection: ServerConnection) -> str:
    """The environment variable in which a password can be given."""
    return f"NORTHMOOR_PASSWORD_{connection.name.upper().replace('-', '_')}"
