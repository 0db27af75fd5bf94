"""What links of a report open: addresses of the web and of mail, places in the document, other reports with values.

An address is a URI reference (RFC 3986): ``https://…``, ``#name`` for the place that has the name as its anchor, or
``other.moor?season=summer`` for a report of the library, opened with values for its parameters.
"""

from dataclasses import dataclass
from typing import Any
from urllib.parse import parse_qs, unquote, urlsplit

WEB = ("https://", "http://", "mailto:")
"""How addresses begin that are handed to the desktop."""
_MOST_VALUES = 1000


@dataclass(frozen=True)
class ReportLink:
    """A report of the library, and texts for its parameters: several for a list."""

    file: str
    values: dict[str, Any]


def is_web(address: str) -> bool:
    """Whether an address is one of the web or of mail."""
    return address.startswith(WEB)


def place_named(address: str) -> str | None:
    """The name of the place in the document that an address leads to."""
    return unquote(address[1:]) or None if address.startswith("#") else None


def report_named(address: str) -> ReportLink | None:
    """The report that an address leads to."""
    try:
        parts = urlsplit(address)
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
