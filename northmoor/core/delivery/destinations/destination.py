"""The kinds of destinations: to add one, write its module and add its record here."""

import json
from hashlib import sha256
from typing import Annotated, Literal

from pydantic import AfterValidator, Field, model_validator

from northmoor.core.base.phrases import phrase
from northmoor.core.model.base import Name, Part


def check_address(text: str) -> str:
    """A mail address that can be in a header by itself. Raises ValueError."""
    local, sign, host = text.rpartition("@")
    is_plain = text.isascii() and text.isprintable() and not set(text) & set(' ,;:<>()[]"\\')
    if not (sign and local and "." not in (host[:1], host[-1:]) and host and is_plain and len(text) <= 254):
        raise ValueError(f"{text[:80]!r} is no mail address; write for example quay@tarrow.example")
    return text


MailAddress = Annotated[str, AfterValidator(check_address)]


class FolderDestination(Part):
    """A folder, local or mounted."""

    kind: Literal["folder"] = "folder"
    path: str
    """The folder; a relative path is from the library's folder on. It is made if its parent is there."""
    if_exists: Literal["replace", "number", "leave"] = "number"
    """Whether a file of the same name is replaced whole, or the new one numbered, or left out."""
    only: tuple[str, ...] = ()
    """The endings of the files that go there; without any, all."""


class PublishedFolder(Part):
    """A folder for readers: the newest run of each report in front, earlier ones below, on a page that lists them."""

    kind: Literal["published"] = "published"
    path: str
    """The folder; a relative path is from the library's folder on."""
    keep: Annotated[int, Field(ge=1, le=10_000)] = 50
    """How many runs of each report stay there."""


class MailDestination(Part):
    """Mail, to fixed people, or to the address in each record of a bundle."""

    kind: Literal["mail"] = "mail"
    to: Annotated[tuple[MailAddress, ...], Field(max_length=200)] = ()
    """Who gets it."""
    to_records: bool = False
    """Whether each record of a bundle goes to its own address."""
    subject: str = "{report_title()}"
    """Template for the subject."""
    text: str = ""
    """Template for the text."""
    attach: bool = True
    """Whether the files are attached."""
    first_page: bool = False
    """Whether the first page is in the text as a picture."""
    server: str = ""
    """The mail server, by its name in the library's delivery.json; without one, its first."""

    @model_validator(mode="after")
    def _goes_to_somebody(self) -> "MailDestination":
        if bool(self.to) == self.to_records:
            raise ValueError("mail goes to fixed people or to the addresses of records; say one of them")
        return self


class PrinterDestination(Part):
    """A printer."""

    kind: Literal["printer"] = "printer"
    printer: str
    """A printer of CUPS, or folder:PATH."""
    pages: str | None = None
    """The pages, such as 1-3,5; without it, all."""
    copies: Annotated[int, Field(ge=1, le=999)] = 1
    """How many copies."""
    sides: Literal["one", "long-edge", "short-edge"] = "one"
    """On one side of the paper or on both."""
    tray: str | None = None
    """The tray, as the printer calls it."""
    sheet: Literal["one", "two", "four", "booklet"] = "one"
    """Pages on a sheet."""


class CommandDestination(Part):
    """A command that an administrator of this machine has listed."""

    kind: Literal["command"] = "command"
    command: Name
    """Its name in that list."""


Destination = Annotated[
    FolderDestination | PublishedFolder | MailDestination | PrinterDestination | CommandDestination,
    Field(discriminator="kind"),
]
DESTINATION_MODULES = {
    "folder": "northmoor.core.delivery.destinations.folder",
    "published": "northmoor.core.delivery.destinations.published_folder",
    "mail": "northmoor.core.delivery.destinations.mail",
    "printer": "northmoor.core.delivery.destinations.printer",
    "command": "northmoor.core.delivery.destinations.command",
}
"""The module whose `deliver` hands things to each kind."""


def destination_number(destination: Destination) -> int:
    """A number by which a destination of an order is known: of where it is, not of how things are put to it, so that an
    order may be changed while its runs are tried again."""
    entries = destination.model_dump(mode="json")
    if isinstance(destination, MailDestination):
        entries = {name: entries[name] for name in ("kind", "to", "to_records", "server")}
    return int(sha256(json.dumps(entries, sort_keys=True).encode()).hexdigest()[:12], 16)


def destination_words(destination: Destination) -> str:
    """A destination in words."""
    if isinstance(destination, FolderDestination):
        return phrase(f"folder {destination.path}")
    if isinstance(destination, PublishedFolder):
        return phrase(f"readers' folder {destination.path}")
    if isinstance(destination, MailDestination):
        if destination.to_records:
            return phrase("each record by mail")
        others = len(destination.to) - 1
        if others:
            return phrase(f"mail to {destination.to[0]} and {others} more")
        return phrase(f"mail to {destination.to[0]}")
    if isinstance(destination, PrinterDestination):
        if destination.printer.startswith("folder:"):
            return phrase(f"prints in {destination.printer.removeprefix('folder:')}")
        return phrase(f"printer {destination.printer}")
    return phrase(f"command {destination.command}")
