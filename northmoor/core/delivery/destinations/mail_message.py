"""A run as a mail: text, the first page as a picture in it if wanted, and the files.

A mail for the same run and person has the same Message-ID, whoever makes it again.
"""

import hashlib
import html
import mimetypes
from collections.abc import Sequence
from datetime import datetime
from email.message import EmailMessage
from email.policy import SMTP
from email.utils import format_datetime
from pathlib import Path

from northmoor.core.errors import OutputError

_LARGEST = 40 * 1024 * 1024
"""Bytes of attachments that servers commonly take, and somewhat more."""


def message_id(unit: str, sender: str) -> str:
    """The Message-ID (RFC 5322, 3.6.4) of a mail."""
    digest = hashlib.sha256(unit.encode()).hexdigest()[:32]
    return f"<{digest}@{sender.rpartition('@')[2]}>"


def header_text(text: str, what: str) -> str:
    """A text that may be in a header. Raises OutputError for one with line ends, which could begin another."""
    if any(ord(char) < 32 or char in "\x7f\u0085\u2028\u2029" for char in text):
        raise OutputError(f"The {what} has a line end or control character in it, and is refused: {text[:60]!r}.")
    return text.strip()[:400]


def mail_message(
    sender: str,
    to: str,
    subject: str,
    text: str,
    at: datetime,
    identity: str,
    files: Sequence[Path],
    picture: bytes | None = None,
) -> EmailMessage:
    """A mail. Raises OutputError for a subject that is none, and for more than a mail can hold."""
    size = sum(path.stat().st_size for path in files)
    if size > _LARGEST:
        raise OutputError(
            f"The files have {size / 1_000_000:,.0f} MB, more than a mail can hold; put them into a folder instead."
        )
    message = EmailMessage(policy=SMTP)
    message["From"], message["To"] = sender, to
    message["Subject"] = header_text(subject, "subject") or "Report"
    message["Date"], message["Message-ID"] = format_datetime(at), identity
    message["Auto-Submitted"] = "auto-generated"  # RFC 3834: no answer of an absent person comes back
    message.set_content(text or f"{subject}\n")
    if picture is not None:
        body = html.escape(text).replace("\n", "<br>\n")
        label = html.escape(subject, quote=True)
        page = f'<p>{body}</p>\n<p><img src="cid:page" alt="First page of {label}"></p>\n'
        message.add_alternative(f"<!doctype html><html><body>{page}</body></html>", subtype="html")
        body_part = message.get_body(("html",))
        assert isinstance(body_part, EmailMessage)
        body_part.add_related(picture, "image", "png", cid="<page>", filename="page.png", disposition="inline")
    for path in files:
        kind = mimetypes.guess_type(path.name)[0] or "application/octet-stream"
        main, _, sub = kind.partition("/")
        message.add_attachment(path.read_bytes(), main, sub, filename=path.name)
    _fixed_boundaries(message, identity)
    return message


def _fixed_boundaries(message: EmailMessage, identity: str) -> None:
    """Give the parts boundaries that follow from the mail, so that the same mail has the same bytes."""
    for number, part in enumerate(message.walk()):
        if part.is_multipart():
            part.set_boundary(f"=_{hashlib.sha256(f'{identity}{number}'.encode()).hexdigest()[:40]}")
