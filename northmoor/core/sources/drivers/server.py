"""What connections to servers have in common: how long is waited, and the message when one does not answer."""

from ipaddress import ip_address

from northmoor.core.errors import ConnectionFault, WrongPassword
from northmoor.core.model.data.connections import KIND_OF_CONNECTION, Encryption, ServerConnection
from northmoor.core.sources.drivers.credentials import VARIABLE, Credential, address

WAIT = 10
"""Seconds to wait for a connection or a lock."""


def is_this_machine(host: str) -> bool:
    """Whether a host is a local socket or this machine by its usual names."""
    if host.startswith("/") or host.lower() == "localhost":
        return True
    try:
        return ip_address(host.strip("[]")).is_loopback
    except ValueError:
        return False


def encryption_of(connection: ServerConnection, credential: Credential) -> Encryption:
    """How the way to a server is encrypted. What a library says of it is not enough for a password to go to another
    machine unencrypted: whoever gave the password has to allow it. Raises ConnectionFault where that is asked for."""
    if is_this_machine(connection.host):
        return connection.encryption or "if offered"
    asked = connection.encryption or "verified"
    if asked in ("required", "verified") or credential.password is None or credential.unencrypted:
        return asked
    if asked == "if offered":
        return "required"
    raise ConnectionFault(
        f"The way to {connection.host} would not be encrypted, so the password of {connection.user} is not sent. "
        "Ask for encryption in the connection; or allow it where the password is given."
    )


def unreachable(connection: ServerConnection, what: str, message: str) -> ConnectionFault:
    """The fault of a connection that could not be made; `what` is password, database, user, host or port."""
    where = f"{connection.host}, port {connection.port}"
    if connection.host.startswith("/"):
        where = connection.host
    kind = KIND_OF_CONNECTION[connection.kind].label
    last = message.strip().splitlines()[-1].strip().rstrip(".")
    texts = {
        "database": f"The server has no database {connection.database}; check the database's name.",
        "user": f"The server does not let {connection.user} use {connection.database} ({last}); check the user's "
        "name and rights.",
        "host": f"There is no host {connection.host}; check the host's name.",
        "port": f"No {kind} server answers at {where}; check the host and port, and that the server runs.",
    }
    if what == "password":
        given = f"enter it again, or put it under {address(connection)} in {VARIABLE}"
        return WrongPassword(f"The server does not accept the password of {connection.user}; {given}.")
    if what == "encryption":
        return ConnectionFault(f"The way to {where} cannot be encrypted as the connection asks for it ({last}).")
    return ConnectionFault(texts[what])
