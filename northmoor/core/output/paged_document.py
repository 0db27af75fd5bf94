"""What an output is made of: pages in order, and what the file says about itself."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import BinaryIO

from northmoor.core.layout.graphics.display_list import Page

FileWriter = Callable[[BinaryIO], None]
"""Writes one file of an output."""


@dataclass(frozen=True)
class Metadata:
    """What the file says about itself: the title, and further entries of the document information."""

    title: str
    entries: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class PagedDocument:
    """A document as outputs see it. `pages` makes all pages again each time it is called; it may raise Cancelled."""

    metadata: Metadata
    pages: Callable[[], Iterator[Page]]
