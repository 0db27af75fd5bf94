"""What readers see of a name that a database or a file gives."""

import re


def readable_name(name: str) -> str:
    """A column's or file's name as readers see it: route_name becomes Route name."""
    words = re.sub(r"[_\-]+", " ", name).strip()
    return words[:1].upper() + words[1:] if words else name
