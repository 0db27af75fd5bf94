"""What connections to servers have in common: how long is waited, and the message when one does not answer."""

from northmoor.core.errors import ConnectionFault, WrongPassword
from northmoor.core.model.connections import KIND_OF_CONNECTION, ServerConnection
from northmoor.core.sources.drivers.credentials import variable

WAIT = 10
"""Seconds to wait for a connection or a lock."""


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
        given = f"enter it again, or set {variable(connection)}"
        return WrongPassword(f"The server does not accept the password of {connection.user}; {given}.")
    return ConnectionFault(texts[what])
