"""The order of a table's rows as one line of text, such as ``month, sum(fares) desc``."""

import re

from northmoor.core.errors import ExpressionError
from northmoor.core.expr.language import parse
from northmoor.core.model.blocks.table import OrderBy

_DIRECTION = re.compile(r"\s+(asc|desc)\s*$", re.IGNORECASE)
_OPEN, _CLOSE = "([{", ")]}"


def format_order_by(order: tuple[OrderBy, ...]) -> str:
    """The line that says an order."""
    return ", ".join(f"{key.by} desc" if key.descending else key.by for key in order)


def parse_order_by(text: str) -> tuple[OrderBy, ...]:
    """The order that a line says. Raises ExpressionError for a key that is no expression."""
    keys = []
    for part in _parts(text):
        direction = _DIRECTION.search(part)
        by = (part[: direction.start()] if direction else part).strip()
        if not by:
            raise ExpressionError("A key of the order is missing between two commas; take one comma out.", 0)
        parse(by)
        keys.append(OrderBy(by=by, descending=direction is not None and direction[1].lower() == "desc"))
    return tuple(keys)


def _parts(text: str) -> list[str]:
    """The text between commas that are in no brackets and no quotes."""
    if not text.strip():
        return []
    parts, depth, quote = [""], 0, ""
    for letter in text:
        if quote:
            quote = "" if letter == quote else quote
        elif letter in "'\"":
            quote = letter
        else:
            depth += (letter in _OPEN) - (letter in _CLOSE)
        if letter == "," and not quote and depth == 0:
            parts.append("")
        else:
            parts[-1] += letter
    return parts
