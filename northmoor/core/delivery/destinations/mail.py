"""Mail: one to each person, so that one address that is refused holds up none of the others."""

import io
from collections.abc import Iterator
from email.message import EmailMessage
from pathlib import Path

from msgspec import Struct

from northmoor.core.delivery.archive.run_folder import FILES
from northmoor.core.delivery.destinations.destination import MailDestination, check_address
from northmoor.core.delivery.destinations.handing import Handed, Handing
from northmoor.core.delivery.destinations.mail_message import mail_message, message_id
from northmoor.core.delivery.destinations.mail_transport import MailTransport, open_transport
from northmoor.core.delivery.destinations.settings import MailServer
from northmoor.core.errors import NorthmoorError, OutputError, Unanswered
from northmoor.core.output.raster import PdfPages
from northmoor.core.sources.drivers.credentials import Secrets

_PICTURE_SCALE = 1.25
"""Pixels to a point of the first page in a mail."""


class _Letter(Struct, frozen=True):
    """A mail that is to go: its unit, to whom, and its files."""

    unit: str
    to: str
    files: tuple[Path, ...]
    name: str = ""


def deliver(handing: Handing, destination: MailDestination) -> Handed:
    """Send a run, or each record of a bundle, by mail. Raises OutputError where the server does not answer."""
    server = handing.settings.mail_server(destination.server)
    waiting = [each for each in _letters(handing, destination) if not _is_done(handing, each)]
    faults: list[str] = []
    sent: list[str] = []
    uncertain: list[str] = []
    if waiting:
        transport = open_transport(server, handing.root, Secrets())
        try:
            for letter in waiting:
                handing.stop.raise_if_cancelled()
                try:
                    (sent if _send(handing, destination, server, transport, letter) else uncertain).append(letter.to)
                except Unanswered as error:
                    uncertain.append(f"{letter.to}: {error.message}")
                except NorthmoorError as error:
                    handing.notes.note(letter.unit, "failed", error.message)
                    faults.append(f"{letter.name or letter.to}: {error.message}")
        finally:
            transport.close()
    return Handed(tuple(sent), faults=tuple(faults), uncertain=tuple(uncertain))


def _letters(handing: Handing, destination: MailDestination) -> Iterator[_Letter]:
    if not destination.to_records:
        files = tuple(handing.files) if destination.attach else ()
        yield from (_Letter(to, to, files) for to in destination.to)
        return
    if not handing.records:
        raise OutputError("Mail to the address of each record needs a bundle; say of which records there is one.")
    for record in handing.records:
        if record.state == "made":
            files = tuple(handing.folder / FILES / name for name in record.files)
            if not all(path.is_file() for path in files):
                raise OutputError("The bundle is packed into one ZIP; mail to each record needs a file for each.")
            yield _Letter(f"record {record.number + 1}", record.address.strip(), files, record.name)


def _is_done(handing: Handing, letter: _Letter) -> bool:
    known = handing.notes.of(letter.unit)
    return known is not None and known.state in ("done", "unknown")


def _send(
    handing: Handing, destination: MailDestination, server: MailServer, transport: MailTransport, letter: _Letter
) -> bool:
    """Send a mail, unless it may have gone already; whether it has gone for certain."""
    known = handing.notes.of(letter.unit)
    message = _message(handing, destination, server, letter)
    if known is not None and known.state == "begun":
        has = transport.has(message)
        if has is None:
            handing.notes.note(letter.unit, "unknown")
            return False
        if has:
            handing.notes.note(letter.unit, "done", letter.to)
            return True
    try:
        transport.send(message, server.sender, letter.to, lambda: handing.notes.note(letter.unit, "begun"))
    except Unanswered:
        if (now := handing.notes.of(letter.unit)) is None or now.state != "begun":
            raise OutputError("The mail server broke off before it had the mail.") from None
        handing.notes.note(letter.unit, "unknown")
        raise
    handing.notes.note(letter.unit, "done", letter.to)
    return True


def _message(handing: Handing, destination: MailDestination, server: MailServer, letter: _Letter) -> EmailMessage:
    try:
        to = check_address(letter.to)
    except ValueError as error:
        raise OutputError(f"{str(error)[0].upper()}{str(error)[1:]}.") from error
    subject, text = handing.text(destination.subject), handing.text(destination.text)
    picture = _first_page(letter) if destination.first_page else None
    identity = message_id(f"{handing.record.id} {letter.unit} {to}", server.sender)
    return mail_message(server.sender, to, subject, text, handing.record.ended, identity, letter.files, picture)


def _first_page(letter: _Letter) -> bytes | None:
    """The first page of the first PDF as a picture."""
    pdf = next((path for path in letter.files if path.suffix == ".pdf"), None)
    if pdf is None:
        return None
    target = io.BytesIO()
    PdfPages(pdf.read_bytes()).picture(0, _PICTURE_SCALE).save(target, "PNG", optimize=True)
    return target.getvalue()
