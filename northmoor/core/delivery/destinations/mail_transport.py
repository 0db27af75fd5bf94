"""How mail leaves: by SMTP, or into a folder in place of a server.

A mail counts as begun from the moment its text is on the way. What fails before can be tried again; where there is no
answer after, nobody can know whether the server took it, and it is not sent again.
"""

import smtplib
import ssl
from collections.abc import Callable
from contextlib import suppress
from email.message import EmailMessage
from pathlib import Path
from typing import Protocol

from northmoor.core.base.atomic_write import write_atomically
from northmoor.core.delivery.destinations.folder import made_folder
from northmoor.core.delivery.destinations.settings import MailServer
from northmoor.core.errors import OutputError, Unanswered
from northmoor.core.sources.drivers.credentials import Secrets

_PATIENCE = 30
"""Seconds that a server may take for an answer."""


class MailTransport(Protocol):
    """Something that takes mail."""

    def send(self, message: EmailMessage, sender: str, to: str, begun: Callable[[], None]) -> None:
        """Send a mail; `begun` is called before anything of it may have arrived.

        Raises OutputError where it is not taken, and Unanswered where nobody can know.
        """

    def has(self, message: EmailMessage) -> bool | None:
        """Whether a mail has arrived already; None where that cannot be seen."""

    def close(self) -> None:
        """Be done with it."""


class FolderTransport:
    """A folder that gets each mail as a file."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        made_folder(folder)

    def _path(self, message: EmailMessage) -> Path:
        return self._folder / f"{str(message['Message-ID']).strip('<>').partition('@')[0]}.eml"

    def send(self, message: EmailMessage, sender: str, to: str, begun: Callable[[], None]) -> None:  # noqa: ARG002
        """Write a mail whole."""
        begun()
        write_atomically(self._path(message), lambda part: part.write_bytes(message.as_bytes()))

    def has(self, message: EmailMessage) -> bool | None:
        """Whether it is there."""
        return self._path(message).is_file()

    def close(self) -> None:
        """Nothing is open."""


class SmtpTransport:
    """A server that takes mail (RFC 5321), spoken to over one connection for many mails."""

    def __init__(self, server: MailServer, root: Path, secrets: Secrets) -> None:
        """Connect and log in. Raises OutputError."""
        self._server, self._root, self._secrets = server, root, secrets
        self._fault: OutputError | None = None
        self._client: smtplib.SMTP | None = self._opened()

    def _opened(self) -> smtplib.SMTP:
        """A connection, logged in. Raises OutputError, and the same again after that: each try takes time."""
        if self._fault is not None:
            raise self._fault
        server, client = self._server, None
        password = self._password() if server.user else ""
        try:
            client = self._connected()
            if server.user:
                client.login(server.user, password)
        except (OSError, smtplib.SMTPException) as error:
            if client is not None:
                client.close()
            why = f"The mail server {server.host} does not answer ({_words(error)}); try later."
            if isinstance(error, smtplib.SMTPAuthenticationError):
                why = f"{server.host} refuses the password of {server.user}; give it the right one."
            self._fault = OutputError(why)
            raise self._fault from error
        return client

    def _password(self) -> str:
        server = self._server
        password = self._secrets.password_of(server.address)
        if password is None:
            raise OutputError(
                f"There is no password for {server.user} at {server.host}; put it into the keyring or the environment, "
                f"for {server.address}."
            )
        return password

    def _connected(self) -> smtplib.SMTP:
        server = self._server
        if server.security == "none":
            return smtplib.SMTP(server.host, server.port, timeout=_PATIENCE)
        authority = str((self._root / server.authority).resolve()) if server.authority else None
        context = ssl.create_default_context(cafile=authority)
        if server.security == "tls":
            return smtplib.SMTP_SSL(server.host, server.port, timeout=_PATIENCE, context=context)
        client = smtplib.SMTP(server.host, server.port, timeout=_PATIENCE)
        client.starttls(context=context)
        return client

    def send(self, message: EmailMessage, sender: str, to: str, begun: Callable[[], None]) -> None:
        """Hand a mail in."""
        client = self._client = self._client or self._opened()
        try:
            client.ehlo_or_helo_if_needed()
            for step, address in ((client.mail, sender), (client.rcpt, to)):
                code, answer = step(address)
                if code not in (250, 251):
                    client.rset()
                    raise OutputError(f"The mail server refuses {to} ({code} {_plain(answer)}).")
            begun()
            code, answer = client.data(message.as_bytes())
        except smtplib.SMTPDataError as error:
            why = f"{error.smtp_code} {_plain(error.smtp_error)}"
            raise OutputError(f"The mail server refuses the mail ({why}).") from error
        except (OSError, smtplib.SMTPServerDisconnected) as error:
            self._client = None
            raise Unanswered(f"The mail server broke off ({_words(error)}).") from error
        except smtplib.SMTPException as error:
            raise OutputError(f"The mail server did not take it ({_words(error)}).") from error
        if code != 250:
            raise OutputError(f"The mail server refuses the mail ({code} {_plain(answer)}).")

    def has(self, message: EmailMessage) -> bool | None:  # noqa: ARG002  # the protocol's
        """It cannot be seen."""
        return None

    def close(self) -> None:
        """Take leave."""
        if self._client is not None:
            with suppress(OSError, smtplib.SMTPException):
                self._client.quit()


def open_transport(server: MailServer, root: Path, secrets: Secrets) -> MailTransport:
    """The way to a mail server. Raises OutputError."""
    if server.folder is not None:
        return FolderTransport((root / server.folder).resolve())
    return SmtpTransport(server, root, secrets)


def _plain(answer: bytes | str) -> str:
    text = answer.decode(errors="replace") if isinstance(answer, bytes) else answer
    return " ".join(text.split())[:200]


def _words(error: Exception) -> str:
    return _plain(getattr(error, "strerror", None) or str(error) or type(error).__name__)
