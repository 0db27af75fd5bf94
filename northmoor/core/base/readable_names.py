"""What readers see of names that a database or a file gives, and of the parts of blocks."""

import re
from typing import Protocol


class _Titled(Protocol):
    """A part of a block, such as a column."""

    @property
    def name(self) -> str: ...

    @property
    def title(self) -> str: ...


def readable_name(name: str) -> str:
    """A column's or file's name as readers see it: route_name becomes Route name."""
    words = re.sub(r"[_\-]+", " ", name).strip()
    return words[:1].upper() + words[1:] if words else name


def shown_title(part: _Titled) -> str:
    """A part of a block as readers see it: its title in one line, else its name in words."""
    return " ".join(part.title.split()) or readable_name(part.name)
