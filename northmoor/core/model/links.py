"""What links of a report open: addresses of the web and of mail, places in the document, other reports with values.

An address is a URI reference (RFC 3986): ``https://…``, ``#name`` for the place that has the name as its anchor, or
``other.moor?season=summer`` for a report of the library, opened with values for its parameters.
"""

import re
from typing import Any
from urllib.parse import SplitResult, parse_qs, unquote, urlsplit

from msgspec import Struct

_MOST_VALUES = 1000
_CONTROL = re.compile(r"[\x00-\x1f\x7f-\x9f\u2028\u2029]")
"""What no address has in it: control characters and breaks of lines."""
_TELEPHONE = re.compile(r"\+?[0-9().\-]{3,40}")


class ReportLink(Struct, frozen=True):
    """A report of the library, and texts for its parameters: several for a list."""

    file: str
    values: dict[str, Any]


def is_web(address: str) -> bool:
    """Whether an address is one that is handed to the desktop: of the web, of mail, or a telephone's."""
    parts = _parts(address)
    if parts is None or " " in address:
        return False
    if parts.scheme in ("http", "https"):
        return bool(parts.hostname)
    if parts.scheme == "mailto":
        return "@" in parts.path
    return parts.scheme == "tel" and _TELEPHONE.fullmatch(parts.path) is not None


def _parts(address: str) -> SplitResult | None:
    """An address taken apart; None for what is none, such as a text with breaks of lines, which readers pass over."""
    if _CONTROL.search(address):
        return None
    try:
        parts = urlsplit(address)
        parts.port  # noqa: B018  # read here, since it may be no number
    except ValueError:
        return None
    return parts


def place_named(address: str) -> str | None:
    """The name of the place in the document that an address leads to."""
    return unquote(address[1:]) or None if address.startswith("#") and not _CONTROL.search(address) else None


def report_named(address: str) -> ReportLink | None:
    """The report that an address leads to."""
    parts = _parts(address)
    if parts is None:
        return None
    try:
        found = parse_qs(parts.query, keep_blank_values=True, max_num_fields=_MOST_VALUES)
    except ValueError:
        return None
    if parts.scheme or parts.netloc or not parts.path.endswith(".moor"):
        return None
    values = {name: given[0] if len(given) == 1 else given for name, given in found.items()}
    return ReportLink(unquote(parts.path), values)


def is_sound(address: str) -> bool:
    """Whether an address is of a kind that a page may open."""
    return is_web(address) or place_named(address) is not None or report_named(address) is not None
