"""How a library delivers: its mail servers, how many runs at once, and which runs are kept."""

from pathlib import Path
from typing import Annotated, Literal
from urllib.parse import quote

from pydantic import Field, model_validator

from northmoor.core.delivery.archive.keep_rules import KeepRules
from northmoor.core.delivery.destinations.destination import MailAddress
from northmoor.core.errors import OutputError, did_you_mean
from northmoor.core.model.base import Name, Part, unique_names
from northmoor.core.store.report_files import load_part

SETTINGS_FILE = "delivery.json"
SETTINGS_VERSION = 1
_AT_HOME = ("localhost", "127.0.0.1", "::1")


class MailServer(Part):
    """A server that takes mail (SMTP), or a folder in place of one."""

    name: Name
    """Its name in orders."""
    sender: MailAddress
    """Who the mail is from."""
    folder: str | None = None
    """A folder that gets each mail as a file, in place of a server; from the library's folder on."""
    host: str = ""
    """The server."""
    port: Annotated[int, Field(ge=1, le=65_535)] = 465
    """Its port."""
    security: Literal["tls", "starttls", "none"] = "tls"
    """How it is spoken to: encrypted from the beginning, from the greeting on, or not, which only this machine's own
    may be."""
    user: str = ""
    """Who logs in; without one, nobody does. The password is in the keyring or the environment."""
    authority: str | None = None
    """A file with the certificate of the authority that the server's is checked by, if it is none that this machine
    knows."""

    @model_validator(mode="after")
    def _can_be_spoken_to(self) -> "MailServer":
        if self.folder is None and not self.host:
            raise ValueError(f"the mail server {self.name!r} has neither a host nor a folder")
        if self.folder is None and self.security == "none" and self.host not in _AT_HOME:
            raise ValueError(f"mail to {self.host} would go unencrypted; use tls or starttls")
        return self

    @property
    def address(self) -> str:
        """What its password belongs to."""
        return f"smtp://{quote(self.user, safe='')}@{quote(self.host, safe='')}:{self.port}"


class DeliverySettings(Part):
    """How a library delivers."""

    northmoor_delivery: Annotated[int, Field(ge=1)] = SETTINGS_VERSION
    """The version of this form."""
    mail_servers: Annotated[tuple[MailServer, ...], Field(max_length=50)] = ()
    """Where mail is handed in; the first is used where an order names none."""
    keep: KeepRules = KeepRules()
    """Which runs are kept."""
    runs_at_once: Annotated[int, Field(ge=1, le=256)] | None = None
    """How many runs are made at once; without it, one for each core."""

    @model_validator(mode="after")
    def _has_names_of_their_own(self) -> "DeliverySettings":
        unique_names([server.name for server in self.mail_servers], "mail server")
        return self

    def mail_server(self, name: str) -> MailServer:
        """The mail server of a name, or the first. Raises OutputError."""
        for server in self.mail_servers:
            if name in ("", server.name):
                return server
        known = did_you_mean(name, [server.name for server in self.mail_servers])
        wanted = f"no mail server {name!r}. {known}" if self.mail_servers else "no mail server."
        raise OutputError(f"The library has {wanted} Add it to {SETTINGS_FILE}.")


def load_settings(root: Path) -> DeliverySettings:
    """How a library delivers; the usual way where it does not say. Raises ReportFileError."""
    path = root / SETTINGS_FILE
    if not path.is_file():
        return DeliverySettings()
    return load_part(path, DeliverySettings, "northmoor_delivery", SETTINGS_VERSION, "delivery settings")
